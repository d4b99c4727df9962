"""The zone of a make by sensitivity: cells that share one contrast and one size threshold."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import entered_zones
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


def zone_parts(candidate: Candidate, *, grid: Grid) -> list[ZonePart]:
    """The zone by sensitivity: one part, or where zones have their own one for each notch in use.

    Parameters
    ----------
    candidate
        Settings and make.
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
    zones = entered_zones(candidate.settings, candidate.capability)
    watch = [z for z in zones if isinstance(z, PolygonZone) and z.kind is ZoneKind.WATCH]
    apart = [z for z in zones if not isinstance(z, PolygonZone) or z.kind is not ZoneKind.WATCH]
    parts = []
    for label in sorted({z.notch for z in watch}) or [""]:
        cells = zone_cells([*(z for z in watch if z.notch == label), *apart], grid=grid)
        own = candidate.with_values(notch=label, sensitivity=None) if label else candidate
        contrast, share = own.sensitivity
        parts.append(ZonePart(cells, contrast, least_size(share, grid.cells)))
    return parts
