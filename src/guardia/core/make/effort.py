"""How much work it is to enter settings on a camera."""

from __future__ import annotations

from guardia.core.hours.plan import WeekPlan
from guardia.core.make.capability import Capability
from guardia.core.make.levers import changed_levers
from guardia.core.make.settings import Settings, entered_zones
from guardia.core.make.zones import BlockZone, Zone

OPEN_TAPS, PERIOD_TAPS = 2, 6
"""Taps to come to a setting and to keep it, and to type one period of hours (common practice, no source)."""


def taps(old: Settings, new: Settings, make: Capability) -> int:
    """About how many taps it takes on the camera to enter new settings over old ones.

    Each setting is opened and kept; a zone takes a tap a corner, blocks one each that is switched, hours those of each
    period, everything else one.
    """
    count = 0
    for lever in changed_levers(old, new):
        before, after = lever.read(old), lever.read(new)
        count += OPEN_TAPS
        if lever.id == "zones":
            count += _zone_taps(entered_zones(old, make), entered_zones(new, make))
        elif isinstance(before, WeekPlan) or isinstance(after, WeekPlan):
            count += PERIOD_TAPS * (len(after.stretches) if isinstance(after, WeekPlan) else 1)
        elif isinstance(before, tuple) and isinstance(after, tuple):
            count += len({*before} ^ {*after})
        else:
            count += 1
    return count


def _zone_taps(old: tuple[Zone, ...], new: tuple[Zone, ...]) -> int:
    count = sum(1 for zone in old if zone not in new)  # deleted, or opened to be changed
    for zone in new:
        if zone in old:
            continue
        if isinstance(zone, BlockZone):
            before = next((z.active for z in old if isinstance(z, BlockZone)), (True,) * len(zone.active))
            count += sum(a != b for a, b in zip(before, zone.active, strict=False))
        else:
            count += len(zone.points)
    return count
