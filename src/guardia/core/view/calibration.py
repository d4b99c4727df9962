"""A view found from standing persons of known height, with its errors."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

from guardia.core.base.errors import InvalidValue
from guardia.core.view.geometry import FARTHEST_M, WIDE_DEG, ViewGeometry, real_heights


@dataclass(frozen=True)
class PersonMark:
    """A standing person of known height in the picture."""

    foot: tuple[float, float]
    """Where the feet stand, picture point."""
    head: tuple[float, float]
    """Top of the head."""
    height_m: float = 1.75
    """Standing height."""


@dataclass(frozen=True)
class Calibration:
    """A view found from marks."""

    view: ViewGeometry
    """The view."""
    rms: float
    """Root mean square of what is left between marked and computed heads, shares of the picture's width."""
    height_error_m: float
    """Standard error of the camera's height."""
    tilt_error_deg: float
    """Of its tilt."""
    focal_error: float
    """Of its focal length, picture widths; 0 when it was given."""
    size_error: float
    """Relative standard error of a real height measured with it where the marks stand."""
    distance_error: float
    """Relative standard error of the distance of the farthest mark."""
    assumed: tuple[str, ...]
    """What was taken for granted, in sentences."""


MARK_ERROR = 0.004
"""Standard error of a marked point, share of the picture's width (common practice, no source)."""

OUTLYING, OUTLYING_LEAST, TRIMS = 3.0, 0.01, 3
"""A mark is left out when it is off by so many medians and by such a share of the picture's width; tried so often."""

USUAL_FOCAL = 0.8
"""Focal length that is assumed when no lens is known: a field of view of 64 degrees."""

FOCAL_DOUBT = 0.2
"""Standard deviation of its logarithm: between 54 and 75 degrees for two cameras in three."""


def _check_marks(marks: Sequence[PersonMark]) -> None:
    if len(marks) < 2:
        raise InvalidValue("A calibration needs two marks of standing persons, one near and one far.")
    for mark in marks:
        values = (*mark.foot, *mark.head, mark.height_m)
        if not all(math.isfinite(v) for v in values) or mark.head[1] >= mark.foot[1] or not 0.3 <= mark.height_m <= 2.5:
            raise InvalidValue("Each mark goes from the feet up to the head of a person between 0.3 and 2.5 m tall.")


def calibrate(
    marks: Sequence[PersonMark],
    *,
    aspect: float = 9 / 16,
    focal: float | None = None,
    height_m: float | None = None,
    mark_error: float = MARK_ERROR,
) -> Calibration:
    """Find the view from standing persons of known height.

    The heads computed from the marked feet are brought to the marked heads by least squares over height, tilt and focal
    length. Without a known lens the focal length is held near USUAL_FOCAL as far as the marks do not say otherwise.

    Args:
        marks: Two at least, near and far.
        aspect: Height of the picture over its width.
        focal: Focal length in picture widths where the lens is known.
        height_m: Height of the camera where it is known.
        mark_error: Standard error of a marked point, share of the picture's width.

    Returns:
        The view with its errors and what was assumed.

    Raises:
        InvalidValue: If there are too few marks, one stands on its head, or no view fits them.
    """
    _check_marks(marks)
    feet = np.array([m.foot for m in marks])
    heads = np.array([m.head for m in marks])
    tall = np.array([m.height_m for m in marks])
    scale = np.array([1.0, aspect])

    def view_of(free: NDArray[np.float64]) -> ViewGeometry:
        return ViewGeometry(
            height_m if height_m is not None else float(np.exp(free[0])),
            float(np.clip(free[1], -19.9, 89.9)),
            focal if focal is not None else float(np.exp(free[2])),
            aspect,
        )

    def misfit(free: NDArray[np.float64]) -> NDArray[np.float64]:
        view = view_of(free)
        ground = view.to_ground(feet)
        ahead = np.nan_to_num(ground, nan=1e3)
        shown = view.to_picture(np.stack([ahead[:, 0], tall, ahead[:, 1]], axis=1))
        off = np.nan_to_num((shown - heads) * scale, nan=1.0) / mark_error
        # Feet above the horizon cannot be: pull the horizon over them.
        above = np.clip(view.horizon - feet[:, 1] + 0.01, 0, None) * 50
        prior = (free[2] - math.log(USUAL_FOCAL)) / FOCAL_DOUBT if focal is None else 0.0
        return np.concatenate([off.ravel(), above, [prior, (free[0] - math.log(3.0)) * 0.05]])

    starts = [
        np.array([math.log(height_m or height), tilt, math.log(focal or USUAL_FOCAL)])
        for tilt in (5.0, 15.0, 30.0, 50.0)
        for height in (2.2, 4.0)
    ]
    solved = [scipy.optimize.least_squares(misfit, s, x_scale=[0.3, 10.0, 0.3], max_nfev=400) for s in starts]
    best = min(solved, key=lambda one: one.cost)
    view = view_of(best.x)
    left = (misfit(best.x)[: 2 * len(marks)] * mark_error).reshape(-1, 2)
    rms = float(np.sqrt((left**2).sum(axis=1).mean()))
    if rms > 0.05:
        raise InvalidValue(
            f"No view fits these marks: the heads are off by {100 * rms:.0f} % of the picture's width.",
            do="Check that feet and heads are of the same standing person and that the heights are right.",
        )
    free = [n for n, known in enumerate((height_m, None, focal)) if known is None]
    slope = np.asarray(best.jac, np.float64)[:, free]
    spread = np.asarray(np.linalg.pinv(slope.T @ slope), np.float64)
    errors = np.zeros(3)
    errors[free] = np.sqrt(np.diag(spread))
    size_error, distance_error = _errors_of_use(view_of, best.x, spread, free, feet, tall)
    assumed = ["The ground is flat and the camera is not rolled.", f"A mark is right to {mark_error:.1%} of the width."]
    if focal is None:
        assumed.append("The lens is not known; a usual one is assumed as far as the marks show no other.")
    if view.width_deg > WIDE_DEG:
        assumed.append(f"A wide lens may bend the picture: angles near its edge could be off by {view.bend:.0%}.")
    return Calibration(
        view, rms, errors[0] * view.height_m, errors[1], errors[2] * view.focal if focal is None else 0.0, size_error,
        distance_error, tuple(assumed),
    )  # fmt: skip


def calibrate_robustly(
    marks: Sequence[PersonMark], *, aspect: float = 9 / 16, focal: float | None = None, mark_error: float = MARK_ERROR
) -> Calibration:
    """Find the view from many marks, leaving out the few that do not fit the others.

    Marks whose head is off by more than OUTLYING times the median, and by more than OUTLYING_LEAST, are left out, and
    the view is found again; at most TRIMS times, and as long as half of the marks stay.

    Args:
        marks: As for calibrate().
        aspect: Height of the picture over its width.
        focal: Focal length in picture widths where the lens is known.
        mark_error: Standard error of a marked point, share of the picture's width.

    Returns:
        As of calibrate().

    Raises:
        InvalidValue: If there are too few marks, one stands on its head, or no view fits them.
    """
    left = list(marks)
    for _ in range(TRIMS):
        calibrated = calibrate(left, aspect=aspect, focal=focal, mark_error=mark_error)
        ground = calibrated.view.to_ground(np.array([m.foot for m in left]))
        shown = calibrated.view.to_picture(np.stack([ground[:, 0], [m.height_m for m in left], ground[:, 1]], axis=1))
        off = np.hypot(*((shown - np.array([m.head for m in left])) * (1.0, aspect)).T)
        fits = off <= max(OUTLYING * float(np.nanmedian(off)), OUTLYING_LEAST)
        if fits.all() or fits.sum() < max(2, len(marks) / 2):
            break
        left = [mark for mark, fit in zip(left, fits, strict=True) if fit]
    return calibrated


def _errors_of_use(
    view_of: Callable[[NDArray[np.float64]], ViewGeometry],
    best: NDArray[np.float64],
    spread: NDArray[np.float64],
    free: list[int],
    feet: NDArray[np.float64],
    tall: NDArray[np.float64],
) -> tuple[float, float]:
    """Relative standard errors of real heights where the marks stand, and of the distance of the farthest mark."""
    base = view_of(best)
    ground = np.nan_to_num(base.to_ground(feet), nan=FARTHEST_M)
    heads = base.to_picture(np.stack([ground[:, 0], tall, ground[:, 1]], axis=1))
    far = int(np.argmax(ground[:, 1]))
    heights, distances = [], []
    for column in free:
        step = np.zeros(3)
        step[column] = 1e-4
        moved = view_of(best + step)
        heights.append((real_heights(moved, feet, heads[:, 1]) / tall - 1) / 1e-4)
        distances.append((moved.to_ground(feet[far])[0, 1] / ground[far, 1] - 1) / 1e-4)
    slopes, away = np.stack(heights, axis=1), np.array(distances)
    variance = np.einsum("nf,fg,ng->n", slopes, spread, slopes)
    return float(np.sqrt(np.nanmean(variance))), float(np.sqrt(away @ spread @ away))
