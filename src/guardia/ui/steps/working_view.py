"""How a figure was worked out: the numbers it rests on, each with where it came from, to be opened and corrected."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QDoubleSpinBox, QHBoxLayout, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from guardia.app.steps.storage_model import StorageModel
from guardia.core.base.errors import InvalidValue
from guardia.core.storage.facts import FACTS
from guardia.core.storage.figure import Figure, Source
from guardia.ui.parts.tables import add_copying
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import WrappedLabel, button, dialog_ends, label


class FactDialog(QDialog):
    """Asks for one number; what cannot be is refused in place."""

    def __init__(self, parent: QWidget, model: StorageModel, name: str, value: float) -> None:
        super().__init__(parent)
        self._model, self._name = model, name
        fact = FACTS[name]
        self.setWindowTitle("Type in")
        layout = QVBoxLayout(self)
        layout.addWidget(label(f"{fact.words[0].upper()}{fact.words[1:]}", "head"))
        self.value = QDoubleSpinBox()
        self.value.setDecimals(3 if fact.most < 1000 else 1)
        # Wider than what can be, so that what cannot is told and not silently cut.
        self.value.setRange(-1e9, 1e12)
        self.value.setSuffix(f" {fact.unit}" if fact.unit else "")
        self.value.setValue(value)
        self.value.selectAll()
        layout.addWidget(self.value)
        layout.addWidget(label(f"{fact.least:g} to {fact.most:g} {fact.unit}".strip(), "muted"))
        self.trouble = WrappedLabel()
        self.trouble.setObjectName("warning")
        layout.addWidget(self.trouble)
        layout.addWidget(dialog_ends(self))

    def accept(self) -> None:
        """Keep it, if it can be."""
        try:
            self._model.set_fact(self._name, self.value.value())
        except InvalidValue as error:
            self.trouble.setText(str(error))
            return
        super().accept()


class WorkingView(QWidget):
    """A tree of figures; what is typed or assumed can be corrected."""

    def __init__(self, model: StorageModel) -> None:
        super().__init__()
        self._model = model
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        self.tree = QTreeWidget()
        add_copying(self.tree)
        self.tree.setAccessibleName("How it is worked out")
        self.tree.setHeaderLabels(["what", "value", "from", "how"])
        self.tree.setToolTip("Enter or a double click on what is assumed or typed in corrects it")
        self.tree.itemActivated.connect(lambda item, _column: self.correct(item))
        self.tree.currentItemChanged.connect(lambda _new, _old: self._follow())
        layout.addWidget(self.tree, 1)
        row = QHBoxLayout()
        self.type_in = button("&Type it in …", self._type_in, tip="Correct the chosen number")
        self.assume = button("Assume again", self._assume, tip="Undo what was typed in")
        row.addWidget(self.type_in)
        row.addWidget(self.assume)
        row.addWidget(label("measured on your files and readings, typed in, or assumed", "muted"), 1)
        layout.addLayout(row)

    def show_figure(self, figure: Figure | None) -> None:
        """Show how a figure came about."""
        tree = self.tree
        chosen = self._fact(tree.currentItem())
        tree.clear()
        if figure is not None:
            root = self._item(figure)
            tree.addTopLevelItem(root)
            tree.expandAll()
            items = [root, *_below(root)]
            tree.setCurrentItem(next((i for i in items if chosen and self._fact(i) == chosen), root))
        for column in range(3):
            tree.resizeColumnToContents(column)
        tree.setColumnWidth(0, min(260, tree.columnWidth(0)))
        self._follow()

    def _item(self, figure: Figure) -> QTreeWidgetItem:
        item = QTreeWidgetItem([figure.name, figure.words, figure.source.value, figure.how])
        item.setToolTip(3, figure.how)
        item.setData(0, Qt.ItemDataRole.UserRole, (figure.fact, figure.value, figure.source))
        if figure.source is Source.ASSUMED and figure.fact:
            item.setForeground(2, THEME.colour("false"))
            font = item.font(1)
            font.setUnderline(True)
            item.setFont(1, font)
        for part in figure.parts:
            item.addChild(self._item(part))
        return item

    @staticmethod
    def _fact(item: QTreeWidgetItem | None) -> str:
        return str(item.data(0, Qt.ItemDataRole.UserRole)[0]) if item is not None else ""

    def _follow(self) -> None:
        item = self.tree.currentItem()
        fact = self._fact(item)
        typed = item is not None and item.data(0, Qt.ItemDataRole.UserRole)[2] == Source.TYPED
        self.type_in.setEnabled(bool(fact))
        self.assume.setEnabled(bool(fact) and typed)

    def _type_in(self) -> None:
        item = self.tree.currentItem()
        if item is not None:
            self.correct(item)

    def correct(self, item: QTreeWidgetItem) -> None:
        """Let the number of an item be typed in, if somebody can know it."""
        if name := self._fact(item):
            self.ask(name)

    def ask(self, name: str) -> None:
        """Ask for a fact."""
        FactDialog(self, self._model, name, self._model.fact_value(name)).exec()

    def _assume(self) -> None:
        if fact := self._fact(self.tree.currentItem()):
            self._model.set_fact(fact, None)


def _below(item: QTreeWidgetItem) -> list[QTreeWidgetItem]:
    rows = []
    for number in range(item.childCount()):
        child = item.child(number)
        if child is not None:
            rows += [child, *_below(child)]
    return rows
