"""The step Purpose by hand: what a camera is for, drawn, ticked, copied, and what is met."""

from unittest import mock

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QSignalSpy
from PyQt6.QtWidgets import QDialog

from guardia.app.camera.makes import capability_data
from guardia.benchcam.ground import ground_that_matters, known_view
from guardia.benchcam.tern_quay import PLACES
from guardia.core.hours.plan import EVERY_DAY, Edge, Stretch, WeekPlan
from guardia.core.purpose.patterns import PATTERN_OF, PATTERNS, purpose_for
from guardia.core.score.met import Met
from guardia.ui.steps.first_dialog import FirstDialog
from guardia.ui.steps.periods_dialog import PeriodsDialog
from guardia.ui.steps.purpose_page import CopyPurposeDialog
from tests.store.test_project import in_file
from tests.ui.test_steps import StepCase


class Purpose(StepCase):
    def page(self, name="Pontoon gate"):
        return self.open_camera(name, "purpose")

    def choose(self, box, text):
        box.setCurrentIndex(box.findText(text))
        box.activated.emit(box.currentIndex())

    def test_a_pattern_is_taken_corrected_and_undone_and_its_history_stays(self):
        page = self.page()
        undo, before = self.session.undo, self.model.evidence.purpose
        for pattern in PATTERNS:
            self.choose(page.pattern, pattern.name)
            self.assertEqual(self.model.evidence.purpose.pattern, pattern.id)
            self.painted(page)
        self.choose(page.pattern, "Way in")
        self.click(page.kinds["alert", "person"], QPoint(8, page.kinds["alert", "person"].height() // 2))
        self.assertNotIn("person", self.model.evidence.purpose.alert.kinds)
        page.numbers["false_alerts"].setValue(2.5)
        self.assertEqual(self.model.evidence.purpose.false_alerts, 2.5)
        page.numbers["false_alerts"].setValue(page.numbers["false_alerts"].minimum())
        self.assertIsNone(self.model.evidence.purpose.false_alerts)
        self.assertNotIn("At most", [line.installed.asked[:7] for line in page.model.lines])
        self.assertEqual(len(self.model.facts.purposes()), 2, "what is said within half a day is one entry")
        self.assertIn(f"{PATTERN_OF['way in'].name}", page.model.history()[0][0])
        page.earlier.menu().actions()[0].trigger()
        self.assertEqual(self.model.evidence.purpose, before, "what was asked before is asked again")
        while undo.canUndo():
            undo.undo()
        self.assertEqual(self.model.evidence.purpose, before)
        self.assertEqual(len(self.model.facts.purposes()), 1)

    def test_hours_are_chosen_or_typed_and_what_cannot_be_is_refused(self):
        page = self.page()
        self.choose(page.hours["alert"], "by day")
        self.assertEqual(page.model.wanted("alert").hours, WeekPlan((Stretch(EVERY_DAY, Edge(420), Edge(1260)),)))

        def typed(dialog):
            self.assertIsInstance(dialog, PeriodsDialog)
            return QDialog.DialogCode.Accepted

        with mock.patch.object(PeriodsDialog, "exec", typed):
            self.choose(page.hours["alert"], "type …")
        self.assertIn("21:40", page.hours["alert"].toolTip())
        before = self.model.evidence.purpose
        page.numbers["keep_days"].setValue(40)
        page.numbers["gone_days"].setValue(7)
        self.assertIn("cannot be kept 40 days", self.session.messages.told[-1].text)
        self.assertEqual((self.model.evidence.purpose.keep_days, before.keep_days), (40, 21))
        self.assertEqual(page.numbers["gone_days"].value(), page.numbers["gone_days"].minimum())

    def test_the_part_that_matters_is_drawn_and_what_is_asked_holds_there(self):
        page = self.page()
        asked = len(page.model.lines[0].installed.ids)
        self.click(page.draw)
        canvas, area = page.canvas, page.canvas.picture()
        for x, y in ((0.02, 0.5), (0.25, 0.5), (0.25, 0.98), (0.02, 0.98)):
            self.click(canvas, QPoint(int(area.left() + x * area.width()), int(area.top() + y * area.height())))
        self.press(canvas, Qt.Key.Key_Return)
        purpose = self.model.evidence.purpose
        self.assertEqual((len(purpose.area), purpose.record.in_part, purpose.alert.in_part), (4, True, True))
        self.assertLess(len(page.model.lines[0].installed.ids), asked)
        self.painted(page)
        self.click(page.whole)
        self.assertEqual(self.model.evidence.purpose.area, ())
        self.session.undo.undo()
        self.assertEqual(self.model.evidence.purpose, purpose)
        self.assertEqual(len(page.model.tool.zones), 1)

    def test_a_line_opens_its_clips_and_the_step_where_it_is_mended(self):
        page = self.page("Workshop door")
        known = [line.installed for line in page.model.lines]
        unmet = next(n for n, line in enumerate(known) if line.met is Met.NO and line.ids)
        page.table.setCurrentCell(unmet, 1)
        self.assertTrue(page.why.text().startswith("Not met: "))
        spy = QSignalSpy(page.asked)
        self.click(page.clips)
        self.assertEqual(spy[0][0], page.model.lines[unmet].installed.ids)
        self.assertEqual(self.window.current_step(), "evidence")
        page = self.page("Workshop door")
        page.table.setCurrentCell(unmet, 1)
        self.click(page.go)
        self.assertEqual(self.window.current_step(), page.model.lines[unmet].installed.step)

    def test_it_is_copied_to_other_cameras_in_one_step_and_survives_the_project(self):
        page = self.page()
        self.choose(page.pattern, "Goods and stores")
        others = [i for i in self.session.camera_ids() if i != self.model.camera.id]
        dialog = CopyPurposeDialog(page, self.session, self.model)
        for n in (0, 1):
            dialog.tree.topLevelItem(n).setCheckState(0, Qt.CheckState.Checked)
        chosen = dialog.chosen
        dialog.accept()
        self.assertEqual(len(chosen), 2)
        for i in others:
            other = self.session.camera(i)
            asked = purpose_for(self.model.evidence.purpose, other.camera.capability)
            self.assertEqual(other.evidence.purpose == asked, i in chosen)
        self.session.undo.undo()
        self.assertNotEqual(self.session.camera(chosen[0]).evidence.purpose.pattern, "goods")
        page.model.ask_nothing()
        self.assertIsNone(self.model.evidence.purpose)
        self.assertIn("Choose what this camera is for", page.words.text())
        rows = in_file(self.session.folder, "SELECT count(*) AS n FROM purpose WHERE body = ''")
        self.assertEqual(rows[0]["n"], 1)

    def test_a_camera_without_clips_says_what_is_not_known(self):
        camera = self.session.add_camera("Attic", capability_data("battery-camera-on-hub"))
        self.window.open_camera(camera, "purpose")
        page = self.window.pages["purpose"]
        self.choose(page.pattern, "Animals that matter")
        self.assertEqual({line.installed.met for line in page.model.lines} - {Met.UNKNOWN, Met.YES, Met.NO}, set())
        self.assertEqual(page.model.lines[0].installed.found, "none judged yet")
        self.assertFalse(page.clips.isEnabled())
        self.painted(page)

    def test_first_settings_are_shown_with_their_reasons_and_taken_as_the_draft(self):
        camera = self.session.add_camera("Attic", capability_data("polygon-mains-camera"))
        self.window.open_camera(camera, "purpose")
        page, model = self.window.pages["purpose"], self.session.camera(camera)
        self.choose(page.pattern, "Way in")
        page.show_first()
        bare = page.findChild(FirstDialog)
        self.assertIn("Say what the camera sees", " ".join(bare.first.missing))
        bare.reject()
        bare.deleteLater()
        model.facts.set_view(known_view())
        page.model.ask(area=ground_that_matters(PLACES[0], mirrored=False))
        page.show_first()
        dialog = page.findChildren(FirstDialog)[-1]
        before = model.draft
        self.painted(dialog)
        dialog.take()
        self.assertEqual(model.draft, dialog.first.candidate.settings)
        self.assertTrue(model.draft.detection.zones and "notch" not in model.draft.not_known)
        self.assertEqual(model.camera.installed, before)
        self.session.undo.undo()
        self.assertEqual(model.draft, before)
