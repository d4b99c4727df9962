"""The zone of a make by sensitivity: cells that share one contrast and one size threshold."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings, entered_zones
from guardia.core.make.zones import PolygonZone, ZoneKind, zone_cells
from guardia.core.trace.measure import Grid, least_size


@dataclass(frozen=True, eq=False)
class ZonePart:
    """Cells that share one sensitivity.

    Parameters
    ----------
    cells
        (rows, columns) cells inside.
    contrast
        Luma step in force there.
    needed
        Size needed to trigger there.
    """

    cells: NDArray[np.bool_]
    contrast: int
    needed: int


def zone_parts(settings: Settings, capability: Capability, *, grid: Grid) -> list[ZonePart]:
    """The zone by sensitivity: one part, or where zones have their own one for each notch in use.

    Parameters
    ----------
    settings
        The settings.
    capability
        The make.
    grid
        Columns and rows of cells.

    Returns
    -------
    list[ZonePart]
        At least one.

    Raises
    ------
    InvalidValue
        If the make has no such notch.
    """
    zones = entered_zones(settings, capability)
    watch = [z for z in zones if isinstance(z, PolygonZone) and z.kind is ZoneKind.WATCH]
    apart = [z for z in zones if not isinstance(z, PolygonZone) or z.kind is not ZoneKind.WATCH]
    parts = []
    for label in sorted({z.notch for z in watch}) or [""]:
        cells = zone_cells([*(z for z in watch if z.notch == label), *apart], grid=grid)
        told = settings if not label else settings.with_values(notch=label, sensitivity=None)
        contrast, share = told.sensitivity_under(capability)
        parts.append(ZonePart(cells, contrast, least_size(share, grid.cells)))
    return parts
