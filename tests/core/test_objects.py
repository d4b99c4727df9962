"""The object filter: who says what class an occurrence is, and what the filter does."""

import unittest
from dataclasses import replace
from unittest import mock

import numpy as np

from guardia.benchcam.record import read_truth
from guardia.benchcam.tern_quay import PLACES, right_kind
from guardia.core.evidence.clips import Origin
from guardia.core.evidence.events import CameraEvent
from guardia.core.replay import gates
from guardia.core.replay.objects import ObjectClass, by_size_and_speed, lets_through, main_track, object_classes
from guardia.core.replay.replay import replay
from guardia.core.score.candidates import Scorer
from guardia.core.view.tracks import Track, follow
from guardia.store.project import Project
from tests.core.test_geometry_and_reach import VIEW
from tests.support import DEMO, TRUTH, blob_trace, capability, evidence_of, plain, tried

FILTER = plain(4, objects=("person",))


class Classes(unittest.TestCase):
    def setUp(self):
        traces = [blob_trace([9] * 20)] * 4
        self.evidence = evidence_of(traces, kinds=["person", "vehicle", "foliage", ""])

    def test_the_camera_comes_before_the_judgement_before_the_rule(self):
        found = object_classes(self.evidence, capability())
        self.assertEqual(found[100], ObjectClass(("person",), "judgement"))
        self.assertEqual((found[102].names, found[103]), ((), ObjectClass((), "")))
        begin = self.evidence.clips[0].start_s
        named = replace(self.evidence, events=(CameraEvent(begin + 1, 2, "animal"), CameraEvent(begin + 601, 2)))
        found = object_classes(named, capability())
        self.assertEqual(found[100], ObjectClass(("animal",), "camera"))
        self.assertEqual(found[101], ObjectClass((), "camera"))
        self.assertEqual(found[102].by, "judgement")
        seen = object_classes(replace(self.evidence, view=VIEW), capability())
        self.assertEqual(seen[103].by, "size and speed")

    def test_only_wanted_classes_trigger_and_the_gate_says_so(self):
        done = replay(self.evidence, tried(FILTER))
        self.assertEqual([done.outcomes[i].recorded for i in range(100, 104)], [True, False, False, True])
        self.assertIs(done.outcomes[101].gate, gates.OBJECT)
        self.assertIn("it was judged vehicle; the filter lets person through", done.outcomes[101].reason)
        told = Scorer().compare(self.evidence, tried(plain(4)), tried(FILTER)).limits[-1]
        self.assertIn("3 by judgement, 1 by nobody, which are let through", told)
        self.assertTrue(lets_through(ObjectClass(("parcel", "person"), "judgement"), ("parcel",)))

    def test_motion_between_occurrences_triggers_nothing_for_a_filter(self):
        short = self.evidence.with_occurrences([replace(self.evidence.occurrences[0], start_s=2.0, end_s=3.0)])
        (recording,) = replay(short, tried(FILTER)).recordings[0]
        self.assertAlmostEqual(recording.trigger_s - short.clips[0].start_s, 1.8, delta=0.25)

    def test_a_class_does_not_hold_beyond_its_range(self):
        make = replace(capability(), class_range_m=(0.5, 0.5))
        near = object_classes(replace(self.evidence, view=VIEW), make)[100]
        self.assertEqual(near, ObjectClass((), "judgement"))
        unjudged = self.evidence.with_occurrences([replace(o, kind="") for o in self.evidence.occurrences])
        seen = replace(unjudged, view=VIEW)
        with mock.patch("guardia.core.replay.objects.by_size_and_speed", return_value=("person",)):
            self.assertEqual(object_classes(seen, capability())[100], ObjectClass(("person",), "size and speed"))
            self.assertEqual(object_classes(seen, make)[100], ObjectClass((), "size and speed"), "not so far away")

    def test_where_nothing_can_be_followed_the_rule_names_nothing(self):
        still = evidence_of([blob_trace([0] * 20)], kinds=[""])
        self.assertEqual(
            object_classes(replace(still, view=VIEW), capability())[100], ObjectClass((), "size and speed")
        )


class TheRule(unittest.TestCase):
    def track(self, height, width, *, at=9.0, speed=1.4):
        times = np.arange(15) / 5
        boxes = []
        for t in times:
            x = -2 + speed * t
            feet, head, side = VIEW.to_picture(np.array([[x, 0, at], [x, height, at], [x + width, 0, at]]))
            boxes.append((feet[0] - (side[0] - feet[0]) / 2, head[1], side[0] - feet[0], feet[1] - head[1]))
        return Track(times, np.array(boxes))

    def test_one_that_is_quick_is_followed_whenever_its_clip_begins(self):
        times = np.arange(10) / 5
        boxes = [np.array([[0.05 + 0.01 * n**2, 0.5, 0.02, 0.06]]) for n in range(10)]  # it sets off and runs
        for begin in (0.0, 3600.0):
            (track,) = follow(times + begin, boxes)
            self.assertEqual(len(track.times_s), 10)

    def test_sizes_and_speed_tell_the_classes_apart(self):
        for height, width, speed, names in (
            (1.75, 0.6, 1.4, ("person",)),
            (1.9, 4.5, 3.0, ("vehicle",)),
            (0.5, 0.9, 2.0, ("animal",)),
            (1.75, 0.6, 30.0, ()),
            (0.05, 0.05, 1.0, ()),
        ):
            self.assertEqual(by_size_and_speed(self.track(height, width, speed=speed), VIEW), names)
        # A cat near the camera and an adult far away cover the same height of the picture.
        self.assertEqual(by_size_and_speed(self.track(0.3, 0.45, at=6.0), VIEW), ("animal",))
        self.assertEqual(by_size_and_speed(self.track(1.75, 0.6, at=30.0), VIEW), ("person",))

    def test_on_the_demos_truth_persons_and_vans_are_mostly_told_right(self):
        """By day on the demo's motion clips with its true view; the truth is the bench camera's."""
        right = total = 0
        with Project(DEMO) as project:
            for camera in project.cameras.all():
                told = read_truth(TRUTH / f"{next(p for p in PLACES if p.name == camera.name).slug}.jsonl")
                evidence = project.evidence(camera.id)
                for o in evidence.occurrences:
                    clip = evidence.clip_of(o)
                    kind = right_kind(told[clip.name], o.start_s, o.end_s)
                    if clip.origin is Origin.MOTION and not clip.dark and kind in ("person", "vehicle"):
                        track = main_track(evidence, o)
                        total += 1
                        right += track is not None and by_size_and_speed(track, VIEW) == (kind,)
        print(f"rule of size and speed: {right} of {total} persons and vehicles by day")
        self.assertGreater(right, 0.6 * total)
