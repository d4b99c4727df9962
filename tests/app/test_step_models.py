"""The view-models of the steps, without a widget: what they offer and what becomes of it."""

import math
import unittest
from datetime import timedelta

from PyQt6.QtTest import QSignalSpy

from guardia.app.steps.alike_model import AlikeModel
from guardia.app.steps.calibration_model import CalibrationModel
from guardia.app.steps.heat_model import HeatModel
from guardia.app.steps.hours_model import HoursModel
from guardia.app.steps.proposal_model import ProposalModel
from guardia.app.steps.ribbon_tool import PeriodGrip, moved_by
from guardia.core.hours.place import SunEvent
from guardia.core.hours.plan import EVERY_DAY, MOST_SUN_MIN, Edge, Special, Stretch
from tests.app.test_session import SessionCase


class MovedHours(unittest.TestCase):
    def test_an_edge_at_the_sun_moves_by_minutes_and_no_further_than_it_may(self):
        night = Stretch(EVERY_DAY, Edge(-20, SunEvent.DUSK), Edge(15, SunEvent.DAWN), overnight=True)
        for grip, minutes, begin, end in (
            (PeriodGrip.BEGIN, 30, 10, 15), (PeriodGrip.END, 30, -20, 45), (PeriodGrip.WHOLE, -30, -50, -15),
            (PeriodGrip.BEGIN, -999, -MOST_SUN_MIN, 15),
        ):  # fmt: skip
            moved = moved_by(night, grip, minutes)
            self.assertEqual((moved.begin.minute, moved.end.minute), (begin, end), grip)
            self.assertEqual((moved.begin.sun, moved.end.sun), (SunEvent.DUSK, SunEvent.DAWN))


class StepModels(SessionCase):
    def setUp(self) -> None:
        super().setUp()
        self.session = self.open()
        self.model = self.pontoon(self.session)

    def wait(self, signal) -> None:
        self.assertTrue(len(signal) or signal.wait(300_000), "the signal did not come")

    def test_a_camera_has_one_model_of_each_step(self):
        other = self.session.camera(next(i for i in self.session.camera_ids() if i != self.model.camera.id))
        mine = self.session.step_model(ProposalModel, self.model)
        self.assertIs(self.session.step_model(ProposalModel, self.model), mine)
        self.assertIsNot(self.session.step_model(ProposalModel, other), mine)
        self.assertIsInstance(self.session.step_model(CalibrationModel, self.model), CalibrationModel)

    def test_a_proposal_is_offered_and_dropped_when_the_draft_changes(self):
        proposal = self.session.step_model(ProposalModel, self.model)
        finished = QSignalSpy(proposal.jobs.finished)
        self.assertTrue(proposal.seek())
        self.wait(finished)
        self.assertIn("real", proposal.offer.words)
        self.model.change_draft(self.model.draft.with_values(hold_s=0.6), "hold")
        self.assertIsNone(proposal.offer)

    def test_a_pause_of_a_camera_that_always_alerts_takes_its_own_alerts_alone(self):
        hours = self.session.step_model(HoursModel, self.model)
        self.model.change_draft(self.model.draft.with_values(alert_plan=None, recording_plan=None), "always")
        before = self.model.comparison.draft_replay
        for which in ("alert_plan", "recording_plan"):
            hours.choose(which)
            at = hours.now.replace(tzinfo=None) + timedelta(days=4000)
            hours.add_special(Special("away", at, at + timedelta(hours=2), "off"))
            after = self.model.comparison.draft_replay
            for one, two in ((after.recorded, before.recorded), (after.told, before.told)):
                self.assertEqual(one.tolist(), two.tolist())
            self.assertIn("always; away: off", hours.plan.words)
            hours.remove_special(0)
            self.assertIsNone(hours.plan)

    def test_a_typed_view_gives_reach_and_a_bad_one_is_told(self):
        calibration = self.session.step_model(CalibrationModel, self.model)
        lens = {"focal_mm": 4.0, "sensor_mm": 5.0, "lamp_m": 0.0}
        calibration.type_in(height_m=3.0, tilt_deg=15.0, **lens)
        self.assertEqual(calibration.known.how, "typed")
        self.assertGreater(len(calibration.ladder()), 3)
        lines = calibration.heights()
        self.assertEqual([line.height_m for line in lines if line.now], [3.0])
        self.assertEqual([line.nearest_m for line in lines], sorted(line.nearest_m for line in lines))
        now, view = next(line for line in lines if line.now), calibration.known.view
        self.assertAlmostEqual(now.nearest_m, view.nearest_m)
        # Aimed at the same ground: its middle lies at height / tan(tilt), 3 / tan 15 deg = 11.2 m; from 6 m that is
        # a tilt of 28.2 deg, whose lower edge of the picture lies 19.4 deg (half of 38.7) further down.
        steep = math.radians(math.degrees(math.atan2(6.0, 3.0 / math.tan(math.radians(15.0)))) + view.upright_deg / 2)
        self.assertAlmostEqual(lines[-1].nearest_m, 6.0 / math.tan(steep), places=6)
        before = calibration.known
        calibration.type_in(height_m=-1.0, tilt_deg=15.0, **lens)
        self.assertEqual((calibration.known, len(self.told)), (before, 1))
        self.session.undo.undo()
        self.assertNotEqual(calibration.known, before)

    def test_marks_stand_for_the_view_found_by_them_and_go_with_it(self):
        calibration = self.session.step_model(CalibrationModel, self.model)
        calibration.add_mark((0.45, 0.9), (0.45, 0.35))
        self.assertIsNone(calibration.known)
        calibration.add_mark((0.55, 0.5), (0.55, 0.33))
        found = calibration.known
        self.assertEqual((found.how, len(calibration.marks)), ("marks", 2))
        calibration.add_mark((0.5, 0.6), (0.5, 0.34))
        calibration.drop_mark(2)
        self.assertEqual((calibration.known.view, len(calibration.marks)), (found.view, 2))
        self.session.undo.setIndex(0)
        self.assertEqual((calibration.known, calibration.marks), (None, ()))

    def test_alike_occurrences_are_judged_in_one_step_of_undo(self):
        self.session.load_cameras()
        alike = AlikeModel(self.session)
        self.addCleanup(alike.close)
        changed = QSignalSpy(alike.changed)
        alike.refresh()
        self.wait(changed)
        group = max(alike.groups, key=lambda g: len(g.ids))
        before, steps = {i: alike.occurrence(i).kind for i in group.ids}, self.session.undo.count()
        alike.judge(group.ids, "other_false")
        self.assertEqual({alike.occurrence(i).kind for i in group.ids}, {"other_false"})
        self.assertEqual(self.session.undo.count(), steps + 1)
        self.session.undo.undo()
        self.assertEqual({i: alike.occurrence(i).kind for i in group.ids}, before)

    def test_where_it_moved_is_told_for_any_cells(self):
        heat = HeatModel(self.model)
        heat.refresh()
        everywhere = self.model.comparison.draft_replay.motion.zone | True
        ids, words = heat.over(everywhere)
        self.assertGreater(len(ids), 20)
        self.assertRegex(words, "Moved here: [0-9]+ false.*; [0-9]+ real")
        self.assertEqual(heat.over(~everywhere)[0], ())


class Intents(SessionCase):
    def test_a_camera_is_renamed_but_not_to_the_name_of_another(self):
        session = self.open()
        model = self.pontoon(session)
        model.facts.rename("Jetty")
        self.assertEqual((model.camera.name, session.camera_name(model.camera.id)), ("Jetty", "Jetty"))
        model.facts.rename("Slipway")
        self.assertEqual((model.camera.name, len(self.told)), ("Jetty", 1))
        session.undo.undo()
        self.assertEqual(session.camera_name(model.camera.id), "Pontoon gate")

    def test_a_draft_that_was_not_entered_after_all_is_taken_back(self):
        session = self.open()
        model = self.pontoon(session)
        before, epochs = model.camera.installed, model.evidence.epochs
        model.change_draft(model.draft.with_values(hold_s=0.6), "hold")
        draft = model.draft
        model.install_draft("by the ladder")
        self.assertEqual((model.camera.installed, len(model.evidence.epochs)), (draft, len(epochs) + 1))
        session.undo.undo()
        self.assertEqual((model.camera.installed, model.camera.draft, model.evidence.epochs), (before, draft, epochs))
        self.assertEqual([entry.what for entry in model.corrections.logbook()][:2],
                         ["undone: the draft was not entered", "draft entered on the camera"])  # fmt: skip
        session.undo.redo()
        self.assertEqual(model.camera.installed, draft)

    def test_a_change_is_written_once_shown_and_taken_back(self):
        session = self.open()
        model, written = self.pontoon(session), []
        session.undo.clear()
        shown = []
        model.change("try", written.append, shown.append, 1, 2)
        self.assertEqual((written, shown), ([2], [2]))
        session.undo.undo()
        session.undo.redo()
        self.assertEqual((written, shown), ([2, 1, 2], [2, 1, 2]))
