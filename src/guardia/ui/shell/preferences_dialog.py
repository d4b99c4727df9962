"""Preferences: colours, size of text, units, what is told of rounds, and where new projects are made."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtWidgets import QCheckBox, QDialog, QFileDialog, QFormLayout, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from guardia.app.project.preferences import TEXT_SIZES, Preferences
from guardia.core.base.distances import Distances
from guardia.core.base.errors import InvalidValue
from guardia.formats.plain import whole_path
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import button, choice, dialog_ends, label


class PreferencesDialog(QDialog):
    """Asks how the program is to look and where it puts things.

    Args:
        parent: The window.
        known: The preferences as they are.
    """

    def __init__(self, parent: QWidget, known: Preferences) -> None:
        super().__init__(parent)
        self.setWindowTitle("Preferences")
        self.setMinimumWidth(THEME.px(460))
        self._known = known
        layout = QVBoxLayout(self)
        form = QFormLayout()
        layout.addLayout(form)
        self.colours = choice([("Light", False), ("Dark", True)])
        self.colours.setCurrentIndex(int(known.dark))
        self.text = choice([(f"{percent} %", percent) for percent in TEXT_SIZES])
        self.text.setCurrentIndex(TEXT_SIZES.index(known.text_percent))
        self.distances = choice([("Metres", Distances.METRES), ("Feet", Distances.FEET)])
        self.distances.setCurrentIndex(list(Distances).index(Distances(known.distances)))
        self.reminders = QCheckBox("Show what is due when a project is opened")
        self.reminders.setChecked(known.reminders)
        self.folder = QLineEdit(str(known.above_projects))
        row = QHBoxLayout()
        row.addWidget(self.folder, 1)
        row.addWidget(button("Choose…", self._choose))
        form.addRow("Colours", self.colours)
        form.addRow("Text size", self.text)
        form.addRow("Distances in", self.distances)
        form.addRow("Rounds", self.reminders)
        form.addRow("New projects in", row)
        form.addRow("", label("Projects that are there already stay where they are.", "muted"))
        self.trouble = label("", "warning", wrap=True)
        self.trouble.hide()
        layout.addWidget(self.trouble)
        layout.addWidget(dialog_ends(self))

    def _choose(self) -> None:
        if chosen := QFileDialog.getExistingDirectory(self, "Folder for new projects", self.folder.text()):
            self.folder.setText(chosen)

    def _named(self) -> str:
        """The folder as it is typed, empty for the usual one; raises InvalidValue for what is no folder."""
        return str(whole_path(self.folder.text())) if self.folder.text().strip() else ""

    def accept(self) -> None:
        """Close, unless the folder cannot be one."""
        try:
            self._named()
        except InvalidValue as error:
            self.trouble.setText(str(error))
            self.trouble.show()
            self.folder.setFocus()
            return
        super().accept()

    def chosen(self) -> Preferences:
        """The preferences as they are in the dialog."""
        folder = self._named()
        usual = folder in ("", str(replace(self._known, new_projects="").above_projects))
        return replace(
            self._known,
            dark=bool(self.colours.currentData()),
            text_percent=int(self.text.currentData()),
            distances=self.distances.currentData().value,
            reminders=self.reminders.isChecked(),
            new_projects="" if usual else folder,
        )
