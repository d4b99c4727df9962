"""What a gate is: one condition between motion and an alert, which answers once for whoever asks.

A gate stops motion from triggering (TriggerGate), or it closes for occurrences as a mask (MaskGate). Counts, outcomes,
the first closed gate and the diagnosis of a moment are all made from the same answers.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from enum import StrEnum
from types import MappingProxyType
from typing import ClassVar, NamedTuple, Protocol
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import Span
from guardia.core.hours.place import SitePlace
from guardia.core.hours.plan import Spans, in_spans, on_at
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import Settings
from guardia.core.replay.objects import ObjectClass
from guardia.core.replay.timing import Recording
from guardia.core.storage.rules import RecordingMode
from guardia.core.trace.stack import Run

STORE_GATES = ("target", "store", "plan", "room", "still kept")
"""Ids of the gates of the store: the chosen one is there, in order, its plan runs, it has room, it still holds it."""

LEAST_SHARE = 0.1
"""An occurrence counts as recorded when the recordings cover at least this share of it."""


class Stage(StrEnum):
    """What can become of an occurrence, one after another."""

    TRIGGERED = "triggered"
    RECORDED = "recorded"
    KEPT = "kept"
    ALERTED = "alerted"


BEHIND = {Stage.KEPT: Stage.RECORDED, Stage.ALERTED: Stage.TRIGGERED}
"""What must have come about before. Recorded is not behind triggered: another occurrence's recording may cover it."""


class State(StrEnum):
    """Of a gate at a moment."""

    OPEN = "open"
    CLOSED = "closed"
    UNKNOWN = "not known"


class GateAnswer(NamedTuple):
    """What is known of a gate at a moment."""

    state: State
    words: str
    """What that is based on."""
    weight: float = 0.0
    """How likely it is the cause, among those that are not known."""


class CameraCheck(NamedTuple):
    """The cheapest look at the camera that would tell whether a gate is closed."""

    text: str
    minutes: float
    weight: float
    """How likely it is the cause where nothing is known (common practice, no source)."""


class Look(NamedTuple):
    """What the gates look at for one occurrence; the numbers behind its outcome."""

    settings: Settings
    """The settings tried."""
    largest_inside: int
    """Size of its largest motion inside the zone; of several zones, in the one where it comes nearest to triggering."""
    largest_anywhere: int
    """Size of its largest motion in the picture."""
    needed: int
    """Size that the sensitivity there asks for."""
    whole: int
    """Size of the whole picture."""
    longest_s: float
    """Longest stretch of enough motion, seconds."""
    held_while_resting: float | None
    """Seconds of a recording and of the pause left when it began, None if the camera was free."""
    share: float
    """Share of it that the recordings cover."""
    found: ObjectClass | None = None
    """Its class, where the settings filter by class."""
    outside: frozenset[str] = frozenset()
    """Ids of the switches that are off, and of the gates of time outside of which all of it lies."""
    alert_left_s: float = 0.0
    """Seconds left of the time between alerts, 0 for none."""
    unlike_model: bool = False
    """By the model it would have triggered; what the camera did speaks against it."""
    store: Mapping[str, str] = MappingProxyType({})
    """Which gates of the store close, by their ids, and why."""


class Done(Protocol):
    """What gates, and what is worked out of recordings, need of a replay."""

    @property
    def evidence(self) -> Evidence:
        """What was replayed."""

    @property
    def candidate(self) -> Candidate:
        """Settings and make."""

    @property
    def recordings(self) -> list[list[Recording]]:
        """Per clip, the recordings that began in it."""

    @property
    def stretches(self) -> list[list[Span]]:
        """Per clip, from when to when is recorded, POSIX seconds: by what the camera did where that is known."""

    @property
    def share(self) -> NDArray[np.float64]:
        """(N,) share of each occurrence that the recordings cover."""

    @property
    def trigger_s(self) -> NDArray[np.float64]:
        """(N,) when it triggered, NaN where it did not itself trigger."""

    @property
    def written(self) -> NDArray[np.bool_]:
        """(N,) whether it lies in time that is written whatever moves."""

    @property
    def in_alert_zone(self) -> NDArray[np.float64]:
        """(N,) when it moved enough in zones that alert, POSIX seconds; NaN where it did not."""

    @property
    def marked(self) -> NDArray[np.bool_]:
        """(N,) whether motion records it."""

    @property
    def alert_facts(self) -> NDArray[np.int8] | None:
        """(N,) whether the camera's own list says of these very alert settings that it alerted: 1, that it did not: 0,
        or nothing: -1; None where that is not asked."""

    def closed_by_store(self, at_s: float) -> Mapping[str, str]:
        """Which gates of the store close for a recording of a moment, and why."""

    def no_longer_there(self, place: int) -> Mapping[str, str]:
        """The same for an occurrence that is recorded, by its place in the arrays."""


@dataclass(frozen=True, eq=False)
class Moment:
    """A moment that somebody asks about."""

    at_s: float
    """POSIX seconds."""
    candidate: Candidate
    """The settings of then."""
    done: Done
    """Their replay on the evidence."""

    @property
    def evidence(self) -> Evidence:
        """Of the camera."""
        return self.done.evidence

    @property
    def around(self) -> tuple[date, date, SitePlace]:
        """The days before and after at the site, and where it lies."""
        day = datetime.fromtimestamp(self.at_s, UTC).astimezone(ZoneInfo(self.evidence.time_zone)).date()
        return day - timedelta(days=1), day + timedelta(days=1), self.evidence.place

    @property
    def writes_always(self) -> bool:
        """Whether the camera writes then whatever moves."""
        settings, plan = self.candidate.settings, self.candidate.settings.hours.recording_plan
        if settings.storage.mode is RecordingMode.MIXED:
            return plan is None or bool(on_at(plan, [self.at_s], self.evidence.place)[0])
        return settings.storage.mode is RecordingMode.CONTINUOUS


class Gate(ABC):
    """One condition."""

    id: str
    stage: ClassVar[Stage]
    check: ClassVar[CameraCheck] = CameraCheck("Look at it at the camera.", 5, 0.05)
    of_motion: ClassVar[bool] = False
    """It looks at what moved: without footage nobody knows it of a moment, and what is always written passes it."""

    @abstractmethod
    def words(self, look: Look) -> str:
        """Why it is closed for an occurrence, with its numbers."""

    def at(self, moment: Moment) -> GateAnswer | None:
        """What is known of it at a moment of which no occurrence tells; None where it does not apply."""
        del moment
        return GateAnswer(State.UNKNOWN, "not known", self.check.weight)

    def __str__(self) -> str:
        return self.id


class TriggerGate(Gate):
    """A gate before the recording: it lets runs of motion trigger or not."""

    stage = Stage.TRIGGERED

    @abstractmethod
    def closed(self, look: Look) -> bool:
        """Whether it stopped an occurrence that did not trigger."""

    def leaves(self, evidence: Evidence, candidate: Candidate, runs: list[list[Run]]) -> list[list[Run]]:
        """Of the stretches of enough motion in each clip those that may trigger."""
        del evidence, candidate
        return runs


class SwitchGate(TriggerGate):
    """A gate that is open or closed by the settings alone, for everything."""

    open_words: ClassVar[str] = "it was on"

    @abstractmethod
    def off(self, candidate: Candidate) -> bool:
        """Whether nothing passes."""

    def closed(self, look: Look) -> bool:
        """As TriggerGate.closed."""
        return self.id in look.outside

    def leaves(self, evidence: Evidence, candidate: Candidate, runs: list[list[Run]]) -> list[list[Run]]:
        """All or nothing."""
        del evidence
        return [[] for _ in runs] if self.off(candidate) else runs


class TimeGate(TriggerGate):
    """A condition on when something happens: pictures outside its spans trigger nothing."""

    @abstractmethod
    def spans(self, candidate: Candidate, first: date, last: date, place: SitePlace) -> Spans | None:
        """When it is open from one date to another, POSIX seconds; None for always, and where a plan cannot be told."""

    def closed(self, look: Look) -> bool:
        """Whether every picture lies outside."""
        return self.id in look.outside

    def leaves(self, evidence: Evidence, candidate: Candidate, runs: list[list[Run]]) -> list[list[Run]]:
        """The parts of the runs that lie within the spans."""
        spans = self.spans(candidate, *evidence.dates, evidence.place) if evidence.clips else None
        if spans is None:
            return runs
        left = []
        for clip, times, own in zip(evidence.clips, evidence.stack.times, runs, strict=True):
            on = in_spans(spans, clip.start_s + np.asarray(times)) if own else np.ones(1, bool)
            left.append(own if on.all() else [part for run in own for part in _on_parts(run, on)])
        return left

    @abstractmethod
    def told(self, settings: Settings) -> str:
        """What the settings say of it, in words."""

    def at(self, moment: Moment) -> GateAnswer | None:
        """By its spans."""
        spans = self.spans(moment.candidate, *moment.around)
        if spans is None:
            return None
        told = self.told(moment.candidate.settings)
        if bool(in_spans(spans, np.array([moment.at_s]))[0]):
            return GateAnswer(State.OPEN, f"that moment lies inside: {told}")
        return GateAnswer(State.CLOSED, f"that moment lies outside: {told}")


class MaskGate(Gate):
    """A gate behind the trigger: it closes for some of N occurrences."""

    @abstractmethod
    def closes(self, done: Done, passing: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """(N,) for which it closes; `passing` (N,) came through the gates before it in its stage."""


def _on_parts(run: Run, on: NDArray[np.bool_]) -> list[Run]:
    """The unbroken parts of a run of pictures that are on."""
    first, last = run
    edges = np.flatnonzero(np.diff(np.concatenate([[False], on[first : last + 1], [False]]).astype(np.int8)))
    return [(first + int(a), first + int(b) - 1) for a, b in edges.reshape(-1, 2)]


def percents(*shares: float) -> list[str]:
    """Shares of the picture as text, with as many decimals as tell them apart."""
    for decimals in range(1, 4):
        words = [f"{share * 100:.{decimals}f} %" for share in shares]
        if len(set(words)) == len(set(shares)):
            break
    return words


def percent(share: float) -> str:
    """A share of the picture as text with one decimal."""
    return f"{share * 100:.1f} %"
