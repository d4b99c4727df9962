"""Small drawings of how a make draws its zones and shows its sensitivity, for the questions about it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QIcon, QPainter, QPen, QPixmap, QPolygonF

from guardia.core.make.described import ScaleShown, ZonesDrawn
from guardia.ui.parts.theme import THEME

SIZE = QSize(96, 54)
_ROOM = QRectF(8, 6, 80, 42)
_CORNERS = ((0.15, 0.9), (0.35, 0.3), (0.7, 0.2), (0.9, 0.7))


def drawing(kind: ZonesDrawn | ScaleShown | None) -> QIcon:
    """What one answer looks like on the camera's own page; a question mark where it is not known."""
    pixmap = QPixmap(SIZE * 2)
    pixmap.setDevicePixelRatio(2.0)
    pixmap.fill(THEME.colour("page", 0))
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    ink, accent, soft = (THEME.colour(name) for name in ("muted", "accent", "accent_soft"))
    painter.setPen(QPen(ink, 1))
    if kind is None:
        painter.setFont(_sized(painter, 20))
        painter.drawText(_ROOM, Qt.AlignmentFlag.AlignCenter, "?")
    elif isinstance(kind, ZonesDrawn):
        _zones(painter, kind, accent, soft)
    else:
        _scale(painter, kind, ink, accent)
    painter.end()
    return QIcon(pixmap)


def _sized(painter: QPainter, points: int) -> QFont:
    font = painter.font()
    font.setPointSize(points)
    return font


def _zones(painter: QPainter, kind: ZonesDrawn, accent: QColor, soft: QColor) -> None:
    painter.drawRect(_ROOM)
    painter.setPen(QPen(accent, 1.5))
    painter.setBrush(soft)
    if kind is ZonesDrawn.BLOCKS:
        for column in range(8):
            for row in range(4):
                on = 2 <= column <= 5 and row >= 1
                painter.setBrush(soft if on else Qt.BrushStyle.NoBrush)
                painter.setPen(QPen(accent if on else THEME.colour("line"), 1))
                painter.drawRect(QRectF(_ROOM.x() + column * 10, _ROOM.y() + row * 10.5, 10, 10.5))
    elif kind is ZonesDrawn.RECTANGLES:
        painter.drawRect(QRectF(_ROOM.x() + 12, _ROOM.y() + 14, 26, 22))
        painter.drawRect(QRectF(_ROOM.x() + 46, _ROOM.y() + 8, 24, 16))
    elif kind is ZonesDrawn.CORNERS:
        points = [QPointF(_ROOM.x() + x * _ROOM.width(), _ROOM.y() + y * _ROOM.height()) for x, y in _CORNERS]
        painter.drawPolygon(QPolygonF(points))
        painter.setBrush(accent)
        for point in points:
            painter.drawEllipse(point, 2.5, 2.5)


def _scale(painter: QPainter, kind: ScaleShown, ink: QColor, accent: QColor) -> None:
    middle = _ROOM.center().y()
    painter.setFont(_sized(painter, 7))
    if kind is ScaleShown.STEPS:
        for n, word in enumerate(("low", "mid", "high")):
            box = QRectF(_ROOM.x() + n * 27, middle - 9, 25, 18)
            painter.setPen(QPen(accent if n == 1 else ink, 1.5 if n == 1 else 1))
            painter.drawRoundedRect(box, 4, 4)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, word)
        return
    painter.drawLine(QPointF(_ROOM.left(), middle), QPointF(_ROOM.right(), middle))
    painter.setPen(QPen(accent, 1.5))
    painter.setBrush(accent)
    painter.drawEllipse(QPointF(_ROOM.x() + 0.62 * _ROOM.width(), middle), 5, 5)
    if kind is ScaleShown.NUMBERS:
        painter.setPen(QPen(ink, 1))
        for n, word in enumerate(("1", "5", "10")):
            at = QRectF(_ROOM.x() + n * 34 - 4, middle + 8, 20, 12)
            painter.drawText(at, Qt.AlignmentFlag.AlignCenter, word)
