"""Prediction against outcome: what came since the last change, what the next week is to bring, and how to get there."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout

from guardia.app.steps.tune_model import TuneModel
from guardia.core.base.intervals import Expected
from guardia.core.base.words import sentence
from guardia.core.tuning.check import Check
from guardia.ui.parts.widgets import FreshPage, IntervalBars, Triple, WrappedLabel, button, clear, label


class CheckView(FreshPage):
    """The figures of the check above, what the next week is expected to bring below."""

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
        layout.addSpacing(12)
        layout.addWidget(label("What the next week is expected to bring (90 %)", "head"))
        self.coming = WrappedLabel()
        layout.addWidget(self.coming)
        self.bars = []
        for colour in ("false", "false", "missed"):
            head, bar = label("", "muted"), IntervalBars("expected in a week", colour, lambda v: f"{v:.0f}", percent=90)
            self.bars.append((head, bar))
            layout.addSpacing(8)
            layout.addWidget(head)
            layout.addWidget(bar)
        layout.addStretch()
        model.expecting.changed.connect(self.refresh_if_shown)
        model.model.comparison_changed.connect(self.refresh_if_shown)

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
        self._show_coming()

    def _show_coming(self) -> None:
        week = self._model.next_week()
        things = list(zip(*week, strict=True)) if week is not None else []
        self.coming.setText(
            "Working it out …" if week is None
            else "" if things
            else "Judge a whole day first: judge all of its occurrences under Evidence."
        )  # fmt: skip
        self.coming.setVisible(bool(self.coming.text()))
        for n, (head, bar) in enumerate(self.bars):
            there = n < len(things)
            head.setVisible(there)
            bar.setVisible(there)
            if there:
                installed, draft = things[n]
                head.setText(sentence(installed.several))
                bar.show_values(_triple(installed.expected), _triple(draft.expected))

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


def _triple(expected: Expected) -> Triple:
    return expected.mean, expected.low, expected.high
