"""The steps Set up and Prove through the window."""

from datetime import datetime, timedelta
from unittest.mock import patch

from PyQt6.QtCore import Qt
from PyQt6.QtTest import QSignalSpy, QTest
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QPushButton

from guardia.app.camera.makes import capability_data, make_from_file, shipped_capabilities
from guardia.app.project.make_draft import MakeDraft
from guardia.app.site.exports import Exports, ReportPictures
from guardia.app.steps.setup_model import SetupModel
from guardia.core.prove.commission import Tick
from guardia.core.prove.diagnose import Question
from guardia.core.storage.readings import alert_delay
from guardia.ui.steps.due_dialog import DueDialog
from tests.ui.test_steps import StepCase


class SetUp(StepCase):
    def test_the_list_is_verified_ticked_by_key_resumed_and_printed(self):
        page = self.open_camera("Slipway", "setup")
        self.assertIn("Contradicted by evidence", page.words.text())
        counted = [stage.lines for stage in page._stages()]
        self.assertEqual(sum(counted), page.table.rowCount())
        wrong = next(stage for stage in page._stages() if stage.wrong)
        key = next(b for b in page.stages.findChildren(QPushButton) if wrong.name in b.text())
        self.click(key)
        self.assertTrue(page.item.text().lower().startswith(f"{wrong.name}: "), page.item.text())
        seen = [page.table.item(row, 3).text() for row in range(page.table.rowCount())]
        self.assertTrue(any("does not overwrite" in text for text in seen))
        self.assertTrue(any(text.startswith("✓") for text in seen))
        page.who.setText("Ada")
        page.table.setCurrentCell(0, 1)
        page.table.setFocus()
        QTest.keyClick(page.table, "d")
        self.assertIn("done", page.table.item(0, 2).text())
        self.assertIn("Ada", page.table.item(0, 4).text())
        self.assertEqual(page.table.currentRow(), 1)
        QTest.keyClick(page.table, "n")
        self.assertIn("does not apply", page.table.item(1, 2).text())
        self.session.undo.undo()
        page.refresh()
        self.assertEqual(page.table.item(1, 2).text(), "☐")
        page.keys_kept.setText("envelope in the safe")
        page.keys_kept.editingFinished.emit()
        self.assertEqual(self.model.camera.about.keys_kept, "envelope in the safe")
        page.housing.setText("Slipway")
        page.housing.editingFinished.emit()
        self.assertEqual(self.model.camera.about.housing, "Slipway")
        paper = self.folder / "list.pdf"
        with patch.object(QFileDialog, "getSaveFileName", return_value=(str(paper), "")):
            page.choose_pdf()
        self.assertTrue(paper.read_bytes().startswith(b"%PDF"))
        page.model.save(self.folder / "not there" / "list.pdf")
        self.assertIn("could not be saved", self.session.messages.told[-1].text)
        self.painted(page)
        folder = self.session.folder
        self.window.open_project(folder)
        session = self.window.session
        camera = next(i for i in session.camera_ids() if session.camera_name(i) == "Slipway")
        self.window.open_camera(camera, "setup")
        self.assertIn("Ada", self.window.pages["setup"].table.item(0, 4).text())


class Prove(StepCase):
    def test_a_missed_visit_names_its_gate_and_is_logged(self):
        page = self.open_camera("Pontoon gate", "prove")
        words, at = page.model.offers()[0]
        self.assertIn("not marked: person", words)
        page.model.ask(at.replace(tzinfo=None), Question.NOT_RECORDED)
        self.assertRegex(page.why.answer.text(), r"Motion did not mark it: size, its largest motion .* is needed")
        with patch("guardia.ui.steps.prove_page.ask_note", return_value="came back for a tool"):
            page.why.log_finding()
        entry = self.model.corrections.logbook()[0]
        self.assertEqual(entry.what, "looked into")
        self.assertIn("came back for a tool", entry.detail)
        self.session.undo.undo()
        self.assertNotIn("looked into", [e.what for e in self.model.corrections.logbook()])

    def test_what_a_look_at_the_camera_showed_is_said_kept_and_taken_back(self):
        page = self.open_camera("Pontoon gate", "prove")
        why, last = page.why, max(c.end_s for c in self.model.evidence.clips)
        page.model.ask(self.session.local_time(last + 40 * 86400.0).replace(tzinfo=None), Question.NOT_RECORDED)
        unknown = [gate.name for gate in page.model.diagnosis().checks]
        self.assertGreater(len(unknown), 2)
        self.assertEqual(why._chosen().name, unknown[0], "what to look at first is chosen")
        fine, cause, back = why.looks
        fine.click()
        left = [gate.name for gate in page.model.diagnosis().checks]
        self.assertEqual((left, why._chosen().name), (unknown[1:], left[0]), "then what to look at next")
        cause.click()
        self.assertEqual(page.model.diagnosis().cause.name, left[0])
        self.assertIn("somebody looked: the cause", why.answer.text())
        with patch("guardia.ui.steps.prove_page.ask_note", return_value=""):
            why.log_finding()
        logged = self.model.corrections.logbook()[0].detail
        self.assertTrue(f"{unknown[0]}: fine" in logged and f"{left[0]}: the cause" in logged, logged)
        page.model.ask(page.model.at.replace(tzinfo=None) + timedelta(hours=1), Question.NOT_RECORDED)
        self.assertEqual(page.model.answers(), {}, "it was said of that moment alone")
        page.model.ask(page.model.at.replace(tzinfo=None) - timedelta(hours=1), Question.NOT_RECORDED)
        why.table.selectRow([gate.name for gate in why._gates].index(left[0]))
        back.click()
        self.assertIsNone(page.model.diagnosis().cause)
        self.assertIn(f"say that '{left[0]}' is not known", self.session.undo.undoText())
        self.session.undo.undo()
        self.assertEqual(page.model.diagnosis().cause.name, left[0])
        ticks = {line.mark for line in self.session.step_model(SetupModel, self.model).lines()}
        self.assertEqual(ticks, {Tick.OPEN}, "looks are no ticks of the list")

    def test_the_workshop_recorded_to_a_plan_that_is_not_there(self):
        page = self.open_camera("Workshop door", "prove")
        page.model.ask(datetime(2026, 9, 14, 3, 0), Question.NOT_RECORDED)
        closed = [page.why.table.item(r, 0).text() for r in range(page.why.table.rowCount())
                  if "closed" in page.why.table.item(r, 1).text()]  # fmt: skip
        self.assertEqual(closed[:2], ["recording hours", "target"])
        names = [page.why.table.item(r, 0).text() for r in range(page.why.table.rowCount())]
        self.assertEqual(names, [gate.name for gate in page.model.diagnosis().reasons], "in the order of the chain")
        looked_at = [page.why.table.item(r, 1).text() for r in range(len(names))]
        first = page.model.diagnosis().checks[0].name
        self.assertIn("look 1", looked_at[names.index(first)])
        page.why.question.setCurrentIndex(page.why.question.findData(Question.NO_PICTURE))
        page.why.question.activated.emit(2)
        self.assertIs(page.model.question, Question.NO_PICTURE)
        self.painted(page)

    def test_too_many_alerts_and_bad_at_night_are_asked_without_a_moment(self):
        page = self.open_camera("Workshop door", "prove")
        for question, words in ((Question.TOO_MANY, "16 false alerts"), (Question.AT_NIGHT, "Headlights: 5 false")):
            answered = QSignalSpy(page.model.complaining.changed)
            page.why.question.setCurrentIndex(page.why.question.findData(question))
            page.why.question.activated.emit(0)
            self.assertFalse(page.why.at.isEnabled())
            if page.model.diagnosis() is None:
                self.wait(answered)
            self.assertIn(words, page.why.answer.text())
            self.assertGreater(page.why.table.rowCount(), 3)
        with patch("guardia.ui.steps.prove_page.ask_note", return_value=""):
            page.why.log_finding()
        self.assertIn("bad at night", self.model.corrections.logbook()[0].detail)

    def test_the_way_of_a_visit_over_three_cameras_is_learnt(self):
        self.read_all()
        page = self.open_camera("Pontoon gate", "prove")
        linked = QSignalSpy(page.model.linking.changed)
        page.tabs.setCurrentWidget(page.linked)
        if page.model.linked() is None:
            self.wait(linked)
        ways = {(page.linked.ways.item(r, 0).text(), page.linked.ways.item(r, 1).text())
                for r in range(page.linked.ways.rowCount())}  # fmt: skip
        self.assertEqual(ways, {("Office step", "Pontoon gate"), ("Pontoon gate", "Slipway")})
        self.assertIn("Office step to Pontoon gate: ", page.linked.travel.accessibleDescription())
        self.painted(page.linked.travel)
        visits = page.linked.visits
        heads = [visits.horizontalHeaderItem(n).text() for n in range(visits.columnCount())]
        self.assertEqual(heads, ["seen first by", "then by", "after", "what"])
        ends = {tuple(visits.item(row, n).text().split(", ")[0] for n in (0, 1)) for row in range(visits.rowCount())}
        self.assertEqual(ends, ways)
        self.painted(page)
        row = next(r for r in range(visits.rowCount()) if visits.item(r, 1).text().startswith("Slipway"))
        visits.itemActivated.emit(visits.item(row, 1))
        shown = self.session.camera_name(self.window.camera_id), self.window.current_step()
        self.assertEqual(shown, ("Slipway", "evidence"))

    def test_walks_are_planned_entered_by_key_and_printed(self):
        page = self.open_camera("Pontoon gate", "prove")
        planned = QSignalSpy(page.model.planning.changed)
        page.tabs.setCurrentWidget(page.walks)
        if page.model.plan() is None:
            self.wait(planned)
        table = page.walks.table
        self.assertIn("straight towards the camera", table.item(0, 0).text())
        self.assertFalse(page.walks.picture.isVisible(), "without a view there is nothing to draw on")
        table.setCurrentCell(1, 0)
        table.setFocus()
        before = alert_delay(self.model.facts.readings())
        page.walks.alert.setValue(9)
        QTest.keyClick(table, Qt.Key.Key_R)
        self.assertEqual(alert_delay(self.model.facts.readings()).came, (before.came if before else 0) + 1)
        self.assertIn("the alert 9 s after the trigger", self.model.corrections.logbook()[0].detail)
        self.assertEqual(page.walks.alert.text(), "not looked at")
        self.session.undo.undo()
        self.assertEqual(alert_delay(self.model.facts.readings()), before)
        table.setCurrentCell(0, 0)
        QTest.keyClick(table, Qt.Key.Key_M)
        self.assertEqual(table.item(0, 3).text(), "missed")
        self.assertEqual(self.model.evidence.walks[0].result, "M")
        self.assertEqual(table.currentRow(), 1)
        self.assertIn("missed", self.model.corrections.logbook()[0].detail)
        self.session.undo.undo()
        self.assertEqual((self.model.evidence.walks, self.model.corrections.logbook()), ((), []))
        self.assertEqual(table.item(0, 3).text(), "")
        self.session.undo.redo()
        self.assertEqual(len(self.model.evidence.walks), 1)
        looked = QSignalSpy(page.model.looking.changed)
        if page.model.looks() is None:
            self.wait(looked)
        self.assertRegex(page.walks.looks.text(), "Walk test of 12 Sep 2026 .*: sharp")
        card = self.folder / "card.pdf"
        with patch.object(QFileDialog, "getSaveFileName", return_value=(str(card), "")):
            page.walks.choose_pdf()
        self.assertTrue(card.read_bytes().startswith(b"%PDF"))
        self.painted(page)


class Copy(StepCase):
    def test_a_draft_is_copied_in_each_makes_form_and_taken_back_in_one_step(self):
        self.read_all()
        self.open_camera("Pontoon gate", "sensitivity")
        model = self.model
        model.change_draft(model.draft.with_values(hold_s=0.6, objects=("person", "animal"), pre_record_s=2.0), "try")
        others = {m.camera.name: m for m in self.session.cameras.opened.values()}
        before = {name: m.draft for name, m in others.items()}
        lost = dict(self.session.copying.losses(model, zones=False).values())
        self.assertIn("the nearest of this make", lost["Winter store"][0])
        self.assertTrue(any(line.startswith("object filter: person, animal becomes") for line in lost["Office step"]))
        self.assertEqual(lost["Fuel berth"], [])
        wanted = [others[n].camera.id for n in ("Fuel berth", "Winter store")]

        def tick(dialog):
            for n in range(dialog.tree.topLevelItemCount()):
                item = dialog.tree.topLevelItem(n)
                if item.data(0, Qt.ItemDataRole.UserRole) in wanted:
                    item.setCheckState(0, Qt.CheckState.Checked)

        self.answer(True, tick)
        self.window.commands.copy_draft()
        self.assertEqual(others["Fuel berth"].draft.detection.hold_s, 0.6)
        self.assertEqual(others["Fuel berth"].draft.detection.zones, before["Fuel berth"].detection.zones)
        self.assertEqual(others["Winter store"].draft.detection.objects, ())
        self.assertEqual(others["Slipway"].draft, before["Slipway"])
        self.session.undo.undo()
        self.assertEqual({name: m.draft for name, m in others.items() if m is not model},
                         {name: draft for name, draft in before.items() if name != "Pontoon gate"})  # fmt: skip


class DescribeAMake(StepCase):
    def node(self, editor, *path):
        item = editor.tree.invisibleRootItem()
        for words in path:
            item = next(item.child(n) for n in range(item.childCount()) if item.child(n).text(0) == words)
        return item

    def test_every_value_is_changed_checked_saved_and_taken(self):
        self.open_camera("Fuel berth", "setup")
        saved, told = self.folder / "make.json", []

        def describe(editor):
            self.node(editor, "name on screen").setText(1, "Boathouse camera")
            self.node(editor, "pause after a recording, s").setText(1, "0, 7, 20")
            self.node(editor, "zones at most").setText(1, "many")
            told.append(editor.trouble.text())
            self.node(editor, "hours", "its clock goes in steps of, min").setText(1, "7")
            told.append(editor.trouble.text())
            told.append(editor.ends.button(editor.ends.StandardButton.Ok).isEnabled())
            self.node(editor, "hours", "its clock goes in steps of, min").setText(1, "5")
            editor.tree.setCurrentItem(self.node(editor, "storage and power", "qualities, the best first"))
            editor.add_row()
            editor.battery.setChecked(True)
            self.node(editor, "storage and power", "battery", "usable charge, Wh").setText(1, "31.5")
            told.append(editor.trouble.text())
            with patch.object(QFileDialog, "getSaveFileName", return_value=(str(saved), "")):
                editor.choose_file()

        self.answer(True, describe)
        self.window.commands.describe_make()
        self.assertIn("'many' is no zones at most", told[0])
        self.assertIn("step that divides 60", told[1])
        self.assertEqual(told[2], False)
        self.assertIn("It can be used", told[3])
        make = self.model.camera.capability
        self.assertEqual((make.name, make.rest_choices_s, make.schedule.step_min), ("Boathouse camera", (0, 7, 20), 5))
        self.assertEqual((len(make.storage.qualities), make.storage.power.battery_wh), (4, 31.5))
        self.assertEqual(make_from_file(saved)["name"], "Boathouse camera")
        self.session.undo.undo()
        self.assertEqual(self.model.camera.capability.name, "Polygon mains camera (generic)")
        for name in shipped_capabilities():
            self.assertEqual(MakeDraft(capability_data(name)).trouble, "", name)


class ReadBack(StepCase):
    def test_what_a_reset_changed_is_found_dated_and_logged(self):
        self.open_camera("Fuel berth", "sensitivity")
        model = self.model
        before, epochs = model.camera.installed, len(model.evidence.epochs)
        self.assertEqual(model.read_back(before), [])
        self.window.commands.ask_installed()
        dialog = self.window.commands.as_it_is
        dialog.choose("notch", "9")
        dialog.choose("rest_s", 30)
        dialog.changed_since.setChecked(True)
        dialog.accept()
        self.assertEqual(model.camera.installed.detection.notch, "9")
        self.assertEqual(model.evidence.epochs[-2].settings, before)
        self.assertEqual(len(model.evidence.epochs), epochs + 1)
        self.assertIn("no longer set as it was entered", self.session.messages.told[-1].text)
        entry = model.corrections.logbook()[0]
        self.assertEqual(entry.what, "found set differently on the camera")
        self.assertIn("Pause after a recording: 30 s (was 5 s)", entry.detail)
        self.session.undo.undo()
        self.assertEqual((model.camera.installed, model.camera.draft), (before, before))
        self.assertEqual(len(model.evidence.epochs), epochs)


class DueAndLogbook(StepCase):
    def test_what_is_due_is_listed_and_saved_as_a_calendar(self):
        early = DueDialog(self.window, self.session)
        self.assertIn("6 cameras still to be read", early.words.text())
        self.read_all()
        self.assertNotIn("still to be read", early.words.text())
        early.deleteLater()
        calendar, told = self.folder / "due.ics", []

        def look(dialog):
            told.extend(dialog.table.item(row, 2).text() for row in range(dialog.table.rowCount()))
            with patch.object(QFileDialog, "getSaveFileName", return_value=(str(calendar), "")):
                dialog.choose_calendar()

        self.answer(True, look)
        self.click(self.window.pages["round"].due)
        self.assertIn("charge the battery", told)
        self.assertIn("empty 'Recorder disk', or let it overwrite", told)
        self.assertIn(b"Winter store: charge the battery", calendar.read_bytes())

    def test_a_report_for_the_owner_has_a_page_a_camera(self):
        self.read_all()
        paper = self.folder / "report.pdf"
        asked = patch.object(QInputDialog, "getItem", return_value=(ReportPictures.NONE.value, True))
        with asked, patch.object(QFileDialog, "getSaveFileName", return_value=(str(paper), "")):
            self.window.actions_by_id["report"].trigger()
        content = paper.read_bytes()
        self.assertEqual(
            content.count(b"/Type /Page\n") + content.count(b"/Type /Page "), len(self.session.cameras.opened)
        )
        self.assertIn("A report of 6 cameras", self.session.messages.told[-1].text)
        Exports(self.session).save_report(str(self.folder / "not there" / "report.pdf"))
        self.assertIn("could not be saved", self.session.messages.told[-1].text)

    def test_what_came_of_a_change_stands_beside_what_was_expected(self):
        page = self.open_camera("Fuel berth", "handover")
        model = self.model
        model.change_draft(model.draft.with_values(notch="7"), "try")
        change = datetime(2026, 9, 14, tzinfo=self.session.time_zone).timestamp()
        with patch("guardia.store.logbook.time.time", return_value=change):
            model.install_draft("tried", change)
        entry = next(e for e in model.corrections.logbook() if "Expected on this evidence" in e.detail)
        for occurrence in [o.id for o in model.evidence.occurrences if not o.kind]:
            model.occurrences.judge([occurrence], "foliage")
        self.assertIn("were to be expected (90 %)", model.observed(entry))
        page.refresh()
        texts = [page.logbook.item(n).text() for n in range(page.logbook.count())]
        self.assertTrue(any("Observed: On" in text for text in texts))
        path = self.folder / "log.csv"
        Exports(self.session).save_logbook(str(path))
        self.assertIn("were to be expected", path.read_text("utf-8"))

    def test_the_logbook_is_added_to_searched_and_saved(self):
        page = self.open_camera("Slipway", "handover")
        with (
            patch.object(QInputDialog, "getItem", return_value=("visit", True)),
            patch("guardia.ui.steps.handover_page.ask_note", return_value="wiped the lens"),
        ):
            page.add_entry()
        page.search.setText("LENS visit")
        self.assertEqual([page.logbook.item(n).text()[-14:] for n in range(page.logbook.count())], ["wiped the lens"])
        page.search.setText("no such word")
        self.assertIn("No entry has these words", page.logbook.item(0).text())
        table = self.folder / "log.csv"
        with patch.object(QFileDialog, "getSaveFileName", return_value=(str(table), "")):
            page.choose_logbook()
        self.assertIn("Slipway,visit,wiped the lens", table.read_text("utf-8-sig"))
