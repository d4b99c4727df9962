import unittest
from dataclasses import replace

from guardia.core.evidence.clips import Origin
from guardia.core.evidence.events import CameraEvent
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.visits import propose_visits
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay import gates
from guardia.core.replay.replay import replay
from guardia.core.score.coverage import covered, questions, uncovered
from guardia.core.score.score import outcome_of, score
from guardia.core.score.statistics import days, lines
from tests.support import blob_trace, evidence_of, plain, tried

MONDAY = 1_757_314_800.0  # 2025-09-08 08:00 in London


def with_visit(evidence: Evidence, *ids: int) -> Evidence:
    return evidence.with_occurrences([replace(o, visit=1 if o.id in ids else o.visit) for o in evidence.occurrences])


class Visits(unittest.TestCase):
    def setUp(self):
        # Three clips of one person ten seconds apart, then foliage, then somebody else an hour later.
        traces = [
            blob_trace([9] * 30),
            blob_trace([3] * 30),
            blob_trace([9] * 30),
            blob_trace([9] * 30),
            blob_trace([9] * 30),
        ]
        starts = [MONDAY, MONDAY + 16, MONDAY + 32, MONDAY + 45, MONDAY + 3600]
        kinds = ["person", "person", "person", "foliage", "person"]
        self.evidence = evidence_of(traces, kinds=kinds, starts=starts)

    def test_real_ones_close_together_are_one_visit_and_false_ones_never(self):
        self.assertEqual(propose_visits({1: self.evidence}, {}), [(100, 101, 102)])
        joined = with_visit(self.evidence, 100, 101, 102)
        self.assertEqual(propose_visits({1: joined}, {}), [])

    def test_a_long_rest_of_the_camera_still_joins(self):
        starts = [MONDAY, MONDAY + 80]
        apart = evidence_of([blob_trace([9] * 30)] * 2, kinds=["person"] * 2, starts=starts)
        self.assertEqual(propose_visits({1: apart}, {}), [])
        self.assertEqual(propose_visits({1: apart}, {1: 60.0}), [(100, 101)])

    def test_the_way_from_camera_to_camera_is_one_visit(self):
        one = evidence_of([blob_trace([9] * 30)], kinds=["person"], starts=[MONDAY])
        two = evidence_of([blob_trace([9] * 30)], kinds=["person"], starts=[MONDAY + 70])
        two = two.with_occurrences([replace(o, id=900) for o in two.occurrences])
        self.assertEqual(propose_visits({1: one, 2: two}, {}), [(100, 900)])
        other = two.with_occurrences([replace(o, kind="vehicle") for o in two.occurrences])
        self.assertEqual(propose_visits({1: one, 2: other}, {}), [])

    def test_a_visit_is_counted_once_and_recorded_when_a_part_is(self):
        chosen = plain(4)
        done = replay(self.evidence, tried(chosen))
        self.assertEqual(len(score(self.evidence, done).real_recorded), 3)
        joined = with_visit(self.evidence, 100, 101, 102)
        told = score(joined, replay(joined, tried(chosen)))
        self.assertEqual((told.real_recorded, told.real_missed), ((100, 104), ()))
        late = with_visit(self.evidence, 101, 102)
        self.assertEqual(score(late, replay(late, tried(chosen))).late, (101,))
        lost = replay(joined, tried(plain(40, hold_s=9.0)))
        parts = joined.visits[0]
        self.assertIs(outcome_of(parts, lost).gate, gates.SIZE)
        self.assertFalse(outcome_of(parts, lost).recorded)


class Statistics(unittest.TestCase):
    def setUp(self):
        kinds = ["foliage", "foliage", "flag_or_rope", "person", "shadow", ""]
        starts = [MONDAY + h * 3600 for h in (0, 1, 14, 2, 25, 49)]
        self.evidence = evidence_of(
            [blob_trace([9] * 30)] * 6, kinds=kinds, starts=starts, watched=[(MONDAY - 8 * 3600, MONDAY + 64 * 3600)]
        )

    def test_false_recordings_by_cause_pattern_hour_and_day_on_judged_days(self):
        causes = lines(self.evidence, "cause")
        self.assertEqual([(x.name, len(x.ids)) for x in causes], [("foliage", 2), ("shadow", 1), ("flag or rope", 1)])
        self.assertEqual({x.days for x in causes}, {2.0})
        self.assertAlmostEqual(causes[0].rate, 1.0)
        self.assertLess(causes[0].low, 1.0)
        first = lines(self.evidence, "pattern")[0]
        self.assertEqual((first.name, first.ids), ("wind", (100, 101, 102)))
        hours = lines(self.evidence, "hour")
        self.assertEqual((len(hours), len(hours[8].ids), len(hours[22].ids)), (24, 1, 1))
        self.assertEqual([len(x.ids) for x in lines(self.evidence, "day")], [3, 1])
        self.assertEqual([x.name for x in lines(self.evidence, "cause", verdict=Verdict.REAL)], ["person"])
        with self.assertRaises(ValueError):
            lines(self.evidence, "colour")

    def test_a_calendar_of_days(self):
        told = days(self.evidence)
        self.assertEqual(
            [(len(d.real), len(d.false), len(d.unjudged)) for d in told], [(1, 3, 0), (0, 1, 0), (0, 0, 1)]
        )
        self.assertEqual(told[0].footage_s, 0.0)


class Coverage(unittest.TestCase):
    def footage(self, **more):
        traces = [blob_trace([0] * 20 + [9] * 20 + [0] * 40 + [9] * 20), blob_trace([9] * 30)]
        origins = [Origin.CONTINUOUS, Origin.MOTION]
        return evidence_of(traces, kinds=["person", "person"], starts=[MONDAY, MONDAY + 4], origin=origins)

    def test_motion_on_footage_that_no_record_covers_is_found(self):
        evidence = self.footage()
        (found,) = uncovered(evidence, contrast=12, size=0.005)
        self.assertEqual((found.clip_id, found.start_s, found.occurrence_id), (0, 16.0, 100))
        alone = evidence.with_occurrences(evidence.occurrences[1:])
        self.assertIsNone(uncovered(alone, contrast=12, size=0.005)[0].occurrence_id)
        told = replace(evidence, events=(CameraEvent(MONDAY + 17, 3),))
        self.assertEqual(uncovered(told, contrast=12, size=0.005), [])
        for at, count in ((14.5, 0), (13.5, 1)):  # an entry without a length is one of that moment
            told = replace(evidence, events=(CameraEvent(MONDAY + at),))
            self.assertEqual(len(uncovered(told, contrast=12, size=0.005)), count, at)
        self.assertEqual(uncovered(evidence, contrast=12, size=0.05), [])

    def test_what_the_evidence_can_answer(self):
        evidence = self.footage()
        table = {c.origin: c for c in covered(evidence)}
        self.assertEqual((table[Origin.CONTINUOUS].clips, table[Origin.CONTINUOUS].dark_s), (1, 0.0))
        answers = {q.text: q.answer for q in questions(evidence)}
        self.assertEqual(answers["What does the camera miss by day?"], "partly")
        self.assertEqual(answers["What does the camera miss at night?"], "no")
        self.assertEqual(answers["What would the camera's object filter let through?"], "no")
        dark = replace(evidence, clips=tuple(replace(c, brightness=20.0) for c in evidence.clips))
        self.assertEqual({q.text: q.answer for q in questions(dark)}["What does the camera miss at night?"], "partly")
