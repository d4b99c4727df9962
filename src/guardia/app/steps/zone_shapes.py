"""Corners and blocks of zones, as the editor of zones needs them."""

from __future__ import annotations

from collections.abc import Sequence

from guardia.core.make.zones import BlockZone, Point, PolygonZone, Zone, ZoneKind


def is_mask(zone: Zone) -> bool:
    """Whether it is a privacy mask."""
    return isinstance(zone, PolygonZone) and zone.kind is ZoneKind.MASK


def block_at(zone: BlockZone, at: Point) -> int:
    """Index of the block under a picture point."""
    column = min(zone.columns - 1, max(0, int(at[0] * zone.columns)))
    row = min(zone.rows - 1, max(0, int(at[1] * zone.rows)))
    return row * zone.columns + column


def points_of(zone: Zone) -> tuple[Point, ...]:
    """Corners, none for blocks."""
    return zone.points if isinstance(zone, PolygonZone) else ()


def with_corner(points: Sequence[Point], corner: int, at: Point) -> tuple[Point, ...]:
    """An upright rectangle with one corner elsewhere and the opposite one where it is."""
    x, y = points[corner]
    return tuple((at[0] if p[0] == x else p[0], at[1] if p[1] == y else p[1]) for p in points)


def distance(a: Point, b: Point) -> float:
    """The larger of the distances across and down, in shares of the picture."""
    return max(abs(a[0] - b[0]), abs(a[1] - b[1]))
