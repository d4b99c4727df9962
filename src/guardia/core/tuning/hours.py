"""Hours proposed for a stated cost of a miss: exact over the quarter hours of the week, within a make's periods."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import local_date
from guardia.core.hours.periods import Period, ScheduleRules, from_periods
from guardia.core.hours.plan import DAY_MIN, EVERY_DAY, WeekPlan
from guardia.core.purpose.judgement import Verdict
from guardia.core.score.hours import outside, week_seconds
from guardia.core.tuning.enough import lacking_real

QUARTER_MIN = 15
QUARTERS = DAY_MIN // QUARTER_MIN
GUARD = 2
"""Quarter hours on either side in which the same visit may come another week: half an hour (no source: chosen so that
people who keep to their hours stay inside)."""

QUIET = 1e-4
"""What it costs to leave a quarter hour out in which nothing was seen: nothing is left out for nothing."""

SWITCH = 0.5
"""What a period costs by itself: half a false one, so that hours stay as simple as they can be."""

LEAST_GAIN = 2.0
"""Hours are proposed where they save at least two false ones on the days held out, misses counted at their cost."""

FOLDS = 5

Grouping = tuple[tuple[int, ...], ...]
GROUPINGS: tuple[Grouping, ...] = ((EVERY_DAY,), ((0, 1, 2, 3, 4), (5, 6)), tuple((day,) for day in EVERY_DAY))
"""Days that have the same hours: all, working days and weekends, or each its own."""


def best_quarters(lost: NDArray[np.float64], silenced: NDArray[np.float64], *, periods: int) -> NDArray[np.bool_]:
    """Which quarter hours of each day are on, at the least cost.

    Dynamic programming over the quarter hours of a day: the state is on or off and the number of periods begun.

    Args:
        lost: (days, quarters) what it costs to leave a quarter hour out.
        silenced: (days, quarters) what it costs to have it on.
        periods: At most so many a day, at least 1; a night counts in both days.

    Returns:
        (days, quarters) on.
    """
    days, quarters = lost.shape
    on = np.zeros((days, quarters), bool)
    for day in range(days):
        # best[k, s]: least cost so far with k periods begun, s = 1 while on.
        best = np.full((periods + 1, 2), np.inf)
        best[0, 0] = 0.0
        came = np.zeros((quarters, periods + 1, 2), np.int8)
        for q in range(quarters):
            step = np.full_like(best, np.inf)
            stay_off, go_off = best[:, 0], best[:, 1]
            step[:, 0] = np.minimum(stay_off, go_off) + lost[day, q]
            came[q, :, 0] = go_off < stay_off
            begun = np.concatenate([[np.inf], best[:-1, 0] + SWITCH])
            step[:, 1] = np.minimum(best[:, 1], begun) + silenced[day, q]
            came[q, :, 1] = best[:, 1] <= begun
            best = step
        k, state = divmod(int(best.argmin()), 2)
        for q in range(quarters - 1, -1, -1):
            on[day, q] = state == 1
            was = int(came[q, k, state])
            if state == 1 and was == 0:
                k -= 1
            state = was
    return on


@dataclass(frozen=True)
class ProposedHours:
    """Hours for one camera."""

    plan: WeekPlan | None
    """What is proposed; None where no hours do better than always on days that they were not chosen from."""
    lost: tuple[int, ...]
    """Ids of real visits outside it, on all days."""
    silenced: tuple[int, ...]
    """Ids of false ones."""
    held_out: tuple[int, int] | None
    """Real ones lost and false ones silenced by hours chosen without the days that they are counted on; None with fewer
    than two judged days."""
    lacking: str = ""
    """Why too few real ones are judged for any hours, and what would settle it; empty where they are enough."""


def propose_hours(
    evidence: Evidence, rules: ScheduleRules, *, miss_cost: float, expected_too: bool = True
) -> ProposedHours:
    """The hours of the week that cost least on the judged evidence.

    Args:
        evidence: Clips and judged visits.
        rules: What the make can be told; a make without hours gets none.
        miss_cost: What a real visit outside costs against a false one inside.
        expected_too: Real visits of people that are expected count as real, as for recording; else as false, as for
            alerts.

    Returns:
        Where nothing was seen everything stays on; no hours where too few real ones are judged to bound what is lost.
    """
    visits = evidence.visits
    days = [local_date(evidence.span_s(v[0])[0], evidence.watch.zone) for v in visits]
    real = np.array([v.verdict is Verdict.REAL and (expected_too or v.kind != "expected") for v in visits], bool)
    judged = np.array([v.verdict in (Verdict.REAL, Verdict.FALSE) for v in visits], bool)
    case = _Case(evidence, rules, miss_cost, days, real, judged & ~real)
    parts = case.parts()
    if not rules.periods_a_day or not judged.any() or not parts:
        return ProposedHours(None, (), (), None)
    if lacking := lacking_real(int(real.sum())):
        return ProposedHours(None, (), (), None, lacking)
    groupings = GROUPINGS if rules.by_weekday else GROUPINGS[:1]
    held = [case.held_out(parts, grouping) for grouping in groupings]
    costs = [miss_cost * lost - silenced for lost, silenced in held]
    best = int(np.argmin(costs))  # of those that do as well the one that asks least of the evidence
    if costs[best] > -LEAST_GAIN:
        return ProposedHours(None, (), (), held[best])
    if lacking := lacking_real(int(real.sum()), held[best][0]):
        return ProposedHours(None, (), (), held[best], lacking)
    plan = case.choose(np.ones(len(visits), bool), groupings[best])
    return ProposedHours(plan, *case.outside(plan, case.real, case.false), held[best])


@dataclass(frozen=True)
class _Case:
    """The visits of one camera: V of them, with their days, real and false ones."""

    evidence: Evidence
    rules: ScheduleRules
    miss_cost: float
    days: Sequence[date]
    real: NDArray[np.bool_]
    false: NDArray[np.bool_]

    @cached_property
    def at(self) -> NDArray[np.int64]:
        """(V,) quarter hours of the week."""
        return (week_seconds(self.evidence) // (QUARTER_MIN * 60)).astype(np.int64)

    def parts(self) -> list[set[date]]:
        """The judged days in parts that are held out in turn; none for fewer than two."""
        judged = sorted({day for day, counts in zip(self.days, self.real | self.false, strict=True) if counts})
        count = min(FOLDS, len(judged))
        return [set(judged[n::count]) for n in range(count)] if count > 1 else []

    def choose(self, seen: NDArray[np.bool_], grouping: Grouping) -> WeekPlan | None:
        """The hours that cost least on the visits seen, days of one group alike."""
        lost, silenced = _cost(self.at[seen & self.real], self.miss_cost), _cost(self.at[seen & self.false], 1.0)
        on = np.zeros((7, QUARTERS), bool)
        for group in grouping:
            own = (lost[list(group)].sum(axis=0, keepdims=True), silenced[list(group)].sum(axis=0, keepdims=True))
            on[list(group)] = best_quarters(own[0] + QUIET, own[1], periods=self.rules.periods_a_day)
        return None if on.all() else from_periods(_periods(on)).plan

    def outside(
        self, plan: WeekPlan | None, real: NDArray[np.bool_], false: NDArray[np.bool_]
    ) -> tuple[tuple[int, ...], tuple[int, ...]]:
        """Ids of some real and some false visits that lie outside a plan."""
        away = {*outside(self.evidence, plan, Verdict.REAL), *outside(self.evidence, plan, Verdict.FALSE)}
        lost, silenced = (
            tuple(v.id for v, counts in zip(self.evidence.visits, which, strict=True) if counts and v.id in away)
            for which in (real, false)
        )
        return lost, silenced

    def held_out(self, parts: Sequence[set[date]], grouping: Grouping) -> tuple[int, int]:
        """Real ones lost and false ones silenced on days that the hours were not chosen from."""
        lost = silenced = 0
        for part in parts:
            inside = np.array([day in part for day in self.days], bool)
            one, other = self.outside(self.choose(~inside, grouping), self.real & inside, self.false & inside)
            lost, silenced = lost + len(one), silenced + len(other)
        return lost, silenced


def _cost(at: NDArray[np.int64], each: float) -> NDArray[np.float64]:
    """(7, quarters) what visits weigh: each in its own quarter hour, and less and less around it."""
    weights = np.zeros(7 * QUARTERS)
    for shift in range(-GUARD, GUARD + 1):
        np.add.at(weights, (at + shift) % len(weights), each / (1 + abs(shift)))
    return weights.reshape(7, QUARTERS)


def _periods(on: NDArray[np.bool_]) -> list[Period]:
    """Periods of single days."""
    periods = []
    for day in EVERY_DAY:
        edges = np.flatnonzero(np.diff(np.concatenate([[False], on[day], [False]]).astype(np.int8)))
        periods += [Period(day, int(a) * QUARTER_MIN, int(b) * QUARTER_MIN) for a, b in edges.reshape(-1, 2)]
    return periods
