"""The six places of Tern Quay, an invented boatyard, each painted as one still scene."""

from __future__ import annotations

import numpy as np

from guardia.benchcam.scene import Canvas, Still, Tone, at


def pontoon_gate() -> Still:
    """A quay, a gated walkway on the water, moored boats, a flag pole and reeds."""
    c = Canvas(7)
    c.sky()
    c.sea(7.6)
    for side, away in ((-1, 13.5), (1, 13.5), (-1, 21.0), (1, 21.0), (-1, 31.0), (1, 31.0)):
        c.planks((abs(c.z - away) < 0.45) & (side * c.x > 0.8) & (side * c.x < 7.0), c.x * 6)
    walkway = c.ground & (abs(c.x - 0.1) < 1.45) & (c.z > 7.4) & (c.z < 46)
    c.planks(walkway, c.z * 5)
    c.colour[walkway & (abs(c.x - 0.1) > 1.32)] *= 0.62
    c.concrete(c.ground & (c.z <= 7.6))
    lip = c.ground & (c.z > 7.35) & (c.z <= 7.6) & ~walkway
    c.colour[lip] = c.colour[lip] * 0.4 + 36
    for x, z, paint in (
        (-5.0, 27.5, (226, 226, 220)),
        (5.4, 27.0, (58, 82, 112)),
        (-4.6, 17.6, (70, 92, 88)),
        (5.0, 17.0, (222, 218, 206)),
    ):
        _moored(c, x, z, paint)
    c.quad(((3.9, 0, 4.6), (3.9, 0, 11), (3.4, 0, 11), (3.2, 0, 4.6)), (20, 22, 26, 60))
    c.boards(3.9, 4.6, 11.0, 2.7, (122, 84, 72))
    c.quad(((3.9, 0.02, 7.2), (3.9, 0.02, 8.2), (3.9, 2.05, 8.2), (3.9, 2.05, 7.2)), (66, 74, 82))
    c.quad(((3.65, 2.7, 4.6), (3.65, 2.7, 11.2), (6.9, 3.9, 11.2), (6.9, 3.9, 4.6)), (92, 94, 98))
    _fence(c, 8.0, ((-2.9, -1.35), (1.55, 3.0)))
    for post in (-1.35, 1.55):
        c.rod((post, 0, 8.0), (post, 2.3, 8.0), (52, 58, 62), 12)
    _notice(c, -2.75, -1.75, 8.0)
    _flag_pole(c)
    c.plants((-5.2, -3.1, 5.6, 7.4), (0.6, 1.35), (118, 124, 78), 620)
    return c.still()


def slipway() -> Still:
    """A ribbed ramp into the water between boats on trailers and reeds."""
    c = Canvas(21)
    c.sky()
    c.sea(15.0)
    grass = c.noise((40, 70), (160, 280), (360, 640))
    c.fill(c.ground & (c.z <= 15.0), (112, 118, 84), grass, 11)
    ramp = c.ground & (abs(c.x - 0.4) < 2.7) & (c.z < 17.5)
    c.concrete(ramp, tone=(158, 154, 146), joint_m=3.0)
    c.colour[ramp & (np.abs(c.z * 3 % 1) < 0.18)] *= 0.86
    wet = ramp & (c.z > 13.0)
    c.colour[wet] *= 0.7
    c.water[ramp] = 0
    _moored(c, 6.0, 24.0, (196, 84, 66))
    _moored(c, -6.5, 30.0, (222, 220, 212))
    for x, z, paint in ((-4.6, 9.2, (232, 230, 222)), (-4.9, 13.2, (46, 78, 104)), (5.0, 10.4, (206, 178, 92))):
        _on_trailer(c, x, z, paint)
    for x in (-2.5, 3.3):
        for z in (7.0, 10.0, 13.0):
            c.rod((x, 0, z), (x, 0.75, z), (226, 222, 210), 9)
            c.rod((x, 0.45, z), (x, 0.58, z), (160, 54, 46), 9)
    _flag_pole(c)
    c.plants((3.6, 6.6, 6.0, 8.6), (0.7, 1.5), (124, 126, 76), 700)
    return c.still()


def workshop_door() -> Still:
    """A gravel yard before a brick workshop with a large door and a stack of timber."""
    c = Canvas(33)
    c.sky()
    gravel = c.ground_noise(6.0, (40, 40), (128, 128), (256, 256))
    c.fill(c.ground, (146, 140, 130), gravel + 0.5 * c.noise((9, 16), (30, 60)), 9)
    tracks = c.ground & ((abs(c.x - 0.6) < 0.28) | (abs(c.x - 2.3) < 0.28))
    c.colour[tracks] *= 0.86
    c.quad(((-7, 0, 15.5), (7.5, 0, 15.5), (7.0, 0, 14.2), (-6.5, 0, 14.2)), (20, 20, 24, 70))
    c.facing(-6.5, 7.0, 15.5, 3.6, (140, 92, 76), rows=16, columns=34)
    c.quad(((-6.9, 3.6, 15.4), (7.4, 3.6, 15.4), (6.4, 5.4, 19), (-5.9, 5.4, 19)), (86, 90, 96))
    c.facing(-0.6, 3.2, 15.45, 2.9, (58, 84, 92), columns=8)
    c.facing(-4.3, -3.3, 15.45, 2.1, (84, 78, 70))
    c.quad(((-2.7, 1.2, 15.44), (-1.4, 1.2, 15.44), (-1.4, 2.2, 15.44), (-2.7, 2.2, 15.44)), (66, 82, 92))
    c.quad(((4.4, 1.2, 15.44), (5.8, 1.2, 15.44), (5.8, 2.2, 15.44), (4.4, 2.2, 15.44)), (66, 82, 92))
    for layer in range(5):
        for beam in range(4):
            y, z = 0.12 + 0.22 * layer, 8.2 + 0.3 * beam
            tone = int(c.rng.normal(0, 9))
            c.rod((-4.9, y, z), (-2.9, y, z), (170 + tone, 136 + tone, 94 + tone), 12)
    for x in (4.3, 5.0):
        c.facing(x - 0.3, x + 0.3, 9.4, 0.9, (64, 92, 118))
    _fence(c, 12.0, ((5.6, 8.5),))
    c.plants((5.2, 7.4, 10.5, 12.5), (0.5, 1.2), (92, 112, 70), 420)
    return c.still()


def fuel_berth() -> Still:
    """A quay's edge with a fuel pump, a shelter, bollards and open water."""
    c = Canvas(45)
    c.sky()
    c.sea(11.5)
    c.concrete(c.ground & (c.z <= 11.5), tone=(142, 142, 138), joint_m=3.6)
    lip = c.ground & (c.z > 11.0) & (c.z <= 11.5)
    c.colour[lip] = np.array([196, 170, 70]) + 5 * c.noise((90, 160))[lip][:, None]
    c.planks(c.ground & (abs(c.z - 17.0) < 0.6) & (c.x > -6), c.x * 6)
    _moored(c, 2.4, 20.5, (54, 70, 92))
    _moored(c, -4.8, 26.0, (214, 208, 190))
    c.quad(((1.3, 0, 9.6), (2.9, 0, 9.6), (2.6, 0, 8.6), (1.1, 0, 8.6)), (20, 22, 26, 70))
    c.facing(1.55, 2.35, 9.5, 1.75, (176, 64, 52))
    c.quad(((1.65, 1.05, 9.45), (2.25, 1.05, 9.45), (2.25, 1.5, 9.45), (1.65, 1.5, 9.45)), (222, 226, 222))
    c.rod((2.35, 1.2, 9.4), (2.75, 0.5, 9.4), (34, 34, 36), 7)
    for x in (0.9, 3.3):
        c.rod((x, 0, 9.9), (x, 2.9, 9.9), (96, 102, 106), 9)
    c.quad(((0.4, 2.9, 9.2), (3.9, 2.9, 9.2), (3.9, 3.2, 10.4), (0.4, 3.2, 10.4)), (208, 210, 206))
    for x in (-4.0, -1.2, 4.6):
        c.rod((x, 0, 10.9), (x, 0.5, 10.9), (54, 56, 58), 22)
    c.boards(-3.9, 5.0, 9.0, 2.6, (96, 104, 98))
    _flag_pole(c)
    return c.still()


def winter_store() -> Still:
    """Inside a hall: a concrete floor between boats under covers, a row of roof lights, a door at the end."""
    c = Canvas(57)
    c.colour[:] = 74
    c.concrete(c.ground & (c.z < 26), tone=(122, 120, 116), joint_m=4.0)
    c.facing(-7.5, 7.5, 26.0, 5.5, (98, 102, 104), columns=26)
    c.quad(((-7.5, 5.5, 26), (7.5, 5.5, 26), (7.5, 5.5, 2), (-7.5, 5.5, 2)), (66, 68, 72))
    for x in (-7.5, 7.5):
        c.boards(x, 4.0, 26.0, 5.5, (92, 96, 98), step=0.5)
    for z in np.arange(7.0, 26.0, 4.5):
        c.rod((-7.5, 5.4, z), (7.5, 5.4, z), (52, 54, 58), 9)
    c.facing(-1.2, 1.2, 25.9, 2.6, (142, 128, 96), columns=2)
    c.quad(((2.8, 1.6, 25.9), (4.6, 1.6, 25.9), (4.6, 2.8, 25.9), (2.8, 2.8, 25.9)), (196, 206, 212))
    covers: tuple[tuple[float, float, Tone], ...] = (
        (-4.2, 21.0, (70, 96, 120)),
        (4.3, 20.0, (104, 110, 90)),
        (-4.3, 14.2, (120, 112, 98)),
        (4.4, 13.2, (72, 92, 112)),
        (-4.6, 8.4, (86, 104, 96)),
    )
    for x, z, tone in covers:
        _covered(c, x, z, tone)
    c.distance[:] = np.where(c.ground, c.distance, 16)
    still = c.still(haze=0.0)
    row, column = np.mgrid[-1:1:360j, -1:1:640j].astype(np.float32)
    aisle = np.exp(-((column / 0.55) ** 2)) * np.clip(row + 0.75, 0, 1)
    still.colour[:] *= (1.02 + 0.42 * aisle)[..., None] * np.array([1.04, 1.0, 0.94], np.float32)
    return still


def office_step() -> Still:
    """A gravel path from a road to the office's door, between hedges."""
    c = Canvas(69)
    c.sky(trees=(92, 108, 92))
    lawn = c.ground_noise(9.0, (20, 20), (90, 90), (256, 256)) + 0.8 * c.noise((12, 30), (40, 110))
    c.fill(c.ground, (104, 120, 78), lawn, 8)
    path = c.ground & (abs(c.x - 0.2 - 0.015 * (c.z - 5) ** 1.5) < 1.0) & (c.z < 17.0)
    c.fill(path, (164, 156, 142), c.ground_noise(6.0, (40, 40), (128, 128), (256, 256)), 9)
    road = c.ground & (c.z > 19.0) & (c.z < 25.0)
    c.fill(road, (104, 106, 110), c.noise((100, 180), (360, 640)), 5)
    c.colour[road & (abs(c.z - 22.0) < 0.1) & (c.x % 3 < 1.6)] = 214
    c.fill(c.ground & (c.z > 17.6) & (c.z <= 19.0), (148, 146, 142), c.noise((90, 160)), 5)
    c.concrete(c.ground & (c.z < 6.2) & (abs(c.x) < 1.9), tone=(158, 154, 148), joint_m=0.9)
    c.boards(3.3, 4.4, 9.6, 2.9, (206, 202, 190), step=0.3)
    c.quad(((3.3, 0.05, 5.8), (3.3, 0.05, 6.8), (3.3, 2.1, 6.8), (3.3, 2.1, 5.8)), (56, 92, 84))
    c.quad(((3.3, 1.0, 7.6), (3.3, 1.0, 8.8), (3.3, 1.9, 8.8), (3.3, 1.9, 7.6)), (74, 92, 104))
    c.quad(((3.0, 2.9, 4.4), (3.0, 2.9, 9.8), (6.0, 4.0, 9.8), (6.0, 4.0, 4.4)), (112, 74, 62))
    c.rod((-1.5, 0, 16.5), (-1.5, 1.2, 16.5), (92, 70, 54), 10)
    c.rod((-1.5, 1.15, 16.5), (-0.4, 1.15, 16.5), (92, 70, 54), 6)
    for box, count in (((-6.5, -1.9, 15.5, 17.2), 700), ((2.6, 7.5, 15.5, 17.2), 620), ((-4.4, -2.6, 5.8, 9.5), 620)):
        c.plants(box, (0.7, 1.4), (82, 108, 64), count)
    return c.still()


def _moored(c: Canvas, x: float, z: float, paint: Tone) -> None:
    """A moored sailing boat, bow towards the middle, with its reflection."""
    side = 1 if x > 0 else -1
    bow, stern = x - side * 2.9, x + side * 2.9
    dark = tuple(int(p * 0.55) for p in paint)
    c.quad(((bow, 0, z), (stern, 0, z), (stern, -0.55, z), (bow + side, -0.6, z)), (*dark, 110))
    c.quad(((bow, 0.95, z), (stern, 0.8, z), (stern - side * 0.2, 0, z), (bow + side * 0.7, 0, z)), paint)
    c.quad(((bow + side * 0.35, 0.42, z), (stern, 0.34, z), (stern - side * 0.2, 0, z), (bow + side * 0.7, 0, z)), dark)
    cabin = ((x - side * 1.2, 0.9, z), (x - side * 0.8, 1.3, z), (x + side * 1.1, 1.3, z), (x + side * 1.3, 0.85, z))
    c.quad(cabin, (232, 230, 224))
    c.rod((x - side * 0.6, 1.13, z), (x + side * 0.9, 1.1, z), (60, 70, 80), 4)
    mast = x - side * 0.4
    c.rod((mast, 1.2, z), (mast, 9.5, z), (198, 198, 194), 4)
    c.rod((mast, 2.2, z), (x + side * 2.3, 2.1, z), (120, 116, 108), 6)
    for foot in (bow, stern):
        c.rod((foot, 0.95, z), (mast, 9.5, z), (120, 122, 122, 170), 1)
    c.rod((mast, -0.1, z), (mast, -3.0, z), (180, 184, 184, 70), 5)


def _on_trailer(c: Canvas, x: float, z: float, paint: Tone) -> None:
    """A small boat ashore on a trailer."""
    dark = tuple(int(p * 0.6) for p in paint)
    c.quad(
        ((x - 2.0, 0.02, z), (x + 2.0, 0.02, z), (x + 1.8, 0.02, z - 0.9), (x - 1.8, 0.02, z - 0.9)), (20, 22, 24, 80)
    )
    c.rod((x - 2.3, 0.35, z), (x + 2.0, 0.35, z), (92, 96, 98), 7)
    c.quad(((x - 2.1, 1.25, z), (x + 2.0, 1.15, z), (x + 1.9, 0.5, z), (x - 1.4, 0.45, z)), paint)
    c.quad(((x - 1.9, 0.8, z), (x + 1.95, 0.8, z), (x + 1.9, 0.5, z), (x - 1.4, 0.45, z)), dark)
    for wheel in (x + 0.3, x + 0.9):
        left, top = at(wheel - 0.26, 0.52, z - 0.05)
        right, bottom = at(wheel + 0.26, 0.0, z - 0.05)
        c.pen().ellipse([left, top, right, bottom], fill=(38, 38, 40))


def _covered(c: Canvas, x: float, z: float, tone: Tone) -> None:
    """A boat under a cover, on blocks."""
    c.quad(
        ((x - 1.9, 0.01, z), (x + 1.9, 0.01, z), (x + 1.7, 0.01, z - 1.2), (x - 1.7, 0.01, z - 1.2)), (12, 12, 14, 90)
    )
    for block in (-1.2, 0.0, 1.2):
        c.rod((x + block, 0, z - 0.1), (x + block, 0.5, z - 0.1), (110, 92, 70), 12)
    for n, y in enumerate(np.linspace(0.5, 2.3, 10)):
        shade = int(c.rng.normal(0, 5)) + 3 * n
        half = 2.0 - 0.13 * n if n > 4 else 1.8 + 0.05 * n
        face = ((x - half, y, z), (x + half, y, z), (x + half - 0.06, y + 0.2, z), (x - half + 0.06, y + 0.2, z))
        c.quad(face, tuple(t + shade for t in tone))
    for rope in (-1.0, 0.2, 1.2):
        c.rod((x + rope, 0.55, z - 0.02), (x + rope * 0.85, 2.45, z - 0.02), (206, 198, 176), 2)


def _fence(c: Canvas, z: float, parts: tuple[tuple[float, float], ...]) -> None:
    for left, right in parts:
        for bar in np.linspace(left, right, 12):
            c.rod((bar, 0.05, z), (bar, 1.9, z), (78, 84, 88, 150), 2)
        for y in (0.1, 1.0, 1.9):
            c.rod((left, y, z), (right, y, z), (70, 76, 80), 4)


def _notice(c: Canvas, left: float, right: float, z: float) -> None:
    c.quad(((left, 1.75, z), (right, 1.75, z), (right, 1.2, z), (left, 1.2, z)), (226, 224, 214))
    for y in (1.6, 1.48, 1.36):
        c.rod((left + 0.15, y, z), (right - 0.2, y, z), (70, 90, 100), 3)


def _flag_pole(c: Canvas) -> None:
    c.rod((-3.7, 0, 9.0), (-3.7, 5.5, 9.0), (214, 214, 210), 6)
    c.rod((-3.67, 0, 9.0), (-3.67, 5.5, 9.0), (130, 132, 132), 2)
