"""Two questions about time: when a camera was watched, and which settings were in force when."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from datetime import UTC, datetime, timedelta

from PyQt6.QtCore import QDateTime, QTimeZone
from PyQt6.QtWidgets import QDateTimeEdit, QDialog, QHBoxLayout, QHeaderView, QTableWidgetItem, QVBoxLayout, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.core.base.errors import GuardiaError
from guardia.core.base.words import count_of
from guardia.core.evidence.clock import resolve
from guardia.core.evidence.epochs import Epoch, with_epoch
from guardia.core.evidence.watch import Entered, length
from guardia.core.make.settings import Settings
from guardia.ui.parts.tables import row_table
from guardia.ui.parts.widgets import button, dialog_ends, label

_FORM = "yyyy-MM-dd HH:mm:ss"


class MomentEdit(QDateTimeEdit):
    """A moment in the site's wall time.

    Args:
        session: The project, for its time zone.
        moment_s: POSIX seconds to begin with.
    """

    def __init__(self, session: Session, moment_s: float) -> None:
        super().__init__()
        self._session = session
        self.setDisplayFormat(_FORM)
        self.setCalendarPopup(True)
        # The field only edits wall time: it must not convert between zones of its own.
        self.setTimeZone(QTimeZone.utc())
        self.set_moment(moment_s)

    def set_moment(self, moment_s: float) -> None:
        """Show a moment, POSIX seconds."""
        wall = self._session.local_time(moment_s).replace(tzinfo=UTC)
        self.setDateTime(QDateTime.fromSecsSinceEpoch(round(wall.timestamp()), QTimeZone.utc()))

    def moment_s(self) -> float:
        """What is entered, POSIX seconds."""
        wall = datetime.fromtimestamp(self.dateTime().toSecsSinceEpoch(), UTC).replace(tzinfo=None)
        return resolve(wall, self._session.time_zone).moment.timestamp()


class _SpanDialog(QDialog):
    """A table of spans, two moments, buttons that put a span between them into the table."""

    def __init__(
        self, parent: QWidget, session: Session, model: CameraModel, title: str, heads: tuple[str, ...]
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.resize(720, 460)
        self._session = session
        self._model = model
        self._layout = QVBoxLayout(self)
        self.table = row_table(title, heads)
        self.table.setShowGrid(False)
        if (level := self.table.horizontalHeader()) is not None:
            for column in range(2):
                level.resizeSection(column, 176)
            level.setSectionResizeMode(len(heads) - 1, QHeaderView.ResizeMode.Stretch)
        days = [session.local_time(c.start_s) for c in model.evidence.motion_clips]
        now = datetime.now(UTC).timestamp()
        first = min(days, default=session.local_time(now)).replace(hour=0, minute=0, second=0, microsecond=0)
        last = max(days, default=session.local_time(now)).replace(hour=0, minute=0, second=0, microsecond=0)
        self.begin = MomentEdit(session, first.timestamp())
        self.end = MomentEdit(session, min(now, (last + timedelta(days=1)).timestamp()))
        self.begin.setAccessibleName("From")
        self.end.setAccessibleName("To")
        self.told = label("", "muted", wrap=True)

    def _finish(self, words: str, adding: tuple[tuple[str, Callable[[], None], str], ...]) -> None:
        self._layout.addWidget(label(words, wrap=True))
        row = QHBoxLayout()
        for text, field in (("From", self.begin), ("to", self.end)):
            row.addWidget(label(text))
            row.addWidget(field)
        for text, act, tip in adding:
            row.addWidget(button(text, act, tip=tip))
        row.addStretch()
        self._layout.addLayout(row)
        self._layout.addWidget(self.table, 1)
        self._layout.addWidget(self.told)
        buttons = dialog_ends(self)
        self._layout.addWidget(buttons)
        self.begin.setFocus()

    def _fill(self, rows: Sequence[tuple[str, ...]]) -> None:
        self.table.setRowCount(len(rows))
        for row, cells in enumerate(rows):
            for column, text in enumerate(cells):
                self.table.setItem(row, column, QTableWidgetItem(text))

    def _when(self, moment_s: float) -> str:
        return f"{self._session.local_time(moment_s):%a %d %b %Y %H:%M:%S}" if math.isfinite(moment_s) else ""

    def _chosen(self) -> list[int]:
        return sorted({index.row() for index in self.table.selectedIndexes()})


class WatchedDialog(_SpanDialog):
    """When a camera was up and recording by motion, and when it was down."""

    def __init__(self, parent: QWidget, session: Session, model: CameraModel) -> None:
        super().__init__(parent, session, model, f"Time covered by '{model.camera.name}'", ("From", "To", "It was"))
        self.spans: list[Entered] = list(model.facts.watched_entered())
        self._finish(
            f"A rate per day needs to know how long the camera was watching. Enter from when to when it was up, "
            f"recorded by motion and all its clips are here; and when it was down. "
            f"Times are in {session.site.time_zone}.",
            (
                ("It was up", lambda: self._add(up=True), "Everything it recorded by motion in this time is here"),
                ("It was down", lambda: self._add(up=False), "Nothing could be recorded in this time"),
                ("Remove", self.take_out, "Take the selected lines out"),
            ),
        )
        self._show()
        self.accepted.connect(lambda: model.facts.set_watched(self.spans))

    def _add(self, *, up: bool) -> None:
        low, high = self.begin.moment_s(), self.end.moment_s()
        if high <= low:
            self.told.setText("Time covered must end after it begins; nothing was added.")
            return
        self.spans.append(Entered(low, high, up))
        self.spans.sort()
        self._show()

    def take_out(self) -> None:
        chosen = set(self._chosen())
        self.spans = [s for n, s in enumerate(self.spans) if n not in chosen]
        self._show()

    def _show(self) -> None:
        self._fill([(self._when(a), self._when(b), "up" if up else "down") for a, b, up in self.spans])
        entered = sum(s.to_s - s.from_s for s in self.spans if s.up) / 86400
        now = length(self._model.evidence.watch.spans) / 86400
        self.told.setText(
            f"{entered:.1f} days entered as up. So far {now:.1f} days covered are known, those from event lists and "
            "footage included."
        )


class EpochsDialog(_SpanDialog):
    """Which settings were installed when."""

    def __init__(self, parent: QWidget, session: Session, model: CameraModel) -> None:
        heads = ("From", "Until", "Installed")
        super().__init__(parent, session, model, f"Settings of '{model.camera.name}' over time", heads)
        self.epochs = model.evidence.epochs
        self._finish(
            "Each motion clip belongs to the settings then installed: what those never let through, no motion clip can "
            "show. Put a stretch of time under the settings that the draft has now, or say that they are not known.",
            (
                ("As the draft is now", lambda: self.put(model.draft), "The draft's settings were installed then"),
                ("Not known", lambda: self.put(None), "Nobody remembers what was installed then"),
                ("Remove", self.take_out, "Give the selected stretch to the settings after it"),
            ),
        )
        self._show()
        self.accepted.connect(lambda: model.facts.set_epochs(self.epochs))

    def put(self, settings: Settings | None) -> None:
        try:
            self.epochs = with_epoch(self.epochs, Epoch(self.begin.moment_s(), self.end.moment_s(), settings))
            self._show()
        except GuardiaError as error:
            self.told.setText(str(error))

    def take_out(self) -> None:
        epochs = list(self.epochs)
        for row in reversed(self._chosen()):
            if row < len(epochs) - 1:
                gone = epochs.pop(row)
                epochs[row] = Epoch(gone.from_s, epochs[row].to_s, epochs[row].settings)
        self.epochs = tuple(epochs)
        self._show()

    def _show(self) -> None:
        rows = []
        for epoch in self.epochs:
            begin = self._when(epoch.from_s) or "as far back as the evidence"
            rows.append((begin, self._when(epoch.to_s) or "now", _settings_words(epoch.settings)))
        self._fill(rows)
        self.told.setText("")


def _settings_words(settings: Settings | None) -> str:
    if settings is None:
        return "not known"
    notches = " by day, at night ".join(settings.in_light(dark=dark).detection.notch for dark in settings.lights)
    sense = f"level {notches}" if settings.detection.sensitivity is None else "sensitivity given directly"
    zones = count_of(len(settings.detection.zones), "zone")
    return f"{sense}, {zones}, hold {settings.detection.hold_s:g} s, rest {settings.recording.rest_s:g} s"
