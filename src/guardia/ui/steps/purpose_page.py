"""Purpose: what a camera is for, drawn and ticked, and each thing that is asked of it met or not."""

from __future__ import annotations

import time
from functools import partial

from PyQt6.QtCore import QSize, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDoubleSpinBox,
    QGridLayout,
    QHBoxLayout,
    QMenu,
    QPushButton,
    QVBoxLayout,
)

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.first_model import FirstModel
from guardia.app.steps.purpose_model import Part, PurposeModel
from guardia.core.base.distances import Distances, shown_distances
from guardia.core.hours.periods import from_periods
from guardia.core.purpose.judgement import kind_of
from guardia.core.purpose.patterns import PATTERNS
from guardia.core.purpose.purpose import LONGEST_S, MOST_A_DAY, MOST_DAYS, MOST_PX_M, REAL_KINDS, Purpose
from guardia.core.score.met import Met
from guardia.ui.canvas.zone_canvas import ZoneCanvas
from guardia.ui.parts.tables import fill_table, row_table, stretch_columns
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import FreshPage, WrappedLabel, button, choice, label, page_head
from guardia.ui.steps.copy_dialog import CopyDialog
from guardia.ui.steps.first_dialog import FirstDialog
from guardia.ui.steps.periods_dialog import PeriodsDialog

_SIGNS = {Met.YES: "✓", Met.NO: "✗", Met.UNKNOWN: "?"}
_PARTS: tuple[tuple[Part, str], ...] = (("record", "recorded"), ("alert", "alerted"))


LEAST_PICTURE_PX, BENEATH_PX = 180, 540


class CopyPurposeDialog(CopyDialog):
    """What a camera is for, copied to others."""

    title = "Ask the same of other cameras"
    intro = (
        "What {} is for is asked of the cameras that are ticked, too; which part of the picture matters stays their "
        "own. Undo takes it back."
    )
    with_zones = False

    def _losses(self) -> dict[int, tuple[str, list[str]]]:
        return {
            i: (self._session.camera_name(i), [])
            for i in self._session.camera_ids() if i != self._model.camera.id
        }  # fmt: skip

    def _copy(self) -> None:
        self._session.copying.copy_purpose(self._model, self.chosen, time.time())


class _Number(QDoubleSpinBox):
    """A number without zeros that say nothing."""

    def sizeHint(self) -> QSize:
        """As wide as what it says, and not as the longest number it could say."""
        words = self.fontMetrics().horizontalAdvance(self.text()) + THEME.px(24)
        return QSize(words, super().sizeHint().height())

    def minimumSizeHint(self) -> QSize:
        """No narrower than that."""
        return self.sizeHint()

    def textFromValue(self, v: float) -> str:
        """As short as it is exact."""
        return f"{v:.{self.decimals()}f}".rstrip("0").rstrip(".") if self.decimals() else f"{v:.0f}"


class PurposePage(FreshPage):
    """The form beside the picture, and beneath them what is met.

    `asked` is emitted with the occurrences behind a line and its words, `opened` with the step where it is mended.
    """

    asked = pyqtSignal(tuple, str)
    opened = pyqtSignal(str)

    def __init__(self, session: Session, model: CameraModel) -> None:
        super().__init__()
        self._session = session
        self.model = session.step_model(PurposeModel, model)
        layout, head = page_head(self, "Purpose")
        self.pattern = choice([("begin from …", "")], name="Begin from a pattern")
        for pattern in PATTERNS:
            self.pattern.addItem(pattern.name, pattern.id)
            self.pattern.setItemData(self.pattern.count() - 1, pattern.words, 3)  # the tool tip's role
        self.pattern.activated.connect(self._begin)
        head.addStretch()
        head.addWidget(self.pattern)
        self.copy = button("Copy &to cameras …", self.choose_cameras, tip="Ask the same of other cameras of the site")
        self.nothing = button("Ask &nothing", self.model.ask_nothing, "link", "Say no longer what it is for")
        self.earlier, self._earlier = QPushButton("Ea&rlier"), QMenu(self)
        self.earlier.setToolTip("What was asked before, and since when; choosing one asks it again")
        self.earlier.setMenu(self._earlier)
        self.first = button("&First settings …", self.show_first, tip="What to set before there is any clip")
        head.addWidget(self.first)
        head.addWidget(self.earlier)
        head.addWidget(self.copy)
        head.addWidget(self.nothing)
        layout.addLayout(head)
        self.words = WrappedLabel()
        layout.addWidget(self.words)
        both = QHBoxLayout()
        both.setSpacing(16)
        both.addLayout(self._form(), 6)
        both.addLayout(self._part(model), 5)
        layout.addLayout(both)
        layout.addLayout(self._figures())
        self.table = row_table("What is asked", ("", "asked", "installed", "draft"))
        stretch_columns(self.table, 1, 2, 3)
        self.table.currentCellChanged.connect(lambda *_: self._explain())
        self.table.cellDoubleClicked.connect(lambda *_: self.show_clips())
        layout.addWidget(self.table, 1)
        row = QHBoxLayout()
        self.why = WrappedLabel()
        self.why.setObjectName("muted")
        row.addWidget(self.why, 1)
        self.clips = button("&Show clips", self.show_clips, tip="The occurrences behind the chosen line (double click)")
        self.go = button("G&o there", self.go_there, tip="The step where it is mended")
        row.addWidget(self.clips)
        row.addWidget(self.go)
        layout.addLayout(row)
        self.table.setWordWrap(False)
        self.setFocusProxy(self.pattern)
        self.model.changed.connect(self.refresh_if_shown)
        THEME.changed.connect(self.refresh_if_shown)
        self.fill()

    def show_first(self) -> None:
        """Show what to set before there is any clip."""
        FirstDialog(self, self._session.step_model(FirstModel, self.model.model)).open()

    def _form(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(2)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(2, 1)
        self.kinds: dict[tuple[Part, str], QCheckBox] = {}
        self.hours: dict[Part, QComboBox] = {}
        self.in_part: dict[Part, QCheckBox] = {}
        for place, (part, words) in enumerate(_PARTS, start=1):
            grid.addWidget(label(f"must be {words}", "head"), 0, place)
            for row, kind in enumerate(REAL_KINDS, start=1):
                box = QCheckBox()
                box.setAccessibleName(f"{kind_of(kind).text} must be {words}")
                box.clicked.connect(lambda on, p=part, k=kind: self.model.want(p, k, wanted=on))
                self.kinds[part, kind] = box
                grid.addWidget(box, row, place)
            self.hours[part] = QComboBox()
            self.hours[part].setAccessibleName(f"Hours in which it must be {words}")
            self.hours[part].setMinimumContentsLength(9)
            self.hours[part].setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            self.hours[part].activated.connect(partial(self._choose_hours, part))
            grid.addWidget(self.hours[part], len(REAL_KINDS) + 1, place)
            self.in_part[part] = QCheckBox("part drawn")
            self.in_part[part].clicked.connect(lambda on, p=part: self.model.ask_of(p, in_part=on))
            grid.addWidget(self.in_part[part], len(REAL_KINDS) + 2, place)
        for row, kind in enumerate(REAL_KINDS, start=1):
            grid.addWidget(label(kind_of(kind).text), row, 0)
        grid.setColumnMinimumWidth(0, 160)
        grid.addWidget(label("when"), len(REAL_KINDS) + 1, 0)
        grid.addWidget(label("where"), len(REAL_KINDS) + 2, 0)
        grid.setRowStretch(len(REAL_KINDS) + 3, 1)
        return grid

    def _figures(self) -> QGridLayout:
        numbers = QGridLayout()
        numbers.setHorizontalSpacing(8)
        numbers.setVerticalSpacing(0)
        self.numbers: dict[str, QDoubleSpinBox] = {}
        units = shown_distances()
        for place, (name, words, unit, most, decimals) in enumerate(_NUMBERS):
            if name == "px_m":
                unit, most, decimals = f"px/{units.unit}", most * units.metres, decimals + (units is Distances.FEET)
            numbers.addWidget(label(words, "muted"), 0, place)
            numbers.addWidget(self._number(name, words, unit, most, decimals), 1, place)
            numbers.setColumnStretch(place, 1)
        self.data = QCheckBox("data within the allowance")
        self.data.clicked.connect(lambda on: self.model.ask(data=on))
        numbers.addWidget(self.data, 2, 0, 1, len(_NUMBERS))
        return numbers

    def _number(self, name: str, words: str, unit: str, most: float, decimals: int) -> QDoubleSpinBox:
        """A field of a number; its lowest value asks nothing."""
        field = _Number()
        field.setDecimals(decimals)
        field.setRange(-(10.0**-decimals) if name == "false_alerts" else 0.0, most)
        field.setSuffix(f" {unit}")
        field.setSpecialValueText("not asked")
        field.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        field.setKeyboardTracking(False)
        field.setAccessibleName(f"{words}, {unit}")
        field.valueChanged.connect(partial(self._ask_number, name))
        self.numbers[name] = field
        return field

    def _part(self, model: CameraModel) -> QVBoxLayout:
        column = QVBoxLayout()
        self.canvas = ZoneCanvas(model, self.model.tool, blocks=False)
        self.canvas.show_false = False
        self.canvas.setMinimumSize(200, LEAST_PICTURE_PX)
        self.canvas.setAccessibleName("The part of the picture that matters")
        column.addWidget(self.canvas, 1)
        row = QHBoxLayout()
        self.draw = button("&Draw the part", self._begin_drawing, tip="Click its corners; Enter closes it")
        self.whole = button("The &whole picture", lambda: self.model.ask(area=()))
        row.addWidget(self.draw)
        row.addWidget(self.whole)
        row.addStretch()
        column.addLayout(row)
        self.hint = label("", "muted")
        column.addWidget(self.hint)
        return column

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Give the picture what the form and a dozen lines leave."""
        super().resizeEvent(event)
        wide = round(0.45 * self.width() * self.canvas.aspect())
        self.canvas.setMaximumHeight(max(LEAST_PICTURE_PX, min(wide, self.height() - THEME.px(BENEATH_PX))))

    def refresh(self) -> None:
        """Show what is asked, and whether it is met."""
        model, purpose = self.model, self.model.purpose
        self.pattern.setCurrentIndex(max(0, self.pattern.findData(purpose.pattern)) if purpose is not None else 0)
        self.words.setText(model.words)
        self._earlier.clear()
        for words, asked in model.history()[1:]:
            self._earlier.addAction(words, partial(model.ask_again, asked))
        self.earlier.setEnabled(not self._earlier.isEmpty())
        for (part, kind), box in self.kinds.items():
            box.setChecked(kind in model.wanted(part).kinds)
        for part, hours in self.hours.items():
            hours.clear()
            several = model.hours(part)
            for words, plan in several:
                hours.addItem(words, plan)
            hours.addItem("type …", "other")
            hours.setCurrentIndex([plan for _, plan in several].index(model.wanted(part).hours))
            chosen = model.wanted(part).hours
            hours.setToolTip("at any time" if chosen is None else chosen.words)
            self.in_part[part].setChecked(model.wanted(part).in_part)
            self.in_part[part].setEnabled(bool(purpose and purpose.area))
        for name, field in self.numbers.items():
            value = getattr(purpose or Purpose(), name)
            field.blockSignals(True)
            field.setValue(field.minimum() if value is None else value * self._times(name))
            field.blockSignals(False)
        make = model.model.camera.capability.storage
        self.data.setChecked(bool(purpose and purpose.data))
        self.data.setVisible(make.mobile)
        self.numbers["charge_days"].setEnabled(make.power is not None)
        for widget in (self.copy, self.nothing):
            widget.setEnabled(purpose is not None)
        self.whole.setEnabled(bool(purpose and purpose.area))
        model.take_area()
        self.hint.setText("" if purpose and purpose.area else "all of it matters")
        self.canvas.refresh_evidence()
        self._fill()

    def _fill(self) -> None:
        lines, row = self.model.lines, max(0, self.table.currentRow())
        fill_table(
            self.table,
            [
                (_SIGNS[line.installed.met], line.installed.asked, line.installed.found, line.draft.found)
                for line in lines
            ],
            lambda r, c: (lines[r].draft if c == 3 else lines[r].installed).met is Met.NO and c != 1,
        )
        if lines:
            self.table.setCurrentCell(min(row, len(lines) - 1), 1)
        self._explain()

    def _explain(self) -> None:
        lines, row = self.model.lines, self.table.currentRow()
        line = lines[row].installed if 0 <= row < len(lines) else None
        self.why.setText(" ".join((f"{line.met.capitalize()}: {line.found}.", *line.why)) if line is not None else "")
        self.clips.setEnabled(line is not None and bool(line.ids))
        self.go.setEnabled(line is not None and line.step != "purpose")

    def show_clips(self) -> None:
        """Open the occurrences behind the chosen line."""
        row = self.table.currentRow()
        line = self.model.lines[row].installed if 0 <= row < len(self.model.lines) else None
        if line is not None and line.ids:
            self.asked.emit(line.ids, f"{line.asked}: {line.found}")

    def go_there(self) -> None:
        """Open the step where the chosen line is mended."""
        row = self.table.currentRow()
        if 0 <= row < len(self.model.lines):
            self.opened.emit(self.model.lines[row].installed.step)

    def choose_cameras(self) -> None:
        """Ask the same of other cameras."""
        CopyPurposeDialog(self, self._session, self.model.model).exec()

    def _begin(self, place: int) -> None:
        if pattern := self.pattern.itemData(place):
            self.model.begin(pattern)

    def _begin_drawing(self) -> None:
        self.model.begin_drawing()
        self.hint.setText("click corner after corner; Enter closes, Esc cancels")
        self.canvas.setFocus()
        self.canvas.update()

    def _ask_number(self, name: str, value: float) -> None:
        optional = getattr(Purpose(), name) is None
        unasked = optional and value <= self.numbers[name].minimum()
        self.model.ask(**{name: None if unasked else value / self._times(name)})

    @staticmethod
    def _times(name: str) -> float:
        """What a number is multiplied with where it is shown."""
        return shown_distances().metres if name == "px_m" else 1.0

    def _choose_hours(self, part: Part, place: int) -> None:
        plan = self.hours[part].itemData(place)
        if plan != "other":
            self.model.ask_of(part, hours=plan)
            return
        dialog = PeriodsDialog(self, "Hours", "Type the periods in which it is asked; a night ends on the next day.")
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.model.ask_of(part, hours=from_periods(dialog.periods()).plan)
        else:
            self.refresh()


_NUMBERS: tuple[tuple[str, str, str, float, int], ...] = (
    ("before_s", "recorded from", "s before", LONGEST_S, 0), ("after_s", "recorded to", "s after", LONGEST_S, 0),
    ("px_m", "at least", "px/m", MOST_PX_M, 1), ("within_s", "alerted within", "s", LONGEST_S, 0),
    ("false_alerts", "false, at most", "a day", MOST_A_DAY, 1), ("keep_days", "kept at least", "days", MOST_DAYS, 0),
    ("gone_days", "kept at most", "days", MOST_DAYS, 0), ("charge_days", "a charge lasts", "days", MOST_DAYS, 0),
)  # fmt: skip
"""Fields of numbers: name in Purpose, words, unit, greatest value, decimals."""
