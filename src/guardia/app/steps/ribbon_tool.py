"""What pointer and keys do to the stretches of a week: a state machine without widgets."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import date
from enum import Enum, auto

from guardia.core.base.errors import InvalidValue
from guardia.core.hours.place import SitePlace
from guardia.core.hours.plan import DAY_MIN, EVERY_DAY, MOST_SUN_MIN, Edge, Stretch, WeekPlan, minutes_of

LEAST_MIN = 5
"""Dragging moves by at least so many minutes; finer times are typed."""

NEW_STRETCH = Stretch(EVERY_DAY, Edge(21 * 60), Edge(6 * 60), overnight=True)


class PeriodGrip(Enum):
    """What of a stretch is held."""

    BEGIN = auto()
    END = auto()
    WHOLE = auto()


@dataclass(frozen=True)
class Bar:
    """One day's piece of a stretch, minutes after Monday 00:00; the end may be in the next week."""

    index: int
    """Of the stretch."""
    day: int
    """On which it begins."""
    begin: float
    """Minutes."""
    end: float
    """Minutes."""


def bars_of(plan: WeekPlan | None, monday: date, place: SitePlace) -> list[Bar]:
    """The pieces of a plan in a week; edges by a sun that is not known are left out."""
    bars = []
    for index, stretch in enumerate(plan.stretches if plan is not None else ()):
        try:
            bars += [Bar(index, day, *minutes_of(stretch, day, monday, place)) for day in stretch.days]
        except InvalidValue:
            continue
    return [bar for bar in bars if bar.end > bar.begin]


class RibbonTool:
    """Drags edges and stretches, and makes new ones.

    Args:
        plan: Gives the plan that is shown now.
        preview: Shows a plan without keeping it.
        keep: Keeps a plan; given what was done.
        place: Where the site lies.
        monday: Of the week that is drawn.
        step_min: Gives the make's step.
    """

    def __init__(
        self,
        plan: Callable[[], WeekPlan | None],
        preview: Callable[[WeekPlan | None], None],
        keep: Callable[[WeekPlan | None, str], None],
        place: Callable[[], SitePlace],
        monday: Callable[[], date],
        step_min: Callable[[], int],
    ) -> None:
        self._plan, self._preview, self._keep, self._place, self._monday = plan, preview, keep, place, monday
        self._step_min = step_min
        self.selected: int | None = None
        self._grip: PeriodGrip | None = None
        self._from = 0.0
        self._before: WeekPlan | None = None
        self._held: Stretch | None = None

    @property
    def step(self) -> int:
        """Minutes to which what is drawn is set."""
        return max(LEAST_MIN, self._step_min())

    @property
    def dragging(self) -> bool:
        """Whether something is held."""
        return self._grip is not None

    def at(self, minute: float, reach: float) -> tuple[int, PeriodGrip] | None:
        """What lies under a moment of the week: an edge within reach first, then a whole stretch."""
        week = 7 * DAY_MIN
        bars = bars_of(self._plan(), self._monday(), self._place())
        for moment in (minute, minute + week):
            for bar in bars:
                for grip, edge in ((PeriodGrip.BEGIN, bar.begin), (PeriodGrip.END, bar.end)):
                    if abs(moment - edge) <= reach:
                        return bar.index, grip
        for moment in (minute, minute + week):
            for bar in bars:
                if bar.begin <= moment <= bar.end:
                    return bar.index, PeriodGrip.WHOLE
        return None

    def press(self, minute: float, reach: float) -> None:
        """Take hold of what is there; of nothing, begin a new stretch on that day."""
        self._before, self._from = self._plan(), minute
        hit = self.at(minute, reach)
        if hit is not None and self._before is not None:
            self.selected, self._grip = hit
            self._held = self._before.stretches[self.selected]
            return
        self.selected, self._grip, self._held = None, PeriodGrip.END, None

    def move(self, minute: float) -> None:
        """Move what is held."""
        if self._grip is None:
            return
        stretches = self._before.stretches if self._before is not None else ()
        if self._held is None:
            period = self._new(minute)
            if period is not None:
                self.selected = len(stretches)
                self._preview(replace(self._before or WeekPlan(), stretches=(*stretches, period)))
            return
        index = self.selected
        if index is not None and self._before is not None:
            by = round((minute - self._from) / self.step) * self.step
            if (moved := moved_by(self._held, self._grip, by)) is not None:
                changed = (*stretches[:index], moved, *stretches[index + 1 :])
                self._preview(replace(self._before, stretches=changed))

    def _new(self, minute: float) -> Stretch | None:
        """A new stretch from where the pointer went down to where it is."""
        low, high = sorted((self._from, minute))
        begin, end = (round(m / self.step) * self.step for m in (low, high))
        day, at = divmod(int(begin), DAY_MIN)
        length = int(end - begin)
        if length < self.step or length >= DAY_MIN:
            return None
        until = at + length
        over = until > DAY_MIN
        return Stretch((day % 7,), Edge(at), Edge(until - DAY_MIN if over else until), overnight=over)

    def release(self) -> None:
        """Keep what was done, as one step."""
        grip, self._grip = self._grip, None
        if grip is None:
            return
        now = self._plan()
        if now != self._before:
            what = "draw hours" if self._held is None else "move hours"
            self._preview(self._before)
            self._keep(now, what)

    def cancel(self) -> bool:
        """Put back what is being moved; False if nothing is."""
        if self._grip is None:
            return False
        self._grip = None
        self._preview(self._before)
        return True

    def nudge(self, grip: PeriodGrip, steps: int) -> None:
        """Move the selected stretch, or an edge of it, by so many steps."""
        plan, index = self._plan(), self.selected
        if plan is None or index is None or index >= len(plan.stretches):
            return
        moved = moved_by(plan.stretches[index], grip, steps * self.step)
        if moved is not None:
            changed = (*plan.stretches[:index], moved, *plan.stretches[index + 1 :])
            self._keep(replace(plan, stretches=changed), "move hours")

    def remove(self) -> None:
        """Take the selected stretch out."""
        plan, index = self._plan(), self.selected
        if plan is not None and index is not None and index < len(plan.stretches):
            rest = (*plan.stretches[:index], *plan.stretches[index + 1 :])
            self.selected = None
            self._keep(replace(plan, stretches=rest), "take hours out")

    def add(self, stretch: Stretch = NEW_STRETCH) -> None:
        """Add a stretch and select it."""
        plan = self._plan() or WeekPlan()
        self.selected = len(plan.stretches)
        self._keep(replace(plan, stretches=(*plan.stretches, stretch)), "add hours")


def moved_by(stretch: Stretch, grip: PeriodGrip, minutes: int) -> Stretch | None:
    """A stretch moved, or one of its edges; None where it would have no length, or be longer than a day."""
    begin, end = stretch.begin, stretch.end
    by_sun = begin.sun is not None or end.sun is not None
    if by_sun:
        first = begin if grip is PeriodGrip.END else _shifted(begin, minutes)
        last = end if grip is PeriodGrip.BEGIN else _shifted(end, minutes)
        try:
            return replace(stretch, begin=first, end=last)
        except InvalidValue:
            return None
    low = begin.minute + (0 if grip is PeriodGrip.END else minutes)
    high = end.minute + DAY_MIN * stretch.overnight + (0 if grip is PeriodGrip.BEGIN else minutes)
    if not 0 < high - low < DAY_MIN and not (high - low == DAY_MIN and low == 0):
        return None
    shift, low = divmod(low, DAY_MIN)
    high -= shift * DAY_MIN
    over = high > DAY_MIN
    days = tuple(sorted((day + shift) % 7 for day in stretch.days))
    return Stretch(days, Edge(low), Edge(high - DAY_MIN if over else high), overnight=over)


def _shifted(edge: Edge, minutes: int) -> Edge:
    low, high = (0, DAY_MIN) if edge.sun is None else (-MOST_SUN_MIN, MOST_SUN_MIN)
    return edge._replace(minute=max(low, min(high, edge.minute + minutes)))
