"""By which factor this very camera's thresholds differ from its make's nominal ones.

What is seen are strengths: by how much something passed the nominal threshold of the level set then, and what the
camera did. The chance to trigger rises from 0 to 1 around the true threshold as a normal distribution function of the
logarithm (a psychometric curve: D. Finney, Probit Analysis, 1971).

Walks and footage show both what triggered and what did not. A motion clip is here only because it triggered, so its
likelihood is that of its strength given that it did: a density cut off by the threshold (a truncated sample: A. C.
Cohen, Truncated and Censored Samples, 1991). Of what density nobody knows; near the threshold it is taken as the
exponential of a parabola, of which slope and curvature are summed away, and only the weakest clips are looked at. So
weak clips bound the threshold from above, strong ones say next to nothing, and many do not pull it down.

Everything is summed over grids, so nothing can fail to converge.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import NamedTuple

import numpy as np
import scipy
from numpy.typing import NDArray

from guardia.core.make.capability import Capability

Reals = NDArray[np.float64]

OWN_SPREAD = 0.12
"""Standard deviation of a level's own factor beside the common one, in natural logarithm (no source)."""

LAPSE = 0.02
"""Share of answers that have another cause than the size (no source)."""

CONFIDENCE = 0.95

NODES = 15
"""Factors that stand for what is believed, each as likely as the others."""

GRID: Reals = np.linspace(-3.0, 3.0, 121)
"""Logarithms of the factor."""

WIDTHS: Reals = np.array([0.05, 0.12, 0.25, 0.4, 1.0])
"""How gradual the curve may be, standard deviations in natural logarithm; all are taken into account."""

WIDTH_WEIGHTS: Reals = np.array([0.24, 0.24, 0.24, 0.2, 0.08])
WIDEST_OF_CLIPS = 0.4
"""Larger ones are for answers that contradict each other, which clips, all of which triggered, cannot."""

COUNTS_FROM = 0.1
"""A width that is believed at least so much widens the interval: an interval is that of the widest of them."""

CONTRADICTED = 0.5
"""Answers contradict each other where the largest width is believed more than this."""

BROAD_LOG, BROAD_SHARE = 2.4, 0.5
"""Makes state bands that nobody measured: half of the prior is even between 1/11 and 11 times the nominal (no source).
How often the truth lies inside what comes of it stands in docs/motion-model.md."""

WEAKEST, WEAKEST_SHARE, WEAKEST_AT_MOST = 12, 0.1, 60
"""So many of the weakest motion clips are looked at, and so large a share of them, at most."""

CLIPS_WEIGHT = 0.6
"""Clips of a camera are alike, so that each says less than one that stands for itself (no source)."""

SLOPES: Reals = np.array([-12.0, -8.0, -5.0, -2.5, 0.0, 2.5, 5.0, 8.0, 12.0])
SLOPE_SPREAD = 6.0
CURVATURES: Reals = np.array([0.0, 0.4, 1.6])
"""Of the density of strengths near the threshold, in natural logarithm."""

STRANGE_SHARES: Reals = np.array([0.005, 0.05, 0.2, 0.5])
STRANGE_WEIGHTS: Reals = np.array([0.4, 0.3, 0.2, 0.1])
"""So many of the weakest clips may have been recorded for a reason that the model does not see."""

ODD_SHARE = 0.03
"""So many cameras of a make are unlike the others (no source)."""

ODD = 0.5
"""A camera is called odd where that is likelier than not."""

FAR_BELOW = -4.0
"""Nothing weaker than this, in natural logarithm, can be measured."""


class Seen(NamedTuple):
    """One thing that moved while a level was set."""

    notch: str
    """The make's word for the level."""
    strength: float
    """Its lasting size over the level's nominal threshold, above 0."""
    triggered: bool
    """Whether the camera triggered."""
    selected: bool = False
    """It is known only because it triggered, as a motion clip is."""


@dataclass(frozen=True)
class NotchScale:
    """What a level means on this camera."""

    label: str
    """The make's word for it."""
    factor: float
    """True threshold over nominal, the middle of what is believed."""
    low: float
    """Lower end of the interval of the factor (95 %)."""
    high: float
    """Its upper end."""
    seen: int
    """How many things told of this very level."""


@dataclass(frozen=True, eq=False)
class CameraScale:
    """What every level means on this camera."""

    levels: tuple[NotchScale, ...]
    """From the least sensitive; thresholds fall from level to level."""
    nodes: Reals
    """(levels + 1, NODES) factors that stand for what is believed of each level, rising; the last row is the factor
    that is common to the camera. One column is one possible camera."""
    width: float
    """How gradual the curve is, standard deviation in natural logarithm, the mean of what is believed."""
    contradicted: bool
    """Whether walks and footage contradict each other more than chance lets expect."""
    odd: bool
    """Whether what is seen here speaks against what other cameras of the make showed."""

    @cached_property
    def _rows(self) -> dict[str, int]:
        return {level.label: n for n, level in enumerate(self.levels)}

    def factors(self, label: str) -> Reals:
        """(NODES,) of a level; for any other word those that are common to the camera."""
        row: Reals = self.nodes[self._rows.get(label, -1)]
        return row

    def factor(self, label: str) -> float:
        """The middle of what is believed of a level."""
        return float(self.factors(label)[NODES // 2])


def camera_scale(seen: Sequence[Seen], capability: Capability) -> CameraScale:
    """What every level of a make means on one camera.

    The factor of a level is one common to the camera times a small one of its own. The prior of the common one is half
    the make's own band and half a broad one; where other cameras of the make are known it is what they showed, but for
    ODD_SHARE.

    Args:
        seen: What moved and what the camera did; with none the prior comes out.
        capability: The make, with at least one level.

    Returns:
        Of every level of the make.
    """
    notches = capability.notches
    own = _own_kernel()
    likely = {n.label: _likelihood([s for s in seen if s.notch == n.label]) for n in notches}
    # What a level's own evidence says of the common factor: its own factor summed away.
    message = {label: _through(own, logs) for label, logs in likely.items()}
    widths = np.log(WIDTH_WEIGHTS)[:, None]
    shown = sum(message.values()) + widths
    common = shown + np.log(prior_of(capability))
    posteriors = [likely[n.label] + _through(own.T, common - message[n.label]) for n in notches]
    counts = [sum(s.notch == n.label for s in seen) for n in notches]
    ends = [_interval(p) for p in posteriors]
    at = (np.arange(NODES) + 0.5) / NODES
    nodes = np.exp([_quantiles(scipy.special.logsumexp(p, axis=0), at) for p in (*posteriors, common)])
    sizes = np.array([n.size for n in notches])
    nodes[:-1] = np.exp(_falling(np.log(sizes[:, None] * nodes[:-1]))) / sizes[:, None]
    levels = tuple(
        NotchScale(n.label, middle, min(math.exp(low), middle), max(math.exp(high), middle), count)
        for n, (low, high), middle, count in zip(notches, ends, nodes[:-1, NODES // 2].tolist(), counts, strict=True)
    )
    by_width = scipy.special.logsumexp(common, axis=1)
    weights = np.exp(by_width - scipy.special.logsumexp(by_width))
    both_ways = {s.triggered for s in seen if not s.selected} == {True, False}
    contradicted = bool(both_ways and weights[-1] > CONTRADICTED)
    return CameraScale(levels, nodes, float(weights @ WIDTHS), contradicted, _is_odd(shown, capability))


def shown_by(seen: Sequence[Seen], capability: Capability) -> Reals:
    """(G,) logarithm of the likelihood of the common factor on GRID, 0 at its largest: what evidence alone says."""
    own = _own_kernel()
    parts = [_through(own, _likelihood([s for s in seen if s.notch == n.label])) for n in capability.notches]
    logs: Reals = scipy.special.logsumexp(sum(parts) + np.log(WIDTH_WEIGHTS)[:, None], axis=0)
    logs -= logs.max()
    return logs


def _own_kernel() -> Reals:
    """(G, G) a level's own factor beside the common one."""
    own = _normal(GRID[:, None] - GRID[None, :], OWN_SPREAD)
    own /= own.sum(axis=1, keepdims=True)
    return own


def _is_odd(shown: Reals, capability: Capability) -> bool:
    """Whether what is seen is likelier on a camera unlike the others of its make."""
    if capability.taught is None:
        return False
    likely = np.exp(scipy.special.logsumexp(shown, axis=0) - shown.max())
    unlike = ODD_SHARE * float(likely @ make_prior(capability))
    alike = float(likely @ prior_of(capability)) - unlike
    return unlike > ODD * (unlike + alike)


def chance(strength: Reals, factor: float, *, width: float) -> Reals:
    """Chance that something triggers whose lasting size is `strength` times the nominal threshold."""
    with np.errstate(divide="ignore"):
        curve: Reals = passes(np.log(strength) - math.log(factor), width)
    return curve


def passes(above: Reals, width: float | Reals) -> Reals:
    """Chance to trigger of what lies so far above the threshold, in natural logarithm."""
    curve: Reals = LAPSE + (1 - 2 * LAPSE) * scipy.special.ndtr(above / width)
    return curve


def prior_of(capability: Capability) -> Reals:
    """(G,) of the common factor on GRID: what other cameras of the make showed, else the make's own; its sum is 1."""
    own, taught = make_prior(capability), capability.taught
    if taught is None:
        return own
    known = _normal(GRID - math.log(taught.factor), taught.deviation)
    prior: Reals = (1 - ODD_SHARE) * known / known.sum() + ODD_SHARE * own
    return prior


def make_prior(capability: Capability) -> Reals:
    """(G,) of the common factor on GRID, by the make's own band and a broad one; its sum is 1."""
    spread = [math.log(n.size_high / n.size_low) / (2 * 1.645) for n in capability.notches]
    band = _normal(GRID, math.sqrt(max(float(np.mean(np.square(spread))) - OWN_SPREAD**2, 0.05**2)))
    broad = np.where(np.abs(GRID) <= BROAD_LOG, 1.0, 1e-3)
    both: Reals = (1 - BROAD_SHARE) * band / band.sum() + BROAD_SHARE * broad / broad.sum()
    return both


def _likelihood(seen: Sequence[Seen]) -> Reals:
    """(W, G) logarithms, of each width and factor."""
    shown = [s for s in seen if not s.selected]
    logs = np.zeros((len(WIDTHS), len(GRID)))
    if shown:
        x, triggered = np.log([s.strength for s in shown]), np.array([s.triggered for s in shown])
        rising = passes(x - GRID[None, :, None], WIDTHS[:, None, None])
        logs += np.log(np.where(triggered, rising, 1.0 - rising)).sum(axis=2)
    clips = np.sort(np.log([s.strength for s in seen if s.selected]))
    if len(clips):
        logs += CLIPS_WEIGHT * _likelihood_of_clips(clips)
    return logs


def _likelihood_of_clips(x: Reals) -> Reals:
    """(W, G) logarithms: of the strengths of motion clips, rising, given that each of them triggered."""
    many = min(WEAKEST + int(WEAKEST_SHARE * len(x)), WEAKEST_AT_MOST, len(x) - 1)
    weak, top = x[:many], x[many]
    logs: Reals = np.log(passes(top - GRID[None, :], np.minimum(WIDTHS, WIDEST_OF_CLIPS)[:, None]))
    if not many:
        return logs
    lowest = min(FAR_BELOW, float(x[0]) - 0.5)
    across = np.linspace(lowest, top, 160)
    slope, curvature = (a.reshape(-1, 1) for a in np.meshgrid(SLOPES, CURVATURES))
    shape = [np.exp(slope * (at - top) - curvature * np.square(at - top)) for at in (across, weak)]
    slopes = np.tile(-0.5 * np.square(SLOPES / SLOPE_SPREAD), len(CURVATURES))
    slopes -= scipy.special.logsumexp(slopes)
    step, even = across[1] - across[0], 1.0 / (top - lowest)
    for row, width in enumerate(np.minimum(WIDTHS, WIDEST_OF_CLIPS)):
        whole = shape[0] @ scipy.special.ndtr((across[:, None] - GRID) / width) * step + 1e-300
        density = shape[1][:, :, None] * scipy.special.ndtr((weak[:, None] - GRID) / width) / whole[:, None, :]
        parts = [
            np.log((1 - strange) * density + strange * even).sum(axis=1) + slopes[:, None] + math.log(weight)
            for strange, weight in zip(STRANGE_SHARES.tolist(), STRANGE_WEIGHTS.tolist(), strict=True)
        ]
        logs[row] += scipy.special.logsumexp(parts, axis=(0, 1))
    return logs


def _through(kernel: Reals, logs: Reals) -> Reals:
    """(W, G) logarithms of what a kernel makes of each row."""
    top = logs.max(axis=1, keepdims=True)
    summed: Reals = np.log(np.exp(logs - top) @ kernel.T + 1e-300) + top
    return summed


def _normal(x: Reals, deviation: float) -> Reals:
    density: Reals = np.exp(-0.5 * np.square(x / deviation))
    return density


def _quantiles(logs: Reals, at: Reals) -> Reals:
    density = np.exp(logs - logs.max())
    below = np.cumsum(density) - density / 2
    found: Reals = np.interp(at, below / density.sum(), GRID)
    return found


def _falling(logs: Reals) -> Reals:
    """Each column made to fall, between the least so far and the most still to come."""
    least = np.minimum.accumulate(logs, axis=0)
    most: Reals = np.maximum.accumulate(logs[::-1], axis=0)[::-1]
    return (least + most) / 2


def _interval(logs: Reals) -> tuple[float, float]:
    """Ends of the interval, in natural logarithm: the widest of those of each width that may well be."""
    by_width = scipy.special.logsumexp(logs, axis=1)
    believed = np.exp(by_width - scipy.special.logsumexp(by_width)) >= COUNTS_FROM
    tails = np.array([(1 - CONFIDENCE) / 2, (1 + CONFIDENCE) / 2])
    ends = np.array([_quantiles(row, tails) for row in logs[believed]])
    return float(ends[:, 0].min()), float(ends[:, 1].max())
