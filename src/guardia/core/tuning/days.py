"""Days of judged evidence: what settings do on some of them, and the parts that are held out in turn."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.intervals import Expected, rate_interval, wilson
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import length
from guardia.core.tuning.predict import expected_count
from guardia.core.tuning.search import Search
from guardia.core.tuning.trials import VARIANTS, Trial, Trials

LEAST_DAYS = 3
"""Fewer days with something judged cannot be held out from one another."""

COMING_DAYS = 7.0
"""The prediction is for a week."""

AS_IT_CAME = 0.5
"""How likely coming visits are such as those seen; else all differ from them in the same way, as one of VARIANTS."""


@dataclass(frozen=True)
class Counts:
    """What some settings do with the judged visits of some days."""

    real: int
    """Real visits."""
    missed: int
    """Of them not recorded."""
    late: int
    """Of them recorded late or cut."""
    false: int
    """False recordings."""
    days: float
    """Watched days, each of the hours that are watched; 0 when that is not known."""

    @property
    def false_per_day(self) -> tuple[float, float, float] | None:
        """Rate a day with its exact interval (95 %), None without watched time."""
        return (self.false / self.days, *rate_interval(self.false, self.days)) if self.days else None

    @property
    def missed_share(self) -> tuple[float, float, float] | None:
        """Share with its Wilson interval (95 %), None without real ones."""
        return (self.missed / self.real, *wilson(self.missed, self.real)) if self.real else None

    @property
    def precision(self) -> float | None:
        """Share of recordings that are of something real, None without recordings."""
        recorded = self.real - self.missed + self.false
        return (self.real - self.missed) / recorded if recorded else None

    @property
    def recall(self) -> float | None:
        """Share of the real visits that is recorded, None without real ones."""
        return 1 - self.missed / self.real if self.real else None

    def f_beta(self, beta: float) -> float | None:
        """The weighted harmonic mean of precision and recall, recall counting beta times as much.

        C. van Rijsbergen, Information Retrieval, 1979: (1 + b2) TP / ((1 + b2) TP + b2 FN + FP).
        """
        hits, weight = self.real - self.missed, beta * beta
        below = (1 + weight) * hits + weight * self.missed + self.false
        return (1 + weight) * hits / below if below else None


Outs = Sequence[tuple[Trial, frozenset[date]]]
"""What was chosen without some days, and those days."""


def _together(days: Iterable[float]) -> float:
    """Watched days added up, the same in whatever order they come and whether in parts or at once."""
    return round(math.fsum(days), 9)


class Days:
    """The days of the evidence: of which each visit is, and how much of each was watched."""

    def __init__(self, evidence: Evidence, trials: Trials) -> None:
        self._trials = trials
        watch = evidence.watch
        self._watched = {day: length(spans) / watch.day_s for day, spans in watch.counted.items()}
        self.all = frozenset({*self._watched, *trials.days})
        self._judged = sorted(set(trials.days))
        self._place = {day: n for n, day in enumerate(self._judged)}
        self._day = np.array([self._place[day] for day in trials.days], np.int64)

    def parts(self, folds: int, within: frozenset[date]) -> list[frozenset[date]]:
        """Some days in parts to be held out; neighbouring days lie in different ones. None for too few days."""
        judged = [day for day in self._judged if day in within]
        count = min(folds, len(judged))
        if len(judged) < LEAST_DAYS or count < 2:
            return []
        quiet = sorted(within - set(judged))
        return [frozenset([*judged[n::count], *quiet[n::count]]) for n in range(count)]

    def last(self, days: int) -> frozenset[date]:
        """The last so many days on which something is judged, and all since; none if nothing would be left before."""
        if not 0 < days < len(self._judged):
            return frozenset()
        first = self._judged[-days]
        return frozenset(day for day in self.all if day >= first)

    def visits(self, days: frozenset[date]) -> NDArray[np.bool_]:
        """(V,) which visits are of some days."""
        chosen = np.zeros(len(self._judged), bool)
        chosen[[self._place[day] for day in days if day in self._place]] = True
        return chosen[self._day]

    def _by_day(self, values: NDArray[np.float64]) -> dict[date, float]:
        """Sums of (V,) values over the visits of each day that has any."""
        return dict(zip(self._judged, np.bincount(self._day, values, len(self._judged)).tolist(), strict=True))

    def counts(self, trial: Trial, days: frozenset[date], *, node: int | None = None) -> Counts:
        """What is expected of a candidate on some days, rounded; false ones of watched days that are judged whole.

        Where no day is, all that are judged false stand instead, and there is no rate. With `node` for one factor that
        the camera may have.
        """
        recorded = trial.chances.mean(axis=0) if node is None else trial.chances[node]
        which = self.visits(days)
        real = self._trials.real & which
        false = ~self._trials.real & which & (self._trials.rated if self._watched else True)
        return Counts(
            int(real.sum()), round(float((1.0 - recorded[real]).sum())), int((real & trial.late).sum()),
            round(float(recorded[false].sum())), _together(self._watched.get(d, 0.0) for d in days),
        )  # fmt: skip

    def sum_of(self, outs: Outs) -> Counts:
        """What several candidates do, each on its own days."""
        parts = [self.counts(trial, out) for trial, out in outs]
        real, missed, late, false = (sum(getattr(p, n) for p in parts) for n in ("real", "missed", "late", "false"))
        return Counts(real, missed, late, false, _together(p.days for p in parts))

    def week(self, outs: Outs) -> tuple[Expected, Expected] | None:
        """False recordings and misses of a coming week that is watched as these days were; None without a rate.

        As wide as what is not known makes it: the camera's factor, and who comes how. The visits as they came, for
        each factor, and as each of VARIANTS of them are the ways in which these days may have been.
        """
        exposure, false, missed = [], [], []
        real, rated = self._trials.real, self._trials.rated
        for trial, out in outs:
            ways = np.concatenate([trial.chances, trial.varied[1:]])
            for day in sorted(out & self._watched.keys()):
                which = self._day == self._place.get(day, -1)
                exposure.append(self._watched[day])
                false.append(ways[:, which & rated & ~real].sum(axis=1))
                missed.append((1.0 - ways[:, which & real]).sum(axis=1))
        if not exposure:
            return None
        came, varied = len(outs[0][0].chances), len(VARIANTS) - 1
        weights = np.repeat([AS_IT_CAME / came, (1.0 - AS_IT_CAME) / varied], [came, varied])
        counted = np.array(exposure)
        of_false, of_missed = (
            expected_count(np.array(n).T, counted, COMING_DAYS, weights=weights) for n in (false, missed)
        )
        return of_false, of_missed

    def gains(self, search: Search, base: Trial, outs: Outs) -> NDArray[np.float64]:
        """What the choices save on each day held out, the price of a new miss in it."""
        saved, real = [], self._trials.real
        for trial, out in outs:
            which = self.visits(out)
            newly = np.where(real & which & base.recorded & ~trial.recorded, search.cost.more, 0.0)
            by_day = self._by_day(search.price(base, which) - search.price(trial, which) - newly)
            saved += [by_day.get(day, 0.0) for day in sorted(out) if day in self._place or self._watched.get(day)]
        return np.array(saved)
