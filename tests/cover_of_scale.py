"""How often the camera's true factor lies inside what is stated, with a filter, hours and a pause in force together.

`.venv/bin/python -m tests.cover_of_scale [RUNS]` prints one row for each number of motion clips: of RUNS simulated
cameras (40) each, with no walk, 10 and 25 walks, how many held each true factor. The simulated camera is its own
code: it shares with the program only the evidence that it hands over. What moves is a person or a vehicle at any time
of a day, lognormal round 1.35 times the level's nominal size; the camera records persons, by day, not within the
pause after a recording.
"""

import math
import sys
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from typing import NamedTuple

import numpy as np

from guardia.core.evidence.clips import Origin
from guardia.core.evidence.events import CameraEvent
from guardia.core.hours.plan import EVERY_DAY, Edge, Stretch, WeekPlan
from guardia.core.make.settings import Settings
from guardia.core.replay.factor import camera_scale
from guardia.core.replay.seen import seen_by
from guardia.core.trace.measure import CONTRAST_LEVELS, Trace, sparse_trace
from tests.support import capability, evidence_of

FACTORS = (0.3, 0.55, 1.0, 2.0, 4.0, 6.0)
MIDNIGHT_S = 1_757_199_600.0
"""00:00 in London."""
MAKE = capability("polygon-mains-camera")
LEVEL = MAKE.notch("3")
SETTINGS = Settings.of(
    MAKE.id, "3", objects=("person",), rest_s=30.0,
    recording_plan=WeekPlan((Stretch(EVERY_DAY, Edge(360), Edge(1200)),)),
)  # fmt: skip
DAYS = 200
MOVES_S = 4.0


class Moved(NamedTuple):
    """One thing that moved."""

    at_s: float
    strength: float
    """Its size over the level's nominal one."""
    kind: str
    recorded: bool


def camera(rng: np.random.Generator, factor: float, width: float = 0.2) -> list[Moved]:
    """Two hundred days of what moved before a camera, eight things an hour."""
    hours = np.sort(rng.uniform(0, DAYS * 24, DAYS * 24 * 8))
    sizes = np.exp(rng.normal(0.3, 0.9, len(hours)))
    lucky = np.log(sizes) + rng.normal(0, width, len(hours)) >= math.log(factor)
    person = rng.random(len(hours)) < 0.6
    free_from, moved = 0.0, []
    for hour, size, triggers, is_person in zip(hours, sizes, lucky, person, strict=True):
        at_s = MIDNIGHT_S + hour * 3600
        recorded = bool(triggers and is_person and 6 <= hour % 24 < 20 and at_s >= free_from)
        if recorded:
            free_from = at_s + MOVES_S + SETTINGS.recording.rest_s
        moved.append(Moved(at_s, float(size), "person" if is_person else "vehicle", recorded))
    return moved


def picture_of(strength: float) -> Trace:
    """A trace of what has that strength: cells that changed in part, so that every size can be said."""
    cells = LEVEL.size * 576 * strength
    many = min(max(math.ceil(cells), 1), 576)
    dense = np.zeros((round(MOVES_S * 5), 18, 32, len(CONTRAST_LEVELS)), np.uint8)
    dense[:, np.arange(many) % 18, np.arange(many) // 18] = min(round(255 * cells / many), 255)
    return sparse_trace(np.arange(len(dense)) / 5.0, dense)


def held(case: tuple[float, int, int, int]) -> bool:
    """Whether one camera's interval holds its factor: (factor, motion clips, walks, run)."""
    factor, clips, walks, run = case
    rng = np.random.default_rng([int(100 * factor), clips, walks, run])
    moved = camera(rng, factor)
    kept = [m for m in moved if m.recorded][:clips]
    since = kept[-1].at_s + 3600 if kept else MIDNIGHT_S
    later = [m for m in moved if m.at_s > since]
    watched = [later[n] for n in np.sort(rng.choice(len(later), walks, replace=False))]
    things = [*kept, *watched]
    if not things:
        known = camera_scale([], MAKE)
    else:
        evidence = evidence_of(
            [picture_of(m.strength) for m in things], kinds=[m.kind for m in things],
            origin=[Origin.MOTION] * len(kept) + [Origin.CONTINUOUS] * len(watched), starts=[m.at_s for m in things],
            installed=SETTINGS,
        )  # fmt: skip
        listed = tuple(CameraEvent(m.at_s, MOVES_S) for m in moved if m.recorded)
        known = camera_scale(seen_by(replace(evidence, events=listed), MAKE), MAKE)
    level = next(one for one in known.levels if one.label == LEVEL.label)
    return level.low <= factor <= level.high


def main(runs: int) -> None:
    """Print the table."""
    print("| motion clips | no walk | 10 walks | 25 walks |\n|---|---|---|---|")
    with ProcessPoolExecutor() as pool:
        for clips in (0, 10, 80, 200):
            row = []
            for walks in (0, 10, 25):
                cases = [(factor, clips, walks, run) for factor in FACTORS for run in range(runs)]
                inside = np.array(list(pool.map(held, cases, chunksize=10))).reshape(len(FACTORS), runs).sum(axis=1)
                row.append(" ".join(map(str, inside)))
            print(f"| {clips} | {' | '.join(row)} |", flush=True)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 40)
