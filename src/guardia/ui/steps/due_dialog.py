"""What is due on the site: overdue first, each with what its date rests on."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QDialog, QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from guardia.app.project.session import Session
from guardia.ui.parts.tables import fill_table, row_table, stretch_columns
from guardia.ui.parts.widgets import WrappedLabel, button


class DueDialog(QDialog):
    """The list, and how to take it along.

    Parameters
    ----------
    parent
        The page.
    session
        The open project.
    """

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self.setWindowTitle("What is due")
        self.resize(820, 460)
        self._rounds = session.rounds
        layout = QVBoxLayout(self)
        self.words = WrappedLabel()
        layout.addWidget(self.words)
        self.table = row_table("What is due", ("by", "camera", "what to do", "why then"))
        stretch_columns(self.table, 2, 3)
        layout.addWidget(self.table, 1)
        row = QHBoxLayout()
        row.addWidget(button("Save as calendar …", self.choose_calendar, tip="Whole days, as iCalendar"))
        row.addStretch()
        row.addWidget(button("Close", self.accept))
        layout.addLayout(row)
        self.refresh()

    def refresh(self) -> None:
        """Show what is due as it is now."""
        dues, today = self._rounds.due(), self._rounds.today
        late = sum(d.on < today for d in dues)
        said = f"{len(dues)} dates, {late} of them past today, {today:%Y-%m-%d}."
        self.words.setText(said if dues else "Nothing is due.")
        rows = [(f"{d.on:%a %Y-%m-%d}", d.camera, d.what, d.why) for d in dues]
        fill_table(self.table, rows, lambda r, c: c == 0 and dues[r].on < today)

    def choose_calendar(self) -> None:
        """Ask where the calendar goes."""
        name, _ = QFileDialog.getSaveFileName(self, "Save as calendar", "due.ics", "iCalendar (*.ics)")
        if name:
            self._rounds.save(Path(name))
