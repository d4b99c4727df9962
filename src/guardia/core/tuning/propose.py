"""Proposed zones: the least area to ignore that silences most false occurrences while every real one still triggers.

An integer program over grid cells, or over the make's blocks where it has blocks. A cell or block is ignored (x = 1) or
not. A false occurrence is silenced (y = 1) when of every group that would trigger enough cells are ignored: for a make
that counts moving pixels so many that fewer than the threshold are left (sufficient whatever the group's shape), for
one that tests the box all cells of the box, for one that tests the foot the foot's cell. A real occurrence keeps at
least one of its witnesses (z = 1): a stretch of pictures as long as the hold time in each of which a group still
triggers. Most y first, then fewest x. The groups of a false occurrence enter as they turn out to be needed; the
result is checked by replaying it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import scipy
from numpy.typing import NDArray

from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.replay.replay import Replay, replay
from guardia.core.score.score import PROBABLE_FROM, Flip, flips, newly_late
from guardia.core.tuning.zone_program import MotionGroup, Program, Rules, make_program

FIRST_GROUPS = 6
"""Groups of each false occurrence that the program begins with, the largest and others spread over its time."""

MOST_COEFFICIENTS = 30_000
"""So many coefficients the programs of all rounds may have together, or else the cells found one by one are taken.

Counted in coefficients and nodes and not in seconds, a search gives the same on every machine."""

MOST_REPLAYS = 40
"""So many false occurrences that the rules leave are tried in a replay each."""

MOST_NODES = 300
"""Nodes of the search tree in one round."""

STUCK_S = 60.0
"""A solver that has not ended after this time on a program so small has met a fault; its answer is not used."""


class Effect(NamedTuple):
    """What becomes of judged visits when settings change, by their ids."""

    silenced: tuple[int, ...]
    """False, recorded before and no longer."""
    added: tuple[int, ...]
    """False, recorded only now, for instance because a rest no longer swallows them."""
    lost: tuple[int, ...]
    """Real, recorded before and no longer."""
    found: tuple[int, ...]
    """Real, recorded only now."""
    late: tuple[int, ...]
    """Real and still recorded, but now late or cut."""

    @property
    def fewer(self) -> int:
        """By how many false recordings there are fewer, net."""
        return len(self.silenced) - len(self.added)

    @property
    def gain(self) -> int:
        """What it is worth: one that is late now costs as much as a false recording."""
        return self.fewer - len(self.late)


@dataclass(frozen=True, eq=False)
class Proposal:
    """Cells to ignore and what that does."""

    ignored: NDArray[np.bool_]
    """(rows, columns) cells to ignore, all of them inside the present zone."""
    done: Effect
    """What a replay of everything says of it; something real is lost only where a later gate (the wait) interferes."""
    bound: int
    """At most so many false occurrences can be silenced by the program's rules."""
    proven: bool
    """By the rules none silences more, and replays found nothing better; otherwise `bound` tells the remaining gap."""
    by_replay: int
    """So many more are silenced by cells that the rules do not allow: a replay shows that nothing real is lost."""


def propose(evidence: Evidence, candidate: Candidate, *, check: Callable[[], None] = lambda: None) -> Proposal:
    """Find the cells to ignore.

    Args:
        evidence: Clips and judged occurrences.
        candidate: The draft with its make; its zones stay and cells are ignored within them.
        check: Called between the parts of the work; what it raises ends it.

    Returns:
        The cells, checked by a replay.
    """
    before = replay(evidence, candidate)
    program = make_program(evidence, before)
    rules = Rules(program)
    best = greedy(program, rules)
    active = {i: _first(groups) for i, groups in program.false_groups.items() if groups}
    bound, proven = len(active), not active
    room = MOST_COEFFICIENTS
    while not proven:
        check()
        asked = _asked(program, active)
        room -= asked.table.nnz
        if room < 0:
            break
        ignored, claimed, bound, proven = _solve(program, asked)
        if _worth(rules, ignored) > _worth(rules, best):
            best = ignored
        short = {i: _missing(program.false_groups[i], ignored) for i in claimed}
        if not any(short.values()):
            break
        proven = False
        for i, missing in short.items():
            active[i] = active[i] + _first(missing)
    cells = program.cells(rules.drop_useless(best))
    by_rules = difference(evidence, before, replay(evidence, candidate, without=cells))
    cells, done = _more_by_replay(before, program, cells, by_rules, check)
    more = done.fewer - by_rules.fewer
    return Proposal(cells, done, max(bound, done.fewer), proven and not done.lost and not more, more)


def _more_by_replay(
    before: Replay, program: Program, cells: NDArray[np.bool_], done: Effect, check: Callable[[], None]
) -> tuple[NDArray[np.bool_], Effect]:
    """Ignore what is left of the false ones, one after another, where a replay loses nothing by it.

    The rules keep every cell of a real one's group, since without it the group may come apart; often it does not.
    """
    evidence, candidate = before.evidence, before.candidate
    flags = {i: _cells_of(program, groups) for i, groups in program.false_groups.items() if groups}
    for i in sorted(flags, key=lambda n: int(flags[n].sum()))[:MOST_REPLAYS]:
        tried = cells | flags[i]
        if i in done.silenced or (tried == cells).all():
            continue
        check()
        found = difference(evidence, before, replay(evidence, candidate, without=tried))
        if len(found.lost) <= len(done.lost) and found.gain > done.gain:
            cells, done = tried, found
    return cells, done


def _cells_of(program: Program, groups: list[MotionGroup]) -> NDArray[np.bool_]:
    """(rows, columns) all cells by which some groups trigger."""
    ignored = np.zeros(program.count, bool)
    for group in groups:
        ignored[group.cells] = True
    return program.cells(ignored)


def _worth(rules: Rules, ignored: NDArray[np.bool_]) -> tuple[int, int]:
    """The objective, to be compared: most silenced, then fewest cells; nothing when a real one is lost."""
    if not rules.kept(ignored).all():
        return (-1, 0)
    return int(rules.silenced(ignored).sum()), -int(ignored.sum())


def _missing(groups: list[MotionGroup], ignored: NDArray[np.bool_]) -> list[MotionGroup]:
    """The groups that would still trigger."""
    return [g for g in groups if g.weight[ignored[g.cells]].sum() < g.least]


def _first(groups: list[MotionGroup]) -> list[MotionGroup]:
    """A few groups that stand for all."""
    if len(groups) <= FIRST_GROUPS or len(groups[-1].cells) == 1:
        return list(groups)
    return [groups[n] for n in np.round(np.linspace(0, len(groups) - 1, FIRST_GROUPS)).astype(int)]


class _Asked(NamedTuple):
    """The program with some of the groups: its useful cells and false occurrences, then the rows of its table."""

    useful: NDArray[np.int64]
    ids: list[int]
    table: scipy.sparse.csr_array
    lower: list[float]
    upper: list[float]


def _asked(program: Program, active: dict[int, list[MotionGroup]]) -> _Asked:
    useful = np.unique(np.concatenate([g.cells for groups in active.values() for g in groups]))
    place = np.full(program.count, -1)
    place[useful] = np.arange(len(useful))
    ids = list(active)
    asked = [(i, w) for i, witnesses in program.witnesses.items() for w in witnesses]
    count = len(useful) + len(ids) + len(asked)
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
            # In whole cells, so that the solver's tolerances stay small against the coefficients.
            add(columns, np.append(group.weight, -group.least) / _scale(group), 0.0, np.inf)
    begin = len(useful) + len(ids)
    by_real: dict[int, list[int]] = {}
    for number, (i, witness) in enumerate(asked):
        by_real.setdefault(i, []).append(begin + number)
        for group in witness:
            known = place[group.cells] >= 0
            cells, weight = group.cells[known], group.weight[known]
            if weight.sum() > group.spare:
                columns = np.append(place[cells], begin + number)
                slack = weight.sum() - group.spare
                add(columns, np.append(weight, slack) / _scale(group), -np.inf, float(weight.sum() / _scale(group)))
    for columns_of in by_real.values():
        add(np.array(columns_of), np.ones(len(columns_of)), 1.0, np.inf)
    table = scipy.sparse.coo_array(
        (np.concatenate(value), (np.concatenate(row), np.concatenate(column))), shape=(len(lower), count)
    ).tocsr()
    return _Asked(useful, ids, table, lower, upper)


def _solve(program: Program, asked: _Asked) -> tuple[NDArray[np.bool_], list[int], int, bool]:
    """Solve the program: ignored cells, silenced ids, upper bound, proven."""

    useful, ids = asked.useful, asked.ids
    begin, count = len(useful) + len(ids), asked.table.shape[1]
    cost = np.zeros(count)
    cost[: len(useful)] = 1.0 / (len(useful) + 1)
    cost[len(useful) : begin] = -1.0
    solved = scipy.optimize.milp(
        cost,
        constraints=scipy.optimize.LinearConstraint(asked.table, np.array(asked.lower), np.array(asked.upper)),
        integrality=np.ones(count, np.int64),
        bounds=scipy.optimize.Bounds(0, 1),
        options={"node_limit": MOST_NODES, "time_limit": STUCK_S, "mip_rel_gap": 0.0},
    )
    ignored = np.zeros(program.count, bool)
    stuck = solved.status == 1 and (solved.mip_node_count or 0) < MOST_NODES
    if solved.x is None or stuck:
        return ignored, [], len(ids), False
    chosen = np.round(solved.x).astype(bool)
    ignored[useful[chosen[: len(useful)]]] = True
    claimed = [i for n, i in enumerate(ids) if chosen[len(useful) + n]]
    dual = solved.mip_dual_bound if solved.mip_dual_bound is not None else -float(len(ids))
    return ignored, claimed, int(np.floor(-dual + 1e-6 + 1)) if solved.status != 0 else len(claimed), solved.status == 0


def _scale(group: MotionGroup) -> float:
    return float(group.weight.max(initial=1))


def greedy(program: Program, rules: Rules) -> NDArray[np.bool_]:
    """Cells to ignore by taking one false occurrence after another, the cheapest first, as long as all real ones stay.

    Args:
        program: From make_program().
        rules: Of that program.

    Returns:
        (cells,) flags.
    """
    wanted = np.zeros(program.count)
    for witnesses in program.witnesses.values():
        for group in (g for w in witnesses for g in w):
            wanted[group.cells] += 1
    ignored = np.zeros(program.count, bool)
    price = {i: max(g.least for g in groups) for i, groups in program.false_groups.items() if groups}
    for i in sorted(price, key=lambda n: price[n]):
        tried = ignored.copy()
        for group in program.false_groups[i]:
            missing = group.least - int(group.weight[tried[group.cells]].sum())
            if missing > 0:
                open_ = ~tried[group.cells]
                free, weight = group.cells[open_], group.weight[open_]
                order = np.argsort(wanted[free] / weight, kind="stable")
                taken = int(np.searchsorted(np.cumsum(weight[order]), missing)) + 1
                tried[free[order[:taken]]] = True
        if rules.kept(tried).all():
            ignored = tried
    return ignored


def difference(evidence: Evidence, before: Replay, after: Replay) -> Effect:
    """What settings change against others.

    Args:
        evidence: The evidence that both replayed, with its judgements.
        before: Replay of the one.
        after: Replay of the other.

    Returns:
        Ids of visits.
    """
    changes: dict[Flip, list[int]] = {flip: [] for flip in Flip}
    for flip, visit, chance in flips(evidence, before, after):
        if chance >= PROBABLE_FROM:
            changes[flip].append(visit.id)
    return Effect(
        silenced=tuple(changes[Flip.NEWLY_SILENCED]),
        added=tuple(changes[Flip.NEWLY_FALSE]),
        lost=(*changes[Flip.NEWLY_MISSED], *changes[Flip.NEWLY_UNMARKED]),
        found=(*changes[Flip.NEWLY_RECORDED], *changes[Flip.NEWLY_MARKED]),
        late=newly_late(evidence, before, after),
    )
