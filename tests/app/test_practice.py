"""Practice: an unseen scene recorded, a draft held against the truth of the days after, results kept."""

import unittest
from dataclasses import replace
from itertools import pairwise

from guardia.app.project.practice import finish, is_practice, keep_result, kept_results, new_scene, result_lines
from guardia.app.work.jobs import Token
from guardia.benchcam.practice import LEVELS, practice_scene
from guardia.core.base.errors import Cancelled, InvalidValue, ProjectError
from guardia.core.make.settings import Settings
from guardia.core.tuning.practice import Week, reached, with_step_of
from guardia.store.project import Project
from tests.support import FolderCase

SLIPWAY_SCENE = 1


def silent(_progress):
    pass


class Levels(unittest.TestCase):
    def test_each_level_holds_the_events_of_the_one_before_and_the_last_is_all_there_is(self):
        scenes = [practice_scene(level, SLIPWAY_SCENE) for level in LEVELS]
        events = [{(e.kind, e.begin_s) for e in scene.events} for scene in scenes]
        for easier, harder in pairwise(events):
            self.assertLess(easier, harder)
        first = scenes[0]
        self.assertEqual(len({e.kind for e in first.events} - {"person", "vehicle", "parcel"}), 1)
        self.assertFalse([e for e in first.events if first.light(e.begin_s).name == "NIGHT"])
        self.assertTrue([e for e in scenes[-1].events if first.light(e.begin_s).name == "NIGHT"])

    def test_a_scene_is_seen_the_other_way_round(self):
        scene = practice_scene(LEVELS[0], SLIPWAY_SCENE)
        picture = scene.view(1000.0, 3).picture(1000.0)
        same = replace(scene, mirrored=False).view(1000.0, 3).picture(1000.0)
        self.assertTrue((picture == same[:, ::-1]).all())
        self.assertFalse((picture == same).all())


class Reached(unittest.TestCase):
    def test_the_best_is_all_no_gain_is_nothing_and_worse_is_below(self):
        self.assertEqual([reached(20, own, 4) for own in (4, 20, 12, 28)], [1.0, 0.0, 0.5, -0.5])
        self.assertEqual([reached(3, own, 3) for own in (3, 4)], [1.0, 0.0])
        self.assertEqual(Week(3, 2).cost(5.0), 13.0)

    def test_one_step_is_taken_from_the_better_settings_at_a_time(self):
        own, better = Settings.of("x", "9", rest_s=30.0), Settings.of("x", "5", rest_s=5.0)
        swapped = with_step_of(own, better)
        self.assertEqual(set(swapped), {"sensitivity", "recording"})
        self.assertEqual(swapped["sensitivity"], Settings.of("x", "5", rest_s=30.0))
        self.assertEqual(swapped["recording"], Settings.of("x", "9", rest_s=5.0))


class WholePractice(FolderCase):
    def test_a_day_is_recorded_tuned_held_against_the_truth_and_kept(self):
        folder = new_scene(self.folder / "p", 5, SLIPWAY_SCENE, token=Token(), progress=silent, days=1)
        self.assertTrue(is_practice(folder))
        with Project(folder) as project:
            camera = next(iter(project.cameras.all()))
            evidence = project.evidence(camera.id)
            self.assertGreater(len(evidence.clips), 3)
            self.assertFalse([o for o in evidence.occurrences if o.kind], "the truth is not told beforehand")
            project.occurrences.judge({evidence.occurrences[0].id: "person", evidence.occurrences[1].id: "unsure"})
            deaf = camera.draft.with_values(notch=camera.capability.notches[0].label, hold_s=2.0)
            project.settings.save_draft(camera.id, deaf)
        result = finish(folder, token=Token(), progress=silent)
        self.assertEqual(result.judged, 1)
        self.assertLessEqual(result.judged_right, 1)
        cost = [false + 5.0 * missed for false, missed in (result.installed, result.own, result.best)]
        self.assertLessEqual(cost[2], min(cost))
        self.assertAlmostEqual(result.reached, reached(*cost))
        self.assertGreater(result.own[1], result.best[1], "the least sensitive notch misses")
        self.assertTrue(result.steps)
        self.assertIn("possible gain", result_lines(result)[0])
        keep_result(self.folder / "home", result)
        with (self.folder / "home" / "practice.jsonl").open("a") as file:
            file.write("{broken\n")
        self.assertEqual(kept_results(self.folder / "home"), [result])

    def test_what_cannot_be_begun_or_finished_is_said_and_leaves_nothing(self):
        for level, seed in ((0, 1), (6, 1), (1, -1), (1, 10**6)):
            with self.subTest(level=level, seed=seed), self.assertRaises(InvalidValue):
                new_scene(self.folder / "p", level, seed, token=Token(), progress=silent)
        (self.folder / "there").mkdir()
        with self.assertRaisesRegex(ProjectError, "already"):
            new_scene(self.folder / "there", 1, 1, token=Token(), progress=silent)
        with self.assertRaisesRegex(ProjectError, "no practice"):
            finish(self.folder / "there", token=Token(), progress=silent)
        token = Token()
        token.cancel()
        with self.assertRaises(Cancelled):
            new_scene(self.folder / "p", 1, 1, token=token, progress=silent)
        self.assertFalse((self.folder / "p").exists())
        self.assertEqual(kept_results(self.folder), [])
