"""The exceptions of a plan: dates on which it does not hold as usual."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QDateTime, QTime
from PyQt6.QtWidgets import (
    QDateTimeEdit,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QVBoxLayout,
    QWidget,
)

from guardia.app.steps.hours_model import HoursModel
from guardia.core.base.errors import InvalidValue
from guardia.core.hours.plan import WEEKDAYS, Special
from guardia.ui.parts.widgets import WrappedLabel, button, choice, dated, dialog_ends

RULES = [("off", "off"), ("on", "on"), *((f"as on a {name}", name) for name in WEEKDAYS)]


class SpecialDialog(QDialog):
    """Asks for one exception; what cannot be is said in place."""

    def __init__(self, parent: QWidget, begin: datetime) -> None:
        super().__init__(parent)
        self.setWindowTitle("Add exception")
        self.special: Special | None = None
        form = QFormLayout(self)
        self.name = QLineEdit()
        self.name.setPlaceholderText("Holiday, delivery at night, alert pause …")
        midnight = QDateTime(begin.year, begin.month, begin.day, 0, 0) if begin.year else QDateTime()
        self.begin, self.end = dated(QDateTimeEdit(midnight)), dated(QDateTimeEdit(midnight.addDays(1)))
        for field in (self.begin, self.end):
            field.setDisplayFormat("yyyy-MM-dd HH:mm")
            field.setCalendarPopup(True)
        self.rule = choice(RULES)
        self.trouble = WrappedLabel()
        self.trouble.setObjectName("warning")
        form.addRow("Name", self.name)
        form.addRow("From", self.begin)
        form.addRow("To", self.end)
        form.addRow("What holds then", self.rule)
        form.addRow(self.trouble)
        ends = dialog_ends(self)
        form.addRow(ends)

    def accept(self) -> None:
        """Take it, if it can be."""
        name = self.name.text().strip() or "exception"
        try:
            self.special = Special(name, _wall(self.begin), _wall(self.end), self.rule.currentData())
        except InvalidValue as error:
            self.trouble.setText(str(error))
            return
        super().accept()


def _wall(field: QDateTimeEdit) -> datetime:
    """What is entered, on the site's clock."""
    day, at = field.date(), field.time()
    return datetime.combine(day.toPyDate(), QTime(at.hour(), at.minute()).toPyTime())


class SpecialList(QWidget):
    """The list, and what can be done with it."""

    def __init__(self, model: HoursModel) -> None:
        super().__init__()
        self._model = model
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        self.list = QListWidget()
        self.list.setAccessibleName("Exceptions")
        layout.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.addWidget(button("Add e&xception …", self.ask, tip="A holiday, one night, a pause with its end"))
        row.addWidget(button("Remove", lambda: model.remove_special(self.list.currentRow())))
        row.addWidget(button("From a calendar …", self.choose_calendar, tip="Closing days from an iCalendar file"))
        row.addStretch()
        layout.addLayout(row)

    def refresh(self) -> None:
        """Show them as they are now."""
        plan = self._model.plan
        self.list.clear()
        self.list.addItems(
            [f"{s.begin:%Y-%m-%d %H:%M} to {s.end:%Y-%m-%d %H:%M}  {s.name}: {s.rule}"
             for s in (plan.specials if plan is not None else ())]
        )  # fmt: skip

    def ask(self) -> None:
        """Ask for an exception."""
        dialog = SpecialDialog(self, datetime.combine(self._model.monday, datetime.min.time()))
        if dialog.exec() == QDialog.DialogCode.Accepted and dialog.special is not None:
            self._model.add_special(dialog.special)

    def choose_calendar(self) -> None:
        """Ask for a calendar and take its events as times when the plan is off."""
        name, _ = QFileDialog.getOpenFileName(self, "Exceptions from a calendar", "", "iCalendar (*.ics)")
        if name:
            self._model.read_calendar(Path(name), "off")
