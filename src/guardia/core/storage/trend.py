"""Readings over time: their trend, the level at which something must be done, and about when it is reached."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from guardia.core.storage.battery import since_charge
from guardia.core.storage.rates import line_deviation
from guardia.core.storage.readings import Measure, Reading
from guardia.core.storage.rules import StorageRules

DAY_S = 86400.0
LEAST_FOR_FORECAST = 4
"""A line through three readings forecasts nothing that could be relied on (common practice, no source)."""


class Threshold(NamedTuple):
    """A level at which something must be done."""

    level: float
    """In the measure's unit."""
    falling: bool
    """It is reached from above."""
    why: str
    """What happens there."""


_THRESHOLDS: dict[Measure, Threshold] = {
    Measure.BATTERY: Threshold(20.0, True, "charge it: cold takes the rest"),
    Measure.BATTERY_2: Threshold(20.0, True, "charge it: cold takes the rest"),
    Measure.SIGNAL: Threshold(-80.0, True, "a weaker signal loses pictures"),
    Measure.SIGNAL_SHOWN: Threshold(34.0, True, "a weaker signal loses pictures"),
    Measure.TEMPERATURE: Threshold(50.0, False, "most cameras are rated to this"),
    Measure.FREE: Threshold(0.0, True, "the store is full"),
}
MOBILE = Threshold(-110.0, True, "at the edge of the mobile network's cell")
SUPPLY_SHARE = 0.92
"""A camera may restart below this share of its nominal voltage. All of this is common practice without a source."""


def threshold_of(what: Measure, rules: StorageRules, facts: Mapping[str, float]) -> Threshold | None:
    """The level at which something must be done about a measure of a camera.

    Args:
        what: The measure.
        rules: Of its make.
        facts: Typed in of the camera: 'supply' is its nominal voltage, which goes before that of the make.

    Returns:
        None where there is none, or nobody said what the camera is fed with.
    """
    if what is Measure.SUPPLY:
        volts = facts.get("supply", rules.supply_v)
        why = f"a {volts:g} V camera may restart below"
        return Threshold(round(SUPPLY_SHARE * volts, 1), True, why) if volts else None
    return MOBILE if what is Measure.SIGNAL and rules.mobile else _THRESHOLDS.get(what)


@dataclass(frozen=True)
class Trend:
    """What the readings of one measure tell."""

    what: Measure
    """The measure."""
    last: float
    """The latest value."""
    last_s: float
    """When it was read, POSIX seconds."""
    count: int
    """Readings that the line goes through."""
    threshold: Threshold | None = None
    """The level at which something must be done."""
    per_day: float | None = None
    """Slope of the line in the unit a day; None for fewer than two readings."""
    reached_s: float | None = None
    """When the threshold is reached by the line, POSIX seconds; None where it is not, or lies in the past."""
    earliest_s: float | None = None
    """Lower end of the interval (90 %) of that; None where the readings exclude nothing."""
    latest_s: float | None = None
    """Upper end; None where it may never be reached."""


def trend_of(readings: Sequence[Reading], what: Measure, threshold: Threshold | None) -> Trend | None:
    """The trend of one measure.

    Args:
        readings: In order of time.
        what: The measure.
        threshold: What must not be reached; None where nothing is known to be the matter.

    Returns:
        By least squares, of a battery since it was charged last. The moment at which the line meets the threshold has
        the interval of E. C. Fieller (1954): all moments at which the line's own interval (Student, 90 %) holds the
        threshold. None without a reading.
    """
    own = since_charge(readings, what) if what in (Measure.BATTERY, Measure.BATTERY_2) else [
        r for r in readings if r.what is what and r.value is not None
    ]  # fmt: skip
    if not own:
        return None
    last, last_s = float(own[-1].value or 0.0), own[-1].at_s
    days = np.array([(r.at_s - own[0].at_s) / DAY_S for r in own])
    if len(own) < 2 or days[-1] <= 0:
        return Trend(what, last, last_s, len(own), threshold)
    values = np.array([float(r.value or 0.0) for r in own])
    slope, level = (float(v) for v in np.polyfit(days, values, 1))
    towards = threshold is not None and slope != 0 and (slope < 0) is threshold.falling
    if threshold is None or not towards or len(own) < LEAST_FOR_FORECAST:
        return Trend(what, last, last_s, len(own), threshold, slope)
    at = (threshold.level - level) / slope
    low, high = _fieller(days, values, slope, level, threshold.level)
    moments = [None if not math.isfinite(d) else own[0].at_s + d * DAY_S for d in (at, low, high)]
    return Trend(what, last, last_s, len(own), threshold, slope, *moments)


def _fieller(
    days: np.ndarray[tuple[int], np.dtype[np.float64]],
    values: np.ndarray[tuple[int], np.dtype[np.float64]],
    slope: float,
    level: float,
    threshold: float,
) -> tuple[float, float]:
    """Days at which the line's interval holds a level; infinite ends where the slope is not told from 0."""
    count, middle = len(days), float(days.mean())
    spread = float(((days - middle) ** 2).sum())
    residual = values - level - slope * days
    t2 = line_deviation(residual, count - 2, values.tolist()) ** 2
    # (mean + slope (x - middle) - threshold)^2 = t2 (1 / count + (x - middle)^2 / spread)
    gap = float(values.mean()) - threshold
    a, b, c = slope**2 - t2 / spread, 2 * slope * gap, gap**2 - t2 / count
    root = b * b - 4 * a * c
    if a <= 0 or root < 0:
        return -math.inf, math.inf
    ends = sorted(((-b - math.sqrt(root)) / (2 * a), (-b + math.sqrt(root)) / (2 * a)))
    return middle + ends[0], middle + ends[1]
