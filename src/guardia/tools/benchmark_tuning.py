"""What tuning is worth: settings chosen on the demo's weeks, tried by the bench camera on weeks it never saw."""

from __future__ import annotations

import statistics
import tempfile
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from guardia.app.project.demo import own_demo
from guardia.app.project.makes import capability_data
from guardia.benchcam.live import Truth, run
from guardia.benchcam.tern_quay import PLACES, build_scene
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.settings import Settings
from guardia.core.tuning.scale import calibrate_scale, seen_by
from guardia.core.tuning.tune import Tuned, tune
from guardia.store.project import Project

WEEK_S = 7 * 86_400.0
FIRST_SEED = 101


@dataclass(frozen=True)
class Week:
    """One camera in one week that nobody had seen.

    Parameters
    ----------
    camera
        Its name.
    seed
        Of the week.
    installed
        False recordings and misses of the installed settings.
    tuned
        Those of the tuned ones.
    real
        Real events in it.
    inside
        Whether the tuned false recordings lie in the interval predicted (90 %).
    """

    camera: str
    seed: int
    installed: tuple[int, int]
    tuned: tuple[int, int]
    real: int
    inside: bool


def tune_demo() -> dict[str, Tuned]:
    """Tune every camera of the demo, by name."""
    with tempfile.TemporaryDirectory(prefix="guardia-tuning-") as home, Project(own_demo(Path(home))) as project:
        counts = {}
        for camera in project.cameras.all():
            evidence, make = project.evidence(camera.id), camera.capability
            scales = calibrate_scale(seen_by(evidence, make), make)
            counts[camera.name] = tune(evidence, camera.under(camera.installed), scales=scales)
        return counts


def coming_weeks(found: dict[str, Tuned], seeds: int, tell: Callable[[str], None]) -> Iterator[Week]:
    """Let the bench camera run weeks of other seeds with the installed and the tuned settings, on all cores."""
    jobs = [(place.slug, FIRST_SEED + n, found[place.name].chosen.settings) for n in range(seeds) for place in PLACES]
    with ProcessPoolExecutor() as pool:
        for (slug, seed, _), (installed, tuned) in zip(jobs, pool.map(_week, jobs), strict=True):
            place = next(p for p in PLACES if p.slug == slug)
            tell(f"{place.name}, week {seed}")
            week = found[place.name].week
            false = len(tuned.false_at)
            inside = week is not None and week[0].low <= false <= week[0].high
            yield Week(
                place.name, seed, (len(installed.false_at), len(installed.missed)), (false, len(tuned.missed)),
                len(tuned.real), inside,
            )  # fmt: skip


def _week(job: tuple[str, int, Settings]) -> tuple[Truth, Truth]:
    slug, seed, settings = job
    place = next(p for p in PLACES if p.slug == slug)
    make = capability_from_dict(capability_data(place.installed.capability))
    first, second = run(
        build_scene(place, seed=seed), [place.installed, settings], make, only=lambda begin: begin < WEEK_S
    )
    return first, second


def lines_of(found: dict[str, Tuned], weeks: list[Week]) -> list[str]:
    """The table: tuned against held out on the demo, then what the weeks say."""
    lines = [f"{'camera':<14}{'installed':>16}{'tuned':>14}{'held out':>14}   answer"]
    for name, one in found.items():
        cells = [f"{c.false} f {c.missed} m" if c else "none" for c in (one.installed, one.tuned, one.held_out)]
        lines.append(f"{name:<14}{cells[0]:>16}{cells[1]:>14}{cells[2]:>14}   {one.answer.value}: {one.why[0]}")
    lines.append(f"{'camera':<14}{'week':>6}{'installed':>14}{'tuned':>14}{'real':>6}  in the interval")
    for w in weeks:
        old, new = (f"{false} f {missed} m" for false, missed in (w.installed, w.tuned))
        lines.append(f"{w.camera:<14}{w.seed:>6}{old:>14}{new:>14}{w.real:>6}  {'yes' if w.inside else 'no'}")
    if weeks:
        cuts = [1 - w.tuned[0] / w.installed[0] for w in weeks if w.installed[0]]
        missed = sum(w.installed[1] for w in weeks), sum(w.tuned[1] for w in weeks)
        inside = sum(w.inside for w in weeks)
        lines.append(
            f"median cut {statistics.median(cuts):.0%} (bar 80 %), missed {missed[0]} to {missed[1]} (bar: no more), "
            f"{inside} of {len(weeks)} camera-weeks in their interval (bar 80 of 100)"
        )
    return lines
