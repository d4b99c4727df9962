"""What first settings are worth before any clip: against a make's middle ones, on scenes that nobody had seen."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace

from guardia.app.camera.makes import capability_data, middle_settings
from guardia.benchcam.ground import ground_that_matters, known_view
from guardia.benchcam.live import run
from guardia.benchcam.practice import LEVELS, practice_scene
from guardia.benchcam.tern_quay import FIRST_DAY, LATITUDE, LONGITUDE, TIME_ZONE
from guardia.benchcam.tern_quay_purposes import purpose_of
from guardia.core.hours.place import SitePlace
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import capability_from_dict
from guardia.core.prove.first import first_settings
from guardia.tools.benchmark_tuning import Came

FIRST_SEED = 500


@dataclass(frozen=True)
class FirstDay:
    """Two weeks of one scene."""

    camera: str
    """Its place."""
    seed: int
    """Of the scene."""
    real: int
    """Real events in it."""
    middle: Came
    """Under the make's middle settings."""
    first: Came
    """Under first settings."""


def first_days(scenes: int, tell: Callable[[str], None]) -> Iterator[FirstDay]:
    """Let the bench camera run scenes with both settings, on all cores."""
    with ProcessPoolExecutor() as pool:
        for one in pool.map(_first_day, range(FIRST_SEED, FIRST_SEED + scenes)):
            tell(f"{one.camera}, scene {one.seed}")
            yield one


def _first_day(seed: int) -> FirstDay:
    scene = practice_scene(LEVELS[-1], seed)
    place = scene.place
    make = capability_from_dict(capability_data(place.installed.capability))
    drawn = ground_that_matters(place, mirrored=scene.mirrored)
    purpose = replace(purpose_of(place.name, make), area=drawn)
    middle = middle_settings(make)
    first = first_settings(
        Candidate(middle, make), purpose, known_view(), place=SitePlace(TIME_ZONE, LATITUDE, LONGITUDE),
        on=FIRST_DAY.date(),
    )  # fmt: skip
    truths = run(scene, [middle, first.candidate.settings], make, purpose=purpose)
    came = [Came(len(t.false_alerts_at), len(t.false_at), len(t.missed), len(t.unalerted)) for t in truths]
    return FirstDay(place.name, seed, len(truths[0].real), *came)


def lines_of(days: Sequence[FirstDay]) -> list[str]:
    """A table by scene, and all together."""
    head = f"{'scene':<6}{'place':<15}{'real':>5}{'middle settings':>22}{'first settings':>22}"
    lines = [f"{head}  (a false alerts, f false recordings, m missed, u nobody alerted)"]
    lines += [f"{d.seed:<6}{d.camera:<15}{d.real:>5}{d.middle.words:>22}{d.first.words:>22}" for d in days]
    old, new = (
        Came(*map(sum, zip(*several, strict=True))) for several in ([d.middle for d in days], [d.first for d in days])
    )
    return [*lines, f"{'all':<21}{sum(d.real for d in days):>5}{old.words:>22}{new.words:>22}"]
