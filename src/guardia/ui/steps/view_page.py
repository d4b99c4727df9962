"""View: what the camera sees and how far, on its picture, as a plan and from the side."""

from __future__ import annotations

from typing import TypeVar

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.calibration_model import CalibrationModel
from guardia.core.base.distances import density, distance, shown_distances
from guardia.core.score.reach import THINGS, Thing
from guardia.ui.canvas.view_canvas import HeightsView, PlanView, ViewCanvas
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import DistanceBox, FreshPage, button, card, choice, clear, label, page_head

PLAN_FROM_PX = 740
BESIDE_PX, BELOW_PX, UNKNOWN_BELOW_PX = 210, 260, 110
"""Room of the numbers beside the picture, and of head, tables and notes above and below it."""

MOST_LINES = 10

LEAST_PX, ABOVE_STRETCH = 220, 100
"""The picture's least height; beyond that it takes what there is before the plan does."""

WAYS_FROM_PX = 220
"""With so much room beside the picture's height the ways to a view are explained."""

HOW = {"typed": "typed in", "marks": "by marks", "walk test": "by walk test"}
"""How a view became known, in words."""

WAYS = (
    (
        "Mark two standing persons",
        "Choose a picture with somebody on it, press 'Mark a person' and drag from the feet to "
        "the head. Do the same once nearer or farther away.",
    ),
    (
        "Use the walk test",
        "Import a clip of somebody who walks through the view, as a walk test. 'From the walk test' "
        "follows this person.",
    ),
    (
        "Type the numbers",
        "Measure the height, read tilt and focal length off the camera or its data sheet, and press 'Take these'.",
    ),
)
"""How a view becomes known. Then distances, pixel density and reach are drawn on the picture and below it."""


_Box = TypeVar("_Box", bound=QDoubleSpinBox)


def _narrow(box: _Box) -> _Box:
    """A field as it stands in the column of numbers."""
    box.setSingleStep(0.1 if box.decimals() else 1)
    box.setKeyboardTracking(False)
    box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
    box.setFixedWidth(THEME.px(96))
    return box


class ViewPage(FreshPage):
    """The picture with its numbers beside it; plan and reach below."""

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
        self._tall = _narrow(DistanceBox(0.5, 2.5, 1.75, " tall", 2))
        self._tall.valueChanged.connect(lambda _v: setattr(self.model, "person_m", self._tall.metres()))
        self.walk = button("From the walk test", self._follow, tip="Follow the person of the walk test")
        self.on = QComboBox()
        self.on.setAccessibleName("The picture on which somebody is marked")
        self.on.setToolTip("The picture on which somebody is marked: of a walk test, of people, or without anybody")
        self.on.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.on.setMinimumContentsLength(14)
        self.on.activated.connect(lambda _i: self.model.show_picture(self.on.currentData()))
        for widget in (self._tall, self.on, self.mark, self.walk):
            head.addWidget(widget)
        layout.addLayout(head)
        self.canvas = ViewCanvas(self.model)
        above = QHBoxLayout()
        above.setSpacing(14)
        above.addLayout(self._numbers())
        above.addWidget(self.canvas, 1)
        layout.addLayout(above, ABOVE_STRETCH)
        below = QHBoxLayout()
        below.setSpacing(18)
        self._tables = QHBoxLayout()
        self._tables.setSpacing(18)
        left = QVBoxLayout()
        left.addLayout(self._tables)
        self.heights = HeightsView(self.model)
        left.addWidget(self.heights, 1)
        below.addLayout(left)
        self.plan = PlanView(self.model)
        below.addWidget(self.plan, 1)
        self.ways = self._ways()
        below.addWidget(self.ways, 1)
        layout.addLayout(below, 1)
        self.notes = label("", "muted", wrap=True)
        layout.addWidget(self.notes)
        self.model.changed.connect(self.refresh_if_shown)
        self.model.jobs.finished.connect(self._show_following)
        model.evidence_changed.connect(self.canvas.refresh_picture)
        self.setFocusProxy(self.canvas)
        self._show_following()
        self.fill()

    def _of_what(self) -> QComboBox:
        """Chooses what the reach is told of."""
        thing = choice([("everything", None)], name="What reach is shown for")
        thing.setToolTip("Of everything at the draft's level, or of one thing at every level")
        thing.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for each in THINGS:
            thing.addItem(each.name, each)
        thing.currentIndexChanged.connect(lambda _i: self.refresh())
        return thing

    def _follow(self) -> None:
        self.model.from_walk_test()
        self._show_following()

    def _show_following(self) -> None:
        """Say on its button whether the walk test's person is being followed."""
        busy = self.model.jobs.busy
        self.walk.setText("Following …" if busy else "From the walk test")
        self.walk.setEnabled(not busy)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Give the picture the height that its width allows; leave the plan out where there is no room for it."""
        super().resizeEvent(event)
        self._share_room()

    @staticmethod
    def _ways() -> QWidget:
        """What to do while no view is known."""
        ways = QWidget()
        row = QHBoxLayout(ways)
        row.setContentsMargins(0, 8, 0, 0)
        row.setSpacing(12)
        for head, text in WAYS:
            frame = card()
            inside = QVBoxLayout(frame)
            inside.setContentsMargins(14, 12, 14, 12)
            inside.addWidget(label(head, "head", wrap=True))
            inside.addWidget(label(text, "muted", wrap=True))
            inside.addStretch()
            row.addWidget(frame, 1)
        return ways

    def _share_room(self) -> None:
        """Give the picture what the plan leaves, which is drawn once a view is known."""
        known = self.model.known is not None
        width, below = self.width() - THEME.px(BESIDE_PX), THEME.px(BELOW_PX if known else UNKNOWN_BELOW_PX)
        # Not more than fits; what a lower window leaves it is the layout's business.
        self.canvas.setMaximumHeight(round(max(LEAST_PX, min(width * self.model.aspect, self.height() - below))))
        self.heights.setVisible(known)
        self.plan.setVisible(known and self.width() >= PLAN_FROM_PX)
        self.ways.setVisible(not known and self.height() - self.canvas.height() >= THEME.px(WAYS_FROM_PX))

    @staticmethod
    def _box(low: float, high: float, value: float, suffix: str, decimals: int = 1) -> QDoubleSpinBox:
        box = QDoubleSpinBox()
        box.setDecimals(decimals)
        box.setRange(low, high)
        box.setValue(value)
        box.setSuffix(suffix)
        return _narrow(box)

    def _numbers(self) -> QFormLayout:
        form = QFormLayout()
        form.setVerticalSpacing(4)
        self.height_box = _narrow(DistanceBox(0, 999, 3.0))
        self.tilt_box = self._box(-90, 180, 15.0, " °")
        self.focal_box = self._box(0, 999, 4.0, " mm", 2)
        self.sensor_box = self._box(0, 999, 5.0, " mm", 2)
        self.lamp_box = _narrow(DistanceBox(0, 999, 0.0, decimals=0))
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
        self.take = button("Take these", self._type_in, tip="Take the view from these numbers")
        form.addRow(self.take)
        self.thing = self._of_what()
        form.addRow(label("Reach of", "muted"))
        form.addRow(self.thing)
        return form

    def _tell_lens(self) -> None:
        focal, sensor = self.focal_box.value(), self.sensor_box.value()
        self.model.lens = focal / sensor if self.lens.isChecked() and focal > 0 and sensor > 0 else None

    def _type_in(self) -> None:
        self.model.type_in(
            height_m=self.height_box.metres(),
            tilt_deg=self.tilt_box.value(),
            focal_mm=self.focal_box.value(),
            sensor_mm=self.sensor_box.value(),
            lamp_m=self.lamp_box.metres(),
        )

    def _set_marking(self, on: bool) -> None:
        self.canvas.marking = on
        self.model.person_m = self._tall.metres()
        self.canvas.setCursor(Qt.CursorShape.CrossCursor if on else Qt.CursorShape.ArrowCursor)
        if on and self.on.currentData() is None and self.on.count() > 1:
            self.on.setCurrentIndex(1)  # on the view without anybody there is nobody to be marked
        self.model.show_picture(self.on.currentData() if on else None)
        if on:
            self.model.clear_marks()
            self.canvas.setFocus()
        self.refresh()

    def _prompt(self) -> str:
        """What is to be marked next."""
        if not self.mark.isChecked() or len(self.model.marks) > 1:
            return ""
        return "; now another person, farther or nearer" if self.model.marks else "; drag from feet to head"

    def refresh(self) -> None:
        """Show what is known now."""
        self._fill_pictures()
        self._share_room()
        known = self.model.known
        while item := self._tables.takeAt(0):
            if (inner := item.layout()) is not None:
                clear(inner)
        if known is None:
            self.how.setText(f"not known yet{self._prompt()}")
            self.notes.setText("Type the numbers, mark two standing persons, or use the walk test.")
            return
        view = known.view
        error = ""
        if known.size_error is not None and known.distance_error is not None:
            error = f"Sizes are right to {known.size_error:.0%}, far distances to {known.distance_error:.0%}. "
        self.how.setText(f"{view.width_deg:.0f}° x {view.upright_deg:.0f}°, {HOW[known.how]}{self._prompt()}")
        for box, value in (
            (self.tilt_box, view.tilt_deg),
            (self.focal_box, self.focal_box.value() if self.lens.isChecked() else view.focal * self.sensor_box.value()),
        ):
            box.setValue(value)
        self.height_box.set_metres(view.height_m)
        self.lamp_box.set_metres(known.lamp_m or 0.0)
        thing = self.thing.currentData()
        lines = [(line.thing.name, line) for line in self.model.reach()]
        if thing is not None:
            lines = [(f"level {name}", line) for name, line in self.model.reach_by_notch(thing)]
        reach = QGridLayout()
        reach.setHorizontalSpacing(12)
        reach.setVerticalSpacing(2)
        for column, text in enumerate(("Reach", "across", "towards", "at night")):
            reach.addWidget(label(text, "strong" if column == 0 else "muted"), 0, column)
        # More notches than there is room for are thinned out; the first and the last are always there.
        if len(lines) > MOST_LINES:
            lines = [lines[round(n * (len(lines) - 1) / (MOST_LINES - 1))] for n in range(MOST_LINES)]
        for row, (name, line) in enumerate(lines, start=1):
            reach.addWidget(label(name), row, 0)
            for column, metres in enumerate((line.across, line.towards, line.night), start=1):
                reach.addWidget(label(distance(metres) if metres else "none"), row, column)
        for tables in (reach, self._ladder()):
            self._tables.addLayout(tables)
        self.notes.setText(
            f"{error}{self._zone_words(thing or THINGS[0])}How much of a silhouette shows: {self.model.measured_on()}. "
            "Densities: IEC 62676-4, from memory. " + " ".join(known.assumed)
        )

    def _fill_pictures(self) -> None:
        offered = [(None, "without anybody"), *self.model.persons()]
        if [self.on.itemData(n) for n in range(self.on.count())] != [which for which, _ in offered]:
            self.on.clear()
            for which, words in offered:
                self.on.addItem(words, which)
        self.on.setCurrentIndex(max(0, self.on.findData(self.model.picture_of)))

    def _ladder(self) -> QGridLayout:
        """Pixel density and the distances to which it holds."""
        ladder = QGridLayout()
        ladder.setHorizontalSpacing(12)
        ladder.setVerticalSpacing(2)
        for column, text in enumerate(("Pixel density", f"px/{shown_distances().unit}", "out to")):
            words = label(text, "strong" if column == 0 else "muted")
            words.setToolTip("Operational requirements of IEC 62676-4, quoted from memory")
            ladder.addWidget(words, 0, column)
        for row, (name, needed, metres) in enumerate(self.model.ladder()[:5], start=1):
            ladder.addWidget(label(name), row, 0)
            ladder.addWidget(label(density(needed, asked=True).split()[0]), row, 1)
            ladder.addWidget(label(distance(metres) if metres >= 0.5 else "none"), row, 2)
        return ladder

    def _zone_words(self, thing: Thing) -> str:
        """From where to where a thing triggers in each watch zone."""
        words = ""
        for name, near, far, line in self.model.reach_by_zone(thing):
            across, towards, night = (min(m, far) for m in (line.across, line.towards, line.night))
            if across > near:
                words += (
                    f"In '{name}' a {thing.name} triggers from {distance(near, to=across)} across, "
                    f"to {distance(towards)} towards, at night to {distance(night)}. "
                )
            else:
                words += f"In '{name}', which begins at {distance(near)}, a {thing.name} does not trigger. "
        return words
