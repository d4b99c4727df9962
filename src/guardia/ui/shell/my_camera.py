"""My camera: a make described by plain questions that are answered from the camera's own menus, on short pages."""

from __future__ import annotations

import re
from collections.abc import Sequence
from enum import Enum
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QFileDialog,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
    QWizard,
    QWizardPage,
)

from guardia.app.project.make_draft import MakeDraft
from guardia.core.base.errors import GuardiaError, InvalidValue
from guardia.core.base.values import number
from guardia.core.evidence.clips import Cause
from guardia.core.make.capability import STOPPABLE, Extra, capability_from_dict
from guardia.core.make.described import Menus, ScaleShown, ZonesDrawn, ZoneUse, assumed_words, level_names, make_of
from guardia.core.storage.rules import Quality, RecordingMode
from guardia.core.storage.stores import StoreKind
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import WrappedLabel, choice, label
from guardia.ui.shell.make_drawings import SIZE, drawing

UNKNOWN = "don't know"
SHORT_WORDS = 50
"""Answers with fewer letters in all stand in one row."""

CLASSES = ("person", "vehicle", "animal", "parcel")
OTHER_CAUSES = (Cause.SOUND, Cause.BUTTON, Cause.LIVE_LOOK, Cause.OTHER_CAMERA)
EXTRAS = (
    "siren: off, on\nform of notification: text, picture, call\nlamp: automatic, on, off\n"
    "microphone: off, on\npicture upside down: no, yes"
)
_QUALITY = re.compile(
    r"^\s*(?P<label>[^:]+):\s*(?P<wide>\d{2,5})\s*[x×]\s*(?P<high>\d{2,5})(?:\s+(?P<rate>\d{1,3}))?\s*$"
)


class _Pictured(QWidget):
    """One answer of several, each with a drawing; not known at first."""

    def __init__(self, name: str, answers: Sequence[ZonesDrawn] | Sequence[ScaleShown]) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        self.group = QButtonGroup(self)
        self._answers = [None, *answers]
        for place, answer in enumerate(self._answers):
            tool = QToolButton()
            tool.setCheckable(True)
            tool.setText(str(answer.value) if answer is not None else UNKNOWN)
            tool.setIcon(drawing(answer))
            tool.setIconSize(SIZE)
            tool.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            tool.setAccessibleName(f"{name}: {tool.text()}")
            tool.setMinimumWidth(THEME.px(104))
            self.group.addButton(tool, place)
            row.addWidget(tool)
        row.addStretch()
        self.group.buttons()[0].setChecked(True)

    def answer(self) -> Any:
        return self._answers[self.group.checkedId()]

    def choose(self, answer: object) -> None:
        self.group.buttons()[self._answers.index(answer)].click()


def _row(*widgets: QWidget) -> QWidget:
    """Widgets side by side."""
    row = QWidget()
    layout = QHBoxLayout(row)
    layout.setContentsMargins(0, 0, 0, 0)
    for widget in widgets:
        layout.addWidget(widget)
    layout.addStretch()
    return row


def _whether(name: str) -> QComboBox:
    return choice([(UNKNOWN, None), ("yes", True), ("no", False)], name=name)


def _one_of(name: str, kind: type[Enum]) -> QComboBox:
    return choice([(UNKNOWN, None), *((str(one.value), one) for one in kind)], name=name)


def _count(name: str, least: int, most: int) -> QSpinBox:
    """A number; its least stands for not known."""
    box = QSpinBox()
    box.setAccessibleName(name)
    box.setRange(least - 1, most)
    box.setSpecialValueText(UNKNOWN)
    box.setValue(box.minimum())
    return box


def _number(box: QSpinBox) -> int | None:
    return None if box.value() == box.minimum() else box.value()


def _seconds(name: str, example: str) -> QLineEdit:
    field = QLineEdit()
    field.setAccessibleName(name)
    field.setPlaceholderText(f"{UNKNOWN}; or all on offer, such as {example}")
    return field


def _typed_seconds(field: QLineEdit) -> tuple[float, ...] | None:
    words = [word for word in re.split(r"[;,\s]+", field.text().strip()) if word and word != "s"]
    try:
        values = tuple(float(word.removesuffix("s")) for word in words)
    except ValueError as error:
        raise InvalidValue(
            f"{field.accessibleName()}: '{field.text()}' are no seconds.", do="Write them like 0, 10, 30."
        ) from error
    if any(not 0 <= value <= 3600 for value in values):
        raise InvalidValue(f"{field.accessibleName()}: 0 to 3600 seconds.")
    return values or None


class _Ticks(QWidget):
    """Some of several, or not known."""

    def __init__(self, name: str, answers: Sequence[str]) -> None:
        super().__init__()
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        self.unknown = QCheckBox(UNKNOWN)
        self.unknown.setAccessibleName(f"{name}: {UNKNOWN}")
        self.unknown.setChecked(True)
        self.ticks = {answer: QCheckBox(str(answer)) for answer in answers}
        across = 5 if sum(map(len, self.ticks)) < SHORT_WORDS else 3
        for place, box in enumerate((self.unknown, *self.ticks.values())):
            grid.addWidget(box, place // across, place % across)
        grid.setColumnStretch(across, 1)
        self.unknown.clicked.connect(self._nothing_known)
        for box in self.ticks.values():
            box.clicked.connect(lambda _on: self.unknown.setChecked(False))

    def _nothing_known(self) -> None:
        for box in self.ticks.values():
            box.setChecked(False)

    def answer(self) -> tuple[Any, ...] | None:
        """Those ticked; None where it is not known."""
        if self.unknown.isChecked():
            return None
        return tuple(answer for answer, box in self.ticks.items() if box.isChecked())


class _Page(QWizardPage):
    """Questions, and beneath them what contradicts itself."""

    def __init__(self, title: str, intro: str) -> None:
        super().__init__()
        self.setTitle(title)
        self.setSubTitle(intro)
        self._layout = QVBoxLayout(self)
        self.trouble = WrappedLabel()
        self.trouble.setObjectName("warning")

    def form(self, *rows: tuple[str, QWidget]) -> QFormLayout:
        """Add some questions."""
        form = QFormLayout()
        form.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        for words, field in rows:
            form.addRow(words, field)
        self._layout.addLayout(form)
        return form

    def end(self) -> None:
        """Nothing more stands on it."""
        self._layout.addStretch()
        self._layout.addWidget(self.trouble)

    def validatePage(self) -> bool:
        """Whether one may go on; otherwise the page says why not."""
        wizard = self.wizard()
        if not isinstance(wizard, MyCamera):
            return True
        try:
            wizard.check(self)
        except GuardiaError as error:
            self.trouble.setText(str(error))
            return False
        self.trouble.setText("")
        return True


class MyCamera(QWizard):
    """Short pages of questions; `make` is there once it is accepted.

    Args:
        parent: The window.
        name: What the make is called to begin with.
    """

    def __init__(self, parent: QWidget, name: str = "") -> None:
        super().__init__(parent)
        self.setWindowTitle("My camera")
        self.setWizardStyle(QWizard.WizardStyle.ClassicStyle)
        self.setOption(QWizard.WizardOption.NoBackButtonOnStartPage)
        self.setMinimumSize(760, 600)
        self.make: dict[str, Any] | None = None
        self._zones = self._zones_page(name)
        self._scale = self._scale_page()
        self._times = self._times_page()
        self._stores = self._stores_page()
        for page in (self._zones, self._scale, self._times, self._stores):
            self.addPage(page)
        self.setOption(QWizard.WizardOption.HaveCustomButton1)
        self.setButtonText(QWizard.WizardButton.CustomButton1, "Save as &file …")
        self.customButtonClicked.connect(lambda _which: self.choose_file())

    def _zones_page(self, name: str) -> _Page:
        page = _Page("Zones", "Open the camera's own page for zones. What you cannot find stays 'don't know'.")
        self.name = QLineEdit(name)
        self.name.setPlaceholderText("as printed on the camera, in your own words")
        self.zones = _Pictured("Zones", list(ZonesDrawn))
        self.across, self.down = QSpinBox(), QSpinBox()
        for box, usual, words in ((self.across, 16, "Squares across"), (self.down, 9, "Squares down")):
            box.setRange(1, 64)
            box.setValue(usual)
            box.setAccessibleName(words)
        self.max_zones = _count("Zones at most", 1, 32)
        self.max_corners = _count("Corners of a zone, at most", 4, 32)
        self.zone_use = _one_of("What a zone means", ZoneUse)
        self.zone_level = _whether("Each zone has a sensitivity of its own")
        self.zone_classes = _whether("A zone can be for some classes only")
        self.zone_alerts = _whether("A zone can only record, or only alert")
        self.masks = _count("Areas that it can black out", 0, 32)
        self.squares = _row(self.across, label("across"), self.down, label("down"))
        page.form(("Its name", self.name), ("Zones are", self.zones))
        self._zone_form = page.form(
            ("How many squares?", self.squares), ("How many zones at most?", self.max_zones),
            ("How many corners at most?", self.max_corners), ("What does a zone mark?", self.zone_use),
            ("Has each zone a sensitivity?", self.zone_level), ("Can a zone be for people only?", self.zone_classes),
            ("Can a zone only record, or only alert?", self.zone_alerts),
            ("How many areas can it black out?", self.masks),
        )  # fmt: skip
        page.end()
        self.zones.group.idClicked.connect(lambda _id: self._follow())
        self._follow()
        return page

    def _follow(self) -> None:
        """Ask only what applies."""
        kind = self.zones.answer()
        squares, corners = kind is ZonesDrawn.BLOCKS, kind in (None, ZonesDrawn.CORNERS)
        drawn = kind in (None, ZonesDrawn.RECTANGLES, ZonesDrawn.CORNERS)
        for field, applies in (
            (self.squares, squares), (self.max_zones, drawn), (self.max_corners, corners), (self.zone_use, drawn),
            (self.zone_level, drawn), (self.zone_classes, kind is not ZonesDrawn.NONE),
            (self.zone_alerts, kind is not ZonesDrawn.NONE),
        ):  # fmt: skip
            self._zone_form.setRowVisible(field, applies)

    def _scale_page(self) -> _Page:
        page = _Page(
            "Sensitivity and filter", "How the camera shows its sensitivity. Clips will show what its levels mean."
        )
        self.scale = _Pictured("Sensitivity", list(ScaleShown))
        self.steps = QLineEdit()
        self.steps.setPlaceholderText("from the least to the most sensitive, such as low, medium, high")
        self.steps.setAccessibleName("Named steps")
        self.first, self.last = QSpinBox(), QSpinBox()
        for box, usual, words in ((self.first, 1, "Least sensitive number"), (self.last, 10, "Most sensitive number")):
            box.setRange(0, 100)
            box.setValue(usual)
            box.setAccessibleName(words)
        self.numbers = _row(label("least sensitive"), self.first, label("most sensitive"), self.last)
        self.second_slider = _whether("A second control for the size of what moves")
        self.night_level = _whether("Another level for the night")
        self.classes = _Ticks("Filter", CLASSES)
        self.by_day_m, self.at_night_m = (
            _count(words, 1, 200) for words in ("Filter by day to, m", "Filter at night to, m")
        )
        self.range_m = _row(label("by day to"), self.by_day_m, label("m, at night to"), self.at_night_m, label("m"))
        self.causes = _Ticks("What else starts a clip", OTHER_CAUSES)
        self.told_levels = WrappedLabel()
        self.told_levels.setObjectName("muted")
        page.form(("Sensitivity is", self.scale))
        self._scale_form = page.form(
            ("Its steps", self.steps), ("Its numbers", self.numbers), ("", self.told_levels),
            ("A second slider, for size?", self.second_slider), ("Another level for the night?", self.night_level),
            ("Which classes does its filter know?", self.classes), ("How far does it know them?", self.range_m),
            ("What else starts a clip?", self.causes),
        )  # fmt: skip
        page.end()
        self.scale.group.idClicked.connect(lambda _id: self._follow_scale())
        for field in (self.steps.textChanged, self.first.valueChanged, self.last.valueChanged):
            field.connect(lambda _value: self._follow_scale())
        self._follow_scale()
        return page

    def _follow_scale(self) -> None:
        kind = self.scale.answer()
        self._scale_form.setRowVisible(self.steps, kind is ScaleShown.STEPS)
        self._scale_form.setRowVisible(self.numbers, kind is ScaleShown.NUMBERS)
        try:
            names = level_names(Menus("x", scale=kind, steps=self._steps(), numbers=self._numbers()))
        except GuardiaError as error:
            self.told_levels.setText(str(error))
            return
        listed = ", ".join(names if len(names) <= 12 else (*names[:3], "…", *names[-2:]))
        where = "" if kind in (ScaleShown.STEPS, ScaleShown.NUMBERS) else " of the slider's length"
        self.told_levels.setText(f"Levels from least to most sensitive: {listed}{where}.")

    def _steps(self) -> tuple[str, ...]:
        return tuple(step.strip() for step in self.steps.text().split(",") if step.strip())

    def _numbers(self) -> tuple[int, int]:
        return self.first.value(), self.last.value()

    def _times_page(self) -> _Page:
        page = _Page("Times, hours and switches", "All times that the menus offer, in seconds. Empty: don't know.")
        self.hold_s = _seconds("Minimum duration", "0, 1, 2")
        self.length_s = _seconds("Recording length", "10, 30, 60")
        self.until_still = QCheckBox("or as long as it moves")
        self.stop_when_still = _whether("A recording stops once it is still")
        self.rest_s = _seconds("Pause after a recording", "0, 10, 30")
        self.pre_record_s = _seconds("Pre-record", "0, 3")
        self.alert_interval_s = _seconds("Time between alerts", "0, 60, 300")
        self.periods = _count("Periods of hours a day", 0, 48)
        self.midnight = _whether("A period can go over midnight")
        self.weekdays = _whether("Each weekday has hours of its own")
        self.step_min = choice(
            [(UNKNOWN, None), *((f"{minutes} min", minutes) for minutes in (1, 5, 10, 15, 30, 60))],
            name="Steps of its hours",
        )
        self.off_stops = _Ticks("Switching detection off stops", STOPPABLE)
        self.pause_stops = _Ticks("Pausing alerts stops", STOPPABLE)
        page.form(
            ("Minimum duration", self.hold_s), ("Recording length", self.length_s), ("", self.until_still),
            ("Does it stop once it is still?", self.stop_when_still), ("Pause after a recording", self.rest_s),
            ("Pre-record", self.pre_record_s),
            ("Time between alerts", self.alert_interval_s),
            ("Periods of hours a day", _row(self.periods, label("in steps of"), self.step_min)),
            ("Can one go over midnight?", self.midnight), ("Hours by weekday?", self.weekdays),
            ("Switching detection off stops", self.off_stops), ("Pausing alerts stops", self.pause_stops),
        )  # fmt: skip
        page.end()
        return page

    def _stores_page(self) -> _Page:
        page = _Page(
            "Stores, power and the rest", "What is left; the last box is only written down, without an opinion."
        )
        self.targets = _Ticks("Where it can record to", tuple(StoreKind))
        self.largest = _count("Largest card, stick or disk, GB", 1, 100_000)
        self.modes = _Ticks("When it can write", tuple(RecordingMode))
        self.snapshot_s = _seconds("Time between snapshots", "60, 600, 3600; 0 alone for none")
        self.second = QLineEdit()
        self.second.setAccessibleName("Second stream, Mbit/s")
        self.second.setPlaceholderText(f"{UNKNOWN}; or its rate, such as 0.5; 0 where it records none")
        self.battery = _whether("It runs on a battery")
        self.battery_wh = _count("Charge, Wh", 1, 1000)
        self.panel_w = QSpinBox()
        self.panel_w.setRange(0, 200)
        self.panel_w.setSuffix(" W")
        self.panel_w.setSpecialValueText("no panel")
        self.panel_w.setAccessibleName("Panel, W")
        self.mobile = _whether("It sends over a mobile network")
        self.qualities, self.extras = QPlainTextEdit(), QPlainTextEdit(EXTRAS)
        self.qualities.setPlaceholderText("one a line, the best first, such as best: 1920 x 1080 15")
        for field, words in ((self.qualities, "Qualities"), (self.extras, "Settings without effect on figures")):
            field.setAccessibleName(words)
            field.setTabChangesFocus(True)
        charge = _row(self.battery_wh, label("Wh, with a panel of"), self.panel_w)
        form = page.form(
            ("Records to", self.targets), ("Largest store, GB", self.largest), ("Can write", self.modes),
            ("Snapshots every, s", self.snapshot_s), ("A second stream, Mbit/s", self.second),
            ("On a battery?", self.battery), ("Its charge", charge), ("On a mobile network?", self.mobile),
            ("Qualities on offer", self.qualities), ("Other settings, one a line", self.extras),
        )  # fmt: skip

        def follow() -> None:
            form.setRowVisible(charge, bool(self.battery.currentData()))

        self.battery.currentIndexChanged.connect(follow)
        follow()
        page.end()
        return page

    def menus(self) -> Menus:
        """What was answered; raises InvalidValue where a field cannot be read."""
        lengths: tuple[float | None, ...] | None = _typed_seconds(self.length_s)
        if self.until_still.isChecked():
            lengths = (None, *(lengths or ()))
        kind = self.zones.answer()
        return Menus(
            self.name.text().strip(), kind, (self.across.value(), self.down.value()), _number(self.max_zones),
            _number(self.max_corners), self.zone_use.currentData(), self.zone_level.currentData(),
            self.zone_classes.currentData(), self.zone_alerts.currentData(), self.scale.answer(), self._steps(),
            self._numbers(), self.second_slider.currentData(), self.night_level.currentData(), self.classes.answer(),
            hold_s=_typed_seconds(self.hold_s), rest_s=_typed_seconds(self.rest_s), length_s=lengths,
            pre_record_s=_typed_seconds(self.pre_record_s), alert_interval_s=_typed_seconds(self.alert_interval_s),
            periods_a_day=_number(self.periods), over_midnight=self.midnight.currentData(),
            step_min=self.step_min.currentData(), by_weekday=self.weekdays.currentData(),
            stop_when_still=self.stop_when_still.currentData(), masks=_number(self.masks), range_m=self._range(),
            snapshot_s=_typed_seconds(self.snapshot_s), second_mbit_s=self._second(),
            targets=self.targets.answer() or None, largest_gb=_number(self.largest), modes=self.modes.answer() or None,
            qualities=self._qualities(), battery=self.battery.currentData(), battery_wh=_number(self.battery_wh),
            panel_w=float(self.panel_w.value()), mobile=self.mobile.currentData(), off_stops=self.off_stops.answer(),
            pause_stops=self.pause_stops.answer(), starts_clips=self.causes.answer(), extras=self._extras(),
        )  # fmt: skip

    def _range(self) -> tuple[int, int] | None:
        """How far the filter sees by day and at night."""
        day, night = _number(self.by_day_m), _number(self.at_night_m)
        if (day is None) is not (night is None):
            raise InvalidValue("How far the filter sees is asked by day and at night.", do="Give both, or neither.")
        return None if day is None or night is None else (day, night)

    def _second(self) -> float | None:
        text = self.second.text().strip()
        try:
            return number(float(text.replace(",", ".")), 0.0, 500.0, "The second stream") if text else None
        except ValueError as error:
            raise InvalidValue(f"The second stream '{text}' is no rate.", do="Write it in Mbit/s, like 0.5.") from error

    def _qualities(self) -> tuple[Quality, ...] | None:
        lines = [line for line in self.qualities.toPlainText().splitlines() if line.strip()]
        found = [_QUALITY.fullmatch(line) for line in lines]
        if None in found:
            line = lines[found.index(None)]
            raise InvalidValue(f"Quality '{line}' cannot be read.", do="Write it like best: 1920 x 1080 15.")
        return tuple(
            Quality(one["label"].strip(), int(one["wide"]), int(one["high"]), float(one["rate"] or 15))
            for one in found if one is not None
        ) or None  # fmt: skip

    def _extras(self) -> tuple[Extra, ...]:
        pairs = [line.partition(":")[::2] for line in self.extras.toPlainText().splitlines() if line.strip()]
        return tuple(
            Extra(name.strip(), tuple(choice.strip() for choice in choices.split(",") if choice.strip()))
            for name, choices in pairs
        )

    def check(self, page: QWizardPage) -> None:
        """Raise GuardiaError where what was answered up to a page cannot be a make."""
        if page is self._zones:
            make_of(Menus(self.name.text().strip(), self.zones.answer(), zone_use=self.zone_use.currentData()))
        elif page is self._scale:
            self._range()
            make_of(Menus("x", scale=self.scale.answer(), steps=self._steps(), numbers=self._numbers()))
        else:
            made = make_of(self.menus())
            self.make = made if page is self._stores else None

    def choose_file(self) -> None:
        """Ask for a file and save the make there, to be shared."""
        page = self.currentPage()
        if not isinstance(page, _Page):
            return
        try:
            data = make_of(self.menus())
        except GuardiaError as error:
            page.trouble.setText(str(error))
            return
        name, _ = QFileDialog.getSaveFileName(self, "Save make", f"{data['id']}.json", "JSON (*.json)")
        if name:
            self.save(Path(name), data)

    def save(self, path: Path, data: dict[str, Any]) -> None:
        """Save a make as a file; where that cannot be, the page says why."""
        page = self.currentPage()
        try:
            MakeDraft(data).save(path)
        except GuardiaError as error:
            words = str(error)
        else:
            words = " ".join(filter(None, (f"Saved to {path}.", assumed_words(capability_from_dict(data)))))
        if isinstance(page, _Page):
            page.trouble.setText(words)
