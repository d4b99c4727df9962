"""What was read off a camera or a store on some date, and typed in."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, NamedTuple

from guardia.core.base.errors import InvalidValue
from guardia.core.base.values import moment


class Measure(StrEnum):
    """What was read."""

    ALERT_DELAY = "alert delay"
    BATTERY = "battery"
    BATTERY_2 = "second battery pack"
    TEMPERATURE = "temperature"
    DATA_USED = "data used"
    SIGNAL = "signal"
    SUPPLY = "supply voltage"
    USED = "used space"
    FREE = "free space"
    HEALTHY = "healthy"
    NOT_FORMATTED = "not formatted"
    FAILED = "failed"
    MISSING = "missing"
    CLOCK = "clock offset"
    SEEN_RECORDING = "seen recording"
    LENS_CLEANED = "lens cleaned"


class Range(NamedTuple):
    """Unit and bounds of a measure."""

    unit: str
    """Its unit."""
    low: float
    """Least value."""
    high: float
    """Greatest value."""


RANGES: dict[Measure, Range] = {
    Measure.ALERT_DELAY: Range("s", 0.0, 3600.0),
    Measure.BATTERY: Range("%", 0.0, 100.0),
    Measure.BATTERY_2: Range("%", 0.0, 100.0),
    Measure.TEMPERATURE: Range("°C", -60.0, 90.0),
    Measure.DATA_USED: Range("GB", 0.0, 1e6),
    Measure.SIGNAL: Range("dBm", -130.0, 0.0),
    Measure.SUPPLY: Range("V", 0.0, 60.0),
    Measure.USED: Range("GB", 0.0, 1e6),
    Measure.FREE: Range("GB", 0.0, 1e6),
    Measure.CLOCK: Range("s", -1e6, 1e6),
}
"""What has a value; the others are states."""

STATES = (Measure.HEALTHY, Measure.NOT_FORMATTED, Measure.FAILED, Measure.MISSING)
"""States of a store."""

SEEN = (Measure.SEEN_RECORDING, Measure.LENS_CLEANED)
"""What is seen or done at a camera, without a value."""


@dataclass(frozen=True)
class Reading:
    """One reading."""

    at_s: float
    """When, POSIX seconds."""
    what: Measure
    """What was read."""
    value: float | None = None
    """In the measure's unit; None for a state, and for an alert that never came."""

    def __post_init__(self) -> None:
        bounds = RANGES.get(self.what)
        nothing = self.value is None and (bounds is None or self.what is Measure.ALERT_DELAY)
        moment(self.at_s, f"The date of a reading of '{self.what}'")
        if bounds is None and self.value is not None:
            raise InvalidValue(f"A reading of '{self.what}' cannot have that value.")
        if nothing or bounds is None:
            return
        if self.value is None or not bounds.low <= self.value <= bounds.high:
            raise InvalidValue(
                f"The {self.what} cannot be {self.value} {bounds.unit}.",
                kept="The reading was not kept.",
                do=f"Enter {bounds.low:g} to {bounds.high:g} {bounds.unit}.",
            )


@dataclass(frozen=True)
class AlertDelay:
    """How late alerts come, by tests."""

    median_s: float
    """Median of those that came, seconds."""
    low_s: float
    """Lower end of its interval (90 %); the shortest where there are too few tests for one."""
    high_s: float
    """Upper end, likewise."""
    came: int
    """How many came."""
    never: int
    """How many did not."""


def alert_delay(readings: tuple[Reading, ...]) -> AlertDelay | None:
    """The delay from trigger to phone over all tests; None without one that came.

    The interval of the median is that of the order statistics (binomial, no assumption on the distribution), as
    scipy.stats.quantile_test gives it.
    """
    from scipy.stats import quantile_test

    tests = [r.value for r in readings if r.what is Measure.ALERT_DELAY]
    came = sorted(value for value in tests if value is not None)
    if not came:
        return None
    median_test = quantile_test(came, p=0.5)
    interval: Any = median_test.confidence_interval(confidence_level=0.9)
    low, high = float(interval.low), float(interval.high)  # infinite where there are too few tests
    low, high = (low if math.isfinite(low) else came[0]), (high if math.isfinite(high) else came[-1])
    middle = len(came) // 2
    median = came[middle] if len(came) % 2 else (came[middle - 1] + came[middle]) / 2
    return AlertDelay(median, low, high, len(came), len(tests) - len(came))
