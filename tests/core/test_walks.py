"""Walk tests: what is open, what a walk settles, and the fewest of them against trying every set."""

import itertools
import unittest

import numpy as np
from scipy.ndimage import gaussian_filter

from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.walked import Walked
from guardia.core.prove.walks import Aim, Passes, Passing, Way, candidate_walks, fewest_walks, open_aims, passes_of
from guardia.core.replay.replay import replay
from guardia.core.view.geometry import ViewGeometry
from guardia.core.view.tracks import Track
from guardia.core.view.walk_look import walk_look
from guardia.store.project import Project
from tests.support import DEMO, pontoon

VIEW = ViewGeometry(3.2, 12.0, 1.2)
FAR = {False: 18.0, True: 11.0}


class Walks(unittest.TestCase):
    def test_the_fewest_walks_are_those_of_trying_every_set(self):
        every = open_aims(("quay", "steps"), {})
        self.assertEqual(len(every), 16)
        for skip in range(6):
            aims = [a for n, a in enumerate(every) if (n * 7 + skip) % 5 > 1]
            walks = candidate_walks(aims, 4.0, FAR)
            best = next(
                size
                for size in range(len(walks) + 1)
                if any(
                    set(aims) <= {a for w in chosen for a in w.settles}
                    for chosen in itertools.combinations(walks, size)
                )
            )
            found = fewest_walks(aims, walks)
            self.assertEqual(len(found), best)
            self.assertLessEqual(set(aims), {a for w in found for a in w.settles})

    def test_nothing_open_needs_no_walk_and_what_tells_most_comes_first(self):
        settled = {aim: Passes(3, 0) for aim in open_aims((), {})}
        self.assertEqual(open_aims((), settled), [])
        self.assertEqual(fewest_walks([], []), [])
        seen = Aim(Way.ACROSS, Passing.FAR, False)
        first = open_aims((), {seen: Passes(2, 0)})
        self.assertIs(first[-1], next(a for a in first if a == seen))
        self.assertFalse(Passes(5, 1).settled)
        self.assertIn("from 18 m straight towards", candidate_walks(first, 4.0, FAR)[0].words)

    def test_a_look_at_who_walks_tells_distance_density_and_sharp_from_smeared(self):
        feet = VIEW.to_picture(np.array([[0.0, 0.0, 12.0], [0.0, 0.0, 9.0], [0.0, 0.0, 6.0]]))
        boxes = np.array([[x - 0.02, y - 0.3, 0.04, 0.3] for x, y in feet])
        track = Track(np.array([0.0, 1.0, 2.0]), boxes)
        sharp = np.full((360, 640, 3), 90, np.uint8)
        for left, top, wide, tall in boxes:
            sharp[int(top * 360) : int((top + tall) * 360), int(left * 640) : int((left + wide) * 640)] = 180
        looks = []
        for spread in (0, 4):
            picture = gaussian_filter(sharp, (0, spread, 0))
            looks.append(walk_look(track, [0, 1, 2], [picture] * 3, VIEW))
        self.assertAlmostEqual(looks[0].near_m, 6.0, places=1)
        self.assertAlmostEqual(looks[0].far_m, 12.0, places=1)
        self.assertEqual(looks[0].density, tuple(VIEW.density(m, 640) for m in (looks[0].near_m, looks[0].far_m)))
        self.assertIn(", sharp (", looks[0].words)
        self.assertIn("seen from 6 to 12 m", looks[1].words)
        self.assertIn(", smeared (", looks[1].words)
        blank = walk_look(track, [0], [np.full_like(sharp, 90)], None)
        self.assertEqual(blank.words, "no outline stands out")

    def test_an_alert_is_timed_only_where_one_can_come(self):
        self.assertEqual(Walked(0.0, "towards", 4.0, 9.0, dark=False, alert_s=7.0).alert_s, 7.0)
        for result, alert_s in (("M", 7.0), ("N", 7.0), ("R", -1.0), ("R", float("nan"))):
            with self.assertRaises(InvalidValue):
                Walked(0.0, "towards", 4.0, 9.0, dark=False, result=result, alert_s=alert_s)

    def test_the_demo_walk_test_settles_what_it_passes(self):
        with Project(DEMO) as project:
            camera = pontoon(project)
            evidence = project.evidence(camera.id)
        done = replay(evidence, camera.under(camera.installed))
        self.assertEqual(passes_of(evidence, done, None, FAR, {}), {})
        found = passes_of(evidence, done, VIEW, FAR, {})
        self.assertTrue(any(p.triggered for p in found.values()))
