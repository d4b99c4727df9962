"""What a camera's own background picture tells: is it sharp, level, the planned view, lit, free of its lamp's glare?

Two pictures are compared by their edges, which survive a change of light better than the tones do: their shift by phase
correlation (C. Kuglin, D. Hines, 1975), and how well they then agree.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import scipy
from numpy.typing import NDArray

Grey = NDArray[np.float32]

WIDTH = 320
"""Pictures are compared at this width, pixels."""

EDGE = 4.0
"""Luma steps from pixel to pixel that count as an edge; below is noise."""

ALIKE = 0.35
"""Edges of two pictures by day that agree less than this are of two views. By night too little shows for that."""

LEAST_EDGES = 0.5
"""A picture with less than this share of the planned view's edges is not compared."""

MOVED_SHARE = 0.03
"""A picture shifted by more of its width shows another view: a zone no longer lies where it was drawn."""

SOFT = 0.6
"""A picture with less than this share of the planned view's sharpness is called soft (no source)."""

DARK_LUMA = 12.0
"""A night picture darker than this on average is not lit (no source)."""

GLARE_LUMA, GLARE_SHARE = 245.0, 0.01
"""So bright, over this share of the picture in one piece, and not by day: the lamp is reflected (no source)."""

TURNED_DEG = 2.0
"""Turned by more, it is not level with the planned view (no source)."""


@dataclass(frozen=True)
class ViewLikeness:
    """How one picture compares with the planned view."""

    agrees: float
    """Share of the planned view's edges that the picture has once the shift is taken out, beyond chance; 1 for all."""
    shift: tuple[float, float]
    """Of the scene in the picture to the right and down, as shares of its width."""
    edges: float
    """Edges of the picture, as a share of those of the planned view."""
    dark: bool = False
    """The picture is one of the night."""

    @property
    def other_view(self) -> bool:
        """Whether it plainly shows another view; one with too few edges to tell, as in fog or the dark, does not."""
        if self.edges < LEAST_EDGES:
            return False
        moved = float(np.hypot(*self.shift)) > MOVED_SHARE and self.agrees > ALIKE
        return moved or (not self.dark and self.agrees < ALIKE)


def grey_of(picture: NDArray[np.uint8]) -> Grey:
    """Luma of an RGB picture at WIDTH, its proportions kept.

    Args:
        picture: (H, W, 3), or (H, W) for luma.

    Returns:
        (H', WIDTH) float32, 0..255.
    """
    luma = picture.astype(np.float32)
    if luma.ndim == 3:
        luma = luma @ np.array([0.299, 0.587, 0.114], np.float32)
    factor = WIDTH / luma.shape[1]
    if factor < 1:
        luma = scipy.ndimage.uniform_filter(luma, max(1, round(1 / factor)))
    return np.asarray(scipy.ndimage.zoom(luma, factor, order=1), np.float32)


def _edges(grey: Grey) -> NDArray[np.float32]:
    smooth = scipy.ndimage.gaussian_filter(grey, 1.0)
    size = np.hypot(scipy.ndimage.sobel(smooth, 0), scipy.ndimage.sobel(smooth, 1)) / 8
    return np.asarray(np.clip(size - EDGE, 0, 40), np.float32)


def likeness(picture: Grey, planned: Grey, *, dark: bool = False) -> ViewLikeness:
    """Compare a picture with the planned view.

    Args:
        picture: From grey_of().
        planned: Likewise, of the same proportions.
        dark: The picture is one of the night.

    Returns:
        With nothing to agree on, agreement 0.
    """
    if picture.shape != planned.shape:
        return ViewLikeness(0.0, (0.0, 0.0), 1.0, dark)
    one, other = _edges(picture), _edges(planned)
    share = float((one > 0).mean() / max((other > 0).mean(), 1e-6))
    if not one.any() or not other.any():
        return ViewLikeness(0.0, (0.0, 0.0), share, dark)
    window = np.outer(np.hanning(one.shape[0]), np.hanning(one.shape[1]))
    spectra = np.fft.rfft2((one - one.mean()) * window), np.fft.rfft2((other - other.mean()) * window)
    cross = spectra[0] * np.conj(spectra[1])
    surface = np.fft.irfft2(cross / np.maximum(np.abs(cross), 1e-6), s=one.shape)
    # Of scenes that repeat themselves, such as planks, the smaller shift is the likelier one.
    rows, columns = (np.fft.fftfreq(n, 1 / n) for n in one.shape)
    near = np.hypot(rows[:, None], columns[None, :]) < WIDTH / 4
    down, right = np.unravel_index(int(np.argmax(np.where(near, surface, -1))), one.shape)
    by = (int(rows[down]), int(columns[right]))
    candidates = {(0, 0): _agreement(one, other), by: _agreement(one, scipy.ndimage.shift(other, by, order=0))}
    best = max(candidates, key=lambda c: candidates[c] - (0.05 if c != (0, 0) else 0.0))
    return ViewLikeness(candidates[best], (best[1] / WIDTH, best[0] / WIDTH), share, dark)


def _agreement(picture: NDArray[np.float32], planned: NDArray[np.float32]) -> float:
    """How far the picture has the planned view's edges, beyond chance (J. Cohen's kappa, 1960).

    What stands there besides, such as a van, adds edges and takes few away.
    """
    there = scipy.ndimage.maximum_filter(picture, 5) > 0
    chance = float(there.mean())
    found = float(there[planned > 0].mean()) if (planned > 0).any() else 0.0
    return (found - chance) / (1 - chance) if chance < 1 else 0.0


def turned_deg(picture: Grey, planned: Grey) -> float:
    """By how much a picture is turned against the planned view, degrees clockwise, within 10.

    Args:
        picture: From grey_of().
        planned: Likewise.

    Returns:
        The turn under which the histograms of the edges' directions agree best, in steps of half a degree.
    """
    both = []
    for grey in (picture, planned):
        smooth = scipy.ndimage.gaussian_filter(grey, 1.0)
        down, right = scipy.ndimage.sobel(smooth, 0), scipy.ndimage.sobel(smooth, 1)
        angle = np.degrees(np.arctan2(down, right)) % 180
        weight = np.clip(np.hypot(down, right) / 8 - EDGE, 0, 40)
        counts, _ = np.histogram(angle, bins=360, range=(0, 180), weights=weight)
        both.append(scipy.ndimage.gaussian_filter1d(counts, 2.0, mode="wrap"))
    steps = range(-20, 21)
    agree = [float(np.dot(both[0], np.roll(both[1], step))) for step in steps]
    return list(steps)[int(np.argmax(agree))] / 2


def sharpness(grey: Grey) -> float:
    """How steep the edges are on average, each weighted by its height, as a share of the picture's spread per pixel.

    A blurred edge rises by as much over more pixels: the sum of its steps stays, that of their squares falls.
    """
    steps = np.abs(np.diff(scipy.ndimage.uniform_filter(grey, (3, 1)), axis=1))
    steps = steps[steps > EDGE / 2]
    spread = float(np.percentile(grey, 98) - np.percentile(grey, 2))
    return float(np.square(steps).sum() / steps.sum()) / max(spread, 1.0) if len(steps) else 0.0


def glare(dark: Grey, light: Grey | None) -> float:
    """Share of a night picture that its own lamp burns out in one piece, where the day's picture is not as bright."""
    burnt = dark >= GLARE_LUMA
    if light is not None and light.shape == dark.shape:
        burnt &= light < GLARE_LUMA - 20
    areas, count = scipy.ndimage.label(burnt)
    return float(np.bincount(areas.ravel())[1:].max(initial=0) / dark.size) if count else 0.0


@dataclass(frozen=True)
class PictureFacts:
    """What the latest pictures of a camera tell against its planned view; None where there is none of that light."""

    sharp: float | None = None
    """Sharpness of its pictures by day, as a share of the planned view's."""
    turned: float | None = None
    """Degrees clockwise by which they are turned."""
    lit: float | None = None
    """Mean luma of its pictures at night, 0..255."""
    burnt: float | None = None
    """Share of those that its own lamp burns out in one piece."""
    frame_rate: float | None = None
    """Pictures a second of its latest clip."""
    guessed: int | None = None
    """Clips whose beginning is only known by the date of their file."""


def picture_facts(planned: Grey, light: Sequence[Grey], dark: Sequence[Grey]) -> PictureFacts:
    """What pictures by day and at night tell, medians over several of each.

    Args:
        planned: The planned view, from grey_of().
        light: Pictures by day.
        dark: Pictures at night.

    Returns:
        What each light has pictures for; sharpness only beside a planned view that has an edge.
    """
    alike, edges = [p for p in light if p.shape == planned.shape], sharpness(planned)
    return PictureFacts(
        float(np.median([sharpness(p) for p in alike]) / edges) if alike and edges else None,
        float(np.median([turned_deg(p, planned) for p in alike])) if alike else None,
        float(np.median([p.mean() for p in dark])) if dark else None,
        float(np.median([glare(p, planned) for p in dark])) if dark else None,
    )
