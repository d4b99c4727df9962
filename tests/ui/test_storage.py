"""The step Storage through the window: three mistakes found and mended, figures opened, stores entered."""

from datetime import date
from unittest.mock import patch

from PyQt6.QtCore import QDate, Qt
from PyQt6.QtTest import QSignalSpy, QTest
from PyQt6.QtWidgets import QApplication, QFileDialog, QPushButton

from guardia.core.replay.gates import KEPT, TARGET
from guardia.core.storage.readings import Measure
from guardia.core.storage.stores import StoreKind
from guardia.core.storage.trend import threshold_of
from tests.ui.test_steps import StepCase


class Storage(StepCase):
    def page_of(self, name):
        return self.open_camera(name, "storage")

    def choose(self, page, name, text):
        """Choose in one of the boxes of the settings tab, as by mouse."""
        page.tabs.setCurrentWidget(page.settings)
        box = page.settings.boxes[name]
        box.setCurrentIndex(box.findText(text))
        box.activated.emit(box.currentIndex())

    def kept_gates(self):
        outcomes = self.model.comparison.draft_replay.outcomes.values()
        return [o.kept_gate for o in outcomes if o.kept_gate is not None]

    def test_the_wrong_target_is_found_and_mended(self):
        self.read_all()
        buttons = self.window.pages["round"].findChildren(QPushButton)
        self.assertIn("Look at the storage", [b.text() for b in buttons])
        page = self.page_of("Workshop door")
        self.assertIn("set to record to 'remote plan', which it does not have", page.words.text())
        self.assertEqual(set(self.kept_gates()), {TARGET})
        self.choose(page, "target", "card in the camera")
        self.assertEqual(self.kept_gates(), [])
        self.assertTrue(page.words.text().startswith("Cured by the draft"))
        self.assertIs(self.model.camera.draft.storage.target, StoreKind.CARD)
        self.painted(page)
        self.session.undo.undo()
        self.assertIn("which it does not have", page.words.text())

    def test_a_full_disk_that_does_not_overwrite_is_found_and_mended(self):
        page = self.page_of("Slipway")
        self.assertIn("full since 2026-09-19 and does not overwrite", page.words.text())
        # The evidence says so, too: nothing came after the noon on which the disk was read as full.
        full = self.model.comparison.draft_replay.keeping.full_s
        self.assertLess(max(c.end_s for c in self.model.evidence.clips), full)
        self.assertIn("nothing since 2026-09-19: full", page.model.sections()[0].lanes[1].note)
        QTest.keyClick(page.settings.checks["overwrite"], Qt.Key.Key_Space)
        self.assertTrue(self.model.camera.draft.storage.overwrite)
        self.assertEqual(page.model.sections()[0].lanes[1].from_days, 0.0)
        self.assertTrue(page.words.text().startswith("Cured by the draft"))
        self.window.go("evidence")
        self.window.go("storage")
        self.painted(page.bars)

    def test_minute_snapshots_on_a_battery_are_found_and_mended(self):
        page = self.page_of("Winter store")
        self.assertIn("snapshots 88%", page.words.text())
        charge = page.model.sections()[1].lanes
        self.choose(page, "snapshot_every_s", "none")
        mended = page.model.sections()[1].lanes
        self.assertGreater(mended[1].figure.value, 5 * charge[1].figure.value)
        self.assertEqual(mended[0].figure.value, charge[0].figure.value)
        self.assertIn("charge it on", mended[1].note)
        self.assertNotIn("snapshots", page.words.text())

    def test_a_camera_is_asked_only_what_it_has_and_its_supply_goes_by_what_feeds_it(self):
        page = self.page_of("Fuel berth")

        def read(dialog):
            self.assertNotIn(Measure.BATTERY_2, dialog.values)
            self.assertEqual(dialog.fed.currentText(), "12 V", "as its make states")
            dialog.fed.setCurrentIndex(dialog.fed.findData(5.0))
            dialog.known[Measure.SUPPLY].setChecked(True)
            dialog.values[Measure.SUPPLY].setValue(4.9)

        self.answer(True, read)
        page.stores.read_camera()
        rules, facts = self.model.camera.capability.storage, self.model.evidence.storage.facts
        self.assertEqual(threshold_of(Measure.SUPPLY, rules, facts).level, 4.6, "4.9 V of 5 are well")

    def test_a_longest_time_to_keep_stands_beside_the_shortest_and_is_found(self):
        page = self.page_of("Slipway")
        self.assertEqual([words for _, words in page.model.sections()[0].marks], ["21 days required"])
        self.answer(True, lambda dialog: dialog.value.setValue(30.0))
        page.ask_most()
        self.assertEqual(
            [words for _, words in page.model.sections()[0].marks], ["21 days required", "at most 30 days"]
        )
        self.painted(page.bars)
        self.model.facts.set_installed(self.model.camera.installed.with_values(overwrite=True))
        self.assertIn("footage must be gone after 30 days", page.words.text())

    def test_a_store_that_gets_everything_as_well_has_a_bar_of_its_own(self):
        page = self.page_of("Pontoon gate")
        self.painted(page.bars)
        lanes = page.model.sections()[0].lanes
        self.assertEqual([(lane.name, lane.of_draft) for lane in lanes],
                         [("installed", False), ("", False), ("draft", True), ("", True)])  # fmt: skip
        self.assertEqual(lanes[1].note, "on 'Copy of the pontoon'")
        self.assertEqual((lanes[1].figure.value, lanes[1].figure.how), (14.0, "by the plan"))
        for _ in range(3):  # past the causes of the chosen store
            QTest.keyClick(page.bars, Qt.Key.Key_Down)
        self.assertEqual(page.working.tree.topLevelItem(0).text(0), "days kept by Copy of the pontoon")
        self.assertEqual(page.model.figure_named(None).name, "days kept", "the chosen store comes first")

    def test_figures_open_their_working_and_what_is_assumed_can_be_typed_in(self):
        page = self.page_of("Fuel berth")
        self.painted(page.bars)
        QTest.keyClick(page.bars, Qt.Key.Key_Return)
        self.assertIs(page.tabs.currentWidget(), page.working)
        tree = page.working.tree
        item = tree.findItems("reserve of file system and index", Qt.MatchFlag.MatchRecursive)[0]
        self.assertEqual(item.text(2), "assumed")
        before = self.model.comparison.draft_replay.keeping.days
        tree.setCurrentItem(item)
        refused = []

        def too_much(dialog):
            dialog.value.setValue(80.0)
            dialog.accept()
            refused.append(dialog.trouble.text())
            dialog.value.setValue(2.0)

        self.answer(True, too_much)
        self.click(page.working.type_in)
        self.assertIn("80 % cannot be", refused[0])
        after = self.model.comparison.draft_replay.keeping.days
        self.assertGreater(after.value, before.value)
        item = tree.findItems("reserve of file system and index", Qt.MatchFlag.MatchRecursive)[0]
        self.assertEqual(item.text(2), "typed")
        tree.setCurrentItem(item)
        self.click(page.working.assume)
        self.assertEqual(self.model.comparison.draft_replay.keeping.days, before)

    def test_a_store_is_entered_read_off_and_taken_out(self):
        page = self.page_of("Fuel berth")
        page.tabs.setCurrentWidget(page.stores)
        refused = []

        def enter(dialog):
            dialog.name.setText("Spare stick")
            dialog.capacity.setValue(-5.0)
            dialog.accept()
            refused.append(dialog.trouble.text())
            dialog.capacity.setValue(0.128)
            dialog.unit.setCurrentText("TB")
            dialog.known["begins"].setChecked(True)
            dialog.begins.setDate(QDate(2026, 9, 1))

        self.answer(True, enter)
        page.stores.add()
        self.assertIn("cannot be", refused[0])
        entered = self.model.evidence.storage.stores[-1]
        self.assertEqual((entered.store.capacity_gb, entered.store.begins), (128.0, date(2026, 9, 1)))
        table = page.stores.table
        row = next(r for r in range(table.rowCount()) if table.item(r, 0).text() == "Spare stick")
        table.setCurrentCell(row, 0)

        def read(dialog):
            for measure, value in ((Measure.USED, 20.0), (Measure.FREE, 99.0)):
                dialog.known[measure].setChecked(True)
                dialog.values[measure].setValue(value)

        self.answer(True, read)
        page.stores.read()
        self.assertEqual(len(self.model.evidence.storage.stores[-1].readings), 2)
        self.answer(True, lambda dialog: (dialog.accept(), refused.append(dialog.trouble.text()), dialog.reject()))
        page.stores.read_camera()
        self.assertIn("Nothing is entered", refused[-1])
        row = next(r for r in range(table.rowCount()) if table.item(r, 0).text() == "Spare stick")
        table.setCurrentCell(row, 0)
        page.stores.remove()
        self.assertNotIn("Spare stick", [f.store.name for f in self.model.evidence.storage.stores])

    def test_ways_the_asked_day_and_what_is_saved(self):
        page = self.page_of("Pontoon gate")
        asked = QSignalSpy(page.model.asking.changed)
        page.tabs.setCurrentWidget(page.answers)
        if page.model.ask() is None:
            self.wait(asked)
        self.assertIn("Best single change: quality 'low'", page.answers.words.text())
        self.painted(page.answers.what_if)
        table = page.model.ask()[0]
        self.assertEqual(len(page.answers.what_if._dots), len(table))
        placed = sorted((at.x(), one.days.value) for at, one in page.answers.what_if._dots)
        self.assertEqual([days for _, days in placed], sorted(days for _, days in placed), "the scale rises")
        page.tabs.setCurrentWidget(page.settings)
        for height, room in ((700, False), (1060, True)):
            self.window.resize(1400, height)
            QApplication.processEvents()
            self.assertEqual(page.settings.chart.isVisible(), room)
        self.painted(page.settings.chart.bars)
        self.assertEqual(len(page.settings.chart.bars._dots), len(table))
        page.tabs.setCurrentWidget(page.answers)
        texts = [page.answers.ways.item(r, 0).text() for r in range(page.answers.ways.rowCount())]
        self.assertIn("loses 4 real of the evidence: record by motion", texts)
        ways = page.answers.ways
        low = next(r for r in range(ways.rowCount()) if "quality 'low'" in ways.item(r, 0).text())
        ways.itemActivated.emit(ways.item(low, 0))
        self.assertEqual(self.model.camera.draft.storage.quality, "low")
        self.answer(True, lambda dialog: dialog.at.setDate(QDate(2026, 9, 30)))
        self.click(page.asked)
        self.assertEqual(page.model.asked, date(2026, 9, 30))
        self.assertEqual(set(self.kept_gates()), {KEPT})
        page.tabs.setCurrentWidget(page.save)
        self.assertIn("asked on 2026-09-30", page.save.words.text())
        target = self.folder / "stick"
        target.mkdir()
        page.save.table.selectRow(0)
        done = QSignalSpy(page.model.jobs.finished)
        with patch.object(QFileDialog, "getExistingDirectory", return_value=str(target)):
            page.save.choose_folder()
        self.wait(done)
        self.assertEqual(len(list(target.glob("pontoon-gate_*/*.json"))), 1)
        again = QSignalSpy(page.model.asking.changed)
        page.tabs.setCurrentWidget(page.schools)
        if page.model.ask() is None:
            self.wait(again)
        self.assertEqual(page.schools.table.item(0, 0).text(), "always")
        self.painted(page)

    def test_without_a_store_the_page_says_what_to_do(self):
        page = self.page_of("Fuel berth")
        for fitted, _ in page.model.stores():
            page.model.remove_store(fitted.id)
        self.assertIn("Enter the store", page.words.text())
        for number in range(page.tabs.count()):
            page.tabs.setCurrentIndex(number)
            self.painted(page)
