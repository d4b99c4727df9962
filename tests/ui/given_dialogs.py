"""Every dialog that an action or a page opens, its fields filled with what nobody would type, and accepted.

    python -m tests.ui.given_dialogs [ROUNDS]

Counts the dialogs, the fields that were filled, those dialogs that were accepted and refused. What is kept must be
readable again, whatever was typed. 1 when anything failed.
"""

import json
import os
import random
import re
import subprocess
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable
from contextlib import ExitStack
from pathlib import Path
from unittest.mock import patch

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PyQt6.QtCore import QDateTime, QEvent, QEventLoop, Qt, QTimer
from PyQt6.QtWidgets import (
    QAbstractButton,
    QApplication,
    QCheckBox,
    QComboBox,
    QDateTimeEdit,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFileDialog,
    QInputDialog,
    QLineEdit,
    QListWidget,
    QMenu,
    QMessageBox,
    QPlainTextEdit,
    QPushButton,
    QRadioButton,
    QSlider,
    QSpinBox,
    QTableWidget,
    QTabWidget,
    QToolButton,
    QWidget,
)
from PyQt6.sip import isdeleted

from guardia.app.camera.makes import capability_data, middle_settings
from guardia.app.project.key_pictures import KeyPictures
from guardia.app.steps.steps import STEPS
from guardia.core.base.errors import GuardiaError
from guardia.core.make.capability import capability_from_dict
from guardia.store.project import Project
from guardia.ui.shell.main_window import MainWindow
from guardia.ui.shell.run import make_application
from tests.given_options import NUMBERS, TIMES, WORDS, make_seeds, texts

HANGS_AFTER_S = 120.0
WORKS_AT_MOST_S = 5.0
TRIES = 3

LEFT_OUT = ("quit", "close", "demo", "open", "begin_from", "practice", "print_report", "remove", "watch_folders")
"""They end what is tried, begin something else, or go on for minutes."""


EVENTS = "when,class,alerted,seconds\n2024-05-01 10:00:00,person,yes,12\n2024-05-01 12:00:00,vehicle,no,9\n"

EXEC, OPEN = QDialog.exec, QDialog.open


def settle() -> None:
    """Let the window do what it has put off."""
    loop = QEventLoop()
    QTimer.singleShot(0, loop.quit)
    loop.exec()


class Dialogs:
    """Fills whatever dialog is opened, by a generator of its own."""

    def __init__(self, chance: random.Random, folder: Path) -> None:
        self.chance, self.folder, self.counts, self.depth = chance, folder, Counter(), 0
        self.titles: set[str] = set()
        self.texts = (*WORDS, *NUMBERS, *TIMES, *texts(chance.randrange(1000), 30))

    def exec(self, dialog: QDialog) -> int:
        """In place of QDialog.exec: as that, and once it is shown it is filled and accepted."""
        QTimer.singleShot(0, lambda: self.handle(dialog))
        return EXEC(dialog)

    def open(self, dialog: QDialog) -> None:
        """In place of QDialog.open."""
        OPEN(dialog)
        self.handle(dialog)

    def handle(self, dialog: QDialog) -> None:
        """Fill the fields, press what asks more, then accept; refused, it is filled again, and left in the end."""
        self.counts["dialogs"] += 1
        self.depth += 1
        self.fill(dialog)
        for _ in range(3):  # the first may bring what the next asks about
            more = [b for b in dialog.findChildren(QPushButton) if b.isEnabled() and b.isVisible() and "…" in b.text()]
            if self.depth < 3 and more:
                self.chance.choice(more).click()
                self.wait(dialog)
        self.depth -= 1
        for _ in range(TRIES):
            if dialog.isVisible():
                self.fill(dialog)
                self.accept(dialog)
        self.counts["refused or left" if dialog.isVisible() else "accepted"] += 1
        title = re.split("[:']| of ", dialog.windowTitle())[0].strip()
        self.titles.add(f"{type(dialog).__name__}: {title}")
        if dialog.isVisible():
            dialog.reject()

    def wait(self, dialog: QDialog) -> None:
        """Wait for what a dialog works out behind itself."""
        jobs = None if isdeleted(dialog) else getattr(getattr(dialog, "model", None), "jobs", None)
        end = time.monotonic() + WORKS_AT_MOST_S
        while jobs is not None and not isdeleted(jobs) and jobs.busy and time.monotonic() < end:
            settle()
        settle()

    def accept(self, dialog: QDialog) -> None:
        """Press what accepts it."""
        for box in dialog.findChildren(QDialogButtonBox):
            if isdeleted(box):
                continue
            for button in box.buttons():
                role = box.buttonRole(button)
                accepts = role in (QDialogButtonBox.ButtonRole.AcceptRole, QDialogButtonBox.ButtonRole.ApplyRole)
                if accepts and dialog.isVisible() and button.isEnabled():
                    button.click()

    def fill(self, parent: QWidget) -> None:
        """Set most fields to something; what stays as it is lets more dialogs be accepted."""
        for field in parent.findChildren(QWidget):
            if isdeleted(field) or not field.isEnabled() or not field.isVisible() or self.chance.random() < 0.4:
                continue
            text = self.chance.choice(self.texts)
            self.counts["fields"] += 1
            match field:
                case QSpinBox() | QDoubleSpinBox():
                    field.setValue(self.chance.choice((field.minimum(), field.maximum())))
                case QDateTimeEdit():
                    field.setDateTime(
                        QDateTime.fromString(self.chance.choice(("9999-12-31", "1752-09-14")), "yyyy-MM-dd")
                    )
                case QLineEdit() if not field.isReadOnly():
                    field.setText(text)
                    field.editingFinished.emit()
                case QPlainTextEdit() if not field.isReadOnly():
                    field.setPlainText(text)
                case QComboBox() if field.count():
                    field.setCurrentIndex(self.chance.randrange(field.count()))
                case QCheckBox() | QRadioButton():
                    field.setChecked(self.chance.random() < 0.5)
                case QSlider():
                    field.setValue(self.chance.randint(field.minimum(), field.maximum()))
                case QListWidget() if field.count():
                    item = field.item(self.chance.randrange(field.count()))
                    if item.flags() & Qt.ItemFlag.ItemIsUserCheckable:
                        item.setCheckState(self.chance.choice((Qt.CheckState.Checked, Qt.CheckState.Unchecked)))
                    else:
                        field.setCurrentItem(item)
                case QTableWidget() if field.rowCount() and field.columnCount():
                    at = self.chance.randrange(field.rowCount()), self.chance.randrange(field.columnCount())
                    item = field.item(*at)
                    field.setCurrentCell(*at)
                    if item is not None and item.flags() & Qt.ItemFlag.ItemIsEditable:
                        item.setText(text)
                case _:
                    self.counts["fields"] -= 1

    def choose(self, menu: QMenu, *_at: object) -> None:
        """In place of QMenu.popup: what is offered is chosen, one after another; what another menu holds is not."""
        menu.aboutToShow.emit()
        for action in menu.actions():
            if not isdeleted(action) and action.isEnabled() and action.menu() is None and not action.isSeparator():
                self.counts["chosen from menus"] += 1
                action.trigger()
                settle()

    def paths(self, *_args: object, **_more: object) -> tuple[list[str], str]:
        """In place of a dialog for several files."""
        return self.chance.choice(([], [str(self.folder / "events.csv")])), ""

    def path(self, *_args: object, **_more: object) -> tuple[str, str]:
        """In place of a file dialog."""
        return self.chance.choice(("", "/nowhere/x.csv", str(self.folder / "x.csv"), str(self.folder))), ""


def _of_class(function: Callable[..., object]) -> Callable[..., object]:
    """A function that its class binds: what is bound already would not be told which dialog it is called for."""
    return lambda *given, **named: function(*given, **named)


def _asking(window: MainWindow) -> dict[str, QAbstractButton]:
    """The buttons that are shown and ask more, by their words."""
    found = [b for b in window.findChildren(QAbstractButton) if not isdeleted(b) and b.isVisible() and b.isEnabled()]
    return {b.text(): b for b in found if b.text().endswith("…") or getattr(b, "menu", lambda: None)() is not None}


def _show(window: MainWindow, folder: Path, step: str, tab: int) -> int:
    """Go to a page and one of its tabs; gives how many it has."""
    if window.session is None or not window.session.camera_ids():  # a new project was made, or this one closed
        window.open_project(folder / "site")
    window.open_camera(window.session.camera_ids()[0], step)
    settle()
    tabs = [t for t in window.findChildren(QTabWidget) if t.isVisible()]
    for one in tabs:
        one.setCurrentIndex(tab)
        settle()
    return max((t.count() for t in tabs), default=1)


def _add_more(folder: Path) -> None:
    """A second camera, for what cameras have in common, and an event list."""
    make = capability_data("polygon-mains-camera")
    with Project(folder / "site") as project:
        project.cameras.add("Second", make, middle_settings(capability_from_dict(make)))
    (folder / "events.csv").write_text(EVENTS, "utf-8")


def _round(chance: random.Random, folder: Path, home: Path, wrong: list[str]) -> Dialogs:
    """Go through all dialogs once, on a fresh project."""
    dialogs, at = Dialogs(chance, folder), [""]

    def text(*_args: object, **_more: object) -> tuple[str, bool]:
        return chance.choice(dialogs.texts), True

    replaced = {
        QDialog: {"exec": dialogs.exec, "open": dialogs.open},
        QInputDialog: {"exec": dialogs.exec, "getText": text, "getItem": lambda *_a, **_m: ("", False)},
        QMenu: {"popup": dialogs.choose, "exec": dialogs.choose},
        QMessageBox: dict.fromkeys(("exec", "question", "warning", "information"), lambda *_a, **_m: 0),
        QFileDialog: {
            "getOpenFileName": dialogs.path, "getSaveFileName": dialogs.path,
            "getOpenFileNames": dialogs.paths, "getExistingDirectory": lambda *_a, **_m: str(folder),
        },
    }  # fmt: skip
    with ExitStack() as patched:
        patched.callback(setattr, sys, "excepthook", sys.excepthook)
        sys.excepthook = lambda kind, error, _trace: wrong.append(f"{at[0]}: {kind.__name__}: {error}")
        for owner, functions in replaced.items():
            for name, function in functions.items():
                patched.enter_context(patch.object(owner, name, _of_class(function)))
        window = MainWindow(home)
        window.show()
        window.open_project(folder / "site")
        for name, action in window.actions_by_id.items():
            at[0] = name
            if name not in LEFT_OUT and action.isEnabled() and window.session is not None:
                action.trigger()
                settle()
                if name == "new":  # made, it is open now
                    window.open_project(folder / "site")
        asked: set[str] = set()
        for step in STEPS:
            at[0] = step.id
            for tab in range(_show(window, folder, step.id, 0)):
                _show(window, folder, step.id, tab)
                at[0] = f"{step.id}, tab {tab}, its own fields"
                dialogs.fill(window.pages[step.id])
                settle()
                for words in _asking(window):
                    at[0] = f"{step.id}, tab {tab}, {words}"
                    _show(window, folder, step.id, tab)  # what was asked before may have led elsewhere
                    if (button := _asking(window).get(words)) is not None and words not in asked:
                        asked.add(words)
                        if isinstance(button, QPushButton | QToolButton) and (menu := button.menu()) is not None:
                            dialogs.choose(menu)
                        else:
                            button.click()
                        settle()
        window.close()
        window.deleteLater()
        QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    try:
        with Project(folder / "site") as project:
            wrong += [f"cannot be read again: {one}" for one in project.damaged()]
            for camera in project.cameras.all():
                project.evidence(camera.id)
            wrong += [f"cannot be read again: {one}" for one in project.take_damage()]
    except GuardiaError as error:
        wrong.append(f"cannot be read again: {error}")
    return dialogs


def one(number: int) -> None:
    """One round, in this process; prints its counts and what went wrong."""
    application = make_application()
    wrong: list[str] = []
    with tempfile.TemporaryDirectory(prefix="guardia-dialogs-") as home:
        with (
            patch.object(KeyPictures, "want", return_value=False),
            patch.dict(os.environ, XDG_DATA_HOME=f"{home}/data", XDG_DOCUMENTS_DIR=f"{home}/documents"),
        ):
            make_seeds(Path(home) / "here")
            _add_more(Path(home) / "here")
            dialogs = _round(random.Random(number), Path(home) / "here", Path(home) / "data", wrong)
        print(json.dumps([dialogs.counts, wrong, sorted(dialogs.titles)]), flush=True)
    del application
    os._exit(0)  # what was left to itself is not waited for


def run(rounds: int) -> tuple[Counter[str], list[str], set[str]]:
    """Go through all dialogs so many times, each in a process of its own.

    Returns:
        Counts, what went wrong, and which dialogs there were.
    """
    counts: Counter[str] = Counter()
    wrong: list[str] = []
    titles: set[str] = set()
    for number in range(rounds):
        command = [sys.executable, "-m", "tests.ui.given_dialogs", "--one", str(number)]
        with tempfile.TemporaryFile("w+") as printed:  # a pipe would be held open by what a killed round had started
            try:
                ended = subprocess.run(
                    command, stdout=printed, stderr=printed, timeout=HANGS_AFTER_S, check=False
                ).returncode
            except subprocess.TimeoutExpired:
                wrong.append(f"round {number} hangs")
                continue
            printed.seek(0)
            lines = printed.read().splitlines()
        if ended:
            wrong.append(f"round {number} ended with {ended}: {' '.join(lines[-3:])}")
            continue
        found, faults, seen = json.loads(lines[-1])
        counts += Counter(found)
        titles.update(seen)
        wrong += [f"round {number}, {fault}" for fault in faults]
    return counts, wrong, titles


if __name__ == "__main__":
    if sys.argv[1:2] == ["--one"]:
        one(int(sys.argv[2]))
    result, all_faults, all_titles = run(int(sys.argv[1]) if len(sys.argv) > 1 else 20)
    print(", ".join(f"{number} {what}" for what, number in result.items()), f"({len(all_titles)} titles)")
    print("\n".join(all_faults) or "nothing failed, and everything that was kept can be read again")
    sys.exit(bool(all_faults))
