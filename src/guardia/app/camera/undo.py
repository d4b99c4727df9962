"""One change that can be undone: written first, then shown; and the next one to take back, with its camera."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager
from datetime import UTC, datetime
from typing import Any, NamedTuple

from PyQt6.QtGui import QUndoCommand, QUndoStack

from guardia.app.work.messages import MessageHub
from guardia.core.base.errors import GuardiaError

Keep = Callable[[Any], None]


class Owner(NamedTuple):
    """Whose a step is."""

    camera_id: int | None = None
    """Number of the camera; None for the site."""
    name: str = ""
    """Its name; empty for the site."""


OF_SITE = Owner()


class UndoStep(QUndoCommand):
    """A value that was changed; it is written already when the step is made.

    The history shows when it was and of which camera; the menu says what would be undone, and of which camera.
    """

    def __init__(
        self, of: Owner, what: str, keep: Callable[[Any], bool], show: Keep, old: Any, new: Any, *, record: bool
    ) -> None:
        super().__init__(step_text(of.name, what))
        self.of, self.what, self.record = of, what, record
        self._keep, self._show, self._old, self._new = keep, show, old, new
        self.written = True

    def write(self, *, back: bool) -> bool:
        """Write the value that undo (or redo) will show; False, and nothing is shown, if it cannot be."""
        self.written = self._keep(self._old if back else self._new)
        return self.written

    def redo(self) -> None:
        """Show it; when it was undone, write it again."""
        if self.written or self.write(back=False):
            self._show(self._new)
        self.written = False

    def undo(self) -> None:
        """Take it back."""
        if self.written or self.write(back=True):
            self._show(self._old)
        self.written = False


def step_text(of: str, what: str) -> str:
    """How the history writes a step (time of day, camera, what), and behind a line break how the menu does."""
    now = datetime.now(UTC).astimezone()
    history = f"{now:%H:%M}  {of}: {what}" if of else f"{now:%H:%M}  {what}"
    return f"{history}\n{what} ({of})" if of else f"{history}\n{what}"


class Changes:
    """Makes changes that are written first, then shown, then a step of undo.

    Args:
        undo: The project's undo stack.
        messages: Where it is told why something could not be written.
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

    def make(self, of: Owner, what: str, keep: Keep, show: Keep, old: Any, new: Any, *, record: bool = False) -> bool:
        """Write a change of a camera or of the site, show it, and make it a step of undo.

        `record` marks what stands in the logbook: it is undone from its own camera only.
        """
        if not self.kept(lambda: keep(new)):
            return False
        self._undo.push(UndoStep(of, what, lambda value: self.kept(lambda: keep(value)), show, old, new, record=record))
        return True


class Next(NamedTuple):
    """What undo would take back, or redo bring again."""

    of: Owner
    """Whose it is."""
    what: str
    """What was done."""
    record: bool
    """It stands in the logbook of that camera."""


def _steps(command: QUndoCommand) -> Iterator[UndoStep]:
    """The steps that a command is made of, in their order."""
    if isinstance(command, UndoStep):
        yield command
    for number in range(command.childCount()):
        child = command.child(number)
        if child is not None:
            yield from _steps(child)


class Undoing:
    """Takes the last change back, and brings it again; what cannot be written stays as it is.

    Args:
        undo: The project's undo stack.
        messages: Where it is told what was taken back, and of which camera.
        together: Makes several writings one.
    """

    def __init__(
        self, undo: QUndoStack, messages: MessageHub, together: Callable[[], AbstractContextManager[None]]
    ) -> None:
        self._undo, self._messages, self._together = undo, messages, together

    def _command(self, *, back: bool) -> QUndoCommand | None:
        at = self._undo.index() - 1 if back else self._undo.index()
        command = self._undo.command(at) if 0 <= at < self._undo.count() else None
        return command if isinstance(command, QUndoCommand) else None

    def next(self, *, back: bool) -> Next | None:
        """What is next; None where nothing is."""
        command = self._command(back=back)
        steps = list(_steps(command)) if command is not None else []
        if command is None or not steps:
            return None
        owners = {step.of for step in steps}
        return Next(owners.pop() if len(owners) == 1 else OF_SITE, command.actionText(), any(s.record for s in steps))

    def take(self, *, back: bool) -> bool:
        """Take it back, or bring it again, and say so; False, and all stays, where it cannot be written."""
        command = self._command(back=back)
        if command is None:
            return False
        steps = list(_steps(command))
        try:
            with self._together():
                for step in reversed(steps) if back else steps:
                    if not step.write(back=back):
                        raise _NotWritten
        except _NotWritten:
            for step in steps:
                step.written = False  # what was written before it is rolled back
            return False
        (self._undo.undo if back else self._undo.redo)()
        done, other = ("Undone", "Redo (Ctrl+Shift+Z) brings it back.") if back else ("Done again", "")
        self._messages.tell(f"{done}: {command.actionText()}. {other}".strip())
        return True


class _NotWritten(Exception):
    """A step could not be written, which was said: those written before it in the same command are rolled back."""
