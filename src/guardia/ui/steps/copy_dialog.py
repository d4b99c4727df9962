"""The draft of one camera copied to others, each in its own make's form, with what is lost on the way."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QDialog, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.ui.parts.tables import add_copying
from guardia.ui.parts.widgets import WrappedLabel, dialog_ends


class CopyDialog(QDialog):
    """Every other camera with a tick, and beneath it what it cannot be told as it is.

    Args:
        parent: The window.
        session: The open project.
        model: The camera whose draft is copied.
    """

    title = "Copy the draft to other cameras"
    intro = (
        "The draft of {} becomes the draft of the cameras that are ticked; nothing is entered on any camera, and Undo "
        "takes it back."
    )
    with_zones = True

    def __init__(self, parent: QWidget, session: Session, model: CameraModel) -> None:
        super().__init__(parent)
        self.setWindowTitle(self.title)
        self.resize(620, 460)
        self._session, self._model = session, model
        layout = QVBoxLayout(self)
        words = WrappedLabel()
        words.setText(self.intro.format(model.camera.name))
        layout.addWidget(words)
        self.zones = QCheckBox("the zones, too (another view usually asks for others)")
        self.zones.toggled.connect(lambda _: self._fill())
        self.zones.setVisible(self.with_zones)
        layout.addWidget(self.zones)
        self.tree = QTreeWidget()
        add_copying(self.tree)
        self.tree.setHeaderHidden(True)
        self.tree.setWordWrap(True)
        self.tree.setAccessibleName("Cameras, and what is lost on the way")
        layout.addWidget(self.tree, 1)
        layout.addWidget(dialog_ends(self))
        self._fill()

    def _fill(self) -> None:
        ticked = set(self.chosen)
        self.tree.clear()
        for number, (name, lost) in self._losses().items():
            item = QTreeWidgetItem([name])
            item.setData(0, Qt.ItemDataRole.UserRole, number)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(0, Qt.CheckState.Checked if number in ticked else Qt.CheckState.Unchecked)
            for line in lost or ["nothing is lost"]:
                item.addChild(QTreeWidgetItem([line]))
            self.tree.addTopLevelItem(item)
        self.tree.expandAll()

    def _losses(self) -> dict[int, tuple[str, list[str]]]:
        return self._session.copying.losses(self._model, zones=self.zones.isChecked())

    def _copy(self) -> None:
        self._session.copying.copy(self._model, self.chosen, zones=self.zones.isChecked())

    @property
    def chosen(self) -> list[int]:
        """Numbers of the cameras that are ticked."""
        items = [self.tree.topLevelItem(n) for n in range(self.tree.topLevelItemCount())]
        return [
            item.data(0, Qt.ItemDataRole.UserRole)
            for item in items
            if item is not None and item.checkState(0) is Qt.CheckState.Checked
        ]

    def accept(self) -> None:
        """Copy it."""
        self._copy()
        super().accept()
