"""What each notch of this very camera means: its true size threshold, from what triggered and what did not.

Each notch has a factor by which its true threshold differs from the make's nominal one. What is seen of it are pairs:
by how much something passed the nominal threshold, and whether the camera triggered. The chance to trigger rises from
0 to 1 around the true threshold as a normal distribution function of the logarithm (a psychometric curve: D. Finney,
Probit Analysis, 1971). Notches of one camera are likely off alike: a common factor and a small one of each notch's own,
with normal priors as wide as the make's band. Everything is summed over a grid, so nothing can fail to converge.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.special import ndtr

from guardia.core.evidence.clips import Clip, Origin
from guardia.core.evidence.events import EVENT_TOLERANCE_S
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability, Notch
from guardia.core.make.settings import Settings
from guardia.core.replay.replay import motion_under
from guardia.core.score.candidates import Scorer
from guardia.core.tuning.trials import lasting_sizes

OWN_SPREAD = 0.12
"""Standard deviation of a notch's own factor beside the common one, in natural logarithm (no source)."""

WIDTHS = (0.05, 0.1, 0.2, 0.35)
"""How gradual the curve may be, standard deviations in natural logarithm; all are taken into account."""

LAPSE = 0.02
"""Share of answers that have another cause than the size (no source)."""

WELL_KNOWN = 1.25
"""A notch whose interval ends lie no farther apart than this ratio needs no further walk (no source)."""

CONFIDENCE = 0.95
_GRID = np.linspace(-1.6, 1.6, 161)


class Seen(NamedTuple):
    """One thing that moved while a notch was set."""

    notch: str
    """The make's word for it."""
    strength: float
    """Its lasting size over the notch's nominal threshold."""
    triggered: bool
    """Whether the camera triggered."""


@dataclass(frozen=True)
class NotchScale:
    """What a notch means on this camera."""

    label: str
    """The make's word for it."""
    factor: float
    """True threshold over nominal, the middle of what is believed."""
    low: float
    """Lower end of the interval of the factor (95 %)."""
    high: float
    """Its upper end."""
    seen: int
    """How many things told of this very notch."""


def seen_by(evidence: Evidence, capability: Capability) -> list[Seen]:
    """What the evidence tells of the notches.

    Every motion clip triggered under the settings of then. Footage and walk tests tell both ways, but only on a camera
    whose lists or motion clips show that it went on looking meanwhile. Walks entered by hand tell by what the view says
    of a walking adult at that distance.

    Args:
        evidence: Clips, events, settings by date.
        capability: The make.

    Returns:
        Motion clips, then footage, then walks, each in order of time.
    """
    listed = [(e.at_s - EVENT_TOLERANCE_S, e.at_s + (e.duration_s or 0.0) + EVENT_TOLERANCE_S) for e in evidence.events]
    listed += [(c.start_s, c.end_s) for c in evidence.clips if c.by_motion]
    footage = {c.id for c in evidence.clips if c.origin in (Origin.CONTINUOUS, Origin.WALK_TEST)}
    looked = any(a < c.end_s and c.start_s < b for c in evidence.clips if c.id in footage for a, b in listed)
    strengths = _Strengths(evidence, capability)
    seen = []
    for clip in evidence.motion_clips:
        settings = _telling(evidence, clip)
        if settings is not None and (strength := strengths.of_clip(clip, settings)) > 0:
            seen.append(Seen(_notch_in(settings, clip), strength, True))
    for place, (index, begin, end) in enumerate(evidence.spans if looked else ()):
        clip = evidence.clips[index]
        settings = _telling(evidence, clip)
        if clip.id in footage and settings is not None and (strength := strengths.of(place, settings)) > 0:
            seen.append(Seen(_notch_in(settings, clip), strength, any(a < end and begin < b for a, b in listed)))
    seen += [Seen(w.notch, w.strength, w.triggered) for w in evidence.walks if w.notch and w.strength]
    return seen


def _telling(evidence: Evidence, clip: Clip) -> Settings | None:
    """The settings in force, where they name a notch and could trigger."""
    settings = evidence.settings_of(clip)
    triggers = settings is not None and settings.detection.sensitivity is None and settings.detection.detection_on
    return settings if triggers else None


def _notch_in(settings: Settings, clip: Clip) -> str:
    """The notch in force in a clip's light."""
    return settings.in_light(dark=clip.dark).detection.notch


class _Strengths:
    """Lasting sizes over the size needed, by settings."""

    def __init__(self, evidence: Evidence, capability: Capability) -> None:
        self._evidence, self._capability = evidence, capability
        self._known: dict[Settings, NDArray[np.float64]] = {}

    def of(self, place: int, settings: Settings) -> float:
        """The largest of one occurrence."""
        return self._largest(settings, *self._evidence.windows[place].tolist())

    def of_clip(self, clip: Clip, settings: Settings) -> float:
        """The largest of a whole clip."""
        starts, index = self._evidence.stack.clip_start, self._evidence.clip_index[clip.id]
        return self._largest(settings, int(starts[index]), int(starts[index + 1]))

    def _largest(self, settings: Settings, low: int, high: int) -> float:
        if settings not in self._known:
            motion = motion_under(self._evidence, Candidate(settings, self._capability))
            lasting = lasting_sizes(self._evidence.stack, motion.sizes, settings.detection.hold_s)
            self._known[settings] = lasting / motion.needed
        return float(self._known[settings][low:high].max(initial=0.0))


def calibrate_scale(seen: Sequence[Seen], capability: Capability) -> tuple[NotchScale, ...]:
    """The factor of every notch with its interval.

    Args:
        seen: From seen_by(), or from walk tests; with none the make's own band comes out.
        capability: The make.

    Returns:
        One for each notch, from the least sensitive; thresholds fall from notch to notch.
    """
    from scipy.optimize import isotonic_regression  # slow to import, and needed only here

    notches = capability.notches
    spread = [math.log(n.size_high / n.size_low) / (2 * 1.645) for n in notches]
    common = _normal(_GRID, math.sqrt(max(float(np.mean(np.square(spread))) - OWN_SPREAD**2, 0.05**2)))
    likely = {n.label: _likelihood([s for s in seen if s.notch == n.label]) for n in notches}
    # What each notch's own evidence says of the common factor: its own factor summed away.
    kernel = _normal(_GRID[:, None] - _GRID[None, :], OWN_SPREAD)
    message = {label: kernel @ likelihood for label, likelihood in likely.items()}
    scales = []
    for notch in notches:
        messages = [m / m.max() for label, m in message.items() if label != notch.label]
        others = np.prod(messages, axis=0) if messages else np.ones_like(_GRID)
        posterior = likely[notch.label] * (kernel.T @ (common * others))
        middle, low, high = _quantiles(posterior)
        count = sum(s.notch == notch.label for s in seen)
        scales.append(NotchScale(notch.label, math.exp(middle), math.exp(low), math.exp(high), count))
    sizes = [math.log(n.size * s.factor) for n, s in zip(notches, scales, strict=True)]
    falling = isotonic_regression(sizes, increasing=False).x
    return tuple(_moved(s, math.exp(at) / n.size) for n, s, at in zip(notches, scales, falling.tolist(), strict=True))


def _moved(scale: NotchScale, factor: float) -> NotchScale:
    return replace(scale, factor=factor, low=min(scale.low, factor), high=max(scale.high, factor))


def chance(strength: NDArray[np.float64], factor: float, *, width: float) -> NDArray[np.float64]:
    """Chance that something triggers whose lasting size is `strength` times the nominal threshold."""
    with np.errstate(divide="ignore"):
        rising = ndtr((np.log(strength) - math.log(factor)) / width)
    curve: NDArray[np.float64] = LAPSE + (1 - 2 * LAPSE) * rising
    return curve


def _likelihood(seen: Sequence[Seen]) -> NDArray[np.float64]:
    """Of each factor on the grid, the width of the curve summed away."""
    if not seen:
        return np.ones_like(_GRID)
    x = np.log([s.strength for s in seen])
    triggered = np.array([s.triggered for s in seen])
    logs = []
    for width in WIDTHS:
        passes = LAPSE + (1 - 2 * LAPSE) * ndtr((x[None, :] - _GRID[:, None]) / width)
        logs.append(np.log(np.where(triggered, passes, 1.0 - passes)).sum(axis=1))
    top = max(log.max() for log in logs)
    likelihood: NDArray[np.float64] = np.exp(np.array(logs) - top).sum(axis=0)
    return likelihood


def _normal(x: NDArray[np.float64], deviation: float) -> NDArray[np.float64]:
    density: NDArray[np.float64] = np.exp(-0.5 * np.square(x / deviation))
    return density


def _quantiles(density: NDArray[np.float64]) -> tuple[float, float, float]:
    """Median and the ends of the interval."""
    below = np.cumsum(density)
    at = np.interp([0.5, (1 - CONFIDENCE) / 2, (1 + CONFIDENCE) / 2], below / below[-1], _GRID)
    return float(at[0]), float(at[1]), float(at[2])


def telling_walk(scale: NotchScale, *, at_m: float | None = None) -> str:
    """Which walk test would tell most of a notch, in a sentence.

    Args:
        scale: What is known of the notch.
        at_m: Where somebody who crosses the view triggers in half of the cases, metres ahead of the camera; None where
            the view does not tell it.

    Returns:
        Notch, way and distance; that another walk would tell little where the notch is well known.
    """
    span = scale.high / scale.low
    if span < WELL_KNOWN:
        return f"Notch {scale.label} is known to {span - 1:.0%}: another walk test would tell little."
    size = f"where a person is about {scale.factor:.1f} times the nominal size"
    where = f"about {at_m:.0f} m ahead, {size}" if at_m is not None else f"{size} (View, calibrated, tells how far)"
    return (
        f"To narrow it, walk across the view at notch {scale.label}, {where}, several times, a little nearer and a "
        "little farther."
    )


def at_ends(chosen: Candidate, scales: Sequence[NotchScale]) -> tuple[Candidate, Candidate] | None:
    """Settings with the thresholds that their notches have at the low and the high end of what is believed of them.

    Args:
        chosen: Settings and the make.
        scales: What the notches mean on this camera; the make's own bands when empty.

    Returns:
        None where the sensitivity is given directly, so that no notch is in doubt.
    """
    make = chosen.capability
    if chosen.settings.detection.sensitivity is not None:
        return None
    known = {s.label: s for s in scales}
    ends = [(n.size * known[n.label].low, n.size * known[n.label].high) if n.label in known
            else (n.size_low, n.size_high) for n in make.notches]  # fmt: skip
    low, high = (
        replace(chosen, capability=replace(make, notches=tuple(map(_at, make.notches, sizes))))
        for sizes in zip(*ends, strict=True)
    )
    return low, high


def _at(notch: Notch, size: float) -> Notch:
    """A notch with a threshold that is known."""
    size = min(1.0, size)
    return replace(notch, size=size, size_low=size, size_high=size)


def scale_words(evidence: Evidence, candidate: Candidate, scales: Sequence[NotchScale], scorer: Scorer) -> str:
    """What settings record and miss as far as this camera's scale is known; empty where no level is set.

    Args:
        evidence: Clips and judged occurrences.
        candidate: The settings and their make.
        scales: From calibrate_scale().
        scorer: Remembers what was replayed before.

    Returns:
        A sentence about the draft.
    """
    ends = at_ends(candidate, scales)
    if ends is None or not evidence.clips:
        return ""
    low, high = (scorer.score(evidence, scorer.replay(evidence, end)) for end in ends)
    false, missed = (
        str(a) if a == b else f"{min(a, b)} to {max(a, b)}"
        for a, b in (
            (len(high.false_recorded), len(low.false_recorded)), (len(low.real_missed), len(high.real_missed)),
        )
    )  # fmt: skip
    scale = "By this camera's own scale, as far as it is known,"
    return f"{scale} the draft records {false} false and misses {missed} real."
