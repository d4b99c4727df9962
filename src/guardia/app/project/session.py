"""One open project in the window, with everything that can be done with it as a whole."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.intake import Intake
from guardia.app.project.key_pictures import KeyPictures
from guardia.app.site.cameras import AT_ONCE
from guardia.app.site.copying import Copying
from guardia.app.site.damaged import DamagedEntries
from guardia.app.site.occurrences import SiteOccurrences
from guardia.app.site.open_site import OpenSite
from guardia.app.site.rounds import Rounds
from guardia.app.site.shared_hours import SharedHoursOfSite
from guardia.app.site.storage import SiteStorage
from guardia.app.site.units import SiteUnits
from guardia.app.work.messages import MessageHub
from guardia.store.project import Project
from guardia.store.rows import Damaged

M = TypeVar("M")


class Session(OpenSite):
    """The open project with the subjects of its site, its imports, and the view-models of steps.

    Parameters as OpenSite.
    """

    def __init__(self, folder: Path, messages: MessageHub) -> None:
        super().__init__(folder, messages)
        self.storage = SiteStorage(self, self._project, messages)
        self.units = SiteUnits(self, self._project, messages, self.storage)
        self.rounds, self.copying = Rounds(self, self.units), Copying(self)
        self.shared_hours = SharedHoursOfSite(self, self._project, messages)
        self.key_pictures = KeyPictures(folder, messages, self)
        self.adopt(self.key_pictures.jobs)
        self.camera_opened.connect(self._follow)
        self._step_models: dict[tuple[int, object], Any] = {}
        self.intake = Intake(self, self._project)
        self.occurrences = SiteOccurrences(self, self._project)

    def _follow(self, model: CameraModel) -> None:
        """Let what hangs together follow a camera: hours that are shared, stores that it fills with others."""
        model.draft_changed.connect(partial(self.shared_hours.follow, model))
        for signal in (model.installed_changed, model.facts_changed, model.evidence_changed):
            signal.connect(partial(self.storage.follow, model))

    def look_for_damaged(self, then: Callable[[DamagedEntries], object]) -> None:
        """Look for entries of the project that cannot be read; `then` is called with them."""
        project, folder = self._project, self.folder

        def look() -> list[Damaged]:
            with Project(folder) as other:
                return other.damaged()

        if project.clips.count() <= AT_ONCE:
            then(DamagedEntries(project, project.damaged()))
        elif self.cameras.runner.start(
            "Damaged entries", lambda _token, _report: look(), lambda found: then(DamagedEntries(project, found))
        ):
            self.messages.tell("Looking through all entries of the project …")

    def step_model(self, make: Callable[[CameraModel, Session], M], model: CameraModel) -> M:
        """The view-model that one step has of a camera, made when it is first asked for."""
        key = (model.camera.id, make)
        if key not in self._step_models:
            self._step_models[key] = make(model, self)
        known: M = self._step_models[key]
        return known
