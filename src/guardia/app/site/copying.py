"""What one camera has, copied to others of its site: a draft, zones."""

from __future__ import annotations

from collections.abc import Sequence

from guardia.app.camera.camera_model import CameraModel
from guardia.app.camera.undo import step_text
from guardia.app.site.open_site import OpenSite
from guardia.core.base.words import count_of
from guardia.core.make.convert_settings import copied
from guardia.core.make.settings import Settings
from guardia.core.make.zones import Zone
from guardia.core.purpose.patterns import purpose_for
from guardia.store.records import Camera


class Copying:
    """Copies drafts between the cameras of an open project.

    Args:
        session: The open project.
    """

    def __init__(self, session: OpenSite) -> None:
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

    def copy_purpose(self, model: CameraModel, cameras: Sequence[int], now_s: float) -> None:
        """Ask the same of other cameras, as purpose_for() fits it to their makes; one step of undo."""
        purpose = model.evidence.purpose
        if not cameras or purpose is None:
            return
        undo = self._session.undo
        undo.beginMacro(step_text(model.camera.name, f"copy what it is for to {count_of(len(cameras), 'camera')}"))
        for number in cameras:
            other = self._session.camera(number)
            other.facts.set_purpose(purpose_for(purpose, other.camera.capability), now_s)
        undo.endMacro()


def zone_sources(session: OpenSite, camera_id: int) -> list[tuple[str, tuple[Zone, ...]]]:
    """Zones that can be copied to a camera: (where from, the zones), of its own earlier settings and of others."""
    own = session.camera(camera_id).camera
    sources = [(f"{own.name}, installed", own.installed.detection.zones)]
    for epoch in reversed(session.camera(camera_id).evidence.epochs[:-1]):
        if epoch.settings is not None:
            until = f"{session.local_time(epoch.to_s):%d %b %Y %H:%M}"
            sources.append((f"{own.name}, installed until {until}", epoch.settings.detection.zones))
    for other in (camera for i, camera in session.cameras.all().items() if i != camera_id):
        sources.append((f"{other.name}, installed", other.installed.detection.zones))
        if other.draft.detection.zones != other.installed.detection.zones:
            sources.append((f"{other.name}, draft", other.draft.detection.zones))
    return [(name, zones) for name, zones in sources if zones]
