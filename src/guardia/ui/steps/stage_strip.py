"""The stages of a list side by side, each with how much of it is done; a click leads to what is left of one."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import NamedTuple

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QGridLayout, QPushButton, QSizePolicy, QWidget

from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import clear

BAR_PX = 4


class StageDone(NamedTuple):
    """How far one stage is."""

    name: str
    """Its name."""
    settled: int
    """Lines of it with nothing left to do."""
    lines: int
    """All lines of it."""
    wrong: bool
    """Whether what was recorded contradicts one of them."""


class _StageButton(QPushButton):
    """The name of a stage, with its share done as a bar beneath."""

    def __init__(self, stage: StageDone) -> None:
        sign = "✕ " if stage.wrong else "✓ " if stage.settled == stage.lines else ""
        super().__init__(f"{sign}{stage.name} {stage.settled}/{stage.lines}")
        self._stage = stage
        self.setObjectName("stage")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName(f"{stage.name}: {stage.settled} of {stage.lines}")

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the button and its bar."""
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setPen(Qt.PenStyle.NoPen)
        whole = QRectF(6, self.height() - BAR_PX - 3, self.width() - 12, BAR_PX)
        painter.setBrush(THEME.colour("raised"))
        painter.drawRoundedRect(whole, 2, 2)
        painter.setBrush(THEME.colour("missed" if self._stage.wrong else "accent"))
        done = self._stage.settled / max(1, self._stage.lines)
        painter.drawRoundedRect(QRectF(whole.left(), whole.top(), whole.width() * done, BAR_PX), 2, 2)
        painter.end()


class StageStrip(QWidget):
    """All stages, in one row or two. `chosen` is emitted with the name of the one that is clicked."""

    chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setSpacing(5)
        self._shown: tuple[StageDone, ...] = ()
        self._keys: list[_StageButton] = []
        self._columns = 0

    def show_stages(self, stages: Sequence[StageDone]) -> None:
        """Show how far each stage is."""
        if tuple(stages) == self._shown:
            return
        self._shown = tuple(stages)
        clear(self._grid)
        self._keys = [_StageButton(stage) for stage in stages]
        for key, stage in zip(self._keys, stages, strict=True):
            key.clicked.connect(partial(lambda name, _=False: self.chosen.emit(name), stage.name))
        self._columns = 0
        self._arrange()

    def _arrange(self) -> None:
        """Use one row where all of them fit, otherwise two."""
        asked = sum(key.sizeHint().width() + self._grid.spacing() for key in self._keys)
        columns = len(self._keys) if asked <= self.width() else -(-len(self._keys) // 2)
        if columns != self._columns:
            self._columns = columns
            for number, key in enumerate(self._keys):
                self._grid.addWidget(key, number // columns, number % columns)

    def minimumSizeHint(self) -> QSize:
        """As narrow as two rows are."""
        widest = max((key.sizeHint().width() for key in self._keys), default=0)
        return QSize((widest + self._grid.spacing()) * -(-len(self._keys) // 2), super().minimumSizeHint().height())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Fit the new width."""
        super().resizeEvent(event)
        self._arrange()
