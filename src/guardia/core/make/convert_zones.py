"""Drawn zones in the form that a make takes: its blocks, upright rectangles, so many corners, so many zones."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np
import scipy
from numpy.typing import NDArray
from shapely.geometry import MultiPoint, Polygon

from guardia.core.make.capability import Capability
from guardia.core.make.outlines import Form, Outline, Tries, boxes, climb, largest_outline, outline_of, simpler
from guardia.core.make.zones import (
    CELL_INSIDE_SHARE,
    PolygonZone,
    Zone,
    ZoneDoes,
    ZoneKind,
    coverage,
    outline_share,
    to_blocks,
    zone_cells,
)
from guardia.core.trace.measure import Grid

TRIES = 2000
"""Outlines looked at in all."""

EVERY = 2
"""Rectangles to begin with have their edges on every second line between cells."""

CORNER_CELLS = 0.05
"""A corner must bring the outline nearer by so many cells."""

NEAR_CELLS = 2.0
"""Zones that keep their names are preferred to others that come nearer by no more than this."""


@dataclass(frozen=True)
class Loss:
    """What differs between zones as drawn and as entered."""

    no_longer: int
    """Cells that are watched as drawn and not as entered."""
    besides: int
    """Cells that are watched only as entered."""


def loss(drawn: Sequence[Zone], entered: Sequence[Zone], *, grid: Grid) -> Loss:
    """Count the cells in which two sets of zones differ.

    Args:
        drawn: Zones as drawn.
        entered: Zones as entered.
        grid: Columns and rows of cells.

    Returns:
        Both ways.
    """
    one, two = (zone_cells(z, grid=grid) for z in (drawn, entered))
    return Loss(int((one & ~two).sum()), int((two & ~one).sum()))


def known_notches(zones: Sequence[Zone], capability: Capability) -> tuple[Zone, ...]:
    """Zones without those sensitivities of their own that a make does not know.

    Args:
        zones: Any mix.
        capability: The make.

    Returns:
        The same zones; those with an unknown notch have the camera's.
    """
    own = {n.label for n in capability.notches} if capability.zone_sensitivity else set()
    known = set(capability.object_classes) if capability.zone_classes else set()
    return tuple(
        replace(
            z, notch=z.notch if z.notch in own else "", does=z.does if capability.zone_does else ZoneDoes.BOTH,
            classes=tuple(name for name in z.classes if name in known),
        ) if isinstance(z, PolygonZone) else z
        for z in zones
    )  # fmt: skip


def convert(zones: Sequence[Zone], capability: Capability, *, grid: Grid, tries: int = TRIES) -> tuple[Zone, ...]:
    """Bring zones into the form that a make takes, watching as nearly the same cells as it can.

    Privacy masks are left as they are: none may become smaller.

    Args:
        zones: Any mix of polygon and block zones.
        capability: The make.
        grid: Columns and rows of cells.
        tries: Outlines looked at in all; the best of them is given.

    Returns:
        At most as many zones as the make takes, each of a form that it takes, and the masks.
    """
    masks = [z for z in zones if isinstance(z, PolygonZone) and z.kind is ZoneKind.MASK]
    drawn = [z for z in zones if z not in masks]
    if not drawn or capability.max_zones < 1:
        return tuple(zones)
    if capability.zone_form == "blocks":
        return (to_blocks(drawn, grid=capability.blocks), *masks)
    drawn = list(known_notches(drawn, capability))
    target = coverage(drawn, grid=grid)
    form = Form.of(capability)
    polygons = [z for z in drawn if isinstance(z, PolygonZone)]
    kinds = {z.kind for z in polygons}
    begun: list[list[PolygonZone]] = []
    able = {ZoneKind.WATCH: capability.watch_zones, ZoneKind.IGNORE: capability.ignore_zones}
    if len(polygons) == len(drawn) and all(able[kind] for kind in kinds):
        begun.append(_joined([replace(z, points=simpler(z.points, form)) for z in polygons], capability, form))
    for kind, share in ((ZoneKind.WATCH, target), (ZoneKind.IGNORE, 1.0 - target)):
        if able[kind]:
            begun.append(_pieces(share, kind, form))
            begun.append(_covering(share, kind, capability.max_zones))
    begun = [b for b in begun if b and len(b) <= capability.max_zones]
    if not begun:  # everything is watched, and this make can only leave out
        return tuple(masks)
    fits = [_nearer(b, target, form, Tries(tries // len(begun))) for b in begun]
    far = [_distance(fit, target) for fit in fits]
    best = 0 if far[0] <= min(far) + NEAR_CELLS else int(np.argmin(far))
    return (*_named(fits[best], polygons), *masks)


def _named(zones: list[PolygonZone], drawn: list[PolygonZone]) -> list[PolygonZone]:
    """Zones with the name and sensitivity of the drawn one that covers most of each, given once."""
    left, named = list(drawn), []
    for zone in zones:
        shape = Polygon(zone.points)
        covered = [shape.intersection(Polygon(d.points)).area if d.kind is zone.kind else 0.0 for d in left]
        if covered and max(covered) > shape.area / 2:
            like = left.pop(int(np.argmax(covered)))
            name = zone.name if like.name in zone.name else like.name
            zone = replace(zone, name=name, notch=like.notch, does=like.does, classes=like.classes)
        named.append(zone)
    return named


def _same_use(one: PolygonZone, other: PolygonZone) -> bool:
    return (one.kind, one.notch, one.does, one.classes) == (other.kind, other.notch, other.does, other.classes)


def _joined(zones: list[PolygonZone], capability: Capability, form: Form) -> list[PolygonZone]:
    """Zones joined, always the two of one kind and sensitivity whose hull adds least, until the make has room."""
    while len(zones) > capability.max_zones:
        pairs = [(a, b) for a, b in combinations(zones, 2) if _same_use(a, b)]
        if not pairs:
            break
        hulls = {(a, b): _hull(a, b, form) for a, b in pairs}
        a, b = min(pairs, key=lambda p: Polygon(hulls[p]).area - Polygon(p[0].points).union(Polygon(p[1].points)).area)
        one = replace(a, points=hulls[a, b], name=f"{a.name} and {b.name}")
        zones = [one if z is a else z for z in zones if z is not b]
    return zones


def _hull(a: PolygonZone, b: PolygonZone, form: Form) -> Outline:
    hull = MultiPoint([*a.points, *b.points]).convex_hull
    return simpler(outline_of(hull) if isinstance(hull, Polygon) else a.points, form)


def _pieces(target: NDArray[np.float64], kind: ZoneKind, form: Form) -> list[PolygonZone]:
    """The outline of each piece of the target."""

    pieces, count = scipy.ndimage.label(target >= CELL_INSIDE_SHARE)
    outlines = [largest_outline(pieces == n, form) for n in range(1, count + 1)]
    return [PolygonZone(kind, o, f"{kind.value} {n}") for n, o in enumerate(outlines, 1) if o is not None]


def _covering(target: NDArray[np.float64], kind: ZoneKind, room: int) -> list[PolygonZone]:
    """Rectangles that together cover the target most nearly, one after another."""
    outlines, masks = boxes(Grid.of(target), every=EVERY)
    gain = 2.0 * target - 1.0  # what a cell that is not yet covered brings: nearer by its share, farther by the rest
    cover: list[PolygonZone] = []
    for number in range(1, room + 1):
        brings = masks.reshape(len(masks), -1) @ gain.ravel()
        # Of several that bring as much the smallest leaves the others to further zones.
        best = int((brings - 1e-3 * masks.sum(axis=(1, 2))).argmax())
        if brings[best] <= 0 and (cover or kind is ZoneKind.IGNORE):
            break
        cover.append(PolygonZone(kind, outlines[best], f"{kind.value} {number}"))
        gain = np.where(masks[best], 0.0, gain)
    return cover


def _nearer(zones: list[PolygonZone], target: NDArray[np.float64], form: Form, tries: Tries) -> list[PolygonZone]:
    """Move corners until nothing brings the watched cells nearer to the target."""

    def worth(shares: list[NDArray[np.float64]], corners: int) -> tuple[float, ...]:
        return (-_apart(zones, shares, target) - CORNER_CELLS * corners,)

    moved = climb(
        [z.points for z in zones], worth, form, allowed=lambda _s: True,
        grid=Grid.of(target), steps=(1, 0.5, 0.25), tries=tries,
    )  # fmt: skip
    return [replace(z, points=points) for z, points in zip(zones, moved, strict=True)]


def _distance(zones: list[PolygonZone], target: NDArray[np.float64]) -> float:
    return _apart(zones, [outline_share(z.points, grid=Grid.of(target)) for z in zones], target)


def _apart(zones: list[PolygonZone], shares: list[NDArray[np.float64]], target: NDArray[np.float64]) -> float:
    """Cells' worth of area by which what zones watch differs from the target."""
    watch = [s for z, s in zip(zones, shares, strict=True) if z.kind is ZoneKind.WATCH]
    ignore = [s for z, s in zip(zones, shares, strict=True) if z.kind is ZoneKind.IGNORE]
    none = np.zeros_like(target)
    inside = np.minimum(1.0, np.sum([none, *watch], axis=0)) if watch else none + 1.0
    left = inside * (1.0 - np.minimum(1.0, np.sum([none, *ignore], axis=0)))
    return float(np.abs(left - target).sum())
