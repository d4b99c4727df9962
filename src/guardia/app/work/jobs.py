"""Long work as plain functions `run(request, *, token, progress) -> result`."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

from guardia.core.base.errors import Cancelled


class Token:
    """Says whether the person has asked to stop."""

    def __init__(self) -> None:
        self._event = threading.Event()

    def cancel(self) -> None:
        """Ask the job to stop at its next step."""
        self._event.set()

    @property
    def cancelled(self) -> bool:
        """Whether a stop was asked for."""
        return self._event.is_set()

    def check(self) -> None:
        """Stop here if asked to.

        Raises:
            Cancelled: If a stop was asked for.
        """
        if self.cancelled:
            raise Cancelled


@dataclass(frozen=True)
class Progress:
    """How far a job is."""

    done: int
    """Steps done."""
    total: int
    """Steps in all."""
    what: str
    """The step under way."""
    left_s: float | None
    """Estimated seconds left, None while unknown."""

    @property
    def words(self) -> str:
        """How far it is, and for how long it goes on: in minutes down to two, then in seconds."""
        counted = f"{self.done} of {self.total}"
        if self.left_s is None or self.done >= self.total:
            return counted
        left = f"{self.left_s:.0f} s" if self.left_s < 120 else f"{self.left_s / 60:.0f} min"
        return f"{counted}, about {left} left"


Report = Callable[[Progress], None]


class Meter:
    """Turns steps done into progress reports.

    Args:
        total: Steps in all.
        report: Receives the progress, at most ten times a second and at the end.
    """

    def __init__(self, total: int, report: Report) -> None:
        self._total = total
        self._report = report
        self._begun = time.monotonic()
        self._told = -1.0

    def at(self, done: int, what: str) -> None:
        """Tell that `done` steps are finished and what comes next."""
        now = time.monotonic()
        if now - self._told < 0.1 and done < self._total:
            return
        self._told = now
        left = (now - self._begun) / done * (self._total - done) if done else None
        self._report(Progress(done, self._total, what, left))
