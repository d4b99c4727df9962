"""Figures that a technician acts on: which time counts, which settings made a clip, what a recording covers."""

import math
import unittest
from dataclasses import replace
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

import numpy as np

from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.clips import Cause, Origin
from guardia.core.evidence.clock import resolve
from guardia.core.evidence.epochs import Epoch, with_epoch
from guardia.core.evidence.events import CameraEvent
from guardia.core.evidence.evidence import listed_spans, with_causes
from guardia.core.evidence.watch import Watch, length, merged, without
from guardia.core.make.candidate import Candidate
from guardia.core.make.shows_more import could_show_more
from guardia.core.make.zones import BlockZone, PolygonZone, ZoneKind, zone_cells
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay import gates
from guardia.core.replay.replay import replay
from guardia.core.score.candidates import Scorer
from guardia.core.score.explain import explain
from guardia.core.score.score import score, unseen_levers
from guardia.core.score.statistics import lines
from guardia.core.trace.backgrounds import ClipLook, helpers, key_of
from guardia.core.trace.measure import GRID, Grid
from guardia.core.tuning.fit_zones import fit
from guardia.core.tuning.propose import propose
from guardia.core.view.geometry import ViewGeometry
from tests.support import blob_trace, capability, changed, evidence_of, plain, tried

LONDON = ZoneInfo("Europe/London")
NOON = 1_757_329_200.0  # 2025-09-08 12:00 in London
DAY = 86400.0
GROUND = ViewGeometry(3.0, 45.0, 0.8)


def scored(evidence, chosen):
    return score(evidence, replay(evidence, tried(chosen)))


class WatchedTime(unittest.TestCase):
    def five_days(self, footage_kind, **more):
        """One false motion clip a day, and a minute of footage over four of them."""
        starts = [NOON + n * DAY for n in range(5)]
        traces = [blob_trace([9] * 50)] * 5 + [blob_trace([0] * 50 + [9] * 50 + [0] * 200)] * 4
        return evidence_of(
            traces, kinds=["foliage"] * 5 + [footage_kind] * 4, starts=starts + [s - 10 for s in starts[:4]],
            origin=[Origin.MOTION] * 5 + [Origin.CONTINUOUS] * 4, watched=[(NOON - DAY / 2, NOON + 4.5 * DAY)], **more,
        )  # fmt: skip

    def test_what_is_judged_on_the_footage_alone_is_judged(self):
        evidence = self.five_days("foliage")
        waiting = evidence.with_occurrences(
            [replace(o, kind="" if n < 4 else o.kind) for n, o in enumerate(evidence.occurrences)]
        )
        self.assertEqual(waiting.watch.waiting, {})
        one, other = (scored(e, plain(4)) for e in (evidence, waiting))
        self.assertEqual((one.false_per_day, one.watched_days), (other.false_per_day, other.watched_days))

    def test_footage_that_repeats_a_false_clip_leaves_the_rate_as_it_is(self):
        for kind in ("foliage", ""):
            with self.subTest(kind):
                told = scored(self.five_days(kind), plain(4))
                self.assertEqual((told.false_in_motion.mean, told.watched_days), (5, 5.0))
                self.assertEqual((len(told.false_recorded), told.open), (5, ()))

    def test_clips_alone_give_no_rate_and_one_clip_is_not_one_a_day(self):
        one = evidence_of([blob_trace([9] * 50)], kinds=["foliage"], starts=[NOON])
        told = Scorer().compare(one, tried(plain(4)), tried(plain(4)))
        self.assertIsNone(told.installed.false_per_day)
        self.assertIsNone(told.installed.recorded_s_per_day)
        self.assertIn("Enter the time covered", " ".join(told.limits))
        week = replace(one, watched=((NOON - 2 * DAY, NOON + 5 * DAY),))
        self.assertAlmostEqual(scored(week, plain(4)).false_per_day, 1 / 7)

    def test_down_time_and_days_that_wait_are_told_apart_and_never_quiet(self):
        traces = [blob_trace([9] * 50)] * 4
        starts = [NOON + n * DAY for n in range(4)]
        evidence = evidence_of(traces, kinds=["foliage", "", "unsure", "foliage"], starts=starts)
        up = (NOON - DAY / 2, NOON + 4.5 * DAY)
        watched = without([up], [(NOON + DAY / 4, NOON + DAY / 2)])
        evidence = replace(evidence, watched=watched, unmeasured_s=(starts[3],))
        told = scored(evidence, plain(4))
        # The first day lacks six hours; of the others one is not judged, one unsure, one not measured, the last empty.
        self.assertAlmostEqual(told.watched_days, 1.75)
        self.assertEqual(told.false_in_motion.mean, 1)
        self.assertEqual(evidence.watch.held_back(), {"not judged": 1.0, "unsure": 1.0, "not measured": 1.0})
        by_day = {line.name: (len(line.ids), line.days) for line in lines(evidence, "day")}
        self.assertEqual(by_day, {"Mon 08 Sep 2025": (1, 0.75), "Fri 12 Sep 2025": (0, 1.0)})

    def test_a_day_of_another_length_and_hours_of_the_day(self):
        low, high = (datetime(2025, 10, d, tzinfo=LONDON).timestamp() for d in (26, 27))
        watch = Watch(((low, high),), LONDON, {})
        self.assertAlmostEqual(watch.counted_days, 25 / 24)
        hours = watch.hours_of_day
        self.assertEqual((hours[1], hours[2], sum(hours)), (2.0, 1.0, 25.0))

    def test_an_event_list_is_watched_time_only_where_its_events_have_clips(self):
        evidence = evidence_of([blob_trace([9] * 50)] * 2, kinds=["person"] * 2, starts=[NOON, NOON + 2 * DAY])
        events = [CameraEvent(NOON + n * DAY + 1, 3.0) for n in range(4)]
        spans = listed_spans([(NOON, NOON + 4 * DAY)], events, evidence.clips, LONDON)
        # The 9th and the 11th have an event without a clip; half of the 8th, the 10th and half of the 12th are left.
        self.assertAlmostEqual(length(spans) / DAY, 2.0)
        never_set = [CameraEvent(5.0, 3.0), *events]
        spans = listed_spans([(5.0, NOON + 4 * DAY)], never_set, evidence.clips, LONDON)
        self.assertAlmostEqual(length(spans) / DAY, 2.0, places=3)

    def test_spans_are_merged_and_taken_away_like_sets_of_seconds(self):
        rng = np.random.default_rng(1)
        for _ in range(60):
            one, two = (
                [tuple(sorted(rng.integers(0, 40, 2).tolist())) for _ in range(rng.integers(0, 6))] for _ in range(2)
            )
            seconds = {t for a, b in one for t in range(a, b)}
            gone = {t for a, b in two for t in range(a, b)}
            self.assertEqual(length(merged(one)), len(seconds))
            self.assertEqual({t for a, b in without(one, two) for t in range(a, b)}, seconds - gone)


class CausesAndSettings(unittest.TestCase):
    def test_only_motion_clips_are_counted_and_the_others_told(self):
        evidence = evidence_of(
            [blob_trace([9] * 50)] * 3, kinds=["foliage"] * 3, starts=[NOON, NOON + 600, NOON + 1200],
            watched=[(NOON - DAY / 2, NOON + DAY / 2)],
        )  # fmt: skip
        events = (CameraEvent(NOON + 601, cause="button"),)
        clips = with_causes(evidence.clips, events, {2: "not known"})
        evidence = replace(evidence, clips=(*clips[:2], replace(clips[2], cause=Cause.NOT_KNOWN)))
        self.assertEqual([c.cause for c in evidence.clips], [Cause.MOTION, Cause.BUTTON, Cause.NOT_KNOWN])
        told = Scorer().compare(evidence, tried(plain(4)), tried(plain(40)))
        self.assertEqual((told.installed.false_recorded, round(told.installed.false_in_motion.mean, 2)), ((100,), 1.0))
        self.assertIn("2 clips recorded for another cause", " ".join(told.limits))
        self.assertEqual(propose(evidence, tried(plain(4))).done.silenced, (100,))

    def test_what_no_motion_clip_shows_is_decided_lever_by_lever(self):
        make, base = capability(), plain(8, hold_s=1.0, rest_s=5.0, length_s=20.0, objects=("person",))
        left = ((0, 0), (0.5, 0), (0.5, 1), (0, 1))
        zone = PolygonZone(ZoneKind.WATCH, left)
        eager = PolygonZone(ZoneKind.WATCH, left, "", "10")
        cases = (
            ("nothing", base.with_values(hold_s=2.0, rest_s=30.0, zones=(zone,)), base, ()),
            ("hold", base.with_values(hold_s=0.4), base, ("minimum duration",)),
            ("rest", base.with_values(rest_s=0.0), base, ("pause after a recording",)),
            ("length", base.with_values(length_s=10.0), base, ("recording length",)),
            ("filter", base.with_values(objects=()), base, ("object filter",)),
            ("more classes", base.with_values(objects=("person", "animal")), base, ("object filter",)),
            ("fewer classes", base, base.with_values(objects=("person", "animal")), ()),
            ("pre-record", base.with_values(pre_record_s=3.0), base, ("pre-record",)),
            ("zone", base, base.with_values(zones=(zone,)), ("zones",)),
            ("zone notch", base.with_values(zones=(eager,)), base.with_values(zones=(zone,)), ("sensitivity",)),
            ("size", base.with_values(sensitivity=(12, 4 / 576)), base, ("sensitivity",)),
            ("contrast", base.with_values(sensitivity=(8, 8 / 576)), base, ("sensitivity",)),
            ("switched off", base.with_values(detection_on=False, hold_s=0.0), base, ()),
        )
        for name, new, old, expected in cases:
            with self.subTest(name):
                self.assertEqual(could_show_more(new, old, make, grid=GRID), expected)

    def test_each_clip_belongs_to_the_settings_then_installed(self):
        traces = [blob_trace([9] * 50)] * 3
        evidence = evidence_of(traces, kinds=["person"] * 3, starts=[NOON + n * DAY for n in range(3)])
        before, now = plain(8), plain(4)
        epochs = (Epoch(NOON + DAY / 2, NOON + 1.5 * DAY, before), Epoch(NOON + 1.5 * DAY, math.inf, now))
        evidence = replace(evidence, epochs=epochs)
        self.assertEqual([evidence.settings_of(c) for c in evidence.clips], [None, before, now])
        # After the draft was entered the clips of before are not evidence of what it lets through.
        self.assertEqual(unseen_levers(evidence, now, capability()), (("sensitivity",), 1))
        self.assertEqual(unseen_levers(evidence, plain(12), capability()), ((), 1))
        told = " ".join(Scorer().compare(evidence, tried(now), tried(now)).limits)
        self.assertIn("1 motion clip made under settings that are not known", told)

    def test_settings_of_a_stretch_cut_those_around_it(self):
        one, two = plain(4), plain(8)
        epochs = with_epoch((Epoch(-math.inf, math.inf, one),), Epoch(100.0, 200.0, two))
        self.assertEqual([(e.from_s, e.to_s, e.settings) for e in epochs],
                         [(-math.inf, 100.0, one), (100.0, 200.0, two), (200.0, math.inf, one)])  # fmt: skip
        self.assertEqual(len(with_epoch(epochs, Epoch(50.0, 250.0, None))), 3)
        with self.assertRaises(InvalidValue):
            with_epoch(epochs, Epoch(5.0, 5.0, None))

    def test_the_model_is_held_against_what_the_camera_did(self):
        traces = [blob_trace([9] * 50), blob_trace([2] * 50), blob_trace([9] * 50), blob_trace([0] * 100 + [9] * 50)]
        evidence = evidence_of(
            traces, kinds=["person"] * 4, starts=[NOON, NOON + 100, NOON + 200, NOON + 300],
            origin=[Origin.MOTION] * 3 + [Origin.CONTINUOUS],
        )  # fmt: skip
        evidence = replace(evidence, epochs=(Epoch(NOON + 50, math.inf, plain(4)),))
        told = explain(evidence, lambda s: replay(evidence, tried(s)))
        self.assertEqual((told.triggered, told.silent, told.unknown), ((2,), (1,), 1))
        self.assertAlmostEqual(told.recorded_s, 9.8, delta=0.3)
        self.assertIn("explains 1 of 2 motion clips", told.words)
        named = replace(evidence, events=(CameraEvent(NOON + 315, 20.0),))
        self.assertLess(explain(named, lambda s: replay(named, tried(s))).recorded_s, 0.5)


class RecordingsAcrossClips(unittest.TestCase):
    def test_files_without_a_gap_are_one_piece_of_footage(self):
        walker = [0] * 40 + [9] * 20
        for parts in ([walker + [9] * 25 + [0] * 40], [walker, [9] * 25 + [0] * 40]):
            starts = [NOON + 12.0 * n for n in range(len(parts))]
            evidence = evidence_of(
                [blob_trace(p) for p in parts], kinds=["person"] * len(parts), starts=starts, origin=Origin.CONTINUOUS
            )
            clips = tuple(replace(c, duration_s=len(p) / 5) for c, p in zip(evidence.clips, parts, strict=True))
            done = replay(replace(evidence, clips=clips), tried(plain(4, rest_s=10.0, hold_s=1.0)))
            self.assertEqual([len(r) for r in done.recordings], [1] + [0] * (len(parts) - 1))
            self.assertEqual({o.recorded for o in done.outcomes.values()}, {True})
            self.assertAlmostEqual(done.recordings[0][0].end_s - NOON, 16.8 + 1.0)

    def test_files_that_overlap_or_lie_a_moment_apart_are_one_piece_too(self):
        whole = [0] * 40 + [9] * 45 + [0] * 40
        for parts in ((whole[:60], whole[50:]), (whole[:60], whole[66:]), (whole[:60], whole[60:])):
            starts = [NOON, NOON + (len(whole) - len(parts[1])) / 5]
            evidence = evidence_of(
                [blob_trace(p) for p in parts], kinds=["person"] * 2, starts=starts, origin=Origin.CONTINUOUS
            )
            clips = tuple(replace(c, duration_s=len(p) / 5) for c, p in zip(evidence.clips, parts, strict=True))
            done = replay(replace(evidence, clips=clips), tried(plain(4, rest_s=10.0, hold_s=1.0)))
            self.assertEqual([len(r) for r in done.recordings], [1, 0])
            self.assertAlmostEqual(done.recordings[0][0].end_s - NOON, 16.8 + 1.0)

    def test_a_pre_record_reaches_into_the_file_before(self):
        # Somebody comes in at the end of one file, small, and grows over the threshold in the next.
        evidence = evidence_of(
            [blob_trace([0] * 40 + [3] * 10), blob_trace([9] * 20 + [0] * 20)], kinds=["person"] * 2,
            starts=[NOON, NOON + 10.0], origin=Origin.CONTINUOUS,
        )  # fmt: skip
        spans = [
            replace(o, start_s=a, end_s=b) for o, (a, b) in zip(evidence.occurrences, ((8.0, 9.8), (0, 4)), strict=True)
        ]
        clips = (replace(evidence.clips[0], duration_s=10.0), evidence.clips[1])
        done = replay(replace(evidence, clips=clips, occurrences=tuple(spans)), tried(plain(4, pre_record_s=5.0)))
        self.assertEqual([done.outcomes[o.id].share for o in spans], [1.0, 1.0])
        self.assertEqual([done.outcomes[o.id].recorded for o in spans], [True, True])

    def test_clips_that_overlap_rest_only_after_what_began_before(self):
        first = [0] * 285 + [9] * 10 + [0] * 5
        second = [0] * 50 + [9] * 10 + [0] * 200
        evidence = evidence_of(
            [blob_trace(first), blob_trace(second)], kinds=["", "person"], starts=[NOON, NOON + 40],
            origin=Origin.CONTINUOUS,
        )  # fmt: skip
        evidence = evidence.with_occurrences([replace(evidence.occurrences[1], start_s=10.0, end_s=11.8)])
        done = replay(evidence, tried(plain(4, rest_s=10.0)))
        self.assertTrue(done.outcomes[101].recorded, done.outcomes[101])

    def test_a_pre_record_over_the_clip_before_is_counted_once(self):
        evidence = evidence_of(
            [blob_trace([9] * 100), blob_trace([9] * 100)], kinds=["person"] * 2, starts=[NOON, NOON + 22],
            watched=[(NOON - DAY / 2, NOON + DAY / 2)],
        )  # fmt: skip
        told = scored(evidence, plain(4, pre_record_s=5.0, length_s=20.0))
        self.assertAlmostEqual(told.recorded_s_per_day, 5 + 20 + 2 + 20, places=3)


class GatesAndFilters(unittest.TestCase):
    def test_a_snapshot_is_never_stopped_for_its_length(self):
        evidence = evidence_of([blob_trace([9])], kinds=["animal"], starts=[NOON], origin=Origin.SNAPSHOT)
        outcome = replay(evidence, tried(plain(4, hold_s=2.0, objects=("person",)))).outcomes[100]
        self.assertIs(outcome.gate, gates.OBJECT)

    def test_touching_occurrences_of_a_wanted_class_are_one_stretch(self):
        evidence = evidence_of([blob_trace([9] * 41)], kinds=["person"], starts=[NOON])
        parts = [
            replace(evidence.occurrences[0], id=n, start_s=a, end_s=b) for n, (a, b) in enumerate(((0, 4), (4.2, 8)))
        ]
        chosen = plain(4, hold_s=5.0, objects=("person",))
        done = replay(evidence.with_occurrences(parts), tried(chosen))
        self.assertEqual(len(done.recordings[0]), 1)

    def test_without_occurrences_a_filter_lets_everything_through(self):
        evidence = evidence_of([blob_trace([9] * 41)], kinds=["person"]).with_occurrences([])
        self.assertEqual(len(replay(evidence, tried(plain(4, objects=("person",)))).recordings[0]), 1)

    def test_a_zone_with_a_coarse_notch_of_its_own_names_the_size_that_it_asks_for(self):
        zone = PolygonZone(ZoneKind.WATCH, ((0, 0), (0.5, 0), (0.5, 1), (0, 1)), "", "1")
        evidence = evidence_of([blob_trace([5] * 30, column=2)], kinds=["person"])
        chosen = plain(4).with_values(notch="10", sensitivity=None, zones=(zone,))
        outcome = replay(evidence, tried(chosen)).outcomes[100]
        self.assertIs(outcome.gate, gates.SIZE)
        self.assertIn("0.9 % of the picture, 4.3 % is needed", outcome.reason)

    def test_an_occurrence_without_an_active_cell_moved_nowhere(self):
        stack = evidence_of([blob_trace([0] * 9)], kinds=["person"]).stack
        self.assertFalse(stack.main_cells([(0, 0.0, 1.0)], contrast=12).any())


class VisitsOfMixedParts(unittest.TestCase):
    def visit(self, *kinds):
        evidence = evidence_of(
            [blob_trace([9] * 20)] * len(kinds), kinds=kinds, starts=[NOON + 30 * n for n in range(len(kinds))]
        )
        joined = evidence.with_occurrences([replace(o, visit=1) for o in evidence.occurrences])
        return [(tuple(o.id for o in v), v.verdict) for v in joined.visits]

    def test_what_is_false_stands_alone_and_one_real_part_makes_a_visit_real(self):
        self.assertEqual(self.visit("foliage", "person"), [((100,), Verdict.FALSE), ((101,), Verdict.REAL)])
        self.assertEqual(self.visit("", "person"), [((100, 101), Verdict.REAL)])
        self.assertEqual(self.visit("unsure", ""), [((100, 101), Verdict.UNSURE)])


class Offers(unittest.TestCase):
    def test_what_a_change_newly_records_is_counted_against_it(self):
        # The false one in column 2 is recorded, and the rest after it swallows another false one elsewhere.
        traces = [blob_trace([9] * 20, column=2), blob_trace([9] * 20, column=20)]
        evidence = evidence_of(traces, kinds=["foliage", "animal"], starts=[NOON, NOON + 10])
        old = plain(4, length_s=4.0, rest_s=30.0)
        ignore = PolygonZone(ZoneKind.IGNORE, ((0, 0), (0.3, 0), (0.3, 1), (0, 1)))
        done = changed(evidence, old, old.with_values(zones=(ignore,)), capability())
        self.assertEqual((done.silenced, done.added, done.fewer), ((100,), (101,), 0))

    def test_one_that_would_be_late_is_told_and_costs(self):
        sizes = np.array([3] * 20 + [9] * 20)
        evidence = evidence_of([blob_trace(sizes)], kinds=["person"])
        done = changed(evidence, plain(2), plain(5), capability())
        self.assertEqual((done.lost, done.late, done.gain), ((), (100,), -1))

    def test_a_real_snapshot_and_a_trigger_near_the_end_are_kept_though_a_hold_is_set(self):
        false = blob_trace([9] * 40, column=2)
        snapshot = evidence_of(
            [false, blob_trace([9], column=2)], kinds=["foliage", "person"], starts=[NOON, NOON + 5000],
            origin=[Origin.MOTION, Origin.SNAPSHOT],
        )  # fmt: skip
        late = evidence_of(
            [false, blob_trace([0] * 90 + [9] * 10, column=2)], kinds=["foliage", "person"], starts=[NOON, NOON + 5000]
        )
        for evidence, chosen in ((snapshot, plain(4, hold_s=1.0)), (late, plain(4, hold_s=0.6, pre_record_s=5.0))):
            found = propose(evidence, tried(chosen))
            self.assertEqual((found.done.lost, found.done.silenced, found.proven), ((), (), True))

    def test_blocks_finer_than_the_cells_are_switched_off_where_the_cells_are(self):
        make = replace(capability("grid-zone-recorder"), blocks=Grid(64, 36))
        evidence = evidence_of([blob_trace([9] * 20, column=20)], kinds=["foliage"])
        found = propose(evidence, Candidate(plain(4), make))
        ((zone, *_),) = fit(evidence, found.ignored, Candidate(plain(4), make))
        self.assertIsInstance(zone, BlockZone)
        off = ~zone_cells([zone], grid=GRID)
        np.testing.assert_array_equal(off, found.ignored)


class PlacesAndClocks(unittest.TestCase):
    def test_pixel_density_ends_where_the_ground_in_the_picture_ends(self):
        far = GROUND.farthest_m
        self.assertLess(far, 7)
        self.assertAlmostEqual(GROUND.distance_for(25.0, 640), far)
        self.assertLess(ViewGeometry(3.0, 90.0, 0.8).distance_for(12.5, 640), 3)
        self.assertEqual(ViewGeometry(3.0, -20.0, 0.8).distance_for(12.5, 640), 0.0)
        level = ViewGeometry(3.0, 10.0, 0.8)
        self.assertAlmostEqual(level.density(level.distance_for(25.0, 640), 640), 25.0)

    def test_a_list_over_the_doubled_hour_stays_in_order(self):
        before, found = None, []
        for clock in ("01:50", "01:10", "01:20", "01:40"):
            before = resolve(datetime.fromisoformat(f"2026-10-25T{clock}"), LONDON, after=before).moment
            found.append(before.astimezone(UTC).strftime("%H:%M"))
        self.assertEqual(found, ["00:50", "01:10", "01:20", "01:40"])

    def test_help_with_backgrounds_follows_a_rule_and_not_the_order_of_coming(self):
        rng = np.random.default_rng(2)
        looks = [ClipLook(n, f"{n:04d}", float(rng.integers(0, 9 * 86400)), n % 9 == 0) for n in range(160)]
        found = helpers(looks)
        self.assertEqual(helpers(looks[::-1]), found)
        by_id = {x.id: x for x in looks}
        for one in looks:

            def same_hour(x, one=one):
                return x.id != one.id and abs((x.wall_s - one.wall_s + 43200) % 86400 - 43200) <= 3600

            near = sorted(
                (x for x in looks if same_hour(x) and not x.snapshot),
                key=lambda x: (abs(x.wall_s - one.wall_s), x.wall_s, x.digest),
            )[:9]
            self.assertEqual([i for i in found[one.id] if not by_id[i].snapshot], [x.id for x in near])
        self.assertNotEqual(key_of([looks[0]]), key_of([looks[1]]))
        self.assertEqual(key_of([]), "")


if __name__ == "__main__":
    unittest.main()
