"""A project from a folder of clips, and what is new in it later."""

import os
import shutil
import time
import unittest
from zoneinfo import ZoneInfo

from PyQt6.QtTest import QSignalSpy

from guardia.app.intake.folder_watch import SETTLED_S, FolderWatch
from guardia.app.intake.from_folder import cameras_in
from guardia.app.intake.import_plan import Known, look_into, make_plan, rule_by_names
from guardia.app.intake.importing import ImportRequest
from guardia.app.project.first_day import begin_from, is_unknown
from guardia.app.project.session import Session
from guardia.app.work.jobs import Token
from guardia.app.work.messages import MessageHub
from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.clips import Origin
from guardia.store.project import Project
from tests.support import FolderCase, scene, steady, write_clip
from tests.ui.support import APP


def name_of(site: str) -> str:
    return site.lower()


class FirstDay(FolderCase):
    def touched(self, *names):
        """Empty files: only their names and folders are looked at."""
        for name in names:
            path = self.folder / "yard" / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.touch()
        return self.folder / "yard"

    def test_cameras_are_found_by_folder_by_name_or_as_one(self):
        for number, (names, rule, cameras) in enumerate((
            (("Gate/a.mp4", "Gate/2026-09-07/b.mp4", "Door/c.mkv"), "folder", ("Door", "Gate")),
            (("2026-09-07/gate_20260907_101112.mp4", "2026-09-08/door_20260907_101112.mp4"), "name", ("door", "gate")),
            (("cam1_20260907_101112.mp4", "cam2_20260907_101112.mp4"), "name", ("cam1", "cam2")),
            (("20260907_101112.mp4", "20260907_111112.mp4"), "one", ("yard",)),
            (("gate_20260907_101112.mp4", "gate_20260907_111112.mp4"), "one", ("gate",)),
            (("Gate/20260907_101112.mp4", "notes.txt", "Gate/still.jpg"), "one", ("Gate",)),
            (("holiday.mp4", "birthday.mp4"), "one", ("yard",)),
        )):  # fmt: skip
            with self.subTest(names):
                self.folder = self.folder.parent / f"{self.folder.name.split('+')[0]}+{number}"
                self.addCleanup(shutil.rmtree, self.folder, True)
                found = cameras_in([self.touched(*names)])
                self.assertEqual((found.site, found.rule), ("yard", rule))
                self.assertEqual(found.cameras, cameras)
        (self.folder / "empty").mkdir()
        with self.assertRaisesRegex(InvalidValue, "There is no clip in empty"):
            cameras_in([self.folder / "empty"])

    def test_a_project_is_made_beside_one_of_the_same_name_and_nothing_of_it_is_known(self):
        root = self.touched("Gate/a.mp4", "Door/b.mp4")
        first, second = (begin_from([root], above=self.folder, time_zone="UTC", name_of=name_of) for _ in range(2))
        self.assertEqual((first.folder.name, second.folder.name), ("yard-2", "yard-3"))
        with Project(first.folder) as project:
            for camera in project.cameras.all():
                self.assertTrue(is_unknown(camera.capability))
                self.assertFalse(camera.installed.says_what_triggers)

    def test_names_win_over_the_camera_that_is_open_and_a_file_of_another_camera_is_told(self):
        clip = write_clip(self.folder / "gate_20260907_080000.mp4", steady(1, 5), picture=scene)
        found = look_into([clip], Origin.MOTION, token=Token(), progress=lambda _p: None)
        size = clip.stat().st_size
        gate = Known(1, "Gate", "", 0.0, frozenset())
        door = Known(2, "Door", "", 0.0, frozenset({(clip.name, size)}))
        self.assertEqual(rule_by_names(found, [gate, door]), "name")
        self.assertEqual(rule_by_names(found, [gate]), "one")
        zone = ZoneInfo("UTC")
        (planned,) = make_plan(found, [gate, door], zone=zone, rule="name", camera_id=2).clips
        self.assertEqual(planned.camera_id, 1)
        self.assertIn("'Door' has a clip of this name and size", planned.note)

    def test_what_is_new_in_a_cameras_folder_is_imported_alone(self):
        card = self.folder / "card"
        card.mkdir()

        def clip(minute):
            write_clip(card / f"gate_20260907_08{minute:02d}00.mp4", steady(1, 5),
                       picture=lambda t: scene(t + minute / 1000))  # fmt: skip

        clip(0)
        begun = begin_from([card], above=self.folder, time_zone="UTC", name_of=lambda _site: "site")
        session = Session(begun.folder, MessageHub())
        self.addCleanup(session.close)
        intake, camera = session.intake, begun.cameras[0]
        self.assertFalse(intake.run_new([camera]))
        self.assertIn("Import a folder first", session.messages.told[-1].text)

        def done(start):
            finished = QSignalSpy(intake.jobs.finished)
            self.assertTrue(start())
            self.assertTrue(len(finished) or finished.wait(300_000))

        done(lambda: intake.run(ImportRequest(begun.folder, camera, (card,))))
        clip(1)
        done(lambda: intake.run_new([camera]))
        self.assertEqual(len(session.camera(camera).evidence.clips), 2)
        self.assertIn("1 clip", session.messages.told[-1].text)
        (card / "gate_20260907_080000.mp4").unlink()
        done(lambda: intake.run_new([camera]))
        self.assertEqual(len(session.camera(camera).evidence.clips), 2)

    def test_a_watched_folder_waits_until_its_files_are_whole(self):
        started = []
        watch = FolderWatch(lambda: started.append(1) or True, lambda: False, APP)
        watch.start([str(self.folder)])
        self.assertTrue(watch.on)
        file = self.folder / "new.mp4"
        file.touch()
        watch._look()
        self.assertEqual(started, [], "it may still grow")
        past = time.time() - 2 * SETTLED_S
        os.utime(file, (past, past))
        watch._look()
        self.assertEqual(started, [1])
        watch.stop()
        self.assertFalse(watch.on)
        watch.deleteLater()


if __name__ == "__main__":
    unittest.main()
