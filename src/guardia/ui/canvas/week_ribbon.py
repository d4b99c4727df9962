"""The week as a ribbon: a row a day with the evidence on it, the draft's hours above the installed ones."""

from __future__ import annotations

import math

from PyQt6.QtCore import QLocale, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from guardia.app.steps.hours_model import HoursModel
from guardia.app.steps.ribbon_tool import Bar, PeriodGrip, bars_of
from guardia.core.hours.plan import DAY_MIN, EVERY_DAY, WEEKDAYS
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import draw_mark, painting

_LEFT, _TOP, _RIGHT, _BOTTOM = 46, 8, 12, 24
_REACH_PX = 6
_WEEK = 7 * DAY_MIN
NOON = 720


def first_weekday() -> int:
    """0 for Monday."""
    return list(Qt.DayOfWeek).index(QLocale().firstDayOfWeek())


class WeekRibbon(QWidget):
    """Seven rows; with `from_noon` each begins at noon, so that a night lies in one piece.

    `picked` is emitted when another stretch is chosen, `asked` with the occurrences under a double click.
    """

    picked = pyqtSignal()
    asked = pyqtSignal(tuple, str)

    def __init__(self, model: HoursModel) -> None:
        super().__init__()
        self._model = model
        self.from_noon = True
        self._first_day = first_weekday()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumSize(420, 180)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Hours of the week")
        self.setToolTip(
            "Drag an edge or a stretch, drag on an empty place to make one. Up and Down choose, Left and Right move, "
            "with Shift the end, with Ctrl the beginning; Insert adds, Delete removes, Esc puts back."
        )
        model.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        """Room for seven rows."""
        return QSize(760, 340)

    @property
    def _shift(self) -> int:
        """Where the first row begins: weeks begin on the day that is usual where this machine stands."""
        return DAY_MIN * self._first_day + (NOON if self.from_noon else 0)

    def _row_height(self) -> float:
        return (self.height() - _TOP - _BOTTOM) / 7

    def _x(self, at: float) -> float:
        return _LEFT + at / DAY_MIN * (self.width() - _LEFT - _RIGHT)

    def place_of(self, minute: float) -> QPointF:
        """Where a moment of the week lies: the middle of its row."""
        row, at = divmod((minute - self._shift) % _WEEK, DAY_MIN)
        return QPointF(self._x(at), _TOP + (row + 0.5) * self._row_height())

    def minute_at(self, place: QPointF) -> float:
        """The moment of the week under a place; to the left and right of a row it goes on."""
        row = max(0, min(6, int((place.y() - _TOP) / self._row_height())))
        at = (place.x() - _LEFT) / (self.width() - _LEFT - _RIGHT) * DAY_MIN
        return (row * DAY_MIN + at + self._shift) % _WEEK

    def _pieces(self, begin: float, end: float) -> list[QRectF]:
        """A stretch of the week as rectangles, one for each row that it touches, whole rows high."""
        pieces, height = [], self._row_height()
        low, high = begin - self._shift, end - self._shift
        while low < high:
            row = math.floor(low / DAY_MIN)
            until = min(high, (row + 1) * DAY_MIN)
            x0, x1 = self._x(low - row * DAY_MIN), self._x(until - row * DAY_MIN)
            pieces.append(QRectF(x0, _TOP + row % 7 * height, x1 - x0, height))
            low = until
        return pieces

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw nights, hours, evidence."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        model, height = self._model, self._row_height()
        whole = QRectF(_LEFT, _TOP, self.width() - _LEFT - _RIGHT, 7 * height)
        painter.fillRect(whole, THEME.colour("surface"))
        for begin, end in model.nights():
            for piece in self._pieces(begin, end):
                painter.fillRect(piece.intersected(whole), THEME.colour("raised"))
        self._draw_frame(painter, whole)
        place, monday = model.place, model.monday
        if model.plan is None:
            painter.fillRect(whole, THEME.colour("accent_soft", 110))
        for bar in bars_of(model.plan, monday, place):
            self._draw_bar(painter, bar)
        for bar in bars_of(model.installed, monday, place):
            for piece in self._pieces(bar.begin, bar.end):
                foot = QRectF(piece.left(), piece.bottom() - 0.2 * height, piece.width(), 0.1 * height)
                painter.fillRect(foot, THEME.colour("muted"))
        for mark in model.marks():
            draw_mark(painter, mark.verdict, self.place_of(mark.minute), 9, recorded=mark.inside)
        if self.hasFocus():
            painter.setPen(QPen(THEME.colour("accent"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(self.rect()).adjusted(1, 1, -1, -1))

    def _draw_frame(self, painter: QPainter, whole: QRectF) -> None:
        height = self._row_height()
        for day in EVERY_DAY:
            top = _TOP + day * height
            painter.setPen(THEME.colour("ink"))
            name = WEEKDAYS[(day + first_weekday()) % 7][:3]
            painter.drawText(QRectF(2, top, _LEFT - 6, height), Qt.AlignmentFlag.AlignVCenter, name)
            painter.setPen(QPen(THEME.colour("line"), 1))
            painter.drawLine(QPointF(whole.left(), top), QPointF(whole.right(), top))
        for hour in range(0, 25, 3):
            x = self._x(hour * 60)
            painter.setPen(QPen(THEME.colour("line"), 1))
            painter.drawLine(QPointF(x, whole.top()), QPointF(x, whole.bottom()))
            painter.setPen(THEME.colour("muted"))
            shown = (hour + self._shift // 60) % 24
            words = "24" if hour == 24 and not self.from_noon else f"{shown:02d}"
            painter.drawText(QRectF(x - 15, whole.bottom() + 3, 30, 18), Qt.AlignmentFlag.AlignHCenter, words)

    def _draw_bar(self, painter: QPainter, bar: Bar) -> None:
        chosen, height = bar.index == self._model.tool.selected, self._row_height()
        edge = THEME.colour("accent")
        for piece in self._pieces(bar.begin, bar.end):
            body = piece.adjusted(0, 0.14 * height, 0, -0.26 * height)
            fill = QColor(THEME.colour("accent"))
            fill.setAlpha(70 if chosen else 42)
            painter.setPen(QPen(edge, 2.2 if chosen else 1.0))
            painter.setBrush(fill)
            painter.drawRoundedRect(body, 4, 4)

    def _reach(self) -> float:
        return _REACH_PX * DAY_MIN / max(1, self.width() - _LEFT - _RIGHT)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Take hold."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._model.tool.press(self.minute_at(event.position()), self._reach())
            self.picked.emit()
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Move what is held, or show what could be."""
        if event is None:
            return
        tool, minute = self._model.tool, self.minute_at(event.position())
        if tool.dragging:
            tool.move(minute)
            return
        hit = tool.at(minute, self._reach())
        shape = {None: Qt.CursorShape.CrossCursor, PeriodGrip.WHOLE: Qt.CursorShape.SizeAllCursor}
        self.setCursor(shape.get(hit[1] if hit else None, Qt.CursorShape.SizeHorCursor))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Keep what was done."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._model.tool.release()
            self.picked.emit()
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Ask for the visits under the pointer."""
        if event is None:
            return
        at = event.position()
        near = [m.id for m in self._model.marks() if (self.place_of(m.minute) - at).manhattanLength() < 12]
        if near:
            self.asked.emit(tuple(near), "At this time of the week")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Choose, move, add, take out."""
        if event is None:
            return
        tool, key, held = self._model.tool, event.key(), event.modifiers()
        count = len(self._model.plan.stretches) if self._model.plan is not None else 0
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down) and count:
            step = 1 if key == Qt.Key.Key_Down else -1
            tool.selected = 0 if tool.selected is None else (tool.selected + step) % count
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            grip = PeriodGrip.END if held & Qt.KeyboardModifier.ShiftModifier else PeriodGrip.WHOLE
            grip = PeriodGrip.BEGIN if held & Qt.KeyboardModifier.ControlModifier else grip
            tool.nudge(grip, 1 if key == Qt.Key.Key_Right else -1)
        elif key == Qt.Key.Key_Insert:
            tool.add()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            tool.remove()
        elif key == Qt.Key.Key_Escape and tool.cancel():
            pass
        else:
            super().keyPressEvent(event)
            return
        self.picked.emit()
        self.update()
