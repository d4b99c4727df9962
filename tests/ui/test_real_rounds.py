"""Set up, Prove and the round in the real window under a window manager, by keys alone, on the demo's site."""

import sqlite3
import unittest
from contextlib import closing

from tests.support import FolderCase
from tests.ui.virtual_screen import VirtualScreen

SIZE = (1366, 768)


class RealRounds(FolderCase):
    def rows(self, sql: str) -> list[tuple]:
        try:
            with closing(sqlite3.connect(f"file:{self.project}/project.sqlite?mode=ro", uri=True)) as raw:
                return raw.execute(sql).fetchall()
        except sqlite3.OperationalError:
            return []  # it is being unpacked just now

    def pressed(self, *keys: str, until: str) -> None:
        """Press keys until the project has a row, as a person would while a page is still being filled."""
        self.screen.until(until, lambda: self.rows(until), lambda: self.screen.press(*keys))

    def in_dialog(self, key: str, title: str) -> None:
        """Open a dialog by its key."""
        self.screen.until(title, lambda: title in self.screen.front(), lambda: self.screen.press(key))

    def found(self, letters: str, title: str) -> None:
        """Open a dialog by a few letters of its action."""
        self.screen.press("ctrl+k")
        self.screen.until_front("Find")
        self.screen.write(letters)
        self.screen.press("Return")
        self.screen.until_front(title)

    def closed(self, key: str = "Escape") -> None:
        """Close what is in front, back to the window."""
        front = self.screen.front
        self.screen.until("the window", lambda: "Tern Quay - Guardia" in front(), lambda: self.screen.press(key))

    def test_what_is_set_up_proved_and_walked_is_kept(self):
        home = self.folder / "home"
        self.screen = screen = VirtualScreen(self, SIZE)
        program = screen.start(home, "demo")
        screen.until_front("Tern Quay - Guardia")
        (self.project,) = home.glob("**/tern-quay")

        screen.press("ctrl+2")
        self.pressed("d", until="SELECT 1 FROM checked WHERE state = 'done'")
        self.in_dialog("alt+n", "Recorders, hubs, lines")
        self.in_dialog("alt+e", "Connected cameras")
        screen.write("Boathouse recorder")
        screen.press("Return")
        screen.until("a recorder", lambda: self.rows("SELECT 1 FROM unit WHERE body LIKE '%Boathouse recorder%'"))
        self.closed()

        screen.press("ctrl+0")
        self.in_dialog("alt+l", "Log what was found")
        screen.write("the plug was out")
        screen.press("Tab", "Return")
        screen.until("a finding", lambda: self.rows("SELECT 1 FROM logbook WHERE detail LIKE '%the plug was out%'"))
        screen.press("ctrl+Tab")
        self.pressed(*("Tab", "r") * 4, until='SELECT 1 FROM walk WHERE body LIKE \'%"result":"R"%\'')

        self.in_dialog("ctrl+shift+p", "Pause alerts of")
        self.pressed("alt+2", until="SELECT 1 FROM settings WHERE role = 'installed' AND body LIKE '%\"pause\"%'")
        self.closed()

        screen.press("ctrl+1")
        self.in_dialog("alt+u", "What is due")
        self.in_dialog("alt+e", "Enter a date")
        screen.write("Grease the hinge")
        screen.press("Return")
        screen.until("a date", lambda: self.rows("SELECT 1 FROM task WHERE what = 'Grease the hinge'"))
        self.closed()
        self.in_dialog("alt+w", "Walk the round")
        screen.press("alt+Right")
        screen.write("71")
        screen.press("Return")
        screen.until("a reading", lambda: self.rows("SELECT 1 FROM reading WHERE value = 71"))
        self.closed()

        self.found("practice", "Practice")
        self.closed()
        self.found("sites side", "Sites side by side")
        self.closed()
        self.found("print report", "Print report")
        screen.press("Return")
        screen.until_front("Report: Tern Quay")
        self.closed()
        screen.until("the program's end", lambda: program.poll() is not None, lambda: screen.press("ctrl+q"))
        self.assertEqual(program.returncode, 0)


if __name__ == "__main__":
    unittest.main()
