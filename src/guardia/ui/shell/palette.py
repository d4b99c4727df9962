"""A line to type in, and what is found by a few letters: actions, pages, settings, cameras, the guide."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


class Entry(NamedTuple):
    """Something that can be found."""

    text: str
    """What it is called."""
    hint: str
    """A sentence on it."""
    act: Callable[[], object]
    """Runs or shows it."""
    keys: str = ""
    """Its shortcut."""
    more: str = ""
    """Further words by which it is found."""

    def fits(self, wanted: Sequence[str]) -> bool:
        """Whether all these words, in small letters, are in it."""
        words = f"{self.text} {self.hint} {self.more}".lower()
        return all(word in words for word in wanted)


class Palette(QDialog):
    """What fits the letters typed so far; Enter runs the chosen one.

    Args:
        parent: The window.
        title: Of the dialog.
        entries: What can be found.
    """

    def __init__(self, parent: QWidget, title: str, entries: Sequence[Entry]) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.setMinimumSize(560, 460)
        self._entries = entries
        layout = QVBoxLayout(self)
        self.line = QLineEdit()
        self.line.setAccessibleName(title)
        self.line.setPlaceholderText("A few letters of it")
        self.line.textChanged.connect(self._fill)
        self.line.installEventFilter(self)
        layout.addWidget(self.line)
        self.list = QListWidget()
        self.list.setAccessibleName("What fits")
        self.list.itemActivated.connect(self._run)
        layout.addWidget(self.list)
        self._fill("")

    def _fill(self, text: str) -> None:
        wanted = text.lower().split()
        fitting = [entry for entry in self._entries if entry.fits(wanted)]
        fitting.sort(key=lambda entry: not all(word in entry.text.lower() for word in wanted))
        self.list.clear()
        for entry in fitting:
            item = QListWidgetItem(f"{entry.text}{'   ' + entry.keys if entry.keys else ''}\n      {entry.hint}")
            item.setData(Qt.ItemDataRole.UserRole, entry)
            self.list.addItem(item)
        self.list.setCurrentRow(0)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Arrows move in the list while typing, Enter runs."""
        if watched is self.line and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                self.list.setCurrentRow(min(max(0, self.list.currentRow() + step), self.list.count() - 1))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                item = self.list.currentItem()
                if item is not None:
                    self._run(item)
                return True
        return super().eventFilter(watched, event)

    def _run(self, item: QListWidgetItem) -> None:
        entry: Entry = item.data(Qt.ItemDataRole.UserRole)
        self.accept()
        entry.act()
