"""Asks for how long alerts are paused: one key, from anywhere."""

from __future__ import annotations

from datetime import datetime, time, timedelta
from functools import partial

from PyQt6.QtCore import QDateTime
from PyQt6.QtWidgets import QDateTimeEdit, QDialog, QDialogButtonBox, QVBoxLayout, QWidget

from guardia.ui.parts.widgets import WrappedLabel, button, dated, label

MORNING = time(7)


class PauseDialog(QDialog):
    """After it was accepted `until` is the end of the pause on the site's clock, None where the pause ends now."""

    def __init__(self, parent: QWidget, camera: str, now: datetime, running: datetime | None, caution: str) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Pause alerts of {camera}")
        self._now = now.replace(second=0, microsecond=0, tzinfo=None)
        self.until: datetime | None = None
        layout = QVBoxLayout(self)
        if running is not None:
            layout.addWidget(label(f"Paused until {running:%a %d %b %H:%M}.", "head"))
            layout.addWidget(button("&End the pause now", partial(self._take, None)))
        tomorrow = datetime.combine(self._now.date() + timedelta(days=1), MORNING)
        for words, until in (
            ("&30 minutes", self._now + timedelta(minutes=30)),
            ("&2 hours", self._now + timedelta(hours=2)),
            (f"Until &tomorrow {MORNING:%H:%M}", tomorrow),
        ):
            layout.addWidget(button(words, partial(self._take, until)))
        self.at = dated(QDateTimeEdit(QDateTime(tomorrow.date(), tomorrow.time())))
        self.at.setDisplayFormat("yyyy-MM-dd HH:mm")
        self.at.setCalendarPopup(True)
        self.at.setAccessibleName("Until when")
        layout.addWidget(self.at)
        layout.addWidget(button("&Until then", self._until_then))
        self.trouble = WrappedLabel()
        self.trouble.setObjectName("warning")
        layout.addWidget(self.trouble)
        note = f"Set the same pause on the camera: Guardia notes it, and counts by it. {caution}"
        layout.addWidget(label(note, wrap=True))
        ends = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        ends.rejected.connect(self.reject)
        layout.addWidget(ends)

    def _take(self, until: datetime | None) -> None:
        self.until = until
        self.accept()

    def _until_then(self) -> None:
        until = self.at.dateTime().toPyDateTime()
        if until <= self._now:
            self.trouble.setText(f"{until:%Y-%m-%d %H:%M} is past. Nothing is changed; choose a later time.")
            return
        self._take(until)
