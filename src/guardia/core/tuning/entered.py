"""Hours as a make takes them."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta

from guardia.core.hours.modes import Mode, in_force
from guardia.core.hours.periods import ScheduleRules, from_periods, to_periods
from guardia.core.hours.place import SitePlace
from guardia.core.hours.plan import DAY_MIN, Edge, Stretch, WeekPlan, common, if_known, joined, minutes_of, plan_spans
from guardia.core.purpose.purpose import Purpose, Wanted

QUARTER_MIN = 15


def as_entered(hours: WeekPlan | None, rules: ScheduleRules, place: SitePlace, on: date) -> WeekPlan | None:
    """Hours as a make takes them, rather more than less.

    Args:
        hours: As they are asked; None for always.
        rules: What the make can be told of hours.
        place: Of the site.
        on: The date on which they are entered, for hours by the sun.

    Returns:
        None for always, and where the make has no hours or nobody knows the sun there.
    """
    if if_known(hours, place) is None or hours is None or not rules.periods_a_day:
        return None
    if hours.follows_sun and rules.follows_sun:
        return hours
    clock = WeekPlan(tuple(_by_clock(stretch, place, on) for stretch in hours.stretches))
    return from_periods(to_periods(clock, rules, place, on).periods).plan


def modes_asked(
    modes: tuple[Mode, ...], purpose: Purpose, place: SitePlace, dates: tuple[date, date]
) -> tuple[Mode, ...]:
    """Modes that do at their hours what a purpose asks then, where it names hours; else each stays as it is.

    Args:
        modes: As they are set.
        purpose: What the camera is for.
        place: Of the site.
        dates: First and last date that is looked at.

    Returns:
        The same modes in the same order: one records, and alerts, where some of the asked hours are its own.
    """

    def does(mode: Mode, wanted: Wanted, now: bool) -> bool:
        if wanted.hours is None or None in (if_known(wanted.hours, place), if_known(mode.plan, place)):
            return now
        own = joined(in_force(mode, *dates, place))
        return bool(len(common(own, plan_spans(wanted.hours, *dates, place))))

    return tuple(
        replace(mode, records=does(mode, purpose.record, mode.records), alerts=does(mode, purpose.alert, mode.alerts))
        for mode in modes
    )


def _by_clock(stretch: Stretch, place: SitePlace, on: date) -> Stretch:
    """A stretch with edges by the sun as the same clock times on all its days, outwards to whole quarter hours."""
    if stretch.begin.sun is None and stretch.end.sun is None:
        return stretch
    monday = on - timedelta(days=on.weekday())
    of_day = [
        (begin - day * DAY_MIN, end - day * DAY_MIN)
        for day in stretch.days for begin, end in [minutes_of(stretch, day, monday, place)]
    ]  # fmt: skip
    begin = int(min(begin for begin, _ in of_day) // QUARTER_MIN) * QUARTER_MIN
    end = -int(-max(end for _, end in of_day) // QUARTER_MIN) * QUARTER_MIN
    over = end > DAY_MIN
    return replace(stretch, begin=Edge(begin), end=Edge(end - DAY_MIN if over else end), overnight=over)
