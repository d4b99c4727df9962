"""Tracks: one moving thing followed through a clip, from groups of active cells or from boxes that a camera gave."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from guardia.core.trace.stack import FILL_BYTE, TraceStack
from guardia.core.view.calibration import PersonMark

LOST_S = 1.0
"""A track that is not seen for longer than this has ended."""

SHORTEST_S = 0.4
"""Shorter tracks are left out."""

NEAR_SIZES = 1.0
"""A box belongs to a track only within this many times its own diagonal from where it is expected."""

LEAST_WALK_S = 5.0
LEAST_WALK = 0.15
"""Somebody who walks is seen for so long and moves at least so far, as a share of the picture."""

WALK_MARKS = 12

TRACK_ERROR = 0.015
"""Standard error of a fine track's box, share of the picture's width: two cells of the fine grid. A stride takes one
foot before the body, and a shadow may stand under it."""

LEAST_CELLS = 4
"""On a fine grid smaller things are noise."""

_GROWTH = 4.0
"""and only when its area is not larger or smaller than that of the track by more than this factor."""


@dataclass(frozen=True, eq=False)
class Track:
    """One thing followed; all arrays of length N, in order of time."""

    times_s: NDArray[np.float64]
    """(N,) float64, seconds on the clip's clock."""
    box: NDArray[np.float64]
    """(N, 4) float64: left, top, width, height as shares of the picture."""

    @property
    def feet(self) -> NDArray[np.float64]:
        """(N, 2) middle of the lower edge of each box."""
        return np.stack([self.box[:, 0] + self.box[:, 2] / 2, self.box[:, 1] + self.box[:, 3]], axis=1)

    @property
    def duration_s(self) -> float:
        """Seconds from the first box to the last."""
        return float(self.times_s[-1] - self.times_s[0])


def follow(times_s: NDArray[np.float64], boxes: Sequence[NDArray[np.float64]]) -> list[Track]:
    """Join boxes of consecutive pictures to tracks.

    Each track is expected where its last steps lead. Boxes are assigned by the Hungarian method at least total cost;
    the cost is the distance between middles in units of the larger box's diagonal plus 0.3 times the logarithm of the
    change of area.

    Args:
        times_s: (F,) seconds, rising.
        boxes: For each picture (n, 4): left, top, width, height in shares.

    Returns:
        In order of their beginning; those shorter than SHORTEST_S left out.
    """

    open_tracks: list[tuple[list[float], list[NDArray[np.float64]]]] = []
    closed: list[tuple[list[float], list[NDArray[np.float64]]]] = []
    for now, now_boxes in zip(times_s.tolist(), boxes, strict=True):
        closed += [t for t in open_tracks if now - t[0][-1] > LOST_S]
        open_tracks = [t for t in open_tracks if now - t[0][-1] <= LOST_S]
        taken: set[int] = set()
        if open_tracks and len(now_boxes):
            expected = np.stack([_expected(t, now) for t in open_tracks])
            cost = _cost(expected, np.asarray(now_boxes, np.float64))
            for row, column in zip(
                *scipy.optimize.linear_sum_assignment(np.where(np.isfinite(cost), cost, 1e6)), strict=True
            ):
                if math.isfinite(cost[row, column]):
                    open_tracks[row][0].append(now)
                    open_tracks[row][1].append(now_boxes[column])
                    taken.add(int(column))
        open_tracks += [([now], [box]) for n, box in enumerate(now_boxes) if n not in taken]
    tracks = [Track(np.array(t), np.array(b)) for t, b in closed + open_tracks]
    return sorted((t for t in tracks if t.duration_s >= SHORTEST_S - 1e-9), key=lambda t: float(t.times_s[0]))


def _expected(track: tuple[list[float], list[NDArray[np.float64]]], now: float) -> NDArray[np.float64]:
    """Where a track should be: its last box, moved on by its last steps."""
    times, boxes = track
    last = np.asarray(boxes[-1], np.float64)
    if len(times) < 2:
        return last
    back = min(len(times) - 1, 3)
    step = (_middle(boxes[-1]) - _middle(boxes[-1 - back])) / (times[-1] - times[-1 - back])
    moved = last.copy()
    moved[:2] += step * (now - times[-1])
    return moved


def _middle(box: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.array([box[0] + box[2] / 2, box[1] + box[3] / 2])


def _cost(expected: NDArray[np.float64], boxes: NDArray[np.float64]) -> NDArray[np.float64]:
    """(tracks, boxes) cost of each pair, infinite where they cannot belong together."""
    middles = expected[:, None, :2] + expected[:, None, 2:] / 2 - boxes[None, :, :2] - boxes[None, :, 2:] / 2
    size = np.maximum(np.hypot(expected[:, 2], expected[:, 3])[:, None], np.hypot(boxes[:, 2], boxes[:, 3])[None, :])
    away = np.hypot(middles[..., 0], middles[..., 1]) / np.maximum(size, 1e-6)
    area = (
        np.maximum(expected[:, 2] * expected[:, 3], 1e-9)[:, None] / np.maximum(boxes[:, 2] * boxes[:, 3], 1e-9)[None]
    )
    growth = np.abs(np.log(area))
    return np.where((away <= NEAR_SIZES) & (growth <= math.log(_GROWTH)), away + 0.3 * growth, np.inf)


def farthest_walk(tracks: Sequence[Track]) -> Track | None:
    """The track that goes farthest across the picture, None when none goes anywhere for long enough.

    What sways for minutes is followed for longer than somebody who walks, but stays where it is.
    """

    def extent(track: Track) -> float:
        return float(np.hypot(*np.ptp(track.feet, axis=0)))

    walks = [t for t in tracks if t.duration_s >= LEAST_WALK_S and extent(t) > LEAST_WALK]
    return max(walks, key=extent, default=None)


def walk_marks(track: Track, *, height_m: float) -> tuple[PersonMark, ...]:
    """Marks of a person who walked, evenly chosen over the heights in the picture at which the feet stood.

    Args:
        track: The person's.
        height_m: Height of the person, metres.

    Returns:
        WALK_MARKS of them, the farthest first.
    """
    feet = track.feet
    order = np.argsort(feet[:, 1])
    chosen = order[np.round(np.linspace(0.05, 0.95, WALK_MARKS) * (len(order) - 1)).astype(int)]
    return tuple(
        PersonMark((float(feet[n, 0]), float(feet[n, 1])), (float(feet[n, 0]), float(track.box[n, 1])), height_m)
        for n in chosen
    )


def tracks_of(stack: TraceStack, clip: int, start_s: float, end_s: float, *, level: int = 1) -> list[Track]:
    """Tracks of the groups of active cells in a stretch of a clip.

    The box of a group is drawn in by what its outermost cells lack of being full, so that it is finer than the grid.

    Args:
        stack: The traces.
        clip: Index of the clip.
        start_s: Beginning on the clip's clock.
        end_s: End.
        level: Index of the contrast level.

    Returns:
        In order of their beginning.
    """
    dense = stack.changed(clip, start_s, end_s, level=level).reshape(-1, stack.rows, stack.columns)
    times = np.array([t for t in stack.times[clip] if start_s <= t <= end_s])
    return follow(times, [_group_boxes(picture) for picture in dense])


def boxes_of(cells: NDArray[np.bool_], *, join: int) -> NDArray[np.float64]:
    """Boxes of what is active on a fine grid, parts of a thing that lie near each other taken together.

    Args:
        cells: (rows, columns) flags.
        join: Gaps of up to twice so many cells within a thing are closed.

    Returns:
        (n, 4) left, top, width, height in shares of the picture; things of fewer than four cells are left out.
    """

    rows, columns = cells.shape
    around = np.ones((2 * join + 1, 2 * join + 1), bool)
    # Room around the picture, so that what stands at its edge is not closed away.
    closed = scipy.ndimage.binary_closing(np.pad(cells, 2 * join), around)[
        2 * join : 2 * join + rows, 2 * join : 2 * join + columns
    ]
    groups, count = scipy.ndimage.label(closed, np.ones((3, 3), bool))
    boxes = []
    for number, area in enumerate(scipy.ndimage.find_objects(groups, count), start=1):
        row, column = np.nonzero((groups[area] == number) & cells[area])
        if len(row) >= LEAST_CELLS:
            left, top = area[1].start + column.min(), area[0].start + row.min()
            boxes.append((left / columns, top / rows, (np.ptp(column) + 1) / columns, (np.ptp(row) + 1) / rows))
    return np.array(boxes, np.float64).reshape(-1, 4)


def _group_boxes(picture: NDArray[np.uint8]) -> NDArray[np.float64]:
    """(n, 4) boxes of the groups of active cells of one picture, in shares."""

    rows, columns = picture.shape
    groups, count = scipy.ndimage.label(picture >= FILL_BYTE)
    boxes = []
    for number, area in enumerate(scipy.ndimage.find_objects(groups, count), start=1):
        share = np.where(groups[area] == number, picture[area], 0) / 255.0
        top, left = area[0].start, area[1].start
        height, width = share.shape
        # An outermost row or column that is less changed than the inner ones holds only the edge of the thing.
        (first, last), (upper, lower) = _edges(share.max(axis=0)), _edges(share.max(axis=1))
        x0, x1 = left + 1 - first, left + width - 1 + last
        y0, y1 = top + 1 - upper, top + height - 1 + lower
        boxes.append((x0 / columns, y0 / rows, max(x1 - x0, 0.3) / columns, max(y1 - y0, 0.3) / rows))
    return np.array(boxes, np.float64).reshape(-1, 4)


def _edges(most: NDArray[np.float64]) -> tuple[float, float]:
    """Share of the first and of the last cell that the thing fills, against the fullest of the inner cells."""
    full = float(most[1:-1].max()) if len(most) > 2 else float(most.max())
    return min(1.0, float(most[0]) / full), min(1.0, float(most[-1]) / full)
