"""Intervals for shares and for rates: few events prove little, and the screen says so."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
import scipy
from numpy.typing import NDArray


class Expected(NamedTuple):
    """A count or a rate that is expected."""

    mean: float
    """To be expected."""
    low: float
    """Not fewer than this, with the stated confidence."""
    high: float
    """Not more than this, likewise."""


def expected_number(chances: NDArray[np.float64], *, confidence: float = 0.95) -> Expected:
    """How many of some things happen, each with a chance of its own, where even the chances are not known exactly.

    For each set of chances the count is Poisson-binomial; it is taken as normal with its mean and variance (Y. H.
    Wang, On the number of successes in independent trials, 1993), and summed over the sets.

    Args:
        chances: (K, N), 0..1: K sets, each as likely as the others.
        confidence: Of the interval, 0..1.

    Returns:
        Whole numbers at the ends.
    """
    mean = chances.sum(axis=1)
    deviation = np.sqrt((chances * (1 - chances)).sum(axis=1))
    # Beyond six deviations nothing changes: of a thousand occurrences few counts need be looked at.
    first, last = max(0, int((mean - 6 * deviation).min()) - 1), int((mean + 6 * deviation).max()) + 1
    counts = np.arange(first, min(chances.shape[1], last) + 1)
    above = counts[:, None] + 0.5 - mean
    below = np.where(deviation > 1e-9, scipy.special.ndtr(above / np.maximum(deviation, 1e-9)), above > 0).mean(axis=1)
    below[-1] = 1.0
    low, high = (first + int(np.argmax(below >= q)) for q in ((1 - confidence) / 2, (1 + confidence) / 2))
    return Expected(float(mean.mean()), low, high)


def wilson(successes: int, trials: int, *, confidence: float = 0.95) -> tuple[float, float]:
    """Wilson score interval of a share.

    E. B. Wilson (1927), 'Probable inference, the law of succession, and statistical inference', without
    continuity correction.

    Args:
        successes: 0..trials.
        trials: Number of trials; with none the share may be anything.
        confidence: Two-sided, 0..1.

    Returns:
        Lower and upper bound, 0..1.

    Raises:
        ValueError: If successes lie outside 0..trials.
    """
    if not 0 <= successes <= trials:
        raise ValueError(f"{successes} successes of {trials}")
    if trials == 0:
        return 0.0, 1.0
    z = float(scipy.special.ndtri(0.5 + confidence / 2))
    share = successes / trials
    centre = share + z * z / (2 * trials)
    half = z * math.sqrt(share * (1 - share) / trials + z * z / (4 * trials * trials))
    scale = 1 + z * z / trials
    low = 0.0 if successes == 0 else (centre - half) / scale
    high = 1.0 if successes == trials else (centre + half) / scale
    return max(0.0, low), min(1.0, high)


def rate_interval(events: int, exposure: float, *, confidence: float = 0.95) -> tuple[float, float]:
    """Exact interval of a Poisson rate (F. Garwood, 1936).

    The chi-square quantile of 2k degrees of freedom over 2 is the inverse of the incomplete gamma function of k.

    Args:
        events: Number counted, at least 0.
        exposure: Time watched, in the unit the rate is wanted per (for example days); above 0.
        confidence: Two-sided, 0..1.

    Returns:
        Lower and upper bound, events per unit of exposure.

    Raises:
        ValueError: If events are negative or nothing was watched.
    """
    if events < 0 or exposure <= 0:
        raise ValueError(f"{events} events in {exposure}")
    tail = (1 - confidence) / 2
    low = 0.0 if events == 0 else float(scipy.special.gammaincinv(events, tail))
    high = float(scipy.special.gammaincinv(events + 1, 1 - tail))
    return low / exposure, high / exposure
