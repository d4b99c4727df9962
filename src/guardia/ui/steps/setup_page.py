"""Set up: what is written down of a camera, and the commissioning list in the order of the work."""

from __future__ import annotations

from functools import partial
from itertools import groupby
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QBoxLayout,
    QDoubleSpinBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QSpinBox,
    QVBoxLayout,
)

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.setup_model import ChecklistLine, SetupModel
from guardia.core.base.words import sentence
from guardia.core.prove.commission import Tick
from guardia.ui.parts.tables import RowTable, fill_table, row_table, stretch_columns
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import FreshPage, WrappedLabel, button, card, label, page_head, words_card
from guardia.ui.steps.stage_strip import StageDone, StageStrip
from guardia.ui.steps.units_dialog import UnitsDialog

_SIGNS = {Tick.OPEN: "☐", Tick.DONE: "☑  done", Tick.NOT_HERE: "–  does not apply"}
BESIDE_FROM_PX, SIDE_PX, STAGES_FROM_PX = 760, 284, 900
"""From this width of the page on the details stand beside the list, so wide, and from the last the stages in it."""

LEAST_PX = 220
"""Below the list they are so high at least."""

ANY_PX = 16_777_215
"""As wide as Qt lets a widget be."""

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
        self.stages = StageStrip()
        self.stages.chosen.connect(self.open_stage)
        layout.addWidget(self.stages)
        self._both = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        self._both.setSpacing(12)
        layout.addLayout(self._both, 1)
        self.table = row_table("Commissioning list", ("stage", "what to do", "ticked", "recordings show", "by"))
        stretch_columns(self.table, 1, 3)
        self.table.setWordWrap(True)
        self.table.currentCellChanged.connect(lambda *_: self._explain())
        self._both.addWidget(self.table, 1)
        self._side = QScrollArea()
        self._side.setWidgetResizable(True)
        self._side.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        details = card()
        self._side.setWidget(details)
        side = QVBoxLayout(details)
        self._both.addWidget(self._side)
        self.item = label("", "head", wrap=True)
        side.addWidget(self.item)
        self.reason = WrappedLabel()
        side.addWidget(self.reason)
        keys = QHBoxLayout()
        for key, mark in _KEYS.items():
            keys.addWidget(button(f"{key}  {mark.value}", partial(self.mark, mark), "key", "For the chosen line"))
            self.table.keys[key] = partial(self.mark, mark)
        keys.addStretch()
        side.addLayout(keys)
        self.who = QLineEdit()
        self.who.setPlaceholderText("your name")
        self.who.setAccessibleName("Who does it")
        self.who.textChanged.connect(lambda text: setattr(self.model, "who", text))
        side.addSpacing(8)
        side.addWidget(label("Written down", "head"))
        side.addLayout(self._written())
        side.addStretch()
        self.setFocusProxy(self.table)
        self.model.changed.connect(self.refresh_if_shown)
        THEME.changed.connect(self.refresh_if_shown)
        self.fill()

    def _written(self) -> QFormLayout:
        """What is written down of the camera."""
        self.serial, self.manual, self.keys_kept, self.firmware, self.housing = (QLineEdit() for _ in range(5))
        self.housing.setPlaceholderText("another lens, or a preset")
        self.housing.setToolTip("Each lens and each preset is a camera of its own here")
        self.keys_kept.setPlaceholderText("where pairing code and password are")
        self.patrol = QSpinBox()
        self.patrol.setRange(0, 999)
        self.patrol.setSpecialValueText("not said")
        self.patrol.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        form = QFormLayout()
        form.setRowWrapPolicy(QFormLayout.RowWrapPolicy.WrapLongRows)
        form.addRow("Ticks by", self.who)
        form.addRow("Serial number", self.serial)
        form.addRow("Firmware", self.firmware)
        form.addRow("Manual", self.manual)
        form.addRow("Same housing as", self.housing)
        form.addRow("Codes are kept", self.keys_kept)
        form.addRow("Place on the round", self.patrol)
        self.current = QDoubleSpinBox()
        self.current.setRange(0, 100)
        self.current.setDecimals(3)
        self.current.setSuffix(" A")
        self.current.setSpecialValueText("not said")
        self.current.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.current.editingFinished.connect(lambda: self.model.set_current(self.current.value()))
        form.addRow("Power draw, at most", self.current)
        self.hangs = button(
            "Recorders, hubs, lines …", self.show_units, tip="What cameras are connected to, and its limits"
        )
        form.addRow("Co&nnected to", self.hangs)
        for field in (self.serial, self.manual, self.keys_kept, self.firmware, self.housing):
            field.editingFinished.connect(self._write_down)
        self.patrol.editingFinished.connect(self._write_down)
        return form

    def _write_down(self) -> None:
        fields = (self.serial, self.manual, self.keys_kept, self.firmware, self.housing)
        serial, manual, keys_kept, firmware, housing = (field.text().strip() for field in fields)
        self.model.write_down(serial, manual, keys_kept, self.patrol.value(), firmware, housing)

    def refresh(self) -> None:
        """Show the list as it is now."""
        row = max(0, self.table.currentRow())
        self._lines = self.model.lines()
        self.words.setText(self.model.words(self._lines))
        rows: list[tuple[str, ...]] = []
        for line in self._lines:
            seen = {True: "✓  ", False: "✕  ", None: ""}[line.item.verified] + line.item.found
            first = not rows or self._lines[len(rows) - 1].item.stage != line.item.stage
            rows.append((line.item.stage if first else "", line.item.text, _SIGNS[line.mark], seen, line.by))
        fill_table(self.table, rows, lambda r, c: c == 3 and self._lines[r].item.verified is False)
        self.table.setColumnHidden(4, not any(line.by for line in self._lines))
        self.stages.show_stages(self._stages())
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

    def _stages(self) -> list[StageDone]:
        """How far each stage is."""
        stages = []
        for name, own in groupby(self._lines, key=lambda line: line.item.stage):
            lines = list(own)
            wrong = any(line.item.verified is False for line in lines)
            stages.append(StageDone(name, sum(line.settled for line in lines), len(lines), wrong))
        return stages

    def open_stage(self, name: str) -> None:
        """Go to what is left to do of a stage."""
        own = [row for row, line in enumerate(self._lines) if line.item.stage == name]
        left = [row for row in own if not self._lines[row].settled]
        self.table.setCurrentCell((left or own)[0], 1)
        self.table.scrollToItem(self.table.item((left or own)[0], 1), RowTable.ScrollHint.PositionAtTop)
        self.table.setFocus()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Put the details beside the list, or below it where there is no room beside."""
        super().resizeEvent(event)
        beside = self.width() >= THEME.px(BESIDE_FROM_PX)
        ways = QBoxLayout.Direction
        self._both.setDirection(ways.LeftToRight if beside else ways.TopToBottom)
        self.table.setColumnHidden(0, self.width() < THEME.px(STAGES_FROM_PX))  # it stands over the details, too
        self._side.setMinimumWidth(THEME.px(SIDE_PX) if beside else 0)
        self._side.setMaximumWidth(THEME.px(SIDE_PX) if beside else ANY_PX)
        self._side.setMinimumHeight(0 if beside else THEME.px(LEAST_PX))

    def show_units(self) -> None:
        """Show what the cameras of the site are connected to."""
        UnitsDialog(self, self._session, self.model.model.camera.id).exec()

    def _explain(self) -> None:
        row = self.table.currentRow()
        if 0 <= row < len(self._lines):
            item = self._lines[row].item
            caution = f" {item.caution}" if item.caution else ""
            self.item.setText(f"{sentence(item.stage)}: {item.text}")
            found = f"\n\n{item.found}" if item.found else ""
            self.reason.setText(f"Because {item.reason}.{caution}{found}")

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
