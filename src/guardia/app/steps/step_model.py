"""What the view-models of single steps share: a camera, and long work that stops when the project is closed."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from guardia.app.camera.camera_model import CameraModel
from guardia.app.work.job_runner import JobRunner
from guardia.app.work.latest import Latest

if TYPE_CHECKING:
    from guardia.app.project.session import Session


class StepModel(QObject):
    """The view-model of a step of one camera.

    Args:
        model: The camera.
        session: The open project, which tells errors and stops the work when it is closed.
    """

    changed = pyqtSignal()

    def __init__(self, model: CameraModel, session: Session) -> None:
        super().__init__(model)
        self.model = model
        self._session = session
        self._messages = session.messages
        self.jobs = JobRunner(self)
        self.jobs.failed.connect(session.messages.tell_error)
        session.adopt(self.jobs)

    def latest(self) -> Latest[Any]:
        """Something that is worked out besides, whenever it is asked for."""
        made: Latest[Any] = Latest(self)
        made.runner.failed.connect(self._messages.tell_error)
        self._session.adopt(made.runner)
        return made
