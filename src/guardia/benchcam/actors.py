"""What moves in the bench camera's scene, drawn into a picture at a moment.

Each actor draws itself with `draw(picture, at_s, night)`; `picture` is (H, W, 3) float32, 0..255, changed in place.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from guardia.benchcam.scene import HEIGHT, WIDTH, Picture, Still, project

Colour = tuple[float, float, float]
Limb = tuple[float, float, float, float, float, Colour]
"""Column and row of both ends, radius (all pixels), colour."""


class Actor(Protocol):
    """Anything that moves."""

    def draw(self, picture: Picture, at_s: float, *, night: bool) -> None:
        """Draw the actor as it is at a moment."""


def draw_limbs(picture: Picture, limbs: list[Limb], *, light: float = 1.0) -> None:
    """Draw rounded, shaded strokes with soft edges, the later over the earlier."""
    for c0, r0, c1, r1, radius, colour in limbs:
        radius = max(radius, 0.45)
        left, right = int(max(0, min(c0, c1) - radius - 2)), int(min(WIDTH, max(c0, c1) + radius + 3))
        top, bottom = int(max(0, min(r0, r1) - radius - 2)), int(min(HEIGHT, max(r0, r1) + radius + 3))
        if left >= right or top >= bottom:
            continue
        row, col = np.mgrid[top:bottom, left:right].astype(np.float32)
        dc, dr = c1 - c0, r1 - r0
        length = dc * dc + dr * dr
        along = np.clip(((col - c0) * dc + (row - r0) * dr) / length, 0, 1) if length > 1e-6 else np.zeros_like(col)
        off_c, off_r = col - (c0 + along * dc), row - (r0 + along * dr)
        distance = np.hypot(off_c, off_r)
        alpha = np.clip(radius + 0.5 - distance, 0, 1)[..., None]
        shade = (1.0 - 0.28 * np.clip(off_c / radius, -1, 1) - 0.12 * np.clip(off_r / radius, -1, 1))[..., None]
        patch = picture[top:bottom, left:right]
        patch += alpha * (np.array(colour, np.float32) * light * shade - patch)


def soft_spot(picture: Picture, column: float, row: float, width: float, height: float, gain: float) -> None:
    """Darken (gain below 1) or brighten an ellipse with soft edges."""
    left, right = int(max(0, column - width)), int(min(WIDTH, column + width + 1))
    top, bottom = int(max(0, row - height)), int(min(HEIGHT, row + height + 1))
    if left >= right or top >= bottom:
        return
    r, c = np.mgrid[top:bottom, left:right].astype(np.float32)
    inside = np.clip(1 - ((c - column) / width) ** 2 - ((r - row) / height) ** 2, 0, 1)[..., None]
    picture[top:bottom, left:right] *= 1 + (gain - 1) * inside


def lamp(distance_m: float | NDArray[np.float32]) -> NDArray[np.float32]:
    """Share of the infrared lamp's light that comes back from a distance."""
    return np.asarray(1.25 / (1 + (np.asarray(distance_m) / 9.0) ** 2), np.float32)


Path = tuple[tuple[float, float, float], ...]
"""Points (seconds, x, z) in metres; straight between them."""


@dataclass(frozen=True)
class Walker:
    """A person, or an animal on four legs.

    Parameters
    ----------
    path
        Where it is when.
    height_m
        Standing height (a person's), or height at the back (an animal's).
    coat
        Colour of jacket or fur.
    legs
        Colour of trousers or legs.
    four_legs
        An animal.
    carries
        A person with a crate.
    crouch
        A person bent low.
    """

    path: Path
    height_m: float = 1.74
    coat: Colour = (60, 76, 110)
    legs: Colour = (52, 50, 54)
    four_legs: bool = False
    carries: bool = False
    crouch: bool = False

    def place(self, at_s: float) -> tuple[float, float, float, float] | None:
        """Position x, z and velocity at a moment, None before and after the path."""
        moments = [p[0] for p in self.path]
        if not moments[0] <= at_s <= moments[-1]:
            return None
        x = float(np.interp(at_s, moments, [p[1] for p in self.path]))
        z = float(np.interp(at_s, moments, [p[2] for p in self.path]))
        vx = float(np.interp(at_s + 0.05, moments, [p[1] for p in self.path])) - x
        vz = float(np.interp(at_s + 0.05, moments, [p[2] for p in self.path])) - z
        return x, z, vx * 20, vz * 20

    def draw(self, picture: Picture, at_s: float, *, night: bool) -> None:
        """Draw the walker as it is at a moment."""
        where = self.place(at_s)
        if where is None:
            return
        x, z, vx, vz = where
        speed = float(np.hypot(vx, vz))
        column, row, scale = project(x, 0, z)
        light = float(lamp(z)) * 1.1 if night else 1.0
        grey = 150.0
        coat = (grey + 40,) * 3 if night else self.coat
        legs = (grey,) * 3 if night else self.legs
        skin = (grey + 70,) * 3 if night else (196, 152, 128)
        phase = at_s * 2 * np.pi * (0.55 + 0.45 * speed) / (1.1 if not self.four_legs else 0.5)
        swing = np.sin(phase) * min(1.0, speed) * (0.6 + 0.4 * abs(vx) / max(speed, 0.01))
        soft_spot(picture, column + 0.25 * scale, row, 0.55 * scale, 0.13 * scale, 1.0 if night else 0.62)
        h = self.height_m * scale
        turn = np.sign(vx) if abs(vx) > 0.2 else 1.0
        if self.four_legs:
            body = h * 1.5
            limbs: list[Limb] = []
            for offset, sign in ((-0.45, 1), (-0.35, -1), (0.35, 1), (0.45, -1)):
                step = sign * swing * 0.25 * h
                limbs.append(
                    (column + offset * body, row - 0.7 * h, column + offset * body + step, row, 0.07 * h, legs)
                )
            limbs.append((column - 0.5 * body, row - 0.8 * h, column + 0.5 * body, row - 0.85 * h, 0.2 * h, coat))
            limbs.append(
                (
                    column + turn * 0.62 * body,
                    row - 1.12 * h,
                    column + turn * 0.75 * body,
                    row - 1.1 * h,
                    0.17 * h,
                    coat,
                )
            )
            limbs.append(
                (column - turn * 0.5 * body, row - 0.9 * h, column - turn * 0.8 * body, row - 1.25 * h, 0.05 * h, coat)
            )
            draw_limbs(picture, limbs, light=light)
            return
        hip, shoulder, head = (0.5, 0.8, 0.92) if not self.crouch else (0.32, 0.5, 0.6)
        lean = 0.02 * turn * speed if not self.crouch else 0.16 * turn
        step = swing * 0.17 * h
        top = (column + lean * h, row - shoulder * h)
        limbs = [
            (column + 0.04 * h, row - hip * h, column + 0.04 * h - step, row - 0.03 * h, 0.052 * h, legs),
            (column - 0.04 * h, row - hip * h, column - 0.04 * h + step, row - 0.03 * h, 0.052 * h, legs),
            (top[0] + 0.12 * h, top[1], top[0] + 0.13 * h + step * 0.8, row - (hip - 0.03) * h, 0.034 * h, coat),
            (column, row - hip * h, top[0], top[1] + 0.03 * h, 0.105 * h, coat),
            (top[0] - 0.12 * h, top[1], top[0] - 0.13 * h - step * 0.8, row - (hip - 0.03) * h, 0.034 * h, coat),
            (top[0] + 0.01 * h, row - head * h, top[0] + 0.01 * h, row - (head + 0.02) * h, 0.062 * h, skin),
        ]
        if self.carries:
            crate = (grey + 60,) * 3 if night else (182, 140, 92)
            limbs.append((top[0] - 0.12 * h, row - 0.62 * h, top[0] + 0.14 * h, row - 0.62 * h, 0.11 * h, crate))
        draw_limbs(picture, limbs, light=light)


@dataclass(frozen=True)
class Gull:
    """A gull flying through the picture.

    Parameters
    ----------
    begin_s
        When it enters.
    start
        (x, y, z) there.
    velocity
        Metres per second.
    lasts_s
        How long it flies on.
    """

    begin_s: float
    start: tuple[float, float, float]
    velocity: tuple[float, float, float]
    lasts_s: float

    def draw(self, picture: Picture, at_s: float, *, night: bool) -> None:
        """Draw the gull as it is at a moment."""
        t = at_s - self.begin_s
        if not 0 <= t <= self.lasts_s:
            return
        x, y, z = (s + v * t for s, v in zip(self.start, self.velocity, strict=True))
        c, r, scale = project(x, y + 0.25 * np.sin(t * 1.7), z)
        flap = np.sin(t * 2 * np.pi * 2.6)
        span = 0.62 * scale
        light = float(lamp(z)) if night else 1.0
        white, grey = (236.0, 236.0, 234.0), (168.0, 174.0, 180.0)
        wing = r - flap * 0.42 * span
        draw_limbs(
            picture,
            [
                (c, r, c - 0.55 * span, (r + wing) / 2 - 0.1 * span, 0.09 * scale, grey),
                (c - 0.55 * span, (r + wing) / 2 - 0.1 * span, c - span, wing, 0.05 * scale, grey),
                (c, r, c + 0.55 * span, (r + wing) / 2 - 0.1 * span, 0.09 * scale, grey),
                (c + 0.55 * span, (r + wing) / 2 - 0.1 * span, c + span, wing, 0.05 * scale, grey),
                (c - 0.14 * scale, r, c + 0.16 * scale, r, 0.08 * scale, white),
            ],
            light=light,
        )


@dataclass(frozen=True)
class Insect:
    """Moths close to the infrared lamp: bright, blurred, fast."""

    seed: int
    begin_s: float
    lasts_s: float
    count: int = 2

    def draw(self, picture: Picture, at_s: float, *, night: bool) -> None:
        """Draw the insects as they are at a moment."""
        t = at_s - self.begin_s
        if not 0 <= t <= self.lasts_s:
            return
        rng = np.random.default_rng(self.seed)
        for _ in range(self.count):
            f = rng.uniform(0.25, 1.1, 4)
            p = rng.uniform(0, 2 * np.pi, 4)
            size = rng.uniform(5, 12)

            def where(s: float, f: NDArray[np.float64] = f, p: NDArray[np.float64] = p) -> tuple[float, float]:
                column = WIDTH * (0.5 + 0.36 * np.sin(2 * np.pi * f[0] * s + p[0]) + 0.16 * np.sin(9 * f[1] * s + p[1]))
                row = HEIGHT * (0.45 + 0.34 * np.sin(2 * np.pi * f[2] * s + p[2]) + 0.16 * np.sin(8 * f[3] * s + p[3]))
                return column, row

            for blur in (0.0, 0.03, 0.06):
                column, row = where(t - blur)
                left, right = int(max(0, column - 30)), int(min(WIDTH, column + 31))
                top, bottom = int(max(0, row - 30)), int(min(HEIGHT, row + 31))
                if left < right and top < bottom:
                    r, c = np.mgrid[top:bottom, left:right].astype(np.float32)
                    glow = np.exp(-((c - column) ** 2 + (r - row) ** 2) / (2 * size**2)) * 120
                    picture[top:bottom, left:right] += glow[..., None]


@dataclass(frozen=True)
class Wind:
    """Gusts: the flag, the rigging and the reeds move, each gust rising and falling.

    Parameters
    ----------
    still
        The scene, for what gives way.
    gusts
        (begin, length, strength 0..1) of each.
    calm
        Strength between gusts.
    flag
        There is a flag on the pole.
    ropes
        (x, z) of each mast with a loose rope.
    """

    still: Still
    gusts: tuple[tuple[float, float, float], ...] = ()
    calm: float = 0.05
    flag: bool = True
    ropes: tuple[tuple[float, float], ...] = ()

    def strength(self, at_s: float) -> float:
        """Wind at a moment, 0..1."""
        total = self.calm
        for begin, lasts, peak in self.gusts:
            t = (at_s - begin) / lasts
            if 0 < t < 1:
                total += peak * np.sin(np.pi * t) ** 0.6 * (0.75 + 0.25 * np.sin(at_s * 2.3))
        return float(min(total, 1.0))

    def draw(self, picture: Picture, at_s: float, *, night: bool) -> None:
        """Draw flag, rigging and reeds as they are at a moment."""
        wind = self.strength(at_s)
        self._reeds(picture, at_s, wind)
        if self.flag:
            self._flag(picture, at_s, wind, night=night)
        self._rigging(picture, at_s, wind, night=night)

    def _reeds(self, picture: Picture, at_s: float, wind: float) -> None:
        swaying = self.still.reeds > 0.02
        if wind < 0.02 or not swaying.any():
            return
        rows, columns = np.flatnonzero(swaying.any(axis=1)), np.flatnonzero(swaying.any(axis=0))
        top, bottom, left, right = rows[0], rows[-1] + 1, columns[0], min(WIDTH, columns[-1] + 20)
        source = picture[top:bottom, left:right].copy()
        give = self.still.reeds[top:bottom, left:right]
        row, col = np.mgrid[0 : bottom - top, 0 : right - left].astype(np.float32)
        sway = give * wind * (9 + 7 * np.sin(at_s * 5.1 + col * 0.09 + row * 0.02) + 3 * np.sin(at_s * 11 + col * 0.4))
        from_col = np.clip(col - sway, 0, right - left - 1)
        low = np.floor(from_col).astype(int)
        high = np.minimum(low + 1, right - left - 1)
        part = (from_col - low)[..., None]
        lines = row.astype(int)
        picture[top:bottom, left:right] = source[lines, low] * (1 - part) + source[lines, high] * part

    def _flag(self, picture: Picture, at_s: float, wind: float, *, night: bool) -> None:
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
        row = np.arange(top, bottom, dtype=np.float32)[:, None]
        alpha = np.clip(row - upper + 0.5, 0, 1) * np.clip(lower - row + 0.5, 0, 1) * (along <= 1)
        stripe = (np.abs((row - upper) / (lower - upper) - 0.5) < 0.17)[..., None]
        colour = np.where(stripe, np.array(white), np.array(red)) * (shade * light)[None, :, None]
        patch = picture[top:bottom, int(c) : columns]
        patch += (alpha[..., None] * (colour - patch)).astype(np.float32)

    def _rigging(self, picture: Picture, at_s: float, wind: float, *, night: bool) -> None:
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
            rope: list[Limb] = [(*a, *b, 0.035 * bottom[2], colour) for a, b in itertools.pairwise(points)]
            draw_limbs(picture, rope, light=light)


class Water:
    """Ripples, and the sun's glitter path when it stands over the basin.

    Parameters
    ----------
    still
        The scene.
    glitter
        (begin, length, strength 0..1) of each spell of glitter.
    sun_column
        Column of the picture under the sun.
    seed
        For the ripples.
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
        rng = np.random.default_rng(seed)
        rows = np.arange(HEIGHT)
        wide = np.clip(1 + (rows - 50) / 22, 1, None)
        noise = rng.standard_normal((2, HEIGHT, WIDTH * 2)).astype(np.float32)
        for r in range(HEIGHT):
            width = int(wide[r] * 2)
            kernel = np.ones(width, np.float32) / np.sqrt(width)
            for layer in noise:
                layer[r] = np.convolve(layer[r], kernel, mode="same")
        self._noise = noise
        self._water = still.water
        where = np.flatnonzero(still.water.max(axis=1) > 0)
        self._rows = slice(int(where[0]), int(where[-1]) + 1) if len(where) else slice(0, 0)
        column = np.arange(WIDTH)
        path = np.exp(-(((column - sun_column) / 46) ** 2))
        self._path = (path[None, :] * still.water).astype(np.float32)

    def draw(self, picture: Picture, at_s: float, *, night: bool) -> None:
        """Draw the water's surface as it is at a moment."""
        rows = self._rows
        one = self._shifted(0, at_s * 31)[rows]
        two = self._shifted(1, -at_s * 23)[rows]
        ripple = (one + two) * (1.0 if night else 1.7) * self._water[rows]
        for begin, lasts, peak in self._glitter:
            t = (at_s - begin) / lasts
            if 0 < t < 1 and not night:
                rise = peak * np.sin(np.pi * t) ** 0.5
                ripple += self._path[rows] * np.clip(one * two - 0.9, 0, 1.4) * 120 * rise
        picture[rows] += ripple[..., None]

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

    def draw(self, picture: Picture, at_s: float, *, night: bool) -> None:
        """Darken the picture as the shadow stands at a moment."""
        t = (at_s - self.begin_s) / self.lasts_s
        if not 0 < t < 1 or night:
            return
        column = np.arange(WIDTH, dtype=np.float32)
        edge = t * (WIDTH + 900) - 450
        shade = 1 - self.depth / (1 + np.exp((np.abs(column - edge) - 260) / 60))
        picture[55:] *= shade[None, :, None].astype(np.float32)


@dataclass(frozen=True)
class Van:
    """A van, with or without a trailer, driving along a path.

    Parameters
    ----------
    path
        Where its middle is when.
    paint
        Its colour.
    trailer
        A boat trailer behind it.
    """

    path: Path
    paint: Colour = (222, 222, 216)
    trailer: bool = False

    def draw(self, picture: Picture, at_s: float, *, night: bool) -> None:
        """Draw the van as it is at a moment."""
        moments = [p[0] for p in self.path]
        if not moments[0] <= at_s <= moments[-1]:
            return
        x, z = (float(np.interp(at_s, moments, [p[i] for p in self.path])) for i in (1, 2))
        ahead = min(at_s + 0.3, moments[-1])
        dx = float(np.interp(ahead, moments, [p[1] for p in self.path])) - x
        dz = float(np.interp(ahead, moments, [p[2] for p in self.path])) - z
        across = abs(dx) >= abs(dz)
        length, width = (4.6, 1.9) if across else (1.9, 4.6)
        grey = (190.0,) * 3
        paint = grey if night else self.paint
        light = float(lamp(z)) if night else 1.0
        self._box(picture, x, z, length, width, 0.35, 2.1, paint, light)
        front = float(np.sign(dx)) if across else 0.0
        self._box(
            picture, x + front * 1.3, z, 1.5 if across else 1.7, width + 0.02, 1.25, 1.85, (64.0, 74.0, 84.0), light
        )
        for wheel in (-1.4, 1.4):
            place = (x + wheel, z - width / 2) if across else (x + np.sign(wheel) * 0.9, z - width / 2)
            c, r, scale = project(place[0], 0.33, place[1])
            draw_limbs(picture, [(c, r, c, r, 0.33 * scale, (34.0, 34.0, 36.0))], light=light)
        if self.trailer:
            behind = (x - front * 5.0, z) if across else (x, z - float(np.sign(dz)) * 5.0)
            if behind[1] > 3:
                self._box(
                    picture,
                    *behind,
                    4.0 if across else 1.6,
                    1.6 if across else 4.0,
                    0.5,
                    1.2,
                    (180.0, 70.0, 56.0),
                    light,
                )
        if night:
            c, r, scale = project(x + front * 2.4, 0.7, z - (0 if across else width / 2))
            soft_spot(picture, c, r, 1.2 * scale, 0.6 * scale, 2.2)

    @staticmethod
    def _box(
        picture: Picture,
        x: float,
        z: float,
        length: float,
        width: float,
        low: float,
        high: float,
        paint: Colour,
        light: float,
    ) -> None:
        left, right, near, far = x - length / 2, x + length / 2, max(1.0, z - width / 2), z + width / 2
        side = left if left > 0 else right
        faces = (
            (0.78, ((side, low, near), (side, low, far), (side, high, far), (side, high, near))),
            (1.08, ((left, high, near), (right, high, near), (right, high, far), (left, high, far))),
            (0.94, ((left, low, near), (right, low, near), (right, high, near), (left, high, near))),
        )
        mask = Image.new("L", (WIDTH, HEIGHT))
        pen = ImageDraw.Draw(mask)
        for shade, corners in faces:
            pen.rectangle((0, 0, WIDTH, HEIGHT), fill=0)
            pen.polygon([project(*c)[:2] for c in corners], fill=255)
            alpha = np.asarray(mask, np.float32)[..., None] / 255
            picture += alpha * (np.array(paint, np.float32) * (shade * light) - picture)


@dataclass(frozen=True)
class Headlights:
    """The light of a car outside, sweeping across the scene at night."""

    begin_s: float
    lasts_s: float
    row: float = 120.0

    def draw(self, picture: Picture, at_s: float, *, night: bool) -> None:
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

    def draw(self, picture: Picture, at_s: float, *, night: bool) -> None:
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
class SunPatch:
    """Light through a roof window, coming and going on the floor."""

    begin_s: float
    lasts_s: float
    column: float = 300.0

    def draw(self, picture: Picture, at_s: float, *, night: bool) -> None:
        """Brighten the floor where the light falls at a moment."""
        t = (at_s - self.begin_s) / self.lasts_s
        if 0 < t < 1:
            soft_spot(picture, self.column + 60 * t, 255, 110, 52, 1 + 0.85 * float(np.sin(np.pi * t)))


@dataclass(frozen=True)
class Nudge:
    """The camera is knocked: the whole picture shifts and stays shifted for a while."""

    begin_s: float
    lasts_s: float

    def draw(self, picture: Picture, at_s: float, *, night: bool) -> None:
        """Shift the picture as it is at a moment."""
        t = at_s - self.begin_s
        if 0 <= t <= self.lasts_s:
            swing = 14 * np.exp(-t / 1.2) * np.cos(9 * t)
            picture[:] = np.roll(picture, (round(6 + swing / 2), round(9 + swing)), axis=(0, 1))
