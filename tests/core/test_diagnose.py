"""Why was it not recorded? Faults planted on made-up weeks: the first named cause, never a wrong 'all well'."""

import itertools
import math
import unittest
from dataclasses import replace
from datetime import date, datetime
from unittest import mock
from zoneinfo import ZoneInfo

import numpy as np

from guardia.core.evidence.clips import FOOTAGE, Origin
from guardia.core.evidence.epochs import Epoch
from guardia.core.evidence.watch import Watch
from guardia.core.hours.modes import Mode
from guardia.core.hours.plan import ALWAYS, EVERY_DAY, Edge, Stretch, WeekPlan
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import Settings
from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.core.prove.diagnose import Question, diagnose
from guardia.core.replay import gates
from guardia.core.replay.gate import Moment, State
from guardia.core.replay.replay import replay
from guardia.core.replay.silence import silences
from guardia.core.replay.up_gates import NEAR_S
from guardia.core.storage.known import StorageKnown
from guardia.core.storage.readings import Measure, Reading
from guardia.core.storage.rules import RecordingMode
from guardia.core.storage.stores import Fitted, Store, StoreKind
from guardia.store.project import Project
from tests.support import DEMO, blob_trace, capability, evidence_of

DAY, HOUR = 86400.0, 3600.0
BEGIN = 1_784_505_600.0  # 2026-07-20 00:00 UTC
FAR_CORNER = PolygonZone(ZoneKind.WATCH, ((0.9, 0.9), (1.0, 0.9), (1.0, 1.0), (0.9, 1.0)), "corner")
NIGHTS = WeekPlan((Stretch(EVERY_DAY, Edge(22 * 60), Edge(6 * 60), overnight=True),))
DAYTIME = WeekPlan((Stretch(EVERY_DAY, Edge(7 * 60), Edge(21 * 60)),))
CARD = Store("card", StoreKind.CARD, 64.0)


class WeekCase(unittest.TestCase):
    """A made-up week of a camera, and questions about a moment of it."""

    def setUp(self):
        self.make = capability()
        self.settings = Settings.of(self.make.id, "10", length_s=14.0, target=StoreKind.CARD)

    def week(
        self,
        seed,
        at,
        *,
        quiet_s=0.0,
        footage=None,
        settings=None,
        stores=(CARD,),
        readings=(),
        of_store=(),
        until=None,
    ):
        """Clips by day over ten days, but none within a time of `at`; what footage shows there, if anything."""
        rng = np.random.default_rng(seed)
        starts = [BEGIN + d * DAY + HOUR * h for d in range(10) for h in sorted(rng.uniform(6, 20, 8))]
        starts = [s for s in starts if abs(s - at) > max(quiet_s, 60.0) and (until is None or s < until)]
        traces, origins = [blob_trace([0, *[40] * 20, 0]) for _ in starts], [Origin.MOTION] * len(starts)
        if footage is not None:
            place = int(np.searchsorted(starts, at - 2))
            starts.insert(place, at - 2)
            traces.insert(place, footage)
            origins.insert(place, Origin.CONTINUOUS)
        chosen = settings or self.settings
        spans = (
            [(BEGIN, at - quiet_s / 2), (at + quiet_s / 2, BEGIN + 10 * DAY)]
            if quiet_s
            else [(BEGIN, BEGIN + 10 * DAY)]
        )
        evidence = evidence_of(
            traces,
            kinds=["person"] * len(traces),
            starts=starts,
            origin=origins,
            watched=spans if until is None else [],
        )
        fitted = tuple(Fitted(1, s, (1,), tuple(of_store)) for s in stores)
        known = StorageKnown(fitted, {}, {}, tuple(readings), BEGIN + 11 * DAY)
        return replace(evidence, epochs=(Epoch(-math.inf, math.inf, chosen),), storage=known)

    def ask(self, evidence, at, question=Question.NOT_RECORDED):
        return diagnose(
            evidence, self.make, at, question, lambda s: replay(evidence, Candidate(s, self.make))
        )  # fmt: skip


class Faults(WeekCase):
    def planted(self):
        """(name of the gate, evidence, moment) of each fault."""
        moving = blob_trace([0, *[6] * 10, 0])
        for seed in range(4):
            at = BEGIN + (3 + seed) * DAY + 12.3 * HOUR
            s = self.settings
            yield "power", self.week(seed, at, quiet_s=20 * HOUR), at
            empty = [Reading(at - n * DAY, Measure.BATTERY, 2.0 + 30 * n) for n in (3, 2, 1)]
            empty.append(Reading(at - HOUR, Measure.BATTERY, 1.0))
            yield "power", self.week(seed, at, readings=empty, until=at - 2 * HOUR), at
            silent = Mode("closed", DAYTIME, records=False)
            yield "mode", self.week(seed, at, settings=s.with_values(modes=(silent,))), at
            yield "recording hours", self.week(seed, at, settings=s.with_values(recording_plan=NIGHTS)), at
            yield "detection on", self.week(seed, at, settings=s.with_values(detection_on=False)), at
            yield "zone", self.week(seed, at, footage=moving, settings=s.with_values(zones=(FAR_CORNER,))), at
            high = s.with_values(sensitivity=(40, 0.2), notch="")
            yield "size", self.week(seed, at, footage=moving, settings=high), at
            yield "minimum duration", self.week(seed, at, footage=moving, settings=s.with_values(hold_s=3.0)), at
            yield "target", self.week(seed, at, settings=s.with_values(target=StoreKind.REMOTE)), at
            failed = [Reading(BEGIN + DAY, Measure.HEALTHY), Reading(at - HOUR, Measure.FAILED)]
            yield "store", self.week(seed, at, of_store=failed), at
            ended = Store("plan", StoreKind.REMOTE, keeps_days=30.0, ends=date(2026, 7, 21))
            yield "plan", self.week(seed, at, stores=(ended,), settings=s.with_values(target=StoreKind.REMOTE)), at
            full = [Reading(at - DAY, Measure.USED, 61.0), Reading(at - DAY, Measure.FREE, 0.0)]
            yield "room", self.week(seed, at, of_store=full, settings=s.with_values(overwrite=False)), at

    def test_the_first_named_cause_of_planted_faults(self):
        right, count = [], 0
        for wanted, evidence, at in self.planted():
            count += 1
            found = self.ask(evidence, at)
            self.assertNotIn("Every gate was open", found.words, wanted)
            right.append(found.cause is not None and found.cause.name == wanted)
        self.assertEqual(count, 48)
        self.assertGreaterEqual(
            sum(right), 44, [w for (w, _, _), ok in zip(self.planted(), right, strict=True) if not ok]
        )

    def test_of_two_faults_the_first_in_the_chain_is_named_and_the_other_told(self):
        at = BEGIN + 4 * DAY + 12.3 * HOUR
        failed = [Reading(BEGIN, Measure.HEALTHY), Reading(at - HOUR, Measure.FAILED)]
        both = self.settings.with_values(recording_plan=NIGHTS)
        found = self.ask(self.week(1, at, settings=both, of_store=failed), at)
        self.assertEqual(found.cause.name, "recording hours")
        self.assertIn("Closed as well: store", found.words)

    def test_without_a_cause_the_cheapest_likely_check_comes_first(self):
        at = BEGIN + 4 * DAY + 12.3 * HOUR
        weak = [Reading(BEGIN, Measure.SIGNAL, -91.0)]
        found = self.ask(self.week(1, at, quiet_s=0.0, readings=weak, until=at - 30 * HOUR), at)
        self.assertIsNone(found.cause)
        scores = [g.weight / g.minutes for g in found.checks]
        self.assertEqual(scores, sorted(scores, reverse=True))
        self.assertIn("Look first at", found.words)
        self.assertIn("wait a minute", next(g.check for g in found.checks if g.name == "reaches its recorder"))

    def test_what_was_recorded_after_all_is_said(self):
        evidence = self.week(1, BEGIN)
        clip = evidence.clips[5]
        found = self.ask(evidence, clip.start_s + 1)
        self.assertIn(f"It was recorded: {clip.name}", found.words)

    def test_records_just_near_enough_on_both_sides_show_that_it_had_power(self):
        for near_s, state in ((NEAR_S, State.OPEN), (NEAR_S + 1, State.UNKNOWN)):
            traces = [blob_trace([9] * 5)] * 2
            first = evidence_of(traces[:1], kinds=["person"], starts=[BEGIN])
            at = first.clips[0].end_s + near_s
            evidence = evidence_of(traces, kinds=["person"] * 2, starts=[BEGIN, at + near_s])
            self.assertEqual(self.answer(evidence, at, gates.POWER), state, near_s)

    def answer(self, evidence, at, gate, make=None, settings=None):
        """What a gate says of a moment."""
        candidate = Candidate(settings or self.settings, make or self.make)
        said = gate.at(Moment(at, candidate, replay(evidence, candidate)))
        return None if said is None else said.state

    def test_what_people_look_at_first_is_closed_by_what_was_read_or_seen_and_else_asked(self):
        at = BEGIN + 4 * DAY + 12.3 * HOUR
        plain = self.week(1, at, quiet_s=2 * HOUR)
        for gate in (gates.SWITCHED_ON, gates.SHUTTER, gates.CLOCK):
            self.assertEqual(self.answer(plain, at, gate), State.UNKNOWN)
            self.assertTrue(gate.check.text)
        near = plain.clips[10]
        black = replace(plain, clips=tuple(replace(c, brightness=1.0) for c in plain.clips))
        lit = replace(plain, clips=tuple(replace(c, brightness=70.0) for c in plain.clips))
        self.assertEqual(self.answer(black, near.end_s + 60, gates.SHUTTER), State.CLOSED)
        self.assertEqual(self.answer(lit, near.end_s + 60, gates.SHUTTER), State.OPEN)
        for off, state in ((30.0, State.OPEN), (-3600.0, State.CLOSED)):
            read = self.week(1, at, readings=[Reading(at, Measure.CLOCK, off)])
            self.assertEqual(self.answer(read, at, gates.CLOCK), state)
        self.assertEqual(self.answer(replace(plain, clock_error_s=-400.0), at, gates.CLOCK), State.OPEN)
        midnight = BEGIN + 4 * DAY
        dark = evidence_of([blob_trace([0, 9])], kinds=["person"], starts=[midnight])
        here = replace(dark, coordinates=(51.5, -0.1), clips=(replace(dark.clips[0], brightness=1.0),))
        self.assertIsNone(self.answer(here, at, gates.NIGHT_VISION), "by day it does not apply")
        self.assertEqual(self.answer(here, midnight, gates.NIGHT_VISION), State.CLOSED)

    def test_data_that_is_used_up_and_a_plan_that_nobody_dated(self):
        at = BEGIN + 4 * DAY + 12.3 * HOUR
        make = capability("polygon-solar-camera")
        settings = Settings.of(make.id, "3")
        for used_before, used_after, state in (
            (2.0, None, State.CLOSED),
            (0.4, 0.9, State.OPEN),
            (0.4, None, State.UNKNOWN),
        ):
            read = [Reading(at - DAY, Measure.DATA_USED, used_before)]
            read += [Reading(at + DAY, Measure.DATA_USED, used_after)] if used_after is not None else []
            week = self.week(1, at, settings=settings, readings=read)
            week = replace(week, storage=replace(week.storage, facts={"allowance": 1.0}))
            self.assertEqual(self.answer(week, at, gates.DATA, make, settings), state)
        self.assertIsNone(self.answer(self.week(1, at), at, gates.DATA), "a mains camera sends nothing over a SIM")
        undated = Store("plan", StoreKind.REMOTE, keeps_days=30.0)
        remote = self.settings.with_values(target=StoreKind.REMOTE)
        week = self.week(1, at, stores=(undated,), settings=remote)
        self.assertEqual(self.answer(week, at, gates.PLAN, settings=remote), State.UNKNOWN)

    def test_why_nobody_was_told(self):
        at = BEGIN + 4 * DAY + 12.3 * HOUR
        muted = self.settings.with_values(phone_allows=False)
        found = self.ask(
            self.week(1, at, settings=muted, footage=blob_trace([0, *[40] * 20, 0])), at, Question.NOT_TOLD
        )
        self.assertEqual(found.cause.name, "phone allows it")
        outside = self.settings.with_values(alert_plan=NIGHTS)
        found = self.ask(
            self.week(1, at, settings=outside, footage=blob_trace([0, *[40] * 20, 0])), at, Question.NOT_TOLD
        )
        self.assertEqual(found.cause.name, "alert hours")
        self.assertEqual(self.ask(self.week(1, at), at, Question.NO_PICTURE).reasons[0].state, State.OPEN)

    def test_a_day_without_a_clip_is_no_chance_a_night_is(self):
        at = BEGIN + 4 * DAY + 12.3 * HOUR
        evidence = self.week(3, at, quiet_s=20 * HOUR)
        evidence = replace(evidence, watched=((BEGIN, BEGIN + 10 * DAY),))
        with mock.patch.object(Watch, "hours_of_day", new_callable=mock.PropertyMock) as asked:
            asked.return_value = [10.0] * 24
            silences(evidence)
        self.assertEqual(asked.call_count, 1, "the rates are worked out once, not for every pair of clips")
        found = silences(evidence)
        zone, by_hour = ZoneInfo(evidence.time_zone), [0] * 24
        for clip in evidence.motion_clips:
            by_hour[datetime.fromtimestamp(clip.start_s, zone).hour] += 1
        for begin, end, chance in found:
            seconds = np.arange(begin, end, 60.0)
            hours = [datetime.fromtimestamp(s, zone).hour for s in seconds]
            expected = sum(by_hour[h] / evidence.watch.hours_of_day[h] for h in hours) / 60
            self.assertAlmostEqual(math.log(chance), -expected, delta=0.05 * expected + 0.05)
        self.assertEqual(len(found), 1)
        begin, end, chance = found[0]
        self.assertTrue(begin < at < end)
        self.assertLess(chance, 0.001)


class BenchSite(unittest.TestCase):
    """One gate closed at a time on the bench site's own evidence, the site's own mistakes taken out first."""

    def planted(self):
        """(gate, evidence, make, moment) of each fault, on all six cameras."""
        with Project(DEMO) as project:
            cameras = [(c, project.evidence(c.id)) for c in project.cameras.all()]
        for camera, evidence in cameras:
            make, settings = camera.capability, camera.installed.with_values(
                recording_plan=None, modes=(), detection_on=True, target="", overwrite=True, mode="motion"
            )  # fmt: skip
            clips = [c for c in evidence.motion_clips if c.start_s < evidence.clips[0].start_s + 5 * DAY]
            before = next(
                a for a, b in itertools.pairwise(clips) if 300 < b.start_s - a.end_s < 6 * HOUR
            )  # fmt: skip
            at = before.end_s + 200
            store = Fitted(1, Store("its store", make.storage.targets[0], 64.0), (camera.id,))
            known = StorageKnown((store,), {}, {}, (), evidence.storage.asked_s)
            local = datetime.fromtimestamp(at, ZoneInfo(evidence.time_zone))
            minute = local.hour * 60 + local.minute
            closed = WeekPlan((Stretch(EVERY_DAY, Edge((minute + 120) % 1440), Edge((minute + 180) % 1440),
                                       overnight=(minute + 120) % 1440 > (minute + 180) % 1440),))  # fmt: skip
            around = Mode("closed", WeekPlan((Stretch(EVERY_DAY, Edge(0), Edge(1440)),)), records=False)
            failed = (Reading(clips[0].start_s, Measure.HEALTHY), Reading(at - 60, Measure.FAILED))
            full = (Reading(at - DAY, Measure.USED, 64.0), Reading(at - DAY, Measure.FREE, 0.0))
            other = next(k for k in StoreKind if k is not make.storage.targets[0])
            for gate, chosen, storage in (
                ("detection on", settings.with_values(detection_on=False), known),
                ("recording hours", settings.with_values(recording_plan=closed), known),
                ("mode", settings.with_values(modes=(around,)), known),
                ("target", settings.with_values(target=other), known),
                ("store", settings, replace(known, stores=(replace(store, readings=failed),))),
                ("room", settings.with_values(overwrite=False),
                 replace(known, stores=(replace(store, readings=full),))),
            ):  # fmt: skip
                epochs = (Epoch(-math.inf, math.inf, chosen),)
                yield gate, replace(evidence, epochs=epochs, storage=storage), make, at
            gap = max(itertools.pairwise(clips), key=lambda pair: pair[1].start_s - pair[0].end_s)
            middle = (gap[0].end_s + gap[1].start_s) / 2
            watched = ((clips[0].start_s, middle - HOUR), (middle + HOUR, clips[-1].end_s))
            epochs = (Epoch(-math.inf, math.inf, settings),)
            yield "power", replace(evidence, epochs=epochs, storage=known, watched=watched), make, middle

    def test_the_first_named_cause_on_the_bench_site(self):
        wrong, count = [], 0
        for gate, evidence, make, at in self.planted():
            count += 1
            answer = diagnose(
                evidence, make, at, Question.NOT_RECORDED, lambda s, e=evidence, m=make: replay(e, Candidate(s, m))
            )
            self.assertNotIn("Every gate was open", answer.words, gate)
            if answer.cause is None or answer.cause.name != gate:
                wrong.append((gate, answer.words))
        self.assertEqual(count, 42)
        self.assertLessEqual(len(wrong), 4, wrong)

    def test_of_two_faults_on_the_bench_site_the_first_in_the_chain_is_named_and_the_other_told(self):
        for gate, evidence, make, at in self.planted():
            if gate != "store":
                continue
            (epoch,) = evidence.epochs
            both = replace(epoch, settings=epoch.settings.with_values(detection_on=False))
            evidence = replace(evidence, epochs=(both,))
            answer = diagnose(
                evidence, make, at, Question.NOT_RECORDED, lambda s, e=evidence, m=make: replay(e, Candidate(s, m))
            )
            self.assertEqual(answer.cause.name, "detection on")
            self.assertIn("Closed as well: store", answer.words)


class FaultsOnRenderedScenes(unittest.TestCase):
    """Eight faults on each of the demo's six cameras, asked about what really moved in its rendered pictures."""

    def test_the_first_gate_is_named_and_never_all_well(self):
        right, wrong, count = 0, [], 0
        with Project(DEMO) as project:
            cameras = [(c, project.evidence(c.id)) for c in project.cameras.all()]
        for camera, evidence in cameras:
            make = replace(camera.capability, alert_pause_stops=(), class_range_m=None)
            place, at = self.seen(evidence)
            usual = camera.installed.with_values(
                mode=RecordingMode.MOTION, target=StoreKind.CARD, overwrite=True, recording_plan=None, modes=(),
                zones=(), hold_s=0.0, rest_s=0.0, objects=(), sensitivity=(12, 0.002), notch="", detection_on=True,
            )  # fmt: skip
            store = Store("card", StoreKind.CARD, 64.0)
            failed = (Reading(at - DAY, Measure.HEALTHY), Reading(at - HOUR, Measure.FAILED))
            full = (Reading(at - DAY, Measure.USED, 61.0), Reading(at - DAY, Measure.FREE, 0.0))
            ended = Store("plan", StoreKind.REMOTE, keeps_days=30.0, ends=date(2020, 1, 1))
            silent = Mode("closed", ALWAYS, records=False)
            for wanted, settings, fitted, readings in (
                ("mode", usual.with_values(modes=(silent,)), store, ()),
                ("recording hours", usual.with_values(recording_plan=WeekPlan()), store, ()),
                ("detection on", usual.with_values(detection_on=False), store, ()),
                ("size", usual.with_values(sensitivity=(40, 0.9)), store, ()),
                ("minimum duration", usual.with_values(hold_s=3600.0), store, ()),
                ("target", usual.with_values(target=StoreKind.RECORDER), store, ()),
                ("store", usual, store, failed),
                ("room", usual.with_values(overwrite=False), store, full)
                if camera.id % 2
                else ("plan", usual.with_values(target=StoreKind.REMOTE), ended, ()),
            ):
                known = StorageKnown((Fitted(1, fitted, (camera.id,), readings),), {}, {}, (), evidence.storage.asked_s)
                planted = replace(evidence, storage=known, epochs=(Epoch(-math.inf, math.inf, settings),))
                found = diagnose(
                    planted, make, at, Question.NOT_RECORDED, lambda s, e=planted, m=make: replay(e, Candidate(s, m)),
                    planted.occurrences[place],
                )  # fmt: skip
                count += 1
                self.assertNotIn("Every gate was open", found.words, (camera.name, wanted))
                named = found.cause.name if found.cause is not None else ""
                right += named == wanted
                wrong += [(camera.name, wanted, named)] if named != wanted else []
        self.assertEqual(count, 48)
        self.assertGreaterEqual(right, 44, wrong)

    @staticmethod
    def seen(evidence):
        """The real occurrence on footage that moves most, by its place, and its middle."""
        largest = evidence.stack.sizes_anywhere(contrast=12)
        real = [
            (int(largest[slice(*evidence.windows[n].tolist())].max(initial=0)), n)
            for n, o in enumerate(evidence.occurrences)
            if o.verdict == "real" and evidence.clip_of(o).origin in FOOTAGE
        ]
        place = max(real)[1]
        return place, sum(evidence.span_s(evidence.occurrences[place])) / 2
