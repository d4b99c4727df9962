"""Which clips of a camera help each other with their backgrounds; docs/motion-model.md step 1.

The choice is a rule over the clips that there are: the order in which they came, and how many were measured at a time,
make no difference.
"""

from __future__ import annotations

import hashlib
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from datetime import UTC, datetime
from typing import NamedTuple
from zoneinfo import ZoneInfo

DAY_S = 86400.0
HOUR_S = 3600.0
MOST_CLIPS = 9
MOST_SNAPSHOTS = 12
ALTERED = "+"
"""Ends the key of those that helped where their help changed the trace."""


class ClipLook(NamedTuple):
    """A clip that was looked at by itself."""

    id: int
    """Number in the project."""
    digest: str
    """SHA-256 of the file, which orders clips of the same time."""
    wall_s: float
    """Start by the site's wall clock, seconds, from wall_seconds()."""
    snapshot: bool
    """Whether it is a single picture."""
    helped: str = ""
    """Key of those that helped it, with ALTERED where that changed its trace; empty for none."""
    final: bool = False
    """Whether it counts already."""
    model: int = 0
    """Version of the motion model that measured it."""

    @property
    def helped_by(self) -> str:
        """Key of those that helped it."""
        return self.helped.removesuffix(ALTERED)

    @property
    def altered(self) -> bool:
        """Whether that changed its trace."""
        return self.helped.endswith(ALTERED)


def wall_seconds(posix_s: float, zone: ZoneInfo) -> float:
    """A moment as seconds of the site's wall clock, so that times of day can be held against each other by numbers."""
    offset = datetime.fromtimestamp(posix_s, UTC).astimezone(zone).utcoffset()
    return posix_s + (offset.total_seconds() if offset else 0.0)


def helpers(looks: Sequence[ClipLook]) -> dict[int, tuple[int, ...]]:
    """For each clip those that help it: within an hour of its time of day, from the nearest days.

    Clips are helped by up to MOST_CLIPS other clips, snapshots by up to MOST_SNAPSHOTS others besides.

    Args:
        looks: Clips of one camera, in any order.

    Returns:
        By clip id, the nearest first.
    """
    clips, stills = (
        sorted((x for x in looks if x.snapshot is still), key=lambda x: (x.wall_s, x.digest)) for still in (False, True)
    )
    starts = [x.wall_s for x in clips], [x.wall_s for x in stills]
    by_clip = {}
    for one in looks:
        chosen = _nearest(one, clips, starts[0], MOST_CLIPS)
        if one.snapshot:
            chosen = _nearest(one, stills, starts[1], MOST_SNAPSHOTS) + chosen
        by_clip[one.id] = tuple(x.id for x in chosen)
    return by_clip


def key_of(helping: Sequence[ClipLook]) -> str:
    """A short key of those that help, the same whenever they are the same; empty for none."""
    text = " ".join(x.digest for x in helping)
    return hashlib.sha256(text.encode()).hexdigest()[:16] if helping else ""


def _nearest(one: ClipLook, others: Sequence[ClipLook], starts: Sequence[float], most: int) -> list[ClipLook]:
    """Those of the same hour of the day, nearest in time: day by day outwards, until nothing nearer can come."""
    if not others:
        return []
    near: list[ClipLook] = []
    days = 0
    last = max(abs(others[0].wall_s - one.wall_s), abs(others[-1].wall_s - one.wall_s)) / DAY_S + 1
    while days <= last:
        for shift in {-days, days}:
            middle = one.wall_s + shift * DAY_S
            low, high = bisect_left(starts, middle - HOUR_S), bisect_right(starts, middle + HOUR_S)
            near += [x for x in others[low:high] if x.id != one.id]
        if len(near) >= most:
            break
        days += 1
    near.sort(key=lambda x: (abs(x.wall_s - one.wall_s), x.wall_s, x.digest))
    return near[:most]
