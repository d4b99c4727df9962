"""Starts the window."""

from __future__ import annotations

import ctypes
import os
import signal
import socket
import sys
import threading
from collections.abc import Mapping
from importlib.resources import files
from pathlib import Path
from types import TracebackType

from PyQt6.QtCore import QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QIcon
from PyQt6.QtWidgets import QApplication

from guardia.app.work.job_runner import left_running
from guardia.app.work.memory import share_memory
from guardia.core.base.errors import ProjectError
from guardia.ui.parts.theme import THEME
from guardia.ui.shell.main_window import MainWindow
from guardia.ui.shell.step_pages import load_ahead

SIGNAL_EVERY_MS = 250
X_TCP_PORT = 6000
REACHED_WITHIN_S = 3.0


def check_display(environment: Mapping[str, str]) -> None:
    """Refuse a screen that does not answer: Qt would end the program without a word that helps.

    Args:
        environment: Of the process.

    Raises:
        ProjectError: If neither the Wayland nor the X screen that it names can be reached.
    """
    if environment.get("QT_QPA_PLATFORM", "xcb").split(":")[0] not in ("xcb", "wayland", ""):
        return
    wayland, x = environment.get("WAYLAND_DISPLAY", ""), environment.get("DISPLAY", "")
    runtime = environment.get("XDG_RUNTIME_DIR", "")
    if (wayland and _answers(socket.AF_UNIX, str(Path(runtime) / wayland))) or (x and _x_answers(x)):
        return
    named = " and ".join(f"{k}={v}" for k, v in (("DISPLAY", x), ("WAYLAND_DISPLAY", wayland)) if v)
    raise ProjectError(
        f"The screen cannot be reached ({named or 'none is named'}).",
        do="Start it from a desktop session, or correct DISPLAY; without a screen the commands of guardia help work.",
    )


def _x_answers(display: str) -> bool:
    """Whether Qt's own way to the X screen, its permissions and the number after the point included, leads there."""
    host, _, rest = display.rpartition(":")
    number = rest.split(".")[0]
    if not number.isdigit():
        return False
    if host not in ("", "unix", "localhost") and not _answers(socket.AF_INET, (host, X_TCP_PORT + int(number))):
        return False  # libxcb would wait for minutes
    try:
        xcb = ctypes.CDLL("libxcb.so.1")
    except OSError:
        return True  # Qt names the missing library
    xcb.xcb_connect.restype = ctypes.c_void_p
    screen = ctypes.c_int()  # asked for, so that one the display does not have is refused
    connection = ctypes.c_void_p(xcb.xcb_connect(display.encode(), ctypes.byref(screen)))
    refused = xcb.xcb_connection_has_error(connection)
    xcb.xcb_disconnect(connection)
    return not refused


def _answers(family: socket.AddressFamily, where: str | tuple[str, int]) -> bool:
    try:
        with socket.socket(family) as line:
            line.settimeout(REACHED_WITHIN_S)
            line.connect(where)
    except (OSError, ValueError):
        return False
    return True


def make_application() -> QApplication:
    """The application with its icon and colours; an existing one is used again."""
    share_memory()
    app = QApplication.instance()
    if not isinstance(app, QApplication):
        app = QApplication(["guardia"])
    app.setApplicationName("Guardia")
    app.setWindowIcon(QIcon(str(files("guardia") / "data" / "icons" / "guardia.svg")))
    THEME.apply(app, dark=False)
    return app


def run(data_home: Path, project: Path | None, *, demo: bool = False) -> int:
    """Open the window and stay until it is closed.

    Args:
        data_home: Folder for the program's data.
        project: The project to open, None for the welcome page.
        demo: Open one's own copy of the demo site.

    Returns:
        The exit status.

    Raises:
        ProjectError: If the screen cannot be reached.
    """
    check_display(os.environ)
    app = make_application()
    window = MainWindow(data_home)
    # Ctrl+C in the terminal closes the window like any other way; Python sees it when the timer lets it run.
    signal.signal(signal.SIGINT, lambda *_: window.close())
    beat = QTimer(window)
    beat.start(SIGNAL_EVERY_MS)
    beat.timeout.connect(lambda: None)
    install_hooks(window)
    if demo:
        window.open_demo()
    elif project is not None:
        window.open_project(project)
    window.show()
    load_ahead(window)
    status = app.exec()
    if left_running():  # Python would wait for them, and everything is saved
        sys.stdout.flush()
        os._exit(status)
    return status


class _Teller(QObject):
    """Carries an error from any thread to the window's."""

    happened = pyqtSignal(object)


def install_hooks(window: MainWindow) -> None:
    """Tell errors that nothing else caught in the window; without a hook PyQt6 aborts the program."""
    teller = _Teller(window)
    # Queued: an error may come from another thread, or while the window is being drawn.
    teller.happened.connect(window.messages.tell_error, Qt.ConnectionType.QueuedConnection)  # type: ignore[call-arg]

    def tell(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        sys.__excepthook__(kind, error, trace)
        if issubclass(kind, Exception):
            teller.happened.emit(error)

    sys.excepthook = tell
    threading.excepthook = lambda a: tell(a.exc_type, a.exc_value or RuntimeError("unknown"), a.exc_traceback)
