"""Mobile data and the line: what is sent in a month, when the allowance is used up, who goes without first."""

from __future__ import annotations

import calendar
import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from guardia.core.storage.figure import Figure, Source, exactly, product, total


def sent_a_day(clips_gb: Figure, snapshots_gb: Figure | None, live_min: Figure, rate: Figure) -> Figure:
    """GB sent a day: clips, snapshots, live looks.

    Args:
        clips_gb: Of recordings, GB a day.
        snapshots_gb: Of snapshots, likewise; None without any.
        live_min: Minutes of live looks a day.
        rate: Mbit/s of a live look.

    Returns:
        GB a day by cause.
    """
    live = product("live looks", "GB", live_min, rate, factor=60 / 8000)
    return total("sent a day", "GB", clips_gb, *([snapshots_gb] if snapshots_gb is not None else []), live)


def month_days(today: date, begins: int) -> tuple[date, date]:
    """First day of the data month in which a date lies, and of the next one."""
    first = today.replace(day=begins)
    if first > today:
        first = (today.replace(day=1) - timedelta(days=1)).replace(day=begins)
    # No data month begins after the 28th, so one month's days later is the same day of the next.
    return first, first + timedelta(days=calendar.monthrange(first.year, first.month)[1])


def runs_out(used_gb: float, on: date, ends: date, a_day: Figure, allowance_gb: float) -> date | None:
    """The day on which an allowance is used up.

    Args:
        used_gb: Used so far in this data month.
        on: The day on which that was read.
        ends: First day of the next data month.
        a_day: GB a day.
        allowance_gb: GB a month.

    Returns:
        None if it lasts.
    """
    if a_day.value <= 0:
        return None
    left = max(0.0, allowance_gb - used_gb) / a_day.value
    day = on + timedelta(days=math.floor(min(left, 10000)))
    return day if day < ends else None


@dataclass(frozen=True)
class OnLine:
    """One camera on the line."""

    name: str
    """The camera."""
    rate: Figure
    """Mbit/s that it sends while it sends."""


def line_load(cameras: Sequence[OnLine]) -> Figure:
    """Upload that all cameras need at once, Mbit/s."""
    if not cameras:
        return exactly("all cameras at once", 0.0, "Mbit/s", Source.MEASURED)
    return total("all cameras at once", "Mbit/s", *(c.rate for c in cameras))


def goes_without(cameras: Sequence[OnLine], upload: Figure) -> list[str]:
    """Cameras that the line does not carry when all send at once; they are served in the order of the site."""
    left, without = upload.value, []
    for camera in cameras:
        if camera.rate.value <= left:
            left -= camera.rate.value
        else:
            without.append(camera.name)
    return without
