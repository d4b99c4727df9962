"""Modes of a site, such as open and closed: what is recorded and told while one is in force, and who switches it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Annotated

import numpy as np

from guardia.core.base.bounds import Bounds
from guardia.core.base.errors import InvalidValue
from guardia.core.base.values import LONGEST_TEXT, one_line
from guardia.core.hours.place import SitePlace
from guardia.core.hours.plan import Spans, WeekPlan, common, if_known, joined, plan_spans, rest_of

LONGEST_LATE_MIN = 240


@dataclass(frozen=True)
class Mode:
    """One mode."""

    name: str
    """The site's own word."""
    plan: WeekPlan
    """When it is meant to be in force; switching by hand is an exception of the plan."""
    records: bool = True
    """Motion is recorded in it."""
    alerts: bool = True
    """Triggers are told in it."""
    late_min: Annotated[int, Bounds(0, LONGEST_LATE_MIN)] = 0
    """It is switched on and off so many minutes late, as by the presence of a phone."""

    def __post_init__(self) -> None:
        one_line(self.name, "A mode's name", most=LONGEST_TEXT)
        if not 0 <= self.late_min <= LONGEST_LATE_MIN:
            raise InvalidValue(f"'{self.name}' is switched 0 to {LONGEST_LATE_MIN} minutes late, not {self.late_min}.")

    @property
    def words(self) -> str:
        """The mode in one line."""
        does = " and ".join(w for w, on in (("records", self.records), ("alerts", self.alerts)) if on) or "does nothing"
        late = f", switched {self.late_min} min late" if self.late_min else ""
        return f"{self.name} ({self.plan.words}): {does}{late}"


def in_force(mode: Mode, first: date, last: date, place: SitePlace) -> Spans:
    """When a mode really is in force from one date to another; raises as on_spans()."""
    # On the first date one of the evening before may still be in force.
    return plan_spans(mode.plan, first - timedelta(days=1), last, place) + 60.0 * mode.late_min


def allowed_spans(modes: Sequence[Mode], what: str, first: date, last: date, place: SitePlace) -> Spans | None:
    """When modes let something happen.

    Args:
        modes: Of several in force at the same time the last one holds; under none everything happens.
        what: 'records' or 'alerts'.
        first: A date.
        last: Likewise, included.
        place: Where the site lies.

    Returns:
        POSIX seconds; None where no mode forbids it. A mode that follows a sun which is not known is left out.
    """
    modes = [mode for mode in modes if if_known(mode.plan, place) is not None]
    if all(getattr(mode, what) for mode in modes):
        return None
    allowed = np.array([[-np.inf, np.inf]])
    for mode in modes:
        spans = in_force(mode, first, last, place)
        if getattr(mode, what):
            allowed = joined(np.concatenate([allowed, spans]))
        else:
            allowed = common(allowed, rest_of(spans))
    return allowed
