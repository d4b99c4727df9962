"""What a solar panel yields in a month: the sun's path by the place, a simple clear sky, a share that gets through.

The sun's elevation and azimuth come from astral. Global irradiance of a clear sky on level ground is that of
B. Haurwitz (1945), 1098 cos z exp(-0.057 / cos z) W/m². It is split into beam and diffuse light by the diffuse share
below; the beam is turned onto the panel by the angle of incidence, the diffuse is that of an even sky.
"""

from __future__ import annotations

import calendar
import math
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from functools import lru_cache

from astral import Observer
from astral.sun import azimuth, elevation

from guardia.core.hours.place import SitePlace
from guardia.core.storage.facts import known_fact
from guardia.core.storage.figure import Figure, Source, exactly, product

DIFFUSE_SHARE = 0.15
"""Of a clear sky's light on level ground that is diffuse (common practice, no source)."""

STEP_MIN = 30
FULL_SUN = 1000.0
"""W/m² at which a panel's power is stated."""


@dataclass(frozen=True)
class Panel:
    """A panel."""

    tilt: float
    """From level, degrees."""
    turned: float = 0.0
    """From the side of the equator, degrees."""


@lru_cache(maxsize=512)
def clear_sun_hours(place: SitePlace, day: date, panel: Panel) -> float:
    """Hours of full sun that a panel gets on a day without a cloud.

    Args:
        place: With its coordinates.
        day: The date.
        panel: Tilt and direction.

    Returns:
        kWh/m², which is hours at 1000 W/m².
    """
    latitude, longitude = place.latitude or 0.0, place.longitude or 0.0
    observer = Observer(latitude, longitude)
    noon = datetime(day.year, day.month, day.day, 12, tzinfo=UTC) - timedelta(hours=longitude / 15)
    faces = math.radians((180.0 if latitude >= 0 else 0.0) + panel.turned)
    tilt, energy = math.radians(panel.tilt), 0.0
    for step in range(-12 * 60, 12 * 60, STEP_MIN):
        at = noon + timedelta(minutes=step + STEP_MIN / 2)
        high = math.radians(elevation(observer, at, with_refraction=False))
        if high <= 0:
            continue
        cos_z = math.sin(high)
        level = 1098.0 * cos_z * math.exp(-0.057 / cos_z)
        turn = math.radians(azimuth(observer, at)) - faces
        incidence = math.cos(tilt) * cos_z + math.sin(tilt) * math.cos(high) * math.cos(turn)
        beam = level * (1 - DIFFUSE_SHARE) * max(0.0, incidence) / max(cos_z, 0.05)
        energy += (beam + level * DIFFUSE_SHARE * (1 + math.cos(tilt)) / 2) * STEP_MIN / 60
    return energy / FULL_SUN


def monthly_yield(place: SitePlace, year: int, panel_w: Figure, facts: Mapping[str, float]) -> tuple[Figure, ...]:
    """What a panel brings to the battery, Wh a day, month by month.

    Args:
        place: Where the site lies.
        year: The year.
        panel_w: Power at full sun, W.
        facts: Typed in: tilt, turned, clearness, charging.

    Returns:
        Twelve figures; none where it is not known where the site lies.
    """
    if not place.has_sun:
        return ()
    panel = Panel(known_fact(facts, "tilt").value, known_fact(facts, "turned").value)
    clear, charging = known_fact(facts, "clearness"), known_fact(facts, "charging")
    through = Figure("share of a clear sky", clear.value / 100, clear.low / 100, clear.high / 100, "", clear.source,
                     clear.how, (), "clearness")  # fmt: skip
    stored = Figure("share that reaches the battery", charging.value / 100, charging.low / 100, charging.high / 100, "",
                    charging.source, charging.how, (), "charging")  # fmt: skip
    days = []
    for month in range(1, 13):
        hours = clear_sun_hours(place, date(year, month, 15), panel)
        sun = exactly("full-sun hours of a clear day", hours, "h", Source.MEASURED, "by the sun's path")
        days.append(product(calendar.month_abbr[month], "Wh", panel_w, sun, through, stored))
    return tuple(days)
