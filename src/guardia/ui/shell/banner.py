"""What happened, in a place of its own below the page: it covers no control and moves nothing."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, Qt, QTimer
from PyQt6.QtGui import QEnterEvent, QResizeEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from guardia.app.work.messages import Message, Severity
from guardia.ui.parts.widgets import button, label

SHOWN_MS = 6000
LETTER_MS = 60
"""A message that asks for nothing goes after this time, and so much more for each letter."""

MOST_LINES = 2
LOW_PX = 700
"""In a lower window it has one line."""

MARGINS_PX = (18, 1, 8, 1)


class Banner(QWidget):
    """Keeps room for one or two lines at the foot of the window; warnings and errors stay until they are closed.

    Args:
        show_all: Shows all messages, whole.
    """

    def __init__(self, show_all: Callable[[], object]) -> None:
        super().__init__()
        self.frame = QFrame()
        self.frame.setObjectName("banner")
        room = QVBoxLayout(self)
        room.setContentsMargins(0, 0, 0, 0)
        room.addWidget(self.frame)
        layout = QHBoxLayout(self.frame)
        layout.setContentsMargins(*MARGINS_PX)
        self.text = label("", wrap=True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.text.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Ignored)
        layout.addWidget(self.text, 1)
        self.whole = button("Whole message", show_all, tip="All messages of this window, whole")
        self.close_it = button("Close", self.frame.hide)
        for control in (self.whole, self.close_it):
            control.setFocusPolicy(Qt.FocusPolicy.NoFocus)  # the keys stay where the work is
            layout.addWidget(control)
        self.leaving = QTimer(self)
        self.leaving.setSingleShot(True)
        self.leaving.timeout.connect(self.frame.hide)
        self.frame.hide()
        self.take_room()

    def take_room(self) -> None:
        """Keep the room that this window has for it."""
        window = self.window()
        lines = 1 if window is not None and window.height() < LOW_PX else MOST_LINES
        room = max(lines * self.text.fontMetrics().lineSpacing(), self.close_it.sizeHint().height())
        self.setFixedHeight(room + MARGINS_PX[1] + MARGINS_PX[3] + 2)

    def show_message(self, message: Message) -> None:
        """Show a message; of a long one the beginning, the whole is its tool tip and one button away."""
        lines = message.text.split("\n")
        shown = lines if len(lines) <= MOST_LINES else [f"{lines[0]} (and {len(lines) - 1} more lines)"]
        self.text.setText("\n".join(shown))
        self.text.setToolTip("\n".join(lines[:60]))
        self.frame.setProperty("severity", message.severity.value)
        style = self.style()
        if style is not None:
            style.polish(self.frame)
        self.frame.show()
        self._offer_whole()
        self.leaving.stop()
        if message.severity is Severity.INFO:
            self.leaving.start(SHOWN_MS + LETTER_MS * len(message.text))

    def _offer_whole(self) -> None:
        """Offer the whole message where its words do not fit."""
        width = self.width() - self.close_it.sizeHint().width() - 60
        cut = self.text.heightForWidth(width) > self.height()
        self.whole.setVisible(cut or self.text.toolTip() != self.text.text())

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """See again whether the words fit."""
        super().resizeEvent(event)
        self._offer_whole()

    def enterEvent(self, _event: QEnterEvent | None) -> None:
        """Whoever points at it wants to read it."""
        self.leaving.stop()

    def leaveEvent(self, _event: QEvent | None) -> None:
        """It was read."""
        if self.frame.property("severity") == Severity.INFO.value:
            self.leaving.start(SHOWN_MS)
