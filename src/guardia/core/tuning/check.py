"""Prediction against outcome: what settings were expected to record, and what came since they were installed."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date

import numpy as np

from guardia.core.base.intervals import Expected
from guardia.core.base.words import count_of
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import Watch, hour_of, hours_watched, local_date, midnight
from guardia.core.make.candidate import Candidate
from guardia.core.purpose.judgement import Verdict, kind_of
from guardia.core.replay.anchored import LIKELY, anchored
from guardia.core.score.score import visit_chances
from guardia.core.tuning.predict import expected_count

LEAST_DAYS = 1.0
"""With less judged time before or since nothing is said."""


@dataclass(frozen=True)
class Check:
    """False recordings expected and observed since some settings were installed."""

    expected: Expected
    """From the days before, replayed under these settings."""
    observed: int
    """Counted on motion clips since."""
    days: float
    """Judged watched time since, in days of the hours that were watched before as well."""
    hours: int
    """How many hours of the day those are."""
    reasons: tuple[str, ...]
    """What may explain a disagreement, the likeliest first; none where they agree."""

    @property
    def agrees(self) -> bool:
        """Whether what came lies in the interval."""
        return self.expected.low <= self.observed <= self.expected.high

    @property
    def words(self) -> str:
        """The check in one or two sentences."""
        low, high = self.expected.low, self.expected.high
        of_hours = f" ({self.hours} watched hours of each)" if self.hours < 24 else ""
        said = (
            f"On {self.days:.1f} days{of_hours} since these settings were entered: "
            f"{count_of(self.observed, 'false recording')}; "
            f"{low:.0f} to {high:.0f} were to be expected (90 %)."
        )
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
    exposure = [watched[day] for day in before if day in watched]
    days = sum(watched.get(day, 0.0) for day in since)
    if sum(exposure) < LEAST_DAYS or days < LEAST_DAYS:
        return None
    chances = visit_chances(evidence.rated_table, anchored(evidence, installed))
    expecting = {day: np.zeros(len(chances)) for day in before if day in watched}
    observed = 0
    kinds: dict[bool, Counter[str]] = {False: Counter(), True: Counter()}
    for n, visit in enumerate(evidence.rated_visits):
        begin_s = evidence.span_s(visit[0])[0]
        day = local_date(begin_s, zone)
        if visit.verdict is not Verdict.FALSE or day not in watched or hour_of(begin_s, zone) not in hours:
            continue
        # Since then the camera itself decided; before, what follows from what it did then.
        if day in expecting:
            expecting[day] += chances[:, n]
            kinds[False][visit.kind] += bool(chances[:, n].mean() >= LIKELY)
        else:
            observed += 1
            kinds[True][visit.kind] += 1
    expected = expected_count(np.array([*expecting.values()]).T, np.array(exposure), days)
    check = Check(expected, observed, days, len(hours), ())
    return check if check.agrees else replace(check, reasons=_reasons(check, kinds))


def _share_of_day(watch: Watch, day: date, hours: Sequence[int]) -> float:
    """How much of some hours of a day was watched, 0..1."""
    watched = watch.hours_on([day])
    return sum(watched[hour] for hour in hours) / len(hours)


def _reasons(check: Check, kinds: dict[bool, Counter[str]]) -> tuple[str, ...]:
    """What may explain a disagreement, in sentences."""
    if check.observed < check.expected.low:
        return ("Fewer than expected: quieter weather or season, or the camera was not up all the time.",)
    fresh = [kind_of(k).text for k in kinds[True] if not kinds[False][k]]
    lines = [f"New since then: {', '.join(sorted(fresh))}."] if fresh else []
    share = check.days / max(1.0, check.expected.mean)
    grown = [kind_of(k).text for k, n in kinds[True].items() if kinds[False][k] and n > 2 + 2 * kinds[False][k] * share]
    if grown:
        lines.append(f"More than before: {', '.join(sorted(grown))}, as with another season or weather.")
    return (*lines, "If what triggers is smaller than the threshold, this camera's scale differs from its make's.")
