import unittest

import numpy as np

from guardia.core.trace.measure import (
    CONTRAST_LEVELS,
    LEAST_BYTE,
    clip_background,
    help_of,
    helped_background,
    join_traces,
    measure,
    noise_sigma,
    sparse_trace,
    unlike_nearby,
)

RNG = np.random.default_rng(4)
WALL = RNG.integers(60, 140, (90, 160)).astype(np.uint8)


class Measuring(unittest.TestCase):
    def test_every_cell_against_counting_pixels_one_by_one(self):
        picture = WALL.copy()
        picture[20:47, 33:61] += 30
        picture[60:64, 100:160] -= 15
        actual = measure(picture[None], WALL)[0]
        difference = np.abs(picture.astype(int) - WALL.astype(int))
        rows, columns = np.round(np.linspace(0, 90, 19)).astype(int), np.round(np.linspace(0, 160, 33)).astype(int)
        for level, contrast in enumerate(CONTRAST_LEVELS):
            for r in range(18):
                for c in range(32):
                    cell = difference[rows[r] : rows[r + 1], columns[c] : columns[c + 1]] > contrast
                    byte = int(255 * cell.sum() / cell.size + 0.5)
                    self.assertEqual(actual[r, c, level], byte if byte >= LEAST_BYTE else 0, (level, r, c))

    def test_a_change_of_the_light_as_a_whole_is_no_motion(self):
        brighter = np.clip(WALL.astype(int) + 25, 0, 255).astype(np.uint8)
        self.assertEqual(measure(brighter[None], WALL).max(), 0)

    def test_a_dark_noisy_picture_is_not_all_motion_but_a_person_in_it_is(self):
        noisy = np.clip(WALL + RNG.normal(0, 9, WALL.shape), 0, 255).astype(np.uint8)
        noisy[30:60, 70:90] = 235
        share = measure(noisy[None], WALL)[0, :, :, 0] >= 51
        self.assertTrue(share[7:11, 15:17].all())
        self.assertLess(share.sum(), 40)

    def test_a_shadow_over_much_of_a_noisy_picture_is_motion_and_no_noise(self):
        for share in (0.3, 0.7):
            edge = int(160 * share)
            seen = WALL + RNG.normal(0, 2, WALL.shape)
            seen[:, :edge] -= 30
            moved = measure(np.clip(seen, 0, 255).astype(np.uint8)[None], WALL)[0, :, :, 2] >= 51
            # The light as a whole is that of the larger part: the other one stands out from it.
            dark, bright = moved[:, : edge // 5].mean(), moved[:, edge // 5 + 1 :].mean()
            self.assertEqual((dark, bright), (1.0, 0.0) if share < 0.5 else (0.0, 1.0))

    def test_what_whole_blocks_share_is_taken_off_and_what_is_left_over_at_the_edges_too(self):
        steps = np.repeat(np.repeat(np.arange(20, dtype=np.int16).reshape(4, 5) * 7, 9, 0), 10, 1)
        self.assertEqual(unlike_nearby(steps).max(), 0)
        larger = np.full((40, 56), 99, np.int16)
        self.assertEqual(unlike_nearby(larger).shape, (4 * 5, 10 * 11))
        self.assertEqual(unlike_nearby(np.array([[1, 2, 9]], np.int16)).tolist(), [[1, 0, 7]])

    def test_noise_of_a_known_normal_distribution(self):
        for sigma in (2.0, 4.0, 8.0):
            drawn = np.round(np.abs(RNG.normal(0, sigma, 40_000))).astype(np.int16)
            drawn[:2000] = 120
            self.assertAlmostEqual(noise_sigma(drawn) / sigma, 1.0, delta=0.12)

    def test_a_picture_smaller_than_the_grid_is_refused(self):
        with self.assertRaises(ValueError):
            measure(np.zeros((1, 10, 160), np.uint8), np.zeros((10, 160), np.uint8))

    def test_sparse_and_joined_traces_give_back_every_number(self):
        dense = RNG.integers(0, 3, (9, 18, 32, 5)).astype(np.uint8) * 100
        dense[..., 1:] *= dense[..., :1] > 0
        times = np.arange(9) / 5
        whole = sparse_trace(times, dense)
        np.testing.assert_array_equal(whole.dense(), dense)
        parts = [sparse_trace(times[:4], dense[:4]), sparse_trace(times[4:], dense[4:])]
        joined = join_traces(parts)
        np.testing.assert_array_equal(joined.dense(), dense)
        np.testing.assert_array_equal(joined.times_s, times)


class Backgrounds(unittest.TestCase):
    def test_what_passes_is_not_in_the_background(self):
        pictures = np.repeat(WALL[None], 40, axis=0)
        for n in range(40):
            pictures[n, 30:60, 3 * n : 3 * n + 20] = 240
        self.assertLess(np.abs(clip_background(pictures).astype(int) - WALL).max(), 2)

    def test_other_clips_take_out_somebody_who_stood_still_most_of_the_time(self):
        pictures = np.repeat(WALL[None], 40, axis=0)
        pictures[:26, 30:60, 50:70] = 240
        own = clip_background(pictures)
        self.assertEqual(own[40, 60], 240)
        others = [np.clip(WALL.astype(int) + step, 0, 255).astype(np.uint8) for step in (3, -4, 0, 2)]
        helped = helped_background(own, pictures, help_of(own, others))
        self.assertLess(np.abs(helped.astype(int) - WALL)[30:60, 50:70].max(), 8)

    def test_a_van_that_stands_there_all_the_time_stays_in_the_background(self):
        pictures = np.repeat(WALL[None], 40, axis=0)
        pictures[:, 30:60, 50:70] = 240
        own = clip_background(pictures)
        np.testing.assert_array_equal(helped_background(own, pictures, help_of(own, [WALL] * 3)), own)

    def test_others_that_do_not_agree_or_have_another_size_change_nothing(self):
        pictures = np.repeat(WALL[None], 20, axis=0)
        pictures[:12, 30:60, 50:70] = 240
        own = clip_background(pictures)
        scattered = []
        for value in (20, 90, 160, 230):
            other = WALL.copy()
            other[30:60, 50:70] = value
            scattered.append(other)
        self.assertIsNone(help_of(own, scattered))
        self.assertIsNone(help_of(own, [WALL[:, :80]]))
