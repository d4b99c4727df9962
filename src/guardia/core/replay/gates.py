"""The gates between motion and an alert, in the order in which they are walked.

A new gate is a class here and its place in GATES; score, flips, filters, tables and words follow. A gate that acts on
what may trigger (a switch, a filter, hours) says so in `leaves`; the others only judge what became of an occurrence.
"""

from __future__ import annotations

import bisect
from collections.abc import Mapping
from typing import NamedTuple

import numpy as np

from guardia.core.evidence.evidence import MARGIN_S, Evidence
from guardia.core.evidence.watch import merged
from guardia.core.hours.modes import allowed_spans
from guardia.core.hours.plan import ALWAYS, Spans, WeekPlan, if_known, plan_spans
from guardia.core.make.candidate import Candidate
from guardia.core.replay.gate import BEHIND, LEAST_SHARE, STORE_GATES, Gate, Look, NumberGate, Stage, TimeGate, percent
from guardia.core.replay.objects import ObjectClass, lets_through, object_classes
from guardia.core.storage.rules import RecordingMode
from guardia.core.trace.stack import Run


class HoursGate(TimeGate):
    """It must be within the recording hours."""

    id = "recording hours"
    stage = Stage.TRIGGERED

    def spans(self, evidence: Evidence, candidate: Candidate) -> Spans | None:
        """As TimeGate.spans."""
        plan = if_known(candidate.settings.hours.recording_plan, evidence.place)
        # In its hours such a camera records always, and by motion outside of them.
        mixed = candidate.settings.storage.mode is RecordingMode.MIXED
        return None if plan is None or mixed else plan_spans(plan, *evidence.dates, evidence.place)

    def words(self, look: Look) -> str:
        """As Gate.words."""
        plan = look.settings.hours.recording_plan
        return f"it lies outside the recording hours: {plan.words if plan is not None else ''}"


class ModeGate(TimeGate):
    """The mode in force must record."""

    id = "mode"
    stage = Stage.TRIGGERED

    def spans(self, evidence: Evidence, candidate: Candidate) -> Spans | None:
        """As TimeGate.spans."""
        return allowed_spans(candidate.settings.hours.modes, "records", *evidence.dates, evidence.place)

    def words(self, look: Look) -> str:
        """As Gate.words."""
        silent = [mode.name for mode in look.settings.hours.modes if not mode.records]
        return f"the mode in force does not record: {' or '.join(silent)}"


class PauseGate(TimeGate):
    """On some makes an alert pause, or alerts switched off, stops recording, too."""

    id = "alert pause"
    stage = Stage.TRIGGERED

    def spans(self, evidence: Evidence, candidate: Candidate) -> Spans | None:
        """As TimeGate.spans."""
        settings = candidate.settings
        if "recording by motion" not in candidate.capability.alert_pause_stops:
            return None
        if not settings.alerts.alerts_on:
            return np.zeros((0, 2))
        plan = if_known(settings.hours.alert_plan, evidence.place)
        if plan is None or not any(s.rule == "off" for s in plan.specials):
            return None
        return plan_spans(WeekPlan(ALWAYS.stretches, plan.specials), *evidence.dates, evidence.place)

    def words(self, look: Look) -> str:
        """As Gate.words."""
        what = "an alert pause" if look.settings.alerts.alerts_on else "alerts switched off"
        return f"on this make {what} stops recording, too"


class DetectionGate(Gate):
    """The switch."""

    id = "detection on"
    stage = Stage.TRIGGERED

    def closed(self, look: Look) -> bool:
        """Whether detection is off."""
        return not look.settings.detection.detection_on

    def words(self, look: Look) -> str:
        """As Gate.words."""
        del look
        return "motion detection is switched off, so nothing is recorded"

    def leaves(self, evidence: Evidence, candidate: Candidate, runs: list[list[Run]]) -> list[list[Run]]:
        """All or nothing."""
        return runs if candidate.settings.detection.detection_on else [[] for _ in runs]


class ZoneGate(Gate):
    """Something must move inside."""

    id = "zone"
    stage = Stage.TRIGGERED

    def closed(self, look: Look) -> bool:
        """Whether it moved outside only."""
        return look.largest_inside == 0 and look.largest_anywhere > 0

    def words(self, look: Look) -> str:
        """As Gate.words."""
        anywhere = percent(look.largest_anywhere / look.whole)
        return f"none of it moved inside the zone; outside it reached {anywhere} of the picture"


class SizeGate(NumberGate):
    """It must be large enough."""

    id = "size"
    stage = Stage.TRIGGERED

    def numbers(self, look: Look) -> tuple[float, float]:
        """Shares of the picture."""
        return look.largest_inside / look.whole, look.needed / look.whole

    def words(self, look: Look) -> str:
        """As Gate.words."""
        reached, needed = map(percent, self.numbers(look))
        return f"its largest motion in the zone was {reached} of the picture, {needed} is needed"


class HoldGate(NumberGate):
    """It must be large enough for long enough."""

    id = "hold"
    stage = Stage.TRIGGERED

    def numbers(self, look: Look) -> tuple[float, float]:
        """Seconds."""
        return look.longest_s + 1e-6, look.settings.detection.hold_s

    def words(self, look: Look) -> str:
        """As Gate.words."""
        lasted = f"for {look.longest_s:.1f} s at a time" if look.longest_s else "in single pictures only"
        return f"it was large enough {lasted}, {look.settings.detection.hold_s:.1f} s is needed"


class ObjectGate(Gate):
    """It must be of a class that the filter lets through."""

    id = "object filter"
    stage = Stage.TRIGGERED

    def closed(self, look: Look) -> bool:
        """Whether its class is known and not let through."""
        return look.found is not None and not lets_through(look.found, look.settings.detection.objects)

    def words(self, look: Look) -> str:
        """As Gate.words."""
        thing = look.found or ObjectClass((), "")
        named = " and ".join(thing.names) or "no object"
        said = {"camera": "the camera named", "judgement": "it was judged", "size and speed": "its size and speed say"}
        through = " and ".join(look.settings.detection.objects)
        return f"{said.get(thing.by, 'it is')} {named}; the filter lets {through} through"

    def leaves(self, evidence: Evidence, candidate: Candidate, runs: list[list[Run]]) -> list[list[Run]]:
        """The runs during occurrences that are let through; mere motion between them triggers nothing.

        Occurrences that touch are one stretch. On a clip without occurrences nobody can name a class: all is let
        through.
        """
        wanted = candidate.settings.detection.objects
        if not wanted:
            return runs
        classes = object_classes(evidence, candidate.capability)
        passing = list(runs)
        for clip_id, occurrences in evidence.of_clip.items():
            index = evidence.clip_index[clip_id]
            times = evidence.stack.times[index]
            spans = [
                (o.start_s - MARGIN_S, o.end_s + MARGIN_S) for o in occurrences if lets_through(classes[o.id], wanted)
            ]
            passing[index] = []
            for begin_s, end_s in merged(spans):
                low, high = bisect.bisect_left(times, begin_s), bisect.bisect_right(times, end_s) - 1
                passing[index] += [(max(a, low), min(b, high)) for a, b in runs[index] if a <= high and b >= low]
        return passing


class RestGate(Gate):
    """The camera must be free."""

    id = "rest after a recording"
    stage = Stage.TRIGGERED

    def closed(self, look: Look) -> bool:
        """Whether it was recording or resting."""
        return look.held_while_resting is not None

    def words(self, look: Look) -> str:
        """As Gate.words."""
        return f"the camera was recording or resting for another {look.held_while_resting:.1f} s"


class LengthGate(NumberGate):
    """The recordings must cover enough of it."""

    id = "length"
    stage = Stage.RECORDED

    def numbers(self, look: Look) -> tuple[float, float]:
        """Shares of the occurrence."""
        return look.share, LEAST_SHARE

    def words(self, look: Look) -> str:
        """As Gate.words."""
        return f"the recordings cover only {look.share:.0%} of it, {LEAST_SHARE:.0%} is needed"


class StoreGate(Gate):
    """The store must be there, take recordings, and still hold them."""

    stage = Stage.KEPT

    def __init__(self, name: str) -> None:
        self.id = name

    def closed(self, look: Look) -> bool:
        """Whether this reason holds."""
        return self.id in look.store

    def words(self, look: Look) -> str:
        """As Gate.words."""
        return look.store[self.id]


class AlertsGate(Gate):
    """Alerts must be on."""

    id = "alerts on"
    stage = Stage.ALERTED

    def closed(self, look: Look) -> bool:
        """Whether they are off."""
        return not look.settings.alerts.alerts_on

    def words(self, look: Look) -> str:
        """As Gate.words."""
        del look
        return "alerts are switched off"


class AlertClassGate(Gate):
    """It must be of a class that alerts let through."""

    id = "alert filter"
    stage = Stage.ALERTED

    def closed(self, look: Look) -> bool:
        """Whether its class is not let through."""
        return look.alert is not None and not look.alert.in_class

    def words(self, look: Look) -> str:
        """As Gate.words."""
        return f"alerts let only {' and '.join(look.settings.alerts.alert_classes)} through"


class AlertModeGate(Gate):
    """The mode in force must tell it."""

    id = "mode of alerts"
    stage = Stage.ALERTED

    def closed(self, look: Look) -> bool:
        """Whether the mode tells nothing."""
        return look.alert is not None and not look.alert.in_mode

    def words(self, look: Look) -> str:
        """As Gate.words."""
        silent = [mode.name for mode in look.settings.hours.modes if not mode.alerts]
        return f"the mode in force tells nothing: {' or '.join(silent)}"


class AlertHoursGate(Gate):
    """It must trigger within the alert hours."""

    id = "alert hours"
    stage = Stage.ALERTED

    def closed(self, look: Look) -> bool:
        """Whether it triggered outside."""
        return look.alert is not None and not look.alert.in_hours

    def words(self, look: Look) -> str:
        """As Gate.words."""
        plan = look.settings.hours.alert_plan
        return f"it triggered outside the alert hours: {plan.words if plan is not None else ''}"


class AlertIntervalGate(Gate):
    """The alert before must be long enough ago."""

    id = "time between alerts"
    stage = Stage.ALERTED

    def closed(self, look: Look) -> bool:
        """Whether it is too soon."""
        return look.alert is not None and look.alert.left_s > 0

    def words(self, look: Look) -> str:
        """As Gate.words."""
        left = look.alert.left_s if look.alert is not None else 0.0
        return f"the alert before was too recent by {left:.0f} s"


class PhoneGate(Gate):
    """The phone must let alerts through."""

    id = "phone allows it"
    stage = Stage.ALERTED

    def closed(self, look: Look) -> bool:
        """Whether it does not."""
        return not look.settings.alerts.phone_allows

    def words(self, look: Look) -> str:
        """As Gate.words."""
        del look
        return "the phone does not let alerts through: permission, battery saver, or this camera is muted"


(
    MODE, HOURS, PAUSE, DETECTION, ZONE, SIZE, HOLD, OBJECT, REST, LENGTH, TARGET, STORE, PLAN, ROOM, KEPT, ALERTS,
    ALERT_CLASS, ALERT_MODE, ALERT_HOURS, ALERT_INTERVAL, PHONE,
) = GATES = (
    ModeGate(), HoursGate(), PauseGate(), DetectionGate(), ZoneGate(), SizeGate(), HoldGate(), ObjectGate(), RestGate(),
    LengthGate(), *(StoreGate(name) for name in STORE_GATES), AlertsGate(), AlertClassGate(), AlertModeGate(),
    AlertHoursGate(), AlertIntervalGate(), PhoneGate(),
)  # fmt: skip
"""Every gate, in order."""


class Outcome(NamedTuple):
    """What becomes of one occurrence under one set of settings. Times in seconds on the camera's clock (POSIX)."""

    occurrence_id: int
    """The occurrence."""
    share: float
    """Share of the occurrence that the recordings cover, 0..1."""
    late: bool
    """Its beginning is lost by more than the tolerance."""
    cut: bool
    """Its end is lost by more than the tolerance."""
    trigger_s: float | None
    """When it triggered, None if it did not itself trigger."""
    closed: Mapping[Stage, Gate]
    """The first gate that closed in each stage that has one."""
    look: Look | None = None
    """The numbers behind that; None where it triggered and is recorded, so that no gate was asked."""

    def passed(self, stage: Stage) -> bool:
        """Whether it came to that stage."""
        return stage not in self.closed and (stage not in BEHIND or self.passed(BEHIND[stage]))

    @property
    def recorded(self) -> bool:
        """Whether it is recorded."""
        return self.passed(Stage.RECORDED)

    @property
    def gate(self) -> Gate | None:
        """The first gate that kept it from being recorded, None if it is."""
        return None if self.recorded else next(iter(self.closed.values()))

    @property
    def reason(self) -> str:
        """The numbers of that gate, in words; empty if it is recorded."""
        return self.gate.words(self.look) if self.gate is not None and self.look is not None else ""

    @property
    def stopped_at(self) -> tuple[Gate, ...]:
        """The gates that stopped it: from being recorded, from being there still, from being told."""
        return tuple(g for g in (self.gate, self.kept_gate, self.alert_gate) if g is not None)

    @property
    def kept_gate(self) -> Gate | None:
        """The first gate of the store that closed for something recorded, None where it is still there."""
        return self.closed.get(Stage.KEPT) if self.recorded else None

    @property
    def kept_reason(self) -> str:
        """The words of that gate; empty where it is still there."""
        return self.kept_gate.words(self.look) if self.kept_gate is not None and self.look is not None else ""

    @property
    def alert_gate(self) -> Gate | None:
        """The first gate that kept a trigger from being told, None where it was told or did not trigger."""
        return self.closed.get(Stage.ALERTED) if self.trigger_s is not None else None


def walk(look: Look, *, triggered: bool) -> dict[Stage, Gate]:
    """The first gate that closes in each stage; one that triggered passed the gates of that stage."""
    closed: dict[Stage, Gate] = {}
    for gate in GATES:
        if gate.stage not in closed and not (triggered and gate.stage is Stage.TRIGGERED) and gate.closed(look):
            closed[gate.stage] = gate
    return closed
