"""Tuning's figures against general libraries."""

import unittest

import numpy as np
from sklearn.metrics import fbeta_score, precision_score, recall_score

from guardia.core.tuning.days import Counts


class AgainstScikitLearn(unittest.TestCase):
    def test_precision_recall_and_f_beta(self):
        # Source: scikit-learn's own definitions, on random outcomes.
        rng = np.random.default_rng(2)
        for _ in range(40):
            truth, recorded = rng.random(60) < 0.4, rng.random(60) < 0.6
            counts = Counts(
                int(truth.sum()), int((truth & ~recorded).sum()), 0, int((~truth & recorded).sum()), days=10.0
            )
            self.assertAlmostEqual(counts.precision, precision_score(truth, recorded))
            self.assertAlmostEqual(counts.recall, recall_score(truth, recorded))
            for beta in (0.5, 1.0, 2.0, 5.0):
                self.assertAlmostEqual(counts.f_beta(beta), fbeta_score(truth, recorded, beta=beta))


if __name__ == "__main__":
    unittest.main()
