"""Where a site lies: its clock through the year, and its sun."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass
from datetime import UTC, date, datetime
from enum import StrEnum
from functools import lru_cache
from zoneinfo import ZoneInfo

from guardia.core.base.errors import InvalidValue

DAY_S = 86_400.0
EPOCH = date(1970, 1, 1).toordinal()
NOON_S = 43_200.0


class SunEvent(StrEnum):
    """A moment of the day that the sun sets. Dawn and dusk are civil: the sun is 6 degrees below the horizon."""

    DAWN = "dawn"
    SUNRISE = "sunrise"
    SUNSET = "sunset"
    DUSK = "dusk"


_BELOW_DEG = {SunEvent.DAWN: 6.0, SunEvent.DUSK: 6.0, SunEvent.SUNRISE: 0.833, SunEvent.SUNSET: 0.833}


@dataclass(frozen=True)
class SitePlace:
    """Where a site lies."""

    zone: str
    """IANA name of its time zone."""
    latitude: float | None = None
    """Degrees, north positive; None while nobody said."""
    longitude: float | None = None
    """Degrees, east positive; likewise."""

    def __post_init__(self) -> None:
        if (self.latitude is None) != (self.longitude is None):
            raise InvalidValue("Latitude and longitude are given together or not at all.")
        if self.latitude is not None and self.longitude is not None:
            if not -90 <= self.latitude <= 90:
                raise InvalidValue(f"The latitude {self.latitude} does not lie between -90 and 90 degrees.")
            if not -180 <= self.longitude <= 180:
                raise InvalidValue(f"The longitude {self.longitude} does not lie between -180 and 180 degrees.")

    @property
    def has_sun(self) -> bool:
        """Whether it is known where the sun stands."""
        return self.latitude is not None


@lru_cache(maxsize=65_536)
def sun_seconds(place: SitePlace, event: SunEvent, ordinal: int) -> tuple[float, bool]:
    """When a sun event is, on the clock of the site.

    Args:
        place: Where.
        event: Which.
        ordinal: Of the date, as date.toordinal(): a morning event is the last before the highest sun of that date, an
            evening one the first after it, also where the clock calls that another date.

    Returns:
        Seconds of wall time since that day's midnight, and whether there is such an event on that date. Where there is
        none, a morning event counts as midnight and an evening one as 24:00 while it never gets dark, and both as noon
        while it never gets light: so a night from dusk to dawn is as long as the darkness.

    Raises:
        InvalidValue: If it is not known where the site lies.
    """
    morning, level_deg = event in (SunEvent.DAWN, SunEvent.SUNRISE), -_BELOW_DEG[event]
    noon_s = _highest_sun_s(place, ordinal)
    # The lowest sun between two days is the same for an evening and for the morning after: both are there, or neither.
    night_s = (noon_s + _highest_sun_s(place, ordinal + (-1 if morning else 1))) / 2
    if _elevation_deg(place, noon_s) < level_deg:
        return NOON_S, False
    if _elevation_deg(place, night_s) > level_deg:
        return (0.0 if morning else DAY_S), False
    # From the lowest sun to the highest it only rises: the second at which it has risen to the level.
    way = 1.0 if morning else -1.0
    seconds = range(round(abs(noon_s - night_s)))
    risen = bisect_left(seconds, level_deg, key=lambda second: _elevation_deg(place, night_s + way * second))
    moment_s = night_s + way * risen
    return wall_s(place, moment_s) - (ordinal - EPOCH) * DAY_S, True


@lru_cache(maxsize=65_536)
def _highest_sun_s(place: SitePlace, ordinal: int) -> float:
    """POSIX seconds of the highest sun nearest to noon of a date on the site's clock."""
    from astral import Observer  # slow to import, and needed only where a plan follows the sun
    from astral.sun import noon

    if place.latitude is None or place.longitude is None:
        raise InvalidValue(
            "A plan that follows the sun needs to know where the site lies.", do="Enter its latitude and longitude."
        )
    day = date.fromordinal(ordinal)
    clock_s = datetime(day.year, day.month, day.day, 12, tzinfo=ZoneInfo(place.zone)).timestamp()
    observer = Observer(place.latitude, place.longitude)
    # The library's date is that of UTC, and wraps at midnight there.
    near = [noon(observer, date.fromordinal(n), tzinfo=UTC).timestamp() for n in (ordinal - 1, ordinal, ordinal + 1)]
    return min(near, key=lambda s: abs(s - clock_s))


def _elevation_deg(place: SitePlace, posix_s: float) -> float:
    from astral import Observer
    from astral.sun import elevation

    observer = Observer(place.latitude or 0.0, place.longitude or 0.0)
    return float(elevation(observer, datetime.fromtimestamp(posix_s, UTC), with_refraction=False))


def _offset_s(zone: ZoneInfo, posix_s: float) -> float:
    shift = datetime.fromtimestamp(posix_s, UTC).astimezone(zone).utcoffset()
    return shift.total_seconds() if shift is not None else 0.0


@lru_cache(maxsize=512)
def clock_segments(zone_name: str, year: int) -> tuple[tuple[float, float, float], ...]:
    """The stretches of a year (UTC) in which the site's clock runs evenly.

    Args:
        zone_name: IANA name.
        year: The year.

    Returns:
        Begin and end in POSIX seconds, and what the wall clock is ahead of UTC, seconds.
    """
    zone = ZoneInfo(zone_name)
    begin = datetime(year, 1, 1, tzinfo=UTC)
    last = datetime(year + 1, 1, 1, tzinfo=UTC).timestamp()
    spans: list[tuple[float, float, float]] = []
    at = since = begin.timestamp()
    ahead = _offset_s(zone, at)
    while at < last:
        after = min(last, at + DAY_S)
        if _offset_s(zone, after) != ahead:
            low, high = at, after
            while high - low > 1:  # clocks change at a whole second
                middle = (low + high) // 2
                low, high = (middle, high) if _offset_s(zone, middle) == ahead else (low, middle)
            spans.append((since, high, ahead))
            since, ahead, after = high, _offset_s(zone, high), high
        at = after
    spans.append((since, last, ahead))
    return tuple(s for s in spans if s[1] > s[0])


def wall_s(place: SitePlace, posix_s: float) -> float:
    """Wall time at the site as seconds since 1970-01-01 00:00 on its clock."""
    return posix_s + _offset_s(ZoneInfo(place.zone), posix_s)


def wall_date(place: SitePlace, posix_s: float) -> date:
    """Date at the site."""
    return date.fromordinal(EPOCH + int(wall_s(place, posix_s) // DAY_S))
