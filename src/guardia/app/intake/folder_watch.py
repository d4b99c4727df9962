"""Folders that are watched while a project is open: what comes into them is imported once it is whole."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Sequence

from PyQt6.QtCore import QFileSystemWatcher, QObject, QTimer

SETTLED_S = 5.0
"""A file that was written to so lately may still grow."""


class FolderWatch(QObject):
    """Calls for an import when something new lies in one of some folders or beneath.

    Args:
        import_new: Starts the import; what it gives says whether it has begun.
        busy: Whether another import is under way.
        parent: Owns it.
    """

    def __init__(self, import_new: Callable[[], bool], busy: Callable[[], bool], parent: QObject) -> None:
        super().__init__(parent)
        self._import, self._busy = import_new, busy
        self._roots: list[str] = []
        self._watcher = QFileSystemWatcher(self)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(round(1000 * SETTLED_S))
        self._timer.timeout.connect(self._look)
        self._watcher.directoryChanged.connect(lambda _folder: self._timer.start())

    @property
    def on(self) -> bool:
        """Whether any folder is watched."""
        return bool(self._roots)

    def start(self, folders: Sequence[str]) -> None:
        """Watch these folders and all beneath them."""
        self._roots = list(folders)
        self._add()

    def stop(self) -> None:
        """Watch nothing any more."""
        self._roots = []
        self._timer.stop()
        if there := self._watcher.directories():
            self._watcher.removePaths(there)

    def _add(self) -> None:
        beneath = [folder for root in self._roots for folder, _, _ in os.walk(root)]
        new = sorted({*beneath} - {*self._watcher.directories()})
        if new:
            self._watcher.addPaths(new)

    def _look(self) -> None:
        """Import, unless a file still grows or another import runs: then look again later."""
        self._add()
        if self._busy() or self._youngest_s() < SETTLED_S:
            self._timer.start()
        else:
            self._import()

    def _youngest_s(self) -> float:
        """Seconds since a file there was written to last."""
        last = 0.0
        for folder in self._watcher.directories():
            try:
                with os.scandir(folder) as entries:
                    last = max([last, *(entry.stat().st_mtime for entry in entries if entry.is_file())])
            except OSError:
                continue  # it was taken away
        return time.time() - last
