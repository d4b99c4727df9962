"""How many bits a second of footage takes: measured on the camera's own files, else by its pixels."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import scipy
from numpy.typing import NDArray

from guardia.core.storage.figure import Figure, Source, exactly, product

FEW_FILES = 3
"""With fewer files nothing can be said of how they differ."""


LEAST_READINGS = 3
"""A straight line through two readings has no interval."""


class RateLine(NamedTuple):
    """A slope a day with its interval."""

    value: float
    """The slope."""
    low: float
    """Lower end (90 %)."""
    high: float
    """Upper end."""
    more: tuple[float, ...]
    """Coefficients of further terms."""


class FileSize(NamedTuple):
    """One file of footage."""

    size_bytes: int
    """Its size."""
    duration_s: float
    """Its length, above 0."""
    dark: bool
    """Recorded in the dark."""
    moving: bool
    """Recorded because something moved; else of a camera that records always."""


def measured_rate(files: Sequence[FileSize], name: str) -> Figure | None:
    """Megabits a second over all seconds of some files.

    Args:
        files: N files.
        name: What it is called.

    Returns:
        The ratio of all bits to all seconds, with the interval (90 %, Student's t) of a ratio estimator (W. G. Cochran,
        'Sampling Techniques', section 2.11); a factor of 1.5 either way for fewer than three files; None without any.
    """
    if not files:
        return None
    bits = np.array([f.size_bytes * 8 / 1e6 for f in files])
    seconds = np.array([f.duration_s for f in files])
    rate, n = float(bits.sum() / seconds.sum()), len(files)
    how = f"{bits.sum() / 8:.0f} MB in {seconds.sum():.0f} s of {n} files"
    if n < FEW_FILES:
        return Figure(name, rate, rate / 1.5, rate * 1.5, "Mbit/s", Source.MEASURED, f"{how}; too few for an interval")
    spread = math.sqrt(float(((bits - rate * seconds) ** 2).sum()) / (n - 1) / n) / float(seconds.mean())
    half = float(scipy.special.stdtrit(n - 1, 0.95)) * spread
    return Figure(name, rate, max(rate - half, rate / 10), rate + half, "Mbit/s", Source.MEASURED, how)


def rate_by_pixels(width: int, height: int, frame_rate: float, bits_per_pixel: Figure, name: str) -> Figure:
    """Megabits a second by pixels, frames a second and bits per pixel (common practice)."""
    pixels = exactly(f"pixels of {width} x {height}", float(width * height), "")
    frames = exactly("pictures a second", frame_rate, "")
    return product(name, "Mbit/s", bits_per_pixel, pixels, frames, factor=1e-6)


def straight_line(days: Sequence[float], values: Sequence[float], *more: Sequence[float]) -> RateLine | None:
    """Slope of values over days by least squares, with Student's interval (90 %).

    Args:
        days: (N,) when, in days.
        values: (N,) what was read.
        *more: (N,) each: further terms.

    Returns:
        None for fewer than three values, at one moment only, or where the terms cannot be told apart. Values shown in
        whole steps are off by up to half a step even where they lie on a line: the interval is at least the normal one
        of errors that are even over a step.
    """
    if len(values) < LEAST_READINGS or max(days) <= min(days):
        return None
    at, read = np.array(days, float), np.array(values, float)
    design = np.column_stack([np.ones_like(at), at - at[0], *(np.array(m) - float(np.mean(m)) for m in more)])
    solved, _, rank, _ = np.linalg.lstsq(design, read, rcond=None)
    left = len(read) - int(rank)
    if rank < design.shape[1] or left < 1:
        return None
    residual = read - design @ solved
    about = line_deviation(residual, left, values)
    half = about * math.sqrt(float(np.linalg.inv(design.T @ design)[1, 1]))
    slope = float(solved[1])
    return RateLine(slope, slope - half, slope + half, tuple(float(v) for v in solved[2:]))


def shown_step(values: Sequence[float]) -> float:
    """The step in which values are shown: 1, 0.1 or 0.01."""
    return next((step for step in (1.0, 0.1) if all(abs(v / step - round(v / step)) < 1e-6 for v in values)), 0.01)


def line_deviation(residual: NDArray[np.float64], left: int, values: Sequence[float]) -> float:
    """Half the interval (90 %) of a value about a line: Student's by what is left over, or what the steps make of it.

    Args:
        residual: (N,) what the line leaves over.
        left: Degrees of freedom, at least 1.
        values: (N,) as they were shown.

    Returns:
        The greater of the two, in the unit of the values.
    """
    by_rest = float(scipy.special.stdtrit(left, 0.95)) * math.sqrt(float(residual @ residual) / left)
    return max(by_rest, float(scipy.special.ndtri(0.95)) * shown_step(values) / math.sqrt(12.0))


def mean_with_interval(values: Sequence[float], name: str, unit: str, how: str) -> Figure:
    """Mean of some days with its interval (90 %, Student's t); a factor of 2 either way for a single day."""
    days = np.array(values, float)
    mean = float(days.mean())
    if len(days) < 2:
        return Figure(name, mean, mean / 2, mean * 2, unit, Source.MEASURED, f"{how}; one day only")
    half = float(scipy.special.stdtrit(len(days) - 1, 0.95)) * float(days.std(ddof=1)) / math.sqrt(len(days))
    return Figure(name, mean, max(mean - half, 0.0), mean + half, unit, Source.MEASURED, how)
