"""Days of judged evidence: what settings do on some of them, and the parts that are held out in turn."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields
from datetime import date

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.intervals import Expected, rate_interval, wilson
from guardia.core.base.words import count_of
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
    """Real visits that must be recorded, or alerted."""
    missed: int
    """Of those that must be recorded not recorded."""
    late: int
    """Of them recorded late or cut."""
    false: int
    """False recordings."""
    days: float
    """Watched days, each of the hours that are watched; 0 when that is not known."""
    unalerted: int = 0
    """Real visits somebody must be alerted to, and nobody is."""
    lost: int = 0
    """Real visits that are not recorded, or not alerted, as they must be."""
    false_alerts: int = 0
    """False alerts."""
    alerting: bool = False
    """Whether alerts matter: else it is the false recordings that are in the way."""

    @property
    def nuisance(self) -> int:
        """What is to be fewer: false alerts, or false recordings where nobody is to be alerted."""
        return self.false_alerts if self.alerting else self.false

    @property
    def nuisance_per_day(self) -> tuple[float, float, float] | None:
        """Its rate a day."""
        return self.false_alerts_per_day if self.alerting else self.false_per_day

    @property
    def lost_share(self) -> tuple[float, float, float] | None:
        """Share of the real visits that are lost with its Wilson interval (95 %), None without real ones."""
        return (self.lost / self.real, *wilson(self.lost, self.real)) if self.real else None

    @property
    def false_alerts_per_day(self) -> tuple[float, float, float] | None:
        """Rate a day with its exact interval (95 %), None without watched time."""
        days = self.days
        return (self.false_alerts / days, *rate_interval(self.false_alerts, days)) if days else None

    @property
    def false_per_day(self) -> tuple[float, float, float] | None:
        """Rate a day with its exact interval (95 %), None without watched time."""
        return (self.false / self.days, *rate_interval(self.false, self.days)) if self.days else None

    @property
    def missed_share(self) -> tuple[float, float, float] | None:
        """Share with its Wilson interval (95 %), None without real ones."""
        return (self.missed / self.real, *wilson(self.missed, self.real)) if self.real else None

    def against(self, before: Counts) -> str:
        """What it costs, and what it brings, against other settings on the same days, in one line."""
        what = "false alert" if self.alerting else "false recording"
        parts = [
            (before.nuisance - self.nuisance, what, ""), (before.lost - self.lost, "real one lost", "real ones lost"),
            (before.late - self.late, "late or cut", "late or cut"),
        ]  # fmt: skip
        if self.alerting:
            parts.append((before.false - self.false, "false recording", ""))
        said = []
        for fewer, one, several in parts:
            how = "fewer" if fewer > 0 else "more"
            if fewer:
                said.append(count_of(abs(fewer), f"{how} {one}", several and f"{how} {several}"))
        return ", ".join(said) or "changes nothing on these days"

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

    @property
    def judged(self) -> int:
        """On so many days something is judged."""
        return len(self._judged)

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
        recorded, alerted = (c.mean(axis=0) if node is None else c[node] for c in (trial.chances, trial.alerts))
        which, trials = self.visits(days), self._trials
        real = trials.real & which
        false = ~trials.real & which & (trials.rated if self._watched else True)
        missed, unalerted = (1.0 - recorded) * trials.to_record, (1.0 - alerted) * trials.to_alert

        def number(chances: NDArray[np.float64], of: NDArray[np.bool_]) -> int:
            return round(float(chances[of].sum()))

        return Counts(
            int(real.sum()), number(missed, real), int((real & trial.late).sum()), number(recorded, false),
            _together(self._watched.get(d, 0.0) for d in days),
            number(unalerted, real), number(np.maximum(missed, unalerted), real), number(alerted, false),
            trials.on_alerts,
        )  # fmt: skip

    def sum_of(self, outs: Outs) -> Counts:
        """What several candidates do, each on its own days."""
        parts = [self.counts(trial, out) for trial, out in outs]
        names = [f.name for f in fields(Counts) if f.name not in ("days", "alerting")]
        sums = {name: sum(getattr(part, name) for part in parts) for name in names}
        return Counts(**sums, days=_together(p.days for p in parts), alerting=self._trials.on_alerts)

    def week(self, outs: Outs) -> tuple[Expected, Expected, Expected] | None:
        """False recordings, misses and false alerts of a coming week that is watched as these days were; None without a
        rate.

        As wide as what is not known makes it: the camera's factor, and who comes how. The visits as they came, for
        each factor, and as each of VARIANTS of them are the ways in which these days may have been.
        """
        exposure, counted = [], []
        real, rated, to_record = self._trials.real, self._trials.rated, self._trials.to_record
        for trial, out in outs:
            ways = np.concatenate([trial.chances, trial.varied[1:]])
            told = np.concatenate([trial.alerts, trial.varied[1:] & trial.alerts.any(axis=0)])
            for day in sorted(out & self._watched.keys()):
                which = self._day == self._place.get(day, -1)
                exposure.append(self._watched[day])
                false = which & rated & ~real
                sums = (ways[:, false], 1.0 - ways[:, which & to_record], told[:, false])
                counted.append([part.sum(axis=1) for part in sums])
        if not exposure:
            return None
        came, varied = len(outs[0][0].chances), len(VARIANTS) - 1
        weights = np.repeat([AS_IT_CAME / came, (1.0 - AS_IT_CAME) / varied], [came, varied])
        false, missed, alerts = (
            expected_count(np.array(of_days).T, np.array(exposure), COMING_DAYS, weights=weights)
            for of_days in zip(*counted, strict=True)
        )
        return false, missed, alerts

    def gains(self, search: Search, base: Trial, outs: Outs) -> NDArray[np.float64]:
        """What the choices save on each day held out, less the price of what is newly lost there and not made good."""
        saved = []
        for trial, out in outs:
            which = self.visits(out)
            by_day = self._by_day(search.price(base, which) - search.price(trial, which))
            newly, regained = (
                self._by_day((which & self._trials.newly_lost(*both)).astype(np.float64))
                for both in ((base, trial), (trial, base))
            )
            by_day = {d: gain - search.cost.more * max(0.0, newly[d] - regained[d]) for d, gain in by_day.items()}
            saved += [by_day.get(day, 0.0) for day in sorted(out) if day in self._place or self._watched.get(day)]
        return np.array(saved)
