"""Hours and alerts on the demo without a window, each against what is counted here by hand."""

import json
import math
import unittest
from contextlib import redirect_stdout
from datetime import UTC, datetime
from io import StringIO

import numpy as np

from guardia.app.project.demo import own_demo
from guardia.cli import main
from guardia.core.base.errors import InvalidValue
from guardia.core.hours.plan import EVERY_DAY, Edge, Special, Stretch, WeekPlan
from guardia.core.replay.gate import Stage
from guardia.core.replay.gates import ALERT_CLASS, ALERT_INTERVAL, HOURS, PAUSE
from guardia.core.replay.replay import replay
from guardia.core.score.hours import Remedy, cures, hours_of_day
from guardia.store.project import Project
from tests.support import FolderCase


class ScriptedHours(FolderCase):
    def setUp(self):
        super().setUp()
        self.project = own_demo(self.folder)

    def told(self, *words):
        out = StringIO()
        with redirect_stdout(out):
            code = main(["hours", str(self.project), *words])
        return code, out.getvalue()

    def camera(self, name):
        with Project(self.project) as project:
            camera = next(c for c in project.cameras.all() if c.name == name)
            return camera, project.evidence(camera.id)

    def test_the_command_says_when_it_records_over_a_change_of_clocks(self):
        code, text = self.told("--camera", "Workshop door", "--from", "2026-10-24", "--to", "2026-10-25", "--json")
        found = json.loads(text)
        self.assertEqual(code, 0)
        self.assertIsNone(found["alerts"])
        self.assertEqual(found["recording"]["spans"][1], ["2026-10-25T06:00+00:00", "2026-10-26T00:00+00:00"])
        self.assertEqual(found["recording"]["type_in"], ["every day 06:00 to 24:00"])
        self.assertEqual(found["evidence"]["real_outside"], 4)
        code, text = self.told("--camera", "Office step")
        self.assertIn("alerts: every day 21:30 to 04:45 of the next day", text)
        with self.assertRaises(InvalidValue):
            from guardia.app.scripted.hours import camera_hours

            day = datetime(2026, 9, 9, tzinfo=UTC).date()
            camera_hours(self.project, camera="Office step", first=day, last=day.replace(day=1), draft=False)

    def test_nothing_triggers_outside_the_hours_and_all_else_as_before(self):
        camera, evidence = self.camera("Pontoon gate")
        free = replay(evidence, camera.under(camera.installed))
        plan = WeekPlan((Stretch(EVERY_DAY, Edge(8 * 60), Edge(18 * 60)),))
        done = replay(evidence, camera.under(camera.installed.with_values(recording_plan=plan, rest_s=0.0)))
        zone = evidence.watch.zone
        hours = [
            datetime.fromtimestamp(t, UTC).astimezone(zone).hour for t in done.trigger_s[~np.isnan(done.trigger_s)]
        ]
        self.assertTrue(hours and all(8 <= hour < 18 for hour in hours))
        closed = [
            done.outcomes[o.id]
            for o in evidence.occurrences
            if done.outcomes[o.id].closed.get(Stage.TRIGGERED) is HOURS
        ]
        self.assertTrue(closed)
        self.assertTrue(all(free.place[o.occurrence_id] >= 0 and not o.recorded for o in closed))

    def test_an_alert_pause_stops_recording_only_where_the_make_says_so(self):
        pause = WeekPlan(
            (Stretch(EVERY_DAY, Edge(0), Edge(1440)),),
            (Special("pause", datetime(2026, 9, 1), datetime(2026, 10, 1), "off"),),
        )
        for name, stops in (("Workshop door", True), ("Pontoon gate", False)):
            camera, evidence = self.camera(name)
            free = replay(evidence, camera.under(camera.installed))
            done = replay(evidence, camera.under(camera.installed.with_values(alert_plan=pause)))
            self.assertEqual("recording by motion" in camera.capability.alert_pause_stops, stops)
            self.assertEqual(bool(done.recorded.any()), not stops)
            self.assertFalse(done.told.any())
            if stops:
                gates = {done.outcomes[o.id].gate for o in evidence.occurrences}
                self.assertIn(PAUSE, gates)
            else:
                np.testing.assert_array_equal(done.recorded, free.recorded)

    def test_alerts_keep_their_distance_and_their_classes(self):
        camera, evidence = self.camera("Pontoon gate")
        start = camera.under(camera.installed)
        every = replay(evidence, start)
        apart = replay(evidence, start.with_values(alert_interval_s=600.0))
        for origin in {c.origin for c in evidence.clips}:
            mine = [n for n, o in enumerate(evidence.occurrences) if evidence.clip_of(o).origin is origin]
            wanted, last = set(), -math.inf
            for n in sorted((n for n in mine if every.told[n]), key=lambda n: every.trigger_s[n]):
                if every.trigger_s[n] - last >= 600.0 or every.trigger_s[n] == last:
                    wanted.add(n)
                    last = every.trigger_s[n]
            self.assertEqual({n for n in mine if apart.told[n]}, wanted)
        silent = next(o for o in apart.outcomes.values() if o.alert_gate is ALERT_INTERVAL)
        self.assertTrue(silent.recorded)
        np.testing.assert_array_equal(apart.recorded, every.recorded)
        people = replay(evidence, start.with_values(alert_classes=("person",)))
        self.assertIn(ALERT_CLASS, {o.alert_gate for o in people.outcomes.values()})
        as_it_is, quiet = cures(evidence, start, [Remedy("600 s", start.with_values(alert_interval_s=600.0))])
        self.assertEqual((as_it_is.lost, quiet.lost, as_it_is.late), (0, 0, 0))
        self.assertLessEqual(quiet.alerts.false, as_it_is.alerts.false)

    def test_an_hour_with_nothing_real_tells_how_much_is_still_possible(self):
        _, evidence = self.camera("Office step")
        hours = hours_of_day(evidence)
        self.assertEqual(
            sum(h.real for h in hours),
            sum(v.verdict is not None and v.verdict.value == "real" for v in evidence.visits),
        )
        quiet = next(h for h in hours if not h.real and h.watched_h)
        # Exact upper end for none in so many hours (Garwood): -ln(0.025) / hours, and a week has seven such hours.
        self.assertAlmostEqual(quiet.real_per_week, 7 * -math.log(0.025) / quiet.watched_h, places=6)


if __name__ == "__main__":
    unittest.main()
