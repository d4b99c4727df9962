"""Too many alerts, bad at night: reasons in the order in which they pay, on made-up weeks and on the demo."""

import re
import unittest
from dataclasses import replace

from guardia.core.evidence.walked import Walked
from guardia.core.hours.plan import EVERY_DAY, Edge, Stretch, WeekPlan
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import Settings
from guardia.core.prove.complaints import bad_at_night, too_many
from guardia.core.prove.walks import Aim, Passing, Way, passes_of
from guardia.core.replay.factor import camera_scale
from guardia.core.replay.gate import State
from guardia.core.replay.replay import replay
from guardia.core.replay.seen import seen_by
from guardia.core.tuning.cures import usual_cures
from guardia.core.view.picture import PictureFacts
from tests.support import blob_trace, capability, evidence_of

BEGIN = 1_784_505_600.0
HOUR = 3600.0
DAYTIME = WeekPlan((Stretch(EVERY_DAY, Edge(7 * 60), Edge(21 * 60)),))


class Complaints(unittest.TestCase):
    def week(self, kinds, *, sizes=40, apart_s=HOUR, dark=(), walks=(), **values):
        make = capability()
        traces = [blob_trace([0, *[sizes if k == "person" else 6] * 20, 0]) for k in kinds]
        starts = [BEGIN + apart_s * n for n in range(len(kinds))]
        evidence = evidence_of(traces, kinds=list(kinds), starts=starts, watched=[(BEGIN, BEGIN + 7 * 24 * HOUR)])
        clips = tuple(replace(c, brightness=15.0 if n in dark else 120.0) for n, c in enumerate(evidence.clips))
        evidence = replace(evidence, clips=clips, walks=tuple(walks))
        candidate = Candidate(Settings.of(make.id, "10", length_s=14.0).with_values(**values), make)
        return evidence, candidate, replay(evidence, candidate)

    def test_the_lever_that_silences_most_and_loses_nothing_comes_first(self):
        evidence, candidate, done = self.week(["foliage"] * 8 + ["person"] * 4 + ["shadow"] * 2)
        answer = too_many(evidence, done, usual_cures(evidence, candidate, ()), BEGIN)
        self.assertTrue(answer.head.startswith("10 false alerts"))
        self.assertIn("most by foliage (8)", answer.head)
        closed = [g.words for g in answer.reasons if g.words.startswith("silences") and g.state is State.CLOSED]
        lost = [int(re.search(r"(\d+) real ones lost", words)[1]) for words in closed]
        self.assertEqual(lost, sorted(lost), "what loses the fewest real ones first")
        self.assertIn(answer.cause.name[1:], answer.words)
        off = next(g for g in answer.reasons if g.name == "detection off")
        self.assertIs(off.state, State.OPEN, "losing every real one is no cure")
        checks = [g.name for g in answer.checks]
        self.assertLess(checks.index("foliage"), checks.index("shadow"))

    def test_one_level_less_is_counted_from_the_one_in_force_in_each_light(self):
        evidence, candidate, _ = self.week(["foliage"] * 4, dark=(0, 1), night_notch="4")
        make = replace(candidate.capability, night_notch=True)
        offered = {c.remedy.name: c for c in usual_cures(evidence, replace(candidate, capability=make), ())}
        self.assertIn("sensitivity 9 by day", offered)
        self.assertEqual(offered["sensitivity 3 at night"].remedy.candidate.settings.detection.night_notch, "3")
        self.assertNotIn("sensitivity 9 at night", offered)
        now = offered["as it is"].alerts.false
        self.assertLessEqual(max(c.alerts.false for name, c in offered.items() if "sensitivity" in name), now)
        self.assertEqual((offered["alerts off"].alerts.false, offered["alerts off"].lost), (0, 0))
        self.assertIn("record only: person", offered)
        with_zones = usual_cures(evidence, candidate, (), seek_zones=True)
        (zones,) = (c for c in with_zones if c.remedy.name == "zones proposed now")
        self.assertLess(zones.alerts.false, now)

    def test_without_a_false_alert_nothing_is_accused(self):
        evidence, candidate, done = self.week(["person"] * 3)
        answer = too_many(evidence, done, usual_cures(evidence, candidate, ()), BEGIN)
        self.assertEqual((answer.words, answer.reasons), ("No false alert on the evidence.", ()))

    def test_at_night_each_planted_reason_is_named_first(self):
        lit = PictureFacts(1.0, 0.0, 40.0, 0.0)
        for name, looks, more in (
            ("lamp", replace(lit, lit=5.0), {}),
            ("glare of its own lamp", replace(lit, burnt=0.2), {}),
            ("recording hours", lit, {"recording_plan": DAYTIME}),
        ):
            evidence, _, done = self.week(["person"] * 6, dark=(0, 1, 2, 3, 4, 5), **more)
            with self.subTest(name):
                self.assertEqual(bad_at_night(evidence, done, looks, BEGIN).cause.name, name)
        hours = bad_at_night(evidence, done, lit, BEGIN).cause
        self.assertIn("6 of 6 occurrences in the dark lie outside", hours.words)
        self.assertEqual(hours.weight, 1.0)
        kinds = ["person"] * 3 + ["insect_or_web"] * 5 + ["foliage"] * 5
        evidence, _, done = self.week(kinds, dark=range(8))
        webs = bad_at_night(evidence, done, lit, BEGIN).cause
        self.assertEqual((webs.name, webs.weight), ("insect or web", 0.5), "five of ten false ones")
        evidence, _, done = self.week(kinds, dark=(0, 3, 4, 12))
        causes = {g.name: g.weight for g in bad_at_night(evidence, done, lit, BEGIN).reasons}
        self.assertEqual((causes["insect or web"], causes["foliage"]), (0.2, 0.1), "of ten, five of them by day")
        # It begins at 01:00 of the site's clock: of these four nine and ten o'clock lie in the hours.
        evidence, _, done = self.week(["person"] * 10, dark=(0, 1, 8, 9), recording_plan=DAYTIME)
        hours = next(g for g in bad_at_night(evidence, done, lit, BEGIN).reasons if g.name == "recording hours")
        self.assertEqual(hours.weight, 0.5)
        evidence, _, done = self.week(["person"] * 4, sizes=6, dark=(0, 1), sensitivity=(40, 0.2), notch="")
        bright = bad_at_night(evidence, done, lit, BEGIN)
        self.assertIs(next(g for g in bright.reasons if g.name == "reach in the dark").state, State.OPEN)

    def test_without_a_night_it_says_what_is_missing(self):
        evidence, _, done = self.week(["person"] * 3)
        answer = bad_at_night(evidence, done, None, BEGIN)
        self.assertIn("Footage of one night", answer.words)
        self.assertEqual({g.state for g in answer.reasons if g.name in ("lamp", "reach in the dark")}, {State.UNKNOWN})


class WalksByHand(unittest.TestCase):
    def test_a_walk_entered_by_hand_tells_of_the_scale_and_settles_what_it_passes(self):
        make = capability()
        walks = [Walked(BEGIN + n, Way.TOWARDS, 4.0, 20.0, False, (), "5", 1.6, "M") for n in range(6)]
        evidence = replace(evidence_of([blob_trace([0])], kinds=[""]), walks=tuple(walks))
        seen = seen_by(evidence, make)
        self.assertEqual([(s.notch, s.triggered) for s in seen], [("5", False)] * 6)
        before, after = (camera_scale(s, make).levels for s in ([], seen))
        notch = next(n for n, s in enumerate(after) if s.label == "5")
        self.assertGreater(
            after[notch].factor, before[notch].factor, "six misses at 1.6 times mean it is less sensitive"
        )
        late = replace(evidence, walks=(replace(walks[0], result="L"), replace(walks[0], result="R")))
        done = replay(late, Candidate(Settings.of(make.id, "5"), make))
        passes = passes_of(late, done, None, {False: 18.0, True: 11.0}, {})
        near, far = (passes[Aim(Way.TOWARDS, place, False)] for place in (Passing.NEAR, Passing.FAR))
        self.assertEqual((near.triggered, near.silent), (2, 0))
        self.assertEqual((far.triggered, far.silent), (1, 1), "recorded late: not seen while he was far")
