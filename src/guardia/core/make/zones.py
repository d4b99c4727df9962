"""Zones: what is watched and what is ignored, and the grid cells that follow from them.

Points are (x, y) in 0..1, x to the right and y down. Cell arrays are (rows, columns).
"""

from __future__ import annotations

import itertools
import math
import re
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import lru_cache
from typing import Annotated, Any, Literal

import numpy as np
import shapely
from numpy.typing import NDArray
from pydantic import Field, TypeAdapter
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry
from shapely.validation import explain_validity

from guardia.core.base.bounds import Bounds
from guardia.core.base.errors import InvalidValue
from guardia.core.base.files import read_as
from guardia.core.trace.measure import Grid

MIN_ZONE_AREA = 0.0004
"""Smallest area of a polygon zone, as a share of the picture (about a 2 % x 2 % square)."""

MOST_BLOCKS = 64
"""Blocks across or down: no make has more, and a cell mask holds no more."""

CELL_INSIDE_SHARE = 0.5
"""A cell belongs to the zone when at least this share of its area is watched."""

Coordinate = Annotated[float, Bounds(0, 1)]
Point = tuple[Coordinate, Coordinate]


class ZoneKind(StrEnum):
    """Whether motion inside counts or is left out; what a privacy mask blacks out cannot move."""

    WATCH = "watch"
    IGNORE = "ignore"
    MASK = "mask"


class MadeBy(StrEnum):
    """Who drew a zone: what was drawn from judged days is not proved by them."""

    HAND = "hand"
    PROPOSED = "proposed"
    TUNED = "tuned"


class ZoneDoes(StrEnum):
    """What a watch zone is for, where a make has zones apart for that."""

    BOTH = "records and alerts"
    RECORDS = "records without an alert"
    ALERTS = "alerts without recording"


@dataclass(frozen=True)
class PolygonZone:
    """One zone with corners."""

    kind: ZoneKind
    """Watch, ignore or privacy mask."""
    points: Annotated[tuple[Point, ...], Field(min_length=3)]
    """At least three corners (x, y) in 0..1; the outline must not cross itself. Rounded to a millionth."""
    name: str = ""
    """The technician's name for it."""
    notch: str = ""
    """Sensitivity of its own where the make has one per zone; empty for the camera's."""
    made_by: MadeBy = field(default=MadeBy.HAND, compare=False)
    """Who drew it; the same zone whoever did."""
    does: ZoneDoes = ZoneDoes.BOTH
    """What it is for; only of watch zones."""
    classes: tuple[str, ...] = ()
    """Classes that it holds for; none for everything that moves. Only of watch zones."""

    def __post_init__(self) -> None:
        problem = polygon_problem(self.points)
        if problem is None:
            object.__setattr__(self, "points", _rounded(self.points))
        else:
            raise InvalidValue(f"The zone '{self.name or self.kind.value}' cannot be used: {problem}")


@dataclass(frozen=True)
class BlockZone:
    """The make's own grid of blocks, each switched on (watched) or off."""

    columns: int
    """Blocks across, 1 to MOST_BLOCKS."""
    rows: int
    """Blocks down, likewise."""
    active: tuple[bool, ...]
    """rows * columns flags in reading order, True where the block is watched."""
    made_by: MadeBy = field(default=MadeBy.HAND, compare=False)
    """Who drew them; the same blocks whoever did."""

    def __post_init__(self) -> None:
        if (
            min(self.columns, self.rows) < 1
            or max(self.columns, self.rows) > MOST_BLOCKS
            or len(self.active) != self.columns * self.rows
        ):
            raise InvalidValue(
                f"A block zone of {self.columns} x {self.rows} needs {self.columns * self.rows} blocks, 1 to "
                f"{MOST_BLOCKS} each way, but {len(self.active)} were given."
            )


Zone = PolygonZone | BlockZone

TITLES = {ZoneKind.WATCH: "watch zone", ZoneKind.IGNORE: "ignore zone", ZoneKind.MASK: "privacy mask"}


def zone_title(zone: Zone) -> str:
    """What a zone is called in a sentence, such as "ignore zone 'flag'"; within one set of settings no two alike."""
    return "blocks" if isinstance(zone, BlockZone) else f"{TITLES[zone.kind]} '{zone.name}'"


def with_own_names(zones: tuple[Zone, ...]) -> tuple[Zone, ...]:
    """The zones, with another name for each that bears the name of one before it: zones are known by their names."""
    taken: set[str] = set()
    own: list[Zone] = []
    for zone in zones:
        if isinstance(zone, PolygonZone):
            if zone.name in taken:
                base = re.sub(r" \d+$", "", zone.name) or zone.kind.value
                zone = replace(zone, name=free_name(base, taken, begin=2))
            taken.add(zone.name)
        own.append(zone)
    return tuple(own)


def free_name(base: str, taken: Collection[str], *, begin: int = 1) -> str:
    """The first of 'base 1', 'base 2', ... that is not taken."""
    return next(name for n in itertools.count(begin) if (name := f"{base} {n}") not in taken)


def _rounded(points: Sequence[Point]) -> tuple[Point, ...]:
    return tuple((round(float(x), 6), round(float(y), 6)) for x, y in points)


def polygon_problem(points: Sequence[Point]) -> str | None:
    """Say why these corners make no usable zone.

    Args:
        points: Corners (x, y) in 0..1; they are looked at as a zone would keep them, rounded to a millionth.

    Returns:
        A plain sentence, or None when the polygon is usable.
    """
    if len(points) < 3:
        return "it needs at least three corners."
    if not all(math.isfinite(c) and -1e-9 <= c <= 1 + 1e-9 for p in points for c in p):
        return "every corner must lie in the picture (0 to 1)."
    polygon = Polygon(_rounded(points))  # the shape that is kept: rounding may make a sliver cross itself
    if not polygon.is_valid:
        why = explain_validity(polygon)
        return "its outline crosses or touches itself." if "intersection" in why.lower() else f"it has no area ({why})."
    if polygon.area < MIN_ZONE_AREA:
        return "it is too small to hold anything."
    return None


def is_rectangle(points: Sequence[Point]) -> bool:
    """Whether corners, in order, are those of an upright rectangle.

    Args:
        points: Corners (x, y) in 0..1.

    Returns:
        True for four corners with two x and two y and some area.
    """
    x, y = {x for x, _ in points}, {y for _, y in points}
    return len(points) == 4 and len(x) == len(y) == 2 and polygon_problem(points) is None


def coverage(zones: Sequence[Zone], *, grid: Grid) -> NDArray[np.float64]:
    """Share of every grid cell that is watched.

    Watched is the union of the watch polygons and the active blocks (the whole picture when there are neither),
    less the union of the ignore polygons.

    Args:
        zones: Any mix of polygon and block zones.
        grid: Columns and rows of cells.

    Returns:
        (rows, columns), 0..1.
    """
    return _coverage(tuple(zones), grid).copy()


@lru_cache(maxsize=64)
def _coverage(zones: tuple[Zone, ...], grid: Grid) -> NDArray[np.float64]:
    watch: list[Any] = [Polygon(z.points) for z in zones if isinstance(z, PolygonZone) and z.kind is ZoneKind.WATCH]
    for zone in zones:
        if isinstance(zone, BlockZone):
            watch.append(_block_area(zone))
    ignore = [Polygon(z.points) for z in zones if isinstance(z, PolygonZone) and z.kind is not ZoneKind.WATCH]
    area = shapely.union_all(watch) if watch else shapely.box(0, 0, 1, 1)
    if ignore:
        area = shapely.difference(area, shapely.union_all(ignore))
    return area_share(area, grid=grid)


def area_share(area: BaseGeometry, *, grid: Grid) -> NDArray[np.float64]:
    """Share of every grid cell that an area covers.

    Args:
        area: Any shape in picture coordinates.
        grid: Columns and rows of cells.

    Returns:
        (rows, columns), 0..1.
    """
    cells = _cell_boxes(grid)
    shapely.prepare(area)
    share = np.zeros(grid.shape)
    inside = shapely.contains_properly(area, cells)
    edge = shapely.intersects(area, cells) & ~inside
    share[inside] = 1.0
    share[edge] = shapely.area(shapely.intersection(cells[edge], area)) * grid.cells
    return np.clip(share, 0.0, 1.0)


def outline_share(points: Sequence[Point], *, grid: Grid) -> NDArray[np.float64]:
    """Share of every grid cell that an outline covers; as area_share()."""
    return area_share(Polygon(points), grid=grid)


@lru_cache(maxsize=8)
def _cell_boxes(grid: Grid) -> Any:
    """(rows, columns) boxes of the cells."""
    columns, rows = grid
    col, row = np.meshgrid(np.arange(columns), np.arange(rows))
    return shapely.box(col / columns, row / rows, (col + 1) / columns, (row + 1) / rows)


def _block_area(zone: BlockZone) -> Any:
    index = np.flatnonzero(np.array(zone.active))
    row, col = np.divmod(index, zone.columns)
    blocks = shapely.box(col / zone.columns, row / zone.rows, (col + 1) / zone.columns, (row + 1) / zone.rows)
    return shapely.union_all(blocks)


def zone_cells(zones: Sequence[Zone], *, grid: Grid) -> NDArray[np.bool_]:
    """Grid cells that belong to the zone: those watched over at least half of their area.

    Args:
        zones: Any mix of polygon and block zones.
        grid: Columns and rows of cells.

    Returns:
        (rows, columns).
    """
    return coverage(zones, grid=grid) >= CELL_INSIDE_SHARE - 1e-9


def to_blocks(zones: Sequence[Zone], *, grid: Grid) -> BlockZone:
    """What a make with blocks is told instead of polygons: each block that is watched over at least half of its area.

    Args:
        zones: Any mix of polygon and block zones.
        grid: Columns and rows of cells.

    Returns:
        The blocks.
    """
    return BlockZone(*grid, tuple(zone_cells(zones, grid=grid).ravel().tolist()))


def zone_to_dict(zone: Zone) -> dict[str, Any]:
    """Plain JSON form of a zone, as described in docs/formats.md."""
    if isinstance(zone, BlockZone):
        blocks = {"kind": "blocks", "columns": zone.columns, "rows": zone.rows, "active": block_rows(zone)}
        return blocks | _made_by(zone)
    data = {"kind": zone.kind.value, "name": zone.name, "points": [[x, y] for x, y in zone.points]}
    own: dict[str, Any] = {"notch": zone.notch} if zone.notch else {}
    own |= {"does": zone.does.value} if zone.does is not ZoneDoes.BOTH else {}
    own |= {"classes": list(zone.classes)} if zone.classes else {}
    return data | own | _made_by(zone)


def _made_by(zone: Zone) -> dict[str, str]:
    return {} if zone.made_by is MadeBy.HAND else {"made_by": zone.made_by.value}


def block_rows(zone: BlockZone) -> list[str]:
    """One string per row, '#' for a watched block and '.' for the others."""
    marks = "".join("#" if on else "." for on in zone.active)
    return [marks[start : start + zone.columns] for start in range(0, len(marks), zone.columns)]


_Blocks = Annotated[int, Bounds(1, MOST_BLOCKS)]


@dataclass(frozen=True)
class BlockRows:
    """Blocks as files hold them: one text per row, as block_rows() makes them."""

    kind: Literal["blocks"]
    """What tells them from a zone with corners."""
    columns: _Blocks
    """Blocks across."""
    rows: _Blocks
    """Blocks down."""
    active: tuple[Annotated[str, Field(pattern=r"^[#.]+$")], ...]
    """A text per row."""
    made_by: MadeBy = MadeBy.HAND
    """Who drew them."""


ZoneForm = PolygonZone | BlockRows
"""A zone as files hold it."""

_POLYGON, _BLOCKS = TypeAdapter(PolygonZone), TypeAdapter(BlockRows)


def zone_from_dict(data: Mapping[str, Any]) -> Zone:
    """Read a zone from its JSON form.

    Args:
        data: As written by zone_to_dict.

    Returns:
        The zone.

    Raises:
        InvalidValue: If a part is missing or cannot be used.
    """
    if not isinstance(data, Mapping) or data.get("kind") != "blocks":
        return read_as(_POLYGON, data, "A zone")
    read = read_as(_BLOCKS, data, "A zone")
    return BlockZone(read.columns, read.rows, tuple(mark == "#" for mark in "".join(read.active)), read.made_by)
