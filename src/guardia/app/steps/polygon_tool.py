"""The zone tool: a state machine without widgets, fed plain pointer events in picture coordinates (0..1).

A zone can never collapse, cross itself or leave the picture: a move that would do so is simply not followed, the last
good shape stays, and Esc brings back the shape from before the gesture.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

from shapely.geometry import Point as ShapelyPoint
from shapely.geometry import Polygon

from guardia.app.steps.zone_shapes import block_at, distance, is_mask, points_of, with_corner
from guardia.core.base.errors import InvalidValue
from guardia.core.base.values import one_line
from guardia.core.base.words import count_of
from guardia.core.make.capability import Capability
from guardia.core.make.outlines import straightened, with_fewer_corners
from guardia.core.make.zones import (
    BlockZone,
    Point,
    PolygonZone,
    Zone,
    ZoneDoes,
    ZoneKind,
    free_name,
    is_rectangle,
    polygon_problem,
    to_blocks,
    with_own_names,
    zone_from_dict,
    zone_to_dict,
)
from guardia.core.trace.measure import NO_GRID, Grid

SNAP = 0.012
"""Distance within which a corner snaps to the picture's edge or to a corner of another zone."""

CLICK = 0.008
"""A press and release closer than this is a click, not a drag."""


_MIDDLE = ((0.35, 0.35), (0.65, 0.35), (0.65, 0.65), (0.35, 0.65))


class DrawMode(StrEnum):
    """What a press does."""

    SELECT = "select"
    WATCH = "watch"
    IGNORE = "ignore"
    MASK = "mask"
    PAINT = "paint"


_DRAWING = (DrawMode.WATCH, DrawMode.IGNORE, DrawMode.MASK)


@dataclass(frozen=True)
class Grip:
    """What the pointer has hold of."""

    zone: int
    """Index of the zone."""
    corner: int | None
    """Index of the corner, None for the whole zone."""
    edge: bool = False
    """The corner is new, inserted on an edge."""


class PolygonTool:
    """Edits the polygon zones of a draft.

    Args:
        preview: Called with the zones while a gesture is under way.
        commit: Called with the zones and what was done when a gesture is finished.
        refuse: Called with a sentence when something cannot be done.
        max_corners: Corners that the make takes per zone.
        max_zones: Zones that the make takes.
        blocks: (columns, rows) of the make's own grid, for painting; (0, 0) when it has none.
        max_masks: Privacy masks that the make takes.
        rectangles: The make takes upright rectangles only.
    """

    def __init__(
        self,
        *,
        preview: Callable[[tuple[Zone, ...]], None],
        commit: Callable[[tuple[Zone, ...], str], None],
        refuse: Callable[[str], None],
        max_corners: int,
        max_zones: int,
        blocks: Grid = NO_GRID,
        max_masks: int = 0,
        rectangles: bool = False,
    ) -> None:
        self._preview = preview
        self._commit = commit
        self._refuse = refuse
        self._max_corners = max_corners
        self._max_zones = max_zones
        self._blocks = blocks
        self._max_masks = max_masks
        self._only_rectangles = rectangles
        self._painting: bool | None = None
        self.mode = DrawMode.SELECT
        self.zones: tuple[Zone, ...] = ()
        self.before: tuple[Zone, ...] | None = None
        self.selected: int | None = None
        self.corner: int | None = None
        self.drawing: tuple[Point, ...] = ()
        self.pointer: Point | None = None
        self._grip: Grip | None = None
        self._pressed: Point | None = None
        self._rectangle = False

    @classmethod
    def of_make(
        cls,
        make: Capability,
        *,
        preview: Callable[[tuple[Zone, ...]], None],
        commit: Callable[[tuple[Zone, ...], str], None],
        refuse: Callable[[str], None],
    ) -> PolygonTool:
        """A tool that draws what a make takes; a make with blocks is drawn on freely, and takes what is covered."""
        blocks = make.zone_form == "blocks"
        return cls(
            preview=preview, commit=commit, refuse=refuse,
            max_corners=32 if blocks else make.max_corners, max_zones=16 if blocks else make.max_zones,
            rectangles=make.zone_form == "rectangles", blocks=make.blocks if blocks else NO_GRID,
            max_masks=make.privacy_masks,
        )  # fmt: skip

    @property
    def in_gesture(self) -> bool:
        """A gesture is under way."""
        return self._grip is not None or bool(self.drawing) or self._rectangle or self._painting is not None

    def set_zones(self, zones: tuple[Zone, ...]) -> None:
        """Take the zones from outside (a load, an undo); ends any gesture."""
        self.zones = zones
        self._end()
        if self.selected is not None and self.selected >= len(zones):
            self.selected = None
        if self.selected is None or self.corner is None or self.corner >= len(self._points(self.selected)):
            self.corner = None

    def set_mode(self, mode: DrawMode) -> None:
        """Change what a press does; an unfinished shape is dropped."""
        self.cancel()
        self.mode = mode

    def select(self, zone: int | None) -> None:
        """Select a zone."""
        self.selected, self.corner = zone, None

    def _points(self, zone: int) -> tuple[Point, ...]:
        shape = self.zones[zone]
        return shape.points if isinstance(shape, PolygonZone) else ()

    def find(self, at: Point, reach: float) -> Grip | None:
        """What lies under the pointer: a corner or edge of the selected zone first, then any zone's inside."""
        order = [self.selected] if self.selected is not None else []
        order += [i for i in reversed(range(len(self.zones))) if i != self.selected]
        for index in order:
            points = self._points(index)
            for corner, point in enumerate(points):
                if distance(at, point) <= reach:
                    return Grip(index, corner)
        if self.selected is not None:
            points = self._points(self.selected)
            for corner, point in enumerate(points):
                following = points[(corner + 1) % len(points)]
                middle = ((point[0] + following[0]) / 2, (point[1] + following[1]) / 2)
                if distance(at, middle) <= reach:
                    return Grip(self.selected, corner + 1, edge=True)
        for index in order:
            points = self._points(index)
            if points and Polygon(points).contains(ShapelyPoint(at)):
                return Grip(index, None)
        return None

    def press(self, at: Point, *, reach: float) -> None:
        """The pointer's button goes down."""
        if self.mode is DrawMode.PAINT:
            self._begin_painting(at)
            return
        self._pressed = at
        if self.mode is not DrawMode.SELECT:
            if not self.drawing and not self._has_room(mask=self.mode is DrawMode.MASK):
                self._pressed = None
            return
        grip = self.find(at, reach)
        if grip is None:
            self.selected = self.corner = None
            return
        straight = grip.edge and self._stays_rectangle(self._points(grip.zone))
        if grip.edge and not straight and len(self._points(grip.zone)) >= self._max_corners:
            self._refuse(f"This make takes at most {self._max_corners} corners per zone.")
            return
        self.selected, self.corner = grip.zone, None if straight else grip.corner
        self.before = self.zones
        self._grip = grip
        if grip.edge and grip.corner is not None and not straight:
            points = list(self._points(grip.zone))
            points.insert(grip.corner, at)
            self._try(grip.zone, tuple(points))

    def move(self, at: Point) -> None:
        """The pointer moves, with or without its button down."""
        self.pointer = at
        if self._painting is not None:
            self._paint(at)
        elif self._grip is not None and self._pressed is not None and self.before is not None:
            self._drag(at)
        elif self.mode is not DrawMode.SELECT and self._pressed is not None and not self.drawing:
            self._rectangle = distance(at, self._pressed) > CLICK
        if self.in_gesture:
            self._preview(self.zones)

    def _drag(self, at: Point) -> None:
        grip, pressed, before = self._grip, self._pressed, self.before
        if grip is None or pressed is None or before is None:
            return
        if grip.corner is None:
            zone = before[grip.zone]
            if isinstance(zone, PolygonZone):
                xs, ys = [p[0] for p in zone.points], [p[1] for p in zone.points]
                dx = min(max(at[0] - pressed[0], -min(xs)), 1 - max(xs))
                dy = min(max(at[1] - pressed[1], -min(ys)), 1 - max(ys))
                self._try(grip.zone, tuple((x + dx, y + dy) for x, y in zone.points))
            return
        points = list(self._points(grip.zone))
        if self._stays_rectangle(points):
            corner, (x, y) = (grip.corner - 1 if grip.edge else grip.corner), self._snapped(at, grip.zone)
            if grip.edge:  # the whole edge goes along, upright ones across and level ones up and down
                upright = points[corner][0] == points[grip.corner % 4][0]
                x, y = (x, points[corner][1]) if upright else (points[corner][0], y)
            self._try(grip.zone, with_corner(points, corner, (x, y)))
            return
        if grip.corner < len(points) and (not grip.edge or len(points) > len(points_of(before[grip.zone]))):
            points[grip.corner] = self._snapped(at, grip.zone)
        elif grip.edge:
            points.insert(grip.corner, self._snapped(at, grip.zone))
        self._try(grip.zone, tuple(points))

    def release(self, at: Point) -> None:
        """The pointer's button comes up."""
        if self._painting is not None:
            changed = self.zones != self.before
            self._end()
            if changed:
                self._commit(self.zones, "paint blocks")
            return
        if self._grip is not None and self.before is not None:
            grip, before = self._grip, self.before
            changed = self.zones != before
            self._end()
            if changed:
                edge = "move edge" if self._stays_rectangle(self._points(grip.zone)) else "insert corner"
                what = "move zone" if grip.corner is None else (edge if grip.edge else "move corner")
                self._commit(self.zones, what)
            return
        pressed, self._pressed = self._pressed, None
        if self.mode is DrawMode.SELECT or pressed is None:
            return
        if self._rectangle:
            self._rectangle = False
            (x0, y0), (x1, y1) = self._snapped(pressed, None), self._snapped(at, None)
            self._add(((x0, y0), (x1, y0), (x1, y1), (x0, y1)))
        elif self._only_rectangles:
            self._refuse("This make takes upright rectangles: drag from one corner to the opposite one.")
        elif self.drawing and distance(at, self.drawing[0]) <= 2 * CLICK and len(self.drawing) >= 3:
            self.finish()
        elif len(self.drawing) >= self._max_corners:
            self._refuse(f"This make takes at most {self._max_corners} corners; close the zone with Enter.")
        else:
            self.drawing = (*self.drawing, self._snapped(at, None))
            self._preview(self.zones)

    def finish(self) -> None:
        """Close the shape being drawn; with none begun, put one in the middle, to be moved there by keys."""
        if not self.in_gesture and self.mode in _DRAWING and self._has_room(mask=self.mode is DrawMode.MASK):
            self._add(_MIDDLE)
            return
        points, self.drawing = self.drawing, ()
        distinct: list[Point] = []
        for point in points:
            if not distinct or distance(point, distinct[-1]) > 1e-6:
                distinct.append(point)
        if points:
            self._add(tuple(distinct))

    def cancel(self) -> None:
        """Bring back the shape from before the gesture."""
        if not self.in_gesture:
            return
        if self.before is not None:
            self.zones = self.before
        self._end()
        self._preview(self.zones)

    def _end(self) -> None:
        self.before = None
        self._grip = None
        self._pressed = None
        self._rectangle = False
        self._painting = None
        self.drawing = ()

    def _begin_painting(self, at: Point) -> None:
        """Turn the zones into the make's blocks, if they are not yet, and switch the block under the pointer."""
        if not self._blocks.columns:
            return
        self.before = self.zones
        masks = tuple(z for z in self.zones if is_mask(z))
        drawn = tuple(z for z in self.zones if not is_mask(z))
        if len(drawn) != 1 or not isinstance(drawn[0], BlockZone):
            drawn = (to_blocks(drawn, grid=self._blocks),)
        self.zones = (*drawn, *masks)
        self.selected = self.corner = None  # what was selected may be a part of the blocks now
        zone = self.zones[0]
        if isinstance(zone, BlockZone):
            self._painting = not zone.active[block_at(zone, at)]
            self._paint(at)

    def _paint(self, at: Point) -> None:
        """Give the block under the pointer the state that is being painted; the last watched block stays."""
        zone = self.zones[0]
        if not isinstance(zone, BlockZone) or self._painting is None:
            return
        active = list(zone.active)
        active[block_at(zone, at)] = self._painting
        if any(active):
            self.zones = (replace(zone, active=tuple(active)), *self.zones[1:])
        self._preview(self.zones)

    def simplify(self) -> bool:
        """Take the corners of the selected zone away that matter least, one or more; gives False if none can go."""
        points = self._points(self.selected) if self.selected is not None and not self.in_gesture else ()
        points = () if self._stays_rectangle(points) else points
        fewer = with_fewer_corners(points)
        if self.selected is None or fewer == points or not self._try(self.selected, fewer):
            return False
        self.corner = None
        self._commit(self.zones, "simplify zone")
        return True

    def straighten(self) -> bool:
        """Make nearly level and nearly upright edges of the selected zone exactly so; gives False if there are none."""
        points = self._points(self.selected) if self.selected is not None and not self.in_gesture else ()
        straight = straightened(points)
        if self.selected is None or straight == points or not self._try(self.selected, straight):
            return False
        self._commit(self.zones, "straighten zone")
        return True

    @property
    def rectangle(self) -> tuple[Point, Point] | None:
        """Opposite corners of the rectangle being drawn, None when there is none."""
        return (self._pressed, self.pointer) if self._rectangle and self._pressed and self.pointer else None

    def delete(self) -> None:
        """Delete the selected corner, or the selected zone when no corner is selected or only three are left."""
        if self.selected is None or self.in_gesture:
            return
        points = self._points(self.selected)
        if self.corner is not None and self._stays_rectangle(points):
            self._refuse("This make takes rectangles, which keep their four corners; select the zone to delete it.")
            return
        if self.corner is not None and len(points) > 3:
            rest = points[: self.corner] + points[self.corner + 1 :]
            if self._try(self.selected, rest):
                self.corner = None
                self._commit(self.zones, "delete corner")
            else:
                self._refuse("Without this corner the zone would cross itself; it was kept.")
            return
        self.zones = self.zones[: self.selected] + self.zones[self.selected + 1 :]
        self.selected = self.corner = None
        self._commit(self.zones, "delete zone")

    def nudge(self, dx: float, dy: float) -> None:
        """Move the selected corner or zone by a small step."""
        if self.selected is None or self.in_gesture:
            return
        points = self._points(self.selected)
        if self.corner is not None and self._stays_rectangle(points):
            moved = with_corner(points, self.corner, (points[self.corner][0] + dx, points[self.corner][1] + dy))
        else:
            chosen = range(len(points)) if self.corner is None else (self.corner,)
            moved = tuple((p[0] + dx, p[1] + dy) if i in chosen else p for i, p in enumerate(points))
        if all(0 <= c <= 1 for p in moved for c in p) and self._try(self.selected, moved):
            self._commit(self.zones, "move zone" if self.corner is None else "move corner")

    def step_corner(self, by: int) -> None:
        """Select the next (1) or the former (-1) corner of the selected zone; behind the last comes the whole zone."""
        if self.selected is None and self.zones:
            self.selected = 0
        elif self.selected is not None:
            places = len(self._points(self.selected)) + 1
            at = 0 if self.corner is None else self.corner + 1
            self.corner = ((at + by) % places) - 1 if (at + by) % places else None

    def set_corner(self, corner: int, point: Point) -> bool:
        """Put a corner of the selected zone where its numbers say; gives False, and keeps it, if that cannot be."""
        if self.selected is None or self.in_gesture:
            return False
        points = self._points(self.selected)
        moved = (*points[:corner], point, *points[corner + 1 :])
        if self._stays_rectangle(points):
            moved = with_corner(points, corner, point)
        if moved == points:
            return True
        problem = polygon_problem(moved)
        if problem is not None:
            self._refuse(f"The corner was kept where it was: with these numbers {problem}")
            return False
        self._try(self.selected, moved)
        self.corner = corner
        self._commit(self.zones, "move corner")
        return True

    def copied(self) -> str:
        """The selected zone as text for the clipboard, empty if none is selected."""
        return json.dumps(zone_to_dict(self.zones[self.selected])) if self.selected is not None else ""

    def paste(self, text: str) -> None:
        """Add a zone from the clipboard, a little beside its place if it would hide another."""
        if self.in_gesture:
            return
        try:
            zone = zone_from_dict(json.loads(text))
        except (ValueError, InvalidValue):
            self._refuse("The clipboard holds no zone.")
            return
        if not self._has_room(mask=is_mask(zone)):
            return
        if isinstance(zone, PolygonZone) and zone in self.zones:
            dx = 0.03 if max(x for x, _ in zone.points) <= 0.97 else -0.03
            beside = tuple((min(1.0, max(0.0, x + dx)), y) for x, y in zone.points)
            if polygon_problem(beside) is None:
                zone = replace(zone, points=beside)
        self.zones = with_own_names((*self.zones, zone))
        self.selected, self.corner = len(self.zones) - 1, None
        self._commit(self.zones, "paste zone")

    def rename(self, zone: int, name: str) -> None:
        """Give a zone another name."""
        old = self.zones[zone]
        if isinstance(old, PolygonZone) and name.strip() and name.strip() != old.name:
            try:
                new = one_line(name, "A zone's name")
            except InvalidValue as error:
                self._refuse(f"{error.what} '{old.name}' keeps its name.")
                return
            if any(isinstance(z, PolygonZone) and z.name == new for z in self.zones):
                self._refuse(f"Another zone is called '{new}'; '{old.name}' keeps its name.")
                return
            self.zones = (*self.zones[:zone], replace(old, name=new), *self.zones[zone + 1 :])
            self._commit(self.zones, "rename zone")

    def set_notch(self, zone: int, notch: str) -> None:
        """Give a zone a sensitivity of its own, or with an empty word the camera's."""
        old = self.zones[zone]
        if isinstance(old, PolygonZone) and notch != old.notch:
            self.zones = (*self.zones[:zone], replace(old, notch=notch), *self.zones[zone + 1 :])
            self._commit(self.zones, "set sensitivity of zone")

    def set_use(self, zone: int, does: ZoneDoes, classes: tuple[str, ...]) -> None:
        """Say what a zone is for, and for which classes it holds; none for all."""
        old = self.zones[zone]
        if isinstance(old, PolygonZone) and (does, classes) != (old.does, old.classes):
            self.zones = (*self.zones[:zone], replace(old, does=does, classes=classes), *self.zones[zone + 1 :])
            self._commit(self.zones, "set use of zone")

    def _has_room(self, *, mask: bool) -> bool:
        """Whether the make takes one more; says so if not."""
        there = sum(is_mask(z) == mask for z in self.zones)
        most, what = (self._max_masks, "privacy mask") if mask else (self._max_zones, "zone")
        if there >= most:
            self._refuse(f"This make takes at most {count_of(most, what)}; delete one first.")
        return there < most

    def _add(self, points: tuple[Point, ...]) -> None:
        problem = polygon_problem(points)
        if problem is not None:
            self._refuse(f"The zone was not added: {problem}")
            self._preview(self.zones)
            return
        kind = {DrawMode.WATCH: ZoneKind.WATCH, DrawMode.MASK: ZoneKind.MASK}.get(self.mode, ZoneKind.IGNORE)
        name = free_name(kind.value, {z.name for z in self.zones if isinstance(z, PolygonZone)})
        self.zones = (*self.zones, PolygonZone(kind, points, name))
        self.selected, self.corner = len(self.zones) - 1, None
        self.mode = DrawMode.SELECT
        self._commit(self.zones, "add privacy mask" if kind is ZoneKind.MASK else f"add {kind.value} zone")

    def _stays_rectangle(self, points: Sequence[Point]) -> bool:
        """Whether a shape must stay the upright rectangle that it is."""
        return self._only_rectangles and is_rectangle(points)

    def _try(self, zone: int, points: tuple[Point, ...]) -> bool:
        """Take a new shape if it is a usable one."""
        old = self.zones[zone]
        if not isinstance(old, PolygonZone) or polygon_problem(points) is not None:
            return False
        self.zones = (*self.zones[:zone], replace(old, points=points), *self.zones[zone + 1 :])
        return True

    def _snapped(self, at: Point, zone: int | None) -> Point:
        x, y = (min(1.0, max(0.0, c)) for c in at)
        for index in range(len(self.zones)):
            if index != zone:
                for corner in self._points(index):
                    if distance((x, y), corner) <= SNAP:
                        return corner
        x = 0.0 if x <= SNAP else 1.0 if x >= 1 - SNAP else x
        y = 0.0 if y <= SNAP else 1.0 if y >= 1 - SNAP else y
        return x, y
