"""The practice dialog's model: levels with what was reached, a new scene, and what came of one."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from guardia.app.project.practice import Result, finish, is_practice, keep_result, kept_results, new_scene, result_lines
from guardia.app.work.job_runner import JobRunner
from guardia.app.work.jobs import Progress
from guardia.core.base.errors import GuardiaError


class PracticeModel(QObject):
    """What was practised, and the work on the next scene.

    Args:
        home: The program's data folder: scenes and results are kept there.
        folder: Of the project that is open, None with none.
        parent: Owner.
    """

    changed = pyqtSignal()
    made = pyqtSignal(Path)

    def __init__(self, home: Path, folder: Path | None, parent: QObject) -> None:
        super().__init__(parent)
        self._home = home
        self._folder = folder
        self.results = kept_results(home)
        self.words: list[str] = []
        self.at: Progress | None = None
        self.jobs = JobRunner(self)
        self.jobs.progressed.connect(self._on_progress)
        self.jobs.failed.connect(self._on_failure)
        self.jobs.finished.connect(self.changed)

    @property
    def can_finish(self) -> bool:
        """Whether the project that is open is a practice."""
        return self._folder is not None and is_practice(self._folder) and not self.jobs.busy

    @property
    def levels(self) -> list[tuple[int, str, list[Result]]]:
        """Number, words and results of each level."""
        from guardia.benchcam.practice import LEVELS  # slow to import, and needed only here

        return [(level.number, level.words, [r for r in self.results if r.level == level.number]) for level in LEVELS]

    def next_scene(self) -> int:
        """The first scene of which there is neither a result nor a folder."""
        used = {result.seed for result in self.results}
        scene = 0
        while scene in used or any((self._home / "practice").glob(f"*-{scene}")):
            scene += 1
        return scene

    def begin(self, level: int) -> None:
        """Have the next scene recorded; `made` tells its folder."""
        scene = self.next_scene()
        folder = self._home / "practice" / f"{level}-{scene}"
        self.words = []
        self.jobs.start(
            "Practice",
            lambda token, report: new_scene(folder, level, scene, token=token, progress=report),
            self.made.emit,
        )
        self.changed.emit()

    def finish(self) -> None:
        """Hold the draft of the open practice against the truth."""
        folder = self._folder
        if folder is not None and self.can_finish:
            self.jobs.start("Practice", lambda t, report: finish(folder, token=t, progress=report), self._keep)
            self.changed.emit()

    def _keep(self, result: Result) -> None:
        self.words = result_lines(result)
        self.results.append(result)
        try:
            keep_result(self._home, result)
        except GuardiaError as error:
            self.words.append(str(error))

    def _on_progress(self, at: Progress) -> None:
        self.at = at
        self.changed.emit()

    def _on_failure(self, error: BaseException) -> None:
        if not isinstance(error, GuardiaError):
            raise error
        self.words = [str(error)]
