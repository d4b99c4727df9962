"""One look at the real window on a virtual screen."""

import os
import shutil
import subprocess
import sys
import unittest
from pathlib import Path

from tests.support import FolderCase

PROGRAM = """
import sys
from pathlib import Path
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QLabel
from guardia.ui.shell.run import make_application
from guardia.ui.shell.main_window import MainWindow
app = make_application()
assert app.platformName() == "xcb", app.platformName()
window = MainWindow(Path(sys.argv[1]))
window.open_demo()
window.show()
def look():
    if not window.windowHandle() or not window.windowHandle().isExposed() or window.session is None:
        return
    if window.current_step() != "zones":
        window.go("zones")
        return
    screen = app.primaryScreen().grabWindow(0).toImage()
    colours = {screen.pixel(x, y) for x in range(0, screen.width(), 5) for y in range(0, screen.height(), 5)}
    wide = [w for w in window.findChildren(QLabel) if w.isVisible() and w.text() and not w.wordWrap()]
    cut = [w.text() for w in wide if w.width() + 1 < w.sizeHint().width()]
    if len(colours) > 500 and not cut:
        print("step", window.current_step(), "scale", window.devicePixelRatio())
        end()
    print("colours", len(colours), "cut", cut, file=sys.stderr)
def end():
    timer.stop()
    window.close()
    app.quit()
timer = QTimer()
timer.timeout.connect(look)
timer.start(300)
QTimer.singleShot(300_000, end)
sys.exit(app.exec())
"""


class RealWindow(FolderCase):
    def test_the_demo_opens_on_a_virtual_screen_of_usual_and_of_doubled_density(self):
        server = shutil.which("Xvfb")
        if server is None:
            if os.environ.get("CI"):
                self.fail("Xvfb is missing in CI; the test set-up must install it")
            self.skipTest("Xvfb is not installed")
        read, write = os.pipe()
        command = [server, "-displayfd", str(write), "-screen", "0", "2560x1600x24", "-nolisten", "tcp"]
        screen = subprocess.Popen(command, pass_fds=[write], stderr=subprocess.DEVNULL)
        self.addCleanup(screen.wait)
        self.addCleanup(screen.terminate)
        os.close(write)
        with os.fdopen(read) as numbers:
            display = f":{numbers.readline().strip()}"
        environment = {**os.environ, "DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
        environment["PYTHONPATH"] = str(Path(__file__).resolve().parents[2] / "src")
        for scale in ("1", "2"):
            done = subprocess.run(
                [sys.executable, "-c", PROGRAM, str(self.folder)],
                env=environment | {"QT_SCALE_FACTOR": scale},
                capture_output=True, text=True, check=False,
            )  # fmt: skip
            self.assertEqual(
                (done.returncode, done.stdout.strip()), (0, f"step zones scale {float(scale)}"), done.stderr
            )


if __name__ == "__main__":
    unittest.main()
