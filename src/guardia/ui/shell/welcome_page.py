"""The first page: what the program does, the demo, and the projects opened last."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from importlib.resources import files
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QPixmap
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout, QWidget

from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import button, card, label

_STEPS = (
    ("1  Import", "Clips that the camera really recorded, and its list of events. Nothing leaves this machine."),
    ("2  Judge", "Say once of each occurrence whether it was real or false: one key, many at a time."),
    ("3  Tune", "Move a zone's corner or the sensitivity: installed and draft are scored side by side on those clips."),
    ("4  Hand over", "A settings sheet in the camera's own words, and the logbook of what was entered when."),
)


PICTURE_PX, WIDEST_PX = 440, 1240
"""Lines that are longer are hard to read."""


class WelcomePage(QWidget):
    """Shown while no project is open.

    Args:
        demo: Opens the demo.
        own: What one's own site begins with, the first of them first.
        guide: Opens the guide.
        recent: Folders of the projects opened last.
        open_folder: Opens one of them.
    """

    def __init__(
        self,
        demo: QAction,
        own: Sequence[QAction],
        guide: QAction,
        recent: Sequence[str],
        open_folder: Callable[[Path], object],
    ) -> None:
        super().__init__()
        across = QHBoxLayout(self)
        inner = QWidget()
        inner.setMaximumWidth(THEME.px(WIDEST_PX))
        across.addWidget(inner)
        layout = QVBoxLayout(inner)
        layout.setContentsMargins(36, 24, 36, 24)
        layout.setSpacing(14)
        layout.addWidget(label("Fewer false alerts, no missed recordings", "title"))
        layout.addWidget(
            label(
                "Guardia scores camera settings on recorded clips before anything is touched on the camera.", wrap=True
            )
        )
        steps = QGridLayout()
        steps.setSpacing(12)
        for column, (title, text) in enumerate(_STEPS):
            frame = card()
            frame.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Minimum)
            inside = QVBoxLayout(frame)
            inside.addWidget(label(title, "head"))
            inside.addWidget(label(text, "muted", wrap=True))
            inside.addStretch()
            steps.addWidget(frame, 0, column)
            steps.setColumnStretch(column, 1)
        layout.addLayout(steps)
        row = QHBoxLayout()
        row.setSpacing(24)
        row.addWidget(self._demo_card(demo), 3)
        row.addLayout(self._own(own, guide, recent, open_folder), 2)
        layout.addLayout(row)
        layout.addStretch()

    def _demo_card(self, demo: QAction) -> QWidget:
        frame = card()
        inside = QVBoxLayout(frame)
        inside.setContentsMargins(14, 14, 14, 14)
        inside.addWidget(label("Try it on the demo site", "head"))
        picture = QLabel()
        pixmap = QPixmap()
        pixmap.loadFromData((files("guardia") / "data" / "welcome.jpg").read_bytes())
        picture.setPixmap(pixmap.scaledToWidth(PICTURE_PX, Qt.TransformationMode.SmoothTransformation))
        inside.addWidget(picture)
        inside.addWidget(
            label(
                "Tern Quay, an invented boatyard: six cameras, two weeks of clips, and one mistake in the settings of "
                "each. You work on a copy of your own.",
                "muted",
                wrap=True,
            )
        )
        inside.addWidget(button(demo.iconText(), demo.trigger, "primary", demo.toolTip()))
        return frame

    def _own(
        self, own: Sequence[QAction], guide: QAction, recent: Sequence[str], open_folder: Callable[[Path], object]
    ) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(6)
        frame = card()
        inside = QVBoxLayout(frame)
        inside.setContentsMargins(14, 14, 14, 14)
        inside.addWidget(label("Your own site: drop a folder of clips here", "head"))
        inside.addWidget(
            label(
                "It becomes a project, with a camera for each folder or name in it. The clips are copied.",
                "muted",
                wrap=True,
            )
        )
        first, *others = own
        inside.addWidget(button(first.iconText(), first.trigger, "primary", first.toolTip()))
        column.addWidget(frame)
        column.addSpacing(8)
        for action in others:
            column.addWidget(button(action.iconText(), action.trigger, tip=action.toolTip()))
            column.addWidget(label(action.toolTip(), "muted"))
            column.addSpacing(8)
        column.addWidget(button("Guide: your first camera", guide.trigger, "link", guide.toolTip()))
        there = [Path(name) for name in recent if Path(name).is_dir()]
        if there:
            column.addSpacing(10)
            column.addWidget(label("Opened last", "head"))
        for folder in there:
            column.addWidget(button(folder.name, partial(open_folder, folder), "link", str(folder)))
        column.addStretch()
        return column
