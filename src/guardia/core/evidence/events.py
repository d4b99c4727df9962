"""What a camera's own lists say: events with the class it named and whether it alerted, and boxes around objects."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.errors import InvalidValue


@dataclass(frozen=True)
class CameraEvent:
    """One entry of a camera's event list."""

    at_s: float
    """Beginning, POSIX seconds."""
    duration_s: float | None = None
    """Length in seconds, None when the list does not say."""
    named: str = ""
    """Class that the camera named, in lower case; empty when it named none."""
    alert: bool | None = None
    """Whether an alert was sent, None when the list does not say."""
    zone: str = ""
    """The camera's name of the zone, empty when it named none."""
    cause: str = ""
    """Why it recorded, one of evidence.Cause's values, empty when the list does not say."""


@dataclass(frozen=True)
class ColumnMapping:
    """Which column means what; an empty name means that the list does not say it."""

    time: str
    """Beginning of the event."""
    form: str
    """Code of the form of that time, see core.clock.TIME_FORMS."""
    date: str = ""
    """Column of the date when `time` holds only the time of day; both are joined by a blank."""
    duration: str = ""
    """Length in seconds or h:mm:ss."""
    named: str = ""
    """Class that the camera named."""
    alert: str = ""
    """Whether an alert was sent."""
    zone: str = ""
    """Name of the zone."""
    cause: str = ""
    """Why it was recorded: motion, sound, button and so on."""
    clock: str = ""
    """IANA name of the zone of times that name none themselves; empty for the site's."""


NEAR_S = 0.3
"""Boxes this close to a moment are shown with it."""


@dataclass(frozen=True, eq=False)
class Boxes:
    """Boxes around objects over time; all arrays of length N, in order of time."""

    times_s: NDArray[np.float64]
    """(N,) float64: seconds on the clip's clock, or POSIX seconds before the boxes are put to a clip."""
    object_id: NDArray[np.int64]
    """(N,) int64, the same for one thing followed through time."""
    box: NDArray[np.float64]
    """(N, 4) float64: left, top, width, height as shares of the picture, 0..1."""
    named: dict[int, str]
    """Class of each object id, in lower case, where one was named."""

    def __post_init__(self) -> None:
        count = len(self.times_s)
        if len(self.object_id) != count or self.box.shape != (count, 4):
            raise InvalidValue("Boxes need as many times and object numbers as boxes.")
        if count and not (np.isfinite(self.box).all() and np.isfinite(self.times_s).all()):
            raise InvalidValue("A box holds a number that is not finite.")

    def at(self, moment_s: float) -> list[tuple[tuple[float, float, float, float], str]]:
        """Boxes (left, top, width, height) of the moment nearest to one, each with its class; none beyond NEAR_S."""
        off = np.abs(self.times_s - moment_s)
        if not len(off) or off.min() > NEAR_S:
            return []
        chosen = np.flatnonzero(self.times_s == self.times_s[off.argmin()])
        return [(tuple(self.box[n].tolist()), self.named.get(int(self.object_id[n]), "")) for n in chosen]

    def between(self, start_s: float, end_s: float, *, zero_s: float = 0.0) -> Boxes:
        """The boxes of a stretch of time, its clock counted from `zero_s`."""
        low, high = np.searchsorted(self.times_s, [start_s, end_s])
        part = slice(int(low), int(high))
        there = set(self.object_id[part].tolist())
        named = {i: n for i, n in self.named.items() if i in there}
        return Boxes(self.times_s[part] - zero_s, self.object_id[part], self.box[part], named)


EVENT_TOLERANCE_S = 2.0
"""An event this close to an occurrence is still about it: lists give whole seconds and clips have a pre-record."""


def event_of(events: list[CameraEvent], begin_s: float, end_s: float) -> CameraEvent | None:
    """The event that is about a stretch of time: the one that overlaps it longest, one that names a class first.

    Args:
        events: Any events; their order does not matter.
        begin_s: POSIX seconds.
        end_s: POSIX seconds.

    Returns:
        The event, None when none comes within EVENT_TOLERANCE_S.
    """
    best: CameraEvent | None = None
    most = (False, -np.inf)
    for event in events:
        overlap = min(end_s, event.at_s + (event.duration_s or 0.0)) - max(begin_s, event.at_s)
        if overlap >= -EVENT_TOLERANCE_S and (bool(event.named), overlap) > most:
            best, most = event, (bool(event.named), overlap)
    return best
