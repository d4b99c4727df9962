"""How long footage, a charge and an allowance last: bars on a scale of days, installed above draft, causes beneath."""

from __future__ import annotations

import math
from datetime import timedelta
from typing import NamedTuple

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPen, QRegion
from PyQt6.QtWidgets import QSizePolicy, QWidget

from guardia.app.steps.storage_model import Lane, Section, StorageModel
from guardia.core.purpose.judgement import Verdict
from guardia.core.storage.figure import Figure, short
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import draw_mark, painting

_LEFT_PX, _TITLE_PX, _LANE_PX, _CAUSES_PX, _SCALE_PX, _MARKS_PX = 70, 21, 25, 22, 28, 10
_RIGHT, _GAP = 14, 6

_CAUSE_ALPHA = (255, 130, 95, 60, 35)


class _Place(NamedTuple):
    """Where a lane is drawn, and what a click there opens."""

    area: QRectF
    figure: Figure


class StoreBars(QWidget):
    """The bars. `picked` is emitted with the figure of a bar, or of a cause, that is clicked or chosen by key."""

    picked = pyqtSignal(object)

    def __init__(self, model: StorageModel) -> None:
        super().__init__()
        self._model = model
        self._left, self._title, self._lane = THEME.px(_LEFT_PX), THEME.px(_TITLE_PX), THEME.px(_LANE_PX)
        self._causes, self._scale = THEME.px(_CAUSES_PX), THEME.px(_SCALE_PX)
        self._marks = THEME.px(_MARKS_PX)  # room for the marks of visits above the words of the scale
        self._places: list[_Place] = []
        self._written = QRegion()
        self._at = 0
        self._sections: list[Section] = []
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("How long footage, charge and data last")
        self.setToolTip("Click a bar or a cause to see how it is worked out; by keyboard Up, Down and Enter.")

    def show_sections(self, sections: list[Section]) -> None:
        """Draw other bars."""
        self._sections = sections
        self.setFixedHeight(self.sizeHint().height())
        lines = [f"{s.title}: " + ", ".join(_words(lane) for lane in s.lanes) for s in sections]
        self.setAccessibleDescription("; ".join(lines))
        self.update()

    def sizeHint(self) -> QSize:
        """Room for all sections."""
        rows = sum(self._title + sum(map(self._height, s.lanes)) + self._scale + _GAP for s in self._sections)
        return QSize(700, max(rows, 60))

    def _height(self, lane: Lane) -> int:
        return self._lane + (self._causes if lane.causes else 0)

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw section after section."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._places, top = [], 0.0
        for section in self._sections:
            top = self._draw_section(painter, section, top)
        if self.hasFocus() and self._places:
            area = self._places[min(self._at, len(self._places) - 1)].area
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(THEME.colour("accent"), 1.5))
            painter.drawRoundedRect(area.adjusted(-2, -1, 2, 1), 4, 4)

    def _draw_section(self, painter: QPainter, section: Section, top: float) -> float:
        painter.setPen(THEME.colour("ink"))
        painter.drawText(QRectF(0, top, self.width(), self._title), Qt.AlignmentFlag.AlignVCenter, section.title)
        most = _most(section)
        width = self.width() - self._left - _RIGHT
        begin = top = top + self._title
        self._written = QRegion()
        for lane in section.lanes:
            self._draw_lane(painter, lane, QRectF(self._left, top, width, self._lane), most)
            self._draw_causes(painter, lane, QRectF(self._left, top + self._lane, width, self._causes))
            top += self._height(lane)
        painter.setClipRegion(QRegion(self.rect()).subtracted(self._written))  # no mark strikes words through
        for number, (figure, _) in enumerate(section.marks):
            x = self._left + width * min(1.0, figure.value / most)
            line = Qt.PenStyle.DashLine if number else Qt.PenStyle.SolidLine
            painter.setPen(QPen(THEME.colour("missed"), 2, line))
            painter.drawLine(QPointF(x, begin - 2), QPointF(x, top))
        painter.setClipping(False)
        if section.marks:
            painter.setPen(THEME.colour("missed"))
            words = "   ".join(f"{'┇' if number else '┃'} {said}" for number, (_, said) in enumerate(section.marks))
            area = QRectF(0, begin - self._title, self.width() - _RIGHT, self._title)
            painter.drawText(area, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, words)
        self._draw_scale(painter, section, QRectF(self._left, top, width, self._scale), most)
        return top + self._scale + _GAP

    def _draw_lane(self, painter: QPainter, lane: Lane, area: QRectF, most: float) -> None:
        draft = lane.of_draft
        painter.setPen(THEME.colour("muted"))
        painter.drawText(QRectF(0, area.top(), self._left - 6, area.height()), Qt.AlignmentFlag.AlignVCenter, lane.name)
        line = QRectF(area.left(), area.top() + 3, area.width(), area.height() - 6)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(THEME.colour("raised"))
        painter.drawRoundedRect(line, 4, 4)
        figure = lane.figure
        colour = THEME.colour("accent" if draft else "muted")
        text = lane.note
        bar = QRectF(line)
        if figure is not None:
            end = min(most, figure.value + lane.from_days) / most
            start = min(most, lane.from_days) / most
            bar = QRectF(
                line.left() + start * line.width(), line.top(), max(0.0, end - start) * line.width(), line.height()
            )
            painter.setBrush(QColor(colour.red(), colour.green(), colour.blue(), 200 if draft else 150))
            painter.drawRoundedRect(bar, 4, 4)
            if figure.low < figure.high and figure.low + lane.from_days < most:
                low = line.left() + line.width() * (figure.low + lane.from_days) / most
                high = line.left() + line.width() * min(most, figure.high + lane.from_days) / most
                painter.setPen(QPen(THEME.colour("ink"), 1.4))
                foot = line.bottom() - 2  # under the words
                painter.drawLine(QPointF(low, foot), QPointF(high, foot))
                for x in (low, high):
                    painter.drawLine(QPointF(x, foot - 3), QPointF(x, foot + 2))
            text = ", ".join(filter(None, ((figure.words if figure.value > 0 else ""), lane.note)))
            if figure.value + lane.from_days > most:  # the bar goes on beyond the scale
                painter.setPen(THEME.colour("on_accent" if draft else "ink"))
                side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
                painter.drawText(line.adjusted(0, 0, -6, 0), side, "▸")
            self._places.append(_Place(line, figure))
        after = bar.right() if figure is not None else line.left()
        if figure is not None and figure.low < figure.high:
            after = max(after, line.left() + line.width() * min(most, figure.high + lane.from_days) / most + 4)
        room = line.right() - after
        asked = painter.fontMetrics().horizontalAdvance(text) + 16
        if room >= asked:
            painter.setPen(THEME.colour("ink"))
            self._write(painter, QRectF(after + 8, line.top(), room, line.height()), text)
        else:
            fits = bar.width() >= asked
            inside = bar if fits or bar.width() > room else QRectF(after, line.top(), room, line.height())
            painter.setPen(THEME.colour("on_accent" if draft and inside is bar else "ink"))
            words = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(inside.width()) - 16)
            self._write(painter, inside.adjusted(8, 0, -8, 0), words)

    def _write(
        self, painter: QPainter, area: QRectF, words: str, side: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft
    ) -> None:
        """Write words and keep their place free of marks."""
        painter.drawText(area, side | Qt.AlignmentFlag.AlignVCenter, words)
        place = painter.boundingRect(area, side | Qt.AlignmentFlag.AlignVCenter, words)
        self._written += place.toAlignedRect().adjusted(-3, 0, 3, 0)

    def _draw_causes(self, painter: QPainter, lane: Lane, area: QRectF) -> None:
        whole = sum(c.value for c in lane.causes)
        if whole <= 0:
            return
        x, metrics = area.left(), painter.fontMetrics()
        for number, cause in enumerate(sorted(lane.causes, key=lambda c: -c.value)):
            width = area.width() * cause.value / whole
            piece = QRectF(x, area.top(), width, area.height() - 4)
            colour = THEME.colour("accent" if lane.of_draft else "muted", _CAUSE_ALPHA[min(number, 4)])
            painter.setPen(QPen(THEME.colour("page"), 1))
            painter.setBrush(colour)
            painter.drawRect(piece)
            text = f"{cause.name} {cause.value / whole:.0%}"
            if metrics.horizontalAdvance(text) + 8 < width:
                painter.setPen(THEME.colour("on_accent" if number == 0 else "ink"))
                self._write(painter, piece, text, Qt.AlignmentFlag.AlignHCenter)
            self._places.append(_Place(piece, cause))
            x += width

    def _draw_scale(self, painter: QPainter, section: Section, area: QRectF, most: float) -> None:
        """Days with their dates, and the real visits of the evidence by their age."""
        step, area = _step(most, dated=bool(section.dated)), QRectF(area)
        words_at = area.adjusted(0, self._marks, 0, 0)
        count = math.floor(most / step)
        for number in range(count + 1):
            at = number * step
            x = area.left() + area.width() * at / most
            painter.setPen(THEME.colour("line"))
            painter.drawLine(QPointF(x, area.top()), QPointF(x, area.top() + self._marks))
            words = f"{short(at)} GB"
            if section.dated:
                day = self._model.asked + timedelta(days=section.dated * at)
                words = f"{day:%d %b}" if most <= 300 else f"{day:%b %Y}"
            painter.setPen(THEME.colour("muted"))
            place = QRectF(x - 45, words_at.top(), 90, words_at.height())
            side = Qt.AlignmentFlag.AlignHCenter
            if x - 45 < 0 or number == 0:
                place, side = QRectF(x, words_at.top(), 90, words_at.height()), Qt.AlignmentFlag.AlignLeft
            elif x + 45 > self.width():
                place, side = (
                    QRectF(self.width() - 90, words_at.top(), 90, words_at.height()),
                    Qt.AlignmentFlag.AlignRight,
                )
            painter.drawText(place, side | Qt.AlignmentFlag.AlignVCenter, words)
        if section.dated < 0:
            for age in self._model.real_ages():
                if 0 <= age <= most:
                    x = area.left() + area.width() * age / most
                    draw_mark(painter, Verdict.REAL, QPointF(x, area.top() + 4), 5.0)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Open the working of what is clicked."""
        if event is None:
            return
        for number, place in enumerate(self._places):
            if place.area.contains(event.position()):
                self._at = number
                self.picked.emit(place.figure)
                self.update()
                return

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Choose with the arrows, open with Enter."""
        if event is None or not self._places:
            return
        key = event.key()
        step = (key in (Qt.Key.Key_Down, Qt.Key.Key_Right)) - (key in (Qt.Key.Key_Up, Qt.Key.Key_Left))
        if step:
            self._at = (self._at + step) % len(self._places)
            self.update()
        elif key not in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            super().keyPressEvent(event)
            return
        self.picked.emit(self._places[self._at].figure)


def _words(lane: Lane) -> str:
    return f"{lane.name} {lane.figure.words if lane.figure is not None else 'not known'} {lane.note}".strip()


def _most(section: Section) -> float:
    """The end of the scale: what is required and half as much again, or the longest bar if that is not far longer."""
    ends = [lane.figure.value + lane.from_days for lane in section.lanes if lane.figure is not None]
    finite = [e for e in ends if math.isfinite(e) and e > 0]
    if section.marks:
        mark = max(figure.value for figure, _ in section.marks)
        return max(mark * 1.5, min(max(finite, default=1.0) * 1.15, mark * 3))
    return min(max(finite, default=30.0) * 1.3, 730.0) or 1.0


def _step(most: float, *, dated: bool) -> float:
    """A round distance between marks of a scale, some six of them."""
    for step in (1.0,) if dated and most <= 8 else (0.05, 0.1, 0.2, 0.5, 1, 2, 5, 7, 14, 28, 60, 120, 365):
        if most / step <= 8:
            return float(step)
    return most / 6
