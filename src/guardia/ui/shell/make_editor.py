"""A make described in the window: every value with its words, checked at once, saved and shared as JSON."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QHBoxLayout,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from guardia.app.project.make_draft import MakeDraft
from guardia.core.base.errors import GuardiaError
from guardia.ui.parts.tables import add_copying
from guardia.ui.parts.widgets import WrappedLabel, button, dialog_ends


class MakeEditor(QDialog):
    """A tree of the make's values; what cannot be is said below, and cannot be accepted.

    Args:
        parent: The window.
        data: The make to start from, as JSON.
    """

    def __init__(self, parent: QWidget, data: dict[str, Any]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Describe a make")
        self.resize(640, 620)
        self.draft = MakeDraft(data)
        layout = QVBoxLayout(self)
        what = WrappedLabel()
        what.setText(
            "What can be set on this make, read off its own menus. Lists are typed with commas, switches as yes or no."
        )
        layout.addWidget(what)
        self.tree = QTreeWidget()
        add_copying(self.tree)
        self.tree.setHeaderLabels(["what can be set", "value"])
        self.tree.setAccessibleName("What can be set on the make")
        self.tree.setEditTriggers(
            QTreeWidget.EditTrigger.DoubleClicked | QTreeWidget.EditTrigger.EditKeyPressed
            | QTreeWidget.EditTrigger.AnyKeyPressed
        )  # fmt: skip
        self.tree.itemChanged.connect(self._changed)
        self.tree.currentItemChanged.connect(lambda *_: self._follow())
        layout.addWidget(self.tree, 1)
        row = QHBoxLayout()
        self.add = button("Add row", self.add_row, tip="Another level or quality, like the last one")
        self.remove = button("Remove row", self.remove_row, tip="Take the chosen level or quality out")
        self.battery = QCheckBox("runs on a battery")
        self.battery.setChecked(self.draft.data["storage"].get("power") is not None)
        self.battery.toggled.connect(self._set_battery)
        for widget in (self.add, self.remove, self.battery):
            row.addWidget(widget)
        row.addStretch()
        row.addWidget(button("Save as file …", self.choose_file, tip="To share it with others, as JSON"))
        layout.addLayout(row)
        self.trouble = WrappedLabel()
        layout.addWidget(self.trouble)
        self.ends = dialog_ends(self)
        layout.addWidget(self.ends)
        self._fill()

    def _fill(self) -> None:
        self.tree.blockSignals(True)
        self.tree.clear()
        root = self.tree.invisibleRootItem()
        if root is not None:
            self._add_nodes(root, ())
        self.tree.expandAll()
        self.tree.resizeColumnToContents(0)
        self.tree.blockSignals(False)
        self._tell("")

    def _add_nodes(self, above: QTreeWidgetItem, path: tuple[str | int, ...]) -> None:
        for node in self.draft.nodes(path):
            item = QTreeWidgetItem([node.words, node.text or ""])
            item.setData(0, Qt.ItemDataRole.UserRole, node)
            above.addChild(item)
            if node.text is not None:
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsEditable)
            else:
                self._add_nodes(item, node.path)

    def _changed(self, item: QTreeWidgetItem, column: int) -> None:
        node = item.data(0, Qt.ItemDataRole.UserRole)
        if column == 0:
            self._fill()  # the words are not the make's
            return
        try:
            self.draft.put(node.path, item.text(1))
        except GuardiaError as error:
            self.tree.blockSignals(True)
            item.setText(1, node.text or "")
            self.tree.blockSignals(False)
            self._tell(str(error))
            return
        self._tell("")

    def _tell(self, refused: str) -> None:
        trouble = self.draft.trouble
        self.trouble.setText(refused or trouble or f"It can be used: {self.draft.words}.")
        self.trouble.setObjectName("warning" if refused or trouble else "muted")
        style = self.trouble.style()
        if style is not None:
            style.polish(self.trouble)
        ok = self.ends.button(QDialogButtonBox.StandardButton.Ok)
        if ok is not None:
            ok.setEnabled(not trouble)
        self._follow()

    def _follow(self) -> None:
        item = self.tree.currentItem()
        node = item.data(0, Qt.ItemDataRole.UserRole) if item is not None else None
        self.add.setEnabled(node is not None and (node.rows or isinstance(node.path[-1], int)))
        self.remove.setEnabled(node is not None and isinstance(node.path[-1], int))

    def add_row(self) -> None:
        """Add a row to the chosen list."""
        item = self.tree.currentItem()
        if item is not None:
            node = item.data(0, Qt.ItemDataRole.UserRole)
            self.draft.add_row(node.path if node.rows else node.path[:-1])
            self._fill()

    def remove_row(self) -> None:
        """Take the chosen row out."""
        item = self.tree.currentItem()
        if item is not None:
            self.draft.remove_row(item.data(0, Qt.ItemDataRole.UserRole).path)
            self._fill()

    def _set_battery(self, on: bool) -> None:
        self.draft.set_battery(on)
        self._fill()

    def choose_file(self) -> None:
        """Ask for a file and save the make there."""
        name, _ = QFileDialog.getSaveFileName(self, "Save make", f"{self.draft.data['id']}.json", "JSON (*.json)")
        if name:
            try:
                self.draft.save(Path(name))
            except GuardiaError as error:
                self._tell(str(error))
            else:
                self.trouble.setText(f"Saved to {name}.")
