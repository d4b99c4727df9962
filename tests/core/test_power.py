"""Battery, sun and data: what is drawn by hand, what a panel brings, and when it no longer keeps up."""

import math
import unittest
from dataclasses import replace
from datetime import UTC, date, datetime

from guardia.core.hours.place import SitePlace
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import Settings
from guardia.core.replay.replay import replay
from guardia.core.score.power import charge_of, drains_most, sent_of, uploads
from guardia.core.score.storage_findings import storage_findings
from guardia.core.storage.battery import Activity, consumption, days_of_packs, days_to_empty, drain_under, fit_drain
from guardia.core.storage.data import line_load, sent_a_day
from guardia.core.storage.facts import fact_figure, known_fact
from guardia.core.storage.figure import Figure, Source, exactly
from guardia.core.storage.known import StorageKnown
from guardia.core.storage.readings import Measure, Reading
from guardia.core.storage.rules import PowerDraw
from guardia.core.storage.solar import Panel, clear_sun_hours, monthly_yield
from guardia.core.storage.stores import Fitted, Store, StoreKind
from tests.support import blob_trace, capability, evidence_of

DAY = 86400.0
SEPTEMBER = datetime(2026, 9, 1, 12, tzinfo=UTC).timestamp()
NORTH, SOUTH = SitePlace("Europe/London", 51.5, -0.1), SitePlace("Pacific/Auckland", -41.3, 174.8)


def seconds(value):
    return exactly("recorded", value, "s")


class Drawn(unittest.TestCase):
    def test_what_is_drawn_a_day_by_hand(self):
        power = PowerDraw(20.0, standby_mw=10, recording_w=1.8, snapshot_j=7.2, alert_j=3.6, live_w=3, wake_j=3.6,
                          white_light_w=3.6, spread=1.0)  # fmt: skip
        doing = Activity(seconds(1000.0), seconds(500.0), 100.0, exactly("alerts", 10.0, ""), white_light=True)
        drawn = consumption(doing, power, {"live": 2.0, "wakes": 50.0})
        by_cause = {part.name: round(part.value, 6) for part in drawn.parts}
        self.assertEqual(by_cause, {
            "standby": 0.24, "recording": 0.5, "snapshots": 0.2, "alerts": 0.01, "live looks": 0.1,
            "waking to look": 0.05, "white light": 0.5,
        })  # fmt: skip
        self.assertAlmostEqual(drawn.value, 1.6)
        self.assertAlmostEqual(days_to_empty(exactly("charge", 16.0, "Wh"), drawn).value, 10.0)
        self.assertEqual(days_to_empty(exactly("c", 16.0, "Wh"), drawn, exactly("g", 2.0, "Wh")).words, "without end")
        nothing = PowerDraw(20.0, standby_mw=0, recording_w=0, snapshot_j=0, alert_j=0, live_w=0, wake_j=0)
        self.assertEqual(consumption(doing, nothing, {}).value, 0.0)
        dark = consumption(replace(doing, white_light=False), power, {"live": 2.0, "wakes": 50.0})
        self.assertAlmostEqual(dark.value, 1.1)

    def test_typed_figures_take_the_place_of_those_of_the_make(self):
        power = PowerDraw(20.0)
        typed = fact_figure({"standby": 25.0}, "standby", power.band(power.standby_mw))
        self.assertEqual((typed.value, typed.source), (25.0, Source.TYPED))
        assumed = fact_figure({}, "standby", power.band(power.standby_mw))
        self.assertEqual((assumed.value, assumed.low, assumed.high), (8.0, 5.0, 12.8))

    def test_a_measured_drain_is_scaled_by_what_the_settings_change(self):
        readings = [Reading(n * DAY, Measure.BATTERY, 100.0 - 8 * n) for n in range(6)]
        drain = fit_drain(readings)
        two, one, battery = exactly("a", 2.0, "Wh"), exactly("b", 1.0, "Wh"), exactly("battery", 20.0, "Wh")
        half = drain_under(drain.per_day, two, one, battery=battery, then=None, ahead=None)
        self.assertAlmostEqual(half.value, 4.0)
        self.assertTrue(half.low < 4.0 < half.high)
        same = drain_under(drain.per_day, two, two, battery=battery, then=None, ahead=None)
        self.assertAlmostEqual(same.low, drain.per_day.low)

    def test_with_a_panel_the_balance_is_drawn_less_brought(self):
        """A battery of 100 Wh loses 0.5 % a day while its panel brings 2 Wh: 2.5 Wh are drawn; a fifth more is 3 Wh."""
        net, old, new = exactly("net", 0.5, "% a day"), exactly("a", 10.0, "Wh"), exactly("b", 12.0, "Wh")
        battery, panel = Figure("b", 100.0, 60.0, 160.0, "Wh", Source.ASSUMED), exactly("panel", 2.0, "Wh")
        wide = replace(panel, low=1.2, high=3.2)
        more = drain_under(net, old, new, battery=battery, then=wide, ahead=wide)
        self.assertAlmostEqual(more.value, 1.0)
        self.assertTrue(0.6 < more.low < 1.0 < more.high)
        same = drain_under(net, old, old, battery=battery, then=wide, ahead=wide)
        self.assertAlmostEqual(same.low, same.high, msg="nothing changes: what the panel brings drops out")
        winter = drain_under(net, old, old, battery=battery, then=panel, ahead=exactly("panel", 0.5, "Wh"))
        self.assertAlmostEqual(winter.value, 2.0)

    def test_of_two_packs_the_weaker_one_decides_unless_they_are_used_in_turn(self):
        drains = (exactly("one", 1.0, "% a day"), exactly("two", 10.0, "% a day"))
        self.assertAlmostEqual(days_of_packs((85.0, 70.0), drains, 20.0, in_turn=False).value, 5.0)
        self.assertAlmostEqual(days_of_packs((85.0, 70.0), drains, 20.0, in_turn=True).value, 11.5)


class Sun(unittest.TestCase):
    def test_the_year_has_its_winter_where_the_site_has_it(self):
        panel_w = exactly("panel", 5.0, "W")
        north, south = (monthly_yield(place, 2026, panel_w, {}) for place in (NORTH, SOUTH))
        self.assertEqual([len(north), len(south)], [12, 12])
        self.assertEqual(min(north, key=lambda m: m.value).name, "Dec")
        self.assertEqual(min(south, key=lambda m: m.value).name, "Jun")
        self.assertEqual(monthly_yield(SitePlace("Europe/London"), 2026, panel_w, {}), ())

    def test_a_steeper_panel_is_better_in_winter_and_one_turned_away_is_worse(self):
        winter = date(2026, 12, 15)
        flat, steep, away = (clear_sun_hours(NORTH, winter, p) for p in (Panel(0), Panel(60), Panel(60, 180)))
        self.assertGreater(steep, 1.5 * flat)
        self.assertLess(away, flat)
        polar = SitePlace("Europe/Oslo", 78.2, 15.6)
        self.assertEqual(clear_sun_hours(polar, winter, Panel(35)), 0.0)


class OfACamera(unittest.TestCase):
    def under(self, make="polygon-solar-camera", *, readings=(), facts=None, stores=(), where=(50.2, -0.6), **values):
        kind = capability(make)
        settings = Settings.of(kind.id, kind.notches[-1].label, **values)
        traces = [blob_trace([0, *[40] * 20, 0]) for _ in range(6)]
        starts = [SEPTEMBER + n * DAY for n in range(6)]
        evidence = evidence_of(traces, kinds=["person"] * 6, starts=starts, watched=[(SEPTEMBER, SEPTEMBER + 6 * DAY)])
        known = StorageKnown(tuple(stores), facts or {}, {}, tuple(readings), SEPTEMBER + 6 * DAY)
        return replay(replace(evidence, storage=known, coordinates=where), Candidate(settings, kind))

    def test_a_small_panel_fails_first_in_winter(self):
        charge = charge_of(self.under(facts={"panel": 0.2, "battery": 6.0}))
        self.assertIn(charge.failing_month, ("Dec", "Jan"))
        self.assertEqual(charge_of(self.under()).failing_month, "")
        for days, failing in ((31.0, ""), (30.9, "Feb"), (math.inf, "")):
            months = tuple(exactly(name, days, "days", Source.TYPED, "") for name in ("Feb",))
            self.assertEqual(replace(charge, months=months).failing_month, failing)
        words = [f.words for f in storage_findings(self.under(facts={"panel": 0.2, "battery": 6.0}))]
        self.assertTrue(any("The panel does not keep up" in w for w in words))
        self.assertEqual(charge_of(self.under(where=None)).months, ())
        self.assertIsNone(charge_of(self.under("polygon-mains-camera")))
        down_to = known_fact(self.under().keeping.known.facts, "charge_at").value
        alone = charge_of(self.under(where=None))
        self.assertAlmostEqual(alone.per_day.value * alone.days.value, 100.0 - down_to)

    def test_readings_go_before_what_is_worked_out(self):
        falling = [Reading(SEPTEMBER + n * DAY, Measure.BATTERY, 90.0 - 5 * n) for n in range(6)]
        charge = charge_of(self.under(readings=falling))
        self.assertAlmostEqual(charge.per_day.value, 5.0)
        self.assertAlmostEqual(charge.days.value, (65 - 20) / 5)
        self.assertEqual(charge.charge_on, date(2026, 9, 15))
        shares = drains_most(charge)
        self.assertAlmostEqual(sum(share for _, share in shares), 1.0)
        self.assertEqual(shares, sorted(shares, key=lambda s: -s[1]))

    def test_the_allowance_lasts_or_is_used_up_on_a_day(self):
        used = [Reading(datetime(2026, 9, 5, 12, tzinfo=UTC).timestamp(), Measure.DATA_USED, 0.9)]
        sent = sent_of(self.under(facts={"allowance": 1.0, "live": 10.0, "rate_light": 2.0}, readings=used))
        self.assertEqual(sent.month, (date(2026, 9, 1), date(2026, 10, 1)))
        self.assertEqual(sent.runs_out, date(2026, 9, 5))
        self.assertIsNone(sent_of(self.under(facts={"allowance": 50.0})).runs_out)
        self.assertIsNone(sent_of(self.under()).allowance)
        self.assertIsNone(sent_of(self.under("polygon-mains-camera")))
        a_day = sent_a_day(
            exactly("clips", 0.5, "GB"), None, exactly("live", 4.0, "min"), exactly("rate", 2.0, "Mbit/s")
        )
        self.assertAlmostEqual(a_day.value, 0.5 + 4 * 60 * 2 / 8000)

    def test_only_what_leaves_the_site_loads_its_line(self):
        card = Fitted(1, Store("card", StoreKind.CARD, 64.0))
        copy = Fitted(2, Store("copy", StoreKind.COPY, keeps_days=7.0))
        self.assertIsNone(uploads(self.under(stores=[card]).keeping))
        need = uploads(self.under(stores=[card, copy], facts={"rate_light": 1.5, "rate_dark": 2.5}).keeping)
        self.assertEqual(need.value, 1.5)  # nothing is recorded in the dark here
        self.assertEqual(line_load([]).value, 0.0)
        self.assertTrue(math.isfinite(need.high))
