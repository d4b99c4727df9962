"""An open site: its cameras, its undo stack, the work that stops when it is closed."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from contextlib import suppress
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from PyQt6.QtCore import QLockFile, QObject, QTimer, pyqtSignal
from PyQt6.QtGui import QUndoStack

from guardia.app.camera.camera_model import CameraModel
from guardia.app.camera.makes import unsaid_settings
from guardia.app.camera.shown_camera import Loaded, load_camera
from guardia.app.camera.undo import OF_SITE, Changes, Owner, Undoing
from guardia.app.site.cameras import AT_ONCE, MOST_CARDS, Read, SiteCameras, read_cameras
from guardia.app.site.summary import Summary, keep_summary, kept_summaries, summary_of
from guardia.app.work.job_runner import JobRunner
from guardia.app.work.jobs import Token
from guardia.app.work.memory import give_back
from guardia.app.work.messages import MessageHub, Severity
from guardia.core.base.errors import GuardiaError
from guardia.core.base.values import one_line
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.settings import Settings
from guardia.store.project import Project, made_whole
from guardia.store.records import Site


class OpenSite(QObject):
    """The site of a project that is open: its cameras, its undo stack, the work that stops when it is closed.

    Args:
        folder: The project's folder.
        messages: Where errors and results are told.

    Raises:
        ProjectError: If it cannot be opened.
    """

    cameras_changed = pyqtSignal()
    evidence_changed = pyqtSignal()
    judgements_changed = pyqtSignal()
    make_changed = pyqtSignal(int)
    camera_opened = pyqtSignal(object)

    def __init__(self, folder: Path, messages: MessageHub) -> None:
        super().__init__()
        self.folder = folder
        self.messages = messages
        self._project = Project(folder)
        self.site: Site = self._project.site()
        self.time_zone = ZoneInfo(self.site.time_zone)
        self.undo = QUndoStack(self)
        self._changes = Changes(self.undo, messages)
        self.undoing = Undoing(self.undo, messages, self._project.together)
        self.cameras = SiteCameras(self._project, messages, self._model_of, self)
        self.summaries: dict[int, Summary] = {}
        self._closed = False
        self._missing = QTimer(self)
        self._missing.setSingleShot(True)
        self._missing.timeout.connect(self._read_missing)
        self._loader = JobRunner(self)
        self._loader.progressed.connect(self._on_loaded)
        self._loader.failed.connect(messages.tell_error)
        self.pictures = JobRunner(self)
        self.pictures.failed.connect(messages.tell_error)
        self._adopted = [self._loader, self.cameras.runner, self.pictures]
        self._lock = QLockFile(str(folder / "open.lock"))
        if self._lock.tryLock(0):
            self._clear_away()  # what an earlier sitting put away and could not delete at its end
        elif self._lock.error() == QLockFile.LockError.LockFailedError:
            messages.tell(
                "This project is open in another window, too. What is changed there is seen here only after opening it "
                "again. Of two changes to the same thing the later one stays.",
                Severity.WARNING,
            )

    @staticmethod
    def create(folder: Path, site: str, time_zone: str) -> None:
        """Make a new project.

        Args:
            folder: The project's own folder.
            site: Name of the site, with a letter or digit, 100 characters at most.
            time_zone: IANA name.

        Raises:
            InvalidValue: If the name or the time zone cannot be used.
            ProjectError: If the folder cannot be made or holds a project already.
        """
        with made_whole(folder, Site(site, time_zone)):
            pass

    def camera_ids(self) -> list[int]:
        """Numbers of the cameras, by name, without those that were set aside."""
        return self.cameras.ids()

    def camera_name(self, camera_id: int) -> str:
        """Name of a camera, its evidence loaded or not."""
        return self.cameras.name(camera_id)

    def camera(self, camera_id: int) -> CameraModel:
        """The view-model of a camera, made when first asked for."""
        if camera_id not in self.cameras.opened:
            self._add_model(load_camera(self._project, camera_id))
        return self.cameras.opened[camera_id]

    def _model_of(self, loaded: Loaded) -> CameraModel:
        return CameraModel(self._project, loaded, self.undo, self.messages)

    def _add_model(self, loaded: Loaded) -> None:
        if loaded.state.camera.id not in self.cameras.opened:
            model = self._model_of(loaded)
            model.evidence_changed.connect(self.evidence_changed)
            model.judgements_changed.connect(self.judgements_changed)
            model.make_changed.connect(partial(self.make_changed.emit, model.camera.id))
            self.cameras.opened[loaded.state.camera.id] = model
            self.camera_opened.emit(model)
            for line in loaded.damage:
                self.messages.tell(f"{loaded.state.camera.name}: {line}", Severity.WARNING)

    def is_loaded(self, camera_id: int) -> bool:
        """Whether a camera's evidence is at hand."""
        return camera_id in self.cameras.opened

    def load_cameras(self, *, at_once: int | None = None) -> None:
        """Read every camera's evidence: at once if it is little, otherwise in another thread, camera by camera.

        Of a site with many cameras only those are read whose line is not kept or no longer true, and only for that.

        Args:
            at_once: So many clips are little; AT_ONCE of them if None.
        """
        if self.many:
            self.summaries = {i: s for i, (s, holds) in kept_summaries(self._project).items() if holds}
            self.cameras_changed.emit()
        elif self._project.clips.count() <= (AT_ONCE if at_once is None else at_once):
            for camera_id in self.camera_ids():
                try:
                    self.camera(camera_id)
                except GuardiaError as error:
                    self.cameras.set_aside(camera_id, error)
            self.cameras_changed.emit()
            return
        self._read_missing()

    def _read_missing(self) -> None:
        """Read behind the window what is neither opened nor known by its line."""
        waiting = [i for i in self.camera_ids() if i not in self.cameras.opened and i not in self.summaries]
        folder = self.folder

        def load(token: Token, report: Callable[[Any], None]) -> None:
            for one in read_cameras(folder, waiting, token):
                report(one)

        if waiting:
            self._loader.start("Reading the evidence", load)

    @property
    def many(self) -> bool:
        """Whether the site has so many cameras that they are shown as lines and read only when they are opened."""
        return len(self._project.cameras.names()) > MOST_CARDS

    def line_of(self, camera_id: int) -> Summary | None:
        """What Round tells of a camera; None while it is not worked out."""
        if (model := self.cameras.opened.get(camera_id)) is not None:
            return summary_of(model)
        return self.summaries.get(camera_id)

    def keep_lines(self) -> None:
        """Keep the cameras' lines for Round and the portfolio; what a full disk refuses is worked out anew."""
        with suppress(GuardiaError):
            for camera_id, model in self.cameras.opened.items():
                keep_summary(self._project, camera_id, summary_of(model))

    def _on_loaded(self, one: Read) -> None:
        camera_id, loaded = one
        if not isinstance(loaded, Loaded):
            self.cameras.set_aside(camera_id, loaded)
        elif camera_id in self.camera_ids():  # else it was removed meanwhile
            loaded = self.cameras.fresh(loaded)
            if self.many:
                self.summaries[camera_id] = summary_of(self._model_of(loaded))
                with suppress(GuardiaError):
                    keep_summary(self._project, camera_id, self.summaries[camera_id])
            else:
                self._add_model(loaded)
        self.cameras_changed.emit()
        give_back()

    def change_draft(self, camera_id: int, draft: Settings, what: str) -> None:
        """Keep a new draft of a camera, whether or not it is opened; can be undone."""
        if (model := self.cameras.opened.get(camera_id)) is not None:
            model.change_draft(draft, what)
            return
        camera = self._project.cameras.get(camera_id)

        def show(_draft: Settings) -> None:
            if (opened := self.cameras.opened.get(camera_id)) is not None:
                opened.reload(opened.draft_changed)
            elif self.summaries.pop(camera_id, None) is not None:
                self._missing.start()  # once for all that were changed in one go

        if draft != camera.draft:
            keep = self._project.settings.save_draft
            self._changes.make(
                Owner(camera_id, camera.name), what, lambda d: keep(camera_id, d), show, camera.draft, draft
            )

    def set_site(
        self, name: str, time_zone: str, where: tuple[float | None, float | None] = (None, None), people: str = ""
    ) -> None:
        """Call the site otherwise, say where it lies, or correct its time zone while no clips are there; can be undone.

        Args:
            name: As for create().
            time_zone: IANA name.
            where: Latitude and longitude in degrees, both None where nobody says.
            people: Who lives or works there and is expected.

        Raises:
            InvalidValue: If the name cannot be used.
        """
        name = one_line(name, "A site's name")
        if (after := Site(name, time_zone, *where, people.strip())) != self.site:
            self._changes.make(OF_SITE, "correct the site", self._project.set_site, self._show_site, self.site, after)

    def _show_site(self, site: Site) -> None:
        moved = (self.site.latitude, self.site.longitude) != (site.latitude, site.longitude)
        self.site, self.time_zone = site, ZoneInfo(site.time_zone)
        for model in self.cameras.opened.values() if moved else ():
            model.reload()  # hours that follow the sun act otherwise there
        self.cameras_changed.emit()

    def remove_camera(self, camera_id: int) -> None:
        """Take a camera out of the project; its clips are deleted when the project is closed."""
        model = self.camera(camera_id)

        def show(gone: bool) -> None:
            if gone:
                self.cameras.opened.pop(camera_id, None)
            else:
                self.cameras.opened[camera_id] = model
            self.cameras_changed.emit()
            self.evidence_changed.emit()

        model.change(
            "remove the camera", lambda gone: self._project.cameras.set_gone(camera_id, gone), show, False, True
        )

    def makes(self) -> dict[str, dict[str, Any]]:
        """Makes of the cameras that are there (JSON), by name of the camera."""
        return {camera.name: self._project.cameras.make(camera.id) for camera in self.cameras.all().values()}

    def add_camera(self, name: str, data: Mapping[str, Any]) -> int:
        """Add a camera of which nobody has said how it is set; raises InvalidValue for a bad name or make."""
        capability = capability_from_dict(data)
        camera_id = self._project.cameras.add(name, data, unsaid_settings(capability))
        self.cameras_changed.emit()
        return camera_id

    def adopt(self, runner: JobRunner) -> None:
        """Stop this runner's work, too, when the project is closed."""
        self._adopted.append(runner)

    def local_time(self, posix_s: float) -> datetime:
        """A moment as the site's wall time."""
        return datetime.fromtimestamp(posix_s, UTC).astimezone(self.time_zone)

    def _clear_away(self) -> None:
        """Delete what was put away; where that fails, as on a full disk, the next opening tries again."""
        with suppress(GuardiaError):
            self._project.clear_away()

    def close(self) -> None:
        """Stop the jobs and close the project; everything is already saved. A second time does nothing."""
        if self._closed:
            return
        self._closed = True
        self._missing.stop()
        for runner in self._adopted:
            runner.cancel()  # all at once, since each takes a moment
        for runner in self._adopted:
            runner.drain()
        if self._lock.isLocked():
            self._clear_away()
        self.keep_lines()
        self._project.close()
        self._lock.unlock()
