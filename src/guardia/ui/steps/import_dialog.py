"""Bring in: files and folders, what would become of each, and then the import itself."""

from __future__ import annotations

from dataclasses import fields
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QProgressBar,
    QTableView,
    QVBoxLayout,
    QWidget,
)

from guardia.app.intake.import_plan import TAKEN
from guardia.app.steps.import_model import ImportModel
from guardia.app.work.jobs import Progress
from guardia.core.base.errors import GuardiaError
from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Cause, Origin
from guardia.core.evidence.clock import NAME_FORMS, TIME_FORMS
from guardia.core.evidence.events import ColumnMapping
from guardia.ui.parts.tables import SortedRows, add_copying
from guardia.ui.parts.widgets import button, choice, clear, label
from guardia.ui.steps.times_dialogs import MomentEdit

ORIGIN_WORDS = (
    (Origin.MOTION, "motion clips: the camera recorded them because something moved"),
    (Origin.CONTINUOUS, "continuous footage: recorded whatever happened"),
    (Origin.WALK_TEST, "walk test: somebody walked for it"),
    (Origin.SNAPSHOT, "snapshots: single pictures taken by the clock"),
)
_RULE_WORDS = (
    ("one", "all to this camera"),
    ("folder", "by folder: named like the camera"),
    ("name", "by file name: begins like the camera's name"),
)
_HEADS = ("File", "Camera", "Begins", "Known by", "Length", "What happens")
_MEANING = {
    "time": "Time",
    "date": "Date, if apart",
    "duration": "Length",
    "named": "Class the camera named",
    "alert": "Alert sent",
    "zone": "Zone",
    "cause": "Why it recorded",
}


class PlanTable(QAbstractTableModel):
    """One row for each clip found."""

    def __init__(self, model: ImportModel) -> None:
        super().__init__(model)
        self._model = model
        model.changed.connect(self._reset)

    def _reset(self) -> None:
        self.beginResetModel()
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        """Number of clips."""
        return 0 if parent is not None and parent.isValid() else len(self._model.plan.clips)

    def columnCount(self, _parent: QModelIndex | None = None) -> int:
        """Number of columns."""
        return len(_HEADS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Names of the columns."""
        shown = orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole
        return _HEADS[section] if shown else None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Text of a cell; the whole path as a tip."""
        clip = self._model.plan.clips[index.row()]
        if role == Qt.ItemDataRole.ToolTipRole:
            return f"{clip.path}\n{clip.note}".strip()
        if role != Qt.ItemDataRole.DisplayRole:
            return None
        cells = (
            clip.path.name,
            self._model.camera_name(clip.camera_id),
            self._model.start_words(index.row()),
            clip.source,
            f"{clip.info.duration_s:.1f} s" if clip.info else "",
            f"{clip.state}{': ' if clip.note else ''}{clip.note.removeprefix(clip.path.name).strip()}",
        )
        return cells[index.column()]


class MappingDialog(QDialog):
    """Which column of an event list means what, with a look at what it then says."""

    def __init__(self, parent: QWidget, model: ImportModel, path: Path) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Columns of {path.name}")
        self.resize(640, 520)
        self._model = model
        self._path = path
        shape, mapping = model.shapes[path], model.mappings[path]
        layout = QVBoxLayout(self)
        layout.addWidget(label(f"{shape.form}, {shape.encoding}; first row:", "muted"))
        first = "\n".join(f"{c}:  {v}" for c, v in zip(shape.columns, shape.sample[0], strict=True))
        layout.addWidget(label(first, wrap=True))
        form = QFormLayout()
        self.boxes: dict[str, QComboBox] = {}
        for name, words in _MEANING.items():
            box = choice(
                [("not in this list", ""), *((column, column) for column in shape.columns)], getattr(mapping, name)
            )
            box.currentIndexChanged.connect(self._look)
            self.boxes[name] = box
            form.addRow(words, box)
        self.form_box = choice([(one.text, one.code) for one in TIME_FORMS], mapping.form)
        self.form_box.currentIndexChanged.connect(self._look)
        form.addRow("Form of the time", self.form_box)
        self.clock_box = choice([(f"the site's ({model.session.time_zone.key})", ""), ("UTC", "UTC")], mapping.clock)
        self.clock_box.currentIndexChanged.connect(self._look)
        form.addRow("Time zone, where none is written", self.clock_box)
        layout.addLayout(form)
        self.told = label("", wrap=True)
        layout.addWidget(self.told, 1)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self._accept)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)
        self._look()

    def mapping(self) -> ColumnMapping:
        """The mapping as chosen."""
        chosen = {f.name: self.boxes[f.name].currentData() for f in fields(ColumnMapping) if f.name in self.boxes}
        return ColumnMapping(form=self.form_box.currentData(), clock=self.clock_box.currentData(), **chosen)

    def _look(self) -> None:
        try:
            count, shown, notes = self._model.preview(self._path, self.mapping())
        except GuardiaError as error:
            self.told.setText(str(error))
            return
        lines = [f"{count_of(count, 'entry', 'entries')} can be read.", *shown, *notes[:3]]
        if len(notes) > 3:
            lines.append(f"… and {len(notes) - 3} more remarks")
        self.told.setText("\n".join(lines))

    def _accept(self) -> None:
        self._model.set_mapping(self._path, self.mapping())
        self.accept()


class ImportDialog(QDialog):
    """Sources above, the plan in the middle, lists below."""

    def __init__(self, parent: QWidget, model: ImportModel) -> None:
        super().__init__(parent)
        self.setWindowTitle("Import evidence")
        self.resize(980, 640)
        self.model = model
        layout = QVBoxLayout(self)
        grid = self._sources_and_rules()
        layout.addLayout(grid)
        self.problems = label("", "warning", wrap=True)
        layout.addWidget(self.problems)
        self.table = self._plan_table()
        layout.addWidget(self.table, 1)
        self._lists = QGridLayout()
        layout.addLayout(self._lists)
        bottom = self._progress_and_buttons()
        layout.addLayout(bottom)
        model.changed.connect(self._show)
        model.jobs.progressed.connect(self._on_progress)
        model.jobs.finished.connect(self._progress.hide)
        self.finished.connect(lambda _code: model.close())
        self._show()

    def _sources_and_rules(self) -> QGridLayout:
        model = self.model
        grid = QGridLayout()
        row = QHBoxLayout()
        row.addWidget(button("Add f&iles…", self._add_files))
        row.addWidget(button("Add f&older…", self.add_folder))
        self._sources = label("No files yet", "muted", wrap=True)
        row.addWidget(self._sources, 1)
        grid.addWidget(label("From"), 0, 0)
        grid.addLayout(row, 0, 1)
        self.origin = choice([(words, origin) for origin, words in ORIGIN_WORDS], model.origin)
        self.origin.currentIndexChanged.connect(lambda _i: model.set_origin(self.origin.currentData()))
        grid.addWidget(label("Recorded as"), 1, 0)
        grid.addWidget(self.origin, 1, 1)
        self.rule = choice(
            [
                (words.replace("this camera", f"'{model.camera_name(model.camera_id)}'"), rule)
                for rule, words in _RULE_WORDS
            ]
        )
        self.rule.currentIndexChanged.connect(lambda _i: model.set_rule(self.rule.currentData()))
        grid.addWidget(label("Cameras"), 2, 0)
        grid.addWidget(self.rule, 2, 1)
        self.pattern = self._patterns()
        grid.addWidget(label("Time in file names"), 3, 0)
        grid.addWidget(self.pattern, 3, 1)
        self.cause = choice(
            [("as the camera's event list says, else motion", None), *((cause.value, cause) for cause in Cause)]
        )
        self.cause.currentIndexChanged.connect(lambda _i: setattr(model, "cause", self.cause.currentData()))
        grid.addWidget(label("Why it recorded"), 4, 0)
        grid.addWidget(self.cause, 4, 1)
        self.whole = QCheckBox("all that it recorded by motion is here, from")
        self.whole.setToolTip("Rates per day need it: clips alone do not show for how long nothing happened")
        self.begin = MomentEdit(model.session, datetime.now(UTC).timestamp())
        self.end = MomentEdit(model.session, datetime.now(UTC).timestamp())
        span = QHBoxLayout()
        for widget in (self.whole, self.begin, label("to"), self.end):
            span.addWidget(widget)
        span.addStretch()
        grid.addWidget(label("Time covered"), 5, 0)
        grid.addLayout(span, 5, 1)
        grid.setColumnStretch(1, 1)
        return grid

    def _patterns(self) -> QComboBox:
        model = self.model
        pattern = QComboBox()
        pattern.setEditable(True)
        for form in NAME_FORMS:
            pattern.addItem(form.text, form.code)
        remembered = pattern.findData(model.pattern())
        if remembered >= 0:
            pattern.setCurrentIndex(remembered)
        else:
            pattern.setEditText(model.pattern())
        pattern.setToolTip("A pattern of your own is built from %Y %m %d %H %M %S %y %j %b %I %p")
        pattern.activated.connect(self.take_pattern)
        if (edit := pattern.lineEdit()) is not None:
            edit.editingFinished.connect(self.take_pattern)
        return pattern

    def _plan_table(self) -> QTableView:
        table = QTableView()
        add_copying(table)
        listed = SortedRows(table)
        listed.setSourceModel(PlanTable(self.model))
        table.setModel(listed)
        table.setAccessibleName("What becomes of each file")
        table.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        table.setShowGrid(False)
        table.setWordWrap(False)
        if (upright := table.verticalHeader()) is not None:
            upright.hide()
            upright.setDefaultSectionSize(24)
        if (level := table.horizontalHeader()) is not None:
            for column, width in enumerate((240, 98, 172, 76, 60)):
                level.resizeSection(column, width)
            level.setSectionResizeMode(5, QHeaderView.ResizeMode.Stretch)
            level.setSortIndicator(-1, Qt.SortOrder.AscendingOrder)  # as they were found, until a head is clicked
            level.setSortIndicatorClearable(True)
        table.setSortingEnabled(True)
        return table

    def _progress_and_buttons(self) -> QHBoxLayout:
        bottom = QHBoxLayout()
        self._count = label("", "head")
        bottom.addWidget(self._count)
        self._progress = QProgressBar()
        self._progress.setTextVisible(False)
        self._progress.setFixedWidth(160)
        self._progress.hide()
        bottom.addWidget(self._progress)
        bottom.addStretch()
        self.go = button("I&mport", self._go, "primary")
        bottom.addWidget(button("Cancel", self.reject))
        bottom.addWidget(self.go)
        return bottom

    def _add_files(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Add clips, pictures, event lists or metadata")
        if names:
            self.model.add([Path(n) for n in names])

    def add_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Add a folder")
        if name:
            self.model.add([Path(name)])

    def take_pattern(self) -> None:
        typed = self.pattern.currentText().strip()
        known = next((f.code for f in NAME_FORMS if f.text == typed), typed)
        if known != self.model.pattern():
            self.model.set_pattern(known)

    def _on_progress(self, progress: Progress) -> None:
        self._progress.setRange(0, progress.total)
        self._progress.setValue(progress.done)
        self._progress.setToolTip(f"{progress.what}: {progress.words}")
        self._progress.show()

    def _show(self) -> None:
        model = self.model
        self.rule.blockSignals(True)
        self.rule.setCurrentIndex(self.rule.findData(model.rule))  # what names say wins over the camera that is open
        self.rule.blockSignals(False)
        by_motion = model.origin is Origin.MOTION
        for widget in (self.cause, self.whole, self.begin, self.end):
            widget.setEnabled(by_motion)
        if not self.whole.isChecked() and (days := model.days()) is not None:
            self.begin.set_moment(days[0])
            self.end.set_moment(days[1])
        sources = ", ".join(p.name for p in model.sources[:4])
        more = f" and {len(model.sources) - 4} more" if len(model.sources) > 4 else ""
        self._sources.setText(sources + more if sources else "No files yet")
        notes = [model.problem] if model.problem else list(model.plan.notes)
        self.problems.setText("\n".join(notes))
        self.problems.setVisible(bool(notes))
        clear(self._lists)
        for row, (path, camera_id) in enumerate(model.plan.lists[:6]):
            words: QLabel = label(f"{path.name} → {model.camera_name(camera_id)}: {model.list_words(path)}", wrap=True)
            self._lists.addWidget(words, row, 0)
            if path in model.shapes:
                self._lists.addWidget(button("Columns…", partial(self._ask_columns, path)), row, 1)
        self._lists.setColumnStretch(0, 1)
        clips = model.plan.clips
        taken = sum(c.state in TAKEN for c in clips)
        lists = len(model.plan.lists)
        self._count.setText(
            f"{taken} of {len(clips)} clips, {lists} {'list' if lists == 1 else 'lists'}"
            if clips or lists
            else "Add files or a folder to see what would happen."
        )
        self.go.setEnabled(bool(taken or lists) and not model.problem)

    def _ask_columns(self, path: Path) -> None:
        MappingDialog(self, self.model, path).open()

    def _go(self) -> None:
        self.model.watched = (self.begin.moment_s(), self.end.moment_s()) if self.whole.isChecked() else None
        if self.model.watched is not None and self.model.watched[1] <= self.model.watched[0]:
            self.problems.setText("Time covered must end after it begins.")
            self.problems.show()
            return
        if self.model.start():
            self.accept()
        else:
            self.problems.setText("Another import is still running; bring this in when it is done.")
            self.problems.show()
