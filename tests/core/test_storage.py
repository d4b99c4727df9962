"""Storage, power and data: arithmetic by hand, gates with their dates, ways, and what cannot be."""

import math
import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta

import numpy as np
from astral import Observer
from astral.sun import sunrise, sunset

from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.clips import Origin
from guardia.core.evidence.epochs import Epoch
from guardia.core.hours.plan import Edge, Stretch, WeekPlan
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import Settings
from guardia.core.replay.gates import KEPT, PLAN, ROOM, STORE, TARGET
from guardia.core.replay.replay import replay
from guardia.core.replay.writing import volume_by_files
from guardia.core.score.power import charge_of, levers_saved
from guardia.core.score.score import score
from guardia.core.score.storage import costs, if_lost, keep_list, kept_counts, schools, ways_to_keep, what_if
from guardia.core.score.storage_findings import storage_findings
from guardia.core.storage.battery import days_left, fit_drain, packs_apart, since_charge
from guardia.core.storage.data import OnLine, goes_without, month_days, runs_out
from guardia.core.storage.facts import FACTS, check_fact, known_fact
from guardia.core.storage.figure import Figure, Source, exactly, product, ratio, total
from guardia.core.storage.known import StorageKnown
from guardia.core.storage.rates import FileSize, measured_rate
from guardia.core.storage.readings import Measure, Reading
from guardia.core.storage.rules import RecordingMode
from guardia.core.storage.stores import (
    Fitted,
    Store,
    StoreKind,
    Takes,
    filled_a_day,
    full_since,
    reading_errors,
    space_of,
    stopped_rising,
)
from guardia.core.storage.volume import days_kept
from guardia.tools.ring_store import Files, days_held, files_of_days
from tests.support import blob_trace, capability, evidence_of

DAY = 86400.0
CARD = Store("card", StoreKind.CARD, 32.0)


def band(value, low, high):
    return Figure("x", value, low, high, "", Source.ASSUMED)


class Figures(unittest.TestCase):
    def test_sums_and_products_by_hand(self):
        # 3 ± 0.3 and 4 ± 0.4: deviations add as squares, sqrt(0.09 + 0.16) = 0.5.
        both = total("sum", "", band(3, 2.7, 3.3), band(4, 3.6, 4.4))
        self.assertAlmostEqual(both.low, 6.5)
        self.assertAlmostEqual(both.high, 7.5)
        # A factor of 2 either way, twice: exp(sqrt(2) ln 2) = 2.665.
        twice = product("product", "", band(1, 0.5, 2), band(1, 0.5, 2))
        self.assertAlmostEqual(twice.high, 2.6651, 4)
        self.assertAlmostEqual(twice.low * twice.high, 1.0)
        self.assertEqual(product("p", "", exactly("a", 2, ""), band(3, 3, 3)).source, Source.ASSUMED)
        self.assertEqual(ratio("r", "", exactly("a", 2, ""), exactly("b", 0, "")).words, "without end")

    def test_facts_that_cannot_be_are_refused_in_words(self):
        for name, value in (("allowance", 0.0), ("battery", -3.0), ("dark_share", 101.0), ("required_days", math.nan)):
            with self.subTest(name), self.assertRaisesRegex(InvalidValue, "cannot be"):
                check_fact(name, value)
        self.assertEqual(known_fact({"live": 7.0}, "live").value, 7.0)
        self.assertEqual(known_fact({}, "live").source, Source.ASSUMED)
        self.assertTrue(all(f.least < f.most for f in FACTS.values()))


class Stores(unittest.TestCase):
    def read(self, *rows):
        return Fitted(1, CARD, (1,), tuple(Reading(at, what, value) for at, what, value in rows))

    def test_what_cannot_be_is_refused(self):
        for values in (
            {"capacity_gb": -1.0}, {"capacity_gb": math.inf}, {"capacity_gb": 0.0}, {"name": " "},
            {"keeps_days": 0.0}, {"price": -1.0}, {"begins": date(2026, 5, 2), "ends": date(2026, 5, 1)},
        ):  # fmt: skip
            with self.subTest(values), self.assertRaises(InvalidValue):
                replace(CARD, **values)
        for what, value in (
            (Measure.BATTERY, 101.0),
            (Measure.FREE, -1.0),
            (Measure.USED, None),
            (Measure.HEALTHY, 1.0),
        ):
            with self.subTest(what), self.assertRaises(InvalidValue):
                Reading(0.0, what, value)

    def test_readings_correct_the_space_and_errors_are_told(self):
        reserve = known_fact({}, "reserve")
        self.assertEqual(space_of(self.read(), reserve).source, Source.ASSUMED)
        read = self.read((5.0, Measure.USED, 20.0), (5.0, Measure.FREE, 9.8))
        self.assertEqual((space_of(read, reserve).value, space_of(read, reserve).source), (29.8, Source.MEASURED))
        wrong = self.read((5.0, Measure.USED, 30.0), (5.0, Measure.FREE, 9.8))
        self.assertIn("but 32 GB are printed", reading_errors(wrong)[0])
        self.assertEqual(space_of(wrong, reserve), space_of(self.read(), reserve))
        self.assertEqual(reading_errors(read), [])

    def test_used_space_that_stops_rising_neither_slows_the_rate_nor_goes_unsaid(self):
        rising = [(n * DAY, Measure.USED, 10.0 * n) for n in range(1, 4)]
        stopped = self.read(*rising, *((n * DAY, Measure.USED, 30.0) for n in range(4, 7)))
        self.assertAlmostEqual(filled_a_day(stopped).value, 10.0)
        self.assertEqual(stopped_rising(stopped).at_s, 3 * DAY)
        slow = self.read(*((n * DAY, Measure.USED, float(1 + n // 3)) for n in range(12)))  # a third of a GB a day
        self.assertIsNone(stopped_rising(slow))
        self.assertAlmostEqual(filled_a_day(slow).value, 1 / 3, delta=0.05)

    def test_states_hold_from_and_until(self):
        fitted = self.read((10.0, Measure.HEALTHY, None), (20.0, Measure.FAILED, None), (30.0, Measure.MISSING, None))
        self.assertEqual([fitted.state_at(t) for t in (5, 15, 21)], [None, Measure.HEALTHY, Measure.FAILED])
        never = self.read((20.0, Measure.NOT_FORMATTED, None))
        self.assertIs(never.state_at(5), Measure.NOT_FORMATTED)

    def test_full_since_the_first_of_the_readings_in_a_row(self):
        rows = [(1.0, Measure.FREE, 0.0), (2.0, Measure.FREE, 9.0), (3.0, Measure.FREE, 0.1), (4.0, Measure.FREE, 0.0)]
        self.assertEqual(full_since(self.read(*rows)), 3.0)
        self.assertIsNone(full_since(self.read(*rows, (5.0, Measure.FREE, 20.0))))

    def test_a_ring_simulated_file_by_file_holds_what_the_rule_says(self):
        rng = np.random.default_rng(7)
        files = files_of_days(rng, 400, a_day=120, mean_gb=0.05)
        per_day = float(files.gigabytes.sum()) / 400
        held = days_held(files, 100.0)
        self.assertLess(abs(held / (100.0 / per_day) - 1), 0.01)
        plain, newest = [], []
        for at, size in zip(files.start_s[:3000], files.gigabytes[:3000], strict=True):  # brute force, one by one
            plain.append((at, size))
            full = sum(s for _, s in plain) > 100.0
            while sum(s for _, s in plain) > 100.0:
                plain.pop(0)
            if full or newest:
                newest.append(at - plain[0][0])
        few = Files(files.start_s[:3000], files.gigabytes[:3000])
        self.assertAlmostEqual(days_held(few, 100.0), float(np.mean(newest)) / DAY, 2)

    def test_costs_over_years_by_hand(self):
        one = replace(CARD, price=10.0, lasts_years=3.0)
        plan = Store("plan", StoreKind.REMOTE, keeps_days=30.0, price_per_month=4.0)
        self.assertEqual([c.sum for c in costs([one, plan, CARD], 7.0)], [30.0, 336.0, None])


class Rates(unittest.TestCase):
    def test_ratio_of_all_bits_to_all_seconds(self):
        files = [FileSize(1_000_000, 8.0, False, True), FileSize(3_000_000, 8.0, False, True)]
        self.assertAlmostEqual(measured_rate(files, "r").value, 2.0)  # 32 Mbit in 16 s
        self.assertIsNone(measured_rate([], "r"))
        self.assertGreater(measured_rate(files * 3, "r").high, 2.0)

    def test_a_rate_comes_from_the_files_that_are_most_like_it(self):
        make = capability()
        for origins, dark, mode, rate in (
            # Of motion in the same light, else written always in that light, else motion in the other light.
            ("mc", (0, 0), RecordingMode.MOTION, 1.0), ("mc", (0, 0), RecordingMode.CONTINUOUS, 2.0),
            ("cm", (0, 1), RecordingMode.MOTION, 1.0), ("cc", (1, 0), RecordingMode.CONTINUOUS, 2.0),
        ):  # fmt: skip
            of = [Origin.MOTION if o == "m" else Origin.CONTINUOUS for o in origins]
            evidence = evidence_of([blob_trace([0, 0])] * 2, kinds=["person"] * 2, origin=of)
            clips = tuple(
                replace(c, duration_s=8.0, size_bytes=1_000_000 * (n + 1), brightness=20.0 if dark[n] else 160.0)
                for n, c in enumerate(evidence.clips)
            )
            settings = Settings.of(make.id, "10", mode=mode)
            volume = volume_by_files(replace(evidence, clips=clips), settings, make)
            light = next(p for p in _parts(volume) if p.name == "rate by day")
            self.assertAlmostEqual(light.value, rate, 6, (origins, dark, mode))


def _parts(figure):
    """A figure with all that it is made of."""
    yield figure
    for part in figure.parts:
        yield from _parts(part)


class Always(unittest.TestCase):
    """Cameras that record always, by motion, or both, held against stores that are filled minute by minute."""

    WEEKS = 56
    STILL = blob_trace([0, 0])

    def camera(self, rng):
        """A random camera, and the GB that it writes in each minute of a week."""
        make = capability()
        make = replace(make, storage=replace(make.storage, second_mbit_s=0.7))
        light, dark = (float(v) for v in rng.uniform(0.3, 8.0, 2))
        facts = {"rate_light": light, "rate_dark": dark, "snapshot_size": float(rng.uniform(50, 800))}
        begin, end = sorted(int(v) for v in rng.choice(1440, 2, replace=False))
        over = bool(rng.integers(2))
        days = tuple(sorted(int(d) for d in rng.choice(7, rng.integers(1, 8), replace=False)))
        edges = (Edge(end), Edge(begin)) if over else (Edge(begin), Edge(end))
        plan = None if rng.integers(4) == 0 else WeekPlan((Stretch(days, *edges, overnight=over),))
        where = None if rng.integers(2) else (float(rng.uniform(-60, 60)), 0.0)
        if where is None:
            facts["dark_share"] = float(rng.integers(0, 101))
        every, second = float(rng.choice([0.0, 60.0, 600.0])), bool(rng.integers(2))
        modes = [RecordingMode.CONTINUOUS, RecordingMode.MOTION, *([RecordingMode.MIXED] if plan is not None else [])]
        mode = modes[rng.integers(len(modes))]
        settings = Settings.of(make.id, "10", mode=mode, recording_plan=plan, second_stream=second,
                               snapshot_every_s=every)  # fmt: skip
        monday = datetime(2026, int(rng.integers(1, 13)), 1, tzinfo=UTC)
        monday += timedelta(days=(7 - monday.weekday()) % 7)
        start = monday.timestamp()
        minute = np.arange(7 * 1440)
        on = np.ones(len(minute), bool) if plan is None else np.zeros(len(minute), bool)
        for day in days if plan is not None else ():
            at = np.arange(day * 1440 + (end if over else begin), (day + over) * 1440 + (begin if over else end))
            on[at % len(minute)] = True
        up = np.abs(minute % 1440 + 0.5 - 720) <= 720 * (1 - facts.get("dark_share", 0.0) / 100)
        if where is not None:
            observer = Observer(*where)
            up = np.zeros(len(minute), bool)
            for n in range(7):
                rise, down = (
                    (event(observer, (monday + timedelta(days=n)).date(), tzinfo=UTC) - monday).total_seconds() / 60
                    for event in (sunrise, sunset)
                )
                up[int(rise) : int(down)] = True
        # Clips by motion lie where it does not write always, and where hours alone let it.
        at = np.flatnonzero({RecordingMode.MOTION: on, RecordingMode.MIXED: ~on}.get(mode, np.zeros(len(minute), bool)))
        at = np.sort(rng.choice(at, min(len(at), int(rng.integers(1, 60))), replace=False)) if len(at) else at
        lengths = rng.integers(5, 55, len(at))
        moving = np.zeros(len(minute))
        moving[at] = lengths
        seconds = moving + (60.0 * on if mode is not RecordingMode.MOTION else 0.0)
        evidence = evidence_of(
            [self.STILL] * (1 + len(at)), kinds=["person"] + ["foliage"] * len(at),
            starts=[start + 3.5 * DAY + 59, *(start + 60.0 * at)], installed=settings,
            origin=[Origin.SNAPSHOT] + [Origin.MOTION] * len(at), watched=[(start, start + 7 * DAY)],
        )  # fmt: skip
        clips = tuple(
            replace(c, duration_s=float(n), brightness=160.0 if by_day else 20.0)
            for c, n, by_day in zip(evidence.clips, [1, *lengths], [True, *up[at]], strict=True)
        )
        evidence = replace(evidence, clips=clips, time_zone="UTC", coordinates=where, storage=StorageKnown(facts=facts))
        written = seconds * (np.where(up, light, dark) + (0.7 if second else 0.0)) / 8000
        return evidence, settings, make, written + (facts["snapshot_size"] * 1e-6 * 60 / every if every else 0.0)

    def test_days_kept_are_those_of_a_store_filled_minute_by_minute_in_1000_cases(self):
        rng = np.random.default_rng(28)
        for case in range(1000):
            cameras = [self.camera(rng) for _ in range(1 + case % 2)]
            volumes = [volume_by_files(evidence, settings, make) for evidence, settings, make, _ in cameras]
            written = np.sum([minutes for *_, minutes in cameras], axis=0)
            if not written.sum():
                continue
            # With hours on one day of the week what is oldest jumps by a week: many weeks, so that this is below 2 %.
            space = written.sum() * float(rng.uniform(30, 50))
            days = days_kept(exactly("space", space, "GB"), total("all", "GB", *volumes)).value
            filled = np.cumsum(np.tile(written, self.WEEKS))
            last = np.arange(len(filled) - len(written), len(filled))
            oldest = np.searchsorted(filled, filled[last] - space, side="right")
            self.assertLess(abs(days / (float((last - oldest).mean()) / 1440) - 1), 0.02, case)


class Kept(unittest.TestCase):
    """Ten occurrences, one a day, each recorded by a mains camera."""

    def setUp(self):
        self.make = capability()
        self.settings = Settings.of(self.make.id, "10", target=StoreKind.CARD, mode=RecordingMode.CONTINUOUS)
        starts = [n * DAY + 43200.0 for n in range(10)]
        evidence = evidence_of(
            [blob_trace([0, *[40] * 20, 0]) for _ in starts],
            kinds=["person"] * 10,
            starts=starts,
            watched=[(0, 10 * DAY)],
        )
        clips = tuple(replace(c, size_bytes=2_000_000) for c in evidence.clips)
        epoch = Epoch(-math.inf, math.inf, self.settings)
        self.evidence = replace(evidence, clips=clips, epochs=(epoch,))

    def under(self, *, readings=(), store=CARD, more=(), asked=10 * DAY, facts=None, **values):
        fitted = Fitted(1, store, (1,), tuple(readings))
        known = StorageKnown((fitted, *more), facts or {"rate_light": 0.5, "rate_dark": 0.5}, {}, (), asked)
        candidate = Candidate(self.settings, self.make).with_values(**values)
        return replay(replace(self.evidence, storage=known), candidate)

    def gates(self, done):
        return [done.outcomes[o.id].kept_gate for o in done.evidence.occurrences]

    def test_days_kept_and_what_is_overwritten_by_then(self):
        done = self.under()
        # 0.5 Mbit/s for 86,400 s are 5.4 GB a day; 32 GB less 4.5 % hold 5.66 days.
        self.assertAlmostEqual(done.keeping.volume.value, 5.4)
        self.assertAlmostEqual(done.keeping.days.value, 32 * 0.955 / 5.4)
        self.assertEqual(self.gates(done), [KEPT] * 4 + [None] * 6)
        self.assertIn("overwritten about", done.outcomes[self.evidence.occurrences[0].id].kept_reason)
        self.assertEqual(kept_counts(done), (6, 4))
        listed = keep_list(done)
        self.assertFalse(listed[0].gone)
        self.assertLess(listed[0].deadline_s, listed[0].at_s + done.keeping.days.value * DAY)
        self.assertEqual(self.gates(self.under(asked=5 * DAY)), [None] * 10)

    def test_a_store_that_stops_when_full_keeps_nothing_from_then_on(self):
        full = [Reading(4 * DAY, Measure.USED, 30.5), Reading(4 * DAY, Measure.FREE, 0.0)]
        done = self.under(readings=full, overwrite=False)
        self.assertEqual(self.gates(done), [None] * 4 + [ROOM] * 6)
        self.assertIn("is full since", storage_findings(done)[0].words)
        self.assertTrue(storage_findings(done)[0].serious)
        self.assertEqual(self.gates(self.under(readings=full, asked=8 * DAY))[-3:], [None] * 3)

    def test_target_state_and_plan_close_their_gates_with_dates(self):
        self.assertEqual(self.gates(self.under(target=StoreKind.REMOTE)), [TARGET] * 10)
        failed = [Reading(3 * DAY, Measure.HEALTHY), Reading(6 * DAY, Measure.FAILED)]
        self.assertEqual(self.gates(self.under(readings=failed, asked=8.5 * DAY))[6:], [STORE] * 4)
        plan = Store("plan", StoreKind.REMOTE, keeps_days=30.0, ends=date(1970, 1, 3))
        done = self.under(store=plan, target=StoreKind.REMOTE)
        self.assertEqual(self.gates(done), [None] * 3 + [PLAN] * 7)
        self.assertIn("ended on 1970-01-03", done.outcomes[self.evidence.occurrences[5].id].kept_reason)

    def test_readings_of_used_space_correct_what_is_worked_out(self):
        used = [Reading(n * DAY, Measure.USED, 6.48 * n) for n in range(4)]
        plain = self.under(readings=used).keeping
        fitted = replace(plain.fitted, expected=exactly("by files", 5.4, "GB"))
        known = replace(plain.known, stores=(fitted,))
        done = replay(replace(self.evidence, storage=known), plain_candidate := Candidate(self.settings, self.make))
        self.assertAlmostEqual(done.keeping.everything.value, 6.48)
        half = replay(done.evidence, plain_candidate.with_values(quality="medium"))
        self.assertAlmostEqual(half.keeping.everything.value, 3.24)
        wild = replace(fitted, expected=exactly("by files", 3.0, "GB"))
        said = storage_findings(replay(replace(done.evidence, storage=replace(known, stores=(wild,))), plain_candidate))
        self.assertTrue(any("fills 6.48 GB a day, by the files 3 GB." in f.words for f in said))
        self.assertIsNone(filled_a_day(replace(fitted, readings=tuple(used[:2]))))

    def test_a_copy_off_the_site_keeps_what_the_store_does_not(self):
        copy = Fitted(2, Store("copy", StoreKind.COPY, keeps_days=8.0), (1,))
        done = self.under(more=[copy])
        self.assertEqual(self.gates(done), [KEPT] * 2 + [None] * 8)
        self.assertIn("copy (all that is recorded) holds", if_lost(done)[0])
        self.assertIn("no copy off the site", if_lost(self.under())[0])

    def test_a_card_that_records_always_and_a_plan_that_takes_motion_clips_hold_each_its_own(self):
        plan = Store("plan", StoreKind.REMOTE, keeps_days=30.0, beside=True, takes=Takes.MOTION, longest_s=3.0)
        both = self.under(more=[Fitted(2, plan, (1,))], sensitivity=(40, 0.2), notch="")
        marked = self.under(more=[Fitted(2, plan, (1,))])
        self.assertEqual(self.gates(marked), [None] * 10, "the plan still has what the card overwrote")
        self.assertEqual(self.gates(both), [KEPT] * 4 + [None] * 6, "what motion does not mark never went there")
        self.assertEqual(keep_list(marked)[-1].stores, ("card", "plan (first 3 s)"))
        self.assertEqual({k.stores for k in keep_list(both) if not k.gone}, {("card",)})
        self.assertEqual(kept_counts(both), (6, 4))
        card, off = if_lost(both)
        self.assertIn("If card is stolen or fails, 6 of 6 real recordings on it are lost", card)
        self.assertIn("plan (only what motion records, cut after 3 s) holds none of them.", card)
        self.assertIn("If plan is not paid any more, no real recording is lost", off)
        self.assertFalse(any("no copy off the site" in words for words in if_lost(marked)))
        ended = replace(plan, ends=date(1970, 1, 3))
        found = storage_findings(self.under(more=[Fitted(2, ended, (1,))]))
        self.assertIn("The plan of 'plan' ended on 1970-01-03: nothing goes there since.", [f.words for f in found])

    def test_every_store_that_keeps_longer_than_allowed_is_named(self):
        def too_long(done, most):
            known = replace(done.keeping.known, of_site={"longest_days": most})
            found = storage_findings(replay(replace(done.evidence, storage=known), done.candidate))
            return [f.words.split(";")[0] for f in found if "must be gone" in f.words]

        plan = Fitted(2, Store("plan", StoreKind.REMOTE, keeps_days=30.0, beside=True), (1,))
        both = self.under(more=[plan])
        self.assertEqual(too_long(both, 5.0), ["'card' keeps 5.66 days", "'plan' keeps 30 days"])
        self.assertEqual(too_long(both, 10.0), ["'plan' keeps 30 days"])
        self.assertEqual(too_long(both, 40.0), [])
        self.assertEqual(too_long(self.under(overwrite=False), 40.0), ["'card' never deletes"])

    def test_fewer_snapshots_are_a_way_where_the_make_can_leave_them_out(self):
        often = {"snapshot_every_s": 1.0, "facts": {"rate_light": 0.5, "rate_dark": 0.5, "snapshot_size": 800.0}}
        few = replace(self.make, storage=replace(self.make.storage, snapshot_choices_s=(0.0, 1.0), qualities=()))
        for make, there in (
            (few, True),
            (replace(few, storage=replace(few.storage, snapshot_choices_s=(1.0,))), False),
        ):
            self.make = make
            words = [w.words for w in ways_to_keep(self.under(**often), 0.5)]
            self.assertEqual(("no snapshots",) in words, there, words)

    def test_another_quality_mode_or_medium_and_the_cheapest_way(self):
        done = self.under()
        table = {(w.mode, w.quality, w.size_gb): w.days.value for w in what_if(done)}
        at = (RecordingMode.CONTINUOUS, "medium", 64.0)
        self.assertAlmostEqual(table[at], 2 * 2 * done.keeping.days.value)  # half the rate, twice the size
        ways = ways_to_keep(done, 10.0, 0.5)
        self.assertIn(("quality 'medium'",), [w.words for w in ways])
        self.assertIn(("a medium of 64 GB",), [w.words for w in ways])
        self.assertEqual(ways[0].price, 0.0)
        self.assertTrue(all(w.days.value >= 10.0 for w in ways))
        self.assertEqual(ways_to_keep(done, 3.0), [])
        by_mode = {s.mode: s for s in schools(done)}
        self.assertEqual(by_mode[RecordingMode.CONTINUOUS].look_h.value, 24.0)
        self.assertLess(by_mode[RecordingMode.MOTION].look_h.value, 0.1)
        self.assertTrue(by_mode[RecordingMode.MOTION].censored)

    def test_silencing_what_is_false_lengthens_what_motion_keeps(self):
        loud = self.under(mode=RecordingMode.MOTION)
        quiet = self.under(mode=RecordingMode.MOTION, hold_s=2.0, length_s=14.0)
        self.assertNotEqual(loud.keeping.days.value, quiet.keeping.days.value)
        self.assertEqual(loud.keeping.volume.parts[0].parts[0].source, Source.MEASURED)
        seconds = sum(part.parts[0].value for part in loud.keeping.volume.parts)
        self.assertAlmostEqual(seconds, score(self.evidence, loud).recorded_s_per_day)

    def test_rates_are_measured_on_the_files_where_nobody_typed_them(self):
        done = self.under(facts={"live": 1.0})
        rate = done.keeping.volume.parts[0].parts[1]
        self.assertNotIn(Source.TYPED, {rate.source})
        nothing = replace(self.evidence, clips=tuple(replace(c, size_bytes=0) for c in self.evidence.clips))
        guessed = replay(replace(nothing, storage=StorageKnown()), Candidate(self.settings, self.make))
        self.assertEqual(guessed.keeping.volume.source, Source.ASSUMED)
        self.assertIsNone(guessed.keeping.days)


class Batteries(unittest.TestCase):
    def falling(self, per_day, *, days=10, noise=0.0, seed=1):
        rng = np.random.default_rng(seed)
        return [
            Reading(d * DAY, Measure.BATTERY, float(np.clip(100 - per_day * d + rng.normal(0, noise), 0, 100)))
            for d in range(days)
        ]

    def test_drain_since_the_last_charge_and_the_days_left(self):
        before = [Reading(1 * DAY, Measure.BATTERY, 60.0), Reading(5 * DAY, Measure.BATTERY, 30.0)]
        readings = [*before, *(replace(r, at_s=r.at_s + 10 * DAY) for r in self.falling(4.0))]
        self.assertEqual(len(since_charge(readings, Measure.BATTERY)), 10)
        drain = fit_drain(readings)
        self.assertAlmostEqual(drain.per_day.value, 4.0)
        self.assertAlmostEqual(days_left(drain.level, drain.per_day, 20.0).value, (64 - 20) / 4)
        self.assertIsNone(fit_drain(readings[:4]))

    def test_two_packs_are_told_apart(self):
        one, two = Reading(0, Measure.BATTERY, 80.0), Reading(0, Measure.BATTERY_2, 12.0)
        self.assertIn("weaker one is nearly empty", packs_apart([one, two]))
        self.assertEqual(packs_apart([one, Reading(0, Measure.BATTERY_2, 76.0)]), "")

    def test_a_snapshot_a_minute_is_named_as_what_drains_most(self):
        make = capability("battery-camera-on-hub")
        traces = [blob_trace([0, *[40] * 20, 0]) for _ in range(5)]
        evidence = evidence_of(traces, kinds=["person"] * 5, starts=[n * DAY for n in range(5)], watched=[(0, 5 * DAY)])
        settings = Settings.of(make.id, "high", rest_s=30.0, length_s=14.0, snapshot_every_s=60.0)
        with_them = replay(evidence, Candidate(settings, make))
        without = replay(evidence, Candidate(settings.with_values(snapshot_every_s=0.0), make))
        self.assertIn("snapshots", storage_findings(with_them)[-1].words)
        self.assertGreater(charge_of(without).days.value, 5 * charge_of(with_them).days.value)
        saved = levers_saved(with_them)
        self.assertEqual((saved[0].words, saved[0].missed), ("no snapshots", 0))
        self.assertAlmostEqual(saved[0].days.value, charge_of(without).days.value)


class Data(unittest.TestCase):
    def test_the_data_month_and_the_day_the_allowance_is_used_up(self):
        self.assertEqual(month_days(date(2026, 3, 14), 15), (date(2026, 2, 15), date(2026, 3, 15)))
        self.assertEqual(month_days(date(2028, 2, 29), 28), (date(2028, 2, 28), date(2028, 3, 28)))
        a_day = exactly("sent", 0.1, "GB")
        self.assertEqual(runs_out(2.0, date(2026, 3, 10), date(2026, 4, 1), a_day, 3.0), date(2026, 3, 20))
        self.assertIsNone(runs_out(0.0, date(2026, 3, 10), date(2026, 4, 1), a_day, 3.0))

    def test_who_goes_without_on_a_narrow_line(self):
        cameras = [OnLine(name, exactly("r", rate, "Mbit/s")) for name, rate in (("a", 2.0), ("b", 2.0), ("c", 0.5))]
        self.assertEqual(goes_without(cameras, exactly("up", 3.0, "Mbit/s")), ["b"])


class CapacityTable(unittest.TestCase):
    def test_days_kept_of_the_common_rule(self):
        """Days = GB x 8000 / (Mbit/s x 86,400), worked by hand; 256 GB at 4 Mbit/s is the handbook example, 5.93."""
        for gigabytes, mbit, days in ((256, 4, 5.9259), (1000, 2, 46.2963), (64, 8, 0.7407), (32, 0.5, 5.9259)):
            a_day = exactly("written", mbit * 86400 / 8000, "GB")
            self.assertAlmostEqual(days_kept(exactly("space", gigabytes, "GB"), a_day).value, days, 3)
        self.assertEqual(days_kept(exactly("s", 64, "GB"), exactly("w", 1.0, "GB"), 30.0).value, 30.0)
