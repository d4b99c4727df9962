"""Tuning for what a camera is for: alerts, hours, what is stored, and what would help where no setting can."""

import math
import unittest
from dataclasses import replace
from datetime import date

from guardia.core.evidence.clips import Origin
from guardia.core.evidence.epochs import Epoch
from guardia.core.hours.modes import Mode
from guardia.core.hours.place import SitePlace
from guardia.core.hours.plan import EVERY_DAY, Edge, Stretch, WeekPlan, on_at
from guardia.core.make.candidate import Candidate
from guardia.core.make.effort import OPEN_TAPS, PERIOD_TAPS, taps
from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.core.purpose.patterns import AT_NIGHT, OUT_OF_HOURS
from guardia.core.purpose.purpose import Purpose, Wanted
from guardia.core.replay.anchored import Anchor
from guardia.core.storage.known import StorageKnown
from guardia.core.storage.stores import Fitted, Store, StoreKind
from guardia.core.tuning.beyond import FAR_PX_M, what_would
from guardia.core.tuning.check import check_prediction
from guardia.core.tuning.days import Counts, Days
from guardia.core.tuning.entered import as_entered, modes_asked
from guardia.core.tuning.limits import within_limits
from guardia.core.tuning.search import Search
from guardia.core.tuning.trials import Cost, Trials
from guardia.core.tuning.tune import LONGEST_DAYS, Answer, days_to_tell, tune
from guardia.core.view.geometry import ViewGeometry
from tests.support import blob_trace, capability, evidence_of, plain, tried

DAY, HOUR = 86400.0, 3600.0
BEGIN = 1_757_203_200.0  # Sunday 7 September 2025, 00:00 UTC, 01:00 in London
NIGHT = WeekPlan((Stretch(EVERY_DAY, Edge(21 * 60), Edge(6 * 60), overnight=True),))
PERSON = Wanted(("person",))
LONDON = (51.5, 0.0)


def weeks(purpose, *, days=8, settings=None, column=3, dark=(), kinds=("person", "foliage"), **more):
    """Persons and leaves alike in size and place, two at noon and two at night, every day."""
    hours = (11 * HOUR, 12 * HOUR, 22 * HOUR, 22.5 * HOUR)
    evidence = evidence_of(
        [blob_trace([0, *[9] * 20, 0], column=column)] * (4 * days), kinds=[*kinds] * (2 * days),
        installed=settings or plain(4), starts=[BEGIN + d * DAY + h for d in range(days) for h in hours],
        watched=[(BEGIN, BEGIN + days * DAY)], **more,
    )  # fmt: skip
    clips = tuple(replace(c, brightness=20.0 if n % 4 in dark else 120.0) for n, c in enumerate(evidence.clips))
    return replace(evidence, clips=clips, purpose=purpose, coordinates=LONDON)


class Alerts(unittest.TestCase):
    def test_hours_are_chosen_where_the_purpose_names_them_and_nothing_asked_is_lost(self):
        at_night = Purpose(record=PERSON, alert=Wanted(("person",), NIGHT), false_alerts=1)
        found = tune(weeks(at_night), tried(plain(4)))
        self.assertEqual(found.answer, Answer.BETTER)
        self.assertEqual((found.installed.false_alerts, found.tuned.false_alerts), (16, 8))
        self.assertEqual((found.tuned.lost, found.tuned.false), (0, 16), "by day they are recorded as before")
        self.assertTrue(found.chosen.settings.hours.alert_plan)
        always = tune(weeks(Purpose(record=PERSON, alert=PERSON)), tried(plain(4)))
        self.assertIsNone(always.chosen.settings.hours.alert_plan)

    def test_a_mode_alerts_where_hours_asked_are_its_own_and_nobody_changes_it_where_none_are_named(self):
        day = WeekPlan((Stretch(EVERY_DAY, Edge(7 * 60), Edge(20 * 60)),))
        now = plain(4, modes=(Mode("open", day), Mode("closed", NIGHT, alerts=False)))
        at_night = Purpose(record=PERSON, alert=Wanted(("person",), NIGHT))
        told = modes_asked(now.hours.modes, at_night, SitePlace("Europe/London"), (date(2025, 9, 7), date(2025, 9, 14)))
        self.assertEqual([(m.name, m.records, m.alerts) for m in told], [("open", True, False), ("closed", True, True)])
        self.assertEqual(now.with_values(modes=told).hours.modes, told)
        found = tune(weeks(at_night, settings=now), tried(now))
        self.assertEqual((found.installed.lost, found.tuned.lost), (8, 0))
        always = Search(*_searching(weeks(Purpose(record=PERSON, alert=PERSON), settings=now), now)).singles()
        self.assertFalse([one.words for one in always if one.words.startswith("modes")])

    def test_where_nobody_is_to_be_alerted_alerts_are_switched_off(self):
        found = tune(weeks(Purpose(record=PERSON)), tried(plain(4)))
        self.assertFalse(found.tuned.alerting)
        quiet = Search(*_searching(weeks(Purpose(record=PERSON)))).singles()
        self.assertIn("alerts OFF (nobody is alerted)", [one.words for one in quiet])

    def test_where_nobody_said_and_alerts_are_off_recordings_are_what_is_in_the_way(self):
        off = plain(4, alerts_on=False)
        found = tune(weeks(None, settings=off), tried(off))
        self.assertEqual((found.installed.alerting, found.installed.nuisance, found.installed.lost), (False, 16, 0))
        self.assertEqual(tune(weeks(None), tried(plain(4))).installed.alerting, True)

    def test_what_is_real_but_not_asked_for_may_be_given_up(self):
        evidence = weeks(Purpose(record=Wanted(("vehicle",)), alert=Wanted(("vehicle",))))
        self.assertEqual(int(Trials(evidence).real.sum()), 0)
        self.assertEqual(int(Trials(weeks(None)).real.sum()), 16)

    def test_a_time_between_alerts_is_priced_by_who_comes_a_little_earlier_or_later(self):
        trials = Trials(weeks(None))
        base, later = (trials.of(tried(plain(4, alert_interval_s=seconds))) for seconds in (0.0, 600.0))
        real = trials.real
        self.assertTrue(later.alerted[real].all())
        # At night leaves follow half an hour later: ten minutes of two hours lie behind their alert.
        by_day, at_night = (later.alert_risk[real][n::2] - base.alert_risk[real][n::2] for n in (0, 1))
        self.assertAlmostEqual(float(at_night.mean()), 600 / 7200 * (1 - base.alert_risk[real].mean()), delta=0.01)
        self.assertAlmostEqual(float(by_day.max()), 0.0, delta=0.01)
        self.assertTrue((later.risk == base.risk).all(), "of what is recorded it says nothing")

    def test_costs_are_said_in_one_line(self):
        before, after = Counts(9, 1, 0, 20, 8.0, 1, 2, 20, True), Counts(9, 1, 3, 8, 8.0, 0, 1, 9, True)
        self.assertEqual(
            after.against(before),
            "11 fewer false alerts, 1 fewer real one lost, 3 more late or cut, 12 fewer false recordings",
        )
        self.assertEqual(before.against(before), "changes nothing on these days")


def _searching(evidence, settings=None):
    trials = Trials(evidence)
    days = Days(evidence, trials)
    return trials, tried(settings or plain(4)), None, Cost(), days.visits(days.all), False, lambda _n: None


class Hours(unittest.TestCase):
    def test_a_night_by_the_sun_is_entered_as_one_clock_time_that_covers_every_day_of_the_week(self):
        evidence = weeks(None)
        entered = as_entered(AT_NIGHT, capability().schedule, evidence.place, evidence.dates[1])
        self.assertFalse(entered.follows_sun)
        self.assertEqual({s.begin for s in entered.stretches if s.overnight}, {Edge(19 * 60 + 15)})
        place, first = SitePlace("Europe/London", *LONDON), date(2025, 9, 8)
        quarter = [BEGIN + DAY + 900.0 * n for n in range(6 * 96)]
        by_sun, by_clock = on_at(AT_NIGHT, quarter, place), on_at(entered, quarter, place)
        self.assertTrue((by_clock | ~by_sun).all(), first)
        nowhere = SitePlace("Europe/London")
        self.assertIsNone(as_entered(AT_NIGHT, capability().schedule, nowhere, evidence.dates[1]))

    def test_a_make_with_the_same_hours_every_day_takes_them_only_as_far_as_it_can(self):
        same = capability("battery-camera-on-hub")
        self.assertFalse(same.schedule.by_weekday)
        evidence = weeks(None)
        whole = as_entered(OUT_OF_HOURS, same.schedule, evidence.place, evidence.dates[1])
        self.assertTrue(whole is None or on_at(whole, [BEGIN + DAY + 11 * HOUR], SitePlace("UTC")).all())


class Effort(unittest.TestCase):
    def test_taps_follow_what_is_to_be_entered(self):
        make, square = capability(), ((0.1, 0.1), (0.9, 0.1), (0.9, 0.9), (0.1, 0.9))
        old = plain(4)
        for values, expected in (
            ({}, 0), ({"hold_s": 0.6}, OPEN_TAPS + 1), ({"alert_plan": NIGHT}, OPEN_TAPS + PERIOD_TAPS),
            ({"zones": (PolygonZone(ZoneKind.WATCH, square),)}, OPEN_TAPS + 4),
            ({"alert_classes": ("person", "vehicle")}, OPEN_TAPS + 2),
        ):  # fmt: skip
            self.assertEqual(taps(old, old.with_values(**values), make), expected, values)

    def test_days_until_a_change_shows_follow_from_both_rates(self):
        def counts(alerts):
            return Counts(9, 0, 0, alerts, 10.0, 0, 0, alerts, True)

        # Rates of 3 and 1 a day: 1.645^2 (3 + 1) / (3 - 1)^2 = 2.7 days.
        self.assertEqual(days_to_tell(counts(30), counts(10)), math.ceil(1.645**2))
        self.assertIsNone(days_to_tell(counts(30), counts(30)))
        self.assertIsNone(days_to_tell(counts(30), counts(29)), f"longer than {LONGEST_DAYS} days")


class Limits(unittest.TestCase):
    def stored(self, **asked):
        card = Fitted(1, Store("Card", StoreKind.CARD, 64.0))
        known = StorageKnown((card,), {"recorded": 40_000.0}, {})
        return replace(weeks(Purpose(record=PERSON, **asked)), storage=known)

    def test_what_is_stored_is_changed_as_little_as_keeps_the_days_and_nothing_where_nobody_asks(self):
        evidence, now = self.stored(), tried(plain(4))
        days = Anchor(evidence, now.capability).replay(now).keeping.days.value
        self.assertEqual(within_limits(evidence, Anchor(evidence, now.capability), now, now), now)
        for asked, qualities in ((days - 1, 0), (days * 1.5, 1)):
            evidence = self.stored(keep_days=asked)
            kept = within_limits(evidence, Anchor(evidence, now.capability), now, now)
            changed = kept.settings.storage.quality != now.settings.storage.quality
            self.assertEqual(int(changed), qualities)
            self.assertGreaterEqual(Anchor(evidence, now.capability).replay(kept).keeping.days.value, asked)
            self.assertEqual(kept.settings.detection, now.settings.detection)
        never = self.stored(keep_days=3000)
        self.assertEqual(within_limits(never, Anchor(never, now.capability), now, now), now, "nothing meets it")


class Beyond(unittest.TestCase):
    def helped(self, evidence, settings):
        trials, candidate, draft, cost, seen, unseen, check = _searching(evidence, settings)
        search = Search(trials, candidate, draft, cost, seen, unseen, check)
        return " ".join(what_would(search, Days(evidence, trials), trials.of(candidate)))

    def test_each_advice_is_based_on_what_is_lost_or_left(self):
        asked = Purpose(record=PERSON, alert=PERSON)
        footage = {"origin": [Origin.CONTINUOUS] * 32}
        in_the_dark = self.helped(weeks(asked, dark=(2, 3), **footage), plain(12))
        self.assertNotIn("a lamp", self.helped(weeks(asked, **footage), plain(12)))
        self.assertIn("8 of 16 real ones lost came in the dark: a lamp", in_the_dark)
        clips = self.helped(weeks(asked), plain(4))
        self.assertIn("16 of 16 left are foliage: cut it back", clips)
        self.assertNotIn("lost", clips)
        far = weeks(asked, **footage)
        far = replace(far, view=ViewGeometry(8.0, 8.0, 0.5), clips=tuple(replace(c, width_px=160) for c in far.clips))
        told = self.helped(far, plain(12))
        near = self.helped(replace(far, clips=tuple(replace(c, width_px=3000) for c in far.clips)), plain(12))
        self.assertEqual((f"under {FAR_PX_M:g} px/m" in told, "px/m" in near), (True, False))

    def test_hours_and_pauses_are_no_reason_for_a_lamp(self):
        asked = Purpose(record=PERSON)
        by_day = WeekPlan((Stretch(EVERY_DAY, Edge(8 * 60), Edge(20 * 60)),))
        evidence = weeks(asked, dark=(2, 3), origin=[Origin.CONTINUOUS] * 32)
        self.assertNotIn("lamp", self.helped(evidence, plain(4, recording_plan=by_day)))

    def test_another_make_s_ability_is_tried_on_the_same_recordings(self):
        apart = evidence_of(
            [blob_trace([0, *[9] * 20, 0], column=c) for c in (3, 24)] * 16, kinds=["person", "foliage"] * 16,
            installed=plain(4), starts=[BEGIN + 4 * HOUR * n for n in range(32)], watched=[(BEGIN, BEGIN + 6 * DAY)],
        )  # fmt: skip
        bare = replace(capability(), zone_form="rectangles", max_zones=0, max_corners=4, ignore_zones=False)
        found = tune(apart, Candidate(plain(4), bare))
        self.assertRegex(" ".join(found.why), "4 zones of 16 corners to watch or to ignore would leave 0 of 16")


class AfterIt(unittest.TestCase):
    def test_alerts_are_held_against_what_was_to_be_expected(self):
        evidence = weeks(Purpose(record=PERSON, alert=PERSON), days=16)
        half = BEGIN + 8 * DAY
        for settings, agrees in ((plain(4), True), (plain(4, alert_plan=NIGHT), True)):
            epochs = (Epoch(-math.inf, half, plain(4)), Epoch(half, math.inf, settings))
            check = check_prediction(replace(evidence, epochs=epochs), tried(settings), half)
            alerts, unalerted = check.alerts
            by_night = settings.hours.alert_plan is not None
            # The day of the change is left out.
            self.assertEqual((alerts.observed, unalerted.observed), (7, 7) if by_night else (14, 0))
            self.assertAlmostEqual(alerts.expected.mean, 7.0 if by_night else 14.0, delta=0.6)
            self.assertEqual(check.agrees, agrees)
            self.assertIn("false alerts, ", check.words)
