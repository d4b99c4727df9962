"""As it is now: what is set on the camera, entered beside the make's own choices before any draft."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from guardia.app.camera.camera_model import CameraModel
from guardia.core.base.errors import GuardiaError
from guardia.core.base.words import count_of, sentence
from guardia.core.hours.periods import from_periods
from guardia.core.make.levers import ALERT_PLAN, EXTRAS, LEVERS, MODES, NOT_KNOWN, NOTCH, RECORDING_PLAN, ZONES
from guardia.core.make.settings import OtherSettings, Settings
from guardia.ui.parts.widgets import WrappedLabel, button, dialog_ends, label
from guardia.ui.steps.periods_dialog import ModeDialog, PeriodsDialog
from guardia.ui.steps.zones_dialog import ZonesDialog

HEADS = {
    "detection": "Detection", "recording": "Recording", "hours": "Hours", "alerts": "Alerts", "storage": "Storage",
    "other": "Other settings, without effect on figures",
}  # fmt: skip
SHOWN_PX = 680
LONGEST_WORDS = 60
UNSAID = object()
"""In a list, in the place of a value that nobody knows."""


class AsItIsDialog(QDialog):
    """The installed settings as they are on the camera; accepting corrects what is kept as installed.

    A row for every setting that the make has, with what it offers, 'not known', what is kept until now and what the
    draft has. Hours and modes are typed, zones drawn; a file that the camera exported fills in what it says.
    """

    def __init__(self, parent: QWidget, model: CameraModel) -> None:
        super().__init__(parent)
        self._model = model
        self.setWindowTitle(f"As it is now: {model.camera.name}")
        self.setMinimumWidth(640)
        self.resize(640, SHOWN_PX)
        layout = QVBoxLayout(self)
        layout.addWidget(
            label(
                f"{model.camera.capability.name}. Read each value off the camera's own settings. Leave 'not known' "
                "where you cannot look: no figure starts from it then. The logbook and your draft stay as they are.",
                wrap=True,
            )
        )
        row = QHBoxLayout()
        tip = "A settings file or sheet of Guardia (JSON), or the analytics configuration that the camera exports (XML)"
        row.addWidget(button("From a &file …", self.choose_file, tip=tip))
        row.addStretch()
        layout.addLayout(row)
        self.boxes: dict[str, QComboBox] = {}
        self.extras: dict[str, QComboBox] = {}
        self._options: dict[str, list[object]] = {}
        layout.addWidget(self._rows(), 1)
        self.said = WrappedLabel()
        self.said.setObjectName("muted")
        layout.addWidget(self.said)
        self.changed_since = QCheckBox("it was different before: somebody, a reset or an update changed it")
        self.changed_since.setToolTip(
            "What was known stays in force until now; the difference is entered in the logbook. If not, what was "
            "known is corrected, as if it had always been so."
        )
        layout.addWidget(self.changed_since)
        layout.addWidget(dialog_ends(self))
        self.accepted.connect(self._keep)
        self.boxes[NOTCH.id].setFocus()
        self._count()

    def _rows(self) -> QScrollArea:
        make, installed, draft = self._model.camera.capability, self._model.camera.installed, self._model.draft
        inside = QWidget()
        form = QFormLayout(inside)
        part = ""
        for lever in LEVERS:
            if not lever.there(make):
                continue
            if lever.part != part:
                part = lever.part
                form.addRow(label(HEADS[part], "head"))
            if lever is EXTRAS:
                self._extra_rows(form)
                continue
            present = lever.read(installed)
            options = lever.options(make, *(lever.read(s) for s in (installed, draft) if lever.known(s)))
            box = self._box(lever.subject)
            self._options[lever.id] = [UNSAID, *options] if lever.is_asked(make) else options
            for value in self._options[lever.id]:
                self._add(box, NOT_KNOWN if value is UNSAID else lever.say(value, make), value)
            box.setCurrentIndex(
                self._options[lever.id].index(
                    UNSAID if UNSAID in self._options[lever.id] and not lever.known(installed) else present
                )
            )
            box.currentIndexChanged.connect(self._count)
            self.boxes[lever.id] = box
            beside: dict[str, Callable[[], object]] = {ZONES.id: self.draw_zones}
            beside[MODES.id] = self.add_mode
            beside |= {plan.id: partial(self.type_hours, plan.id) for plan in (RECORDING_PLAN, ALERT_PLAN)}
            if lever.id not in beside:
                form.addRow(lever.subject, box)
                continue
            row = QHBoxLayout()
            row.addWidget(box, 1)
            words = {ZONES.id: "Draw …", MODES.id: "Add …"}.get(lever.id, "Type …")
            row.addWidget(button(words, beside[lever.id]))
            form.addRow(lever.subject, row)
        area = QScrollArea()
        area.setWidget(inside)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        return area

    def _extra_rows(self, form: QFormLayout) -> None:
        said = dict(self._model.camera.installed.other.extras)
        for extra in self._model.camera.capability.extras:
            box = self._box(extra.name)
            box.addItem(NOT_KNOWN, "")
            for choice in extra.choices:
                box.addItem(choice, choice)
            box.setCurrentIndex(max(0, box.findData(said.get(extra.name, ""))))
            box.currentIndexChanged.connect(self._count)
            self.extras[extra.name] = box
            form.addRow(sentence(extra.name), box)

    def _box(self, name: str) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        box.setMaximumWidth(380)
        return box

    def _add(self, box: QComboBox, words: str, value: object) -> None:
        box.addItem(words if len(words) <= LONGEST_WORDS else f"{words[: LONGEST_WORDS - 3]} …", value)
        box.setItemData(box.count() - 1, words, Qt.ItemDataRole.ToolTipRole)

    def choose(self, name: str, value: object) -> None:
        """Choose a value by the setting's name; one that is not on the list is put there."""
        box, options = self.boxes[name], self._options[name]
        if value not in options:
            lever = next(one for one in LEVERS if one.id == name)
            options.append(value)
            self._add(box, lever.say(value, self._model.camera.capability), value)
        box.setCurrentIndex(options.index(value))

    def forget(self, name: str) -> None:
        """Say that a setting is not known."""
        self.boxes[name].setCurrentIndex(0)

    def _chosen(self) -> dict[str, Any]:
        """The settings that are known, by name."""
        values = {name: self._options[name][box.currentIndex()] for name, box in self.boxes.items()}
        return {name: value for name, value in values.items() if value is not UNSAID}

    def type_hours(self, name: str) -> None:
        """Ask for the periods that the camera shows."""
        dialog = PeriodsDialog(self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.choose(name, from_periods(dialog.periods()).plan)

    def add_mode(self) -> None:
        """Ask for a mode; one of that name is replaced."""
        dialog = ModeDialog(self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            mode = dialog.mode()
            others = [one for one in self._chosen().get(MODES.id, ()) if one.name != mode.name]
            self.choose(MODES.id, (*others, mode))

    def draw_zones(self) -> None:
        """Let the zones be drawn as they are on the camera."""
        dialog = ZonesDialog(self, self._model, self._chosen().get(ZONES.id, ()))
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.choose(ZONES.id, dialog.zones())

    def choose_file(self) -> None:
        """Ask for a file and fill in what it says."""
        name, _ = QFileDialog.getOpenFileName(self, "Settings from a file", "", "Settings (*.json *.xml)")
        if name:
            self.fill_from(Path(name))

    def fill_from(self, path: Path) -> None:
        """Fill in what a file says; what is wrong with it is said here."""
        try:
            found = self._model.facts.found_in(path)
        except GuardiaError as error:
            self.said.setText(str(error))
            return
        for name, value in found.values.items():
            if name in self.boxes:
                self.choose(name, value)
        for name, choice in dict(found.values.get(EXTRAS.id, ())).items():
            self.extras[name].setCurrentIndex(max(0, self.extras[name].findData(choice)))
        filled = count_of(len(found.values), "setting")
        self.said.setText(" ".join((f"{filled} filled in from {path.name}; check them.", *found.notes)))

    def _count(self) -> None:
        missing = len(self.boxes) - len(self._chosen())
        missing += sum(not box.currentData() for box in self.extras.values())
        total = len(self.boxes) + len(self.extras)
        self.said.setText(f"{total - missing} of {count_of(total, 'setting')} known.")

    def _keep(self) -> None:
        if self.changed_since.isChecked():
            self._model.read_back(self.settings())
        else:
            self._model.facts.set_installed(self.settings())

    def settings(self) -> Settings:
        """What is entered; what is not known keeps the value that stands in for it."""
        known, installed = self._chosen(), self._model.camera.installed
        if NOTCH.id in known:
            known["sensitivity"] = None
        extras = tuple((name, box.currentData()) for name, box in self.extras.items() if box.currentData())
        return replace(
            installed.with_values(**known), other=OtherSettings(extras),
            not_known=tuple({*self.boxes} - {*known}),
        )  # fmt: skip
