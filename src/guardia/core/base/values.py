"""The one door for plain values from outside: times that a camera can have, and numbers within bounds."""

from __future__ import annotations

import math
from datetime import UTC, datetime
from unicodedata import category

from guardia.core.base.errors import InvalidValue

EARLIEST_S = datetime(1970, 1, 1, tzinfo=UTC).timestamp() - 2 * 86_400.0
LATEST_S = datetime(2100, 1, 1, tzinfo=UTC).timestamp()
"""Moments lie between these, POSIX seconds: a clock without a date begins in 1970, in whatever zone."""

LONGEST_CLIP_S = 31 * 86_400.0
LONGEST_NAME = 100
LONGEST_TEXT = 2000

_NO_TEXT = ("Cc", "Cs", "Zl", "Zp")
_TURNS = "\u202a\u202b\u202c\u202d\u202e\u2066\u2067\u2068\u2069"


def number(value: object, low: float, high: float, what: str) -> float:
    """A finite number within bounds; raises InvalidValue, naming `what`, for anything else."""
    if isinstance(value, bool) or not isinstance(value, int | float) or not low <= value <= high:
        shown = repr(value)[:40]
        raise InvalidValue(f"{what} cannot be {shown}.", do=f"It must be a number from {low:g} to {high:g}.")
    return float(value)


def one_line(text: str, what: str, *, most: int = LONGEST_NAME) -> str:
    """A name: one line of letters, digits and signs that can be printed, without spaces at its ends.

    Args:
        text: As it was given.
        what: What it is, for the message: "A camera's name".
        most: Letters it may have.

    Returns:
        The name.

    Raises:
        InvalidValue: If it is empty, too long, or holds what no line of text can hold.
    """
    name = plain_text(text, what, most=most).strip()
    if "\n" in name or not any(c.isalnum() for c in name):
        raise InvalidValue(f"{what} cannot be {_shown(name)}.", do="It needs a letter or digit, all in one line.")
    return name


def plain_text(text: str, what: str, *, most: int = LONGEST_TEXT) -> str:
    """A text of one or more lines; raises InvalidValue, naming `what`, where it holds what no text can hold."""
    if len(text) > most:
        raise InvalidValue(f"{what} has {len(text)} characters.", do=f"At most {most} are kept.")
    # Cc: control characters; Cs: halves of letters, as names of files in another encoding leave them; Cf that turn
    # the direction of writing would show another name than the one that is kept.
    if wrong := next((c for c in text if c != "\n" and (category(c) in _NO_TEXT or c in _TURNS)), None):
        raise InvalidValue(f"{what} cannot hold the character U+{ord(wrong):04X}.", do="Type it again without it.")
    return text


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
