"""Tables that are read by rows, and copying and sorting in them."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from contextlib import suppress
from datetime import UTC, datetime
from functools import lru_cache

from PyQt6.QtCore import QModelIndex, QSize, QSortFilterProxyModel, Qt, QTimer
from PyQt6.QtGui import QAction, QContextMenuEvent, QGuiApplication, QKeyEvent, QKeySequence, QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractItemView, QHeaderView, QMenu, QTableWidget, QTableWidgetItem

from guardia.ui.parts.theme import THEME

_DATES = tuple(f"{day}%d %b %Y{time}" for day in ("", "%a ") for time in (" %H:%M:%S", " %H:%M", ""))
_NUMBER = re.compile(r"(\d+(?:\.\d+)?)")

LEAST_HEIGHT_PX, SCROLL_BAR_PX, MARGIN_PX = 110, 14, 12

WIDEST_PX = 460
"""The words of an empty table are no wider than this."""

SortKey = tuple[bool, list[tuple[bool, float, str]]]


@lru_cache(maxsize=1 << 16)
def sort_key(text: str) -> SortKey:
    """What a cell is sorted by: dates and numbers by their value, other words by their letters, empty cells last."""
    for form in _DATES:
        with suppress(ValueError):
            return False, [(False, datetime.strptime(text, form).replace(tzinfo=UTC).timestamp(), "")]
    signed = text.strip().lower()
    sign = -1.0 if signed[:1] in ("-", "−") else 1.0
    parts = [part for part in _NUMBER.split(signed.lstrip("-−")) if part.strip()]
    numbered = [_NUMBER.fullmatch(part) is not None for part in parts]
    key = [(not n, float(part) if n else 0.0, "" if n else part) for part, n in zip(parts, numbered, strict=True)]
    if numbered[:1] == [True]:
        key[0] = (False, sign * key[0][1], "")
    return not parts, key


def rows_as_text(view: QAbstractItemView, rows: Sequence[QModelIndex], *, headings: bool) -> str:
    """Rows of a table, list or tree as lines with tabs between the cells, as tables elsewhere read them.

    Args:
        view: The table, list or tree.
        rows: The first cell of each row.
        headings: Whether the names of the columns come first.

    Returns:
        The lines, without one at the end.
    """
    model = view.model()
    if model is None:
        return ""
    columns = [n for n in range(model.columnCount()) if not (isinstance(view, QTableWidget) and view.isColumnHidden(n))]
    across = Qt.Orientation.Horizontal
    lines = [[str(model.headerData(n, across) or "") for n in columns]] if headings and len(columns) > 1 else []
    lines += [[str(row.siblingAtColumn(n).data() or "") for n in columns] for row in rows]
    return "\n".join("\t".join(" ".join(cell.split()) for cell in line) for line in lines)


def add_copying(view: QAbstractItemView) -> None:
    """Let the chosen rows of a view, or all of them, be copied by key and from its context menu."""

    def selected() -> list[QModelIndex]:
        model = view.selectionModel()
        places = {index.siblingAtColumn(0) for index in model.selectedIndexes()} if model is not None else set()
        return sorted(places, key=lambda index: view.visualRect(index).top())

    def everything() -> list[QModelIndex]:
        model = view.model()
        rows = [model.index(row, 0) for row in range(model.rowCount())] if model is not None else []
        return sorted(rows, key=lambda index: view.visualRect(index).top())

    def copy(rows: Callable[[], list[QModelIndex]], headings: bool) -> None:
        clipboard = QGuiApplication.clipboard()
        if clipboard is not None and (found := rows()):
            clipboard.setText(rows_as_text(view, found, headings=headings))

    for text, keys, rows, headings in (
        ("Copy", QKeySequence(QKeySequence.StandardKey.Copy), selected, False),
        ("Copy all rows", QKeySequence(), everything, True),
    ):
        action = QAction(text, view)
        action.setShortcut(keys)
        action.setShortcutContext(Qt.ShortcutContext.WidgetShortcut)
        action.triggered.connect(lambda _=False, r=rows, h=headings: copy(r, h))
        view.addAction(action)
    view.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)


class RowTable(QTableWidget):
    """A table that is read by rows, can be sorted and copied, and answers letters that stand for an act on a row.

    Sorting moves rows on screen only: the number of a row stays, so that who fills the table finds what stands there.

    Args:
        columns: How many there are.
        empty: Stands in its middle while it has no rows: what will be here, and what to do for it.
    """

    def __init__(self, columns: int, empty: str = "") -> None:
        super().__init__(0, columns)
        self.empty = empty
        self.setAccessibleDescription(empty)
        self.keys: dict[str, Callable[[], object]] = {}
        self._sorted_by: tuple[int, Qt.SortOrder] | None = None
        add_copying(self)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.DefaultContextMenu)
        header, model = self.horizontalHeader(), self.model()
        if header is not None:
            header.setSectionsClickable(True)
            header.sectionClicked.connect(self._turn)
        self._again = QTimer(self)
        self._again.setSingleShot(True)
        self._again.setInterval(0)
        self._again.timeout.connect(self._arrange)
        if model is not None:
            for changed in (model.dataChanged, model.rowsInserted, model.rowsRemoved):
                changed.connect(lambda *_: self._sorted_by and self._again.start())

    def sizeHint(self) -> QSize:
        """A few rows; it takes what room there is and asks for no more."""
        return QSize(super().sizeHint().width(), THEME.px(LEAST_HEIGHT_PX))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the rows, or in their place what is to be done first."""
        super().paintEvent(event)
        room = self.viewport()
        if self.empty and not self.rowCount() and room is not None:
            painter = QPainter(room)
            painter.setPen(THEME.colour("muted"))
            area = room.rect().adjusted(MARGIN_PX, MARGIN_PX, -MARGIN_PX, -MARGIN_PX)
            beside = max(0, (area.width() - THEME.px(WIDEST_PX)) // 2)
            words = Qt.TextFlag.TextWordWrap | Qt.AlignmentFlag.AlignCenter
            painter.drawText(area.adjusted(beside, 0, -beside, 0), words, self.empty)
            painter.end()

    def _turn(self, column: int) -> None:
        """Sort by a column: rising, then falling, then as it was filled."""
        up, down = Qt.SortOrder.AscendingOrder, Qt.SortOrder.DescendingOrder
        following = {None: up, up: down, down: None}
        now = self._sorted_by[1] if self._sorted_by is not None and self._sorted_by[0] == column else None
        order = following[now]
        self.sort_by(None if order is None else column, order or up)

    def sort_by(self, column: int | None, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        """Show the rows in the order of a column, or as the table was filled."""
        self._sorted_by = None if column is None else (column, order)
        if (header := self.horizontalHeader()) is not None:
            header.setSortIndicatorShown(column is not None)
            header.setSortIndicator(-1 if column is None else column, order)
        self._arrange()

    def order(self) -> list[int]:
        """Numbers of the rows in the order in which they are shown."""
        side = self.verticalHeader()
        return [side.logicalIndex(n) for n in range(self.rowCount())] if side is not None else []

    def _arrange(self) -> None:
        side, rows = self.verticalHeader(), list(range(self.rowCount()))
        if side is None:
            return
        if self._sorted_by is not None:
            column, order = self._sorted_by
            keys = [sort_key(item.text() if (item := self.item(row, column)) is not None else "") for row in rows]
            rows.sort(key=lambda row: keys[row][1], reverse=order == Qt.SortOrder.DescendingOrder)
            rows.sort(key=lambda row: keys[row][0])  # empty ones stay last
        for place, row in enumerate(rows):
            side.moveSection(side.visualIndex(row), place)

    def context_menu(self, column: int) -> QMenu:
        """What can be done in the table, at one of its columns."""
        menu = QMenu(self)
        menu.addActions(self.actions())
        heading = self.horizontalHeaderItem(column)
        if heading is not None and heading.text():
            menu.addSeparator()
            name, up, down = heading.text(), Qt.SortOrder.AscendingOrder, Qt.SortOrder.DescendingOrder
            for text, order in ((f"Sort by '{name}'", up), (f"Sort by '{name}', falling", down)):
                if (action := menu.addAction(text)) is not None:
                    action.triggered.connect(lambda _=False, o=order: self.sort_by(column, o))
        if self._sorted_by is not None and (action := menu.addAction("Not sorted")) is not None:
            action.triggered.connect(lambda: self.sort_by(None))
        return menu

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer what can be done here."""
        if event is not None:
            self.context_menu(self.columnAt(event.pos().x())).exec(event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Act on a letter; leave the others to the table."""
        act = self.keys.get(event.text().upper()) if event is not None else None
        if act is None:
            super().keyPressEvent(event)
            return
        act()


class SortedRows(QSortFilterProxyModel):
    """The rows of a model in the order of a column, as RowTable sorts them."""

    def lessThan(self, left: QModelIndex, right: QModelIndex) -> bool:
        """Whether one cell comes before another."""
        return sort_key(str(left.data() or "")) < sort_key(str(right.data() or ""))


def row_table(name: str, columns: Sequence[str], empty: str = "") -> RowTable:
    """A table that is read by rows; `empty` stands in it while it has none."""
    table = RowTable(len(columns), empty)
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
    """Put rows of texts into a table; cells that say the same already are left, since each new one is laid out."""
    if table.rowCount() != len(rows):
        table.setRowCount(len(rows))
    for row, texts in enumerate(rows):
        for column, text in enumerate(texts):
            there = table.item(row, column)
            colour = THEME.colour("missed" if warn(row, column) else "ink")
            if there is not None and there.text() == text and there.foreground().color() == colour:
                continue
            item = QTableWidgetItem(text)
            item.setToolTip(text)  # whole, where the column is too narrow
            item.setForeground(colour)
            table.setItem(row, column, item)
    header = table.horizontalHeader()
    modes = [header.sectionResizeMode(n) for n in range(table.columnCount())] if header is not None else []
    if QHeaderView.ResizeMode.Stretch not in modes:  # such columns share the room by themselves
        table.resizeColumnsToContents()


def widen_for_headings(table: QTableWidget, *columns: int) -> None:
    """Let a table be no narrower than the headings of its stretched columns and the contents of the others need."""
    header = table.horizontalHeader()
    if header is None:
        return
    asked = [header.sectionSizeHint(n) for n in columns]
    others = [header.sectionSize(n) for n in range(table.columnCount()) if n not in columns]
    table.setMinimumWidth(max(asked, default=0) * len(columns) + sum(others) + 2 * table.frameWidth() + SCROLL_BAR_PX)


def stretch_columns(table: QTableWidget, *columns: int) -> None:
    """Let these columns share what room the others leave; their words wrap."""
    header = table.horizontalHeader()
    if header is not None:
        for column in range(table.columnCount()):
            mode = QHeaderView.ResizeMode.Stretch if column in columns else QHeaderView.ResizeMode.ResizeToContents
            header.setSectionResizeMode(column, mode)
    if (side := table.verticalHeader()) is not None:
        side.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
