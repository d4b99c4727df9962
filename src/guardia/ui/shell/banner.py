"""The line that tells what happened, above the page."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout

from guardia.app.work.messages import Message
from guardia.ui.parts.widgets import button, label


class Banner(QFrame):
    """Shows messages until they are closed."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("banner")
        layout = QHBoxLayout(self)
        layout.setContentsMargins(12, 6, 6, 6)
        self.text = label("", wrap=True)
        self.text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        layout.addWidget(self.text, 1)
        layout.addWidget(button("Close", self.hide), 0, Qt.AlignmentFlag.AlignTop)
        self.hide()

    def show_message(self, message: Message) -> None:
        """Show a message; a long one is shortened, the whole is its tool tip."""
        lines = message.text.split("\n")
        told = lines if len(lines) <= 5 else [*lines[:4], f"… and {len(lines) - 4} more lines"]
        self.text.setText("\n".join(told))
        self.text.setToolTip("\n".join(lines[:60]))
        self.setProperty("severity", message.severity.value)
        style = self.style()
        if style is not None:
            style.polish(self)
        self.show()
