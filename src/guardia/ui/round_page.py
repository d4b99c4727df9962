"""Round: every camera with its one next action, and the days as ribbons with what happened on them."""

from __future__ import annotations

from datetime import date, timedelta
from functools import partial

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from guardia.app.camera_model import CameraModel
from guardia.app.session import Session
from guardia.core.judgement import Verdict
from guardia.ui.parts import Mark, button, card, clear, draw_mark, label
from guardia.ui.theme import THEME

_LEGEND = (
    (Verdict.REAL, True, "real"),
    (Verdict.REAL, False, "real, missed"),
    (Verdict.FALSE, True, "false"),
    (None, True, "not judged"),
)


class DayRibbons(QWidget):
    """One ribbon per day from midnight to midnight, every occurrence at its hour by its mark."""

    def __init__(self, session: Session, model: CameraModel) -> None:
        super().__init__()
        self._session = session
        self._model = model
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(250)

    def sizeHint(self) -> QSize:
        """Room for two weeks."""
        return QSize(700, 320)

    def _days(self) -> dict[date, list[tuple[float, Verdict | None, bool]]]:
        evidence = self._model.evidence
        outcomes = self._model.comparison.installed_replay.outcomes
        days: dict[date, list[tuple[float, Verdict | None, bool]]] = {}
        for occurrence in evidence.occurrences:
            begin = evidence.clips[evidence.clip_index[occurrence.clip_id]].start_s + occurrence.start_s
            local = self._session.local_time(begin)
            hour = local.hour + local.minute / 60
            days.setdefault(local.date(), []).append((hour, occurrence.verdict, outcomes[occurrence.id].recorded))
        return days

    def paintEvent(self, event: object) -> None:
        """Draw the ribbons."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        days = self._days()
        if not days:
            painter.setPen(THEME.colour("muted"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Nothing recorded is here yet")
            return
        first, last = min(days), max(days)
        shown = [last - timedelta(days=n) for n in range(min(14, (last - first).days + 1))][::-1]
        left, top = 84.0, 22.0
        width = self.width() - left - 10
        step = min(54.0, (self.height() - top - 4) / len(shown))
        painter.setPen(THEME.colour("muted"))
        for hour in range(0, 25, 3):
            x = left + width * hour / 24
            painter.drawText(QRectF(x - 20, 0, 40, 18), Qt.AlignmentFlag.AlignCenter, f"{hour:02d}")
        for row, day in enumerate(shown):
            y = top + row * step
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(THEME.colour("raised"))
            painter.drawRoundedRect(QRectF(left, y + 2, width, step - 5), 4, 4)
            painter.setPen(QPen(THEME.colour("surface"), 1))
            for hour in range(3, 24, 3):
                x = left + width * hour / 24
                painter.drawLine(QPointF(x, y + 2), QPointF(x, y + step - 3))
            painter.setPen(THEME.colour("ink"))
            painter.drawText(
                QRectF(0, y, left - 8, step - 1),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                f"{day:%a %d %b}",
            )
            for hour, verdict, recorded in days.get(day, ()):
                draw_mark(
                    painter, verdict, QPointF(left + width * hour / 24, y + step / 2 - 0.5), 8.5, recorded=recorded
                )


class RoundPage(QWidget):
    """All cameras. `opened` is emitted with a camera's number and the step to open."""

    opened = pyqtSignal(int, str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        layout = QVBoxLayout(self)
        layout.setContentsMargins(18, 14, 18, 12)
        head = QHBoxLayout()
        head.addWidget(label("Round", "title"))
        head.addWidget(label(f"{session.site.name}, times in {session.site.time_zone}", "muted"))
        head.addStretch()
        for verdict, recorded, text in _LEGEND:
            head.addWidget(Mark(verdict, recorded=recorded))
            head.addWidget(label(text, "muted"))
        layout.addLayout(head)
        inside = QWidget()
        self._cards = QVBoxLayout(inside)
        self._cards.setContentsMargins(0, 0, 0, 0)
        self._cards.setSpacing(12)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(inside)
        layout.addWidget(area, 1)
        session.cameras_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the cameras as they are now, worst first."""
        clear(self._cards)
        models = [self._session.camera(i) for i in self._session.camera_ids()]
        models.sort(
            key=lambda m: -(m.comparison.installed.false_per_day or 0) - 5 * len(m.comparison.installed.real_missed)
        )
        for model in models:
            self._cards.addWidget(self._card(model), 1)
        if not models:
            empty = label("No camera yet. Add one with Camera, Add camera.", "head")
            empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
            self._cards.addWidget(empty)

    def _card(self, model: CameraModel) -> QWidget:
        frame = card()
        layout = QVBoxLayout(frame)
        layout.setContentsMargins(18, 14, 18, 14)
        top = QHBoxLayout()
        top.setSpacing(18)
        picture = QLabel()
        pixmap = QPixmap()
        if pixmap.loadFromData(model.clean_view()):
            picture.setPixmap(pixmap.scaledToWidth(288, Qt.TransformationMode.SmoothTransformation))
            top.addWidget(picture)
        words = QVBoxLayout()
        words.setSpacing(3)
        words.addWidget(label(model.camera.name, "title"))
        words.addWidget(label(model.camera.capability.name, "muted"))
        score = model.comparison.installed
        rate, interval = score.false_per_day, score.false_per_day_interval
        if rate is not None and interval is not None:
            words.addWidget(label(f"{rate:.1f} false recordings a day", "figure"))
            words.addWidget(
                label(f"95 % interval {interval[0]:.1f} to {interval[1]:.1f}, over {score.days} judged days", "muted")
            )
        total = len(score.real_missed) + len(score.real_recorded)
        if total:
            low, high = score.missed_share
            words.addWidget(label(f"{len(score.real_missed)} of {total} real events missed ({low:.0%} to {high:.0%})"))
        words.addStretch()
        top.addLayout(words)
        top.addStretch()
        action = self._session.next_action(model.camera.id)
        side = QVBoxLayout()
        side.addWidget(label("Next", "muted"))
        act = button(action.text, partial(self.opened.emit, model.camera.id, action.step), "primary")
        act.setMinimumWidth(220)
        side.addWidget(act)
        side.addWidget(label(action.why, "muted", wrap=True))
        side.addStretch()
        side.addWidget(button("Open camera", partial(self.opened.emit, model.camera.id, "evidence")))
        holder = QWidget()
        holder.setLayout(side)
        holder.setMaximumWidth(250)
        side.setContentsMargins(0, 0, 0, 0)
        top.addWidget(holder)
        layout.addLayout(top)
        layout.addSpacing(6)
        layout.addWidget(DayRibbons(self._session, model), 1)
        return frame
