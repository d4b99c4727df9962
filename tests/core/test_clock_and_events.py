import unittest
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np

from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.clock import NAME_FORMS, error_words, read_time, resolve, time_in_name, true_time
from guardia.core.evidence.events import Boxes, CameraEvent, event_of

LONDON = ZoneInfo("Europe/London")


class WallTimes(unittest.TestCase):
    def test_the_hour_that_comes_twice_is_told_and_put_in_order(self):
        wall = datetime(2026, 10, 25, 1, 30)
        first = resolve(wall, LONDON)
        self.assertEqual((first.doubt, first.moment.utcoffset()), ("twice", timedelta(hours=1)))
        before = resolve(datetime(2026, 10, 25, 1, 50), LONDON).moment
        self.assertEqual(resolve(wall, LONDON, after=before).moment.utcoffset(), timedelta(0))

    def test_a_time_that_the_clocks_skipped_is_told(self):
        told = resolve(datetime(2026, 3, 29, 1, 30), LONDON)
        self.assertEqual((told.doubt, told.moment.astimezone(UTC).hour), ("never", 1))
        aware = datetime(2026, 3, 29, 1, 30, tzinfo=UTC)
        self.assertEqual((resolve(aware, LONDON).moment, resolve(aware, LONDON).doubt), (aware, ""))

    def test_forms_of_file_names(self):
        expected = datetime(2026, 9, 7, 7, 59, 50)
        names = {
            "": "gate_20260907_075950.mp4",
            "%d-%m-%Y_%H-%M-%S": "cam 07-09-2026_07-59-50 x.mp4",
            "%m-%d-%Y_%H-%M-%S": "09-07-2026_07-59-50.mp4",
            "%d%m%y_%H%M%S": "ch1_070926_075950.dav",
            "%y%m%d_%H%M%S": "ch1_260907_075950.dav",
        }
        for code, name in names.items():
            self.assertEqual(time_in_name(name, code), expected, code)
        self.assertEqual(time_in_name("20260907_0759.mp4", "%Y%m%d_%H%M"), expected.replace(second=0))
        stamp = int(expected.replace(tzinfo=UTC).timestamp())
        self.assertEqual(time_in_name(f"rec-{stamp}.mp4", "seconds"), expected.replace(tzinfo=UTC))
        self.assertEqual(time_in_name(f"{stamp}000.mp4", "milliseconds"), expected.replace(tzinfo=UTC))
        for form in NAME_FORMS:
            self.assertIsNone(time_in_name("porch.mp4", form.code))
        self.assertIsNone(time_in_name("99-99-2026_07-59-50.mp4", "%d-%m-%Y_%H-%M-%S"))

    def test_a_pattern_that_cannot_be_used_is_refused_with_the_reason(self):
        for code, why in (("%Y%m%d", "whole date, hour"), ("%Q %Y", "%Q is not known"), ("clip", "whole date")):
            with self.assertRaisesRegex(InvalidValue, why):
                time_in_name("x", code)

    def test_times_out_of_reason_are_refused(self):
        for text, code in (("0", "seconds"), ("1e30", "seconds"), ("1889-01-01 00:00:00", "iso"), ("x", "%Y")):
            with self.assertRaises((ValueError, OverflowError, OSError)):
                read_time(text, code)

    def test_a_slow_clock_is_put_right(self):
        shown = datetime(2026, 9, 7, 7, 54, 18, tzinfo=LONDON)
        self.assertEqual(true_time(shown, -400.0).isoformat(), "2026-09-07T08:00:58+01:00")
        self.assertEqual([error_words(s) for s in (-400, 3661, 0.2)], ["6 min 40 s slow", "1 h 1 min 1 s fast", ""])


class Events(unittest.TestCase):
    def test_the_event_about_an_occurrence_is_the_one_that_overlaps_and_names(self):
        events = [CameraEvent(100, 10), CameraEvent(104, 3, "person"), CameraEvent(300, 5, "vehicle")]
        self.assertEqual(event_of(events, 102, 112).named, "person")
        self.assertEqual(event_of(events, 108.9, 112).named, "person")
        self.assertIs(event_of(events[:1], 111.9, 115), events[0])
        self.assertIsNone(event_of(events, 150, 160))

    def test_boxes_are_cut_to_a_stretch_and_refused_when_they_are_none(self):
        boxes = Boxes(np.arange(5.0), np.array([1, 1, 2, 2, 2]), np.full((5, 4), 0.25), {1: "person", 2: "vehicle"})
        part = boxes.between(2, 4, zero_s=2)
        self.assertEqual((part.times_s.tolist(), part.named), ([0.0, 1.0], {2: "vehicle"}))
        for bad in (np.full((5, 4), np.nan), np.zeros((4, 4))):
            with self.assertRaises(InvalidValue):
                Boxes(np.arange(5.0), np.zeros(5, np.int64), bad, {})
