"""Evidence: contact strips of every occurrence, judged by keyboard."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QEvent, QItemSelectionModel, QModelIndex, QPointF, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QFont, QKeyEvent, QPainter, QPen, QPixmap, QShowEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from guardia.app.project.camera_model import CameraModel
from guardia.app.project.occurrences import TAKE_BACK
from guardia.app.project.session import Session
from guardia.app.steps.import_model import ImportModel
from guardia.app.steps.occurrence_list import OccurrenceFilter, OccurrenceListModel, Role
from guardia.core.evidence.evidence import Occurrence, Origin
from guardia.core.evidence.judgement import KIND_OF_KEY, KINDS, Verdict, kind_of
from guardia.core.replay.gates import GATES, Outcome
from guardia.core.score.find import Filter
from guardia.ui.canvas.day_ribbon import DayRibbon, RibbonMark
from guardia.ui.canvas.player import Player
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import JudgingKeys, button, draw_mark, label, page_head, verdict_colour
from guardia.ui.steps.import_dialog import ImportDialog

_STRIP_HEIGHT = 92
_TEXT_WIDTH = 196
_KEPT_STRIPS = 400
_JUDGED_FILTERS = (
    ("all", "All occurrences"),
    ("unjudged", "Not judged yet"),
    ("real", "Judged real"),
    ("false", "Judged false"),
    ("unsure", "Unsure"),
    ("missed", "Real, missed by the draft"),
    ("false recorded", "False, recorded by the draft"),
)
_HOURS = (
    ("Every hour", None),
    ("06:00 to 12:00", (6, 12)),
    ("12:00 to 18:00", (12, 18)),
    ("18:00 to 24:00", (18, 24)),
    ("00:00 to 06:00", (0, 6)),
    ("20:00 to 06:00", (20, 6)),
)


class StripDelegate(QStyledItemDelegate):
    """Draws one occurrence: when, what, its outcome, and its key pictures with the moving thing outlined."""

    def __init__(self, model: CameraModel, parent: QWidget) -> None:
        super().__init__(parent)
        self._model = model
        self._strips: OrderedDict[int, tuple[QPixmap, list[tuple[float, float, float, float] | None]]] = OrderedDict()

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        """Every row has the same height."""
        return QSize(300, _STRIP_HEIGHT + 12)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Draw a row."""
        if painter is None:
            return
        occurrence: Occurrence = index.data(Role.OCCURRENCE)
        painter.save()
        area = option.rect
        selected = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.fillRect(area, THEME.colour("accent_soft" if selected else "surface"))
        painter.setPen(THEME.colour("line"))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        bar = verdict_colour(occurrence.verdict)
        painter.fillRect(QRect(area.left(), area.top() + 1, 4, area.height() - 2), bar)
        self._words(painter, area, index, occurrence)
        pictures = QRect(area.left() + _TEXT_WIDTH, area.top() + 6, area.width() - _TEXT_WIDTH - 8, _STRIP_HEIGHT)
        self._pictures(painter, pictures, occurrence)
        if option.state & QStyle.StateFlag.State_HasFocus:
            painter.setPen(QPen(THEME.colour("accent"), 2))
            painter.drawRect(area.adjusted(1, 1, -2, -2))
        painter.restore()

    def _words(self, painter: QPainter, area: QRect, index: QModelIndex, occurrence: Occurrence) -> None:
        left, top = area.left() + 14, area.top() + 6
        installed: Outcome = index.data(Role.INSTALLED)
        draft: Outcome = index.data(Role.DRAFT)
        bold = QFont(painter.font())
        bold.setWeight(QFont.Weight.DemiBold)
        plain = QFont(painter.font())
        painter.setPen(THEME.colour("ink"))
        painter.setFont(bold)
        painter.drawText(left, top + 13, str(index.data()))
        painter.setFont(plain)
        draw_mark(painter, occurrence.verdict, QPointF(left + 6, top + 30), 10, recorded=draft.recorded)
        painter.setPen(verdict_colour(occurrence.verdict))
        painter.drawText(left + 18, top + 35, kind_of(occurrence.kind).text if occurrence.kind else "not judged yet")
        small = QFont(plain)
        small.setPointSizeF(8.5)
        painter.setFont(small)
        painter.setPen(THEME.colour("muted"))
        clip = index.data(Role.CLIP)
        again = ", shown twice" if index.data(Role.REPEATED) else ", part of a visit" if occurrence.visit else ""
        event = self._model.evidence.event_of.get(occurrence.id)
        named = f", camera: {event.named}" if event and event.named else ""
        length = f"{occurrence.end_s - occurrence.start_s:.1f} s"
        painter.drawText(left, top + 54, f"{clip.origin.value}, {length}{named}{again}")
        mine = clip.by_motion and self._model.evidence.settings_of(clip) == self._model.camera.installed
        words = _outcome_words(installed, occurrence.verdict, recorded_by_it=mine)
        painter.drawText(left, top + 71, f"installed: {words}")
        if draft.recorded != installed.recorded:
            painter.setPen(THEME.colour("accent" if _better(occurrence, draft) else "missed"))
            small.setWeight(QFont.Weight.DemiBold)
            painter.setFont(small)
        painter.drawText(left, top + 87, f"draft: {_outcome_words(draft, occurrence.verdict)}")

    def _pictures(self, painter: QPainter, area: QRect, occurrence: Occurrence) -> None:
        strip, boxes = self._strip(occurrence)
        if strip.isNull():
            painter.setPen(THEME.colour("muted"))
            painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, "no pictures")
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        single = strip.width() / len(boxes)
        width = area.height() * single / strip.height()
        shown = max(1, min(len(boxes), int((area.width() + 4) // (width + 4))))
        chosen = (
            [round(i * (len(boxes) - 1) / max(1, shown - 1)) for i in range(shown)] if shown > 1 else [len(boxes) // 2]
        )
        for place, number in enumerate(chosen):
            target = QRectF(area.left() + place * (width + 4), area.top(), width, area.height())
            painter.drawPixmap(target, strip, QRectF(number * single, 0, single, strip.height()))
            box = boxes[number]
            if box is not None:
                colour = verdict_colour(occurrence.verdict)
                painter.setPen(QPen(THEME.colour("surface"), 3.5))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                frame = QRectF(
                    target.left() + box[0] * width,
                    target.top() + box[1] * target.height(),
                    (box[2] - box[0]) * width,
                    (box[3] - box[1]) * target.height(),
                ).intersected(target.adjusted(1, 1, -1, -1))
                painter.drawRect(frame)
                painter.setPen(QPen(colour, 1.8))
                painter.drawRect(frame)

    def _strip(self, occurrence: Occurrence) -> tuple[QPixmap, list[tuple[float, float, float, float] | None]]:
        if occurrence.id in self._strips:
            self._strips.move_to_end(occurrence.id)
            return self._strips[occurrence.id]
        pixmap = QPixmap()
        pixmap.loadFromData(self._model.pictures.strip(occurrence.id))
        evidence = self._model.evidence
        clip = evidence.clip_index[occurrence.clip_id]
        contrast = self._model.comparison.installed_replay.motion.contrast
        boxes = [
            evidence.stack.box_at(clip, t, contrast=contrast) for t in self._model.pictures.key_times(occurrence.id)
        ]
        self._strips[occurrence.id] = (pixmap, boxes or [None])
        if len(self._strips) > _KEPT_STRIPS:
            self._strips.popitem(last=False)
        return self._strips[occurrence.id]


def _outcome_words(outcome: Outcome, verdict: Verdict | None, *, recorded_by_it: bool = False) -> str:
    """The outcome in a few words; where the camera did record what the model says it would not, both are told."""
    if recorded_by_it and not outcome.recorded:
        return f"recorded (model: {outcome.gate})"
    if not outcome.recorded:
        return f"{'silent' if verdict is Verdict.FALSE else 'missed'}, {outcome.gate}"
    how = " late" if outcome.late else ""
    how += " cut" if outcome.cut else ""
    if outcome.kept_gate is not None:
        return f"recorded{how}, not there: {outcome.kept_gate}"
    return f"recorded{how}"


def _better(occurrence: Occurrence, draft: Outcome) -> bool:
    return draft.recorded == (occurrence.verdict is Verdict.REAL)


class StripList(QListView):
    """The list; one key judges what is selected."""

    def __init__(self, page: EvidencePage) -> None:
        super().__init__()
        self._page = page
        self.setSelectionMode(QListView.SelectionMode.ExtendedSelection)
        self.setUniformItemSizes(True)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setAccessibleName("Occurrences")

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Judge with a letter, take back with Backspace, play with Space or Enter, leave a filter with Esc."""
        if event is None:
            return
        plain = not event.modifiers() & ~Qt.KeyboardModifier.KeypadModifier
        if plain and event.text().upper() in KIND_OF_KEY:
            self._page.judge(KIND_OF_KEY[event.text().upper()])
        elif plain and event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._page.look()
        elif plain and event.key() == Qt.Key.Key_Escape:
            self._page.show_all()
        elif plain and event.key() == Qt.Key.Key_Backspace:
            self._page.judge(TAKE_BACK)
        else:
            super().keyPressEvent(event)

    def keyboardSearch(self, search: str | None) -> None:
        """Letters judge; they do not search."""


class EvidencePage(QWidget):
    """Filter, list and the keys."""

    def __init__(self, session: Session, model: CameraModel, tabs: QWidget) -> None:
        super().__init__()
        self._session = session
        self._model = model
        layout, head = page_head(self, "Evidence")
        head.addWidget(tabs)
        self._count = label("", "muted")
        head.addStretch()
        head.addWidget(button("Bring in…", self.bring_in, tip="Clips, snapshots, event lists, metadata (Ctrl+I)"))
        layout.addLayout(head)
        filters = QHBoxLayout()
        self.judged = QComboBox()
        for value, text in _JUDGED_FILTERS:
            self.judged.addItem(text, value)
        self.day = QComboBox()
        self._from = QComboBox()
        self._from.addItem("Every origin", None)
        for origin in Origin:
            self._from.addItem(origin.value, origin)
        for box, name in ((self.judged, "Judgement"), (self.day, "Day"), (self._from, "Origin")):
            box.setAccessibleName(name)
            box.currentIndexChanged.connect(self._apply_filter)
            filters.addWidget(box)
        self.more = button("More", self._toggle_more, "tab", "Filter by kind, hour, light, named class and gate")
        self.more.setCheckable(True)
        filters.addWidget(self.more)
        self._behind = label("", "head")
        filters.addWidget(self._behind)
        self._show_all = button("Show all", self.show_all)
        filters.addWidget(self._show_all)
        filters.addStretch()
        filters.addWidget(self._count)
        layout.addLayout(filters)
        layout.addWidget(self._details_row())
        self.ribbon = DayRibbon()
        self.ribbon.picked.connect(self.select_id)
        layout.addWidget(self.ribbon)
        self._source = OccurrenceListModel(session, model, self)
        self.proxy = OccurrenceFilter(self._source)
        self.list = StripList(self)
        self.list.setModel(self.proxy)
        self._delegate = StripDelegate(model, self.list)
        self.list.setItemDelegate(self._delegate)
        self.list.doubleClicked.connect(lambda _index: self.look())
        layout.addWidget(self.list, 1)
        self.empty = label("", "head", wrap=True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        layout.addWidget(self.empty, 1)
        layout.addWidget(JudgingKeys(self.judge, "The keys judge all that is selected; Space plays."))
        selection = self.list.selectionModel()
        if selection is not None:
            selection.selectionChanged.connect(self._on_selection)
        model.evidence_changed.connect(self._take_evidence)
        model.judgements_changed.connect(self._apply_filter)
        self.setFocusProxy(self.list)
        self._ids: frozenset[int] | None = None
        self._clips_behind: dict[int, int] = {}
        self._fill_days()

    def _details_row(self) -> QWidget:
        """The filters that are not always shown."""
        self._details = QWidget()
        row = QHBoxLayout(self._details)
        row.setContentsMargins(0, 0, 0, 0)
        self.kind, self.hours, self.light, self.named, self._gate = (QComboBox() for _ in range(5))
        self.kind.addItem("Every kind", None)
        for kind in KINDS:
            self.kind.addItem(kind.text, kind.id)
        for words, hours in _HOURS:
            self.hours.addItem(words, hours)
        for words, dark in (("Every light", None), ("bright picture", False), ("dark picture", True)):
            self.light.addItem(words, dark)
        self._gate.addItem("Every gate", None)
        for gate in GATES:
            self._gate.addItem(f"stopped at {gate}", gate)
        boxes = ((self.kind, "Kind"), (self.hours, "Hours"), (self.light, "Light"), (self.named, "Named class"))
        for box, name in (*boxes, (self._gate, "Gate of the draft")):
            box.setAccessibleName(name)
            box.currentIndexChanged.connect(self._apply_filter)
            row.addWidget(box)
        row.addStretch()
        self._details.hide()
        return self._details

    def _toggle_more(self) -> None:
        self._details.setVisible(self.more.isChecked())
        if not self.more.isChecked():
            for box in (self.kind, self.hours, self.light, self.named, self._gate):
                box.setCurrentIndex(0)

    def _fill_named(self) -> None:
        chosen = self.named.currentData()
        self.named.blockSignals(True)
        self.named.clear()
        self.named.addItem("Every class", None)
        self.named.addItem("camera named none", "")
        for name in sorted({e.named for e in self._model.evidence.events} - {""}):
            self.named.addItem(f"camera named {name}", name)
        self.named.setCurrentIndex(max(0, self.named.findData(chosen)))
        self.named.blockSignals(False)

    def _take_evidence(self) -> None:
        """Show the days there are now, and what a split put in place of an occurrence behind a number."""
        there = {o.id for o in self._model.evidence.occurrences}
        if self._ids is not None:
            clips = {clip for i, clip in self._clips_behind.items() if i not in there}
            self._ids |= {o.id for o in self._model.evidence.occurrences if o.clip_id in clips}
        self._fill_days()
        self._select_waiting()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Have something selected that the letters judge."""
        super().showEvent(event)
        self._select_waiting()

    def _select_waiting(self) -> None:
        """Where nothing is selected, select the first occurrence shown that is not judged, or the first of all."""
        if not self.selected_ids():
            rows = range(self.proxy.rowCount())
            waiting = (r for r in rows if not self.proxy.index(r, 0).data(Role.OCCURRENCE).kind)
            self._select_row(next(waiting, 0))

    def _fill_days(self) -> None:
        chosen = self.day.currentData()
        self.day.blockSignals(True)
        self.day.clear()
        self.day.addItem("Every day", None)
        for day in sorted({self._source.day(row) for row in range(self._source.rowCount())}):
            self.day.addItem(f"{day:%a %d %b %Y}", day)
        self.day.setCurrentIndex(max(0, self.day.findData(chosen)))
        self._fill_named()
        self.day.blockSignals(False)
        chosen_id = self._model.selected[0] if self._model.selected else None
        self._apply_filter()
        if chosen_id is not None:
            self._select_row(self._row_of(chosen_id))

    def _apply_filter(self) -> None:
        self.proxy.set_filter(
            Filter(
                self.judged.currentData(),
                self.day.currentData(),
                self._from.currentData(),
                self._ids,
                self.kind.currentData(),
                self.hours.currentData(),
                self.light.currentData(),
                self.named.currentData(),
                self._gate.currentData(),
            )
        )
        self._show_all.setVisible(self._ids is not None)
        self._tell_count()

    def _tell_count(self) -> None:
        rows = [self.proxy.mapToSource(self.proxy.index(r, 0)).row() for r in range(self.proxy.rowCount())]
        draft = self._model.comparison.draft_replay
        self.ribbon.show_marks(
            [
                RibbonMark(o.id, self._source.hour(r), o.verdict, draft.records(o.id))
                for r in rows
                if (o := self._source.occurrence(r))
            ]
        )
        occurrences = self._model.evidence.occurrences
        waiting = sum(not o.kind for o in occurrences)
        self._count.setText(f"{self.proxy.rowCount()} of {len(occurrences)} shown")
        self._count.setToolTip(f"{waiting} of all are not judged yet")
        nothing = self.proxy.rowCount() == 0
        self.list.setVisible(not nothing)
        self.empty.setVisible(nothing)
        if not occurrences:
            self.empty.setText(
                "No evidence yet.\n\nBring in what this camera recorded: motion clips show its false alerts, "
                "continuous footage and walk tests show what it missed."
            )
        else:
            self.empty.setText("No occurrence passes this filter.")

    def select_first(self) -> None:
        """Select the first occurrence shown."""
        self._select_row(0)

    def select_id(self, occurrence_id: int) -> None:
        """Select one occurrence, if the filter shows it."""
        self._select_row(self._row_of(occurrence_id))
        self.list.setFocus()

    def _row_of(self, occurrence_id: int) -> int:
        rows = range(self.proxy.rowCount())
        return next((r for r in rows if self.proxy.index(r, 0).data(Role.OCCURRENCE).id == occurrence_id), -1)

    def show_unjudged(self) -> None:
        """Show what waits for a judgement and select the first."""
        self.show_all()
        if any(not o.kind for o in self._model.evidence.occurrences):
            self.judged.setCurrentIndex(self.judged.findData("unjudged"))
        self._select_row(0)
        self.list.setFocus()

    def show_ids(self, ids: tuple[int, ...], title: str) -> None:
        """Show only the occurrences behind a number."""
        self._ids = frozenset(ids)
        self._clips_behind = {i: self._model.occurrence(i).clip_id for i in ids}
        self._behind.setText(title)
        for box in (self.judged, self.day, self._from, self.kind, self.hours, self.light, self.named, self._gate):
            box.blockSignals(True)
            box.setCurrentIndex(0)
            box.blockSignals(False)
        self._apply_filter()
        self._select_row(0)
        self.list.setFocus()

    def show_all(self) -> None:
        """Take every filter off."""
        self._ids = None
        self._behind.setText("")
        for box in (self.judged, self.day, self._from, self.kind, self.hours, self.light, self.named, self._gate):
            box.setCurrentIndex(0)
        self._apply_filter()

    def selected_ids(self) -> list[int]:
        """Ids of the selected occurrences."""
        return [index.data(Role.OCCURRENCE).id for index in self.list.selectedIndexes()]

    def judge(self, kind: str) -> None:
        """Judge what is selected, then go on to the next that is not judged."""
        ids = self.selected_ids()
        rows = [index.row() for index in self.list.selectedIndexes()]
        if not ids:
            return
        before = self.proxy.rowCount()
        self._session.occurrences.judge({self._model.camera.id: ids}, kind)
        gone = before - self.proxy.rowCount()
        start = max(0, max(rows) + 1 - gone)  # with a visit more may go than was selected
        count = self.proxy.rowCount()
        order = [*range(start, count), *range(start)]
        following = next((r for r in order if not self.proxy.index(r, 0).data(Role.OCCURRENCE).kind), None)
        if following is None:
            following = min(start, count - 1)  # nothing waits: stay where the work was
        self._select_row(following)

    def _select_row(self, row: int) -> None:
        if 0 <= row < self.proxy.rowCount():
            index = self.proxy.index(row, 0)
            selection = self.list.selectionModel()
            if selection is not None:
                selection.setCurrentIndex(index, QItemSelectionModel.SelectionFlag.ClearAndSelect)
            self.list.scrollTo(index, QListView.ScrollHint.EnsureVisible)

    def _on_selection(self, *_: Any) -> None:
        self._model.select(self.selected_ids())

    def look(self) -> None:
        """Play the first selected occurrence."""
        ids = self.selected_ids()
        if ids:
            self.player = Player(self, self._session, self._model, ids[0])
            self.player.judged.connect(self._judge_in_player)
            self.player.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
            self.player.open()

    def _judge_in_player(self, kind: str) -> None:
        """Judge what is played, and play the next that waits; close when none does."""
        self.judge(kind)
        waiting = [i for i in self.selected_ids() if not self._model.occurrence(i).kind]
        if waiting:
            self.player.show_occurrence(waiting[0])
        else:
            self.player.close()

    def bring_in(self, paths: Sequence[Path] = ()) -> None:
        """Open the dialog that brings evidence in, with some files or folders if given."""
        self.importing = ImportDialog(self, ImportModel(self._session, self._model.camera.id, Origin.MOTION))
        self.importing.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.importing.open()
        if paths:
            self.importing.model.add(list(paths))

    def changeEvent(self, event: QEvent | None) -> None:
        """Redraw in new colours."""
        viewport = self.list.viewport()
        if event is not None and event.type() == QEvent.Type.PaletteChange and viewport is not None:
            viewport.update()
        super().changeEvent(event)
