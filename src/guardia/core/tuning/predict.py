"""How many to expect in the days to come, from those counted on watched days."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
import scipy
from numpy.typing import NDArray

from guardia.core.base.intervals import Expected

SCATTERS = np.array([0.05, 0.15, 0.3, 0.45, 0.6, 0.8, 1.0, 1.25, 1.5, 2.0])
"""By how much days may differ from one another beyond chance: the coefficient of variation of their rate."""

SCATTER_BELIEVED = 0.7
"""Spread of the half-normal prior over it: some days bring half as much as usual and some twice as much (no source)."""

_MEANS = np.exp(np.linspace(-4.0, 3.0, 48))


def expected_count(
    counts: NDArray[np.float64],
    exposure: NDArray[np.float64],
    coming: float,
    *,
    weights: NDArray[np.float64] | None = None,
    confidence: float = 0.9,
) -> Expected:
    """The count of some coming days from the counts of watched ones.

    The rate of a day is gamma-distributed round a mean that is not known (weather, spiders, visitors), so that a day's
    count is negative binomial (M. Greenwood and G. Yule, 1920). Mean and scatter are integrated out over a grid: a few
    days hardly show by how much days differ. Prior of the mean: its power -1/2 (Jeffreys' of a Poisson mean).

    Args:
        counts: (K, D) of each watched day, at least 0: K ways in which they may have been, or one.
        exposure: (D,) how much of each day was watched, above 0.
        coming: To predict for, in the same unit, above 0.
        weights: (K,) how likely each of the ways is; None for alike.
        confidence: Of the interval, 0..1.

    Returns:
        Counts.

    Raises:
        ValueError: If nothing was watched or nothing is to be predicted.
    """
    seen, watched = np.atleast_2d(counts), np.asarray(exposure, np.float64)
    if not len(watched) or watched.min() <= 0 or coming <= 0:
        raise ValueError(f"{len(watched)} days counted, {coming} to predict")
    share = np.full(len(seen), 1 / len(seen)) if weights is None else weights / weights.sum()
    totals = seen.sum(axis=1)
    shape = SCATTERS**-2.0
    laws = []
    for of_days, total, weight in zip(seen, totals, share, strict=True):
        means = (total + 0.5) / watched.sum() * _MEANS
        laws.append((means, weight * _posterior(of_days, watched, shape, means)))
    days = coming / watched.mean()

    def below(count: float) -> float:
        """How likely at most so many come."""
        size = shape[:, None] * days
        return sum(
            float((w * scipy.special.betainc(size, count + 1, size / (size + means * coming))).sum())
            for means, w in laws
        )

    low, high = (_first(below, q) for q in ((1 - confidence) / 2, (1 + confidence) / 2))
    return Expected(float(share @ totals) / float(watched.sum()) * coming, low, high)


def _posterior(
    counts: NDArray[np.float64], exposure: NDArray[np.float64], shape: NDArray[np.float64], means: NDArray[np.float64]
) -> NDArray[np.float64]:
    """(scatters, means) how likely each pair is, given the counts of days; their sum is 1."""
    size, rate = shape[:, None, None], means[:, None] * exposure
    logs = scipy.special.gammaln(counts + size) - scipy.special.gammaln(size) + size * np.log(size / (size + rate))
    fit = (logs + counts * np.log(rate / (size + rate))).sum(axis=2)
    prior = -0.5 * (SCATTERS / SCATTER_BELIEVED) ** 2 + np.log(np.gradient(SCATTERS))
    fit += prior[:, None] + 0.5 * np.log(means)
    likely: NDArray[np.float64] = np.exp(fit - fit.max())
    likely /= likely.sum()
    return likely


def _first(below: Callable[[float], float], wanted: float) -> float:
    """The least whole number that is so likely not exceeded."""
    high = 1
    while below(high) < wanted:
        high *= 2
    low = 0
    while low < high:
        middle = (low + high) // 2
        low, high = (low, middle) if below(middle) >= wanted else (middle + 1, high)
    return float(low)
