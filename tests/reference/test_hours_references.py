"""Hours against outside sources: pvlib's solar positions, dateutil's recurrences, vobject's reading of a calendar."""

import unittest
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pandas as pd
import pvlib
import vobject
from dateutil.rrule import MO, SA, WE, WEEKLY, rrule

from guardia.core.hours.place import SitePlace, SunEvent, sun_seconds
from guardia.core.hours.plan import EVERY_DAY, Edge, Special, Stretch, WeekPlan, on_spans
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
                minutes = pd.date_range(midnight, periods=1441, freq="1min")
                up = pvlib.solarposition.get_solarposition(minutes, place.latitude, place.longitude)["elevation"]
                for event, level in BELOW.items():
                    seconds, there = sun_seconds(place, event, day.toordinal())
                    rises = event in (SunEvent.DAWN, SunEvent.SUNRISE)
                    above = (up.to_numpy() > level).astype(int)
                    crossings = np.flatnonzero(np.diff(above) == (1 if rises else -1))
                    if not len(crossings) or not there:
                        continue  # about midsummer in Reykjavik civil dusk comes after midnight, or not at all
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


if __name__ == "__main__":
    unittest.main()
