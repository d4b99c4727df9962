"""The newest answer to a question that changes while it is worked on: older answers are dropped."""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from guardia.app.work.job_runner import JobRunner

T = TypeVar("T")

AFTER_MS = 60
"""An answer is worked out only then: the page that asks is drawn first, which work in another thread would slow."""


class Latest(QObject, Generic[T]):
    """Works out one answer at a time off the interface thread; `changed` is emitted when one is there."""

    changed = pyqtSignal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.runner = JobRunner(self)
        self._wanted: tuple[object, Callable[[], T]] | None = None
        self._known: tuple[object, T] | None = None
        self.runner.finished.connect(self._next)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(AFTER_MS)
        self._soon.timeout.connect(self._next)

    def ask(self, key: object, work: Callable[[], T]) -> T | None:
        """The answer to a question if it is known; else None, and it is worked out.

        Args:
            key: The question: two that are equal have the same answer.
            work: Works the answer out, in another thread.

        Returns:
            The answer.
        """
        if self._known is not None and self._known[0] == key:
            return self._known[1]
        self._wanted = (key, work)
        if not self._soon.isActive():
            self._soon.start()
        return None

    def _next(self) -> None:
        if self._wanted is None or self.runner.busy:
            return
        key, work = self._wanted
        self._wanted = None

        def take(answer: T) -> None:
            self._known = (key, answer)
            if self._wanted is not None and self._wanted[0] == key:
                self._wanted = None
            self.changed.emit()

        self.runner.start("", lambda _token, _report: work(), take, of_values=True)
