"""As it is now: what is set on the camera, entered beside the make's own choices before any draft."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QDialog, QFormLayout, QScrollArea, QVBoxLayout, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.core.make.levers import LEVERS, NOTCH
from guardia.core.make.settings import Settings
from guardia.ui.parts.widgets import dialog_ends, label

HEADS = {
    "detection": "Detection", "recording": "Recording", "hours": "Hours", "alerts": "Alerts", "storage": "Storage",
}  # fmt: skip
SHOWN_PX = 640


class AsItIsDialog(QDialog):
    """The installed settings as they stand on the camera; accepting corrects what is kept as installed.

    A row for every lever that the make has, with what it offers, what is kept until now and what the draft has.
    """

    def __init__(self, parent: QWidget, model: CameraModel) -> None:
        super().__init__(parent)
        self._model = model
        self.setWindowTitle(f"As it is now: {model.camera.name}")
        self.setMinimumWidth(600)
        self.resize(600, SHOWN_PX)
        layout = QVBoxLayout(self)
        layout.addWidget(
            label(
                f"{model.camera.capability.name}. Read each value off the camera's own settings: what it did until now "
                "is held against these. Nothing is entered in the logbook as a change.",
                wrap=True,
            )
        )
        self.boxes: dict[str, QComboBox] = {}
        self._options: dict[str, list[object]] = {}
        layout.addWidget(self._rows(), 1)
        self.changed_since = QCheckBox("it was different before: somebody, a reset or an update changed it")
        self.changed_since.setToolTip(
            "What was known stays in force until now; the difference is entered in the logbook. Else what was known is "
            "corrected, as if it had always been so."
        )
        layout.addWidget(self.changed_since)
        layout.addWidget(dialog_ends(self))
        self.accepted.connect(self._keep)
        self.boxes[NOTCH.id].setFocus()

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
            box = QComboBox()
            box.setAccessibleName(lever.subject)
            box.setMaximumWidth(380)
            present = lever.read(installed)
            self._options[lever.id] = lever.options(make, present, lever.read(draft))
            for value in self._options[lever.id]:
                words = lever.say(value, make)
                box.addItem(words if len(words) <= 60 else f"{words[:57]} …", value)
                box.setItemData(box.count() - 1, words, Qt.ItemDataRole.ToolTipRole)
            box.setCurrentIndex(self._options[lever.id].index(present))
            self.boxes[lever.id] = box
            form.addRow(lever.subject, box)
        area = QScrollArea()
        area.setWidget(inside)
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        return area

    def choose(self, name: str, value: object) -> None:
        """Choose a value by the lever's name; raises ValueError where it is not on offer."""
        self.boxes[name].setCurrentIndex(self._options[name].index(value))

    def _keep(self) -> None:
        if self.changed_since.isChecked():
            self._model.read_back(self.settings())
        else:
            self._model.facts.set_installed(self.settings())

    def settings(self) -> Settings:
        """What is entered."""
        values = {name: self._options[name][box.currentIndex()] for name, box in self.boxes.items()}
        return self._model.camera.installed.with_values(sensitivity=None, **values)
