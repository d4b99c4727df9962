"""The gates between motion and an alert, in the order in which they are walked, and what becomes of one occurrence.

A new gate is a class in one of the files beside and its place in GATES: counts, flips, outcomes, filters, tables, words
and the diagnosis of a moment are all made from the list.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from guardia.core.replay.gate import BEHIND, LEAST_SHARE, STORE_GATES, Gate, Look, MaskGate, Stage
from guardia.core.replay.later_gates import (
    AlertClassGate,
    AlertHoursGate,
    AlertIntervalGate,
    AlertModeGate,
    AlertOnlyGate,
    AlertsGate,
    AlertZoneGate,
    DataGate,
    InternetGate,
    LengthGate,
    ListedAlertGate,
    PhoneGate,
    StoreGate,
)
from guardia.core.replay.trigger_gates import (
    DetectionGate,
    HoldGate,
    HoursGate,
    ModeGate,
    ObjectGate,
    ObservedGate,
    PauseGate,
    RestGate,
    SizeGate,
    ZoneGate,
)
from guardia.core.replay.up_gates import ClockGate, LinkGate, NightVisionGate, PowerGate, ShutterGate, SwitchedOnGate

(
    POWER, SWITCHED_ON, LINK, CLOCK, SHUTTER, NIGHT_VISION, MODE, HOURS, PAUSE, DETECTION, ZONE, SIZE, HOLD, OBJECT,
    REST, OBSERVED, ALERT_ONLY, LENGTH, TARGET, STORE, PLAN, ROOM, KEPT, ALERTS, ALERT_ZONE, ALERT_CLASS,
    ALERT_MODE, ALERT_HOURS, ALERT_INTERVAL, ALERT_LISTED, DATA, INTERNET, PHONE,
) = GATES = (
    PowerGate(), SwitchedOnGate(), LinkGate(), ClockGate(), ShutterGate(), NightVisionGate(), ModeGate(), HoursGate(),
    PauseGate(), DetectionGate(), ZoneGate(), SizeGate(), HoldGate(), ObjectGate(), RestGate(), ObservedGate(),
    AlertOnlyGate(), LengthGate(), *(StoreGate(name) for name in STORE_GATES), AlertsGate(), AlertZoneGate(),
    AlertClassGate(), AlertModeGate(),
    AlertHoursGate(), AlertIntervalGate(), ListedAlertGate(), DataGate(), InternetGate(), PhoneGate(),
)  # fmt: skip


def of_stage(stage: Stage) -> list[MaskGate]:
    """The gates behind the trigger that belong to a stage, in order."""
    return [gate for gate in GATES if isinstance(gate, MaskGate) and gate.stage is stage]


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
        """Whether it is recorded, by motion or because it is always written then."""
        return self.passed(Stage.RECORDED)

    @property
    def marked(self) -> bool:
        """Whether motion records it."""
        return self.recorded and self.share >= LEAST_SHARE

    @property
    def gate(self) -> Gate | None:
        """The first gate that kept motion from recording it, None if it does."""
        by_motion = (self.closed.get(stage) for stage in (Stage.TRIGGERED, Stage.RECORDED))
        return None if self.marked else next((gate for gate in by_motion if gate is not None), None)

    @property
    def reason(self) -> str:
        """The numbers of that gate, in words; empty if motion records it."""
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

    @property
    def alert_reason(self) -> str:
        """The words of that gate; empty where there is none."""
        return self.alert_gate.words(self.look) if self.alert_gate is not None and self.look is not None else ""
