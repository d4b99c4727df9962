"""Key pictures that are not there, drawn anew from their clips: the demo comes without, a copy may have lost some."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import TimeoutError as Waiting
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from guardia.app.work.engine import Engine, engine
from guardia.app.work.job_runner import JobRunner
from guardia.app.work.jobs import Token
from guardia.app.work.messages import MessageHub
from guardia.core.base.errors import GuardiaError
from guardia.media.analysis import key_pictures
from guardia.store.project import Project

LOOKS_FOR_A_STOP_S = 0.1


@dataclass(frozen=True)
class _Drawing:
    path: Path
    times_s: tuple[float, ...]


def _draw(task: _Drawing) -> bytes:
    return key_pictures(task.path, task.times_s, threads=1)


def draw_lacking(
    folder: Path,
    *,
    token: Token,
    wanted: Callable[[], Sequence[int]] = tuple,
    drawn: Callable[[int], object] = lambda _id: None,
) -> None:
    """Draw every key picture of a project that is not there, in one process beside, at a low priority.

    One at a time: a decoder that dies costs the pictures of one occurrence.

    Args:
        folder: The project.
        token: To stop it; what is drawn by then stays.
        wanted: Gives the numbers of occurrences that are asked for just now, the latest last; they come first.
        drawn: Called with the number of each occurrence when its pictures are there, or cannot be had.

    Raises:
        Cancelled: If it was stopped.
        ProjectError: If the project cannot be written to.
    """
    with Project(folder) as project, engine(behind=True) as pool:
        lacking = project.occurrences.without_pictures()
        while lacking:
            number = next((n for n in reversed(wanted()) if n in lacking), next(iter(lacking)))
            one = lacking.pop(number)
            path = project.clips.path_or_none(one.clip_id)
            strip = _drawn(pool, _Drawing(path, one.times_s), token) if path is not None else b""
            if strip:
                project.occurrences.put_pictures(one, strip)
            drawn(number)


def _drawn(pool: Engine, task: _Drawing, token: Token) -> bytes:
    future = pool.submit(_draw, task)
    while True:
        token.check()
        try:
            strip: bytes = future.result(LOOKS_FOR_A_STOP_S)
            return strip
        except Waiting:
            continue
        except GuardiaError:
            return b""  # the list says of this one that it has no pictures
        except Exception as error:
            if not pool.died(error):
                raise
            pool.renew()
            return b""


class KeyPictures(QObject):
    """Has the lacking key pictures of an open project drawn as soon as one is to be shown.

    Args:
        folder: The project.
        messages: Where it is told what went wrong.
        parent: Its owner.
    """

    drawn = pyqtSignal(int)
    """The pictures of this occurrence are there now, or cannot be had."""

    def __init__(self, folder: Path, messages: MessageHub, parent: QObject) -> None:
        super().__init__(parent)
        self._folder = folder
        self._wanted: list[int] = []
        self._had: set[int] = set()
        self._over = False
        self.jobs = JobRunner(self)
        self.jobs.progressed.connect(self._on_drawn)
        self.jobs.failed.connect(messages.tell_error)
        self.jobs.finished.connect(self._on_end)

    def want(self, occurrence_id: int) -> bool:
        """Ask for pictures that are not there, these before all others; gives whether they may still come."""
        if self._over or occurrence_id in self._had:
            return False
        if occurrence_id not in self._wanted:
            self._wanted.append(occurrence_id)
        self.jobs.start("Drawing key pictures", self._work)  # does nothing while it is under way
        return True

    def _work(self, token: Token, report: Callable[[Any], None]) -> None:
        draw_lacking(self._folder, token=token, wanted=lambda: tuple(self._wanted), drawn=report)

    def _on_drawn(self, occurrence_id: int) -> None:
        self._had.add(occurrence_id)
        if occurrence_id in self._wanted:
            self._wanted.remove(occurrence_id)
        self.drawn.emit(occurrence_id)

    def _on_end(self) -> None:
        # Whatever could be drawn has been; asked for again at every repaint, it would never end.
        self._over = True
        for occurrence_id in self._wanted:
            self.drawn.emit(occurrence_id)
