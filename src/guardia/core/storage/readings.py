"""What was read off a camera or a store on some date, and typed in."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, NamedTuple

import scipy

from guardia.core.base.errors import InvalidValue
from guardia.core.base.values import moment
from guardia.core.base.words import count_of


class Measure(StrEnum):
    """What was read."""

    ALERT_DELAY = "alert delay"
    BATTERY = "battery"
    BATTERY_2 = "second battery pack"
    TEMPERATURE = "temperature"
    DATA_USED = "data used"
    SIGNAL = "signal"
    SIGNAL_SHOWN = "signal as shown"
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
    Measure.SIGNAL_SHOWN: Range("%", 0.0, 100.0),
    Measure.SUPPLY: Range("V", 0.0, 60.0),
    Measure.USED: Range("GB", 0.0, 1e6),
    Measure.FREE: Range("GB", 0.0, 1e6),
    Measure.CLOCK: Range("s", -1e6, 1e6),
}
"""What has a value; the others are states."""

STATES = (Measure.HEALTHY, Measure.NOT_FORMATTED, Measure.FAILED, Measure.MISSING)
"""States of a store."""

SIGNALS = (Measure.SIGNAL, Measure.SIGNAL_SHOWN)
"""Signal, as devices show it."""

OF_STORE = (Measure.USED, Measure.FREE)
"""Space of a store."""

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
    shown: str = field(default="", compare=False)
    """As the device showed it, where that is no number in the unit, such as '3 of 4 bars' or 'good'; the same reading
    however it was shown."""

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

    @property
    def words(self) -> str:
        """Its value, as the device showed it; 'none came' and nothing where it has none."""
        if self.value is None:
            return "none came" if self.what in RANGES else ""
        return self.shown or f"{self.value:g} {RANGES[self.what].unit}"


SIGNAL_WORDS = {
    "excellent": 100.0, "very good": 90.0, "good": 75.0, "fair": 50.0, "medium": 50.0, "weak": 25.0, "poor": 25.0,
    "none": 0.0, "no signal": 0.0, "green": 100.0, "yellow": 50.0, "orange": 35.0, "red": 15.0,
}  # fmt: skip
"""Signal as devices show it in a word or a colour, per cent (common practice, no source)."""

UNIT_GB = {"GB": 1.0, "GiB": 2**30 / 1e9, "MB": 1e-3, "MiB": 2**20 / 1e9, "TB": 1e3, "TiB": 2**40 / 1e9}
"""Gigabytes of 10^9 bytes in the units in which devices show space."""

_BARS = re.compile(r"(\d+)\s*(?:/|of)\s*(\d+)(?:\s*bars?)?", re.IGNORECASE)
_FAHRENHEIT = re.compile(r"([-+]?\d+(?:\.\d+)?)\s*°?\s*F", re.IGNORECASE)
_SPACE = re.compile(rf"([-+.\d]+)\s*({'|'.join(UNIT_GB)})", re.IGNORECASE)


def value_shown(what: Measure, text: str) -> tuple[Measure, float, str]:
    """A value as a device shows it.

    Args:
        what: What was read.
        text: A number in the measure's unit, with a point or a comma; of signal also bars such as '3 of 4' or '3/4', a
            word, a colour or per cent; of temperature also '98 °F'; of space and data also with its unit, such as
            '58 GiB'.

    Returns:
        The measure that it is a value of, the value in its unit, and as it was shown where that is no number in it.

    Raises:
        InvalidValue: If it is none of that.
    """
    plain = " ".join(text.replace(",", ".").split())
    if what in SIGNALS:
        bars = _BARS.fullmatch(plain)
        if bars is not None and 0 <= int(bars[1]) <= int(bars[2]) > 0:
            return Measure.SIGNAL_SHOWN, 100.0 * int(bars[1]) / int(bars[2]), f"{bars[1]} of {bars[2]} bars"
        if plain.lower() in SIGNAL_WORDS:
            return Measure.SIGNAL_SHOWN, SIGNAL_WORDS[plain.lower()], plain.lower()
        if plain.endswith("%"):
            what, plain = Measure.SIGNAL_SHOWN, plain[:-1]
    if what is Measure.TEMPERATURE and (shown := _FAHRENHEIT.fullmatch(plain)) is not None:
        return what, (float(shown[1]) - 32) / 1.8, f"{shown[1]} °F"
    space = _SPACE.fullmatch(plain) if RANGES[what].unit == "GB" else None
    factor, as_shown = 1.0, ""
    if space is not None:
        plain = space[1]
        unit, factor = next((unit, gb) for unit, gb in UNIT_GB.items() if unit.lower() == space[2].lower())
        as_shown = f"{plain} {unit}" if unit != "GB" else ""
    try:
        return what, float(plain) * factor, as_shown
    except ValueError as error:
        ways = ", or as it is shown: 3/4 bars, good, yellow, 60 %" if what is Measure.SIGNAL else ""
        raise InvalidValue(
            f"{what.capitalize()}: '{text}' is no number.", kept="Nothing was kept.",
            do=f"Write it in {RANGES[what].unit}{ways}.",
        ) from error  # fmt: skip


@dataclass(frozen=True)
class AlertDelay:
    """How late alerts come, by tests; one that never came is later than any that did."""

    median_s: float
    """Median of all tests, seconds; infinite where at least half never came."""
    low_s: float
    """Lower end of its interval (90 %); the shortest where there are too few tests for one."""
    high_s: float
    """Upper end, likewise."""
    came: int
    """How many came."""
    never: int
    """How many did not."""

    @property
    def words(self) -> str:
        """What the tests say, in a sentence."""
        tests = count_of(self.came + self.never, "test")
        if not math.isfinite(self.median_s):
            return f"{self.never} of {tests} never came: alerts of this camera cannot be relied on."
        ends = [f"{self.low_s:.0f}", f"{self.high_s:.0f} s" if math.isfinite(self.high_s) else "never"]
        never = f"; {self.never} never came" if self.never else ""
        return f"From trigger to phone, measured: {self.median_s:.0f} s ({' to '.join(ends)}, {tests}{never})."


def alert_delay(readings: tuple[Reading, ...]) -> AlertDelay | None:
    """The delay from trigger to phone over all tests; None without one.

    The interval of the median is that of the order statistics (binomial, no assumption on the distribution), as
    scipy.stats.quantile_test gives it.
    """
    tests = sorted(math.inf if r.value is None else r.value for r in readings if r.what is Measure.ALERT_DELAY)
    if not tests:
        return None

    came = sum(math.isfinite(value) for value in tests)
    # Its ends are places among the tests, which are numbered first: some of them are infinite.
    interval: Any = scipy.stats.quantile_test(range(len(tests)), p=0.5).confidence_interval(confidence_level=0.9)
    low, high = (tests[int(end)] if math.isfinite(end) else tests[edge] for end, edge in
                 ((interval.low, 0), (interval.high, -1)))  # fmt: skip
    middle = (tests[(len(tests) - 1) // 2] + tests[len(tests) // 2]) / 2
    return AlertDelay(middle, low, high, came, len(tests) - came)
