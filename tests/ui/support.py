"""What tests of the window share."""

import gc
import logging
import sys
import threading
from unittest.mock import patch

from PyQt6.QtCore import QEvent, QPoint, Qt, qInstallMessageHandler
from PyQt6.QtGui import QImage
from PyQt6.QtTest import QSignalSpy, QTest
from PyQt6.QtWidgets import QApplication, QWidget

from guardia.app.project.key_pictures import KeyPictures
from guardia.app.site.cameras import AT_ONCE
from guardia.ui.parts.theme import THEME
from guardia.ui.shell import main_window
from guardia.ui.shell.main_window import MainWindow
from guardia.ui.shell.run import make_application
from tests.support import FolderCase

APP = make_application()
LONGEST_MS = 300_000
"""Only a test that has failed waits so long: a busy machine is slow, not wrong."""

HARMLESS = ("propagateSizeHints", "does not support raise()", "does not support grabbing")


class GuiCase(FolderCase):
    """A window on real widgets; fails on leaked windows, live threads, Qt's warnings, and logged ones."""

    def setUp(self) -> None:
        super().setUp()
        self.said: list[str] = []
        self.problems: list[BaseException] = []
        qInstallMessageHandler(lambda _kind, _where, text: self.said.append(text or ""))
        self.addCleanup(qInstallMessageHandler, None)
        before = sys.excepthook
        sys.excepthook = lambda _kind, error, _trace: self.problems.append(error)
        self.addCleanup(setattr, sys, "excepthook", before)
        self.threads = set(threading.enumerate())
        self.log = self.enterContext(self.assertNoLogs(level=logging.WARNING))
        self.want = KeyPictures.want
        # Each window would start a process that draws: tests.ui.test_evidence_parts does it for real.
        self.enterContext(patch.object(KeyPictures, "want", return_value=False))
        # Tests ask for cameras as soon as a project is open: tests.ui.test_round waits for them.
        self.enterContext(patch.object(main_window, "READ_AT_ONCE", AT_ONCE))
        self.window = MainWindow(self.folder / "home")
        self.window.setMinimumSize(1100, 700)  # the screen of the tests is smaller than any of today
        self.window.show()

    def tearDown(self) -> None:
        self.window.close()
        self.window.deleteLater()
        APP.sendPostedEvents(None, QEvent.Type.DeferredDelete)
        gc.collect()
        THEME.apply(APP, dark=False)
        self.assertEqual(self.problems, [])
        self.assertEqual([t for t in self.said if not any(h in t for h in HARMLESS)], [])
        self.assertEqual([w for w in QApplication.topLevelWidgets() if w.isVisible()], [])
        # A thread of Qt's that has run Python leaves a dummy entry behind; the runner drains the threads themselves.
        live = {t for t in threading.enumerate() if not isinstance(t, threading._DummyThread)}
        self.assertEqual(live - self.threads, set())
        super().tearDown()

    def wait(self, spy: QSignalSpy) -> None:
        self.assertTrue(len(spy) or spy.wait(LONGEST_MS), "the signal did not come")

    def bring_in(self, evidence, paths, origin=None) -> None:
        """Through the dialog: what is found there is brought in and measured."""
        evidence.bring_in(paths)
        dialog = evidence.importing
        looked = QSignalSpy(dialog.model.changed)
        if origin is not None:
            dialog.origin.setCurrentIndex(dialog.origin.findData(origin))
        if not dialog.go.isEnabled():
            self.wait(looked)
        finished = QSignalSpy(self.window.session.intake.jobs.finished)
        self.click(dialog.go)
        self.wait(finished)

    def painted(self, widget: QWidget) -> QImage:
        """What a widget shows: drawn without a fault, and more than one colour."""
        image = widget.grab().toImage()
        self.assertEqual(self.problems, [])
        across, down = range(0, image.width(), 7), range(0, image.height(), 5)
        self.assertGreater(len({image.pixel(x, y) for x in across for y in down}), 1, widget.objectName())
        return image

    def press(self, widget: QWidget, key: Qt.Key | str, modifier=Qt.KeyboardModifier.NoModifier) -> None:
        QTest.keyClick(widget, key, modifier)

    def click(self, widget: QWidget, at: QPoint | None = None) -> None:
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, pos=at or widget.rect().center())

    def drag(self, widget: QWidget, start: QPoint, *through: QPoint) -> None:
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, pos=start)
        for point in through:
            QTest.mouseMove(widget, point)
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=through[-1])
