"""What moves in the bench camera's scene, drawn into a picture at a moment.

Each actor draws itself with `draw(picture, at_s, night)` into the rows that the picture has.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw

from guardia.benchcam.raster import Raster
from guardia.benchcam.scene import HEIGHT, WIDTH, project

_Floats = NDArray[np.floating[Any]]
Colour = tuple[float, float, float]
Limb = tuple[float, float, float, float, float, Colour]
"""Column and row of both ends, radius (all pixels), colour."""


class Actor(Protocol):
    """Anything that moves."""

    def draw(self, picture: Raster, at_s: float, *, night: bool) -> None:
        """Draw the actor as it is at a moment."""


def draw_limbs(picture: Raster, limbs: list[Limb], *, light: float = 1.0) -> None:
    """Draw rounded, shaded strokes with soft edges, the later over the earlier."""
    for c0, r0, c1, r1, radius, colour in limbs:
        radius = max(radius, 0.45)
        left, right = int(max(0, min(c0, c1) - radius - 2)), int(min(WIDTH, max(c0, c1) + radius + 3))
        top, bottom = int(max(0, min(r0, r1) - radius - 2)), int(min(HEIGHT, max(r0, r1) + radius + 3))
        if left >= right or top >= bottom:
            continue
        row, col, patch = picture.patch(left, right, top, bottom)
        dc, dr = c1 - c0, r1 - r0
        length = dc * dc + dr * dr
        along = _between(((col - c0) * dc + (row - r0) * dr) / length, 0, 1) if length > 1e-6 else np.float32(0)
        off_c, off_r = col - (c0 + along * dc), row - (r0 + along * dr)
        distance = np.hypot(off_c, off_r)
        alpha = _between(radius + 0.5 - distance, 0, 1)[..., None]
        shade = (1.0 - 0.28 * _between(off_c / radius, -1, 1) - 0.12 * _between(off_r / radius, -1, 1))[..., None]
        patch += alpha * (np.array(colour, np.float32) * light * shade - patch)


def _between(values: _Floats, low: float, high: float) -> _Floats:
    """As np.clip, which takes longer on the small patches drawn here."""
    bounded: _Floats = np.minimum(np.maximum(values, low), high)
    return bounded


def soft_spot(picture: Raster, column: float, row: float, width: float, height: float, gain: float) -> None:
    """Darken (gain below 1) or brighten an ellipse with soft edges."""
    left, right = int(max(0, column - width)), int(min(WIDTH, column + width + 1))
    top, bottom = int(max(0, row - height)), int(min(HEIGHT, row + height + 1))
    if left >= right or top >= bottom:
        return
    r, c, patch = picture.patch(left, right, top, bottom)
    inside = np.clip(1 - ((c - column) / width) ** 2 - ((r - row) / height) ** 2, 0, 1)[..., None]
    patch *= 1 + (gain - 1) * inside


def lamp(distance_m: float | NDArray[np.float32]) -> NDArray[np.float32]:
    """Share of the infrared lamp's light that comes back from a distance."""
    return np.asarray(1.25 / (1 + (np.asarray(distance_m) / 9.0) ** 2), np.float32)


Path = tuple[tuple[float, float, float], ...]
"""Points (seconds, x, z) in metres; straight between them."""


@dataclass(frozen=True)
class Walker:
    """A person, or an animal on four legs."""

    path: Path
    """Where it is when."""
    height_m: float = 1.74
    """Standing height (a person's), or height at the back (an animal's)."""
    coat: Colour = (60, 76, 110)
    """Colour of jacket or fur."""
    legs: Colour = (52, 50, 54)
    """Colour of trousers or legs."""
    four_legs: bool = False
    """An animal."""
    carries: bool = False
    """A person with a crate."""
    crouch: bool = False
    """A person bent low."""

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

    def draw(self, picture: Raster, at_s: float, *, night: bool) -> None:
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
    """A gull flying through the picture."""

    begin_s: float
    """When it enters."""
    start: tuple[float, float, float]
    """(x, y, z) there."""
    velocity: tuple[float, float, float]
    """Metres per second."""
    lasts_s: float
    """How long it flies on."""

    def draw(self, picture: Raster, at_s: float, *, night: bool) -> None:
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

    def draw(self, picture: Raster, at_s: float, *, night: bool) -> None:
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
                    r, c, patch = picture.patch(left, right, top, bottom)
                    glow = np.exp(-((c - column) ** 2 + (r - row) ** 2) / (2 * size**2)) * 120
                    patch += glow[..., None]


@dataclass(frozen=True)
class Van:
    """A van, with or without a trailer, driving along a path."""

    path: Path
    """Where its middle is when."""
    paint: Colour = (222, 222, 216)
    """Its colour."""
    trailer: bool = False
    """A boat trailer behind it."""

    def draw(self, picture: Raster, at_s: float, *, night: bool) -> None:
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
        picture: Raster,
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
            alpha = np.asarray(mask, np.float32)[:: picture.step, :, None] / 255
            pixels = picture.pixels
            pixels += alpha * (np.array(paint, np.float32) * (shade * light) - pixels)
