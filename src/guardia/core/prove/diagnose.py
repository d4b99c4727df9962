"""Why was it not recorded, or not told? The chain of gates walked for one moment, with what is known of each.

What is closed is named in the order of the chain. What nobody can know from here is ordered by how likely it is for the
minutes that its check costs: a look at the phone before a ladder.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from guardia.core.base.words import sentence
from guardia.core.evidence.clips import FOOTAGE, Clip, Occurrence, Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings
from guardia.core.replay import gates
from guardia.core.replay.gate import Gate, GateAnswer, Moment, Stage, State
from guardia.core.replay.gates import Outcome
from guardia.core.replay.replay import Replay
from guardia.core.replay.up_gates import UpGate

BY_THE_MODEL = "by the model, on the footage"


class Question(StrEnum):
    """What is asked."""

    NOT_RECORDED = "Why was it not recorded?"
    NOT_TOLD = "Why was nobody alerted?"
    NO_PICTURE = "Why is there no live picture?"
    TOO_MANY = "Why so many alerts?"
    AT_NIGHT = "Why is it bad at night?"


@dataclass(frozen=True)
class Reason:
    """One gate at one moment, or another thing that may be the reason."""

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
    reasons: tuple[Reason, ...]
    """In the order of the chain."""
    there: str = ""
    """The record that is there after all, in words; empty where there is none."""
    head: str = ""
    """What the answer begins with."""

    @property
    def cause(self) -> Reason | None:
        """The first gate that is closed."""
        return next((g for g in self.reasons if g.state is State.CLOSED), None)

    @property
    def checks(self) -> tuple[Reason, ...]:
        """What is not known, in the order in which it pays to look: likelihood for the minutes."""
        unknown = [g for g in self.reasons if g.state is State.UNKNOWN]
        return tuple(sorted(unknown, key=lambda g: -g.weight / g.minutes))

    @property
    def words(self) -> str:
        """The answer in a sentence or two."""
        return f"{self.head} {self._answer()}".strip() if self.reasons else self.head

    def _answer(self) -> str:
        if self.there and self.cause is None:
            return self.there
        if self.cause is not None:
            said = self.cause.words.rstrip(".")
            also = [g.name for g in self.reasons if g.state is State.CLOSED][1:]
            more = f" Closed as well: {', '.join(also)}." if also else ""
            return f"{sentence(self.cause.name)}: {said}.{more}"
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
    if question is Question.NO_PICTURE or settings is None:
        up = [_reason(gate, gate.of(evidence, at_s, make.storage)) for gate in gates.GATES if isinstance(gate, UpGate)]
        lens = Reason("lens clean", State.UNKNOWN, "not known", "Look at its lens; clean it.", 2, 0.1)
        return Diagnosis(question, at_s, (*(r for r in up if r is not None), lens))
    candidate = Candidate(settings, make)
    done = replay_of(settings)
    moment = Moment(at_s, candidate, done)
    shown = occurrence or _shown_at(evidence, at_s)
    clip = _recorded_at(evidence, at_s)
    there = f"It was recorded: {clip.name}." if clip is not None and question is Question.NOT_RECORDED else ""
    outcome = done.outcomes[shown.id] if shown is not None else None
    if not there and moment.writes_always and question is Question.NOT_RECORDED:
        there = _only_not_marked(outcome)
    walked = [g for g in gates.GATES if question is Question.NOT_TOLD or g.stage is not Stage.ALERTED]
    reasons: list[Reason] = []
    motion = _motion_as_one(moment, outcome, recorded=clip is not None)
    seen = None if motion is not None else _seen_closed(outcome)
    for gate in walked:
        if gate is gates.LINK and not dated:
            reasons += _walked([gate], moment)
            reasons.append(
                Reason("settings of then", State.UNKNOWN, "it is not known what was set then; today's are taken",
                       "Ask who changed what, and date the settings.", 5, 0.05)
            )  # fmt: skip
        elif not gate.of_motion:
            reasons += _walked([gate], moment)
        elif motion is not None:
            reasons += [motion] if gate is _first_of_motion() else []
        elif seen is None:
            reasons += _walked([gate], moment)
        elif gates.GATES.index(gate) < gates.GATES.index(seen[0]):
            reasons.append(Reason(gate.id, State.OPEN, BY_THE_MODEL))
        elif gate is seen[0]:
            reasons.append(Reason(gate.id, State.CLOSED, f"{seen[1]} ({BY_THE_MODEL})"))
    return Diagnosis(question, at_s, tuple(reasons), there)


def answered(found: Diagnosis, said: Mapping[str, tuple[State, str]]) -> Diagnosis:
    """The same with what somebody saw who looked.

    Args:
        found: What is known without that.
        said: By gate, whether it was open or closed, and who looked when, in words. What evidence tells goes before.

    Returns:
        With these gates in the state that was said.
    """
    reasons = [
        Reason(r.name, *said[r.name]) if r.state is State.UNKNOWN and r.name in said else r for r in found.reasons
    ]
    return replace(found, reasons=tuple(reasons))


def _only_not_marked(outcome: Outcome | None) -> str:
    """That it should lie among what is always written, and why motion did not mark it there."""
    why = f": {outcome.gate}, {outcome.reason}" if outcome is not None and outcome.gate is not None else ""
    return f"It records always: look for that time on its store. Motion did not mark it{why}."


def _walked(walked: Sequence[Gate], moment: Moment) -> list[Reason]:
    return [reason for gate in walked if (reason := _reason(gate, gate.at(moment))) is not None]


def _reason(gate: Gate, answer: GateAnswer | None) -> Reason | None:
    """A gate's answer, with its check where it is not known; None where the gate does not apply."""
    if answer is None:
        return None
    unknown = answer.state is State.UNKNOWN
    check = gate.check.text if unknown else ""
    return Reason(gate.id, answer.state, answer.words, check, gate.check.minutes, answer.weight)


def _first_of_motion() -> Gate:
    return next(gate for gate in gates.GATES if gate.of_motion)


def _motion_as_one(moment: Moment, outcome: Outcome | None, *, recorded: bool) -> Reason | None:
    """All gates of motion at once, where they are known to be open or do not matter."""
    if recorded:
        return Reason("motion", State.OPEN, "a motion clip covers that moment")
    if moment.writes_always:
        return Reason("motion", State.OPEN, "it records always; motion only marks it")
    if outcome is not None and outcome.marked:
        return Reason("motion", State.OPEN, "the model would have recorded what the footage shows")
    return None


def _seen_closed(outcome: Outcome | None) -> tuple[Gate, str] | None:
    """The gate of motion that closed for what footage shows, with its numbers."""
    if outcome is None or outcome.gate is None or not outcome.gate.of_motion:
        return None
    return outcome.gate, outcome.reason


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
