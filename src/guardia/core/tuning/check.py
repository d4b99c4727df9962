"""Prediction against outcome: what settings were expected to record, and what came since they were installed."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.intervals import Expected
from guardia.core.base.words import count_of
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.required import asked_of
from guardia.core.evidence.watch import Watch, hour_of, hours_watched, local_date, midnight
from guardia.core.make.candidate import Candidate
from guardia.core.purpose.judgement import kind_of
from guardia.core.purpose.purpose import UNSAID
from guardia.core.replay.anchored import LIKELY, anchored
from guardia.core.replay.replay import Replay
from guardia.core.score.score import any_part, visit_chances
from guardia.core.tuning.predict import expected_count

LEAST_DAYS = 1.0
"""With less judged time before or since nothing is said."""


class Counted(NamedTuple):
    """One thing that was expected and came."""

    one: str
    """What is counted."""
    several: str
    """The same of several."""
    expected: Expected
    """From the days before, replayed under these settings (90 %)."""
    observed: int
    """Counted since."""

    @property
    def agrees(self) -> bool:
        """Whether what came lies in the interval."""
        return self.expected.low <= self.observed <= self.expected.high

    def said(self) -> str:
        """What came and what was to be expected."""
        low, high = self.expected.low, self.expected.high
        return f"{count_of(self.observed, self.one, self.several)}, {low:.0f} to {high:.0f} were to be expected"


@dataclass(frozen=True)
class Check:
    """What was expected and what came since some settings were installed."""

    false: Counted
    """False recordings, on motion clips."""
    alerts: tuple[Counted, ...]
    """False alerts, and real ones that somebody should have been alerted to and nobody was."""
    days: float
    """Judged watched time since, in days of the hours that were watched before as well."""
    hours: int
    """How many hours of the day those are."""
    reasons: tuple[str, ...]
    """What may explain a disagreement, the likeliest first; none where they agree."""

    @property
    def expected(self) -> Expected:
        """False recordings that were to be expected."""
        return self.false.expected

    @property
    def observed(self) -> int:
        """False recordings that came."""
        return self.false.observed

    @property
    def agrees(self) -> bool:
        """Whether all that came lies in its interval."""
        return all(one.agrees for one in (self.false, *self.alerts))

    @property
    def words(self) -> str:
        """The check in one or two sentences."""
        of_hours = f" ({self.hours} hours of each covered)" if self.hours < 24 else ""
        counted = "; ".join(one.said() for one in (self.false, *self.alerts))
        said = f"On {self.days:.1f} days{of_hours} since these settings were entered: {counted} (90 %)."
        return said if self.agrees else f"{said} {' '.join(self.reasons)}"


def check_prediction(
    evidence: Evidence, installed: Candidate, since_s: float, until_s: float = math.inf
) -> Check | None:
    """Hold what came since some settings were installed against what the days before let expect.

    Args:
        evidence: Clips of before and since, judged.
        installed: The settings and the make.
        since_s: Since when, POSIX seconds.
        until_s: Until when, where others were installed after them.

    Returns:
        None while less than a day before or since is judged.
    """
    watch, zone = evidence.watch, evidence.watch.zone
    first = local_date(since_s, zone)
    before = [day for day in watch.counted if day < first]
    # The day of the change is half the one and half the other, and is left out, unless it began with the change.
    whole = since_s <= midnight(first, zone)
    ends = local_date(until_s, zone) if math.isfinite(until_s) else date.max
    since = [day for day in watch.counted if (day > first or (whole and day == first)) and day < ends]
    # Hours of the day that were not watched before let nothing be expected of them since.
    hours = sorted({*hours_watched(watch.hours_on(before))} & {*hours_watched(watch.hours_on(since))})
    if not hours:
        return None
    watched = {d: share for d in (*before, *since) if (share := _share_of_day(watch, d, hours))}
    exposed = [day for day in before if day in watched]
    exposure = np.array([watched[day] for day in exposed])
    days = sum(watched.get(day, 0.0) for day in since)
    if exposure.sum() < LEAST_DAYS or days < LEAST_DAYS:
        return None
    done = anchored(evidence, installed)
    begins = [evidence.span_s(visit[0])[0] for visit in evidence.rated_visits]
    day_of = [local_date(begin, zone) for begin in begins]
    counted = np.array(
        [d in watched and hour_of(at, zone) in hours for d, at in zip(day_of, begins, strict=True)], bool
    )
    place = {day: n for n, day in enumerate(exposed)}
    row = np.array([place.get(day, -1) for day in day_of], np.int64)
    # Since then the camera itself decided; before, what follows from what it did then.
    then, now = counted & (row >= 0), counted & (row < 0)

    things = _things(evidence, done)
    false, *alerts = (
        Counted(
            thing.one, thing.several, _expected(thing, row, then, exposure, days),
            int((now & thing.which & thing.came).sum()),
        )
        for thing in things
    )  # fmt: skip
    check = Check(false, tuple(alerts), days, len(hours), ())
    if check.agrees:
        return check
    likely = things[0].chances.mean(axis=0) >= LIKELY
    kinds = {
        came: Counter(evidence.rated_visits[n].kind for n in np.flatnonzero(which & things[0].which).tolist())
        for came, which in ((False, then & likely), (True, now))
    }
    return replace(check, reasons=_reasons(check, kinds))


class Coming(NamedTuple):
    """One thing that some settings are expected to bring."""

    several: str
    """What is counted."""
    expected: Expected
    """How many of it (90 %)."""


def coming(evidence: Evidence, done: Replay, days: float = 7.0) -> tuple[Coming, ...]:
    """What settings are expected to bring on so many days, each of the hours of the day that were watched.

    Args:
        evidence: Judged clips.
        done: Its replay under the settings.
        days: Days to come.

    Returns:
        As in Check; none while less than a day is judged.
    """
    watch, zone = evidence.watch, evidence.watch.zone
    hours = sorted(hours_watched(watch.hours_on(watch.counted)))
    watched = {day: share for day in watch.counted if hours and (share := _share_of_day(watch, day, hours))}
    if sum(watched.values()) < LEAST_DAYS:
        return ()
    place = {day: n for n, day in enumerate(watched)}
    days_of = [local_date(evidence.span_s(visit[0])[0], zone) for visit in evidence.rated_visits]
    row = np.array([place.get(day, -1) for day in days_of], np.int64)
    exposure = np.array([*watched.values()])
    return tuple(
        Coming(thing.several, _expected(thing, row, row >= 0, exposure, days)) for thing in _things(evidence, done)
    )


class _Thing(NamedTuple):
    """What is counted among R rated visits."""

    one: str
    several: str
    which: NDArray[np.bool_]
    chances: NDArray[np.float64]
    came: NDArray[np.bool_]


def _things(evidence: Evidence, done: Replay) -> list[_Thing]:
    """False recordings, and where alerts are asked for false alerts and real ones without an alert."""
    table = evidence.rated_table
    recorded, told = visit_chances(table, done), visit_chances(table, done, alerted=True)
    everything = np.ones(len(table.ids), bool)
    things = [_Thing("false recording", "false recordings", table.false, recorded, everything)]
    wanted = (evidence.purpose or UNSAID).alert
    if wanted.kinds:
        alerted, asked = any_part(table, done.told), asked_of(evidence, wanted, evidence.rated_visits) & table.real
        things += [
            _Thing("false alert", "false alerts", table.false, told, alerted),
            _Thing("real one without an alert", "real ones without an alert", asked, 1.0 - told, ~alerted),
        ]
    return things


def _expected(
    thing: _Thing, row: NDArray[np.int64], counted: NDArray[np.bool_], exposure: NDArray[np.float64], days: float
) -> Expected:
    """How many to expect on so many days from those counted on days of some exposure, by the rows of their days."""
    of = counted & thing.which
    by_day = [np.bincount(row[of], c[of], len(exposure)) for c in thing.chances]
    return expected_count(np.array(by_day), exposure, days)


def _share_of_day(watch: Watch, day: date, hours: Sequence[int]) -> float:
    """How much of some hours of a day was watched, 0..1."""
    watched = watch.hours_on([day])
    return sum(watched[hour] for hour in hours) / len(hours)


def _reasons(check: Check, kinds: dict[bool, Counter[str]]) -> tuple[str, ...]:
    """What may explain a disagreement, in sentences."""
    if check.false.agrees:
        return ("Look at the alert hours, filter and test: what is recorded is as expected, the alerts are not.",)
    if check.observed < check.expected.low:
        return ("Fewer than expected: quieter weather or season, or the camera was not up all the time.",)
    fresh = [kind_of(k).text for k in kinds[True] if not kinds[False][k]]
    lines = [f"New since then: {', '.join(sorted(fresh))}."] if fresh else []
    share = check.days / max(1.0, check.expected.mean)
    grown = [kind_of(k).text for k, n in kinds[True].items() if kinds[False][k] and n > 2 + 2 * kinds[False][k] * share]
    if grown:
        lines.append(f"More than before: {', '.join(sorted(grown))}, as with another season or weather.")
    return (*lines, "If what triggers is smaller than the threshold, this camera's scale differs from its make's.")
