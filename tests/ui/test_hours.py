"""The step Hours: what the evidence says of a plan, the ribbon by mouse and keys, typed times, exceptions, alerts."""

import unittest
from datetime import datetime, timedelta

from PyQt6.QtCore import QDate, QDateTime, QPointF, Qt, QTime
from PyQt6.QtTest import QSignalSpy, QTest
from PyQt6.QtWidgets import QLabel, QPushButton

from guardia.core.hours.place import SunEvent
from guardia.core.hours.plan import EVERY_DAY, Edge, Stretch, WeekPlan
from guardia.core.replay.gates import ALERT_HOURS, ALERT_MODE, HOURS, MODE
from guardia.store.project import Project
from tests.ui.test_steps import StepCase

NIGHT = Stretch(EVERY_DAY, Edge(21 * 60 + 40), Edge(6 * 60 + 10), overnight=True)


class Hours(StepCase):
    def page_of(self, name):
        return self.open_camera(name, "hours")

    def at(self, page, minute):
        return page.ribbon.place_of(minute).toPoint()

    def drag(self, page, start, end):
        QTest.mousePress(page.ribbon, Qt.MouseButton.LeftButton, pos=start)
        QTest.mouseMove(page.ribbon, end)
        QTest.mouseRelease(page.ribbon, Qt.MouseButton.LeftButton, pos=end)

    def test_a_night_without_its_second_half_is_found_mended_and_flips_the_right_visits(self):
        page = self.page_of("Workshop door")
        self.assertIn("4 real visits", page.words.text())
        self.assertIn("second half of the night is missing", page.words.text())
        lost = [o for o in self.model.comparison.installed_replay.outcomes.values() if o.gate is HOURS]
        self.assertTrue(lost)
        self.assertIn("outside the recording hours", lost[0].reason)
        page.stretches.list.setCurrentRow(0)
        page.stretches.overnight.setChecked(True)
        page.stretches.end.time.setTime(QTime(6, 0))
        self.assertEqual(
            self.model.draft.hours.recording_plan.stretches, (Stretch(EVERY_DAY, Edge(360), Edge(360), True),)
        )
        self.assertNotIn("second half", page.words.text())
        flipped = {c.occurrence.id for c in self.model.comparison.changes}
        self.assertTrue(flipped)
        by_id = self.model.comparison.installed_replay.outcomes
        self.assertTrue(all(by_id[i].gate is HOURS for i in flipped))
        while self.session.undo.canUndo():
            self.session.undo.undo()
        self.assertEqual(self.model.draft, self.model.camera.installed)
        self.painted(page)

    def test_hours_shared_by_a_group_are_one_plan_and_come_apart_again(self):
        self.read_all()
        page = self.page_of("Workshop door")
        others = [m for m in self.session.cameras.opened.values() if m.camera.name in ("Slipway", "Fuel berth")]
        before = {m.camera.id: m.draft.hours for m in self.session.cameras.opened.values()}
        for name in ("two\nlines", "half \udcff", "-", "x" * 5000):
            page.model.share(name, [m.camera.id for m in others])
            self.assertIn("A group's name", self.session.messages.told[-1].text)
        page.model.share("yard", [m.camera.id for m in others])
        page.model.keep(WeekPlan((NIGHT,)), "change hours")
        for other in others:
            self.assertEqual(other.draft.hours.recording_plan, WeekPlan((NIGHT,)))
            self.assertEqual(self.session.camera(other.camera.id).camera.draft.hours, other.draft.hours)
        self.assertIn("Shared as 'yard'", page.words.text())
        with Project(self.session.folder) as again:
            self.assertEqual(again.cameras.get(others[0].camera.id).draft.hours.recording_plan, WeekPlan((NIGHT,)))
        others[0].change_draft(others[0].draft.with_values(recording_plan=None), "always")
        self.assertIsNone(self.model.draft.hours.recording_plan)
        self.session.undo.undo()
        self.assertEqual(self.model.draft.hours.recording_plan, WeekPlan((NIGHT,)))
        page.model.share("", [])
        self.assertEqual(others[1].draft.hours.recording_plan, WeekPlan((NIGHT,)))
        others[1].change_draft(others[1].draft.with_values(recording_plan=None), "always")
        self.assertIsNotNone(self.model.draft.hours.recording_plan)
        while self.session.undo.canUndo():
            self.session.undo.undo()
        self.assertEqual({m.camera.id: m.draft.hours for m in self.session.cameras.opened.values()}, before)

    def test_alerts_are_paused_by_one_key_from_anywhere_shown_in_round_and_ended_again(self):
        self.open_camera("Fuel berth", "zones")
        before = self.model.camera.installed
        dialogs = []

        def half_an_hour(dialog):
            dialogs.append(dialog)
            dialog.at.setDateTime(QDateTime(QDate(2020, 1, 1), QTime(0, 0)))
            self.click(next(b for b in dialog.findChildren(QPushButton) if b.text() == "&Until then"))
            self.assertIn("is past", dialog.trouble.text())
            self.click(next(b for b in dialog.findChildren(QPushButton) if b.text() == "&30 minutes"))

        def end(dialog):
            self.click(next(b for b in dialog.findChildren(QPushButton) if b.text() == "&End the pause now"))

        self.answer(True, half_an_hour)
        self.window.actions_by_id["pause_alerts"].trigger()
        (pause,) = self.model.camera.installed.hours.alert_plan.specials
        self.assertEqual(pause.end - pause.begin, timedelta(minutes=30))
        self.assertEqual(self.model.camera.draft, self.model.camera.installed)
        self.window.go("round")
        notes = [w.text() for w in self.window.pages["round"].findChildren(QLabel)]
        self.assertTrue(any(f"alerts paused until {pause.end:%a %H:%M}" in text for text in notes))
        self.answer(True, end)
        self.window.actions_by_id["pause_alerts"].trigger()
        self.session.undo.undo()
        self.session.undo.undo()
        self.assertEqual(self.model.camera.installed, before)

    def test_alert_tests_are_logged_and_their_delay_is_told(self):
        page = self.page_of("Fuel berth")
        page.tabs.setCurrentIndex(3)
        self.assertIn("No alert test", page.delay.text())
        for seconds in (9.0, 14.0, None, 31.0):
            page.model.log_alert_test(datetime(2026, 7, 20, 21, 5), seconds)
        self.assertIn("22 s (9 to never, 4 tests; 1 never came)", page.delay.text())
        page.model.remove_last_alert_test()
        self.assertIn("3 tests", page.delay.text())
        self.session.undo.undo()
        self.assertIn("4 tests", page.delay.text())

    def test_alert_hours_of_june_leave_recordings_and_cost_alerts_of_real_ones(self):
        page = self.page_of("Office step")
        self.assertTrue(page.which["alert_plan"].isChecked())
        self.assertIn("around", page.words.text())
        installed, _ = page.model.alert_scores()
        silent = self.model.comparison.installed_replay.outcomes[installed.real_silent[0]]
        self.assertTrue(silent.recorded)
        self.assertIs(silent.alert_gate, ALERT_HOURS)
        page.stretches.list.setCurrentRow(0)
        self.click(page.stretches.sun)
        self.assertIn("20 min before dusk to 20 min after dawn", page.stretches.list.item(0).text())
        page.stretches.begin.by.setCurrentIndex(4)
        page.stretches.begin.by.activated.emit(4)
        self.assertEqual(self.model.draft.hours.alert_plan.stretches[0].begin.sun, SunEvent.DUSK)
        page.tabs.setCurrentIndex(2)
        self.assertIn("as they are on", page.lost.text())
        page.tabs.setCurrentIndex(3)
        self.painted(page)
        cured = QSignalSpy(page.model.curing.changed)
        page.tabs.setCurrentIndex(5)
        self.wait(cured)
        told = {
            page.cures.item(row, 0).text(): int(page.cures.item(row, 4).text()) for row in range(page.cures.rowCount())
        }
        self.assertEqual(told["300 s between alerts"], 0)
        self.assertEqual(told["detection off"], 34)
        page.tabs.setCurrentIndex(6)
        self.painted(page.year)
        page.tabs.setCurrentIndex(3)
        page.interval.setCurrentIndex(1)
        page.interval.activated.emit(1)
        for cause, box in page.causes.items():
            box.click()
            self.assertIn(cause, self.model.draft.alerts.causes_off)
            self.assertIn(f"{cause} off", told)
        page.alerts_on.setChecked(False)
        self.assertEqual(page.model.alert_scores()[1].real_told, 0)
        recorded = [s.real_recorded for s in (self.model.comparison.installed, self.model.comparison.draft)]
        self.assertEqual(*recorded)

    def test_stretches_are_drawn_dragged_nudged_and_put_back(self):
        page = self.page_of("Pontoon gate")
        self.assertIn("Always", page.words.text())
        self.drag(page, self.at(page, 14 * 60), self.at(page, 18 * 60))
        (made,) = self.model.draft.hours.recording_plan.stretches
        self.assertEqual((made.days, made.overnight), ((0,), False))
        self.assertAlmostEqual(made.begin.minute, 14 * 60, delta=10)
        edge = self.at(page, made.end.minute)
        self.drag(page, edge, self.at(page, 20 * 60))
        (longer,) = self.model.draft.hours.recording_plan.stretches
        self.assertGreater(longer.end.minute, made.end.minute + 60)
        self.assertEqual(longer.begin, made.begin)
        QTest.mousePress(page.ribbon, Qt.MouseButton.LeftButton, pos=self.at(page, 16 * 60))
        QTest.mouseMove(page.ribbon, self.at(page, 22 * 60))
        self.assertTrue(self.model.previewing)
        QTest.keyClick(page.ribbon, Qt.Key.Key_Escape)
        self.assertFalse(self.model.previewing)
        QTest.keyClick(page.ribbon, Qt.Key.Key_Insert)
        QTest.keyClick(page.ribbon, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
        night = self.model.draft.hours.recording_plan.stretches[1]
        self.assertEqual(night.end.minute, 6 * 60 + 5)
        QTest.keyClick(page.ribbon, Qt.Key.Key_Delete)
        self.assertEqual(len(self.model.draft.hours.recording_plan.stretches), 1)
        page.model.keep(
            dict(page.model.sources())["Workshop door, installed recording hours: every day 06:00 to 24:00"], "x"
        )
        self.assertEqual(self.model.draft.hours.recording_plan.words, "every day 06:00 to 24:00")
        page.from_noon.setChecked(False)
        self.assertAlmostEqual(page.ribbon.minute_at(QPointF(self.at(page, 600))), 600, delta=3)
        self.painted(page.ribbon)

    def test_the_clock_of_another_make_goes_in_its_own_steps(self):
        self.page_of("Pontoon gate")
        data = self.model.corrections.make_data()
        coarse = data | {"schedule": data["schedule"] | {"step_min": 15}}
        self.model.corrections.set_make(coarse)
        page = self.page_of("Pontoon gate")
        QTest.keyClick(page.ribbon, Qt.Key.Key_Insert)
        QTest.keyClick(page.ribbon, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
        (night,) = self.model.draft.hours.recording_plan.stretches
        self.assertEqual(night.end.minute, 6 * 60 + 15)

    def test_hours_that_cannot_be_are_refused_in_place_and_the_last_ones_stay(self):
        page = self.page_of("Pontoon gate")
        page.model.keep(WeekPlan((NIGHT,)), "night")
        page.stretches.list.setCurrentRow(0)
        page.stretches.overnight.setChecked(False)
        self.assertIn("has no length", page.stretches.trouble.text())
        for day in page.stretches.days:
            self.click(day)
        self.assertIn("days of the week", page.stretches.trouble.text())
        self.assertEqual(self.model.draft.hours.recording_plan.stretches, (NIGHT,))
        page.tabs.setCurrentIndex(2)
        self.assertEqual([page.typed.item(n).text() for n in range(page.typed.count())],
                         ["every day 00:00 to 06:10", "every day 21:40 to 24:00"])  # fmt: skip

    def test_exceptions_come_by_hand_and_from_a_calendar_and_go_out_as_one(self):
        page = self.page_of("Pontoon gate")
        page.model.keep(WeekPlan((NIGHT,)), "night")
        page.tabs.setCurrentIndex(1)

        def fill(dialog):
            dialog.name.setText("Harbour fair")
            dialog.begin.setDateTime(QDateTime(QDate(2026, 9, 12), QTime(0, 0)))
            dialog.end.setDateTime(QDateTime(QDate(2026, 9, 11), QTime(0, 0)))
            dialog.accept()
            self.assertIn("before it begins", dialog.trouble.text())
            dialog.end.setDateTime(QDateTime(QDate(2026, 9, 14), QTime(0, 0)))

        self.answer(True, fill)
        page.specials.ask()
        self.assertEqual(self.model.draft.hours.recording_plan.specials[0].end, datetime(2026, 9, 14))
        out = self.folder / "hours.ics"
        page.model.save_calendar(out)
        page.model.remove_special(0)
        self.assertEqual(self.model.draft.hours.recording_plan.specials, ())
        page.model.read_calendar(out, "off")
        names = [s.name for s in self.model.draft.hours.recording_plan.specials]
        self.assertTrue(any("Harbour fair" in name for name in names))
        out.write_text("nothing of the kind")
        before = self.model.draft
        page.model.read_calendar(out, "off")
        self.assertEqual(self.model.draft, before)

    def test_periods_read_off_the_camera_become_nights_and_mistakes_are_told(self):
        page = self.page_of("Pontoon gate")
        page.tabs.setCurrentIndex(2)
        self.answer(True)
        page.read_off()
        self.assertEqual(self.model.draft.hours.recording_plan.words, "every day 21:40 to 24:00")
        self.assertIn("second half", self.session.messages.told[-1].text)

    def test_hours_are_proposed_from_the_evidence_and_taken(self):
        page = self.page_of("Winter store")
        finished = QSignalSpy(page.model.jobs.finished)
        self.click(page.propose)
        self.wait(finished)
        self.assertIn("On days held out: 0 real lost, 5 false ones no longer recorded", page.offer.text())
        self.click(page.take)
        self.assertEqual(self.model.draft.hours.recording_plan, page.model.proposed.plan)
        page.tabs.setCurrentIndex(4)
        self.assertEqual(page.by_hour.item(0, 0).text(), "00")
        self.painted(page)

    def test_hours_by_a_sun_that_is_not_known_are_left_out_and_said_so(self):
        self.session.set_site("Tern Quay", "Europe/London")
        page = self.page_of("Pontoon gate")
        before = self.model.comparison.installed
        page.model.follow_sun()
        self.assertTrue(self.model.draft.hours.recording_plan.follows_sun)
        self.assertIn("where the site lies", page.words.text())
        self.assertEqual(self.model.comparison.draft, before)
        self.assertIn("where the site lies is not known", " ".join(self.model.comparison.limits))
        page.model.add_mode("open")
        page.model.follow_sun()
        page.model.change_mode(records=False)
        for n in range(page.tabs.count()):
            page.tabs.setCurrentIndex(n)
            self.painted(page)
        self.session.set_site("Tern Quay", "Europe/London", (50.2, -0.6))
        self.assertNotEqual(self.model.comparison.draft, before)

    def test_a_mode_that_tells_nothing_and_is_switched_late_is_counted(self):
        page = self.page_of("Office step")
        self.model.change_draft(self.model.draft.with_values(alert_plan=None), "no alert hours")
        page.tabs.setCurrentIndex(7)
        for name in ("x" * 5000, "-"):
            page.model.add_mode(name)
            self.assertIn("A mode's name", self.session.messages.told[-1].text)
        self.assertEqual(page.model.modes, ())
        page.model.add_mode("open")
        self.assertEqual(page.model.mode_at, 0)
        page.model.keep(WeekPlan((Stretch(EVERY_DAY, Edge(8 * 60), Edge(18 * 60)),)), "by day")
        self.assertIs(page.model.modes[0].alerts, False)
        silent = [o for o in self.model.comparison.draft_replay.outcomes.values() if o.alert_gate is ALERT_MODE]
        self.assertTrue(silent and all(o.recorded for o in silent))
        page.modes.late.setValue(30)
        self.assertIn("210 min a week", page.modes.words.text())
        page.modes.records.setChecked(False)
        gates = {o.gate for o in self.model.comparison.draft_replay.outcomes.values()}
        self.assertIn(MODE, gates)
        page.tabs.setCurrentIndex(3)
        page.phone.setChecked(False)
        self.assertEqual(page.model.alert_scores()[1].real_told, 0)
        page.model.remove_mode()
        self.assertEqual(self.model.draft.hours.modes, ())

    def test_detection_switched_off_to_silence_a_phone_is_warned_of_first(self):
        page = self.page_of("Pontoon gate")
        self.model.change_draft(self.model.draft.with_values(detection_on=False), "off")
        self.assertTrue(page.words.text().startswith("Detection is switched off"))
        self.assertIn("28 real ones on the store are no longer marked", page.words.text())


if __name__ == "__main__":
    unittest.main()
