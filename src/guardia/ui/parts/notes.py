"""A note of several lines, asked for and written by keyboard alone."""

from __future__ import annotations

from PyQt6.QtWidgets import QDialog, QInputDialog, QPlainTextEdit, QWidget


def ask_note(parent: QWidget, title: str, words: str, text: str = "") -> str | None:
    """Ask for a note; Tab leaves the field, as in every other one. None where it was not wanted."""
    dialog = QInputDialog(parent)
    dialog.setWindowTitle(title)
    dialog.setLabelText(words)
    dialog.setOption(QInputDialog.InputDialogOption.UsePlainTextEditForTextInput)
    dialog.setTextValue(text)
    dialog.sizeHint()  # makes its parts, which otherwise come when it is shown
    field = dialog.findChild(QPlainTextEdit)
    if field is not None:
        field.setTabChangesFocus(True)
    return dialog.textValue().strip() if dialog.exec() == QDialog.DialogCode.Accepted else None
