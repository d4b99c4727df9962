"""A plan for a week: when something is switched on, by the clock or by the sun, with exceptions.

A stretch is on while the site's wall clock shows a time in it, as a camera compares its clock with what was entered: in
the night in which clocks go back, the hour that comes twice is on twice. Computation is on arrays of seconds.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from functools import lru_cache
from typing import Annotated, NamedTuple
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, PlainSerializer

from guardia.core.base.bounds import Bounds
from guardia.core.base.errors import InvalidValue
from guardia.core.hours.place import DAY_S, EPOCH, SitePlace, SunEvent, clock_segments, sun_seconds, wall_date

WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
EVERY_DAY = tuple(range(7))
DAY_MIN = 1440
MOST_SUN_MIN = 240
PAUSE = "pause"
"""Name of the exception that a pause is."""

Spans = NDArray[np.float64]
"""(N, 2) begins and ends in order, none touching the next."""


class Edge(NamedTuple):
    """Where a stretch begins or ends."""

    minute: Annotated[int, Bounds(-MOST_SUN_MIN, DAY_MIN)]
    """Minutes after midnight, 0..1440, or after the sun event, -240..240."""
    sun: SunEvent | None = None
    """The sun event, None for the clock."""

    @property
    def words(self) -> str:
        """Such as '21:40', '24:00', 'dusk' or '20 min before dusk'."""
        if self.sun is None:
            return f"{self.minute // 60:02d}:{self.minute % 60:02d}"
        if not self.minute:
            return self.sun.value
        return f"{abs(self.minute)} min {'before' if self.minute < 0 else 'after'} {self.sun.value}"


@dataclass(frozen=True)
class Stretch:
    """A time of day on some days of the week; a night is one stretch."""

    days: Annotated[tuple[Annotated[int, Bounds(0, 6)], ...], Field(min_length=1)]
    """On which it begins, 0 (Monday) to 6, rising."""
    begin: Annotated[Edge, PlainSerializer(Edge._asdict)]
    """Its beginning."""
    end: Annotated[Edge, PlainSerializer(Edge._asdict)]
    """Its end."""
    overnight: bool = False
    """The end is of the next day."""

    def __post_init__(self) -> None:
        if not self.days or any(day not in EVERY_DAY for day in self.days) or len(set(self.days)) < len(self.days):
            raise InvalidValue("A stretch of hours needs days of the week, each once: 0 is Monday, 6 is Sunday.")
        for edge in (self.begin, self.end):
            low, high = (0, DAY_MIN) if edge.sun is None else (-MOST_SUN_MIN, MOST_SUN_MIN)
            if not low <= edge.minute <= high:
                told = f"{edge.words} is no time of day" if edge.sun is None else f"{edge.words} is too far away"
                raise InvalidValue(f"{told}.", do="Times run from 00:00 to 24:00, 240 minutes around a sun event.")
        clock = self.begin.sun is None and self.end.sun is None
        if clock and not self.overnight and self.end.minute <= self.begin.minute:
            raise InvalidValue(
                f"{self.begin.words} to {self.end.words} has no length.",
                do="A night ends on the next day: say so, or move an edge.",
            )
        object.__setattr__(self, "days", tuple(sorted(self.days)))

    @property
    def words(self) -> str:
        """Such as 'Mon to Fri 21:40 to 06:10 of the next day'."""
        after = " of the next day" if self.overnight else ""
        return f"{days_words(self.days)} {self.begin.words} to {self.end.words}{after}"


@dataclass(frozen=True)
class Special:
    """Dates on which a plan does not hold as usual."""

    name: str
    """What they are, such as a holiday."""
    begin: datetime
    """On the site's clock, without a zone."""
    end: datetime
    """Likewise, later."""
    rule: Annotated[str, Field(json_schema_extra={"enum": ["on", "off", *WEEKDAYS]})]
    """'on', 'off', or the name of the weekday that whole days in it are treated as."""

    def __post_init__(self) -> None:
        if self.begin.tzinfo is not None or self.end.tzinfo is not None:
            raise InvalidValue(f"The times of '{self.name}' are on the site's clock, without a zone.")
        if self.end <= self.begin:
            raise InvalidValue(f"'{self.name}' ends before it begins.", do="Correct one of the two.")
        if self.rule not in ("on", "off", *WEEKDAYS):
            raise InvalidValue(f"'{self.name}' has the rule '{self.rule}'.", do="It is on, off, or a weekday's name.")


@dataclass(frozen=True)
class WeekPlan:
    """When something is on."""

    stretches: tuple[Stretch, ...] = ()
    """In any order; they may overlap. None means never."""
    specials: tuple[Special, ...] = ()
    """Exceptions; of several for the same moment the last holds."""

    @property
    def follows_sun(self) -> bool:
        """Whether any edge is set by the sun."""
        return any(edge.sun is not None for s in self.stretches for edge in (s.begin, s.end))

    @property
    def words(self) -> str:
        """The plan in one line."""
        usual = "always" if self.stretches == ALWAYS.stretches else "never"
        parts = [s.words for s in self.stretches if usual == "never"] or [usual]
        named = [f"{s.name}: {s.rule}" for s in self.specials]
        return "; ".join([*parts, *named])


ALWAYS = WeekPlan((Stretch(EVERY_DAY, Edge(0), Edge(DAY_MIN)),))
"""The plan of what is always on: an exception to it changes nothing but its own time."""


def with_specials(plan: WeekPlan | None, specials: Iterable[Special]) -> WeekPlan | None:
    """A plan, None for always, with these exceptions in place of its own."""
    stretches, kept = (ALWAYS if plan is None else plan).stretches, tuple(specials)
    return None if not kept and stretches == ALWAYS.stretches else WeekPlan(stretches, kept)


def off_until(plan: WeekPlan | None, wall: datetime) -> datetime | None:
    """When a pause that is running at a moment of the site's clock ends; None where none is.

    A pause is what paused() entered and no later exception overrules; a holiday is none.
    """
    running = [s for s in (plan.specials if plan is not None else ()) if s.begin <= wall < s.end]
    return running[-1].end if running and running[-1].name == PAUSE else None


def paused(plan: WeekPlan | None, begin: datetime, until: datetime | None) -> WeekPlan | None:
    """A plan with a pause from one moment of the site's clock to another, in place of one that is running then.

    Args:
        plan: The plan, None for always.
        begin: When the pause begins, or when the running one ends.
        until: Its end; None for no pause any more.

    Returns:
        The plan with it.
    """
    kept = []
    for special in plan.specials if plan is not None else ():
        runs = special.name == PAUSE and special.begin <= begin < special.end
        if not runs:
            kept.append(special)
        elif special.begin < begin:
            kept.append(replace(special, end=begin))
    return with_specials(plan, [*kept, *([Special(PAUSE, begin, until, "off")] if until is not None else [])])


def days_words(days: tuple[int, ...]) -> str:
    """Such as 'every day', 'Mon to Fri' or 'Mon, Wed'."""
    if days == EVERY_DAY:
        return "every day"
    short = [WEEKDAYS[day][:3] for day in days]
    unbroken = len(days) > 2 and days[-1] - days[0] == len(days) - 1
    return f"{short[0]} to {short[-1]}" if unbroken else ", ".join(short)


def joined(spans: Spans) -> Spans:
    """Spans in order, those that overlap or touch as one; empty ones are left out."""
    spans = spans[spans[:, 1] > spans[:, 0]]
    if not len(spans):
        return np.zeros((0, 2))
    spans = spans[np.argsort(spans[:, 0], kind="stable")]
    reach = np.maximum.accumulate(spans[:, 1])
    first = np.concatenate([[True], spans[1:, 0] > reach[:-1]])
    last = np.concatenate([first[1:], [True]])
    return np.column_stack([spans[first, 0], reach[last]])


def cut_out(spans: Spans, low: float, high: float) -> Spans:
    """Spans without what lies between two moments."""
    left = np.column_stack([spans[:, 0], np.minimum(spans[:, 1], low)])
    right = np.column_stack([np.maximum(spans[:, 0], high), spans[:, 1]])
    return joined(np.concatenate([left, right]))


def _edge_s(edge: Edge, ordinals: NDArray[np.int64], place: SitePlace) -> NDArray[np.float64]:
    """Seconds after midnight of an edge on some dates."""
    if edge.sun is None:
        return np.full(len(ordinals), edge.minute * 60.0)
    sun = edge.sun
    return np.array([sun_seconds(place, sun, n)[0] for n in ordinals.tolist()]).reshape(-1) + edge.minute * 60.0


def common(one: Spans, other: Spans) -> Spans:
    """What lies in both of two rows of spans, each joined."""
    edges = np.concatenate([one[:, 0], other[:, 0], one[:, 1], other[:, 1]])
    steps = np.repeat([1, 1, -1, -1], [len(one), len(other), len(one), len(other)])
    order = np.lexsort((steps, edges))
    both = np.flatnonzero(np.cumsum(steps[order]) == 2)
    return joined(np.column_stack([edges[order][both], edges[order][both + 1]]))


def rest_of(spans: Spans) -> Spans:
    """All time but some joined spans."""
    edges = np.concatenate([[-np.inf], spans.ravel(), [np.inf]])
    return edges.reshape(-1, 2)


def minutes_of(stretch: Stretch, day: int, monday: date, place: SitePlace) -> tuple[float, float]:
    """Begin and end of a stretch on one of its days, minutes after the Monday of a week; raises as on_spans()."""
    ordinals = np.array([monday.toordinal() + day, monday.toordinal() + day + int(stretch.overnight)])
    begin, end = _edge_s(stretch.begin, ordinals[:1], place)[0], _edge_s(stretch.end, ordinals[1:], place)[0]
    later = DAY_MIN if stretch.overnight else 0
    return day * DAY_MIN + float(begin) / 60, day * DAY_MIN + later + float(end) / 60


def if_known(plan: WeekPlan | None, place: SitePlace) -> WeekPlan | None:
    """A plan that can be told on a site; None for one that follows a sun which is not known there."""
    return None if plan is None or (plan.follows_sun and not place.has_sun) else plan


def _wall(moment: datetime) -> float:
    return moment.replace(tzinfo=UTC).timestamp()  # the clock's own seconds, whatever its zone


def wall_spans(plan: WeekPlan, first: date, last: date, place: SitePlace) -> Spans:
    """When a plan is on by the wall clock, a day more on either side.

    Args:
        plan: The plan.
        first: First date that is asked for.
        last: Last date, included.
        place: Where the site lies.

    Returns:
        Seconds since 1970-01-01 00:00 on the site's clock.

    Raises:
        InvalidValue: If the plan follows the sun and it is not known where the site lies.
    """
    ordinals = np.arange(first.toordinal() - 2, last.toordinal() + 2)
    midnights = (ordinals - EPOCH) * DAY_S
    weekday = (ordinals + 6) % 7
    for special in plan.specials:
        if special.rule in WEEKDAYS:
            whole = (midnights >= _wall(special.begin)) & (midnights + DAY_S <= _wall(special.end))
            weekday = np.where(whole, WEEKDAYS.index(special.rule), weekday)
    parts = [np.zeros((0, 2))]
    for stretch in plan.stretches:
        rows = np.isin(weekday, stretch.days)
        begin = midnights[rows] + _edge_s(stretch.begin, ordinals[rows], place)
        later = int(stretch.overnight)
        end = midnights[rows] + later * DAY_S + _edge_s(stretch.end, ordinals[rows] + later, place)
        parts.append(np.column_stack([begin, end]))
    spans = joined(np.concatenate(parts))
    for special in plan.specials:
        low, high = _wall(special.begin), _wall(special.end)
        if special.rule == "off":
            spans = cut_out(spans, low, high)
        elif special.rule == "on":
            spans = joined(np.concatenate([spans, [[low, high]]]))
    return spans


def on_spans(plan: WeekPlan, begin_s: float, end_s: float, place: SitePlace) -> Spans:
    """When a plan is on between two moments.

    Args:
        plan: The plan.
        begin_s: POSIX seconds.
        end_s: Likewise.
        place: Where the site lies.

    Returns:
        POSIX seconds.

    Raises:
        InvalidValue: If the plan follows the sun and it is not known where the site lies.
    """
    first, last = wall_date(place, begin_s), wall_date(place, end_s)
    wall = wall_spans(plan, first, last, place)
    parts = [np.zeros((0, 2))]
    for year in range(first.year - 1, last.year + 2):
        for low, high, ahead in clock_segments(place.zone, year):
            low, high = max(low, begin_s), min(high, end_s)
            if low < high:
                parts.append(
                    np.column_stack([np.maximum(wall[:, 0] - ahead, low), np.minimum(wall[:, 1] - ahead, high)])
                )
    return joined(np.concatenate(parts))


@lru_cache(maxsize=64)
def plan_spans(plan: WeekPlan, first: date, last: date, place: SitePlace) -> Spans:
    """When a plan is on from one date to another, both whole; remembered. Raises as on_spans()."""
    zone = ZoneInfo(place.zone)
    low, high = (datetime(d.year, d.month, d.day, tzinfo=zone) for d in (first, last))
    return on_spans(plan, low.timestamp(), (high + timedelta(days=1)).timestamp(), place)


def on_at(plan: WeekPlan | None, times_s: Iterable[float] | NDArray[np.float64], place: SitePlace) -> NDArray[np.bool_]:
    """Whether a plan is on at some moments; without a plan it always is. Raises as on_spans()."""
    times = np.asarray(times_s if isinstance(times_s, np.ndarray) else list(times_s), np.float64)
    if plan is None or not len(times):
        return np.ones(len(times), bool)
    first, last = wall_date(place, float(times.min())), wall_date(place, float(times.max()))
    return in_spans(plan_spans(plan, first, last, place), times)


def in_spans(spans: Spans, times: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which moments lie in spans; an end does not."""
    if not len(spans):
        return np.zeros(len(times), bool)
    row = np.searchsorted(spans[:, 0], times, side="right") - 1
    inside: NDArray[np.bool_] = (row >= 0) & (times < spans[np.maximum(row, 0), 1])
    return inside


def covers_more(new: WeekPlan | None, old: WeekPlan | None) -> bool:
    """Whether a plan might be on when another is off: always told of plans by the sun that differ."""
    if new == old or old is None:
        return False
    if new is None or new.follows_sun or old.follows_sun or new.specials != old.specials:
        return True
    some = SitePlace("UTC")
    monday = date(2001, 1, 1)
    wall_new, wall_old = (wall_spans(WeekPlan(p.stretches), monday, date(2001, 1, 14), some) for p in (new, old))
    wall_new = common(wall_new, rest_of(wall_old))
    week = (monday.toordinal() + 3 - EPOCH) * DAY_S
    inside = (wall_new[:, 1] > week) & (wall_new[:, 0] < week + 7 * DAY_S)
    return bool(inside.any())


def dark_left_out(plan: WeekPlan, days: Sequence[date], place: SitePlace) -> list[float]:
    """How much of the dark a plan leaves out.

    Args:
        plan: The plan.
        days: On whose evenings the nights begin, in order.
        place: Where the site lies; its sun is known.

    Returns:
        Minutes between dusk and dawn of each night in which the plan is off.

    Raises:
        InvalidValue: If it is not known where the site lies.
    """
    if not days:
        return []
    off = rest_of(plan_spans(plan, days[0], days[-1] + timedelta(days=1), place))
    zone, left_out = ZoneInfo(place.zone), []
    for day in days:
        evening = sun_seconds(place, SunEvent.DUSK, day.toordinal())[0]
        morning = DAY_S + sun_seconds(place, SunEvent.DAWN, day.toordinal() + 1)[0]
        # Both are on the wall clock, which may be put on or back in between.
        midnight = datetime(day.year, day.month, day.day, tzinfo=zone)
        dusk, dawn = ((midnight + timedelta(seconds=s)).timestamp() for s in (evening, morning))
        dark = common(np.array([[dusk, max(dusk, dawn)]]), off)
        left_out.append(float((dark[:, 1] - dark[:, 0]).sum()) / 60)
    return left_out
