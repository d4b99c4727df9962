"""What is due on a site, and saving it for a calendar."""

from __future__ import annotations

from datetime import date, datetime
from pathlib import Path
from typing import TYPE_CHECKING

from guardia.core.base.errors import InvalidValue
from guardia.core.base.words import count_of
from guardia.core.prove.due import Due, due_of, in_patrol_order
from guardia.formats.calendar import days_calendar

BY_HAND = "entered by hand, or from a calendar"

if TYPE_CHECKING:
    from guardia.app.project.open_project import OpenProject


def today_here() -> date:
    """This day where the program runs."""
    return datetime.now().astimezone().date()


class Rounds:
    """What is due on all cameras of an open project.

    Args:
        session: The open project.
    """

    def __init__(self, session: OpenProject) -> None:
        self._session = session

    @property
    def today(self) -> date:
        """This day at the site."""
        return datetime.now(self._session.time_zone).date()

    def due(self) -> list[Due]:
        """Everything that is due, overdue first, of one day in patrol order."""
        due: list[Due] = []
        cameras = self._session.cameras
        for model in cameras.opened.values():
            camera = model.camera
            due += due_of(camera.name, model.comparison.installed_replay, camera.about.patrol)
        for camera_id, line in self._session.summaries.items():
            due += line.dues if camera_id not in cameras.opened else []
        places = {i: (camera.name, camera.about.patrol) for i, camera in cameras.all().items()}
        for task in self._session.units.tasks:
            camera_name, patrol = places.get(task.camera_id or 0, (self._session.site.name, 0))
            due.append(Due(camera_name, task.what, task.on, BY_HAND, patrol))
        return in_patrol_order(due)

    def save(self, path: Path) -> None:
        """Save it as a calendar."""
        dues = self.due()
        entries = [(f"{d.camera}: {d.what}", d.why, d.on) for d in dues]
        messages = self._session.messages
        try:
            path.write_bytes(days_calendar(entries))
        except OSError as error:
            messages.tell_error(InvalidValue(f"{path} cannot be written ({error.strerror})."))
        else:
            messages.tell(f"{count_of(len(entries), 'date')} saved to {path}.")
