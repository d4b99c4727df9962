"""Hours against outside sources: two computations of the sun, dateutil, and another reading of calendars."""

import unittest
from datetime import date, datetime, timedelta
from importlib.resources import files
from zoneinfo import ZoneInfo

import numpy as np
import pandas as pd
import pvlib
import vobject
from dateutil.rrule import MO, SA, WE, WEEKLY, rrule

from guardia.core.base.errors import InvalidValue
from guardia.core.hours.place import SitePlace, SunEvent, sun_seconds
from guardia.core.hours.plan import EVERY_DAY, Edge, Special, Stretch, WeekPlan, on_at, on_spans
from guardia.formats.calendar import calendar_of, read_specials
from tests.support import FolderCase

PLACES = (
    SitePlace("Europe/London", 51.5, -0.1), SitePlace("Pacific/Auckland", -41.3, 174.8),
    SitePlace("America/New_York", 40.7, -74.0), SitePlace("Asia/Singapore", 1.3, 103.8),
    SitePlace("Atlantic/Reykjavik", 64.1, -21.9),
)  # fmt: skip
BELOW = {SunEvent.DAWN: -6.0, SunEvent.SUNRISE: -0.833, SunEvent.SUNSET: -0.833, SunEvent.DUSK: -6.0}
"""Elevations of the sun's middle (degrees): civil twilight, and the horizon with refraction and half the sun's disk."""


class Sun(unittest.TestCase):
    """pvlib 0.16, solarposition (NREL's SPA): when the elevation crosses the level of each event."""

    def test_sun_events_lie_within_two_minutes_of_pvlib(self):
        for place in PLACES:
            for month in (1, 3, 6, 9, 12):
                day = date(2026, month, 18)
                midnight = datetime(day.year, day.month, day.day, tzinfo=ZoneInfo(place.zone))
                minutes = pd.date_range(midnight, periods=1801, freq="1min")  # dusk may come after midnight
                up = pvlib.solarposition.get_solarposition(minutes, place.latitude, place.longitude)["elevation"]
                for event, level in BELOW.items():
                    seconds, there = sun_seconds(place, event, day.toordinal())
                    rises = event in (SunEvent.DAWN, SunEvent.SUNRISE)
                    above = (up.to_numpy() > level).astype(int)
                    crossings = np.flatnonzero(np.diff(above) == (1 if rises else -1))
                    if not len(crossings) or not there:
                        continue  # no civil dusk about midsummer in Reykjavik
                    near = float(np.abs(crossings + 0.5 - seconds / 60).min())
                    self.assertLess(near, 2.0, (place.zone, day, event))

    def test_where_the_sun_does_not_set_pvlib_says_so_too(self):
        north, south = SitePlace("Europe/Oslo", 78.2, 15.6), SitePlace("Antarctica/Vostok", -78.5, 106.8)
        for place in (north, south):
            for month in (6, 12):
                day = pd.date_range(f"2026-{month:02d}-21", periods=24, freq="1h", tz="UTC")
                up = pvlib.solarposition.get_solarposition(day, place.latitude, place.longitude)["elevation"]
                always, never = bool((up > -0.833).all()), bool((up < -0.833).all())
                self.assertTrue(always or never)
                ordinal = date(2026, month, 21).toordinal()
                rise, there = sun_seconds(place, SunEvent.SUNRISE, ordinal)
                fall, _ = sun_seconds(place, SunEvent.SUNSET, ordinal)
                self.assertFalse(there)
                self.assertEqual(fall - rise, 86_400.0 if always else 0.0)


class Nights(unittest.TestCase):
    """The Astronomical Almanac's low-precision sun (0.01 degrees; from memory), by code of its own.

    The places are principal places of time zones by the zone.tab of the tz database, every tenth of them.
    """

    NIGHT = WeekPlan((Stretch(EVERY_DAY, Edge(0, SunEvent.DUSK), Edge(0, SunEvent.DAWN), overnight=True),))
    FIRST, LAST = date(2028, 1, 1), date(2028, 12, 31)  # a leap year
    STEP_S, NEAR_DEG = 300, 0.15

    def test_a_night_from_dusk_to_dawn_is_on_while_it_is_dark_at_forty_places_on_366_days(self):
        places = self.places()
        self.assertGreaterEqual(len(places), 40)
        for place in places:
            with self.subTest(place=place):
                zone = ZoneInfo(place.zone)
                ends = [datetime(d.year, d.month, d.day, tzinfo=zone).timestamp() for d in (self.FIRST, self.LAST)]
                times = np.arange(*ends, self.STEP_S)
                height = self.elevation_deg(place, times)
                clear = np.abs(height + 6) > self.NEAR_DEG
                on = on_at(self.NIGHT, times, place)
                self.assertEqual(np.flatnonzero(clear & (on != (height < -6))).tolist(), [])

    @staticmethod
    def places():
        table = files("tzdata").joinpath("zoneinfo", "zone.tab").read_text()
        rows = [line.split("\t") for line in table.splitlines() if not line.startswith("#")]
        return [SitePlace(zone, *Nights.degrees(where)) for _, where, zone, *_ in rows[::10]]

    @staticmethod
    def degrees(where):
        """Such as +5130-00007 or +404251-0740023 as degrees north and east."""
        cut = max(where.rfind("+"), where.rfind("-"))
        found = []
        for part, whole in ((where[:cut], 3), (where[cut:], 4)):
            minutes = int(part[whole : whole + 2]) + int(part[whole + 2 :] or 0) / 60
            found.append((-1 if part[0] == "-" else 1) * (int(part[1:whole]) + minutes / 60))
        return found

    @staticmethod
    def elevation_deg(place, posix_s):
        n = posix_s / 86400 + 2440587.5 - 2451545.0
        mean, anomaly = np.radians(280.460 + 0.9856474 * n), np.radians(357.528 + 0.9856003 * n)
        ecliptic = mean + np.radians(1.915) * np.sin(anomaly) + np.radians(0.020) * np.sin(2 * anomaly)
        tilt = np.radians(23.439 - 4e-7 * n)
        right = np.arctan2(np.cos(tilt) * np.sin(ecliptic), np.cos(ecliptic))
        declination = np.arcsin(np.sin(tilt) * np.sin(ecliptic))
        sidereal = np.radians((280.46062 + 360.98564737 * n) % 360 + place.longitude)
        latitude = np.radians(place.latitude)
        sine = np.sin(latitude) * np.sin(declination)
        return np.degrees(np.arcsin(sine + np.cos(latitude) * np.cos(declination) * np.cos(sidereal - right)))


class Recurrence(unittest.TestCase):
    """dateutil.rrule."""

    def test_a_weekly_stretch_begins_when_dateutil_says(self):
        zone = ZoneInfo("Europe/London")
        plan = WeekPlan((Stretch((0, 2, 5), Edge(22 * 60), Edge(5 * 60), overnight=True),))
        first, last = datetime(2026, 1, 5, tzinfo=zone), datetime(2026, 12, 28, tzinfo=zone)
        spans = on_spans(plan, first.timestamp(), last.timestamp(), SitePlace("Europe/London"))
        wanted = rrule(WEEKLY, byweekday=(MO, WE, SA), dtstart=datetime(2026, 1, 5, 22), until=datetime(2026, 12, 27))
        begins = [b.replace(tzinfo=zone).timestamp() for b in wanted]
        self.assertEqual(spans[:, 0].tolist(), begins)


class Calendars(FolderCase):
    """vobject, another parser of RFC 5545."""

    def test_another_parser_reads_the_calendar_that_is_written(self):
        place = SitePlace("Europe/London", 51.5, -0.1)
        fair = Special("fair", datetime(2026, 9, 12), datetime(2026, 9, 14), "off")
        night = Stretch((0, 1, 2, 3, 4), Edge(21 * 60 + 40), Edge(6 * 60), overnight=True)
        sun = Stretch(EVERY_DAY, Edge(-20, SunEvent.DUSK), Edge(1440))
        data = calendar_of({"Gate": WeekPlan((night,), (fair,)), "Yard": WeekPlan((sun,))}, place, date(2026, 9, 5))
        events = vobject.readOne(data.decode()).vevent_list
        (weekly,) = [e for e in events if hasattr(e, "rrule")]
        self.assertIn("BYDAY=MO,TU,WE,TH,FR", weekly.rrule.value)
        self.assertEqual(weekly.dtstart.value.replace(tzinfo=None), datetime(2026, 9, 7, 21, 40))
        self.assertEqual(weekly.dtend.value - weekly.dtstart.value, timedelta(hours=8, minutes=20))
        self.assertEqual(len([e for e in events if e.summary.value == "Yard"]), 366)
        (special,) = [e for e in events if "fair" in e.summary.value]
        self.assertEqual(special.dtend.value - special.dtstart.value, timedelta(days=2))

    def test_recurring_closing_days_of_another_program_become_exceptions(self):
        path = self.folder / "closed.ics"
        path.write_text(
            "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//y//EN\r\n"
            "BEGIN:VEVENT\r\nUID:1\r\nSUMMARY:Stock taking\r\nDTSTART;VALUE=DATE:20260106\r\n"
            "RRULE:FREQ=MONTHLY;BYDAY=1TU;UNTIL=20261201\r\nEND:VEVENT\r\n"
            "BEGIN:VEVENT\r\nUID:2\r\nSUMMARY:Night shift\r\nDTSTART:20260910T200000Z\r\nDURATION:PT8H\r\n"
            "END:VEVENT\r\nEND:VCALENDAR\r\n"
        )
        found = read_specials(path, PLACES[0], "off", date(2026, 9, 1), date(2027, 8, 31))
        self.assertEqual([s.begin for s in found], [
            datetime(2026, 9, 1), datetime(2026, 9, 10, 21), datetime(2026, 10, 6), datetime(2026, 11, 3),
            datetime(2026, 12, 1),
        ])  # fmt: skip
        self.assertEqual(found[1].end - found[1].begin, timedelta(hours=8))
        self.assertEqual(found[0].end - found[0].begin, timedelta(days=1))

    def test_instances_left_out_added_moved_cancelled_or_running_are_as_rfc_5545_says(self):
        """RFC 5545, 3.8.5.1 (EXDATE), 3.8.5.2 (RDATE), 3.8.4.4 (RECURRENCE-ID), 3.8.1.11 (STATUS)."""
        weekly = "DTSTART;TZID=Europe/London:20260907T090000\nDURATION:PT2H\nRRULE:FREQ=WEEKLY;COUNT=5\n"
        read = self.begins(
            "UID:a\n" + weekly + "EXDATE;TZID=Europe/London:20260914T090000\nRDATE;TZID=Europe/London:20260916T100000",
            "UID:a\nRECURRENCE-ID;TZID=Europe/London:20260921T090000\n"
            "DTSTART;TZID=Europe/London:20260922T130000\nDURATION:PT1H",
            "UID:a\nRECURRENCE-ID;TZID=Europe/London:20260928T090000\n"
            "DTSTART;TZID=Europe/London:20260928T090000\nDURATION:PT1H\nSTATUS:CANCELLED",
            "UID:b\nDTSTART;VALUE=DATE:20260825\nDTEND;VALUE=DATE:20260903",
            "UID:c\nDTSTART;VALUE=DATE:20260910\nSTATUS:CANCELLED",
        )
        self.assertEqual(read, [
            datetime(2026, 8, 25), datetime(2026, 9, 7, 9), datetime(2026, 9, 16, 10), datetime(2026, 9, 22, 13),
            datetime(2026, 10, 5, 9),
        ])  # fmt: skip

    def test_calendars_without_an_end_or_beyond_all_dates_are_refused_by_name(self):
        for rule in ("RRULE:FREQ=SECONDLY", "RRULE:FREQ=DAILY;INTERVAL=0", "DURATION:P99999999D",
                     "DURATION:PT1H\nRRULE:FREQ=DAILY"):  # fmt: skip
            with self.subTest(rule), self.assertRaises(InvalidValue) as refused:
                self.begins(f"UID:a\nDTSTART:20260901T090000Z\n{rule}", last=date(2028, 8, 31))
            self.assertIn("No exception was changed.", str(refused.exception))

    def begins(self, *events, last=date(2027, 8, 31)):
        path = self.folder / "closed.ics"
        body = "".join(f"BEGIN:VEVENT\n{event}\nEND:VEVENT\n" for event in events)
        path.write_text(f"BEGIN:VCALENDAR\nVERSION:2.0\nPRODID:-//x//y//EN\n{body}END:VCALENDAR\n")
        return [s.begin for s in read_specials(path, PLACES[0], "off", date(2026, 9, 1), last)]


if __name__ == "__main__":
    unittest.main()
