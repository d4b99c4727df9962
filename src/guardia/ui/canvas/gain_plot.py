"""What each setting would do: false alerts removed to the right, real ones put at risk upwards."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QHelpEvent, QMouseEvent, QPainter, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import painting

HEIGHT_PX, EDGE_PX, REACH_PX, DOT_PX = 170, 44, 12, 5.0
SHIFT_PX = 7
"""So far beside each other stand those that do the same."""


class Gain(NamedTuple):
    """What a setting, or several together, would do."""

    words: str
    """What is set."""
    removed: int
    """False alerts, or false recordings where none are counted, fewer than installed."""
    risk: int
    """Real occurrences lost more than installed."""
    single: bool
    """Whether it is one setting alone."""


class GainPlot(QWidget):
    """One mark for each; `chosen` is emitted with the number of the one that is clicked."""

    chosen = pyqtSignal(int)

    def __init__(self, what: str) -> None:
        super().__init__()
        self.gains: Sequence[Gain] = ()
        self.selected = -1
        self.what = what
        self._places: list[QPointF] = []
        self.setFixedHeight(THEME.px(HEIGHT_PX))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("What each setting removes and puts at risk")

    def sizeHint(self) -> QSize:
        """As high as it is drawn."""
        return QSize(400, THEME.px(HEIGHT_PX))

    def show_gains(self, gains: Sequence[Gain], what: str) -> None:
        """Show others; `what` names what is removed."""
        self.gains, self.what, self.selected = gains, what, -1
        self.setAccessibleDescription("; ".join(_words(gain, what) for gain in gains))
        self.update()

    def select(self, number: int) -> None:
        """Mark one of them."""
        self.selected = number
        self.update()

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw both axes through nothing changed, and all marks."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        edge = THEME.px(EDGE_PX)
        area = QRectF(edge, 8, self.width() - edge - 12, self.height() - 8 - THEME.px(36))
        across = [gain.removed for gain in self.gains] + [0]
        up = [gain.risk for gain in self.gains] + [0]
        low, high, least, most = min(across), max(*across, min(across) + 1), min(up), max(*up, min(up) + 1)

        def at(removed: float, risk: float) -> QPointF:
            x = area.left() + 16 + (area.width() - 32) * (removed - low) / (high - low)
            return QPointF(x, area.bottom() - 10 - (area.height() - 20) * (risk - least) / (most - least))

        painter.setPen(QPen(THEME.colour("line"), 1))
        origin = at(0, 0)
        painter.drawLine(QPointF(area.left(), origin.y()), QPointF(area.right(), origin.y()))
        painter.drawLine(QPointF(origin.x(), area.top()), QPointF(origin.x(), area.bottom()))
        painter.setPen(THEME.colour("muted"))
        line = THEME.px(16)
        for removed in sorted({low, 0, high}):
            place = QRectF(at(removed, least).x() - 40, area.bottom() + 2, 80, line)
            painter.drawText(place, Qt.AlignmentFlag.AlignHCenter, f"{removed:+d}" if removed else "0")
        for risk in sorted({least, 0, most}):
            place = QRectF(0, at(low, risk).y() - line / 2, edge - 6, line)
            right = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(place, right, f"{risk:+d}" if risk else "0")
        foot = QRectF(0, self.height() - line - 1, self.width() - 12, line + 1)
        painter.drawText(foot, Qt.AlignmentFlag.AlignLeft, "↑ real ones lost more   ○ one setting   ◆ several")
        painter.drawText(foot, Qt.AlignmentFlag.AlignRight, f"{self.what} removed →")
        seen: Counter[tuple[int, int]] = Counter()
        self._places = []
        for number, gain in enumerate(self.gains):
            key = gain.removed, gain.risk
            spot = at(*key) + QPointF(SHIFT_PX * seen[key], 0)
            seen[key] += 1
            self._places.append(spot)
            colour = THEME.colour("missed" if gain.risk > 0 else "accent" if gain.removed > 0 else "muted")
            painter.setPen(QPen(colour, 1.8))
            painter.setBrush(THEME.colour("surface") if gain.single else colour)
            half = DOT_PX + (2 if number == self.selected else 0)
            if gain.single:
                painter.drawEllipse(spot, half, half)
            else:
                corners = ((0.0, -half), (half, 0.0), (0.0, half), (-half, 0.0))
                painter.drawPolygon(QPolygonF([spot + QPointF(x, y) for x, y in corners]))
            if number == self.selected:
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(THEME.colour("ink"), 1.4))
                painter.drawEllipse(spot, half + 4, half + 4)

    def _near(self, point: QPointF) -> int:
        """Number of the mark at a point, -1 where there is none."""
        away = [(abs(p.x() - point.x()) + abs(p.y() - point.y()), n) for n, p in enumerate(self._places)]
        distance, number = min(away, default=(1e9, -1))
        return number if distance <= REACH_PX else -1

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose what is clicked."""
        if event is not None and (number := self._near(event.position())) >= 0:
            self.select(number)
            self.chosen.emit(number)

    def event(self, event: QEvent | None) -> bool:
        """Say what is pointed at."""
        if isinstance(event, QHelpEvent):
            number = self._near(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), _words(self.gains[number], self.what) if number >= 0 else "", self)
            return True
        return super().event(event)


def _words(gain: Gain, what: str) -> str:
    return f"{gain.words}: {gain.removed:+d} {what} removed, {gain.risk:+d} real ones lost"
