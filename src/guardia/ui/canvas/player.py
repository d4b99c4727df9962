"""A closer look at one occurrence: its pictures in motion over the size of their motion."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QCloseEvent, QKeyEvent, QMouseEvent, QPainter, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.core.base.errors import GuardiaError
from guardia.core.purpose.judgement import KIND_OF_KEY, kind_of
from guardia.core.trace.measure import ANALYSIS_RATE_HZ
from guardia.ui.parts.theme import THEME, over_picture
from guardia.ui.parts.widgets import button, label, painting, verdict_colour

SPEEDS = (1, 2, 4, 8, 16)
_CURVE_HEIGHT = 84


class _Screen(QWidget):
    """The picture of the moment with the moving thing outlined, and the curve of sizes below."""

    def __init__(self, model: CameraModel, occurrence_id: int, seek: Callable[[float], None]) -> None:
        super().__init__()
        self._model = model
        self._seek = seek
        self.show_occurrence(occurrence_id)
        self.setMinimumSize(640, 360 + _CURVE_HEIGHT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def show_occurrence(self, occurrence_id: int) -> None:
        """Begin with an occurrence, of which no picture is here yet."""
        self._occurrence = self._model.occurrence(occurrence_id)
        self._boxes = self._model.pictures.camera_boxes(self._occurrence.clip_id)
        self.at_s = self._occurrence.start_s
        self.picture = QPixmap()
        self.waiting = "reading its pictures …"
        self.span = (0.0, 1.0)
        self.update()

    def _curve_area(self) -> QRectF:
        return QRectF(4, self.height() - _CURVE_HEIGHT + 6, self.width() - 8, _CURVE_HEIGHT - 12)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """A click on the curve goes to that moment."""
        area = self._curve_area()
        if event is not None and area.contains(event.position()):
            share = (event.position().x() - area.left()) / area.width()
            self._seek(self.span[0] + share * (self.span[1] - self.span[0]))

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw picture, outline and curve."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        room = QRectF(0, 0, self.width(), self.height() - _CURVE_HEIGHT)
        if self.picture.isNull():
            painter.setPen(THEME.colour("muted"))
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(room, int(flags), self.waiting)
        else:
            size = self.picture.size().scaled(room.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
            area = QRectF((room.width() - size.width()) / 2, 0, size.width(), size.height())
            painter.drawPixmap(area, self.picture, QRectF(self.picture.rect()))
            self._paint_outline(painter, area)
            self._paint_given_boxes(painter, area)
        self._paint_curve(painter)

    def _paint_outline(self, painter: QPainter, area: QRectF) -> None:
        evidence = self._model.evidence
        clip = evidence.clip_index[self._occurrence.clip_id]
        contrast = self._model.comparison.draft_replay.motion.contrast_in(evidence.clips[clip])
        box = evidence.stack.box_at(clip, self.at_s, contrast=contrast)
        if box is not None:
            left, top = area.left() + box[0] * area.width(), area.top() + box[1] * area.height()
            painter.setBrush(Qt.BrushStyle.NoBrush)
            verdict = self._model.occurrence(self._occurrence.id).verdict
            for colour, width in ((THEME.colour("surface"), 4.0), (verdict_colour(verdict), 2.0)):
                painter.setPen(QPen(colour, width))
                painter.drawRect(QRectF(left, top, (box[2] - box[0]) * area.width(), (box[3] - box[1]) * area.height()))

    def given_boxes(self) -> list[tuple[tuple[float, float, float, float], str]]:
        """Boxes that came with the clip, at the moment shown: left, top, width, height in 0..1, and the class."""
        return [one for boxes in self._boxes for one in boxes.at(self.at_s)]

    def _paint_given_boxes(self, painter: QPainter, area: QRectF) -> None:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        for (left, top, width, height), name in self.given_boxes():
            place = QRectF(
                area.left() + left * area.width(), area.top() + top * area.height(),
                width * area.width(), height * area.height(),
            )  # fmt: skip
            for colour, pen in ((over_picture("dark"), 3.0), (over_picture("light"), 1.4)):
                painter.setPen(QPen(colour, pen, Qt.PenStyle.DashLine))
                painter.drawRect(place)
            painter.drawText(place.adjusted(4, 2, 0, 0), name)

    def _paint_curve(self, painter: QPainter) -> None:
        evidence, done = self._model.evidence, self._model.comparison.draft_replay
        index = evidence.clip_index[self._occurrence.clip_id]
        times = np.asarray(evidence.stack.times[index])
        base = int(evidence.stack.clip_start[index])
        sizes = done.motion.sizes[base : base + len(times)]
        area = self._curve_area()
        low, high = self.span
        top = float(max(done.motion.needed * 1.3, sizes.max(initial=0), 1))

        def place(t: float, size: float) -> QPointF:
            x = area.left() + area.width() * (t - low) / max(high - low, 1e-6)
            return QPointF(x, area.bottom() - area.height() * size / top)

        painter.fillRect(area, THEME.colour("raised"))
        painter.setPen(QPen(THEME.colour("muted"), 1, Qt.PenStyle.DashLine))
        painter.drawLine(place(low, done.motion.needed), place(high, done.motion.needed))
        inside = (times >= low) & (times <= high)
        painter.setPen(QPen(THEME.colour("accent"), 1.8))
        painter.drawPolyline(QPolygonF([place(t, float(s)) for t, s in zip(times[inside], sizes[inside], strict=True)]))
        painter.setPen(QPen(THEME.colour("ink"), 1.6))
        painter.drawLine(place(self.at_s, 0), place(self.at_s, top))


class Player(QDialog):
    """Plays the stretch around an occurrence; `judged` is emitted with the kind of a letter that is pressed."""

    judged = pyqtSignal(str)

    def __init__(self, parent: QWidget, session: Session, model: CameraModel, occurrence_id: int) -> None:
        super().__init__(parent)
        self._session = session
        self._model = model
        self._id = occurrence_id
        self.pictures: list[tuple[float, QPixmap]] = []
        self.at = 0
        self._waits = False
        layout = QVBoxLayout(self)
        self.screen_view = _Screen(model, occurrence_id, self.seek)
        layout.addWidget(self.screen_view, 1)
        row = QHBoxLayout()
        self._play = button("Pause", self.toggle, tip="Space")
        row.addWidget(self._play)
        row.addWidget(button("◂ Step", lambda: self.step(-1), tip="Left arrow"))
        row.addWidget(button("Step ▸", lambda: self.step(1), tip="Right arrow"))
        row.addWidget(button("To the motion", self.to_motion, tip="Home"))
        row.addWidget(button("Split here", self.split, tip="T: two occurrences from here on, this player closes"))
        self._speeds: dict[int, QPushButton] = {}
        for speed in SPEEDS:
            key = button(f"{speed}x", partial(self.set_speed, speed), tip=f"{1 + len(self._speeds)}")
            key.setCheckable(True)
            self._speeds[speed] = key
            row.addWidget(key)
        row.addStretch()
        self._time = label("", "muted")
        self._time.setMinimumWidth(THEME.px(112))
        row.addWidget(self._time)
        layout.addLayout(row)
        for key in self.findChildren(QPushButton):
            key.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.timer = QTimer(self)
        self.timer.timeout.connect(lambda: self.step(1, again=True))
        self.set_speed(1)
        layout.addWidget(label("A letter judges and goes on to the next one that waits; Esc closes.", "muted"))
        session.pictures.failed.connect(self._tell_unreadable)
        session.pictures.finished.connect(self._read_if_waiting)
        self.show_occurrence(occurrence_id)

    def show_occurrence(self, occurrence_id: int) -> None:
        """Play another occurrence."""
        self.timer.stop()
        self._id, self.pictures = occurrence_id, []
        evidence, occurrence = self._model.evidence, self._model.occurrence(occurrence_id)
        when = self._session.local_time(evidence.span_s(occurrence)[0])
        judged = kind_of(occurrence.kind).text if occurrence.kind else "not judged"
        self.setWindowTitle(f"{self._model.camera.name}, {when:%a %d %b %Y %H:%M:%S}, {judged}")
        self.screen_view.show_occurrence(occurrence_id)
        self._waits = True
        self._session.pictures.cancel()
        self._read_if_waiting()

    def _read_if_waiting(self) -> None:
        """Read the pictures as soon as nothing else is read."""
        if not self._waits or self._session.pictures.busy:
            return
        self._waits = False
        wanted = self._id
        try:
            work = self._model.pictures.pictures_job(wanted)
        except GuardiaError as error:
            self._session.messages.tell_error(error)
            self._tell_unreadable(error)
            return
        self._session.pictures.start("Reading pictures", work, lambda pictures: self._take(wanted, pictures))

    def _tell_unreadable(self, error: BaseException) -> None:
        self.screen_view.waiting = str(error)
        self.screen_view.update()

    def _take(self, occurrence_id: int, pictures: list[tuple[float, bytes]]) -> None:
        if occurrence_id != self._id or self._waits:
            return  # another one is wanted by now
        for at, jpeg in pictures:
            pixmap = QPixmap()
            pixmap.loadFromData(jpeg)
            self.pictures.append((at, pixmap))
        if self.pictures:
            self.screen_view.span = (self.pictures[0][0], self.pictures[-1][0])
            self._show(0)
            self.timer.start()

    def _show(self, index: int) -> None:
        self.at = min(max(0, index), len(self.pictures) - 1)
        at, pixmap = self.pictures[self.at]
        self.screen_view.at_s, self.screen_view.picture = at, pixmap
        self._time.setText(f"{at:.1f} s of the clip")
        self.screen_view.update()

    def set_speed(self, speed: int) -> None:
        """Play at a multiple of real time."""
        self.timer.setInterval(round(1000 / ANALYSIS_RATE_HZ / speed))
        for one, key in self._speeds.items():
            key.setChecked(one == speed)

    def toggle(self) -> None:
        """Pause or go on."""
        if self.timer.isActive():
            self.timer.stop()
        else:
            self.timer.start()
        self._play.setText("Pause" if self.timer.isActive() else "Play")

    def step(self, by: int, *, again: bool = False) -> None:
        """Go some pictures on; playing begins again at the end."""
        if not self.pictures:
            return
        if not again:
            self.timer.stop()
            self._play.setText("Play")
        following = self.at + by
        self._show(0 if again and following >= len(self.pictures) else following)

    def seek(self, at_s: float) -> None:
        """Go to a moment of the clip."""
        if self.pictures:
            times = np.array([t for t, _ in self.pictures])
            self._show(int(np.abs(times - at_s).argmin()))

    def to_motion(self) -> None:
        """Go to the picture with the most motion."""
        evidence = self._model.evidence
        index = evidence.clip_index[self._model.occurrence(self._id).clip_id]
        times = np.asarray(evidence.stack.times[index])
        base = int(evidence.stack.clip_start[index])
        sizes = self._model.comparison.draft_replay.motion.sizes[base : base + len(times)]
        if len(sizes):
            self.seek(float(times[int(np.argmax(sizes))]))

    def split(self) -> None:
        """Split the occurrence at the picture that is shown, and close."""
        self._session.occurrences.split(self._model.camera.id, self._id, self.screen_view.at_s)
        self.close()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Space, arrows and Home move in the clip, digits set the speed, letters judge; Esc closes."""
        if event is None:
            return
        key = event.text().upper()
        if key in KIND_OF_KEY:
            self.judged.emit(KIND_OF_KEY[key])
            return
        acts: dict[int, Callable[[], None]] = {
            Qt.Key.Key_Space: self.toggle,
            Qt.Key.Key_Left: lambda: self.step(-1),
            Qt.Key.Key_Right: lambda: self.step(1),
            Qt.Key.Key_Home: self.to_motion,
            Qt.Key.Key_T: self.split,
            **{Qt.Key.Key_1 + n: partial(self.set_speed, speed) for n, speed in enumerate(SPEEDS)},
        }
        act = acts.get(event.key())
        if act is not None:
            act()
        else:
            super().keyPressEvent(event)

    def done(self, result: int) -> None:
        """Stop reading and playing."""
        self.timer.stop()
        self._waits, self._id = False, -1
        self._session.pictures.finished.disconnect(self._read_if_waiting)
        self._session.pictures.failed.disconnect(self._tell_unreadable)
        self._session.pictures.cancel()
        super().done(result)

    def closeEvent(self, _event: QCloseEvent | None) -> None:
        """Closing by the frame is the same as Esc."""
        self.reject()
