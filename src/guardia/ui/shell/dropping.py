"""What is dropped on the window: a project is opened, clips go to the open camera, or a new project is made of them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QEvent, QMimeData, QObject, QTimer, QTimeZone
from PyQt6.QtGui import QDragEnterEvent, QDropEvent
from PyQt6.QtWidgets import QWidget

from guardia.app.intake.importing import ImportRequest
from guardia.app.project.first_day import Begun, begin_from
from guardia.app.project.session import Session
from guardia.core.base.words import count_of, listed
from guardia.ui.shell.dialogs import folder_name

DATABASE = "project.sqlite"


def dropped_paths(data: QMimeData | None) -> list[Path]:
    """Files and folders of this machine that are dragged; none where something else is."""
    urls = data.urls() if data is not None else []
    return [Path(url.toLocalFile()) for url in urls if url.isLocalFile()]


class Dropping(QObject):
    """Takes what is dropped on a window, anywhere.

    Args:
        window: The window.
        take: Called with the files and folders, after the drop has ended.
    """

    def __init__(self, window: QWidget, take: Callable[[list[Path]], object]) -> None:
        super().__init__(window)
        self._take = take
        window.setAcceptDrops(True)
        window.installEventFilter(self)

    def eventFilter(self, _watched: QObject | None, event: QEvent | None) -> bool:
        """Take files; everything else goes on as it was."""
        if isinstance(event, QDropEvent) and event.type() == QEvent.Type.Drop:
            paths = dropped_paths(event.mimeData())
            event.acceptProposedAction()
            QTimer.singleShot(0, lambda: self._take(paths))
            return True
        if isinstance(event, QDragEnterEvent) and dropped_paths(event.mimeData()):
            event.acceptProposedAction()
            return True
        return False


def project_of(paths: list[Path]) -> Path | None:
    """The project that was dropped; None where it is something else."""
    return paths[0] if len(paths) == 1 and (paths[0] / DATABASE).is_file() else None


def begin_with(paths: list[Path], above: Path) -> Begun:
    """Make a project for dropped clips in a folder; raises GuardiaError where that cannot be."""
    zone = bytes(QTimeZone.systemTimeZoneId().data()).decode() or "UTC"
    return begin_from(paths, above=above, time_zone=zone, name_of=folder_name)


def import_begun(session: Session, begun: Begun, paths: list[Path]) -> None:
    """Import the clips that a project was made for, and say what was made."""
    session.intake.run(ImportRequest(begun.folder, begun.cameras[0], tuple(paths), rule=begun.found.rule))
    cameras = f"{count_of(len(begun.cameras), 'camera')} ({listed(begun.found.cameras)})"
    session.messages.tell(
        f"Made the project '{begun.found.site}' with {cameras} in {begun.folder}. Time zone: this machine's."
    )
