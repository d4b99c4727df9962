"""The pages of the steps, one of them shown; where the window leaves a page less room than it needs, it scrolls."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QScrollArea, QStackedWidget, QWidget


class _Room(QScrollArea):
    """Shows a page as large as the window lets it be, and no smaller than it needs; what is more than shows scrolls.

    The page lies in a widget without a layout: else it would be as high as its lists would like to be, and scroll
    where they need only be shorter.
    """

    def __init__(self, page: QWidget) -> None:
        super().__init__()
        self._page, self._holder = page, QWidget()
        self.setObjectName("room")
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        page.setParent(self._holder)
        for widget in (page, self._holder):
            widget.installEventFilter(self)
        self.setWidget(self._holder)
        page.show()

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Have the page as large as its holder, and the holder as large as the page needs."""
        if event is not None and watched is self._holder and event.type() == QEvent.Type.Resize:
            self._page.resize(self._holder.size())
        if event is not None and watched is self._page and event.type() == QEvent.Type.LayoutRequest:
            self._fit()
        return super().eventFilter(watched, event)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Fit the page to the new room."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        needed, layout, shown = self._page.minimumSizeHint(), self._page.layout(), self.viewport()
        if layout is not None and shown is not None and layout.hasHeightForWidth():
            width = max(shown.width(), needed.width())
            needed.setHeight(max(needed.height(), layout.minimumHeightForWidth(width)))
        self._holder.setMinimumSize(needed)


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
            self._rooms[step] = _Room(self.pages[step])
            self.addWidget(self._rooms[step])
        self.setCurrentWidget(self._rooms[step])
