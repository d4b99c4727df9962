"""Zones: watch and ignore polygons over the camera's clean view, with the heat of false and of real events."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QGuiApplication,
    QKeyEvent,
    QKeySequence,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPen,
    QPixmap,
    QPolygonF,
    QResizeEvent,
)
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from guardia.app.camera_model import CameraModel
from guardia.app.messages import Severity
from guardia.app.polygon_tool import Mode, PolygonTool
from guardia.app.session import Session
from guardia.core.judgement import Verdict
from guardia.core.score import heat
from guardia.core.settings import limits_broken
from guardia.core.zones import BlockZone, Point, PolygonZone, Zone, ZoneKind, zone_cells
from guardia.ui.parts import Mark, button, label
from guardia.ui.theme import THEME

_REACH_PX = 9
_EDGE_PX = 7
"""Room around the picture, so that handles on its edge are whole."""
_STEP = 1 / 320


class ZoneCanvas(QWidget):
    """The picture with everything drawn on it; translates pointer and keys for the zone tool."""

    picked = pyqtSignal()

    def __init__(self, model: CameraModel, tool: PolygonTool) -> None:
        super().__init__()
        self._model = model
        self.tool = tool
        self.show_real = True
        self.show_false = True
        self.show_cells = False
        self._heat: dict[Verdict, np.ndarray] = {}
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
        self._view.loadFromData(self._model.clean_view())
        contrast = self._model.comparison.installed_replay.contrast
        for verdict in (Verdict.REAL, Verdict.FALSE):
            self._heat[verdict] = heat(self._model.evidence, contrast=contrast, verdict=verdict)
        self.update()

    def picture(self) -> QRectF:
        """Where the picture lies in the widget."""
        size = self._view.size() if not self._view.isNull() else QSize(16, 9)
        fitted = size.scaled(self.size() - QSize(2 * _EDGE_PX, 2 * _EDGE_PX), Qt.AspectRatioMode.KeepAspectRatio)
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
            self.tool.move(self.to_picture(event.position()))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Hand the release to the tool."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self.tool.release(self.to_picture(event.position()))
            self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        """Close the shape being drawn."""
        self.tool.finish()
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Nudge, delete, finish, cancel."""
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

    def paintEvent(self, event: object) -> None:
        """Draw picture, shade, heat, zones and handles."""
        painter = QPainter(self)
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
        if self.show_cells:
            self._paint_cells(painter, area)
        for verdict, wanted in ((Verdict.FALSE, self.show_false), (Verdict.REAL, self.show_real)):
            if wanted:
                self._paint_heat(painter, area, verdict)
        if self.tool.before is not None:
            for zone in self.tool.before:
                self._paint_zone(painter, zone, earlier=True)
        for index, zone in enumerate(self.tool.zones):
            self._paint_zone(painter, zone, selected=index == self.tool.selected)
        self._paint_drawing(painter)

    def _outline(self, zone: PolygonZone) -> QPolygonF:
        return QPolygonF([self.to_widget(p) for p in zone.points])

    def _paint_outside(self, painter: QPainter, area: QRectF) -> None:
        """Dim what is not watched."""
        dim = QPainterPath()
        watch = [z for z in self.tool.zones if isinstance(z, PolygonZone) and z.kind is ZoneKind.WATCH]
        if watch:
            dim.addRect(area)
            inside = QPainterPath()
            for zone in watch:
                shape = QPainterPath()
                shape.addPolygon(self._outline(zone))
                shape.closeSubpath()
                inside = inside.united(shape)
            dim = dim.subtracted(inside)
        for zone in self.tool.zones:
            if isinstance(zone, PolygonZone) and zone.kind is ZoneKind.IGNORE:
                shape = QPainterPath()
                shape.addPolygon(self._outline(zone))
                shape.closeSubpath()
                dim = dim.united(shape)
        painter.fillPath(dim, QColor(10, 18, 22, 120))

    def _paint_cells(self, painter: QPainter, area: QRectF) -> None:
        stack = self._model.evidence.stack
        if not stack.frames:
            return
        cells = zone_cells(self.tool.zones, columns=stack.columns, rows=stack.rows)
        painter.setPen(QPen(QColor(255, 255, 255, 90), 0.7))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        width, height = area.width() / stack.columns, area.height() / stack.rows
        for row, column in np.argwhere(cells):
            painter.drawRect(QRectF(area.left() + column * width, area.top() + row * height, width, height))

    def _paint_heat(self, painter: QPainter, area: QRectF, verdict: Verdict) -> None:
        """One mark per cell, its area in proportion to the number of occurrences that moved there."""
        counts = self._heat[verdict]
        most = counts.max(initial=0)
        if not most:
            return
        rows, columns = counts.shape
        width, height = area.width() / columns, area.height() / rows
        colour = THEME.colour("real" if verdict is Verdict.REAL else "false")
        colour = colour.lighter(135) if not THEME.dark else colour
        colour.setAlpha(215)
        painter.setPen(QPen(QColor(255, 255, 255, 150), 0.6))
        painter.setBrush(colour)
        shift = -0.24 if verdict is Verdict.REAL else 0.24
        for row, column in np.argwhere(counts > 0):
            size = min(width, height) * 0.36 * float(np.sqrt(counts[row, column] / most))
            if counts[row, column] < 0.1 * most:
                continue
            centre = QPointF(area.left() + (column + 0.5 + shift) * width, area.top() + (row + 0.5) * height)
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
            painter.setPen(QPen(QColor(255, 255, 255, 160), 1.2, Qt.PenStyle.DotLine))
            painter.drawPolygon(outline)
            return
        watch = zone.kind is ZoneKind.WATCH
        line = QColor("#ffffff") if watch else QColor("#ffd9a8")
        painter.setPen(QPen(QColor(10, 18, 22, 190), 4.5))
        painter.drawPolygon(outline)
        painter.setPen(QPen(line, 2.2 if selected else 1.7, Qt.PenStyle.SolidLine if watch else Qt.PenStyle.DashLine))
        painter.drawPolygon(outline)
        top = min(zone.points, key=lambda p: (p[1], p[0]))
        at = self.to_widget(top) + QPointF(7, 17)
        text = zone.name
        box = QRectF(painter.fontMetrics().boundingRect(text)).translated(at).adjusted(-5, -2, 5, 2)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(10, 18, 22, 205))
        painter.drawRoundedRect(box, 4, 4)
        painter.setPen(line)
        painter.drawText(at, text)
        if not selected:
            return
        for index, point in enumerate(zone.points):
            following = zone.points[(index + 1) % len(zone.points)]
            middle = self.to_widget(((point[0] + following[0]) / 2, (point[1] + following[1]) / 2))
            painter.setPen(QPen(QColor(10, 18, 22, 200), 1))
            painter.setBrush(QColor(255, 255, 255, 170))
            painter.drawEllipse(middle, 3.4, 3.4)
        for index, point in enumerate(zone.points):
            chosen = index == self.tool.corner
            painter.setPen(QPen(QColor(10, 18, 22, 230), 1.4))
            painter.setBrush(THEME.colour("false") if chosen else QColor("#ffffff"))
            size = 6 if chosen else 5
            centre = self.to_widget(point)
            painter.drawRect(QRectF(centre.x() - size, centre.y() - size, 2 * size, 2 * size))

    def _paint_drawing(self, painter: QPainter) -> None:
        painter.setPen(QPen(QColor("#ffffff"), 1.8, Qt.PenStyle.DashLine))
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


class ZonesPage(QWidget):
    """Tools, picture and the list of zones."""

    def __init__(self, session: Session, model: CameraModel) -> None:
        super().__init__()
        self._session = session
        self._model = model
        capability = model.camera.capability
        self.tool = PolygonTool(
            preview=self._preview,
            commit=self._commit,
            refuse=lambda why: session.messages.tell(why, Severity.WARNING),
            max_corners=capability.max_corners if capability.zone_form == "polygon" else 32,
            max_zones=capability.max_zones if capability.zone_form == "polygon" else 16,
        )
        self.canvas = ZoneCanvas(model, self.tool)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 12)
        head = QHBoxLayout()
        head.addWidget(label("Zones", "title"))
        head.addStretch()
        group = QButtonGroup(self)
        self._modes: dict[Mode, QPushButton] = {}
        for mode, text, tip in (
            (Mode.SELECT, "Select", "Move corners and zones; drag the dot on an edge to insert a corner"),
            (Mode.WATCH, "Draw watch", "Only motion in watch zones counts: click corners, or drag a rectangle"),
            (Mode.IGNORE, "Draw ignore", "Motion in ignore zones is left out: click corners, or drag a rectangle"),
        ):
            made = button(text, lambda m=mode: self.set_mode(m), tip=tip)
            made.setCheckable(True)
            group.addButton(made)
            self._modes[mode] = made
            head.addWidget(made)
        head.addWidget(button("Delete", self._delete, tip="Delete the selected corner or zone (Del)"))
        layout.addLayout(head)
        layout.addWidget(self.canvas, 6)
        layout.addLayout(self._below(), 1)
        self.canvas.picked.connect(self._fill_list)
        model.draft_changed.connect(self._take_draft)
        model.evidence_changed.connect(self.canvas.refresh_evidence)
        model.judgements_changed.connect(self.canvas.refresh_evidence)
        self._take_draft()
        self.set_mode(Mode.SELECT)

    def _below(self) -> QHBoxLayout:
        below = QHBoxLayout()
        below.setSpacing(12)
        self.zone_list = QListWidget()
        self.zone_list.setMinimumHeight(70)
        self.zone_list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.zone_list.setAccessibleName("Zones of the draft")
        self.zone_list.currentRowChanged.connect(self._select_listed)
        below.addWidget(self.zone_list, 1)
        middle = QVBoxLayout()
        self._name = QLineEdit()
        self._name.setPlaceholderText("Name of the selected zone")
        self._name.editingFinished.connect(self._rename)
        middle.addWidget(self._name)
        self.corners = QTableWidget(0, 2)
        self.corners.setHorizontalHeaderLabels(["from left, %", "from top, %"])
        self.corners.setAccessibleName("Corners of the selected zone")
        header = self.corners.horizontalHeader()
        if header is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.corners.cellChanged.connect(self._corner_typed)
        middle.addWidget(self.corners, 1)
        self._limits = label("", "warning", wrap=True)
        middle.addWidget(self._limits)
        below.addLayout(middle, 1)
        legend = QVBoxLayout()
        for verdict, text, attribute in (
            (Verdict.REAL, "where real events moved", "show_real"),
            (Verdict.FALSE, "where false events moved", "show_false"),
            (None, "grid cells in the zone", "show_cells"),
        ):
            row = QHBoxLayout()
            check = QCheckBox(text)
            check.setChecked(getattr(self.canvas, attribute))
            check.toggled.connect(lambda on, a=attribute: self._show(a, on))
            if verdict is not None:
                row.addWidget(Mark(verdict))
            row.addWidget(check)
            row.addStretch()
            legend.addLayout(row)
        legend.addStretch()
        for text in (
            "Drag a corner, a zone, or the dot on an edge (inserts a corner).",
            "Drawing: click corners and close with Enter, or drag a rectangle.",
            "Arrows nudge, Del deletes, Ctrl+C and Ctrl+V copy, Esc brings the shape back.",
        ):
            legend.addWidget(label(text, "muted", wrap=True))
        below.addLayout(legend)
        return below

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Give the picture the height that its width allows, the rest to the list of zones."""
        super().resizeEvent(event)
        self.canvas.setMaximumHeight(round((self.width() - 36 - 2 * _EDGE_PX) * self.canvas.aspect()) + 2 * _EDGE_PX)

    def _show(self, attribute: str, on: bool) -> None:
        setattr(self.canvas, attribute, on)
        self.canvas.update()

    def set_mode(self, mode: Mode) -> None:
        """Change the tool."""
        self.tool.set_mode(mode)
        self._modes[mode].setChecked(True)
        shape = Qt.CursorShape.ArrowCursor if mode is Mode.SELECT else Qt.CursorShape.CrossCursor
        self.canvas.setCursor(shape)
        self.canvas.setFocus()
        self.canvas.update()

    def _delete(self) -> None:
        self.tool.delete()
        self.canvas.setFocus()

    def _preview(self, zones: tuple[Zone, ...]) -> None:
        self._model.preview(replace(self._model.draft, zones=zones))
        self.canvas.update()

    def _commit(self, zones: tuple[Zone, ...], what: str) -> None:
        self._model.change_draft(replace(self._model.draft, zones=zones), what)

    def _take_draft(self) -> None:
        if self._model.draft.zones != self.tool.zones or self.tool.in_gesture:
            self.tool.set_zones(self._model.draft.zones)
        if self.tool.mode is Mode.SELECT and not self._modes[Mode.SELECT].isChecked():
            self.set_mode(Mode.SELECT)
        self._fill_list()
        broken = [
            b for b in limits_broken(self._model.draft, self._model.camera.capability) if "zone" in b or "corner" in b
        ]
        self._limits.setText("\n".join(broken))
        self.canvas.update()

    def _fill_list(self) -> None:
        self.zone_list.blockSignals(True)
        self.zone_list.clear()
        for zone in self.tool.zones:
            text = (
                f"{zone.name}:  {zone.kind.value}, {len(zone.points)} corners"
                if isinstance(zone, PolygonZone)
                else "blocks"
            )
            self.zone_list.addItem(QListWidgetItem(text))
        self.zone_list.setCurrentRow(-1 if self.tool.selected is None else self.tool.selected)
        self.zone_list.blockSignals(False)
        self._fill_name()

    def select_zone(self, zone: int) -> None:
        """Select a zone in the list and on the picture."""
        self.zone_list.setCurrentRow(zone)

    def _select_listed(self, row: int) -> None:
        self.tool.select(row if row >= 0 else None)
        self._fill_name()
        self.canvas.update()

    def _fill_name(self) -> None:
        selected = self.tool.selected
        zone = self.tool.zones[selected] if selected is not None else None
        self._name.setText(zone.name if isinstance(zone, PolygonZone) else "")
        points = zone.points if isinstance(zone, PolygonZone) else ()
        self.corners.blockSignals(True)
        self.corners.setRowCount(len(points))
        for row, point in enumerate(points):
            for column in (0, 1):
                item = QTableWidgetItem(f"{100 * point[column]:.1f}")
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                self.corners.setItem(row, column, item)
        self.corners.blockSignals(False)
        self._name.setEnabled(isinstance(zone, PolygonZone))

    def _corner_typed(self, row: int, column: int) -> None:
        """Move a corner to the numbers typed; bad ones are told and put back."""
        selected = self.tool.selected
        zone = self.tool.zones[selected] if selected is not None else None
        item = self.corners.item(row, column)
        if not isinstance(zone, PolygonZone) or item is None:
            return
        value, understood = self.locale().toDouble(item.text().replace("%", "").strip())
        if not understood:
            self._session.messages.tell(f"'{item.text()}' is no number; the corner was kept.", Severity.WARNING)
        else:
            x, y = zone.points[row]
            self.tool.set_corner(row, (value / 100, y) if column == 0 else (x, value / 100))
        self._fill_name()
        self.canvas.update()

    def _rename(self) -> None:
        if self.tool.selected is not None:
            self.tool.rename(self.tool.selected, self._name.text())
