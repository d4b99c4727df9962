"""Worlds in which nothing tells real and false ones apart: what tuning reports there, against fresh weeks.

`.venv/bin/python -m tests.null_worlds [WORLDS]` tunes each of so many worlds (10) from fourteen judged days with a
draft whose zones were proposed on all of them, then lets four fresh weeks of the same world come. Reports how often
'better' was said, and how many of the weeks lie in the interval stated (90 %).
"""

import sys
from concurrent.futures import ProcessPoolExecutor

import numpy as np

from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.replay.replay import replay
from guardia.core.tuning import fit_zones
from guardia.core.tuning.propose import propose
from guardia.core.tuning.tune import Answer, tune
from tests.core.test_tuning import alike_anywhere
from tests.support import plain, tried

DAYS, WEEKS = 14, 4
REAL, FALSE = 2.0, 3.0
"""A day."""


def came(week: Evidence, candidate: Candidate) -> tuple[int, int]:
    """False recordings and misses of a week under some settings."""
    recorded = replay(week, candidate).share > 0
    false = np.array([o.kind == "foliage" for o in week.occurrences])
    return int((recorded & false).sum()), int((~recorded & ~false).sum())


def world(seed: int) -> tuple[str, str, list[str]]:
    """The answer, whether zones had been proposed and taken, and of each fresh week what came against what was told."""
    rng = np.random.default_rng([116, seed])
    installed = tried(plain(4))
    evidence = alike_anywhere(rng, days=DAYS, real=REAL, false=FALSE)
    proposed = fit_zones.fit(evidence, propose(evidence, installed).ignored, installed)
    zones = proposed[-1] if proposed else ()
    found = tune(evidence, installed, draft=installed.settings.with_values(zones=zones))
    weeks = []
    for _ in range(WEEKS):
        counts = came(alike_anywhere(rng, days=7, real=REAL, false=FALSE), found.chosen)
        for count, stated in zip(counts, found.week or (), strict=False):
            inside = stated.low <= count <= stated.high
            weeks.append(f"{'in' if inside else 'OUT'} {count} ({stated.low:.0f} to {stated.high:.0f})")
    return found.answer, f"{len(zones)} zones", weeks


def main(worlds: int) -> None:
    """Print a line for each world, then the sums."""
    better = inside = of = 0
    with ProcessPoolExecutor() as pool:
        for seed, (answer, zones, weeks) in enumerate(pool.map(world, range(worlds))):
            better += answer == Answer.BETTER
            inside += sum(week.startswith("in") for week in weeks)
            of += len(weeks)
            print(
                f"world {seed}: {answer}; {zones} in the draft; false, missed by week: {'; '.join(weeks)}", flush=True
            )
    print(f"'{Answer.BETTER}' in {better} of {worlds}; {inside} of {of} counts inside")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 10)
