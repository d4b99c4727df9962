"""The chain of gates as a path from top to bottom: it breaks at the first closed gate."""

from __future__ import annotations

from collections.abc import Sequence

from PyQt6.QtCore import QModelIndex, QPointF, QRect, Qt
from PyQt6.QtGui import QFont, QPainter, QPen
from PyQt6.QtWidgets import QHeaderView, QStyle, QStyledItemDelegate, QStyleOptionViewItem

from guardia.core.replay.gate import State
from guardia.ui.parts.tables import RowTable
from guardia.ui.parts.theme import THEME

LINE_PX, NODE_PX = 18, 7
"""Where the path runs from the left edge, and how large half a gate is on it."""

ROW_PX, SPARE_PX = (26, 60), 50
"""Rows share the height of the table between these, but for what wraps."""


class PathDelegate(QStyledItemDelegate):
    """Draws the first column of a table: the gate as a node of the path, and its name."""

    def __init__(self, table: RowTable) -> None:
        super().__init__(table)
        self._table = table
        self.states: Sequence[State] = ()
        self.linked = True

    def show_states(self, states: Sequence[State], *, linked: bool) -> None:
        """Draw these gates, joined to a path if one leads to the next, and let the rows fill the table."""
        self.states, self.linked = states, linked
        side, shown = self._table.verticalHeader(), self._table.viewport()
        if side is not None and shown is not None:
            share = (shown.height() - THEME.px(SPARE_PX)) // max(1, len(states))
            least, most = (THEME.px(n) for n in ROW_PX)
            side.setMinimumSectionSize(min(max(share, least), most))
            side.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Draw one gate."""
        if painter is None or index.row() >= len(self.states):
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area, row = option.rect, index.row()
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(area, THEME.colour("accent_soft"))
        state = self.states[row]
        closed_at = next((n for n, one in enumerate(self.states) if one is State.CLOSED), len(self.states))
        x, middle = area.left() + THEME.px(LINE_PX), area.top() + area.height() / 2
        node = THEME.px(NODE_PX)
        if self.linked:
            for begin, end, there, passed in (
                (area.top(), middle - node, row > 0, row <= closed_at),
                (middle + node, area.bottom() + 1, row < len(self.states) - 1, row < closed_at),
            ):
                style = Qt.PenStyle.SolidLine if passed else Qt.PenStyle.DotLine
                painter.setPen(QPen(THEME.colour("accent" if passed else "muted"), 3 if passed else 2, style))
                if there:
                    painter.drawLine(QPointF(x, begin), QPointF(x, end))
        _draw_node(painter, QPointF(x, middle), node, state)
        font = QFont(option.font)
        if row == closed_at:
            font.setWeight(QFont.Weight.DemiBold)
        painter.setFont(font)
        painter.setPen(THEME.colour("missed" if row == closed_at else "ink"))
        words = QRect(area)
        words.setLeft(round(x) + 2 * node)
        painter.drawText(words, Qt.AlignmentFlag.AlignVCenter, str(index.data()))
        painter.restore()


def _draw_node(painter: QPainter, centre: QPointF, half: float, state: State) -> None:
    """An open gate is a disc, a closed one a cross on a bar, one that is not known a ring with a question mark."""
    colour = THEME.colour({State.OPEN: "accent", State.CLOSED: "missed", State.UNKNOWN: "muted"}[state])
    painter.setPen(QPen(colour, 2))
    painter.setBrush(colour if state is State.OPEN else THEME.colour("surface"))
    if state is State.CLOSED:
        painter.drawLine(centre - QPointF(2 * half, 0), centre + QPointF(2 * half, 0))
        painter.drawEllipse(centre, half, half)
        reach = QPointF(half * 0.5, half * 0.5)
        painter.drawLine(centre - reach, centre + reach)
        painter.drawLine(centre + QPointF(-reach.x(), reach.y()), centre + QPointF(reach.x(), -reach.y()))
        return
    painter.drawEllipse(centre, half, half)
    if state is State.UNKNOWN:
        area = QRect(round(centre.x() - half), round(centre.y() - half), round(2 * half), round(2 * half))
        font = painter.font()
        font.setPointSizeF(THEME.points(7.5))
        painter.setFont(font)
        painter.drawText(area, Qt.AlignmentFlag.AlignCenter, "?")
