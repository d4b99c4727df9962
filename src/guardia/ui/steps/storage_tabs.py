"""The tabs of Storage: what the draft says, the stores, what would be otherwise, what to save, schools and costs."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from guardia.app.steps.storage_model import StorageModel, storage_choices
from guardia.core.purpose.judgement import kind_of
from guardia.core.score.storage import KeepLonger, School, ToKeep, WhatIf
from guardia.core.storage.figure import short
from guardia.core.storage.readings import OF_STORE, RANGES, Measure, Reading
from guardia.ui.canvas.what_if_bars import WhatIfBars
from guardia.ui.parts.tables import fill_table, row_table, stretch_columns
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import FreshPage, WrappedLabel, button, choice, label
from guardia.ui.steps.store_dialogs import ReadingDialog, StoreDialog

CHART_FROM_PX = 250
"""With so much room below the settings they show what each of them keeps, as the tab 'What if' does."""


class SettingsTab(FreshPage):
    """What the draft says of storage, within what the make offers; where there is room, how long each choice keeps."""

    def __init__(self, model: StorageModel) -> None:
        super().__init__()
        self._model = model
        rules = model.rules
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 8, 0, 0)
        grid = QGridLayout()
        layout.addLayout(grid)
        grid.setHorizontalSpacing(14)
        self.boxes: dict[str, QComboBox] = {}
        for number, (name, words, choices) in enumerate(storage_choices(model.model.camera.capability)):
            box = choice(choices, name=words)
            box.activated.connect(
                lambda _i, n=name, b=box, w=words: self._change(f"change: {w.lower()}", n, b.currentData())
            )
            self.boxes[name] = box
            grid.addWidget(label(words, "muted"), 0 + 2 * (number // 2), number % 2)
            grid.addWidget(box, 1 + 2 * (number // 2), number % 2)
        self.checks: dict[str, QCheckBox] = {}
        for number, (name, words, offered) in enumerate((
            ("overwrite", "overwrites the oldest when the store is full", True),
            ("second_stream", "records a second, smaller stream beside", bool(rules.second_mbit_s)),
            ("white_light", "white light at night", rules.power is None or bool(rules.power.white_light_w)),
        )):  # fmt: skip
            check = QCheckBox(words)
            check.setEnabled(offered)
            check.toggled.connect(lambda on, n=name, w=words: self._change(w, n, on))
            self.checks[name] = check
            grid.addWidget(check, 4 + number, 0, 1, 2)
        self.note = WrappedLabel()
        self.note.setObjectName("muted")
        grid.addWidget(self.note, 7, 0, 1, 2)
        self.chart = _WhatIfChart()
        layout.addWidget(self.chart, 1)
        layout.addStretch()
        model.asking.changed.connect(self.refresh_if_shown)
        self._filling = False

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Show what each choice keeps where there is room for it."""
        super().resizeEvent(event)
        has_room = self.height() - self.note.geometry().bottom() >= THEME.px(CHART_FROM_PX)
        if has_room != self.chart.isVisibleTo(self):
            self.chart.setVisible(has_room)
            self.refresh()

    def _change(self, what: str, name: str, value: object) -> None:
        if not self._filling:
            self._model.set_storage(what, **{name: value})

    def refresh(self) -> None:
        """Show the draft as it is now."""
        self._filling = True
        storage = self._model.model.draft.storage
        for name, box in self.boxes.items():
            box.setCurrentIndex(max(0, box.findData(getattr(storage, name))))
        for name, check in self.checks.items():
            check.setChecked(getattr(storage, name))
        largest = self._model.rules.largest_gb
        self.note.setText(
            f"The largest medium that this make takes: {largest:g} GB. Power the camera off before a medium goes in or "
            "out, format it in the camera, and look for the recording mark afterwards."
        )
        self._filling = False
        if self.chart.isVisibleTo(self) and (answers := self._model.ask()) is not None:
            self.chart.show_found(answers[0], self._model)


class _WhatIfChart(QWidget):
    """Days kept by mode, quality and medium."""

    def __init__(self) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(label("Days kept by mode, quality and medium: each dot is a medium", "muted"))
        self.bars = WhatIfBars()
        room = QScrollArea()
        room.setWidgetResizable(True)
        room.setWidget(self.bars)
        layout.addWidget(room, 1)

    def show_found(self, table: Sequence[WhatIf], model: StorageModel) -> None:
        """Show what was found against what is required."""
        self.bars.show_found(table, model.required.value if model.required is not None else None)


class StoresTab(QWidget):
    """The stores of the site and what was read off them."""

    def __init__(self, model: StorageModel) -> None:
        super().__init__()
        self._model = model
        self._rows: list[tuple[int | None, Reading | None]] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        self.table = row_table(
            "Stores and readings", ("store", "what it is", "capacity, or reading", "records to it", "what goes there"),
            "No store is entered yet. Say where this camera records: a card, stick, disk, copy or plan. "
            "Readings of its free space then correct what is worked out.",
        )  # fmt: skip
        self.table.itemActivated.connect(lambda _: self.change())
        layout.addWidget(self.table, 1)
        row = QHBoxLayout()
        row.addWidget(button("E&nter a store …", self.add, tip="A card, stick, disk, copy or plan"))
        row.addWidget(button("Change …", self.change, tip="Correct the chosen store"))
        row.addWidget(button("Read it off …", self.read, tip="Used and free space, or its state, on a date"))
        row.addWidget(button("Read the camera off …", self.read_camera, tip="Battery, temperature, data used"))
        row.addWidget(button("Remove", self.remove, tip="Take the chosen store or reading out"))
        row.addStretch()
        layout.addLayout(row)
        self.stolen = WrappedLabel()
        layout.addWidget(self.stolen)

    def refresh(self) -> None:
        """Show them as they are now."""
        self._rows, rows = [], []
        names = self._model.camera_names()
        for fitted, here in self._model.stores():
            store = fitted.store
            hung = ", ".join(names.get(i, "?") for i in fitted.cameras) or "no camera"
            size = f"{store.capacity_gb:g} GB" if store.capacity_gb else f"keeps {store.keeps_days:g} days"
            size += f", until {store.ends}" if store.ends else ""
            rows.append((store.name, store.kind.value, size, hung, store.gets_words))
            self._rows.append((fitted.id, None))
            for reading in fitted.readings if here else ():
                rows.append(("", "", self._words(reading), "", ""))
                self._rows.append((fitted.id, reading))
        if readings := self._model.model.facts.readings():
            rows.append(("the camera itself", "", "", "", ""))
            self._rows.append((None, None))
            for reading in readings:
                rows.append(("", "", self._words(reading), "", ""))
                self._rows.append((None, reading))
        fill_table(self.table, rows)
        self.stolen.setText(self._model.stolen())

    def _words(self, reading: Reading) -> str:
        when = f"{self._model.local(reading.at_s):%Y-%m-%d %H:%M}"
        if reading.what not in RANGES:
            return f"{when}  {reading.what}"
        return f"{when}  {reading.what}: {reading.words}"

    @property
    def _chosen(self) -> tuple[int | None, Reading | None] | None:
        row = self.table.currentRow()
        return self._rows[row] if 0 <= row < len(self._rows) else None

    def add(self) -> None:
        """Ask for a store."""
        dialog = StoreDialog(self, None, here=True, camera=self._model.model.camera.name)
        if dialog.exec() == QDialog.DialogCode.Accepted and dialog.store is not None:
            self._model.keep_store(0, dialog.store, dialog.here.isChecked())

    def change(self) -> None:
        """Correct the chosen store."""
        number = self._chosen[0] if self._chosen else None
        entry = next(((f, here) for f, here in self._model.stores() if f.id == number), None)
        if entry is None:
            return
        dialog = StoreDialog(self, entry[0].store, here=entry[1], camera=self._model.model.camera.name)
        if dialog.exec() == QDialog.DialogCode.Accepted and dialog.store is not None:
            self._model.keep_store(entry[0].id, dialog.store, dialog.here.isChecked())

    def read(self) -> None:
        """Ask what was read off the chosen store, else off the one that is recorded to."""
        fitted = self._model.keeping.fitted
        number = self._chosen[0] if self._chosen and self._chosen[0] else fitted.id if fitted is not None else None
        chosen = next((f for f, _ in self._model.stores() if f.id == number), None)
        if chosen is not None:
            self._ask(chosen.id, f"'{chosen.store.name}'", of_store=True)

    def read_camera(self) -> None:
        """Ask what was read off the camera."""
        self._ask(None, f"'{self._model.model.camera.name}'", of_store=False)

    def _ask(self, number: int | None, subject: str, *, of_store: bool) -> None:
        model = self._model
        measures = OF_STORE if of_store else (*model.rules.measures, Measure.SIGNAL_SHOWN)
        fed_v = model.fed_v if Measure.SUPPLY in measures else None
        dialog = ReadingDialog(self, subject, measures=measures, fed_v=fed_v, now=model.now, moment=model.moment)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            model.add_readings(number, dialog.readings)
            if fed_v is not None and dialog.fed.currentData() != fed_v:
                model.set_fact("supply", dialog.fed.currentData() or None)

    def remove(self) -> None:
        """Take the chosen store or reading out."""
        if self._chosen is None:
            return
        number, reading = self._chosen
        if reading is not None:
            self._model.remove_reading(number, reading)
        elif number is not None:
            self._model.remove_store(number)


class AnswersTab(FreshPage):
    """What would be otherwise: ways to keep long enough, the what-if table, schools, costs."""

    def __init__(self, model: StorageModel) -> None:
        super().__init__()
        self._model = model
        self._ways: list[KeepLonger] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        self.words = WrappedLabel()
        layout.addWidget(self.words)
        self.ways = row_table("Ways to keep long enough", ("what is changed", "days kept", "price", "surely"))
        self.ways.itemActivated.connect(lambda item: self._model.take_way(self._ways[item.row()]))
        self.ways.setToolTip("Enter or a double click puts the settings of a way into the draft")
        layout.addWidget(self.ways, 1)
        self.chart = _WhatIfChart()
        self.what_if = self.chart.bars
        layout.addWidget(self.chart, 2)
        model.asking.changed.connect(self.refresh_if_shown)

    def refresh(self) -> None:
        """Show them as they are now."""
        answers = self._model.ask()
        if answers is None:
            self.words.setText("Working it out …")
            return
        table, ways, _ = answers
        self._ways = ways
        self.words.setText(self._words(ways))
        self.ways.setVisible(bool(ways))
        prices = [short(w.price) if w.price else "none" if w.price == 0 else "not known" for w in ways]
        rows = [(_way_words(w), w.days.words, p, "yes" if w.surely else "perhaps")
                for w, p in zip(ways, prices, strict=True)]  # fmt: skip
        fill_table(self.ways, rows)
        self.chart.show_found(table, self._model)

    def _words(self, ways: Sequence[KeepLonger]) -> str:
        required = self._model.required
        if required is None:
            return (
                "Say how many days footage must be kept: 'Days required' above. Below: days kept by mode, quality and "
                "medium."
            )
        if self._model.stops:
            return "The store stops when it is full: that comes first. Days below hold once it overwrites."
        if self._model.enough:
            return f"The installed settings keep footage longer than the {short(required.value)} days required."
        if not ways:
            return f"No setting and no medium of this make keeps footage for {short(required.value)} days."
        single = next((w for w in ways if len(w.words) == 1), None)
        one = f"Best single change: {_way_words(single)}." if single is not None else "No single change is enough."
        return f"{one} Best of all: {_way_words(ways[0])} ({ways[0].days.words})."


def _way_words(way: KeepLonger) -> str:
    """What is changed; first what it loses."""
    loses = f"loses {way.lost} real of the evidence: " if way.lost else ""
    return f"{loses}{', '.join(way.words)}"


class SaveTab(QWidget):
    """What to save before it is overwritten, with its deadline."""

    def __init__(self, model: StorageModel) -> None:
        super().__init__()
        self._model = model
        self._listed: list[ToKeep] = []
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        self.words = WrappedLabel()
        layout.addWidget(self.words)
        self.table = row_table("What to save", ("recorded", "what", "is on", "save it before", "if not there, why"))
        stretch_columns(self.table, 4)
        layout.addWidget(self.table, 1)
        row = QHBoxLayout()
        row.addWidget(button("E&xport the chosen …", self.choose_folder, "primary", "Untouched originals with SHA-256"))
        row.addWidget(label("Keep the original; note the clock's error; local law decides who may see it.", "muted"), 1)
        layout.addLayout(row)

    def refresh(self) -> None:
        """Show them as they are now."""
        model = self._model
        self._listed = model.to_save()
        gone = sum(bool(k.gone) for k in self._listed)
        self.words.setText(
            f"{len(self._listed)} judged real recordings, under the installed settings, asked on {model.asked}: "
            f"{len(self._listed) - gone} are on the store, {gone} are not."
        )
        rows = []
        for one in self._listed:
            until = one.deadline_s
            deadline = "never overwritten" if until is None else f"{model.local(until):%Y-%m-%d %H:%M}"
            rows.append((f"{model.local(one.at_s):%Y-%m-%d %H:%M}", kind_of(one.visit.kind).text,
                         ", ".join(one.stores), "" if one.gone else deadline, one.gone))  # fmt: skip
        fill_table(self.table, rows, lambda r, c: c == 4 and bool(self._listed[r].gone))

    @property
    def chosen(self) -> list[ToKeep]:
        """Those that are selected."""
        rows = sorted({item.row() for item in self.table.selectedItems()})
        return [self._listed[row] for row in rows]

    def choose_folder(self) -> None:
        """Ask where to, and export."""
        if not self.chosen:
            self.table.selectAll()
        name = QFileDialog.getExistingDirectory(self, "Export originals to")
        if name:
            self._model.export(self.chosen, Path(name))


class SchoolsTab(FreshPage):
    """Always, by motion or both by the clock; and what the stores cost over years."""

    def __init__(self, model: StorageModel) -> None:
        super().__init__()
        self._model = model
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        columns = ("records", "days kept", "real ones missed", "to look through a day")
        self.table = row_table("Always, by motion, or both", columns)
        stretch_columns(self.table, 2)
        layout.addWidget(self.table, 1)
        self.costs = row_table("What the stores cost", ("store", "costs", "how"),
                               "Costs follow from the prices of stores, which are entered under Stores.")  # fmt: skip
        self.years = label("", "muted")
        layout.addWidget(self.years)
        layout.addWidget(self.costs, 1)
        model.asking.changed.connect(self.refresh_if_shown)

    def refresh(self) -> None:
        """Show them as they are now."""
        answers = self._model.ask()
        fill_table(self.table, [_school_row(s) for s in answers[2]] if answers is not None else [])
        years, costs = self._model.costs()
        self.years.setText(f"Over {years:g} years, in your own prices:")
        fill_table(self.costs, [(c.name, "not known" if c.sum is None else f"{c.sum:.2f}", c.words) for c in costs])


class PowerTab(FreshPage):
    """What each setting would save of a charge, and what the panel brings month by month."""

    def __init__(self, model: StorageModel) -> None:
        super().__init__()
        self._model = model
        both = QHBoxLayout(self)
        both.setContentsMargins(0, 6, 0, 0)
        columns = ("one thing changed", "drawn a day", "charge lasts", "real ones more missed")
        self.levers = row_table("What each setting would save", columns)
        stretch_columns(self.levers, 0)
        both.addWidget(self.levers, 3)
        self.months = row_table("The panel by month", ("month", "brings a day", "a full charge lasts"))
        both.addWidget(self.months, 2)
        model.saving.changed.connect(self.refresh_if_shown)

    def refresh(self) -> None:
        """Show them as they are now."""
        saved = self._model.levers_saved() or []
        rows = [(s.words, s.drawn.words, s.days.words, str(s.missed)) for s in saved]
        fill_table(self.levers, rows, lambda r, c: c == 3 and saved[r].missed > 0)
        months = self._model.months()
        self.months.setVisible(bool(months))
        fill_table(self.months, months)


def _school_row(school: School) -> tuple[str, ...]:
    offered = "" if school.offered else " (not with this make)"
    missed = f"{school.missed}, and what no clip shows" if school.censored else str(school.missed)
    days = "not known" if school.days is None else school.days.words
    return f"{school.mode}{offered}", days, missed, school.look_h.words
