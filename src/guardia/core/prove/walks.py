"""Which walk tests settle what is still open, with as few walks as can be.

An aim is one thing to be known: that somebody who goes one way, near or far, by day or in the dark, through a zone,
triggers. A walk towards the camera settles near and far at once; one across settles its distance in every zone that it
passes. The fewest walks that settle all open aims are an exact set cover (integer program, HiGHS in SciPy).
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
import scipy
from shapely import Polygon, contains_xy

from guardia.core.base.distances import distance
from guardia.core.base.intervals import wilson
from guardia.core.evidence.clips import FOOTAGE, Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.walked import Walked
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay.replay import Replay
from guardia.core.view.geometry import ViewGeometry
from guardia.core.view.tracks import Track, tracks_of

ENOUGH_PASSES = 3
"""An aim is settled once so many passes triggered and none did not (common practice, no source)."""

NEAR_M = 4.0
"""Near, where the view does not say (common practice, no source)."""


class Way(StrEnum):
    """How somebody goes."""

    TOWARDS = "towards the camera"
    ACROSS = "across the view"


class Passing(StrEnum):
    """How far away."""

    NEAR = "near"
    FAR = "far"


@dataclass(frozen=True)
class Aim:
    """One thing to be known."""

    way: Way
    """How somebody goes."""
    place: Passing
    """How far away."""
    dark: bool
    """In the dark, else by day."""
    zone: str = ""
    """Name of the zone, empty for the whole picture."""

    @property
    def words(self) -> str:
        """Such as 'across the view, far, in the dark, through walkway'."""
        where = f", through '{self.zone}'" if self.zone else ""
        return f"{self.way}, {self.place}, {'in the dark' if self.dark else 'by day'}{where}"


@dataclass(frozen=True)
class Passes:
    """What the evidence shows of an aim."""

    triggered: int = 0
    """Passes that triggered under the settings tried."""
    silent: int = 0
    """Passes that did not."""

    @property
    def settled(self) -> bool:
        """Whether another pass would tell little."""
        return self.triggered >= ENOUGH_PASSES and not self.silent

    @property
    def missed_share(self) -> tuple[float, float]:
        """Interval of the share that is missed (Wilson, 90 %)."""
        return wilson(self.silent, self.triggered + self.silent, confidence=0.9)

    @property
    def gain(self) -> float:
        """By how much one more pass that triggers narrows that interval."""
        low, high = self.missed_share
        less_low, less_high = wilson(self.silent, self.triggered + self.silent + 1, confidence=0.9)
        return (high - low) - (less_high - less_low)


@dataclass(frozen=True)
class Walk:
    """One walk."""

    way: Way
    """How to go."""
    near_m: float
    """Where it begins or passes, metres ahead of the camera."""
    far_m: float
    """Where it ends; the same for one across."""
    dark: bool
    """In the dark, else by day."""
    settles: tuple[Aim, ...]
    """The aims that it serves."""

    @property
    def words(self) -> str:
        """What to do, with its distances."""
        light = "In the dark" if self.dark else "By day"
        if self.way is Way.TOWARDS:
            begin, end = distance(self.far_m), distance(self.near_m)
            return f"{light}: from {begin} straight towards the camera to {end}, at a walk."
        return f"{light}: across the whole view at {distance(self.near_m)}, at a walk."


def open_aims(zones: Sequence[str], passes: Mapping[Aim, Passes]) -> list[Aim]:
    """The aims that the evidence does not settle.

    Args:
        zones: Names of the watch zones; none for the whole picture.
        passes: What the evidence shows, from passes_of().

    Returns:
        Those whose interval one more pass narrows most come first.
    """
    aims = [Aim(*one) for one in itertools.product(Way, Passing, (False, True), zones or ("",))]
    left = [a for a in aims if not passes.get(a, Passes()).settled]
    return sorted(left, key=lambda a: -passes.get(a, Passes()).gain)


def candidate_walks(aims: Sequence[Aim], near_m: float, far_m: Mapping[bool, float]) -> list[Walk]:
    """Every walk that serves an open aim.

    Args:
        aims: What is open.
        near_m: The near distance.
        far_m: The far one, by dark or not.

    Returns:
        Towards the camera, one for each zone and light, which serves near and far; across, one for each distance and
        light, which passes through every zone.
    """
    walks = []
    for dark in (False, True):
        far = far_m[dark]
        for zone in dict.fromkeys(a.zone for a in aims):
            mine = tuple(a for a in aims if a.way is Way.TOWARDS and a.dark is dark and a.zone == zone)
            if mine:
                walks.append(Walk(Way.TOWARDS, near_m, far, dark, mine))
        for place, at in ((Passing.NEAR, near_m), (Passing.FAR, far)):
            mine = tuple(a for a in aims if a.way is Way.ACROSS and a.dark is dark and a.place is place)
            if mine:
                walks.append(Walk(Way.ACROSS, at, at, dark, mine))
    return walks


def fewest_walks(aims: Sequence[Aim], walks: Sequence[Walk]) -> list[Walk]:
    """The fewest walks that serve all aims that can be served.

    Args:
        aims: What is to be settled.
        walks: What can be walked.

    Returns:
        Exact; of covers of the same size one by day is preferred.
    """

    served = [a for a in aims if any(a in w.settles for w in walks)]
    if not served:
        return []
    cover = np.array([[a in w.settles for w in walks] for a in served], float)
    cost = np.array([1.0 + 0.01 * w.dark for w in walks])
    whole = np.ones(len(walks), np.int64)
    solved = scipy.optimize.milp(
        cost,
        constraints=scipy.optimize.LinearConstraint(cover, lb=1.0),
        integrality=whole,
        bounds=scipy.optimize.Bounds(0, 1),
    )
    if solved.x is None:
        return list(walks)
    chosen = [w for w, on in zip(walks, solved.x, strict=True) if on > 0.5]
    return sorted(chosen, key=lambda w: (w.dark, w.way is Way.ACROSS, w.near_m))


def passes_of(
    evidence: Evidence,
    done: Replay,
    view: ViewGeometry | None,
    far_m: Mapping[bool, float],
    zones: Mapping[str, Sequence[tuple[float, float]]],
) -> dict[Aim, Passes]:
    """What judged persons and walk tests show of each aim.

    Args:
        evidence: Of the camera.
        done: Replay of the settings tried.
        view: The calibrated view; without it nothing tells how far somebody was.
        far_m: Distances from the middle of the near one and this on are far, by dark or not.
        zones: Corners of each watch zone by its name; none for the whole picture.

    Returns:
        A person that goes as much across as towards counts for both. What motion clips let through is counted as
        triggered only: a miss is never in them. Walks entered by hand count where they went.
    """
    counts: dict[Aim, list[int]] = {}
    shapes = {name: Polygon(corners) for name, corners in zones.items()}
    for place, o in enumerate(evidence.occurrences):
        clip = evidence.clip_of(o)
        person = o.verdict is Verdict.REAL or clip.origin is Origin.WALK_TEST
        if view is None or not person or o.end_s <= o.start_s or clip.by_another_cause:
            continue
        tracks = tracks_of(evidence.stack, evidence.clip_index[o.clip_id], o.start_s, o.end_s)
        triggered = not np.isnan(done.trigger_s[place])
        if not tracks or (not triggered and clip.origin not in FOOTAGE):
            continue
        main = max(tracks, key=lambda t: float((t.box[:, 2] * t.box[:, 3]).sum()))
        feet = main.feet
        passed = [n for n, shape in shapes.items() if contains_xy(shape, feet[:, 0], feet[:, 1]).any()]
        for aim in _aims_of(main, view, clip.dark, (NEAR_M + far_m[clip.dark]) / 2):
            for zone in passed if shapes else ("",):
                counts.setdefault(replace(aim, zone=zone), [0, 0])[0 if triggered else 1] += 1
    for walk in evidence.walks:
        for where in _places_of(walk, (NEAR_M + far_m[walk.dark]) / 2):
            for zone in walk.zones if shapes else ("",):
                aim = Aim(Way(walk.way), where, walk.dark, zone)
                # Recorded late, somebody was not seen until he was near.
                seen = walk.triggered and not (walk.result == "L" and where is Passing.FAR)
                counts.setdefault(aim, [0, 0])[0 if seen else 1] += 1
    return {aim: Passes(*both) for aim, both in counts.items()}


def _places_of(walk: Walked, middle_m: float) -> list[Passing]:
    return list({Passing.NEAR if at < middle_m else Passing.FAR: None for at in (walk.near_m, walk.far_m)})


def _aims_of(track: Track, view: ViewGeometry, dark: bool, middle_m: float) -> set[Aim]:
    """Which aims a track serves: where it was, and which way it went."""
    ground = view.to_ground(track.feet)
    ground = ground[np.isfinite(ground).all(axis=1)]
    if len(ground) < 2:
        return set()
    across, towards = (float(np.ptp(ground[:, axis])) for axis in (0, 1))
    ways = [w for w, length, other in ((Way.ACROSS, across, towards), (Way.TOWARDS, towards, across))
            if length >= max(1.0, 0.6 * other)]  # fmt: skip
    places = {
        Passing.NEAR if d < middle_m else Passing.FAR for d in (float(ground[:, 1].min()), float(ground[:, 1].max()))
    }
    return {Aim(way, place, dark) for way in ways for place in places}
