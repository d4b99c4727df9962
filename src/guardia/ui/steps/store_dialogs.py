"""Dialogs of Storage: a store, and what was read off a store or a camera."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date, datetime
from typing import Any

from PyQt6.QtCore import QDate, QDateTime
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDateEdit,
    QDateTimeEdit,
    QDialog,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QWidget,
)

from guardia.core.base.errors import InvalidValue
from guardia.core.storage.readings import OF_STORE, RANGES, STATES, UNIT_GB, Measure, Reading, value_shown
from guardia.core.storage.stores import Store, StoreKind, Takes
from guardia.ui.parts.widgets import WrappedLabel, choice, dated, dialog_ends

FED_WITH = (
    ("not known", 0.0), ("5 V (USB)", 5.0), ("12 V", 12.0), ("24 V", 24.0), ("48 V (network cable)", 48.0),
)  # fmt: skip


class _Maybe(QWidget):
    """A field that may be left open."""

    def __init__(self, field: QWidget, *, known: bool) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.known = QCheckBox()
        self.known.setAccessibleName("known")
        row.addWidget(self.known)
        row.addWidget(field, 1)
        self.known.toggled.connect(field.setEnabled)
        self.known.setChecked(known)
        field.setEnabled(known)


def _number(value: float | None, suffix: str, decimals: int = 2) -> QDoubleSpinBox:
    field = QDoubleSpinBox()
    field.setDecimals(decimals)
    field.setRange(-1e6, 1e9)  # what cannot be is told, not silently cut
    field.setSuffix(suffix)
    field.setValue(value or 0.0)
    return field


class StoreDialog(QDialog):
    """Asks for one store; what cannot be is refused in place.

    Args:
        parent: The page.
        store: To be corrected, None for a new one.
        here: Whether the camera records to it.
        camera: Its name.
    """

    def __init__(self, parent: QWidget, store: Store | None, *, here: bool, camera: str) -> None:
        super().__init__(parent)
        self.setWindowTitle("Store" if store else "Enter a store")
        self.store: Store | None = None
        form = QFormLayout(self)
        self.name = QLineEdit(store.name if store else "")
        self.name.setPlaceholderText("Named after its place")
        self.kind = choice([(kind.value, kind) for kind in StoreKind], store.kind if store else None)
        self.capacity = _number(store.capacity_gb if store else 64.0, "", 3)
        self.unit = QComboBox()
        self.unit.addItems(list(UNIT_GB))
        both = QWidget()
        row = QHBoxLayout(both)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.capacity, 1)
        row.addWidget(self.unit)
        self.begins, self.ends = (
            dated(QDateEdit(QDate(day.year, day.month, day.day) if day else QDate.currentDate()))
            for day in ((store.begins, store.ends) if store else (None, None))
        )
        for field in (self.begins, self.ends):
            field.setDisplayFormat("yyyy-MM-dd")
            field.setCalendarPopup(True)
        self.keeps = _number(store.keeps_days if store else None, " days", 1)
        self.price = _number(store.price if store else None, "")
        self.monthly = _number(store.price_per_month if store else None, " a month")
        self.lasts = _number(store.lasts_years if store else None, " years", 1)
        self.longest = _number(store.longest_s if store else None, " s", 0)
        self._maybe = {
            name: _Maybe(field, known=store is not None and getattr(store, name) is not None)
            for name, field in (
                ("begins", self.begins), ("ends", self.ends), ("keeps_days", self.keeps), ("price", self.price),
                ("price_per_month", self.monthly), ("lasts_years", self.lasts), ("longest_s", self.longest),
            )
        }  # fmt: skip
        self.known = {name: maybe.known for name, maybe in self._maybe.items()}
        self.takes = choice([(takes.value, takes) for takes in Takes], store.takes if store else Takes.ALL)
        self.beside = QCheckBox("also while another store is chosen; a copy always does")
        self.beside.setChecked(store is not None and store.beside)
        self.classes = QLineEdit(", ".join(store.classes) if store else "")
        self.classes.setPlaceholderText("everything, or person, vehicle …")
        self.here = QCheckBox(f"{camera} records to it")
        self.here.setChecked(here)
        for words, widget in (
            ("Name", self.name), ("What it is", self.kind), ("Capacity as printed", both),
            ("In use since", self._maybe["begins"]), ("A plan keeps", self._maybe["keeps_days"]),
            ("A plan's last day", self._maybe["ends"]), ("Price", self._maybe["price"]),
            ("Price of a plan", self._maybe["price_per_month"]), ("Replaced after", self._maybe["lasts_years"]),
            ("What goes there", self.takes), ("Named by the camera", self.classes),
            ("Recordings are cut after", self._maybe["longest_s"]), ("Gets it", self.beside), ("", self.here),
        ):  # fmt: skip
            form.addRow(words, widget)
        self.trouble = WrappedLabel()
        self.trouble.setObjectName("warning")
        form.addRow(self.trouble)
        form.addRow(dialog_ends(self))

    def accept(self) -> None:
        """Take it, if it can be."""
        values: dict[str, Any] = {
            "begins": self.begins.date().toPyDate(), "ends": self.ends.date().toPyDate(),
            "keeps_days": self.keeps.value(), "price": self.price.value(), "price_per_month": self.monthly.value(),
            "lasts_years": self.lasts.value(), "longest_s": self.longest.value(),
        }  # fmt: skip
        known = {name: value for name, value in values.items() if self.known[name].isChecked()}
        try:
            self.store = Store(
                self.name.text().strip(), self.kind.currentData(),
                round(self.capacity.value() * UNIT_GB[self.unit.currentText()], 3),
                beside=self.beside.isChecked(), takes=self.takes.currentData(),
                classes=tuple(w for part in self.classes.text().lower().split(",") if (w := part.strip())), **known,
            )  # fmt: skip
        except InvalidValue as error:
            self.trouble.setText(str(error))
            return
        super().accept()


class ReadingDialog(QDialog):
    """Asks what was read, and when; what cannot be is refused in place.

    Args:
        parent: The page.
        subject: What was looked at.
        measures: What can be read there, used and free space of a store.
        fed_v: Volts that a camera is fed with, 0 while nobody said; None where that is not asked.
        now: On the site's clock.
        moment: POSIX seconds of a wall time.
    """

    def __init__(
        self, parent: QWidget, subject: str, *, measures: Sequence[Measure], fed_v: float | None, now: datetime,
        moment: Callable[[datetime], float],
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._moment, self._now = moment, now.replace(tzinfo=None)
        self.setWindowTitle(f"Read off {subject}")
        self.readings: Sequence[Reading] = ()
        form = QFormLayout(self)
        self.at = dated(QDateTimeEdit(QDateTime(now.year, now.month, now.day, now.hour, now.minute)))
        self.at.setDisplayFormat("yyyy-MM-dd HH:mm")
        self.at.setCalendarPopup(True)
        form.addRow("When", self.at)
        self.state = choice([("not looked at", None), *((state.value, state) for state in STATES)])
        self.unit = QComboBox()
        self.unit.addItems(list(UNIT_GB))
        self.values: dict[Measure, QDoubleSpinBox] = {}
        self.known: dict[Measure, QCheckBox] = {}
        of_store = Measure.USED in measures
        for measure in measures:
            space = measure in OF_STORE
            field = _number(None, "" if space else f" {RANGES[measure].unit}", 2)
            self.values[measure], row = field, _Maybe(field, known=False)
            self.known[measure] = row.known
            form.addRow(measure.value.capitalize(), row)
        self.fed = choice(FED_WITH)
        if fed_v is not None:
            self.fed.setCurrentIndex(max(0, self.fed.findData(fed_v)))
            form.addRow("It is fed with", self.fed)
        if of_store:
            form.addRow("Unit as shown", self.unit)
            form.addRow("State", self.state)
        self.trouble = WrappedLabel()
        self.trouble.setObjectName("warning")
        form.addRow(self.trouble)
        form.addRow(dialog_ends(self))

    def _reading(self, at_s: float, measure: Measure, value: float) -> Reading:
        if measure not in OF_STORE:
            return Reading(at_s, measure, value)
        found, gigabytes, shown = value_shown(measure, f"{value} {self.unit.currentText()}")
        return Reading(at_s, found, gigabytes, shown)

    def accept(self) -> None:
        """Take it, if it can be."""
        wall = self.at.dateTime().toPyDateTime()
        at_s = self._moment(wall)
        try:
            stores = [
                self._reading(at_s, measure, field.value())
                for measure, field in self.values.items() if self.known[measure].isChecked()
            ]  # fmt: skip
            if (state := self.state.currentData()) is not None:
                stores.append(Reading(at_s, state))
        except InvalidValue as error:
            self.trouble.setText(str(error))
            return
        if not stores or wall > self._now:
            future = f"{wall:%Y-%m-%d %H:%M} lies in the future."
            self.trouble.setText(future if stores else "Nothing is entered: tick what you read.")
            return
        self.readings = stores
        super().accept()


class DayDialog(QDialog):
    """Asks for which day it is told what is still there."""

    def __init__(self, parent: QWidget, day: date) -> None:
        super().__init__(parent)
        self.setWindowTitle("As on which day")
        form = QFormLayout(self)
        self.evidence = QCheckBox("the last day of evidence and readings")
        self.at = dated(QDateEdit(QDate(day.year, day.month, day.day)))
        self.at.setDisplayFormat("yyyy-MM-dd")
        self.at.setCalendarPopup(True)
        self.evidence.toggled.connect(self.at.setDisabled)
        form.addRow("At the end of", self.at)
        form.addRow("", self.evidence)
        form.addRow(dialog_ends(self))

    @property
    def day(self) -> date | None:
        """The day, None for the end of what is known."""
        return None if self.evidence.isChecked() else self.at.date().toPyDate()
