"""A proposal of cells in the make's form: blocks, ignore zones, or a zone to watch, each tried by a replay."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import shapely
from numpy.typing import NDArray
from scipy.ndimage import binary_closing, label
from shapely.geometry import MultiPolygon, Polygon

from guardia.core.capability import Capability
from guardia.core.evidence import Evidence
from guardia.core.propose import difference
from guardia.core.settings import Settings, entered_zones
from guardia.core.zones import BlockZone, PolygonZone, Zone, ZoneKind, polygon_problem, zone_cells


def fit(
    evidence: Evidence, ignored: NDArray[np.bool_], settings: Settings, capability: Capability
) -> list[tuple[Zone, ...]]:
    """The proposal in the make's form, as steps to be taken one after another or in part.

    Of several outlines for each piece the one is chosen that, replayed with those before it, loses nothing real and
    silences most.

    Parameters
    ----------
    evidence
        Clips and judged occurrences, to try the outlines on.
    ignored
        (rows, columns) cells to ignore.
    settings
        The draft.
    capability
        The make.

    Returns
    -------
    list[tuple[Zone, ...]]
        All zones of the draft after each step, the first step first. Empty when nothing useful fits.
    """
    rows, columns = ignored.shape
    if not ignored.any():
        return []
    zone = zone_cells(entered_zones(settings, capability), columns=columns, rows=rows)
    if capability.zone_form == "blocks":
        return _best(evidence, settings, capability, [(_blocks(zone & ~ignored, capability),)])
    if not capability.ignore_zones:
        left = zone & ~ignored
        outlines = [o for mask in (left, binary_closing(left)) for o in _outlines(mask, capability.max_corners)]
        outlines += _beside(ignored)
        watches = [(PolygonZone(ZoneKind.WATCH, o, "proposed"),) for o in outlines]
        return _best(evidence, settings, capability, list(watches))
    steps: list[tuple[Zone, ...]] = []
    present = settings
    silent = 0
    joined = binary_closing(ignored, iterations=1) | ignored
    groups, count = label(joined)
    for number in sorted(range(1, count + 1), key=lambda g: -int((groups == g).sum())):
        masks = sum(isinstance(z, PolygonZone) and z.kind is ZoneKind.MASK for z in present.zones)
        if len(present.zones) - masks >= capability.max_zones:
            break
        name = f"proposed {len(steps) + 1}"
        outlines = _outlines(groups == number, capability.max_corners)
        candidates = [(*present.zones, PolygonZone(ZoneKind.IGNORE, o, name)) for o in outlines]
        found = _best(evidence, settings, capability, candidates, least=silent)
        if found:
            present = replace(present, zones=found[0])
            silent = len(difference(evidence, settings, present, capability)[0])
            steps.append(found[0])
    return steps


def _beside(ignored: NDArray[np.bool_]) -> list[tuple[tuple[float, float], ...]]:
    """The four rectangles that the picture leaves beside the box of the ignored cells."""
    row, column = np.nonzero(ignored)
    rows, columns = ignored.shape
    left, right = column.min() / columns, (column.max() + 1) / columns
    top, bottom = row.min() / rows, (row.max() + 1) / rows
    boxes = ((0.0, 0.0, left, 1.0), (right, 0.0, 1.0, 1.0), (0.0, 0.0, 1.0, top), (0.0, bottom, 1.0, 1.0))
    found: list[tuple[tuple[float, float], ...]] = []
    for x0, y0, x1, y1 in boxes:
        points = ((float(x0), float(y0)), (float(x1), float(y0)), (float(x1), float(y1)), (float(x0), float(y1)))
        if polygon_problem(points) is None:
            found.append(points)
    return found


def _best(
    evidence: Evidence,
    settings: Settings,
    capability: Capability,
    candidates: Sequence[tuple[Zone, ...]],
    *,
    least: int = 0,
) -> list[tuple[Zone, ...]]:
    """The candidate that silences most, more than `least`, and loses nothing real; none if there is no such."""
    best: tuple[Zone, ...] | None = None
    most = least
    for zones in candidates:
        silenced, lost = difference(evidence, settings, replace(settings, zones=zones), capability)
        if not lost and len(silenced) > most:
            best, most = zones, len(silenced)
    return [best] if best is not None else []


def _blocks(cells: NDArray[np.bool_], capability: Capability) -> BlockZone:
    rows, columns = cells.shape
    fine = BlockZone(columns, rows, tuple(cells.ravel().tolist()))
    wide, high = capability.blocks
    return BlockZone(wide, high, tuple(zone_cells([fine], columns=wide, rows=high).ravel().tolist()))


def _outlines(cells: NDArray[np.bool_], corners: int) -> list[tuple[tuple[float, float], ...]]:
    """Outlines of the largest piece of some cells with at most so many corners: close, wide, its hull, its box."""
    rows, columns = cells.shape
    row, column = np.nonzero(cells)
    if not len(row):
        return []
    boxes = shapely.box(column / columns, row / rows, (column + 1) / columns, (row + 1) / rows)
    area = shapely.union_all(boxes)
    largest = max(area.geoms, key=lambda g: g.area) if isinstance(area, MultiPolygon) else area
    if not isinstance(largest, Polygon):
        return []
    shape = Polygon(largest.exterior)
    found: dict[tuple[tuple[float, float], ...], None] = {}
    for base in (shape, shape.buffer(0.02, join_style="mitre"), shape.convex_hull):
        for tolerance in (0.0, 0.01, 0.02, 0.035, 0.05, 0.08, 0.12):
            simple = base.intersection(shapely.box(0, 0, 1, 1)).simplify(tolerance)
            if not isinstance(simple, Polygon) or simple.is_empty:
                continue
            points = tuple((float(x), float(y)) for x, y in simple.exterior.coords[:-1])
            if len(points) <= corners and polygon_problem(points) is None:
                found.setdefault(points)
    left, top, right, bottom = shape.bounds
    found.setdefault(((left, top), (right, top), (right, bottom), (left, bottom)))
    return list(found)
