"""The picture of the Zones step with everything drawn on it."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QEvent, QLineF, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QBrush,
    QGuiApplication,
    QHelpEvent,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPen,
    QPixmap,
    QPolygonF,
)
from PyQt6.QtWidgets import QSizePolicy, QToolTip, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.steps.heat_model import HeatModel
from guardia.app.steps.polygon_tool import DrawMode, PolygonTool
from guardia.core.make.settings import entered_zones
from guardia.core.make.zones import BlockZone, Point, PolygonZone, Zone, ZoneKind, zone_cells
from guardia.core.purpose.judgement import Verdict
from guardia.ui.parts.theme import THEME, over_picture
from guardia.ui.parts.widgets import painting

_REACH_PX = 9
EDGE_PX = 7
"""Room around the picture, so that handles on its edge are whole."""
_STEP = 1 / 320
CLEAR_PX = 70
"""Marks nearer to the pointer than this fade, so that the picture is seen beneath them."""


class ZoneCanvas(QWidget):
    """The picture with everything drawn on it; translates pointer and keys for the zone tool.

    `asked` is emitted with the occurrences that moved in a cell and their title.
    """

    picked = pyqtSignal()
    asked = pyqtSignal(tuple, str)

    def __init__(self, model: CameraModel, tool: PolygonTool, *, blocks: bool = True) -> None:
        super().__init__()
        self._as_blocks = blocks
        self._model = model
        self.tool = tool
        self.show_real = True
        self.show_false = True
        self.show_cells = False
        self.marks_hidden = False
        self._pointer: QPointF | None = None
        self.proposed: np.ndarray | None = None
        self.offered: tuple[Zone, ...] = ()
        self.heat = HeatModel(model)
        self._view = QPixmap()
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(420, 240)
        self.setAccessibleName("Camera picture with zones")
        self.refresh_evidence()

    def sizeHint(self) -> QSize:
        """Room for the picture."""
        return QSize(820, 470)

    def refresh_evidence(self) -> None:
        """Take the view and the heat anew."""
        self._view.loadFromData(self._model.pictures.clean_view())
        self.heat.refresh()
        self.update()

    def picture(self) -> QRectF:
        """Where the picture lies in the widget."""
        size = self._view.size() if not self._view.isNull() else QSize(16, 9)
        fitted = size.scaled(self.size() - QSize(2 * EDGE_PX, 2 * EDGE_PX), Qt.AspectRatioMode.KeepAspectRatio)
        return QRectF(
            (self.width() - fitted.width()) / 2, (self.height() - fitted.height()) / 2, fitted.width(), fitted.height()
        )

    def aspect(self) -> float:
        """Height of the picture for a width of one."""
        return self._view.height() / self._view.width() if not self._view.isNull() else 9 / 16

    def to_picture(self, at: QPointF) -> Point:
        """Widget position to picture coordinates."""
        area = self.picture()
        return (at.x() - area.left()) / area.width(), (at.y() - area.top()) / area.height()

    def to_widget(self, point: Point) -> QPointF:
        """Picture coordinates to widget position."""
        area = self.picture()
        return QPointF(area.left() + point[0] * area.width(), area.top() + point[1] * area.height())

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Hand the press to the tool."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.tool.press(self.to_picture(event.position()), reach=_REACH_PX / self.picture().width())
            self.picked.emit()
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Hand the move to the tool."""
        if event is not None:
            self._pointer = event.position()
            self.tool.move(self.to_picture(event.position()))
            self.update()

    def leaveEvent(self, _event: QEvent | None) -> None:
        """Show every mark again."""
        self._pointer = None
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Hand the release to the tool."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.tool.release(self.to_picture(event.position()))
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Close the shape being drawn; without one, ask for what moved in the cell."""
        if self.tool.mode is DrawMode.SELECT and event is not None:
            ids, words = self._moved_at(event.position())
            if ids:
                self.asked.emit(ids, words)
        self.tool.finish()
        self.update()

    def event(self, event: QEvent | None) -> bool:
        """Tell what moved in the cell under the pointer."""
        if isinstance(event, QHelpEvent):
            ids, words = self._moved_at(QPointF(event.pos()))
            if ids:
                QToolTip.showText(event.globalPos(), f"{words}. A double click opens them.", self)
            else:
                QToolTip.hideText()
            return True
        return super().event(event)

    def _moved_at(self, at: QPointF) -> tuple[tuple[int, ...], str]:
        """Occurrences of the kinds shown that moved in the cell at a place of the widget, and how often."""
        x, y = self.to_picture(at)
        cells = np.zeros_like(self.heat.counts[Verdict.REAL], bool)
        rows, columns = cells.shape
        shown = tuple(v for v, on in ((Verdict.FALSE, self.show_false), (Verdict.REAL, self.show_real)) if on)
        if not (0 <= x < 1 and 0 <= y < 1) or not shown:
            return (), ""
        cells[int(y * rows), int(x * columns)] = True
        return self.heat.over(cells, shown)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Nudge, delete, finish, cancel, go from corner to corner, hide the marks."""
        if event is None:
            return
        far = 10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1
        steps = {
            Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1),
        }  # fmt: skip
        key = Qt.Key(event.key())
        if event.matches(QKeySequence.StandardKey.Copy):
            self._clipboard(self.tool.copied())
        elif event.matches(QKeySequence.StandardKey.Paste):
            self.tool.paste(self._clipboard())
        elif key in steps:
            dx, dy = steps[key]
            self.tool.nudge(dx * far * _STEP, dy * far * _STEP)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.tool.delete()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.tool.finish()
        elif key == Qt.Key.Key_Escape:
            self.tool.cancel()
        elif key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            self.tool.step_corner(1 if key == Qt.Key.Key_PageDown else -1)
            self.picked.emit()
        elif key == Qt.Key.Key_H:
            self.marks_hidden = not self.marks_hidden
        else:
            super().keyPressEvent(event)
        self.update()

    @staticmethod
    def _clipboard(text: str = "") -> str:
        """Put a text on the clipboard, or read it."""
        clipboard = QGuiApplication.clipboard()
        if clipboard is None:
            return ""
        if text:
            clipboard.setText(text)
        return clipboard.text()

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw picture, shade, heat, zones and handles."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        area = self.picture()
        if self._view.isNull():
            painter.fillRect(area, THEME.colour("raised"))
            painter.setPen(THEME.colour("muted"))
            painter.drawText(
                area, Qt.AlignmentFlag.AlignCenter, "The camera's picture appears here once clips are imported"
            )
        else:
            painter.drawPixmap(area, self._view, QRectF(self._view.rect()))
        self._paint_outside(painter, area)
        self._paint_blocks(painter)
        if self.show_cells:
            self._paint_cells(painter, area)
        if self.proposed is not None:
            self._paint_proposed(painter, area, self.proposed)
        for verdict, wanted in ((Verdict.FALSE, self.show_false), (Verdict.REAL, self.show_real)):
            if wanted and not self.marks_hidden:
                self._paint_heat(painter, area, verdict)
        if self.tool.before is not None:
            for zone in self.tool.before:
                self._paint_zone(painter, zone, earlier=True)
        for index, zone in enumerate(self.tool.zones):
            replaced = bool(self.offered) and zone not in self.offered
            self._paint_zone(painter, zone, selected=index == self.tool.selected and not replaced, earlier=replaced)
        for zone in self.offered:
            if zone not in self.tool.zones:
                self._paint_zone(painter, zone)
        self._paint_drawing(painter)

    def _outline(self, zone: PolygonZone) -> QPolygonF:
        return QPolygonF([self.to_widget(p) for p in zone.points])

    def _shape(self, zone: Zone) -> QPainterPath:
        """The area of a zone in the widget."""
        shape = QPainterPath()
        if isinstance(zone, PolygonZone):
            shape.addPolygon(self._outline(zone))
            shape.closeSubpath()
            return shape
        for index in (i for i, on in enumerate(zone.active) if on):
            row, column = divmod(index, zone.columns)
            corner = self.to_widget((column / zone.columns, row / zone.rows))
            opposite = self.to_widget(((column + 1) / zone.columns, (row + 1) / zone.rows))
            shape.addRect(QRectF(corner, opposite))
        return shape

    def _paint_outside(self, painter: QPainter, area: QRectF) -> None:
        """Dim what is not watched."""
        dim = QPainterPath()
        ignored = [z for z in self.tool.zones if isinstance(z, PolygonZone) and z.kind is not ZoneKind.WATCH]
        watched = [z for z in self.tool.zones if z not in ignored]
        if watched:
            dim.addRect(area)
            inside = QPainterPath()
            for zone in watched:
                inside = inside.united(self._shape(zone).simplified())
            dim = dim.subtracted(inside)
        for zone in ignored:
            dim = dim.united(self._shape(zone))
        painter.fillPath(dim, over_picture("dark", 120))

    def _paint_blocks(self, painter: QPainter) -> None:
        """Outline the blocks that a make with blocks is told."""
        capability = self._model.camera.capability
        if not self._as_blocks:
            return
        for zone in entered_zones(self._model.draft.with_values(zones=self.tool.zones), capability):
            if isinstance(zone, BlockZone):
                painter.setPen(QPen(over_picture("light", 130), 0.8))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPath(self._shape(zone))

    def _paint_cells(self, painter: QPainter, area: QRectF) -> None:
        stack = self._model.evidence.stack
        if not stack.frames:
            return
        zones = entered_zones(self._model.draft.with_values(zones=self.tool.zones), self._model.camera.capability)
        cells = zone_cells(zones, grid=stack.grid)
        painter.setPen(QPen(over_picture("light", 90), 0.7))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        width, height = area.width() / stack.columns, area.height() / stack.rows
        for row, column in np.argwhere(cells):
            painter.drawRect(QRectF(area.left() + column * width, area.top() + row * height, width, height))

    def _paint_proposed(self, painter: QPainter, area: QRectF, cells: np.ndarray) -> None:
        """Hatch the cells that a proposal would ignore."""
        width, height = area.width() / cells.shape[1], area.height() / cells.shape[0]
        shape = QPainterPath()
        for row, column in np.argwhere(cells):
            shape.addRect(QRectF(area.left() + column * width, area.top() + row * height, width, height))
        shape = shape.simplified()
        painter.fillPath(shape, over_picture("dark", 90))
        painter.fillPath(shape, QBrush(over_picture("warm"), Qt.BrushStyle.BDiagPattern))
        painter.setPen(QPen(over_picture("warm"), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(shape)

    def _paint_heat(self, painter: QPainter, area: QRectF, verdict: Verdict) -> None:
        """One mark per cell, its area in proportion to the number of occurrences that moved there."""
        counts = self.heat.counts[verdict]
        most = counts.max(initial=0)
        if not most:
            return
        rows, columns = counts.shape
        width, height = area.width() / columns, area.height() / rows
        colour = THEME.colour("real" if verdict is Verdict.REAL else "false")
        colour = colour.lighter(135) if not THEME.dark else colour
        ring = over_picture("light", 150)
        shift = -0.24 if verdict is Verdict.REAL else 0.24
        for row, column in np.argwhere(counts > 0):
            size = min(width, height) * 0.3 * float(np.sqrt(counts[row, column] / most))
            if counts[row, column] < 0.1 * most:
                continue
            centre = QPointF(area.left() + (column + 0.5 + shift) * width, area.top() + (row + 0.5) * height)
            near = self._pointer is not None and QLineF(centre, self._pointer).length() < CLEAR_PX
            colour.setAlpha(45 if near else 215)
            ring.setAlpha(20 if near else 150)
            painter.setPen(QPen(ring, 0.6))
            painter.setBrush(colour)
            if verdict is Verdict.REAL:
                painter.drawEllipse(centre, size, size)
            else:
                corners = ((0.0, -size), (size, 0.0), (0.0, size), (-size, 0.0))
                painter.drawPolygon(QPolygonF([centre + QPointF(x, y) for x, y in corners]))

    def _paint_zone(self, painter: QPainter, zone: Zone, *, selected: bool = False, earlier: bool = False) -> None:
        if isinstance(zone, BlockZone):
            return
        outline = self._outline(zone)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        if earlier:
            painter.setPen(QPen(over_picture("light", 160), 1.2, Qt.PenStyle.DotLine))
            painter.drawPolygon(outline)
            return
        watch = zone.kind is ZoneKind.WATCH
        if zone.kind is ZoneKind.MASK:
            painter.setBrush(over_picture("dark", 235))
        line = over_picture("light") if watch else over_picture("warm")
        painter.setPen(QPen(over_picture("dark", 190), 4.5))
        painter.drawPolygon(outline)
        painter.setPen(QPen(line, 2.2 if selected else 1.7, Qt.PenStyle.SolidLine if watch else Qt.PenStyle.DashLine))
        painter.drawPolygon(outline)
        top = min(zone.points, key=lambda p: (p[1], p[0]))
        at = self.to_widget(top) + QPointF(7, 17)
        text = zone.name
        box = QRectF(painter.fontMetrics().boundingRect(text)).translated(at).adjusted(-5, -2, 5, 2)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(over_picture("dark", 205))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(line)
        painter.drawText(at, text)
        if not selected:
            return
        for index, point in enumerate(zone.points):
            following = zone.points[(index + 1) % len(zone.points)]
            middle = self.to_widget(((point[0] + following[0]) / 2, (point[1] + following[1]) / 2))
            painter.setPen(QPen(over_picture("dark", 200), 1))
            painter.setBrush(over_picture("light", 170))
            painter.drawEllipse(middle, 3.4, 3.4)
        for index, point in enumerate(zone.points):
            chosen = index == self.tool.corner
            painter.setPen(QPen(over_picture("dark", 230), 1.4))
            painter.setBrush(THEME.colour("false") if chosen else over_picture("light"))
            size = 6 if chosen else 5
            centre = self.to_widget(point)
            painter.drawRect(QRectF(centre.x() - size, centre.y() - size, 2 * size, 2 * size))

    def _paint_drawing(self, painter: QPainter) -> None:
        painter.setPen(QPen(over_picture("light"), 1.8, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        rectangle = self.tool.rectangle
        if rectangle is not None:
            painter.drawRect(QRectF(self.to_widget(rectangle[0]), self.to_widget(rectangle[1])).normalized())
        if self.tool.drawing:
            points = [self.to_widget(p) for p in self.tool.drawing]
            if self.tool.pointer is not None:
                points.append(self.to_widget(self.tool.pointer))
            painter.drawPolyline(QPolygonF(points))
            for point in points[: len(self.tool.drawing)]:
                painter.drawRect(QRectF(point.x() - 4, point.y() - 4, 8, 8))
