"""Asks what a miss of each kind costs, against the general cost of a miss."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtWidgets import QDialog, QDoubleSpinBox, QFormLayout, QVBoxLayout, QWidget

from guardia.core.purpose.judgement import KINDS, Verdict
from guardia.ui.parts.widgets import dialog_ends, label


def ask_kind_costs(parent: QWidget, now: Mapping[str, float]) -> dict[str, float] | None:
    """Ask for factors by kind, those that differ from 1; None if nothing is to change."""
    dialog = QDialog(parent)
    dialog.setWindowTitle("Cost of a miss by kind")
    layout = QVBoxLayout(dialog)
    layout.addWidget(label("A missed one of this kind costs so many times what a miss costs in general.", wrap=True))
    form = QFormLayout()
    boxes = {}
    for kind in (k for k in KINDS if k.verdict is Verdict.REAL):
        box = QDoubleSpinBox()
        box.setRange(0.0, 20.0)
        box.setSingleStep(0.5)
        box.setDecimals(1)
        box.setSuffix(" ×")
        box.setValue(now.get(kind.id, 1.0))
        form.addRow(kind.text, box)
        boxes[kind.id] = box
    layout.addLayout(form)
    ends = dialog_ends(dialog)
    layout.addWidget(ends)
    if dialog.exec() != QDialog.DialogCode.Accepted:
        return None
    return {kind: box.value() for kind, box in boxes.items() if box.value() != 1.0}
