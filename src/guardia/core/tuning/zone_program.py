"""The integer program's rules: which cells must be ignored to silence an occurrence, and which must stay to keep it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

import numpy as np
import scipy
from numpy.typing import NDArray

from guardia.core.evidence.clips import Occurrence, Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.capability import Capability
from guardia.core.make.zone_parts import ZonePart
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay.gate import LEAST_SHARE
from guardia.core.replay.replay import Replay
from guardia.core.trace.measure import CONTRAST_LEVELS, Grid
from guardia.core.trace.stack import FILL_BYTE

WITNESSES = 6
"""Stretches of each real occurrence of which one must stay, spread over its time."""

EARLIER_S = 20.0
"""Where recordings last as long as it moves, motion so long before may have started one."""


class MotionGroup(NamedTuple):
    """Cells by which a group triggers."""

    cells: NDArray[np.int64]
    """Unit numbers of its cells inside the zone: a block that holds several of them stands several times."""
    weight: NDArray[np.int64]
    """What each of them adds to its size; 1 each where the make tests the box or the foot."""
    least: int
    """With so much of the weight ignored it triggers no longer."""
    spare: int
    """With so much of it ignored it surely still triggers."""


@dataclass(frozen=True, eq=False)
class Program:
    """What the integer program knows of the evidence under one set of settings."""

    zone: NDArray[np.bool_]
    """(rows, columns) cells of the present zone."""
    units: NDArray[np.int64]
    """(rows, columns) number of the unit that each cell is ignored with: its own, or its block's."""
    false_groups: dict[int, list[MotionGroup]]
    """By false occurrence that is recorded: every group of it that triggers."""
    witnesses: dict[int, list[list[MotionGroup]]]
    """By real occurrence that is recorded: its witnesses, each the groups that must still trigger."""

    @property
    def count(self) -> int:
        """Units in all."""
        return int(self.units.max()) + 1

    def cells(self, ignored: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """(rows, columns) cells of the zone that (units,) ignored units cover."""
        return ignored[self.units] & self.zone


def unit_numbers(capability: Capability, *, grid: Grid) -> NDArray[np.int64]:
    """What each cell is ignored with: the block over its middle where the make has blocks, no finer than cells.

    Args:
        capability: The make.
        grid: Columns and rows of cells.

    Returns:
        (rows, columns) numbers; those of blocks in reading order.
    """
    (wide, high), (columns, rows) = capability.blocks, grid
    if capability.zone_form != "blocks" or wide > columns or high > rows:
        wide, high = columns, rows
    across = (2 * np.arange(columns) + 1) * wide // (2 * columns)
    down = (2 * np.arange(rows) + 1) * high // (2 * rows)
    return np.asarray(down[:, None] * wide + across, np.int64)


def make_program(evidence: Evidence, done: Replay, *, sure: bool = True) -> Program:
    """Collect groups and witnesses.

    Args:
        evidence: Clips and judged occurrences.
        done: Replay of the draft.
        sure: A group of which any cell is ignored may come apart, so it does not count as a witness any more; otherwise
            it counts as long as enough cells are left, and a replay must say whether they hold together.

    Returns:
        For every judged occurrence that the draft records.
    """
    settings, capability = done.candidate.settings, done.candidate.capability
    finder = _Finder(
        evidence, done.motion.parts, capability.zone_test, unit_numbers(capability, grid=evidence.stack.grid), sure
    )
    false_groups: dict[int, list[MotionGroup]] = {}
    witnesses: dict[int, list[list[MotionGroup]]] = {}
    for visit in evidence.visits:
        for o in visit:
            if visit.verdict is not o.verdict:
                continue
            if not done.outcomes[o.id].marked or o.verdict not in (Verdict.REAL, Verdict.FALSE):
                continue
            clip = evidence.clip_of(o)
            if o.verdict is Verdict.FALSE:
                # What moved before it may have started the recording that covers it.
                whole = clip.origin is Origin.MOTION
                first = 0.0 if whole else o.start_s - (settings.recording.length_s or EARLIER_S)
                last = clip.duration_s if whole else o.end_s + settings.recording.pre_record_s
                triggers = finder.triggering(o, first, last)
                false_groups[o.id] = _unlike([g for groups in triggers for g in groups])
                continue
            # A witness near its end would leave too little of it to be recorded, unless the pre-record brings it back.
            last = min(o.end_s, o.end_s - LEAST_SHARE * (o.end_s - o.start_s) + settings.recording.pre_record_s)
            triggers = finder.triggering(o, o.start_s, last)
            # One picture is not asked how long the motion lasts.
            hold_s = 0.0 if clip.origin is Origin.SNAPSHOT else settings.detection.hold_s
            if of_this := _witnesses(triggers, _times(evidence, o, last), hold_s):
                witnesses[o.id] = of_this
    return Program(done.motion.zone, finder.units, false_groups, witnesses)


def _times(evidence: Evidence, o: Occurrence, last_s: float) -> list[float]:
    times = evidence.stack.times[evidence.clip_index[o.clip_id]]
    return [t for t in times if o.start_s - 1e-6 <= t <= last_s + 1e-6]


@dataclass(frozen=True, eq=False)
class _Finder:
    """Finds the groups that trigger."""

    evidence: Evidence
    parts: list[ZonePart]
    zone_test: str
    units: NDArray[np.int64]
    sure: bool

    def triggering(self, o: Occurrence, first_s: float, last_s: float) -> list[list[MotionGroup]]:
        """Of each picture in a span of an occurrence's clip the groups that trigger in it."""
        index, stack = self.evidence.clip_index[o.clip_id], self.evidence.stack
        parts = [part for part in self.parts if part.dark in (None, self.evidence.clips[index].dark)]
        triggers: list[list[MotionGroup]] = []
        for part in parts if self.zone_test == "pixels" else ():
            level = CONTRAST_LEVELS.index(part.contrast)
            dense = stack.changed(index, first_s - 1e-6, last_s + 1e-6, level=level)
            pictures = (dense >= FILL_BYTE).reshape(-1, *part.cells.shape)
            triggers = triggers or [[] for _ in pictures]
            for picture, cells in _groups(pictures & part.cells):
                weight = dense[picture, cells].astype(np.int64)
                if (over := int(weight.sum()) - part.needed) >= 0:
                    spare = 0 if self.sure else over
                    triggers[picture].append(MotionGroup(self.units.ravel()[cells], weight, over + 1, spare))
        if self.zone_test == "pixels":
            return triggers
        low, high = stack.pictures(index, first_s - 1e-6, last_s + 1e-6)
        triggers = [[] for _ in range(low, high)]
        for part in parts:
            things, feet = stack.things(contrast=part.contrast), stack.feet(contrast=part.contrast)
            begin, end = np.searchsorted(things.frame, np.array([low, high], things.frame.dtype))
            for number in range(int(begin), int(end)):
                if things.size[number] >= part.needed:
                    reaching = self._reaching(things.box[number].tolist(), int(feet[number]), part)
                    if len(reaching.cells):
                        triggers[int(things.frame[number]) - low].append(reaching)
        return triggers

    def _reaching(self, box: Sequence[int], foot: int, part: ZonePart) -> MotionGroup:
        """The units by which a thing reaches the zone: those of its box, or of its foot."""
        left, top, right, bottom = box
        reach = np.zeros_like(part.cells)
        if self.zone_test == "box":
            reach[top : bottom + 1, left : right + 1] = True
        else:
            reach[foot, (left + right) // 2] = True
        inside = self.units.ravel()[np.flatnonzero(reach & part.cells)]
        return MotionGroup(inside, np.ones(len(inside), np.int64), len(inside), len(inside) - 1)


_IN_ONE_PICTURE = np.zeros((3, 3, 3), bool)
_IN_ONE_PICTURE[1] = True
"""Cells of one picture that touch, also at corners, belong together; pictures do not."""


def _groups(pictures: NDArray[np.bool_]) -> Iterator[tuple[int, NDArray[np.int64]]]:
    """Picture and cell numbers of every group of (pictures, rows, columns) active cells."""

    groups, count = scipy.ndimage.label(pictures, _IN_ONE_PICTURE)
    flat = groups.ravel()
    where = np.flatnonzero(flat)
    where = where[np.argsort(flat[where], kind="stable")]
    edges = np.searchsorted(flat[where], np.arange(1, count + 2))
    size = pictures[0].size if len(pictures) else 1
    for low, high in pairwise(edges.tolist()):
        yield int(where[low]) // size, where[low:high] % size


def _unlike(groups: Sequence[MotionGroup]) -> list[MotionGroup]:
    """Groups without repetition, the smallest first: they are the hardest to be large enough and easiest to break."""
    unique = {(g.cells.tobytes(), g.weight.tobytes(), g.least): g for g in groups}
    return sorted(unique.values(), key=lambda g: len(g.cells))


def _witnesses(triggers: list[list[MotionGroup]], times: list[float], hold_s: float) -> list[list[MotionGroup]]:
    """Stretches as long as the hold time whose largest groups must stay, spread over the time."""
    witnesses = []
    for first in range(len(triggers)):
        last = first
        while last < len(triggers) and triggers[last] and times[last] - times[first] < hold_s - 1e-6:
            last += 1
        if last < len(triggers) and all(triggers[first : last + 1]):
            witnesses.append([max(groups, key=lambda g: int(g.weight.sum())) for groups in triggers[first : last + 1]])
    if len(witnesses) > WITNESSES:
        witnesses = [witnesses[n] for n in np.round(np.linspace(0, len(witnesses) - 1, WITNESSES)).astype(int)]
    return witnesses


class Rules:
    """The program's rules as sparse tables, to try sets of units quickly, one or many at a time.

    Args:
        program: From make_program().
    """

    def __init__(self, program: Program) -> None:
        self.false_ids = np.array(list(program.false_groups), np.int64)
        false_groups = list(program.false_groups.values())
        self._groups = _table([g for groups in false_groups for g in groups], program.count)
        self._least = np.array([g.least for groups in false_groups for g in groups], np.int32)
        self._of_false = _member_table([len(groups) for groups in false_groups])
        self._share = np.array([1.0 / max(1, len(groups)) for groups in false_groups])
        self.real_ids = np.array(list(program.witnesses), np.int64)
        witnesses = [w for of_occurrence in program.witnesses.values() for w in of_occurrence]
        self._parts = _table([g for w in witnesses for g in w], program.count)
        self._spare = np.array([g.spare for w in witnesses for g in w], np.int32)
        self._of_witness = _member_table([len(w) for w in witnesses])
        self._real_share = np.array([1.0 / len(of_occurrence) for of_occurrence in program.witnesses.values()])
        self._of_real = _member_table([len(of_occurrence) for of_occurrence in program.witnesses.values()])

    def _loud(self, ignored: NDArray[np.bool_]) -> NDArray[np.int32]:
        """Groups of each false occurrence that still trigger."""
        loud = self._least > (self._groups @ ignored.astype(np.int32)).T
        count: NDArray[np.int32] = self._of_false @ loud.T.astype(np.int32)
        return count

    def silenced(self, ignored: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """(false,) or (false, N) whether each false occurrence is silenced when (units,) or (units, N) are ignored."""
        silent: NDArray[np.bool_] = self._loud(ignored) == 0
        return silent

    def _staying(self, ignored: NDArray[np.bool_]) -> NDArray[np.int32]:
        """Witnesses of each real occurrence that stay."""
        broken = self._spare < (self._parts @ ignored.astype(np.int32)).T
        gone = self._of_witness @ broken.T.astype(np.int32) > 0
        staying: NDArray[np.int32] = self._of_real @ (~gone).astype(np.int32)
        return staying

    def kept(self, ignored: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """(real,) or (real, N) whether each real occurrence keeps a witness when (units,) or (units, N) are ignored."""
        stays: NDArray[np.bool_] = self._staying(ignored) > 0
        return stays

    def worn(self, ignored: NDArray[np.bool_]) -> NDArray[np.float64]:
        """() or (N,) sum over the real occurrences of the share of their witnesses that do not stay."""
        return np.asarray(len(self.real_ids) - self._real_share @ self._staying(ignored), np.float64)

    def progress(self, ignored: NDArray[np.bool_]) -> NDArray[np.float64]:
        """() or (N,) sum over the false occurrences of the share of their groups that trigger no longer."""
        return np.asarray(len(self.false_ids) - self._share @ self._loud(ignored), np.float64)

    def drop_useless(self, ignored: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """(units,) those of the ignored units that silence something."""
        quiet = self.silenced(ignored).astype(np.int32) @ self._of_false > 0
        groups = self._groups[quiet]
        over = groups @ ignored.astype(np.int32) - self._least[quiet]
        by_unit = groups.tocsc()
        result = ignored.copy()
        for unit in np.flatnonzero(ignored).tolist():
            part = slice(by_unit.indptr[unit], by_unit.indptr[unit + 1])
            touched, times = by_unit.indices[part], by_unit.data[part]
            if (over[touched] >= times).all():
                result[unit] = False
                over[touched] -= times
        return result


def _table(groups: Sequence[MotionGroup], units: int) -> scipy.sparse.csr_array:
    """The weight of each unit in each group."""
    edges = np.cumsum([0, *(len(g.cells) for g in groups)])
    columns = np.concatenate([np.zeros(0, np.int64), *(g.cells for g in groups)])
    weight = np.concatenate([np.zeros(0, np.int64), *(g.weight for g in groups)]).astype(np.int32)
    table = scipy.sparse.csr_array((weight, columns, edges), shape=(len(groups), units))
    table.sum_duplicates()
    return table


def _member_table(counts: Sequence[int]) -> scipy.sparse.csr_array:
    """1 where a member, numbered through, belongs to a row that has so many of them."""
    edges = np.cumsum([0, *counts])
    return scipy.sparse.csr_array(
        (np.ones(edges[-1], np.int32), np.arange(edges[-1]), edges), shape=(len(counts), int(edges[-1]))
    )
