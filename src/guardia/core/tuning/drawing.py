"""Zones as a technician would draw them: round where real ones moved with a margin, or over what moved falsely apart.

Tuning tries several such drawings and keeps the one that does best on days that it was not drawn from. They are
compact by construction: a watch zone is a hull, an ignore zone has lost everything thinner than two cells.
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
import scipy
import shapely
from numpy.typing import NDArray

from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Visit
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.outlines import Form, largest_outline, outline_of, simpler
from guardia.core.make.settings import drawn_zones, entered_zones, zone_limits_broken
from guardia.core.make.zones import BlockZone, MadeBy, PolygonZone, Zone, ZoneKind, to_blocks, zone_cells
from guardia.core.trace.measure import Grid

LEAST_CELLS = 4
"""Nobody draws a zone smaller than so many cells."""

Cells = NDArray[np.bool_]


@dataclass(frozen=True)
class Drawing:
    """A way to draw zones."""

    watch: int | None = None
    """Margin in cells round where real ones moved, None for no new watch zone."""
    ignore: int | None = None
    """Margin in cells kept between real ones and zones to ignore, None for no such zones."""
    pieces: int = 1
    """At most so many zones to ignore, those first that false ones move in most."""
    rare: float = 0.0
    """Where no more than this share of the real ones moved counts as a place where none did: somebody whose shadow
    moved a flag still triggers elsewhere. Whether that holds is what the trial says."""
    hull: bool = True
    """A watch zone without dents; else its outline follows the places."""
    keep: float = 1.0
    """Of the watch zone, places where false ones moved are given up, those first where most did, as long as every real
    one keeps this share of the places where it moved; 1 gives up nothing."""

    @property
    def words(self) -> str:
        """What is drawn, in words."""
        parts = []
        if self.watch is not None:
            shape = "" if self.hull else ", closely"
            parts.append(f"watch where real ones moved{shape}, {count_of(self.watch, 'cell')} round it")
        if self.keep < 1:
            parts.append(f"without what false ones moved in, as long as each keeps {self.keep:.0%} of its way")
        if self.ignore is not None:
            parts.append(f"ignore up to {count_of(self.pieces, 'place')} apart from real ones")
        if self.rare:
            parts.append(f"leave out where under {self.rare:.0%} of them moved")
        return ", ".join(parts)


RARE = (0.0, 0.1, 0.2, 0.35, 0.5)
KEEP = (0.8, 0.6, 0.4)
DRAWINGS = (
    *(Drawing(watch=margin, rare=rare) for margin in (1, 2) for rare in RARE[:4]),
    *(Drawing(watch=margin, rare=rare, hull=False) for margin in (0, 1) for rare in RARE),
    *(Drawing(watch=margin, hull=False, keep=keep) for margin in (0, 1) for keep in KEEP),
    *(Drawing(ignore=1, pieces=pieces, rare=rare) for pieces in (1, 4) for rare in RARE[:4]),
)


@dataclass(frozen=True, eq=False)
class Moved:
    """Where judged visits moved, or for a make that tests the foot, where they stood."""

    cells: Cells
    """(V, rows, columns) cells that the largest moving group of each covered in at least one picture; those on which
    the largest thing stood for a make that tests the foot."""
    real: NDArray[np.bool_]
    """(V,) judged as real."""

    @classmethod
    def of(cls, evidence: Evidence, visits: list[Visit], real: NDArray[np.bool_], candidate: Candidate) -> Moved:
        """Where visits moved by a candidate's contrast and its make's zone test, `real` saying which are real."""
        stack, make = evidence.stack, candidate.capability
        where = stack.main_feet if make.zone_test == "foot" else stack.main_cells
        contrast_in = [candidate.settings.in_light(dark=d).sensitivity_under(make).contrast for d in (False, True)]
        cells = np.zeros((len(visits), *stack.grid.shape), bool)
        parts = [
            (row, (evidence.clip_index[part.clip_id], part.start_s, part.end_s))
            for row, visit in enumerate(visits)
            for part in visit
        ]
        for contrast in set(contrast_in):
            those = [(row, part) for row, part in parts if contrast_in[evidence.clips[part[0]].dark] == contrast]
            moved = where([part for _, part in those], contrast=contrast)
            np.logical_or.at(cells, [row for row, _ in those], moved)
        return cls(cells, real)


def draw(
    drawing: Drawing, moved: Moved, seen: NDArray[np.bool_], candidate: Candidate, *, grid: Grid, within: bool = False
) -> tuple[Zone, ...] | None:
    """Draw zones from some of the visits, in the form that the make takes.

    Args:
        drawing: The way to draw.
        moved: Where all of them moved.
        seen: (V,) those that may be looked at.
        candidate: Settings whose other zones stay, and the make.
        grid: Columns and rows of cells.
        within: Watch nothing that is not watched now.

    Returns:
        All zones of the draft; None where there is nothing to draw, or the make cannot take it.
    """
    chosen = moved.cells[seen & moved.real]
    used = chosen.sum(axis=0) > drawing.rare * len(chosen)
    if not used.any():
        return None
    capability, settings = candidate.capability, candidate.settings
    present = drawn_zones(settings)
    masks = tuple(z for z in settings.detection.zones if z not in present)
    inside = zone_cells(entered_zones(settings, capability), grid=grid)
    zones: list[Zone] = list(present)
    watched = inside
    if drawing.watch is not None:
        watched = _grown(used, drawing.watch) & (inside | (not within))
        if drawing.keep < 1:
            watched = _given_up(watched, chosen, moved.cells[seen & ~moved.real].sum(axis=0), drawing.keep)
        if not watched.any():
            return None
        zones = _watch(watched, capability, hull=drawing.hull)
    if drawing.ignore is not None:
        false = moved.cells[seen & ~moved.real].sum(axis=0)
        pieces = _pieces((false > 0) & watched & ~_grown(used, drawing.ignore), false)
        if not pieces:
            return None
        if capability.zone_form == "blocks":
            left = watched & ~np.logical_or.reduce(pieces[: drawing.pieces])
            zones = [_blocks(left, capability)]
        elif capability.ignore_zones:
            zones += _ignore(pieces, capability, min(drawing.pieces, capability.max_zones - len(zones)))
    drawn = (*zones, *masks)
    wanted = candidate.with_values(zones=drawn).settings
    if drawn == settings.detection.zones or zone_limits_broken(wanted, capability):
        return None
    return drawn


def _grown(cells: Cells, by: int) -> Cells:

    grown: Cells = scipy.ndimage.binary_dilation(cells, np.ones((3, 3), bool), iterations=by) if by else cells
    return grown


def _given_up(watched: Cells, real: Cells, false: NDArray[np.int64], keep: float) -> Cells:
    """The watched cells without those that false ones moved in and every real one can spare.

    Cells go one by one, those first where most false ones moved for each real one; what is left is rid of what is
    thinner than two cells, and of holes.
    """

    real = real & watched
    left = real.sum(axis=(1, 2)).astype(np.float64)
    least = keep * left
    worth = false / (1.0 + real.sum(axis=0))
    watched = watched.copy()
    cells = np.argwhere(watched & (false > 0))
    for row, column in cells[np.argsort(-worth[tuple(cells.T)], kind="stable")].tolist():
        uses = real[:, row, column]
        if (left[uses] - 1 >= least[uses]).all():
            watched[row, column] = False
            left[uses] -= 1
    smooth: Cells = scipy.ndimage.binary_opening(
        scipy.ndimage.binary_closing(watched, np.ones((3, 3), bool)) & watched, np.ones((2, 2), bool)
    )
    return smooth


def _blocks(cells: Cells, capability: Capability) -> BlockZone:
    rows, columns = cells.shape
    blocks = to_blocks([BlockZone(columns, rows, tuple(cells.ravel().tolist()))], grid=capability.blocks)
    return replace(blocks, made_by=MadeBy.TUNED)


def _watch(cells: Cells, capability: Capability, *, hull: bool) -> list[Zone]:
    """One zone round some cells."""
    if capability.zone_form == "blocks":
        return [_blocks(cells, capability)]
    form = Form.of(capability)
    if hull:
        rows, columns = cells.shape
        row, column = np.nonzero(cells)
        boxes = shapely.box(column / columns, row / rows, (column + 1) / columns, (row + 1) / rows)
        outline = simpler(outline_of(shapely.convex_hull(shapely.union_all(boxes))), form)
    else:
        outline = largest_outline(scipy.ndimage.binary_closing(cells) | cells, form) or ()
    return [PolygonZone(ZoneKind.WATCH, outline, "watch", made_by=MadeBy.TUNED)]


def _pieces(cells: Cells, weight: NDArray[np.int64]) -> list[Cells]:
    """The pieces of some cells without what is thinner than two cells, the weightiest first."""

    whole = (
        scipy.ndimage.binary_opening(scipy.ndimage.binary_closing(cells, np.ones((3, 3), bool)), np.ones((2, 2), bool))
        & cells
    )
    pieces, count = scipy.ndimage.label(whole)
    masks = [pieces == n for n in range(1, count + 1)]
    masks = [piece for piece in masks if piece.sum() >= LEAST_CELLS]
    return sorted(masks, key=lambda piece: -int(weight[piece].sum()))


def _ignore(pieces: list[Cells], capability: Capability, room: int) -> list[Zone]:
    form = Form.of(capability)
    outlines = [largest_outline(piece, form) for piece in pieces[: max(0, room)]]
    drawn = [(f"ignore {n}", o) for n, o in enumerate(outlines, 1) if o is not None]
    return [PolygonZone(ZoneKind.IGNORE, o, name, made_by=MadeBy.TUNED) for name, o in drawn]
