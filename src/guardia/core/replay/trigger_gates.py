"""The gates between motion and a trigger: modes and hours, the switch, the zone, the size, the filter, the pause."""

from __future__ import annotations

import bisect
from datetime import date

from guardia.core.evidence.evidence import MARGIN_S, Evidence
from guardia.core.evidence.watch import merged
from guardia.core.hours.modes import allowed_spans
from guardia.core.hours.place import SitePlace
from guardia.core.hours.plan import ALWAYS, Spans, WeekPlan, if_known, plan_spans
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import Settings
from guardia.core.replay.gate import (
    CameraCheck,
    GateAnswer,
    Look,
    Moment,
    State,
    SwitchGate,
    TimeGate,
    TriggerGate,
    percent,
    percents,
)
from guardia.core.replay.objects import ObjectClass, lets_through, object_classes
from guardia.core.storage.rules import RecordingMode
from guardia.core.trace.stack import Run

BY_MOTION, CONTINUOUS = "recording by motion", "continuous recording"
"""What a switch or a pause of a make may stop, as its capability says."""


class ModeGate(TimeGate):
    """The mode in force must record."""

    id = "mode"
    check = CameraCheck("Ask which mode was in force.", 1, 0.1)

    def spans(self, candidate: Candidate, first: date, last: date, place: SitePlace) -> Spans | None:
        """As TimeGate.spans."""
        return allowed_spans(candidate.settings.hours.modes, "records", first, last, place)

    def told(self, settings: Settings) -> str:
        """As TimeGate.told."""
        return f"not recorded in the mode {_modes(settings, 'records')}"

    def words(self, look: Look) -> str:
        """As Gate.words."""
        return f"the mode in force does not record: {_modes(look.settings, 'records')}"


def _modes(settings: Settings, what: str) -> str:
    """Names of the modes in which something does not happen."""
    return " or ".join(mode.name for mode in settings.hours.modes if not getattr(mode, what))


class HoursGate(TimeGate):
    """It must be within the recording hours."""

    id = "recording hours"

    def spans(self, candidate: Candidate, first: date, last: date, place: SitePlace) -> Spans | None:
        """As TimeGate.spans."""
        plan = if_known(candidate.settings.hours.recording_plan, place)
        # In its hours such a camera records always, and by motion outside of them.
        mixed = candidate.settings.storage.mode is RecordingMode.MIXED
        return None if plan is None or mixed else plan_spans(plan, first, last, place)

    def told(self, settings: Settings) -> str:
        """As TimeGate.told."""
        plan = settings.hours.recording_plan
        return f"the recording hours are {plan.words if plan is not None else 'always'}"

    def words(self, look: Look) -> str:
        """As Gate.words."""
        plan = look.settings.hours.recording_plan
        return f"it lies outside the recording hours: {plan.words if plan is not None else ''}"


def paused_spans(candidate: Candidate, what: str, first: date, last: date, place: SitePlace) -> Spans | None:
    """When no pause of alerts stops a kind of recording, BY_MOTION or CONTINUOUS; None where none ever does."""
    settings = candidate.settings
    if what not in candidate.capability.alert_pause_stops:
        return None
    if not settings.alerts.alerts_on:
        return plan_spans(WeekPlan(), first, last, place)
    plan = if_known(settings.hours.alert_plan, place)
    if plan is None or not any(s.rule == "off" for s in plan.specials):
        return None
    return plan_spans(WeekPlan(ALWAYS.stretches, plan.specials), first, last, place)


class PauseGate(TimeGate):
    """On some makes an alert pause, or alerts switched off, stops recording, too."""

    id = "alert pause"

    def spans(self, candidate: Candidate, first: date, last: date, place: SitePlace) -> Spans | None:
        """As TimeGate.spans."""
        always = candidate.settings.storage.mode is RecordingMode.CONTINUOUS
        return paused_spans(candidate, CONTINUOUS if always else BY_MOTION, first, last, place)

    def told(self, settings: Settings) -> str:
        """As TimeGate.told."""
        what = "an alert pause" if settings.alerts.alerts_on else "alerts switched off"
        return f"on this make {what} stops recording, too"

    def words(self, look: Look) -> str:
        """As Gate.words."""
        return self.told(look.settings)


class DetectionGate(SwitchGate):
    """The switch."""

    id = "detection on"

    def off(self, candidate: Candidate) -> bool:
        """As SwitchGate.off."""
        return not candidate.settings.detection.detection_on

    def words(self, look: Look) -> str:
        """As Gate.words."""
        del look
        return "motion detection is switched off, so nothing is recorded"

    def at(self, moment: Moment) -> GateAnswer:
        """What is always written goes on without it, unless the make says otherwise."""
        if not self.off(moment.candidate):
            return GateAnswer(State.OPEN, "detection was on")
        if moment.writes_always and CONTINUOUS not in moment.candidate.capability.detection_off_stops:
            return GateAnswer(State.OPEN, "detection was off, but it records always")
        return GateAnswer(State.CLOSED, "motion detection was switched off")


class MotionGate(TriggerGate):
    """A gate that looks at what moved."""

    of_motion = True

    def at(self, moment: Moment) -> GateAnswer | None:
        """Without footage nobody knows what moved."""
        used = self.used(moment.candidate.settings)
        return GateAnswer(State.UNKNOWN, "no footage shows what moved then", self.check.weight) if used else None

    def used(self, settings: Settings) -> bool:
        """Whether these settings ask for it at all."""
        del settings
        return True


class ZoneGate(MotionGate):
    """Something must move inside."""

    id = "zone"
    check = CameraCheck(
        "Walk there and look whether it triggers; compare the zone on the camera with the one kept here.", 10, 0.14
    )

    def used(self, settings: Settings) -> bool:
        """As MotionGate.used."""
        return bool(settings.detection.zones)

    def closed(self, look: Look) -> bool:
        """Whether it moved outside only."""
        return look.largest_inside == 0 and look.largest_anywhere > 0

    def words(self, look: Look) -> str:
        """As Gate.words."""
        anywhere = percent(look.largest_anywhere / look.whole)
        return f"none of it moved inside the zone; outside it reached {anywhere} of the picture"


class SizeGate(MotionGate):
    """It must be large enough."""

    id = "size"
    check = CameraCheck("Walk there: is a person at that distance within the reach?", 10, 0.16)

    def closed(self, look: Look) -> bool:
        """Whether there is less than is needed."""
        return look.largest_inside < look.needed

    def words(self, look: Look) -> str:
        """As Gate.words."""
        reached, needed = percents(look.largest_inside / look.whole, look.needed / look.whole)
        return f"its largest motion in the zone was {reached} of the picture, {needed} is needed"


class HoldGate(MotionGate):
    """It must be large enough for long enough."""

    id = "minimum duration"
    check = CameraCheck("Walk there quickly and slowly.", 10, 0.04)

    def used(self, settings: Settings) -> bool:
        """As MotionGate.used."""
        return settings.detection.hold_s > 0

    def closed(self, look: Look) -> bool:
        """Whether it was large enough for less than is needed."""
        return look.longest_s + 1e-6 < look.settings.detection.hold_s

    def words(self, look: Look) -> str:
        """As Gate.words."""
        lasted = f"for {look.longest_s:.1f} s at a time" if look.longest_s else "in single pictures only"
        return f"it was large enough {lasted}, {look.settings.detection.hold_s:.1f} s is needed"


class ObjectGate(MotionGate):
    """It must be of a class that the filter lets through."""

    id = "object filter"
    check = CameraCheck("Switch the filter off for a day, or look what class the camera named.", 10, 0.08)

    def used(self, settings: Settings) -> bool:
        """As MotionGate.used."""
        return bool(settings.detection.objects)

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


class RestGate(MotionGate):
    """The camera must be free."""

    id = "pause after a recording"
    check = CameraCheck("Look at what was recorded just before.", 10, 0.05)

    def closed(self, look: Look) -> bool:
        """Whether it was recording or pausing."""
        return look.held_while_resting is not None

    def words(self, look: Look) -> str:
        """As Gate.words."""
        return f"the camera was recording or pausing for another {look.held_while_resting:.1f} s"

    def at(self, moment: Moment) -> GateAnswer:
        """By the clip before."""
        rest_s = moment.candidate.settings.recording.rest_s
        before = [c for c in moment.evidence.motion_clips if c.end_s <= moment.at_s]
        left = before[-1].end_s + rest_s - moment.at_s if before else -1.0
        if left > 0:
            return GateAnswer(State.CLOSED, f"it was pausing after {before[-1].name} for another {left:.0f} s")
        return GateAnswer(State.OPEN, "no recording before it was recent enough" if rest_s else "it does not rest")


class ObservedGate(MotionGate):
    """What the camera did goes before what the model says."""

    id = "what the camera did"
    check = CameraCheck("Walk there several times: does it trigger each time?", 10, 0.05)

    def closed(self, look: Look) -> bool:
        """Whether only that speaks against it."""
        return look.unlike_model

    def words(self, look: Look) -> str:
        """As Gate.words."""
        reached, needed = percents(look.largest_inside / look.whole, look.needed / look.whole)
        return f"the camera did not record it then; by the model its motion of {reached} would pass, {needed} is needed"

    def at(self, moment: Moment) -> None:
        """It is no condition of its own."""
