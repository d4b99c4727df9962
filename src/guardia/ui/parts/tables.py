"""Tables that are read by rows."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHeaderView, QTableWidget, QTableWidgetItem

from guardia.ui.parts.theme import THEME


class RowTable(QTableWidget):
    """A table that is read by rows, and answers letters that stand for an act on the chosen row."""

    def __init__(self, columns: int) -> None:
        super().__init__(0, columns)
        self.keys: dict[str, Callable[[], object]] = {}

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Act on a letter; leave the others to the table."""
        act = self.keys.get(event.text().upper()) if event is not None else None
        if act is None:
            super().keyPressEvent(event)
            return
        act()


def row_table(name: str, columns: Sequence[str]) -> RowTable:
    """A table that is read by rows."""
    table = RowTable(len(columns))
    table.setHorizontalHeaderLabels(list(columns))
    table.setAccessibleName(name)
    table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
    table.setTabKeyNavigation(False)  # Tab goes on to the next control, as everywhere
    table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
    if (side := table.verticalHeader()) is not None:
        side.hide()
    table.resizeColumnsToContents()  # headings are whole before there are rows, too
    return table


def fill_table(
    table: QTableWidget, rows: Sequence[Sequence[str]], warn: Callable[[int, int], bool] = lambda _r, _c: False
) -> None:
    """Put rows of texts into a table."""
    table.setRowCount(len(rows))
    for row, texts in enumerate(rows):
        for column, text in enumerate(texts):
            item = QTableWidgetItem(text)
            item.setToolTip(text)  # whole, where the column is too narrow
            if warn(row, column):
                item.setForeground(THEME.colour("missed"))
            table.setItem(row, column, item)
    header = table.horizontalHeader()
    modes = [header.sectionResizeMode(n) for n in range(table.columnCount())] if header is not None else []
    if QHeaderView.ResizeMode.Stretch not in modes:  # such columns share the room by themselves
        table.resizeColumnsToContents()


def stretch_columns(table: QTableWidget, *columns: int) -> None:
    """Let these columns share what room the others leave; their words wrap."""
    header = table.horizontalHeader()
    if header is not None:
        for column in range(table.columnCount()):
            mode = QHeaderView.ResizeMode.Stretch if column in columns else QHeaderView.ResizeMode.ResizeToContents
            header.setSectionResizeMode(column, mode)
    if (side := table.verticalHeader()) is not None:
        side.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
