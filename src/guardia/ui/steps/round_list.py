"""Round on a site of many cameras: one line each, drawn only where it is seen."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import QAbstractTableModel, QModelIndex, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPainter
from PyQt6.QtWidgets import QHeaderView, QStyledItemDelegate, QStyleOptionViewItem, QTableView

from guardia.app.site.summary import Summary
from guardia.ui.parts.theme import THEME

HEADS = ("camera", "false alerts a day", "real missed", "not judged", "purpose", "next", "why")
RATE = 1
BAR_PX = 6


def _order(line: Summary | None) -> tuple[float, ...]:
    """What needs care first; what is not worked out yet last."""
    return tuple(-part for part in line.trouble) if line is not None else (1.0,)


class Lines(QAbstractTableModel):
    """Lines of cameras, worst first."""

    def __init__(self) -> None:
        super().__init__()
        self.rows: list[tuple[int, Summary | None, str]] = []

    def show(self, rows: Sequence[tuple[int, Summary | None, str]], *, as_they_stand: bool = False) -> None:
        """Show other lines: number of the camera, its line (None while it is not worked out), its name."""
        stands = {row[0]: n for n, row in enumerate(self.rows)} if as_they_stand else {}
        self.beginResetModel()
        self.rows = sorted(rows, key=lambda r: (stands.get(r[0], len(stands)), _order(r[1]), r[2]))
        self.endResetModel()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        """Cameras."""
        return 0 if parent is not None and parent.isValid() else len(self.rows)

    def columnCount(self, parent: QModelIndex | None = None) -> int:
        """Columns."""
        return 0 if parent is not None and parent.isValid() else len(HEADS)

    def headerData(self, section: int, side: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Heads of the columns."""
        shown = side is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole
        return HEADS[section] if shown else None

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """What stands in a cell; under the user's role the rate with its interval, for the bar."""
        _, summary, name = self.rows[index.row()]
        if role == Qt.ItemDataRole.UserRole and index.column() == RATE:
            return summary.false_alerts if summary is not None else None
        if role not in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.ToolTipRole):
            return None
        if summary is None:
            return (name, "", "", "", "", "", "its evidence is being read")[index.column()]
        rate = summary.false_alerts
        texts = (
            name,
            f"{rate[0]:.1f} ({rate[1]:.1f} to {rate[2]:.1f})" if rate else "",
            f"{summary.missed} of {summary.real}" if summary.real else "",
            str(summary.unjudged or ""), summary.met.partition(":")[0].partition(";")[0], summary.action, summary.why,
        )  # fmt: skip
        return texts[index.column()]


class RateDelegate(QStyledItemDelegate):
    """Draws the rate's interval as a bar beneath its figures, all lines to one scale."""

    def __init__(self, lines: Lines) -> None:
        super().__init__(lines)
        self._lines = lines

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Draw a cell."""
        super().paint(painter, option, index)
        rate = index.data(Qt.ItemDataRole.UserRole)
        if painter is None or rate is None:
            return
        most = max((s.false_alerts[2] for _, s, _ in self._lines.rows if s and s.false_alerts), default=0.0)
        if most <= 0:
            return
        inside = QRectF(option.rect).adjusted(4, 0, -4, -3)
        x = [inside.left() + inside.width() * min(value / most, 1.0) for value in rate]
        painter.save()
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(THEME.colour("false", 90))
        painter.drawRect(QRectF(x[1], inside.bottom() - BAR_PX, max(2.0, x[2] - x[1]), BAR_PX))
        painter.setBrush(THEME.colour("false"))
        painter.drawRect(QRectF(x[0] - 1.5, inside.bottom() - BAR_PX - 2, 3.0, BAR_PX + 2))
        painter.restore()


class RoundList(QTableView):
    """The lines; `opened` is emitted with a camera's number and the step of its next action."""

    opened = pyqtSignal(int, str)

    def __init__(self) -> None:
        super().__init__()
        self.lines = Lines()
        self.setModel(self.lines)
        self.setItemDelegateForColumn(RATE, RateDelegate(self.lines))
        self.setAccessibleName("All cameras, worst first; Enter opens one at its next action")
        self.setSelectionBehavior(QTableView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QTableView.SelectionMode.SingleSelection)
        self.setWordWrap(False)
        self.setShowGrid(False)
        if (side := self.verticalHeader()) is not None:
            side.hide()
            side.setDefaultSectionSize(38)
        if (head := self.horizontalHeader()) is not None:
            for column, width in enumerate((220, 170, 90, 80, 90, 190)):
                head.resizeSection(column, width)
            head.setSectionResizeMode(len(HEADS) - 1, QHeaderView.ResizeMode.Stretch)
        self.doubleClicked.connect(lambda index: self._open(index.row()))

    def show_lines(self, rows: Sequence[tuple[int, Summary | None, str]], *, as_they_stand: bool) -> None:
        """Show other lines; the chosen camera and the place on the page stay."""
        now, bar = self.currentIndex().row(), self.verticalScrollBar()
        chosen, at = self.lines.rows[now][0] if now >= 0 else None, bar.value() if bar is not None else 0
        self.lines.show(rows, as_they_stand=as_they_stand)
        self.selectRow(next((n for n, row in enumerate(self.lines.rows) if row[0] == chosen), -1))
        if bar is not None:
            bar.setValue(at)

    def _open(self, row: int) -> None:
        if 0 <= row < len(self.lines.rows):
            camera_id, summary, _ = self.lines.rows[row]
            self.opened.emit(camera_id, summary.step if summary is not None else "evidence")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter opens the chosen camera."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._open(self.currentIndex().row())
            return
        super().keyPressEvent(event)
