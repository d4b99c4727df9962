"""A desktop program's manners: menus, finding, going from camera to camera, preferences, tables, size of text."""

from unittest.mock import patch

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QGuiApplication, QKeySequence
from PyQt6.QtWidgets import QAbstractButton, QComboBox, QDialog, QLabel, QMenu, QWidget

from guardia.app.project.preferences import Preferences, load_preferences
from guardia.app.steps.actions import ACTIONS, MENUS, RECENT, with_mnemonics
from guardia.app.steps.steps import STEPS
from guardia.ui.parts.tables import fill_table, row_table, sort_key
from guardia.ui.parts.theme import THEME
from guardia.ui.shell.main_window import MainWindow
from guardia.ui.shell.palette import Palette
from guardia.ui.shell.preferences_dialog import PreferencesDialog
from tests.ui.support import APP, GuiCase
from tests.ui.test_steps import StepCase


class Menus(GuiCase):
    def test_every_action_stands_in_one_menu_and_every_letter_in_a_menu_is_given_once(self):
        placed = [id for _, *groups in MENUS for group in groups for id in group if id != RECENT]
        self.assertEqual(sorted(placed), sorted(action.id for action in ACTIONS))
        window = self.window
        bar = window.menuBar()
        for menu in (bar, *(action.menu() for action in bar.actions())):
            texts = [action.text() for action in menu.actions() if not action.isSeparator()]
            letters = [text[text.index("&") + 1].lower() for text in texts if "&" in text]
            self.assertEqual(len(letters), len(set(letters)), texts)
            self.assertGreaterEqual(len(letters), len(texts) - 2)
        edit = bar.actions()[1].menu().actions()
        self.assertEqual([action.iconText() for action in edit[:2]], ["Undo", "Redo"])
        self.assertEqual(bar.actions()[0].menu().actions()[-1], window.actions_by_id["quit"])

    def test_letters_run_out_before_entries_do(self):
        self.assertEqual(with_mnemonics(["Save", "Set", "as", "e"]), ["&Save", "S&et", "&as", "e"])

    def test_what_needs_a_project_or_a_camera_waits_for_one(self):
        window = self.window
        for action in ACTIONS:
            if action.id not in ("undo", "redo"):
                self.assertEqual(window.actions_by_id[action.id].isEnabled(), not action.needs, action.id)


class Around(StepCase):
    def name_shown(self) -> str:
        return self.session.camera_name(self.window.camera_id)

    def find(self, letters: str) -> Palette:
        self.window.actions_by_id["palette"].trigger()
        palette = next(p for p in self.window.findChildren(Palette) if p.isVisible())
        palette.line.setText(letters)
        return palette

    def test_settings_cameras_and_the_guide_are_found_and_opened(self):
        self.open_camera("Slipway", "zones")
        palette = self.find("pontoon gate")
        self.press(palette.line, Qt.Key.Key_Return)
        self.assertEqual((self.name_shown(), self.window.current_step()), ("Pontoon gate", "zones"))
        palette = self.find("light at night")
        self.assertIn("installed: infrared", palette.list.item(0).text())
        self.press(palette.line, Qt.Key.Key_Return)
        self.assertEqual(self.window.current_step(), "storage")
        palette = self.find("weekly round")
        self.press(palette.line, Qt.Key.Key_Return)
        (guide,) = [d for d in self.window.findChildren(QDialog) if d.windowTitle() == "Guide"]
        self.assertIn("round", guide.list.currentItem().text().lower())
        guide.close()

    def test_the_same_page_is_shown_for_the_next_camera_and_from_the_last_for_the_first(self):
        self.open_camera("Slipway", "hours")
        ids = self.session.camera_ids()
        for _ in ids:
            self.window.actions_by_id["next_camera"].trigger()
        self.assertEqual(self.name_shown(), "Slipway")
        self.window.open_camera(ids[0], "hours")
        self.window.actions_by_id["previous_camera"].trigger()
        self.assertEqual((self.window.camera_id, self.window.current_step()), (ids[-1], "hours"))
        self.press(self.window.rail.place, Qt.Key.Key_Return)
        (cameras,) = [p for p in self.window.findChildren(Palette) if p.isVisible()]
        self.assertEqual(cameras.list.count(), len(ids) - 1)
        cameras.close()

    def test_a_project_is_closed_and_opened_again_from_the_recent_ones(self):
        folder = self.session.folder
        self.window.actions_by_id["close"].trigger()
        self.assertIsNone(self.window.session)
        self.assertIn("welcome", self.window.pages)
        self.assertFalse(self.window.actions_by_id["report"].isEnabled())
        (recent,) = [m for m in self.window.findChildren(QMenu) if "recent" in m.title().replace("&", "")]
        self.window.menuBar().actions()[0].menu().aboutToShow.emit()
        (again,) = [a for a in recent.actions() if str(folder) in a.text()]
        again.trigger()
        self.assertEqual(self.window.session.folder, folder)
        self.session = self.window.session

    def test_a_click_with_the_other_button_offers_what_fits(self):
        self.read_all()
        page = self.open_camera("Slipway", "evidence")
        offered = [action.text().replace("&", "") for action in page.list.actions()]
        self.assertTrue({"Play", "Judge as", "Join to one visit", "Start of clip…"} <= set(offered), offered)
        page.list.setCurrentIndex(page.proxy.index(0, 0))
        (chosen,) = page.selected_ids()
        (judge,) = [a.menu() for a in page.list.actions() if a.text() == "Judge as"]
        next(a for a in judge.actions() if a.text().startswith("vehicle")).trigger()
        self.assertEqual({o.kind for o in self.model.evidence.occurrences if o.id == chosen}, {"vehicle"})
        self.window.go("round")
        card = self.window.pages["round"].findChild(QWidget, "card")
        next(a for a in card.steps_menu().actions() if a.text() == "Storage").trigger()
        self.assertEqual(self.window.current_step(), "storage")

    def test_no_letter_of_a_page_is_one_of_the_menu_bar(self):
        self.open_camera("Slipway", "evidence")
        bar = {action.text()[action.text().index("&") + 1].lower() for action in self.window.menuBar().actions()}
        taken = []
        for step in STEPS:
            for widget in self.window.page(step.id).findChildren(QWidget):
                text = widget.text() if isinstance(widget, QAbstractButton | QLabel) else ""
                at = text.replace("&&", "").find("&")
                if at >= 0 and text[at + 1].lower() in bar:
                    taken.append(f"{step.id}: {text}")
        self.assertEqual(taken, [])

    def test_preferences_are_asked_applied_and_kept(self):
        def answer(dialog):
            self.assertEqual(dialog.text.currentData(), 100)
            dialog.text.setCurrentIndex(dialog.text.findData(125))
            dialog.colours.setCurrentIndex(1)
            dialog.distances.setCurrentIndex(1)
            dialog.reminders.setChecked(True)
            dialog.folder.setText("mine")
            dialog.accept()
            self.assertIn("no whole path", dialog.trouble.text())
            dialog.folder.setText(str(self.folder / "mine"))
            return QDialog.DialogCode.Accepted

        page = self.open_camera("Pontoon gate", "view")
        self.click(page.take)
        metres = page.height_box.metres()
        self.assertEqual(page.height_box.suffix(), " m")
        self.open_camera("Slipway", "zones")
        before = self.window.panel.width()
        self.assertEqual(self.window.messages.told, [])
        with patch.object(PreferencesDialog, "exec", answer):
            self.window.actions_by_id["preferences"].trigger()
        self.assertTrue(THEME.dark)
        self.assertAlmostEqual(APP.font().pointSizeF(), 12.5)
        self.assertEqual(self.window.current_step(), "zones")
        self.assertGreater(self.window.panel.width(), before)
        page = self.open_camera("Pontoon gate", "view")
        self.assertEqual((page.height_box.suffix(), page.height_box.value()), (" ft", round(metres / 0.3048, 1)))
        self.assertIn(" px/ft", next(line.asked for line in self.model.met[0] if line.id == "px_m"))
        self.assertEqual(page.model.reach_in_view(self.model.draft)[0][1][-3:], " ft")
        page = self.open_camera("Pontoon gate", "purpose")
        page.numbers["px_m"].setValue(10)
        self.assertAlmostEqual(self.model.evidence.purpose.px_m, 10 / 0.3048)
        self.window.open_project(self.session.folder)
        self.assertIn("due at Tern Quay", self.window.messages.told[-1].text)
        self.window.actions_by_id["smaller"].trigger()
        kept, _ = load_preferences(self.window._data_home)
        self.assertEqual((kept.text_percent, kept.dark, kept.above_projects.name), (110, True, "mine"))
        with patch.object(PreferencesDialog, "exec", lambda _dialog: QDialog.DialogCode.Rejected):
            self.window.actions_by_id["preferences"].trigger()
        self.assertEqual(self.window._preferences, kept)
        self.window.showMaximized()
        self.window.close()
        kept, _ = load_preferences(self.window._data_home)
        self.assertTrue(kept.maximised)
        again = MainWindow(self.window._data_home)
        self.assertTrue(again.isMaximized())
        again.close()


class Steps(GuiCase):
    def test_text_grows_and_shrinks_as_far_as_there_are_steps(self):
        largest = Preferences(text_percent=150)
        self.assertEqual([largest.with_text(n).text_percent for n in (1, -1, -9)], [150, 125, 90])


class Lists(GuiCase):
    def test_a_drop_down_list_is_whole_up_to_ten_entries_and_scrolls_beyond(self):
        for count in (2, 8, 10, 15):
            box = QComboBox(self.window)
            box.addItems([f"entry {n}" for n in range(count)])
            box.show()
            box.showPopup()
            APP.processEvents()
            self.assertEqual(box.view().verticalScrollBar().maximum(), max(0, count - 10), count)
            box.hidePopup()
            box.deleteLater()


class Tables(GuiCase):
    ROWS = (("9 s", "12 Oct 2026", "b"), ("10 s", "3 Nov 2025", ""), ("-2 s", "1 Jan 2026", "A"), ("", "", "c 2"))

    def table(self):
        table = row_table("Values", ("length", "day", "name"))
        fill_table(table, self.ROWS)
        return table

    def test_rows_are_sorted_by_value_and_keep_their_numbers(self):
        table = self.table()
        header = table.horizontalHeader()
        for column, orders in (
            (0, ([2, 0, 1, 3], [1, 0, 2, 3], [0, 1, 2, 3])),
            (1, ([1, 2, 0, 3],)),
            (2, ([2, 0, 3, 1],)),
        ):
            for order in orders:
                header.sectionClicked.emit(column)
                self.assertEqual(table.order(), order, column)
        self.assertEqual(table.item(0, 0).text(), "9 s")
        fill_table(table, self.ROWS[::-1])
        APP.processEvents()
        self.assertEqual(table.order(), [1, 3, 0, 2], "the order is kept when the table is filled again")
        self.assertLess(sort_key("9.5 (8 to 11)"), sort_key("10.1 (9 to 12)"))

    def test_rows_are_copied_as_they_stand_on_screen(self):
        table = self.table()
        table.sort_by(0, Qt.SortOrder.DescendingOrder)
        table.selectRow(2)
        menu = table.context_menu(table.columnAt(2))
        texts = [action.text() for action in menu.actions() if not action.isSeparator()]
        self.assertEqual(texts[:2], ["Copy", "Copy all rows"])
        self.assertIn("Not sorted", texts)
        clipboard = QGuiApplication.clipboard()
        copy, everything = (a for a in table.actions() if isinstance(a, QAction))
        self.assertEqual(copy.shortcut(), QKeySequence(QKeySequence.StandardKey.Copy))
        copy.trigger()
        self.assertEqual(clipboard.text(), "-2 s\t1 Jan 2026\tA")
        everything.trigger()
        self.assertEqual(
            [line.split("\t")[0] for line in clipboard.text().split("\n")], ["length", "10 s", "9 s", "-2 s", ""]
        )
