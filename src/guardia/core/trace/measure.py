"""The trace: how much of each grid cell changed, per sampled picture. docs/motion-model.md steps 1 and 2."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

MODEL_VERSION = 4
"""Counts up when the same pictures would give other traces; a trace carries the version that measured it."""

ANALYSIS_RATE_HZ = 5.0
ANALYSIS_WIDTH_PX = 320


class Grid(NamedTuple):
    """The cells of a picture, or a make's blocks: so many across and so many down."""

    columns: int
    rows: int

    @staticmethod
    def of(cells: NDArray[Any]) -> Grid:
        """The grid of a (rows, columns) array."""
        return Grid(cells.shape[1], cells.shape[0])

    @property
    def shape(self) -> tuple[int, int]:
        """(rows, columns), the shape of arrays over it."""
        return self.rows, self.columns

    @property
    def cells(self) -> int:
        """How many cells it has."""
        return self.columns * self.rows


NO_GRID = Grid(0, 0)
GRID = Grid(32, 18)
"""Cells of every trace."""

CONTRAST_LEVELS = (8, 12, 18, 27, 40)
"""Luma steps (0..255); a pixel counts at a level when it differs from the background by more than that."""

NOISE_BLOCK = (9, 10)
"""Rows and columns of sampled pixels in which noise is told from what moves: a fortieth of a wide picture."""

NOISE_FACTOR = 4.0
"""A difference below this many standard deviations of the picture's noise never counts."""

LEAST_BYTE = 13
"""Changed shares below this (5 %) are stored as 0: no fill limit is lower, and the trace stays sparse."""

CELL_SIZE = 255
"""Size of one cell that is changed all over: a size is a sum of such bytes, so small and far things have no steps."""

BACKGROUND_SAMPLES = 25
BACKGROUND_BLOCK_S = 60.0
SNAPSHOT_OTHERS = 3
"""Fewer other pictures than this say nothing about what stays put."""

SEEN_SHARE = 0.25
"""Other clips correct the background of a pixel only if this clip showed their value this often ..."""

AGREE_SHARE = 0.75
"""... and if this share of the other clips agree with each other on it (a flag's place never does)."""

SAME_LUMA = 8.0
"""Luma difference up to which two backgrounds agree on a pixel."""

Luma = NDArray[np.uint8]


@dataclass(frozen=True, eq=False)
class Trace:
    """What was measured once from a clip's pictures, stored sparsely.

    Args:
        grid: Columns and rows of cells.
    """

    times_s: NDArray[np.float64]
    """(F,) float64, presentation time of each sampled picture from the clip's first picture on, rising."""
    frame_start: NDArray[np.int64]
    """(F + 1,) int64, where each picture's entries begin in `cell` and `changed`."""
    cell: NDArray[np.uint16]
    """(N,) uint16, row * columns + column of each cell in which anything changed, rising within a picture."""
    changed: NDArray[np.uint8]
    """(N, K) uint8, 255 times the share of the cell's pixels changed by more than each contrast level, rounded."""
    columns: int = GRID.columns
    rows: int = GRID.rows

    @property
    def frames(self) -> int:
        """Number of sampled pictures."""
        return len(self.times_s)

    @property
    def duration_s(self) -> float:
        """Time from the first sampled picture to the last."""
        return float(self.times_s[-1] - self.times_s[0]) if self.frames else 0.0

    def dense(self) -> NDArray[np.uint8]:
        """The whole trace with its zeros: (F, rows, columns, K) uint8."""
        full = np.zeros((self.frames, self.rows * self.columns, self.changed.shape[1]), np.uint8)
        frame = np.repeat(np.arange(self.frames), np.diff(self.frame_start))
        full[frame, self.cell] = self.changed
        return full.reshape(self.frames, self.rows, self.columns, -1)


def sparse_trace(times_s: NDArray[np.float64], dense: NDArray[np.uint8]) -> Trace:
    """Store a dense trace sparsely.

    Args:
        times_s: (F,) seconds, rising.
        dense: (F, rows, columns, K) uint8.

    Returns:
        The same measurements.
    """
    frames, rows, columns, levels = dense.shape
    flat = dense.reshape(frames, rows * columns, levels)
    frame, cell = np.nonzero(flat[:, :, 0])
    start = np.zeros(frames + 1, np.int64)
    np.cumsum(np.bincount(frame, minlength=frames), out=start[1:])
    return Trace(np.asarray(times_s, np.float64), start, cell.astype(np.uint16), flat[frame, cell], columns, rows)


def join_traces(parts: list[Trace]) -> Trace:
    """Join the traces of consecutive stretches of one clip; times must already run on."""
    if len(parts) == 1:
        return parts[0]
    offsets = np.cumsum([0] + [len(p.cell) for p in parts])
    starts = [p.frame_start[:-1] + o for p, o in zip(parts, offsets, strict=False)]
    return Trace(
        np.concatenate([p.times_s for p in parts]),
        np.concatenate([*starts, offsets[-1:]]).astype(np.int64),
        np.concatenate([p.cell for p in parts]),
        np.concatenate([p.changed for p in parts]),
        parts[0].columns,
        parts[0].rows,
    )


def clip_background(pictures: Luma) -> Luma:
    """Background of a stretch from its own pictures: the median over time of evenly spaced ones.

    Args:
        pictures: (F, H, W) uint8 luma, F at least 1.

    Returns:
        (H, W) uint8.
    """
    count = min(BACKGROUND_SAMPLES, len(pictures))
    index = np.round(np.linspace(0, len(pictures) - 1, count)).astype(int)
    middle = (count - 1) // 2
    background: Luma = np.partition(pictures[index], middle, axis=0)[middle]
    return background


@dataclass(frozen=True, eq=False)
class Help:
    """What other clips of that hour say against a clip's own background."""

    differs: NDArray[np.bool_]
    """(H, W) pixels that most of the others show alike, and otherwise than this clip."""
    reference: NDArray[np.float64]
    """(H, W) float64, what they show, matched in brightness."""


def help_of(own: Luma, others: list[Luma]) -> Help | None:
    """Hold a clip's own background against those of other clips of that hour.

    A pixel differs where the median of the others (matched in brightness) is more than SAME_LUMA away from this clip's
    own, and at least AGREE_SHARE of the others lie that near to their median.

    Args:
        own: (H, W) uint8, the clip's own background as it is kept.
        others: Backgrounds of the same camera's other clips as they are kept, each (H, W) uint8; others of another
            shape are left out.

    Returns:
        None where they agree, so that the clip's own trace stands.
    """
    alike = [o for o in others if o.shape == own.shape]
    if not alike:
        return None
    matched = np.stack([o + np.median(own - o.astype(np.float64)) for o in alike])
    reference = np.clip(np.median(matched, axis=0), 0, 255)
    agree = (np.abs(matched - reference) <= SAME_LUMA).mean(axis=0) >= AGREE_SHARE
    differs = agree & (np.abs(own - reference) > SAME_LUMA)
    return Help(differs, reference) if differs.any() else None


def helped_background(own: Luma, pictures: Luma, help_: Help) -> Luma:
    """Correct the background of a stretch of a clip where something stayed put, with what other clips say.

    Where the others differ and this stretch showed their value in at least SEEN_SHARE of its pictures, they are right.

    Args:
        own: (H, W) uint8, from clip_background.
        pictures: (F, H, W) uint8 luma of this stretch.
        help_: From help_of(), of the same shape.

    Returns:
        (H, W) uint8.
    """
    reference = help_.reference[help_.differs]
    shown = np.abs(pictures[:, help_.differs].astype(np.float64) - reference) <= SAME_LUMA
    result = own.copy()
    result[help_.differs] = np.where(shown.mean(axis=0) >= SEEN_SHARE, np.round(reference), own[help_.differs]).astype(
        np.uint8
    )
    return result


def snapshot_background(picture: Luma, others: list[Luma]) -> Luma:
    """Background of a single picture: the median of the camera's other pictures of that hour, matched in brightness.

    Args:
        picture: (H, W) uint8 luma.
        others: Other pictures or backgrounds, each (H, W) uint8; those of another shape are left out.

    Returns:
        (H, W) uint8; the picture itself when there are fewer than three others, so that nothing counts as changed.
    """
    alike = [o for o in others if o.shape == picture.shape]
    if len(alike) < SNAPSHOT_OTHERS:
        return picture
    matched = np.stack([o + np.median(picture - o.astype(np.float64)) for o in alike])
    return np.clip(np.round(np.median(matched, axis=0)), 0, 255).astype(np.uint8)


def measure(pictures: Luma, background: Luma, *, grid: Grid = GRID) -> NDArray[np.uint8]:
    """Measure how much of each cell changed against the background.

    Per picture the median difference is taken off (the light as a whole changed), and a pixel counts at a contrast
    level when its remaining difference exceeds both the level and NOISE_FACTOR times the picture's noise, which is that
    of small blocks: a shadow over half the picture is no noise.

    Args:
        pictures: (F, H, W) uint8 luma.
        background: (H, W) uint8.
        grid: Columns and rows of cells.

    Returns:
        (F, rows, columns, K): 255 times the changed share of the cell, rounded half up; 0 below LEAST_BYTE.

    Raises:
        ValueError: If a picture has fewer pixels than cells, across or down.
    """
    frames, height, width = pictures.shape
    columns, rows = grid
    if height < rows or width < columns:
        raise ValueError(f"pictures of {width} x {height} pixels are smaller than the grid of {columns} x {rows} cells")
    top = np.round(np.linspace(0, height, rows + 1)).astype(int)
    left = np.round(np.linspace(0, width, columns + 1)).astype(int)
    pixels = np.outer(np.diff(top), np.diff(left))
    row_of, column_of = np.repeat(np.arange(rows), np.diff(top)), np.repeat(np.arange(columns), np.diff(left))
    cell_of = (row_of[:, None] * columns + column_of[None, :]).ravel()
    result = np.zeros((frames, rows, columns, len(CONTRAST_LEVELS)), np.uint8)
    base = background.astype(np.int16)
    for index in range(frames):
        difference = pictures[index] - base
        sample = difference[::4, ::4]
        shift = int(np.partition(sample, sample.size // 2, axis=None)[sample.size // 2])
        np.subtract(difference, shift, out=difference)
        floor = NOISE_FACTOR * noise_sigma(unlike_nearby(difference[::4, ::4]))
        np.abs(difference, out=difference)
        # Few pixels change: they are looked up once, and each level counts the cells of those above it.
        values = difference.ravel()
        active = np.flatnonzero(values > max(CONTRAST_LEVELS[0], floor))
        values, cells = values[active], cell_of[active]
        for level, contrast in enumerate(CONTRAST_LEVELS):
            count = np.bincount(cells[values > max(contrast, floor)], minlength=rows * columns)
            result[index, :, :, level] = np.floor(255 * count.reshape(rows, columns) / pixels + 0.5)
    result[result < LEAST_BYTE] = 0
    return result


def unlike_nearby(difference: NDArray[np.int16]) -> NDArray[np.int16]:
    """What is left of differences from the background when what whole blocks of them share is taken off.

    Args:
        difference: (H, W) of the pixels sampled.

    Returns:
        (blocks, pixels) absolute, the upper median of each block taken off; blocks of NOISE_BLOCK or a little larger,
        as many as fit, a smaller picture as one.
    """
    (height, width), (high, wide) = difference.shape, NOISE_BLOCK
    down, across = max(1, height // high), max(1, width // wide)
    high, wide = height // down, width // across
    blocks = difference[: down * high, : across * wide].reshape(down, high, across, wide)
    each = blocks.swapaxes(1, 2).reshape(down * across, high * wide)
    middle = each.shape[1] // 2
    unlike: NDArray[np.int16] = np.abs(each - np.partition(each, middle, axis=1)[:, middle, None])
    return unlike


def noise_sigma(absolute: NDArray[np.int16]) -> float:
    """Standard deviation of a picture's noise, robust against what moves in it.

    1.4826 times the median of the absolute differences (for normal noise; F. R. Hampel, 1974), the median taken as
    that of grouped data, since luma comes in whole steps.

    Args:
        absolute: Absolute differences, whole numbers, any shape.

    Returns:
        Luma steps.
    """
    counts = np.bincount(absolute.ravel())
    half = absolute.size / 2
    below = np.cumsum(counts)
    value = int(np.searchsorted(below, half))
    before = below[value] - counts[value]
    # Absolute differences of 0 stand for 0 to 0.5, all others for half a step to either side.
    low, width = (0.0, 0.5) if value == 0 else (value - 0.5, 1.0)
    return 1.4826 * float(low + width * (half - before) / counts[value])


def least_size(share: float, cells: int) -> int:
    """Least size of motion that reaches a threshold.

    Args:
        share: The threshold, share of the picture, 0..1.
        cells: Cells of the grid.

    Returns:
        In the unit of TraceStack.sizes(): CELL_SIZE for a cell that is changed all over.
    """
    return max(1, math.ceil(share * cells * CELL_SIZE - 1e-6))
