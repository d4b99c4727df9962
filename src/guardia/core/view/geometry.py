"""What a camera sees: fields of view, blind spot, footprint, pixel density, real sizes.

The camera is a pinhole without roll: `focal` is the focal length in units of the picture's width, `aspect` the
picture's height over its width. It stands `height_m` above flat ground and looks down by `tilt_deg`. Picture points are
(x, y) in 0..1, y down. On the ground x is metres to the right of the camera and z metres ahead of the point below it.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import TypeAdapter

from guardia.core.base.distances import density, distance
from guardia.core.base.errors import InvalidValue
from guardia.core.base.files import read_as

LADDER: tuple[tuple[str, float], ...] = (
    ("monitor", 12.5),
    ("detect", 25.0),
    ("observe", 62.5),
    ("recognise", 125.0),
    ("identify", 250.0),
    ("inspect", 1000.0),
)
"""Operational requirements with their pixel density in px/m: IEC 62676-4, quoted from memory."""

FARTHEST_M = 200.0
"""Nothing is said about ground farther away than this."""

HIGHEST_M = 100.0
"""Higher cameras see persons as spots: the upright figures of this model no longer serve (no source)."""

SUBJECT_M = 1.0
"""Height of the middle of a subject (common practice, no source)."""

WIDE_DEG = 80.0
"""Wider pictures than this are told to be bent at their edges."""


@dataclass(frozen=True)
class ViewGeometry:
    """A camera over flat ground."""

    height_m: float
    """Above the ground, above 0."""
    tilt_deg: float
    """Downwards from the horizontal, -20..90."""
    focal: float
    """Focal length in picture widths, above 0."""
    aspect: float = 9 / 16
    """Height of the picture over its width."""

    def __post_init__(self) -> None:
        values = (self.height_m, self.tilt_deg, self.focal, self.aspect)
        if not all(math.isfinite(v) for v in values) or not -20 <= self.tilt_deg <= 90:
            raise InvalidValue("A view needs finite numbers and a tilt between -20 and 90 degrees.")
        if self.height_m <= 0 or self.focal <= 0 or self.aspect <= 0:
            raise InvalidValue("Height, focal length and aspect of a view must be above 0.")

    @property
    def width_deg(self) -> float:
        """Horizontal field of view, 2 atan(w / 2f)."""
        return math.degrees(2 * math.atan(0.5 / self.focal))

    @property
    def upright_deg(self) -> float:
        """Vertical field of view, 2 atan(h / 2f)."""
        return math.degrees(2 * math.atan(self.aspect * 0.5 / self.focal))

    @property
    def horizon(self) -> float:
        """Height of the horizon in the picture, 0 at its upper edge; it may lie outside."""
        return 0.5 - math.tan(math.radians(self.tilt_deg)) * self.focal / self.aspect

    @property
    def nearest_m(self) -> float:
        """Distance of the nearest ground in the middle of the picture: the blind spot below the camera ends there."""
        down = math.radians(self.tilt_deg + self.upright_deg / 2)
        return self.height_m / math.tan(down) if 0 < down < math.pi / 2 else 0.0 if down > 0 else math.inf

    @property
    def farthest_m(self) -> float:
        """Distance of the farthest ground in the middle of the picture, infinite when the horizon is in it."""
        down = math.radians(self.tilt_deg - self.upright_deg / 2)
        return self.height_m / math.tan(down) if down > 1e-9 else math.inf

    def to_ground(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """Ground under picture points.

        Args:
            points: (N, 2) picture points.

        Returns:
            (N, 2) x and z in metres; NaN at and above the horizon.
        """
        points = np.atleast_2d(np.asarray(points, np.float64))
        right = (points[:, 0] - 0.5) / self.focal
        down = (points[:, 1] - 0.5) * self.aspect / self.focal
        cos, sin = self._turn()
        fall = cos * down + sin
        with np.errstate(divide="ignore", invalid="ignore"):
            reach = np.where(fall > 1e-9, self.height_m / fall, np.nan)
        return np.stack([reach * right, reach * (cos - sin * down)], axis=1)

    def to_picture(self, places: NDArray[np.float64]) -> NDArray[np.float64]:
        """Picture points of places.

        Args:
            places: (N, 3): x, height above the ground, z, metres.

        Returns:
            (N, 2) picture points, also outside 0..1; NaN behind the camera.
        """
        places = np.atleast_2d(np.asarray(places, np.float64))
        below = self.height_m - places[:, 1]
        cos, sin = self._turn()
        depth = cos * places[:, 2] + sin * below
        down = cos * below - sin * places[:, 2]
        with np.errstate(divide="ignore", invalid="ignore"):
            depth = np.where(depth > 1e-6, depth, np.nan)
            x = 0.5 + self.focal * places[:, 0] / depth
            y = 0.5 + self.focal * down / depth / self.aspect
        return np.stack([x, y], axis=1)

    def _turn(self) -> tuple[float, float]:
        return math.cos(math.radians(self.tilt_deg)), math.sin(math.radians(self.tilt_deg))

    def density(self, distance_m: float, width_px: int, *, above_m: float = SUBJECT_M) -> float:
        """Pixels per metre across a subject that faces the camera.

        Args:
            distance_m: Along the ground, straight ahead.
            width_px: Pixels across the picture.
            above_m: Height of the subject's middle.

        Returns:
            px/m: picture width in pixels over the width that it spans at the subject's depth.
        """
        cos, sin = self._turn()
        depth = cos * distance_m + sin * (self.height_m - above_m)
        return self.focal * width_px / max(depth, 1e-6)

    def side(self, far_m: float) -> list[tuple[float, float]]:
        """What is seen, from the side: corners as (metres ahead, metres above the ground), without the camera.

        Args:
            far_m: Nothing is drawn farther away, above 0.

        Returns:
            Along the lower edge of the view first; a view that looks up has no corner on the ground.
        """
        half = math.radians(self.upright_deg / 2)
        lower, upper = math.radians(self.tilt_deg) + half, math.radians(self.tilt_deg) - half

        def ends(angle: float) -> tuple[float, float]:
            if angle > 0 and self.height_m / math.tan(min(angle, math.pi / 2)) <= far_m:
                return max(0.0, self.height_m / math.tan(min(angle, math.pi / 2))), 0.0
            return far_m, self.height_m - far_m * math.tan(angle)

        low, high = ends(lower), ends(upper)
        return [low, (far_m, 0.0), high] if low[1] == 0.0 < high[1] else [low, high]

    def distance_for(self, density: float, width_px: int) -> float:
        """Distance on the ground that the picture shows to which a pixel density (px/m) holds, metres.

        0 if it holds nowhere, or if no ground is in the picture.
        """
        nearest, farthest = self.nearest_m, min(FARTHEST_M, self.farthest_m)
        if not nearest < farthest or self.density(nearest, width_px) < density:
            return 0.0
        if self.density(farthest, width_px) >= density:
            return farthest
        cos, sin = self._turn()
        depth = self.focal * width_px / density  # of density(), turned round
        return min(farthest, max(nearest, (depth - sin * (self.height_m - SUBJECT_M)) / cos))

    def footprint(self, *, farthest_m: float = FARTHEST_M) -> NDArray[np.float64]:
        """Outline of the ground that the picture shows.

        Args:
            farthest_m: The ground is cut there.

        Returns:
            (N, 2) x and z in metres: along the lower edge from left to right, then back along the far end.
        """
        across = np.linspace(0, 1, 9)
        near = self.to_ground(np.stack([across, np.ones(9)], axis=1))
        down = np.linspace(0, 1, 400)
        ends = []
        for x in across[::-1]:
            column = self.to_ground(np.stack([np.full(400, x), down], axis=1))
            seen = column[np.hypot(*np.nan_to_num(column, nan=1e9).T) <= farthest_m]
            if len(seen):
                ends.append(seen[0])
        return np.concatenate([near[~np.isnan(near).any(axis=1)], np.array(ends).reshape(-1, 2)])

    @property
    def bend(self) -> float:
        """By how much a lens that bends the picture could differ from this pinhole, as a share of the distance to the
        middle: the largest difference in angle between a rectilinear and an equidistant lens of the same field of view.
        """
        half = math.radians(self.width_deg / 2)
        share = np.linspace(0.05, 1, 40)
        straight = np.arctan(share * math.tan(half))
        return float(np.abs(straight / (share * half) - 1).max())


def view_from_lens(
    *, height_m: float, tilt_deg: float, focal_mm: float, sensor_width_mm: float, aspect: float = 9 / 16
) -> ViewGeometry:
    """A view from the lens's data sheet.

    Args:
        height_m: Above the ground.
        tilt_deg: Downwards.
        focal_mm: Focal length.
        sensor_width_mm: Width of the part of the sensor that makes the picture.
        aspect: Height of the picture over its width.

    Returns:
        The view.

    Raises:
        InvalidValue: If a number cannot be used.
    """
    if not (sensor_width_mm > 0 and focal_mm > 0):
        raise InvalidValue("Focal length and sensor width must be above 0.")
    if height_m > HIGHEST_M:
        raise InvalidValue(f"A camera higher than {distance(HIGHEST_M)} is outside this model of the view.")
    return ViewGeometry(height_m, tilt_deg, focal_mm / sensor_width_mm, aspect)


def real_heights(view: ViewGeometry, feet: NDArray[np.float64], tops: NDArray[np.float64]) -> NDArray[np.float64]:
    """Real height of upright things from where they stand and where they end.

    Args:
        view: The view.
        feet: (N, 2) picture points where they stand.
        tops: (N,) y of their upper end in the picture.

    Returns:
        (N,) metres, NaN where the foot lies at or above the horizon.
    """
    ground = view.to_ground(feet)
    down = (np.asarray(tops, np.float64) - 0.5) * view.aspect / view.focal
    cos, sin = view._turn()
    # On the ray through the top, the height above ground at the distance where the foot stands.
    with np.errstate(divide="ignore", invalid="ignore"):
        fall = (cos * down + sin) / (cos - sin * down)
    return np.asarray(view.height_m - fall * ground[:, 1], np.float64)


def real_widths(view: ViewGeometry, feet: NDArray[np.float64], widths: NDArray[np.float64]) -> NDArray[np.float64]:
    """Real width of things from where they stand and their width in the picture.

    Args:
        view: The view.
        feet: (N, 2) picture points where they stand.
        widths: (N,) shares of the picture's width.

    Returns:
        (N,) metres, NaN where the foot lies at or above the horizon.
    """
    ground = view.to_ground(feet)
    cos, sin = view._turn()
    depth = cos * ground[:, 1] + sin * view.height_m
    return np.asarray(widths * depth / view.focal, np.float64)


@dataclass(frozen=True)
class KnownView:
    """What is known of a camera's view, and how."""

    view: ViewGeometry
    """The view."""
    how: str
    """'typed', 'marks' or 'walk test'."""
    size_error: float | None = None
    """Relative standard error of real sizes, None when it was typed."""
    distance_error: float | None = None
    """Relative standard error of distances at the far end, None when it was typed."""
    lamp_m: float | None = None
    """Reach of the lamp at night, None when not known."""
    assumed: tuple[str, ...] = ()
    """What was taken for granted, in sentences."""


def known_view_to_dict(known: KnownView) -> dict[str, Any]:
    """Plain JSON form of what is known of a view."""
    return asdict(known)


def known_view_from_dict(data: Mapping[str, Any]) -> KnownView:
    """Read it back.

    Args:
        data: As written by known_view_to_dict.

    Returns:
        The view.

    Raises:
        InvalidValue: If a part is missing or cannot be used.
    """
    return read_as(_FORM, data, "The camera's view")


_FORM = TypeAdapter(KnownView)


def density_words(view: ViewGeometry, distance_m: float, width_px: int) -> str:
    """Pixels a metre at a distance, and what LADDER says that they are enough for."""
    px_m = view.density(distance_m, width_px)
    enough = [name for name, least in LADDER if px_m >= least]
    return f"{density(px_m)} at {distance(distance_m)}: {f'enough to {enough[-1]}' if enough else 'enough for nothing'}"
