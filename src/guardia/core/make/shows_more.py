"""What settings might record that others never let into a motion clip."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.levers import LEVERS, NIGHT_NOTCH, NOTCH, ZONES
from guardia.core.make.settings import Settings
from guardia.core.make.zone_parts import zone_parts
from guardia.core.trace.measure import Grid


class Reached(NamedTuple):
    """What the zones and the sensitivity of one set of settings reach, cell by cell."""

    contrast: NDArray[np.float64]
    """(rows, columns) least luma step that counts, infinite where nothing is watched."""
    size: NDArray[np.float64]
    """(rows, columns) size needed, likewise."""


def reached(candidate: Candidate, *, grid: Grid, dark: bool) -> Reached:
    """Contrast and size at which each cell counts by day or at night, with the levels of single zones.

    Args:
        candidate: Settings and make.
        grid: Columns and rows of cells.
        dark: At night.

    Returns:
        The least of all zones that hold the cell.

    Raises:
        InvalidValue: If the make has no such level.
    """
    contrast, size = np.full(grid.shape, np.inf), np.full(grid.shape, np.inf)
    for part in zone_parts(candidate, grid=grid):
        if part.dark not in (None, dark):
            continue
        contrast[part.cells] = np.minimum(contrast[part.cells], part.contrast)
        size[part.cells] = np.minimum(size[part.cells], part.needed)
    return Reached(contrast, size)


def could_show_more(new: Settings, old: Settings, capability: Capability, *, grid: Grid) -> tuple[str, ...]:
    """By which levers settings might record what others never let into a motion clip.

    Args:
        new: The settings to try.
        old: The settings that made the motion clips.
        capability: The make.
        grid: Columns and rows of cells.

    Returns:
        Names of the levers; none when motion clips show everything that the new settings would do.
    """
    if not new.detection.detection_on:
        return ()
    names = [lever.name for lever in LEVERS if lever.shows_more(lever.read(old), lever.read(new))]
    for dark in sorted({*old.lights, *new.lights}):
        before = reached(Candidate(old, capability), grid=grid, dark=dark)
        after = reached(Candidate(new, capability), grid=grid, dark=dark)
        watched = np.isfinite(after.size)
        if not dark and (watched & ~np.isfinite(before.size)).any():
            names.append(ZONES.name)
        both = watched & np.isfinite(before.size)
        if (both & ((after.contrast < before.contrast) | (after.size < before.size))).any():
            names.append(NIGHT_NOTCH.name if dark else NOTCH.name)
    return tuple(names)
