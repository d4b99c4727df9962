"""The one door for plain values from outside: times that a camera can have, and numbers within bounds."""

from __future__ import annotations

import math
from datetime import UTC, datetime

from guardia.core.base.errors import InvalidValue

EARLIEST_S = datetime(1970, 1, 1, tzinfo=UTC).timestamp() - 2 * 86_400.0
LATEST_S = datetime(2100, 1, 1, tzinfo=UTC).timestamp()
"""Moments lie between these, POSIX seconds: a clock without a date begins in 1970, in whatever zone."""

LONGEST_CLIP_S = 31 * 86_400.0


def number(value: object, low: float, high: float, what: str) -> float:
    """A finite number within bounds; raises InvalidValue, naming `what`, for anything else."""
    if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
        shown = repr(value)[:40]
        raise InvalidValue(f"{what} cannot be {shown}.", do=f"It must be a number from {low:g} to {high:g}.")
    return float(value)


def is_moment(value: object) -> bool:
    """Whether it is a moment that a camera's clock can show, POSIX seconds."""
    return isinstance(value, int | float) and not isinstance(value, bool) and EARLIEST_S <= value < LATEST_S


def moment(value: object, what: str = "A date") -> float:
    """A moment that a camera's clock can show, POSIX seconds; raises InvalidValue for anything else."""
    if not isinstance(value, int | float) or not is_moment(value):
        raise InvalidValue(f"{what} cannot be {_shown(value)}.", do="Dates from 1970 to 2099 can be used.")
    return float(value)


def _shown(value: object) -> str:
    """A moment out of range as people write it, where it is one at all."""
    if isinstance(value, int | float) and math.isfinite(value) and abs(value) < 2.5e11:
        return f"{datetime.fromtimestamp(value, UTC):%Y-%m-%d}" if value > 0 else f"{value:.0f}"
    return repr(value)[:40]
