"""The technician's first hour on one camera, through the real window, with files as they come off its card."""

import json
import shutil
from datetime import datetime
from pathlib import Path
from unittest import mock

from PyQt6.QtCore import QPointF, Qt, QTimer
from PyQt6.QtTest import QSignalSpy, QTest
from PyQt6.QtWidgets import QApplication, QLineEdit, QPushButton

from guardia.app.steps.polygon_tool import DrawMode
from guardia.benchcam.record import read_truth
from guardia.benchcam.tern_quay import right_kind
from guardia.core.evidence.clips import Origin
from guardia.core.make.levers import LEVER_OF
from guardia.core.purpose.judgement import kind_of
from guardia.store.project import Project
from guardia.tools.screenshots import EXAMPLE_ZONE
from guardia.ui.parts.make_list import MakeList
from guardia.ui.steps.round_page import Fortnight
from tests.support import DEMO, TRUTH, pontoon
from tests.ui.support import APP, GuiCase

CLIPS = 9


class FirstHour(GuiCase):
    def card_of_the_camera(self):
        """The files of the pontoon gate's first days under the names that the camera gave them, in folders by kind."""
        with Project(DEMO) as project:
            camera = pontoon(project)
            clips = project.clips.of(camera.id)
            for origin, count in ((Origin.MOTION, CLIPS), (Origin.WALK_TEST, 1)):
                folder = self.folder / "card" / origin.value
                folder.mkdir(parents=True)
                for clip in [c for c in clips if c.origin is origin][:count]:
                    shutil.copy(project.clips.path(clip.id), folder / clip.name)
            return camera.installed

    def answer(self, fill):
        def act():
            dialog = QApplication.activeModalWidget()
            fill(dialog)
            dialog.accept()

        QTimer.singleShot(0, act)

    def bring_in(self, origin):
        self.window.actions_by_id["bring_in"].trigger()
        dialog = self.window.pages["evidence"].importing
        dialog.origin.setCurrentIndex(dialog.origin.findData(origin))
        looked = QSignalSpy(dialog.model.changed)
        folder = str(self.folder / "card" / origin.value)
        with mock.patch("guardia.ui.steps.import_dialog.QFileDialog.getExistingDirectory", return_value=folder):
            dialog.add_folder()
        self.wait(looked)
        self.assertEqual(dialog.table.model().rowCount(), len(list(Path(folder).iterdir())))
        names = self.column(dialog.table, 0)
        dialog.table.sortByColumn(2, Qt.SortOrder.DescendingOrder)
        begun = self.column(dialog.table, 2)
        latest_first = sorted(
            begun, key=lambda t: datetime.strptime(f"{t} +0000", "%a %d %b %Y %H:%M:%S %z"), reverse=True
        )
        self.assertEqual(begun, latest_first)
        dialog.table.sortByColumn(-1, Qt.SortOrder.AscendingOrder)
        self.assertEqual(self.column(dialog.table, 0), names, "as they were found")
        finished = QSignalSpy(self.window.session.intake.jobs.finished)
        self.click(dialog.go)
        self.wait(finished)

    @staticmethod
    def column(table, number):
        model = table.model()
        return [model.index(row, number).data() for row in range(model.rowCount())]

    def key_for(self, truth, clip, occurrence):
        return kind_of(right_kind(truth[clip.name], occurrence.start_s, occurrence.end_s)).key.lower()

    def test_from_an_empty_window_to_a_settings_sheet(self):
        installed = self.card_of_the_camera()
        truth = read_truth(TRUTH / "pontoon-gate.jsonl")

        # A site of one's own, and its first camera.
        self.answer(lambda dialog: dialog.findChild(QLineEdit).setText("North Basin"))
        with mock.patch("guardia.app.project.preferences.user_documents_dir", return_value=str(self.folder)):
            self.window.actions_by_id["new"].trigger()
        self.assertEqual(self.window.session.folder, self.folder / "Guardia" / "north-basin")
        self.assertIn("North Basin", self.window.windowTitle())

        def name_and_make(dialog):
            dialog.findChild(QLineEdit).setText("Gate")
            makes = dialog.findChild(MakeList)
            ids = [makes.list.item(n).data(Qt.ItemDataRole.UserRole)["id"] for n in range(makes.list.count())]
            makes.list.setCurrentRow(ids.index(installed.capability))

        self.answer(name_and_make)
        self.window.actions_by_id["add_camera"].trigger()
        session = self.window.session
        model = session.camera(self.window.camera_id)
        self.assertEqual(self.window.current_step(), "evidence")

        # What is installed on the camera is entered first, so that its clips are judged against the right settings.
        as_it_is = self.window.commands.as_it_is
        self.assertTrue(as_it_is.isVisible())
        for name in as_it_is.boxes:
            as_it_is.choose(name, LEVER_OF[name].read(installed))
        as_it_is.accept()
        self.assertEqual((model.camera.installed, model.draft), (installed, installed))
        self.assertEqual(model.corrections.logbook(), [])

        # The card's clips and the walk test come in.
        self.window.go("evidence")
        self.bring_in(Origin.MOTION)
        self.bring_in(Origin.WALK_TEST)
        occurrences = model.evidence.occurrences
        self.assertGreaterEqual(len(occurrences), CLIPS + 1)
        self.assertEqual(len(model.evidence.clips), CLIPS + 1)

        # Judge each with one key, after a look at one of them.
        evidence = self.window.pages["evidence"]
        evidence.show_unjudged()
        read = QSignalSpy(session.pictures.succeeded)
        self.press(evidence.list, Qt.Key.Key_Space)
        self.wait(read)
        self.press(evidence.player, Qt.Key.Key_Escape)
        for _ in range(len(occurrences)):
            (chosen,) = evidence.selected_ids()
            occurrence = model.occurrence(chosen)
            clip = model.evidence.clips[model.evidence.clip_index[occurrence.clip_id]]
            self.press(evidence.list, self.key_for(truth, clip, occurrence))
        self.assertEqual([o for o in model.evidence.occurrences if not o.kind], [])

        # Draw the watch zone, try a lower notch and take it back, look at what flips.
        before = model.comparison.installed
        self.window.go("zones")
        zones = self.window.pages["zones"]
        zones.set_mode(DrawMode.WATCH)
        for x, y in EXAMPLE_ZONE.points:
            self.click(zones.canvas, zones.canvas.to_widget((min(x, 0.995), min(y, 0.995))).toPoint())
        self.press(zones.canvas, Qt.Key.Key_Return)
        self.window.go("sensitivity")
        self.press(self.window.pages["sensitivity"].notch, Qt.Key.Key_Left)
        self.assertNotEqual(model.draft.detection.notch, installed.detection.notch)
        self.window.actions_by_id["undo"].trigger()
        self.assertEqual(model.draft.detection.notch, installed.detection.notch)
        after = model.comparison.draft
        self.assertLess(len(after.false_recorded), len(before.false_recorded))
        self.assertLessEqual(len(after.real_missed), len(before.real_missed))
        silenced = model.comparison.changes[0].occurrence.id
        self.window.panel.flips.setCurrentRow(0)
        self.window.panel.flips.itemActivated.emit(self.window.panel.flips.item(0))
        self.assertEqual(self.window.current_step(), "evidence")
        self.assertIn(silenced, evidence.selected_ids())

        # The sheet says it in the camera's words; once entered there is no draft left to hand over.
        self.window.go("handover")
        self.window.pages["handover"].save(self.folder / "gate.json")
        sheet = json.loads((self.folder / "gate.json").read_text("utf-8"))
        self.assertEqual(sheet["settings"]["detection"]["notch"], model.draft.detection.notch)
        self.click(self.window.pages["handover"].enter)

        # Round knows the camera, and a mark on its ribbon opens what it stands for.
        self.window.go("round")
        page = self.window.pages["round"]
        (action,) = [b for b in page.findChildren(QPushButton) if b.objectName() == "primary"]
        self.assertTrue(action.accessibleName().startswith("Gate:"))
        APP.sendPostedEvents()
        ribbon = page.findChild(Fortnight)
        self.painted(ribbon)
        place, chosen = ribbon.marks[-1]
        QTest.mouseMove(ribbon, place.toPoint())
        self.assertIn("click to see it", ribbon.toolTip())
        self.click(ribbon, QPointF(place).toPoint())
        self.assertEqual(self.window.current_step(), "evidence")
        self.assertEqual(evidence.selected_ids(), [chosen])

        # Next morning the program opens with the project at hand.
        self.window.close()
        again = type(self.window)(self.folder / "home")
        again.show()
        links = [b for b in again.findChildren(QPushButton) if b.objectName() == "link"]
        self.assertEqual([b.text() for b in links][-1:], ["north-basin"])
        self.click(links[-1])
        kept = again.session.camera(again.camera_id)
        self.assertEqual(kept.evidence.occurrences, model.evidence.occurrences)
        self.assertEqual(kept.camera.installed, model.camera.installed)
        again.close()
        again.deleteLater()
