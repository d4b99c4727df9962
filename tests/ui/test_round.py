"""Round: dates by hand, the walk through all cameras, what cameras hang on, and a site of five hundred."""

import json
from datetime import timedelta
from unittest.mock import patch

import pypdf
from PyQt6.QtCore import QDate, QEvent, Qt
from PyQt6.QtPrintSupport import QPrinter
from PyQt6.QtTest import QSignalSpy, QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QInputDialog, QLabel

from guardia.app.camera.advice import worst_first
from guardia.app.camera.makes import capability_data, middle_settings
from guardia.app.site.exports import Exports, ReportPictures
from guardia.app.site.summary import Summary, keep_summary
from guardia.core.make.capability import capability_from_dict
from guardia.core.storage.readings import Measure
from guardia.core.storage.units import UnitKind
from guardia.store.project import Project
from guardia.store.records import Site
from guardia.ui.parts.print_preview import PrintPreview
from guardia.ui.parts.print_preview import preview as open_preview
from guardia.ui.shell import main_window
from guardia.ui.shell.damaged_dialog import DamagedDialog
from guardia.ui.shell.portfolio_dialog import PortfolioDialog
from guardia.ui.steps import round_page
from guardia.ui.steps.due_dialog import DueDialog
from guardia.ui.steps.round_dialog import RoundDialog
from guardia.ui.steps.units_dialog import UnitsDialog
from tests.support import in_file
from tests.ui.support import GuiCase
from tests.ui.test_steps import StepCase


class DamagedEntriesOfASite(StepCase):
    def test_they_are_shown_saved_and_then_deleted(self):
        in_file(self.session.folder, "UPDATE occurrence SET kind = 'ghost' WHERE id = 3")
        shown = []
        self.session.look_for_damaged(shown.append)
        dialog = DamagedDialog(self.window, *shown)
        self.assertEqual(dialog.table.item(0, 0).text(), "An occurrence")
        self.assertFalse(dialog.delete.isEnabled())
        for name, can_delete in (("none/damaged.json", False), ("damaged.json", True)):
            with patch.object(QFileDialog, "getSaveFileName", return_value=(str(self.folder / name), "")):
                self.click(dialog.save)
            self.assertEqual(dialog.delete.isEnabled(), can_delete)
        self.click(dialog.delete)
        self.assertEqual((dialog.table.rowCount(), dialog.save.isEnabled()), (0, False))
        self.assertEqual(dialog.words.text(), "Deleted 1 entry. Every entry can be read.")
        dialog.deleteLater()


class Opening(GuiCase):
    def test_each_camera_takes_its_place_as_it_is_read_and_the_worst_come_first_once_all_are(self):
        with patch.object(main_window, "READ_AT_ONCE", 0):
            self.window.open_demo()
        session, page = self.window.session, self.window.pages["round"]

        def names():
            heads = [page._cards.itemAt(n).widget() for n in range(len(session.camera_ids()))]
            return [head.findChild(QLabel, "head").text() for head in heads]

        by_name = [session.camera_name(i) for i in session.camera_ids()]
        self.assertEqual(names(), by_name)
        self.assertIsNone(self.window.camera_id)
        opened = QSignalSpy(session.camera_opened)
        self.wait(opened)
        self.assertEqual((names(), self.window.camera_id), (by_name, session.camera_ids()[0]))
        while len(opened) < len(by_name):
            opened.wait(300_000)
        QApplication.processEvents()
        worst = worst_first([session.camera(i) for i in session.camera_ids()])
        self.assertEqual(names(), [model.camera.name for model in worst])
        self.painted(page)

    def test_no_camera_moves_away_under_the_pointer_and_one_still_unread_opens_at_a_click(self):
        with patch.object(main_window, "READ_AT_ONCE", 0):
            self.window.open_demo()
        session, page = self.window.session, self.window.pages["round"]
        by_name = session.camera_ids()
        last = page._cards.itemAt(len(by_name) - 1).widget()
        opened = QSignalSpy(session.camera_opened)
        at = last.mapToGlobal(last.rect().center())
        with patch.object(round_page.QCursor, "pos", return_value=at):
            while len(opened) < len(by_name):
                opened.wait(300_000)
            QApplication.processEvents()
            self.assertEqual(page._order, by_name)
            QApplication.sendEvent(page, QEvent(QEvent.Type.Leave))
        worst = [model.camera.id for model in worst_first([session.camera(i) for i in by_name])]
        self.assertEqual(page._order, worst)
        with patch.object(main_window, "READ_AT_ONCE", 0):
            self.window.open_project(session.folder)
        page = self.window.pages["round"]
        QTest.mouseClick(page._cards.itemAt(3).widget(), Qt.MouseButton.LeftButton)
        self.assertEqual((self.window.camera_id, self.window.current_step()), (by_name[3], "evidence"))

    def test_a_click_at_the_moment_the_cards_are_made_anew_opens_its_camera(self):
        self.window.open_demo()
        page = self.window.pages["round"]
        QApplication.processEvents()
        card = page._cards.itemAt(4).widget()
        at = card.mapTo(self.window, card.findChild(QLabel, "head").geometry().center())
        page.refresh()
        QTest.mouseClick(self.window.windowHandle(), Qt.MouseButton.LeftButton, pos=at)
        self.assertEqual((self.window.camera_id, self.window.current_step()), (page._order[4], "evidence"))


class Dates(StepCase):
    def test_a_date_is_entered_goes_out_and_comes_in_once_and_is_done_with(self):
        self.read_all()
        dialog = DueDialog(self.window, self.session)
        before = dialog.table.rowCount()
        on = self.session.rounds.today + timedelta(days=3)

        def fill(asked):
            asked.what.setText("trim the hedge")
            asked.where.setCurrentText("Office step")
            asked.on.setDate(QDate(on.year, on.month, on.day))

        self.answer(True, fill)
        dialog.enter()
        self.assertEqual(dialog.table.rowCount(), before + 1)
        path = self.folder / "due.ics"
        with patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
            dialog.choose_calendar()
        with patch.object(QFileDialog, "getOpenFileName", return_value=(str(path), "")):
            dialog.choose_dates()
        self.assertEqual(dialog.table.rowCount(), before + 1, "what is known already is not taken twice")
        row = next(r for r in range(before + 1) if dialog.table.item(r, 2).text() == "trim the hedge")
        dialog.table.setCurrentCell((row + 1) % (before + 1), 0)
        dialog.done_with()
        self.assertIn("Only dates entered by hand", dialog.words.text())
        dialog.table.setCurrentCell(row, 0)
        dialog.table.setFocus()
        QTest.keyClick(dialog.table, "d")
        self.assertEqual(dialog.table.rowCount(), before)
        self.session.undo.undo()
        self.assertEqual(len(self.session.units.tasks), 1)
        foreign = self.folder / "other.ics"
        lines = ("BEGIN:VCALENDAR", "BEGIN:VEVENT", "DTSTART;VALUE=DATE:20270105", "SUMMARY:Slipway: paint the post",
                 "END:VEVENT", "END:VCALENDAR", "")  # fmt: skip
        foreign.write_text("\r\n".join(lines))
        self.session.rounds.read_calendar(foreign)
        slipway = next(i for i in self.session.camera_ids() if self.session.camera_name(i) == "Slipway")
        self.assertIn((slipway, "paint the post"), [(t.camera_id, t.what) for t in self.session.units.tasks])
        (self.folder / "no.ics").write_bytes(b"\xff\x00 nothing")
        self.session.rounds.read_calendar(self.folder / "no.ics")
        self.assertIn("cannot be read as a calendar", self.session.messages.told[-1].text)
        self.painted(dialog)
        dialog.deleteLater()


class Walked(StepCase):
    def test_the_round_is_walked_by_keys_alone_in_patrol_order(self):
        self.read_all()
        models = {m.camera.name: m for m in self.session.cameras.opened.values()}
        models["Winter store"].facts.set_about(type(models["Winter store"].camera.about)("", "", "", 1))
        dialog = RoundDialog(self.window, self.session)
        dialog.open()
        self.assertIn("Winter store  (1 of 6)", dialog.title.text())
        self.assertIn(Measure.BATTERY, dialog.fields)
        battery, signal = dialog.fields[Measure.BATTERY][0], dialog.fields[Measure.SIGNAL][0]
        QTest.keyClicks(battery, "61,5")
        QTest.keyClicks(signal, "minus")
        QTest.keyClick(signal, Qt.Key.Key_Return)
        self.assertIn("'minus' is no number", dialog.trouble.text())
        self.assertIn("(1 of 6)", dialog.title.text(), "nothing is kept, and it stays there")
        signal.clear()
        QTest.keyClicks(signal, "-71")
        dialog.seen[Measure.LENS_CLEANED].setChecked(True)
        QTest.keyClicks(dialog.note, "web brushed off")
        steps = self.session.undo.count()
        QTest.keyClick(dialog.note, Qt.Key.Key_Return)
        self.assertIn("(2 of 6)", dialog.title.text())
        self.assertEqual(self.session.undo.count(), steps + 1, "one step of undo a camera")
        model = models["Winter store"]
        kept = {r.what: r.value for r in model.facts.readings()}
        self.assertEqual((kept[Measure.BATTERY], kept[Measure.SIGNAL]), (61.5, -71.0))
        self.assertIn(Measure.LENS_CLEANED, kept)
        self.assertEqual(model.corrections.logbook()[0].detail, "web brushed off")
        self.assertNotIn(Measure.BATTERY, dialog.fields, "a mains camera has no battery")
        QApplication.processEvents()
        shown = [w.text() for w in dialog.findChildren(QLabel) if w.isVisibleTo(dialog)]
        self.assertEqual((shown.count("Battery"), shown.count("Signal"), shown.count("Note")), (0, 1, 1))
        QTest.keyClick(dialog, Qt.Key.Key_Left, Qt.KeyboardModifier.AltModifier)
        self.assertIn("61.5 % on", dialog.fields[Measure.BATTERY][1].text())
        for _ in range(5):
            QTest.keyClick(dialog, Qt.Key.Key_Right, Qt.KeyboardModifier.AltModifier)
        self.assertIn("end", dialog.next.text())
        self.click(dialog.next)
        self.assertFalse(dialog.isVisible())
        self.assertIn("clean its lens", [d.what for d in self.session.rounds.due()])
        self.session.undo.undo()
        self.assertNotIn("web brushed off", [e.detail for e in model.corrections.logbook()])
        dialog.deleteLater()


class HangsOn(StepCase):
    def test_what_does_not_fit_is_said_in_place_on_the_list_and_taken_back(self):
        page = self.open_camera("Slipway", "setup")
        page.current.setValue(1.2)
        page.current.editingFinished.emit()
        dialog = UnitsDialog(page, self.session, self.model.camera.id)

        def fill(asked):
            asked.name.setText("Switch in the shed")
            asked.kind.setCurrentIndex(asked.kind.findData(UnitKind.SUPPLY))
            asked.limits["current_a"].setValue(1.0)

        self.answer(True, fill)
        dialog.enter()
        self.assertIn("'Switch in the shed' gives 1 A, its cameras draw 1.20 A", dialog.words.text())
        page.refresh()
        row = next(r for r in range(page.table.rowCount()) if page.table.item(r, 1).text().startswith("Channels"))
        self.assertTrue(page.table.item(row, 3).text().startswith("✕"))
        self.assertEqual(page.hangs.text(), "Switch in the shed")
        dialog.table.setCurrentCell(0, 0)
        self.answer(True, lambda asked: asked.limits["current_a"].setValue(3.0))
        dialog.change()
        self.assertIn("All fits", dialog.words.text())
        self.answer(True, lambda asked: asked.name.setText("Switch in the shed"))
        dialog.enter()
        self.assertIn("cannot have one name", self.session.messages.told[-1].text)
        dialog.remove()
        self.assertEqual(self.session.units.units, ())
        self.session.undo.undo()
        self.assertEqual(len(self.session.units.units), 1)
        self.painted(dialog)
        dialog.deleteLater()


class Papers(StepCase):
    def test_sheets_of_all_cameras_and_a_report_with_blurred_pictures(self):
        target = self.folder / "sheets"
        target.mkdir()
        with patch.object(QFileDialog, "getExistingDirectory", return_value=str(target)):
            self.window.actions_by_id["sheets"].trigger()
        self.assertEqual(len(list(target.glob("*.pdf"))), 6)
        self.assertEqual(json.loads((target / "slipway-settings.json").read_text())["camera"], "Slipway")
        path = self.folder / "report.pdf"
        for choice, pictures in ((ReportPictures.NONE, 0), (ReportPictures.BLURRED, 1)):
            asked = patch.object(QInputDialog, "getItem", return_value=(choice.value, True))
            with asked, patch.object(QFileDialog, "getSaveFileName", return_value=(str(path), "")):
                self.window.actions_by_id["report"].trigger()
            images = sum(len(page.images) for page in pypdf.PdfReader(path).pages)
            self.assertEqual(bool(images), bool(pictures), choice)
        page = self.open_camera("Slipway", "handover")
        page.print()
        asked = patch.object(QInputDialog, "getItem", return_value=(ReportPictures.NONE.value, True))
        with asked:
            self.window.actions_by_id["print_report"].trigger()
        for preview, title, pages in zip(
            self.window.findChildren(PrintPreview),
            ("Settings sheet: Slipway", "Report: Tern Quay"),
            (1, 6),
            strict=True,
        ):
            printed = self.folder / "printed.pdf"
            preview.printer_.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
            preview.printer_.setOutputFileName(str(printed))
            preview.paintRequested.emit(preview.printer_)
            paper = pypdf.PdfReader(printed)
            self.assertEqual((preview.windowTitle(), len(paper.pages)), (title, preview.page_count))
            self.assertGreaterEqual(len(paper.pages), pages)
            self.assertTrue(all(page.images for page in paper.pages), "each page is drawn")
            preview.close()
        open_preview(self.window, self.session.messages, b"no paper", "Nothing")
        self.assertIn("cannot be drawn", self.session.messages.told[-1].text)
        model = self.session.camera(next(iter(self.session.cameras.opened)))
        plain, blurred = (dict(model.pictures.for_report(b)) for b in (False, True))
        self.assertEqual(plain.keys(), blurred.keys())
        self.assertTrue(all(len(blurred[k]) < len(plain[k]) for k in plain), "what moved is smooth")
        self.assertFalse(Exports(self.session).save_sheet(model.camera.id, self.folder / "no" / "sheet.xml"))
        self.assertTrue(Exports(self.session).save_sheet(model.camera.id, self.folder / "sheet.xml"))
        self.assertIn("Choose another folder", self.session.messages.told[-2].text)


class ManyCameras(GuiCase):
    def test_five_hundred_cameras_are_lines_kept_in_the_project_and_opened_one_by_one(self):
        folder, make = self.folder / "large", capability_data("polygon-mains-camera")
        settings = middle_settings(capability_from_dict(make))
        with Project(folder, create=True, site=Site("Large", "UTC")) as project:
            for n in range(500):
                camera = project.cameras.add(f"Camera {n:03}", make, settings)
                if n != 7:
                    rate, care = (n / 100, 0.0, 9.0), (n / 100 + 5 * (n % 5), 1.0)
                    line = Summary(f"Camera {n:03}", n, rate, n % 5, 20, n, "tune", "Tune", "since", care)
                    keep_summary(project, camera, line)
        self.window.open_project(folder)
        page, session = self.window.pages["round"], self.window.session
        rows = page.list.lines.rows
        self.assertEqual(len(rows), 500)
        self.assertEqual(rows[0][2], "Camera 499", "worst first")
        self.assertEqual(page.list.lines.index(0, 1).data(), "5.0 (0.0 to 9.0)")
        self.assertEqual(session.cameras.opened, {}, "no evidence is read for that")
        seventh = next(i for i in session.camera_ids() if session.camera_name(i) == "Camera 007")
        changed = QSignalSpy(session.cameras_changed)
        if session.line_of(seventh) is None:
            self.wait(changed)
        self.assertEqual(session.line_of(seventh).action, "Import clips")
        self.painted(page)
        page.list.selectRow(3)
        page.list.show_lines(list(reversed(rows)), as_they_stand=True)
        self.assertEqual([row[0] for row in page.list.lines.rows], [row[0] for row in rows])
        session.cameras_changed.emit()
        self.assertEqual(page.list.currentIndex().row(), 3, "what was chosen stays chosen")
        page.list.selectRow(0)
        page.list.setFocus()
        QTest.keyClick(page.list, Qt.Key.Key_Return)
        self.assertEqual(self.window.current_step(), "tune")
        self.assertEqual(len(session.cameras.opened), 1)
        dialog = PortfolioDialog(self.window, self.folder)
        self.assertEqual(dialog.table.item(0, 1).text(), "500")
        dialog.take()
        self.assertEqual(dialog.chosen, folder)
        dialog.deleteLater()
