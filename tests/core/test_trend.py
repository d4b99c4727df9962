"""Trends of readings: the line, the threshold, the interval of the day it is reached; readings from a table."""

import unittest
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import numpy as np

from guardia.app.project.readings_table import read_in, save_readings
from guardia.app.project.session import Session
from guardia.app.work.messages import MessageHub
from guardia.core.base.errors import InvalidValue
from guardia.core.storage.readings import RANGES, Measure, Reading, value_shown
from guardia.core.storage.rules import StorageRules
from guardia.core.storage.trend import threshold_of, trend_of
from guardia.formats.readings import read_readings
from guardia.report.tables import SUFFIXES
from tests.support import FolderCase

DAY = 86400.0
WEAK = threshold_of(Measure.SIGNAL, StorageRules(), {})


class Trends(unittest.TestCase):
    def test_the_line_meets_the_threshold_where_it_does_by_hand(self):
        readings = [Reading(n * DAY, Measure.SIGNAL, -60.0 - 2 * n) for n in range(5)]
        trend = trend_of(readings, Measure.SIGNAL, WEAK)
        self.assertAlmostEqual(trend.per_day, -2.0)
        self.assertAlmostEqual(trend.reached_s / DAY, 10.0)  # from -60 to -80 dBm
        # Whole dBm are off by up to a half each: the line may lie a little steeper.
        self.assertTrue(9.0 < trend.earliest_s / DAY < 10.0 < trend.latest_s / DAY < 11.0)
        rising = [Reading(n * DAY, Measure.SIGNAL, -60.0 + n) for n in range(5)]
        self.assertIsNone(trend_of(rising, Measure.SIGNAL, WEAK).reached_s)
        self.assertIsNone(trend_of(readings[:3], Measure.SIGNAL, WEAK).reached_s)
        self.assertIsNone(trend_of([], Measure.SIGNAL, WEAK))
        self.assertIsNone(trend_of(readings[:1], Measure.SIGNAL, WEAK).per_day)

    def test_what_is_too_low_goes_by_what_the_camera_is(self):
        mains, mobile = StorageRules(supply_v=5.0), StorageRules(mobile=True)
        self.assertEqual(threshold_of(Measure.SUPPLY, mains, {}).level, 4.6, "not the 11 V of a 12 V camera")
        self.assertEqual(threshold_of(Measure.SUPPLY, mains, {"supply": 24.0}).level, 22.1)
        self.assertIsNone(threshold_of(Measure.SUPPLY, mobile, {}), "nobody said what feeds it")
        self.assertLess(threshold_of(Measure.SIGNAL, mobile, {}).level, -94)
        self.assertGreater(threshold_of(Measure.SIGNAL, mains, {}).level, -94)

    def test_values_are_read_as_devices_show_them(self):
        for what, text, measure, value in (
            (Measure.SIGNAL, "-67", Measure.SIGNAL, -67.0), (Measure.SIGNAL, "3 of 4 bars", Measure.SIGNAL_SHOWN, 75.0),
            (Measure.SIGNAL, "1/5", Measure.SIGNAL_SHOWN, 20.0), (Measure.SIGNAL, "Yellow", Measure.SIGNAL_SHOWN, 50.0),
            (Measure.SIGNAL, "60 %", Measure.SIGNAL_SHOWN, 60.0),
            (Measure.SIGNAL_SHOWN, "3 of 4 bars", Measure.SIGNAL_SHOWN, 75.0),
            (Measure.USED, "58,5", Measure.USED, 58.5),
            (Measure.TEMPERATURE, "104 °F", Measure.TEMPERATURE, 40.0),
            (Measure.USED, "50 GiB", Measure.USED, 53.6870912),
            (Measure.DATA_USED, "250 MB", Measure.DATA_USED, 0.25),
        ):  # fmt: skip
            with self.subTest(text):
                found, number, shown = value_shown(what, text)
                self.assertEqual(found, measure)
                self.assertAlmostEqual(number, value)
                plain = text.replace(",", ".").rstrip(" %").lstrip("-").replace(".", "").isdigit()
                said = text.replace("1/5", "1 of 5 bars").lower()
                self.assertEqual(
                    Reading(0.0, found, number, shown).words.lower(),
                    f"{value:g} {RANGES[found].unit}".lower() if plain else said,
                )
        for what, text in ((Measure.SIGNAL, "5 of 4"), (Measure.SIGNAL, "purple"), (Measure.SUPPLY, "58 GiB")):
            with self.subTest(text), self.assertRaises(InvalidValue):
                value_shown(what, text)

    def test_noise_alone_forecasts_no_end(self):
        noise = np.random.default_rng(3).normal(0, 2, 12)
        trend = trend_of(
            [Reading(n * DAY, Measure.SIGNAL, -60 - 0.01 * n + v) for n, v in enumerate(noise)], Measure.SIGNAL, WEAK
        )
        self.assertIsNone(trend.latest_s)

    def test_the_interval_holds_the_true_day_in_at_least_85_of_100_runs(self):
        held = 0
        for seed in range(100):
            rng = np.random.default_rng(seed)
            slope = rng.uniform(0.5, 2.0)
            levels = -55.0 - slope * np.arange(10) + rng.normal(0, 1.0, 10)
            readings = [Reading(n * DAY, Measure.SIGNAL, float(v)) for n, v in enumerate(levels)]
            trend = trend_of(readings, Measure.SIGNAL, WEAK)
            truth = 25.0 / slope * DAY
            low = -np.inf if trend.earliest_s is None else trend.earliest_s
            high = np.inf if trend.latest_s is None else trend.latest_s
            held += low <= truth <= high
        self.assertGreaterEqual(held, 85)


class FromATable(FolderCase):
    def table(self, text):
        path = self.folder / "readings.csv"
        path.write_text(text, "utf-8")
        return path

    def test_lines_that_cannot_be_used_are_named_and_the_others_taken(self):
        path = self.table(
            "of;when;what;value\nSlipway;2026-09-18 09:00;signal;-71,5\nSlipway;2026-09-18 09:00;battery;140\n"
            "Slipway;yesterday;signal;-60\nRecorder disk;2026-09-18T09:00;healthy;\n;2026-09-18;signal;-60\n"
        )
        found, skipped = read_readings(path, ZoneInfo("Europe/London"))
        self.assertEqual([(r.of, r.reading.what, r.reading.value) for r in found],
                         [("Slipway", Measure.SIGNAL, -71.5), ("Recorder disk", Measure.HEALTHY, None)])  # fmt: skip
        self.assertEqual(found[0].reading.at_s, datetime(2026, 9, 18, 8, tzinfo=UTC).timestamp())
        self.assertEqual([line.split(":")[0] for line in skipped],
                         ["Line 3 was left out", "Line 4 was left out", "Line 6 was left out"])  # fmt: skip
        for bad in ("", "a,b\n1,2\n", "\0\0"):
            with self.subTest(bad), self.assertRaises(InvalidValue):
                read_readings(self.table(bad), ZoneInfo("UTC"))

    def test_they_are_taken_into_the_project_in_one_step(self):
        session = Session(self.copy_demo(), MessageHub())
        self.addCleanup(session.close)
        session.load_cameras()
        model = next(m for m in session.cameras.opened.values() if m.camera.name == "Slipway")
        path = self.table(
            "of,when,what,value\nSlipway,2026-09-18 09:00,signal,-71\nRecorder disk,2026-09-18 09:00,healthy,\n"
            "Slipway,2026-09-18 10:00,signal,3/4\nBoathouse,2026-09-18 09:00,signal,-60\n"
        )
        self.assertEqual(read_in(session, path), 3)
        self.assertIn("'Boathouse' is no camera and no store", session.messages.told[-1].text)
        self.assertEqual([r.what for r in model.facts.readings()], [Measure.SIGNAL, Measure.SIGNAL_SHOWN])
        wanted = session.storage.stores[0].readings
        for suffix in SUFFIXES:
            save_readings(session, self.folder / f"out{suffix}")
            model.facts.set_readings((), "emptied")
            self.assertGreater(read_in(session, self.folder / f"out{suffix}"), 2)
            self.assertEqual([r.words for r in model.facts.readings()], ["-71 dBm", "3 of 4 bars"])
            self.assertEqual(session.storage.stores[0].readings, wanted)
            session.undo.undo()
            session.undo.undo()
        empty = self.folder / "empty"
        Session.create(empty, "Yard", "UTC")
        other = Session(empty, MessageHub())
        save_readings(other, self.folder / "none.csv")
        other.close()
        self.assertFalse((self.folder / "none.csv").exists())
        save_readings(session, self.folder / "out.pdf")
        self.assertIn("names no form of table", session.messages.told[-1].text)
        self.assertIn(Measure.HEALTHY, [r.what for r in model.evidence.storage.stores[0].readings])
        session.undo.undo()
        self.assertEqual(model.facts.readings(), ())
        self.assertNotIn(Measure.HEALTHY, [r.what for r in model.evidence.storage.stores[0].readings])
        self.assertEqual(read_in(session, self.folder / "not there.csv"), 0)
        self.assertIn("cannot be read", session.messages.told[-1].text)
