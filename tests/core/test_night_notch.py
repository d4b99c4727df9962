"""A notch for the night apart: what it means in the model, by the bench camera's code, in the search and in words."""

import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from guardia.benchcam.camera import Decider
from guardia.core.base.errors import InvalidValue
from guardia.core.make.convert_settings import copied
from guardia.core.make.levers import limits_broken
from guardia.core.make.settings import Settings, settings_from_dict, settings_to_dict
from guardia.core.make.shows_more import could_show_more
from guardia.core.make.zones import PolygonZone, ZoneKind, zone_cells
from guardia.core.replay.anchored import Anchor
from guardia.core.replay.replay import replay
from guardia.core.replay.seen import seen_by
from guardia.core.score.candidates import Scorer
from guardia.core.trace.measure import GRID, least_size
from guardia.core.tuning.cures import usual_cures
from guardia.core.tuning.tune import tune
from guardia.report.sheet import steps
from tests.core.test_brute_force import random_trace, sizes_by_labelling
from tests.support import blob_trace, capability, evidence_of, tried

MAKE = "polygon-mains-camera"
LEFT = PolygonZone(ZoneKind.WATCH, ((0, 0), (0.5, 0), (0.5, 1), (0, 1)), "left")
RIGHT = PolygonZone(ZoneKind.WATCH, ((0.5, 0), (1, 0), (1, 1), (0.5, 1)), "right", "4")
DAY_S, START_S = 86_400.0, 1_757_200_000.0


def lit(evidence, dark):
    """The same evidence, each clip in a light of its own."""
    clips = (replace(clip, brightness=20.0 if at else 120.0) for clip, at in zip(evidence.clips, dark, strict=True))
    return replace(evidence, clips=tuple(clips))


class InTheModel(unittest.TestCase):
    @settings(max_examples=25, deadline=None, derandomize=True)
    @given(
        seed=st.integers(0, 10**6), day=st.integers(1, 10), night=st.integers(1, 10),
        zones=st.sampled_from([(), (LEFT,), (LEFT, RIGHT)]), test=st.sampled_from(["pixels", "box", "foot"]),
    )  # fmt: skip
    def test_each_light_has_its_notch_and_a_zone_keeps_its_own(self, seed, day, night, zones, test):
        """Against labelling picture by picture: docs/motion-model.md, steps 3, 4 and 6."""
        traces, dark = [random_trace(seed + n, irregular=False) for n in range(2)], [False, True]
        evidence = lit(evidence_of(traces, kinds=["", ""]), dark)
        chosen = Settings.of(MAKE, str(day), zones, night_notch=str(night))
        make = replace(capability(), zone_test=test)
        done = replay(evidence, replace(tried(chosen), capability=make))
        passes = done.motion.sizes >= done.motion.needed
        for index, trace in enumerate(traces):
            expected = np.zeros(trace.frames, bool)
            for zone in zones or (None,):
                own = zone.notch if zone is not None and zone.notch else str(night if dark[index] else day)
                notch = make.notch(own)
                cells = np.ones((18, 32), bool) if zone is None else zone_cells((zone,), grid=GRID)
                sizes = sizes_by_labelling(trace.dense(), cells, notch.contrast, test, trace.times_s)
                expected |= sizes >= least_size(notch.size, GRID.cells)
            span = slice(*evidence.stack.clip_start[index : index + 2].tolist())
            np.testing.assert_array_equal(passes[span], expected)

    def test_the_same_notch_by_night_is_as_none_and_a_sensitivity_given_directly_holds_always(self):
        evidence = lit(evidence_of([blob_trace([6] * 9)] * 2, kinds=["person"] * 2), [False, True])
        for one, other in (
            (Settings.of(MAKE, "6", night_notch="6"), Settings.of(MAKE, "6")),
            (Settings.of(MAKE, night_notch="1", sensitivity=(12, 0.01)), Settings.of(MAKE, sensitivity=(12, 0.01))),
        ):
            sizes = [replay(evidence, tried(chosen)).motion.sizes for chosen in (one, other)]
            np.testing.assert_array_equal(*sizes)
        with self.assertRaisesRegex(InvalidValue, "no sensitivity 'high'"):
            replay(evidence, tried(Settings.of(MAKE, "6", night_notch="high")))

    def test_a_score_remembered_for_one_notch_by_night_is_not_taken_for_another(self):
        evidence, scorer = lit(evidence_of([blob_trace([6] * 9)] * 2, kinds=["person"] * 2), [False, True]), Scorer()
        recorded = [scorer.replay(evidence, tried(Settings.of(MAKE, "10", night_notch=n))).recorded.tolist()
                    for n in ("", "1", "10")]  # fmt: skip
        self.assertEqual(recorded, [[True, True], [True, False], [True, True]])

    def test_the_bench_camera_decides_by_it_with_code_of_its_own(self):
        background = np.full((360, 640, 3), 60, np.uint8)
        moved = background.copy()
        moved[100:148, 100:148] = 160
        for night in (False, True):
            for day_notch, night_notch, passes in (("10", "1", not night), ("1", "10", night), ("10", "", True)):
                told = Settings.of(MAKE, day_notch, night_notch=night_notch)
                decider = Decider(told, capability(), night=night)
                seen = [decider.triggered(picture, at) for at, picture in enumerate((background, moved))]
                self.assertEqual(seen, [False, passes], (night, day_notch, night_notch))


class InTuning(unittest.TestCase):
    EVERY_DAY = (("person", 4, False), ("insect_or_web", 5, True), ("person", 14, True))
    """Kind, size in cells, whether at night: insects are as large as the persons by day, only the light parts them."""

    @classmethod
    def setUpClass(cls):
        traces, kinds, starts, dark = [], [], [], []
        for day in range(8):
            for n, (kind, size, at_night) in enumerate(cls.EVERY_DAY):
                traces.append(blob_trace([0, *[size] * 20, 0], column=3))
                kinds.append(kind)
                dark.append(at_night)
                starts.append(START_S + DAY_S * day + 900.0 * n)
        watched = [(START_S - 3600, START_S + DAY_S * 8)]
        installed = Settings.of(MAKE, "9")
        cls.evidence = lit(evidence_of(traces, kinds=kinds, starts=starts, watched=watched, installed=installed), dark)
        cls.installed = tried(installed)

    def test_the_search_moves_it_apart_and_keeps_the_small_ones_of_the_day(self):
        found = tune(self.evidence, self.installed)
        detection = found.chosen.settings.detection
        # Of thresholds that 24 clips leave in doubt something is expected to come, and to be lost.
        self.assertEqual(found.installed.false, 8)
        for counts in (found.tuned, found.held_out):
            self.assertLessEqual(counts.false, 5)
            self.assertEqual(counts.missed, 0, "nothing is lost first")
        self.assertIn(detection.night_notch, ("2", "3", "4", "5", "6"))
        self.assertIn("sensitivity at night", [step.words for step in found.plan])
        words = {words for words, _, _ in found.singles}
        self.assertLessEqual({"sensitivity 5", "sensitivity 5 by day", "sensitivity 5 at night"}, words)

    def test_a_make_without_it_is_not_offered_it(self):
        bare = replace(self.installed, capability=replace(self.installed.capability, night_notch=False))
        found = tune(self.evidence, bare)
        self.assertGreater(found.tuned.false + 5 * found.tuned.missed, 0)
        self.assertFalse(any("at night" in words for words, _, _ in found.singles))
        self.assertFalse(any("at night" in cure.remedy.words for cure in usual_cures(self.evidence, bare, ())))
        self.assertTrue(any("at night" in cure.remedy.words for cure in usual_cures(self.evidence, self.installed, ())))
        self.assertIn("'2' as sensitivity at night", limits_broken(bare.with_values(night_notch="2"))[0])

    def test_it_is_not_tried_where_nothing_is_judged_in_one_of_the_lights(self):
        one = lit(self.evidence, [False] * len(self.evidence.clips))
        self.assertFalse(any("at night" in words for words, _, _ in tune(one, self.installed).singles))

    def test_motion_clips_cannot_answer_for_more_sensitivity_in_one_light_only(self):
        old, make = Settings.of(MAKE, "6", night_notch="3"), self.installed.capability
        for values, words in (
            ({"night_notch": "2"}, ()),
            ({"night_notch": "4"}, ("sensitivity at night",)),
            ({"night_notch": ""}, ("sensitivity at night",)),
            ({"notch": "5", "night_notch": "3"}, ()),
            ({"notch": "7", "night_notch": "3"}, ("sensitivity",)),
        ):
            self.assertEqual(could_show_more(old.with_values(**values), old, make, grid=GRID), words, values)

    def test_what_was_seen_at_night_tells_of_the_notch_of_the_night(self):
        epochs = tuple(replace(e, settings=Settings.of(MAKE, "9", night_notch="7")) for e in self.evidence.epochs)
        make = self.installed.capability
        evidence = replace(self.evidence, epochs=epochs)
        seen = seen_by(evidence, make)
        self.assertEqual([s.notch for s in seen].count("9"), 8)
        self.assertEqual([s.notch for s in seen].count("7"), 16)
        anchor = Anchor(evidence, make)
        own = anchor.own(tried(Settings.of(MAKE, "9", night_notch="7"))).capability
        for level in anchor.scale.levels:
            self.assertAlmostEqual(own.notch(level.label).size, make.notch(level.label).size * level.factor)
            self.assertEqual(level.seen, [s.notch for s in seen].count(level.label))


class InWords(unittest.TestCase):
    def test_it_is_kept_entered_and_carried_to_another_make(self):
        chosen = Settings.of(MAKE, "7", night_notch="4")
        self.assertEqual(settings_from_dict(settings_to_dict(chosen)), chosen)
        self.assertIn("Sensitivity at night: 4", steps(chosen, capability()))
        self.assertIn("Sensitivity at night: as by day", steps(Settings.of(MAKE, "7"), capability()))
        other = capability("battery-camera-on-hub")
        self.assertFalse(any("at night" in line for line in steps(Settings.of(other.id, "high"), other)))
        there = replace(tried(Settings.of(other.id, "high")), capability=other)
        taken, lost = copied(tried(chosen), there, zones=True)
        self.assertEqual(taken.detection.night_notch, "")
        self.assertRegex(lost[0], "sensitivity: '7' becomes '.*', the nearest of this make")
        self.assertRegex(lost[1], "sensitivity at night: '4' becomes '.*', as by day")


if __name__ == "__main__":
    unittest.main()
