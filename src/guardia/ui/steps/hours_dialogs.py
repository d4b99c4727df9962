"""Small dialogs of Hours: hours shared by several cameras, and tests of how late an alert comes."""

from __future__ import annotations

from datetime import datetime

from PyQt6.QtCore import QDateTime, Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QDateTimeEdit,
    QDialog,
    QDoubleSpinBox,
    QFormLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from guardia.core.storage.readings import RANGES, Measure
from guardia.ui.parts.widgets import WrappedLabel, dated, dialog_ends


class ShareDialog(QDialog):
    """Asks which cameras have these hours in common.

    Args:
        parent: The page.
        name: What the group is called.
        cameras: By number of each other camera its words, and whether it is in the group.
    """

    def __init__(self, parent: QWidget, name: str, cameras: dict[int, tuple[str, bool]]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Share hours")
        layout = QVBoxLayout(self)
        what = WrappedLabel()
        what.setText(
            "Recording hours, alert hours and modes of this draft become those of the cameras chosen; what is changed "
            "on one is changed on all. Each camera still enters them in its own make's form."
        )
        layout.addWidget(what)
        self.name = QLineEdit(name)
        self.name.setPlaceholderText("Name of the group")
        self.name.setAccessibleName("Name of the group")
        layout.addWidget(self.name)
        self.list = QListWidget()
        self.list.setAccessibleName("Cameras that share these hours")
        for number, (words, inside) in cameras.items():
            item = QListWidgetItem(words)
            item.setData(Qt.ItemDataRole.UserRole, number)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if inside else Qt.CheckState.Unchecked)
            self.list.addItem(item)
        layout.addWidget(self.list)
        self.trouble = WrappedLabel()
        self.trouble.setObjectName("warning")
        layout.addWidget(self.trouble)
        layout.addWidget(dialog_ends(self))

    @property
    def chosen(self) -> list[int]:
        """Numbers of the cameras that are checked."""
        items = [self.list.item(row) for row in range(self.list.count())]
        return [
            item.data(Qt.ItemDataRole.UserRole)
            for item in items
            if item is not None and item.checkState() is Qt.CheckState.Checked
        ]

    def accept(self) -> None:
        """Take it, if it can be."""
        if self.chosen and not self.name.text().strip():
            self.trouble.setText("Give the group a name, for example 'night watch'.")
            return
        super().accept()


class AlertTestDialog(QDialog):
    """Asks when somebody made the camera trigger, and after how long the phone said so."""

    def __init__(self, parent: QWidget, at: datetime) -> None:
        super().__init__(parent)
        self.setWindowTitle("Log an alert test")
        form = QFormLayout(self)
        self.at = dated(QDateTimeEdit(QDateTime(at.year, at.month, at.day, at.hour, at.minute, at.second)))
        self.at.setDisplayFormat("yyyy-MM-dd HH:mm:ss")
        self.after = QDoubleSpinBox()
        self.after.setDecimals(0)
        self.after.setRange(RANGES[Measure.ALERT_DELAY].low, RANGES[Measure.ALERT_DELAY].high)
        self.after.setSuffix(" s")
        self.never = QCheckBox("no alert came")
        self.never.toggled.connect(self.after.setDisabled)
        form.addRow("In front of the camera at", self.at)
        form.addRow("Alert after", self.after)
        form.addRow("", self.never)
        form.addRow(dialog_ends(self))

    @property
    def value(self) -> float | None:
        """Seconds, None where none came."""
        return None if self.never.isChecked() else self.after.value()

    @property
    def wall(self) -> datetime:
        """When, on the site's clock."""
        return self.at.dateTime().toPyDateTime()
