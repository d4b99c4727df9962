"""The draft of one camera copied to others of its site."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from guardia.app.project.camera_model import CameraModel
from guardia.app.project.undo import step_text
from guardia.core.base.words import count_of
from guardia.core.make.convert_settings import copied
from guardia.core.make.settings import Settings
from guardia.store.records import Camera

if TYPE_CHECKING:
    from guardia.app.project.open_project import OpenProject


class Copying:
    """Copies drafts between the cameras of an open project.

    Args:
        session: The open project.
    """

    def __init__(self, session: OpenProject) -> None:
        self._session = session

    def _taken(self, model: CameraModel, other: Camera, *, zones: bool) -> tuple[Settings, list[str]]:
        source = model.camera.under(model.camera.draft)
        return copied(source, other.under(other.draft), zones=zones)

    def losses(self, model: CameraModel, *, zones: bool) -> dict[int, tuple[str, list[str]]]:
        """Every other camera by its number: its name, and what would be lost on the way."""
        return {
            number: (other.name, self._taken(model, other, zones=zones)[1])
            for number, other in self._session.cameras.all().items()
            if number != model.camera.id
        }

    def copy(self, model: CameraModel, cameras: Sequence[int], *, zones: bool) -> None:
        """Copy a draft to other cameras; one step of undo."""
        if not cameras:
            return
        undo = self._session.undo
        undo.beginMacro(step_text(model.camera.name, f"copy the draft to {count_of(len(cameras), 'camera')}"))
        others = self._session.cameras.all()
        for number in cameras:
            draft = self._taken(model, others[number], zones=zones)[0]
            self._session.change_draft(number, draft, f"copy from {model.camera.name}")
        undo.endMacro()
