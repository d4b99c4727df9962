"""Set up: what is written down of a camera, and the commissioning list in the order of the work."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QDoubleSpinBox, QFileDialog, QFormLayout, QHBoxLayout, QLineEdit, QSpinBox

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.setup_model import ChecklistLine, SetupModel
from guardia.core.prove.commission import Tick
from guardia.ui.parts.tables import fill_table, row_table, stretch_columns
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import FreshPage, WrappedLabel, button, label, page_head, words_card
from guardia.ui.steps.units_dialog import UnitsDialog

_SIGNS = {Tick.OPEN: "☐", Tick.DONE: "☑  done", Tick.NOT_HERE: "–  does not apply"}
_KEYS = {"D": Tick.DONE, "N": Tick.NOT_HERE, "O": Tick.OPEN}


class SetupPage(FreshPage):
    """The list at the left, what is written down beside it."""

    def __init__(self, session: Session, model: CameraModel) -> None:
        super().__init__()
        self._session = session
        self.model = session.step_model(SetupModel, model)
        self._lines: list[ChecklistLine] = []
        layout, head = page_head(self, "Set up")
        head.addStretch()
        head.addWidget(button("&Save list as PDF …", self.choose_pdf, tip="To print, and to resume any day"))
        layout.addLayout(head)
        self.words = words_card(layout)
        self.table = row_table("Commissioning list", ("stage", "what to do", "state", "what evidence says", "by"))
        stretch_columns(self.table, 1, 3)
        self.table.currentCellChanged.connect(lambda *_: self._explain())
        layout.addWidget(self.table, 1)
        keys = QHBoxLayout()
        for key, mark in _KEYS.items():
            keys.addWidget(button(f"{key}  {mark.value}", partial(self.mark, mark), "key", "For the chosen line"))
            self.table.keys[key] = partial(self.mark, mark)
        keys.addWidget(label("by", "muted"))
        self.who = QLineEdit()
        self.who.setPlaceholderText("your name")
        self.who.setMaximumWidth(THEME.px(160))
        self.who.setAccessibleName("Who does it")
        self.who.textChanged.connect(lambda text: setattr(self.model, "who", text))
        keys.addWidget(self.who)
        keys.addStretch()
        layout.addLayout(keys)
        self.reason = WrappedLabel()
        self.reason.setObjectName("muted")
        layout.addWidget(self.reason)
        layout.addLayout(self._written())
        self.setFocusProxy(self.table)
        self.model.changed.connect(self.refresh_if_shown)
        THEME.changed.connect(self.refresh_if_shown)
        self.refresh()

    def _written(self) -> QHBoxLayout:
        both = QHBoxLayout()
        self.serial, self.manual, self.keys_kept, self.firmware, self.housing = (QLineEdit() for _ in range(5))
        self.housing.setPlaceholderText("another lens, or a preset")
        self.housing.setToolTip("Each lens and each preset is a camera of its own here")
        self.keys_kept.setPlaceholderText("where, not what")
        self.patrol = QSpinBox()
        self.patrol.setRange(0, 999)
        self.patrol.setSpecialValueText("not said")
        self.patrol.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        left, right = QFormLayout(), QFormLayout()
        left.addRow("Serial number", self.serial)
        left.addRow("Firmware", self.firmware)
        left.addRow("Manual", self.manual)
        left.addRow("Same housing as", self.housing)
        right.addRow("Pairing code and password are kept", self.keys_kept)
        right.addRow("Place on the round", self.patrol)
        self.current = QDoubleSpinBox()
        self.current.setRange(0, 100)
        self.current.setDecimals(3)
        self.current.setSuffix(" A")
        self.current.setSpecialValueText("not said")
        self.current.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.current.editingFinished.connect(lambda: self.model.set_current(self.current.value()))
        right.addRow("Power draw, at most", self.current)
        self.hangs = button("Recorders, hubs, lines …", self.show_units, tip="What cameras hang on, and its limits")
        right.addRow("&Connected to", self.hangs)
        for field in (self.serial, self.manual, self.keys_kept, self.firmware, self.housing):
            field.editingFinished.connect(self._write_down)
        self.patrol.editingFinished.connect(self._write_down)
        both.addLayout(left, 1)
        both.addLayout(right, 1)
        return both

    def _write_down(self) -> None:
        fields = (self.serial, self.manual, self.keys_kept, self.firmware, self.housing)
        serial, manual, keys_kept, firmware, housing = (field.text().strip() for field in fields)
        self.model.write_down(serial, manual, keys_kept, self.patrol.value(), firmware, housing)

    def refresh(self) -> None:
        """Show the list as it is now."""
        row = max(0, self.table.currentRow())
        self._lines = self.model.lines()
        self.words.setText(self.model.words(self._lines))
        rows = []
        for line in self._lines:
            seen = {True: "✓  ", False: "✕  ", None: ""}[line.item.verified] + line.item.found
            rows.append((line.item.stage, line.item.text, _SIGNS[line.mark], seen, line.by))
        fill_table(self.table, rows, lambda r, c: c == 3 and self._lines[r].item.verified is False)
        self.table.setCurrentCell(min(row, len(rows) - 1), 1)
        self._explain()
        about = self.model.about
        for field, text in (
            (self.serial, about.serial),
            (self.manual, about.manual),
            (self.keys_kept, about.keys_kept),
            (self.firmware, about.firmware),
            (self.housing, about.housing),
        ):
            if not field.hasFocus():
                field.setText(text)
        self.patrol.setValue(about.patrol)
        self.current.setValue(self.model.current_a or 0.0)
        self.hangs.setText(self.model.hangs_on() or "Recorders, hubs, lines …")

    def show_units(self) -> None:
        """Show what the cameras of the site hang on."""
        UnitsDialog(self, self._session, self.model.model.camera.id).exec()

    def _explain(self) -> None:
        row = self.table.currentRow()
        if 0 <= row < len(self._lines):
            item = self._lines[row].item
            caution = f" {item.caution}" if item.caution else ""
            self.reason.setText(f"Because {item.reason}.{caution}")

    def mark(self, mark: Tick) -> None:
        """Mark the chosen line and go on to the next."""
        row = self.table.currentRow()
        if 0 <= row < len(self._lines):
            self.model.mark(self._lines[row].item.id, mark)
            self.refresh()
            self.table.setCurrentCell(min(row + 1, len(self._lines) - 1), 1)

    def choose_pdf(self) -> None:
        """Ask where the list goes."""
        name, _ = QFileDialog.getSaveFileName(self, "Save list", "setting-up.pdf", "PDF (*.pdf)")
        if name:
            self.model.save(Path(name))
