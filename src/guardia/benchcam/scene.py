"""What every scene of the bench camera is made of: the view from a pole, ground, sky, textures.

World coordinates in metres: x to the right, y up, z away from the camera along the ground.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
import scipy
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFilter

WIDTH, HEIGHT = 640, 360
FOCAL_PX = 520.0
CAMERA_HEIGHT_M = 3.4
TILT_RAD = np.radians(14.0)
_OVERSAMPLE = 2

Picture = NDArray[np.float32]


class Light(StrEnum):
    """Light in which the camera works."""

    DAY = "day"
    DUSK = "dusk"
    NIGHT = "infrared night"


def project(x: float, y: float, z: float) -> tuple[float, float, float]:
    """Picture position (column, row) of a point, and pixels per metre there."""
    forward = -np.sin(TILT_RAD) * (y - CAMERA_HEIGHT_M) + np.cos(TILT_RAD) * z
    down = -np.cos(TILT_RAD) * (y - CAMERA_HEIGHT_M) - np.sin(TILT_RAD) * z
    scale = FOCAL_PX / max(forward, 0.1)
    return WIDTH / 2 + scale * x, HEIGHT / 2 + scale * down, scale


def cloud(rng: np.random.Generator, shape: tuple[int, int], octaves: tuple[tuple[int, int], ...]) -> Picture:
    """Smooth noise with mean 0 and deviation 1: each octave is a coarse random grid of (rows, columns), enlarged."""
    total = np.zeros(shape, np.float32)
    for index, (rows, columns) in enumerate(octaves):
        coarse = rng.standard_normal((rows + 1, columns + 1))
        fine = scipy.ndimage.zoom(coarse, (shape[0] / rows, shape[1] / columns), order=1)[: shape[0], : shape[1]]
        total += (fine / 2**index).astype(np.float32)
    result: Picture = (total - total.mean()) / total.std()
    return result


@dataclass(frozen=True, eq=False)
class Still:
    """The scene without anything that moves."""

    colour: Picture
    """(H, W, 3) float32, 0..255."""
    distance_m: Picture
    """(H, W) float32, distance along the ground; large for the sky."""
    water: Picture
    """(H, W) float32, 1 where open water is seen."""
    reeds: Picture
    """(H, W) float32, how far reeds give way to the wind, 0..1."""


Tone = tuple[int, ...]


class Canvas:
    """A scene being painted, twice as fine as the camera's picture: textures first, then solid things."""

    def __init__(self, seed: int) -> None:
        self.rng = np.random.default_rng(seed)
        height, width = HEIGHT * _OVERSAMPLE, WIDTH * _OVERSAMPLE
        self.shape = (height, width)
        row, column = np.mgrid[0:height, 0:width].astype(np.float32)
        ray_x = (column / _OVERSAMPLE - WIDTH / 2) / FOCAL_PX
        ray_d = (row / _OVERSAMPLE - HEIGHT / 2) / FOCAL_PX
        up = -ray_d * np.cos(TILT_RAD) - np.sin(TILT_RAD)
        ahead = -ray_d * np.sin(TILT_RAD) + np.cos(TILT_RAD)
        self.row = row / _OVERSAMPLE
        self.ground: NDArray[np.bool_] = up < -1e-3
        reach = np.where(self.ground, CAMERA_HEIGHT_M / np.maximum(-up, 1e-3), 1e4)
        self.x = (reach * ray_x).astype(np.float32)
        self.z = (reach * ahead).astype(np.float32)
        self.horizon = HEIGHT / 2 - FOCAL_PX * np.tan(TILT_RAD)
        self.colour = np.zeros((height, width, 3), np.float32)
        self.water = np.zeros(self.shape, np.float32)
        self.reeds = np.zeros(self.shape, np.float32)
        self.distance = np.where(self.ground, np.hypot(self.z, CAMERA_HEIGHT_M), 200.0).astype(np.float32)
        self._image: Image.Image | None = None
        self._pen: ImageDraw.ImageDraw | None = None

    def noise(self, *octaves: tuple[int, int]) -> Picture:
        """Smooth noise over the whole canvas."""
        return cloud(self.rng, self.shape, octaves)

    def ground_noise(self, tile_m: float, *octaves: tuple[int, int]) -> Picture:
        """Noise that lies on the ground: drawn out by the perspective, fading with distance."""
        tile = cloud(self.rng, (512, 512), octaves)
        across = (self.x * (512 / tile_m)).astype(np.int64) % 512
        along = (self.z * (512 / tile_m)).astype(np.int64) % 512
        fade: Picture = np.clip(7.0 / self.z, 0.15, 1.0)
        lying: Picture = (tile[along, across] * np.where(self.ground, fade, 1.0)).astype(np.float32)
        return lying

    def fill(self, where: NDArray[np.bool_], base: Tone, texture: Picture, depth: float) -> None:
        """Fill an area with a tone and a texture of a given depth."""
        self.colour[where] = (np.array(base, np.float32) + depth * texture[..., None])[where]

    def sky(self, *, trees: Tone = (104, 116, 108)) -> None:
        """An overcast sky over a far line of trees."""
        rise = np.clip(1 - self.row / self.horizon, 0, 1)
        haze = self.noise((4, 5), (9, 11), (20, 24))
        sky = np.stack([206 - 30 * rise, 213 - 22 * rise, 220 - 10 * rise], axis=-1) + 6 * haze[..., None]
        self.colour[:] = sky
        outline = scipy.ndimage.gaussian_filter(cloud(self.rng, (1, self.shape[1]), ((1, 7), (1, 30), (1, 120)))[0], 7)
        wood = (self.row > self.horizon - 10 - 4 * outline[None, :]) & ~self.ground
        self.fill(wood, trees, self.noise((60, 100), (180, 320)), 9)

    def sea(self, begins_m: float) -> None:
        """Open water from a distance on."""
        far = np.clip((self.z - begins_m) / 60, 0, 1)[..., None]
        tone = np.array([92, 108, 114]) * (1 - far) + np.array([168, 178, 184]) * far
        wet = self.ground & (self.z > begins_m)
        self.colour[wet] = (tone + 5 * self.noise((24, 6), (90, 24), (240, 60))[..., None])[wet]
        self.water[wet] = 1

    def concrete(self, where: NDArray[np.bool_], *, tone: Tone = (150, 147, 140), joint_m: float = 2.4) -> None:
        """Slabs with joints."""
        slab = self.noise((20, 36), (80, 140), (300, 540))
        self.fill(where, tone, slab, 7)
        joints = (np.abs((self.x + 0.8) % joint_m) < 0.03) | (np.abs(self.z % joint_m - 0.1) < 0.03)
        self.colour[where & joints] *= 0.72
        self.water[where] = 0

    def planks(self, where: NDArray[np.bool_], along: Picture) -> None:
        """Boards across a direction given in boards."""
        number = np.floor(along).astype(int)
        tone = self.rng.normal(0, 7, 4096).astype(np.float32)[number % 4096]
        wood = np.array([142, 128, 110], np.float32) + tone[..., None] + 3 * self.noise((200, 60))[..., None]
        wood[(along - number) < 0.1] *= 0.7
        self.colour[where] = wood[where]
        self.water[where] = 0

    @property
    def image(self) -> Image.Image:
        """The textures as an image, for drawing solid things on."""
        if self._image is None:
            self._image = Image.fromarray(np.clip(self.colour, 0, 255).astype(np.uint8))
        return self._image

    def pen(self) -> ImageDraw.ImageDraw:
        """Draws solid things; from now on the textures are fixed."""
        if self._pen is None:
            self._pen = ImageDraw.Draw(self.image, "RGBA")
        return self._pen

    def quad(self, corners: Sequence[tuple[float, float, float]], fill: Tone) -> None:
        """A flat face given by its corners (x, y, z) in metres."""
        self.pen().polygon([at(*c) for c in corners], fill=fill)

    def rod(self, start: tuple[float, float, float], end: tuple[float, float, float], fill: Tone, width: int) -> None:
        """A straight line between two points in metres."""
        self.pen().line([at(*start), at(*end)], fill=fill, width=width)

    def boards(self, x: float, near: float, far: float, height: float, tone: Tone, *, step: float = 0.22) -> None:
        """A wall of upright boards along the view, at a side."""
        for z in np.arange(near, far, step):
            shade = int(self.rng.normal(0, 7))
            face = ((x, 0, z), (x, 0, z + step * 0.92), (x, height, z + step * 0.92), (x, height, z))
            self.quad(face, tuple(c + shade for c in tone))

    def facing(
        self, left: float, right: float, z: float, height: float, tone: Tone, *, rows: int = 1, columns: int = 1
    ) -> None:
        """A wall facing the camera, in bricks or panels of slightly different tone."""
        ys, xs = np.linspace(0, height, rows + 1), np.linspace(left, right, columns + 1)
        for r in range(rows):
            shift = (r % 2) * (xs[1] - xs[0]) / 2 if rows > 3 else 0.0
            for c in range(columns):
                shade = int(self.rng.normal(0, 6))
                x0, x1 = max(left, xs[c] - shift), min(right, xs[c + 1] - shift) if c < columns - 1 else right
                self.quad(
                    ((x0, ys[r], z), (x1, ys[r], z), (x1, ys[r + 1], z), (x0, ys[r + 1], z)),
                    tuple(t + shade for t in tone),
                )

    def plants(self, box: tuple[float, float, float, float], tall: tuple[float, float], tone: Tone, count: int) -> None:
        """Blades rooted in an area (x from, x to, z from, z to); they sway in the wind."""
        left, right, near, far = box
        mark = Image.new("L", self.image.size, 0)
        marker, draw = ImageDraw.Draw(mark), self.pen()
        for _ in range(count):
            x, z = self.rng.uniform(left, right), self.rng.uniform(near, far)
            height, lean = self.rng.uniform(*tall), self.rng.normal(0.05, 0.12)
            root, tip = at(x, 0, z), at(x + lean, height, z)
            shade = int(self.rng.normal(0, 16))
            fill = (tone[0] + shade, tone[1] + shade, tone[2] + shade // 2)
            draw.line([root, tip], fill=fill, width=int(self.rng.integers(2, 5)))
            marker.line([root, tip], fill=255, width=14)
        soft = scipy.ndimage.gaussian_filter(np.asarray(mark, np.float32) / 255, 9)
        lowest = min(HEIGHT, project(0, 0, near)[1])
        bend = np.clip((lowest - self.row) / 170, 0, 1)
        self.reeds = np.maximum(self.reeds, np.clip(soft * 1.3, 0, 1).astype(np.float32) * bend)

    def still(self, *, haze: float = 0.35) -> Still:
        """The finished scene, paler with distance (haze 0..1) and darker towards the lens's corners."""
        solid = np.array(self.image, np.float32)
        covered = np.abs(solid - np.clip(self.colour, 0, 255).astype(np.uint8)).sum(axis=-1) > 3
        self.water[covered] = 0
        small = self.image.filter(ImageFilter.GaussianBlur(0.9)).resize((WIDTH, HEIGHT), Image.Resampling.BOX)

        def shrink(layer: Picture) -> Picture:
            fine = layer.reshape(HEIGHT, _OVERSAMPLE, WIDTH, _OVERSAMPLE)
            return np.asarray(fine.mean(axis=(1, 3)), np.float32)

        far = shrink(self.distance)
        veil = haze * (1 - np.exp(-far / 70))[..., None]
        air = np.asarray(small, np.float32) * (1 - veil) + np.array([204, 210, 216], np.float32) * veil
        row, column = np.mgrid[-1 : 1 : HEIGHT * 1j, -1 : 1 : WIDTH * 1j]
        lens = (1 - 0.16 * (row**2 + column**2) ** 1.5 / 2)[..., None].astype(np.float32)
        grain = 2.2 * cloud(self.rng, (HEIGHT, WIDTH), ((180, 320),))[..., None]

        return Still((air * lens + grain).astype(np.float32), far, shrink(self.water), shrink(self.reeds))


def at(x: float, y: float, z: float) -> tuple[float, float]:
    """Where a point (metres) lies on the canvas."""
    u, v, _ = project(x, y, z)
    return u * _OVERSAMPLE, v * _OVERSAMPLE
