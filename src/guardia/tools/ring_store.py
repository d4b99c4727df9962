"""A store that overwrites its oldest file, simulated file by file: what the arithmetic of days kept is held against."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

DAY_S = 86_400.0


@dataclass(frozen=True)
class Files:
    """The files of one camera in order of time."""

    start_s: NDArray[np.float64]
    """(N,) when each was begun, seconds."""
    gigabytes: NDArray[np.float64]
    """(N,) its size."""


def files_of_days(rng: np.random.Generator, days: int, *, a_day: float, mean_gb: float) -> Files:
    """Files at random moments (Poisson), with sizes that differ by a half (lognormal).

    Args:
        rng: Source of chance.
        days: How many days.
        a_day: Files a day on the average.
        mean_gb: Their mean size.

    Returns:
        In order of time.
    """
    count = int(rng.poisson(a_day * days))
    spread = 0.5
    sizes = mean_gb * rng.lognormal(-spread * spread / 2, spread, count)
    return Files(np.sort(rng.uniform(0, days * DAY_S, count)), sizes)


def days_held(files: Files, space_gb: float) -> float:
    """Days that a ring holds on the average, once it is full.

    Args:
        files: What is written.
        space_gb: Space for it; a new file overwrites as many of the oldest as it needs.

    Returns:
        Mean age of the oldest file that is still there, asked at the beginning of every file after the ring is full for
        the first time; infinite if it never is.
    """
    written = np.cumsum(files.gigabytes)
    full = int(np.searchsorted(written, space_gb))
    if full >= len(written):
        return float("inf")
    # The oldest file still whole: everything from it on fits.
    oldest = np.searchsorted(written, written[full:] - space_gb) + 1
    held = files.start_s[full:] - files.start_s[np.minimum(oldest, len(written) - 1)]
    return float(held.mean()) / DAY_S
