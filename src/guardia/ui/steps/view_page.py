"""View: what the camera sees and how far, on its picture, as a plan and from the side."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPen, QPixmap, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from guardia.app.project.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.calibration_model import CalibrationModel
from guardia.core.score.reach import THINGS, Thing
from guardia.core.view.geometry import ViewGeometry
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import FreshPage, button, clear, label, page_head, painting

RINGS_M = (5, 10, 15, 20, 30, 50)
FIGURE_M = 1.7
PLAN_FROM_PX = 640
MOST_LINES = 10
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
        self._picture.loadFromData(model.model.pictures.clean_view())
        self._pointer: QPointF | None = None
        self._pressed: QPointF | None = None
        self.marking = False
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(220)
        self.setAccessibleName("The camera's picture with distances")
        model.changed.connect(self.update)

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
        """Show a new clean view."""
        self._picture.loadFromData(self._model.model.pictures.clean_view())
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
            painter.drawText(area, Qt.AlignmentFlag.AlignCenter, "No picture yet: bring in clips of this camera first.")
        else:
            painter.drawPixmap(area.toRect(), self._picture)
        known = self._model.known
        if known is not None:
            self._rings(painter, known.view, area)
            self._reach(painter, known.view, area)
            self._figure(painter, known.view, area)
        self._marks(painter, area)

    def _label(self, painter: QPainter, at: QPointF, words: str) -> None:
        box = QRectF(at, painter.fontMetrics().size(0, words).toSizeF()).adjusted(-4, -1, 4, 1)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(THEME.colour("rail", 200))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(THEME.colour("rail_ink"))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, words)

    def _rings(self, painter: QPainter, view: ViewGeometry, area: QRectF) -> None:
        for distance in RINGS_M:
            turn = np.radians(np.linspace(-89, 89, 120))
            places = [(distance * math.sin(t), 0.0, distance * math.cos(t)) for t in turn]
            line = _projected(view, places, area)
            for colour, width in (("rail", 2.6), ("rail_ink", 1.0)):
                painter.setPen(QPen(THEME.colour(colour, 150), width, Qt.PenStyle.DashLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawPolyline(QPolygonF(line))
            ahead = _projected(view, [(0, 0, distance)], area)
            if ahead and area.contains(ahead[0]):
                self._label(painter, ahead[0] + QPointF(-14, -9), f"{distance} m")

    def _reach(self, painter: QPainter, view: ViewGeometry, area: QRectF) -> None:
        places = {line.thing.name: line.across for line in self._model.reach()}
        for number, name in enumerate(_LINES):
            far = places.get(name, 0.0)
            ends = _projected(view, [(-60, 0, far), (60, 0, far)], area) if far > 0 else []
            if len(ends) == 2 and area.top() <= ends[0].y() <= area.bottom():
                for colour, width in (("surface", 4.0), ("accent", 2.2)):
                    painter.setPen(QPen(THEME.colour(colour), width))
                    painter.drawLine(*ends)
                at = QPointF(area.right() - 190, ends[0].y() - 19 if number % 2 == 0 else ends[0].y() + 2)
                self._label(painter, at, f"{name} to {far:.0f} m")

    def _figure(self, painter: QPainter, view: ViewGeometry, area: QRectF) -> None:
        if self._pointer is None or self.marking or not area.contains(self._pointer):
            return
        ground = view.to_ground(np.array([self.to_picture(self._pointer)]))[0]
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
        self._label(painter, body.topRight() + QPointF(6, 0), f"{FIGURE_M} m tall at {math.hypot(x, z):.1f} m")

    def _marks(self, painter: QPainter, area: QRectF) -> None:
        drawn = [(m.foot, m.head) for m in self._model.marks]
        if self._pressed is not None and self._pointer is not None:
            drawn.append((self.to_picture(self._pressed), self.to_picture(self._pointer)))
        for foot, head in drawn:
            ends = [QPointF(area.left() + x * area.width(), area.top() + y * area.height()) for x, y in (foot, head)]
            for colour, width in (("surface", 5.0), ("missed", 2.5)):
                painter.setPen(QPen(THEME.colour(colour), width))
                painter.drawLine(*ends)
            painter.setBrush(THEME.colour("missed"))
            for end in ends:
                painter.drawEllipse(end, 4, 4)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Begin a mark at the feet."""
        if event is not None and self.marking and self.area().contains(event.position()):
            self._pressed = event.position()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Follow the pointer."""
        if event is not None:
            self._pointer = event.position()
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
        """Esc drops a mark that is being drawn."""
        if event is not None and event.key() == Qt.Key.Key_Escape and self._pressed is not None:
            self._pressed = None
            self.update()
        else:
            super().keyPressEvent(event)

    def leaveEvent(self, event: object) -> None:
        """Take the figure away."""
        self._pointer = None
        self.update()


class PlanView(QWidget):
    """The ground from above, and the view from the side."""

    def __init__(self, model: CalibrationModel) -> None:
        super().__init__()
        self._model = model
        self.setMinimumSize(200, 190)
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
        far = max(12.0, min(60.0, 1.35 * max(adult, known.lamp_m or 0.0)))
        upper = self.height() * 0.58
        self._plan(painter, known.view, QRectF(0, 0, self.width(), upper), far, adult, known.lamp_m)
        self._side(painter, known.view, QRectF(0, upper + 8, self.width(), self.height() - upper - 8), far, adult)

    def _plan(
        self, painter: QPainter, view: ViewGeometry, area: QRectF, far: float, adult: float, lamp_m: float | None
    ) -> None:
        scale = (area.height() - 12) / far
        origin = QPointF(area.center().x(), area.bottom() - 6)

        def at(x: float, z: float) -> QPointF:
            return origin + QPointF(x * scale, -z * scale)

        outline = view.footprint(farthest_m=far)
        painter.setPen(QPen(THEME.colour("accent"), 1.2))
        painter.setBrush(THEME.colour("accent", 40))
        painter.drawPolygon(QPolygonF([at(x, z) for x, z in outline]))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for distance in RINGS_M:
            if distance <= far and (distance % 10 == 0 or far < 25):
                painter.setPen(QPen(THEME.colour("line"), 1))
                radius = distance * scale
                painter.drawArc(
                    QRectF(origin.x() - radius, origin.y() - radius, 2 * radius, 2 * radius), 30 * 16, 120 * 16
                )
                painter.setPen(THEME.colour("muted"))
                painter.drawText(at(0, distance) + QPointF(3, -1), f"{distance} m")
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
        scale = min((area.width() - 10) / far, (area.height() - 40) / (view.height_m * 1.3))
        ground = area.bottom() - 22

        def at(z: float, y: float) -> QPointF:
            return QPointF(area.left() + 6 + z * scale, ground - y * scale)

        painter.setPen(QPen(THEME.colour("ink"), 1.4))
        painter.drawLine(at(0, 0), at(far, 0))
        painter.drawLine(at(0, 0), at(0, view.height_m))
        upper = math.radians(view.tilt_deg - view.upright_deg / 2)
        end = min(far, view.farthest_m)
        wedge = [at(0, view.height_m), at(min(view.nearest_m, far), 0), at(end, 0)]
        if view.farthest_m > far:
            wedge.append(at(far, max(0.0, view.height_m - far * math.tan(upper))))
        painter.setPen(QPen(THEME.colour("accent"), 1.2))
        painter.setBrush(THEME.colour("accent", 40))
        painter.drawPolygon(QPolygonF(wedge))
        painter.setPen(QPen(THEME.colour("missed"), 3))
        for distance in (view.nearest_m + 0.3, adult):
            if 0 < distance <= far:
                painter.drawLine(at(distance, 0), at(distance, FIGURE_M))
        painter.setPen(THEME.colour("muted"))
        painter.drawText(area, 0, "from the side")
        low = QRectF(area.left(), ground + 3, area.width(), 18)
        blind = f"blind to {view.nearest_m:.1f} m" if math.isfinite(view.nearest_m) else "sees no ground"
        painter.drawText(low, 0, blind)
        painter.drawText(low, Qt.AlignmentFlag.AlignRight, f"{far:.0f} m")


class ViewPage(FreshPage):
    """The picture above; numbers, plan and reach below."""

    def __init__(self, session: Session, model: CameraModel) -> None:
        super().__init__()
        self.model = session.step_model(CalibrationModel, model)
        layout, head = page_head(self, "View")
        self.how = label("", "muted")
        head.addWidget(self.how)
        head.addStretch()
        self.mark = QPushButton("Mark a person")
        self.mark.setCheckable(True)
        self.mark.setToolTip("Drag from the feet to the head of a standing person; two or more, near and far")
        self.mark.toggled.connect(self._set_marking)
        self._tall = self._box(0.5, 2.2, 1.75, " m tall", 2)
        self._tall.valueChanged.connect(lambda v: setattr(self.model, "person_m", v))
        self.walk = button("From the walk test", self._follow, tip="The person of the walk test serves")
        for widget in (self._tall, self.mark, self.walk):
            head.addWidget(widget)
        layout.addLayout(head)
        self.canvas = ViewCanvas(self.model)
        layout.addWidget(self.canvas, 5)
        below = QHBoxLayout()
        below.setSpacing(14)
        below.addLayout(self._numbers())
        self.plan = PlanView(self.model)
        below.addWidget(self.plan, 1)
        self._tables = QVBoxLayout()
        right = QVBoxLayout()
        right.addLayout(self._tables)
        self.thing = QComboBox()
        self.thing.setAccessibleName("What reach is told of")
        self.thing.addItem("everything, at the draft's notch", None)
        for thing in THINGS:
            self.thing.addItem(f"{thing.name}, at each notch", thing)
        self.thing.currentIndexChanged.connect(lambda _i: self.refresh())
        right.addWidget(self.thing)
        below.addLayout(right)
        layout.addLayout(below, 4)
        self.notes = label("", "muted", wrap=True)
        layout.addWidget(self.notes)
        self.model.changed.connect(self.refresh_if_shown)
        self.model.jobs.finished.connect(self._show_following)
        model.evidence_changed.connect(self.canvas.refresh_picture)
        self._show_following()
        self.refresh()

    def _follow(self) -> None:
        self.model.from_walk_test()
        self._show_following()

    def _show_following(self) -> None:
        """Say on its button whether the walk test's person is being followed."""
        busy = self.model.jobs.busy
        self.walk.setText("Following …" if busy else "From the walk test")
        self.walk.setEnabled(not busy)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Leave the plan out where there is no room beside numbers and tables."""
        super().resizeEvent(event)
        self.plan.setVisible(self.width() >= PLAN_FROM_PX)

    def _box(self, low: float, high: float, value: float, suffix: str, decimals: int = 1) -> QDoubleSpinBox:
        box = QDoubleSpinBox()
        box.setRange(low, high)
        box.setDecimals(decimals)
        box.setSingleStep(0.1 if decimals else 1)
        box.setValue(value)
        box.setSuffix(suffix)
        box.setKeyboardTracking(False)
        box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        box.setFixedWidth(92)
        return box

    def _numbers(self) -> QFormLayout:
        form = QFormLayout()
        form.setVerticalSpacing(4)
        self.height_box = self._box(0.3, 30, 3.0, " m")
        self.tilt_box = self._box(-10, 89, 15.0, " °")
        self.focal_box = self._box(1.0, 50, 4.0, " mm", 2)
        self.sensor_box = self._box(1.0, 36, 5.0, " mm", 2)
        self.lamp_box = self._box(0.0, 100, 0.0, " m", 0)
        self.lamp_box.setSpecialValueText("not known")
        for words, box in (
            ("Height", self.height_box),
            ("Tilt", self.tilt_box),
            ("Focal", self.focal_box),
            ("Sensor", self.sensor_box),
            ("Lamp", self.lamp_box),
        ):
            form.addRow(words, box)
        self.lens = QCheckBox("lens known")
        self.lens.setToolTip("Marks and the walk test then keep focal length and sensor width as they stand here")
        for change in (self.lens.toggled, self.focal_box.valueChanged, self.sensor_box.valueChanged):
            change.connect(lambda _=None: self._tell_lens())
        form.addRow(self.lens)
        self.take = button("Take these numbers", self._type_in)
        form.addRow(self.take)
        return form

    def _tell_lens(self) -> None:
        known = self.lens.isChecked()
        self.model.lens = self.focal_box.value() / self.sensor_box.value() if known else None

    def _type_in(self) -> None:
        self.model.type_in(
            height_m=self.height_box.value(),
            tilt_deg=self.tilt_box.value(),
            focal_mm=self.focal_box.value(),
            sensor_mm=self.sensor_box.value(),
            lamp_m=self.lamp_box.value(),
        )

    def _set_marking(self, on: bool) -> None:
        self.canvas.marking = on
        self.model.person_m = self._tall.value()
        self.canvas.setCursor(Qt.CursorShape.CrossCursor if on else Qt.CursorShape.ArrowCursor)
        if on:
            self.model.clear_marks()

    def refresh(self) -> None:
        """Show what is known now."""
        known = self.model.known
        clear_layout = self._tables
        while clear_layout.count():
            item = clear_layout.takeAt(0)
            if item is not None and (inner := item.layout()) is not None:
                clear(inner)
        if known is None:
            self.how.setText("not known yet")
            self.notes.setText("Type the numbers, mark two standing persons, or use the walk test.")
            return
        view = known.view
        error = ""
        if known.size_error is not None and known.distance_error is not None:
            error = f"Sizes are right to {known.size_error:.0%}, far distances to {known.distance_error:.0%}. "
        self.how.setText(f"{view.width_deg:.0f}° x {view.upright_deg:.0f}° by {known.how}")
        for box, value in (
            (self.height_box, view.height_m),
            (self.tilt_box, view.tilt_deg),
            (self.focal_box, self.focal_box.value() if self.lens.isChecked() else view.focal * self.sensor_box.value()),
            (self.lamp_box, known.lamp_m or 0.0),
        ):
            box.setValue(value)
        thing = self.thing.currentData()
        lines = [(line.thing.name, line) for line in self.model.reach()]
        if thing is not None:
            lines = [(f"notch {name}", line) for name, line in self.model.reach_by_notch(thing)]
        reach = QGridLayout()
        reach.setHorizontalSpacing(14)
        reach.setVerticalSpacing(2)
        for column, text in enumerate(("Reach", "across", "towards", "at night")):
            reach.addWidget(label(text, "head" if column == 0 else "muted"), 0, column)
        # More notches than there is room for are thinned out; the first and the last are always there.
        if len(lines) > MOST_LINES:
            lines = [lines[round(n * (len(lines) - 1) / (MOST_LINES - 1))] for n in range(MOST_LINES)]
        for row, (name, line) in enumerate(lines, start=1):
            reach.addWidget(label(name), row, 0)
            for column, metres in enumerate((line.across, line.towards, line.night), start=1):
                reach.addWidget(label(f"{metres:.0f} m" if metres else "none"), row, column)
        self._tables.addLayout(reach)
        if thing is None:
            self._tables.addLayout(self._ladder())
        self._tables.addStretch()
        self.notes.setText(
            f"{error}{self._zone_words(thing or THINGS[0])}How much of a silhouette shows: {self.model.measured_on()}. "
            + " ".join(known.assumed)
        )

    def _ladder(self) -> QGridLayout:
        """Pixel density and the distances to which it holds."""
        ladder = QGridLayout()
        ladder.setHorizontalSpacing(14)
        ladder.setVerticalSpacing(2)
        for column, text in enumerate(("Pixel density", "px/m", "out to")):
            ladder.addWidget(label(text, "head" if column == 0 else "muted"), 0, column)
        for row, (name, density, metres) in enumerate(self.model.ladder()[:5], start=1):
            ladder.addWidget(label(name), row, 0)
            ladder.addWidget(label(f"{density:g}"), row, 1)
            ladder.addWidget(label(f"{metres:.0f} m" if metres >= 0.5 else "none"), row, 2)
        return ladder

    def _zone_words(self, thing: Thing) -> str:
        """From where to where a thing triggers in each watch zone."""
        words = ""
        for name, near, far, line in self.model.reach_by_zone(thing):
            across, towards, night = (min(m, far) for m in (line.across, line.towards, line.night))
            if across > near:
                words += (
                    f"In '{name}' a {thing.name} triggers from {near:.0f} to {across:.0f} m across, to {towards:.0f} m "
                    f"towards, at night to {night:.0f} m. "
                )
            else:
                words += f"In '{name}', which begins at {near:.0f} m, a {thing.name} does not trigger. "
        return words
