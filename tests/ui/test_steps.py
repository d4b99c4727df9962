"""Each step of the window by itself: what a person does there and what then shows."""

import json
import math
import re
import shutil
from datetime import datetime, timedelta
from unittest import mock

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import QEvent, QPoint, Qt, QTimer
from PyQt6.QtGui import QFocusEvent, QGuiApplication
from PyQt6.QtTest import QSignalSpy
from PyQt6.QtWidgets import QApplication, QDialog, QDialogButtonBox, QLabel, QLineEdit, QPushButton, QUndoView

from guardia.app.camera.makes import capability_data
from guardia.app.site.open_site import OpenSite
from guardia.app.steps.occurrence_list import Role
from guardia.app.steps.people_model import PeopleModel
from guardia.app.steps.polygon_tool import DrawMode
from guardia.app.work.jobs import Progress
from guardia.app.work.messages import Severity
from guardia.core.base.errors import ProjectError
from guardia.core.make.candidate import Candidate
from guardia.core.make.levers import LEVER_OF, limits_broken
from guardia.core.make.zones import BlockZone, PolygonZone, ZoneKind
from guardia.core.purpose.judgement import Verdict
from guardia.core.score.met import Met
from guardia.core.score.reach import shown_shares, strength_at
from guardia.core.view.geometry import KnownView, ViewGeometry
from guardia.store.settings import CameraSettings
from guardia.ui.parts.make_list import MakeList
from guardia.ui.parts.theme import THEME
from guardia.ui.shell.dialogs import messages_html
from guardia.ui.shell.palette import Palette
from guardia.ui.steps import score_panel
from tests.support import DEMO
from tests.ui.support import APP, GuiCase

SQUARE = PolygonZone(ZoneKind.WATCH, ((0.2, 0.3), (0.6, 0.3), (0.6, 0.8), (0.2, 0.8)), "yard")


class StepCase(GuiCase):
    """The demo, of which only the cameras are read that a test asks for; `read_all` reads the others."""

    def setUp(self):
        super().setUp()
        shutil.copytree(DEMO, self.folder / "home" / "tern-quay")
        with mock.patch.object(OpenSite, "load_cameras"):
            self.window.open_demo()
        self.session = self.window.session

    def read_all(self):
        self.session.load_cameras()

    def open_camera(self, name, step):
        camera = next(i for i in self.session.camera_ids() if self.session.camera_name(i) == name)
        self.window.open_camera(camera, step)
        self.model = self.session.camera(camera)
        return self.window.pages[step]

    def answer(self, accept, fill=lambda _dialog: None):
        """Answer the next modal dialog."""

        def act():
            dialog = QApplication.activeModalWidget()
            fill(dialog)
            dialog.accept() if accept else dialog.reject()
            self.refused = dialog.problem.text() if dialog.isVisible() and hasattr(dialog, "problem") else ""
            if self.refused:
                dialog.reject()

        QTimer.singleShot(0, act)


class Round(StepCase):
    def test_a_click_on_a_card_opens_its_camera(self):
        self.read_all()
        page = self.window.pages["round"]
        name = next(w for w in page.findChildren(QLabel) if w.text() == "Slipway")
        self.click(name)
        self.assertEqual(self.window.camera_id, next(i for i in self.session.camera_ids()
                                                     if self.session.camera_name(i) == "Slipway"))  # fmt: skip
        self.assertIs(self.window.page("evidence"), self.window.pages["evidence"])
        self.assertTrue(self.window.pages["evidence"].isVisible())

    def test_the_two_weeks_move_for_all_cameras_at_once(self):
        self.read_all()
        page = self.window.pages["round"]
        first, last = page.days
        self.click(page.earlier)
        self.assertEqual(page.days, (first - timedelta(days=14), last - timedelta(days=14)))
        self.click(page.later)
        self.assertEqual(page.days, (first, last))
        self.painted(page)

    def test_every_camera_has_a_card_with_its_next_action_and_opens_there(self):
        self.read_all()
        page = self.window.pages["round"]
        buttons = [b for b in page.findChildren(QPushButton) if b.objectName() == "primary"]
        self.assertEqual(len(buttons), 6)
        for action in buttons:
            self.assertRegex(action.text(), "Judge|storage")
        last = buttons[-1]
        name = last.accessibleName().split(":")[0]
        self.click(last)
        self.assertEqual(self.window.current_step(), "storage" if "storage" in last.text() else "evidence")
        self.assertEqual(self.window.rail.place.text(), f"{name} ▾")
        # The rail has a colour of its own: a widget of a subclass paints it only when it is told to.
        self.assertEqual(self.painted(self.window.rail).pixelColor(4, 400), THEME.colour("rail"))

    def test_the_worst_camera_comes_first(self):
        self.read_all()
        page = self.window.pages["round"]
        names = [
            b.accessibleName().split(":")[0] for b in page.findChildren(QPushButton) if b.objectName() == "primary"
        ]
        care = {}
        for model in map(self.session.camera, self.session.camera_ids()):
            unmet = {line.id: line for line in model.met[0] if line.met is Met.NO}
            lost = {i for name in ("record", "alert") if name in unmet for i in unmet[name].ids}
            others = len(unmet) - sum(name in unmet for name in ("record", "alert", "false_alerts"))
            rate = model.comparison.installed.false_alerts_per_day if "false_alerts" in unmet else 0.0
            care[model.camera.name] = 5 * len(lost) + rate + others
        self.assertEqual([care[n] for n in names], sorted(care.values(), reverse=True))


class Zones(StepCase):
    def test_numbers_typed_move_a_corner_and_nonsense_is_put_back(self):
        page = self.open_camera("Pontoon gate", "zones")
        page.commit((SQUARE,), "add zone")
        page.select_zone(0)
        self.assertEqual(page.corners.rowCount(), 4)
        page.corners.item(0, 0).setText("10")
        self.assertEqual(self.model.draft.detection.zones[0].points[0], (0.1, 0.3))
        page.corners.item(0, 1).setText("lots")
        self.assertIn("no number", self.window.banner.text.text())
        page.corners.item(2, 0).setText("-40")
        self.assertIn("in the picture", self.window.banner.text.text())
        page.corners.item(0, 0).setText("33,5 %")
        self.assertEqual(self.model.draft.detection.zones[0].points[0], (0.335, 0.3))
        self.assertEqual(page.corners.item(2, 0).text(), "60.0")
        self.assertEqual(len(self.model.draft.detection.zones[0].points), 4)

    def test_keys_on_the_picture(self):
        page = self.open_camera("Pontoon gate", "zones")
        page.commit((SQUARE,), "add zone")
        self.click(page.canvas, page.canvas.to_widget((0.4, 0.5)).toPoint())
        self.press(page.canvas, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
        self.assertAlmostEqual(self.model.draft.detection.zones[0].points[0][0], 0.2 + 10 / 320, places=4)
        self.press(page.canvas, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
        self.assertIn('"watch"', QGuiApplication.clipboard().text())
        self.press(page.canvas, Qt.Key.Key_V, Qt.KeyboardModifier.ControlModifier)
        self.assertEqual(len(self.model.draft.detection.zones), 2)
        self.press(page.canvas, Qt.Key.Key_Delete)
        self.assertEqual(len(self.model.draft.detection.zones), 1)
        page.name_field.setText("slip")
        self.click(page.canvas, page.canvas.to_widget((0.4, 0.5)).toPoint())
        page.name_field.setText("slip")
        page.name_field.editingFinished.emit()
        self.assertEqual(self.model.draft.detection.zones[0].name, "slip")

    def test_escape_while_dragging_gives_the_shape_and_the_score_back(self):
        page = self.open_camera("Pontoon gate", "zones")
        page.commit((SQUARE,), "add zone")
        before = self.model.comparison.draft
        page.tool.select(0)
        corner = page.canvas.to_widget(SQUARE.points[0])
        page.tool.press(page.canvas.to_picture(corner), reach=0.02)
        page.tool.move((0.5, 0.6))
        self.assertTrue(self.model.previewing)
        self.press(page.canvas, Qt.Key.Key_Escape)
        self.assertEqual(self.model.draft.detection.zones, (SQUARE,))
        self.assertEqual(self.model.comparison.draft, before)

    def test_a_rectangle_is_drawn_by_dragging(self):
        page = self.open_camera("Pontoon gate", "zones")
        page.set_mode(DrawMode.IGNORE)
        start, end = (page.canvas.to_widget(p).toPoint() for p in ((0.1, 0.1), (0.3, 0.4)))
        self.drag(page.canvas, start, start + QPoint(20, 20), end)
        (zone,) = self.model.draft.detection.zones
        self.assertEqual((zone.kind, len(zone.points)), (ZoneKind.IGNORE, 4))
        self.assertTrue(page.modes[DrawMode.SELECT].isChecked())

    def test_a_make_with_blocks_shows_its_blocks_and_polygons_are_entered_as_blocks(self):
        page = self.open_camera("Slipway", "zones")
        self.assertIsInstance(self.model.draft.detection.zones[0], BlockZone)
        self.assertIn("of 22 x 18 watched", page.zone_list.item(0).text())
        narrow = self.model.comparison.draft
        page.commit((SQUARE,), "draw")
        self.assertNotEqual(self.model.comparison.draft, narrow)
        self.window.go("handover")
        texts = [w.text() for w in self.window.pages["handover"].findChildren(QLabel)]
        self.assertTrue(any("Blocks on" in t and "of 22 x 18" in t for t in texts))


class Sensitivity(StepCase):
    def test_the_help_line_explains_what_has_the_focus(self):
        page = self.open_camera("Pontoon gate", "sensitivity")
        for name, control in (("notch", page.notch), ("stop_when_still", page.stop_when_still), *page.choices.items()):
            QApplication.sendEvent(control, QFocusEvent(QEvent.Type.FocusIn))
            self.assertEqual(page.help_line.text(), LEVER_OF[name].help)
            self.assertEqual(control.toolTip(), LEVER_OF[name].help)

    def test_switching_detection_off_misses_everything_and_names_the_gate(self):
        page = self.open_camera("Pontoon gate", "sensitivity")
        page.detection_on.setChecked(False)
        self.assertEqual(self.model.comparison.draft.unmarked, self.model.comparison.draft.real_recorded)
        self.assertIn("switched off", self.window.panel.flips.item(0).text())
        self.window.actions_by_id["reset_draft"].trigger()
        self.assertEqual(self.model.draft, self.model.camera.installed)
        self.assertTrue(page.detection_on.isChecked())

    def test_a_click_on_a_mark_shows_the_curve_of_that_clip(self):
        page = self.open_camera("Pontoon gate", "sensitivity")
        chosen = self.model.evidence.occurrences[5]

        class Point:
            def data(self):
                return chosen.id

        page.choose_point(None, [Point()])
        self.assertEqual(self.model.selected, (chosen.id,))
        self.assertIn(page.curve_title.text().split(",")[0], self.local(chosen))

    def test_marks_are_filled_where_the_draft_records_and_somebody_judged(self):
        page = self.open_camera("Pontoon gate", "sensitivity")
        marks = [m for item in page.strip.items() if isinstance(item, pg.ScatterPlotItem) for m in item.points()]
        filled = {m.data() for m in marks if m.brush().style() != Qt.BrushStyle.NoBrush}
        settled = [o for o in self.model.evidence.occurrences if o.verdict in (Verdict.REAL, Verdict.FALSE)]
        done = self.model.comparison.draft_replay
        self.assertEqual(filled, {o.id for o in settled if done.marks(o.id)})
        self.assertEqual(len(marks), len(self.model.evidence.occurrences))

    def test_where_the_make_has_it_the_night_gets_a_notch_of_its_own(self):
        page = self.open_camera("Slipway", "sensitivity")
        self.assertFalse(page.night.isVisibleTo(page))
        page = self.open_camera("Pontoon gate", "sensitivity")
        self.assertTrue(page.night.isVisibleTo(page))
        day = self.model.draft.detection.notch
        self.assertEqual(page.night.currentText(), "as by day")
        before = self.model.comparison.draft_replay
        page.night.setCurrentText("2")
        page.night.activated.emit(page.night.currentIndex())
        self.assertEqual((self.model.draft.detection.notch, self.model.draft.detection.night_notch), (day, "2"))
        after = self.model.comparison.draft_replay
        dark = np.array([self.model.evidence.clip_of(o).dark for o in self.model.evidence.occurrences])
        self.assertLess(after.marked[dark].sum(), before.marked[dark].sum())
        np.testing.assert_array_equal(after.marked[~dark], before.marked[~dark])
        self.assertIn("scale of the camera's level", page.strip.getAxis("bottom").label.toPlainText())
        self.session.undo.undo()
        self.assertEqual(page.night.currentText(), "as by day")
        self.model.facts.set_installed(self.model.camera.installed.with_values(night_notch="2"))
        scale = self.window.page("tune").scale
        scale.refresh()
        self.assertIn(f"By day: Level {day}: the true threshold", scale.words.text())
        self.assertIn("At night, dashed: Level 2: the true threshold", scale.words.text())
        known = KnownView(ViewGeometry(3.0, 12.0, 0.8), "typed", lamp_m=30.0)
        measured = QSignalSpy(self.session.step_model(PeopleModel, self.model).changed)
        self.model.facts.set_view(known)
        scale.refresh()
        self.wait(measured)
        far = [int(m) for m in re.findall(r"about (\d+) m ahead", scale.words.text())]
        self.assertEqual(len(far), 2)
        notch = self.model.camera.capability.notch(day)
        size = notch.size * next(s.factor for s in self.model.scales if s.label == day)
        shown = shown_shares(self.model.evidence, known.view, dark=False)
        near, away = (strength_at(known.view, at, contrast=notch.contrast, size=size, across=True, shown=shown)
                      for at in (far[0] - 1, far[0] + 1))  # fmt: skip
        self.assertGreater(near, 1.0)
        self.assertLess(away, 1.0)

    def local(self, occurrence):
        clip = self.model.evidence.clips[self.model.evidence.clip_index[occurrence.clip_id]]
        return f"{self.session.local_time(clip.start_s + occurrence.start_s):%a %d %b %Y %H:%M:%S}"


class Evidence(StepCase):
    def test_filters_and_the_way_back_to_all(self):
        page = self.open_camera("Pontoon gate", "evidence")
        everything = len(self.model.evidence.occurrences)
        page.judged.setCurrentIndex(page.judged.findData("real"))
        self.assertLess(page.proxy.rowCount(), everything)
        page.day.setCurrentIndex(1)
        page.show_all()
        self.assertEqual(page.proxy.rowCount(), everything)
        page.show_ids((), "nothing")
        self.assertTrue(page.empty.isVisibleTo(page))

    def test_a_group_is_judged_in_one_stroke_and_undone_in_one(self):
        page = self.open_camera("Office step", "evidence")
        page.show_all()
        page.list.setFocus()
        self.press(page.list, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        before = [o.kind for o in self.model.evidence.occurrences]
        self.press(page.list, "x")
        self.assertEqual({o.kind for o in self.model.evidence.occurrences}, {"other_false"})
        self.window.actions_by_id["undo"].trigger()
        self.assertEqual([o.kind for o in self.model.evidence.occurrences], before)

    def test_the_start_of_a_clip_is_given_by_hand(self):
        page = self.open_camera("Pontoon gate", "evidence")
        page.show_all()
        page.select_first()
        clip = self.model.occurrence(self.model.selected[0]).clip_id
        start, _ = self.model.facts.clip_start(clip)

        def later(dialog):
            field, ok = dialog.findChild(QLineEdit), dialog.findChild(QDialogButtonBox).buttons()[0]
            self.assertTrue(field.hasFocus() or dialog.focusWidget() is field)
            moment = datetime.fromisoformat(field.text())
            field.setText("soon")
            self.assertFalse(ok.isEnabled())
            field.setText(str(moment + timedelta(seconds=120)))
            self.assertTrue(ok.isEnabled())

        self.answer(True, later)
        self.window.commands.ask_clip_start()
        self.assertEqual(self.model.facts.clip_start(clip), (float(int(start)) + 120, "given"))
        self.answer(False)
        self.window.commands.ask_clip_start()
        self.assertEqual(self.model.facts.clip_start(clip)[0], float(int(start)) + 120)


class Everywhere(StepCase):
    def test_an_action_is_found_by_a_few_letters_and_run_by_enter(self):
        self.read_all()
        self.window.actions_by_id["palette"].trigger()
        palette = self.window.findChild(Palette)
        everything = palette.list.count()
        palette.line.setText("draw where")
        self.assertTrue(1 <= palette.list.count() < everything)
        self.assertTrue(palette.list.item(0).text().startswith("Zones"))
        self.press(palette.line, Qt.Key.Key_Down)
        self.press(palette.line, Qt.Key.Key_Up)
        self.press(palette.line, Qt.Key.Key_Return)
        self.assertEqual(self.window.current_step(), "zones")
        self.assertFalse(palette.isVisible())

    def test_the_history_goes_back_to_the_beginning(self):
        page = self.open_camera("Pontoon gate", "zones")
        for share in (0.5, 0.6):
            wide = PolygonZone(ZoneKind.WATCH, ((0, 0), (share, 0), (share, 1), (0, 1)), "left")
            page.commit((wide,), "draw")
        self.window.actions_by_id["history"].trigger()
        (dialog,) = [d for d in self.window.findChildren(QDialog) if d.isVisible()]
        self.assertIsNotNone(dialog.findChild(QUndoView))
        self.session.undo.setIndex(0)
        self.assertEqual(self.model.draft, self.model.camera.installed)
        dialog.close()

    def test_a_new_camera_is_asked_for_and_a_taken_name_refused(self):
        def named(name):
            def fill(dialog):
                dialog.findChild(QLineEdit).setText(name)
                makes = dialog.findChild(MakeList)
                self.assertIsNone(makes.make(), "no make is chosen for anybody")
                makes.list.setCurrentRow(0)

            return fill

        self.answer(True, named("Attic"))
        self.window.add_camera()
        self.assertEqual(self.window.rail.place.text(), "Attic ▾")
        model, dialog = self.session.camera(self.window.camera_id), self.window.commands.as_it_is
        before = model.camera.installed
        self.assertIn("notch", before.not_known)
        dialog.boxes["notch"].setCurrentIndex(1)
        dialog.accept()
        self.assertEqual(model.camera.installed, before.with_values(notch=dialog.boxes["notch"].currentText()))
        self.assertNotIn("notch", model.camera.installed.not_known)
        self.assertEqual(model.draft, model.camera.installed)
        self.session.undo.undo()
        self.assertEqual((model.camera.installed, model.draft), (before, before))
        self.answer(True, named("Attic"))
        self.window.add_camera()
        self.assertIn("already a camera named", self.refused)
        self.answer(True, named("   "))
        self.window.add_camera()
        self.assertTrue(self.refused)
        self.assertEqual(len(self.session.camera_ids()), 7)

    def test_a_camera_is_taken_out_and_comes_back_with_undo(self):
        self.open_camera("Fuel berth", "zones")
        model, count = self.model, len(self.session.camera_ids())
        self.window.actions_by_id["remove"].trigger()
        self.assertEqual((self.window.current_step(), len(self.session.camera_ids())), ("round", count - 1))
        self.assertNotIn(model, self.session.cameras.opened.values())
        self.assertIn("is removed", self.window.banner.text.text())
        self.window.actions_by_id["undo"].trigger()
        self.assertIs(self.session.camera(model.camera.id), model)
        self.window.open_camera(model.camera.id, "zones")
        self.painted(self.window.pages["zones"])

    def test_clips_taken_out_leave_the_score_and_come_back(self):
        page = self.open_camera("Pontoon gate", "evidence")
        page.show_all()
        page.select_first()
        before, clip = self.model.comparison, self.model.occurrence(self.model.selected[0]).clip_id
        self.window.actions_by_id["clips"].trigger()
        (dialog,) = [d for d in self.window.findChildren(QDialog) if d.isVisible()]
        rows = dialog.table.rowCount()
        self.click(dialog.remove)
        self.assertEqual(dialog.table.rowCount(), rows - 1)
        self.assertNotIn(clip, [c.id for c in self.model.evidence.clips])
        self.assertLess(sum(map(len, page.proxy.filter.ids or ())), 1)
        dialog.reject()
        self.session.undo.undo()
        self.assertEqual(self.model.comparison.installed, before.installed)

    def test_another_make_takes_the_nearest_settings_and_undo_brings_the_old_ones(self):
        page = self.open_camera("Pontoon gate", "sensitivity")
        before = self.model.camera
        data = capability_data("grid-zone-recorder")
        self.model.corrections.set_make(data)
        after = self.model.camera
        self.assertEqual(after.capability.id, "grid-zone-recorder")
        self.assertEqual(limits_broken(Candidate(after.installed, after.capability)), [])
        old, new = (c.installed.sensitivity_under(c.capability) for c in (before, after))
        steps = [abs(math.log(n.size / old.size)) for n in after.capability.notches]
        self.assertLess(abs(math.log(new.size / old.size)), sorted(steps)[1] + 0.5)
        self.assertIsNot(self.window.pages["sensitivity"], page)
        self.session.undo.undo()
        self.assertEqual((self.model.camera.capability, self.model.camera.installed),
                         (before.capability, before.installed))  # fmt: skip

    def test_a_make_that_came_with_an_older_guardia_stays_until_the_shipped_one_is_chosen(self):
        self.open_camera("Pontoon gate", "sensitivity")
        self.model.corrections.set_make(self.model.corrections.make_data() | {"night_notch": False})
        before = self.model.camera
        self.answer(True)
        self.window.actions_by_id["make"].trigger()
        self.assertEqual(self.model.camera, before)

        def shipped(dialog):
            makes = dialog.findChild(MakeList).list
            self.assertIn(", as this camera has it now", makes.currentItem().text())
            makes.setCurrentRow(next(n for n in range(1, makes.count()) if "another at night" in makes.item(n).text()))

        self.answer(True, shipped)
        self.window.actions_by_id["make"].trigger()
        self.assertTrue(self.model.camera.capability.night_notch)
        self.assertEqual(self.model.camera.installed, before.installed)

    def test_a_make_of_ones_own_comes_from_a_file_and_a_bad_file_is_told(self):
        own = self.folder / "own.json"
        own.write_text(json.dumps(capability_data("phone-as-camera") | {"id": "mine", "name": "My make"}), "utf-8")
        makes = MakeList()
        makes.add_file(self.folder / "missing.json")
        self.assertIn("cannot be read", makes.problem.text())
        makes.add_file(own)
        self.assertEqual(makes.make()["id"], "mine")
        self.session.add_camera("Attic", makes.make())
        makes.deleteLater()

    def test_the_site_is_corrected_and_a_zone_that_would_move_times_refused(self):
        self.answer(True, lambda dialog: dialog.findChild(QLineEdit).setText("Tern Quay North"))
        self.window.actions_by_id["site"].trigger()
        self.assertIn("Tern Quay North", self.window.windowTitle())
        self.session.set_site("Tern Quay North", "UTC")
        self.assertIn("were read in Europe/London", self.window.banner.text.text())
        self.session.undo.undo()
        self.assertEqual(self.session.site.name, "Tern Quay")

    def test_entries_of_the_logbook_are_corrected_and_taken_out(self):
        page = self.open_camera("Pontoon gate", "handover")
        self.model.change_draft(self.model.draft.with_values(hold_s=0.6), "hold")
        self.model.install_draft("by the ladder")
        (entry,) = self.model.corrections.logbook()
        changed, expected = entry.detail.rsplit("\n", 1)
        self.assertEqual(changed, "by the ladder\nMinimum duration: 0.6 s (was 0 s)")
        self.assertRegex(expected, r"false, recorded 2\d, before 34")
        page.logbook.setCurrentRow(0)
        with mock.patch("guardia.ui.steps.handover_page.ask_note", return_value="from the office"):
            page.correct_entry()
        self.assertIn("from the office", page.logbook.item(0).text())
        page.logbook.setCurrentRow(0)
        page.remove_entry()
        self.assertEqual(page.logbook.item(0).text(), "Nothing entered yet.")
        self.session.undo.undo()
        self.assertIn("from the office", page.logbook.item(0).text())

    def test_lists_follow_an_undo(self):
        page = self.open_camera("Pontoon gate", "evidence")
        page.judged.setCurrentIndex(page.judged.findData("unjudged"))
        page.select_first()
        count = page.proxy.rowCount()
        self.press(page.list, "f")
        self.assertEqual(page.proxy.rowCount(), count - 1)
        self.window.actions_by_id["undo"].trigger()
        self.assertEqual(page.proxy.rowCount(), count)

    def test_both_halves_of_a_split_stay_where_a_number_was_opened(self):
        page = self.open_camera("Pontoon gate", "evidence")
        longest = max(self.model.evidence.occurrences, key=lambda o: o.end_s - o.start_s)
        page.show_ids((longest.id,), "one")
        changed = QSignalSpy(self.model.evidence_changed)
        self.session.occurrences.split(self.model.camera.id, longest.id, (longest.start_s + longest.end_s) / 2)
        self.wait(changed)
        self.assertEqual(page.proxy.rowCount(), 2)
        self.session.undo.undo()
        self.assertEqual([page.proxy.rowCount(), page.proxy.index(0, 0).data(Role.OCCURRENCE).id], [1, longest.id])

    def test_the_keys_begin_where_the_work_is(self):
        for step, name in (("evidence", "list"), ("alike", "sheet"), ("zones", "canvas"), ("view", "canvas"),
                           ("sensitivity", "notch"), ("coverage", "search")):  # fmt: skip
            page = self.open_camera("Pontoon gate", step)
            self.assertIs(page.focusProxy(), getattr(page, name), step)

    def test_groups_are_played_judged_and_played_on(self):
        self.open_camera("Pontoon gate", "alike")
        page, model = self.window.pages["alike"], self.window.alike()
        if not model.groups:
            self.wait(QSignalSpy(model.changed))
        group = next(n for n, g in enumerate(model.groups) if len(model.waiting(n)) > 1)
        model.go(group)
        first, second = [i for i in model.groups[group].ids if not model.occurrence(i).kind][:2]
        self.press(page.sheet, Qt.Key.Key_Space)
        self.press(page.player, "g")
        self.assertEqual((model.occurrence(first).kind, page.chosen_ids()), ("flag_or_rope", [second]))
        self.assertTrue(page.player.isVisible())
        page.player.reject()
        self.window.actions_by_id["undo"].trigger()
        self.assertEqual(model.occurrence(first).kind, "")

    def test_the_history_names_time_and_camera(self):
        self.open_camera("Pontoon gate", "sensitivity")
        self.model.change_draft(self.model.draft.with_values(hold_s=0.6), "hold")
        self.assertRegex(self.session.undo.text(0), r"^\d\d:\d\d  Pontoon gate: hold$")
        self.assertEqual(self.session.undo.undoText(), "hold (Pontoon gate)")

    def test_undo_says_what_and_of_which_camera_and_goes_there(self):
        self.open_camera("Pontoon gate", "sensitivity")
        gate = self.model
        gate.change_draft(gate.draft.with_values(hold_s=0.6), "hold")
        self.open_camera("Slipway", "zones")
        self.assertEqual(self.window.actions_by_id["undo"].text(), "&Undo hold (Pontoon gate)")
        self.window.actions_by_id["undo"].trigger()
        self.assertEqual((self.window.camera_id, self.window.current_step()), (gate.camera.id, "zones"))
        self.assertEqual(gate.draft.detection.hold_s, gate.camera.installed.detection.hold_s)
        self.assertIn("Undone: hold (Pontoon gate). Redo", self.session.messages.told[-1].text)
        self.window.actions_by_id["redo"].trigger()
        self.assertEqual(gate.draft.detection.hold_s, 0.6)

    def test_what_was_entered_on_a_camera_is_undone_from_that_camera_only(self):
        self.open_camera("Office step", "handover")
        office = self.model
        office.change_draft(office.draft.with_values(hold_s=0.6), "hold")
        office.install_draft("by the ladder")
        entries = len(office.corrections.logbook())
        self.open_camera("Pontoon gate", "zones")
        self.window.actions_by_id["undo"].trigger()
        self.assertEqual((self.window.camera_id, self.window.current_step()), (office.camera.id, "handover"))
        self.assertEqual(office.camera.installed, office.draft)
        self.assertEqual(len(office.corrections.logbook()), entries)
        self.assertIn("Press Ctrl+Z again: 'enter the draft (Office step)'", self.session.messages.told[-1].text)
        self.window.actions_by_id["undo"].trigger()
        self.assertNotEqual(office.camera.installed, office.draft)

    def test_what_cannot_be_written_is_not_undone(self):
        self.open_camera("Pontoon gate", "sensitivity")
        model = self.model
        model.change_draft(model.draft.with_values(hold_s=0.6), "hold")
        full = mock.patch.object(CameraSettings, "save_draft", side_effect=ProjectError("The disk is full."))
        for action, shown in (("undo", 0.6), ("redo", model.camera.installed.detection.hold_s)):
            with self.subTest(action), full:
                at = self.session.undo.index()
                self.window.actions_by_id[action].trigger()
                self.assertEqual((self.session.undo.index(), model.draft.detection.hold_s), (at, shown))
                self.assertEqual(self.session.messages.told[-1].text, "The disk is full.")
            self.window.actions_by_id[action].trigger()

    def test_the_score_folds_and_stays_as_it_was_chosen(self):
        self.open_camera("Pontoon gate", "zones")
        canvas, panel = self.window.pages["zones"].canvas, self.window.panel
        self.window.resize(1280, 740)
        wide = canvas.picture().width()
        self.window.actions_by_id["fold"].trigger()
        APP.sendPostedEvents()
        self.assertTrue(panel.folded)
        self.assertGreater(canvas.picture().width(), wide * 1.05)
        self.window.resize(1600, 900)
        self.assertTrue(panel.folded)
        self.window.actions_by_id["fold"].trigger()
        self.assertFalse(panel.folded)

    def test_dark_colours_reach_surfaces_and_plots_and_go_away_again(self):
        page = self.open_camera("Pontoon gate", "sensitivity")

        def brightness():
            plot, panel = self.painted(page.curve), self.painted(self.window.panel)
            return plot.pixelColor(3, 3).lightness(), panel.pixelColor(5, 5).lightness()

        light = brightness()
        self.window.actions_by_id["dark"].trigger()
        self.assertTrue(THEME.dark)
        self.assertTrue(all(d < 80 < b for d, b in zip(brightness(), light, strict=True)))
        self.window.actions_by_id["dark"].trigger()
        self.assertEqual(brightness(), light)


class Playing(StepCase):
    def test_an_occurrence_is_played_stepped_and_left(self):
        page = self.open_camera("Pontoon gate", "evidence")
        page.show_all()
        page.select_first()
        read = QSignalSpy(self.session.pictures.succeeded)
        self.press(page.list, Qt.Key.Key_Space)
        player = page.player
        self.wait(read)
        self.assertGreater(len(player.pictures), 20)
        self.press(player, Qt.Key.Key_Right)
        self.assertFalse(player.timer.isActive())
        first = player.screen_view.at_s
        self.press(player, Qt.Key.Key_Right)
        self.assertAlmostEqual(player.screen_view.at_s - first, 0.2, places=6)
        self.press(player, Qt.Key.Key_Home)
        occurrence = self.model.occurrence(self.model.selected[0])
        self.assertTrue(occurrence.start_s - 0.3 <= player.screen_view.at_s <= occurrence.end_s + 0.3)
        self.press(player, "5")
        self.press(player, Qt.Key.Key_Space)
        self.assertTrue(player.timer.isActive())
        self.assertEqual(player.timer.interval(), 12)
        self.click(player.screen_view, QPoint(6, player.screen_view.height() - 40))
        self.assertEqual(player.at, 0)
        self.press(player, Qt.Key.Key_Escape)
        self.assertFalse(self.session.pictures.busy)

    def test_the_player_judges_and_goes_on_to_the_next_that_waits(self):
        page = self.open_camera("Pontoon gate", "evidence")
        page.show_unjudged()
        read = QSignalSpy(self.session.pictures.succeeded)
        page.select_first()
        first, second = (page.proxy.index(row, 0).data(Role.OCCURRENCE).id for row in (0, 1))
        self.press(page.list, Qt.Key.Key_Space)
        player = page.player
        self.press(player, "p")  # at once: the pictures of the first are not wanted any more
        self.assertEqual(self.model.occurrence(first).kind, "person")
        self.assertEqual(self.model.selected, (second,))
        self.assertIn("not judged", player.windowTitle())
        while not player.screen_view.span[1] > 1.0:
            self.wait(read)
            read = QSignalSpy(self.session.pictures.succeeded)
        occurrence = self.model.occurrence(second)
        self.assertLessEqual(player.screen_view.span[0], occurrence.start_s)
        self.assertGreaterEqual(player.screen_view.span[1], occurrence.end_s - 0.3)
        for _ in range(40):
            if player.isVisible():
                self.press(player, "x")
        self.assertFalse(any(not o.kind for o in self.model.evidence.occurrences))

    def test_pictures_that_are_gone_are_told_in_the_player_and_the_judgement_stays(self):
        page = self.open_camera("Pontoon gate", "evidence")
        page.show_all()
        page.select_first()
        kind = self.model.occurrence(self.model.selected[0]).kind
        shutil.rmtree(self.session.folder / "media")
        page.look()
        self.assertIn("Put the media folder back", page.player.screen_view.waiting)
        self.painted(page.player)
        page.player.reject()
        self.assertEqual(self.model.occurrence(self.model.selected[0]).kind, kind)


class ScoreBesideEveryStep(StepCase):
    def test_every_number_opens_exactly_the_occurrences_it_counts(self):
        page = self.open_camera("Pontoon gate", "evidence")
        panel = self.window.panel
        for (name, column), cell in panel.cells.items():
            count = int(cell.text().split()[0])  # what lies between what stands behind it
            self.click(cell)
            if count:
                self.assertEqual(page.proxy.rowCount(), count, (name, column))

    def test_a_flip_opens_its_clip_and_many_flips_are_cut_short(self):
        page = self.open_camera("Pontoon gate", "evidence")
        sensitivity = self.window.page("sensitivity")
        sensitivity.detection_on.setChecked(False)
        changes = self.model.comparison.changes
        panel = self.window.panel
        self.assertEqual(panel.flips.count(), min(len(changes), score_panel.MOST_FLIPS + 1))
        panel.open_flip(panel.flips.item(2))
        self.assertEqual(page.selected_ids(), [changes[2].occurrence.id])
        with mock.patch.object(score_panel, "MOST_FLIPS", 5):
            panel.refresh()
        self.assertEqual(panel.flips.count(), 6)
        self.assertIn(f"{len(changes) - 5} more", panel.flips.item(5).text())
        panel.open_flip(panel.flips.item(5))
        self.assertEqual(page.selected_ids(), [changes[2].occurrence.id])

    def test_round_shows_cameras_that_are_still_read(self):
        page = self.window.pages["round"]
        with mock.patch.object(self.session, "is_loaded", return_value=False):
            page.refresh()
            texts = [w.text() for w in page.findChildren(QLabel)]
            self.assertEqual(sum("reading its evidence" in t for t in texts), 6)
        page.refresh()

    def test_of_a_long_message_the_beginning_is_shown_and_the_whole_is_one_button_away(self):
        self.session.messages.tell("\n".join(f"line {n}" for n in range(12)))
        banner = self.window.banner
        self.assertTrue(banner.frame.isVisible() and banner.whole.isVisible())
        self.assertIn("11 more lines", banner.text.text())
        self.assertIn("line 11", banner.text.toolTip())
        banner.close_it.click()
        self.assertFalse(banner.frame.isVisible())
        self.session.messages.tell("Short.")
        self.assertFalse(banner.whole.isVisible())
        self.session.messages.tell("A sentence that goes on and on. " * 30)
        self.assertTrue(banner.whole.isVisible())

    def test_a_message_moves_and_covers_nothing_goes_by_itself_and_can_be_read_again(self):
        page, banner = self.window.pages["round"], self.window.banner
        before = page.geometry()
        self.session.messages.tell("All is well.")
        self.assertEqual(page.geometry(), before)
        banner.enterEvent(None)  # whoever points at it wants to read it, and then it goes all the same
        self.assertFalse(banner.leaving.isActive())
        QApplication.sendEvent(banner, QEvent(QEvent.Type.Leave))
        self.assertTrue(banner.leaving.isActive())
        banner.leaving.timeout.emit()
        self.assertFalse(banner.frame.isVisible())
        self.session.messages.tell("Something must be done.\n" * 9, Severity.WARNING)
        self.assertEqual(page.geometry(), before)
        self.assertTrue(banner.frame.isVisible() and not banner.leaving.isActive())
        self.assertIn("All is well.", messages_html(self.window.messages.told))
        foot = self.window.stack.mapTo(self.window, self.window.stack.rect().bottomLeft()).y()
        self.assertGreater(banner.mapTo(self.window, banner.rect().topLeft()).y(), foot)
        self.window.open_project(self.session.folder)
        self.assertFalse(any("must be done" in m.text for m in self.window.messages.told))
        self.assertNotIn("must be done", banner.text.text() if banner.frame.isVisible() else "")

    def test_progress_of_a_job_is_shown_with_its_time_left_and_goes_away(self):
        self.session.intake.jobs.started.emit("Importing clips")
        self.assertTrue(self.window.rail.job_bar.isVisible())
        self.session.intake.jobs.progressed.emit(Progress(5, 20, "Measuring a.mp4", 12.0))
        self.assertEqual(self.window.rail.job_bar.value(), 250)
        self.assertEqual(self.window.rail.job_text.text(), "Importing clips: 5 of 20, about 12 s left")
        self.session.intake.jobs.progressed.emit(Progress(6, 200, "Measuring b.mp4", 300.0))
        self.assertEqual(self.window.rail.job_bar.value(), 250, "a bar never goes back")
        self.assertIn("about 5 min left", self.window.rail.job_text.text())
        self.click(self.window.rail.job_stop)
        self.assertEqual(
            (self.window.rail.job_stop.text(), self.window.rail.job_stop.isEnabled()), ("Stopping …", False)
        )
        self.session.intake.jobs.started.emit("Importing clips")
        self.assertEqual(self.window.rail.job_stop.text(), "Stop")
        self.session.intake.jobs.finished.emit()
        self.assertFalse(self.window.rail.job_stop.isVisible())
