"""What the evidence says of hours: who comes when, what a plan leaves outside, and what alerts make of it."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.intervals import rate_interval
from guardia.core.evidence.evidence import Evidence
from guardia.core.hours.modes import Mode
from guardia.core.hours.place import DAY_S, wall_s
from guardia.core.hours.plan import WeekPlan, in_spans, joined, on_at, plan_spans
from guardia.core.make.candidate import Candidate
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay.replay import Replay, replay
from guardia.core.score.alerts import AlertScore, alert_score
from guardia.core.score.score import any_part

WEEK_S = 7 * DAY_S
MONDAY_S = 4 * DAY_S
"""1970-01-01 was a Thursday: the first Monday came four days later."""


@dataclass(frozen=True)
class LateSwitching:
    """What it costs that a mode is switched late, over the dates of the evidence."""

    uncovered_min: float
    """Minutes a week between leaving and the mode's coming into force."""
    real_uncovered: int
    """Real visits in those minutes."""
    alerts_on_return: int
    """Alerts told between coming home and the mode's end."""


def late_switching(evidence: Evidence, done: Replay, mode: Mode) -> LateSwitching:
    """Hold the mode as it is meant against the mode as it is switched; raises as on_spans()."""
    first, last = evidence.dates
    meant = plan_spans(mode.plan, first, last, evidence.place)
    late = 60.0 * mode.late_min
    weeks = ((last - first).days + 1) / 7
    gaps = np.column_stack([meant[:, 0], np.minimum(meant[:, 0] + late, meant[:, 1])])
    returns = np.column_stack([meant[:, 1], meant[:, 1] + late])
    begins = np.array([evidence.span_s(v[0])[0] for v in evidence.visits if v.verdict is Verdict.REAL])
    alert_times = done.trigger_s[done.told]
    return LateSwitching(
        float((gaps[:, 1] - gaps[:, 0]).sum()) / 60 / weeks,
        int(in_spans(joined(gaps), begins).sum()),
        int(in_spans(joined(returns), alert_times).sum()),
    )


LATE_ALERT_S = 5.0
"""An alert that comes later by more than this is late (common practice, no source)."""


@dataclass(frozen=True)
class HourOfDay:
    """What was seen in one of the 24 hours of the site's day."""

    watched_h: float
    """Hours watched in it, all days together."""
    real: int
    """Real visits that began in it."""
    false: int
    """False ones."""
    real_per_week: float | None
    """Real visits a week that are still possible in it: upper end of the exact interval (95 %); None if never watched.
    """


def week_seconds(evidence: Evidence) -> NDArray[np.float64]:
    """(V,) when each visit began, seconds after Monday 00:00 on the site's clock."""
    begins = [evidence.span_s(visit[0])[0] for visit in evidence.visits]
    return np.array([(wall_s(evidence.place, at) - MONDAY_S) % WEEK_S for at in begins], np.float64)


def hours_of_day(evidence: Evidence) -> list[HourOfDay]:
    """The 24 hours of the site's day, from judged visits and counted time."""
    hours = (week_seconds(evidence) % DAY_S // 3600).astype(int)
    visits, watch = evidence.visits, evidence.watch
    # What was judged outside the counted time is shown, but is not in the rate of that time.
    counted = np.array([watch.counts(*evidence.span_s(visit[0])) for visit in visits], bool)
    is_real, is_false = (
        np.array([visit.verdict is v for visit in visits], bool) for v in (Verdict.REAL, Verdict.FALSE)
    )
    real, false, rated = (np.bincount(hours[which], minlength=24) for which in (is_real, is_false, is_real & counted))
    watched = watch.hours_of_day
    # A week has seven such hours.
    possible = [7 * rate_interval(int(n), h)[1] if h > 0 else None for n, h in zip(rated, watched, strict=True)]
    return [HourOfDay(watched[h], int(real[h]), int(false[h]), possible[h]) for h in range(24)]


def outside(evidence: Evidence, plan: WeekPlan | None, verdict: Verdict) -> tuple[int, ...]:
    """Ids of judged visits that lie outside a plan from beginning to end; raises as on_spans()."""
    visits = [v for v in evidence.visits if v.verdict is verdict]
    begins = np.array([evidence.span_s(v[0])[0] for v in visits])
    ends = np.array([evidence.span_s(v[len(v) - 1])[1] for v in visits])
    on = on_at(plan, begins, evidence.place) | on_at(plan, ends, evidence.place)
    return tuple(v.id for v, inside in zip(visits, on, strict=True) if not inside)


class Remedy(NamedTuple):
    """A change that could be made against too many alerts, by itself."""

    name: str
    """What is changed."""
    candidate: Candidate
    """The settings with it."""
    detail: str = ""
    """To what, where that is long."""
    chosen_here: bool = False
    """It was chosen on the very evidence that it is counted on."""

    @property
    def words(self) -> str:
        """What is changed, and to what."""
        return f"{self.name}: {self.detail}" if self.detail else self.name


@dataclass(frozen=True)
class Cure:
    """A remedy with what it does."""

    remedy: Remedy
    """What is changed."""
    alerts: AlertScore
    """What is told then."""
    lost: int
    """Real visits that are no longer recorded."""
    late: int
    """Real visits that are told later than under the settings it starts from, or no more."""


def cures(evidence: Evidence, start: Candidate, others: Sequence[Remedy]) -> list[Cure]:
    """The same complaint cured in several ways, side by side.

    Args:
        evidence: Clips and judged occurrences.
        start: The settings that are complained about.
        others: Each with one thing changed.

    Returns:
        In the order of `others`, the start first; what only the alerts do leaves every recording.
    """
    before = replay(evidence, start)
    recorded = _recorded(evidence, before)
    at_before = _told_at(evidence, before)
    counts = []
    for remedy in (Remedy("as it is", start), *others):
        done = before if remedy.candidate == start else replay(evidence, remedy.candidate)
        lost = int((evidence.visit_table.real & recorded & ~_recorded(evidence, done)).sum())
        late = sum(
            at > at_before[i] + LATE_ALERT_S for i, at in _told_at(evidence, done).items() if at_before[i] < math.inf
        )
        counts.append(Cure(remedy, alert_score(evidence, done), lost, late))
    return counts


def _recorded(evidence: Evidence, done: Replay) -> NDArray[np.bool_]:
    """(V,) which visits are recorded, by motion or because it is always written then."""
    return any_part(evidence.visit_table, done.recorded)


def _told_at(evidence: Evidence, done: Replay) -> dict[int, float]:
    """When each real visit is first told, infinite where it is not."""
    at: dict[int, float] = {}
    for visit in evidence.visits:
        if visit.verdict is Verdict.REAL:
            places = [done.place[part.id] for part in visit]
            at[visit.id] = min((float(done.trigger_s[p]) for p in places if done.told[p]), default=math.inf)
    return at
