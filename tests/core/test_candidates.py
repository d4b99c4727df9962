import unittest
from dataclasses import replace

import numpy as np

from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay import gates
from guardia.core.replay.anchored import anchored
from guardia.core.replay.gate import Stage
from guardia.core.replay.replay import replay
from guardia.core.score.candidates import Scorer, score_all
from guardia.core.score.score import outcome_of, score
from tests.support import blob_trace, capability, evidence_of, plain, tried

KINDS = ["person", "flag_or_rope", "", "unsure", "other_false"]


def random_evidence(seed):
    rng = np.random.default_rng(seed)
    traces = [blob_trace(rng.integers(0, 12, 60).tolist(), column=int(rng.integers(0, 20))) for _ in range(30)]
    starts = np.cumsum(rng.uniform(5, 60, 30)).tolist()
    evidence = evidence_of(traces, kinds=rng.choice(KINDS, 30).tolist(), starts=starts, watched=[(0.0, 3600.0)])
    visits = rng.integers(0, 12, 30).tolist()
    pairs = zip(evidence.occurrences, visits, strict=True)
    return evidence.with_occurrences([replace(o, visit=visit) for o, visit in pairs])


def random_settings(rng):
    edge = float(rng.uniform(0.3, 0.9))
    zone = PolygonZone(ZoneKind.WATCH, ((0, 0), (edge, 0), (edge, 1), (0, 1)))
    return plain(
        int(rng.integers(1, 10)),
        zones=(zone,) * int(rng.integers(0, 2)),
        hold_s=float(rng.choice([0, 0.4, 1.0])),
        rest_s=float(rng.choice([0, 10, 60])),
        length_s=float(rng.choice([2, 10, 30])),
        pre_record_s=float(rng.choice([0, 3])),
    )


class Candidates(unittest.TestCase):
    def test_counting_in_arrays_is_counting_outcome_by_outcome(self):
        for seed in range(5):
            evidence, rng = random_evidence(seed), np.random.default_rng(seed)
            candidates = [tried(random_settings(rng)) for _ in range(12)]
            for chosen, counted in zip(candidates, score_all(evidence, candidates), strict=True):
                done = anchored(evidence, chosen)
                by_hand = {name: [] for name in ("real_recorded", "real_missed", "late", "cut", "false_recorded")}
                for visit in evidence.visits:
                    outcome = outcome_of(visit, done)
                    if visit.verdict is Verdict.REAL:
                        by_hand["real_recorded" if outcome.recorded else "real_missed"].append(visit.id)
                        by_hand["late"] += [visit.id] * outcome.late
                        by_hand["cut"] += [visit.id] * outcome.cut
                    elif visit.verdict is Verdict.FALSE and outcome.recorded:
                        by_hand["false_recorded"].append(visit.id)
                self.assertEqual({name: list(getattr(counted, name)) for name in by_hand}, by_hand)
                self.assertEqual(counted, score(evidence, done))

    def test_progress_is_told_and_what_it_raises_ends_the_work(self):
        told = []

        def stop_at_three(number):
            told.append(number)
            if number == 3:
                raise InterruptedError

        with self.assertRaises(InterruptedError):
            score_all(random_evidence(1), [tried(plain(n)) for n in range(1, 9)], scored=stop_at_three)
        self.assertEqual(told, [1, 2, 3])


class Remembered(unittest.TestCase):
    def setUp(self):
        self.scorer, self.evidence, self.make = Scorer(), random_evidence(3), capability()

    def replay(self, evidence, chosen):
        return self.scorer.replay(evidence, tried(chosen))

    def test_a_replay_is_used_again_until_what_it_rests_on_is_another(self):
        zone = PolygonZone(ZoneKind.WATCH, ((0.1, 0.1), (0.9, 0.1), (0.9, 0.9), (0.1, 0.9)))
        moved = PolygonZone(ZoneKind.WATCH, ((0.1001, 0.1), (0.9, 0.1), (0.9, 0.9), (0.1, 0.9)), "renamed")
        first = self.replay(self.evidence, plain(4, zones=(zone,)))
        self.assertIs(self.replay(self.evidence, plain(4, zones=(moved,))), first)
        judged = self.evidence.with_occurrences(self.evidence.occurrences[::1])
        self.assertIs(self.replay(judged, plain(4, zones=(zone,))), first)
        self.assertIsNot(self.replay(self.evidence, plain(5, zones=(zone,))), first)
        fewer = self.evidence.with_occurrences(self.evidence.occurrences[:-1])
        self.assertEqual(len(self.replay(fewer, plain(4, zones=(zone,))).share), len(fewer.occurrences))

    def test_with_an_object_filter_judgements_count_too(self):
        chosen = plain(4, objects=("person",))
        first = self.replay(self.evidence, chosen)
        self.assertIsNot(self.replay(self.evidence.with_occurrences(self.evidence.occurrences), chosen), first)

    def test_a_comparison_follows_new_judgements(self):
        before = self.scorer.compare(self.evidence, tried(plain(4)), tried(plain(2)))
        self.assertIs(self.scorer.compare(self.evidence, tried(plain(4)), tried(plain(2))), before)
        person = [type(o)(o.id, o.clip_id, o.start_s, o.end_s, "person") for o in self.evidence.occurrences]
        after = self.scorer.compare(self.evidence.with_occurrences(person), tried(plain(4)), tried(plain(2)))
        self.assertEqual(after.installed.false_recorded, ())


class Stages(unittest.TestCase):
    def test_what_another_recording_covers_is_recorded_but_raises_no_alert(self):
        large, small = [0] * 5 + [9] * 20 + [0] * 30, [0] * 5 + [2] * 10 + [0] * 30
        evidence = evidence_of([blob_trace(large), blob_trace(small)], kinds=["person"] * 2, starts=[1000.0, 1006.0])
        done = replay(evidence, tried(plain(4, length_s=30.0)))
        first, second = done.outcomes[100], done.outcomes[101]
        self.assertEqual([first.passed(stage) for stage in Stage], [True] * 4)
        self.assertEqual([second.passed(stage) for stage in Stage], [False, True, True, False])
        self.assertEqual((second.closed, second.gate, second.reason), ({Stage.TRIGGERED: gates.SIZE}, None, ""))

    def test_what_triggers_but_is_not_recorded_names_the_gate_of_that_stage(self):
        done = replay(evidence_of([blob_trace([9] * 200)], kinds=["person"]), tried(plain(4, hold_s=38.0)))
        outcome = done.outcomes[100]
        self.assertEqual([outcome.passed(stage) for stage in Stage], [True, False, False, True])
        self.assertEqual(outcome.closed, {Stage.RECORDED: gates.LENGTH})
