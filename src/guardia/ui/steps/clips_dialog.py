"""The clips of a camera: which are here, which cannot be measured; those that do not belong are taken out."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QHeaderView,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.core.base.words import count_of
from guardia.ui.parts.tables import row_table
from guardia.ui.parts.widgets import button, label


class ClipsDialog(QDialog):
    """A row for each clip, those of the selected occurrences chosen first."""

    def __init__(self, parent: QWidget, session: Session, model: CameraModel) -> None:
        super().__init__(parent)
        self._session, self._model = session, model
        self.setWindowTitle(f"Clips: {model.camera.name}")
        self.resize(820, 520)
        layout = QVBoxLayout(self)
        words = "Removed clips lose their occurrences, too. Undo brings them back until the project is closed; then "
        layout.addWidget(label(f"{words}their files here are deleted. The originals are never touched.", wrap=True))
        self.table = row_table("Clips", ["Clip", f"Start ({session.site.time_zone})", "Length", "Kind"])
        if (header := self.table.horizontalHeader()) is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            header.setStretchLastSection(True)
        layout.addWidget(self.table, 1)
        row = QHBoxLayout()
        self.remove = button("Remove from the project", self._remove, tip="The clips of the selected rows (Del)")
        QShortcut(QKeySequence(Qt.Key.Key_Delete), self.table, self._remove)
        row.addWidget(self.remove)
        self.same = button("It is the planned view", self._say_same, tip="Count the selected clips all the same")
        row.addWidget(self.same)
        self.count = label("", "muted")
        row.addWidget(self.count)
        row.addStretch()
        close = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
        close.rejected.connect(self.reject)
        row.addWidget(close)
        layout.addLayout(row)
        self.table.itemSelectionChanged.connect(self._tell)
        model.evidence_changed.connect(self._fill)
        self._fill()
        self._choose({model.occurrence(i).clip_id for i in model.selected})
        self.table.setFocus()

    def _fill(self) -> None:
        clips = self._model.corrections.clips()
        self._ids = [clip.id for clip, _ in clips]
        self.table.setRowCount(len(clips))
        for row, (clip, trouble) in enumerate(clips):
            start = f"{self._session.local_time(clip.start_s):%Y-%m-%d %H:%M:%S}"
            texts = (clip.name, start, f"{clip.duration_s:.1f} s", trouble or clip.origin.value)
            for column, text in enumerate(texts):
                self.table.setItem(row, column, QTableWidgetItem(text))
        self._tell()

    def _choose(self, ids: set[int]) -> None:
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.MultiSelection)
        for row, clip_id in enumerate(self._ids):
            if clip_id in ids:
                self.table.selectRow(row)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)

    def _selected(self) -> list[int]:
        rows = self.table.selectionModel()
        return [self._ids[index.row()] for index in rows.selectedRows()] if rows is not None else []

    def _tell(self) -> None:
        chosen = len(self._selected())
        self.remove.setEnabled(chosen > 0)
        self.same.setEnabled(any(i in self._model.evidence.other_views for i in self._selected()))
        self.count.setText(f"{count_of(len(self._ids), 'clip')}, {chosen} selected")

    def _say_same(self) -> None:
        self._model.corrections.say_same_view(self._selected())

    def _remove(self) -> None:
        self._model.corrections.remove_clips(self._selected())
