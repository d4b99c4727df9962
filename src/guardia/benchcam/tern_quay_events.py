"""What happens at Tern Quay: somebody comes, drives, flies or stays, each by chance of the scene's own."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from guardia.benchcam.actors import Actor, Colour, Gull, Van, Walker
from guardia.benchcam.place import Line, Place

WALK_TEST_S = 70.0

_COATS: tuple[Colour, ...] = ((178, 58, 48), (50, 74, 118), (206, 168, 60), (70, 92, 70), (48, 48, 52), (150, 150, 156))
_PAINTS: tuple[Colour, ...] = ((224, 224, 218), (62, 86, 120), (164, 60, 50))


@dataclass(frozen=True)
class Event:
    """One thing that happens, on the scene's clock (seconds from FIRST_DAY's midnight)."""

    kind: str
    """Id of the judgement that is right for it."""
    begin_s: float
    """First moment it can be seen."""
    end_s: float
    """Last moment."""
    actors: tuple[Actor, ...] = ()
    """What to draw; none for wind and glitter, which belong to the scene."""
    expected: bool = False
    """Somebody of the site on the usual way."""


def timed_way(line: Line, begin: float, speed: float) -> tuple[tuple[float, float, float], ...]:
    """A way walked or driven at a speed (m/s), as (seconds, x, z)."""
    timed, t = [(begin, *line[0])], begin
    for (x0, z0), (x1, z1) in pairwise(line):
        t += max(0.5, float(np.hypot(x1 - x0, z1 - z0)) / speed)
        timed.append((t, x1, z1))
    return tuple(timed)


def person_event(
    rng: np.random.Generator, place: Place, begin: float, *, night: bool = False, far: bool = False, run: bool = False
) -> Event:
    """Somebody on one of the place's ways."""
    line = place.far_line if far else place.lines[int(rng.integers(len(place.lines)))]
    if rng.random() < 0.5:
        line = tuple(reversed(line))
    shift = rng.uniform(-0.3, 0.3)
    path = timed_way(
        tuple((x + shift, z) for x, z in line), begin, rng.uniform(0.7, 1.1) if night else rng.uniform(1.1, 1.7)
    )
    if run:
        path = timed_way(line, begin, 3.4)
    carries = bool(rng.random() < (0.5 if place.parcels and not night else 0.25))
    person = Walker(
        path,
        height_m=float(rng.uniform(1.6, 1.88)),
        coat=_COATS[int(rng.integers(len(_COATS)))],
        carries=carries,
        crouch=night and bool(rng.random() < 0.4),
    )
    return Event("parcel" if carries and place.parcels else "person", begin, path[-1][0], (person,))


def far_work_event(*, day: int, hour: float) -> Event:
    """Somebody at work for twelve minutes at the hall's far end, in slow short steps."""
    begin = day * 86400 + hour * 3600
    steps = np.random.default_rng(day)
    path = tuple((begin + 20.0 * n, float(steps.uniform(-2, 2)), float(steps.uniform(23, 25))) for n in range(37))
    return Event("person", begin, path[-1][0], (Walker(path, height_m=1.7, coat=_COATS[2]),))


def drive_event(rng: np.random.Generator, line: Line, begin: float, kind: str) -> Event:
    """A vehicle along a line: one that delivers, or one that only passes."""
    speed = 8.0 if kind == "other_false" else 2.2
    path = timed_way(line, begin, speed)
    if kind == "vehicle" and line[0][1] != line[-1][1]:
        # In, a while at the far end, and out again.
        end = path[-1][0]
        path = (
            *path,
            (end + 3.0, *line[-1]),
            *((end + 3.0 + t - begin, x, z) for t, x, z in timed_way(line[::-1], begin, speed)[1:]),
        )
    van = Van(path, _PAINTS[int(rng.integers(len(_PAINTS)))], trailer=kind == "vehicle" and bool(rng.random() < 0.4))
    return Event(kind, begin, path[-1][0], (van,))


def gull_event(rng: np.random.Generator, begin: float) -> Event:
    """A gull across the picture."""
    side = float(rng.choice([-1.0, 1.0]))
    z = float(rng.uniform(8.0, 14.0))
    speed = float(rng.uniform(4.0, 6.0))
    lasts = 1.5 * z / speed
    gull = Gull(begin, (-side * 0.75 * z, float(rng.uniform(0.8, 2.6)), z), (side * speed, 0.15, 0.0), lasts)
    return Event("animal", begin, begin + lasts, (gull,))


def four_legs_event(rng: np.random.Generator, begin: float) -> Event:
    """The yard's dog, or a cat."""
    dog = bool(rng.random() < 0.5)
    z, lasts = float(rng.uniform(5.6, 8.5)), 7.0 if dog else 9.0
    coat: Colour = (134, 104, 70) if dog else (96, 84, 72)
    animal = Walker(((begin, -4.2, z), (begin + lasts, 4.2, z)), 0.52 if dog else 0.3, coat, coat, four_legs=True)
    return Event("animal", begin, begin + lasts, (animal,))


def walk_test_event(place: Place, begin: float) -> Event:
    """A known person walks the place's ways one after another."""
    path: tuple[tuple[float, float, float], ...] = ()
    t = begin + 4
    for line in (*place.lines[:3], place.far_line):
        part = timed_way(line, t, 1.5)
        path += part
        t = part[-1][0] + 3.0
    stop = begin + WALK_TEST_S - 2
    path = tuple(p for p in path if p[0] < stop)
    return Event("person", path[0][0], path[-1][0], (Walker(path, height_m=1.75, coat=(206, 168, 60)),))
