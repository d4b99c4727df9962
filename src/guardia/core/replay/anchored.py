"""Every figure starts from what the camera really did.

An occurrence on a motion clip was recorded under the settings of then; footage without a clip was not. What other
settings would have done follows from that fact: the camera's factor and the luck of the occurrence are the same under
both. With S the strength of an occurrence under some settings (the largest factor at which it still triggers, by which
it need not be replayed for every factor), f the camera's factor and e the occurrence's own noise, it triggers where
ln S + e >= ln f, with the chance Z(ln S - ln f). Given that it triggered under the settings of then (strength A), it
triggers under others with the chance min(1, Z(S) / Z(A)); given that it did not, with max(0, Z(S) - Z(A)) / (1 - Z(A)).
The derivation stands in docs/motion-model.md.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.evidence import Evidence, looked_during, noted_spans
from guardia.core.evidence.watch import Span
from guardia.core.hours.modes import allowed_spans
from guardia.core.hours.plan import if_known, in_spans, on_at
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability, Notch
from guardia.core.make.settings import Settings
from guardia.core.make.zone_parts import ZonePart
from guardia.core.make.zones import BlockZone, PolygonZone, ZoneDoes, ZoneKind
from guardia.core.replay.factor import NODES, CameraScale, Seen, camera_scale, passes
from guardia.core.replay.passable import passable
from guardia.core.replay.replay import Motion, Replay, motion_under, replay
from guardia.core.replay.seen import seen_by
from guardia.core.replay.strength import strengths
from guardia.core.trace.measure import least_size

NOT_KNOWN, NOT_RECORDED, RECORDED = -1, 0, 1
"""What the camera did with an occurrence."""

LIKELY = 0.5
"""What is at least so likely counts as recorded."""

Bools = NDArray[np.bool_]
Reals = NDArray[np.float64]


@dataclass(frozen=True, eq=False)
class _Gates:
    """How N occurrences stand with some settings."""

    above: Reals
    """(NODES, N) natural logarithm of strength over threshold, for each factor that is believed; -inf for nothing."""
    nothing: Bools
    """(N,) nothing of it counts: no motion inside the zone lasts."""
    closed: Bools
    """(N,) a gate that has nothing to do with its strength stops it: hours, a switch, the filter, the pause."""
    covered: Bools
    """(N,) the recording of something else covers it."""

    def __getitem__(self, which: Bools) -> _Gates:
        return _Gates(self.above[:, which], self.nothing[which], self.closed[which], self.covered[which])

    def chance(self, width: float) -> Reals:
        """(NODES, N) to be recorded, of something of which nobody knows what the camera did."""
        alone = np.where(self.closed, 0.0, np.where(self.nothing, 0.0, passes(self.above, width)))
        return np.where(self.covered, 1.0, alone)


class Anchor:
    """What a camera did with its evidence, and what is believed of its thresholds.

    Args:
        evidence: Clips, traces, occurrences, settings by date.
        capability: The make.
        like: Of the same clips and settings under other judgements, from which is kept what does not go by them.
    """

    def __init__(self, evidence: Evidence, capability: Capability, like: Anchor | None = None) -> None:
        self.evidence = evidence
        self.capability = capability
        if like is not None:
            self.seen, self.scale = like.seen, like.scale
            self.facts = like.facts
            self._gates_of = like._gates_of
            self._seconds_of = like._seconds_of

    @cached_property
    def seen(self) -> list[Seen]:
        """What the evidence shows of the levels."""
        return seen_by(self.evidence, self.capability)

    @cached_property
    def scale(self) -> CameraScale:
        """What the levels mean on this camera."""
        return camera_scale(self.seen, self.capability)

    @cached_property
    def facts(self) -> NDArray[np.int8]:
        """(N,) what the camera did with each occurrence: NOT_KNOWN, NOT_RECORDED or RECORDED.

        Footage shows what was not recorded by motion only where lists or clips show that the camera went on looking.
        """
        facts = np.full(len(self.evidence.occurrences), NOT_KNOWN, np.int8)
        looked, noted = looked_during(self.evidence), noted_spans(self.evidence)
        for place, (index, begin, end) in enumerate(self.evidence.spans):
            clip = self.evidence.clips[index]
            if clip.by_motion:
                facts[place] = RECORDED
            elif clip.id in looked:
                facts[place] = RECORDED if any(a < end and begin < b for a, b in noted) else NOT_RECORDED
        return facts

    @cached_property
    def _then(self) -> list[Settings | None]:
        """Settings in force at each occurrence."""
        by_clip = [self.evidence.in_force(clip) for clip in self.evidence.clips]
        return [by_clip[index] for index, _, _ in self.evidence.spans]

    @cached_property
    def _gates_of(self) -> dict[Settings, _Gates]:
        return {}

    @cached_property
    def _seconds_of(self) -> dict[Settings, Reals]:
        return {}

    def own(self, candidate: Candidate) -> Candidate:
        """The settings with this camera's own thresholds in place of its make's nominal ones."""
        levels = {level.label: level.factor for level in self.scale.levels}
        notches = tuple(_with_size(n, n.size * levels[n.label]) for n in candidate.capability.notches)
        return replace(candidate, capability=replace(candidate.capability, notches=notches))

    def motion(self, candidate: Candidate, *, parts: list[ZonePart] | None = None) -> Motion:
        """Sizes under some settings with this camera's own thresholds; `parts` as in motion_under()."""
        return motion_under(self.evidence, self.own(candidate), parts=parts)

    def replay(self, candidate: Candidate, *, motion: Motion | None = None) -> Replay:
        """Some settings on the evidence: what the camera did, and what follows from it for what it did not do.

        Args:
            candidate: Settings and make.
            motion: From motion(), if it is at hand.

        Returns:
            With the chance of every occurrence to be recorded; what is more likely recorded than not counts as such.

        Raises:
            InvalidValue: If the settings name a level that the make does not have.
        """
        model = replay(self.evidence, self.own(candidate), motion=motion)
        chances = self._chances(candidate.settings, model)
        likely = chances.mean(axis=0) >= LIKELY
        by_model = model.marked
        silent, more = ~likely & by_model, likely & ~by_model
        said = self._alerts_said(candidate.settings)
        more_triggers = np.isnan(model.trigger_s) & (more | ((said == 1) & likely))
        return replace(
            model,
            candidate=candidate,
            chances=chances,
            alerting=self._alerting(candidate),
            unlike_model=silent,
            lasting=self._stretches,
            share=np.where(silent, 0.0, np.where(more, 1.0, model.share)),
            late=model.late & ~silent,
            cut=model.cut & ~silent,
            trigger_s=np.where(silent, np.nan, np.where(more_triggers, self._begins, model.trigger_s)),
            alert_facts=said,
        )

    def _alerting(self, candidate: Candidate) -> Reals | None:
        """(NODES, N) chances to trigger in a zone that alerts; None where every zone records and alerts."""
        zones = candidate.settings.detection.zones
        left = tuple(
            replace(zone, does=ZoneDoes.BOTH) if isinstance(zone, PolygonZone) else zone
            for zone in zones if not (isinstance(zone, PolygonZone) and zone.does is ZoneDoes.RECORDS)
        )  # fmt: skip
        if left == zones:
            return None
        if not any(isinstance(zone, BlockZone) or zone.kind is ZoneKind.WATCH for zone in left):
            return np.zeros((NODES, len(self.evidence.occurrences)))
        only = candidate.with_values(zones=left)
        return self._chances(only.settings, replay(self.evidence, self.own(only)))

    def _alerts_said(self, settings: Settings) -> NDArray[np.int8]:
        """(N,) what the camera's list says of alerts that these settings decide as those of then did: 1, 0, or -1.

        With a time between alerts it goes by what else triggers: only for the very settings of then.
        """
        said = np.full(len(self.evidence.occurrences), NOT_KNOWN, np.int8)
        asked = _of_motion(settings)
        for then, which in self._groups:
            if then is None or (of_then := _of_motion(then)).alerts != asked.alerts:
                continue
            if settings.alerts.alert_interval_s and of_then != asked:
                continue
            same = which & (self._alert_times(then) == self._alert_times(settings))
            for place in np.flatnonzero(same).tolist():
                event = self.evidence.event_of.get(self.evidence.occurrences[place].id)
                if event is not None and event.alert is not None:
                    said[place] = event.alert
        return said

    def _alert_times(self, settings: Settings) -> Bools:
        """(N,) whether the alert hours and the mode of some settings let an alert pass as each occurrence begins."""
        evidence = self.evidence
        on = on_at(if_known(settings.hours.alert_plan, evidence.place), self._begins, evidence.place)
        spans = allowed_spans(settings.hours.modes, "alerts", *evidence.dates, evidence.place)
        return on if spans is None else on & in_spans(spans, self._begins)

    def _stretches(self, done: Replay) -> list[list[Span]]:
        """Per clip, from when to when is recorded.

        Under the settings that made a motion clip that is the clip; under others it is as much longer or shorter as the
        model says.
        """
        kept = {self.evidence.spans[place][0] for place in np.flatnonzero(done.marked).tolist()}
        stretches: list[list[Span]] = []
        before_s: dict[int, Reals] = {}  # a few settings made thousands of clips
        for index, clip in enumerate(self.evidence.clips):
            by_model = [(r.start_s, r.end_s) for r in done.recordings[index]]
            then = self.evidence.in_force(clip) if clip.by_motion else None
            whole = [(clip.start_s, clip.end_s)]
            if then is not None and then.triggers_like(done.candidate.settings):
                stretches.append(whole)
            elif then is None or not then.says_what_triggers:
                stretches.append(by_model)
            elif index not in kept:
                stretches.append([])
            else:
                if id(then) not in before_s:
                    before_s[id(then)] = self._of_then_s(then)
                before = float(before_s[id(then)][index])
                ratio = clip.duration_s / before if before > 0 else 1.0
                stretches.append([(a, a + ratio * (b - a)) for a, b in by_model] or whole)
        return stretches

    def _of_then_s(self, settings: Settings) -> Reals:
        """(C,) seconds that the model records on each clip under some settings of then."""
        self._of_then(settings)
        return self._seconds_of[settings]

    def _chances(self, settings: Settings, model: Replay) -> Reals:
        """(NODES, N) of every occurrence to be recorded."""
        draft, width = self._stand(settings, model), self.scale.width
        chances = draft.chance(width)
        for then, which in self._groups:
            own, facts = draft[which], self.facts[which]
            if then is not None and then.triggers_like(settings):
                known = np.broadcast_to(facts == RECORDED, own.above.shape).astype(np.float64)
            elif then is None or not then.says_what_triggers:
                known = self._given_unknown(own, which)
            else:
                known = _given(self._of_then(then)[which], own, facts, width)
            chances[:, which] = np.where(facts == NOT_KNOWN, chances[:, which], known)
        return chances

    @cached_property
    def _groups(self) -> list[tuple[Settings | None, Bools]]:
        """The settings of then, each with the (N,) occurrences under them."""
        numbers = {then: n for n, then in enumerate(dict.fromkeys(self._then))}
        number = np.array([numbers[then] for then in self._then], np.int64)
        return [(then, number == n) for then, n in numbers.items()]

    @cached_property
    def _begins(self) -> Reals:
        return np.array([begin for _, begin, _ in self.evidence.spans], np.float64)

    @cached_property
    def _dark(self) -> Bools:
        return np.array([self.evidence.clips[index].dark for index, _, _ in self.evidence.spans], bool)

    def _of_then(self, settings: Settings) -> _Gates:
        if settings not in self._gates_of:
            candidate = Candidate(settings, self.capability)
            model = replay(self.evidence, self.own(candidate))
            self._gates_of[settings] = self._stand(settings, model)
            seconds = [sum(r.end_s - r.start_s for r in recordings) for recordings in model.recordings]
            self._seconds_of[settings] = np.array(seconds, np.float64)
        return self._gates_of[settings]

    def _stand(self, settings: Settings, model: Replay) -> _Gates:
        """How all occurrences stand with some settings, of which this is the replay by the model."""
        strength = strengths(self.evidence, model.motion.sizes, model.motion.needed, hold_s=settings.detection.hold_s)
        reach, own = passable(self.evidence, model.candidate), strength >= 1.0
        recorded = model.marked
        return _Gates(
            _logs(strength) - self._doubt(settings), strength == 0, ~reach | (reach & own & ~recorded),
            recorded & ~(own & reach),
        )  # fmt: skip

    def _doubt(self, settings: Settings) -> Reals:
        """Factors that are believed over the one that was taken, natural logarithm.

        (NODES, N), or (NODES, 1) where they are the same for all.
        """
        if settings.detection.sensitivity is not None:
            return np.zeros((NODES, 1))
        by_day, at_night = (
            np.log(self.scale.factors(label) / self.scale.factor(label))[:, None]
            for label in (settings.in_light(dark=dark).detection.notch for dark in (False, True))
        )
        if by_day is at_night or np.array_equal(by_day, at_night):
            return by_day
        return np.where(self._dark, at_night, by_day)

    def _given_unknown(self, own: _Gates, which: Bools) -> Reals:
        """(NODES, n) of occurrences that were recorded under settings that nobody knows.

        Any level of the make over the whole picture may have been set, each as likely as it lets the occurrence
        trigger: the chance is the sum of min(Z(S), Z(A)) over that of Z(A).
        """
        chance = own.chance(self.scale.width)
        both, then = np.zeros_like(chance), np.full_like(chance, 1e-9)
        for passing in self._of_levels:
            both += np.minimum(passing[:, which], chance)
            then += passing[:, which]
        return np.where(own.covered, 1.0, both / then)

    @cached_property
    def _of_levels(self) -> list[Reals]:
        """(NODES, N) chance to trigger over the whole picture, for each level of the make."""
        levels, stack = [], self.evidence.stack
        for notch in self.capability.notches:
            needed = least_size(min(1.0, notch.size * self.scale.factor(notch.label)), stack.cells)
            sizes = stack.sizes_anywhere(contrast=notch.contrast)
            above = _logs(strengths(self.evidence, sizes, needed, hold_s=0.0))
            doubt = np.log(self.scale.factors(notch.label) / self.scale.factor(notch.label))[:, None]
            levels.append(passes(above - doubt, self.scale.width))
        return levels


def _of_motion(settings: Settings) -> Settings:
    """Settings without what decides nothing about alerts to motion."""
    return settings.with_values(causes_off=(), status_light="", extras=())


def anchored(evidence: Evidence, candidate: Candidate) -> Replay:
    """As Anchor.replay, for one that is not asked again."""
    return Anchor(evidence, candidate.capability).replay(candidate)


def _given(then: _Gates, draft: _Gates, facts: NDArray[np.int8], width: float) -> Reals:
    """(NODES, n) of occurrences to be recorded under a draft, given what the camera did under known settings."""
    before, after, free = passes(then.above, width), passes(draft.above, width), draft.chance(width)
    # Recorded: what a gate of the model contradicts then, it contradicts now; it is no reason to doubt the fact.
    kept = np.where(draft.nothing & ~then.nothing, 0.0, np.minimum(1.0, after / before))
    kept = np.where(draft.closed & ~then.closed, 0.0, kept)
    kept = np.where(then.covered & ~draft.covered, free, kept)
    kept = np.where(draft.covered, 1.0, kept)
    # Not recorded: where another gate explains that, its strength is as unknown as before.
    gained = np.maximum(0.0, after - before) / (1.0 - before)
    gained = np.where(draft.closed | draft.nothing, 0.0, gained)
    gained = np.where(then.closed, free, np.where(draft.covered & ~then.covered, 1.0, gained))
    return np.where(facts == RECORDED, kept, gained)


def _logs(strength: Reals) -> Reals:
    with np.errstate(divide="ignore"):
        logs: Reals = np.log(strength)
    return logs


def _with_size(notch: Notch, size: float) -> Notch:
    size = min(1.0, size)
    return replace(notch, size=size, size_low=min(size, notch.size_low), size_high=max(size, notch.size_high))
