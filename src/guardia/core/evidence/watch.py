"""Watched time: when a camera was up, so that a rate has something to stand on.

Clips alone cannot say for how long nothing happened: a period that begins and ends with a clip is too short by chance,
and a day without a clip may be a quiet day or a camera without power. Spans are pairs of POSIX seconds.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from functools import cached_property
from itertools import pairwise
from typing import NamedTuple
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

DAY_S = 86400.0

LEAST_SHARE = 0.25
"""An hour of the day counts as watched from this share of the time of the hour that was watched most (no source)."""

Span = tuple[float, float]


class Entered(NamedTuple):
    """A span that the technician entered."""

    from_s: float
    """Beginning, POSIX seconds."""
    to_s: float
    """End."""
    up: bool
    """The camera was up and recording by motion; else it was down."""


def merged(spans: Iterable[Span]) -> tuple[Span, ...]:
    """Join spans that overlap or touch; empty ones are left out.

    Args:
        spans: In any order.

    Returns:
        In order of time, none touching the next.
    """
    union: list[Span] = []
    for low, high in sorted(s for s in spans if s[1] > s[0]):
        if union and low <= union[-1][1]:
            union[-1] = (union[-1][0], max(union[-1][1], high))
        else:
            union.append((low, high))
    return tuple(union)


def without(spans: Sequence[Span], away: Sequence[Span]) -> tuple[Span, ...]:
    """Take spans away from others.

    Args:
        spans: What is there.
        away: What is taken away.

    Returns:
        The rest, merged.
    """
    rest = list(merged(spans))
    for low, high in merged(away):
        rest = [part for a, b in rest for part in ((a, min(b, low)), (max(a, high), b)) if part[1] > part[0]]
    return merged(rest)


def within(spans: Sequence[Span], low: float, high: float) -> tuple[Span, ...]:
    """The parts of spans between two moments."""
    return tuple((max(a, low), min(b, high)) for a, b in spans if b > low and a < high)


def length(spans: Iterable[Span]) -> float:
    """Seconds of spans that do not overlap."""
    return sum(b - a for a, b in spans)


def midnight(day: date, zone: ZoneInfo) -> float:
    """The moment at which a local day begins, POSIX seconds; such a day may last 23 or 25 hours."""
    return datetime(day.year, day.month, day.day, tzinfo=zone).timestamp()


def local_date(posix_s: float, zone: ZoneInfo) -> date:
    """Date at the site."""
    return datetime.fromtimestamp(posix_s, UTC).astimezone(zone).date()


def hours_watched(hours: Sequence[float]) -> tuple[int, ...]:
    """Which hours of the day were watched regularly, from how many hours were watched in each of the 24."""
    most = max(hours, default=0.0)
    return tuple(hour for hour, watched in enumerate(hours) if watched > 0 and watched >= LEAST_SHARE * most)


def hour_of(posix_s: float, zone: ZoneInfo) -> int:
    """Hour of the day at the site, 0 to 23."""
    return datetime.fromtimestamp(posix_s, UTC).astimezone(zone).hour


@dataclass(frozen=True)
class Watch:
    """Watched time, by local day and by whether everything recorded in it is judged."""

    spans: tuple[Span, ...]
    """When the camera was up, merged."""
    zone: ZoneInfo
    """The site's time zone."""
    waiting: Mapping[date, str]
    """Why a local day cannot be counted yet: 'not measured', 'not judged' or 'unsure'; other days are counted."""

    @cached_property
    def by_day(self) -> dict[date, tuple[Span, ...]]:
        """The spans of each local day that has some, in order."""
        days: dict[date, tuple[Span, ...]] = {}
        for low, high in self.spans:
            day = local_date(low, self.zone)
            while (begin := midnight(day, self.zone)) < high:
                after = midnight(day + timedelta(days=1), self.zone)
                days[day] = (*days.get(day, ()), *within(((low, high),), begin, after))
                day += timedelta(days=1)
        return {day: spans for day, spans in sorted(days.items()) if length(spans) > 0}

    @cached_property
    def counted(self) -> dict[date, tuple[Span, ...]]:
        """The days on which everything is measured and judged: rates stand on them."""
        return {day: spans for day, spans in self.by_day.items() if day not in self.waiting}

    @cached_property
    def hours(self) -> tuple[int, ...]:
        """The hours of the site's day that were watched, 0 to 23: what happens in the others is not known."""
        return hours_watched(self.hours_on(self.counted or self.by_day))

    @property
    def day_s(self) -> float:
        """What a day means in rates: the hours of it that were watched, in seconds."""
        return 3600.0 * len(self.hours) or DAY_S

    @property
    def hours_words(self) -> str:
        """The same as stretches by the clock: '18:00 to 24:00'."""
        begins = [hour for hour in self.hours if hour - 1 not in self.hours]
        ends = [hour + 1 for hour in self.hours if hour + 1 not in self.hours]
        return ", ".join(f"{begin:02d}:00 to {end:02d}:00" for begin, end in zip(begins, ends, strict=True))

    @cached_property
    def counted_days(self) -> float:
        """Watched time of those, in such days."""
        return sum(length(spans) for spans in self.counted.values()) / self.day_s

    @cached_property
    def days(self) -> float:
        """All watched time, in such days."""
        return length(self.spans) / self.day_s

    def held_back(self) -> dict[str, float]:
        """Watched days that are not counted, by the reason."""
        seconds: dict[str, float] = {}
        for day, spans in self.by_day.items():
            if day in self.waiting:
                seconds[self.waiting[day]] = seconds.get(self.waiting[day], 0.0) + length(spans) / self.day_s
        return seconds

    def counts(self, begin_s: float, end_s: float) -> bool:
        """Whether something that happened between two moments falls into counted time."""
        spans = self.counted.get(local_date(begin_s, self.zone), ())
        return any(low <= end_s and begin_s <= high for low, high in spans)

    @cached_property
    def hours_of_day(self) -> list[float]:
        """How many hours were watched and are counted in each of the 24 hours of the site's day."""
        return self.hours_on(self.counted)

    def hours_on(self, days: Collection[date]) -> list[float]:
        """How many hours were watched on some days in each of the 24 hours of the site's day."""
        seconds = np.zeros(24)
        even: list[tuple[float, float]] = []  # on the wall clock, within one day
        for spans in (self.by_day.get(day, ()) for day in days):
            for low, high in spans:
                shift, later = (self._ahead_s(at) for at in (low, high))
                if shift == later:
                    even.append((low + shift, high + shift))
                    continue
                # Whole hours of every zone in use begin at a whole quarter of an hour.
                marks = [low, *(float(n * 900) for n in range(int(low // 900) + 1, int(high // 900) + 1)), high]
                for a, b in pairwise(marks):
                    seconds[datetime.fromtimestamp(a, UTC).astimezone(self.zone).hour] += b - a
        if even:
            begins = np.arange(24) * 3600.0

            def until(wall: NDArray[np.float64]) -> NDArray[np.float64]:
                """(N, 24) seconds of each hour of the day from 1970 until each moment."""
                whole: NDArray[np.float64] = (wall // DAY_S * 3600)[:, None]
                begun: NDArray[np.float64] = np.clip((wall % DAY_S)[:, None] - begins, 0, 3600)
                return whole + begun

            low_high = np.array(even)
            seconds += (until(low_high[:, 1]) - until(low_high[:, 0])).sum(axis=0)
        return [float(s) / 3600 for s in seconds]

    def _ahead_s(self, at_s: float) -> float:
        """What the wall clock is ahead of UTC, seconds."""
        return (datetime.fromtimestamp(at_s, self.zone).utcoffset() or timedelta()).total_seconds()
