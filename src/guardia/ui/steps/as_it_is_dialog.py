"""As it is now: what is set on the camera, entered beside the make's own choices before any draft."""

from __future__ import annotations

from PyQt6.QtWidgets import QCheckBox, QComboBox, QDialog, QFormLayout, QVBoxLayout, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.steps.storage_model import storage_choices
from guardia.core.make.levers import LEVER_OF
from guardia.core.make.settings import Settings
from guardia.ui.parts.widgets import dialog_ends, label, seconds_words


class AsItIsDialog(QDialog):
    """The installed settings as they stand on the camera; accepting corrects what is kept as installed."""

    def __init__(self, parent: QWidget, model: CameraModel) -> None:
        super().__init__(parent)
        self._model = model
        self.setWindowTitle(f"As it is now: {model.camera.name}")
        self.setMinimumWidth(460)
        layout = QVBoxLayout(self)
        layout.addWidget(
            label(
                f"{model.camera.capability.name}. Read each value off the camera's own settings: what it did until now "
                "is held against these. Nothing is entered in the logbook as a change.",
                wrap=True,
            )
        )
        form = QFormLayout()
        layout.addLayout(form)
        make, installed = model.camera.capability, model.camera.installed
        self.detection_on = QCheckBox("on")
        self.detection_on.setChecked(installed.detection.detection_on)
        form.addRow("Motion detection", self.detection_on)
        self.boxes: dict[str, QComboBox] = {}
        self._add(form, "notch", "Sensitivity", [(notch.label, notch.label) for notch in make.notches])
        if make.night_notch:
            apart: list[tuple[str, object]] = [(notch.label, notch.label) for notch in make.notches]
            self._add(form, "night_notch", "Sensitivity at night", [("as by day", ""), *apart])
        for name, words, choices in (
            ("hold_s", "Motion must last", make.hold_choices_s),
            ("pre_record_s", "Pre-record", make.pre_record_choices_s),
            ("length_s", "Records for", make.length_choices_s),
            ("rest_s", "Rests for", make.rest_choices_s),
        ):
            self._add(form, name, words, [(seconds_words(choice), choice) for choice in choices])
        self.stop_when_still = QCheckBox("stop once it is still")
        self.stop_when_still.setChecked(installed.recording.stop_when_still)
        if make.stop_when_still:
            form.addRow("", self.stop_when_still)
        for name, words, offered in storage_choices(make.storage):
            if len(offered) > 1:
                self._add(form, name, words, offered)
        self.overwrite = QCheckBox("overwrites the oldest")
        self.overwrite.setChecked(installed.storage.overwrite)
        form.addRow("When the store is full", self.overwrite)
        self.zones = QComboBox()
        for words, zones in (
            ("as kept until now", installed.detection.zones),
            ("none: the whole picture", ()),
            ("as drawn in the draft", model.draft.detection.zones),
        ):
            self.zones.addItem(words, zones)
        form.addRow("Zones", self.zones)
        self.changed_since = QCheckBox("it was otherwise before: somebody, a reset or an update changed it")
        self.changed_since.setToolTip(
            "What was known stays in force until now; the difference is entered in the logbook. Else what was known is "
            "corrected, as if it had always been so."
        )
        layout.addWidget(self.changed_since)
        layout.addWidget(dialog_ends(self))
        self.accepted.connect(self._keep)
        self.boxes["notch"].setFocus()

    def _add(self, form: QFormLayout, name: str, words: str, choices: list[tuple[str, object]]) -> None:
        box = QComboBox()
        present = LEVER_OF[name].read(self._model.camera.installed)
        for text, value in choices:
            box.addItem(text, value)
        if box.findData(present) < 0:
            box.addItem(str(present), present)
        box.setCurrentIndex(box.findData(present))
        box.setAccessibleName(words)
        self.boxes[name] = box
        form.addRow(words, box)

    def _keep(self) -> None:
        if self.changed_since.isChecked():
            self._model.read_back(self.settings())
        else:
            self._model.facts.set_installed(self.settings())

    def settings(self) -> Settings:
        """What is entered."""
        values = {name: box.currentData() for name, box in self.boxes.items()}
        return self._model.camera.installed.with_values(
            detection_on=self.detection_on.isChecked(),
            stop_when_still=self.stop_when_still.isChecked(),
            overwrite=self.overwrite.isChecked(),
            zones=self.zones.currentData(),
            sensitivity=None,
            **values,
        )
