"""Zones drawn as they are on the camera, apart from the draft."""

from __future__ import annotations

from functools import partial

from PyQt6.QtGui import QUndoStack
from PyQt6.QtWidgets import QButtonGroup, QDialog, QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.camera.undo import OF_SITE, UndoStep
from guardia.app.steps.polygon_tool import DrawMode, PolygonTool
from guardia.core.make.zones import Zone
from guardia.ui.canvas.zone_canvas import ZoneCanvas
from guardia.ui.parts.widgets import WrappedLabel, button, dialog_ends

MODES = (
    (DrawMode.SELECT, "&Select"), (DrawMode.WATCH, "&Watch"), (DrawMode.IGNORE, "&Ignore"), (DrawMode.MASK, "&Mask"),
    (DrawMode.PAINT, "P&aint"),
)  # fmt: skip


class ZonesDialog(QDialog):
    """The picture with the make's own tools; nothing else changes before the dialog is accepted.

    Args:
        parent: The window.
        model: The camera.
        zones: Those to begin with.
    """

    def __init__(self, parent: QWidget, model: CameraModel, zones: tuple[Zone, ...]) -> None:
        super().__init__(parent)
        self.setWindowTitle(f"Zones as they are on the camera: {model.camera.name}")
        self.resize(820, 620)
        self._undo = QUndoStack(self)
        self.said = WrappedLabel()
        make = model.camera.capability
        self.tool = PolygonTool.of_make(
            make, preview=lambda _zones: self.canvas.update(), commit=self._take, refuse=self.said.setText
        )
        self.canvas = ZoneCanvas(model, self.tool)
        self.canvas.show_false = self.canvas.show_real = False
        layout = QVBoxLayout(self)
        row = QHBoxLayout()
        group = QButtonGroup(self)
        self.modes: dict[DrawMode, QPushButton] = {}
        able = {
            DrawMode.SELECT: True, DrawMode.WATCH: make.watch_zones and make.max_zones > 0,
            DrawMode.IGNORE: make.ignore_zones, DrawMode.MASK: make.privacy_masks > 0,
            DrawMode.PAINT: make.zone_form == "blocks",
        }  # fmt: skip
        for mode, words in MODES:
            if able[mode]:
                tool = button(words, partial(self.set_mode, mode))
                tool.setCheckable(True)
                group.addButton(tool)
                self.modes[mode] = tool
                row.addWidget(tool)
        row.addStretch()
        self._back = button("&Undo", self._undo.undo)
        self._back.setShortcut("Ctrl+Z")
        row.addWidget(self._back)
        row.addWidget(button("&Delete", self.tool.delete))
        layout.addLayout(row)
        layout.addWidget(self.canvas, 1)
        layout.addWidget(self.said)
        layout.addWidget(dialog_ends(self))
        self._undo.canUndoChanged.connect(self._back.setEnabled)
        self._back.setEnabled(False)
        self.tool.set_zones(zones)
        self._drawn = zones
        first = (DrawMode.PAINT, DrawMode.WATCH, DrawMode.IGNORE, DrawMode.SELECT)
        self.set_mode(next(mode for mode in first if mode in self.modes))
        self.said.setText("Draw each zone as the camera shows it; Enter or a double click closes a shape.")

    def set_mode(self, mode: DrawMode) -> None:
        """Change the tool."""
        self.tool.set_mode(mode)
        self.modes[mode].setChecked(True)
        self.canvas.setFocus()

    def _take(self, zones: tuple[Zone, ...], what: str) -> None:
        self._undo.push(UndoStep(OF_SITE, what, lambda _zones: True, self._show, self._drawn, zones, record=False))

    def _show(self, zones: tuple[Zone, ...]) -> None:
        self._drawn = zones
        self.tool.set_zones(zones)
        self.canvas.update()

    def zones(self) -> tuple[Zone, ...]:
        """What is drawn."""
        return self.tool.zones
