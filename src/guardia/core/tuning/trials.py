"""What settings would do with every judged visit, as recorded and on likely variants of it.

Who comes next week walks a little elsewhere, at another size and in another light. So each visit is tried as it was
recorded and on variants of it: moved by a cell to each side, smaller and larger, in a light in which less or more
shows. The share of the variants that a setting fails is its risk of losing that visit, or of recording that false one.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from datetime import date
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.clips import Visit
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.required import required_of
from guardia.core.evidence.watch import local_date
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.zone_parts import ZonePart, zone_parts
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay.anchored import Anchor
from guardia.core.replay.replay import Motion, Replay, motion_under
from guardia.core.replay.strength import lasting_sizes
from guardia.core.score.score import any_part, visit_chances, visit_outcomes
from guardia.core.trace.measure import CONTRAST_LEVELS

KEPT_MOTIONS = 48
"""Sizes of motion that are remembered; one takes four bytes for each picture."""


@dataclass(frozen=True)
class Variant:
    """A way in which the next visit may differ from the recorded one."""

    across: int = 0
    """It moves so many cells to the right."""
    down: int = 0
    """It moves so many cells down."""
    size: float = 1.0
    """Its size in shares of the recorded one."""
    dimmer: bool = False
    """It shows only at the next higher contrast level."""
    brighter: bool = False
    """It shows at the next lower one as well."""


AS_RECORDED = Variant()
VARIANTS = (
    AS_RECORDED, Variant(across=1), Variant(across=-1), Variant(down=1), Variant(down=-1), Variant(size=0.8),
    Variant(size=1.25), Variant(dimmer=True), Variant(brighter=True),
)  # fmt: skip
"""Each counts alike. A cell is a thirty-second of the picture's width (no source: chosen on the demo's first week and
on footage of another source, where zones that hugged the evidence lost somebody on the days after)."""


@dataclass(frozen=True)
class Cost:
    """What a technician gives for what; a false alert costs 1, a false recording as much where nobody is alerted."""

    miss: float = 5.0
    """Of a real occurrence that is not recorded, or not alerted, as it was asked."""
    more: float = 20.0
    """Of each that is lost so above what the installed settings lose, besides."""
    late: float = 1.0
    """Of one that is recorded late or cut."""
    by_kind: Mapping[str, float] = field(default_factory=dict)
    """Factor on both for single kinds of occurrence, by their ids."""


SILENT = 0.25
"""What a false recording costs that alerts nobody, where alerts matter: somebody scrolls past it (no source)."""

EARLIER_S, OWN_S = 3600.0, 30.0
"""A visit comes up to an hour earlier or later another day; an alert so near its beginning is its own (no source)."""

OF_ALERT = 0.6
"""Which part of a miss it is that nobody is alerted, where it must be recorded as well (no source)."""


@dataclass(frozen=True, eq=False)
class Trial:
    """What one candidate does with V judged visits."""

    candidate: Candidate
    """Settings and make."""
    recorded: NDArray[np.bool_]
    """(V,) as they were recorded."""
    late: NDArray[np.bool_]
    """(V,) real ones that are recorded late or cut."""
    risk: NDArray[np.float64]
    """(V,) of a real one the share of variants that is lost, of a false one the share that is recorded."""
    varied: NDArray[np.bool_]
    """(variants, V) recorded if all visits differ in the same way, as when the camera's grid lies a little off ours."""
    strength: NDArray[np.float64]
    """(V,) by how much the visit passes by itself: its largest lasting size over the size needed; below 1 where it does
    not."""
    chances: NDArray[np.float64]
    """(K, V) to be recorded, given what the camera did with them, for each factor that the camera may have, rising."""
    alerts: NDArray[np.float64]
    """(K, V) that somebody is alerted to it, likewise."""
    alerted: NDArray[np.bool_]
    """(V,) somebody is alerted to it as it was recorded."""
    alert_risk: NDArray[np.float64]
    """(V,) as `risk`: the share of variants that nobody is alerted to, or of a false one, that somebody is."""

    @cached_property
    def did(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """(V,) how likely each is recorded, and alerted."""
        return self.chances.mean(axis=0), self.alerts.mean(axis=0)


class Trials:
    """Tries candidates on the judged evidence of one camera, remembering what several of them share.

    Args:
        evidence: Clips, traces and judged occurrences. Of real visits those count that must be recorded or alerted, all
            of them; false ones are those recorded because it moved, for rates only those of watched days that are
            judged whole.
    """

    def __init__(self, evidence: Evidence) -> None:
        self.evidence = evidence
        required = required_of(evidence)
        if evidence.purpose is None and _alerts_off(evidence):
            required = required._replace(alerted=np.zeros(len(required.alerted), bool))
        asked = required.recorded | required.alerted
        real = [v for v, counts in zip(evidence.visits, asked, strict=True) if counts]
        false = [v for v in evidence.recorded_visits if v.verdict is Verdict.FALSE]
        rated = {v.id for v in evidence.rated_visits}
        self.visits: list[Visit] = [*real, *false]
        self.rated = np.array([v.id in rated for v in self.visits], bool)
        self.real = np.arange(len(self.visits)) < len(real)
        none = np.zeros(len(false), bool)
        self.to_record: NDArray[np.bool_] = np.concatenate([required.recorded[asked], none])
        """(V,) must be recorded."""
        self.to_alert: NDArray[np.bool_] = np.concatenate([required.alerted[asked], none])
        """(V,) somebody must be alerted to it."""
        self._asked = np.flatnonzero(asked)
        self.days: list[date] = [local_date(evidence.span_s(v[0])[0], evidence.watch.zone) for v in self.visits]
        self._anchor: Anchor | None = None
        self._trials: dict[Candidate, Trial] = {}
        self._motions: OrderedDict[tuple[object, ...], Motion] = OrderedDict()
        self._strengths: dict[tuple[object, ...], NDArray[np.float64]] = {}

    @cached_property
    def on_alerts(self) -> bool:
        """Whether alerts matter: somebody asked for some, or nobody said and they are switched on."""
        return bool(self.to_alert.any())

    def kept(self, trial: Trial) -> NDArray[np.bool_]:
        """(V,) which of the real ones are recorded and alerted as they must be."""
        both: NDArray[np.bool_] = (~self.to_record | trial.recorded) & (~self.to_alert | trial.alerted)
        return self.real & both

    @property
    def asked(self) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
        """(V,) which must be recorded, and which alerted."""
        return self.to_record, self.to_alert

    def newly_lost(self, base: Trial, trial: Trial) -> NDArray[np.bool_]:
        """(V,) what must be recorded, or alerted, and is so under `base` and no longer under another candidate."""
        newly: NDArray[np.bool_] = (self.to_record & base.recorded & ~trial.recorded) | (
            self.to_alert & base.alerted & ~trial.alerted
        )
        return newly

    def weights(self, cost: Cost) -> NDArray[np.float64]:
        """(V,) factors by kind of the real ones, 1 for false ones."""
        return np.array([cost.by_kind.get(v.kind, 1.0) if real else 1.0
                         for v, real in zip(self.visits, self.real, strict=True)])  # fmt: skip

    def anchor(self, capability: Capability) -> Anchor:
        """What the camera did, of a make; all candidates of one camera have the same."""
        if self._anchor is None or self._anchor.capability != capability:
            self._anchor = Anchor(self.evidence, capability)
        return self._anchor

    def __len__(self) -> int:
        return len(self._trials)

    def all(self) -> list[Trial]:
        """Everything tried so far, in that order."""
        return list(self._trials.values())

    def of(self, candidate: Candidate) -> Trial:
        """Try a candidate; raises InvalidValue if it names a notch that the make does not have."""
        if candidate not in self._trials:
            self._trials[candidate] = self._try(candidate)
        return self._trials[candidate]

    @cached_property
    def _rows(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Rows of the real visits in the table of visits, and of the false ones in that of recorded visits."""
        return self._asked, np.flatnonzero(self.evidence.recorded_table.false)

    def _try(self, candidate: Candidate) -> Trial:
        evidence, grid = self.evidence, self.evidence.stack.grid
        anchor = self.anchor(candidate.capability)
        own = anchor.own(candidate)
        parts = zone_parts(own, grid=grid)
        done = anchor.replay(candidate, motion=self._motion(own, parts))
        reals, falses = self._rows
        of_real = visit_outcomes(evidence.visit_table, done)
        recorded = np.concatenate([of_real[0][reals], visit_outcomes(evidence.recorded_table, done)[0][falses]])
        late = np.concatenate([(of_real[1] | of_real[2])[reals], np.zeros(len(falses), bool)])
        strengths = np.array([self._strength(own, parts, variant) for variant in VARIANTS])
        passes = strengths >= 1.0
        # What is recorded without triggering by itself, or triggers and is refused by a later gate, goes as recorded.
        varied = np.where(passes[0] == recorded, passes, recorded)
        both = ((evidence.visit_table, reals), (evidence.recorded_table, falses))
        chances, alerts = (
            np.concatenate([visit_chances(table, done, alerted=told)[:, rows] for table, rows in both], axis=1)
            for told in (False, True)
        )
        alerted = np.concatenate([any_part(table, done.told)[rows] for table, rows in both])
        as_it_came = chances.mean(axis=0)
        share = (as_it_came + varied[1:].sum(axis=0)) / len(VARIANTS)
        passing = np.where(recorded, share, as_it_came)
        # What is alerted as it came is alerted as far as its variants trigger; the gates behind do not go by them.
        told = np.where(alerts.any(axis=0), np.where(alerted, share, alerts.mean(axis=0)), 0.0)
        told = told * np.where(self.real, 1.0 - self._too_soon(done), 1.0)
        risk = np.where(self.real, 1.0 - passing, share)
        return Trial(
            candidate, recorded, late, risk.astype(np.float64), varied, strengths[0], chances, alerts, alerted,
            np.where(self.real, 1.0 - told, told),
        )  # fmt: skip

    def _too_soon(self, done: Replay) -> float | NDArray[np.float64]:
        """(V,) chance that the time between alerts swallows a visit that comes somewhat earlier or later.

        Who comes next week comes at another minute: the share of the time around it that lies behind another alert.
        """
        interval_s = done.candidate.settings.alerts.alert_interval_s
        if not interval_s:
            return 0.0
        alerts = np.sort(done.trigger_s[done.told])
        begins = np.array([self.evidence.span_s(visit[0])[0] for visit in self.visits], np.float64)
        # Alerts are at least that time apart, so that what they swallow does not overlap.
        first, last = begins[:, None] - EARLIER_S, begins[:, None] + EARLIER_S
        inside = np.clip(np.minimum(alerts + interval_s, last) - np.maximum(alerts, first), 0.0, interval_s)
        own = np.abs(alerts - begins[:, None]) < OWN_S
        share: NDArray[np.float64] = np.where(own, 0.0, inside).sum(axis=1) / (2 * EARLIER_S)
        return np.minimum(1.0, share)

    def _motion(self, candidate: Candidate, parts: list[ZonePart]) -> Motion:
        key = (_key(parts), candidate.sensitivity, candidate.capability.zone_test)
        if key not in self._motions:
            self._motions[key] = motion_under(self.evidence, candidate, parts=parts)
        self._motions.move_to_end(key)
        while len(self._motions) > KEPT_MOTIONS:
            self._motions.popitem(last=False)
        return self._motions[key]

    def _strength(self, candidate: Candidate, parts: list[ZonePart], variant: Variant) -> NDArray[np.float64]:
        """(V,) largest lasting size of each visit over the size needed."""
        moved = [_moved(part, variant) for part in parts]
        hold_s = candidate.settings.detection.hold_s
        key = (_key(moved), hold_s, candidate.capability.zone_test, candidate.sensitivity)
        if key not in self._strengths:
            motion = self._motion(candidate, moved)
            lasting = lasting_sizes(self.evidence.stack, motion.sizes, hold_s) / motion.needed
            self._strengths[key] = self._of_visits(lasting)
        return self._strengths[key] * variant.size

    @cached_property
    def _windows(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """First and last picture of every part of the visits, and where each visit's parts begin."""
        place = {o.id: n for n, o in enumerate(self.evidence.occurrences)}
        rows = [place[part.id] for visit in self.visits for part in visit]
        first = np.cumsum([0, *(len(v) for v in self.visits)])[:-1].astype(np.int64)
        return self.evidence.windows[rows].reshape(-1, 2), first

    def _of_visits(self, lasting: NDArray[np.float64]) -> NDArray[np.float64]:
        windows, first = self._windows
        if not len(first):
            return np.zeros(0)
        padded = np.append(lasting, 0.0)
        each = np.maximum.reduceat(padded, windows.ravel())[::2]
        each = np.where(windows[:, 1] > windows[:, 0], each, 0.0)
        largest: NDArray[np.float64] = np.maximum.reduceat(each, first)
        return largest


def _alerts_off(evidence: Evidence) -> bool:
    """Whether alerts are switched off in the settings in force: nobody who said nothing else wants any."""
    now = evidence.epochs[-1].settings if evidence.epochs else None
    return now is not None and not now.alerts.alerts_on


def _key(parts: list[ZonePart]) -> tuple[object, ...]:
    return tuple((part.cells.tobytes(), *(getattr(part, f.name) for f in _APART)) for part in parts)


_APART = [f for f in fields(ZonePart) if f.name != "cells"]


def _moved(part: ZonePart, variant: Variant) -> ZonePart:
    """The zone as a variant meets it: what moves a cell to the right meets the zone a cell to the left."""
    cells, contrast = part.cells, part.contrast
    if variant.across or variant.down:
        rows, columns = cells.shape
        row = np.clip(np.arange(rows) + variant.down, 0, rows - 1)
        column = np.clip(np.arange(columns) + variant.across, 0, columns - 1)
        cells = cells[np.ix_(row, column)]
    if variant.dimmer:
        contrast = next((c for c in CONTRAST_LEVELS if c > contrast), contrast)
    if variant.brighter:
        contrast = next((c for c in reversed(CONTRAST_LEVELS) if c < contrast), contrast)
    return replace(part, cells=cells, contrast=contrast)
