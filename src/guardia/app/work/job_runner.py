"""Runs one job after another off the interface thread and tells how it goes by signals."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, QThread, pyqtSignal

from guardia.app.work.jobs import Progress, Report, Token
from guardia.core.base.errors import Cancelled

Job = Callable[[Any, Token, Report], Any]

PATIENCE_MS = 400
"""At the end of a project, work on values alone is given so long to end by itself."""

_left: list[QThread] = []
"""Threads that were left to themselves; they are kept here until they end, since Qt ends the program otherwise."""


def left_running() -> bool:
    """Whether threads that were left to themselves still run."""
    _left[:] = [thread for thread in _left if thread.isRunning()]
    return bool(_left)


class _Worker(QThread):
    progressed = pyqtSignal(object)
    ended = pyqtSignal(object, object)

    def __init__(self, work: Callable[[Token, Report], Any], token: Token, parent: QObject) -> None:
        super().__init__(parent)
        self._work = work
        self._token = token

    def run(self) -> None:
        """Do the work; called by Qt in the new thread."""
        result, failure = None, None
        try:
            result = self._work(self._token, self.progressed.emit)
        except BaseException as error:
            failure = error
        self.ended.emit(result, failure)


class JobRunner(QObject):
    """At most one long job at a time; the interface stays free."""

    started = pyqtSignal(str)
    progressed = pyqtSignal(object)
    succeeded = pyqtSignal(object)
    failed = pyqtSignal(object)
    cancelled = pyqtSignal()
    finished = pyqtSignal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker: _Worker | None = None
        self._token = Token()
        self._done: Callable[[Any], object] | None = None
        self._drained = self._of_values = False

    @property
    def busy(self) -> bool:
        """A job is under way."""
        return self._worker is not None

    def start(
        self,
        title: str,
        work: Callable[[Token, Report], Any],
        done: Callable[[Any], object] | None = None,
        *,
        of_values: bool = False,
    ) -> bool:
        """Start a job; gives False, and starts nothing, while another is under way.

        Args:
            title: What is done, for the screen.
            work: Does it, in another thread.
            done: Called with the result, in this thread, before `succeeded` is emitted.
            of_values: It works on values in memory alone: where it does not end soon at the end of the project, it is
                left to itself, and what it finds is dropped.

        Returns:
            Whether it was started.
        """
        if self._worker is not None or self._drained:
            return False
        self._done, self._of_values = done, of_values
        self._token = Token()
        worker = _Worker(work, self._token, self)
        worker.progressed.connect(self._on_progress)
        worker.ended.connect(self._on_end)
        self._worker = worker
        self.started.emit(title)
        worker.start()
        return True

    def cancel(self) -> None:
        """Ask the job to stop."""
        self._token.cancel()

    def _on_progress(self, progress: Progress) -> None:
        if not self._drained:
            self.progressed.emit(progress)

    def _on_end(self, result: object, failure: BaseException | None) -> None:
        worker, self._worker = self._worker, None
        if worker is not None:
            worker.wait()
            worker.deleteLater()
        done, self._done = self._done, None
        if self._drained:
            return  # what it worked for is closed
        if failure is None and done is not None:
            try:
                done(result)
            except Exception as error:  # the page that waits must hear of its end all the same
                failure = error
        if failure is None:
            self.succeeded.emit(result)
        elif isinstance(failure, Cancelled):
            self.cancelled.emit()
        else:
            self.failed.emit(failure)
        self.finished.emit()

    def drain(self) -> None:
        """Stop the job and wait for it, at the end of the program or of a project; nothing more is told of it."""
        self._drained = True
        if self._worker is None:
            return
        self._token.cancel()
        if not self._of_values:
            self._worker.wait()
        elif not self._worker.wait(PATIENCE_MS):
            self._worker.setParent(None)
            self._worker.finished.connect(left_running)
            _left.append(self._worker)
