"""The gates behind the trigger: enough is recorded, the store takes and holds it, and somebody is alerted."""

from __future__ import annotations

import math
from datetime import date
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.events import event_of
from guardia.core.evidence.watch import local_date
from guardia.core.hours.modes import allowed_spans
from guardia.core.hours.plan import if_known, in_spans, on_at
from guardia.core.make.candidate import Candidate
from guardia.core.make.zones import PolygonZone, ZoneDoes
from guardia.core.replay.gate import LEAST_SHARE, CameraCheck, Done, GateAnswer, Look, MaskGate, Moment, Stage, State
from guardia.core.replay.objects import lets_through, object_classes
from guardia.core.storage.data import month_days
from guardia.core.storage.facts import known_fact
from guardia.core.storage.readings import Measure
from guardia.core.storage.stores import StoreKind


def _any_zone(candidate: Candidate, does: ZoneDoes) -> bool:
    """Whether any zone of some settings is only for that."""
    return any(isinstance(z, PolygonZone) and z.does is does for z in candidate.settings.detection.zones)


class AlertOnlyGate(MaskGate):
    """Where it triggered, the zone must record, too."""

    id = "zone that only alerts"
    stage = Stage.RECORDED
    of_motion = True

    def closes(self, done: Done, passing: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """As MaskGate.closes."""
        del passing
        only: NDArray[np.bool_] = (done.share <= 0) & ~np.isnan(done.trigger_s) & ~done.written
        return only if _any_zone(done.candidate, ZoneDoes.ALERTS) else np.zeros(len(only), bool)

    def words(self, look: Look) -> str:
        """As Gate.words."""
        del look
        return "it moved only where a zone alerts without recording"

    def at(self, moment: Moment) -> None:
        """Without footage nobody knows where it moved."""


class LengthGate(MaskGate):
    """The recordings must cover enough of it."""

    id = "length"
    stage = Stage.RECORDED
    of_motion = True

    def closes(self, done: Done, passing: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """As MaskGate.closes."""
        del passing
        short: NDArray[np.bool_] = (done.share < LEAST_SHARE) & ~done.written
        return short

    def words(self, look: Look) -> str:
        """As Gate.words."""
        return f"the recordings cover only {look.share:.0%} of it, {LEAST_SHARE:.0%} is needed"

    def at(self, moment: Moment) -> None:
        """Without footage nobody knows how much a recording would have covered, nor whether there was one."""


class StoreGate(MaskGate):
    """The store must be there, take recordings, and still hold them."""

    stage = Stage.KEPT
    check = CameraCheck("Look in the device: is the store healthy, formatted, chosen, and is there room?", 2, 0.12)

    def __init__(self, name: str) -> None:
        self.id = name

    def closes(self, done: Done, passing: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """As MaskGate.closes."""
        closed = np.zeros(len(passing), bool)
        for place in np.flatnonzero(passing).tolist() if done.evidence.storage.stores else ():
            closed[place] = self.id in done.no_longer_there(place)
        return closed

    def words(self, look: Look) -> str:
        """As Gate.words."""
        return look.store.get(self.id, "")

    def at(self, moment: Moment) -> GateAnswer | None:
        """By what is entered of the store and read off it; what nobody can know is asked of the one 'store' gate."""
        closed = moment.done.closed_by_store(moment.at_s)
        if self.id in closed:
            return GateAnswer(State.CLOSED, closed[self.id])
        storage = moment.evidence.storage
        fitted = storage.target(moment.candidate.settings.storage.target)
        if self.id == "plan" and fitted is not None and fitted.store.kind is StoreKind.REMOTE and not closed:
            if fitted.store.ends is None:
                return GateAnswer(State.UNKNOWN, f"nobody said until when '{fitted.store.name}' is paid", 0.08)
            return GateAnswer(State.OPEN, f"'{fitted.store.name}' runs until {fitted.store.ends:%Y-%m-%d}")
        if self.id != "store" or closed:
            return None
        if not storage.stores:
            return GateAnswer(State.UNKNOWN, "no store is entered here", 0.15)
        read = [r.at_s for r in fitted.readings] if fitted is not None else []
        if any(at <= moment.at_s for at in read) and any(at > moment.at_s for at in read):
            return GateAnswer(State.OPEN, "readings before and after show it in order")
        return GateAnswer(State.UNKNOWN, "nobody read it off since", self.check.weight)


class AlertGate(MaskGate):
    """A gate between the trigger and somebody's phone."""

    stage = Stage.ALERTED
    of_sending: ClassVar[bool] = True
    """It decides whether the camera sends an alert, which its own list may say."""


class AlertsGate(AlertGate):
    """Alerts must be on."""

    id = "alerts on"

    def closes(self, done: Done, passing: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """As MaskGate.closes."""
        return np.full(len(passing), not done.candidate.settings.alerts.alerts_on)

    def words(self, look: Look) -> str:
        """As Gate.words."""
        del look
        return "alerts are switched off"

    def at(self, moment: Moment) -> GateAnswer:
        """By the settings."""
        if moment.candidate.settings.alerts.alerts_on:
            return GateAnswer(State.OPEN, "alerts were on")
        return GateAnswer(State.CLOSED, "alerts were switched off")


class AlertZoneGate(AlertGate):
    """It must move in a zone that alerts."""

    id = "zone of alerts"
    check = CameraCheck("Walk there and look whether an alert comes; compare what its zones are for.", 10, 0.1)

    def closes(self, done: Done, passing: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """As MaskGate.closes."""
        del passing
        away: NDArray[np.bool_] = ~np.isnan(done.trigger_s) & np.isnan(done.in_alert_zone)
        return away

    def words(self, look: Look) -> str:
        """As Gate.words."""
        del look
        return "it moved only where a zone records without an alert"

    def at(self, moment: Moment) -> GateAnswer | None:
        """Without footage nobody knows where it moved."""
        if not _any_zone(moment.candidate, ZoneDoes.RECORDS):
            return None
        return GateAnswer(State.UNKNOWN, "some zones record without an alert", self.check.weight)


class AlertClassGate(AlertGate):
    """It must be of a class that alerts let through."""

    id = "alert filter"
    check = CameraCheck("Look what class the camera named.", 2, 0.15)

    def closes(self, done: Done, passing: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """As MaskGate.closes."""
        wanted = done.candidate.settings.alerts.alert_classes
        if not wanted:
            return np.zeros(len(passing), bool)
        classes = object_classes(done.evidence, done.candidate.capability)
        return np.array([not lets_through(classes[o.id], wanted) for o in done.evidence.occurrences], bool)

    def words(self, look: Look) -> str:
        """As Gate.words."""
        return f"alerts let only {' and '.join(look.settings.alerts.alert_classes)} through"

    def at(self, moment: Moment) -> GateAnswer | None:
        """Nobody knows what the camera named, only whether it matters."""
        classes = moment.candidate.settings.alerts.alert_classes
        words = f"only {' and '.join(classes)} is alerted"
        return GateAnswer(State.UNKNOWN, words, self.check.weight) if classes else None


class AlertModeGate(AlertGate):
    """The mode in force must alert."""

    id = "mode of alerts"

    def closes(self, done: Done, passing: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """As MaskGate.closes."""
        closed, triggered = np.zeros(len(passing), bool), ~np.isnan(done.trigger_s)
        evidence = done.evidence
        spans = allowed_spans(done.candidate.settings.hours.modes, "alerts", *evidence.dates, evidence.place)
        if spans is not None:
            closed[triggered] = ~in_spans(spans, done.trigger_s[triggered])
        return closed

    def words(self, look: Look) -> str:
        """As Gate.words."""
        silent = [mode.name for mode in look.settings.hours.modes if not mode.alerts]
        return f"nobody is alerted in the mode in force: {' or '.join(silent)}"

    def at(self, moment: Moment) -> GateAnswer | None:
        """By the modes of that day."""
        modes = moment.candidate.settings.hours.modes
        spans = allowed_spans(modes, "alerts", *moment.around)
        if spans is None:
            return None
        silent = " or ".join(mode.name for mode in modes if not mode.alerts)
        if bool(in_spans(spans, np.array([moment.at_s]))[0]):
            return GateAnswer(State.OPEN, f"the mode in force alerts; only {silent} does not")
        return GateAnswer(State.CLOSED, f"the mode in force did not alert: {silent}")


class AlertHoursGate(AlertGate):
    """It must trigger within the alert hours."""

    id = "alert hours"

    def closes(self, done: Done, passing: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """As MaskGate.closes."""
        closed, triggered = np.zeros(len(passing), bool), ~np.isnan(done.trigger_s)
        place = done.evidence.place
        plan = if_known(done.candidate.settings.hours.alert_plan, place)
        closed[triggered] = ~on_at(plan, done.trigger_s[triggered], place)
        return closed

    def words(self, look: Look) -> str:
        """As Gate.words."""
        plan = look.settings.hours.alert_plan
        return f"it triggered outside the alert hours: {plan.words if plan is not None else ''}"

    def at(self, moment: Moment) -> GateAnswer | None:
        """By the plan."""
        place = moment.evidence.place
        plan = if_known(moment.candidate.settings.hours.alert_plan, place)
        if plan is None:
            return None
        words = f"the alert hours are {plan.words}"
        if bool(on_at(plan, [moment.at_s], place)[0]):
            return GateAnswer(State.OPEN, f"it lies inside: {words}")
        return GateAnswer(State.CLOSED, f"it lies outside: {words}")


class AlertIntervalGate(AlertGate):
    """The alert before must be long enough ago."""

    id = "time between alerts"

    @staticmethod
    def left_s(done: Done, passing: NDArray[np.bool_]) -> NDArray[np.float64]:
        """(N,) seconds left of the time between alerts, 0 for none.

        What came on footage and on motion clips is counted apart, since it may be the same.
        """
        left, interval = np.zeros(len(passing)), done.candidate.settings.alerts.alert_interval_s
        last: dict[str, float] = {}
        asked = np.flatnonzero(passing) if interval else np.zeros(0, int)
        for n in asked[np.argsort(done.trigger_s[asked], kind="stable")].tolist():
            origin = done.evidence.clip_of(done.evidence.occurrences[n]).origin.value
            since = float(done.trigger_s[n]) - last.get(origin, -math.inf)
            if 0 < since < interval:
                left[n] = interval - since
            else:
                last[origin] = float(done.trigger_s[n])
        return left

    def closes(self, done: Done, passing: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """As MaskGate.closes."""
        soon: NDArray[np.bool_] = self.left_s(done, passing) > 0
        return soon

    def words(self, look: Look) -> str:
        """As Gate.words."""
        return f"the alert before was too recent by {look.alert_left_s:.0f} s"

    def at(self, moment: Moment) -> GateAnswer | None:
        """By the alerts that the camera's list tells of."""
        interval = moment.candidate.settings.alerts.alert_interval_s
        if not interval:
            return None
        sent = [e.at_s for e in moment.evidence.events if e.at_s < moment.at_s and e.alert]
        left = (sent[-1] + interval - moment.at_s) if sent else -1.0
        if left > 0:
            return GateAnswer(State.CLOSED, f"the alert before was too recent by {left:.0f} s")
        return GateAnswer(State.OPEN, "no alert shortly before is listed")


class ListedAlertGate(AlertGate):
    """What the camera's own list says of its alerts goes before what its settings say."""

    id = "what the camera's list says"
    of_sending = False
    check = CameraCheck("Send a test alert: does it come, and does the list name it?", 2, 0.1)

    def closes(self, done: Done, passing: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """As MaskGate.closes."""
        return np.zeros(len(passing), bool) if done.alert_facts is None else done.alert_facts == 0

    def words(self, look: Look) -> str:
        """As Gate.words."""
        del look
        return "by the camera's own list no alert was sent; by its settings one would have been"

    def at(self, moment: Moment) -> GateAnswer | None:
        """By the entry of that moment."""
        about = event_of(list(moment.evidence.events), moment.at_s, moment.at_s)
        if about is None or about.alert is None:
            return None
        if about.alert:
            return GateAnswer(State.OPEN, "by the camera's own list an alert was sent")
        return GateAnswer(State.CLOSED, "by the camera's own list no alert was sent")


class BeyondCameraGate(AlertGate):
    """Behind what the camera sends: no occurrence tells of it, only a moment can be asked about."""

    of_sending = False

    def closes(self, done: Done, passing: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """As MaskGate.closes."""
        del done
        return np.zeros(len(passing), bool)

    def words(self, look: Look) -> str:
        """As Gate.words."""
        del look
        return ""


class DataGate(BeyondCameraGate):
    """On a mobile network there must be data left."""

    id = "mobile data left"
    check = CameraCheck("Look at the credit and the data used of its SIM.", 2, 0.15)

    def at(self, moment: Moment) -> GateAnswer | None:
        """By the data that was read as used before and after, in the data month of the moment."""
        if not moment.candidate.capability.storage.mobile:
            return None
        storage, zone = moment.evidence.storage, moment.evidence.watch.zone
        allowance, begins = storage.facts.get("allowance"), int(known_fact(storage.facts, "month_begins").value)

        def month(at_s: float) -> tuple[date, date]:
            return month_days(local_date(at_s, zone), begins)

        used = [r for r in storage.readings if r.what is Measure.DATA_USED and month(r.at_s) == month(moment.at_s)]
        if allowance is None or not used:
            return GateAnswer(State.UNKNOWN, "nobody said how much data was used and allowed", self.check.weight)
        before = [float(r.value or 0.0) for r in used if r.at_s <= moment.at_s]
        if before and before[-1] >= allowance:
            return GateAnswer(State.CLOSED, f"{before[-1]:g} GB of {allowance:g} were used up")
        after = [float(r.value or 0.0) for r in used if r.at_s > moment.at_s]
        if after and after[0] < allowance:
            return GateAnswer(State.OPEN, f"{after[0]:g} GB of {allowance:g} were used afterwards")
        return GateAnswer(State.UNKNOWN, f"{(before or after)[-1]:g} GB of {allowance:g} were read", self.check.weight)


class InternetGate(BeyondCameraGate):
    """The site must reach the outside; only somebody there can tell whether it did."""

    id = "internet up"
    check = CameraCheck("Look whether other alerts came that hour.", 2, 0.2)


class PhoneGate(AlertGate):
    """The phone must let alerts through: whether it does, only a test tells."""

    id = "phone allows it"
    of_sending = False
    check = CameraCheck("Send a test alert: permission given, no battery saver, this camera not muted.", 2, 0.15)

    def closes(self, done: Done, passing: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """As MaskGate.closes."""
        # The camera sends, and pauses between alerts, whether or not the phone lets them through.
        return np.full(len(passing), not done.candidate.settings.alerts.phone_allows)

    def words(self, look: Look) -> str:
        """As Gate.words."""
        del look
        return "the phone does not let alerts through: permission, battery saver, or this camera is muted"

    def at(self, moment: Moment) -> GateAnswer:
        """By what was said, and by the last alert test before."""
        if not moment.candidate.settings.alerts.phone_allows:
            return GateAnswer(State.CLOSED, "the phone did not let alerts through")
        tests = [r for r in moment.evidence.storage.readings if r.what is Measure.ALERT_DELAY and r.at_s <= moment.at_s]
        if not tests:
            return GateAnswer(State.UNKNOWN, "no alert was tested", self.check.weight)
        if tests[-1].value is None:
            return GateAnswer(State.UNKNOWN, "the last alert test never came", 0.5)
        return GateAnswer(State.OPEN, f"the last alert test came after {tests[-1].value:.0f} s")
