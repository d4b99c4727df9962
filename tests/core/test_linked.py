"""Linked cameras: the demo's own truth, and ways planted among visits that have nothing to do with each other."""

import unittest

import numpy as np

from guardia.benchcam.tern_quay import JUDGED_DAYS, VISITS
from guardia.core.prove.linked import links_of, not_seen, walked_on, woken
from guardia.core.replay.replay import replay
from guardia.store.project import Project
from tests.support import DEMO, blob_trace, evidence_of, plain, tried

DAY = 86400.0


def visits_at(starts):
    traces = [blob_trace([9] * 20) for _ in starts]  # four seconds each
    return evidence_of(traces, kinds=["person"] * len(traces), starts=sorted(starts))


class Linked(unittest.TestCase):
    def test_a_way_is_found_with_its_times_and_unrelated_cameras_are_not_linked(self):
        rng = np.random.default_rng(5)
        own = {n: list(rng.uniform(0, 10 * DAY, 25)) for n in (1, 2, 3)}
        way = list(rng.uniform(0, 10 * DAY, 6))
        sites = {1: visits_at([*own[1], *way]), 2: visits_at([*own[2], *(w + 44 for w in way)]), 3: visits_at(own[3])}
        found = links_of(sites)
        self.assertEqual([(link.start, link.end) for link in found], [(1, 2)])
        self.assertGreaterEqual(found[0].passes, 6)
        self.assertAlmostEqual(found[0].travel_s, 40.2, delta=1.0)  # from the end of the four seconds
        pairs = walked_on(sites, found[0])
        self.assertEqual(len(pairs), found[0].passes)
        self.assertLessEqual(set(np.round(way)), {round(before.begin_s) for before, _ in pairs})

    def test_who_passed_a_camera_between_two_others_without_being_seen(self):
        way = [n * DAY + 30_000.0 for n in range(8)]
        middle = [w + 40 for w in way if w != way[4]]
        sites = {1: visits_at(way), 2: visits_at(middle), 3: visits_at([w + 80 for w in way])}
        gaps = not_seen(sites, links_of(sites))
        self.assertEqual([(g.camera, g.before, g.after) for g in gaps], [(2, 1, 3)])
        self.assertAlmostEqual(gaps[0].near_s, way[4] + 40, delta=2.0)

    def test_what_waking_the_next_camera_would_recover(self):
        way = [n * DAY + 30_000.0 for n in range(4)]
        sites = {1: visits_at(way), 2: visits_at([w + 40 for w in way])}
        done = {1: replay(sites[1], tried(plain())), 2: replay(sites[2], tried(plain(500)))}
        (link,) = links_of(sites)
        self.assertEqual(len(woken(sites, done, link)), 4)
        self.assertEqual(woken(sites, done | {2: replay(sites[2], tried(plain()))}, link), ())

    def test_the_demo_links_the_three_cameras_that_a_visit_passes(self):
        with Project(DEMO) as project:
            cameras = {c.id: c.name for c in project.cameras.all()}
            evidence = {i: project.evidence(i) for i in cameras}
        found = {(cameras[one.start], cameras[one.end]): one for one in links_of(evidence)}
        judged = [day for day, _ in VISITS if day < JUDGED_DAYS]
        self.assertEqual(found["Pontoon gate", "Slipway"].passes, len(judged))
        # Somebody who brings a parcel stands as two occurrences at the office.
        self.assertIn(found["Office step", "Pontoon gate"].passes, (len(judged), len(judged) + 1))
        for pair in found:
            self.assertLessEqual(set(pair), {"Office step", "Pontoon gate", "Slipway"}, pair)
