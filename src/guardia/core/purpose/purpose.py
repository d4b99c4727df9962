"""What a camera is for, as somebody asked it: what must be recorded and alerted, and what that may cost."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, fields
from typing import Any

from pydantic import TypeAdapter

from guardia.core.base.errors import InvalidValue
from guardia.core.base.files import read_as
from guardia.core.base.values import moment
from guardia.core.base.words import sentence
from guardia.core.hours.plan import WeekPlan
from guardia.core.make.zones import polygon_problem
from guardia.core.purpose.judgement import KINDS, Verdict

REAL_KINDS = tuple(kind.id for kind in KINDS if kind.verdict is Verdict.REAL)
"""Ids of all kinds that can be asked for."""

STRANGERS = tuple(kind for kind in REAL_KINDS if kind != "expected")
"""Those that somebody wants to hear of where nobody said."""

Corners = tuple[tuple[float, float], ...]

FORMAT = "guardia-purpose"
VERSION = 1

SAME_PURPOSE_S = 12 * 3600.0
"""What a camera is for is said in several goes: within half a day they are one."""

LONGEST_S = 300.0
"""More time before or after an event, or until an alert, is asked of no camera."""

MOST_CORNERS = 64
MOST_PX_M = 2000.0
MOST_DAYS = 3660.0
MOST_A_DAY = 1000.0


@dataclass(frozen=True)
class Wanted:
    """What must be recorded, or alerted: of which kinds, when, where in the picture."""

    kinds: tuple[str, ...] = ()
    """Ids of kinds of judgement that are real; none where nothing is asked."""
    hours: WeekPlan | None = None
    """When; None for always."""
    in_part: bool = False
    """Only in the part of the picture that is drawn."""

    def __post_init__(self) -> None:
        if unknown := [kind for kind in self.kinds if kind not in REAL_KINDS]:
            raise InvalidValue(f"'{unknown[0]}' is no kind that can be asked for.", do=f"Use {', '.join(REAL_KINDS)}.")


@dataclass(frozen=True)
class Purpose:
    """What is asked of one camera. A number that is None, or 0 seconds, is not asked."""

    pattern: str = ""
    """Id of the pattern that it began from, empty for none."""
    area: Corners = ()
    """Corners (x, y) in 0..1 of the part of the picture that matters; none for all of it."""
    record: Wanted = Wanted()
    """What must be recorded."""
    before_s: float = 0.0
    """From how long before it begins, seconds."""
    after_s: float = 0.0
    """To how long after it ends, seconds."""
    px_m: float | None = None
    """How many pixels a metre must show at the far end of the part, px/m."""
    alert: Wanted = Wanted()
    """What must be alerted; what is real and not named here never needs an alert."""
    within_s: float | None = None
    """In how many seconds from its beginning."""
    false_alerts: float | None = None
    """At most so many false alerts a day."""
    keep_days: float | None = None
    """Footage is kept for at least so many days."""
    gone_days: float | None = None
    """Footage is gone after so many days."""
    charge_days: float | None = None
    """A charge lasts at least so many days."""
    data: bool = False
    """What is sent stays within the data allowance."""

    def __post_init__(self) -> None:
        problem = polygon_problem(self.area) if self.area else None
        if problem is not None or len(self.area) > MOST_CORNERS:
            raise InvalidValue(
                f"The part of the picture cannot be used: {problem or f'it has more than {MOST_CORNERS} corners'}",
                kept="What was asked before stays.",
            )
        for name, most in _MOST.items():
            value = getattr(self, name)
            if value is not None and not (math.isfinite(value) and 0 <= value <= most):
                raise InvalidValue(
                    f"{sentence(_PARTS[name])} cannot be {value:g}.", kept="What was asked before stays.",
                    do=f"Enter a number up to {most:g}, or leave it empty.",
                )  # fmt: skip
        if self.keep_days is not None and self.gone_days is not None and self.keep_days > self.gone_days:
            raise InvalidValue(
                f"Footage cannot be kept {self.keep_days:g} days and be gone after {self.gone_days:g}.",
                kept="What was asked before stays.",
            )


_MOST = {
    "before_s": LONGEST_S, "after_s": LONGEST_S, "within_s": LONGEST_S, "px_m": MOST_PX_M, "false_alerts": MOST_A_DAY,
    "keep_days": MOST_DAYS, "gone_days": MOST_DAYS, "charge_days": MOST_DAYS,
}  # fmt: skip

_PARTS = {
    "pattern": "pattern", "area": "part of the picture", "record": "what is recorded", "before_s": "time before",
    "after_s": "time after", "px_m": "pixels a metre", "alert": "what is alerted", "within_s": "time until an alert",
    "false_alerts": "false alerts a day", "keep_days": "least days kept", "gone_days": "most days kept",
    "charge_days": "days of a charge", "data": "data",
}  # fmt: skip


UNSAID = Purpose(record=Wanted(REAL_KINDS), alert=Wanted(STRANGERS))
"""What holds where nobody said what a camera is for: everything real is recorded, and strangers are alerted to."""


@dataclass(frozen=True)
class Asked:
    """A purpose and since when it is asked."""

    from_s: float
    """POSIX seconds."""
    purpose: Purpose | None
    """What is asked; None where nothing is any more."""

    def __post_init__(self) -> None:
        moment(self.from_s, "The date of a purpose")


_FORM = TypeAdapter(Purpose)


def purpose_to_dict(purpose: Purpose) -> dict[str, Any]:
    """Plain JSON form of a purpose, as docs/formats.md describes it."""
    return {"format": FORMAT, "version": VERSION, **_FORM.dump_python(purpose, mode="json")}


def purpose_from_dict(data: Mapping[str, Any]) -> Purpose:
    """Read a purpose from its JSON form; raises InvalidValue for one that cannot be used."""
    if data.get("format") != FORMAT or data.get("version") != VERSION:
        raise InvalidValue(
            "This is not a purpose that this program knows.",
            do=f'It must be a JSON object with "format": "{FORMAT}" and "version": {VERSION}.',
        )
    return read_as(_FORM, {k: v for k, v in data.items() if k not in ("format", "version")}, "What the camera is for")


def asked_since(before: tuple[Asked, ...], purpose: Purpose | None, now_s: float) -> tuple[Asked, ...]:
    """What was asked when, with another purpose from now on; what was said within SAME_PURPOSE_S is corrected."""
    kept = before[:-1] if before and 0 <= now_s - before[-1].from_s < SAME_PURPOSE_S else before
    since_s = before[-1].from_s if len(kept) < len(before) else now_s
    return kept if purpose is None and not kept else (*kept, Asked(since_s, purpose))


def changed_words(old: Purpose | None, new: Purpose | None) -> str:
    """Which parts of a purpose differ, in words for the history of changes."""
    if old is None or new is None:
        return "say what it is for" if new is not None else "ask nothing of it any more"
    differ = [f.name for f in fields(Purpose) if getattr(old, f.name) != getattr(new, f.name)]
    return f"change what it is for ({', '.join(_PARTS[name] for name in differ)})"
