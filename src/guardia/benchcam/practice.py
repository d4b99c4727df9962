"""Scenes to practise on: places seen the other way round, in weeks of their own, from one cause to all of them."""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import dataclass, replace

import numpy as np

from guardia.benchcam.place import Place
from guardia.benchcam.tern_quay import PLACES, REAL_KINDS, Scene, build_scene
from guardia.benchcam.tern_quay_events import Event
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings

DAY_S = 86_400.0
LEAST_OFTEN = 3
"""A cause is only worth tuning against where it comes this often in two weeks."""


@dataclass(frozen=True)
class Level:
    """How hard a scene is."""

    number: int
    """From 1."""
    words: str
    """What makes it so."""
    by_day: int
    """So many causes of false recordings by day, the most frequent first."""
    by_night: int
    """So many by night; with none, nothing at all happens at night."""


LEVELS = (
    Level(1, "one cause, by day", 1, 0),
    Level(2, "two causes, by day", 2, 0),
    Level(3, "all causes, by day", 99, 0),
    Level(4, "all causes by day, one by night", 99, 1),
    Level(5, "all causes, day and night", 99, 99),
)


def practice_place(seed: int) -> Place:
    """The place that a seed stands for, with power and room on its store all the time."""
    rng = np.random.default_rng([seed, 77])
    place = PLACES[int(rng.integers(len(PLACES)))]
    return replace(place, down=(0.0, 0.0), full_from_s=math.inf, clock_error_s=0.0)


def practice_scene(level: Level, seed: int) -> Scene:
    """Two weeks to practise on; the same for the same level and seed.

    Args:
        level: What may happen.
        seed: At least 0; no scene of the demo or the benchmark is made from the same numbers.

    Returns:
        Mirrored, so that it is not one already known.
    """
    scene = build_scene(practice_place(seed), seed=900_000 + seed)
    dark = [scene.light(e.begin_s).name == "NIGHT" for e in scene.events]
    wanted: set[tuple[bool, str]] = set()
    for night, count in ((False, level.by_day), (True, level.by_night)):
        often = Counter(e.kind for e, d in zip(scene.events, dark, strict=True) if d == night and not _real(e))
        ranked = sorted(often.items(), key=lambda c: (-c[1], c[0]))
        wanted |= {(night, kind) for kind, n in ranked[:count] if n >= LEAST_OFTEN or count > len(ranked)}
    events = tuple(
        e for e, d in zip(scene.events, dark, strict=True)
        if (_real(e) and (level.by_night or not d)) or (d, e.kind) in wanted
    )  # fmt: skip
    begun = {e.begin_s for e in events}
    return replace(
        scene,
        events=events,
        gusts=tuple(g for g in scene.gusts if g[0] in begun),
        glitter=tuple(g for g in scene.glitter if g[0] in begun),
        continuous_s=tuple(b for b in scene.continuous_s if level.by_night or scene.light(b).name != "NIGHT"),
        calls=(),
        snapshots=(),
        mirrored=True,
    )


def _real(event: Event) -> bool:
    return event.kind in REAL_KINDS


def left_by_the_installer(make: Capability, seed: int) -> Settings:
    """What is set when the practice begins: in the upper third of the scale 'to be safe', and the rest as it came."""
    rng = np.random.default_rng([seed, 78])
    upper = make.notches[-math.ceil(len(make.notches) / 3) :]
    return Settings.of(
        make.id,
        upper[int(rng.integers(len(upper)))].label,
        hold_s=make.hold_choices_s[0],
        release_s=make.release_s,
        rest_s=make.rest_choices_s[int(rng.integers(len(make.rest_choices_s)))],
        pre_record_s=make.pre_record_choices_s[0],
        length_s=make.length_choices_s[0],
    )
