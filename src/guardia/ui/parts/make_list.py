"""The list from which the make of a camera is chosen."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from guardia.app.camera.makes import capability_data, make_from_file, make_words, shipped_capabilities
from guardia.core.base.errors import GuardiaError
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.described import assumed_words
from guardia.ui.parts.widgets import button, label


class MakeList(QWidget):
    """The makes that ship with Guardia, each with what it can be told, and makes of one's own from files.

    Args:
        present: JSON form of the make that a camera has now, and that is chosen at first; it stands apart where it is
            not as shipped, because it was described anew or came with an older Guardia.
        others: The makes of other cameras by their names; those that ship are not listed again.
    """

    changed = pyqtSignal()

    def __init__(
        self, present: Mapping[str, Any] | None = None, others: Mapping[str, Mapping[str, Any]] | None = None
    ) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.list = QListWidget()
        self.list.setAccessibleName("Make")
        self.list.setWordWrap(True)
        self.list.setMinimumSize(460, 260)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        shipped = [capability_data(capability_id) for capability_id in shipped_capabilities()]
        now = replace(capability_from_dict(present), taught=None) if present is not None else None
        if present is not None and now not in [capability_from_dict(data) for data in shipped]:
            self._add(present, ", as this camera has it now")
            self.list.setCurrentRow(0)
        known = [*(capability_from_dict(data) for data in shipped), now]
        for camera, data in (others or {}).items():
            make = replace(capability_from_dict(data), taught=None)
            if make not in known:
                known.append(make)
                self._add(data, f", like '{camera}'")
        for data in shipped:
            self._add(data)
            if capability_from_dict(data) == now:
                self.list.setCurrentRow(self.list.count() - 1)
        self.list.currentRowChanged.connect(lambda _row: self.changed.emit())
        layout.addWidget(self.list)
        self.problem = label("", "warning", wrap=True)
        self.problem.hide()
        layout.addWidget(self.problem)
        tip = "A make that is not in this list, described in a JSON file"
        self.below = QHBoxLayout()
        self.below.addWidget(button("From a &file …", self._choose_file, tip=tip))
        self.below.addStretch()
        layout.addLayout(self.below)

    def add(self, data: Mapping[str, Any]) -> None:
        """Add a make and choose it."""
        self._add(data)
        self.problem.hide()
        self.list.setCurrentRow(self.list.count() - 1)

    def _add(self, data: Mapping[str, Any], which: str = "") -> None:
        make = capability_from_dict(data)
        item = QListWidgetItem(f"{make.name}{which}\n{make_words(make)}")
        item.setData(Qt.ItemDataRole.UserRole, data)
        item.setToolTip(assumed_words(make))
        self.list.addItem(item)

    def _choose_file(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "A make of your own", "", "Make (*.json)")
        if name:
            self.add_file(Path(name))

    def add_file(self, path: Path) -> None:
        """Add the make that a file describes and choose it; what is wrong with the file is said here."""
        try:
            self.add(make_from_file(path))
        except GuardiaError as error:
            self.problem.setText(str(error))
            self.problem.show()

    def make(self) -> dict[str, Any] | None:
        """JSON form of the make that is chosen."""
        item = self.list.currentItem()
        return None if item is None else dict(item.data(Qt.ItemDataRole.UserRole))
