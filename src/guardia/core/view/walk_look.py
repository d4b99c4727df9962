"""How good the picture of somebody who walks is: how far away, how many pixels a metre, how sharp.

A sharp outline changes over a few pixels; one smeared by motion, by focus or by strong compression over many.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.distances import density, distance
from guardia.core.view.geometry import ViewGeometry
from guardia.core.view.picture import sharpness
from guardia.core.view.tracks import Track

LOOKS = 8
"""So many moments of a walk are looked at, evenly over it."""

SMEARED_PX = 9.0
"""Outlines that are spread over more pixels than this are smeared (no source: persons of the bench camera spread over 5
to 8, over 10 and more once blurred by one pixel's standard deviation or dragged over seven)."""

_AROUND = 0.02


@dataclass(frozen=True)
class WalkLook:
    """What the pictures of one walk tell."""

    near_m: float | None
    """Nearest that it was looked at, metres along the ground; None without a view."""
    far_m: float | None
    """Farthest, likewise."""
    density: tuple[float, float] | None
    """Pixels a metre nearest and farthest; None without a view."""
    spread_px: float | None
    """Pixels over which outlines of who walks are spread, the median over the moments; None where none stands out."""

    @property
    def words(self) -> str:
        """Such as 'seen from 4 to 18 m, 128 to 31 px/m, sharp (outlines over 6 px)'."""
        parts = []
        if self.density is not None and self.near_m is not None and self.far_m is not None:
            near, far = self.density
            parts.append(f"seen from {distance(self.near_m, to=self.far_m)}, {density(near, far)}")
        if self.spread_px is None:
            parts.append("no outline stands out")
        else:
            what = "smeared" if self.spread_px > SMEARED_PX else "sharp"
            parts.append(f"{what} (outlines over {self.spread_px:.0f} px)")
        return ", ".join(parts)


def look_rows(track: Track) -> list[int]:
    """Rows of a track at which the picture is looked at: LOOKS of them, evenly, without its ends."""
    rows = np.linspace(0.05, 0.95, LOOKS) * (len(track.times_s) - 1)
    return sorted({round(row) for row in rows.tolist()})


def walk_look(
    track: Track, rows: Sequence[int], pictures: Sequence[NDArray[np.uint8]], view: ViewGeometry | None
) -> WalkLook:
    """Look at somebody who walks.

    Args:
        track: Of who walks.
        rows: Rows of it, from look_rows().
        pictures: For each row the (H, W, 3) picture then.
        view: Height, tilt and lens of the camera, None while not known.

    Returns:
        Medians and extremes over the rows.
    """
    spreads = []
    for row, picture in zip(rows, pictures, strict=True):
        height, width = picture.shape[:2]
        left, top, wide, tall = track.box[row]
        columns = slice(max(0, int((left - _AROUND) * width)), int(min(1.0, left + wide + _AROUND) * width))
        lines = slice(max(0, int((top - _AROUND) * height)), int(min(1.0, top + tall + _AROUND) * height))
        luma = picture[lines, columns].astype(np.float32) @ np.array([0.299, 0.587, 0.114], np.float32)
        if min(luma.shape) > 2 and (steep := sharpness(luma)) > 0:
            spreads.append(1 / steep)
    spread = float(np.median(spreads)) if spreads else None
    if view is None or not len(pictures):
        return WalkLook(None, None, None, spread)
    ahead = view.to_ground(track.feet[list(rows)])[:, 1]
    ahead = ahead[np.isfinite(ahead) & (ahead > 0)]
    if not len(ahead):
        return WalkLook(None, None, None, spread)
    near, far, width = float(ahead.min()), float(ahead.max()), pictures[0].shape[1]
    return WalkLook(near, far, (view.density(near, width), view.density(far, width)), spread)
