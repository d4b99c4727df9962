"""Proposed zones: against random and greedy proposals, and by replaying them."""

import unittest

import numpy as np

from guardia.core.evidence import Origin
from guardia.core.fit_zones import fit
from guardia.core.propose import Rules, difference, effect, greedy, make_program, propose, silenced_by
from guardia.core.zones import PolygonZone, ZoneKind
from guardia.store.project import Project
from tests.support import DEMO, blob_trace, capability, evidence_of, plain

RANDOM_PROPOSALS = 200


class AgainstOthers(unittest.TestCase):
    def test_never_worse_than_two_hundred_random_ones_and_a_greedy_one(self):
        rng = np.random.default_rng(3)
        with Project(DEMO) as project:
            cameras = {c.name: (c, project.evidence(c.id)) for c in project.cameras()}
        for name in ("Slipway", "Fuel berth", "Winter store", "Office step"):
            camera, evidence = cameras[name]
            program = make_program(evidence, camera.installed, camera.capability)
            rules = Rules(program)
            found = propose(evidence, camera.installed, camera.capability)
            self.assertTrue(found.proven, name)
            ours = found.ignored.ravel()
            self.assertTrue(rules.kept(ours).all(), name)
            best = (int(rules.silenced(ours).sum()), -int(ours.sum()))
            others = [greedy(program, rules)]
            rows, columns = program.zone.shape
            for _ in range(RANDOM_PROPOSALS):
                cells = np.zeros((rows, columns), bool)
                for _ in range(int(rng.integers(1, 4))):
                    top, left = rng.integers(0, rows - 1), rng.integers(0, columns - 1)
                    cells[top : top + rng.integers(1, 9), left : left + rng.integers(1, 13)] = True
                others.append((cells & program.zone).ravel())
            for cells in others:
                if rules.kept(cells).all():
                    self.assertGreaterEqual(best, (int(rules.silenced(cells).sum()), -int(cells.sum())), name)

    def test_a_replay_confirms_what_the_rules_say(self):
        with Project(DEMO) as project:
            camera = next(c for c in project.cameras() if c.name == "Fuel berth")
            evidence = project.evidence(camera.id)
        found = propose(evidence, camera.installed, camera.capability)
        program = make_program(evidence, camera.installed, camera.capability)
        quiet, kept = silenced_by(program, found.ignored.ravel())
        self.assertEqual(set(found.silenced), quiet)
        self.assertEqual(kept, set(program.witnesses))
        self.assertEqual(found.lost, ())
        steps = fit(evidence, found.ignored, camera.installed, camera.capability)
        for zones in steps:
            self.assertLessEqual(len(zones), camera.capability.max_zones)
            self.assertTrue(all(len(z.points) <= camera.capability.max_corners for z in zones))
        after = camera.installed.__class__(**{**vars(camera.installed), "zones": steps[-1]})
        silenced, lost = difference(evidence, camera.installed, after, camera.capability)
        self.assertGreater(len(silenced), 0)
        self.assertEqual(lost, ())


class SmallCases(unittest.TestCase):
    def setUp(self):
        # The false one moves in column 2, the real ones in columns 2 and 10, or in column 10 alone.
        traces = [blob_trace([9] * 20, column=c) for c in (2, 10, 2)]
        self.evidence = evidence_of(traces, kinds=["foliage", "person", "foliage"])

    def test_just_enough_cells_are_ignored(self):
        found = propose(self.evidence, plain(4), capability())
        self.assertEqual((found.silenced, found.lost, found.proven), ((100, 102), (), True))
        # Nine cells move and four trigger: six of them must go.
        self.assertEqual(int(found.ignored.sum()), 6)
        self.assertTrue(found.ignored[:, 2].sum() == 6)
        (zones,) = fit(self.evidence, found.ignored, plain(4), capability())
        self.assertEqual([type(z) for z in zones], [PolygonZone])
        self.assertIs(zones[0].kind, ZoneKind.IGNORE)

    def test_what_cannot_be_silenced_without_losing_somebody_is_left(self):
        both = evidence_of([blob_trace([9] * 20, column=2)] * 2, kinds=["foliage", "person"])
        found = propose(both, plain(4), capability())
        self.assertEqual((found.silenced, int(found.ignored.sum()), found.bound), ((), 0, 0))
        self.assertEqual(fit(both, found.ignored, plain(4), capability()), [])

    def test_a_make_without_ignore_zones_is_given_a_zone_to_watch(self):
        make = capability("battery-camera-on-hub")
        found = propose(self.evidence, plain(4), make)
        (zones,) = fit(self.evidence, found.ignored, plain(4), make)
        self.assertIs(zones[0].kind, ZoneKind.WATCH)
        self.assertLessEqual(len(zones[0].points), make.max_corners)

    def test_nothing_false_means_nothing_to_propose(self):
        quiet = evidence_of([blob_trace([9] * 20)], kinds=["person"], origin=Origin.CONTINUOUS)
        found = propose(quiet, plain(4), capability())
        self.assertEqual((int(found.ignored.sum()), found.proven), (0, True))
        self.assertEqual(effect(quiet, plain(4), capability(), found.ignored), ((), ()))
