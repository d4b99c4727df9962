"""Groups of adjacent active cells as rows of bits, for many pictures at once."""

from __future__ import annotations

from dataclasses import dataclass, fields
from itertools import pairwise
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray

Bits = NDArray[np.uint64]
"""One row of cells as a bit mask, bit c for column c; grids are at most 64 columns wide."""


@dataclass(frozen=True, eq=False)
class Groups:
    """Groups of one contrast level, a bit mask per unbroken run of cells in a row. M runs, G groups, A active cells."""

    mask: Bits  # (M,) sorted by group
    row: NDArray[np.uint8]  # (M,)
    place: NDArray[np.int32]  # (M,) its first cell in `total`
    total: NDArray[np.uint16]  # (A + parts,) running sums of the changed shares; within one row they differ rightly
    start: NDArray[np.int32]  # (G + 1,) into mask
    frame: NDArray[np.int32]  # (G,)
    cells: NDArray[np.int32]  # (G,) number of cells
    size: NDArray[np.int32]  # (G,) sum of the changed shares, 255 for a whole cell
    box: NDArray[np.uint8]  # (G, 4) left, top, right, bottom cell, inclusive

    def of_runs(self, values: NDArray[Any]) -> NDArray[Any]:
        """(M,) what each run's group has of (G,) values."""
        return np.repeat(values, np.diff(self.start))


def no_groups() -> Groups:
    none, start = np.zeros(0, np.int32), np.zeros(1, np.int32)
    mask, row, total = np.zeros(0, np.uint64), np.zeros(0, np.uint8), np.zeros(1, np.uint16)
    return Groups(mask, row, none, total, start, none, none, none, np.zeros((0, 4), np.uint8))


def join_groups(parts: list[Groups]) -> Groups:
    """Groups of consecutive stretches as one; the list is emptied, so that a large camera is not held twice."""
    masks = np.cumsum([0] + [len(p.mask) for p in parts])
    totals = np.cumsum([0] + [len(p.total) for p in parts])
    by_field: dict[str, list[NDArray[Any]]] = {f.name: [getattr(p, f.name) for p in parts] for f in fields(Groups)}
    parts.clear()
    by_field["place"] = [p + np.int32(n) for p, n in zip(by_field["place"], totals, strict=False)]
    starts = [s[:-1] + np.int32(n) for s, n in zip(by_field["start"], masks, strict=False)]
    by_field["start"] = [*starts, masks[-1:].astype(np.int32)]
    return Groups(**{name: np.concatenate(by_field.pop(name)) for name in list(by_field)})


def pieces_of(groups: Groups, runs: int) -> list[Groups]:
    """The same groups in pieces of about so many runs, as views of them."""
    edges = np.unique(np.append(np.searchsorted(groups.start, np.arange(0, groups.start[-1], runs)), len(groups.size)))
    pieces = []
    for low, high in pairwise(edges.tolist()):
        first, after = groups.start[low], groups.start[high]
        own, each = slice(first, after), slice(low, high)
        start = groups.start[low : high + 1] - first
        of_runs = (groups.mask[own], groups.row[own], groups.place[own], groups.total, start)
        pieces.append(Groups(*of_runs, groups.frame[each], groups.cells[each], groups.size[each], groups.box[each]))
    return pieces


BIT = np.uint64(1) << np.arange(64, dtype=np.uint64)


@dataclass(frozen=True, eq=False)
class Runs:
    """Unbroken runs of active cells within rows, sorted by row and column."""

    key: NDArray[np.int64]  # picture * (rows + 1) + row: an empty row parts the pictures
    first: NDArray[np.int64]  # column
    last: NDArray[np.int64]  # column, inclusive
    source: NDArray[np.int64]  # which mask it comes from


def lowest_bit(mask: Bits) -> NDArray[np.int64]:
    """Column of the first cell of each mask."""
    lowest: NDArray[np.int64] = np.bitwise_count((mask & (~mask + np.uint64(1))) - np.uint64(1)).astype(np.int64)
    return lowest


def row_runs(key: NDArray[np.int64], mask: Bits) -> Runs:
    keys, firsts, lasts, sources = [], [], [], []
    source = np.arange(len(key))
    while len(key):
        rest = mask + (mask & (~mask + np.uint64(1)))  # carries through the lowest run
        first = lowest_bit(mask)
        run = mask & ~rest
        keys.append(key)
        sources.append(source)
        firsts.append(first)
        lasts.append(first + np.bitwise_count(run) - 1)
        mask = mask & rest
        more = mask != 0
        key, mask, source = key[more], mask[more], source[more]
    key, first, last = np.concatenate(keys), np.concatenate(firsts), np.concatenate(lasts)
    order = np.argsort(key * 64 + first, kind="stable")
    return Runs(key[order], first[order], last[order], np.concatenate(sources)[order])


def label_runs(runs: Runs) -> NDArray[np.int32]:
    """Group number of each run; runs of neighbouring rows that touch, also at corners, belong together."""
    first, last = runs.key * 66 + runs.first, runs.key * 66 + runs.last
    # A run touches one of the next row when that reaches from one cell before its beginning to one past its end.
    low = np.searchsorted(last, first + 65)
    high = np.searchsorted(first, last + 67, side="right")
    count = np.maximum(high - low, 0)
    upper = np.repeat(np.arange(len(first)), count)
    lower = np.repeat(low - np.cumsum(count) + count, count) + np.arange(len(upper))
    graph = scipy.sparse.coo_array((np.ones(len(upper), np.int8), (upper, lower)), shape=(len(first), len(first)))
    labels: NDArray[np.int32] = scipy.sparse.csgraph.connected_components(graph, directed=False)[1]
    return labels
