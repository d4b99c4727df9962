"""First settings for a camera of which there is no clip yet, and taking them as the draft."""

from __future__ import annotations

from datetime import UTC, datetime

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.step_model import StepModel
from guardia.core.make.candidate import Candidate
from guardia.core.prove.first import FirstSettings, first_settings
from guardia.core.purpose.purpose import UNSAID


class FirstModel(StepModel):
    """What to begin with on one camera; parameters as StepModel."""

    def __init__(self, model: CameraModel, session: Session) -> None:
        super().__init__(model, session)
        self._session = session

    def settings(self) -> FirstSettings:
        """Chosen now, from its purpose, its view and its make."""
        model = self.model
        on = datetime.now(UTC).astimezone(self._session.time_zone).date()
        candidate = Candidate(model.draft, model.camera.capability)
        return first_settings(
            candidate, model.evidence.purpose or UNSAID, model.camera.view, place=model.evidence.place, on=on,
            grid=model.grid,
        )  # fmt: skip

    def take(self, first: FirstSettings) -> None:
        """Make them the draft; undo brings back the one before."""
        self.model.change_draft(first.candidate.settings, "take first settings")
        self._messages.tell("The first settings are the draft. Enter them on the camera, then walk the walks.")
