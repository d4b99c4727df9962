"""The pages of the steps, one of them shown; where the window leaves a page less room than it needs, it scrolls."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QScrollArea, QStackedWidget, QWidget


class PageStack(QStackedWidget):
    """Pages by the id of their step. A page is laid out when it is first shown."""

    def __init__(self) -> None:
        super().__init__()
        self.pages: dict[str, QWidget] = {}
        self._rooms: dict[str, QScrollArea] = {}

    @property
    def current(self) -> str:
        """The step that is shown; empty while none is."""
        room = self.currentWidget()
        return next((step for step, own in self._rooms.items() if own is room), "")

    def set_pages(self, pages: Mapping[str, QWidget]) -> None:
        """Have these pages in place of all others."""
        for step in tuple(self.pages):
            self.drop(step)
        self.pages.update(pages)

    def drop(self, step: str) -> None:
        """Forget a page, if it is there."""
        page, room = self.pages.pop(step, None), self._rooms.pop(step, None)
        if room is not None:
            self.removeWidget(room)
            room.deleteLater()
        elif page is not None:
            page.deleteLater()

    def show_page(self, step: str) -> None:
        """Show one of the pages."""
        if step not in self._rooms:
            room = QScrollArea()
            room.setObjectName("room")
            room.setWidgetResizable(True)
            room.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            room.setWidget(self.pages[step])
            self._rooms[step] = room
            self.addWidget(room)
        self.setCurrentWidget(self._rooms[step])
