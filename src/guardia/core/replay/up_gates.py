"""Gates before everything: the camera had power, and it reached its recorder. They are known of moments only."""

from __future__ import annotations

import math
from abc import abstractmethod
from bisect import bisect_left, bisect_right

from guardia.core.base.words import listed
from guardia.core.evidence.clock import error_words
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import DAY_S
from guardia.core.hours.place import SunEvent
from guardia.core.hours.plan import EVERY_DAY, Edge, Stretch, WeekPlan, on_at
from guardia.core.replay.gate import CameraCheck, GateAnswer, Look, Moment, State, TriggerGate
from guardia.core.replay.silence import RARE, chance_of, recorded_near
from guardia.core.storage.battery import fit_drain
from guardia.core.storage.readings import SIGNALS, Measure, Reading
from guardia.core.storage.rules import StorageRules
from guardia.core.storage.trend import threshold_of

NEAR_S = 1800.0
"""A record so soon before and after a moment shows that the camera was up (common practice, no source)."""

BLACK_LUMA = 3.0
"""The pictures of a covered lens are darker on average (common practice, no source)."""

UNLIT_LUMA = 8.0
"""Pictures of the dark are darker without a lamp (common practice, no source)."""

WRONG_CLOCK_S = 60.0
"""A clock that is off by less is no reason not to find a recording (common practice, no source)."""

DAYLIGHT = WeekPlan((Stretch(EVERY_DAY, Edge(0, SunEvent.DAWN), Edge(0, SunEvent.DUSK)),))

EMPTY_PERCENT = 3.0

PACKS = {Measure.BATTERY: "its battery", Measure.BATTERY_2: "its second battery pack"}


class UpGate(TriggerGate):
    """What is on the evidence was recorded, so such a gate was open for it."""

    def closed(self, look: Look) -> bool:
        """As TriggerGate.closed."""
        del look
        return False

    def words(self, look: Look) -> str:
        """As Gate.words."""
        del look
        return ""

    def at(self, moment: Moment) -> GateAnswer | None:
        """As Gate.at."""
        return self.of(moment.evidence, moment.at_s, moment.candidate.capability.storage)

    @abstractmethod
    def of(self, evidence: Evidence, at_s: float, rules: StorageRules) -> GateAnswer | None:
        """What evidence tells of it at a moment (POSIX seconds), whatever was set."""


class PowerGate(UpGate):
    """The camera must have power."""

    id = "power"
    check = CameraCheck(
        "Look whether its light is on: cable, plug and adapter; read its battery or its supply.", 1, 0.2
    )

    def of(self, evidence: Evidence, at_s: float, rules: StorageRules) -> GateAnswer:
        """By records near that moment, the time covered, and readings of its battery."""
        del rules
        marks = evidence.records
        low, high = bisect_left(marks, at_s), bisect_right(marks, at_s)
        before = at_s - marks[low - 1] if low else math.inf
        after = marks[high] - at_s if high < len(marks) else math.inf
        if low < high:
            before = after = 0.0
        empty, known = _empty(evidence, at_s)
        if empty and before + after > NEAR_S:
            return GateAnswer(State.CLOSED, known)
        if max(before, after) <= NEAR_S:
            around = f"it recorded {_ago(before)} before and {_ago(after)} after"
            return GateAnswer(State.OPEN, around if before or after else "it was recording at that moment")
        spans = evidence.watch.spans
        if any(a <= at_s <= b for a, b in spans):
            return GateAnswer(State.OPEN, "the moment lies in time that was entered or listed as covered")
        if any(b < at_s for _, b in spans) and any(a > at_s for a, _ in spans):
            return GateAnswer(State.CLOSED, "it was down then: the time covered has a gap there")
        words, by_chance = "nothing was recorded near that moment", 1.0
        if math.isfinite(before + after):
            by_chance = chance_of(evidence, at_s - before, at_s + after)
            words = f"it was silent for {_ago(before + after)}, by its usual hours {_odds(by_chance)}"
        weight = 0.45 if by_chance < RARE or known else self.check.weight
        return GateAnswer(State.UNKNOWN, f"{words}; {known}" if known else words, weight)


class LinkGate(UpGate):
    """The camera must reach its recorder."""

    id = "reaches its recorder"
    check = CameraCheck(
        "Look whether its recorder or hub is on, and at its live picture. If there is none: power off, wait a minute, "
        "on again, wait for the ready light; if that does not help, pair it again beside its recorder.", 3, 0.15,
    )  # fmt: skip

    def of(self, evidence: Evidence, at_s: float, rules: StorageRules) -> GateAnswer:
        """By records of that half hour, and its signal as it was read last."""
        if recorded_near(evidence, at_s, NEAR_S):
            return GateAnswer(State.OPEN, "records of that half hour are here")
        read = [r for r in evidence.storage.readings if r.what in SIGNALS and r.value is not None]
        if not read:
            return GateAnswer(State.UNKNOWN, "not known", self.check.weight)
        last = read[-1]
        threshold = threshold_of(last.what, rules, evidence.storage.facts)
        weak = threshold is not None and float(last.value or 0.0) <= threshold.level
        words = f"its signal was last read as {last.words}"
        return GateAnswer(State.UNKNOWN, words, 0.4 if weak else self.check.weight)


def _by_pictures(evidence: Evidence, at_s: float, least: float, words: tuple[str, str], weight: float) -> GateAnswer:
    """By the clip nearest to a moment, none further away than NEAR_S: closed where it is darker than a level of luma.

    Args:
        evidence: Of the camera.
        at_s: The moment, POSIX seconds.
        least: Luma, 0..255.
        words: What is said of a darker and of a brighter one.
        weight: How likely the gate is the cause while there is no such clip.

    Returns:
        What the clip shows.
    """
    gaps = [(max(c.start_s - at_s, at_s - c.end_s, 0.0), n) for n, c in enumerate(evidence.clips)]
    gap, nearest = min(gaps, default=(math.inf, 0))
    if gap > NEAR_S or math.isnan(evidence.clips[nearest].brightness):
        return GateAnswer(State.UNKNOWN, "no picture of that half hour is here", weight)
    clip = evidence.clips[nearest]
    if clip.brightness < least:
        return GateAnswer(State.CLOSED, f"{clip.name} {words[0]}: {clip.brightness:.0f} of 255")
    return GateAnswer(State.OPEN, f"{clip.name} {words[1]}: {clip.brightness:.0f} of 255")


class SwitchedOnGate(UpGate):
    """Somebody may have switched the camera off by its button or in its app."""

    id = "camera switched on"
    check = CameraCheck("Look in its app whether the camera is switched on, and ask who could have.", 1, 0.08)

    def of(self, evidence: Evidence, at_s: float, rules: StorageRules) -> GateAnswer:
        """By records near that moment."""
        del rules
        if recorded_near(evidence, at_s, NEAR_S):
            return GateAnswer(State.OPEN, "records of that half hour are here")
        return GateAnswer(State.UNKNOWN, "not known", self.check.weight)


class ShutterGate(UpGate):
    """A shutter, a cap or a privacy mode may cover the lens."""

    id = "lens uncovered"
    check = CameraCheck("Look at its live picture: shutter open, privacy mode off, nothing before the lens.", 1, 0.08)

    def of(self, evidence: Evidence, at_s: float, rules: StorageRules) -> GateAnswer:
        """By how bright the pictures near that moment are."""
        del rules
        return _by_pictures(evidence, at_s, BLACK_LUMA, ("is black", "shows a picture"), self.check.weight)


class NightVisionGate(UpGate):
    """In the dark it needs its lamp, or light."""

    id = "night vision"
    check = CameraCheck("Look at its picture in the dark: is its lamp allowed, and does it light?", 3, 0.06)

    def of(self, evidence: Evidence, at_s: float, rules: StorageRules) -> GateAnswer | None:
        """By the sun, and by the pictures near that moment; None by day, and where nobody knows when it is dark."""
        del rules
        place = evidence.place
        if not place.has_sun or bool(on_at(DAYLIGHT, [at_s], place)[0]):
            return None
        return _by_pictures(evidence, at_s, UNLIT_LUMA, ("is not lit", "is lit"), self.check.weight)


class ClockGate(UpGate):
    """With a wrong clock it was recorded, but stands under another time."""

    id = "clock"
    check = CameraCheck("Hold its clock beside a right one.", 1, 0.05)

    def of(self, evidence: Evidence, at_s: float, rules: StorageRules) -> GateAnswer:
        """By what its clock was read to be off; what is known of it and put right is no cause."""
        del rules
        read = [r for r in evidence.storage.readings if r.what is Measure.CLOCK and r.value is not None]
        if not read and (known := error_words(evidence.clock_error_s)):
            way = "later" if evidence.clock_error_s > 0 else "earlier"
            return GateAnswer(State.OPEN, f"it is {known}: times here are put right, the camera shows that much {way}")
        if not read:
            return GateAnswer(State.UNKNOWN, "nobody read its clock", self.check.weight)
        off = float(min(read, key=lambda r: abs(r.at_s - at_s)).value or 0.0)
        if abs(off) < WRONG_CLOCK_S:
            return GateAnswer(State.OPEN, f"its clock was read as {off:+.0f} s off")
        way = "later" if off > 0 else "earlier"
        return GateAnswer(State.CLOSED, f"its clock was read as {off:+.0f} s off: look that much {way}")


def _odds(chance: float) -> str:
    return "nothing unusual" if chance > 0.1 else f"a chance of 1 in {1 / max(chance, 1e-6):.0f}"


def _ago(seconds: float) -> str:
    if not math.isfinite(seconds):
        return "never"
    if seconds < 90:
        return f"{seconds:.0f} s"
    return f"{seconds / 60:.0f} min" if seconds < 5400 else f"{seconds / 3600:.1f} h"


def _empty(evidence: Evidence, at_s: float) -> tuple[bool, str]:
    """Whether all packs that were read were empty then, and what the readings say of those that were."""
    packs = {}
    for measure, name in PACKS.items():
        levels = [r for r in evidence.storage.readings if r.what is measure and r.value is not None]
        if levels:
            packs[name] = _pack_empty(levels, at_s, name)
    words = listed([said for said in packs.values() if said])
    return bool(packs) and all(packs.values()), words


def _pack_empty(levels: list[Reading], at_s: float, name: str) -> str:
    """That a pack was empty, by its readings; empty words where it was not, or nobody knows."""
    before = [r for r in levels if r.at_s <= at_s]
    after = next((float(r.value or 0) for r in levels if at_s < r.at_s < at_s + 3 * DAY_S), None)
    if after is not None and after <= EMPTY_PERCENT:
        return f"{name} was read as {after:g} % afterwards"
    if not before or after is not None:
        return ""  # what is read afterwards as charged may have been charged before or after that moment
    level = float(before[-1].value or 0)
    if level <= EMPTY_PERCENT:
        return f"{name} was read as {level:g} % before, and nobody charged it since"
    drain = fit_drain(before) if before[-1].what is Measure.BATTERY else None
    gone = drain is not None and drain.per_day.low > 0 and level < drain.per_day.low * (at_s - drain.last_s) / DAY_S
    return f"by its drain {name} was empty by then" if gone else ""
