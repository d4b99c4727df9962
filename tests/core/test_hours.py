"""Plans for a week against a minute-by-minute look at the wall clock, periods of makes, and nights read back."""

import unittest
from dataclasses import replace
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import astral
import astral.sun
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from guardia.core.base.errors import InvalidValue
from guardia.core.hours.modes import Mode, allowed_spans
from guardia.core.hours.periods import Period, ScheduleRules, from_periods, to_periods
from guardia.core.hours.place import SitePlace, SunEvent, sun_seconds
from guardia.core.hours.plan import (
    ALWAYS,
    Edge,
    Special,
    Stretch,
    WeekPlan,
    covers_more,
    dark_left_out,
    in_spans,
    off_until,
    on_at,
    on_spans,
    paused,
    with_specials,
)
from guardia.core.tuning.hours import SWITCH, best_quarters, propose_hours
from tests.support import blob_trace, evidence_of

NIGHT = Stretch(tuple(range(7)), Edge(21 * 60 + 40), Edge(6 * 60 + 10), overnight=True)
FAIR = Special("fair", datetime(2026, 9, 9), datetime(2026, 9, 10), "on")
LONDON = SitePlace("Europe/London", 51.5, -0.1)
CHANGES = {"Europe/London": 2026, "America/New_York": 2026, "Australia/Lord_Howe": 2026}
"""Zones whose clocks change by an hour and, on Lord Howe, by half an hour, south of the equator."""

stretches = st.builds(
    lambda days, a, b: Stretch(tuple(days), Edge(a), Edge(b), overnight=b <= a),
    st.sets(st.integers(0, 6), min_size=1), st.integers(0, 1439), st.integers(1, 1440),
)  # fmt: skip


def changes_of(name):
    """The two UTC days on which a zone's clocks change, found by looking at every day."""
    zone, found = ZoneInfo(name), []
    for n in range(365):
        day = datetime(CHANGES[name], 1, 1, tzinfo=UTC) + timedelta(days=n)
        if day.astimezone(zone).utcoffset() != (day + timedelta(days=1)).astimezone(zone).utcoffset():
            found.append(day)
    return found


class Plans(unittest.TestCase):
    @settings(max_examples=80, deadline=None)
    @given(
        st.one_of(st.none(), st.lists(stretches, max_size=3).map(lambda s: WeekPlan(tuple(s)))),
        st.integers(0, 5 * 1440), st.integers(1, 3 * 1440), st.sampled_from(["on", "off"]),
    )  # fmt: skip
    def test_an_exception_changes_its_own_time_only(self, plan, begin_min, minutes, rule):
        first = datetime(2026, 6, 1)
        special = Special("away", first + timedelta(minutes=begin_min),
                          first + timedelta(minutes=begin_min + minutes), rule)  # fmt: skip
        changed = with_specials(plan, (special,))
        low = datetime(2026, 6, 1, tzinfo=UTC).timestamp()
        times = low + 60.0 * np.arange(10 * 1440) + 30
        before, after = (on_at(p, times, SitePlace("UTC")) for p in (plan, changed))
        own = (times >= low + 60 * begin_min) & (times < low + 60 * (begin_min + minutes))
        np.testing.assert_array_equal(after[~own], before[~own])
        self.assertEqual(set(after[own].tolist()), {rule == "on"})
        again = with_specials(changed, ())
        np.testing.assert_array_equal(on_at(again, times, SitePlace("UTC")), before)

    @settings(max_examples=60, deadline=None)
    @given(
        st.sampled_from([None, WeekPlan((NIGHT,)), WeekPlan((NIGHT,), (FAIR,))]),
        st.integers(0, 4000), st.integers(1, 900), st.integers(1, 900),
    )  # fmt: skip
    def test_a_pause_is_off_from_then_until_its_end_and_can_end_before(self, plan, begin_min, minutes, sooner):
        begin = datetime(2026, 9, 7) + timedelta(minutes=begin_min)
        until = begin + timedelta(minutes=minutes)
        one = paused(plan, begin, until)
        self.assertEqual(off_until(one, begin), until)
        holiday = WeekPlan((NIGHT,), (replace(FAIR, rule="off"),))
        self.assertIsNone(off_until(holiday, FAIR.begin), "a holiday is no pause that could be ended")
        self.assertIsNone(off_until(one, until))
        ended_at = begin + timedelta(minutes=min(sooner, minutes))
        ended = paused(one, ended_at, None)
        times = datetime(2026, 9, 7, tzinfo=UTC).timestamp() + 60.0 * np.arange(5000) + 30.0
        place = SitePlace("UTC")
        low, high, end = ((d.replace(tzinfo=UTC)).timestamp() for d in (begin, until, ended_at))
        usual = on_at(plan, times, place)
        self.assertEqual(on_at(one, times, place).tolist(), (usual & ~((times > low) & (times < high))).tolist())
        self.assertEqual(on_at(ended, times, place).tolist(), (usual & ~((times > low) & (times < end))).tolist())
        again = paused(one, begin, until + timedelta(minutes=5))
        self.assertEqual(off_until(again, begin), until + timedelta(minutes=5))

    def test_always_stays_always_without_its_exceptions(self):
        pause = Special("pause", datetime(2026, 6, 1, 8), datetime(2026, 6, 1, 10), "off")
        self.assertEqual(with_specials(None, (pause,)).words, "always; pause: off")
        self.assertIsNone(with_specials(with_specials(None, (pause,)), ()))
        self.assertEqual((WeekPlan().words, ALWAYS.words), ("never", "always"))

    @settings(max_examples=60, deadline=None)
    @given(st.lists(stretches, max_size=4), st.sampled_from(sorted(CHANGES)), st.integers(0, 1), st.booleans())
    def test_the_wall_clock_minute_by_minute_says_the_same_over_both_changes(self, parts, name, which, holiday):
        begin = changes_of(name)[which] - timedelta(days=1)
        special = (Special("closed", datetime(begin.year, begin.month, begin.day) + timedelta(hours=20),
                           datetime(begin.year, begin.month, begin.day) + timedelta(hours=31), "off"),)  # fmt: skip
        plan = WeekPlan(tuple(parts), special if holiday else ())
        zone = ZoneInfo(name)
        minutes = [begin + timedelta(minutes=n) for n in range(3 * 1440)]
        got = on_at(plan, [m.timestamp() for m in minutes], SitePlace(name))
        for moment, on in zip(minutes, got.tolist(), strict=True):
            self.assertEqual(on, self.by_hand(plan, moment.astimezone(zone).replace(tzinfo=None)), moment)

    @staticmethod
    def by_hand(plan, wall):
        for special in plan.specials:
            if special.begin <= wall < special.end:
                return False
        minute, day = wall.hour * 60 + wall.minute, wall.weekday()
        for s in plan.stretches:
            if not s.overnight and day in s.days and s.begin.minute <= minute < s.end.minute:
                return True
            if s.overnight and day in s.days and minute >= s.begin.minute:
                return True
            if s.overnight and (day - 1) % 7 in s.days and minute < s.end.minute:
                return True
        return False

    def test_a_night_lasts_an_hour_less_or_more_when_clocks_change(self):
        lengths = {}
        for day in (date(2026, 3, 28), date(2026, 6, 1), date(2026, 10, 24)):
            noon = datetime(day.year, day.month, day.day, 12, tzinfo=ZoneInfo("Europe/London"))
            spans = on_spans(WeekPlan((NIGHT,)), noon.timestamp(), (noon + timedelta(days=1)).timestamp(), LONDON)
            lengths[day] = float((spans[:, 1] - spans[:, 0]).sum()) / 3600
        self.assertEqual([round(v, 3) for v in lengths.values()], [7.5, 8.5, 9.5])

    def test_a_holiday_can_be_treated_as_a_sunday_and_the_last_exception_holds(self):
        sunday = Stretch((6,), Edge(0), Edge(1440))
        whole = Special("fair", datetime(2026, 9, 9), datetime(2026, 9, 10), "Sunday")
        pause = Special("pause", datetime(2026, 9, 9, 12), datetime(2026, 9, 9, 13), "off")
        late = Special("delivery", datetime(2026, 9, 9, 12, 30), datetime(2026, 9, 9, 12, 45), "on")
        noon = datetime(2026, 9, 9, 11, 10, tzinfo=UTC).timestamp()  # 12:10 in London
        at = [noon, noon - 3600, noon + 30 * 60, noon + 24 * 3600]
        plan = WeekPlan((sunday,), (whole, pause, late))
        self.assertEqual(on_at(plan, at, LONDON).tolist(), [False, True, True, False])

    def test_the_sun_decides_where_it_is_known_and_polar_nights_last_all_day(self):
        dusk = WeekPlan((Stretch(tuple(range(7)), Edge(-20, SunEvent.DUSK), Edge(0, SunEvent.DAWN), True),))
        with self.assertRaises(InvalidValue):
            on_at(dusk, [0.0], SitePlace("Europe/London"))
        north = SitePlace("Europe/Oslo", 78.2, 15.6)
        for month, share in ((12, 1.0), (6, 0.0)):
            at = datetime(2026, month, 21, tzinfo=UTC).timestamp() + np.arange(24) * 3600.0
            dark = WeekPlan((Stretch(tuple(range(7)), Edge(0, SunEvent.DUSK), Edge(0, SunEvent.DAWN), True),))
            self.assertEqual(on_at(dark, at, north).mean(), share)
            self.assertFalse(sun_seconds(north, SunEvent.DUSK, date(2026, month, 21).toordinal())[1])

    def test_bad_plans_are_refused_in_plain_words(self):
        for make, words in (
            (lambda: Stretch((), Edge(0), Edge(60)), "days of the week"),
            (lambda: Stretch((7,), Edge(0), Edge(60)), "days of the week"),
            (lambda: Stretch((0,), Edge(25 * 60), Edge(60), True), "25:00 is no time of day"),
            (lambda: Stretch((0,), Edge(600), Edge(600)), "no length"),
            (lambda: Special("fair", datetime(2026, 9, 9), datetime(2026, 9, 9), "off"), "before it begins"),
            (lambda: Special("fair", datetime(2026, 9, 9), datetime(2026, 9, 10), "maybe"), "rule"),
            (lambda: SitePlace("UTC", 91.0, 0.0), "latitude"),
        ):
            with self.assertRaises(InvalidValue) as caught:
                make()
            self.assertIn(words, str(caught.exception))

    def test_longer_hours_could_show_what_shorter_ones_never_recorded(self):
        day, longer = (WeekPlan((Stretch((0, 1), Edge(480), Edge(end)),)) for end in (960, 1020))
        self.assertTrue(covers_more(longer, day))
        self.assertFalse(covers_more(day, longer))
        self.assertTrue(covers_more(None, day))
        self.assertFalse(covers_more(day, None))


class Dark(unittest.TestCase):
    def test_minutes_of_darkness_left_out_are_those_counted_one_by_one(self):
        plan = WeekPlan((NIGHT,))
        for day in (date(2026, 6, 20), date(2026, 12, 20), date(2026, 10, 24)):
            zone = ZoneInfo(LONDON.zone)
            observer = astral.Observer(LONDON.latitude, LONDON.longitude)
            dusk = astral.sun.dusk(observer, day, tzinfo=zone).timestamp()
            dawn = astral.sun.dawn(observer, day + timedelta(days=1), tzinfo=zone).timestamp()
            minutes = np.arange(dusk, dawn, 60.0)
            counted = float((~on_at(plan, minutes, LONDON)).sum())
            self.assertAlmostEqual(dark_left_out(plan, [day], LONDON)[0], counted, delta=1.5)


class Modes(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.lists(st.tuples(stretches, st.booleans(), st.integers(0, 90)), max_size=3))
    def test_the_last_mode_in_force_holds_minute_by_minute(self, parts):
        modes = [Mode(f"mode {n}", WeekPlan((s,)), records=on, late_min=late) for n, (s, on, late) in enumerate(parts)]
        first = date(2026, 9, 9)
        begin = datetime(2026, 9, 9, tzinfo=UTC).timestamp()
        times = begin + np.arange(2 * 1440) * 60.0 + 30.0
        spans = allowed_spans(modes, "records", first, date(2026, 9, 12), SitePlace("UTC"))
        got = np.ones(len(times), bool) if spans is None else in_spans(spans, times)
        wanted = np.ones(len(times), bool)
        for mode in modes:
            wanted[on_at(mode.plan, times - 60.0 * mode.late_min, SitePlace("UTC"))] = mode.records
        self.assertEqual(got.tolist(), wanted.tolist())

    def test_a_mode_needs_a_name_and_a_time_that_can_be(self):
        for name, late in ((" ", 0), ("open", -1), ("open", 900)):
            with self.assertRaises(InvalidValue):
                Mode(name, WeekPlan(), late_min=late)


class Periods(unittest.TestCase):
    def typed(self, plan, **rules):
        return to_periods(plan, ScheduleRules(**rules), LONDON, date(2026, 9, 9))

    def test_a_night_becomes_two_periods_and_is_read_back_as_one(self):
        typed = self.typed(WeekPlan((NIGHT,)))
        self.assertEqual(typed.lines, ("every day 00:00 to 06:10", "every day 21:40 to 24:00"))
        self.assertEqual(typed.lost, ())
        back = from_periods(typed.periods)
        self.assertEqual((back.plan.stretches, back.findings), ((NIGHT,), ()))
        whole = self.typed(WeekPlan((NIGHT,)), crosses_midnight=True)
        self.assertEqual(whole.lines, ("every day 21:40 to 06:10 of the next day",))
        self.assertEqual(from_periods(whole.periods).plan.stretches, (NIGHT,))

    def test_what_a_make_cannot_be_told_covers_more_and_is_named(self):
        work = Stretch((0, 1, 2, 3, 4), Edge(8 * 60 + 7), Edge(17 * 60 + 1))
        typed = self.typed(WeekPlan((work,)), step_min=15, by_weekday=False)
        self.assertEqual(typed.lines, ("every day 08:00 to 17:15",))
        self.assertIn("Sat, Sun", " ".join(typed.lost))
        several = WeekPlan(tuple(Stretch((0,), Edge(a), Edge(a + 60)) for a in (0, 120, 600)))
        typed = self.typed(several, periods_a_day=2)
        self.assertEqual(typed.lines, ("Mon 00:00 to 03:00", "Mon 10:00 to 11:00"))
        self.assertIn("takes 2", typed.lost[0])
        self.assertIn("no hours", self.typed(several, periods_a_day=0).lost[0])
        by_sun = WeekPlan((Stretch((0,), Edge(0, SunEvent.SUNRISE), Edge(0, SunEvent.SUNSET)),))
        self.assertIn("as they are on", self.typed(by_sun).lost[0])

    @settings(max_examples=100, deadline=None)
    @given(st.lists(st.builds(
        lambda day, begin, length: Period(day, begin, begin + length),
        st.integers(0, 6), st.integers(0, 1439), st.integers(1, 1440),
    ), max_size=6))  # fmt: skip
    def test_periods_read_back_cover_every_minute_they_name_and_overlaps_are_told(self, periods):
        covered = np.zeros(7 * 1440, int)
        for p in periods:
            covered[np.arange(p.day * 1440 + p.begin_min, p.day * 1440 + p.end_min) % (7 * 1440)] += 1
        read = from_periods(periods)
        begin = datetime(2026, 9, 7, tzinfo=UTC).timestamp()
        on = on_at(read.plan, begin + np.arange(7 * 1440) * 60.0 + 30.0, SitePlace("UTC"))
        self.assertEqual(on.tolist(), (covered > 0).tolist())
        self.assertEqual(any("overlap" in f for f in read.findings), bool((covered > 1).any()))

    def test_the_mistakes_of_periods_read_off_a_camera_are_named(self):
        half = [Period(day, 21 * 60 + 40, 1440) for day in range(7)]
        found = from_periods(half).findings
        self.assertEqual(len(found), 1)
        self.assertIn("every day", found[0])
        self.assertIn("second half of the night is missing", found[0])
        off = from_periods([Period(0, 1300, 1440), Period(1, 0, 370, False)]).findings
        self.assertIn("until it is switched on", off[0])
        self.assertIn("ends at 24:00 (Mon)", off[1])
        self.assertIn("overlap", from_periods([Period(0, 60, 120), Period(0, 100, 180)]).findings[0])
        self.assertIn("no length", from_periods([Period(0, 60, 60)]).findings[0])

    @settings(max_examples=60, deadline=None)
    @given(st.lists(stretches, min_size=1, max_size=3))
    def test_any_plan_typed_in_and_read_back_covers_the_same(self, parts):
        plan = WeekPlan(tuple(parts))
        times = datetime(2026, 9, 7, tzinfo=UTC).timestamp() + np.arange(7 * 24 * 12) * 300.0
        for crosses in (False, True):
            typed = self.typed(plan, periods_a_day=48, crosses_midnight=crosses)
            again = from_periods(typed.periods).plan
            self.assertEqual(on_at(again, times, LONDON).tolist(), on_at(plan, times, LONDON).tolist())


class Proposed(unittest.TestCase):
    @settings(max_examples=40, deadline=None)
    @given(st.lists(st.integers(-3, 3), min_size=4, max_size=9), st.integers(1, 3))
    def test_dynamic_programming_finds_what_trying_everything_finds(self, gains, periods):
        lost = np.array([[max(0, g) + 1e-4 for g in gains]])
        silenced = np.array([[float(max(0, -g)) for g in gains]])
        on = best_quarters(lost, silenced, periods=periods)[0]
        runs = int(np.diff(np.concatenate([[0], on.astype(int)])).clip(0).sum())
        self.assertLessEqual(runs, periods)
        costs = []
        for code in range(1 << len(gains)):
            tried = np.array([bool(code >> n & 1) for n in range(len(gains))])
            if int(np.diff(np.concatenate([[0], tried.astype(int)])).clip(0).sum()) <= periods:
                costs.append(self.cost(tried, lost, silenced))
        self.assertAlmostEqual(self.cost(on, lost, silenced), min(costs))

    def test_no_hours_are_proposed_where_too_few_real_ones_say_what_they_would_lose(self):
        rules = ScheduleRules(periods_a_day=2, step_min=15, by_weekday=False, crosses_midnight=True)
        for real, enough in ((0, False), (3, False), (12, True)):
            kinds = ["person"] * real + ["foliage"] * 30
            hours = [9.0 + 0.1 * n for n in range(real)] + [2.0 + 0.1 * (n % 6) for n in range(30)]
            starts = [
                1_757_200_000.0 - 1_757_200_000.0 % 86_400 + 86_400 * (n % 6) + 3600 * h for n, h in enumerate(hours)
            ]
            order = np.argsort(starts)
            evidence = evidence_of(
                [blob_trace([9] * 10)] * len(kinds), kinds=[kinds[n] for n in order], starts=[starts[n] for n in order]
            )
            proposed = propose_hours(evidence, rules, miss_cost=5.0)
            self.assertEqual(proposed.plan is not None, enough, (real, proposed))
            self.assertEqual("would settle it" in proposed.lacking, not enough)

    @staticmethod
    def cost(on, lost, silenced):
        runs = int(np.diff(np.concatenate([[0], on.astype(int)])).clip(0).sum())
        return float(np.where(on, silenced[0], lost[0]).sum()) + SWITCH * runs


if __name__ == "__main__":
    unittest.main()
