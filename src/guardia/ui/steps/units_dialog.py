"""What the cameras of a site are connected to: recorders, hubs, supplies, lines, groups, and what does not fit."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QDoubleSpinBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from guardia.app.project.session import Session
from guardia.core.base.errors import InvalidValue
from guardia.core.storage.units import Hung, Unit, UnitKind
from guardia.ui.parts.tables import fill_table, row_table, stretch_columns
from guardia.ui.parts.widgets import WrappedLabel, button, choice, dialog_ends

_LIMITS = (
    ("channels", "Channels", "", 0),
    ("megapixels", "Megapixels a camera", " MP", 1),
    ("medium_gb", "Largest medium", " GB", 0),
    ("current_a", "Current for all", " A", 2),
    ("upload_mbit_s", "Upload for all", " Mbit/s", 1),
)
"""Field, words, unit and decimals of what a unit can carry."""


class UnitDialog(QDialog):
    """Asks for one unit; what cannot be is refused in place.

    Args:
        parent: The dialog.
        hung: To be corrected, None for a new one.
        cameras: Names of all cameras by number.
        here: The camera that it was asked from hangs on a new one.
    """

    def __init__(self, parent: QWidget, hung: Hung | None, cameras: dict[int, str], here: int) -> None:
        super().__init__(parent)
        self.setWindowTitle("Correct it" if hung else "Connected cameras")
        self.answer: tuple[Unit, list[int]] | None = None
        form = QFormLayout(self)
        self.name = QLineEdit(hung.unit.name if hung else "")
        self.name.setPlaceholderText("Named after its place")
        self.kind = choice([(kind.value, kind) for kind in UnitKind])
        if hung:
            self.kind.setCurrentIndex(self.kind.findData(hung.unit.kind))
        form.addRow("Name", self.name)
        form.addRow("What it is", self.kind)
        self.limits: dict[str, QDoubleSpinBox] = {}
        for field, words, unit, decimals in _LIMITS:
            box = QDoubleSpinBox()
            box.setRange(0, 1e6)
            box.setDecimals(decimals)
            box.setSuffix(unit)
            box.setSpecialValueText("not said")
            box.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
            box.setValue((getattr(hung.unit, field) if hung else None) or 0)
            form.addRow(words, box)
            self.limits[field] = box
        self.cameras = QListWidget()
        self.cameras.setAccessibleName("Cameras connected to it")
        for number, name in cameras.items():
            item = QListWidgetItem(name)
            item.setData(Qt.ItemDataRole.UserRole, number)
            on = number in hung.cameras if hung else number == here
            item.setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)
            self.cameras.addItem(item)
        form.addRow("Cameras", self.cameras)
        self.trouble = WrappedLabel()
        self.trouble.setObjectName("warning")
        form.addRow(self.trouble)
        form.addRow(dialog_ends(self))
        self.name.setFocus()

    def accept(self) -> None:
        """Take it, if it can be."""
        values = {field: box.value() or None for field, box in self.limits.items()}
        channels = values.pop("channels")
        try:
            unit = Unit(
                self.name.text().strip(), self.kind.currentData(), int(channels) if channels else None, **values
            )  # fmt: skip
        except InvalidValue as error:
            self.trouble.setText(str(error))
            return
        items = [item for n in range(self.cameras.count()) if (item := self.cameras.item(n)) is not None]
        checked = [i for i in items if i.checkState() is Qt.CheckState.Checked]
        self.answer = unit, [i.data(Qt.ItemDataRole.UserRole) for i in checked]
        super().accept()


class UnitsDialog(QDialog):
    """All units of the site, and what does not fit.

    Args:
        parent: The page.
        session: The open project.
        camera_id: The camera that it was asked from.
    """

    def __init__(self, parent: QWidget, session: Session, camera_id: int) -> None:
        super().__init__(parent)
        self.setWindowTitle("Recorders, hubs, lines")
        self.resize(860, 420)
        self._session, self._camera_id = session, camera_id
        self._units: list[Hung] = []
        layout = QVBoxLayout(self)
        self.words = WrappedLabel()
        layout.addWidget(self.words)
        self.table = row_table("Units", ("name", "what it is", "limits", "cameras", "not known yet"))
        stretch_columns(self.table, 2, 3, 4)
        self.table.cellActivated.connect(lambda *_: self.change())
        layout.addWidget(self.table, 1)
        row = QHBoxLayout()
        row.addWidget(button("&Enter …", self.enter, "primary", "A recorder, hub, supply, line or group"))
        row.addWidget(button("&Correct …", self.change))
        row.addWidget(button("&Remove", self.remove))
        row.addStretch()
        row.addWidget(button("C&lose", self.accept))
        layout.addLayout(row)
        self.refresh()

    def refresh(self) -> None:
        """Show them as they are now."""
        units = self._session.units
        self._units = list(units.units)
        wrong = units.misfits()
        self.words.setText(
            " ".join(wrong) or ("All fits, as far as it is known." if self._units else "Nothing is entered yet.")
        )
        rows = []
        for hung in self._units:
            limits = [
                f"{words.lower()} {value:g}{unit}"
                for field, words, unit, _ in _LIMITS
                if (value := getattr(hung.unit, field)) is not None
            ]
            names = [self._session.camera_name(i) for i in hung.cameras]
            rows.append(
                (hung.unit.name, hung.unit.kind.value, ", ".join(limits), ", ".join(names),
                 "; ".join(units.not_known(hung)))
            )  # fmt: skip
        fill_table(self.table, rows)

    def _chosen(self) -> Hung | None:
        row = self.table.currentRow()
        return self._units[row] if 0 <= row < len(self._units) else None

    def _ask(self, hung: Hung | None) -> None:
        names = {i: self._session.camera_name(i) for i in self._session.camera_ids()}
        dialog = UnitDialog(self, hung, names, self._camera_id)
        if dialog.exec() == QDialog.DialogCode.Accepted and dialog.answer is not None:
            self._session.units.keep(hung.id if hung else 0, *dialog.answer)
            self.refresh()

    def enter(self) -> None:
        """Enter a new one."""
        self._ask(None)

    def change(self) -> None:
        """Correct the chosen one."""
        if (hung := self._chosen()) is not None:
            self._ask(hung)

    def remove(self) -> None:
        """Take the chosen one out; can be undone."""
        if (hung := self._chosen()) is not None:
            self._session.units.remove(hung.id)
            self.refresh()
