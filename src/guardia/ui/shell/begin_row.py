"""What stands above every step of a camera of which the first things are missing: its clips, or how it is set."""

from __future__ import annotations

from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QFrame, QHBoxLayout

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.first_day import is_unknown
from guardia.core.make.levers import unknown_words
from guardia.ui.parts.widgets import WrappedLabel, button

NO_CLIPS = "Nothing that this camera recorded is here yet: import motion clips, footage, a walk test."


class BeginRow(QFrame):
    """Says what is missing, with the buttons that go on.

    Args:
        make: Asks of which make it is.
        as_it_is: Asks what is set on the camera.
        bring_in: Imports clips.
    """

    def __init__(self, make: QAction, as_it_is: QAction, bring_in: QAction) -> None:
        super().__init__()
        self.setObjectName("card")
        inside = QHBoxLayout(self)
        inside.setContentsMargins(18, 8, 18, 8)
        self.words = WrappedLabel()
        inside.addWidget(self.words, 1)
        self.make = button(
            "Make…", make.trigger, "primary", "Which make it is: what can be set on it follows from that"
        )
        inside.addWidget(self.make)
        inside.addWidget(button("As it is now…", as_it_is.trigger, tip="What is set on the camera"))
        self.bring_in = button("Import…", bring_in.trigger, "primary")
        inside.addWidget(self.bring_in)
        self.hide()

    def show_for(self, model: CameraModel | None) -> None:
        """Say what is missing of a camera; nothing is shown where all is there."""
        if model is None:
            self.hide()
            return
        installed, no_make = model.camera.installed, is_unknown(model.camera.capability)
        empty = not model.evidence.clips
        self.words.setText(
            NO_CLIPS
            if empty
            else f"Not known how it is set: {unknown_words(installed)}. Figures allow for any setting."
        )
        if no_make and not empty:
            self.words.setText("Its make is not known: what can be set on it is only assumed.")
        self.make.setVisible(no_make and not empty)
        self.bring_in.setVisible(empty)
        self.setVisible(empty or no_make or not installed.says_what_triggers)
