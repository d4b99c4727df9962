"""Missed and coverage: what the evidence can answer, and what no record of the camera covers."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.core.base.words import count_of
from guardia.core.score.coverage import covered, questions
from guardia.ui.parts.widgets import FreshPage, button, card, clear, label, page_head

_MARKS = {"yes": "●", "partly": "◐", "no": "○"}


def _hours(seconds: float) -> str:
    if not seconds:
        return "none"
    return f"{seconds / 60:.1f} min" if seconds < 5400 else f"{seconds / 3600:.1f} h"


class CoveragePage(FreshPage):
    """Coverage by origin, questions with their answers, and the search for what was missed."""

    asked = pyqtSignal(tuple, str)

    def __init__(self, session: Session, model: CameraModel, tabs: QWidget, watched: Callable[[], object]) -> None:
        super().__init__()
        self._session = session
        self._model = model
        page, head = page_head(self, "Evidence")
        head.addWidget(tabs)
        head.addStretch()
        page.addLayout(head)
        inner = QWidget()
        layout = QVBoxLayout(inner)
        layout.setContentsMargins(0, 0, 6, 0)
        layout.setSpacing(8)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(inner)
        page.addWidget(area, 1)
        top = QHBoxLayout()
        top.addWidget(label("How much evidence is here", "head"))
        top.addStretch()
        self._watched = label("", "muted")
        top.addWidget(self._watched)
        self.ask_watched = button("Time covered…", watched, tip="Say when this camera was up and when it was down")
        top.addWidget(self.ask_watched)
        layout.addLayout(top)
        self._table = QGridLayout()
        self._table.setHorizontalSpacing(24)
        frame = card()
        frame.setLayout(self._table)
        layout.addWidget(frame)
        layout.addWidget(label("What it can answer", "head"))
        self._questions = QGridLayout()
        self._questions.setHorizontalSpacing(12)
        self._questions.setVerticalSpacing(7)
        frame = card()
        frame.setLayout(self._questions)
        layout.addWidget(frame)
        layout.addWidget(label("What the camera missed", "head"))
        frame = card()
        inside = QVBoxLayout(frame)
        self._missed = label("", wrap=True)
        inside.addWidget(self._missed)
        row = QHBoxLayout()
        self.search = button(
            "Search again", self.look, tip="Search footage and snapshots with the most sensitive level"
        )
        self.show_found = button("Show what no record covers", self._show, "primary")
        self.take_up = button("Add as occurrences", self._take_up)
        for each in (self.show_found, self.take_up, self.search):
            row.addWidget(each)
        row.addStretch()
        inside.addLayout(row)
        layout.addWidget(frame)
        layout.addStretch()
        model.evidence_changed.connect(self.refresh_if_shown)
        model.judgements_changed.connect(self.refresh_if_shown)
        self.setFocusProxy(self.search)
        self.fill()

    def refresh(self) -> None:
        """Show it as it is now."""
        evidence = self._model.evidence
        watch = evidence.watch
        self._watched.setText(
            f"{watch.days:.1f} days covered, {watch.counted_days:.1f} fully reviewed"
            if watch.spans
            else "time covered not known"
        )
        clear(self._table)
        for column, text in enumerate(("", "clips", "bright picture", "dark picture")):
            self._table.addWidget(label(text, "muted"), 0, column)
        for row, line in enumerate(covered(evidence), start=1):
            self._table.addWidget(label(line.origin.value), row, 0)
            cells = (str(line.clips), _hours(line.bright_s), _hours(line.dark_s))
            for column, text in enumerate(cells, start=1):
                heading = label(text)
                heading.setAlignment(Qt.AlignmentFlag.AlignLeft)
                self._table.addWidget(heading, row, column)
        self._table.setColumnStretch(3, 1)
        clear(self._questions)
        for row, question in enumerate(questions(evidence)):
            self._questions.addWidget(label(f"{_MARKS[question.answer]}  {question.answer}", "head"), row, 0)
            self._questions.addWidget(label(question.text, wrap=True), row, 1)
            self._questions.addWidget(label(question.why, "muted", wrap=True), row, 2)
        self._questions.setColumnStretch(1, 1)
        self._questions.setColumnStretch(2, 1)
        self.look()

    def look(self) -> None:
        """Search footage, walk tests and snapshots for motion that no record covers."""
        stretches = self._model.occurrences.uncovered()
        known = [u.occurrence_id for u in stretches if u.occurrence_id is not None]
        fresh = [u for u in stretches if u.occurrence_id is None]
        waiting = sum(not self._model.occurrence(i).kind for i in known)
        if not stretches:
            self._missed.setText(
                "Nothing moved on footage, walk tests or snapshots that no motion clip and no event covers."
                if self._model.evidence.continuous_s or self._model.evidence.snapshots
                else "Only continuous footage, walk tests and snapshots can show what was missed; none is here yet."
            )
        else:
            count = count_of(len(stretches), "stretch", "stretches")
            words = f"{count} moved with no motion clip and no event of the camera."
            if waiting:
                words += f" {waiting} of them are not judged yet."
            if fresh:
                words += f" {len(fresh)} are no occurrence yet."
            self._missed.setText(words)
        self.show_found.setEnabled(bool(known))
        self.take_up.setEnabled(bool(fresh))

    def _show(self) -> None:
        ids = tuple(u.occurrence_id for u in self._model.occurrences.uncovered() if u.occurrence_id is not None)
        self.asked.emit(ids, f"No record covers these {len(ids)}")

    def _take_up(self) -> None:
        self._session.occurrences.take_up(self._model.camera.id)
