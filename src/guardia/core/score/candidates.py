"""Any number of settings scored alike on the same evidence, and replays remembered by what they rest on."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable, Sequence
from itertools import groupby

import numpy as np

from guardia.core.evidence.clips import Visit
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.zone_parts import zone_parts
from guardia.core.replay.anchored import Anchor
from guardia.core.replay.gates import Outcome
from guardia.core.replay.replay import Replay
from guardia.core.score.score import Comparison, Score, compare, outcome_of, score, visit_outcomes


def score_all(
    evidence: Evidence, candidates: Sequence[Candidate], *, scored: Callable[[int], None] = lambda _: None
) -> list[Score]:
    """Score many settings of one make on the same evidence.

    Args:
        evidence: Clips and judged occurrences.
        candidates: What to try; those that share zones and sensitivity are tried together.
        scored: Told after each how many are done; what it raises ends the work.

    Returns:
        In the order of `candidates`.

    Raises:
        InvalidValue: If one names a level that the make does not have.
    """
    if not candidates:
        return []
    scores: dict[int, Score] = {}
    anchor = Anchor(evidence, candidates[0].capability)
    order = sorted(range(len(candidates)), key=lambda n: repr(_moves(candidates[n])))
    for _, numbers in groupby(order, key=lambda n: _moves(candidates[n])):
        motion = None
        for n in numbers:
            motion = motion or anchor.motion(candidates[n])
            scores[n] = score(evidence, anchor.replay(candidates[n], motion=motion))
            scored(len(scores))
    return [scores[n] for n in range(len(candidates))]


def _moves(candidate: Candidate) -> tuple[object, ...]:
    """What the sizes of motion depend on."""
    detection = candidate.settings.detection
    return detection.zones, detection.notch, detection.night_notch, detection.sensitivity, candidate.capability.id


def disagreements(evidence: Evidence, replays: Sequence[Replay]) -> list[tuple[Visit, tuple[Outcome, ...]]]:
    """What is judged and does not become the same under all of several settings.

    Args:
        evidence: Clips and judged occurrences.
        replays: One for each of the settings.

    Returns:
        Visits that are recorded by some only, or late or cut by some only where they are real; those real first, each
        with its outcomes in the order of `replays`.
    """
    visits = evidence.visit_table
    if not replays or not len(visits.ids):
        return []
    marks = np.array([visit_outcomes(visits, done) for done in replays])
    differ = (marks != marks[:1]).any(axis=0)
    which = np.flatnonzero(visits.real & differ.any(axis=0))
    which = np.concatenate([which, np.flatnonzero(visits.false & differ[0])])
    return [(v, tuple(outcome_of(v, done) for done in replays)) for v in (evidence.visits[n] for n in which)]


class Scorer:
    """Replays and scores of one camera, remembered by content: whoever changes something need not tell.

    Args:
        keep: How many replays are remembered; the one that was not asked for longest goes.
    """

    def __init__(self, keep: int = 4) -> None:
        self._keep = keep
        self._anchor: Anchor | None = None
        self._replays: OrderedDict[Hashable, Replay] = OrderedDict()
        self._scores: OrderedDict[tuple[Replay, Evidence], Score] = OrderedDict()
        self._compared: tuple[tuple[object, ...], Comparison] | None = None

    def anchor(self, evidence: Evidence, capability: Capability) -> Anchor:
        """What the camera did with the evidence, and what is believed of its thresholds."""
        known = self._anchor
        if known is None or known.evidence is not evidence or known.capability != capability:
            same = known is not None and known.capability == capability and _same_facts(known.evidence, evidence)
            self._anchor = known = Anchor(evidence, capability, known if same else None)
        return known

    def replay(self, evidence: Evidence, candidate: Candidate) -> Replay:
        """As Anchor.replay. A corner that moves within its cells changes nothing."""
        cells = tuple(
            (p.cells.tobytes(), p.contrast, p.needed, p.dark, p.does, p.classes)
            for p in zone_parts(candidate, grid=evidence.stack.grid)
        )
        key = (candidate.with_values(zones=()), cells)
        done = self._replays.get(key)
        judged = candidate.settings.detection.by_class
        if done is None or not _same(done.evidence, evidence, judged=judged):
            done = self.anchor(evidence, candidate.capability).replay(candidate)
        self._replays[key] = done
        self._replays.move_to_end(key)
        while len(self._replays) > self._keep:
            self._replays.popitem(last=False)
        return done

    def score(self, evidence: Evidence, done: Replay) -> Score:
        """As the function of that name."""
        key = (done, evidence)
        if key not in self._scores:
            self._scores[key] = score(evidence, done)
        self._scores.move_to_end(key)
        while len(self._scores) > self._keep:
            self._scores.popitem(last=False)
        return self._scores[key]

    def compare(self, evidence: Evidence, installed: Candidate, draft: Candidate) -> Comparison:
        """As the function of that name."""
        before, after = self.replay(evidence, installed), self.replay(evidence, draft)
        key = (evidence, before, after)
        if self._compared is None or self._compared[0] != key:
            scores = (self.score(evidence, before), self.score(evidence, after))
            self._compared = (key, compare(evidence, before, after, scores))
        return self._compared[1]


def _same(one: Evidence, other: Evidence, *, judged: bool) -> bool:
    """Whether a replay of the one is that of the other; an object filter goes by judgements, too."""
    if one is other:
        return True
    if one.storage != other.storage or one.purpose != other.purpose:
        return False  # what is kept of recordings, and for how long it must be, goes by them
    return not judged and _same_facts(one, other)


def _same_facts(one: Evidence, other: Evidence) -> bool:
    """Whether the camera did the same under the same settings, whatever is judged of it."""
    by_judgement = any(e.settings is not None and e.settings.detection.by_class for e in one.epochs)
    return (
        one.clips is other.clips and one.stack is other.stack and one.spans == other.spans
        and not by_judgement and one.epochs == other.epochs and one.events == other.events and one.walks == other.walks
    )  # fmt: skip
