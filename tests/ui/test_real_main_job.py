"""The main job in the real window: from Round to the compared next week (of one day), on three cameras."""

import sqlite3
import unittest
from contextlib import closing

from tests.support import FolderCase
from tests.ui.virtual_screen import VirtualScreen

CAMERAS = ("Office step", "Pontoon gate", "Fuel berth")


class RealMainJob(FolderCase):
    def rows(self, sql: str, *values: object) -> list[tuple]:
        (project,) = self.home.glob("**/tern-quay")
        with closing(sqlite3.connect(f"file:{project}/project.sqlite?mode=ro", uri=True)) as raw:
            return raw.execute(sql, values).fetchall()

    def epochs(self, camera: str) -> int:
        sql = "SELECT 1 FROM settings s JOIN camera c ON c.id = s.camera_id WHERE c.name = ? AND role = 'installed'"
        return len(self.rows(sql, camera))

    def asked(self, camera: str) -> int:
        return len(self.rows("SELECT 1 FROM purpose p JOIN camera c ON c.id = p.camera_id WHERE c.name = ?", camera))

    def test_tuned_entered_and_held_against_the_next_week(self):
        self.home = self.folder / "home"
        self.screen = screen = VirtualScreen(self, (1366, 768))
        program = screen.start(self.home, "demo", watched=True)
        screen.until_front("Tern Quay - Guardia")
        for camera in CAMERAS:
            with self.subTest(camera):
                before = self.epochs(camera)
                screen.go("ctrl+1", camera)
                opened = f"{camera} ▾"
                screen.until(opened, lambda n=opened: n in screen.seen(), lambda name=camera: screen.click(name))
                asked = self.asked(camera)
                screen.go("F4", "must be alerted")
                screen.click("Ask nothing")
                screen.until("nothing asked", lambda camera=camera, n=asked: self.asked(camera) == n + 1)
                screen.until(
                    "asked again",
                    lambda camera=camera, n=asked: self.asked(camera) == n,
                    lambda: screen.press("ctrl+z"),
                )
                screen.go("ctrl+7", "Not searched yet")
                screen.click("Search")
                screen.click("Take as draft")
                screen.go("F5", f"Settings sheet: {camera}")
                screen.click("Entered on the camera")
                screen.until("entered", lambda camera=camera, before=before: self.epochs(camera) > before)
                screen.go("ctrl+7", "Check")
                screen.click("Check")
                clips = len(self.rows("SELECT 1 FROM clip"))
                screen.click("Run the next week")
                screen.until("clips", lambda clips=clips: len(self.rows("SELECT 1 FROM clip")) > clips)
                screen.until_seen("false recordings that came")
                screen.until("it ran", lambda camera=camera: any(f"{camera} ran" in text for text in screen.seen()))
                self.assertEqual([text for text in screen.seen() if "fault of the program" in text], [])
        screen.until("the program's end", lambda: program.poll() is not None, lambda: screen.press("ctrl+q"))
        self.assertEqual(program.returncode, 0)


if __name__ == "__main__":
    unittest.main()
