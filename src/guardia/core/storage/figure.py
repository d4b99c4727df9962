"""Figures with a band, the numbers they were worked out from, and where each of those came from."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum

LONG_DAYS = 3652.0
"""What lasts longer is not worth a number: no medium does."""

LONG_WORDS = "over 10 years"


class Source(StrEnum):
    """Where a number came from."""

    MEASURED = "measured"
    TYPED = "typed"
    ASSUMED = "assumed"


@dataclass(frozen=True)
class Figure:
    """One number with its band, and how it came about."""

    name: str
    """What it is, in words."""
    value: float
    """The number."""
    low: float
    """Lower end of its band (90 %)."""
    high: float
    """Upper end."""
    unit: str
    """Its unit."""
    source: Source
    """Where it came from; of what is worked out, the weakest of its parts."""
    how: str = ""
    """The formula in words, or where it was measured."""
    parts: tuple[Figure, ...] = ()
    """What it was worked out from."""
    fact: str = ""
    """Id of the fact that would correct it, empty where there is none."""

    @property
    def words(self) -> str:
        """The number with its unit, and its band where it has one."""
        unit = f" {self.unit}" if self.unit else ""
        if not math.isfinite(self.value):
            return short(self.value)
        if self.unit == "days" and self.value > LONG_DAYS:
            return LONG_WORDS
        if self.low == self.high:
            return f"{short(self.value)}{unit}"
        high = LONG_WORDS if self.unit == "days" and self.high > LONG_DAYS else short(self.high)
        return f"{short(self.value)}{unit} ({short(self.low)} to {high})"


def days_words(days: float) -> str:
    """Days in a few words."""
    return LONG_WORDS if LONG_DAYS < days < math.inf else f"{short(days)} days"


def short(value: float) -> str:
    """A number with three figures at most, no trailing zeros."""
    if not math.isfinite(value):
        return "without end" if value > 0 else "none"
    if abs(value) >= 100:
        return f"{value:.0f}"
    text = f"{value:.1f}" if abs(value) >= 10 else f"{value:.2f}"
    return text.rstrip("0").rstrip(".") or "0"


def exactly(name: str, value: float, unit: str, source: Source = Source.TYPED, how: str = "", fact: str = "") -> Figure:
    """A number without a band."""
    return Figure(name, value, value, value, unit, source, how, (), fact)


_WEAK = (Source.MEASURED, Source.TYPED, Source.ASSUMED)


def _weakest(parts: tuple[Figure, ...]) -> Source:
    return max((p.source for p in parts), key=_WEAK.index)


def total(name: str, unit: str, *parts: Figure, how: str = "") -> Figure:
    """A sum; deviations of its parts are taken as independent, so their squares add up."""
    value = sum(p.value for p in parts)
    below = math.hypot(*(p.value - p.low for p in parts))
    above = math.hypot(*(p.high - p.value for p in parts))
    how = how or " + ".join(f"{short(p.value)} {p.unit} {p.name}" for p in parts)
    return Figure(name, value, value - below, value + above, unit, _weakest(parts), how, parts)


def product(name: str, unit: str, *parts: Figure, factor: float = 1.0, how: str = "") -> Figure:
    """A product of numbers that are not negative, times a constant for its unit; as total(), but by ratios."""
    value = math.prod(p.value for p in parts) * factor
    below = math.hypot(*(_log_ratio(p.value, p.low) for p in parts))
    above = math.hypot(*(_log_ratio(p.high, p.value) for p in parts))
    how = how or " x ".join(f"{short(p.value)} {p.unit} {p.name}".replace("  ", " ") for p in parts)
    return Figure(name, value, value * math.exp(-below), value * _exp(above), unit, _weakest(parts), how, parts)


def ratio(name: str, unit: str, above: Figure, below: Figure, *, factor: float = 1.0, how: str = "") -> Figure:
    """A quotient of numbers that are not negative; without end where nothing is divided by."""
    how = how or f"{short(above.value)} {above.unit} {above.name} / {short(below.value)} {below.unit} {below.name}"
    parts = (above, below)
    if below.value <= 0:
        return Figure(name, math.inf, math.inf, math.inf, unit, _weakest(parts), how, parts)
    value = above.value / below.value * factor
    less = math.hypot(_log_ratio(above.value, above.low), _log_ratio(below.high, below.value))
    more = math.hypot(_log_ratio(above.high, above.value), _log_ratio(below.value, below.low))
    return Figure(name, value, value * math.exp(-less), value * _exp(more), unit, _weakest(parts), how, parts)


def _log_ratio(high: float, low: float) -> float:
    if high <= 0:
        return 0.0
    return math.inf if low <= 0 else math.log(high / low)


def _exp(value: float) -> float:
    return math.exp(value) if value < 700 else math.inf


def with_name(figure: Figure, name: str, change: Callable[[float], float] = lambda v: v) -> Figure:
    """The same figure under another name, each of its three numbers changed."""
    ends = (change(figure.low), change(figure.high))
    return Figure(
        name, change(figure.value), min(ends), max(ends), figure.unit, figure.source, figure.how, figure.parts,
        figure.fact,
    )  # fmt: skip
