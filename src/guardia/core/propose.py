"""Proposed zones: the least area to ignore that silences most false occurrences while every real one still triggers.

An integer program over grid cells. A cell is ignored (x = 1) or not. A false occurrence is silenced (y = 1) when of
every group that would trigger enough cells are ignored: for a make that counts moving pixels so many that fewer than
the threshold are left (sufficient whatever the group's shape), for one that tests the box all cells of the box, for one
that tests the foot the foot's cell. A real occurrence keeps at least one of its witnesses (z = 1): a stretch of
pictures as long as the hold time in each of which a group still triggers. Most y first, then fewest x. The groups of a
false occurrence enter as they turn out to be needed; the result is checked by replaying it.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import label
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import coo_array, csr_array

from guardia.core.capability import Capability
from guardia.core.errors import InvalidValue
from guardia.core.evidence import Evidence, Occurrence, Origin
from guardia.core.gates import LEAST_SHARE, Replay, replay
from guardia.core.judgement import Verdict
from guardia.core.settings import Settings, entered_zones
from guardia.core.stack import FILL_BYTE
from guardia.core.trace import CONTRAST_LEVELS
from guardia.core.zones import BlockZone, PolygonZone, zone_cells

WITNESSES = 6
"""Stretches of each real occurrence of which one must stay, spread over its time."""

FIRST_GROUPS = 6
"""Groups of each false occurrence that the program begins with, the largest and others spread over its time."""

EARLIER_S = 20.0
"""Where recordings last until motion stops, motion so long before may have started one."""

LAST_LOOK_S = 0.6
"""Time kept for checking the result by a replay."""

ROUNDS = 15
TIME_LIMIT_S = 5.0


@dataclass(frozen=True, eq=False)
class Proposal:
    """Cells to ignore and what that does.

    Parameters
    ----------
    ignored
        (rows, columns) cells to ignore, all of them inside the present zone.
    silenced
        Ids of false occurrences that the draft records and would then no longer.
    lost
        Ids of real occurrences that would be lost: none unless a later gate (the wait) interferes.
    bound
        At most so many false occurrences can be silenced by the program's rules.
    proven
        The optimum is proven; otherwise `bound` tells the remaining gap.
    seconds
        Time that it took.
    """

    ignored: NDArray[np.bool_]
    silenced: tuple[int, ...]
    lost: tuple[int, ...]
    bound: int
    proven: bool
    seconds: float


class Group(NamedTuple):
    """Cells by which a group triggers.

    Parameters
    ----------
    cells
        Cell numbers inside the zone.
    least
        With so many of them ignored it triggers no longer.
    spare
        With so many of them ignored it surely still triggers.
    """

    cells: NDArray[np.int64]
    least: int
    spare: int


@dataclass(frozen=True, eq=False)
class Program:
    """What the integer program knows of the evidence under one set of settings.

    Parameters
    ----------
    zone
        (rows, columns) cells of the present zone.
    false_groups
        By false occurrence that is recorded: every group of it that triggers.
    witnesses
        By real occurrence that is recorded: its witnesses, each the groups that must still trigger.
    """

    zone: NDArray[np.bool_]
    false_groups: dict[int, list[Group]]
    witnesses: dict[int, list[list[Group]]]


def make_program(evidence: Evidence, settings: Settings, capability: Capability) -> Program:
    """Collect groups and witnesses.

    Parameters
    ----------
    evidence
        Clips and judged occurrences.
    settings
        The draft.
    capability
        The make.

    Returns
    -------
    Program
        For every judged occurrence that the draft records.
    """
    done = replay(evidence, settings, capability)
    false_groups: dict[int, list[Group]] = {}
    witnesses: dict[int, list[list[Group]]] = {}
    for parts in evidence.visits:
        for o in parts:
            if not done.outcomes[o.id].recorded or o.verdict not in (Verdict.REAL, Verdict.FALSE):
                continue
            if o.verdict is Verdict.FALSE:
                # What moved before it may have started the recording that covers it.
                whole = evidence.clip_of(o).origin is Origin.MOTION
                first = 0.0 if whole else o.start_s - (settings.clip_length_s or EARLIER_S)
                last = evidence.clip_of(o).duration_s if whole else o.end_s + settings.pre_record_s
                found = _triggering(evidence, o, (first, last), done, capability.zone_test)
                false_groups[o.id] = _unlike([g for groups in found for g in groups])
                continue
            # A witness near its end would leave too little of it to be recorded.
            last = o.end_s - LEAST_SHARE * (o.end_s - o.start_s)
            found = _triggering(evidence, o, (o.start_s, last), done, capability.zone_test)
            if kept := _witnesses(found, _times(evidence, o, last), settings.hold_s):
                witnesses[o.id] = kept
    return Program(done.zone, false_groups, witnesses)


def _times(evidence: Evidence, o: Occurrence, last_s: float) -> list[float]:
    times = evidence.stack.times[evidence.clip_index[o.clip_id]]
    return [t for t in times if o.start_s - 1e-6 <= t <= last_s + 1e-6]


def _triggering(
    evidence: Evidence, o: Occurrence, span_s: tuple[float, float], done: Replay, zone_test: str
) -> list[list[Group]]:
    """Of each picture in a span of an occurrence's clip the groups that trigger in it."""
    level = CONTRAST_LEVELS.index(done.contrast)
    index = evidence.clip_index[o.clip_id]
    dense = evidence.stack.changed(index, span_s[0] - 1e-6, span_s[1] + 1e-6, level=level) >= FILL_BYTE
    pictures = dense.reshape(-1, *done.zone.shape)
    if zone_test == "pixels":
        pictures = pictures & done.zone
    groups, count = label(pictures, _IN_ONE_PICTURE)
    flat = groups.ravel()
    where = np.flatnonzero(flat)
    where = where[np.argsort(flat[where], kind="stable")]
    edges = np.searchsorted(flat[where], np.arange(1, count + 2))
    result: list[list[Group]] = [[] for _ in pictures]
    for low, high in pairwise(edges.tolist()):
        if high - low >= done.needed:
            picture, cells = int(where[low]) // done.zone.size, where[low:high] % done.zone.size
            made = _group(cells, done.zone, done.needed, zone_test)
            if len(made.cells):
                result[picture].append(made)
    return result


_IN_ONE_PICTURE = np.zeros((3, 3, 3), bool)
_IN_ONE_PICTURE[1] = [[False, True, False], [True, True, True], [False, True, False]]
"""Cells of one picture that touch by a side belong together; pictures do not."""


def _group(cells: NDArray[np.int64], zone: NDArray[np.bool_], needed: int, zone_test: str) -> Group:
    """The cells by which one group triggers."""
    if zone_test == "pixels":
        return Group(cells, len(cells) - needed + 1, 0)
    row, column = np.divmod(cells, zone.shape[1])
    box = np.zeros_like(zone)
    if zone_test == "box":
        box[row.min() : row.max() + 1, column.min() : column.max() + 1] = True
    else:
        box[row.max(), (column.min() + column.max()) // 2] = True
    inside = np.flatnonzero(box & zone)
    return Group(inside, len(inside), len(inside) - 1)


def _unlike(groups: Sequence[Group]) -> list[Group]:
    """Groups without repetition, the smallest first: they are the hardest to be large enough and easiest to break."""
    unique = {(g.cells.tobytes(), g.least): g for g in groups}
    return sorted(unique.values(), key=lambda g: len(g.cells))


def _witnesses(found: list[list[Group]], times: list[float], hold_s: float) -> list[list[Group]]:
    """Stretches as long as the hold time whose largest groups must stay, spread over the time."""
    kept = []
    for first in range(len(found)):
        last = first
        while last < len(found) and found[last] and times[last] - times[first] < hold_s - 1e-6:
            last += 1
        if last < len(found) and all(found[first : last + 1]):
            kept.append([max(groups, key=lambda g: len(g.cells)) for groups in found[first : last + 1]])
    if len(kept) > WITNESSES:
        kept = [kept[n] for n in np.round(np.linspace(0, len(kept) - 1, WITNESSES)).astype(int)]
    return kept


def propose(
    evidence: Evidence, settings: Settings, capability: Capability, *, time_limit_s: float = TIME_LIMIT_S
) -> Proposal:
    """Find the cells to ignore.

    Parameters
    ----------
    evidence
        Clips and judged occurrences.
    settings
        The draft; its zones stay and cells are ignored within them.
    capability
        The make.
    time_limit_s
        The best found until then is given.

    Returns
    -------
    Proposal
        The cells, checked by a replay.

    Raises
    ------
    InvalidValue
        If a zone has a sensitivity of its own.
    """
    if any(isinstance(z, PolygonZone) and z.notch for z in settings.zones):
        raise InvalidValue(
            "Zones are proposed for one sensitivity only, and a zone of this draft has its own.",
            kept="The draft was not changed.",
            do="Give every zone the camera's sensitivity, then seek again.",
        )
    begun = time.perf_counter()
    program = make_program(evidence, settings, capability)
    rules = Rules(program)
    best = greedy(program, rules)
    active = {i: _first(groups) for i, groups in program.false_groups.items() if groups}
    bound, proven = len(active), not active
    for _ in range(ROUNDS):
        left = time_limit_s - (time.perf_counter() - begun) - LAST_LOOK_S
        if proven or left <= 0.1:
            break
        ignored, claimed, bound, proven = _solve(program, active, left)
        if _worth(rules, ignored) > _worth(rules, best):
            best = ignored
        for i in claimed:
            missing = [g for g in program.false_groups[i] if np.count_nonzero(ignored[g.cells]) < g.least]
            if missing:
                proven = False
                active[i] = active[i] + _first(missing)
    best = _drop_useless(program, best)
    shape = program.zone.shape
    silenced, lost = effect(evidence, settings, capability, best.reshape(shape))
    return Proposal(best.reshape(shape), silenced, lost, bound, proven, time.perf_counter() - begun)


def _worth(rules: Rules, ignored: NDArray[np.bool_]) -> tuple[int, int]:
    """The objective, to be compared: most silenced, then fewest cells; nothing when a real one is lost."""
    if not rules.kept(ignored).all():
        return (-1, 0)
    return int(rules.silenced(ignored).sum()), -int(ignored.sum())


def _first(groups: list[Group]) -> list[Group]:
    """A few groups that stand for all."""
    if len(groups) <= FIRST_GROUPS or len(groups[-1].cells) == 1:
        return list(groups)
    return [groups[n] for n in np.round(np.linspace(0, len(groups) - 1, FIRST_GROUPS)).astype(int)]


def _solve(
    program: Program, active: dict[int, list[Group]], time_limit_s: float
) -> tuple[NDArray[np.bool_], list[int], int, bool]:
    """Solve the program with some of the groups: ignored cells, silenced ids, upper bound, proven."""
    useful = np.unique(np.concatenate([g.cells for groups in active.values() for g in groups]))
    place = np.full(program.zone.size, -1)
    place[useful] = np.arange(len(useful))
    ids = list(active)
    kept = [(i, w) for i, found in program.witnesses.items() for w in found]
    count = len(useful) + len(ids) + len(kept)
    row, column, value = [], [], []
    lower: list[float] = []
    upper: list[float] = []

    def add(columns: NDArray[np.int64], values: NDArray[np.float64], low: float, high: float) -> None:
        row.append(np.full(len(columns), len(lower)))
        column.append(columns)
        value.append(values)
        lower.append(low)
        upper.append(high)

    for number, i in enumerate(ids):
        for group in active[i]:
            columns = np.append(place[group.cells], len(useful) + number)
            add(columns, np.append(np.ones(len(group.cells)), -float(group.least)), 0.0, np.inf)
    begin = len(useful) + len(ids)
    by_real: dict[int, list[int]] = {}
    for number, (i, witness) in enumerate(kept):
        by_real.setdefault(i, []).append(begin + number)
        for group in witness:
            cells = group.cells[place[group.cells] >= 0]
            if len(cells) > group.spare:
                columns = np.append(place[cells], begin + number)
                slack = float(len(cells) - group.spare)
                add(columns, np.append(np.ones(len(cells)), slack), -np.inf, float(len(cells)))
    for columns_of in by_real.values():
        add(np.array(columns_of), np.ones(len(columns_of)), 1.0, np.inf)
    table = coo_array(
        (np.concatenate(value), (np.concatenate(row), np.concatenate(column))), shape=(len(lower), count)
    ).tocsr()
    cost = np.zeros(count)
    cost[: len(useful)] = 1.0 / (len(useful) + 1)
    cost[len(useful) : begin] = -1.0
    found = milp(
        cost,
        constraints=LinearConstraint(table, np.array(lower), np.array(upper)),
        integrality=np.ones(count, np.int64),
        bounds=Bounds(0, 1),
        options={"time_limit": time_limit_s, "mip_rel_gap": 0.0},
    )
    ignored = np.zeros(program.zone.size, bool)
    if found.x is None:
        return ignored, [], len(ids), False
    chosen = np.round(found.x).astype(bool)
    ignored[useful[chosen[: len(useful)]]] = True
    claimed = [i for n, i in enumerate(ids) if chosen[len(useful) + n]]
    dual = found.mip_dual_bound if found.mip_dual_bound is not None else -float(len(ids))
    return ignored, claimed, int(np.floor(-dual + 1e-6 + 1)) if found.status != 0 else len(claimed), found.status == 0


class Rules:
    """The program's rules as sparse tables, to try many sets of cells quickly.

    Parameters
    ----------
    program
        From make_program().
    """

    def __init__(self, program: Program) -> None:
        self.false_ids = np.array(list(program.false_groups), np.int64)
        groups = [g for found in program.false_groups.values() for g in found]
        self._groups = _table([g.cells for g in groups], program.zone.size)
        self._least = np.array([g.least for g in groups])
        self._false_of = np.repeat(np.arange(len(self.false_ids)), [len(f) for f in program.false_groups.values()])
        self.real_ids = np.array(list(program.witnesses), np.int64)
        parts = [(n, g) for n, w in enumerate(w for found in program.witnesses.values() for w in found) for g in w]
        self._parts = _table([g.cells for _, g in parts], program.zone.size)
        self._spare = np.array([g.spare for _, g in parts])
        self._witness_of = np.array([n for n, _ in parts], np.int64)
        self._real_of = np.repeat(np.arange(len(self.real_ids)), [len(f) for f in program.witnesses.values()])

    def silenced(self, ignored: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """(false,) whether each false occurrence is silenced when (cells,) are ignored."""
        loud = self._groups @ ignored.astype(np.int64) < self._least
        quiet: NDArray[np.bool_] = np.bincount(self._false_of[loud], minlength=len(self.false_ids)) == 0
        return quiet

    def kept(self, ignored: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """(real,) whether each real occurrence keeps a witness when (cells,) are ignored."""
        broken = self._parts @ ignored.astype(np.int64) > self._spare
        gone = np.bincount(self._witness_of[broken], minlength=len(self._real_of)) > 0
        stays: NDArray[np.bool_] = np.bincount(self._real_of[~gone], minlength=len(self.real_ids)) > 0
        return stays


def _table(rows: Sequence[NDArray[np.int64]], cells: int) -> csr_array:
    edges = np.cumsum([0, *(len(r) for r in rows)])
    columns = np.concatenate([np.zeros(0, np.int64), *rows])
    return csr_array((np.ones(len(columns), np.int64), columns, edges), shape=(len(rows), cells))


def silenced_by(program: Program, ignored: NDArray[np.bool_]) -> tuple[set[int], set[int]]:
    """By the program's rules: false occurrences silenced and real ones kept when cells are ignored.

    Parameters
    ----------
    program
        From make_program().
    ignored
        (cells,) flags.

    Returns
    -------
    tuple[set[int], set[int]]
        Ids of both.
    """
    rules = Rules(program)
    return (
        set(rules.false_ids[rules.silenced(ignored)].tolist()),
        set(rules.real_ids[rules.kept(ignored)].tolist()),
    )


def greedy(program: Program, rules: Rules) -> NDArray[np.bool_]:
    """Cells to ignore by taking one false occurrence after another, the cheapest first, as long as all real ones stay.

    Parameters
    ----------
    program
        From make_program().
    rules
        Of that program.

    Returns
    -------
    NDArray[np.bool_]
        (cells,) flags.
    """
    wanted = np.zeros(program.zone.size)
    for found in program.witnesses.values():
        for group in (g for w in found for g in w):
            wanted[group.cells] += 1
    ignored = np.zeros(program.zone.size, bool)
    price = {i: max(g.least for g in groups) for i, groups in program.false_groups.items() if groups}
    for i in sorted(price, key=lambda n: price[n]):
        tried = ignored.copy()
        for group in program.false_groups[i]:
            missing = group.least - int(np.count_nonzero(tried[group.cells]))
            if missing > 0:
                free = group.cells[~tried[group.cells]]
                tried[free[np.argsort(wanted[free], kind="stable")[:missing]]] = True
        if rules.kept(tried).all():
            ignored = tried
    return ignored


def _drop_useless(program: Program, ignored: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Stop ignoring cells that silence nothing more by the program's rules."""
    quiet, _ = silenced_by(program, ignored)
    groups = [g for i in quiet for g in program.false_groups[i]]
    over = np.array([np.count_nonzero(ignored[g.cells]) - g.least for g in groups])
    members: dict[int, list[int]] = {}
    for number, group in enumerate(groups):
        for cell in group.cells[ignored[group.cells]]:
            members.setdefault(int(cell), []).append(number)
    result = ignored.copy()
    for cell in np.flatnonzero(ignored):
        touched = members.get(int(cell), [])
        if all(over[n] > 0 for n in touched):
            result[cell] = False
            over[touched] -= 1
    return result


def effect(
    evidence: Evidence, settings: Settings, capability: Capability, ignored: NDArray[np.bool_]
) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """What ignoring cells does, by replaying everything.

    Parameters
    ----------
    evidence
        Clips and judged occurrences.
    settings
        The draft.
    capability
        The make.
    ignored
        (rows, columns) cells.

    Returns
    -------
    tuple[tuple[int, ...], tuple[int, ...]]
        Ids of false occurrences silenced and of real ones lost.
    """
    rows, columns = ignored.shape
    zone = zone_cells(entered_zones(settings, capability), columns=columns, rows=rows) & ~ignored
    changed = replace(settings, zones=(BlockZone(columns, rows, tuple(zone.ravel().tolist())),))
    free = replace(capability, zone_form="blocks", blocks=(columns, rows))
    return difference(evidence, settings, changed, capability, free)


def difference(
    evidence: Evidence, old: Settings, new: Settings, capability: Capability, free: Capability | None = None
) -> tuple[tuple[int, ...], tuple[int, ...]]:
    """Ids of false occurrences that new settings silence and of real ones that they lose, against old ones."""
    before, after = replay(evidence, old, capability), replay(evidence, new, free or capability)
    silenced: list[int] = []
    lost: list[int] = []
    for parts in evidence.visits:
        one = any(before.outcomes[p.id].recorded for p in parts)
        two = any(after.outcomes[p.id].recorded for p in parts)
        if one and not two and parts[0].verdict in (Verdict.REAL, Verdict.FALSE):
            (lost if parts[0].verdict is Verdict.REAL else silenced).append(parts[0].id)
    return tuple(silenced), tuple(lost)
