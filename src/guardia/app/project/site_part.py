"""What is known of the site as a whole, subject by subject."""

from __future__ import annotations

from typing import TYPE_CHECKING

from guardia.app.project.undo import Changes
from guardia.app.work.messages import MessageHub
from guardia.store.project import Project

if TYPE_CHECKING:
    from guardia.app.project.open_project import OpenProject


class SitePart:
    """One subject of the site; what is changed is written at once and can be undone.

    Args:
        session: The open project.
        project: Its file.
        messages: Where errors are told.
    """

    def __init__(self, session: OpenProject, project: Project, messages: MessageHub) -> None:
        self._session, self._project, self._messages = session, project, messages
        self._changes = Changes(session.undo, messages)
