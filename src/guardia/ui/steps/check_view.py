"""Prediction against outcome: what came since the last change, and how to get there."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from guardia.app.steps.tune_model import TuneModel
from guardia.core.tuning.check import Check
from guardia.ui.parts.widgets import WrappedLabel, button, clear, label


class CheckView(QWidget):
    """The figures of the check above, what to do for the next below."""

    def __init__(self, model: TuneModel) -> None:
        super().__init__()
        self._model = model
        layout = QVBoxLayout(self)
        self._figures = QGridLayout()
        self._figures.setHorizontalSpacing(18)
        layout.addLayout(self._figures)
        self.words = WrappedLabel()
        layout.addWidget(self.words)
        self.run = button(
            "&Run the next week", self._run, tip="Enters the draft on this simulated camera and lets it run"
        )
        layout.addWidget(self.run, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addStretch()

    def _run(self) -> None:
        self._model.run_week()

    def refresh(self) -> None:
        """Show it as it is now."""
        check, simulated = self._model.model.check, self._model.simulated
        clear(self._figures)
        self.run.setVisible(simulated)
        if check is not None:
            self._fill(check)
        how = (
            "This camera is simulated: it can run the next week at once under the draft. The week is judged by what "
            "really happened. Each day is imported as soon as it is recorded; a whole week takes some minutes."
            if simulated
            else "Enter the draft on the camera (Hand over), import the days after it, and judge them. Then what came "
            "is compared here with what was expected."
        )
        self.words.setText(f"{check.words}\n\n{how}" if check is not None else how)

    def _fill(self, check: Check) -> None:
        expected = check.expected
        rows = (
            ("false recordings expected", f"{expected.low:.0f} to {expected.high:.0f} (90 %)"),
            ("false recordings that came", f"{check.observed}"),
            ("judged days since the change", f"{check.days:.1f}"),
            ("prediction and outcome", "agree" if check.agrees else "do not agree"),
        )
        for row, (words, text) in enumerate(rows):
            self._figures.addWidget(label(words, "muted"), row, 0)
            self._figures.addWidget(label(text, "strong"), row, 1)
        self._figures.setColumnStretch(1, 1)
