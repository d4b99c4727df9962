"""A stranger's first hour in the real window: five kinds of camera of our own invention, from clips to a sheet."""

import json
import sqlite3
import unittest
from contextlib import closing
from typing import NamedTuple

from tests.support import FolderCase, scene, steady, write_clip
from tests.ui.virtual_screen import VirtualScreen


class Kind(NamedTuple):
    """A camera as its owner would describe it."""

    name: str
    folders: tuple[str, ...]
    zones: str
    scale: str
    steps: str = ""


KINDS = (
    Kind("Porch hub", ("Porch",), "squares", "named steps", "low, medium, high"),
    Kind("Card corner", ("Shed",), "corners", "numbers"),
    Kind("Slider eye", ("Drive",), "rectangles", "a slider"),
    Kind("Old phone", ("Window",), "no zones", "named steps", "weak, strong"),
    Kind("Eight channels", tuple(f"Channel {n}" for n in range(1, 9)), "squares", "numbers"),
)
MOST_ACTS = 40
"""Keys and clicks from clips to a sheet, texts that are typed counted as one each."""


class Counted(VirtualScreen):
    """Counts what a hand does."""

    acts = 0

    def press(self, *keys: str) -> None:
        self.acts += len(keys)
        super().press(*keys)

    def write(self, text: str) -> None:
        self.acts += 1
        super().write(text)

    def click(self, words: str) -> None:
        self.acts += 1
        super().click(words)


class Strangers(FolderCase):
    def clips_of(self, kind: Kind):
        root = self.folder / kind.name
        for folder in kind.folders:
            (root / folder).mkdir(parents=True)
            for minute in range(2):
                write_clip(root / folder / f"20260907_08{minute:02d}00.mp4", steady(6, 5),
                           picture=lambda t, m=minute: scene(t + m / 1000))  # fmt: skip
        return root

    def rows(self, kind: Kind, sql: str) -> list[tuple]:
        found = list((self.folder / "home").glob(f"**/{kind.name.lower().replace(' ', '-')}/project.sqlite"))
        if not found:
            return []
        try:
            with closing(sqlite3.connect(f"file:{found[0]}?mode=ro", uri=True)) as raw:
                return raw.execute(sql).fetchall()
        except sqlite3.OperationalError:
            return []  # it is being made just now

    def first_hour(self, screen: Counted, kind: Kind) -> int:
        root, before = self.clips_of(kind), screen.acts
        if kind is KINDS[0]:
            screen.acts += 1
            screen.drop(root)
        else:
            screen.press("ctrl+shift+o")
            screen.until_front("A folder of clips")
            screen.write(str(root))
            screen.press("Return")
        screen.until_front(f"{kind.name} - Guardia")
        measured = 2 * len(kind.folders)
        screen.until("measured", lambda: self.rows(kind, "SELECT count(*) FROM trace WHERE final") == [(measured,)])
        self.assertEqual(len(self.rows(kind, "SELECT 1 FROM camera")), len(kind.folders))

        # The make, by questions; then how it is set, as far as it is known.
        screen.click("Make…")
        screen.until_front("Make of the camera")
        screen.click("My camera")
        screen.until_front("My camera")
        screen.write(kind.name)
        screen.click(kind.zones)
        screen.click("Next")
        screen.click(kind.scale)
        if kind.steps:
            screen.click("[Named steps]")
            screen.write(kind.steps)
        screen.click("Next")
        screen.until_seen("Minimum duration")
        screen.click("Next")
        screen.click("Finish")
        screen.until_front("Make of the camera")
        screen.press("Return")
        screen.until_front("As it is now")
        screen.press("Return")
        screen.until_front(f"{kind.name} - Guardia")
        screen.until_seen("Not known how it is set")

        judged = "SELECT 1 FROM occurrence WHERE kind = 'person'"
        screen.until("judged", lambda: self.rows(kind, judged), lambda: screen.press("p"))
        screen.go("F4", "must be recorded")
        screen.click("First settings")
        screen.until_front("First settings")
        screen.click("Take as draft")
        screen.until_front(f"{kind.name} - Guardia")
        screen.go("F5", "Settings sheet")
        screen.click("Save sheet as JSON")
        screen.until("a dialog for the file", lambda: "Guardia" not in screen.front())
        sheet = self.folder / f"{kind.name}.json"
        screen.press("ctrl+a")
        screen.write(str(sheet))
        screen.press("Return")
        screen.until("the sheet", sheet.exists)
        screen.until("whole", lambda: sheet.read_text("utf-8").rstrip().endswith("}"))
        made = json.loads(sheet.read_text("utf-8"))
        self.assertEqual(made["make"]["name"] if isinstance(made["make"], dict) else made["make"], kind.name)
        self.assertTrue(made["settings"]["detection"]["notch"])
        self.assertEqual([text for text in screen.seen() if "fault of the program" in text], [])
        return screen.acts - before

    def test_five_kinds_of_camera_come_from_clips_to_a_sheet(self):
        screen = Counted(self, (1366, 768))
        program = screen.start(self.folder / "home", "open", watched=True)
        screen.until_front("Guardia")
        for kind in KINDS:
            with self.subTest(kind.name):
                acts = self.first_hour(screen, kind)
                print(f"{kind.name}: {acts} keys, clicks and typed texts from clips to a sheet")
                self.assertLessEqual(acts, MOST_ACTS)
        screen.until("the program's end", lambda: program.poll() is not None, lambda: screen.press("ctrl+q"))
        self.assertEqual(program.returncode, 0)


if __name__ == "__main__":
    unittest.main()
