"""What a place of the bench camera is: its still scene, the ways of its people and vehicles, its camera."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from guardia.benchcam.scene import Still
from guardia.core.make.settings import Settings

Line = tuple[tuple[float, float], ...]
"""Points (x, z) on the ground, metres, from near to far."""


@dataclass(frozen=True)
class Place:
    """One camera's place."""

    slug: str
    """Short name for files."""
    name: str
    """The camera's name."""
    paint: Callable[[], Still]
    """Paints its still scene."""
    installed: Settings
    """The settings in force, with one mistake."""
    lines: tuple[Line, ...]
    """Ways that people walk."""
    far_line: Line
    """A way at the far end, hardly in reach."""
    drives: tuple[Line, ...] = ()
    """Ways that vehicles drive, none where none come."""
    false_drives: tuple[Line, ...] = ()
    """Ways of the traffic outside, which does not matter."""
    ropes: tuple[tuple[float, float], ...] = ()
    """Masts with loose ropes."""
    flag: bool = False
    """A flag on the pole."""
    sun_column: int | None = None
    """Where the water glitters, None for never."""
    open_air: bool = True
    """Wind, gulls and clouds come here."""
    parcels: bool = False
    """People bring parcels here."""
    names: tuple[str, ...] = ()
    """Classes that the camera names in its event list."""
    list_form: str = "table"
    """Form of its event list, see benchcam.event_list."""
    clock_error_s: float = 0.0
    """What its clock shows less the true time."""
    down: tuple[float, float] = (0.0, 0.0)
    """Stretch of the scene's clock in which it had no power."""
    full_from_s: float = math.inf
    """From then on its store is full and takes nothing more; its event list goes on."""
    staff: bool = False
    """The people who come on working days belong here."""
