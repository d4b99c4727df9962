"""The first hour on a site of one's own, in the real window under a window manager, by keys alone."""

import json
import sqlite3
import unittest
from contextlib import closing

from guardia.ui.shell.main_window import FRAME_PX
from tests.support import FolderCase, steady, write_clip
from tests.ui.virtual_screen import VirtualScreen

CLIPS = 3
SIZE = (1366, 768)


class RealFirstHour(FolderCase):
    def rows(self, sql: str) -> list[tuple]:
        path = self.project / "project.sqlite"
        if not path.exists():
            return []
        try:
            with closing(sqlite3.connect(f"file:{path}?mode=ro", uri=True)) as raw:
                return raw.execute(sql).fetchall()
        except sqlite3.OperationalError:
            return []  # it is being made just now

    def settings(self, role: str) -> dict:
        return json.loads(self.rows(f"SELECT body FROM settings WHERE role = '{role}' AND to_s IS NULL")[0][0])

    def zones(self) -> list[dict]:
        return self.settings("draft")["detection"]["zones"]

    def size(self, screen: VirtualScreen) -> tuple[int, int]:
        """Width and height of the window in front."""
        shape = dict(line.split("=") for line in screen.tool("getactivewindow", "getwindowgeometry", "--shell").split())
        return int(shape["WIDTH"]), int(shape["HEIGHT"])

    def test_keys_alone_lead_from_an_empty_window_to_the_logbook(self):
        stick, home = self.folder / "stick", self.folder / "home"
        stick.mkdir()
        for number in range(CLIPS):
            write_clip(stick / f"2026090{7 + number}_101530.mp4", steady(3 + number, 10))
        screen = VirtualScreen(self, SIZE)
        program = screen.start(home, "open")
        screen.until_front("Guardia")
        for side, most, frame in zip(self.size(screen), SIZE, FRAME_PX, strict=True):
            self.assertLessEqual(side + frame, most)

        screen.press("ctrl+n")
        screen.until_front("New project")
        screen.write("North Basin")
        screen.press("Return")
        screen.until("the project's folder", lambda: list(home.glob("**/north-basin")))
        (self.project,) = home.glob("**/north-basin")
        screen.until_front("North Basin - Guardia")

        screen.press("ctrl+shift+n")
        screen.until_front("Add camera")
        screen.write("Gate")
        screen.press("Tab", "Down", "Return")
        screen.until_front("As it is now")
        screen.press("Return")
        screen.until("a camera", lambda: self.rows("SELECT 1 FROM camera"))
        screen.until_front("North Basin - Guardia")

        screen.press("ctrl+i")
        screen.until_front("Import evidence")
        screen.press("alt+o")
        screen.until_front("Add a folder")
        screen.write(str(stick))
        screen.press("Return")
        screen.until_front("Import evidence")
        # 'Import' opens once the folder has been looked through: pressed until it does something, as a person would
        screen.until("bringing in", lambda: self.rows("SELECT 1 FROM clip"), lambda: screen.press("alt+m"))
        screen.until("measured", lambda: self.rows("SELECT count(*) FROM trace WHERE final") == [(CLIPS,)])

        screen.press("ctrl+3")
        for key, kind in (("f", "foliage"), ("p", "person")):
            one = f"SELECT 1 FROM occurrence WHERE kind = '{kind}'"
            screen.until("judged", lambda one=one: self.rows(one), lambda key=key: screen.press(key))
        screen.press("ctrl+z")
        screen.until("taken back", lambda: not self.rows("SELECT 1 FROM occurrence WHERE kind = 'person'"))

        screen.press("ctrl+5", "alt+w")
        screen.until("a zone", self.zones, lambda: screen.press("Return"))
        middle = self.zones()
        screen.press("Page_Down", "shift+Right")
        screen.until("a corner moved", lambda: self.zones() != middle)
        screen.press("alt+m")
        screen.until("masks", lambda: len(self.zones()) > len(middle), lambda: screen.drag((420, 200), (560, 300)))
        before = self.settings("draft")["detection"]["notch"]
        screen.press("ctrl+6", "Left")
        screen.until("another notch", lambda: self.settings("draft")["detection"]["notch"] != before)

        screen.press("F5")
        screen.write("after a complaint")
        screen.press("Tab", "space")
        screen.until("logged", lambda: self.rows("SELECT 1 FROM logbook WHERE detail LIKE 'after a complaint%'"))
        self.assertEqual(self.settings("installed"), self.settings("draft"))
        screen.until("the program's end", lambda: program.poll() is not None, lambda: screen.press("ctrl+q"))
        self.assertEqual(program.returncode, 0)


if __name__ == "__main__":
    unittest.main()
