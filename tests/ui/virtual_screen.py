"""A virtual screen with a window manager, and keys pressed on it as by a person."""

import json
import os
import shutil
import signal
import subprocess
import sys
import time
import unittest
from collections.abc import Callable
from pathlib import Path

NEEDED = ("Xvfb", "openbox", "xdotool")
LONGEST_S = 900.0
"""Only a test that has failed waits so long: a busy machine is slow, not wrong."""

AGAIN_S = 20.0
"""A key is not lost, but it comes too early for a page that is still being filled."""


class VirtualScreen:
    """A screen of its own for one test; skips where what it needs is not installed, fails in CI.

    Args:
        case: The test, which ends it.
        size: Width and height in pixels.
    """

    def __init__(self, case: unittest.TestCase, size: tuple[int, int]) -> None:
        self._case = case
        missing = [name for name in NEEDED if shutil.which(name) is None]
        if missing and os.environ.get("CI"):
            case.fail(f"{missing} missing in CI; the test set-up must install them")
        if missing:
            case.skipTest(f"{missing} not installed")
        self._program: subprocess.Popen[bytes] | None = None
        read, write = os.pipe()
        screen = f"{size[0]}x{size[1]}x24"
        # No auto-repeat: on a busy machine a key that is let go late would be typed again and again.
        self._run("Xvfb", "-r", "-displayfd", str(write), "-screen", "0", screen, "-nolisten", "tcp", pass_fds=[write])
        os.close(write)
        with os.fdopen(read) as numbers:
            display = f":{numbers.readline().strip()}"
        self.environment = {**os.environ, "DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
        checkout = Path(__file__).resolve().parents[2]
        self.environment["PYTHONPATH"] = f"{checkout / 'src'}:{checkout}"
        self._run("openbox", env=self.environment)

    def _run(self, *command: str, **options: object) -> subprocess.Popen[bytes]:
        quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
        process = subprocess.Popen(command, **{**quiet, **options})
        self._case.addCleanup(process.wait)
        self._case.addCleanup(process.terminate)
        return process

    def start(self, home: Path, *arguments: str, watched: bool = False) -> subprocess.Popen[bytes]:
        """Start the program with a home folder of its own; `watched`, its words can be clicked."""
        home.mkdir()
        own = {"HOME": str(home), "XDG_DATA_HOME": str(home / "data"), "XDG_CONFIG_HOME": str(home / "config")}
        self._said = home / "stderr.txt"
        self._seen = home / "seen.json"
        module = ("tests.ui.watched_program", str(self._seen)) if watched else ("guardia",)
        command = (sys.executable, "-X", "faulthandler", "-m", *module, *arguments)
        with self._said.open("wb") as said:
            self._program = self._run(*command, env={**self.environment, **own}, stderr=said)
        return self._program

    def _what_it_does(self) -> str:
        """Where every thread of the program stands, which ends it."""
        if self._program is None:
            return ""
        self._program.send_signal(signal.SIGABRT)
        self._program.wait()
        return self._said.read_text(errors="replace")[-6000:]

    def tool(self, *words: str) -> str:
        """Run xdotool; gives what it prints."""
        done = subprocess.run(["xdotool", *words], env=self.environment, capture_output=True, text=True, check=False)
        return done.stdout.strip()

    def press(self, *keys: str) -> None:
        """Press keys one after another, such as 'ctrl+n'."""
        for key in keys:
            self.tool("key", "--delay", "30", key)

    def write(self, text: str) -> None:
        """Type a text."""
        self.tool("type", "--delay", "8", text)

    def seen(self) -> dict[str, list[int]]:
        """The words on the screen of a watched program, each with its place."""
        try:
            known: dict[str, list[int]] = json.loads(self._seen.read_text("utf-8"))
        except OSError:
            return {}  # it has only just begun
        return known

    def until_seen(self, words: str) -> None:
        """Wait until some words are on the screen, alone or at the beginning of a text."""
        self.until(words, lambda: any(text.startswith(words) for text in self.seen()))

    def go(self, key: str, words: str) -> None:
        """Press a key until some words are on the screen."""
        self.until(words, lambda: any(text.startswith(words) for text in self.seen()), lambda: self.press(key))

    def click(self, words: str) -> None:
        """Point at what bears these words, and click once it still stands there: a page is still being laid out."""

        def pointed_at() -> bool:
            place = self._place(words)
            if place is None:
                return False
            self.tool("mousemove", *map(str, place))
            moved = time.time_ns()
            self.until("its words anew", lambda: self._seen.stat().st_mtime_ns > moved)
            return self._place(words) == place

        self.until(words, pointed_at)
        self.tool("click", "1")

    def _place(self, words: str) -> list[int] | None:
        return next((at for text, at in self.seen().items() if text.startswith(words)), None)

    def drop(self, *paths: Path) -> None:
        """Drag files or folders from another program's window to the middle of the screen, in steps as a hand does."""
        width, height = map(int, self.tool("getdisplaygeometry").split())
        source = self._run(sys.executable, "-m", "tests.ui.drag_source", str(height), *map(str, paths),
                           env=self.environment)  # fmt: skip
        self.until("a window to drag from", lambda: self.tool("search", "--pid", str(source.pid)))
        start, end = (30, height - 30), (width // 2, height // 2)
        steps = [tuple(a + (b - a) * n // 8 for a, b in zip(start, end, strict=True)) for n in range(9)]
        self.tool("mousemove", *map(str, steps[0]), "sleep", "0.5", "mousedown", "1")
        for at in steps[1:]:
            self.tool("sleep", "0.2", "mousemove", *map(str, at))
        self.tool("sleep", "0.5", "mouseup", "1", "sleep", "0.5")
        source.terminate()

    def drag(self, start: tuple[int, int], end: tuple[int, int]) -> None:
        """Drag with the mouse from one place of the screen to another."""
        middle = tuple(str((a + b) // 2) for a, b in zip(start, end, strict=True))
        self.tool("mousemove", *map(str, start), "mousedown", "1", "mousemove", *middle)
        self.tool("mousemove", *map(str, end), "mouseup", "1")

    def until(self, what: str, true: Callable[[], object], do: Callable[[], object] | None = None) -> None:
        """Wait until something is so, for which something is done first, and again where nothing comes of it."""
        end, next_do = time.monotonic() + LONGEST_S, time.monotonic()
        while not true():
            if do is not None and time.monotonic() >= next_do:
                do()
                next_do = time.monotonic() + AGAIN_S
            ended = self._program is not None and self._program.poll() is not None
            if time.monotonic() > end or (ended and not true()):
                front = self.front()
                self._case.fail(f"waited in vain: {what}; the window in front is '{front}'\n{self._what_it_does()}")
            self.tool("sleep", "0.1")

    def front(self) -> str:
        """Title of the window that has the keys."""
        return self.tool("getactivewindow", "getwindowname")

    def until_front(self, title: str) -> None:
        """Wait until a window with this in its title has the keys."""
        self.until(title, lambda: title in self.front())
