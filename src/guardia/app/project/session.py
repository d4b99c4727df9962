"""One open project in the window, with everything that can be done with it as a whole."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

from guardia.app.project.camera_model import CameraModel
from guardia.app.project.intake import Intake
from guardia.app.project.open_project import OpenProject
from guardia.app.project.site_occurrences import SiteOccurrences
from guardia.app.work.messages import MessageHub

M = TypeVar("M")


class Session(OpenProject):
    """The open project with its imports, its occurrences over all cameras, and the view-models of steps.

    Parameters as OpenProject.
    """

    def __init__(self, folder: Path, messages: MessageHub) -> None:
        super().__init__(folder, messages)
        self._step_models: dict[tuple[int, object], Any] = {}
        self.intake = Intake(self, self._project)
        self.occurrences = SiteOccurrences(self, self._project)

    def step_model(self, make: Callable[[CameraModel, Session], M], model: CameraModel) -> M:
        """The view-model that one step has of a camera, made when it is first asked for."""
        key = (model.camera.id, make)
        if key not in self._step_models:
            self._step_models[key] = make(model, self)
        known: M = self._step_models[key]
        return known
