"""Days and causes: a calendar of the evidence, and how often what happens, with its uncertainty."""

from __future__ import annotations

import calendar
from collections.abc import Sequence
from datetime import date

from PyQt6.QtCore import QPointF, QRect, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QScrollArea,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.site.exports import Exports
from guardia.core.purpose.judgement import Verdict
from guardia.core.score.statistics import BY, Day, StatisticLine, days, lines
from guardia.ui.parts.tables import row_table
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import FreshPage, button, choice, draw_mark, label, page_head, painting

_BY_WORDS = {
    "cause": "by cause",
    "pattern": "by weather-like pattern",
    "hour": "by hour",
    "light": "by light",
    "day": "by day",
}
_CELL_PX = (86, 62)
_HEAD_PX = 20


class MonthView(QWidget):
    """The weeks of a month with evidence: each day's counts of real, false and unjudged, and minutes of footage."""

    picked = pyqtSignal(object)

    def __init__(self, year: int, month: int, days: Sequence[Day]) -> None:
        super().__init__()
        self.days_by_date = {d.date: d for d in days if (d.date.year, d.date.month) == (year, month)}
        weeks = calendar.Calendar().monthdatescalendar(year, month)
        self._weeks = [w for w in weeks if any(d in self.days_by_date for d in w)]
        self._month = month
        self._cell, self._head = QSize(*map(THEME.px, _CELL_PX)), THEME.px(_HEAD_PX)
        self.setFixedSize(7 * self._cell.width(), self._head + len(self._weeks) * self._cell.height())
        self.setAccessibleName(f"Evidence in {calendar.month_name[month]} {year}")

    def day_rect(self, day: date) -> QRect:
        """Where a day stands."""
        week = next(n for n, w in enumerate(self._weeks) if day in w)
        left, top = day.weekday() * self._cell.width(), self._head + week * self._cell.height()
        return QRect(left, top, self._cell.width() - 3, self._cell.height() - 3)

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw the month."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(THEME.colour("muted"))
        for column, name in enumerate(calendar.day_abbr):
            painter.drawText(QRect(column * self._cell.width(), 0, self._cell.width(), self._head), 0, f" {name}")
        for day in (d for w in self._weeks for d in w if d.month == self._month):
            area = self.day_rect(day)
            there = self.days_by_date.get(day)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(THEME.colour("surface" if there else "page"))
            painter.drawRoundedRect(area, 4, 4)
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(THEME.colour("line"))
            painter.drawRoundedRect(QRectF(area).adjusted(0.5, 0.5, -0.5, -0.5), 4, 4)
            painter.setPen(THEME.colour("ink" if there else "muted"))
            painter.drawText(area.adjusted(6, 3, 0, 0), 0, str(day.day))
            if there is None:
                continue
            marks = (
                (Verdict.REAL, there.real, QPointF(15, 32)),
                (Verdict.FALSE, there.false, QPointF(48, 32)),
                (None, there.unjudged, QPointF(15, 49)),
            )
            for verdict, ids, offset in marks:
                if ids:
                    centre = QPointF(area.topLeft()) + offset
                    draw_mark(painter, verdict, centre, 8.5)
                    painter.setPen(THEME.colour("ink"))
                    painter.drawText(centre + QPointF(8, 4.5), str(len(ids)))
            if there.footage_s:
                painter.setPen(THEME.colour("accent"))
                words = f"{there.footage_s / 60:.0f} min"
                painter.drawText(area.adjusted(0, 3, -6, 0), Qt.AlignmentFlag.AlignRight, words)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Pick the day that is clicked."""
        if event is not None:
            for day, there in self.days_by_date.items():
                if self.day_rect(day).contains(event.position().toPoint()):
                    self.picked.emit(there)


class _BarDelegate(QStyledItemDelegate):
    """Draws a rate with its interval as a bar on the scale of the whole table."""

    top = 1.0

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: object) -> None:
        """Draw a cell."""
        line: StatisticLine | None = index.data(Qt.ItemDataRole.UserRole)  # type: ignore[attr-defined]
        if painter is None or line is None or line.rate is None or line.low is None or line.high is None:
            return
        area = QRectF(option.rect).adjusted(6, 0, -8, 0)
        middle = area.center().y()
        low, high, at = (area.left() + area.width() * min(1.0, v / self.top) for v in (line.low, line.high, line.rate))
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(THEME.colour("false", 70))
        painter.drawRoundedRect(QRectF(low, middle - 5, max(2.0, high - low), 10), 4, 4)
        painter.setPen(QPen(THEME.colour("false"), 2.5))
        painter.drawLine(QPointF(at, middle - 7), QPointF(at, middle + 7))
        painter.restore()


class StatisticsPage(FreshPage):
    """The calendar above, the table below; each day and each line opens its occurrences."""

    asked = pyqtSignal(tuple, str)

    def __init__(self, session: Session, model: CameraModel, tabs: QWidget) -> None:
        super().__init__()
        self._session = session
        self._model = model
        layout, head = page_head(self, "Evidence")
        head.addWidget(tabs)
        head.addStretch()
        layout.addLayout(head)
        self._months = QVBoxLayout()
        holder = QWidget()
        holder.setLayout(self._months)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(holder)
        self._area = area
        layout.addWidget(area)
        row = QHBoxLayout()
        row.addWidget(label("False recordings", "head"))
        self.by = choice([(_BY_WORDS[by], by) for by in BY], name="Count by")
        self.by.currentIndexChanged.connect(self.refresh)
        row.addWidget(self.by)
        self._note = label("", "muted")
        row.addWidget(self._note)
        row.addStretch()
        row.addWidget(button("Save table…", self.ask_save, tip="As CSV, JSON Lines or XLSX"))
        layout.addLayout(row)
        self.table = row_table("False recordings a day", ["", "count", "a day (95 % interval)", ""])
        self.table.setShowGrid(False)
        if (upright := self.table.verticalHeader()) is not None:
            upright.setDefaultSectionSize(27)
        if (level := self.table.horizontalHeader()) is not None:
            for column, width in enumerate(map(THEME.px, (190, 64, 158))):
                level.resizeSection(column, width)
            level.setSectionResizeMode(3, QHeaderView.ResizeMode.Stretch)
        self._bars = _BarDelegate(self.table)
        self.table.setItemDelegateForColumn(3, self._bars)
        self.table.itemActivated.connect(lambda item: self._open(item.row()))
        self.table.cellClicked.connect(lambda r, _c: self._open(r))
        layout.addWidget(self.table, 1)
        self.lines: list[StatisticLine] = []
        model.judgements_changed.connect(self.refresh_if_shown)
        model.evidence_changed.connect(self.refresh_if_shown)
        self.fill()

    def refresh(self) -> None:
        """Count anew."""
        evidence = self._model.evidence
        while self._months.count():
            if (item := self._months.takeAt(0)) is not None and (widget := item.widget()) is not None:
                widget.deleteLater()
        days_found = days(evidence)
        for year, month in sorted({(d.date.year, d.date.month) for d in days_found}):
            self._months.addWidget(label(f"{calendar.month_name[month]} {year}", "head"))
            view = MonthView(year, month, days_found)
            view.picked.connect(lambda day: self.asked.emit(day.ids, f"{day.date:%a %d %b %Y}"))
            self._months.addWidget(view)
        if not days_found:
            self._months.addWidget(label("No day with evidence yet: import clips first.", "head"))
        for n in range(self._months.count()):
            if (item := self._months.itemAt(n)) is not None and (widget := item.widget()) is not None:
                widget.show()  # what is not shown yet takes no room in the hint
        self._months.addStretch()
        self._area.setFixedHeight(min(330, self._months.sizeHint().height() + 6))
        by = self.by.currentData()
        self.lines = lines(evidence, by)
        self._bars.top = max((line.high or 0.0 for line in self.lines), default=0.0) or 1.0
        self.table.setRowCount(len(self.lines))
        for row, line in enumerate(self.lines):
            rate = "" if line.rate is None else f"{line.rate:.2f} ({line.low:.2f} to {line.high:.2f})"
            for column, text in enumerate((line.name, str(len(line.ids)), rate, "")):
                cell = QTableWidgetItem(text)
                if column == 1:
                    cell.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
                cell.setData(Qt.ItemDataRole.UserRole, line)
                self.table.setItem(row, column, cell)
        watch = evidence.watch
        held = [f"{days:.1f} {reason}" for reason, days in watch.held_back().items()]
        left = f" Left out: {', '.join(held)}." if held else ""
        self._note.setText(
            f"as the camera recorded them, on {watch.counted_days:.1f} of {watch.days:.1f} days covered"
            if watch.spans
            else "time covered not known"
        )
        self._note.setToolTip(
            "What the camera recorded, whether or not the model explains it. Counted are motion clips of the time "
            "covered that is fully reviewed." + left
        )

    def _open(self, row: int) -> None:
        line = self.lines[row]
        if line.ids:
            self.asked.emit(line.ids, f"{line.name}: {len(line.ids)} false")

    def ask_save(self) -> None:
        """Ask for a file and save the table there."""
        name, _ = QFileDialog.getSaveFileName(
            self, "Save table", "statistics.csv", "CSV (*.csv);;JSON Lines (*.jsonl);;XLSX (*.xlsx)"
        )
        if name:
            Exports(self._session).save_statistic(self._model.camera.id, self.by.currentData(), self.lines, name)
