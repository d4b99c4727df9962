import math
import unittest

import numpy as np

from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.clips import Origin
from guardia.core.score.reach import ASSUMED_SHARE, THINGS, Shown, reach_m, shown_shares, silhouette_cells
from guardia.core.view.calibration import PersonMark, calibrate
from guardia.core.view.geometry import (
    KnownView,
    ViewGeometry,
    known_view_from_dict,
    known_view_to_dict,
    real_heights,
    real_widths,
    view_from_lens,
)
from guardia.core.view.tracks import follow
from guardia.store.project import Project
from tests.support import DEMO

VIEW = ViewGeometry(3.4, 14.0, 0.8125)
WHOLE = Shown(ASSUMED_SHARE, 0)


def marks(view, places, tall=1.75):
    made = []
    for x, z in places:
        foot, head = view.to_picture(np.array([[x, 0, z], [x, tall, z]]))
        made.append(PersonMark(tuple(foot), tuple(head), tall))
    return made


class Views(unittest.TestCase):
    def test_blind_spot_and_far_end(self):
        down = math.radians(14.0 + VIEW.upright_deg / 2)
        self.assertAlmostEqual(VIEW.nearest_m, 3.4 / math.tan(down))
        self.assertTrue(math.isinf(VIEW.farthest_m))
        steep = ViewGeometry(3.0, 60.0, 0.8)
        up = math.radians(60.0 - steep.upright_deg / 2)
        self.assertAlmostEqual(steep.farthest_m, 3.0 / math.tan(up))
        outline = VIEW.footprint(farthest_m=30)
        self.assertAlmostEqual(float(outline[:, 1].min()), VIEW.nearest_m, delta=0.3)
        self.assertLessEqual(float(np.hypot(*outline.T).max()), 31)

    def test_real_sizes_come_back_at_every_distance(self):
        places = np.array([[1.0, 0.0, z] for z in (6, 10, 18)])
        feet = VIEW.to_picture(places)
        tops = VIEW.to_picture(np.add(places, [0, 1.2, 0]))[:, 1]
        np.testing.assert_allclose(real_heights(VIEW, feet, tops), 1.2, rtol=1e-9)
        side = VIEW.to_picture(np.add(places, [0.5, 0, 0]))[:, 0] - feet[:, 0]
        np.testing.assert_allclose(real_widths(VIEW, feet, side), 0.5, rtol=1e-9)
        self.assertTrue(np.isnan(real_heights(VIEW, np.array([[0.5, 0.01]]), np.array([0.0]))).all())

    def test_a_near_cat_and_a_far_adult_of_one_size_are_told_apart(self):
        cat = VIEW.to_picture(np.array([[0, 0, 6.0], [0, 0.3, 6.0]]))
        tall_in_picture = cat[0, 1] - cat[1, 1]
        distances = np.linspace(8, 60, 600)
        zero = np.zeros_like(distances)
        foot = VIEW.to_picture(np.stack([zero, zero, distances], axis=1))[:, 1]
        head = VIEW.to_picture(np.stack([zero, zero + 1.75, distances], axis=1))[:, 1]
        same = int(np.argmin(np.abs(foot - head - tall_in_picture)))
        both = np.array([[0.5, cat[0, 1]], [0.5, foot[same]]])
        heights = real_heights(VIEW, both, both[:, 1] - tall_in_picture)
        self.assertAlmostEqual(float(heights[0]), 0.3, delta=0.02)
        self.assertGreater(float(heights[1]), 1.5)

    def test_bad_numbers_and_marks_are_refused(self):
        for values in ((0, 10, 1), (3, 95, 1), (3, 10, math.nan), (3, 10, -1)):
            with self.assertRaises(InvalidValue):
                ViewGeometry(*values)
        with self.assertRaises(InvalidValue):
            view_from_lens(height_m=3, tilt_deg=10, focal_mm=4, sensor_width_mm=0)
        one = marks(VIEW, [(0, 6)])
        with self.assertRaisesRegex(InvalidValue, "two marks"):
            calibrate(one)
        with self.assertRaisesRegex(InvalidValue, "feet up to the head"):
            calibrate([*one, PersonMark((0.5, 0.5), (0.5, 0.7))])
        crooked = [
            PersonMark((0.2, 0.9), (0.9, 0.1)),
            PersonMark((0.8, 0.9), (0.1, 0.2)),
            PersonMark((0.5, 0.3), (0.1, 0.0)),
        ]
        with self.assertRaisesRegex(InvalidValue, "No view fits"):
            calibrate(crooked)

    def test_the_view_from_the_side_by_hand(self):
        # Half the upright angle is 20 degrees: focal = aspect / 2 / tan 20.
        level = ViewGeometry(10.0, 0.0, 9 / 16 / 2 / math.tan(math.radians(20)))
        rise = 20 * math.tan(math.radians(20))
        (z1, y1), (z2, y2) = level.side(20.0)
        self.assertEqual((z1, z2), (20.0, 20.0))
        np.testing.assert_allclose((y1, y2), (10 - rise, 10 + rise))
        on_ground = level.side(40.0)
        np.testing.assert_allclose(on_ground[:2], [(10 / math.tan(math.radians(20)), 0), (40, 0)])
        down = ViewGeometry(10.0, 90.0, level.focal).side(40.0)
        np.testing.assert_allclose(down, [(0, 0), (10 / math.tan(math.radians(70)), 0)], atol=1e-9)
        with self.assertRaisesRegex(InvalidValue, "higher than 100 m"):
            view_from_lens(height_m=101, tilt_deg=10, focal_mm=4, sensor_width_mm=5)

    def test_a_known_lens_and_height_narrow_the_errors(self):
        given = marks(VIEW, [(0, 6), (1, 10), (-1, 16)])
        blind, lens = calibrate(given), calibrate(given, focal=0.8125)
        both = calibrate(given, focal=0.8125, height_m=3.4)
        self.assertGreater(blind.distance_error, lens.distance_error)
        self.assertGreater(lens.distance_error, both.distance_error)
        self.assertEqual((lens.focal_error, both.height_error_m), (0.0, 0.0))
        self.assertAlmostEqual(lens.view.height_m, 3.4, delta=0.02)

    def test_what_is_known_of_a_view_is_kept_as_json(self):
        known = KnownView(VIEW, "marks", 0.03, 0.1, 15.0, ("flat",))
        self.assertEqual(known_view_from_dict(known_view_to_dict(known)), known)
        for bad in ({}, {"view": {"height_m": "x"}, "how": "marks"}):
            with self.assertRaises(InvalidValue):
                known_view_from_dict(bad)

    def test_a_wide_lens_is_said_to_bend(self):
        self.assertGreater(ViewGeometry(3, 10, 0.3).bend, ViewGeometry(3, 10, 0.9).bend)


class Reaches(unittest.TestCase):
    def test_bigger_things_and_finer_notches_reach_farther(self):
        def reach(thing, size, **more):
            return reach_m(VIEW, thing, contrast=12, size=size, across=True, shown=WHOLE, **more)

        by_size = [reach(THINGS[0], size) for size in (0.05, 0.02, 0.008, 0.003)]
        self.assertEqual(by_size, sorted(by_size))
        adult, car = reach(THINGS[0], 0.008), reach(THINGS[4], 0.008)
        self.assertLess(adult, car)
        self.assertEqual(reach(THINGS[4], 0.008, lamp_m=12.0), reach(THINGS[4], 0.003, lamp_m=12.0))
        self.assertEqual(reach(THINGS[3], 0.5), 0.0)
        cells = silhouette_cells(VIEW, THINGS[0], np.array([6.0, 12.0, 24.0]), across=True)
        self.assertTrue((np.diff(cells) < 0).all())

    def test_the_walk_tests_person_triggers_as_far_as_the_reach_says(self):
        """On the demo's footage with its true view: the farthest picture that reaches the threshold, to 30 %."""
        with Project(DEMO) as project:
            for name in ("Workshop door", "Slipway"):
                camera = next(c for c in project.cameras.all() if c.name == name)
                evidence = project.evidence(camera.id)
                contrast, size = 12, 0.0072
                shown = shown_shares(evidence, VIEW, dark=False)
                self.assertGreater(shown.persons, 5)
                told = reach_m(VIEW, THINGS[0], contrast=contrast, size=size, across=True, shown=shown)
                index = next(n for n, c in enumerate(evidence.clips) if c.origin is Origin.WALK_TEST)
                base = int(evidence.stack.clip_start[index])
                everywhere = np.ones((evidence.stack.rows, evidence.stack.columns), bool)
                sizes = evidence.stack.sizes(everywhere, contrast=contrast)[base:] / evidence.stack.cells / 255
                boxes = evidence.stack.largest_boxes(contrast=contrast)[base:]
                frames = len(evidence.stack.times[index])
                feet = [
                    ((b[0] + b[2] + 1) / 2 / 32, (b[3] + 1) / 18)
                    for s, b in zip(sizes[:frames], boxes[:frames], strict=True)
                    if s >= size
                ]
                # Nine in ten of the pictures that trigger: single ones hold the shadow or two things in one group.
                seen = float(np.nanpercentile(VIEW.to_ground(np.array(feet))[:, 1], 95))
                self.assertAlmostEqual(seen, told, delta=0.3 * told, msg=name)


class Following(unittest.TestCase):
    def test_two_that_cross_keep_their_tracks_and_a_gap_is_bridged(self):
        times = np.arange(30) / 5
        one = [np.array([0.02 * n, 0.3, 0.06, 0.2]) for n in range(30)]
        two = [np.array([0.6 - 0.02 * n, 0.32, 0.06, 0.2]) for n in range(30)]
        boxes = [np.array([a, b]) for a, b in zip(one, two, strict=True)]
        boxes[12] = boxes[12][:1]
        found = follow(times, boxes)
        self.assertEqual(sorted(len(t.times_s) for t in found), [29, 30])
        for track in found:
            steps = np.diff(track.box[:, 0]) / np.diff(track.times_s)
            self.assertTrue((np.sign(steps) == np.sign(steps[0])).all())

    def test_jumps_and_specks_make_no_track(self):
        times = np.arange(10) / 5
        boxes = [np.array([[0.9 * (n % 2), 0.5, 0.05, 0.05]]) for n in range(10)]
        found = follow(times, boxes)
        # Each side is seen every other picture and is its own thing; nothing joins the two sides.
        self.assertTrue(all(np.ptp(t.box[:, 0]) < 0.01 for t in found))
        self.assertEqual(follow(times[:2], boxes[:2]), [])
