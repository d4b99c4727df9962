"""What is due when: each date from its own source, in order, and as a calendar that two libraries read alike."""

import math
import unittest
from dataclasses import replace
from datetime import UTC, date, datetime

import icalendar
import vobject

from guardia.core.evidence.epochs import Epoch
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import Settings
from guardia.core.prove.due import Due, due_of, in_patrol_order
from guardia.core.replay.replay import replay
from guardia.core.storage.known import StorageKnown
from guardia.core.storage.readings import Measure, Reading
from guardia.core.storage.stores import Fitted, Store, StoreKind
from guardia.formats.calendar import days_calendar
from tests.support import blob_trace, capability, evidence_of

DAY = 86400.0
BEGIN = datetime(2026, 3, 2, 12, tzinfo=UTC).timestamp()


class WhatIsDue(unittest.TestCase):
    def due(self, stores, readings=(), make="polygon-mains-camera", of_site=None, **values):
        kind = capability(make)
        settings = Settings.of(kind.id, kind.notches[-1].label, **values)
        traces = [blob_trace([0, *[40] * 20, 0]) for _ in range(5)]
        starts = [BEGIN + n * DAY for n in range(5)]
        evidence = evidence_of(traces, kinds=["person"] * 5, starts=starts, watched=[(BEGIN, BEGIN + 5 * DAY)])
        known = StorageKnown(tuple(stores), {"rate_light": 2.0, "rate_dark": 2.0}, of_site or {}, tuple(readings),
                             BEGIN + 5 * DAY)  # fmt: skip
        epochs = (Epoch(-math.inf, BEGIN + 4.5 * DAY, settings), Epoch(BEGIN + 4.5 * DAY, math.inf, settings))
        done = replay(replace(evidence, storage=known, epochs=epochs), Candidate(settings, kind))
        return {d.what: d for d in due_of("gate", done)}

    def test_each_date_comes_from_its_own_source(self):
        plan = Store("plan", StoreKind.REMOTE, keeps_days=10.0, ends=date(2026, 5, 31))
        dues = self.due([Fitted(1, plan)], target=StoreKind.REMOTE)
        self.assertEqual(dues["renew or replace 'plan'"].on, date(2026, 5, 17))
        self.assertEqual(dues["save 1 real recording"].on, date(2026, 3, 12))
        self.assertEqual(dues["look whether it records"].on, date(2026, 3, 13))
        self.assertEqual(dues["import the week since the change"].on, date(2026, 3, 14))
        card = Fitted(1, Store("card", StoreKind.CARD, 64.0), (), (
            Reading(BEGIN, Measure.USED, 1.0), Reading(BEGIN, Measure.FREE, 43.2),
        ))  # fmt: skip
        full = self.due([card], overwrite=False, mode="always", of_site={"round_every": 2.0})
        # 2 Mbit/s all day are 21.6 GB; 43.2 GB are full two days later.
        self.assertEqual(full["empty 'card', or let it overwrite"].on, date(2026, 3, 4))
        self.assertEqual(full["look whether it records"].on, date(2026, 3, 8))
        falling = [Reading(BEGIN + n * DAY, Measure.BATTERY, 100.0 - 10 * n) for n in range(4)]
        charged = self.due([], falling, make="battery-camera-on-hub")
        self.assertEqual(charged["charge the battery"].on, date(2026, 3, 10))

    def test_one_day_is_walked_in_patrol_order(self):
        day = date(2026, 3, 4)
        dues = [
            Due("b", "x", day, "", 2),
            Due("c", "x", day, ""),
            Due("a", "x", day, "", 3),
            Due("d", "x", date(2026, 3, 3), ""),
        ]
        self.assertEqual([d.camera for d in in_patrol_order(dues)], ["d", "b", "a", "c"])

    def test_the_calendar_is_read_alike_by_icalendar_and_vobject(self):
        content = days_calendar([("gate: charge, at once", "by its drain; 3 %", date(2026, 3, 4))] * 2)
        one = icalendar.Calendar.from_ical(content).walk("VEVENT")[0]
        other = vobject.readOne(content.decode()).vevent
        self.assertEqual(one.decoded("dtstart"), date(2026, 3, 4))
        self.assertEqual(other.dtstart.value, date(2026, 3, 4))
        self.assertEqual(str(one["summary"]), other.summary.value)
        self.assertEqual(content, days_calendar([("gate: charge, at once", "by its drain; 3 %", date(2026, 3, 4))] * 2))
