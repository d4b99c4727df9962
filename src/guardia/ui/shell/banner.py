"""What happened, told over the page without moving it."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, Qt, QTimer
from PyQt6.QtGui import QEnterEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QStackedWidget

from guardia.app.work.messages import Message, Severity
from guardia.ui.parts.widgets import button, label

SHOWN_MS = 6000
LETTER_MS = 60
"""A message that asks for nothing goes after this time, and so much more for each letter."""

MARGIN_PX = 18


class Banner(QFrame):
    """Shows the last message at the foot of the page; warnings and errors stay until they are closed.

    Args:
        pages: What holds the pages that it lies over.
    """

    def __init__(self, pages: QStackedWidget) -> None:
        super().__init__(pages)
        self._page = pages
        pages.installEventFilter(self)
        pages.currentChanged.connect(self.raise_)  # a page that is made later would lie over it
        self.setObjectName("banner")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 6, 6, 6)
        self.text = label("", wrap=True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        layout.addWidget(self.text, 1)
        close = button("Close", self.hide)
        close.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # the keys stay where the work is
        layout.addWidget(close, 0, Qt.AlignmentFlag.AlignTop)
        self.leaving = QTimer(self)
        self.leaving.setSingleShot(True)
        self.leaving.timeout.connect(self.hide)
        self.hide()

    def show_message(self, message: Message) -> None:
        """Show a message; a long one is shortened, the whole is its tool tip."""
        lines = message.text.split("\n")
        shown = lines if len(lines) <= 5 else [*lines[:4], f"… and {len(lines) - 4} more lines: Help, Messages"]
        self.text.setText("\n".join(shown))
        self.text.setToolTip("\n".join(lines[:60]))
        self.setProperty("severity", message.severity.value)
        style = self.style()
        if style is not None:
            style.polish(self)
        self._place()
        self.show()
        self.raise_()
        self.leaving.stop()
        if message.severity is Severity.INFO:
            self.leaving.start(SHOWN_MS + LETTER_MS * len(message.text))

    def _place(self) -> None:
        width = self._page.width() - 2 * MARGIN_PX
        height = max(self.heightForWidth(width), self.minimumSizeHint().height())
        self.setGeometry(MARGIN_PX, self._page.height() - height - MARGIN_PX // 2, width, height)

    def eventFilter(self, watched: object, event: QEvent | None) -> bool:
        """Keep its place when the page changes its size."""
        if watched is self._page and event is not None and event.type() == QEvent.Type.Resize:
            self._place()
        return False

    def enterEvent(self, event: QEnterEvent | None) -> None:
        """Whoever points at it wants to read it."""
        self.leaving.stop()
