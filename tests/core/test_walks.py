"""Walk tests: what is open, what a walk settles, and the fewest of them against trying every set."""

import itertools
import unittest

from guardia.core.prove.walks import Aim, Passes, Place, Way, candidate_walks, fewest_walks, open_aims, passes_of
from guardia.core.replay.replay import replay
from guardia.core.view.geometry import ViewGeometry
from guardia.store.project import Project
from tests.support import DEMO, pontoon

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
        seen = Aim(Way.ACROSS, Place.FAR, False)
        first = open_aims((), {seen: Passes(2, 0)})
        self.assertIs(first[-1], next(a for a in first if a == seen))
        self.assertFalse(Passes(5, 1).settled)
        self.assertIn("from 18 m straight towards", candidate_walks(first, 4.0, FAR)[0].words)

    def test_the_demo_walk_test_settles_what_it_passes(self):
        with Project(DEMO) as project:
            camera = pontoon(project)
            evidence = project.evidence(camera.id)
        done = replay(evidence, camera.under(camera.installed))
        self.assertEqual(passes_of(evidence, done, None, FAR, {}), {})
        found = passes_of(evidence, done, ViewGeometry(3.2, 12.0, 1.2), FAR, {})
        self.assertTrue(any(p.triggered for p in found.values()))
