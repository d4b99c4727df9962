"""What does not fit in a window: cut text, widgets over one another, widgets outside."""

from itertools import combinations

from PyQt6.QtCore import QPoint, QRect
from PyQt6.QtWidgets import (
    QAbstractScrollArea,
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QHeaderView,
    QLabel,
    QPushButton,
    QScrollArea,
    QWidget,
)


def misfits(window: QWidget, *, sideways: bool = False) -> list[str]:
    """Everything in a window whose text is cut, that lies over something else, or that lies outside.

    A page may scroll up and down where the window is low, and sideways only where that is allowed.
    """
    texts = [w for kind in (QLabel, QPushButton, QCheckBox, QComboBox) for w in window.findChildren(kind)]
    texts = [w for w in texts if w.isVisible() and not (isinstance(w, QLabel) and not w.text())]
    fixed = [w for w in texts if not _scrolls(w, window)]
    places = {w: QRect(w.mapTo(window, QPoint(0, 0)), w.size()) for w in [*fixed, *window.findChildren(QDoubleSpinBox)]}
    bad = [f"cut: {_words(w)}" for w in texts if _cut(w)]
    bad += [f"outside: {_words(w)}" for w in fixed if not window.rect().contains(places[w])]
    for one, two in combinations(fixed, 2):
        shared = places[one] & places[two]
        if shared.width() > 2 and shared.height() > 2 and not (one.isAncestorOf(two) or two.isAncestorOf(one)):
            bad.append(f"over one another: {_words(one)} and {_words(two)}")
    for room in window.findChildren(QScrollArea, "room"):
        bar = room.horizontalScrollBar()
        if room.isVisible() and bar.isVisible() and not sideways:
            bad.append(f"wider than its room by {bar.maximum()}")
    for header in window.findChildren(QHeaderView):
        model = header.model()
        for n in range(header.count()) if header.isVisible() and model is not None else ():
            if header.isSectionHidden(n):
                continue
            words = str(model.headerData(n, header.orientation()) or "")
            if header.orientation().name == "Horizontal" and header.sectionSize(
                n
            ) < header.fontMetrics().horizontalAdvance(words):
                bad.append(f"cut heading: {words}")
    return bad


def _words(widget: QWidget) -> str:
    return widget.currentText() if isinstance(widget, QComboBox) else f"{type(widget).__name__} '{widget.text()[:60]}'"


def _scrolls(widget: QWidget, window: QWidget) -> bool:
    """Whether it lies in something that scrolls, or over the page as a message does."""
    parent = widget.parentWidget()
    while parent is not None and parent is not window:
        whole = isinstance(parent, QScrollArea) and parent.objectName() == "room" and not _moves(parent)
        if (isinstance(parent, QAbstractScrollArea) and not whole) or parent.objectName() == "banner":
            return True
        parent = parent.parentWidget()
    return False


def _moves(room: QScrollArea) -> bool:
    """Whether a page is larger than what shows of it."""
    return room.horizontalScrollBar().isVisible() or room.verticalScrollBar().isVisible()


def _cut(widget: QWidget) -> bool:
    if isinstance(widget, QComboBox):
        return widget.width() < widget.fontMetrics().horizontalAdvance(widget.currentText()) + 30
    if isinstance(widget, QLabel) and widget.wordWrap():
        return widget.height() < widget.heightForWidth(widget.width()) - 2
    return widget.width() < widget.sizeHint().width() - 1 or widget.height() < widget.sizeHint().height() - 6
