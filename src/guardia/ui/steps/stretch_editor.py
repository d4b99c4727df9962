"""The stretches of a plan as a list with typed times beside the ribbon."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PyQt6.QtCore import QTime, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QListWidget,
    QMenu,
    QPushButton,
    QSpinBox,
    QTimeEdit,
    QWidget,
)

from guardia.app.steps.hours_model import HoursModel
from guardia.core.base.errors import InvalidValue
from guardia.core.hours.place import SunEvent
from guardia.core.hours.plan import DAY_MIN, EVERY_DAY, MOST_SUN_MIN, WEEKDAYS, Edge, Stretch
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import WrappedLabel, button, choice, label, two_columns
from guardia.ui.steps.hours_dialogs import ShareDialog

_BY = [("at", None), *((event.value, event) for event in SunEvent)]


class EdgeEditor(QWidget):
    """Where a stretch begins or ends: a time of day, or minutes around a sun event."""

    changed = pyqtSignal()

    def __init__(self, words: str) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.by = choice(_BY, name=f"{words}: by the clock or the sun")
        self.time = QTimeEdit()
        self.time.setDisplayFormat("HH:mm")
        self.time.setKeyboardTracking(False)
        self.time.setAccessibleName(f"{words}, time of day")
        self.offset = QSpinBox()
        self.offset.setRange(-MOST_SUN_MIN, MOST_SUN_MIN)
        self.offset.setSuffix(" min")
        self.offset.setKeyboardTracking(False)
        self.offset.setAccessibleName(f"{words}, minutes after the sun event")
        for widget in (self.by, self.time, self.offset):
            row.addWidget(widget)
        row.addStretch()
        self.by.activated.connect(self._by_chosen)
        self.time.timeChanged.connect(lambda _: self.changed.emit())
        self.offset.valueChanged.connect(lambda _: self.changed.emit())
        self._show_fields()

    def _by_chosen(self) -> None:
        self._show_fields()
        self.changed.emit()

    def _show_fields(self) -> None:
        by_clock = self.by.currentData() is None
        self.time.setVisible(by_clock)
        self.offset.setVisible(not by_clock)

    def show_edge(self, edge: Edge) -> None:
        """Show an edge."""
        for widget in (self.by, self.time, self.offset):
            widget.blockSignals(True)
        self.by.setCurrentIndex([event for _, event in _BY].index(edge.sun))
        if edge.sun is None:
            self.time.setTime(QTime(edge.minute // 60 % 24, edge.minute % 60))
        else:
            self.offset.setValue(edge.minute)
        for widget in (self.by, self.time, self.offset):
            widget.blockSignals(False)
        self._show_fields()

    def edge(self, *, last: bool) -> Edge:
        """What is entered; midnight as an end on the same day is 24:00."""
        event = self.by.currentData()
        if event is not None:
            return Edge(self.offset.value(), SunEvent(event))
        minute = self.time.time().hour() * 60 + self.time.time().minute()
        return Edge(DAY_MIN if last and not minute else minute)


class StretchEditor(QWidget):
    """The list, and the fields of the chosen stretch beside it."""

    def __init__(self, model: HoursModel) -> None:
        super().__init__()
        self._model = model
        layout, beside = two_columns(self)
        self.list = QListWidget()
        self.list.setAccessibleName("Stretches of hours")
        self.list.setMinimumHeight(56)
        self.list.currentRowChanged.connect(self._pick)
        layout.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.add = button("&Add", model.tool.add, tip="A night on every day, to be changed (Insert)")
        self.remove = button("&Remove", model.tool.remove, tip="Remove the chosen stretch (Delete)")
        self.always = button("Al&ways", lambda: model.keep(None, "no hours"), tip="No hours at all: always on")
        self.other = button("Others …", self._offer_others, tip="Share these hours with other cameras, or take theirs")
        self.sun = button("By the sun", model.follow_sun, tip="From a little before dusk to a little after dawn")
        for act in (self.add, self.remove, self.always, self.sun, self.other):
            row.addWidget(act)
        row.addStretch()
        layout.addLayout(row)
        self.fields = QWidget()
        grid = QGridLayout(self.fields)
        grid.setContentsMargins(0, 0, 0, 0)
        days = QHBoxLayout()
        days.setSpacing(3)
        self.days: list[QPushButton] = []
        for name in WEEKDAYS:
            day = QPushButton(name[:2])
            day.setCheckable(True)
            day.setMaximumWidth(THEME.px(42))
            day.setAccessibleName(name)
            day.clicked.connect(lambda _=False: self._typed())
            days.addWidget(day)
            self.days.append(day)
        grid.addWidget(label("Days", "muted"), 0, 0)
        grid.addLayout(days, 0, 1)
        self.begin, self.end = EdgeEditor("Beginning"), EdgeEditor("End")
        self.overnight = QCheckBox("on the next day")
        for at, (words, widget) in enumerate((("From", self.begin), ("To", self.end), ("", self.overnight)), start=1):
            grid.addWidget(label(words, "muted"), at, 0)
            grid.addWidget(widget, at, 1)
        self.begin.changed.connect(self._typed)
        self.end.changed.connect(self._typed)
        self.overnight.toggled.connect(lambda _on: self._typed())
        grid.setColumnStretch(1, 1)
        beside.addWidget(self.fields)
        beside.addStretch()
        self.trouble = WrappedLabel()
        self.trouble.setObjectName("warning")
        layout.addWidget(self.trouble)

    def refresh(self) -> None:
        """Show the plan as it is now."""
        plan, chosen = self._model.plan, self._model.tool.selected
        stretches = plan.stretches if plan is not None else ()
        self.list.blockSignals(True)
        self.list.clear()
        self.list.addItems([s.words for s in stretches])
        if chosen is not None and chosen < len(stretches):
            self.list.setCurrentRow(chosen)
        self.list.blockSignals(False)
        self.always.setEnabled(plan is not None)
        self.trouble.setVisible(False)
        self._show_fields()

    def _offer_others(self) -> None:
        menu = QMenu(self)
        if (sharing := menu.addAction("Share these hours with other cameras …")) is not None:
            sharing.triggered.connect(self._share)
        menu.addSeparator()
        for words, plan in self._model.sources():
            action = menu.addAction(f"Take those of {words}")
            if action is not None:
                action.triggered.connect(partial(self._model.keep, plan, "take hours of another camera"))
        menu.popup(self.other.mapToGlobal(self.other.rect().bottomLeft()))

    def _share(self) -> None:
        dialog = ShareDialog(self, *self._model.shared_with())
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self._model.share(dialog.name.text(), dialog.chosen)

    def _stretch(self) -> Stretch | None:
        plan, chosen = self._model.plan, self._model.tool.selected
        return plan.stretches[chosen] if plan and chosen is not None and chosen < len(plan.stretches) else None

    def _show_fields(self) -> None:
        stretch = self._stretch()
        self.fields.setEnabled(stretch is not None)
        self.remove.setEnabled(stretch is not None)
        if stretch is None:
            return
        for day, widget in enumerate(self.days):
            widget.setChecked(day in stretch.days)
        self.begin.show_edge(stretch.begin)
        self.end.show_edge(stretch.end)
        self.overnight.blockSignals(True)
        self.overnight.setChecked(stretch.overnight)
        self.overnight.blockSignals(False)

    def _pick(self, row: int) -> None:
        self._model.tool.selected = row if row >= 0 else None
        self._show_fields()
        self._model.changed.emit()

    def _typed(self) -> None:
        """Take what is typed; what cannot be is refused in place and the last valid hours stay."""
        stretch, plan, chosen = self._stretch(), self._model.plan, self._model.tool.selected
        if stretch is None or plan is None or chosen is None:
            return
        over = self.overnight.isChecked()
        days = tuple(day for day in EVERY_DAY if self.days[day].isChecked())
        try:
            new = Stretch(days, self.begin.edge(last=False), self.end.edge(last=not over), over)
        except InvalidValue as error:
            self.trouble.setText(f"{error} The hours are as before.")
            self.trouble.setVisible(True)
            return
        self.trouble.setVisible(False)
        if new != stretch:
            stretches = (*plan.stretches[:chosen], new, *plan.stretches[chosen + 1 :])
            self._model.keep(replace(plan, stretches=stretches), "change hours")
