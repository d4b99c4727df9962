"""The zone of a make by sensitivity: cells that share one contrast and one size threshold, by day, by night or both."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import entered_zones
from guardia.core.make.zones import PolygonZone, ZoneDoes, ZoneKind, zone_cells
from guardia.core.trace.measure import Grid, least_size


@dataclass(frozen=True, eq=False)
class ZonePart:
    """Cells that share one sensitivity."""

    cells: NDArray[np.bool_]
    """(rows, columns) cells inside."""
    contrast: int
    """Luma step in force there."""
    needed: int
    """Size needed to trigger there."""
    dark: bool | None = None
    """Whether it holds in dark pictures only or in bright ones only; None for in all."""
    does: ZoneDoes = ZoneDoes.BOTH
    """What motion inside is for."""
    classes: tuple[str, ...] = ()
    """Classes that it holds for; none for everything."""


def zone_parts(candidate: Candidate, *, grid: Grid) -> list[ZonePart]:
    """The zone by sensitivity: one part, or one for each notch and use of zones, and for the night.

    Args:
        candidate: Settings and make.
        grid: Columns and rows of cells.

    Returns:
        At least one.

    Raises:
        InvalidValue: If the make has no such notch.
    """
    zones = entered_zones(candidate.settings, candidate.capability)
    watch = [z for z in zones if isinstance(z, PolygonZone) and z.kind is ZoneKind.WATCH]
    apart = [z for z in zones if not isinstance(z, PolygonZone) or z.kind is not ZoneKind.WATCH]
    parts = []
    uses = sorted({(z.notch, z.does, z.classes) for z in watch}) or [("", ZoneDoes.BOTH, ())]
    for label, does, classes in uses:
        cells = zone_cells(
            [*(z for z in watch if (z.notch, z.does, z.classes) == (label, does, classes)), *apart], grid=grid
        )
        by_zone = candidate.with_values(notch=label, night_notch="", sensitivity=None) if label else candidate
        lights = by_zone.settings.lights
        for dark in lights:
            own = by_zone.settings.in_light(dark=dark)
            contrast, share = own.sensitivity_under(candidate.capability)
            needed = least_size(share, grid.cells)
            parts.append(ZonePart(cells, contrast, needed, dark if len(lights) > 1 else None, does, classes))
    return parts
