"""What a gate is, and the numbers that gates look at."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from enum import StrEnum
from types import MappingProxyType
from typing import ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.evidence import Evidence
from guardia.core.hours.plan import Spans, in_spans
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import Settings
from guardia.core.replay.objects import ObjectClass
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


class AlertLook(NamedTuple):
    """What the gates of the alert look at for one occurrence."""

    in_class: bool
    """Its class passes the alert filter."""
    in_mode: bool
    """The mode in force tells it."""
    in_hours: bool
    """It triggered within the alert hours."""
    left_s: float
    """Seconds left of the time between alerts, 0 for none."""


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
    """Seconds of a recording and of rest left when it began, None if the camera was free."""
    share: float
    """Share of it that the recordings cover."""
    found: ObjectClass | None = None
    """Its class, where the settings filter by class."""
    outside: frozenset[str] = frozenset()
    """Ids of the gates of time outside of which all of it lies."""
    alert: AlertLook | None = None
    """What the gates of the alert look at, None where every trigger is told."""
    store: Mapping[str, str] = MappingProxyType({})
    """Which gates of the store close, by their ids, and why."""


class Gate(ABC):
    """One condition."""

    id: str
    stage: ClassVar[Stage]

    @abstractmethod
    def closed(self, look: Look) -> bool:
        """Whether it stops an occurrence."""

    @abstractmethod
    def words(self, look: Look) -> str:
        """Why it is closed, with its numbers."""

    def leaves(self, evidence: Evidence, candidate: Candidate, runs: list[list[Run]]) -> list[list[Run]]:
        """Of the stretches of enough motion in each clip those that may trigger."""
        del evidence, candidate
        return runs

    def __str__(self) -> str:
        return self.id


class NumberGate(Gate):
    """A condition on a number."""

    @abstractmethod
    def numbers(self, look: Look) -> tuple[float, float]:
        """What there is, and what is needed: below that the gate is closed."""

    def closed(self, look: Look) -> bool:
        """Whether there is less than is needed."""
        there, needed = self.numbers(look)
        return there < needed


class TimeGate(Gate):
    """A condition on when something happens: pictures outside its spans trigger nothing."""

    @abstractmethod
    def spans(self, evidence: Evidence, candidate: Candidate) -> Spans | None:
        """When it is open over all the evidence, POSIX seconds; None for always, and where a plan cannot be told."""

    def closed(self, look: Look) -> bool:
        """Whether every picture lies outside."""
        return self.id in look.outside

    def leaves(self, evidence: Evidence, candidate: Candidate, runs: list[list[Run]]) -> list[list[Run]]:
        """The parts of the runs that lie within the spans."""
        spans = self.spans(evidence, candidate) if evidence.clips else None
        if spans is None:
            return runs
        left = []
        for clip, times, own in zip(evidence.clips, evidence.stack.times, runs, strict=True):
            on = in_spans(spans, clip.start_s + np.asarray(times)) if own else np.ones(1, bool)
            left.append(own if on.all() else [part for run in own for part in _on_parts(run, on)])
        return left


def _on_parts(run: Run, on: NDArray[np.bool_]) -> list[Run]:
    """The unbroken parts of a run of pictures that are on."""
    first, last = run
    edges = np.flatnonzero(np.diff(np.concatenate([[False], on[first : last + 1], [False]]).astype(np.int8)))
    return [(first + int(a), first + int(b) - 1) for a, b in edges.reshape(-1, 2)]


def percent(share: float) -> str:
    """A share of the picture as text with one decimal."""
    return f"{share * 100:.1f} %"
