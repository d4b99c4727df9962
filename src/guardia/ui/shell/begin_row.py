"""What stands above every step of a camera of which the first things are missing: its clips, or how it is set."""

from __future__ import annotations

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QFrame, QHBoxLayout

from guardia.app.camera.camera_model import CameraModel
from guardia.core.make.levers import unknown_words
from guardia.ui.parts.widgets import WrappedLabel, button

NO_CLIPS = "Nothing that this camera recorded is here yet: import motion clips, footage, a walk test."


class BeginRow(QFrame):
    """Says what is missing, with the buttons that go on.

    Args:
        as_it_is: Asks what is set on the camera.
        bring_in: Imports clips.
    """

    def __init__(self, as_it_is: QAction, bring_in: QAction) -> None:
        super().__init__()
        self.setObjectName("card")
        inside = QHBoxLayout(self)
        inside.setContentsMargins(18, 8, 18, 8)
        self.words = WrappedLabel()
        inside.addWidget(self.words, 1)
        inside.addWidget(button("As it is now…", as_it_is.trigger, tip="What is set on the camera"))
        self.bring_in = button("Import…", bring_in.trigger, "primary")
        inside.addWidget(self.bring_in)
        self.hide()

    def show_for(self, model: CameraModel | None) -> None:
        """Say what is missing of a camera; nothing is shown where all is there."""
        if model is None:
            self.hide()
            return
        installed = model.camera.installed
        empty = not model.evidence.clips
        self.words.setText(
            NO_CLIPS
            if empty
            else f"Not known how it is set: {unknown_words(installed)}. Figures allow for any setting."
        )
        self.bring_in.setVisible(empty)
        self.setVisible(empty or not installed.says_what_triggers)
