"""Round: every camera with its one next action, and the days as ribbons with what happened on them."""

from __future__ import annotations

import html
from datetime import date, datetime, timedelta
from functools import partial

from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent, QCursor, QMouseEvent, QPainter, QPixmap, QResizeEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from guardia.app.camera.advice import SHOWN_DAYS, latest_days, next_action, worst_first
from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.steps import STEPS
from guardia.core.evidence.clock import error_words
from guardia.core.hours.plan import off_until
from guardia.core.purpose.judgement import Verdict, kind_of
from guardia.core.score.met import first_unmet, met_words
from guardia.core.score.score import Score
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import ElidedLabel, MarkSign, button, clear, draw_mark, label, page_head, painting
from guardia.ui.steps.due_dialog import DueDialog
from guardia.ui.steps.round_dialog import RoundDialog
from guardia.ui.steps.round_list import RoundList

_LEGEND = (
    (Verdict.REAL, True, "real"),
    (Verdict.REAL, False, "real, missed"),
    (Verdict.FALSE, True, "false"),
    (None, True, "not judged"),
)


NAME_PX, SIDE_PX = 150, 192
"""A longer name may be cut."""

CARD_PX = (104, 300)
"""Height of a camera's card: the lowest and the highest."""

PICTURE_SHARE = 0.28
"""No picture takes more of a card's width."""

FEW, FEW_PX, FEW_SHARE = 2, 480, 0.45
"""So few cameras may have cards so high, with a picture of such a share of the width."""


class Fortnight(QWidget):
    """The last two weeks as one ribbon: every occurrence at its moment, real above false above not judged.

    `picked` is emitted with the id of an occurrence whose mark is clicked.
    """

    picked = pyqtSignal(int)

    def __init__(self, session: Session, model: CameraModel, days: tuple[date, date] | None) -> None:
        super().__init__()
        self._session = session
        self._model = model
        self._shown = days
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(66)
        self.setAccessibleName("Occurrences of the last two weeks")
        self.setMouseTracking(True)
        self.marks: list[tuple[QPointF, int]] = []
        self._words: dict[int, str] = {}

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw the ribbon."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        evidence = self._model.evidence
        self.marks = []
        if not evidence.occurrences or self._shown is None:
            painter.setPen(THEME.colour("muted"))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter, "Nothing recorded is here yet")
            return
        moments = [self._session.local_time(begin) for _, begin, _ in evidence.spans]
        first, last = self._shown
        days = (last - first).days + 1
        width = self.width() / days
        top, height = 16.0, self.height() - 20.0
        for day in range(days):
            left = day * width
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(THEME.colour("raised"))
            painter.drawRoundedRect(QRectF(left + 1, top, width - 2, height), 3, 3)
            painter.setPen(THEME.colour("muted"))
            date = first + timedelta(days=day)
            words = f"{date:%d %b}" if width > 42 else f"{date:%d}"
            painter.drawText(QRectF(left, 0, width, 15), Qt.AlignmentFlag.AlignCenter, words)
        done = self._model.comparison.installed_replay
        lanes = {Verdict.REAL: 0.2, Verdict.FALSE: 0.52}
        for occurrence, moment in zip(evidence.occurrences, moments, strict=True):
            if not first <= moment.date() <= last:
                continue
            hours = moment.hour + moment.minute / 60
            x = ((moment.date() - first).days + (0.06 + 0.88 * hours / 24)) * width
            verdict = occurrence.verdict
            y = top + height * (lanes.get(verdict, 0.83) if verdict else 0.83)
            draw_mark(painter, verdict, QPointF(x, y), 7.5, recorded=done.marks(occurrence.id))
            what = kind_of(occurrence.kind).text if occurrence.kind else "not judged"
            self.marks.append((QPointF(x, y), occurrence.id))
            self._words[occurrence.id] = f"{moment:%a %d %b %Y %H:%M}, {what}; click to see it"

    def _nearest(self, at: QPointF) -> int | None:
        """Id of the occurrence whose mark is under a point."""
        distances = [((p - at).manhattanLength(), i) for p, i in self.marks]
        distance, occurrence_id = min(distances, default=(99.0, 0))
        return occurrence_id if distance <= 9 else None

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Say what a mark stands for."""
        if event is not None:
            nearest = self._nearest(event.position())
            self.setToolTip(self._words[nearest] if nearest is not None else "")
            self.setCursor(Qt.CursorShape.PointingHandCursor if nearest is not None else Qt.CursorShape.ArrowCursor)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Open the occurrence whose mark is clicked."""
        nearest = self._nearest(event.position()) if event is not None else None
        if nearest is not None:
            self.picked.emit(nearest)
        elif event is not None:
            event.ignore()  # beside the marks it is the card that is clicked


class _Card(QFrame):
    """The surface of a camera; `opened` is emitted with a step, by a click beside its marks or from its menu."""

    opened = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("card")
        self.setCursor(Qt.CursorShape.PointingHandCursor)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Open the camera."""
        if event is not None and event.button() is Qt.MouseButton.LeftButton:
            self.opened.emit("evidence")

    def steps_menu(self) -> QMenu:
        """The steps at which this camera can be opened."""
        menu = QMenu(self)
        for step in STEPS:
            if not step.all_cameras and (action := menu.addAction(step.text)) is not None:
                action.triggered.connect(partial(lambda id, _=False: self.opened.emit(id), step.id))
        return menu

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer the steps."""
        if event is not None:
            self.steps_menu().exec(event.globalPos())


class RoundPage(QWidget):
    """All cameras.

    `add_asked` is emitted when the first camera is to be added, `opened` with a camera's number and the step to open,
    `asked` with a camera's and an occurrence's.
    """

    opened = pyqtSignal(int, str)
    asked = pyqtSignal(int, int)
    add_asked = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._moved = 0
        self._pointer = QCursor.pos()
        self._order: list[int] = []
        self._held = False
        self._fitted: list[tuple[QLabel, QPixmap]] = []
        self._frames: list[QWidget] = []
        layout, head = page_head(self, "Round")
        self._site = label("", "muted")
        head.addWidget(self._site)
        head.addStretch()
        self.due = button("D&ue …", self.show_due, tip="What is due when, over all cameras, and as a calendar")
        head.addWidget(self.due)
        head.addWidget(button("&Walk …", self.walk_round, tip="Camera by camera in patrol order: due, read off, noted"))
        self.earlier = button("◂ Earlier", lambda: self._move(-SHOWN_DAYS), "link", "The two weeks before")
        self.later = button("Later ▸", lambda: self._move(SHOWN_DAYS), "link", "The two weeks after")
        head.addWidget(self.earlier)
        head.addWidget(self.later)
        for verdict, recorded, text in _LEGEND:
            head.addWidget(MarkSign(verdict, recorded=recorded))
            head.addWidget(label(text, "muted"))
        layout.addLayout(head)
        inside = QWidget()
        self._cards = QVBoxLayout(inside)
        self._cards.setContentsMargins(0, 0, 0, 0)
        self._cards.setSpacing(8)
        area = self._area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inside)
        layout.addWidget(area, 1)
        self.list = RoundList()
        self.list.opened.connect(self.opened)
        layout.addWidget(self.list, 1)
        session.cameras_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the cameras as they are now, worst first; none moves away under the pointer that is about to click."""
        many = self._session.many
        self._area.setVisible(not many)
        self.list.setVisible(many)
        self._site.setText(f"{self._session.site.name}, times in {self._session.site.time_zone}")
        for widget in (self.earlier, self.later):
            widget.setVisible(not many)
        if many:
            session = self._session
            self._held = self._pointer_is_on(self.list)
            rows = [(i, session.line_of(i), session.camera_name(i)) for i in session.camera_ids()]
            self.list.show_lines(rows, as_they_stand=self._held)
            self.setFocusProxy(self.list)
            return
        clear(self._cards)
        self._fitted, self._frames = [], []
        ids = self._session.camera_ids()
        models = {i: self._session.camera(i) for i in ids if self._session.is_loaded(i)}
        latest = latest_days(self._session.time_zone, list(models.values()))
        step = timedelta(days=self._moved)
        self.days = (latest[0] + step, latest[1] + step) if latest else None
        self._held = self._pointer_is_on(self._area)
        if len(models) == len(ids) and not self._held:
            self._order = [m.camera.id for m in worst_first(list(models.values()))]
        else:
            self._order = [i for i in self._order if i in ids] + [i for i in ids if i not in self._order]
        for camera_id in self._order:
            frame = self._card(models[camera_id]) if camera_id in models else self._waiting_card(camera_id)
            self._frames.append(frame)
            self._cards.addWidget(frame)
        if not ids:
            empty = label("No camera yet.", "head")
            self._cards.addWidget(empty, 0, Qt.AlignmentFlag.AlignHCenter)
            add = button("Add camera…", self.add_asked.emit, "primary", "Name it after its place and choose its make")
            self._cards.addWidget(add, 0, Qt.AlignmentFlag.AlignHCenter)
        self._cards.addStretch()
        self._fit()
        # Whoever clicks while the cards are made anew must not meet cards that have no place yet.
        for frame in self._frames:
            frame.show()
        self._cards.activate()
        first = self.findChild(QPushButton, "primary")
        if first is not None:
            self.setFocusProxy(first)

    def _pointer_is_on(self, area: QWidget) -> bool:
        """Whether somebody has moved the pointer to the cameras: asked of the screen, whose events may still wait."""
        at = QCursor.pos()
        return at != self._pointer and area.isVisible() and area.rect().contains(area.mapFromGlobal(at))

    def leaveEvent(self, event: QEvent | None) -> None:
        """Sort the cameras that were left where they stood."""
        super().leaveEvent(event)
        if self._held:
            self._pointer = QCursor.pos()
            self.refresh()

    def _fit(self) -> None:
        """Let the cards fill the page, between a lowest and a highest height."""
        height = max(self._area.height(), 1) / max(len(self._frames), 1) - self._cards.spacing()
        share, highest = (FEW_SHARE, FEW_PX) if len(self._frames) <= FEW else (PICTURE_SHARE, CARD_PX[1])
        widest = self._area.width() * share * 9 / 16
        card_px = round(min(max(height, THEME.px(CARD_PX[0])), max(widest, THEME.px(CARD_PX[0])), THEME.px(highest)))
        size = QSize(round((card_px - 14) * 16 / 9), card_px - 14)
        for frame in self._frames:
            frame.setFixedHeight(card_px)
        for picture, pixmap in self._fitted:
            picture.setFixedSize(size)
            if not pixmap.isNull():
                aspect = Qt.AspectRatioMode.KeepAspectRatio
                picture.setPixmap(pixmap.scaled(size, aspect, Qt.TransformationMode.SmoothTransformation))

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Fill the new size."""
        super().resizeEvent(event)
        self._fit()

    def show_due(self) -> None:
        """Show what is due on the site."""
        DueDialog(self, self._session).exec()

    def walk_round(self) -> None:
        """Go from camera to camera."""
        if self._session.camera_ids():
            RoundDialog(self, self._session).exec()
            self.refresh()

    def _move(self, days: int) -> None:
        self._moved += days
        self.refresh()

    def _waiting_card(self, camera_id: int) -> QWidget:
        frame = _Card()
        frame.opened.connect(partial(self.opened.emit, camera_id))
        row = QHBoxLayout(frame)
        row.addWidget(label(self._session.camera_name(camera_id), "head"))
        row.addWidget(label("reading its evidence …", "muted"))
        row.addStretch()
        return frame

    def _card(self, model: CameraModel) -> QWidget:
        frame = _Card()
        frame.opened.connect(partial(self.opened.emit, model.camera.id))
        row = QHBoxLayout(frame)
        row.setContentsMargins(10, 7, 12, 7)
        row.setSpacing(16)
        picture = QLabel()
        picture.setToolTip(html.escape(model.camera.capability.name))
        pixmap = QPixmap()
        pixmap.loadFromData(model.pictures.clean_view())
        self._fitted.append((picture, pixmap))
        row.addWidget(picture)
        middle = QVBoxLayout()
        middle.setSpacing(2)
        middle.addLayout(self._card_head(model))
        ribbon = Fortnight(self._session, model, self.days)
        ribbon.picked.connect(partial(self.asked.emit, model.camera.id))
        middle.addWidget(ribbon)
        row.addLayout(middle, 1)
        row.addLayout(self._card_side(model))
        return frame

    def _card_head(self, model: CameraModel) -> QHBoxLayout:
        """Name, purpose and the two complaints of a camera."""
        head = QHBoxLayout()
        head.setSpacing(8)
        name = label(model.camera.name, "head")
        # A long name takes what is left beside the figures, and stands whole in the tip.
        name.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        name.setToolTip(html.escape(model.camera.name[:200]))
        name.setMinimumWidth(min(name.sizeHint().width(), THEME.px(NAME_PX)))
        head.addWidget(name, 1)
        if lines := model.met[0]:
            unmet, go = first_unmet(lines), partial(self.opened.emit, model.camera.id, "purpose")
            count, _, found = met_words(lines).partition(": ")
            purpose = button(count, go, "link" if unmet is None else "unmet")
            purpose.setToolTip(html.escape("\n".join(f"{one.met}: {one.asked}, {one.found}" for one in lines)))
            head.addWidget(purpose)
            head.addWidget(ElidedLabel(found, "muted"), 2)
        for text, interval in _figures(model.comparison.installed):
            # Where the purpose stands beside it, what chance alone makes of a figure is told in its tip.
            figure = label(text if lines else f"{text} {interval}", rich=True)
            figure.setToolTip(f"{interval[1:-1]} by chance alone (95 %)")
            head.addWidget(figure)
        return head

    def _card_side(self, model: CameraModel) -> QVBoxLayout:
        """What is next to be done, and what is to be known for it."""
        action = next_action(model)
        side = QVBoxLayout()
        side.setSpacing(4)
        act = button(action.text, partial(self.opened.emit, model.camera.id, action.step), "primary")
        act.setFixedWidth(THEME.px(SIDE_PX))
        act.setAccessibleName(f"{model.camera.name}: {action.text}")
        side.addWidget(act)
        why = label(action.why, "muted", wrap=True)
        why.setFixedWidth(THEME.px(SIDE_PX))
        side.addWidget(why)
        clock, more = error_words(model.camera.clock_error_s), _more_figures(model.comparison.installed)
        now = datetime.now(self._session.time_zone).replace(tzinfo=None)
        until = off_until(model.camera.installed.hours.alert_plan, now)
        pause = f"alerts paused until {until:%a %H:%M}" if until is not None else ""
        if notes := [words for words in (pause, f"clock {clock}" if clock else "", more) if words]:
            note = label("; ".join(notes), "muted", wrap=True)
            note.setFixedWidth(THEME.px(SIDE_PX))
            note.setToolTip(
                "Times of a wrong clock are put right. Not marked: real events on the store that motion does not mark. "
                "Not alerted: real events nobody was alerted to."
            )
            side.addWidget(note)
        side.addStretch()
        return side


def _figures(score: Score) -> list[tuple[str, str]]:
    """The two complaints as text, each with its interval: false alerts a day, real events missed."""
    figures = []
    rate, interval = score.false_alerts_per_day, score.false_alerts_per_day_interval
    if rate is not None and interval is not None:
        figures.append((f"<b>{rate:.1f}</b> false alerts/day", f"({interval[0]:.1f} to {interval[1]:.1f})"))
    if score.real:
        low, high = score.missed_share
        figures.append((f"<b>{len(score.real_missed)}</b> of {score.real} missed", f"({100 * low:.0f} to {high:.0%})"))
    return figures


def _more_figures(score: Score) -> str:
    """Real ones that are on the store only, and those nobody was alerted to; empty where there are none."""
    counts = ((len(score.unmarked), "not marked"), (len(score.not_alerted), "not alerted"))
    parts = [f"{count} {words}" for count, words in counts if count]
    return f"real: {', '.join(parts)}" if parts else ""
