"""One open project in the window: its cameras, its undo stack, its jobs."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from PyQt6.QtCore import QLockFile, QObject, pyqtSignal
from PyQt6.QtGui import QUndoStack

from guardia.app.camera_model import CameraModel, Loaded, load_camera
from guardia.app.importing import ImportRequest, ImportResult, import_clips
from guardia.app.job_runner import JobRunner
from guardia.app.jobs import Token
from guardia.app.makes import capability_data
from guardia.app.messages import MessageHub, Severity
from guardia.core.capability import capability_from_dict
from guardia.core.evidence import Origin
from guardia.core.settings import Settings
from guardia.report.sheet import SheetContent
from guardia.store.project import Project
from guardia.store.records import Site


@dataclass(frozen=True)
class NextAction:
    """The one thing to do next on a camera.

    Parameters
    ----------
    step
        Id of the step where it is done.
    text
        What to do.
    why
        The reason, with its figures.
    """

    step: str
    text: str
    why: str


AT_ONCE = 1500
"""Up to this many clips a project's evidence is read before its window shows."""


def _count(clips: int) -> str:
    return "1 clip" if clips == 1 else f"{clips} clips"


class Session(QObject):
    """The open project.

    Parameters
    ----------
    folder
        The project's folder.
    messages
        Where errors and results are told.

    Raises
    ------
    ProjectError
        If it cannot be opened.
    """

    cameras_changed = pyqtSignal()

    def __init__(self, folder: Path, messages: MessageHub) -> None:
        super().__init__()
        self.folder = folder
        self.messages = messages
        self._project = Project(folder)
        self.site: Site = self._project.site()
        self.time_zone = ZoneInfo(self.site.time_zone)
        self.undo = QUndoStack(self)
        self.jobs = JobRunner(self)
        self._models: dict[int, CameraModel] = {}
        self._importing: int | None = None
        self._loader = JobRunner(self)
        self.pictures = JobRunner(self)
        self.pictures.failed.connect(messages.tell_error)
        self._loader.progressed.connect(self._on_loaded)
        self._loader.failed.connect(messages.tell_error)
        self._lock = QLockFile(str(folder / "open.lock"))
        if not self._lock.tryLock(0) and self._lock.error() == QLockFile.LockError.LockFailedError:
            messages.tell(
                "This project is open in another window, too. What is changed there is seen here only after opening it "
                "again, and of two changes to the same thing the later one stays.",
                Severity.WARNING,
            )
        self.jobs.succeeded.connect(self._on_import)
        self.jobs.failed.connect(messages.tell_error)
        self.jobs.cancelled.connect(lambda: messages.tell("The import was stopped; what was finished is kept."))

    @staticmethod
    def create(folder: Path, site: str, time_zone: str) -> None:
        """Make a new project."""
        Project(folder, create=True, site=Site(site, time_zone)).close()

    def camera_ids(self) -> list[int]:
        """Numbers of the cameras, by name."""
        return list(self._project.camera_names())

    def camera_name(self, camera_id: int) -> str:
        """Name of a camera, its evidence loaded or not."""
        return self._project.camera_names()[camera_id]

    def camera(self, camera_id: int) -> CameraModel:
        """The view-model of a camera, made when first asked for."""
        if camera_id not in self._models:
            self._add_model(load_camera(self._project, camera_id))
        return self._models[camera_id]

    def _add_model(self, loaded: Loaded) -> None:
        if loaded.camera.id not in self._models:
            self._models[loaded.camera.id] = CameraModel(self._project, loaded, self.undo, self.messages)

    def is_loaded(self, camera_id: int) -> bool:
        """Whether a camera's evidence is at hand."""
        return camera_id in self._models

    def load_cameras(self) -> None:
        """Read every camera's evidence: at once if it is little, otherwise in another thread, camera by camera."""
        if self._project.clip_count() <= AT_ONCE:
            for camera_id in self.camera_ids():
                self.camera(camera_id)
            self.cameras_changed.emit()
            return
        waiting = [i for i in self.camera_ids() if i not in self._models]
        folder = self.folder

        def load(token: Token, report: Callable[[Any], None]) -> None:
            with Project(folder) as project:
                for camera_id in waiting:
                    token.check()
                    report(load_camera(project, camera_id))

        self._loader.start("Reading the evidence", load)

    def _on_loaded(self, loaded: Loaded) -> None:
        self._add_model(loaded)
        self.cameras_changed.emit()

    def add_camera(self, name: str, capability_id: str) -> int:
        """Add a camera of a shipped make with its middle settings as installed."""
        data = capability_data(capability_id)
        capability = capability_from_dict(data)
        middle = capability.notches[len(capability.notches) // 2].label
        installed = Settings(
            capability=capability_id,
            notch=middle,
            hold_s=capability.hold_choices_s[0],
            release_s=capability.release_s,
            retrigger_wait_s=capability.wait_choices_s[0],
            pre_record_s=capability.pre_record_choices_s[0],
            clip_length_s=capability.clip_choices_s[0],
        )
        camera_id = self._project.add_camera(name, data, installed)
        self.cameras_changed.emit()
        return camera_id

    def start_import(
        self, camera_id: int, files: Sequence[Path], origin: Origin, start: datetime | None = None
    ) -> bool:
        """Bring clips in, off the interface thread; gives False while another job runs."""
        request = ImportRequest(self.folder, camera_id, tuple(files), origin, start)
        self._importing = camera_id
        return self.jobs.start(
            "Importing clips", lambda token, report: import_clips(request, token=token, progress=report)
        )

    def _on_import(self, result: ImportResult) -> None:
        if self._importing is not None:
            self.camera(self._importing).reload()
        text = f"{_count(result.added)} taken in, {_count(result.analysed)} measured."
        if result.notes:
            text += "\n" + "\n".join(result.notes)
        self.messages.tell(text, Severity.WARNING if result.notes else Severity.INFO)
        self.cameras_changed.emit()

    def next_action(self, camera_id: int) -> NextAction:
        """The one thing to do next on a camera and why."""
        model = self.camera(camera_id)
        evidence, comparison = model.evidence, model.comparison
        unjudged = sum(not o.kind for o in evidence.occurrences)
        if not evidence.clips:
            return NextAction("evidence", "Import clips", "nothing this camera recorded is here yet")
        if unjudged:
            return NextAction(
                "evidence",
                f"Judge {unjudged} occurrences",
                f"{unjudged} of {len(evidence.occurrences)} are not judged yet",
            )
        installed = comparison.installed
        if model.draft != model.camera.installed:
            fewer = len(installed.false_recorded) - len(comparison.draft.false_recorded)
            more = len(comparison.draft.real_missed) - len(installed.real_missed)
            return NextAction(
                "handover",
                "Hand over the draft",
                f"false recordings {-fewer:+d}, real missed {more:+d} against installed",
            )
        if installed.false_recorded:
            return NextAction(
                "zones",
                "Tune zones and sensitivity",
                f"{len(installed.false_recorded)} false recordings on the evidence",
            )
        return NextAction("evidence", "Nothing to do", "no false recording and no unjudged clip on the evidence")

    def sheet_content(self, camera_id: int) -> SheetContent:
        """What the settings sheet of a camera's draft says now."""
        model = self.camera(camera_id)
        return SheetContent(
            site=self.site.name,
            time_zone=self.site.time_zone,
            camera=model.camera.name,
            capability=model.camera.capability,
            settings=model.draft,
            comparison=model.comparison,
            made=datetime.now(UTC).astimezone(self.time_zone),
        )

    def local_time(self, posix_s: float) -> datetime:
        """A moment as the site's wall time."""
        return datetime.fromtimestamp(posix_s, UTC).astimezone(self.time_zone)

    def close(self) -> None:
        """Stop the jobs and close the project; everything is already saved."""
        self.jobs.drain()
        self._loader.drain()
        self.pictures.drain()
        self._project.close()
        self._lock.unlock()
