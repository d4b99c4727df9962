"""Menus by their letters, finding, cameras by key, the print preview and recent projects in the real window."""

import unittest

from tests.support import FolderCase
from tests.ui.virtual_screen import VirtualScreen


class Manners(FolderCase):
    def test_a_hand_on_the_keys_gets_everywhere(self):
        screen = VirtualScreen(self, (1366, 768))
        program = screen.start(self.folder / "home", "demo", watched=True)
        screen.until_seen("Judge 22")
        screen.until_seen("Fuel berth ▾")
        screen.press("ctrl+Prior")
        screen.until_seen("Workshop door ▾")
        screen.press("ctrl+Next")
        screen.until_seen("Fuel berth ▾")
        screen.press("alt+e", "f")
        screen.until_front("Find")
        screen.write("days kept")
        screen.press("BackSpace", "ctrl+a")
        screen.write("storage")
        screen.press("Return")
        screen.until_seen("Days required")
        screen.go("F5", "Print…")
        screen.click("Print…")
        screen.until_front("Settings sheet: Fuel berth")
        screen.until("closed", lambda: "Settings sheet" not in screen.front(), lambda: screen.press("Escape"))
        screen.click("Fuel berth ▾")
        screen.until_front("Cameras")
        screen.write("slipway")
        screen.press("Return")
        screen.until_seen("Slipway ▾")
        screen.press("ctrl+plus")
        screen.until_seen("Settings sheet: Slipway")
        screen.go("ctrl+w", "Your own site")
        screen.press("alt+p", "r", "1")
        screen.until_seen("Judge 22")
        screen.until("ended", lambda: program.poll() is not None, lambda: screen.press("ctrl+q"))
        self.assertEqual(program.returncode, 0)


if __name__ == "__main__":
    unittest.main()
