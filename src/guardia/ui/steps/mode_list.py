"""The modes of a site that a camera follows: what each does, who switches it, and what switching late costs."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QFormLayout, QHBoxLayout, QInputDialog, QListWidget, QSpinBox, QWidget

from guardia.app.steps.hours_model import HoursModel
from guardia.core.hours.modes import LONGEST_LATE_MIN
from guardia.ui.parts.widgets import WrappedLabel, button, two_columns


class ModeList(QWidget):
    """The list, and what the chosen mode does; its hours are on the ribbon while it is chosen."""

    def __init__(self, model: HoursModel) -> None:
        super().__init__()
        self._model = model
        left, right = two_columns(self)
        self.list = QListWidget()
        self.list.setAccessibleName("Modes")
        self.list.setWordWrap(True)
        self.list.currentRowChanged.connect(self._pick)
        left.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.addWidget(button("Add &mode …", self.ask, tip="Such as open, closed, locked up"))
        self.remove = button("Remove", lambda: model.remove_mode())
        row.addWidget(self.remove)
        row.addStretch()
        left.addLayout(row)
        form = QFormLayout()
        self.records, self.alerts, self.late = QCheckBox("records by motion"), QCheckBox("alerts"), QSpinBox()
        self.late.setRange(0, LONGEST_LATE_MIN)
        self.late.setSuffix(" min late")
        self.late.setKeyboardTracking(False)
        self.late.setAccessibleName("Switched so late")
        self.late.setToolTip(
            "A phone that shows who is there switches on leaving and on coming home only after a while"
        )
        form.addRow("In this mode it", self.records)
        form.addRow("", self.alerts)
        form.addRow("Switched", self.late)
        right.addLayout(form)
        self.words = WrappedLabel()
        self.words.setObjectName("muted")
        right.addWidget(self.words)
        right.addStretch()
        self.records.toggled.connect(lambda on: self._change(records=on))
        self.alerts.toggled.connect(lambda on: self._change(alerts=on))
        self.late.valueChanged.connect(lambda minutes: self._change(late_min=minutes))
        self._filling = False

    def refresh(self) -> None:
        """Show them as they are now."""
        self._filling = True
        modes, at = self._model.modes, self._model.mode_at
        self.list.clear()
        self.list.addItems([mode.words for mode in modes])
        self.list.setCurrentRow(-1 if at is None else at)
        mode = None if at is None else modes[at]
        for widget in (self.records, self.alerts, self.late, self.remove):
            widget.setEnabled(mode is not None)
        if mode is not None:
            self.records.setChecked(mode.records)
            self.alerts.setChecked(mode.alerts)
            self.late.setValue(mode.late_min)
        self.words.setText(self._model.late_words() if mode is not None else "Choose a mode to draw its hours above.")
        self._filling = False

    def _pick(self, row: int) -> None:
        if not self._filling and row >= 0:
            self._model.choose(row)

    def _change(self, **values: object) -> None:
        if not self._filling:
            self._model.change_mode(**values)

    def ask(self) -> None:
        """Ask for the name of a new mode."""
        name, wanted = QInputDialog.getText(self, "Add mode", "Name, as the site says it:")
        if wanted and name.strip():
            self._model.add_mode(name.strip())
