"""Why was it not recorded, or not told? The chain of gates walked for one moment, with what is known of each.

What is closed is named in the order of the chain. What nobody can know from here is ordered by how likely it is for the
minutes that its check costs: a look at the phone before a ladder.
"""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from enum import StrEnum
from itertools import pairwise
from zoneinfo import ZoneInfo

import numpy as np

from guardia.core.evidence.clips import FOOTAGE, Clip, Occurrence, Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import DAY_S
from guardia.core.hours.modes import allowed_spans
from guardia.core.hours.plan import if_known, in_spans, on_at
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings
from guardia.core.replay.gates import Outcome
from guardia.core.replay.keeping import closed_by_store
from guardia.core.replay.replay import Replay
from guardia.core.storage.battery import fit_drain
from guardia.core.storage.readings import Measure

NEAR_S = 1800.0
"""A record so soon before and after a moment shows that the camera was up (common practice, no source)."""

EMPTY_PERCENT = 3.0
WEAK_DBM = -80.0
"""A weaker signal loses pictures (common practice, no source)."""

RARE = 0.01
"""A silence that comes about by chance less often than this is a sign."""


class State(StrEnum):
    """Of a gate."""

    OPEN = "open"
    CLOSED = "closed"
    UNKNOWN = "not known"


class Question(StrEnum):
    """What is asked."""

    NOT_RECORDED = "Why was it not recorded?"
    NOT_TOLD = "Why was nobody told?"
    NO_PICTURE = "Why is there no live picture?"
    TOO_MANY = "Why so many alerts?"
    AT_NIGHT = "Why is it bad at night?"


@dataclass(frozen=True)
class Gate:
    """One gate at one moment."""

    name: str
    """Its name."""
    state: State
    """What is known of it."""
    words: str
    """What that rests on."""
    check: str = ""
    """The cheapest check that would tell, empty where it is known."""
    minutes: float = 1.0
    """What the check takes."""
    weight: float = 0.0
    """How likely it is, among those that are not known."""


@dataclass(frozen=True)
class Diagnosis:
    """What is known of every gate."""

    question: Question
    """What was asked."""
    at_s: float
    """The moment, POSIX seconds."""
    gates: tuple[Gate, ...]
    """In the order of the chain."""
    there: str = ""
    """The record that is there after all, in words; empty where there is none."""
    head: str = ""
    """What the answer begins with."""

    @property
    def cause(self) -> Gate | None:
        """The first gate that is closed."""
        return next((g for g in self.gates if g.state is State.CLOSED), None)

    @property
    def checks(self) -> tuple[Gate, ...]:
        """What is not known, in the order in which it pays to look: likelihood for the minutes."""
        unknown = [g for g in self.gates if g.state is State.UNKNOWN]
        return tuple(sorted(unknown, key=lambda g: -g.weight / g.minutes))

    @property
    def words(self) -> str:
        """The answer in a sentence or two."""
        return f"{self.head} {self._answer()}".strip() if self.gates else self.head

    def _answer(self) -> str:
        if self.there and self.cause is None:
            return self.there
        if self.cause is not None:
            said = self.cause.words.rstrip(".")
            also = [g.name for g in self.gates if g.state is State.CLOSED][1:]
            more = f" Closed as well: {', '.join(also)}." if also else ""
            return f"{self.cause.name[0].upper()}{self.cause.name[1:]}: {said}.{more}"
        if self.checks:
            first = self.checks[0]
            return f"Nothing that is known explains it. Look first at: {first.name}. {first.check}"
        return "Every gate was open: it should be there."


def diagnose(
    evidence: Evidence,
    make: Capability,
    at_s: float,
    question: Question,
    replay_of: Callable[[Settings], Replay],
    occurrence: Occurrence | None = None,
) -> Diagnosis:
    """Walk the gates for one moment.

    Args:
        evidence: Of the camera.
        make: Its make.
        at_s: The moment, POSIX seconds.
        question: What is asked.
        replay_of: Gives the replay of settings on this evidence.
        occurrence: What happened then, where evidence shows it; else what footage shows at that moment is taken.

    Returns:
        With the settings that were in force then, those in force now where that is not known.
    """
    settings, dated = _in_force(evidence, at_s)
    gates = [_power(evidence, at_s), _link(evidence, at_s)]
    if question is Question.NO_PICTURE or settings is None:
        gates.append(_plain("camera on, lens uncovered", "Look at its light and its lens; clean it.", 2, 0.1))
        return Diagnosis(question, at_s, tuple(gates))
    candidate = Candidate(settings, make)
    done = replay_of(settings)
    shown = occurrence or _shown_at(evidence, at_s)
    clip = _recorded_at(evidence, at_s)
    there = f"It was recorded: {clip.name}." if clip is not None and question is Question.NOT_RECORDED else ""
    if not dated:
        gates.append(
            Gate("settings of then", State.UNKNOWN, "it is not known what was set then; today's are taken",
                 "Ask who changed what, and date the settings.", 5, 0.05)
        )  # fmt: skip
    gates += _by_time(evidence, candidate, at_s)
    outcome = done.outcomes[shown.id] if shown is not None else None
    gates += _by_motion(evidence, candidate, at_s, outcome, recorded=clip is not None)
    gates += _by_store(done, at_s)
    if question is Question.NOT_TOLD:
        gates += _by_alert(evidence, candidate, at_s)
    return Diagnosis(question, at_s, tuple(gates), there)


def _plain(name: str, check: str, minutes: float, weight: float) -> Gate:
    return Gate(name, State.UNKNOWN, "nothing here tells", check, minutes, weight)


def _in_force(evidence: Evidence, at_s: float) -> tuple[Settings | None, bool]:
    for epoch in evidence.epochs:
        if epoch.from_s <= at_s < epoch.to_s and epoch.settings is not None:
            return epoch.settings, True
    last = [e.settings for e in evidence.epochs if e.settings is not None]
    return (last[-1] if last else None), False


def _shown_at(evidence: Evidence, at_s: float) -> Occurrence | None:
    """What footage shows at a moment."""
    for o in evidence.occurrences:
        begin, end = evidence.span_s(o)
        if begin - 1 <= at_s <= end + 1 and evidence.clip_of(o).origin in FOOTAGE:
            return o
    return None


def _recorded_at(evidence: Evidence, at_s: float) -> Clip | None:
    """The motion clip that covers a moment."""
    covering = (c for c in evidence.clips if c.origin is Origin.MOTION and c.start_s <= at_s <= c.end_s)
    return next(covering, None)


def _records(evidence: Evidence) -> list[float]:
    """When the camera made itself known, POSIX seconds in order."""
    ends = [t for c in evidence.clips for t in (c.start_s, c.end_s)]
    return sorted([*ends, *(e.at_s for e in evidence.events)])


def _power(evidence: Evidence, at_s: float) -> Gate:
    name, check = "power", "Look whether its light is on; read its battery or its supply."
    marks = _records(evidence)
    low, high = bisect_left(marks, at_s), bisect_right(marks, at_s)
    before = at_s - marks[low - 1] if low else math.inf
    after = marks[high] - at_s if high < len(marks) else math.inf
    if low < high:
        before = after = 0.0
    if (empty := _empty(evidence, at_s)) and before + after > NEAR_S:
        return Gate(name, State.CLOSED, empty)
    if max(before, after) <= NEAR_S:
        recording = "it was recording at that moment"
        around = f"it recorded {_ago(before)} before and {_ago(after)} after"
        return Gate(name, State.OPEN, around if before or after else recording)
    spans = evidence.watch.spans
    if any(a <= at_s <= b for a, b in spans):
        return Gate(name, State.OPEN, "the moment lies in time that was entered or listed as watched")
    if any(b < at_s for _, b in spans) and any(a > at_s for a, _ in spans):
        return Gate(name, State.CLOSED, "it was down then: the watched time has a gap there")
    words, by_chance = "nothing was recorded near that moment", 1.0
    if math.isfinite(before + after):
        by_chance = math.exp(-_expected(_rates(evidence), evidence, at_s - before, at_s + after))
        words = f"it was silent for {_ago(before + after)}, by its usual hours {_odds(by_chance)}"
    return Gate(name, State.UNKNOWN, words, check, 1, 0.45 if by_chance < RARE else 0.2)


def _odds(chance: float) -> str:
    return "nothing unusual" if chance > 0.1 else f"a chance of 1 in {1 / max(chance, 1e-6):.0f}"


def _ago(seconds: float) -> str:
    if not math.isfinite(seconds):
        return "never"
    if seconds < 90:
        return f"{seconds:.0f} s"
    return f"{seconds / 60:.0f} min" if seconds < 5400 else f"{seconds / 3600:.1f} h"


def _empty(evidence: Evidence, at_s: float) -> str:
    """That its battery was empty, by the readings; empty words where it was not, or nobody knows."""
    levels = [r for r in evidence.storage.readings if r.what is Measure.BATTERY and r.value is not None]
    before = [r for r in levels if r.at_s <= at_s]
    after = next((float(r.value or 0) for r in levels if at_s < r.at_s < at_s + 3 * DAY_S), None)
    if after is not None and after <= EMPTY_PERCENT:
        return f"its battery was read as {after:g} % afterwards"
    if not before or after is not None:
        return ""  # what is read afterwards as charged may have been charged before or after that moment
    level = float(before[-1].value or 0)
    if level <= EMPTY_PERCENT:
        return f"its battery was read as {level:g} % before, and nobody charged it since"
    drain = fit_drain(before)
    gone = drain is not None and drain.per_day.low > 0 and level < drain.per_day.low * (at_s - drain.last_s) / DAY_S
    return "by its drain its battery was empty by then" if gone else ""


def _link(evidence: Evidence, at_s: float) -> Gate:
    name = "reaches its recorder"
    check = (
        "Look at its live picture. If there is none: power off, wait a minute, on again, wait for the ready light; if "
        "that does not help, pair it again beside its recorder."
    )
    marks = _records(evidence)
    near = [t for t in marks if abs(t - at_s) <= NEAR_S]
    if near:
        return Gate(name, State.OPEN, "records of that half hour are here")
    signal = [r for r in evidence.storage.readings if r.what is Measure.SIGNAL and r.value is not None]
    weak = signal and float(signal[-1].value or 0) < WEAK_DBM
    words = f"its signal was last read as {signal[-1].value:g} dBm" if signal else "nothing here tells"
    return Gate(name, State.UNKNOWN, words, check, 3, 0.4 if weak else 0.15)


def _by_time(evidence: Evidence, candidate: Candidate, at_s: float) -> list[Gate]:
    """Modes and hours, which the settings and the calendar tell."""
    hours, place = candidate.settings.hours, evidence.place
    day = datetime.fromtimestamp(at_s, UTC).astimezone(ZoneInfo(evidence.time_zone)).date()
    around = (day - timedelta(days=1), day + timedelta(days=1), place)
    gates = []
    spans = allowed_spans(hours.modes, "records", *around)
    if spans is not None:
        on = bool(in_spans(spans, np.array([at_s]))[0])
        silent = " or ".join(m.name for m in hours.modes if not m.records)
        gates.append(_told("mode", on, f"the mode in force did not record: {silent}", "the mode in force records"))
    plan = if_known(hours.recording_plan, place)
    if plan is not None:
        on = bool(on_at(plan, [at_s], place)[0])
        words = f"the recording hours are {plan.words}"
        gates.append(_told("recording hours", on, f"it lies outside: {words}", f"it lies inside: {words}"))
    detection = candidate.settings.detection.detection_on
    gates.append(_told("detection on", detection, "motion detection was switched off", "detection was on"))
    return gates


def _told(name: str, on: bool, closed: str, opened: str) -> Gate:
    return Gate(name, State.OPEN, opened) if on else Gate(name, State.CLOSED, closed)


_MOTION_GATES = ("zone", "size", "hold", "object filter", "rest after a recording", "length")
_WEIGHTS = {"zone": 0.14, "size": 0.16, "hold": 0.04, "object filter": 0.08, "rest after a recording": 0.05}
_CHECKS = {
    "zone": "Walk there and look whether it triggers; compare the zone on the camera with the one kept here.",
    "size": "Walk there: is a person at that distance within the reach?",
    "hold": "Walk there quickly and slowly.",
    "object filter": "Switch the filter off for a day, or look what class the camera named.",
    "rest after a recording": "Look at what was recorded just before.",
}


def _by_motion(
    evidence: Evidence, candidate: Candidate, at_s: float, outcome: Outcome | None, *, recorded: bool
) -> list[Gate]:
    """Zone to length: by the replay where evidence shows what moved, else by what is known."""
    settings = candidate.settings
    if recorded:
        return [Gate("motion", State.OPEN, "a motion clip covers that moment")]
    if outcome is not None:
        if outcome.recorded:
            return [Gate("motion", State.OPEN, "the model would have recorded what the footage shows")]
        name = str(outcome.gate)
        if name in _MOTION_GATES:
            before = _MOTION_GATES[: _MOTION_GATES.index(name)]
            passed = [Gate(n, State.OPEN, "by the model, on the footage") for n in before]
            return [*passed, Gate(name, State.CLOSED, f"{outcome.reason} (by the model, on the footage)")]
    gates = []
    for name, weight in _WEIGHTS.items():
        if name == "object filter" and not settings.detection.objects:
            continue
        if name == "zone" and not settings.detection.zones:
            continue
        if name == "hold" and not settings.detection.hold_s:
            continue
        if name == "rest after a recording":
            gates.append(_rest(evidence, settings, at_s))
            continue
        gates.append(Gate(name, State.UNKNOWN, "no footage shows what moved then", _CHECKS[name], 10, weight))
    return gates


def _rest(evidence: Evidence, settings: Settings, at_s: float) -> Gate:
    name, rest_s = "rest after a recording", settings.recording.rest_s
    before = [c for c in evidence.motion_clips if c.end_s <= at_s]
    left = before[-1].end_s + rest_s - at_s if before else -1.0
    if left > 0:
        return Gate(name, State.CLOSED, f"it was resting after {before[-1].name} for another {left:.0f} s")
    return Gate(name, State.OPEN, "no recording before it was recent enough" if rest_s else "it does not rest")


def _by_store(done: Replay, at_s: float) -> list[Gate]:
    """The store, as far as it is known."""
    check = "Look in the device: is the store healthy, formatted, chosen, and is there room?"
    if not done.evidence.storage.stores:
        return [Gate("store", State.UNKNOWN, "no store is entered here", check, 2, 0.15)]
    closed = closed_by_store(done, at_s)
    gates = [Gate(name, State.CLOSED, words) for name, words in closed.items()]
    if gates:
        return gates
    fitted = done.keeping.fitted
    read = [r.at_s for r in fitted.readings] if fitted is not None else []
    if any(at <= at_s for at in read) and any(at > at_s for at in read):
        return [Gate("store", State.OPEN, "readings before and after show it in order")]
    return [Gate("store", State.UNKNOWN, "nobody read it off since", check, 2, 0.12)]


def _by_alert(evidence: Evidence, candidate: Candidate, at_s: float) -> list[Gate]:
    """From the trigger to the phone."""
    settings, place = candidate.settings, evidence.place
    alerts = settings.alerts
    gates = [_told("alerts on", alerts.alerts_on, "alerts were switched off", "alerts were on")]
    if alerts.alert_classes:
        through = " and ".join(alerts.alert_classes)
        check = "Look what class the camera named."
        gates.append(Gate("alert filter", State.UNKNOWN, f"only {through} is told", check, 2, 0.15))
    plan = if_known(settings.hours.alert_plan, place)
    if plan is not None:
        on = bool(on_at(plan, [at_s], place)[0])
        words = f"the alert hours are {plan.words}"
        gates.append(_told("alert hours", on, f"it lies outside: {words}", f"it lies inside: {words}"))
    interval = alerts.alert_interval_s
    sent = [e.at_s for e in evidence.events if e.at_s < at_s and e.alert]
    if interval:
        left = (sent[-1] + interval - at_s) if sent else -1.0
        gates.append(
            _told("time between alerts", left <= 0, f"the alert before was too recent by {left:.0f} s",
                  "no alert shortly before is listed")
        )  # fmt: skip
    phone = alerts.phone_allows
    gates.append(_told("phone allows it", phone, "the phone did not let alerts through", "the phone lets them through"))
    gates.append(_plain("internet up", "Look whether other alerts came that hour.", 2, 0.2))
    return gates


def silences(evidence: Evidence) -> list[tuple[float, float, float]]:
    """Stretches without a record so long that chance hardly explains them.

    Args:
        evidence: Of the camera.

    Returns:
        Beginning and end, POSIX seconds, and the chance of such a silence at the camera's own rate by hour of the day
        (Poisson).
    """
    rates = _rates(evidence)
    chances = [
        (begin, end, math.exp(-_expected(rates, evidence, begin, end))) for begin, end in pairwise(_records(evidence))
    ]
    return [one for one in chances if one[2] < RARE / 10]


def _rates(evidence: Evidence) -> list[float]:
    """Motion clips an hour in each of the 24 hours of the site's day."""
    zone = ZoneInfo(evidence.time_zone)
    by_hour = [0] * 24
    for clip in evidence.motion_clips:
        by_hour[datetime.fromtimestamp(clip.start_s, UTC).astimezone(zone).hour] += 1
    return [n / h if h > 0 else 0.0 for n, h in zip(by_hour, evidence.watch.hours_of_day, strict=True)]


def _expected(rates: list[float], evidence: Evidence, begin_s: float, end_s: float) -> float:
    """How many motion clips a stretch of time lets expect, by the hours of the day in which they come."""
    zone = ZoneInfo(evidence.time_zone)
    days = max(0.0, (end_s - begin_s) // DAY_S)
    total, at = days * sum(rates), begin_s + days * DAY_S
    while at < end_s:
        until = min(end_s, (at // 3600 + 1) * 3600)
        total += rates[datetime.fromtimestamp(at, UTC).astimezone(zone).hour] * (until - at) / 3600
        at = until
    return total
