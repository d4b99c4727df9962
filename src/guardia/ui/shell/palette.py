"""The command palette: any action by a few letters."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import QDialog, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget


class Palette(QDialog):
    """A line to type in and the actions that fit, the first one chosen by Enter."""

    def __init__(self, parent: QWidget, actions: list[QAction]) -> None:
        super().__init__(parent)
        self.setWindowTitle("Find an action")
        self.setMinimumSize(520, 420)
        self._actions = actions
        layout = QVBoxLayout(self)
        self.line = QLineEdit()
        self.line.setPlaceholderText("A few letters of what you want to do")
        self.line.textChanged.connect(self._fill)
        self.line.installEventFilter(self)
        layout.addWidget(self.line)
        self.list = QListWidget()
        self.list.itemActivated.connect(self._run)
        layout.addWidget(self.list)
        self._fill("")

    def _fill(self, text: str) -> None:
        wanted = text.lower().split()
        self.list.clear()
        for action in self._actions:
            words = f"{action.text()} {action.toolTip()}".lower()
            if action.isEnabled() and all(w in words for w in wanted):
                keys = action.shortcut().toString()
                item = QListWidgetItem(f"{action.text()}{'   ' + keys if keys else ''}\n      {action.toolTip()}")
                item.setData(Qt.ItemDataRole.UserRole, action)
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
        self.accept()
        item.data(Qt.ItemDataRole.UserRole).trigger()
