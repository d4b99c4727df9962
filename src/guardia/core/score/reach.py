"""Reach: how far away a thing still triggers, from its size in the picture and how much of it shows."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import lru_cache
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.evidence import Evidence
from guardia.core.trace.measure import CELL_SIZE, CONTRAST_LEVELS, GRID, Grid, least_size
from guardia.core.trace.stack import FILL_BYTE, FILL_LIMIT, TraceStack
from guardia.core.view.geometry import FARTHEST_M, ViewGeometry
from guardia.core.view.tracks import tracks_of


@dataclass(frozen=True)
class Thing:
    """Something that may come, as an upright rectangle."""

    name: str
    """What it is."""
    height_m: float
    """Its height."""
    across_m: float
    """Its width when it crosses the view."""
    towards_m: float
    """Its width when it comes towards the camera."""


THINGS = (
    Thing("walking adult", 1.7, 0.65, 0.5),
    Thing("crouching adult", 0.95, 0.75, 0.55),
    Thing("child", 1.1, 0.45, 0.35),
    Thing("dog", 0.6, 0.85, 0.35),
    Thing("car", 1.45, 4.3, 1.8),
)
"""Sizes are common practice, no source."""

FILLED = 0.75
"""Share of its rectangle that a silhouette fills (common practice, no source)."""

ASSUMED_SHARE = {8: 0.95, 12: 0.9, 18: 0.8, 27: 0.65, 40: 0.45}
"""Share of a silhouette that differs from the background by a contrast level, where no evidence tells (no source)."""

LEAST_TRACKS = 4
"""With fewer judged persons in a light the shares are assumed."""

_Followed = tuple[NDArray[np.float64], NDArray[np.float64]]

_STEP_M = 0.5
_OFFSETS = (0.1, 0.35, 0.6, 0.85)


@dataclass(frozen=True)
class Shown:
    """How much of a person's silhouette shows at each contrast level."""

    share: Mapping[int, float]
    """By contrast level, 0..2."""
    persons: int
    """Number of judged persons it was measured on, 0 when it is assumed."""


def shown_shares(evidence: Evidence, view: ViewGeometry, *, dark: bool) -> Shown:
    """Measure on judged persons how much of a silhouette shows, else assume it.

    Args:
        evidence: Clips and judged occurrences.
        view: The camera's calibration.
        dark: Measure on dark pictures instead of bright ones.

    Returns:
        Median over persons of the changed share summed over active cells, over what a whole silhouette would cover
        where they stand.
    """
    adult = THINGS[0]
    shares: list[list[float]] = []
    for o in evidence.occurrences:
        clip = evidence.clip_of(o)
        if o.kind != "person" or clip.dark is not dark or o.end_s <= o.start_s:
            continue
        index = evidence.clip_index[o.clip_id]
        somebody = _followed(evidence.stack, index, o.start_s, o.end_s)
        if somebody is None:
            continue
        feet, changed = somebody
        expected = silhouette_cells(view, adult, view.to_ground(feet)[:, 1], across=True, grid=evidence.stack.grid)
        with np.errstate(divide="ignore", invalid="ignore"):
            ratio = changed / expected[:, None]
        ratio = ratio[np.isfinite(expected) & (expected > 0)]
        if len(ratio):
            shares.append(np.median(ratio, axis=0).tolist())
    if len(shares) < LEAST_TRACKS:
        return Shown(ASSUMED_SHARE, 0)
    middle = np.clip(np.median(np.array(shares), axis=0), 0.0, 2.0)
    return Shown(dict(zip(CONTRAST_LEVELS, middle.tolist(), strict=True)), len(shares))


_FOLLOWED: WeakKeyDictionary[TraceStack, dict[tuple[int, float, float], _Followed | None]] = WeakKeyDictionary()
"""Who was followed already: it takes a while, and does not depend on the view or on judgements."""


def _followed(stack: TraceStack, index: int, start_s: float, end_s: float) -> _Followed | None:
    """(F, 2) feet of the largest thing that moves in a stretch of a clip, and (F, K) cells that it changes."""
    known = _FOLLOWED.setdefault(stack, {})
    key = (index, start_s, end_s)
    if key not in known:
        followed: _Followed | None = None
        if tracks := tracks_of(stack, index, start_s, end_s):
            main = max(tracks, key=lambda t: float((t.box[:, 2] * t.box[:, 3]).sum()))
            times = np.array([t for t in stack.times[index] if start_s <= t <= end_s])
            seen = stack.changed(index, start_s, end_s)[np.searchsorted(times, main.times_s)]
            followed = main.feet, np.where(seen >= FILL_BYTE, seen, 0).sum(axis=1) / CELL_SIZE
        known[key] = followed
    return known[key]


def silhouette_cells(
    view: ViewGeometry, thing: Thing, distance_m: NDArray[np.float64], *, across: bool, grid: Grid = GRID
) -> NDArray[np.float64]:
    """Size of a whole silhouette in cells: what it covers of those that it makes active, on average over where it
    stands to the cells.

    Args:
        view: The view.
        thing: The thing, standing on the ground.
        distance_m: (N,) ahead of the camera.
        across: It crosses the view; else it comes towards the camera.
        grid: (columns, rows).

    Returns:
        (N,) cells; 0 where it cannot be seen. A cell is active when at least FILL_LIMIT of it is covered.
    """
    distance = np.asarray(distance_m, np.float64)
    zero = np.zeros_like(distance)
    foot = view.to_picture(np.stack([zero, zero, distance], axis=1))[:, 1]
    head = view.to_picture(np.stack([zero, zero + thing.height_m, distance], axis=1))[:, 1]
    side = (thing.across_m if across else thing.towards_m) * FILLED
    left = view.to_picture(np.stack([zero - side / 2, zero + thing.height_m / 2, distance], axis=1))[:, 0]
    # What lies outside the picture does not move in it.
    tall = np.nan_to_num(np.clip(foot, 0, 1) - np.clip(head, 0, 1)) * grid[1]
    wide = np.nan_to_num(2 * np.clip(0.5 - left, 0, 0.5)) * grid[0]
    size = np.zeros_like(distance)
    # Farther away not even a cell that it lies in as a whole is active.
    near = np.minimum(wide, 1.0) * np.minimum(tall, 1.0) >= FILL_LIMIT
    (across_share, across_count), (down_share, down_count) = (
        _covered(wide[near], grid[0]),
        _covered(tall[near], grid[1]),
    )
    # (N, offsets across, offsets down, kinds of cells across, kinds of cells down)
    share = across_share[:, :, None, :, None] * down_share[:, None, :, None, :]
    cells = across_count[:, :, None, :, None] * down_count[:, None, :, None, :]
    active = np.where(share >= FILL_LIMIT, share * cells, 0.0)
    size[near] = active.sum(axis=(1, 2, 3, 4)) / len(_OFFSETS) ** 2
    return size


def _covered(length: NDArray[np.float64], cells: int) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """(N, offsets, 3) share of the first, of the middle and of the last cells that a stretch covers which begins at
    each offset into the first, and how many there are of each."""
    begin = np.array(_OFFSETS)
    end = np.minimum(begin + length[:, None], cells)
    whole = np.floor(end)
    first, last = np.minimum(end, 1.0) - begin, np.where(whole >= 1, end - whole, 0.0)
    ones = np.ones_like(end)
    return np.stack([first, ones, last], axis=-1), np.stack([ones, np.maximum(whole - 1, 0.0), ones], axis=-1)


def reach_m(
    view: ViewGeometry,
    thing: Thing,
    *,
    contrast: int,
    size: float,
    across: bool,
    shown: Shown,
    lamp_m: float | None = None,
) -> float:
    """Distance out to which a thing still triggers.

    Args:
        view: The view.
        thing: The thing.
        contrast: Luma step in force.
        size: Size threshold, share of the picture.
        across: It crosses the view; else it comes towards the camera.
        shown: How much of a silhouette shows, from shown_shares().
        lamp_m: At night the lamp's reach, None by day.

    Returns:
        Metres ahead of the camera, 0 if it triggers nowhere.
    """
    nearest = view.nearest_m if np.isfinite(view.nearest_m) else FARTHEST_M
    farthest = min(FARTHEST_M, view.farthest_m, lamp_m if lamp_m is not None else FARTHEST_M)
    steps = np.arange(max(_STEP_M, nearest * 0.5), FARTHEST_M + _STEP_M / 2, _STEP_M)
    distance = steps[steps < farthest + _STEP_M / 2]
    if not len(distance):
        return 0.0
    cells = _whole(view, thing, across, len(steps), float(steps[0]))[: len(distance)] * shown.share[contrast]
    enough = np.flatnonzero(cells * CELL_SIZE >= least_size(size, GRID.cells))
    return float(distance[enough[-1]]) if len(enough) else 0.0


@lru_cache(maxsize=64)
def _whole(view: ViewGeometry, thing: Thing, across: bool, count: int, first_m: float) -> NDArray[np.float64]:
    """(count,) cells of a whole silhouette every _STEP_M: the same for every level, light and lamp."""
    return silhouette_cells(view, thing, first_m + _STEP_M * np.arange(count, dtype=np.float64), across=across)


def strength_at(
    view: ViewGeometry, distance_m: float, *, contrast: int, size: float, across: bool, shown: Shown
) -> float:
    """Size of a walking adult at a distance over the size threshold; 1 just triggers. Parameters as reach_m()."""
    cells = silhouette_cells(view, THINGS[0], np.array([distance_m]), across=across) * shown.share[contrast]
    return float(cells[0] * CELL_SIZE / least_size(size, GRID.cells))
