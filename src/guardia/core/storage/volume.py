"""What a camera writes in a day, by cause, and how long a store holds it."""

from __future__ import annotations

from dataclasses import dataclass

from guardia.core.storage.figure import Figure, Source, exactly, product, ratio, total

DAY_S = 86400.0
GB_PER_MBIT = 1 / 8000.0


@dataclass(frozen=True)
class Footage:
    """What goes into a store in a day."""

    light: Figure
    """Seconds recorded by day, a day."""
    dark: Figure
    """Seconds recorded in the dark, a day."""
    rate_light: Figure
    """Mbit/s by day."""
    rate_dark: Figure
    """Mbit/s in the dark."""
    snapshots: float = 0.0
    """Snapshots a day."""
    snapshot_size: Figure | None = None
    """Their size, kB."""
    second: Figure | None = None
    """Mbit/s of a second stream beside, None without one."""


def daily_volume(footage: Footage) -> Figure:
    """GB a day (10^9 bytes), its parts by cause.

    Args:
        footage: Seconds and rates.

    Returns:
        Sum over causes of seconds x rate / 8000, and of snapshots x size.
    """
    parts = [
        product("by day", "GB", footage.light, footage.rate_light, factor=GB_PER_MBIT),
        product("in the dark", "GB", footage.dark, footage.rate_dark, factor=GB_PER_MBIT),
    ]
    if footage.second is not None:
        seconds = total("recorded", "s", footage.light, footage.dark)
        parts.append(product("second stream", "GB", seconds, footage.second, factor=GB_PER_MBIT))
    if footage.snapshots and footage.snapshot_size is not None:
        count = exactly("snapshots a day", footage.snapshots, "", Source.TYPED, "by the setting")
        parts.append(product("snapshots", "GB", count, footage.snapshot_size, factor=1e-6))
    kept = [p for p in parts if p.value > 0] or parts[:1]
    return total("written a day", "GB", *kept)


def days_kept(space: Figure, per_day: Figure, limit_days: float | None = None) -> Figure:
    """Days of footage that a store holds: space over volume a day, at most what a plan keeps.

    Args:
        space: GB.
        per_day: GB a day of all cameras on the store.
        limit_days: A plan keeps no longer, None without such a limit.

    Returns:
        Days; without end where nothing is written.
    """
    days = ratio("days kept", "days", space, per_day)
    if limit_days is None or limit_days >= days.high:
        return days
    value, low, high = (min(limit_days, end) for end in (days.value, days.low, days.high))
    how = f"{days.how}, but the plan keeps {limit_days:g} days"
    return Figure("days kept", value, low, high, "days", days.source, how, days.parts)
