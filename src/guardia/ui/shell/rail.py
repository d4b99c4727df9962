"""The rail at the left: the steps of the work, the camera that is open, and the work that is under way."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QResizeEvent
from PyQt6.QtWidgets import QButtonGroup, QLabel, QProgressBar, QPushButton, QScrollArea, QVBoxLayout, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.steps.steps import STEPS, step_of
from guardia.app.work.job_runner import JobRunner
from guardia.app.work.jobs import Progress
from guardia.core.evidence.clock import error_words
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import button, label

_SPARE_PX = 40
"""Room for a camera's name of two lines, or what its clock is wrong by."""


WIDTH_PX = 176


class CameraName(QLabel):
    """The name of the camera that is open; a click or Enter asks for another one.

    Args:
        asked: Called then.
    """

    def __init__(self, asked: Callable[[], object]) -> None:
        super().__init__("Guardia")
        self._asked = asked
        self.setObjectName("place")
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setWordWrap(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setToolTip("Choose another camera")

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Ask for another camera."""
        if event is not None and event.button() == Qt.MouseButton.LeftButton:
            self._asked()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Ask for another camera by the keys that press a button."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            self._asked()
        else:
            super().keyPressEvent(event)


class Rail(QWidget):
    """Steps, camera and work."""

    asked = pyqtSignal(str)
    stopped = pyqtSignal()
    camera_asked = pyqtSignal()
    _SPACING = 2

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)  # a subclass paints no background of itself
        self.take_size()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        room, inside = QScrollArea(), QWidget()  # where text is large and the window low, the steps scroll
        room.setWidgetResizable(True)
        room.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        room.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        room.setWidget(inside)
        whole.addWidget(room)
        self._inside = layout = QVBoxLayout(inside)
        layout.setContentsMargins(10, 14, 10, 12)
        layout.setSpacing(self._SPACING)
        self.place = CameraName(self.camera_asked.emit)
        self.place.setContentsMargins(10, 2, 4, 6)
        self.clock = label("", "hint", wrap=True)
        self.clock.setContentsMargins(10, 0, 6, 6)
        self.steps: dict[str, QPushButton] = {}
        self._hints: list[QLabel] = []
        group = QButtonGroup(self)
        for number, step in enumerate(s for s in STEPS if not s.part_of):
            if number == 1:
                layout.addSpacing(10)
                layout.addWidget(self.place)
                layout.addWidget(self.clock)
            key = button(step.text, partial(self.asked.emit, step.id), "step", tip=step.hint)
            key.setCheckable(True)
            group.addButton(key)
            self.steps[step.id] = key
            layout.addWidget(key)
            small = label(step.hint, "hint")
            small.setContentsMargins(14, 0, 0, 6)
            layout.addWidget(small)
            self._hints.append(small)
        layout.addStretch()
        self._job = ""
        self.job_text = label("", "hint", wrap=True)
        layout.addWidget(self.job_text)
        self.job_bar = QProgressBar()
        self.job_bar.setTextVisible(False)
        self.job_bar.setRange(0, 1000)
        layout.addWidget(self.job_bar)
        self.job_stop = button("Stop", self._stop_job, tip="What is finished is kept")
        layout.addWidget(self.job_stop)
        for widget in (self.job_text, self.job_bar, self.job_stop):
            widget.hide()
        layout.addWidget(label("Guardia advises;\nthe technician decides.", "hint"))

    def take_size(self) -> None:
        """Be as wide as the words need at the size of text in force."""
        self.setFixedWidth(THEME.px(WIDTH_PX))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Leave the hints out where they would crowd the steps; they are the buttons' tips, too."""
        super().resizeEvent(event)
        hint = self._hints[0].sizeHint().height() + self._SPACING
        shown = not self._hints[0].isHidden()
        whole = self._inside.sizeHint().height() + (0 if shown else hint * len(self._hints))
        if shown != (whole + _SPARE_PX <= self.height()):
            for small in self._hints:
                small.setVisible(not shown)

    def show_step(self, current: str, *, has_project: bool, model: CameraModel | None) -> None:
        """Mark the step that is shown, and say which camera is open."""
        for step, key in self.steps.items():
            key.setEnabled(model is not None or (step == "round" and has_project))
            key.setChecked(step == step_of(current))
        name = model.camera.name if model else "No camera open"
        self.place.setText(f"{name if len(name) <= 60 else name[:58] + ' …'}{' ▾' if model else ''}")
        self.place.setEnabled(model is not None)
        clock = error_words(model.camera.clock_error_s) if model else ""
        self.clock.setText(f"its clock is {clock}; times are put right" if clock else "")
        self.clock.setVisible(bool(clock))

    def follow(self, jobs: JobRunner) -> None:
        """Show how far this work is."""
        jobs.started.connect(self._job_started)
        jobs.progressed.connect(self._job_progressed)
        jobs.finished.connect(self._job_finished)

    def _job_started(self, title: str) -> None:
        self._job = title
        self.job_text.setText(title)
        self.job_bar.setValue(0)
        self.job_stop.setEnabled(True)
        self.job_stop.setText("Stop")
        for widget in (self.job_text, self.job_bar, self.job_stop):
            widget.show()

    def _job_progressed(self, progress: Progress) -> None:
        self.job_text.setText(f"{self._job}: {progress.words}")
        self.job_text.setToolTip(progress.what)
        share = round(1000 * progress.done / max(1, progress.total))
        self.job_bar.setValue(max(self.job_bar.value(), share))  # where more is found to do it waits, not goes back

    def _stop_job(self) -> None:
        """Ask the work to stop, and say at once that this was heard: what is under way is finished first."""
        self.job_stop.setEnabled(False)
        self.job_stop.setText("Stopping …")
        self.stopped.emit()

    def _job_finished(self) -> None:
        for widget in (self.job_text, self.job_bar, self.job_stop):
            widget.hide()
