"""Calibrating the scale: recovered from seeded simulation, against a general library, monotone over notches."""

import unittest
from dataclasses import replace

import numpy as np
import statsmodels.api as sm

from guardia.core.evidence.epochs import Epoch
from guardia.core.tuning.scale import LAPSE, OWN_SPREAD, Seen, calibrate_scale, chance, seen_by, telling_walk
from guardia.store.project import Project
from tests.support import DEMO, blob_trace, capability, evidence_of

RUNS = 40


def simulated(rng: np.random.Generator, label: str, factor: float, count: int, width: float = 0.12) -> list[Seen]:
    strengths = np.exp(rng.uniform(-1, 1.5, count))
    passes = rng.random(count) < chance(strengths, factor, width=width)
    return [Seen(label, float(x), bool(y)) for x, y in zip(strengths, passes, strict=True)]


class Scale(unittest.TestCase):
    def test_the_true_scale_lies_in_the_interval_in_nine_of_ten_runs(self):
        make, rng, inside = capability(), np.random.default_rng(5), 0
        for _ in range(RUNS):
            common = rng.normal(0, 0.28)
            factors = {n.label: float(np.exp(common + rng.normal(0, OWN_SPREAD))) for n in make.notches}
            seen = [s for label in ("6", "7") for s in simulated(rng, label, factors[label], 25)]
            scales = {s.label: s for s in calibrate_scale(seen, make)}
            inside += all(scales[label].low <= factors[label] <= scales[label].high for label in ("6", "7"))
            self.assertLess(scales["6"].high / scales["6"].low, scales["1"].high / scales["1"].low)
        self.assertGreaterEqual(inside, 0.85 * RUNS)  # both at once, of intervals of 95 %

    def test_with_much_evidence_it_is_what_a_probit_regression_finds(self):
        # Source: statsmodels' probit of the answers on the logarithm of the strength.
        make, rng = capability(), np.random.default_rng(9)
        seen = simulated(rng, "7", 1.3, 800, width=0.2)
        x = np.log([s.strength for s in seen])
        fitted = sm.Probit([s.triggered for s in seen], sm.add_constant(x)).fit(disp=False)
        threshold = float(np.exp(-fitted.params[0] / fitted.params[1]))
        scale = next(s for s in calibrate_scale(seen, make) if s.label == "7")
        self.assertAlmostEqual(scale.factor, threshold, delta=0.06)
        self.assertLess(scale.high / scale.low, 1.2)

    def test_without_evidence_the_band_of_the_make_comes_out_and_thresholds_fall(self):
        make = capability()
        for scale, notch in zip(calibrate_scale([], make), make.notches, strict=True):
            self.assertAlmostEqual(scale.low, notch.size_low / notch.size, delta=0.15)
            self.assertAlmostEqual(scale.high, notch.size_high / notch.size, delta=0.35)
        rng = np.random.default_rng(1)
        mixed = simulated(rng, "5", 0.5, 60) + simulated(rng, "6", 2.0, 60)
        sizes = [n.size * s.factor for n, s in zip(make.notches, calibrate_scale(mixed, make), strict=True)]
        self.assertEqual(sizes, sorted(sizes, reverse=True))
        self.assertGreater(chance(np.array([0.01]), 1.0, width=0.1)[0], LAPSE / 2)

    def test_motion_clips_tell_that_they_triggered_and_footage_only_where_the_camera_looked(self):
        with Project(DEMO) as project:
            camera = next(c for c in project.cameras.all() if c.name == "Office step")
            evidence = project.evidence(camera.id)
        seen = seen_by(evidence, camera.capability)
        self.assertEqual({s.notch for s in seen}, {camera.installed.detection.notch})
        self.assertTrue(all(s.triggered for s in seen))
        (scale,) = (s for s in calibrate_scale(seen, camera.capability) if s.label == "5")
        self.assertIn("walk across the view at notch 5, where a person", telling_walk(scale))
        self.assertIn("at notch 5, about 14 m ahead, where", telling_walk(scale, at_m=14.2))
        self.assertIn(
            "would tell little", telling_walk(replace(scale, low=scale.factor / 1.1, high=scale.factor * 1.1))
        )
        self.assertEqual(seen_by(evidence_of([blob_trace([4] * 9)], kinds=[""]), capability()), [])
        self.assertIsInstance(evidence.epochs[-1], Epoch)


if __name__ == "__main__":
    unittest.main()
