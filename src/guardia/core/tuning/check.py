"""Prediction against outcome: what settings were expected to record, and what came since they were installed."""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import dataclass
from datetime import date

import numpy as np

from guardia.core.base.intervals import Expected
from guardia.core.base.words import count_of
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.judgement import Verdict, kind_of
from guardia.core.evidence.watch import length, local_date, midnight
from guardia.core.make.candidate import Candidate
from guardia.core.replay.anchored import anchored
from guardia.core.score.score import visit_outcomes
from guardia.core.tuning.predict import expected_count

DAY_S = 86_400.0

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
    """Judged watched time since, in days of 24 hours."""
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
        said = (
            f"On {self.days:.1f} days since these settings were entered: {count_of(self.observed, 'false recording')}; "
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
    zone = evidence.watch.zone
    first = local_date(since_s, zone)
    watched = {day: length(spans) / DAY_S for day, spans in evidence.watch.counted.items()}
    before = {day: share for day, share in watched.items() if day < first}
    # The day of the change is half the one and half the other, and is left out, unless it began with the change.
    whole = since_s <= midnight(first, zone)
    ends = local_date(until_s, zone) if math.isfinite(until_s) else date.max
    since = {d: share for d, share in watched.items() if (d > first or (whole and d == first)) and d < ends}
    if sum(before.values()) < LEAST_DAYS or sum(since.values()) < LEAST_DAYS:
        return None
    recorded = visit_outcomes(evidence.rated_table, anchored(evidence, installed))[0]
    counts: Counter[object] = Counter()
    kinds: dict[bool, Counter[str]] = {False: Counter(), True: Counter()}
    for n, visit in enumerate(evidence.rated_visits):
        if visit.verdict is not Verdict.FALSE:
            continue
        day = local_date(evidence.span_s(visit[0])[0], zone)
        # Since then the camera itself decided; before, the model says what it would have done.
        if day in since or (day in before and recorded[n]):
            counts[day] += 1
            kinds[day in since][visit.kind] += 1
    mean_day = float(np.mean(list(before.values())))
    expected = expected_count([float(counts[day]) for day in before], sum(since.values()) / mean_day)
    observed = sum(counts[day] for day in since)
    check = Check(expected, observed, sum(since.values()), ())
    return check if check.agrees else Check(expected, observed, check.days, _reasons(check, kinds))


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
