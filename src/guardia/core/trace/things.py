"""Things: groups of active cells, taken apart where several moved side by side. docs/motion-model.md step 3.

Two people beside each other are one group as long as their cells touch, and neither its box nor its foot is that of
either of them. Before they met, or after they part, each is a group of its own; so the group is taken apart by where
they were.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

LEAST_CELLS = 2
"""Smaller groups are no thing of their own: what moves is not taken apart for a speck beside it."""

LEAST_SHARE = 0.2
"""Nor for a group of less than this share of the largest that it met."""

APART_PICTURES = 2
"""Things were told apart in so many pictures before they met; what parts for one picture is a limb or a gap."""

LONGEST_S = 5.0
"""So long after they were last apart things are no longer told apart."""


@dataclass(frozen=True, eq=False)
class Things:
    """Things of all pictures, in order of picture. N things."""

    frame: NDArray[np.int32]
    """(N,) picture."""
    box: NDArray[np.int32]
    """(N, 4) left, top, right, bottom cell, inclusive."""
    size: NDArray[np.int32]
    """(N,) sum of the changed shares of its cells."""


class Part(NamedTuple):
    """A part of a group."""

    box: tuple[int, int, int, int]
    """Left, top, right, bottom cell, inclusive."""
    size: int
    """Sum of the changed shares of its cells."""
    apart_s: float
    """When it was last a group of its own, on the clip's clock."""

    @property
    def middle(self) -> float:
        """Middle column of its box."""
        return (self.box[0] + self.box[2]) / 2


Cells = tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64]]
"""Row, column and changed share of each cell of a group."""


def take_apart(
    things: Things,
    cells: NDArray[np.int32],
    clip_of: NDArray[np.int64],
    time_of: NDArray[np.float64],
    cells_of: Callable[[int], Cells],
) -> Things:
    """Take groups apart where several things moved side by side.

    Args:
        things: The groups of all pictures.
        cells: (N,) number of cells of each.
        clip_of: (F,) clip of each picture; pictures of different clips have nothing to do with each other.
        time_of: (F,) time of each picture on its clip's clock, seconds.
        cells_of: Gives the cells of a group by its number.

    Returns:
        The groups, those that were taken apart replaced by their parts.
    """
    earlier, later = _links(things, cells, clip_of)
    if not len(earlier):
        return things
    parts: dict[int, list[Part]] = {}
    for one, other in ((earlier, later), (later, earlier)):
        for group, split in _sweep(things, one, other, time_of, cells_of).items():
            if len(split) > len(parts.get(group, ())):
                parts[group] = split
    if not parts:
        return things
    taken = np.array(sorted(parts))
    whole = np.ones(len(things.frame), bool)
    whole[taken] = False
    pieces = [(int(things.frame[g]), part) for g in taken.tolist() for part in parts[g]]
    frame = np.concatenate([things.frame[whole], np.array([f for f, _ in pieces], np.int32)])
    box = np.concatenate([things.box[whole], np.array([p.box for _, p in pieces], np.int32).reshape(-1, 4)])
    size = np.concatenate([things.size[whole], np.array([p.size for _, p in pieces], np.int32)])
    order = np.argsort(frame, kind="stable")
    return Things(frame[order], box[order], size[order])


def _links(
    things: Things, cells: NDArray[np.int32], clip_of: NDArray[np.int64]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Pairs of groups of consecutive pictures of a clip whose boxes overlap, one of them widened by a cell."""
    useful = np.flatnonzero(cells >= LEAST_CELLS)
    frame = things.frame[useful]
    low, high = np.searchsorted(frame, frame + 1), np.searchsorted(frame, frame + 1, side="right")
    count = high - low
    first = np.repeat(np.arange(len(useful)), count)
    second = np.repeat(low - np.cumsum(count) + count, count) + np.arange(len(first))
    one, two = useful[first], useful[second]
    a, b = things.box[one], things.box[two]
    near = (a[:, 0] - 1 <= b[:, 2]) & (b[:, 0] <= a[:, 2] + 1) & (a[:, 1] - 1 <= b[:, 3]) & (b[:, 1] <= a[:, 3] + 1)
    near &= clip_of[things.frame[one]] == clip_of[things.frame[two]]
    return one[near], two[near]


def _sweep(
    things: Things,
    sources: NDArray[np.int64],
    targets: NDArray[np.int64],
    time_of: NDArray[np.float64],
    cells_of: Callable[[int], Cells],
) -> dict[int, list[Part]]:
    """Parts of groups by what they were linked to in the pictures before, or with both turned, after them."""
    order = np.argsort(targets, kind="stable")
    targets_by, from_ = targets[order], sources[order]
    onward = np.argsort(sources, kind="stable")
    sources_by, to = sources[onward], targets[onward]
    forward = bool(len(sources)) and sources[0] < targets[0]
    met, times = np.unique(targets_by, return_counts=True)
    queue = [g if forward else -g for g in met[times > 1].tolist()]
    heapq.heapify(queue)
    waiting = set(queue)
    parts: dict[int, list[Part]] = {}
    while queue:
        key = heapq.heappop(queue)
        waiting.discard(key)
        group = abs(key)
        low, high = np.searchsorted(targets_by, [group, group + 1])
        seen: list[Part] = []
        before: list[set[int]] = []
        for source in from_[low:high].tolist():
            if source in parts:
                seen += parts[source]
                continue
            left, top, right, bottom = things.box[source].tolist()
            at = float(time_of[things.frame[source]])
            seen.append(Part((left, top, right, bottom), int(things.size[source]), at))
            begin, end = np.searchsorted(targets_by, [source, source + 1])
            before.append(set(from_[begin:end].tolist()))
        if len(before) > 1 and not _long_apart(before):
            continue
        now = float(time_of[things.frame[group]])
        split = _parts(seen, now, cells_of(group)) if len(seen) > 1 else []
        if len(split) > 1:
            parts[group] = split
            low, high = np.searchsorted(sources_by, [group, group + 1])
            for following in to[low:high].tolist():
                following_key = following if forward else -following
                if following_key not in waiting:
                    waiting.add(following_key)
                    heapq.heappush(queue, following_key)
    return parts


def _long_apart(before: Sequence[set[int]]) -> bool:
    """Whether groups go back to groups of their own, so that they were apart in APART_PICTURES."""
    return all(before) and sum(len(b) for b in before) == len(set().union(*before))


def _parts(seen: Sequence[Part], now_s: float, cells: Cells) -> list[Part]:
    """A group's parts by those that it goes back to; fewer than two when it is to stay whole."""
    largest = max(p.size for p in seen)
    seen = sorted((p for p in seen if p.size >= LEAST_SHARE * largest), key=lambda p: (p.box[0], p.box[1]))
    beside = all(a.box[2] < b.box[0] for a, b in pairwise(seen))
    if len(seen) < 2 or not beside or any(abs(now_s - p.apart_s) > LONGEST_S for p in seen):
        return []
    row, column, share = cells
    middles = np.array([p.middle for p in seen])
    owner = np.abs(column[:, None] - middles[None, :]).argmin(axis=1)
    split = []
    for number, part in enumerate(seen):
        mine = owner == number
        if mine.any():
            box = (int(column[mine].min()), int(row[mine].min()), int(column[mine].max()), int(row[mine].max()))
            split.append(Part(box, int(share[mine].sum()), part.apart_s))
    return split
