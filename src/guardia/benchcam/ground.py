"""What the bench camera sees and where its people and vehicles go, as a technician would know them on the first day."""

from __future__ import annotations

import math

import numpy as np
from shapely import LineString, MultiPoint, box, get_coordinates, union_all

from guardia.benchcam.place import Place
from guardia.benchcam.scene import CAMERA_HEIGHT_M, FOCAL_PX, TILT_RAD, WIDTH
from guardia.core.view.geometry import KnownView, ViewGeometry

TRUE_VIEW = ViewGeometry(CAMERA_HEIGHT_M, math.degrees(TILT_RAD), FOCAL_PX / WIDTH)
"""The camera of every place."""

LAMP_M = 18.0
"""To where its lamp is said to reach, metres."""

BESIDE_M = 1.0
"""So much ground beside the ways belongs to what is drawn."""


def known_view() -> KnownView:
    """The view as the technician types it."""
    return KnownView(TRUE_VIEW, "typed", lamp_m=LAMP_M)


def ground_that_matters(place: Place, *, mirrored: bool) -> tuple[tuple[float, float], ...]:
    """The ground round the ways of people and vehicles, drawn in the picture with few corners.

    Args:
        place: The place.
        mirrored: The picture is seen the other way round.

    Returns:
        Corners (x, y) in 0..1.
    """
    ways = [LineString(line).buffer(BESIDE_M) for line in (*place.lines, *place.drives) if len(line) > 1]
    ground = get_coordinates(union_all(ways).convex_hull.segmentize(0.5))
    ground[:, 1] = np.maximum(ground[:, 1], TRUE_VIEW.nearest_m)
    drawn = TRUE_VIEW.to_picture(np.insert(ground, 1, 0.0, axis=1))
    if mirrored:
        drawn[:, 0] = 1.0 - drawn[:, 0]
    shape = MultiPoint(drawn).convex_hull.intersection(box(0, 0, 1, 1)).simplify(0.01)
    return tuple((float(x), float(y)) for x, y in get_coordinates(shape)[:-1])
