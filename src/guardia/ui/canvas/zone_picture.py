"""A small picture of a camera's view with the zones of some settings on it."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from guardia.core.make.zones import BlockZone, Zone, ZoneKind
from guardia.ui.parts.theme import THEME, over_picture

SHADE = 150
"""How dark what is not watched is drawn, of 255."""


def zone_picture(
    view: QPixmap, zones: Sequence[Zone], width_px: int, aspect: float, reach: Sequence[float] = ()
) -> QPixmap:
    """The view with what is not watched darkened and masks blacked out.

    Args:
        view: The camera's clean view; null where none is known.
        zones: Zones of the settings; none watches the whole picture.
        width_px: Width of the picture.
        aspect: Height over width of the camera's picture.
        reach: Rows up to which something triggers, 0 at the upper edge and 1 at the lower.

    Returns:
        A picture of that width.
    """
    size = QSize(width_px, max(1, round(width_px * aspect)))
    picture = QPixmap(size)
    picture.fill(THEME.colour("raised"))
    painter = QPainter(picture)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    if not view.isNull():
        painter.drawPixmap(picture.rect(), view)
    whole = QPainterPath()
    whole.addRect(QRectF(picture.rect()))
    drawn = {kind: QPainterPath() for kind in ZoneKind}
    for zone in zones:
        if isinstance(zone, BlockZone):
            drawn[ZoneKind.WATCH].addPath(_blocks(zone, size))
        else:
            corners = QPolygonF([QPointF(x * size.width(), y * size.height()) for x, y in zone.points])
            outline = QPainterPath()
            outline.addPolygon(corners)
            outline.closeSubpath()
            drawn[zone.kind] = drawn[zone.kind].united(outline)
    watched = drawn[ZoneKind.WATCH] if not drawn[ZoneKind.WATCH].isEmpty() else whole
    watched = watched.subtracted(drawn[ZoneKind.IGNORE])
    painter.fillPath(whole.subtracted(watched), over_picture("dark", SHADE))
    painter.fillPath(drawn[ZoneKind.MASK], over_picture("dark", 255))
    if zones:
        painter.setPen(QPen(over_picture("light"), 1.4))
        painter.drawPath(watched.simplified())
    painter.setPen(QPen(over_picture("light"), 1.4, Qt.PenStyle.DashLine))
    for row in reach:
        painter.drawLine(QPointF(0, row * size.height()), QPointF(size.width(), row * size.height()))
    painter.setPen(QPen(THEME.colour("line"), 1))
    painter.drawRect(picture.rect().adjusted(0, 0, -1, -1))
    painter.end()
    return picture


def _blocks(zone: BlockZone, size: QSize) -> QPainterPath:
    """The squares that are on, those of a row that touch as one."""
    across, down = size.width() / zone.columns, size.height() / zone.rows
    path = QPainterPath()
    for row in range(zone.rows):
        begin: int | None = None
        for column in range(zone.columns + 1):
            on = column < zone.columns and zone.active[row * zone.columns + column]
            if on and begin is None:
                begin = column
            elif not on and begin is not None:
                piece = QPainterPath()
                piece.addRect(QRectF(begin * across, row * down, (column - begin) * across, down))
                path = path.united(piece)
                begin = None
    return path
