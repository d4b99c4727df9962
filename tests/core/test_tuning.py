"""Tuning: what is tried, how candidates are held against each other, and what is said of the result."""

import itertools
import unittest
from dataclasses import replace
from unittest import mock

import numpy as np
from scipy.stats import nbinom

from guardia.core.evidence.events import CameraEvent
from guardia.core.evidence.watch import local_date
from guardia.core.make.candidate import Candidate
from guardia.core.make.levers import limits_broken
from guardia.core.make.settings import Settings
from guardia.core.make.shows_more import could_show_more
from guardia.core.make.zones import MadeBy, PolygonZone, ZoneKind, zone_cells, zone_from_dict, zone_to_dict
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay.anchored import Anchor, anchored
from guardia.core.score.price import price_words
from guardia.core.score.score import evidence_limits, score
from guardia.core.storage.rules import RecordingMode
from guardia.core.trace.measure import GRID, least_size
from guardia.core.tuning import fit_zones
from guardia.core.tuning.check import check_prediction
from guardia.core.tuning.days import Days
from guardia.core.tuning.drawing import DRAWINGS, Drawing, Moved, draw
from guardia.core.tuning.enough import lacking_margin
from guardia.core.tuning.predict import expected_count
from guardia.core.tuning.propose import propose
from guardia.core.tuning.trials import AS_RECORDED, VARIANTS, Trials, Variant
from guardia.core.tuning.tune import Answer, pareto, tune
from guardia.store.project import Project
from tests.support import DEMO, blob_trace, capability, evidence_of, plain, tried

DAY_S = 86_400.0
START_S = 1_757_200_000.0
LONG = 20


def days_of(*, real: int, false: int, days: int, false_column: int = 24, least: int = 8, installed=None, watched=None):
    """Evidence of some days: every day so many real blobs on the left and false ones elsewhere, all large enough."""
    traces, kinds, starts = [], [], []
    for day, (kind, count, column) in itertools.product(
        range(days), (("person", real, 3), ("foliage", false, false_column))
    ):
        for n in range(count):
            traces.append(blob_trace([0, *([least + (day + n) % 3] * LONG), 0], column=column))
            kinds.append(kind)
            starts.append(START_S + DAY_S * day + 900.0 * n + (450.0 if kind == "foliage" else 0.0))
    spans = watched or [(START_S - 3600, START_S + DAY_S * days)]
    return evidence_of(traces, kinds=kinds, starts=starts, watched=spans, installed=installed)


def alike_anywhere(rng, *, days: int, real: float, false: float):
    """Evidence of days on which real and false things of the same sizes move anywhere: nothing tells them apart."""
    traces, kinds, starts = [], [], []
    for day in range(days):
        counts = rng.poisson(real), rng.poisson(false)
        several = ["person"] * counts[0] + ["foliage"] * counts[1]
        at = sorted(rng.uniform(0, DAY_S - 60, len(several)))
        rng.shuffle(several)
        for moment, kind in zip(at, several, strict=True):
            column, size, length = (int(rng.integers(*ends)) for ends in ((0, 30), (6, 36), (4, 12)))
            traces.append(blob_trace([0, *[size] * length, 0], column=min(column, 30 - size // 18)))
            kinds.append(kind)
            starts.append(START_S + DAY_S * day + moment)
    watched = [(START_S, START_S + DAY_S * days)]
    return evidence_of(traces, kinds=kinds, starts=starts, watched=watched, installed=plain(4))


class Trying(unittest.TestCase):
    def test_strength_is_what_a_loop_over_pictures_says(self):
        with Project(DEMO) as project:
            camera = next(c for c in project.cameras.all() if c.name == "Slipway")
            evidence = project.evidence(camera.id)
        trials = Trials(evidence)
        for hold_s in (0.0, 0.6, 1.0):
            candidate = camera.under(camera.installed.with_values(hold_s=hold_s))
            trial, stack = trials.of(candidate), evidence.stack
            sizes = stack.sizes(
                zone_cells(candidate.settings.detection.zones, grid=stack.grid), contrast=candidate.sensitivity[0]
            )
            needed = least_size(Anchor(evidence, camera.capability).own(candidate).sensitivity[1], stack.cells)
            for n, visit in enumerate(trials.visits):
                best = 0
                for part in visit:
                    clip = evidence.clip_index[part.clip_id]
                    times, base = stack.times[clip], int(stack.clip_start[clip])
                    low, high = (w - base for w in evidence.windows[trials.evidence.occurrences.index(part)])
                    for i in range(low, high):
                        j = next((k for k in range(i, len(times)) if times[k] - times[i] >= hold_s - 1e-6), None)
                        if j is not None:
                            best = max(best, int(sizes[base + i : base + j + 1].min()))
                self.assertAlmostEqual(trial.strength[n], best / needed, delta=0.02 * max(1, best / needed))

    def test_a_visit_at_the_edge_of_a_zone_is_at_risk_and_one_in_its_middle_is_not(self):
        evidence = evidence_of([blob_trace([0, *[8] * LONG, 0], column=c) for c in (3, 10)], kinds=["person"] * 2)
        left = PolygonZone(ZoneKind.WATCH, ((0, 0), (4 / 32, 0), (4 / 32, 1), (0, 1)), "left")
        trial = Trials(evidence).of(tried(plain(4, zones=(left,))))
        self.assertEqual(trial.recorded.tolist(), [True, False])
        self.assertGreater(trial.risk[0], 0)
        self.assertEqual(trial.risk[1], 1.0)
        whole = Trials(evidence).of(tried(plain(4)))
        np.testing.assert_allclose(whole.risk, 0.0, atol=1e-3)  # nobody knows the settings of then
        # Both differ in the same way at once: a cell to the right one leaves the zone, to the left it stays.
        right, left = (trial.varied[VARIANTS.index(Variant(across=by))].tolist() for by in (1, -1))
        self.assertEqual((right, left), ([False, False], [True, False]))

    def test_what_a_false_one_just_misses_is_its_risk(self):
        evidence = days_of(real=0, false=1, days=1)
        risks = [Trials(evidence).of(tried(plain(needed))).risk[0] for needed in (4, 9, 20)]
        self.assertAlmostEqual(risks[0], 1.0, delta=1e-3)
        self.assertLess(risks[2], 0.1 / len(VARIANTS), "it lies far below what is needed")
        self.assertTrue(1 / len(VARIANTS) < risks[1] < 2 / len(VARIANTS), "one variant passes, and itself it may")
        self.assertEqual(VARIANTS[0], AS_RECORDED)


class Drawn(unittest.TestCase):
    def setUp(self):
        with Project(DEMO) as project:
            self.cameras = [(c, project.evidence(c.id)) for c in project.cameras.all()]

    def test_every_drawing_fits_its_make_and_keeps_its_distance(self):
        for camera, evidence in self.cameras:
            trials, candidate = Trials(evidence), camera.under(camera.installed.with_values(zones=()))
            moved = Moved.of(evidence, trials.visits, trials.real, candidate)
            grid, seen = evidence.stack.grid, np.ones(len(trials.visits), bool)
            real = moved.cells[trials.real].any(axis=0)
            for drawing in DRAWINGS:
                zones = draw(drawing, moved, seen, candidate, grid=grid)
                if zones is None:
                    continue
                self.assertEqual(limits_broken(candidate.with_values(zones=zones)), [], (camera.name, drawing))
                inside = zone_cells(zones, grid=grid)
                if drawing.watch == 2 and not drawing.rare and camera.capability.zone_form == "polygon":
                    self.assertGreater((inside & real).sum(), 0.98 * real.sum(), (camera.name, drawing))
                if drawing == Drawing(ignore=1, pieces=4):
                    self.assertLess((~inside & real).sum(), 0.05 * real.sum() + 1, (camera.name, drawing))

    def test_what_real_ones_can_spare_is_given_up_to_false_ones(self):
        evidence = days_of(real=1, false=1, days=1, false_column=5, least=40)
        trials, candidate = Trials(evidence), tried(plain(4))
        moved = Moved.of(evidence, trials.visits, trials.real, candidate)
        seen, inside = np.ones(2, bool), []
        for keep in (1.0, 0.4):
            (zone,) = draw(Drawing(watch=0, hull=False, keep=keep), moved, seen, candidate, grid=GRID)
            inside.append(zone_cells((zone,), grid=GRID))
        real = moved.cells[0]
        self.assertTrue((inside[1] <= inside[0]).all())
        self.assertLess((inside[1] & real).sum(), (inside[0] & real).sum())
        self.assertGreaterEqual((inside[1] & real).sum(), 0.4 * real.sum())

    def test_a_zone_gets_a_sensitivity_of_its_own_where_the_make_has_one(self):
        evidence = days_of(real=3, false=4, days=6)
        left = PolygonZone(ZoneKind.WATCH, ((0, 0), (0.4, 0), (0.4, 1), (0, 1)), "path")
        right = PolygonZone(ZoneKind.WATCH, ((0.6, 0), (1, 0), (1, 1), (0.6, 1)), "trees")
        installed = tried(Settings.of("polygon-mains-camera", "9", zones=(left, right)))
        words = {words for words, _, _ in tune(evidence, installed).singles}
        self.assertTrue(any(w.startswith("sensitivity ") and w.endswith(" in 'trees'") for w in words), words)
        plain_make = replace(installed.capability, zone_sensitivity=False)
        words = {words for words, _, _ in tune(evidence, replace(installed, capability=plain_make)).singles}
        self.assertFalse(any(" in '" in w for w in words))

    def test_what_may_not_be_seen_is_not_drawn_from(self):
        evidence = evidence_of([blob_trace([0, *[8] * LONG, 0], column=c) for c in (3, 20)], kinds=["person", "person"])
        trials, candidate = Trials(evidence), tried(plain(4))
        moved = Moved.of(evidence, trials.visits, trials.real, candidate)
        (zone,) = draw(Drawing(watch=1), moved, np.array([True, False]), candidate, grid=GRID)
        self.assertLess(max(x for x, _ in zone.points), 10 / 32)


class Tuning(unittest.TestCase):
    def test_false_ones_apart_from_real_ones_are_silenced_and_nothing_is_lost(self):
        found = tune(days_of(real=3, false=4, days=8), tried(plain(4)))
        self.assertEqual(found.answer, Answer.BETTER)
        self.assertEqual((found.installed.false, found.tuned.false, found.tuned.missed), (32, 0, 0))
        self.assertEqual((found.held_out.false, found.held_out.missed, found.held_out.real), (0, 0, 24))
        self.assertGreater(found.margin, 0.5)
        self.assertEqual(found.plan[-1].counts, found.tuned)
        self.assertEqual(found.plan[-1].candidate, found.chosen)

    def test_what_looks_like_the_real_ones_is_a_limit_of_the_make(self):
        # With a time between alerts it could part those of each day by their times alone.
        alone = Candidate(plain(4), replace(capability(), alert_interval_choices_s=(0.0,)))
        found = tune(days_of(real=3, false=4, days=8, false_column=3, installed=plain(4)), alone)
        self.assertEqual((found.answer, found.chosen), (Answer.LIMIT, alone))
        self.assertIn("32 foliage", found.why[0])
        self.assertIn("32 of 32 false ones are as large", found.why[0])
        self.assertIn("Move the camera", found.why[0])
        unknown = tune(days_of(real=3, false=4, days=8, false_column=3), alone)
        self.assertEqual(unknown.answer, Answer.TOO_LITTLE)
        self.assertIn("Enter the settings of then", unknown.why[0])

    def test_little_evidence_is_never_called_better_nor_a_limit_and_says_what_would_settle_it(self):
        for real, false, days, hold_out, words in (
            (0, 3, 6, 0, "0 real occurrences that the camera records are judged"),
            (1, 3, 4, 0, "11 would settle it"),
            (2, 2, 2, 0, "7 more times where people pass"),
            (6, 4, 2, 0, "Fewer than 3 days"),
            (6, 4, 4, 1, "Fewer than 3 days"),
        ):
            with self.subTest((real, false, days)):
                evidence = days_of(real=real, false=false, days=days, installed=plain(4))
                found = tune(evidence, tried(plain(4)), hold_out=hold_out)
                self.assertEqual(found.answer, Answer.TOO_LITTLE)
                self.assertIn(words, found.why[0])

    def test_zones_that_somebody_drew_are_said_to_be_taken_as_drawn(self):
        evidence = days_of(real=3, false=4, days=8, installed=plain(4))
        alone = tune(evidence, tried(plain(4)))
        zones = alone.chosen.settings.detection.zones
        self.assertEqual({zone.made_by for zone in zones}, {MadeBy.TUNED})
        self.assertEqual({zone_from_dict(zone_to_dict(zone)).made_by for zone in zones}, {MadeBy.TUNED})
        by_hand = plain(4).with_values(zones=tuple(replace(zone, made_by=MadeBy.HAND) for zone in zones))
        found = tune(evidence, tried(plain(4)), draft=by_hand)
        self.assertEqual(found.chosen.settings.detection.zones, zones)
        self.assertTrue(any("as drawn with all days in view" in line for line in found.why))
        self.assertFalse(any("as drawn with all days in view" in line for line in alone.why))
        self.assertEqual(found.installed_held_out, found.installed)

    def test_proposed_zones_are_proposed_again_without_the_days_held_out(self):
        # Real and false ones move alike, anywhere: zones fitted on all days silence false ones of these days alone.
        evidence = alike_anywhere(np.random.default_rng(4), days=5, real=3, false=2)
        with mock.patch.object(fit_zones, "TRIES", 60):
            zones = fit_zones.fit(evidence, propose(evidence, tried(plain(4))).ignored, tried(plain(4)))[-1]
            self.assertEqual({zone.made_by for zone in zones}, {MadeBy.PROPOSED})
            found = tune(evidence, tried(plain(4)), draft=plain(4).with_values(zones=zones))
            by_hand = tuple(replace(zone, made_by=MadeBy.HAND) for zone in zones)
            as_drawn = tune(evidence, tried(plain(4)), draft=plain(4).with_values(zones=by_hand))
        # As drawn they silence on the days held out what they were fitted on; proposed again they lose real ones there.
        self.assertEqual((as_drawn.held_out.false, as_drawn.held_out.missed), (8, 0))
        self.assertEqual((found.held_out.false, found.held_out.missed), (12, 2))
        self.assertEqual((found.answer, found.installed_held_out.false), (Answer.LIMIT, 14))
        self.assertAlmostEqual(found.week[0].mean, found.installed_held_out.false * 7 / 5)

    def test_what_the_choice_costs_and_why_not_the_one_with_fewer(self):
        evidence = days_of(real=3, false=4, days=8, installed=plain(4, length_s=10.0))
        found = tune(evidence, tried(plain(4, length_s=10.0)))
        old, new = found.price
        # The clips are as long as they are, whatever the model says of their length; the false ones would not be made.
        silent = sum(evidence.clip_of(o).duration_s for o in evidence.occurrences if o.kind == "foliage")
        self.assertAlmostEqual(old.recorded_s - new.recorded_s, silent / evidence.watch.days, places=3)
        self.assertEqual(price_words(old, new), "False alerts a day 0.0, was 4.0; recorded a day 0.2 min, was 0.5 min.")
        self.assertEqual(price_words(old, old), "")
        with Project(DEMO) as project:
            camera = next(c for c in project.cameras.all() if c.name == "Office step")
            told = " ".join(tune(project.evidence(camera.id), camera.under(camera.installed)).why)
        self.assertRegex(told, r"Settings with fewer false alerts \(\d+\) are not chosen: (they lose|chosen without)")

    def test_what_is_written_always_is_said_to_lie_on_the_store_though_nothing_marks_it(self):
        for mode, words in ((RecordingMode.MOTION, ""), (RecordingMode.CONTINUOUS, "It records always"),
                            (RecordingMode.MIXED, "In its hours it records always")):  # fmt: skip
            installed = tried(plain(4, mode=mode))
            evidence = days_of(real=3, false=2, days=4, installed=installed.settings)
            said = [line for line in tune(evidence, installed).why if "is on the store" in line]
            self.assertEqual([line.split(":")[0] for line in said], [words] if words else [])

    def test_what_leaves_the_weakest_real_one_nothing_to_spare_is_not_called_better(self):
        self.assertIn("passes by 0%, by 30%", lacking_margin(0.0, 0.3))
        for margin, before in ((0.06, 0.3), (0.0, 0.02), (None, 0.3), (0.0, None)):
            self.assertEqual(lacking_margin(margin, before), "")

    def test_eight_clips_none_of_them_lost_show_no_misses_and_no_limit(self):
        # Whatever level is set: the clips are here, so that they were recorded.
        for label in ("1", "5", "10"):
            chosen = Settings.of("polygon-mains-camera", label)
            found = tune(days_of(real=2, false=2, days=2, installed=chosen), tried(chosen))
            self.assertEqual((found.installed.real, found.installed.missed, found.installed.false), (4, 0, 4))
            self.assertEqual(found.answer, Answer.TOO_LITTLE)
            self.assertNotIn("another make", " ".join(found.why))

    def test_an_object_filter_is_not_tried_on_what_only_the_judgement_says(self):
        found = tune(days_of(real=3, false=4, days=8, false_column=3), tried(plain(4)))
        self.assertEqual([w for w, *_ in found.singles if w.startswith("object filter")], [])
        self.assertIn("object filter was not tried", " ".join(found.why))

    def test_a_zone_for_a_class_is_tried_where_the_make_has_such_and_the_camera_named_what_it_saw(self):
        zone = PolygonZone(ZoneKind.WATCH, ((0.0, 0.0), (1.0, 0.0), (1.0, 1.0), (0.0, 1.0)), "all")
        settings = plain(4).with_values(zones=(zone,))
        alike = days_of(real=3, false=4, days=8, false_column=3, installed=settings)
        named = [CameraEvent(alike.span_s(o)[0], 4.0, "person" if o.kind == "person" else "animal", alert=True)
                 for o in sorted(alike.occurrences, key=lambda o: alike.span_s(o)[0])]  # fmt: skip
        make = replace(capability(), object_classes=("person", "animal"), zone_classes=True, zone_sensitivity=False)
        found = tune(replace(alike, events=tuple(named)), Candidate(settings, make))
        counts = {words: (counts.false, counts.missed) for words, counts, _ in found.singles}
        self.assertEqual((counts["'all' for person"], counts["'all' for animal"]), ((0, 0), (32, 24)))
        found = tune(replace(alike, events=tuple(named)), Candidate(settings, replace(make, zone_classes=False)))
        self.assertEqual([words for words, *_ in found.singles if words.startswith("'all' for")], [])

    def test_what_could_change_the_choice_is_asked_for_and_nothing_else(self):
        evidence = days_of(real=3, false=4, days=8)
        waiting = [o.id for o in evidence.occurrences if evidence.clip_of(o).id % 7 in (0, 6)][:6]
        opened = [replace(o, kind="") if o.id in waiting else o for o in evidence.occurrences]
        found = tune(evidence.with_occurrences(opened), tried(plain(4)))
        kinds = {o.id: o.kind for o in evidence.occurrences}
        # The settings silence what moved where the false ones do; on what moved with the real ones they agree.
        self.assertEqual(set(found.telling), {i for i in waiting if kinds[i] == "foliage"})
        self.assertTrue(found.telling)

    def test_what_motion_clips_cannot_price_is_told_and_not_chosen(self):
        with Project(DEMO) as project:
            camera = next(c for c in project.cameras.all() if c.name == "Slipway")
            evidence = project.evidence(camera.id)
        grid, make = evidence.stack.grid, camera.capability
        careful, bold = (tune(evidence, camera.under(camera.installed), unseen=u) for u in (False, True))
        more = {words for words, _, more in careful.singles if more}
        self.assertIn("pause after a recording none", more)
        self.assertIn("no zones", more)
        self.assertNotIn("sensitivity 3", more)
        self.assertEqual(could_show_more(careful.chosen.settings, camera.installed, make, grid=grid), ())
        self.assertNotEqual(could_show_more(bold.chosen.settings, camera.installed, make, grid=grid), ())
        self.assertLess(bold.tuned.missed, careful.tuned.missed)
        self.assertIn("motion clips cannot show", " ".join(careful.why))

    def test_what_the_make_is_not_known_to_take_is_tried_all_the_same_where_it_is_installed(self):
        evidence, make = days_of(real=3, false=4, days=6), capability()
        x = [n / 10 for n in range(7)]
        six = tuple(PolygonZone(ZoneKind.IGNORE, ((a, 0), (a + 0.05, 0), (a + 0.05, 0.05)), f"n{a}") for a in x)
        for values in ({"zones": six}, {"length_s": 17.0}, {"rest_s": 11.0, "pre_record_s": 3.0}):
            with self.subTest(list(values)):
                installed = plain(4, **values)
                found = tune(evidence, tried(installed))
                self.assertTrue(any("not known to take" in line for line in found.why))
                broken = limits_broken(found.chosen, installed=installed)
                self.assertEqual((broken, found.tuned.missed), ([], 0))
        self.assertGreater(len(six), make.max_zones)

    def test_judged_days_count_for_the_choice_where_nobody_said_when_it_was_watched(self):
        watched = days_of(real=3, false=4, days=6)
        alone = tune(replace(watched, watched=()), tried(plain(4)))
        self.assertEqual(alone.chosen, tune(watched, tried(plain(4))).chosen)
        self.assertEqual((alone.installed.false, alone.tuned.false), (24, 0))
        self.assertIsNone(alone.installed.false_per_day)

    def test_two_days_are_too_few_and_none_is_nothing(self):
        found = tune(days_of(real=6, false=4, days=2), tried(plain(4)))
        self.assertEqual((found.answer, found.held_out), (Answer.TOO_LITTLE, None))
        self.assertIn("Fewer than 3 days", found.why[0])
        nothing = tune(evidence_of([blob_trace([8] * LONG)], kinds=[""]), tried(plain(4)))
        self.assertEqual((nothing.answer, nothing.tried), (Answer.TOO_LITTLE, 1))

    def test_the_days_kept_out_change_nothing_of_the_choice(self):
        evidence = days_of(real=3, false=4, days=8)
        last = local_date(START_S + 6 * DAY_S, evidence.watch.zone)
        turned = [
            replace(o, kind="foliage" if o.verdict is Verdict.REAL else "person")
            if local_date(evidence.span_s(o)[0], evidence.watch.zone) >= last
            else o
            for o in evidence.occurrences
        ]
        one, two = (tune(e, tried(plain(4)), hold_out=2) for e in (evidence, evidence.with_occurrences(turned)))
        self.assertEqual(one.chosen, two.chosen)
        self.assertEqual((one.held_out.missed, two.held_out.missed), (0, two.held_out.real))

    def test_the_same_evidence_gives_the_same_answer(self):
        with Project(DEMO) as project:
            camera = next(c for c in project.cameras.all() if c.name == "Winter store")
            one, two = (tune(project.evidence(camera.id), camera.under(camera.installed)) for _ in range(2))
        self.assertEqual(
            (one.chosen, one.why, one.held_out, one.points), (two.chosen, two.why, two.held_out, two.points)
        )

    def test_the_trade_off_is_what_comparing_all_pairs_says(self):
        rng = np.random.default_rng(4)
        for _ in range(50):
            pairs = [tuple(p) for p in rng.integers(0, 12, (30, 2)).tolist()]
            best = {p for p in pairs if not any(q[0] <= p[0] and q[1] <= p[1] and q != p for q in pairs)}
            self.assertEqual(pareto(pairs), best)


class Checking(unittest.TestCase):
    def test_what_came_since_is_held_against_what_was_to_be_expected(self):
        evidence = days_of(real=1, false=2, days=12)
        check = check_prediction(evidence, tried(plain(4)), START_S + 6 * DAY_S)
        self.assertTrue(check.agrees)
        self.assertEqual((check.observed, round(check.expected.mean)), (10, 10))
        self.assertIn("10 false recordings", check.words)
        self.assertIsNone(check_prediction(evidence, tried(plain(4)), START_S + 12 * DAY_S))

    def test_where_six_hours_a_day_are_watched_a_day_means_those(self):
        begin = START_S // 3600 * 3600
        spans = [(begin + DAY_S * day, begin + DAY_S * day + 6 * 3600) for day in range(8)]
        evidence = days_of(real=2, false=8, days=8, watched=spans, installed=plain(4))
        candidate = tried(plain(4))
        figures = score(evidence, anchored(evidence, candidate))
        self.assertEqual((round(figures.false_per_day, 6), figures.watched_days), (8.0, 8.0))
        limits = evidence_limits(evidence, candidate.settings, candidate.capability)
        self.assertTrue(any("A day means the hours" in line for line in limits))
        self.assertEqual(round(tune(evidence, candidate, unseen=True).installed.false_per_day[0], 6), 8.0)
        trials = Trials(evidence)
        everyday = [(trials.of(candidate), frozenset(trials.days))]
        self.assertEqual(round(Days(evidence, trials).week(everyday)[0].mean, 6), 56.0)
        check = check_prediction(evidence, candidate, START_S + 4 * DAY_S)
        self.assertEqual((check.hours, check.observed, round(check.expected.mean, 6)), (6, 24, 24.0))
        self.assertIn("6 hours of each covered", check.words)

    def test_a_new_cause_is_named_where_more_came_than_expected(self):
        evidence = days_of(real=1, false=6, days=12)
        since = START_S + 6 * DAY_S
        early = {o.id for n, o in enumerate(evidence.occurrences) if evidence.span_s(o)[0] < since and n % 7 > 2}
        kinds = [
            replace(
                o,
                kind="insect_or_web" if o.kind == "foliage" and evidence.span_s(o)[0] > since and n % 7 > 3 else o.kind,
            )
            for n, o in enumerate(evidence.occurrences)
            if o.id not in early
        ]
        check = check_prediction(evidence.with_occurrences(kinds), tried(plain(4)), since)
        self.assertFalse(check.agrees)
        self.assertIn("New since then: insect or web", check.words)


class Expecting(unittest.TestCase):
    def cover(self, draw_day, days: int) -> int:
        """In how many of 200 seeded weeks the count lies in the 90 % interval."""
        rng, inside = np.random.default_rng(11), 0
        for _ in range(200):
            rate = rng.gamma(3.0, 0.6)
            seen = [draw_day(rng, rate) for _ in range(days)]
            expected = expected_count(np.array(seen), np.ones(days), 7.0)
            inside += expected.low <= sum(draw_day(rng, rate) for _ in range(7)) <= expected.high
        return inside

    def test_weeks_lie_in_the_interval_as_often_as_it_says(self):
        self.assertGreaterEqual(self.cover(lambda rng, rate: int(rng.poisson(rate)), 10), 170)
        # Days that differ by more than chance: of a negative binomial of twice the variance.
        self.assertGreaterEqual(self.cover(lambda rng, rate: int(rng.negative_binomial(rate, 0.5)), 10), 165)

    def test_days_of_gamma_distributed_rates_likewise(self):
        for spread in (0.5, 1.0):
            shape = spread**-2

            def draw_day(rng, rate, shape=shape):
                return int(rng.poisson(rng.gamma(shape, rate / shape)))

            self.assertIn(self.cover(draw_day, 6), range(170, 195))

    def test_a_week_without_scatter_is_negative_binomial(self):
        # Jeffreys' gamma over the days, then Poisson: scipy's nbinom, with which a large number of even days agrees.
        even = expected_count(np.full(60, 2.0), np.ones(60), 7.0)
        law = nbinom(120.5, 60 / 67)
        self.assertLessEqual(abs(even.low - law.ppf(0.05)), 1)
        self.assertLessEqual(abs(even.high - law.ppf(0.95)), 1)

    def test_where_a_quarter_of_each_day_is_watched_a_week_has_seven_such_days(self):
        quarter = expected_count(np.full(6, 8.0), np.full(6, 0.25), 7 * 0.25)
        self.assertEqual(quarter, expected_count(np.full(6, 8.0), np.ones(6), 7.0))
        self.assertEqual(quarter.mean, 56.0)

    def test_ways_in_which_days_may_have_been_widen_it(self):
        ways = np.array([np.full(6, 1.0), np.full(6, 4.0)])
        both, first = expected_count(ways, np.ones(6), 7.0), expected_count(ways[0], np.ones(6), 7.0)
        self.assertEqual(both.mean, 17.5)
        self.assertGreater(both.high - both.low, first.high - first.low)
        self.assertEqual(expected_count(ways, np.ones(6), 7.0, weights=np.array([1.0, 0.0])), first)
        with self.assertRaises(ValueError):
            expected_count(np.zeros((1, 0)), np.zeros(0), 7.0)


if __name__ == "__main__":
    unittest.main()
