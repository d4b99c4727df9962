"""One change that can be undone."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Any

from PyQt6.QtGui import QUndoCommand, QUndoStack

from guardia.app.work.messages import MessageHub
from guardia.core.base.errors import GuardiaError

Keep = Callable[[Any], None]


class Step(QUndoCommand):
    """A value that was changed; it is written already when the step is made.

    The history shows when it was and of which camera; the menu says what would be undone.
    """

    def __init__(self, of: str, what: str, keep: Callable[[Any], bool], show: Keep, old: Any, new: Any) -> None:
        super().__init__(f"{history_words(of, what)}\n{what}")
        self._keep, self._show, self._old, self._new = keep, show, old, new
        self._written = True

    def redo(self) -> None:
        """Show it; when it was undone, write it again."""
        if self._written or self._keep(self._new):
            self._show(self._new)
        self._written = False

    def undo(self) -> None:
        """Take it back."""
        if self._keep(self._old):
            self._show(self._old)


def history_words(of: str, what: str) -> str:
    """How the history writes a step: time of day, camera, what."""
    now = datetime.now(UTC).astimezone()
    return f"{now:%H:%M}  {of}: {what}" if of else f"{now:%H:%M}  {what}"


class Changes:
    """Makes changes that are written first, then shown, then a step of undo.

    Parameters
    ----------
    undo
        The project's undo stack.
    messages
        Where it is told why something could not be written.
    """

    def __init__(self, undo: QUndoStack, messages: MessageHub) -> None:
        self._undo, self._messages = undo, messages

    def kept(self, write: Callable[[], None]) -> bool:
        """Whether a change could be written; tells why not."""
        try:
            write()
        except GuardiaError as error:
            self._messages.tell_error(error)
            return False
        return True

    def make(self, of: str, what: str, keep: Keep, show: Keep, old: Any, new: Any) -> bool:
        """Write a change of a camera (or of the site, ''), show it, and make it a step of undo."""
        if not self.kept(lambda: keep(new)):
            return False
        self._undo.push(Step(of, what, lambda value: self.kept(lambda: keep(value)), show, old, new))
        return True
