"""What the evidence says of hours: who comes when, what a plan leaves outside, and what alerts make of it."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.intervals import rate_interval
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.judgement import Verdict
from guardia.core.hours.place import DAY_S, wall_s
from guardia.core.hours.plan import WeekPlan, on_at
from guardia.core.replay.replay import Replay
from guardia.core.score.score import visit_outcomes

WEEK_S = 7 * DAY_S
MONDAY_S = 4 * DAY_S
"""1970-01-01 was a Thursday: the first Monday came four days later."""

BURST_S = 300.0
"""Alerts that follow one another within five minutes are one burst (common practice, no source)."""


@dataclass(frozen=True)
class HourOfDay:
    """What was seen in one of the 24 hours of the site's day.

    Parameters
    ----------
    watched_h
        Hours watched in it, all days together.
    real
        Real visits that began in it.
    false
        False ones.
    real_per_week
        Real visits a week that are still possible in it: upper end of the exact interval (95 %); None if never watched.
    """

    watched_h: float
    real: int
    false: int
    real_per_week: float | None


def week_seconds(evidence: Evidence) -> NDArray[np.float64]:
    """(V,) when each visit began, seconds after Monday 00:00 on the site's clock."""
    begins = [evidence.span_s(visit[0])[0] for visit in evidence.visits]
    return np.array([(wall_s(evidence.place, at) - MONDAY_S) % WEEK_S for at in begins], np.float64)


def hours_of_day(evidence: Evidence) -> list[HourOfDay]:
    """The 24 hours of the site's day, from judged visits and counted time."""
    hours = (week_seconds(evidence) % DAY_S // 3600).astype(int)
    verdicts = [visit.verdict for visit in evidence.visits]
    real, false = (
        np.bincount(hours[[v is wanted for v in verdicts]], minlength=24) if verdicts else np.zeros(24, int)
        for wanted in (Verdict.REAL, Verdict.FALSE)
    )
    watched = evidence.watch.hours_of_day()
    # A week has seven such hours.
    possible = [7 * rate_interval(int(n), h)[1] if h > 0 else None for n, h in zip(real, watched, strict=True)]
    return [HourOfDay(watched[h], int(real[h]), int(false[h]), possible[h]) for h in range(24)]


def outside(evidence: Evidence, plan: WeekPlan | None, verdict: Verdict) -> tuple[int, ...]:
    """Ids of judged visits that lie outside a plan from beginning to end; raises as on_spans()."""
    visits = [v for v in evidence.visits if v.verdict is verdict]
    begins = np.array([evidence.span_s(v[0])[0] for v in visits])
    ends = np.array([evidence.span_s(v[len(v) - 1])[1] for v in visits])
    on = on_at(plan, begins, evidence.place) | on_at(plan, ends, evidence.place)
    return tuple(v.id for v, inside in zip(visits, on, strict=True) if not inside)


@dataclass(frozen=True)
class AlertScore:
    """What somebody is told under some settings.

    Parameters
    ----------
    false
        False alerts on motion clips in counted time.
    per_day
        False alerts a day with the exact interval (95 %); None without watched time.
    real_told
        Real visits that are told.
    real_silent
        Ids of real visits that trigger and are not told.
    not_expected
        Real visits of people that are expected, told all the same: alerts too many.
    longest_burst
        Most alerts, each within five minutes of the one before.
    longest_silence_s
        Longest time from the beginning of a real visit that is told in the end to the alert.
    """

    false: int
    per_day: tuple[float, float, float] | None
    real_told: int
    real_silent: tuple[int, ...]
    not_expected: int
    longest_burst: int
    longest_silence_s: float


def alert_score(evidence: Evidence, done: Replay) -> AlertScore:
    """Count the alerts of a replay; a visit of several parts is told when any part is."""
    told, triggered = done.alerts.told, ~np.isnan(done.trigger_s)
    visits, rated = evidence.visit_table, evidence.rated_table
    false, days = 0, evidence.watch.counted_days
    if len(rated.ids):
        false = int((rated.false & np.logical_or.reduceat(told[rated.parts], rated.first)).sum())
    real_told = silent = np.zeros(len(visits.ids), bool)
    longest = 0.0
    if len(visits.ids):
        any_told = np.logical_or.reduceat(told[visits.parts], visits.first)
        any_triggered = np.logical_or.reduceat(triggered[visits.parts], visits.first)
        real_told, silent = visits.real & any_told, visits.real & any_triggered & ~any_told
        for n in np.flatnonzero(real_told).tolist():
            visit = evidence.visits[n]
            first = next(float(done.trigger_s[done.place[p.id]]) for p in visit if told[done.place[p.id]])
            longest = max(longest, first - evidence.span_s(visit[0])[0])
    expected = sum(bool(real_told[n]) and evidence.visits[n].kind == "expected" for n in range(len(visits.ids)))
    times = np.sort(done.trigger_s[told])
    burst = most = int(len(times) > 0)
    for before, after in pairwise(times.tolist()):
        burst = burst + 1 if after - before <= BURST_S else 1
        most = max(most, burst)
    rate = (false / days, *rate_interval(false, days)) if days else None
    return AlertScore(false, rate, int(real_told.sum()), tuple(visits.ids[silent].tolist()), expected, most, longest)


def recorded_outside_alerts(evidence: Evidence, done: Replay) -> int:
    """Real visits that are recorded and not told: what curing alerts leaves recorded."""
    recorded = visit_outcomes(evidence.visit_table, done)[0]
    silent = set(alert_score(evidence, done).real_silent)
    return sum(bool(r) and i in silent for r, i in zip(recorded, evidence.visit_table.ids.tolist(), strict=True))
