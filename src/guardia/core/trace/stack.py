"""Many traces as one: the size of motion in every picture of every clip, quickly, after any zone edit.

The groups of adjacent active cells over the whole picture do not depend on the zone, so they are found once per
contrast level. A zone edit then leaves a group whole, removes it, or cuts it; only cut groups that could still be
their picture's largest are grouped again. The result is the same as labelling every picture afresh.
"""

from __future__ import annotations

import bisect
import math
from array import array
from collections.abc import Iterable, Sequence
from functools import cached_property
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray

from guardia.core.trace.groups import (
    BIT,
    Bits,
    Groups,
    Runs,
    join_groups,
    label_runs,
    lowest_bit,
    no_groups,
    pieces_of,
    row_runs,
)
from guardia.core.trace.joining import in_parts, joined, moved_below
from guardia.core.trace.measure import CELL_SIZE, CONTRAST_LEVELS, Grid, Trace
from guardia.core.trace.things import Cells, Things, take_apart

FILL_LIMIT = 0.2
"""A cell is active at a contrast level when at least this share of its pixels changed by more than it."""

FILL_BYTE = math.ceil(255 * FILL_LIMIT)


Run = tuple[int, int]
"""First and last picture (inclusive) of a stretch in which every picture has enough motion."""

_PART = 1 << 14
"""Pictures whose groups are found at a time."""

_PIECE = 1 << 17
"""Rows of cells that a zone is laid over at a time."""


class TraceStack:
    """Traces of many clips of one camera, joined for scoring.

    Args:
        traces: All on the same grid.

    Raises:
        ValueError: If the traces have different grids.
    """

    def __init__(self, traces: Iterable[Trace]) -> None:
        grids: set[tuple[int, int]] = set()
        counts, cells, changed, below = [np.zeros(1, np.int64)], [], [], []
        self.times: list[array[float]] = []
        for some in in_parts(traces):
            grids.update((trace.columns, trace.rows) for trace in some)
            if len(grids) > 1:
                raise ValueError(f"traces on different grids: {sorted(grids)}")
            part = joined(some)
            # What is not active at the lowest level is active at none.
            useful = part.changed[:, 0] >= FILL_BYTE
            before = np.concatenate([[0], np.cumsum(useful)])
            counts.append(np.diff(before[part.frame_start]))
            cells.append(part.cell[useful])
            changed.append(part.changed[useful])
            below.append(moved_below(part)[useful])
            self.times += [array("d", trace.times_s.tobytes()) for trace in some]
        self.columns, self.rows = grids.pop() if grids else (1, 1)
        self.clip_start = np.cumsum([0, *map(len, self.times)])
        self.frames = int(self.clip_start[-1])
        self._frame_start = np.cumsum(np.concatenate(counts))
        self._cell = np.concatenate([np.zeros(0, np.uint16), *cells])
        cells.clear()
        self._changed = np.concatenate([np.zeros((0, len(CONTRAST_LEVELS)), np.uint8), *changed])
        changed.clear()
        self._below = np.concatenate([np.zeros(0, np.uint8), *below])
        self._groups: dict[int, Groups] = {}
        self._pieces: dict[int, list[Groups]] = {}
        self._things: dict[int, Things] = {}
        self._feet: dict[int, NDArray[np.int32]] = {}
        self._largest: dict[int, NDArray[np.int32]] = {}
        self._anywhere: dict[int, NDArray[np.int32]] = {}

    @property
    def grid(self) -> Grid:
        """Columns and rows of cells."""
        return Grid(self.columns, self.rows)

    @property
    def cells(self) -> int:
        """Cells of the grid."""
        return self.columns * self.rows

    @cached_property
    def step_s(self) -> float:
        """Usual time between two pictures of a clip, seconds."""
        steps = np.concatenate([np.zeros(0), *map(np.diff, self.times)])
        return float(np.median(steps)) if len(steps) else 0.2

    def sizes(self, zone: NDArray[np.bool_], *, contrast: int, zone_test: str = "pixels") -> NDArray[np.int32]:
        """Size of the motion in every picture.

        Args:
            zone: (rows, columns), the cells that belong to the zone.
            contrast: One of CONTRAST_LEVELS.
            zone_test: 'pixels': only cells inside form groups; 'box': a thing counts whole when its box reaches a cell
                inside; 'foot': when the cell under the middle of its box, from feet(), is inside.

        Returns:
            (F,) size of the largest counting group: the sum of its cells' changed shares, CELL_SIZE for a cell that is
            changed all over; 0 where there is none.

        Raises:
            ValueError: If the zone has another grid or the zone test is unknown.
        """
        if zone.shape != (self.rows, self.columns):
            raise ValueError(f"zone of shape {zone.shape} on a grid of {(self.rows, self.columns)}")
        largest = np.zeros(self.frames, np.int32)
        if not len(self._of_level(contrast).mask):
            return largest
        if zone_test == "pixels":
            bits = np.bitwise_or.reduce(np.where(zone, BIT[: self.columns], np.uint64(0)), axis=1)
            for groups in self._pieces_of(contrast):
                inside = groups.mask & bits[groups.row]
                inside_cells = np.add.reduceat(np.bitwise_count(inside), groups.start[:-1], dtype=np.int32)
                intact = inside_cells == groups.cells
                np.maximum.at(largest, groups.frame[intact], groups.size[intact])
                cut = ~intact & (np.minimum(inside_cells * CELL_SIZE, groups.size) > largest[groups.frame])
                if cut.any():
                    self._regroup(groups, cut, inside, largest)
            return largest
        things = self.things(contrast=contrast)
        left, top, right, bottom = things.box.T
        if zone_test == "box":
            total = np.zeros((self.rows + 1, self.columns + 1), np.int32)
            total[1:, 1:] = zone.cumsum(axis=0).cumsum(axis=1)
            below, above = total[bottom + 1], total[top]
            each = np.arange(len(left))
            reached = below[each, right + 1] - above[each, right + 1] - below[each, left] + above[each, left] > 0
        elif zone_test == "foot":
            reached = zone[self.feet(contrast=contrast), (left + right) // 2]
        else:
            raise ValueError(f"unknown zone test {zone_test!r}")
        np.maximum.at(largest, things.frame[reached], things.size[reached])
        return largest

    def things(self, *, contrast: int) -> Things:
        """Groups of all pictures, taken apart where several things moved side by side.

        Args:
            contrast: One of CONTRAST_LEVELS.

        Returns:
            In order of picture.
        """
        if contrast not in self._things:
            groups = self._of_level(contrast)
            clip_of = np.repeat(np.arange(len(self.times)), np.diff(self.clip_start))
            time_of = np.concatenate([np.zeros(0), *self.times])
            whole = Things(groups.frame, groups.box.astype(np.int32), groups.size)

            def cells_of(group: int) -> Cells:
                runs = range(int(groups.start[group]), int(groups.start[group + 1]))
                first = lowest_bit(groups.mask[runs.start : runs.stop])
                lasts = np.bitwise_count(groups.mask[runs.start : runs.stop]).astype(np.int64)
                column = np.concatenate([np.arange(f, f + n) for f, n in zip(first, lasts, strict=True)])
                row = np.repeat(groups.row[runs.start : runs.stop].astype(np.int64), lasts)
                place = np.repeat(groups.place[runs.start : runs.stop].astype(np.int64) - first, lasts) + column
                share = (groups.total[place + 1] - groups.total[place]).astype(np.int64)
                return row, column, share

            self._things[contrast] = take_apart(whole, groups.cells, clip_of, time_of, cells_of)
        return self._things[contrast]

    def feet(self, *, contrast: int) -> NDArray[np.int32]:
        """The row of cells on which each of things() stands, (N,).

        It is the lowest row of its box, or the one below where anything moved in a cell under an active one of that
        row, too little to make it active, too.
        """
        if contrast not in self._feet:
            things = self.things(contrast=contrast)
            level = CONTRAST_LEVELS.index(contrast)
            entries = np.flatnonzero((self._below >> level & 1) & (self._changed[:, level] >= FILL_BYTE))
            frame = np.searchsorted(self._frame_start, entries, side="right") - 1
            place = frame * self.cells + self._cell[entries]
            left, _, right, bottom = things.box.T
            line = things.frame.astype(np.int64) * self.cells + bottom * self.columns
            lower = np.searchsorted(place, line + right, side="right") > np.searchsorted(place, line + left)
            self._feet[contrast] = bottom + lower
        return self._feet[contrast]

    def sizes_anywhere(self, *, contrast: int) -> NDArray[np.int32]:
        """Size of the motion in every picture without any zone; as sizes(), computed once per contrast level."""
        if contrast not in self._anywhere:
            self._anywhere[contrast] = self.sizes(np.ones((self.rows, self.columns), bool), contrast=contrast)
        return self._anywhere[contrast]

    def _regroup(self, groups: Groups, cut: NDArray[np.bool_], inside: Bits, largest: NDArray[np.int32]) -> None:
        """Group the cells that a zone's edge left of the cut groups, and raise `largest` where they reach higher."""
        chosen = np.flatnonzero(groups.of_runs(cut) & (inside != 0))
        group = groups.of_runs(np.arange(len(groups.size), dtype=np.int32))[chosen]
        line = groups.frame[group].astype(np.int64) * (self.rows + 1) + groups.row[chosen]
        runs = row_runs(line, inside[chosen])
        source = chosen[runs.source]
        place = groups.place[source] + runs.first - lowest_bit(groups.mask[source])
        share = groups.total[place + runs.last - runs.first + 1] - groups.total[place]
        # Only what is left of a group as a whole bounds its parts: most need not be grouped again.
        of_group = group[runs.source]
        whole = np.bincount(of_group, weights=share, minlength=len(groups.size))
        worth = (whole > largest[groups.frame])[of_group]
        runs = Runs(runs.key[worth], runs.first[worth], runs.last[worth], runs.source[worth])
        label = label_runs(runs)
        size = np.bincount(label, weights=share[worth]).astype(np.int32)
        owner = np.zeros(len(size), np.int32)
        owner[label] = runs.key // (self.rows + 1)
        np.maximum.at(largest, owner, size)

    def _of_level(self, contrast: int) -> Groups:
        if contrast not in self._groups:
            self._groups[contrast] = self._find_groups(contrast)
        return self._groups[contrast]

    def _pieces_of(self, contrast: int) -> list[Groups]:
        """The groups of all pictures in pieces that a zone is laid over one after another, so that little is held."""
        if contrast not in self._pieces:
            self._pieces[contrast] = pieces_of(self._of_level(contrast), _PIECE)
        return self._pieces[contrast]

    def _find_groups(self, contrast: int) -> Groups:
        """Groups of all pictures; found in parts, so that the memory needed on the way stays small."""
        level = CONTRAST_LEVELS.index(contrast)
        edges = [*range(0, self.frames, _PART), self.frames]
        return join_groups([self._groups_between(level, low, high) for low, high in pairwise(edges)] or [no_groups()])

    def _groups_between(self, level: int, first: int, after: int) -> Groups:
        """Groups of a stretch of pictures."""
        low, high = int(self._frame_start[first]), int(self._frame_start[after])
        active = np.flatnonzero(self._changed[low:high, level] >= FILL_BYTE) + low
        frame = first + np.repeat(
            np.arange(after - first, dtype=np.int32), np.diff(self._frame_start[first : after + 1])
        )[active - low].astype(np.int32)
        row, col = np.divmod(self._cell[active].astype(np.int32), self.columns)
        line = frame.astype(np.int64) * (self.rows + 1) + row
        if not len(line):
            return no_groups()
        begin = np.concatenate([[0], np.flatnonzero(np.diff(line)) + 1])
        runs = row_runs(line[begin], np.bitwise_or.reduceat(BIT[col], begin))
        label = label_runs(runs)
        # Labels rise with the first run of their group, so groups come out in order of picture.
        order = np.argsort(label, kind="stable")
        runs = Runs(runs.key[order], runs.first[order], runs.last[order], runs.source[order])
        label = label[order]
        start = np.concatenate([[0], np.flatnonzero(np.diff(label)) + 1, [len(label)]]).astype(np.int32)
        frame_of, row = np.divmod(runs.key, self.rows + 1)
        begins = start[:-1]
        box = np.stack(
            [
                np.minimum.reduceat(runs.first, begins),
                np.minimum.reduceat(row, begins),
                np.maximum.reduceat(runs.last, begins),
                np.maximum.reduceat(row, begins),
            ],
            axis=1,
        ).astype(np.uint8)
        length = runs.last - runs.first + 1
        mask = (np.uint64(0xFFFFFFFFFFFFFFFF) >> (64 - length).astype(np.uint64)) << runs.first.astype(np.uint64)
        total = np.zeros(len(active) + 1, np.uint16)
        np.cumsum(self._changed[active, level], out=total[1:], dtype=np.uint16)
        place = np.searchsorted(line * 64 + col, runs.key * 64 + runs.first).astype(np.int32)
        return Groups(
            mask, row.astype(np.uint8), place, total, start, frame_of[begins].astype(np.int32),
            np.add.reduceat(length, begins).astype(np.int32),
            np.add.reduceat(total[place + length] - total[place], begins, dtype=np.int32), box,
        )  # fmt: skip

    def largest_boxes(self, *, contrast: int) -> NDArray[np.int32]:
        """Box of the largest group of every picture over the whole picture.

        Args:
            contrast: One of CONTRAST_LEVELS.

        Returns:
            (F, 4) left, top, right, bottom cell, inclusive; -1 where nothing is active.
        """
        groups, largest = self._of_level(contrast), self._largest_groups(contrast)
        boxes = np.full((self.frames, 4), -1, np.int32)
        boxes[largest >= 0] = groups.box[largest[largest >= 0]]
        return boxes

    def _largest_groups(self, contrast: int) -> NDArray[np.int32]:
        """(F,) the largest group of every picture, of equal ones the last; -1 where nothing is active."""
        if contrast not in self._largest:
            groups = self._of_level(contrast)
            self._largest[contrast] = self._last_of_largest(groups.frame, groups.size)
        return self._largest[contrast]

    def box_at(self, clip: int, at_s: float, *, contrast: int) -> tuple[float, float, float, float] | None:
        """Box of the largest moving group in the picture nearest to a time.

        Args:
            clip: Index of the clip.
            at_s: Seconds on the clip's clock.
            contrast: One of CONTRAST_LEVELS.

        Returns:
            Left, top, right, bottom in 0..1, None if nothing moves there.
        """
        times = np.asarray(self.times[clip])
        if not len(times):
            return None
        frame = int(self.clip_start[clip]) + int(np.abs(times - at_s).argmin())
        largest = int(self._largest_groups(contrast)[frame])
        if largest < 0:
            return None
        left, top, right, bottom = self._of_level(contrast).box[largest].tolist()
        return left / self.columns, top / self.rows, (right + 1) / self.columns, (bottom + 1) / self.rows

    def main_cells(self, stretches: Sequence[tuple[int, float, float]], *, contrast: int) -> NDArray[np.bool_]:
        """Cells that the largest group covered in any picture of each of some stretches of clips.

        Args:
            stretches: Index of the clip, beginning and end on the clip's clock, of each.
            contrast: One of CONTRAST_LEVELS.

        Returns:
            (stretches, rows, columns).
        """
        groups = self._of_level(contrast)
        largest, number = self._within(stretches, self._largest_groups(contrast))
        runs, of_largest = _counted_out(groups.start[largest], np.diff(groups.start)[largest])
        bits = np.zeros(len(stretches) * self.rows, np.uint64)
        np.bitwise_or.at(bits, number[of_largest] * self.rows + groups.row[runs], groups.mask[runs])
        covered: NDArray[np.bool_] = (bits.reshape(-1, self.rows, 1) & BIT[: self.columns]) != 0
        return covered

    def main_feet(self, stretches: Sequence[tuple[int, float, float]], *, contrast: int) -> NDArray[np.bool_]:
        """Cells on which the largest thing stood in any picture of each stretch; as main_cells()."""
        things = self.things(contrast=contrast)
        largest, number = self._within(stretches, self._last_of_largest(things.frame, things.size))
        stood = np.zeros((len(stretches), self.rows, self.columns), bool)
        left, right = things.box[largest, 0], things.box[largest, 2]
        stood[number, self.feet(contrast=contrast)[largest], (left + right) // 2] = True
        return stood

    def _last_of_largest(self, frame: NDArray[np.int32], size: NDArray[np.int32]) -> NDArray[np.int32]:
        """(F,) of what is in each picture the largest, of equal ones the last; -1 where nothing is."""
        order = np.argsort(size, kind="stable").astype(np.int32)
        largest = np.full(self.frames, -1, np.int32)
        largest[frame[order]] = order
        return largest

    def _within(
        self, stretches: Sequence[tuple[int, float, float]], of_frame: NDArray[np.int32]
    ) -> tuple[NDArray[np.int32], NDArray[np.int64]]:
        """What each picture of some stretches has, where it has anything, and the stretch that it is of."""
        ends = np.array([self.pictures(*stretch) for stretch in stretches], np.int64).reshape(-1, 2)
        frames, number = _counted_out(ends[:, 0], np.maximum(0, ends[:, 1] - ends[:, 0]))
        there = of_frame[frames]
        return there[there >= 0], number[there >= 0]

    def pictures(self, clip: int, first_s: float, last_s: float) -> tuple[int, int]:
        """First picture of a stretch of a clip, and the first after it, among all pictures."""
        base, times = int(self.clip_start[clip]), self.times[clip]
        return base + bisect.bisect_left(times, first_s), base + bisect.bisect_right(times, last_s)

    def changed(self, clip: int, first_s: float, last_s: float, *, level: int | None = None) -> NDArray[np.uint8]:
        """What was measured of a stretch of a clip, cell by cell.

        Args:
            clip: Index of the clip.
            first_s: Beginning of the stretch on the clip's clock.
            last_s: Its end.
            level: Index of one contrast level, None for all.

        Returns:
            (F, rows * columns, K), or (F, rows * columns) for one level: share of each cell's pixels that changed by
            each contrast level, 255 for all.
        """
        low, high = self.pictures(clip, first_s, last_s)
        begin, end = self._frame_start[[low, high]]
        chosen = self._changed[begin:end] if level is None else self._changed[begin:end, level]
        dense = np.zeros((high - low, self.cells, *chosen.shape[1:]), np.uint8)
        frame = np.repeat(np.arange(high - low), np.diff(self._frame_start[low : high + 1]))
        dense[frame, self._cell[begin:end]] = chosen
        return dense

    def activity(self, clip: int, first_s: float, last_s: float, *, contrast: int) -> NDArray[np.float64]:
        """Share of the pictures of a stretch of a clip in which each cell is active.

        Args:
            clip: Index of the clip.
            first_s: Beginning of the stretch on the clip's clock.
            last_s: Its end.
            contrast: One of CONTRAST_LEVELS.

        Returns:
            (rows, columns), 0..1.
        """
        low, high = self.pictures(clip, first_s, last_s)
        begin, end = self._frame_start[[low, high]]
        active = self._changed[begin:end, CONTRAST_LEVELS.index(contrast)] >= FILL_BYTE
        counts = np.bincount(self._cell[begin:end][active], minlength=self.cells)
        share: NDArray[np.float64] = counts.reshape(self.rows, self.columns) / max(1, high - low)
        return share

    def runs(self, sizes: NDArray[np.int32], least: int) -> list[list[Run]]:
        """Stretches of pictures with enough motion, per clip.

        Args:
            sizes: (F,) as from sizes().
            least: Size needed, in the unit of sizes().

        Returns:
            Per clip, runs of picture indices within the clip.
        """
        above = np.zeros(self.frames + 1, bool)
        above[:-1] = sizes >= least
        result: list[list[Run]] = [[] for _ in self.times]
        if not above.any():
            return result
        begins = above[:-1] & ~np.concatenate([[False], above[:-2]])
        inner = self.clip_start[1:-1]
        inner = inner[inner < self.frames]
        begins[inner] |= above[inner]
        first = np.flatnonzero(begins)
        clip = np.searchsorted(self.clip_start, first, side="right") - 1
        falling = np.flatnonzero(above[:-1] & ~above[1:])
        ends = falling[np.searchsorted(falling, first)]
        ends = np.minimum(ends, self.clip_start[clip + 1] - 1)
        base = self.clip_start[clip]
        for index, a, b in zip(clip.tolist(), (first - base).tolist(), (ends - base).tolist(), strict=True):
            result[index].append((a, b))
        return result


def _counted_out(
    firsts: NDArray[np.integer[Any]], lengths: NDArray[np.integer[Any]]
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Every number of some runs of numbers, and beside each the run that it is of."""
    run = np.repeat(np.arange(len(firsts)), lengths)
    before = np.cumsum(lengths) - lengths
    return np.arange(int(lengths.sum())) - before[run] + firsts[run], run
