"""The guide in the program: its parts at the left, the part at the right."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QListWidget, QListWidgetItem, QTextBrowser, QWidget

from guardia.app.steps.guide import ORDER, guide
from guardia.ui.parts.theme import THEME


class GuideDialog(QDialog):
    """Stays open beside the window, so that one can follow it.

    Args:
        parent: The window.
        part: Name of the part that is opened.
    """

    def __init__(self, parent: QWidget, part: str) -> None:
        super().__init__(parent)
        self.setWindowTitle("Guide")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.resize(820, 600)
        row = QHBoxLayout(self)
        self.list = QListWidget()
        self.list.setAccessibleName("Parts of the guide")
        self.list.setFixedWidth(THEME.px(200))
        self.text = QTextBrowser()
        self.text.setAccessibleName("The chosen part")
        row.addWidget(self.list)
        row.addWidget(self.text, 1)
        for one in guide():
            item = QListWidgetItem(one.title)
            item.setData(Qt.ItemDataRole.UserRole, one)
            self.list.addItem(item)
        self.list.currentItemChanged.connect(self._show)
        self.open_part(part)
        self.list.setFocus()

    def open_part(self, part: str) -> None:
        """Show a part by its name."""
        self.list.setCurrentRow(ORDER.index(part))

    def _show(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.text.setMarkdown(item.data(Qt.ItemDataRole.UserRole).text)
