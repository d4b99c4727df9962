"""Occurrences by settings: what becomes of each under any of the settings that are looked at."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QHeaderView, QTableWidgetItem, QVBoxLayout, QWidget

from guardia.app.project.session import Session
from guardia.app.steps.tune_model import TuneModel
from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Occurrence
from guardia.core.purpose.judgement import Verdict, kind_of
from guardia.core.replay.gates import Outcome
from guardia.ui.canvas.middle_pictures import MiddlePictures, PictureDelegate
from guardia.ui.parts.tables import row_table
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import WrappedLabel


class CompareView(QWidget):
    """A row for each occurrence that the settings treat differently, a column for each of the settings.

    `asked` is emitted with the occurrences of a row that is opened, and their title.
    """

    asked = pyqtSignal(tuple, str)

    def __init__(self, session: Session, model: TuneModel) -> None:
        super().__init__()
        self._session, self._model = session, model
        self._ids: list[tuple[int, ...]] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.words = WrappedLabel()
        self.words.setObjectName("muted")
        layout.addWidget(self.words)
        self.table = row_table("Occurrences by settings", ())
        self.table.setToolTip("Enter or a double click shows the occurrence among the evidence")
        self._found: dict[int, Occurrence] = {}
        pictures = MiddlePictures(session, lambda number: (model.model, self._found[number]))
        delegate = PictureDelegate(self.table, session, pictures, self._of_row)
        self.table.setItemDelegateForColumn(0, delegate)
        self.table.itemActivated.connect(lambda item: self.asked.emit(self._ids[item.row()], "Compared in Tune"))
        layout.addWidget(self.table, 1)
        model.comparing.changed.connect(self.refresh_if_shown)

    def _of_row(self, row: int) -> int | None:
        return self._ids[row][0] if row < len(self._ids) else None

    def refresh_if_shown(self) -> None:
        """Show the settings that are compared now, unless nobody looks."""
        if self.isVisible():
            self.refresh()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Show them as they are now."""
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """Show the settings that are compared now."""
        columns, found = self._model.columns(), self._model.compared()
        rows = found or []
        evidence, table = self._model.model.evidence, self.table
        self._found = {part.id: part for visit, _ in rows for part in visit}
        self._ids = [tuple(part.id for part in visit) for visit, _ in rows]
        heads = ["when", "what", *(words for words, _ in columns)]
        table.setColumnCount(len(heads))
        table.setHorizontalHeaderLabels(heads)
        table.setRowCount(len(rows))
        for row, (visit, outcomes) in enumerate(rows):
            when = self._session.local_time(evidence.span_s(visit[0])[0])
            real = visit.verdict is Verdict.REAL
            texts = [f"{when:%d %b %Y %H:%M}", kind_of(visit.kind).text, *(_became(o) for o in outcomes)]
            for column, text in enumerate(texts):
                item = QTableWidgetItem(text)
                bad = column >= 2 and (outcomes[column - 2].marked != real)
                if bad:
                    item.setForeground(THEME.colour("false"))
                if column >= 2:
                    item.setToolTip(outcomes[column - 2].reason)
                table.setItem(row, column, item)
        if (side := table.verticalHeader()) is not None:
            side.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        if (header := table.horizontalHeader()) is not None:
            header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
            header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        if found is None:
            self.words.setText("Comparing …")
            return
        self.words.setText(
            f"{count_of(len(rows), 'judged occurrence')} that these settings treat differently. A click on a point of "
            "the trade-off adds its settings."
            if len(columns) > 1
            else "Draft and installed are the same. Search, or click a point of the trade-off, to compare."
        )


def _became(outcome: Outcome) -> str:
    """What became of it, in a word or two."""
    if outcome.marked:
        marks = [word for word, is_so in (("late", outcome.late), ("cut", outcome.cut)) if is_so]
        return " and ".join(marks) or "recorded"
    return f"no: {outcome.gate}"
