"""What a background tells: another view, a turn, a soft picture, a dark one, glare; pictures of invented scenes."""

import unittest

import numpy as np
from scipy import ndimage

from guardia.core.view.picture import GLARE_SHARE, SOFT, glare, grey_of, likeness, picture_facts, sharpness, turned_deg
from tests.support import yard


class OtherViews(unittest.TestCase):
    def setUp(self):
        self.planned = grey_of(yard())

    def test_the_same_view_is_known_in_other_light_with_noise_and_with_a_van_in_it(self):
        rng = np.random.default_rng(2)
        dimmer = np.clip(yard() * 0.7 + rng.normal(0, 3, (360, 640)), 0, 255)
        van = yard().copy()
        van[150:300, 200:420] = 240
        for name, picture in (("dimmer", dimmer), ("van", van)):
            with self.subTest(name):
                self.assertFalse(likeness(grey_of(picture.astype(np.uint8)), self.planned).other_view)

    def test_a_camera_that_was_turned_away_or_moved_is_told(self):
        others = [grey_of(yard(seed)) for seed in range(2, 22)]
        self.assertGreaterEqual(sum(likeness(p, self.planned).other_view for p in others), 18)
        for pixels in (20, 40, -30):
            moved = np.asarray(ndimage.shift(yard().astype(float), (0, pixels), mode="nearest"), np.uint8)
            seen = likeness(grey_of(moved), self.planned)
            self.assertTrue(seen.other_view, pixels)
            self.assertAlmostEqual(seen.shift[0], pixels / 640, delta=0.01)

    def test_fog_the_dark_and_another_size_are_not_judged(self):
        fog = np.full((360, 640), 190, np.uint8)
        self.assertFalse(likeness(grey_of(fog), self.planned).other_view)
        self.assertFalse(likeness(grey_of(yard(5)), self.planned, dark=True).other_view)
        upright = likeness(grey_of(yard(width=360, height=640)), self.planned)
        self.assertTrue(upright.other_view, "another shape is another view")

    def test_a_turn_is_measured_in_degrees(self):
        for degrees in (-6, -2.5, 0, 4):
            turned = ndimage.rotate(yard().astype(np.float32), -degrees, reshape=False, mode="nearest", order=1)
            self.assertAlmostEqual(turned_deg(grey_of(turned.astype(np.uint8)), self.planned), degrees, delta=0.5)

    def test_softness_darkness_and_glare(self):
        soft = ndimage.gaussian_filter(self.planned, 2.0)
        self.assertLess(sharpness(soft) / sharpness(self.planned), SOFT)
        night = self.planned * 0.15
        web = night.copy()
        web[60:100, 100:200] = 255
        self.assertGreater(glare(web, self.planned), GLARE_SHARE)
        self.assertLess(glare(night, self.planned), GLARE_SHARE)
        bright_by_day = self.planned.copy()
        bright_by_day[60:100, 100:200] = 255
        self.assertLess(glare(web, bright_by_day), GLARE_SHARE, "a white wall is no glare")
        facts = picture_facts(self.planned, [soft], [web])
        self.assertLess(facts.sharp, SOFT)
        self.assertGreater(facts.burnt, GLARE_SHARE)
        nothing = picture_facts(self.planned, [], [])
        self.assertEqual((nothing.sharp, nothing.lit), (None, None))
        wall = np.full_like(self.planned, 90)  # a planned view without any edge says nothing of sharpness
        self.assertIsNone(picture_facts(wall, [soft, wall], []).sharp)
