"""Periods as a camera shows them, typed in line by line and read back as nights."""

from __future__ import annotations

from PyQt6.QtCore import QTime
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFormLayout,
    QGridLayout,
    QLineEdit,
    QTimeEdit,
    QVBoxLayout,
    QWidget,
)

from guardia.core.base.errors import GuardiaError
from guardia.core.hours.modes import Mode
from guardia.core.hours.periods import Period, from_periods
from guardia.core.hours.plan import DAY_MIN, EVERY_DAY, WEEKDAYS
from guardia.ui.parts.widgets import button, dialog_ends, label

_DAYS: list[tuple[str, tuple[int, ...]]] = [
    ("every day", EVERY_DAY), ("Monday to Friday", EVERY_DAY[:5]), ("Saturday and Sunday", EVERY_DAY[5:]),
    *((name, (day,)) for day, name in enumerate(WEEKDAYS)),
]  # fmt: skip


AS_ON_CAMERA = "Type the periods as the camera shows them, its switched-off ones, too."


class PeriodsDialog(QDialog):
    """One line a period; 00:00 as an end is midnight, an end before its beginning is of the next day."""

    def __init__(self, parent: QWidget, title: str = "What the camera shows", intro: str = AS_ON_CAMERA) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        layout = QVBoxLayout(self)
        layout.addWidget(label(intro, wrap=True))
        self._head(layout)
        self._grid = QGridLayout()
        for column, words in enumerate(("days", "from", "to", "switched on")):
            self._grid.addWidget(label(words, "muted"), 0, column)
        layout.addLayout(self._grid)
        self.lines: list[tuple[QComboBox, QTimeEdit, QTimeEdit, QCheckBox]] = []
        layout.addWidget(button("Another period", self.add_line))
        self.said = label("", "warning", wrap=True)
        layout.addWidget(self.said)
        ends = dialog_ends(self)
        layout.addWidget(ends)
        self.add_line()

    def _head(self, layout: QVBoxLayout) -> None:
        """What stands above the periods."""

    def add_line(self) -> None:
        """Give room for one more."""
        days, begin, end, on = QComboBox(), QTimeEdit(QTime(21, 40)), QTimeEdit(QTime(0, 0)), QCheckBox()
        for words, which in _DAYS:
            days.addItem(words, which)
        on.setChecked(True)
        row = len(self.lines) + 1
        for column, (field, words) in enumerate(zip((days, begin, end, on), ("days", "from", "to", "on"), strict=True)):
            field.setAccessibleName(f"Period {row}, {words}")
            self._grid.addWidget(field, row, column)
        for field in (begin, end):
            field.setDisplayFormat("HH:mm")
        self.lines.append((days, begin, end, on))

    def periods(self) -> list[Period]:
        """What was typed."""
        periods = []
        for days, begin, end, on in self.lines:
            low, high = (field.time().hour() * 60 + field.time().minute() for field in (begin, end))
            high = high or DAY_MIN
            high += DAY_MIN if high < low else 0
            periods += [Period(day, low, high, on.isChecked()) for day in days.currentData()]
        return periods


class ModeDialog(PeriodsDialog):
    """A mode as the camera has it: its name, what it does, and the periods in which it is in force."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, "Mode", "Its name and what it does as the camera shows it, and when it is in force.")

    def _head(self, layout: QVBoxLayout) -> None:
        self.name = QLineEdit()
        self.name.setPlaceholderText("such as open, closed, away")
        self.records, self.alerts = QCheckBox("it records by motion"), QCheckBox("it alerts")
        form = QFormLayout()
        form.addRow("Name", self.name)
        for box in (self.records, self.alerts):
            box.setChecked(True)
            form.addRow("", box)
        layout.addLayout(form)

    def mode(self) -> Mode:
        """What was entered; raises InvalidValue for a name that no mode can have."""
        plan = from_periods(self.periods()).plan
        return Mode(self.name.text().strip(), plan, self.records.isChecked(), self.alerts.isChecked())

    def accept(self) -> None:
        """Close where what was entered is a mode; else say why not."""
        try:
            self.mode()
        except GuardiaError as error:
            self.said.setText(str(error))
        else:
            super().accept()
