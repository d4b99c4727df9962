"""Weather, light and knocks in the bench camera's scene, drawn into a picture at a moment like any actor."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from guardia.benchcam.actors import Limb, draw_limbs, lamp, soft_spot
from guardia.benchcam.raster import Raster
from guardia.benchcam.scene import HEIGHT, WIDTH, Picture, Still, project


@dataclass(frozen=True, eq=False)
class _Reeds:
    """The pixels that sway in the wind, (n,) each, within the rectangle that holds them."""

    at: NDArray[np.intp]
    """Number of each in the picture."""
    line: NDArray[np.intp]
    """Number of the rectangle's first pixel in the same row."""
    row: Picture
    """Row in the rectangle."""
    column: Picture
    """Column in the rectangle."""
    give: Picture
    """How far each gives way."""
    last: int
    """Last column of the rectangle."""


@lru_cache(maxsize=8)
def _reeds_of(still: Still, step: int) -> _Reeds | None:
    """What sways in a still scene, of every so many rows; None where nothing does."""
    much = still.reeds > 0.02
    if not much.any():
        return None
    in_rows, in_columns = np.flatnonzero(much.any(axis=1)), np.flatnonzero(much.any(axis=0))
    top, left, right = in_rows[0], in_columns[0], min(WIDTH, in_columns[-1] + 20)
    rows, columns = np.nonzero(still.reeds[top : in_rows[-1] + 1, left:right])
    kept = (rows + top) % step == 0
    rows, columns = rows[kept], columns[kept]
    line = (rows + top) // step * WIDTH + left
    give = still.reeds[rows + top, columns + left]
    return _Reeds(
        line + columns, line, rows.astype(np.float32), columns.astype(np.float32), give, int(right - left - 1)
    )


@dataclass(frozen=True)
class Wind:
    """Gusts: the flag, the rigging and the reeds move, each gust rising and falling."""

    still: Still
    """The scene, for what gives way."""
    gusts: tuple[tuple[float, float, float], ...] = ()
    """(begin, length, strength 0..1) of each."""
    calm: float = 0.05
    """Strength between gusts."""
    flag: bool = True
    """There is a flag on the pole."""
    ropes: tuple[tuple[float, float], ...] = ()
    """(x, z) of each mast with a loose rope."""

    def strength(self, at_s: float) -> float:
        """Wind at a moment, 0..1."""
        total = self.calm
        for begin, lasts, peak in self.gusts:
            t = (at_s - begin) / lasts
            if 0 < t < 1:
                total += peak * np.sin(np.pi * t) ** 0.6 * (0.75 + 0.25 * np.sin(at_s * 2.3))
        return float(min(total, 1.0))

    def draw(self, picture: Raster, at_s: float, *, night: bool) -> None:
        """Draw flag, rigging and reeds as they are at a moment."""
        wind = self.strength(at_s)
        self._reeds(picture, at_s, wind)
        if self.flag:
            self._flag(picture, at_s, wind, night=night)
        self._rigging(picture, at_s, wind, night=night)

    def _reeds(self, picture: Raster, at_s: float, wind: float) -> None:
        if wind < 0.02 or (reeds := _reeds_of(self.still, picture.step)) is None:
            return
        row, col, last = reeds.row, reeds.column, reeds.last
        wave = 9 + 7 * np.sin(at_s * 5.1 + col * 0.09 + row * 0.02) + 3 * np.sin(at_s * 11 + col * 0.4)
        from_col = np.clip(col - reeds.give * wind * wave, 0, last)
        low = from_col.astype(np.int32)
        part = np.repeat(from_col - low.astype(np.float32), 3).reshape(-1, 3)
        # A pixel as one thing of 12 bytes is fetched and put in half the time of one of three numbers.
        pixels = picture.pixels.view("V12").reshape(-1)
        of_low = pixels.take(reeds.line + low).view(np.float32).reshape(-1, 3)
        of_high = pixels.take(reeds.line + np.minimum(low + 1, last)).view(np.float32).reshape(-1, 3)
        of_low += (of_high - of_low) * part
        pixels[reeds.at] = of_low.view("V12").reshape(-1)

    def _flag(self, picture: Raster, at_s: float, wind: float, *, night: bool) -> None:
        c, r, scale = project(-3.65, 3.75, 9.0)
        length, drop = 0.95 * scale, 0.62 * scale
        fly = 0.25 + 0.75 * min(1.0, wind * 2.2)
        columns = int(c + length * fly) + 2
        col = np.arange(int(c), columns, dtype=np.float32)
        along = np.clip((col - c) / (length * fly), 0, None)
        wave = np.sin(along * 7 - at_s * (6 + 8 * wind)) * along * drop * (0.1 + 0.32 * wind)
        sag = along**1.3 * drop * (1 - fly) * 1.5
        upper = r + wave + sag
        lower = upper + drop * (0.9 + 0.1 * fly)
        shade = 1 + 0.22 * np.cos(along * 7 - at_s * (6 + 8 * wind))
        light = float(lamp(9.0)) if night else 1.0
        red, white = ((120.0,) * 3, (210.0,) * 3) if night else ((48.0, 92.0, 128.0), (232.0, 224.0, 200.0))
        top, bottom = int(max(0, upper.min() - 1)), int(min(HEIGHT, lower.max() + 2))
        rows = picture.between(top, bottom)
        row = picture.numbers[rows].astype(np.float32)[:, None]
        alpha = np.clip(row - upper + 0.5, 0, 1) * np.clip(lower - row + 0.5, 0, 1) * (along <= 1)
        stripe = (np.abs((row - upper) / (lower - upper) - 0.5) < 0.17)[..., None]
        colour = np.where(stripe, np.array(white), np.array(red)) * (shade * light)[None, :, None]
        patch = picture.pixels[rows, int(c) : columns]
        patch += (alpha[..., None] * (colour - patch)).astype(np.float32)

    def _rigging(self, picture: Raster, at_s: float, wind: float, *, night: bool) -> None:
        for index, (x, z) in enumerate(self.ropes):
            bottom, top = project(x, 1.3, z), project(x, 5.6, z)
            light = float(lamp(z)) if night else 1.0
            bow = wind * 0.34 * np.sin(at_s * (9 + index) + index) * bottom[2]
            points = []
            for part in np.linspace(0, 1, 4):
                points.append(
                    (
                        bottom[0] + (top[0] - bottom[0]) * part + bow * np.sin(np.pi * part) + 2,
                        bottom[1] + (top[1] - bottom[1]) * part,
                    )
                )
            colour = (70.0, 72.0, 74.0)
            rope: list[Limb] = [(*a, *b, 0.035 * bottom[2], colour) for a, b in pairwise(points)]
            draw_limbs(picture, rope, light=light)


@lru_cache(maxsize=2)
def _ripples(seed: int) -> NDArray[np.float32]:
    """Two layers of ripples, longer the nearer: (2, H, 2 W)."""
    rng = np.random.default_rng(seed)
    rows = np.arange(HEIGHT)
    wide = np.clip(1 + (rows - 50) / 22, 1, None)
    noise = rng.standard_normal((2, HEIGHT, WIDTH * 2)).astype(np.float32)
    for r in range(HEIGHT):
        width = int(wide[r] * 2)
        kernel = np.ones(width, np.float32) / np.sqrt(width)
        for layer in noise:
            layer[r] = np.convolve(layer[r], kernel, mode="same")
    return noise


class Water:
    """Ripples, and the sun's glitter path when it stands over the basin.

    Args:
        still: The scene.
        glitter: (begin, length, strength 0..1) of each spell of glitter.
        sun_column: Column of the picture under the sun.
        seed: For the ripples.
    """

    def __init__(
        self,
        still: Still,
        glitter: tuple[tuple[float, float, float], ...] = (),
        *,
        sun_column: int = 452,
        seed: int = 3,
    ) -> None:
        self._glitter = glitter
        self._noise = _ripples(seed)
        self._water = still.water
        where = np.flatnonzero(still.water.max(axis=1) > 0)
        self._rows = slice(int(where[0]), int(where[-1]) + 1) if len(where) else slice(0, 0)
        column = np.arange(WIDTH)
        path = np.exp(-(((column - sun_column) / 46) ** 2))
        self._path = (path[None, :] * still.water).astype(np.float32)

    def draw(self, picture: Raster, at_s: float, *, night: bool) -> None:
        """Draw the water's surface as it is at a moment."""
        here = picture.between(self._rows.start, self._rows.stop)
        rows = picture.numbers[here]
        one = self._shifted(0, at_s * 31)[rows]
        two = self._shifted(1, -at_s * 23)[rows]
        ripple = (one + two) * (1.0 if night else 1.7) * self._water[rows]
        for begin, lasts, peak in self._glitter:
            t = (at_s - begin) / lasts
            if 0 < t < 1 and not night:
                rise = peak * np.sin(np.pi * t) ** 0.5
                ripple += self._path[rows] * np.clip(one * two - 0.9, 0, 1.4) * 120 * rise
        picture.pixels[here] += np.repeat(ripple, 3, axis=1).reshape(*ripple.shape, 3)

    def _shifted(self, layer: int, offset: float) -> Picture:
        start = int(offset) % WIDTH
        shifted: Picture = self._noise[layer][:, start : start + WIDTH]
        return shifted


@dataclass(frozen=True)
class CloudShadow:
    """The shadow of a cloud passing over the basin."""

    begin_s: float
    lasts_s: float
    depth: float = 0.3

    def draw(self, picture: Raster, at_s: float, *, night: bool) -> None:
        """Darken the picture as the shadow stands at a moment."""
        t = (at_s - self.begin_s) / self.lasts_s
        if not 0 < t < 1 or night:
            return
        column = np.arange(WIDTH, dtype=np.float32)
        edge = t * (WIDTH + 900) - 450
        shade = 1 - self.depth / (1 + np.exp((np.abs(column - edge) - 260) / 60))
        picture.pixels[picture.between(55, HEIGHT)] *= shade[None, :, None].astype(np.float32)


@dataclass(frozen=True)
class Headlights:
    """The light of a car outside, sweeping across the scene at night."""

    begin_s: float
    lasts_s: float
    row: float = 120.0

    def draw(self, picture: Raster, at_s: float, *, night: bool) -> None:
        """Brighten the picture where the light falls at a moment."""
        t = (at_s - self.begin_s) / self.lasts_s
        if 0 < t < 1:
            column = -120 + t * (WIDTH + 240)
            for offset in (-34, 34):
                soft_spot(picture, column + offset, self.row, 130, 74, 2.6)


@dataclass(frozen=True)
class Rain:
    """Drops close to the lamp, drawn out by their fall."""

    seed: int
    begin_s: float
    lasts_s: float

    def draw(self, picture: Raster, at_s: float, *, night: bool) -> None:
        """Draw the drops of a moment."""
        t = (at_s - self.begin_s) / self.lasts_s
        if not 0 < t < 1:
            return
        rng = np.random.default_rng(self.seed + int(at_s * 10))
        strength = float(np.sin(np.pi * t))
        bright = 200.0 if night else 176.0
        drops: list[Limb] = []
        for _ in range(int(26 * strength)):
            column, row = rng.uniform(0, WIDTH), rng.uniform(-20, HEIGHT)
            fall = rng.uniform(14, 46)
            drops.append((column, row, column + 2, row + fall, rng.uniform(0.5, 1.6), (bright,) * 3))
        draw_limbs(picture, drops)


@dataclass(frozen=True)
class Web:
    """A spider's thread before the lens, lit by the lamp and out of focus, swinging in a breath of wind."""

    begin_s: float
    lasts_s: float
    column: float = 470.0

    def draw(self, picture: Raster, at_s: float, *, night: bool) -> None:
        """Draw the thread as it hangs at a moment."""
        t = (at_s - self.begin_s) / self.lasts_s
        if not 0 < t < 1:
            return
        swing = 34 * np.sin(np.pi * t) * np.sin(at_s * 2.1)
        bright = 190.0 if night else 168.0
        points = [(self.column + swing * (row / 250) ** 2 + row * 0.2, row) for row in range(-10, 251, 26)]
        thread: list[Limb] = [(*a, *b, 2.4, (bright,) * 3) for a, b in pairwise(points)]
        veiled = picture.copy()
        draw_limbs(veiled, thread)
        pixels = picture.pixels
        pixels += 0.35 * (veiled.pixels - pixels)


@dataclass(frozen=True)
class SunPatch:
    """Light through a roof window, coming and going on the floor."""

    begin_s: float
    lasts_s: float
    column: float = 300.0

    def draw(self, picture: Raster, at_s: float, *, night: bool) -> None:
        """Brighten the floor where the light falls at a moment."""
        t = (at_s - self.begin_s) / self.lasts_s
        if 0 < t < 1:
            soft_spot(picture, self.column + 60 * t, 255, 110, 52, 1 + 0.85 * float(np.sin(np.pi * t)))


@dataclass(frozen=True)
class Nudge:
    """The camera is knocked: the whole picture shifts and stays shifted for a while."""

    begin_s: float
    lasts_s: float

    def shifts(self, at_s: float) -> bool:
        """Whether it shifts the picture at a moment, which then must have all of its rows."""
        return 0 <= at_s - self.begin_s <= self.lasts_s

    def draw(self, picture: Raster, at_s: float, *, night: bool) -> None:
        """Shift the picture as it is at a moment."""
        t = at_s - self.begin_s
        if self.shifts(at_s):
            swing = 14 * np.exp(-t / 1.2) * np.cos(9 * t)
            picture.pixels[:] = np.roll(picture.pixels, (round(6 + swing / 2), round(9 + swing)), axis=(0, 1))
