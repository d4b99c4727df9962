"""Starts the window."""

from __future__ import annotations

import sys
import threading
from importlib.resources import files
from pathlib import Path
from types import TracebackType

import pyqtgraph
from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from guardia.ui.parts.theme import THEME
from guardia.ui.shell.main_window import MainWindow


def make_application() -> QApplication:
    """The application with its icon and colours; an existing one is used again."""
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(["guardia"])
    app.setApplicationName("Guardia")
    app.setWindowIcon(QIcon(str(files("guardia") / "data" / "icons" / "guardia.svg")))
    pyqtgraph.setConfigOptions(antialias=True)
    THEME.apply(app, dark=False)
    return app


def run(data_home: Path, project: Path | None, *, demo: bool = False) -> int:
    """Open the window and stay until it is closed.

    Parameters
    ----------
    data_home
        Folder for the program's data.
    project
        The project to open, None for the welcome page.
    demo
        Open one's own copy of the demo site.

    Returns
    -------
    int
        The exit status.
    """
    app = make_application()
    window = MainWindow(data_home)
    install_hooks(window)
    if demo:
        window.open_demo()
    elif project is not None:
        window.open_project(project)
    window.show()
    return app.exec()


class _Teller(QObject):
    """Carries an error from any thread to the window's."""

    happened = pyqtSignal(object)


def install_hooks(window: MainWindow) -> None:
    """Tell errors that nothing else caught in the window; without a hook PyQt6 aborts the program.

    pyqtgraph replaces the hook when it is imported, so ours is set after it.
    """
    teller = _Teller(window)
    # Queued: an error may come from another thread, or while the window is being drawn.
    teller.happened.connect(window.messages.tell_error, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]

    def tell(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        sys.__excepthook__(kind, error, trace)
        if issubclass(kind, Exception):
            teller.happened.emit(error)

    sys.excepthook = tell
    threading.excepthook = lambda a: tell(a.exc_type, a.exc_value or RuntimeError("unknown"), a.exc_traceback)
