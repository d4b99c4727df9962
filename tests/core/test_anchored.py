"""Figures start from what the camera did: facts first, and what follows from them for other settings."""

import math
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.stats import poisson_binom

from guardia.core.base.intervals import expected_number
from guardia.core.evidence.clips import Origin
from guardia.core.evidence.epochs import Epoch
from guardia.core.make.settings import Settings
from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.core.replay import gates
from guardia.core.replay.anchored import NOT_KNOWN, NOT_RECORDED, RECORDED, Anchor, anchored
from guardia.core.replay.factor import chance
from guardia.core.replay.replay import replay
from guardia.core.score.candidates import Scorer
from guardia.core.score.score import Flip
from tests.core.test_candidates import random_evidence, random_settings
from tests.support import blob_trace, capability, evidence_of, plain, tried

MAKE = "polygon-mains-camera"
KINDS = ["person", "foliage"]


def under(evidence, chosen):
    return replace(evidence, epochs=(Epoch(-math.inf, math.inf, chosen),))


class Facts(unittest.TestCase):
    @settings(max_examples=25, deadline=None)
    @given(st.integers(0, 10_000), st.sampled_from([n.label for n in capability().notches]), st.booleans())
    def test_a_draft_equal_to_what_is_installed_changes_nothing_and_installed_is_what_happened(
        self, seed, label, known
    ):
        rng = np.random.default_rng(seed)
        evidence = random_evidence(seed % 7)
        chosen = random_settings(rng).with_values(sensitivity=None, notch=label)
        both = Scorer().compare(under(evidence, chosen) if known else evidence, tried(chosen), tried(chosen))
        self.assertEqual(both.changes, ())
        self.assertEqual(both.installed, both.draft)
        if known:
            clips = {o.id for o in evidence.occurrences if evidence.clip_of(o).by_motion}
            silent = {*both.installed.real_missed, *both.installed.false_silenced}
            self.assertEqual(clips & silent, set(), "what is on a motion clip was recorded")

    def test_what_has_no_effect_changes_nothing(self):
        evidence = under(random_evidence(3), plain(9))
        for values in ({"status_light": "off"}, {"quality": "high"}):
            both = Scorer().compare(evidence, tried(plain(9)), tried(plain(9, **values)))
            self.assertEqual(both.changes, (), values)

    def test_the_camera_goes_before_the_model(self):
        # By the model neither would be recorded: 23 clips in six days that a nominal threshold calls silent.
        evidence = under(evidence_of([blob_trace([5] * 20)] * 4, kinds=KINDS * 2), Settings.of(MAKE, "1"))
        done = Scorer().compare(evidence, *[tried(Settings.of(MAKE, "1"))] * 2).installed
        self.assertEqual((len(done.real_recorded), len(done.false_recorded)), (2, 2))
        self.assertEqual((done.missed, done.false), ((0.0, 0, 0), (2.0, 2, 2)))

    def test_what_is_recorded_a_day_is_what_was_and_a_draft_is_longer_as_the_model_says(self):
        # Twelve seconds each, of which the model would have recorded the five in which something moves.
        chosen = plain(4, release_s=1.0)
        evidence = evidence_of(
            [blob_trace([0] * 5 + [9] * 20 + [0] * 35)] * 4, kinds=KINDS * 2, installed=chosen,
            watched=[(1_757_200_000.0 - 3600, 1_757_200_000.0 + 23 * 3600)],
        )  # fmt: skip

        def seconds(settings):
            return Scorer().compare(evidence, *[tried(s) for s in (chosen, settings)]).draft.recorded_s_per_day

        whole = sum(clip.duration_s for clip in evidence.clips)
        self.assertAlmostEqual(seconds(chosen), whole, places=3)
        self.assertAlmostEqual(seconds(chosen.with_values(status_light="off")), whole, places=3)
        away = PolygonZone(ZoneKind.WATCH, ((0.6, 0.0), (1.0, 0.0), (1.0, 1.0), (0.6, 1.0)), "elsewhere")
        self.assertEqual(seconds(chosen.with_values(zones=(away,))), 0.0)
        fixed = chosen.with_values(length_s=10.0)
        by_model = [
            sum(r.end_s - r.start_s for recordings in replay(evidence, tried(s)).recordings for r in recordings)
            for s in (chosen, fixed)
        ]
        self.assertAlmostEqual(seconds(fixed), whole * by_model[1] / by_model[0], places=3)

    def test_footage_without_a_clip_was_not_recorded_where_the_camera_looked_and_says_so(self):
        traces = [blob_trace([40] * 20)] * 3
        origins = [Origin.MOTION, Origin.CONTINUOUS, Origin.CONTINUOUS]
        starts = [1_757_200_000.0, 1_757_200_000.0, 1_757_203_600.0]
        evidence = under(evidence_of(traces, kinds=["person"] * 3, origin=origins, starts=starts), plain(20))
        anchor = Anchor(evidence, capability())
        self.assertEqual(anchor.facts.tolist(), [RECORDED, RECORDED, NOT_RECORDED])
        done = anchor.replay(tried(plain(20)))
        self.assertEqual(done.recorded.tolist(), [True, True, False])
        outcome = done.outcomes[102]
        self.assertEqual(outcome.gate, gates.OBSERVED)
        self.assertIn("the camera did not record it then", outcome.reason)
        alone = under(evidence_of(traces[:1], kinds=["person"], origin=Origin.CONTINUOUS), plain(20))
        self.assertEqual(Anchor(alone, capability()).facts.tolist(), [NOT_KNOWN])


class Drafts(unittest.TestCase):
    def test_what_follows_is_what_a_simulation_of_cameras_and_luck_finds(self):
        # Source: drawing factors and the luck of each occurrence, and keeping what the camera did then.
        sizes = (5, 8, 10, 14, 30)
        evidence = under(
            evidence_of([blob_trace([n] * 20) for n in sizes], kinds=["person"] * 5), Settings.of(MAKE, "5")
        )
        anchor, old, new = Anchor(evidence, capability()), Settings.of(MAKE, "5"), Settings.of(MAKE, "3")
        chances = anchor.replay(tried(new)).chances
        make, rng = capability(), np.random.default_rng(1)
        needed = {s.detection.notch: make.notch(s.detection.notch).size * 576 for s in (old, new)}
        width, nodes = anchor.scale.width, len(chances)
        for place, size in enumerate(sizes):
            for node in range(0, nodes, 3):
                luck = rng.normal(0.0, width, 200_000)
                passing = {}
                for label, size_needed in needed.items():
                    factor = anchor.scale.factors(label)[node]
                    # The same luck decides under both settings.
                    share = chance(np.array([size / size_needed]), factor, width=width)[0]
                    level = np.quantile(luck, 1 - share) if 0 < share < 1 else -np.inf
                    passing[label] = luck >= level
                kept = (passing["3"] & passing["5"]).sum() / max(1, passing["5"].sum())
                self.assertAlmostEqual(chances[node, place], kept, delta=0.02)

    def test_weaker_never_records_more_and_the_nodes_are_ordered(self):
        evidence = under(random_evidence(2), Settings.of(MAKE, "6"))
        anchor = Anchor(evidence, capability())
        before = None
        for label in ("10", "8", "6", "4", "2", "1"):
            chances = anchor.replay(tried(Settings.of(MAKE, label))).chances.mean(axis=0)
            if before is not None:
                self.assertTrue((chances <= before + 1e-9).mean() > 0.95, label)
            before = chances

    def test_a_zone_without_any_of_its_motion_surely_silences_it(self):
        evidence = under(evidence_of([blob_trace([9] * 20, column=20)], kinds=["foliage"]), Settings.of(MAKE, "9"))
        left = (PolygonZone(ZoneKind.WATCH, ((0, 0), (0.3, 0), (0.3, 1), (0, 1)), "left"),)
        both = Scorer().compare(evidence, tried(Settings.of(MAKE, "9")), tried(Settings.of(MAKE, "9", zones=left)))
        (change,) = both.changes
        self.assertEqual((change.flip, change.certainty.value), (Flip.NEWLY_SILENCED, "surely"))
        self.assertEqual(both.draft.false, (0.0, 0, 0))

    def test_settings_that_nobody_knows_leave_more_in_doubt(self):
        evidence = evidence_of([blob_trace([n] * 20) for n in (4, 6, 9, 14)], kinds=["person"] * 4)
        draft = tried(Settings.of(MAKE, "4"))
        known = anchored(under(evidence, Settings.of(MAKE, "10")), draft).chances.mean(axis=0)
        unknown = anchored(evidence, draft).chances.mean(axis=0)
        self.assertTrue((unknown >= known - 1e-9).all(), "a level that lets little through makes it likelier now, too")
        self.assertTrue(((unknown > 0) & (unknown < 1)).any())

    def test_the_number_that_is_expected_is_that_of_a_poisson_binomial(self):
        # Source: scipy.stats.poisson_binom.
        chances = np.random.default_rng(4).random(60)
        law, found = poisson_binom(chances), expected_number(chances[None, :])
        self.assertAlmostEqual(found.mean, law.mean(), places=9)
        self.assertLessEqual(abs(found.low - law.ppf(0.025)), 1)
        self.assertLessEqual(abs(found.high - law.ppf(0.975)), 1)
        self.assertEqual(expected_number(np.array([[1.0, 0.0, 1.0]])), (2.0, 2, 2))
        self.assertEqual(expected_number(np.zeros((1, 0))), (0.0, 0, 0))


if __name__ == "__main__":
    unittest.main()
