"""What is known of the site as a whole, subject by subject."""

from __future__ import annotations

from guardia.app.camera.undo import Changes
from guardia.app.site.open_site import OpenSite
from guardia.app.work.messages import MessageHub
from guardia.store.project import Project


class SitePart:
    """One subject of the site; what is changed is written at once and can be undone.

    Args:
        session: The open project.
        project: Its file.
        messages: Where errors are told.
    """

    def __init__(self, session: OpenSite, project: Project, messages: MessageHub) -> None:
        self._session, self._project, self._messages = session, project, messages
        self._changes = Changes(session.undo, messages)
