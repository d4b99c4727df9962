"""Alike: groups of occurrences that moved alike, each judged in one stroke after a look at its odd ones."""

from __future__ import annotations

from functools import partial
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QEvent, QModelIndex, QPointF, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QKeyEvent, QPainter, QPen, QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QListView,
    QProgressBar,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from guardia.app.project.session import Session
from guardia.app.steps.alike_model import AlikeModel
from guardia.app.work.jobs import Progress
from guardia.core.base.words import count_of
from guardia.core.purpose.judgement import KIND_OF_KEY, kind_of
from guardia.core.score.likeness import Suggestion
from guardia.ui.canvas.middle_pictures import MiddlePictures
from guardia.ui.canvas.player import Player
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import JudgingKeys, choice, draw_mark, label, page_head, verdict_colour

_PICTURE = QSize(148, 83)
_THUMB = QSize(96, 54)
_LIST_WIDTH = 232


class _Rows(QAbstractListModel):
    """A plain list of values; the delegate draws them."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self._values: list[Any] = []

    def set(self, values: list[Any]) -> None:
        """Show other values."""
        self.beginResetModel()
        self._values = values
        self.endResetModel()

    def touch(self) -> None:
        """Redraw the same values."""
        if self._values:
            self.dataChanged.emit(self.index(0), self.index(len(self._values) - 1))

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        """Number of values."""
        return 0 if parent is not None and parent.isValid() else len(self._values)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """The value, for the delegate."""
        return self._values[index.row()] if index.isValid() and role == Qt.ItemDataRole.UserRole else None


class _GroupDelegate(QStyledItemDelegate):
    """One group: its most typical picture, how many, what it is judged or suggested as."""

    def __init__(self, page: AlikePage) -> None:
        super().__init__(page)
        self._page = page

    def sizeHint(self, _option: QStyleOptionViewItem, _index: QModelIndex) -> QSize:
        """Every row has the same height."""
        return QSize(THEME.px(_LIST_WIDTH) - 24, THEME.px(_THUMB.height()) + 12)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Draw a row."""
        if painter is None:
            return
        model, number = self._page.model, index.data(Qt.ItemDataRole.UserRole)
        painter.save()
        area = option.rect
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.fillRect(area, THEME.colour("accent_soft" if chosen else "surface"))
        painter.setPen(THEME.colour("line"))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        left, top = area.left() + 6 + _THUMB.width() + 8, area.top() + 6
        if number is None:
            words = f"{len(self._page.doubtful)} judged unlike similar ones"
            self._lines(painter, area.left() + 10, top + 8, "Look again", words, "missed")
        else:
            group = model.groups[number]
            waiting = len(model.waiting(number))
            picture = QRect(area.left() + 6, top, _THUMB.width(), _THUMB.height())
            self._page.pictures.draw(painter, picture, group.ids[group.odd])
            if waiting:
                suggested = model.suggestion(number)
                second = (
                    f"{kind_of(suggested.kind).text}?" if suggested and suggested.certainty >= 0.5 else "not judged"
                )
                self._lines(painter, left, top, f"{len(group.ids)} similar", second, "unjudged")
                if waiting < len(group.ids):
                    painter.drawText(left, top + THEME.px(52), f"{waiting} left")
            else:
                kinds = {model.occurrence(i).kind for i in group.ids}
                first = kind_of(model.occurrence(group.ids[group.odd]).kind)
                second = first.text if len(kinds) == 1 else f"{len(kinds)} kinds"
                draw_mark(painter, first.verdict, QPointF(left + 6, top + THEME.px(29)), 10)
                self._lines(painter, left, top, f"{len(group.ids)} similar", f"     {second}", "muted")
        painter.restore()

    def _lines(self, painter: QPainter, left: int, top: int, first: str, second: str, colour: str) -> None:
        bold = QFont(painter.font())
        bold.setWeight(QFont.Weight.DemiBold)
        plain = QFont(painter.font())
        painter.setPen(THEME.colour("ink"))
        painter.setFont(bold)
        painter.drawText(left, top + THEME.px(14), first)
        painter.setFont(plain)
        painter.setPen(THEME.colour(colour))
        painter.drawText(left, top + THEME.px(34), second)


class _SheetDelegate(QStyledItemDelegate):
    """One occurrence of the group: picture, when and where, its judgement; odd ones say so."""

    def __init__(self, page: AlikePage) -> None:
        super().__init__(page)
        self._page = page

    def sizeHint(self, _option: QStyleOptionViewItem, _index: QModelIndex) -> QSize:
        """Every cell has the same size."""
        return QSize(_PICTURE.width() + 14, _PICTURE.height() + THEME.px(62))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Draw a cell."""
        if painter is None:
            return
        occurrence_id, odd, suggested = index.data(Qt.ItemDataRole.UserRole)
        occurrence = self._page.model.occurrence(occurrence_id)
        painter.save()
        area = option.rect.adjusted(2, 2, -2, -2)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.fillRect(area, THEME.colour("accent_soft" if chosen else "surface"))
        painter.setPen(QPen(THEME.colour("accent" if chosen else "line"), 2 if chosen else 1))
        painter.drawRect(area.adjusted(0, 0, -1, -1))
        picture = QRect(area.left() + 5, area.top() + 5, _PICTURE.width(), _PICTURE.height())
        self._page.pictures.draw(painter, picture, occurrence_id)
        if odd:
            tag = QRect(picture.left(), picture.top(), THEME.px(34), THEME.px(17))
            painter.fillRect(tag, THEME.colour("missed"))
            painter.setPen(THEME.colour("surface"))
            painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, "odd")
        left, line = picture.left(), picture.bottom() + THEME.px(16)
        small = QFont(painter.font())
        small.setPointSizeF(THEME.points(8.5))
        painter.setFont(small)
        painter.setPen(THEME.colour("muted"))
        for words in self._page.words(occurrence_id).split("\n"):
            painter.drawText(left, line, self._fitting(painter, words, _PICTURE.width()))
            line += THEME.px(14)
        line -= THEME.px(14)
        draw_mark(painter, occurrence.verdict, QPointF(left + 6, line + THEME.px(13)), 9)
        painter.setPen(verdict_colour(occurrence.verdict))
        words = kind_of(occurrence.kind).text if occurrence.kind else "not judged"
        if suggested is not None:
            words += f", looks like {kind_of(suggested.kind).text}"
        painter.drawText(left + 17, line + THEME.px(17), self._fitting(painter, words, _PICTURE.width() - 17))
        painter.restore()

    @staticmethod
    def _fitting(painter: QPainter, words: str, width: int) -> str:
        return painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, width)


class _List(QListView):
    """A list that lets the page judge by letter."""

    typed = pyqtSignal(QKeyEvent)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Letters, Enter, Backspace and Space are the page's."""
        if event is None:
            return
        special = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Backspace, Qt.Key.Key_Space)
        letter = event.text().upper() in KIND_OF_KEY
        if not event.modifiers() & Qt.KeyboardModifier.ControlModifier and (special or letter):
            self.typed.emit(event)
        else:
            super().keyPressEvent(event)

    def keyboardSearch(self, search: str | None) -> None:
        """Letters judge; they do not search."""


class AlikePage(QWidget):
    """Groups on the left, the chosen one's sheet on the right, the keys below."""

    asked = pyqtSignal(int, int)

    def __init__(self, session: Session, model: AlikeModel, tabs: QWidget) -> None:
        super().__init__()
        self.model = model
        self._session = session
        self.pictures = MiddlePictures(session, lambda i: (session.camera(model.camera_of(i)), model.occurrence(i)))
        self.doubtful: list[tuple[int, Suggestion]] = []
        self._looking_again = False
        layout, head = page_head(self, "Evidence")
        head.addWidget(tabs)
        head.addStretch()
        layout.addLayout(head)
        top = QHBoxLayout()
        self._count = label("", "muted")
        top.addWidget(self._count)
        top.addStretch()
        self._progress = QProgressBar()
        self._progress.setTextVisible(False)
        self._progress.setFixedWidth(160)
        self._progress.hide()
        top.addWidget(self._progress)
        self.scope = choice(
            [("motion clips of all cameras", True), ("all evidence of all cameras", False)],
            name="Which occurrences are compared",
        )
        self.scope.activated.connect(lambda _i: model.set_motion_only(bool(self.scope.currentData())))
        top.addWidget(self.scope)
        layout.addLayout(top)
        row = QHBoxLayout()
        self.list = self._group_list()
        row.addWidget(self.list)
        right = QVBoxLayout()
        self._title = label("", "head", wrap=True)
        right.addWidget(self._title)
        self.sheet = self._group_sheet()
        right.addWidget(self.sheet, 1)
        row.addLayout(right, 1)
        layout.addLayout(row, 1)
        hint = "A letter judges what is selected: all that waits, until you choose. Enter: as suggested. Space plays."
        layout.addWidget(JudgingKeys(self.judge, hint))
        for view in (self.list, self.sheet):
            view.typed.connect(self._on_key)
        selection = self.list.selectionModel()
        if selection is not None:
            selection.currentChanged.connect(self._on_row)
        model.changed.connect(self._fill)
        model.current_changed.connect(self._follow)
        model.jobs.progressed.connect(self._on_progress)
        model.jobs.finished.connect(self._progress.hide)
        session.key_pictures.drawn.connect(self._show_pictures)
        session.cameras_changed.connect(self._on_cameras)
        session.evidence_changed.connect(self._on_cameras)
        self.setFocusProxy(self.sheet)
        model.refresh()

    def _show_pictures(self) -> None:
        self._rows.touch()
        self._cells.touch()

    def _group_list(self) -> _List:
        groups = _List()
        groups.setFixedWidth(THEME.px(_LIST_WIDTH))
        groups.setAccessibleName("Groups of similar occurrences")
        self._rows = _Rows(self)
        groups.setModel(self._rows)
        groups.setItemDelegate(_GroupDelegate(self))
        return groups

    def _group_sheet(self) -> _List:
        sheet = _List()
        sheet.setViewMode(QListView.ViewMode.IconMode)
        sheet.setResizeMode(QListView.ResizeMode.Adjust)
        sheet.setMovement(QListView.Movement.Static)
        sheet.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        sheet.setUniformItemSizes(True)
        sheet.setAccessibleName("Occurrences of the group")
        self._cells = _Rows(self)
        sheet.setModel(self._cells)
        sheet.setItemDelegate(_SheetDelegate(self))
        sheet.doubleClicked.connect(lambda _index: self.show_chosen())
        return sheet

    def showEvent(self, event: QShowEvent | None) -> None:
        """Take in what has come or gone since."""
        super().showEvent(event)
        self.model.refresh_if_stale()
        self._follow()

    def _on_cameras(self) -> None:
        if self.isVisible():
            self.model.refresh()

    def _on_progress(self, progress: Progress) -> None:
        self._progress.setRange(0, progress.total)
        self._progress.setValue(progress.done)
        self._progress.setToolTip(f"{progress.what}: {progress.words}")
        self._progress.show()

    def words(self, occurrence_id: int) -> str:
        """Moment and camera of an occurrence."""
        camera = self._session.camera(self.model.camera_of(occurrence_id))
        begin, _ = camera.evidence.span_s(self.model.occurrence(occurrence_id))
        return f"{self._session.local_time(begin):%d %b %Y %H:%M}\n{camera.camera.name}"

    def _fill(self) -> None:
        self.doubtful = self.model.doubtful()
        self._rows.set([*range(len(self.model.groups)), None])
        self._follow()

    def _follow(self) -> None:
        """Show the model's current group, or go on looking again; a page that is hidden waits until it is shown."""
        if not self.isVisible():
            return
        self.doubtful = self.model.doubtful()
        self._rows.touch()
        if not self._looking_again:
            self._select_row(self.model.current)
        self._show_sheet()

    def _select_row(self, row: int) -> None:
        selection = self.list.selectionModel()
        if selection is not None and 0 <= row < self._rows.rowCount():
            index = self._rows.index(row)
            selection.setCurrentIndex(index, selection.SelectionFlag.ClearAndSelect)
            self.list.scrollTo(index)

    def _on_row(self, index: QModelIndex, _before: QModelIndex) -> None:
        number = index.data(Qt.ItemDataRole.UserRole)
        self._looking_again = index.isValid() and number is None
        if number is not None:
            self.model.go(number)
        self._show_sheet()

    def _show_sheet(self) -> None:
        model = self.model
        waiting = sum(not model.occurrence(i).kind for g in model.groups for i in g.ids)
        total = sum(len(g.ids) for g in model.groups)
        self._count.setText(
            f"{count_of(len(model.groups), 'group')}, {count_of(total, 'occurrence')}, {waiting} not judged yet"
        )
        if self._looking_again:
            self._cells.set([(i, False, suggested) for i, suggested in self.doubtful])
            self._title.setText(
                "Similar ones are judged differently. A letter judges the chosen one again, Enter keeps its judgement."
                if self.doubtful
                else "Nothing to look at again: every judgement agrees with those of similar ones."
            )
        elif model.groups:
            group = model.groups[model.current]
            self._cells.set([(i, n < group.odd, None) for n, i in enumerate(group.ids)])
            suggested = model.suggestion(model.current)
            left = len(model.waiting(model.current))
            odd = f" The {group.odd} least typical come first." if group.odd > 1 else ""
            text = f"{len(group.ids)} similar, {left} not judged.{odd}"
            if suggested is not None and suggested.certainty >= 0.5:
                text += f" Looks like {kind_of(suggested.kind).text} ({suggested.certainty:.0%}): Enter."
            self._title.setText(text)
        else:
            self._cells.set([])
            self._title.setText("Nothing to compare yet: import clips, or wait until they are compared.")
        self._select_waiting()

    def _select_waiting(self) -> None:
        """Light what a letter would judge: all of the group that waits, else the first."""
        selection = self.sheet.selectionModel()
        if selection is None or not self._cells.rowCount():
            return
        selection.setCurrentIndex(self._cells.index(0), selection.SelectionFlag.ClearAndSelect)
        rows = [] if self._looking_again else [self._cells.index(row) for row in range(self._cells.rowCount())]
        waiting = [i for i in rows if not self.model.occurrence(i.data(Qt.ItemDataRole.UserRole)[0]).kind]
        if waiting:
            selection.clearSelection()
            for index in waiting:
                selection.select(index, selection.SelectionFlag.Select)

    def chosen_ids(self) -> list[int]:
        """Ids of the occurrences chosen in the sheet."""
        return [index.data(Qt.ItemDataRole.UserRole)[0] for index in self.sheet.selectedIndexes()]

    def judge(self, kind: str) -> None:
        """Judge what is selected; when that is all of a group that waits, go on to the next group."""
        ids = self.chosen_ids()
        if self._looking_again:
            for i in ids:
                self.model.keep(i)
            self.model.judge(ids, kind)
        elif set(ids) == set(self.model.waiting(self.model.current)):
            self.model.judge_group(kind)
        else:
            self.model.judge(ids, kind)

    def _on_key(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            if self._looking_again:
                for i in self.chosen_ids():
                    self.model.keep(i)
            elif not self.model.accept():
                self._session.messages.tell("Nothing is suggested yet: judge one group with its letter first.")
        elif event.key() == Qt.Key.Key_Space:
            self.look()
        elif event.key() == Qt.Key.Key_Backspace:
            self.model.judge(self.chosen_ids(), "")
        else:
            self.judge(KIND_OF_KEY[event.text().upper()])

    def look(self) -> None:
        """Play the first of the chosen occurrences."""
        for occurrence_id in self.chosen_ids()[:1]:
            camera = self._session.camera(self.model.camera_of(occurrence_id))
            self.player = Player(self, self._session, camera, occurrence_id)
            self.player.judged.connect(partial(self._judge_played, occurrence_id))
            self.player.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            self.player.open()

    def _judge_played(self, occurrence_id: int, kind: str) -> None:
        """Judge what is played, and play the next of the group that waits; close when none does."""
        group = self.model.groups[self.model.current]
        self.player.close()
        self.model.judge([occurrence_id], kind)
        rest = group.ids[group.ids.index(occurrence_id) + 1 :] if occurrence_id in group.ids else ()
        following = [i for i in rest if not self.model.occurrence(i).kind][:1]
        if following:
            self._choose(following[0])
            self.look()

    def _choose(self, occurrence_id: int) -> None:
        """Light one occurrence of the sheet."""
        selection = self.sheet.selectionModel()
        for index in (self._cells.index(row) for row in range(self._cells.rowCount())):
            if selection is not None and index.data(Qt.ItemDataRole.UserRole)[0] == occurrence_id:
                selection.setCurrentIndex(index, selection.SelectionFlag.ClearAndSelect)

    def show_chosen(self) -> None:
        """Open the chosen occurrence in the list of its camera, where it can be played."""
        ids = self.chosen_ids()
        if ids:
            self.asked.emit(self.model.camera_of(ids[0]), ids[0])

    def look_again(self) -> None:
        """Show the judgements that their likes contradict."""
        self._select_row(self._rows.rowCount() - 1)
        self.sheet.setFocus()

    def changeEvent(self, event: QEvent | None) -> None:
        """Redraw in new colours."""
        if event is not None and event.type() == QEvent.Type.PaletteChange:
            for view in (self.list, self.sheet):
                if (viewport := view.viewport()) is not None:
                    viewport.update()
        super().changeEvent(event)
