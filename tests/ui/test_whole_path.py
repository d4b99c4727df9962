"""The technician's path through the real window: judge, draw, tune, hand over, come back."""

import json

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QSignalSpy
from PyQt6.QtWidgets import QComboBox, QDialog, QHeaderView, QLabel, QPushButton, QTextBrowser

from guardia.app.camera.makes import capability_data
from guardia.app.project.session import Session
from guardia.app.steps.polygon_tool import DrawMode
from guardia.core.evidence.clips import Origin
from guardia.core.score.score import Flip
from guardia.report.sheet import check_sheet
from guardia.store.project import Project
from guardia.tools.screenshots import EXAMPLE_ZONE
from tests.support import pontoon, steady, write_clip
from tests.ui.support import APP, GuiCase


class WholePath(GuiCase):
    def open_demo(self):
        self.window.open_demo()
        self.session = self.window.session
        ids = self.session.camera_ids()
        self.model = self.session.camera(next(i for i in ids if self.session.camera_name(i) == "Pontoon gate"))

    def to_widget(self, canvas, point):
        return canvas.to_widget(point).toPoint()

    def test_from_the_demo_to_a_settings_sheet_and_back(self):
        self.open_demo()
        round_page = self.window.pages["round"]
        first = next(b for b in round_page.findChildren(QPushButton) if b.accessibleName().startswith("Pontoon gate"))
        waiting = [o.id for o in self.model.evidence.occurrences if not o.kind]
        self.assertEqual(first.text(), f"Judge {len(waiting)} occurrences")
        self.click(first)
        self.assertEqual(self.window.current_step(), "evidence")

        # Judge by keyboard: one key each, then many at once, and take one back.
        evidence = self.window.pages["evidence"]
        self.press(evidence.list, "p")
        self.assertEqual(self.model.occurrence(waiting[0]).kind, "person")
        self.assertEqual(evidence.selected_ids(), [waiting[1]])
        self.press(evidence.list, Qt.Key.Key_Down, Qt.KeyboardModifier.ShiftModifier)
        self.press(evidence.list, "g")
        self.assertEqual([self.model.occurrence(i).kind for i in waiting[1:3]], ["flag_or_rope"] * 2)
        self.window.actions_by_id["undo"].trigger()
        self.assertEqual([self.model.occurrence(i).kind for i in waiting[1:3]], ["", ""])
        self.window.actions_by_id["redo"].trigger()
        evidence.show_ids((waiting[1],), "one")
        self.press(evidence.list, Qt.Key.Key_Backspace)
        self.assertEqual(self.model.occurrence(waiting[1]).kind, "")

        # Draw the watch zone on the picture, corner by corner.
        self.window.go("zones")
        zones = self.window.pages["zones"]
        before = self.model.comparison.draft
        zones.set_mode(DrawMode.WATCH)
        for corner in EXAMPLE_ZONE.points:
            self.click(zones.canvas, self.to_widget(zones.canvas, (min(corner[0], 0.995), min(corner[1], 0.995))))
        self.press(zones.canvas, Qt.Key.Key_Return)
        after = self.model.comparison.draft
        self.assertEqual(len(self.model.camera.draft.detection.zones), 1)
        self.assertLess(len(after.false_recorded), len(before.false_recorded) / 2)
        self.assertTrue(any(c.flip is Flip.NEWLY_SILENCED for c in self.model.comparison.changes))
        self.assertEqual(self.window.panel.flips.count(), len(self.model.comparison.changes))

        # Drag a corner: the score follows, Esc gives the shape back, a finished drag is one undo step.
        corner = self.to_widget(zones.canvas, zones.tool.zones[0].points[0])
        spy = QSignalSpy(self.model.comparison_changed)
        self.drag(zones.canvas, corner, corner + QPoint(-30, 8), corner + QPoint(-60, 16))
        self.assertGreaterEqual(len(spy), 3)
        moved = self.model.camera.draft.detection.zones
        self.window.actions_by_id["undo"].trigger()
        self.assertNotEqual(self.model.camera.draft.detection.zones, moved)
        self.assertEqual(zones.tool.zones, self.model.camera.draft.detection.zones)

        # Sensitivity by keyboard, hold time by its box.
        self.window.go("sensitivity")
        sensitivity = self.window.pages["sensitivity"]
        self.press(sensitivity.notch, Qt.Key.Key_Left)
        self.assertEqual(self.model.camera.draft.detection.notch, "8")
        box = sensitivity.choices["hold_s"]
        box.setCurrentIndex(box.findData(0.6))
        box.activated.emit(box.currentIndex())
        self.assertEqual(self.model.camera.draft.detection.hold_s, 0.6)

        # A number opens the clips behind it.
        missed = self.model.comparison.draft.unmarked
        self.click(self.window.panel.cells["unmarked", 2])
        self.assertEqual(self.window.current_step(), "evidence")
        self.assertEqual(evidence.proxy.rowCount(), len(missed))

        # Hand over: JSON and PDF, then say that it is entered.
        self.window.go("handover")
        handover = self.window.pages["handover"]
        for name in ("sheet.json", "sheet.pdf"):
            handover.save(self.folder / name)
        sheet = json.loads((self.folder / "sheet.json").read_text("utf-8"))
        check_sheet(sheet)
        self.assertEqual(
            (sheet["settings"]["detection"]["notch"], len(sheet["settings"]["detection"]["zones"])), ("8", 1)
        )
        self.assertTrue((self.folder / "sheet.pdf").read_bytes().startswith(b"%PDF"))
        self.click(handover.enter)
        draft = self.model.camera.draft
        self.assertEqual(self.model.camera.installed, draft)
        self.assertIn("draft entered", handover.logbook.item(0).text())
        self.assertFalse(handover.enter.isEnabled())

        # Everything is there again after closing.
        kinds = {o.id: o.kind for o in self.model.evidence.occurrences}
        self.window.close()
        with Project(self.folder / "home" / "tern-quay") as project:
            camera = pontoon(project)
            self.assertEqual((camera.installed, camera.draft), (draft, draft))
            self.assertEqual({o.id: o.kind for o in project.evidence(camera.id).occurrences}, kinds)

    def test_a_new_camera_clips_of_ones_own_and_bad_files_among_them(self):
        Session.create(self.folder / "yard", "Yard", "Europe/London")
        self.assertTrue(self.window.open_project(self.folder / "yard"))
        session = self.window.session
        camera_id = session.add_camera("Door", capability_data("phone-as-camera"))
        self.window.open_camera(camera_id, "evidence")
        evidence = self.window.pages["evidence"]
        self.assertTrue(evidence.empty.isVisibleTo(evidence))
        stick = self.folder / "stick"
        stick.mkdir()
        for minute in range(3):
            write_clip(stick / f"door_20260907_0800{minute}0.mp4", steady(8, 10))
        (stick / "broken.mp4").write_bytes(b"\0" * 5000)
        (stick / "empty.avi").touch()
        (stick / "readme.txt").write_text("not a clip")
        self.bring_in(evidence, [stick])
        model = session.camera(camera_id)
        # The three good files hold the very same pictures, so they are one clip and two doublets.
        self.assertEqual((len(model.evidence.occurrences), len(model.evidence.clips)), (1, 1))
        self.assertEqual(self.window.banner.text.toolTip().count("the same file as"), 2)
        told = self.window.banner.text.toolTip()
        self.assertIn("broken.mp4", told)
        self.assertIn("empty.avi", told)
        self.assertNotIn("readme", told)
        self.assertTrue(model.pictures.clean_view())
        occurrence = model.evidence.occurrences[0]
        self.assertAlmostEqual(occurrence.start_s, 2.0, delta=0.3)
        self.assertEqual(model.evidence.clips[0].origin, Origin.MOTION)


class AroundThePath(GuiCase):
    def test_a_folder_that_is_no_project_keeps_the_present_one_and_says_so(self):
        self.window.open_demo()
        session = self.window.session
        self.assertFalse(self.window.open_project(self.folder))
        self.assertIs(self.window.session, session)
        self.assertIn("no Guardia project", self.window.banner.text.text())

    def test_a_sheet_that_cannot_be_written_is_told(self):
        self.window.open_demo()
        self.window.go("handover")
        self.window.pages["handover"].save(self.folder / "missing" / "sheet.json")
        self.assertIn("could not be saved", self.window.banner.text.text())

    def test_every_step_in_both_colours_fits_the_smallest_window(self):
        self.window.open_demo()
        self.window.resize(1100, 700)
        for _ in range(2):
            self.window.toggle_dark()
            steps = ("round", "evidence", "alike", "statistics", "coverage", "view", "zones", "sensitivity", "handover")
            for step in steps:
                self.window.go(step)
                picture = self.painted(self.window)
                self.assertEqual((picture.width(), picture.height()), (1100, 700), step)
                APP.sendPostedEvents()
                self.painted(self.window)
                page = self.window.pages[step]
                labels = [w for w in page.findChildren(QLabel) if not w.wordWrap() and w.pixmap().isNull()]
                for made in [*page.findChildren(QPushButton), *labels]:
                    if made.isVisible():
                        self.assertGreaterEqual(made.width(), made.sizeHint().width() - 1, f"{step}: {made.text()}")
                for box in page.findChildren(QComboBox):
                    words = box.fontMetrics().horizontalAdvance(box.currentText())
                    if box.isVisible():
                        self.assertGreaterEqual(box.width(), words + 30, f"{step}: {box.currentText()}")
                for header in page.findChildren(QHeaderView):
                    model = header.model()
                    for n in range(header.count()) if header.isVisible() and model is not None else ():
                        words = str(model.headerData(n, header.orientation()) or "")
                        least = header.fontMetrics().horizontalAdvance(words)
                        self.assertGreaterEqual(header.sectionSize(n), least, f"{step}: {words}")
                panel = self.window.panel
                right = self.window.stack.geometry().right() + (panel.width() if panel.isVisible() else 0)
                self.assertLessEqual(right, 1100)

    def test_keys_and_about_tell_what_they_should(self):
        for name, words in (("keys", "judge: person"), ("about", "life-safety")):
            self.window.actions_by_id[name].trigger()
            (dialog,) = [d for d in self.window.findChildren(QDialog) if d.isVisible()]
            self.assertIn(words, dialog.findChild(QTextBrowser).toPlainText())
            dialog.close()
