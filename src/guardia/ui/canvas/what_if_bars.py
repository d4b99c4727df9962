"""Days kept by mode, quality and medium, as lines with a dot for each medium, against the days required."""

from __future__ import annotations

import math
from collections.abc import Sequence

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QHelpEvent, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from guardia.core.score.storage import WhatIf
from guardia.core.storage.figure import days_words
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import painting

ROW_PX, HEAD_PX, FOOT_PX = (22, 40), 24, 22
DOT_PX = 5.0
LEAST_DAYS, MOST_DAYS = 0.1, 3650.0
"""The scale ends there; what is kept longer has an arrow."""

TICKS = ((0.1, "2 h"), (1, "1 day"), (7, "7 days"), (30, "30"), (90, "90"), (365, "1 year"), (3650, "10 years"))


class WhatIfBars(QWidget):
    """One line for each mode and quality on a logarithmic scale of days; a filled dot keeps long enough."""

    def __init__(self) -> None:
        super().__init__()
        self._rows: dict[tuple[str, str], list[WhatIf]] = {}
        self._required: float | None = None
        self._dots: list[tuple[QPointF, WhatIf]] = []
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Days kept by mode, quality and medium")
        self.setMouseTracking(True)

    def show_found(self, found: Sequence[WhatIf], required: float | None) -> None:
        """Show other figures, held against the days required if any are."""
        self._rows = {}
        for one in found:
            self._rows.setdefault((one.mode.value, one.quality), []).append(one)
        self._required = required
        self.setAccessibleDescription("; ".join(_words(one) for one in found))
        self.setMinimumHeight(self.sizeHint().height())
        self.update()

    def sizeHint(self) -> QSize:
        """All lines at their lowest."""
        head_and_foot = THEME.px(HEAD_PX) + THEME.px(FOOT_PX)
        return QSize(480, max(1, len(self._rows)) * THEME.px(ROW_PX[0]) + head_and_foot)

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw scale, requirement and lines."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        metrics = painter.fontMetrics()
        names = [f"{mode}, {quality}" for mode, quality in self._rows]
        left = max([metrics.horizontalAdvance(name) for name in names] + [0]) + 16
        head, foot = THEME.px(HEAD_PX), THEME.px(FOOT_PX)
        step = (self.height() - head - foot) / max(1, len(names))
        step = min(max(step, THEME.px(ROW_PX[0])), THEME.px(ROW_PX[1]))
        bottom, right = head + step * len(names), self.width() - 24.0
        ends = [one.days.value for row in self._rows.values() for one in row if one.days.value > 0]
        low = max(LEAST_DAYS, min([*ends, self._required or 1.0]) / 1.5)
        high = min(MOST_DAYS, max([*ends, self._required or 1.0, 2 * low]) * 1.3)

        def x_of(days: float) -> float:
            share = math.log(min(max(days, low), high) / low) / math.log(high / low)
            return left + share * (right - left)

        for days, words in TICKS:
            if low <= days <= high:
                painter.setPen(QPen(THEME.colour("line"), 1))
                painter.drawLine(QPointF(x_of(days), head), QPointF(x_of(days), bottom))
                painter.setPen(THEME.colour("muted"))
                painter.drawText(QRectF(x_of(days) - 40, bottom + 2, 80, foot), Qt.AlignmentFlag.AlignHCenter, words)
        if self._required is not None:
            x = x_of(self._required)
            painter.setPen(QPen(THEME.colour("missed"), 2))
            painter.drawLine(QPointF(x, head - 4), QPointF(x, bottom))
            words, room = f"{self._required:g} days required", QRectF(x - 120, 0, 240, head - 4)
            if room.right() > self.width():
                room.moveRight(self.width())
            painter.drawText(room, Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignVCenter, words)
        self._dots = []
        labelled = max(
            self._rows, key=lambda key: len({round(x_of(one.days.value) / 40) for one in self._rows[key]}), default=None
        )
        for number, (name, row) in enumerate(zip(names, self._rows.values(), strict=True)):
            y = head + (number + 0.5) * step
            painter.setPen(THEME.colour("ink"))
            painter.drawText(QRectF(0, y - step / 2, left - 10, step), Qt.AlignmentFlag.AlignVCenter, name)
            at = [QPointF(x_of(one.days.value), y) for one in row]
            painter.setPen(QPen(THEME.colour("line"), 3))
            painter.drawLine(at[0], at[-1])
            taken = -1e9
            for point, one in zip(at, row, strict=True):
                enough = self._required is None or one.days.value >= self._required
                painter.setPen(QPen(THEME.colour("accent" if enough else "missed"), 2))
                painter.setBrush(THEME.colour("accent" if enough else "surface"))
                painter.drawEllipse(point, DOT_PX, DOT_PX)
                if one.days.value > high:
                    painter.drawText(point + QPointF(8, 5), "▸")
                words = f"{one.size_gb:g} GB"
                wide = metrics.horizontalAdvance(words)
                # The same media stand in every line: they are named where they lie widest apart.
                if (one.mode.value, one.quality) == labelled and point.x() - wide / 2 > taken + 6:
                    painter.setPen(THEME.colour("muted"))
                    painter.drawText(QPointF(point.x() - wide / 2, y - DOT_PX - 2), words)
                    taken = point.x() + wide / 2
                self._dots.append((point, one))

    def event(self, event: QEvent | None) -> bool:
        """Say the figure of the dot that is pointed at."""
        if isinstance(event, QHelpEvent):
            place = QPointF(event.pos())
            near = [(abs(at.x() - place.x()) + abs(at.y() - place.y()), one) for at, one in self._dots]
            distance, one = min(near, key=lambda n: n[0], default=(1e9, None))
            QToolTip.showText(event.globalPos(), _words(one) if one is not None and distance < 16 else "", self)
            return True
        return super().event(event)


def _words(one: WhatIf) -> str:
    return f"{one.mode.value}, {one.quality}, {one.size_gb:g} GB: {days_words(one.days.value)}"
