"""What is due on the site: overdue first, each with what its date rests on."""

from __future__ import annotations

from datetime import date
from pathlib import Path

from PyQt6.QtCore import QDate
from PyQt6.QtWidgets import QDateEdit, QDialog, QFileDialog, QFormLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from guardia.app.project.session import Session
from guardia.core.base.words import count_of
from guardia.core.prove.due import Due
from guardia.ui.parts.tables import fill_table, row_table, stretch_columns
from guardia.ui.parts.widgets import WrappedLabel, button, choice, dated, dialog_ends


class TaskDialog(QDialog):
    """Asks for a date, where, and what is to be done."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self.setWindowTitle("Enter a date")
        form = QFormLayout(self)
        self.what = QLineEdit()
        self.what.setPlaceholderText("such as: trim the hedge")
        self.where = choice(
            [
                (session.site.name, None),
                *((session.camera_name(camera_id), camera_id) for camera_id in session.camera_ids()),
            ]
        )
        today = session.rounds.today
        self.on = dated(QDateEdit(QDate(today.year, today.month, today.day)))
        self.on.setDisplayFormat("yyyy-MM-dd")
        self.on.setCalendarPopup(True)
        form.addRow("What is to be done", self.what)
        form.addRow("Where", self.where)
        form.addRow("By", self.on)
        form.addRow(dialog_ends(self))
        self.what.setFocus()

    @property
    def answer(self) -> tuple[int | None, date, str]:
        """Camera (None for the site), date, what."""
        return self.where.currentData(), self.on.date().toPyDate(), self.what.text()


class DueDialog(QDialog):
    """The list, and how to take it along.

    Args:
        parent: The page.
        session: The open project.
    """

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self.setWindowTitle("What is due")
        self.resize(900, 460)
        self._session = session
        self._rounds = session.rounds
        self._dues: list[Due] = []
        layout = QVBoxLayout(self)
        self.words = WrappedLabel()
        layout.addWidget(self.words)
        self.table = row_table("What is due", ("by", "camera", "what to do", "why then"))
        stretch_columns(self.table, 2, 3)
        layout.addWidget(self.table, 1)
        row = QHBoxLayout()
        row.addWidget(button("&Save as calendar …", self.choose_calendar, tip="Whole days, as iCalendar"))
        row.addWidget(button("&Take a calendar in …", self.choose_dates, tip="Dates from an iCalendar file"))
        row.addWidget(button("&Enter a date …", self.enter, tip="Something to do by a day, on a camera or the site"))
        self.tick = button("&Done", self.done_with, tip="The chosen date, if it was entered by hand (D)")
        row.addWidget(self.tick)
        self.table.keys["D"] = self.done_with
        row.addStretch()
        row.addWidget(button("C&lose", self.accept))
        layout.addLayout(row)
        session.cameras_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show what is due as it is now."""
        dues, today = self._rounds.due(), self._rounds.today
        self._dues = dues
        late = sum(d.on < today for d in dues)
        said = f"{len(dues)} dates, {late} of them past today, {today:%Y-%m-%d}." if dues else "Nothing is due."
        session = self._session
        unread = sum(not session.is_loaded(i) and session.line_of(i) is None for i in session.camera_ids())
        self.words.setText(f"{said} {count_of(unread, 'camera')} still to be read." if unread else said)
        rows = [(f"{d.on:%a %Y-%m-%d}", d.camera, d.what, d.why) for d in dues]
        fill_table(self.table, rows, lambda r, c: c == 0 and dues[r].on < today)

    def choose_dates(self) -> None:
        """Ask for a calendar and take its dates in."""
        name, _ = QFileDialog.getOpenFileName(self, "Take a calendar in", "", "iCalendar (*.ics)")
        if name:
            self._session.rounds.read_calendar(Path(name))
            self.refresh()

    def enter(self) -> None:
        """Ask for a date, and what is to be done by then."""
        dialog = TaskDialog(self, self._session)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self._session.units.add_task(*dialog.answer)
            self.refresh()

    def done_with(self) -> None:
        """The chosen date is done with; what is worked out goes when its reason goes."""
        row = self.table.currentRow()
        if not 0 <= row < len(self._dues) or not self._dues[row].by_hand:
            self.words.setText("Only dates entered by hand are ticked here; the others go when their reason goes.")
            return
        due = self._dues[row]
        for task in self._session.units.tasks:
            named = self._session.site.name if task.camera_id is None else self._session.camera_name(task.camera_id)
            if (named, task.on, task.what) == (due.camera, due.on, due.what):
                self._session.units.done(task)
                break
        self.refresh()

    def choose_calendar(self) -> None:
        """Ask where the calendar goes."""
        name, _ = QFileDialog.getSaveFileName(self, "Save as calendar", "due.ics", "iCalendar (*.ics)")
        if name:
            self._rounds.save(Path(name))
