"""The practice dialog: a scene is recorded and opened, the truth shown, progress kept."""

from unittest.mock import patch

from PyQt6.QtTest import QSignalSpy

from guardia.app.project.practice import FILE, Result, kept_results
from guardia.app.scripted.whole_job import new_project
from guardia.core.base.errors import ProjectError
from guardia.ui.shell.practice_dialog import PracticeDialog
from tests.ui.support import GuiCase

RESULT = Result(
    "2026-11-20T10:00:00+00:00", 2, 0, "Yard", (14, 0), (8, 1), (3, 0), 11, 0.5, (("zones", 5.0),), 20, 19
)  # fmt: skip
MODEL = "guardia.app.steps.practice_model."


def recorded(folder, level, seed, *, token, progress):
    new_project(
        folder, site="Practice", time_zone="UTC", camera="Yard", make="polygon-mains-camera", settings=None
    )  # fmt: skip
    (folder / FILE).write_text("{}")
    return folder


class Practice(GuiCase):
    def dialog(self):
        session = self.window.session
        dialog = PracticeDialog(self.window, self.folder / "home", session.folder if session else None)
        dialog.show()
        return dialog

    def test_a_scene_is_opened_and_its_truth_shown_and_kept(self):
        dialog = self.dialog()
        self.assertFalse(dialog.truth.isEnabled())
        dialog.table.selectRow(1)
        done = QSignalSpy(dialog.accepted)
        with patch(MODEL + "new_scene", recorded):
            self.click(dialog.begin)
            self.wait(done)
        self.assertEqual(dialog.folder.name, "2-0")
        self.window.open_project(dialog.folder)
        again = self.dialog()
        self.assertEqual(again.model.next_scene(), 1)
        done = QSignalSpy(again.model.jobs.finished)
        with patch(MODEL + "finish", lambda *_a, **_k: RESULT):
            self.click(again.truth)
            self.wait(done)
        self.assertIn("50% of the possible gain", again.words.text())
        self.assertIn("'zones' would have saved 5", again.words.text())
        self.assertEqual(again.table.item(1, 3).text(), "50%")
        self.assertEqual(kept_results(self.folder / "home"), [RESULT])
        again.reject()

    def test_a_failure_is_told_in_the_dialog_and_closing_stops_the_work(self):
        dialog = self.dialog()

        def broken(*_args, **_more):
            raise ProjectError("The disk is full.")

        def endless(*_args, token, **_more):
            while True:
                token.check()

        done = QSignalSpy(dialog.model.jobs.finished)
        with patch(MODEL + "new_scene", broken):
            self.click(dialog.begin)
            self.wait(done)
        self.assertIn("The disk is full", dialog.words.text())
        with patch(MODEL + "new_scene", endless):
            self.click(dialog.begin)
            self.assertTrue(dialog.stop.isVisible())
            closed = QSignalSpy(dialog.rejected)
            dialog.reject()
            self.wait(closed)
        self.assertFalse(dialog.model.jobs.busy)
