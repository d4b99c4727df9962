"""First settings: each with its reason, and the walks that would prove them."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QHBoxLayout, QVBoxLayout, QWidget

from guardia.app.steps.first_model import FirstModel
from guardia.ui.parts.tables import fill_table, row_table, stretch_columns
from guardia.ui.parts.widgets import WrappedLabel, button, label


class FirstDialog(QDialog):
    """A table of what to set and why; taking it changes the draft alone.

    Args:
        parent: The page.
        model: Of the camera.
    """

    def __init__(self, parent: QWidget, model: FirstModel) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"First settings: {model.model.camera.name}")
        self.resize(900, 640)
        self._model, self.first = model, model.settings()
        layout = QVBoxLayout(self)
        words = (
            "From what the camera is for, its view and its make. Nothing is measured on this camera yet: the bands say "
            "how far that can be off."
        )
        layout.addWidget(label(words, wrap=True))
        if self.first.missing:
            missing = WrappedLabel()
            missing.setObjectName("warning")
            missing.setText("\n".join(self.first.missing))
            layout.addWidget(missing)
        table = row_table("First settings", ("setting", "first", "why"))
        stretch_columns(table, 1, 2)
        fill_table(table, [(one.setting, one.value, one.why) for one in self.first.chosen])
        layout.addWidget(table, 1)
        layout.addWidget(label("Walks that would prove them", "head"))
        walks = WrappedLabel()
        walks.setText(
            "\n".join(f"{n}.  {walk.words}" for n, walk in enumerate(self.first.walks, 1))
            or "They follow from the view and the drawn part."
        )
        layout.addWidget(walks)
        row = QHBoxLayout()
        row.addStretch()
        row.addWidget(button("Close", self.reject))
        row.addWidget(button("&Take as draft", self.take, "primary"))
        layout.addLayout(row)

    def take(self) -> None:
        """Make them the draft."""
        self._model.take(self.first)
        self.accept()
