"""Storage, power and sun against outside sources: statsmodels, pvlib, NumPy's chance, and tables worked by hand."""

import itertools
import unittest
from datetime import date

import numpy as np
import pandas as pd
import pvlib
import statsmodels.api as sm

from guardia.core.hours.place import SitePlace
from guardia.core.storage.battery import fit_drain
from guardia.core.storage.figure import Figure, Source, product, ratio, total
from guardia.core.storage.rates import FileSize, measured_rate, straight_line
from guardia.core.storage.readings import UNIT_GB, Measure, Reading, alert_delay
from guardia.core.storage.solar import DIFFUSE_SHARE, Panel, clear_sun_hours

DAY = 86400.0


def readings_of(percent, warmth=None):
    found = [Reading(d * DAY, Measure.BATTERY, float(p)) for d, p in enumerate(percent)]
    if warmth is not None:
        found += [Reading(d * DAY, Measure.TEMPERATURE, float(t)) for d, t in enumerate(warmth)]
    return sorted(found, key=lambda r: r.at_s)


class Drain(unittest.TestCase):
    """statsmodels 0.15, OLS: slope and 90 % interval."""

    def test_slope_and_interval_are_those_of_least_squares(self):
        rng = np.random.default_rng(3)
        days = np.arange(12)
        percent = 95 - 2.5 * days + rng.normal(0, 1.0, 12)
        known = sm.OLS(percent, sm.add_constant(days)).fit()
        drain = fit_drain(readings_of(percent)).per_day
        low, high = known.conf_int(0.1)[1]
        np.testing.assert_allclose([drain.value, drain.low, drain.high], [-known.params[1], -high, -low], rtol=1e-9)

    def test_with_temperatures_it_is_that_of_two_terms(self):
        rng = np.random.default_rng(4)
        days, warmth = np.arange(14), 10 + 8 * np.sin(np.arange(14))
        percent = 95 - 2.0 * days + 0.4 * warmth + rng.normal(0, 0.5, 14)
        known = sm.OLS(percent, sm.add_constant(np.column_stack([days, warmth]))).fit()
        drain = fit_drain(readings_of(percent, warmth))
        np.testing.assert_allclose(
            [drain.per_day.value, drain.per_degree], [-known.params[1], known.params[2]], rtol=1e-8
        )
        self.assertLess(drain.per_day.high - drain.per_day.low, 0.5)

    def test_the_interval_holds_the_truth_in_at_least_85_of_100_runs(self):
        held = 0
        for seed in range(100):
            rng = np.random.default_rng(seed)
            truth = rng.uniform(0.5, 4.0)
            drain = fit_drain(readings_of(92 - truth * np.arange(15) + rng.normal(0, 1.5, 15))).per_day
            held += drain.low <= truth <= drain.high
        self.assertGreaterEqual(held, 85)

    def test_whole_percents_as_devices_show_them_are_held_in_85_to_97_of_100(self):
        """Rounding is no noise about a line: simulated at seven drains, readings 1 to 7 days apart, with and without
        noise of the cell, as published intervals of the slope do not have it (own simulation)."""
        rng = np.random.default_rng(28)
        held = tried = 0
        for truth, count, gap, noise in itertools.product((0.1, 0.3, 0.7, 1.5, 4.0), (4, 8, 15), (1, 7), (0.0, 0.5)):
            for _ in range(20 if truth * count * gap < 90 else 0):
                days = np.arange(count) * gap + rng.uniform(-0.3, 0.3, count)
                shown = np.round(rng.uniform(92, 99) - truth * days + rng.normal(0, noise, count))
                line = straight_line(days.tolist(), shown.tolist())
                held += line.low <= -truth <= line.high
                tried += 1
        self.assertTrue(0.85 <= held / tried <= 0.97, held / tried)


class SunOnAPanel(unittest.TestCase):
    """pvlib 0.16: Haurwitz' clear sky turned onto the panel, the same share taken as diffuse."""

    def test_full_sun_hours_lie_within_3_percent(self):
        for zone, latitude, longitude in (("Europe/London", 51.5, -0.1), ("Pacific/Auckland", -41.3, 174.8)):
            for month in (1, 4, 7, 10):
                day = date(2026, month, 15)
                panel = Panel(35.0)
                midnight = pd.Timestamp(day) - pd.Timedelta(hours=longitude / 15)
                times = pd.date_range(midnight, periods=24 * 60, freq="1min", tz="UTC")
                sun = pvlib.solarposition.get_solarposition(times, latitude, longitude)
                level = pvlib.clearsky.haurwitz(sun["zenith"])["ghi"]
                cosine = np.cos(np.radians(sun["zenith"])).clip(lower=0.05)
                faces = 180.0 if latitude > 0 else 0.0
                on_panel = pvlib.irradiance.get_total_irradiance(
                    panel.tilt, faces, sun["zenith"], sun["azimuth"], level * (1 - DIFFUSE_SHARE) / cosine, level,
                    level * DIFFUSE_SHARE, albedo=0.0,
                )["poa_global"]  # fmt: skip
                expected = float(on_panel.where(sun["zenith"] < 90, 0).sum()) / 60 / 1000
                found = clear_sun_hours(SitePlace(zone, latitude, longitude), day, panel)
                self.assertLess(abs(found / expected - 1), 0.03, (zone, month, found, expected))


class Bands(unittest.TestCase):
    """NumPy's chance: deviations of sums are normal, of products lognormal; 5 % and 95 % of the outcomes."""

    def test_bands_of_sums_products_and_ratios(self):
        rng, z = np.random.default_rng(5), 1.6449
        spread = {"a": 0.2, "b": 0.35}
        logs = {n: np.exp(rng.normal(0, s / z, 400_000)) for n, s in spread.items()}
        figures = {n: Figure(n, 1.0, np.exp(-s), np.exp(s), "", Source.ASSUMED) for n, s in spread.items()}
        for made, outcome in (
            (product("p", "", figures["a"], figures["b"]), logs["a"] * logs["b"]),
            (ratio("r", "", figures["a"], figures["b"]), logs["a"] / logs["b"]),
        ):
            np.testing.assert_allclose([made.low, made.high], np.percentile(outcome, [5, 95]), rtol=0.01)
        summed = total("s", "", Figure("a", 10, 8, 12, "", Source.ASSUMED), Figure("b", 5, 4, 6, "", Source.ASSUMED))
        outcome = rng.normal(10, 2 / z, 400_000) + rng.normal(5, 1 / z, 400_000)
        np.testing.assert_allclose([summed.low, summed.high], np.percentile(outcome, [5, 95]), rtol=0.01)

    def test_the_interval_of_a_rate_holds_the_truth_in_at_least_85_of_100_runs(self):
        held = 0
        for seed in range(100):
            rng = np.random.default_rng(seed)
            seconds = rng.uniform(5, 40, 25)
            bits = seconds * 2.0 * rng.lognormal(-0.045, 0.3, 25)
            files = [FileSize(round(b / 8 * 1e6), s, False, True) for b, s in zip(bits, seconds, strict=True)]
            rate = measured_rate(files, "rate")
            held += rate.low <= 2.0 <= rate.high
        self.assertGreaterEqual(held, 85)

    def test_the_interval_of_the_median_delay_holds_it_in_at_least_85_of_100_runs(self):
        held = 0
        for seed in range(100):
            delays = np.random.default_rng(seed).lognormal(np.log(12), 0.5, 15)
            found = alert_delay(tuple(Reading(float(n), Measure.ALERT_DELAY, float(d)) for n, d in enumerate(delays)))
            held += found.low_s <= 12 <= found.high_s
        self.assertGreaterEqual(held, 85)

    def test_alerts_that_never_came_are_later_than_any_that_did(self):
        found = alert_delay(
            tuple(Reading(float(n), Measure.ALERT_DELAY, d) for n, d in enumerate([3, 4, 8] + [None] * 5))
        )
        self.assertEqual((found.median_s, found.came, found.never), (np.inf, 3, 5))
        self.assertIn("cannot be relied on", found.words)
        one = alert_delay(tuple(Reading(float(n), Measure.ALERT_DELAY, d) for n, d in enumerate([3.0, 5.0, 8.0, None])))
        self.assertEqual((one.median_s, one.low_s, one.high_s), (6.5, 3.0, np.inf))


class CapacityAsShown(unittest.TestCase):
    """GB are 10^9 bytes, GiB 2^30 (IEC 80000-13); a printed 32 GB shows as 29.8 GiB, 256 GB as 238.4."""

    def test_printed_and_shown(self):
        for printed, shown in ((32, 29.80), (64, 59.60), (128, 119.21), (256, 238.42), (1000, 931.32)):
            self.assertAlmostEqual(printed / UNIT_GB["GiB"], shown, 2)
