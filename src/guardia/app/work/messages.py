"""One place for what the person must be told; messages wait until a view is there."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from guardia.app.work.faults import keep_fault
from guardia.core.base.errors import GuardiaError


class Severity(StrEnum):
    """How a message is shown."""

    INFO = "info"
    WARNING = "warning"
    ERROR = "error"


@dataclass(frozen=True)
class Message:
    """What to tell."""

    severity: Severity
    """How it is shown."""
    text: str
    """What happened, what was kept, what to do."""


class MessageHub(QObject):
    """Receives messages from anywhere in the main thread, gives them to the view and keeps them in `told`.

    The details of faults of the program go to a file in `faults`, where a folder is given.
    """

    shown = pyqtSignal(object)

    def __init__(self, parent: QObject | None = None, *, faults: Path | None = None) -> None:
        super().__init__(parent)
        self._faults = faults
        self.told: list[Message] = []
        self._waiting: list[Message] = []
        self._ready = False

    def tell(self, text: str, severity: Severity = Severity.INFO) -> None:
        """Show a message, or keep it until a view is ready."""
        message = Message(severity, text)
        self.told.append(message)
        if self._ready:
            self.shown.emit(message)
        else:
            self._waiting.append(message)

    def tell_error(self, error: BaseException) -> None:
        """Show an error: our own in its own words, any other as a fault of the program."""
        if isinstance(error, GuardiaError):
            self.tell(str(error), Severity.ERROR)
        else:
            path = keep_fault(error, self._faults) if self._faults is not None else None
            details = f" Add the details, which are in {path}." if path is not None else ""
            self.tell(
                f"The last step failed by a fault of the program ({type(error).__name__}: {error}). "
                f"Everything saved before is kept. Please report it with what you did.{details}",
                Severity.ERROR,
            )

    def ready(self) -> None:
        """A view listens now: give it what has waited."""
        self._ready = True
        waiting, self._waiting = self._waiting, []
        for message in waiting:
            self.shown.emit(message)
