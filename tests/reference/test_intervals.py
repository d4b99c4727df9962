"""Intervals against scipy and published values."""

import unittest

from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import binomtest, poisson

from guardia.core.base.intervals import rate_interval, wilson


class Intervals(unittest.TestCase):
    @settings(max_examples=100, deadline=None, derandomize=True)
    @given(st.integers(1, 400), st.floats(0, 1), st.sampled_from([0.9, 0.95, 0.99]))
    def test_wilson_against_scipy(self, trials, share, confidence):
        """Source: scipy.stats.binomtest(...).proportion_ci(method='wilson')."""
        successes = round(share * trials)
        reference = binomtest(successes, trials).proportion_ci(confidence_level=confidence, method="wilson")
        low, high = wilson(successes, trials, confidence=confidence)
        self.assertAlmostEqual(low, reference.low, places=10)
        self.assertAlmostEqual(high, reference.high, places=10)

    def test_no_misses_in_eight_is_compatible_with_missing_a_third(self):
        """Source: the field handbook's judgement 'no misses in 8 real events ... a third', checked with scipy."""
        low, high = wilson(0, 8)
        self.assertEqual(low, 0.0)
        self.assertAlmostEqual(high, binomtest(0, 8).proportion_ci(method="wilson").high, places=12)
        self.assertAlmostEqual(high, 1 / 3, delta=0.02)

    def test_rates_against_the_poisson_distribution_itself(self):
        """Source: definition of the exact interval: each bound leaves 2.5 % in its tail (scipy.stats.poisson)."""
        for events in (1, 3, 10, 71):
            low, high = rate_interval(events, 7.0)
            self.assertAlmostEqual(float(poisson.sf(events - 1, low * 7)), 0.025, places=9)
            self.assertAlmostEqual(float(poisson.cdf(events, high * 7)), 0.025, places=9)

    def test_published_poisson_limits(self):
        """Source: exact 95 % Poisson limits as tabulated since Garwood 1936 (values from memory)."""
        for events, low, high in ((0, 0.0, 3.689), (1, 0.0253, 5.572), (5, 1.623, 11.668), (10, 4.795, 18.390)):
            actual = rate_interval(events, 1.0)
            self.assertAlmostEqual(actual[0], low, places=3)
            self.assertAlmostEqual(actual[1], high, places=3)

    def test_rule_of_three(self):
        """Source: 'rule of three' (from memory): no event in n bounds the rate at about 3 / n, one-sided 95 %."""
        self.assertAlmostEqual(rate_interval(0, 100.0, confidence=0.90)[1], 0.03, delta=0.0005)

    def test_impossible_counts_are_refused(self):
        for bad in ((-1, 5), (6, 5)):
            with self.assertRaises(ValueError):
                wilson(*bad)
        for bad in ((-1, 5.0), (1, 0.0)):
            with self.assertRaises(ValueError):
                rate_interval(*bad)
