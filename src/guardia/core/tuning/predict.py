"""How many to expect in the days to come, from those counted on watched days."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from guardia.core.base.intervals import Expected


def expected_count(counts: Sequence[float], days: float, *, confidence: float = 0.9) -> Expected:
    """The count of some coming days from the counts of watched ones.

    A gamma-Poisson mixture: the rate is not known exactly, and days differ (weather, spiders, visitors) by more than
    chance. With n events on D days the rate has a gamma distribution of shape n + 1/2 (Jeffreys) over D; days that
    scatter k times as much as a Poisson count divide shape and exposure by k (quasi-likelihood: P. McCullagh and
    J. Nelder, Generalized Linear Models, 1989, section 9.2). What is counted then is negative binomial.

    Args:
        counts: Of each watched day, at least 0.
        days: To predict for, above 0.
        confidence: Of the interval, 0..1.

    Returns:
        Counts.

    Raises:
        ValueError: If nothing was watched or nothing is to be predicted.
    """
    from scipy.stats import nbinom  # slow to import, and needed only here

    seen = np.asarray(counts, np.float64)
    if not len(seen) or days <= 0:
        raise ValueError(f"{len(seen)} days counted, {days} to predict")
    mean = float(seen.mean())
    scatter = float(seen.var(ddof=1)) / mean if len(seen) > 1 and mean > 0 else 1.0
    scatter = max(1.0, scatter)
    shape, exposure = (float(seen.sum()) + 0.5) / scatter, len(seen) / scatter
    # A coming day scatters likewise: its count is `scatter` times a Poisson count of a rate that much lower.
    law = nbinom(shape, exposure / (exposure + days / scatter))
    low, high = (float(law.ppf(q)) * scatter for q in ((1 - confidence) / 2, (1 + confidence) / 2))
    return Expected(mean * days, low, high)


def expected_share(events: float, trials: int, coming: int, *, confidence: float = 0.9) -> Expected:
    """How many of some coming ones will be such as `events` of `trials` were: beta-binomial with Jeffreys' prior.

    Args:
        events: 0..trials; a share of one counts as such.
        trials: Number seen.
        coming: Number to come.
        confidence: Of the interval, 0..1.

    Returns:
        Counts.
    """
    from scipy.stats import betabinom  # slow to import, and needed only here

    law = betabinom(coming, events + 0.5, trials - events + 0.5)
    low, high = (float(law.ppf(q)) for q in ((1 - confidence) / 2, (1 + confidence) / 2))
    return Expected(coming * events / trials if trials else coming / 2, low, high)
