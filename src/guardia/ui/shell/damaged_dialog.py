"""Entries of the project that cannot be read, to be saved and then deleted."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QAbstractItemView, QDialog, QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from guardia.app.site.damaged import DamagedEntries
from guardia.core.base.errors import GuardiaError
from guardia.core.base.words import count_of
from guardia.ui.parts.tables import fill_table, row_table, stretch_columns
from guardia.ui.parts.widgets import WrappedLabel, button


class DamagedDialog(QDialog):
    """What is set aside; only what was saved to a file in this dialog can be deleted.

    Args:
        parent: The window.
        entries: Those of the open project.
    """

    def __init__(self, parent: QWidget, entries: DamagedEntries) -> None:
        super().__init__(parent)
        self.setWindowTitle("Damaged entries")
        self.resize(760, 380)
        self._entries = entries
        layout = QVBoxLayout(self)
        self.words = WrappedLabel()
        layout.addWidget(self.words)
        self.table = row_table("Damaged entries", ("entry", "number", "what is wrong"))
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.NoSelection)
        stretch_columns(self.table, 2)
        layout.addWidget(self.table, 1)
        row = QHBoxLayout()
        row.addStretch()
        row.addWidget(button("C&lose", self.reject))
        self.delete = button("&Delete", self.delete_saved, "", "Deletes those saved before; it cannot be undone")
        row.addWidget(self.delete)
        self.save = button("&Save…", self.ask_file, "primary", "All of them, as they stand in the project, as JSON")
        row.addWidget(self.save)
        layout.addLayout(row)
        self.refresh()

    def refresh(self, after: str = "") -> None:
        """Show what there is; `after` says what was done."""
        lines = self._entries.lines
        fill_table(self.table, lines)
        some = f"{count_of(len(lines), 'entry', 'entries')} cannot be read and enter no figure; "
        some += "all else is as it was. Save first; what is saved can then be deleted, "
        some += "with what belongs to it: the judgements of a clip, the readings of a store. "
        some += "A clip of which only the measurement is damaged can be measured again then."
        self.words.setText(" ".join(filter(None, (after, some if lines else "Every entry can be read."))))
        self.save.setEnabled(bool(lines))
        self.delete.setEnabled(self._entries.can_delete)

    def ask_file(self) -> None:
        """Ask for a file and save them all there."""
        name, _ = QFileDialog.getSaveFileName(self, "Save damaged entries", "damaged.json", "JSON (*.json)")
        if name:
            try:
                self._entries.save(Path(name))
            except GuardiaError as error:
                self.words.setText(str(error))
                return
            self.words.setText(f"Saved to {name}. Delete removes them from the project; that cannot be undone.")
            self.delete.setEnabled(self._entries.can_delete)

    def delete_saved(self) -> None:
        """Delete those that were saved."""
        try:
            number = self._entries.delete()
        except GuardiaError as error:
            self.words.setText(str(error))
            return
        self.refresh(f"Deleted {count_of(number, 'entry', 'entries')}.")
