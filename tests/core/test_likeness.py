"""Groups of similar occurrences, suggestions and doubts, on made-up features and traces."""

import unittest

import numpy as np

from guardia.core.score import likeness as module
from guardia.core.score.likeness import Features, Likeness, doubtful, features_of, groups, likeness, suggest
from tests.support import blob_trace, evidence_of

CENTRES = {"person": 0.0, "foliage": 8.0, "insect_or_web": -8.0}


def crowd(per_kind=12, seed=1):
    """Occurrences of three kinds, each around a point of its own: (space, right kind by id)."""
    rng = np.random.default_rng(seed)
    kinds = {n * 100 + k: kind for n, kind in enumerate(CENTRES) for k in range(per_kind)}
    points = np.stack([rng.normal(CENTRES[kind], 0.3, 6) for kind in kinds.values()])
    return Likeness(tuple(kinds), points), kinds


class Groups(unittest.TestCase):
    def test_each_kind_makes_a_group_and_everybody_is_in_exactly_one(self):
        space, kinds = crowd()
        found = groups(space)
        self.assertEqual(len(found), 3)
        self.assertEqual(sorted(i for g in found for i in g), sorted(kinds))
        self.assertTrue(all(len({kinds[i] for i in g}) == 1 for g in found))

    def test_the_odd_one_comes_last(self):
        space, _ = crowd()
        space.points[3] += 1.5
        group = next(g for g in groups(space) if space.ids[3] in g)
        self.assertEqual(group[-1], space.ids[3])

    def test_of_very_many_the_rest_joins_the_nearest(self):
        space, kinds = crowd(per_kind=40)
        before, module.MOST = module.MOST, 30
        self.addCleanup(setattr, module, "MOST", before)
        found = groups(space)
        self.assertEqual(sorted(len(g) for g in found), [40, 40, 40])
        self.assertTrue(all(len({kinds[i] for i in g}) == 1 for g in found))

    def test_none_and_one_make_no_trouble(self):
        self.assertEqual(groups(likeness({}, {})), [])
        self.assertEqual(groups(likeness({7: Features()}, {})), [(7,)])


class Suggestions(unittest.TestCase):
    def test_the_nearest_judged_suggest_and_the_far_ones_hardly(self):
        space, kinds = crowd()
        judged = {i: kind for i, kind in kinds.items() if i % 3 == 0}
        told = suggest(space, judged, [i for i in kinds if i not in judged])
        self.assertTrue(all(s.kind == kinds[i] and s.certainty > 0.8 for i, s in told.items()))
        lonely = Likeness((*space.ids, 999), np.vstack([space.points, np.full(6, 40.0)]))
        self.assertLess(suggest(lonely, judged, [999])[999].certainty, 0.05)
        self.assertEqual(suggest(space, {}, [0]), {})

    def test_a_wrong_judgement_among_its_likes_is_doubted_first(self):
        space, kinds = crowd()
        wrong = {**kinds, 105: "person"}
        (first, told), *_ = doubtful(space, wrong)
        self.assertEqual((first, told.kind), (105, "foliage"))
        self.assertEqual(doubtful(space, kinds), [])
        self.assertEqual(doubtful(space, {0: "person"}), [])


class WhatIsCompared(unittest.TestCase):
    def value(self, name, trace):
        evidence = evidence_of([trace], kinds=[""])
        return float(getattr(features_of(evidence, evidence.occurrences[0]), name))

    def test_each_tells_what_it_is_named_after(self):
        small, large = blob_trace([4] * 40), blob_trace([60] * 40)
        self.assertLess(self.value("area", small), self.value("area", large))
        self.assertLess(self.value("column", small), self.value("column", blob_trace([4] * 40, column=25)))
        steady, blinking = blob_trace([9] * 40), blob_trace([9, 9, 9, 0, 0, 0] * 7)
        self.assertGreater(self.value("period", blinking), self.value("period", steady) + 0.3)
        self.assertGreater(self.value("swell", blob_trace(list(range(2, 42)))), 0.5)
        self.assertLess(self.value("strength", blob_trace([9] * 40, contrast=12)), self.value("strength", steady))

    def test_a_still_clip_and_a_single_picture_are_described_too(self):
        for sizes in ([0] * 20, [5]):
            evidence = evidence_of([blob_trace(sizes)], kinds=[""])
            self.assertTrue(np.isfinite(features_of(evidence, evidence.occurrences[0])).all())

    def test_what_the_camera_named_sets_apart(self):
        features = {i: Features() for i in range(4)}
        space = likeness(features, {0: "person", 1: "person", 2: ""})
        self.assertEqual(float(np.linalg.norm(space.points[0] - space.points[1])), 0.0)
        self.assertAlmostEqual(float(np.linalg.norm(space.points[0] - space.points[3])), module.NAMED_WEIGHT)
