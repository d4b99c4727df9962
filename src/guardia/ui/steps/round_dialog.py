"""The round by keyboard: one camera after another in patrol order, Enter keeps and goes on."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QCheckBox, QDialog, QFormLayout, QHBoxLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from guardia.app.project.session import Session
from guardia.app.steps.round_walk import RoundWalk
from guardia.core.base.errors import InvalidValue
from guardia.core.prove.due import Due
from guardia.core.storage.readings import RANGES, SEEN, Measure
from guardia.ui.parts.tables import fill_table, row_table, stretch_columns
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import WrappedLabel, button, label


class RoundDialog(QDialog):
    """One camera at a time.

    Args:
        parent: The page.
        session: The open project.
    """

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self.setWindowTitle("Walk the round")
        self.resize(760, 560)
        self.walk = RoundWalk(session)
        self._today = session.rounds.today
        self._dues: list[Due] = []
        layout = QVBoxLayout(self)
        self.title = label("", "title")
        layout.addWidget(self.title)
        self.table = row_table("What is due here", ("by", "what to do", "why then"))
        stretch_columns(self.table, 1, 2)
        self.table.keys["D"] = self._done
        self.table.setToolTip("D: a date that was entered by hand is done with")
        layout.addWidget(self.table, 1)
        self.form = QFormLayout()
        layout.addLayout(self.form)
        self.fields: dict[Measure, tuple[QLineEdit, QLabel]] = {}
        self.seen = {state: QCheckBox(state.capitalize()) for state in SEEN}
        self.note = QLineEdit()
        self.note.setPlaceholderText("What you saw or did, for the logbook")
        self.trouble = WrappedLabel()
        self.trouble.setObjectName("warning")
        layout.addWidget(self.trouble)
        row = QHBoxLayout()
        self.previous = button("&Back", self._back, tip="To the camera before (Alt+Left)")
        row.addWidget(self.previous)
        row.addWidget(button("&Skip", self._skip, tip="Leave this camera out (Alt+Right)"))
        row.addStretch()
        row.addWidget(button("C&lose", self.reject))
        self.next = button("&Keep and next", self._keep, "primary", "Enter, from any field")
        self.next.setDefault(True)
        row.addWidget(self.next)
        layout.addLayout(row)
        self._show()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Alt with an arrow goes to the camera before or after; the rest as in every dialog."""
        go = {Qt.Key.Key_Left: self._back, Qt.Key.Key_Right: self._skip}
        alt = event is not None and event.modifiers() & Qt.KeyboardModifier.AltModifier
        if event is not None and alt and event.key() in go:
            go[Qt.Key(event.key())]()
            return
        super().keyPressEvent(event)

    def _show(self) -> None:
        """Ask for the camera that it is at now; at the end, close."""
        model = self.walk.model
        if model is None:
            self.accept()
            return
        count = len(self.walk.cameras)
        self.title.setText(f"{model.camera.name}  ({self.walk.at + 1} of {count})")
        self._dues = self.walk.due()
        rows = [(f"{d.on:%a %Y-%m-%d}", d.what, d.why) for d in self._dues]
        fill_table(self.table, rows, lambda r, c: c == 0 and self._dues[r].on < self._today)
        while self.form.rowCount():
            taken = self.form.takeRow(0)
            words = taken.labelItem.widget() if taken.labelItem is not None else None
            if words is not None:  # the form makes it, and leaves it where it was
                words.hide()
                words.deleteLater()
        for field, hint in self.fields.values():
            field.hide()
            field.deleteLater()
            hint.hide()
            hint.deleteLater()
        self.fields = {}
        for measure in self.walk.asks():
            field, hint = QLineEdit(), label(self._hint(measure), "muted")
            field.setAccessibleName(measure.value)
            field.setMaximumWidth(THEME.px(120))
            line = QHBoxLayout()
            line.addWidget(field)
            line.addWidget(hint, 1)
            self.form.addRow(measure.capitalize(), line)
            self.fields[measure] = (field, hint)
        for box in self.seen.values():
            box.setChecked(False)
            self.form.addRow("", box)
        self.note.clear()
        self.form.addRow("Note", self.note)
        self.trouble.setText("")
        self.previous.setEnabled(self.walk.at > 0)
        self.next.setText("&Keep and next" if self.walk.at + 1 < count else "&Keep and end")
        first = next((field for field, _ in self.fields.values()), self.note)
        first.setFocus(Qt.FocusReason.TabFocusReason)

    def _hint(self, measure: Measure) -> str:
        last = self.walk.last(measure)
        units = {Measure.SIGNAL: "dBm, bars such as 3/4, a word, a colour or %"}
        units |= dict.fromkeys((Measure.USED, Measure.FREE), "GB, or with its unit: 58 GiB")
        return f"{units.get(measure, RANGES[measure].unit)}{f'; last {last}' if last else ''}"

    def _keep(self) -> None:
        typed = {measure: field.text() for measure, (field, _) in self.fields.items()}
        seen = [state for state, box in self.seen.items() if box.isChecked()]
        try:
            self.walk.keep(typed, seen, self.note.text())
        except InvalidValue as error:
            self.trouble.setText(str(error))
            return
        self._show()

    def _skip(self) -> None:
        self.walk.skip()
        self._show()

    def _back(self) -> None:
        self.walk.back()
        self._show()

    def _done(self) -> None:
        row = self.table.currentRow()
        if 0 <= row < len(self._dues) and self._dues[row].by_hand:
            self.walk.done(self._dues[row])
            self._show()
