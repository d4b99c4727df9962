"""The picture of the View step with its distances, and the ground from above and from the side."""

from __future__ import annotations

import math
from collections.abc import Iterable

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from guardia.app.steps.calibration_model import CalibrationModel
from guardia.core.base.distances import Distances, distance, shown_distances
from guardia.core.view.geometry import ViewGeometry
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import painting

RINGS = {Distances.METRES: (5, 10, 15, 20, 30, 50), Distances.FEET: (15, 30, 45, 60, 100, 150)}
"""Distances of the rings on the ground, in the units shown."""
FIGURE_M = 1.7
_LINES = ("walking adult", "dog", "car")


def _projected(view: ViewGeometry, places: list[tuple[float, float, float]], area: QRectF) -> list[QPointF]:
    """Points of the picture on screen; places behind the camera are left out."""
    points = view.to_picture(np.array(places, np.float64))
    good = points[~np.isnan(points).any(axis=1)]
    return [QPointF(area.left() + x * area.width(), area.top() + y * area.height()) for x, y in good]


class ViewCanvas(QWidget):
    """The picture with distance rings, lines of reach, marks, and a figure that follows the pointer at true size."""

    def __init__(self, model: CalibrationModel) -> None:
        super().__init__()
        self._model = model
        self._picture = QPixmap()
        self._picture.loadFromData(model.picture())
        self.pointer: QPointF | None = None
        self._pressed: QPointF | None = None
        self._taken: list[QRectF] = []
        self.marking = False
        self._chosen: int | None = None
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(220)
        self.setAccessibleName("The camera's picture with distances")
        model.changed.connect(self.refresh_picture)

    def area(self) -> QRectF:
        """Where the picture stands."""
        aspect = self._model.aspect
        width = min(float(self.width()), self.height() / aspect)
        return QRectF((self.width() - width) / 2, 0, width, width * aspect)

    def to_picture(self, at: QPointF) -> tuple[float, float]:
        """Picture point under a point of the widget, kept inside."""
        area = self.area()
        x, y = (at.x() - area.left()) / area.width(), (at.y() - area.top()) / area.height()
        return min(1.0, max(0.0, x)), min(1.0, max(0.0, y))

    def refresh_picture(self) -> None:
        """Show the picture that is chosen now."""
        self._picture.loadFromData(self._model.picture())
        self.update()

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw everything."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        area = self.area()
        painter.setClipRect(area)
        if self._picture.isNull():
            painter.fillRect(area, THEME.colour("raised"))
            painter.setPen(THEME.colour("muted"))
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, "No picture yet: import clips of this camera first.")
        else:
            painter.drawPixmap(area.toRect(), self._picture)
        known = self._model.known
        self._taken = []
        if known is not None:
            self._reach(painter, known.view, area)
            self._rings(painter, known.view, area)
            self._figure(painter, known.view, area)
        self._marks(painter)

    def _label(self, painter: QPainter, places: Iterable[QPointF], words: str) -> None:
        """Write words at the first of some places where nothing is written yet; nowhere if there is none."""
        size = painter.fontMetrics().size(0, words).toSizeF()
        boxes = (QRectF(at, size).adjusted(-4, -1, 4, 1) for at in places)
        box = next((b for b in boxes if not any(b.intersects(t) for t in self._taken)), None)
        if box is None:
            return
        self._taken.append(box)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(THEME.colour("rail", 200))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(THEME.colour("rail_ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _rings(self, painter: QPainter, view: ViewGeometry, area: QRectF) -> None:
        for ring in rings_m():
            turn = np.radians(np.linspace(-89, 89, 120))
            places = [(ring * math.sin(t), 0.0, ring * math.cos(t)) for t in turn]
            line = _projected(view, places, area)
            for colour, width in (("rail", 2.6), ("rail_ink", 1.0)):
                painter.setPen(QPen(THEME.colour(colour, 150), width, Qt.PenStyle.DashLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolyline(QPolygonF(line))
            seen = [p for p in line if area.adjusted(40, 12, -40, -12).contains(p)]
            nearest_middle = sorted(seen, key=lambda p: abs(p.x() - area.center().x()))
            self._label(painter, (p + QPointF(-14, -9) for p in nearest_middle), distance(ring))

    def _reach(self, painter: QPainter, view: ViewGeometry, area: QRectF) -> None:
        reach = {line.thing.name: line.across for line in self._model.reach()}
        for name in _LINES:
            far = reach.get(name, 0.0)
            ends = _projected(view, [(-60, 0, far), (60, 0, far)], area) if far > 0 else []
            if len(ends) == 2 and area.top() <= ends[0].y() <= area.bottom():
                for colour, width in (("surface", 4.0), ("accent", 2.2)):
                    painter.setPen(QPen(THEME.colour(colour), width))
                    painter.drawLine(*ends)
                words = f"{name} to {distance(far)}"
                right = area.right() - painter.fontMetrics().horizontalAdvance(words) - 10
                above, below = ends[0].y() - 20, ends[0].y() + 3
                places = (QPointF(x, y) for x in (right, right - 170, right - 340) for y in (above, below))
                self._label(painter, places, words)

    def _figure(self, painter: QPainter, view: ViewGeometry, area: QRectF) -> None:
        if self.pointer is None or self.marking or not area.contains(self.pointer):
            return
        ground = view.to_ground(np.array([self.to_picture(self.pointer)]))[0]
        if np.isnan(ground).any() or float(np.hypot(*ground)) > 150:
            return
        x, z = float(ground[0]), float(ground[1])
        shown = _projected(view, [(x, 0, z), (x, FIGURE_M, z), (x + 0.25, FIGURE_M / 2, z)], area)
        if len(shown) < 3:
            return  # its head would be behind the camera
        foot, head, side = shown
        half = abs(side.x() - foot.x())
        body = QRectF(foot.x() - half, head.y(), 2 * half, foot.y() - head.y())
        painter.setPen(QPen(THEME.colour("surface"), 1.5))
        painter.setBrush(THEME.colour("missed", 170))
        size = body.height() / 7
        painter.drawEllipse(QPointF(foot.x(), body.top() + size / 2), size / 2, size / 2)
        painter.drawRoundedRect(body.adjusted(0, size * 1.05, 0, 0), half * 0.6, half * 0.6)
        self._taken = []  # what follows the pointer lies over everything
        words = f"{distance(FIGURE_M, 1)} tall at {distance(math.hypot(x, z), 1)}"
        self._label(painter, [body.topRight() + QPointF(6, 0)], words)

    def _ends(self) -> list[list[QPointF]]:
        """Feet and head of every mark on screen."""
        area = self.area()
        return [
            [QPointF(area.left() + x * area.width(), area.top() + y * area.height()) for x, y in (m.foot, m.head)]
            for m in self._model.marks
        ]

    def _marks(self, painter: QPainter) -> None:
        drawn = self._ends()
        if self._pressed is not None and self.pointer is not None:
            drawn.append([self._pressed, self.pointer])
        for number, ends in enumerate(drawn):
            line = "false" if number == self._chosen else "missed"
            for colour, width in (("surface", 5.0), (line, 2.5)):
                painter.setPen(QPen(THEME.colour(colour), width))
                painter.drawLine(*ends)
            painter.setBrush(THEME.colour(line))
            for end in ends:
                painter.drawEllipse(end, 4, 4)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Begin a mark at the feet, or take one that stands there."""
        if event is not None and self.marking and self.area().contains(event.position()):
            at = event.position()
            near = (n for n, ends in enumerate(self._ends()) if any((e - at).manhattanLength() < 14 for e in ends))
            self._chosen = next(near, None)
            self._pressed = at if self._chosen is None else None
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Follow the pointer."""
        if event is not None:
            self.pointer = event.position()
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """End a mark at the head."""
        if event is not None and self._pressed is not None:
            foot, head = self.to_picture(self._pressed), self.to_picture(event.position())
            self._pressed = None
            if abs(foot[1] - head[1]) > 0.02:
                self._model.add_mark(foot, head)
            self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Esc drops a mark that is being drawn, Del the one that was taken, or the last."""
        key = event.key() if event is not None else 0
        if key == Qt.Key.Key_Escape and self._pressed is not None:
            self._pressed = None
            self.update()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self._model.marks:
            self._model.drop_mark(len(self._model.marks) - 1 if self._chosen is None else self._chosen)
            self._chosen = None
        else:
            super().keyPressEvent(event)

    def leaveEvent(self, _event: object) -> None:
        """Take the figure away."""
        self.pointer = None
        self.update()


def rings_m() -> list[float]:
    """Distances of the rings on the ground, metres: round ones in the units shown."""
    units = shown_distances()
    return [ring * units.metres for ring in RINGS[units]]


class PlanView(QWidget):
    """The ground from above, and the view from the side."""

    def __init__(self, model: CalibrationModel) -> None:
        super().__init__()
        self._model = model
        self.setMinimumSize(260, 130)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Plan and side view")
        model.changed.connect(self.update)

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw both."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        known = self._model.known
        if known is None:
            painter.setPen(THEME.colour("muted"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, "No view known yet")
            return
        lines = {line.thing.name: line for line in self._model.reach()}
        adult = lines["walking adult"].across
        nearest = known.view.nearest_m if math.isfinite(known.view.nearest_m) else 0.0
        far = max(12.0, min(90.0, 1.35 * max(adult, known.lamp_m or 0.0, nearest)))
        part = (self.width() - 12) / 2
        self._plan(painter, known.view, QRectF(0, 0, part, self.height()), far, adult, known.lamp_m)
        self._side(painter, known.view, QRectF(part + 12, 0, part, self.height()), far, adult)

    def _plan(
        self, painter: QPainter, view: ViewGeometry, area: QRectF, far: float, adult: float, lamp_m: float | None
    ) -> None:
        painter.setClipRect(area)
        scale = (area.height() - 26) / far
        origin = QPointF(area.center().x(), area.bottom() - 6)

        def at(x: float, z: float) -> QPointF:
            return origin + QPointF(x * scale, -z * scale)

        outline = view.footprint(farthest_m=far)
        painter.setPen(QPen(THEME.colour("accent"), 1.2))
        painter.setBrush(THEME.colour("accent", 40))
        painter.drawPolygon(QPolygonF([at(x, z) for x, z in outline]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for n, ring in enumerate(rings_m()):
            if ring <= far and (n % 2 or far < 25):
                painter.setPen(QPen(THEME.colour("line"), 1))
                radius = ring * scale
                painter.drawArc(
                    QRectF(origin.x() - radius, origin.y() - radius, 2 * radius, 2 * radius), 30 * 16, 120 * 16
                )
                painter.setPen(THEME.colour("muted"))
                painter.drawText(at(0, ring) + QPointF(3, -1), distance(ring))
        for reach, colour in ((adult, "accent"), (lamp_m or 0.0, "false")):
            if 0 < reach <= far:
                painter.setPen(QPen(THEME.colour(colour), 2))
                wide = reach * math.tan(math.radians(view.width_deg / 2))
                painter.drawLine(at(-wide, reach), at(wide, reach))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(THEME.colour("ink"))
        painter.drawEllipse(origin, 4, 4)
        painter.setPen(THEME.colour("muted"))
        painter.drawText(area.adjusted(0, 0, 0, 0), 0, "from above")

    def _side(self, painter: QPainter, view: ViewGeometry, area: QRectF, far: float, adult: float) -> None:
        painter.setClipRect(area)
        scale = min((area.width() - 10) / far, (area.height() - 48) / max(view.height_m, 1.3 * FIGURE_M))
        ground = area.bottom() - 22

        def at(z: float, y: float) -> QPointF:
            return QPointF(area.left() + 6 + z * scale, ground - y * scale)

        painter.setPen(QPen(THEME.colour("ink"), 1.4))
        painter.drawLine(at(0, 0), at(far, 0))
        painter.drawLine(at(0, 0), at(0, view.height_m))
        wedge = [at(0, view.height_m)]
        wedge += [at(z, y) for z, y in view.side(far)]
        painter.setPen(QPen(THEME.colour("accent"), 1.2))
        painter.setBrush(THEME.colour("accent", 40))
        painter.drawPolygon(QPolygonF(wedge))
        painter.setPen(QPen(THEME.colour("missed"), 3))
        for ahead in (view.nearest_m + 0.3, adult):
            if 0 < ahead <= far:
                painter.drawLine(at(ahead, 0), at(ahead, FIGURE_M))
        painter.setPen(THEME.colour("muted"))
        painter.drawText(area, 0, "from the side")
        low = QRectF(area.left(), ground + 3, area.width(), 18)
        blind = f"blind to {distance(view.nearest_m, 1)}" if math.isfinite(view.nearest_m) else "sees no ground"
        painter.drawText(low, 0, blind)
        painter.drawText(low, Qt.AlignmentFlag.AlignRight, distance(far))


HEAD_PX, LEAST_BARS = 24, 3
"""Room of the words above the bars, and fewer of them compare nothing."""


class HeightsView(QWidget):
    """How near and how far an adult triggers from other mount heights, as bars."""

    def __init__(self, model: CalibrationModel) -> None:
        super().__init__()
        self._model = model
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Reach from other mount heights")
        model.changed.connect(self.update)

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw a bar for each height; for the present one and the next ones where there is no room for all."""
        lines, area = self._model.heights(), QRectF(self.rect())
        room = int(area.height() - HEAD_PX) // (painter.fontMetrics().height() - 1)
        if not lines or room < LEAST_BARS:
            return
        now = next(n for n, line in enumerate(lines) if line.now)
        first = min(max(0, now - room // 2), max(0, len(lines) - room))
        lines = lines[first : first + room]
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(THEME.colour("muted"))
        painter.drawText(area, 0, "Reach of a walking adult from other mount heights")
        far = max([line.reach_m for line in lines if math.isfinite(line.reach_m)] + [1.0])
        widest = ("00.0 ft", "00.0 ft to 000 ft")
        name, figures = (painter.fontMetrics().horizontalAdvance(text) + 10 for text in widest)
        width = area.width() - name - figures
        step = min(30.0, (area.height() - HEAD_PX) / len(lines))
        for row, line in enumerate(lines):
            at = QRectF(area.left(), area.top() + HEAD_PX + row * step, area.width(), step)
            painter.setPen(THEME.colour("ink" if line.now else "muted"))
            painter.drawText(at, Qt.AlignmentFlag.AlignVCenter, distance(line.height_m, 1))
            seen = line.reach_m > line.nearest_m
            words = f"{distance(line.nearest_m, 1)} to {distance(line.reach_m)}" if seen else "nobody triggers"
            painter.drawText(at, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, words)
            if seen:
                left, right = (at.left() + name + width * min(1.0, m / far) for m in (line.nearest_m, line.reach_m))
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(THEME.colour("accent", 255 if line.now else 90))
                painter.drawRoundedRect(QRectF(left, at.center().y() - 5, max(2.0, right - left), 10), 3, 3)
