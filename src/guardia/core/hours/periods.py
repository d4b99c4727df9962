"""What a make is told of a plan: periods of single days, and nights read back from them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import NamedTuple

import numpy as np

from guardia.core.base.words import count_of
from guardia.core.hours.place import DAY_S, EPOCH, SitePlace
from guardia.core.hours.plan import (
    DAY_MIN,
    EVERY_DAY,
    WEEKDAYS,
    Edge,
    Stretch,
    WeekPlan,
    days_words,
    joined,
    wall_spans,
)

WEEK_MIN = 7 * DAY_MIN


@dataclass(frozen=True)
class ScheduleRules:
    """What a make can be told of hours."""

    periods_a_day: int = 4
    """At most so many; 0 where it has no hours."""
    step_min: int = 1
    """Its clock is set in steps of so many minutes."""
    crosses_midnight: bool = False
    """A period may end on the next day."""
    by_weekday: bool = True
    """Each day of the week can have its own."""
    follows_sun: bool = False
    """Periods can follow the sun."""
    each_enabled: bool = False
    """Each period has a switch of its own."""


class Period(NamedTuple):
    """One line of a make's hours."""

    day: int
    """0 (Monday) to 6, on which it begins."""
    begin_min: int
    """Minutes after midnight, 0..1440."""
    end_min: int
    """Likewise; above 1440 of the next day."""
    enabled: bool = True
    """Its switch is on."""

    @property
    def words(self) -> str:
        """Such as 'Mon 21:40 to 24:00'."""
        end = self.end_min if self.end_min <= DAY_MIN else self.end_min - DAY_MIN
        after = " of the next day" if self.end_min > DAY_MIN else ""
        off = "" if self.enabled else ", switched off"
        return f"{WEEKDAYS[self.day][:3]} {Edge(self.begin_min).words} to {Edge(end).words}{after}{off}"


@dataclass(frozen=True)
class Typed:
    """What is typed in at the camera."""

    periods: tuple[Period, ...]
    """By day and time."""
    lost: tuple[str, ...]
    """What the make cannot be told, in sentences."""

    @property
    def lines(self) -> tuple[str, ...]:
        """The list to type in; days that are alike are one line."""
        by_time: dict[tuple[int, int, bool], list[int]] = {}
        for p in self.periods:
            by_time.setdefault((p.begin_min, p.end_min, p.enabled), []).append(p.day)
        return tuple(
            Period(days[0], *time).words.replace(WEEKDAYS[days[0]][:3], days_words(tuple(days)), 1)
            for time, days in sorted(by_time.items(), key=lambda one: (one[1][0], one[0]))
        )


def to_periods(plan: WeekPlan, rules: ScheduleRules, place: SitePlace, on: date) -> Typed:
    """A plan as the periods of a make.

    Args:
        plan: The plan; its exceptions cannot be typed in.
        rules: The make's.
        place: Where the site lies.
        on: A date of the week that is entered: edges by the sun are entered as they are then.

    Returns:
        Where the make has too few periods or too coarse a clock, more is covered rather than less.

    Raises:
        InvalidValue: If the plan follows the sun and it is not known where the site lies.
    """
    if not rules.periods_a_day:
        return Typed((), ("This make has no hours to set.",))
    lost: list[str] = []
    if plan.specials:
        named = ", ".join(s.name for s in plan.specials)
        lost.append(f"Exceptions cannot be typed in; switch by hand on those dates: {named}.")
    if plan.follows_sun and not rules.follows_sun:
        lost.append(f"Edges by the sun are entered as they are on {on:%d %b %Y}; look again as the days change.")
    if plan.follows_sun and rules.follows_sun:
        lost.append("Where the make can follow the sun, choose that in place of the times given here.")
    minutes = _week_minutes(plan, place, on)
    if not rules.by_weekday:
        whole = minutes.reshape(7, DAY_MIN).any(axis=0)
        more = [d for d in EVERY_DAY if (whole & ~minutes[d * DAY_MIN : (d + 1) * DAY_MIN]).any()]
        if more:
            lost.append(f"This make has the same hours every day: more is covered on {days_words(tuple(more))}.")
        minutes = np.tile(whole, 7)
    stepped = minutes.reshape(-1, rules.step_min).any(axis=1).repeat(rules.step_min)
    if (stepped & ~minutes).any():
        lost.append(f"Times are rounded outwards to {count_of(rules.step_min, 'minute')}.")
    periods = _of_minutes(stepped, crosses=rules.crosses_midnight)
    kept: list[Period] = []
    for day in EVERY_DAY:
        own = [p for p in periods if p.day == day]
        if len(own) > rules.periods_a_day:
            lost.append(
                f"{WEEKDAYS[day]} needs {len(own)} periods, this make takes {rules.periods_a_day}: "
                "the shortest gaps are covered, too."
            )
            own = _fewer(own, rules.periods_a_day)
        kept += own
    return Typed(tuple(kept), tuple(lost))


def _week_minutes(plan: WeekPlan, place: SitePlace, on: date) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
    """(10080,) whether each minute of the week is on at all, from Monday."""
    monday = on - timedelta(days=on.weekday())
    spans = wall_spans(WeekPlan(plan.stretches), monday, monday + timedelta(days=6), place)
    base = (monday.toordinal() - EPOCH) * DAY_S
    minutes = np.zeros(WEEK_MIN, bool)
    for low, high in (spans - base) / 60.0:
        minutes[max(0, int(low)) : max(0, int(np.ceil(high)))] = True
    return minutes


def _of_minutes(minutes: np.ndarray[tuple[int], np.dtype[np.bool_]], *, crosses: bool) -> list[Period]:
    """Minutes of the week as periods, whole nights where a make takes them."""
    if minutes.all():
        return [Period(day, 0, DAY_MIN) for day in EVERY_DAY]
    edges = np.flatnonzero(np.diff(np.concatenate([[False], minutes, [False]]).astype(np.int8)))
    runs = [(int(a), int(b)) for a, b in edges.reshape(-1, 2)]
    if runs and runs[0][0] == 0 and runs[-1][1] == WEEK_MIN and len(runs) > 1:
        runs = [*runs[1:-1], (runs[-1][0], WEEK_MIN + runs[0][1])]  # Sunday's night ends on Monday
    periods = []
    for begin, end in runs:
        while begin < end:
            day, at = divmod(begin, DAY_MIN)
            most = 2 * DAY_MIN if crosses and end - begin < DAY_MIN else DAY_MIN
            until = min(end, day * DAY_MIN + most)
            periods.append(Period(day % 7, at, until - day * DAY_MIN))
            begin = until
    return sorted(periods)


def _fewer(periods: Sequence[Period], most: int) -> list[Period]:
    """Periods of a day with the shortest gaps closed."""
    left = list(periods)
    while len(left) > most:
        n = min(range(len(left) - 1), key=lambda i: left[i + 1].begin_min - left[i].end_min)
        left[n : n + 2] = [left[n]._replace(end_min=max(left[n].end_min, left[n + 1].end_min))]
    return left


@dataclass(frozen=True)
class ReadBack:
    """What periods read off a camera mean."""

    plan: WeekPlan
    """With nights in one piece."""
    findings: tuple[str, ...]
    """What looks like a mistake, in sentences."""


def from_periods(periods: Sequence[Period]) -> ReadBack:
    """Nights and days from periods read off a camera.

    Args:
        periods: In any order.

    Returns:
        The plan of those switched on, and what was noticed: an end before its beginning, a missing or switched-off half
        of a night, an overlap.

    Raises:
        InvalidValue: If a period names no day of the week.
    """
    findings = []
    for p in periods:
        if not 0 <= p.begin_min < DAY_MIN or not 0 < p.end_min <= 2 * DAY_MIN or p.end_min <= p.begin_min:
            findings.append(f"{p.words} has no length and covers nothing.")
    sound = [p for p in periods if 0 <= p.begin_min < p.end_min and p.begin_min < DAY_MIN]
    findings += [f"{p.words}: it covers nothing until it is switched on." for p in sound if not p.enabled]
    on = sorted(p for p in sound if p.enabled)
    week = np.array([(p.day * DAY_MIN + p.begin_min, p.day * DAY_MIN + p.end_min) for p in on], float).reshape(-1, 2)
    findings += [f"{on[i].words} and {on[j].words} overlap." for i, j in _overlaps(week)]
    findings += _halves(on)
    # What goes on after Sunday is the beginning of the same week, where another period may already be.
    after = np.maximum(week - WEEK_MIN, 0.0)
    spans = joined(np.concatenate([np.minimum(week, WEEK_MIN), after]))
    return ReadBack(WeekPlan(_stretches([(int(a), int(b)) for a, b in spans])), tuple(findings))


def _overlaps(week: np.ndarray[tuple[int, int], np.dtype[np.float64]]) -> list[tuple[int, int]]:
    """Which two periods, by their minutes of the week, share some time, also from Sunday into Monday."""
    begins, ends = week.T
    found = []
    for turn in (-WEEK_MIN, 0, WEEK_MIN):
        shared = np.minimum(ends[:, None], ends + turn) - np.maximum(begins[:, None], begins + turn)
        found += np.argwhere(np.triu(shared > 0, 1)).tolist()
    return [(i, j) for i, j in found]


def _halves(on: Sequence[Period]) -> list[str]:
    """Nights that end at 24:00, or begin at 00:00, though other nights go on over midnight or none does."""
    ends = {p.day for p in on if p.end_min == DAY_MIN and p.begin_min > 0}
    begins = {p.day for p in on if p.begin_min == 0 and p.end_min < DAY_MIN}
    whole = {p.day for p in on if p.begin_min == 0 and p.end_min >= DAY_MIN}
    cut = tuple(day for day in sorted(ends) if (day + 1) % 7 not in begins | whole)
    headless = tuple(day for day in sorted(begins) if (day - 1) % 7 not in ends | whole)
    findings = []
    if cut:
        findings.append(
            f"The night ends at 24:00 ({days_words(cut)}): nothing covers the next day from 00:00. The second half of "
            "the night is missing or not switched on."
        )
    if headless:
        findings.append(
            f"It begins at 00:00 ({days_words(headless)}), but nothing covers the evening before. The first half of "
            "the night is missing or not switched on."
        )
    return findings


def _stretches(spans: list[tuple[int, int]]) -> tuple[Stretch, ...]:
    """Minutes of the week as stretches, those at the same time of day together; longer than a day day by day."""
    if len(spans) > 1 and spans[0][0] == 0 and spans[-1][1] >= WEEK_MIN:
        first = spans.pop(0)
        spans[-1] = (spans[-1][0], WEEK_MIN + first[1])
    by_time: dict[tuple[int, int], list[int]] = {}
    for begin, end in spans:
        while begin < end:
            day, at = divmod(begin, DAY_MIN)
            until = end if end - begin < DAY_MIN else day * DAY_MIN + DAY_MIN
            by_time.setdefault((at, until - day * DAY_MIN), []).append(day % 7)
            begin = until
    return tuple(
        Stretch(tuple(days), Edge(begin), Edge(end if end <= DAY_MIN else end - DAY_MIN), end > DAY_MIN)
        for (begin, end), days in sorted(by_time.items(), key=lambda one: (min(one[1]), one[0]))
    )
