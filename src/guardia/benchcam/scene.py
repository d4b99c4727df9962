"""The still scene of the pontoon gate: a quay, a walkway on water, moored boats, seen from a pole.

World coordinates in metres: x to the right, y up, z away from the camera along the ground.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray
from PIL import Image, ImageDraw, ImageFilter
from scipy.ndimage import gaussian_filter, zoom

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
        fine = zoom(coarse, (shape[0] / rows, shape[1] / columns), order=1)[: shape[0], : shape[1]]
        total += (fine / 2**index).astype(np.float32)
    result: Picture = (total - total.mean()) / total.std()
    return result


@dataclass(frozen=True, eq=False)
class Still:
    """The scene without anything that moves.

    Parameters
    ----------
    colour
        (H, W, 3) float32, 0..255.
    distance_m
        (H, W) float32, distance along the ground; large for the sky.
    water
        (H, W) float32, 1 where open water is seen.
    reeds
        (H, W) float32, how far reeds give way to the wind, 0..1.
    """

    colour: Picture
    distance_m: Picture
    water: Picture
    reeds: Picture


def pontoon_gate(seed: int = 7) -> Still:
    """Build the scene.

    Parameters
    ----------
    seed
        For the textures.

    Returns
    -------
    Still
        By daylight, overcast.
    """
    rng = np.random.default_rng(seed)
    k = _OVERSAMPLE
    height, width = HEIGHT * k, WIDTH * k
    v, u = np.mgrid[0:height, 0:width].astype(np.float32)
    ray_x = (u / k - WIDTH / 2) / FOCAL_PX
    ray_d = (v / k - HEIGHT / 2) / FOCAL_PX
    up = -ray_d * np.cos(TILT_RAD) - np.sin(TILT_RAD)
    ahead = -ray_d * np.sin(TILT_RAD) + np.cos(TILT_RAD)
    ground = up < -1e-3
    reach = np.where(ground, CAMERA_HEIGHT_M / np.maximum(-up, 1e-3), 1e4)
    x, z = (reach * ray_x).astype(np.float32), (reach * ahead).astype(np.float32)
    colour = np.zeros((height, width, 3), np.float32)

    horizon = HEIGHT / 2 - FOCAL_PX * np.tan(TILT_RAD)
    rise = np.clip(1 - v / k / horizon, 0, 1)
    haze = cloud(rng, (height, width), ((4, 5), (9, 11), (20, 24)))
    sky = np.stack([206 - 30 * rise, 213 - 22 * rise, 220 - 10 * rise], axis=-1) + 6 * haze[..., None]
    colour[:] = sky
    hill = horizon - 10 - 4 * gaussian_filter(cloud(rng, (1, width), ((1, 7), (1, 30), (1, 120)))[0], 7)
    trees = (v / k > hill[None, :]) & ~ground
    bark = cloud(rng, (height, width), ((60, 100), (180, 320)))
    colour[trees] = (np.array([104, 116, 108]) + 9 * bark[..., None])[trees]

    fine = cloud(rng, (height, width), ((24, 6), (90, 24), (240, 60)))
    depth = np.clip((z - 7) / 60, 0, 1)[..., None]
    colour[ground] = (np.array([92, 108, 114]) * (1 - depth) + np.array([168, 178, 184]) * depth + 5 * fine[..., None])[
        ground
    ]
    water = (ground & (z > 7.6)).astype(np.float32)

    for side, at in ((-1, 13.5), (1, 13.5), (-1, 21.0), (1, 21.0), (-1, 31.0), (1, 31.0)):
        finger = (abs(z - at) < 0.45) & (side * x > 0.8) & (side * x < 7.0)
        _planks(colour, finger, x * 6, rng)
        water[finger] = 0
    walkway = ground & (abs(x - 0.1) < 1.45) & (z > 7.4) & (z < 46)
    _planks(colour, walkway, z * 5, rng)
    edge = walkway & (abs(x - 0.1) > 1.32)
    colour[edge] *= 0.62
    water[walkway] = 0
    quay = ground & (z <= 7.6)
    slab = cloud(rng, (height, width), ((20, 36), (80, 140), (300, 540)))
    concrete = np.array([150, 147, 140]) + 7 * slab[..., None]
    joints = (np.abs((x + 0.8) % 2.4) < 0.03) | (np.abs(z % 2.4 - 0.1) < 0.03)
    concrete[joints] *= 0.72
    colour[quay] = concrete[quay]
    lip = ground & (z > 7.35) & (z <= 7.6) & ~walkway
    colour[lip] = colour[lip] * 0.4 + np.array([60, 62, 60]) * 0.6

    canvas = Image.fromarray(np.clip(colour, 0, 255).astype(np.uint8))
    draw = ImageDraw.Draw(canvas, "RGBA")
    hulls = (
        (-5.0, 27.5, (226, 226, 220)),
        (5.4, 27.0, (58, 82, 112)),
        (-4.6, 17.6, (70, 92, 88)),
        (5.0, 17.0, (222, 218, 206)),
    )
    for hx, hz, paint in hulls:
        _boat(draw, hx, hz, paint)
    _shed(draw, rng)
    _gate(draw)
    _pole(draw)
    solid = np.array(canvas, np.float32)
    covered = np.abs(solid - np.clip(colour, 0, 255).astype(np.uint8)).sum(axis=-1) > 3
    water[covered] = 0
    reeds = _reeds(canvas, rng)
    blurred = canvas.filter(ImageFilter.GaussianBlur(0.9))
    small = blurred.resize((WIDTH, HEIGHT), Image.Resampling.BOX)
    still = np.asarray(small, np.float32) + 2.2 * cloud(rng, (HEIGHT, WIDTH), ((180, 320),))[..., None]

    def shrink(layer: Picture) -> Picture:
        small_layer: Picture = layer.reshape(HEIGHT, k, WIDTH, k).mean(axis=(1, 3)).astype(np.float32)
        return small_layer

    distance = np.where(ground, np.hypot(z, CAMERA_HEIGHT_M), 200.0).astype(np.float32)
    return Still(still, shrink(distance), shrink(water), shrink(reeds))


def _planks(colour: Picture, where: NDArray[np.bool_], along: Picture, rng: np.random.Generator) -> None:
    number = np.floor(along).astype(int)
    tone = rng.normal(0, 7, 4096).astype(np.float32)[number % 4096]
    gap = (along - number) < 0.1
    wood = (
        np.array([142, 128, 110], np.float32) + tone[..., None] + 3 * cloud(rng, along.shape, ((200, 60),))[..., None]
    )
    wood[gap] *= 0.7
    colour[where] = wood[where]


def _at(x: float, y: float, z: float) -> tuple[float, float]:
    u, v, _ = project(x, y, z)
    return u * _OVERSAMPLE, v * _OVERSAMPLE


def _boat(draw: ImageDraw.ImageDraw, x: float, z: float, paint: tuple[int, int, int]) -> None:
    """A moored sailing boat, bow towards the walkway, with its reflection."""
    side = 1 if x > 0 else -1
    bow, stern = x - side * 2.9, x + side * 2.9
    dark = tuple(int(c * 0.55) for c in paint)
    draw.polygon(
        [_at(bow, 0.0, z), _at(stern, 0.0, z), _at(stern, -0.55, z), _at(bow + side, -0.6, z)], fill=(*dark, 110)
    )
    draw.polygon(
        [_at(bow, 0.95, z), _at(stern, 0.8, z), _at(stern - side * 0.2, 0, z), _at(bow + side * 0.7, 0, z)], fill=paint
    )
    draw.polygon(
        [
            _at(bow + side * 0.35, 0.42, z),
            _at(stern, 0.34, z),
            _at(stern - side * 0.2, 0, z),
            _at(bow + side * 0.7, 0, z),
        ],
        fill=dark,
    )
    cabin = [
        _at(x - side * 1.2, 0.9, z),
        _at(x - side * 0.8, 1.3, z),
        _at(x + side * 1.1, 1.3, z),
        _at(x + side * 1.3, 0.85, z),
    ]
    draw.polygon(cabin, fill=(232, 230, 224))
    draw.line([_at(x - side * 0.6, 1.13, z), _at(x + side * 0.9, 1.1, z)], fill=(60, 70, 80), width=4)
    mast = x - side * 0.4
    draw.line([_at(mast, 1.2, z), _at(mast, 9.5, z)], fill=(198, 198, 194), width=4)
    draw.line([_at(mast, 2.2, z), _at(x + side * 2.3, 2.1, z)], fill=(120, 116, 108), width=6)
    for foot in (bow, stern):
        draw.line([_at(foot, 0.95, z), _at(mast, 9.5, z)], fill=(120, 122, 122, 170), width=1)
    draw.line([_at(mast, -0.1, z), _at(mast, -3.0, z)], fill=(180, 184, 184, 70), width=5)


def _shed(draw: ImageDraw.ImageDraw, rng: np.random.Generator) -> None:
    """A boarded store on the right, side wall towards the camera's axis."""
    near, far, wall = 4.6, 11.0, 3.9
    draw.polygon([_at(wall, 0, near), _at(wall, 0, far), _at(wall, 2.7, far), _at(wall, 2.7, near)], fill=(122, 84, 72))
    for board in np.arange(near, far, 0.22):
        tone = int(rng.normal(0, 7))
        draw.polygon(
            [_at(wall, 0, board), _at(wall, 0, board + 0.2), _at(wall, 2.7, board + 0.2), _at(wall, 2.7, board)],
            fill=(122 + tone, 84 + tone, 72 + tone),
        )
    draw.polygon(
        [_at(wall, 0.02, 7.2), _at(wall, 0.02, 8.2), _at(wall, 2.05, 8.2), _at(wall, 2.05, 7.2)], fill=(66, 74, 82)
    )
    draw.polygon(
        [
            _at(wall - 0.25, 2.7, near),
            _at(wall - 0.25, 2.7, far + 0.2),
            _at(wall + 3, 3.9, far + 0.2),
            _at(wall + 3, 3.9, near),
        ],
        fill=(92, 94, 98),
    )
    draw.line([_at(wall - 0.25, 2.7, near), _at(wall - 0.25, 2.7, far + 0.2)], fill=(58, 60, 64), width=6)
    draw.polygon(
        [_at(wall, 0, near), _at(wall, 0, far), _at(wall - 0.5, 0, far), _at(wall - 0.7, 0, near)],
        fill=(20, 22, 26, 60),
    )


def _gate(draw: ImageDraw.ImageDraw) -> None:
    z = 8.0
    for left, right in ((-2.9, -1.35), (1.55, 3.0)):
        for bar in np.linspace(left, right, 12):
            draw.line([_at(bar, 0.05, z), _at(bar, 1.9, z)], fill=(78, 84, 88, 150), width=2)
        for y in (0.1, 1.0, 1.9):
            draw.line([_at(left, y, z), _at(right, y, z)], fill=(70, 76, 80), width=4)
    for post in (-1.35, 1.55):
        draw.line([_at(post, 0, z), _at(post, 2.3, z)], fill=(52, 58, 62), width=12)
        draw.line([_at(post + 0.03, 0, z), _at(post + 0.03, 2.3, z)], fill=(110, 116, 120), width=3)
    draw.polygon(
        [_at(-2.75, 1.75, z), _at(-1.75, 1.75, z), _at(-1.75, 1.2, z), _at(-2.75, 1.2, z)], fill=(226, 224, 214)
    )
    for y in (1.6, 1.48, 1.36):
        draw.line([_at(-2.6, y, z), _at(-1.95, y, z)], fill=(70, 90, 100), width=3)


def _pole(draw: ImageDraw.ImageDraw) -> None:
    draw.line([_at(-3.7, 0, 9.0), _at(-3.7, 5.5, 9.0)], fill=(214, 214, 210), width=6)
    draw.line([_at(-3.67, 0, 9.0), _at(-3.67, 5.5, 9.0)], fill=(130, 132, 132), width=2)


def _reeds(canvas: Image.Image, rng: np.random.Generator) -> Picture:
    """Draw reeds at the lower left; returns how far each pixel may sway."""
    draw = ImageDraw.Draw(canvas, "RGBA")
    mark = Image.new("L", canvas.size, 0)
    marker = ImageDraw.Draw(mark)
    for _ in range(620):
        x, z = rng.uniform(-5.2, -3.1), rng.uniform(5.6, 7.4)
        tall, lean = rng.uniform(0.6, 1.35), rng.normal(0.05, 0.12)
        root, tip = _at(x, 0, z), _at(x + lean, tall, z)
        shade = int(rng.normal(0, 16))
        draw.line([root, tip], fill=(118 + shade, 124 + shade, 78 + shade // 2), width=int(rng.integers(2, 5)))
        marker.line([root, tip], fill=255, width=14)
    soft = gaussian_filter(np.asarray(mark, np.float32) / 255, 9)
    v = np.mgrid[0 : canvas.size[1], 0 : canvas.size[0]][0] / _OVERSAMPLE
    bend = np.clip((HEIGHT - v) / 170, 0, 1)
    give: Picture = np.clip(soft * 1.3, 0, 1).astype(np.float32) * bend.astype(np.float32)
    return give
