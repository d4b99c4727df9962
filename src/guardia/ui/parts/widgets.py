"""Small widgets that several views use."""

from __future__ import annotations

import html
import math
import sys
from collections.abc import Callable, Iterable, Sequence
from datetime import UTC, datetime
from functools import partial, wraps
from typing import TypeVar

from PyQt6.QtCore import QDate, QEvent, QObject, QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPixmap, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QDateTimeEdit,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLayout,
    QPushButton,
    QSizePolicy,
    QTabWidget,
    QVBoxLayout,
    QWidget,
)

from guardia.core.base.distances import shown_distances
from guardia.core.base.values import EARLIEST_S, LATEST_S
from guardia.core.purpose.judgement import KINDS, Verdict
from guardia.ui.parts.theme import THEME

_Widget = TypeVar("_Widget", bound=QWidget)


class DistanceBox(QDoubleSpinBox):
    """A field of a distance: typed in the units in which distances are shown, given in metres.

    Args:
        low: The least, metres.
        high: The greatest, metres.
        value: What it begins with, metres.
        words: What follows the unit.
        decimals: Digits behind the point.
    """

    def __init__(self, low: float, high: float, value: float, words: str = "", decimals: int = 1) -> None:
        super().__init__()
        self._unit = shown_distances()
        self.setDecimals(decimals)
        self.setRange(low / self._unit.metres, high / self._unit.metres)
        self.setSuffix(f" {self._unit.unit}{words}")
        self.set_metres(value)

    def metres(self) -> float:
        """The distance, metres."""
        return self.value() * self._unit.metres

    def set_metres(self, metres: float) -> None:
        """Show a distance."""
        self.setValue(metres / self._unit.metres)


class PartTabs(QTabWidget):
    """Tabs whose pages share the room there is; left to itself every one asks for the height that suits the highest."""

    def hasHeightForWidth(self) -> bool:
        """Their least height is that of the pages."""
        return False


def painting(draw: Callable[[_Widget, QPainter], None]) -> Callable[[_Widget, object], None]:
    """A paintEvent that never raises and always ends its painter: Qt crashes on a painter that is left active.

    What goes wrong is told once for each widget, not at every repaint.
    """

    @wraps(draw)
    def paint(self: _Widget, _event: object) -> None:
        painter = QPainter(self)
        try:
            draw(self, painter)
        except Exception as error:
            if not self.property("paint_failed"):
                self.setProperty("paint_failed", True)
                sys.excepthook(type(error), error, error.__traceback__)
        finally:
            painter.end()

    return paint


def label(text: str, name: str = "", *, wrap: bool = False, rich: bool = False) -> QLabel:
    """A label with one of the style sheet's names; `rich` where its text is markup, which no name may be part of."""
    widget = QLabel(text)
    widget.setTextFormat(Qt.TextFormat.RichText if rich else Qt.TextFormat.PlainText)
    widget.setObjectName(name)
    widget.setWordWrap(wrap)
    return widget


def choice(options: Iterable[tuple[str, object]], chosen: object = None, *, name: str = "") -> QComboBox:
    """A box to choose from words, each with its value; at first the chosen value, or where none is so the first."""
    box = QComboBox()
    for words, value in options:
        box.addItem(words, value)
    box.setCurrentIndex(max(0, box.findData(chosen)))
    box.setAccessibleName(name)
    return box


DateField = TypeVar("DateField", bound=QDateTimeEdit)


def dated(field: DateField) -> DateField:
    """The field, which then takes no date that a camera's clock cannot show."""
    first, last = (datetime.fromtimestamp(s, UTC).date() for s in (EARLIEST_S, LATEST_S))
    # Two days within, since the same moment bears another date in UTC.
    begin, end = (
        QDate(first.year, first.month, first.day).addDays(2),
        QDate(last.year, last.month, last.day).addDays(-2),
    )
    field.setDateRange(begin, end)
    return field


class WrappedLabel(QLabel):
    """A wrapping label that always has just the height that its text needs, also beside something that grows."""

    def __init__(self) -> None:
        super().__init__()
        self.setWordWrap(True)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Ask for the height that the new width needs."""
        super().resizeEvent(event)
        self.setFixedHeight(max(0, self.heightForWidth(self.width())))

    def setText(self, text: str | None) -> None:
        """Show a text, and ask for the height that it needs."""
        super().setText(text)
        self.setFixedHeight(max(0, self.heightForWidth(self.width())))


class ElidedLabel(QLabel):
    """A label on one line that takes the room there is; what does not fit is left out, and stands whole in the tip."""

    def __init__(self, text: str, name: str = "") -> None:
        super().__init__()
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setObjectName(name)
        self.setToolTip(html.escape(text))
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self._whole = text

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Show as much as fits."""
        super().resizeEvent(event)
        self.setText(self.fontMetrics().elidedText(self._whole, Qt.TextElideMode.ElideRight, self.width()))


def two_columns(widget: QWidget) -> tuple[QVBoxLayout, QVBoxLayout]:
    """Two columns beside each other, the first the wider one."""
    both = QHBoxLayout(widget)
    both.setContentsMargins(0, 6, 0, 0)
    both.setSpacing(14)
    left, right = QVBoxLayout(), QVBoxLayout()
    both.addLayout(left, 3)
    both.addLayout(right, 2)
    return left, right


def button(text: str, act: Callable[[], object], name: str = "", tip: str = "") -> QPushButton:
    """A button that calls `act`."""
    widget = QPushButton(text)
    widget.setObjectName(name)
    widget.setToolTip(tip)
    widget.clicked.connect(lambda: act())
    return widget


def dialog_ends(dialog: QDialog) -> QDialogButtonBox:
    """OK and Cancel of a dialog."""
    ends = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
    ends.accepted.connect(dialog.accept)
    ends.rejected.connect(dialog.reject)
    return ends


def page_head(page: QWidget, title: str) -> tuple[QVBoxLayout, QHBoxLayout]:
    """Lay out a step's page: its column, and the row with its title, not yet added to the column."""
    layout = QVBoxLayout(page)
    layout.setContentsMargins(18, 14, 18, 12)
    head = QHBoxLayout()
    head.addWidget(label(title, "title"))
    return layout, head


def card() -> QFrame:
    """A raised surface."""
    frame = QFrame()
    frame.setObjectName("card")
    return frame


def words_card(layout: QVBoxLayout) -> WrappedLabel:
    """A raised surface with words that wrap, put at the end of a layout."""
    frame = card()
    inside = QVBoxLayout(frame)
    inside.setContentsMargins(14, 10, 14, 10)
    words = WrappedLabel()
    inside.addWidget(words)
    layout.addWidget(frame)
    return words


def clear(layout: QLayout) -> None:
    """Remove everything from a layout."""
    while layout.count():
        item = layout.takeAt(0)
        if item is None:
            return
        widget = item.widget()
        if widget is not None:
            widget.hide()  # or a queued show would make a window of it
            widget.setParent(None)
            widget.deleteLater()


def verdict_colour(verdict: Verdict | None) -> QColor:
    """Colour of a verdict."""
    names = {Verdict.REAL: "real", Verdict.FALSE: "false"}
    return THEME.colour(names.get(verdict, "unjudged") if verdict else "unjudged")


def draw_mark(
    painter: QPainter, verdict: Verdict | None, centre: QPointF, size: float, *, recorded: bool = True
) -> None:
    """Draw the mark of an occurrence: disc for real, diamond for false, ring for unjudged; hollow when not recorded.

    Thousands are drawn at once, so that each kind is drawn once for a screen and laid where it is wanted.
    """
    device = painter.device()
    ratio = device.devicePixelRatioF() if device is not None else 1.0
    key = (verdict, recorded, size, ratio, THEME.dark)
    if (mark := _MARKS.get(key)) is None:
        side = math.ceil(size * 1.15) + 4
        mark = QPixmap(math.ceil(side * ratio), math.ceil(side * ratio))
        mark.setDevicePixelRatio(ratio)
        mark.fill(THEME.colour("surface", 0))
        inside = QPainter(mark)
        _draw_whole_mark(inside, verdict, QPointF(side / 2, side / 2), size, recorded=recorded)
        inside.end()
        _MARKS[key] = mark
    half = mark.deviceIndependentSize() / 2
    painter.drawPixmap(centre - QPointF(half.width(), half.height()), mark)


_MARKS: dict[tuple[Verdict | None, bool, float, float, bool], QPixmap] = {}


def _draw_whole_mark(
    painter: QPainter, verdict: Verdict | None, centre: QPointF, size: float, *, recorded: bool
) -> None:
    colour = verdict_colour(verdict)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(colour, 1.6))
    painter.setBrush(colour if recorded and verdict in (Verdict.REAL, Verdict.FALSE) else Qt.BrushStyle.NoBrush)
    half = size / 2
    if verdict is Verdict.FALSE:
        half *= 1.15
        corners = [(0, -half), (half, 0), (0, half), (-half, 0)]
        painter.drawPolygon(QPolygonF([centre + QPointF(x, y) for x, y in corners]))
    else:
        painter.drawEllipse(centre, half, half)
        if verdict is Verdict.UNSURE:
            painter.drawLine(centre - QPointF(half, 0), centre + QPointF(half, 0))


class MarkSign(QWidget):
    """The mark of a verdict as a widget, for legends."""

    def __init__(self, verdict: Verdict | None, *, recorded: bool = True, half: bool = False) -> None:
        super().__init__()
        self._verdict = verdict
        self._recorded = recorded
        self._half = half
        self.setFixedSize(16, 16)

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw the mark."""
        draw_mark(painter, self._verdict, QPointF(8, 8), 9, recorded=self._recorded and not self._half)
        if self._half:
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(verdict_colour(self._verdict), 1.6))
            painter.setBrush(verdict_colour(self._verdict))
            painter.drawPie(QRectF(3.5, 3.5, 9, 9), 90 * 16, 180 * 16)


Triple = tuple[float, float, float]
"""An estimate with the low and the high end of its interval."""


class IntervalBars(QWidget):
    """Two estimates with their intervals on one scale from zero: installed above, draft below.

    Args:
        words: What is estimated, for those who do not see it.
        colour: Token of the theme for the draft.
        form: Writes a number.
        percent: Confidence of the intervals.
    """

    def __init__(self, words: str, colour: str, form: Callable[[float], str], *, percent: int = 95) -> None:
        super().__init__()
        self._percent = percent
        self._words, self._colour, self._form = words, colour, form
        self._values: tuple[Triple | None, Triple | None] = (None, None)
        self.setFixedHeight(THEME.px(36))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_values(self, installed: Triple | None, draft: Triple | None) -> None:
        """Show estimate, low and high of both."""
        self._values = (installed, draft)
        self.setAccessibleName(f"{self._words}: installed {self._figures(installed)}, draft {self._figures(draft)}")
        self.setToolTip(
            f"Installed {self._figures(installed)}, draft {self._figures(draft)}: {self._percent} % intervals"
        )
        self.update()

    def _figures(self, value: Triple | None) -> str:
        return "no figure yet" if value is None else "{} ({} to {})".format(*(self._form(v) for v in value))

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw both intervals, each with its figures."""
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        top = max((v[2] for v in self._values if v), default=0.0) or 1.0
        metrics = painter.fontMetrics()
        texts = [self._figures(v) for v in self._values]
        left = metrics.horizontalAdvance("installed") + 8
        width = self.width() - left - max(map(metrics.horizontalAdvance, texts)) - 14
        for row, (value, name, text) in enumerate(zip(self._values, ("installed", "draft"), texts, strict=True)):
            y, half = THEME.px(9 + row * 18), THEME.px(18) / 2
            painter.setPen(THEME.colour("muted"))
            painter.drawText(QRectF(0, y - half, left, 2 * half), Qt.AlignmentFlag.AlignVCenter, name)
            painter.setPen(THEME.colour("ink" if value else "muted"))
            right = QRectF(0, y - half, self.width(), 2 * half)
            painter.drawText(right, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, text)
            painter.setPen(QPen(THEME.colour("line"), 1))
            painter.drawLine(QPointF(left, y), QPointF(left + width, y))
            if value is None:
                continue
            estimate, low, high = (left + width * v / top for v in value)
            colour = THEME.colour(self._colour if row else "muted")
            painter.setPen(Qt.PenStyle.NoPen)
            soft = QColor(colour)
            soft.setAlpha(70)
            painter.setBrush(soft)
            painter.drawRoundedRect(QRectF(low, y - 4, max(2.0, high - low), 8), 4, 4)
            painter.setBrush(colour)
            painter.drawRect(QRectF(estimate - 1.5, y - 6, 3, 12))


class HelpLine(QLabel):
    """Explains the control that the pointer or the keyboard is on, in a sentence."""

    def __init__(self, at_first: str) -> None:
        super().__init__(at_first)
        self.setObjectName("muted")
        self.setWordWrap(True)
        self.setMinimumHeight(THEME.px(34))
        self.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._texts: dict[QObject, str] = {}

    def explain(self, widget: QWidget, text: str) -> None:
        """Explain a control."""
        self._texts[widget] = text
        widget.setToolTip(text)
        widget.setWhatsThis(text)
        widget.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Show the explanation when a control is pointed at or stepped to."""
        if event is not None and watched in self._texts and event.type() in (QEvent.Type.Enter, QEvent.Type.FocusIn):
            self.setText(self._texts[watched])
        return super().eventFilter(watched, event)


class FreshPage(QWidget):
    """A page that is made anew only while it is shown, and whenever it comes to be shown."""

    _new = False

    def refresh(self) -> None:
        """Show everything as it is now."""

    def fill(self) -> None:
        """Show everything for the first time, while the page is made: it need not be done again as it is shown then."""
        self.refresh()
        self._new = True

    def refresh_if_shown(self) -> None:
        """Take in a change: at once while shown, otherwise when it is shown again."""
        self._new = False
        if self.isVisible():
            self.refresh()

    def showEvent(self, _event: object) -> None:
        """Show it as it is now."""
        if not self._new:
            self.refresh()
        self._new = False


def tabs(current: str, entries: Sequence[tuple[str, str, str]], go: Callable[[str], object]) -> QWidget:
    """A row of buttons for the parts of a step: (id, words, tip) each; the current one is pressed."""
    row = QWidget()
    layout = QHBoxLayout(row)
    layout.setContentsMargins(8, 0, 0, 0)
    layout.setSpacing(2)
    for part, words, tip in entries:
        tab = button(words, partial(go, part), "tab", tip)
        tab.setCheckable(True)
        tab.setChecked(part == current)
        tab.clicked.connect(lambda _=False, b=tab, p=part: b.setChecked(p == current))
        layout.addWidget(tab)
    return row


class JudgingKeys(QWidget):
    """The keys of all kinds as buttons, real, false and open ones, in as many columns as there is room for.

    Args:
        judge: Called with the id of a kind; the empty one takes a judgement back.
        hint: Stands beside the last ones.
    """

    def __init__(self, judge: Callable[[str], object], hint: str) -> None:
        super().__init__()
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(5)
        self._grid.setVerticalSpacing(4)
        real = [(k.key, k.text, k.id) for k in KINDS if k.verdict is Verdict.REAL]
        false = [(k.key, k.text, k.id) for k in KINDS if k.verdict is Verdict.FALSE]
        self._groups = [
            [self._key(judge, *kind) for kind in kinds]
            for kinds in (real, false, (("U", "unsure", "unsure"), ("\u232b", "undo", "")))
        ]
        self._words = [label(text, "muted") for text in ("real", "false", "open")]
        self._hint = ElidedLabel(hint, "muted")
        self._columns = 0
        self._lay_out(6)

    @staticmethod
    def _key(judge: Callable[[str], object], key: str, text: str, kind: str) -> QPushButton:
        widget = button(f"{key}  {text}", lambda: judge(kind), "key")
        widget.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        return widget

    def _lay_out(self, columns: int) -> None:
        if columns == self._columns:
            return
        self._columns = columns
        row = 0
        for words, keys in zip(self._words, self._groups, strict=True):
            self._grid.addWidget(words, row, 0)
            for number, widget in enumerate(keys):
                self._grid.addWidget(widget, row + number // columns, 1 + number % columns)
            row += -(-len(keys) // columns)
        self._grid.addWidget(self._hint, row - 1, 3, 1, max(1, columns - 2))
        self.updateGeometry()

    def _room(self, columns: int) -> int:
        """Width that so many columns need."""
        widths = [0] * columns
        for keys in self._groups:
            for number, widget in enumerate(keys):
                widths[number % columns] = max(widths[number % columns], widget.sizeHint().width())
        words = max(w.sizeHint().width() for w in self._words)
        return words + sum(widths) + columns * self._grid.horizontalSpacing()

    def minimumSizeHint(self) -> QSize:
        """As narrow as three columns."""
        return QSize(self._room(3), super().minimumSizeHint().height())

    def resizeEvent(self, _event: object) -> None:
        """Use the room there is."""
        self._lay_out(next((n for n in (6, 5, 4) if self._room(n) <= self.width()), 3))
