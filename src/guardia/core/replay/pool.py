"""What one's own cameras of a make teach about the next one (partial pooling).

The factors of a make's cameras scatter round one that is common to the make: the logarithm of each is normal round m
with deviation t, both unknown (a random-effects model: D. Lindley and A. Smith, Bayes Estimates for the Linear Model,
1972). Of each camera the likelihood of its factor is kept, not an estimate, so that one with few clips says little and
one with motion clips alone bounds it from above only. m and t are summed over a grid; the next camera's prior is
normal with the mean and the variance of what comes of it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from guardia.core.make.capability import Capability, Taught
from guardia.core.replay.factor import GRID, ODD_SHARE, make_prior

Reals = NDArray[np.float64]

SPREADS: Reals = np.array([0.03, 0.06, 0.12, 0.2, 0.35, 0.6, 1.0])
"""Deviations from camera to camera, in natural logarithm."""

SPREAD_BELIEVED = 0.5
"""Spread of the half-normal prior over them (no source)."""

LEAST_CAMERAS = 2
"""One camera alone does not show how others differ from it."""


def pooled(shown: Sequence[Reals], capability: Capability) -> Taught | None:
    """What several cameras of a make teach.

    Args:
        shown: (G,) of each camera, from factor.shown_by().
        capability: The make.

    Returns:
        None for fewer than LEAST_CAMERAS.
    """
    if len(shown) < LEAST_CAMERAS:
        return None
    own = make_prior(capability)
    scatter = np.exp(-0.5 * np.square((GRID[:, None] - GRID) / SPREADS[:, None, None]))
    scatter /= scatter.sum(axis=2, keepdims=True)
    logs = np.log(own) - 0.5 * np.square(SPREADS / SPREAD_BELIEVED)[:, None] + np.log(np.gradient(SPREADS))[:, None]
    for one in shown:
        likely = np.exp(one - one.max())
        logs = logs + np.log((1 - ODD_SHARE) * (scatter @ likely) + ODD_SHARE * float(own @ likely))
    weights = np.exp(logs - logs.max())
    weights /= weights.sum()
    mean = float((weights * GRID).sum())
    variance = float((weights * (np.square(GRID - mean) + np.square(SPREADS)[:, None])).sum())
    return Taught(len(shown), math.exp(mean), math.sqrt(variance))
