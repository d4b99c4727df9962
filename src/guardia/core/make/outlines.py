"""Outlines that a make can take, and a search that moves their corners for the better."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from itertools import combinations, product

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from guardia.core.make.capability import Capability
from guardia.core.make.zones import CELL_INSIDE_SHARE, Point, is_rectangle, outline_share, polygon_problem
from guardia.core.trace.measure import Grid

Outline = tuple[Point, ...]

LEAST_ANGLE_DEG = 30.0
"""The search makes no corner sharper: spikes fit the clips at hand and nothing else, and nobody would draw them."""

NEARLY = 0.03
"""An edge that leans by no more than this can be straightened."""

WIDE = 16 / 9
"""Shape of a picture, for angles in it."""


@dataclass(frozen=True)
class Form:
    """What outlines a make takes."""

    corners: int
    """At most so many."""
    rectangles: bool = False
    """Only upright rectangles."""

    @classmethod
    def of(cls, capability: Capability) -> Form:
        """The form that a make takes."""
        rectangles = capability.zone_form == "rectangles"
        return cls(4 if rectangles else capability.max_corners, rectangles)

    def takes(self, points: Outline) -> bool:
        """Whether an outline is usable and of this form."""
        if len(points) > self.corners or (self.rectangles and not is_rectangle(points)):
            return False
        return polygon_problem(points) is None


def box_outline(left: float, top: float, right: float, bottom: float) -> Outline:
    """The corners of an upright rectangle."""
    left, top, right, bottom = (round(v, 6) for v in (left, top, right, bottom))
    return ((left, top), (right, top), (right, bottom), (left, bottom))


def outline_of(shape: BaseGeometry) -> Outline:
    """The corners of a ring or of a polygon's outer ring, rounded as zones are."""
    ring = shapely.get_coordinates(shapely.get_exterior_ring(shape) if isinstance(shape, Polygon) else shape)
    return tuple((round(float(x), 6), round(float(y), 6)) for x, y in ring[:-1])


def boxes(grid: Grid, *, every: int) -> tuple[list[Outline], NDArray[np.bool_]]:
    """All upright rectangles whose edges lie on every n-th line between cells, and on the picture's edges.

    Args:
        grid: Columns and rows of cells.
        every: Cells between lines.

    Returns:
        N outlines, and (N, rows, columns) the cells inside each.
    """
    columns, rows = grid
    across, down = ([*range(0, n, every), n] for n in grid)
    outlines, masks = [], []
    for (left, right), (top, bottom) in product(combinations(across, 2), combinations(down, 2)):
        outlines.append(box_outline(left / columns, top / rows, right / columns, bottom / rows))
        mask = np.zeros(grid.shape, bool)
        mask[top:bottom, left:right] = True
        masks.append(mask)
    return outlines, np.array(masks)


def with_fewer_corners(points: Outline) -> Outline:
    """An outline without the corner, or the few, that matter least; itself when none can go."""
    for step in range(1, 41):
        simple = outline_of(Polygon(points).simplify(0.004 * step)) if len(points) > 3 else points
        if len(simple) < len(points) and polygon_problem(simple) is None:
            return simple
    return points


def straightened(points: Outline) -> Outline:
    """An outline whose nearly level and nearly upright edges are exactly so."""
    moved = list(points)
    for axis in (0, 1):
        for n in range(len(moved)):
            m = (n + 1) % len(moved)
            one, two = moved[n], moved[m]
            if 0 < abs(one[axis] - two[axis]) <= NEARLY and abs(one[1 - axis] - two[1 - axis]) > NEARLY:
                middle = (one[axis] + two[axis]) / 2
                moved[n] = (middle, one[1]) if axis == 0 else (one[0], middle)
                moved[m] = (middle, two[1]) if axis == 0 else (two[0], middle)
    return tuple(moved)


def simpler(points: Outline, form: Form) -> Outline:
    """An outline of a form that covers nearly the same area.

    Args:
        points: A usable outline.
        form: What the make takes.

    Returns:
        The outline itself where the make takes it; else corners are taken away, in the end one by one, each time the
        one whose loss changes the area least; for rectangles the box.
    """
    box = tuple(float(v) for v in Polygon(points).bounds)
    if form.takes(points):
        return points
    if form.rectangles:
        return box_outline(*box)
    tolerance = 0.002
    while len(points) > 2 * form.corners:
        points = outline_of(Polygon(points).simplify(tolerance))
        tolerance *= 1.5
    while len(points) > form.corners:
        shape = Polygon(points)
        rest = [points[:n] + points[n + 1 :] for n in range(len(points))]
        usable = [r for r in rest if polygon_problem(r) is None]
        if not usable:
            return box_outline(*box)
        points = min(usable, key=lambda f: Polygon(f).symmetric_difference(shape).area)
    return points if form.takes(points) else box_outline(*box)


def _sampled_share(points: Outline, *, grid: Grid) -> NDArray[np.float64]:
    """As outline_share(), estimated from nine points in each cell; several times quicker."""
    columns, rows = grid
    shape = Polygon(points)
    shapely.prepare(shape)
    x, y = (np.arange(3 * columns) + 0.5) / (3 * columns), (np.arange(3 * rows) + 0.5) / (3 * rows)
    left, top, right, bottom = shape.bounds
    a, b = np.searchsorted(x, [left, right])
    c, d = np.searchsorted(y, [top, bottom])
    inside = np.zeros((3 * rows, 3 * columns), bool)
    inside[c:d, a:b] = shapely.contains_xy(shape, x[None, a:b], y[c:d, None])
    share: NDArray[np.float64] = inside.reshape(rows, 3, columns, 3).mean(axis=(1, 3))
    return share


def sharpest_deg(points: Outline) -> float:
    """The smallest angle between two edges that meet, degrees in a picture of the usual shape; 0 where corners meet."""
    corners = np.array(points) * (WIDE, 1.0)
    out, back = np.roll(corners, -1, axis=0) - corners, np.roll(corners, 1, axis=0) - corners
    lengths = np.hypot(*out.T) * np.hypot(*back.T)
    if not lengths.all():
        return 0.0
    cosine = (out * back).sum(axis=1) / lengths
    return float(np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0))).min())


def neighbours(points: Outline, form: Form, dx: float, dy: float) -> Iterator[Outline]:
    """Outlines of the form one step away: edges moved, and where corners are free corners moved, put in and taken out.

    Args:
        points: An outline of the form.
        form: What the make takes.
        dx: Step across.
        dy: Step down.

    Yields:
        Usable outlines within the picture.
    """
    count = len(points)
    outlines: list[list[Point]] = []
    for n in range(count):
        m = (n + 1) % count
        for x, y in ((dx, 0.0), (-dx, 0.0), (0.0, dy), (0.0, -dy)):
            outlines.append([_moved(p, x, y) if i in (n, m) else p for i, p in enumerate(points)])
            outlines.append([_moved(p, x, y) for p in points])
        if form.rectangles:
            continue
        around = [(x, y) for x in (-dx, 0.0, dx) for y in (-dy, 0.0, dy) if x or y]
        outlines += [[_moved(p, x, y) if i == n else p for i, p in enumerate(points)] for x, y in around]
        if count > 3:
            outlines.append([p for i, p in enumerate(points) if i != n])
        if count < form.corners:
            middle = ((points[n][0] + points[m][0]) / 2, (points[n][1] + points[m][1]) / 2)
            outlines += [[*points[: n + 1], _moved(middle, x, y), *points[n + 1 :]] for x, y in around]
    seen = {points}
    least = min(LEAST_ANGLE_DEG, sharpest_deg(points))
    for corners in outlines:
        outline = tuple(corners)
        if outline not in seen and sharpest_deg(outline) >= least - 1e-6 and form.takes(outline):
            seen.add(outline)
            yield outline


def _moved(point: Point, dx: float, dy: float) -> Point:
    return round(min(1.0, max(0.0, point[0] + dx)), 6), round(min(1.0, max(0.0, point[1] + dy)), 6)


@dataclass
class Tries:
    """How many more outlines a search may try; counted, not timed, so that it ends alike on every machine."""

    left: int


def climb(
    outlines: Sequence[Outline],
    worth: Callable[[list[NDArray[np.float64]], int], tuple[float, ...]],
    form: Form,
    *,
    allowed: Callable[[list[NDArray[np.float64]]], bool],
    grid: Grid,
    steps: Sequence[float],
    tries: Tries,
    keep: int = 0,
    check: Callable[[], None] = lambda: None,
) -> list[Outline]:
    """Move the corners of some outlines as long as that makes them worth more.

    Args:
        outlines: Where to begin.
        worth: Of the (rows, columns) shares of the cells that each outline covers, and of all their corners; compared
            as tuples, more is better.
        form: What the make takes.
        allowed: Whether a change for the better can be had; asked for those only, so it may take its time.
        grid: Columns and rows of cells.
        steps: Corners are moved by so many cells, one step after another.
        tries: One is taken for each outline looked at.
        keep: With so many tries left the best so far is given.
        check: Called again and again; what it raises ends the search.

    Returns:
        As many as were given.
    """
    present = list(outlines)
    shares = [outline_share(o, grid=grid) for o in present]
    best = worth(shares, sum(map(len, present)))
    for step in steps:
        moved = True
        while moved:
            moved = False
            for n in range(len(present)):
                others = sum(map(len, present)) - len(present[n])
                for outline in neighbours(present[n], form, step / grid.columns, step / grid.rows):
                    check()
                    if tries.left <= keep:
                        return present
                    tries.left -= 1
                    corners = others + len(outline)
                    sampled = _sampled_share(outline, grid=grid)
                    if worth([*shares[:n], sampled, *shares[n + 1 :]], corners) <= best:
                        continue
                    share = outline_share(outline, grid=grid)
                    changed = [*shares[:n], share, *shares[n + 1 :]]
                    value = worth(changed, corners)
                    if value > best and allowed(changed):
                        best, shares, present[n], moved = value, changed, outline, True
    return present


def halves(points: Outline, form: Form) -> Iterator[tuple[Outline, Outline]]:
    """An outline cut in two at the middle of its box, upright and level, where both parts are of the form."""
    shape = Polygon(points)
    left, top, right, bottom = shape.bounds
    x, y = (left + right) / 2, (top + bottom) / 2
    for one, two in (
        ((left, top, x, bottom), (x, top, right, bottom)),
        ((left, top, right, y), (left, y, right, bottom)),
    ):
        parts = []
        for half in (one, two):
            part = shape.intersection(shapely.box(*half))
            if isinstance(part, Polygon):
                outline = outline_of(part)
                if polygon_problem(outline) is None:
                    parts.append(simpler(outline, form))
        if len(parts) == 2:
            yield parts[0], parts[1]


def largest_outline(cells: NDArray[np.bool_], form: Form) -> Outline | None:
    """The outline, in a make's form, of the largest piece of some cells; holes in it are filled.

    Args:
        cells: (rows, columns) flags.
        form: What the make takes.

    Returns:
        None when there are no cells.
    """
    rows, columns = cells.shape
    row, column = np.nonzero(cells)
    if not len(row):
        return None
    area = shapely.union_all(shapely.box(column / columns, row / rows, (column + 1) / columns, (row + 1) / rows))
    largest = max(getattr(area, "geoms", [area]), key=lambda piece: piece.area)
    return simpler(outline_of(shapely.get_exterior_ring(largest).simplify(0.5 / columns)), form)


def merged(
    outlines: list[Outline], form: Form, *, as_good: Callable[[list[Outline], list[Outline]], bool], grid: Grid
) -> list[Outline]:
    """One outline in place of each two of which one has half of its cells in common with the other.

    Args:
        outlines: Any number.
        form: What the make takes.
        as_good: Whether fewer outlines, the first, do as well as several, the second.
        grid: Columns and rows of cells.

    Returns:
        At most as many.
    """
    for one, other in combinations(outlines, 2):
        inside = [outline_share(o, grid=grid) >= CELL_INSIDE_SHARE for o in (one, other)]
        if 2 * (inside[0] & inside[1]).sum() < min(cells.sum() for cells in inside):
            continue
        both = largest_outline(inside[0] | inside[1], form)
        fewer = [o for o in outlines if o not in (one, other)]
        if both is not None and as_good([both, *fewer], outlines):
            return merged([both, *fewer], form, as_good=as_good, grid=grid)
    return outlines
