"""One change that can be undone."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from PyQt6.QtGui import QUndoCommand

Keep = Callable[[Any], None]


class Step(QUndoCommand):
    """A value that was changed; it is written already when the step is made."""

    def __init__(self, what: str, keep: Callable[[Any], bool], show: Keep, old: Any, new: Any) -> None:
        super().__init__(what)
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
