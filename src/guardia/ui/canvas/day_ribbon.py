"""A ribbon of the day's hours with every shown occurrence on it: real above false above not judged."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter
from PyQt6.QtWidgets import QSizePolicy, QWidget

from guardia.core.purpose.judgement import Verdict
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import draw_mark, painting


@dataclass(frozen=True)
class RibbonMark:
    """One occurrence on the ribbon."""

    id: int
    """The occurrence."""
    hour: float
    """Local hour of the day, 0..24."""
    verdict: Verdict | None
    """Its judgement, None while there is none."""
    recorded: bool
    """Whether the draft records it."""


class DayRibbon(QWidget):
    """The hours of a day, or of all days laid over each other. `picked` is emitted with a clicked mark's id."""

    picked = pyqtSignal(int)

    def __init__(self) -> None:
        super().__init__()
        self.marks: Sequence[RibbonMark] = ()
        self.setFixedHeight(THEME.px(54))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Hours of the day with occurrences")

    def show_marks(self, marks: Sequence[RibbonMark]) -> None:
        """Show other occurrences."""
        self.marks = marks
        self.update()

    def place(self, mark: RibbonMark) -> QPointF:
        """Where a mark stands."""
        lane = {Verdict.REAL: 0.18, Verdict.FALSE: 0.5}.get(mark.verdict, 0.82) if mark.verdict else 0.82
        return QPointF(4 + (self.width() - 8) * mark.hour / 24, (self.height() - THEME.px(15)) * lane)

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw the ribbon."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(THEME.colour("raised"))
        painter.drawRoundedRect(QRectF(0, 0, self.width(), self.height() - THEME.px(15)), 4, 4)
        for hour in range(0, 25, 3):
            x = 4 + (self.width() - 8) * hour / 24
            painter.setPen(THEME.colour("line"))
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height() - THEME.px(15)))
            painter.setPen(THEME.colour("muted"))
            area = QRectF(min(max(0.0, x - 20), self.width() - 40), self.height() - THEME.px(15), 40, 15)
            side = Qt.AlignmentFlag.AlignLeft if hour == 0 else Qt.AlignmentFlag.AlignRight
            painter.drawText(area, Qt.AlignmentFlag.AlignHCenter if 0 < hour < 24 else side, f"{hour:02d}")
        for mark in self.marks:
            draw_mark(painter, mark.verdict, self.place(mark), 7.0, recorded=mark.recorded)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Pick the mark that is clicked."""
        if event is not None and self.marks:
            far, nearest = min(((self.place(m) - event.position()).manhattanLength(), m.id) for m in self.marks)
            if far <= 10:
                self.picked.emit(nearest)
