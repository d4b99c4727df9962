"""Evidence: contact strips of every occurrence, judged by keyboard."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QEvent, QItemSelectionModel, Qt
from PyQt6.QtGui import QAction, QShowEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QListView, QMenu, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.import_model import ImportModel
from guardia.app.steps.occurrence_list import OccurrenceFilter, OccurrenceListModel, Role
from guardia.core.evidence.clips import Origin
from guardia.core.purpose.judgement import KINDS
from guardia.core.replay.gates import GATES
from guardia.core.replay.up_gates import UpGate
from guardia.core.score.find import Filter
from guardia.ui.canvas.day_ribbon import DayRibbon, RibbonMark
from guardia.ui.canvas.player import Player
from guardia.ui.parts.widgets import JudgingKeys, button, choice, label, page_head
from guardia.ui.steps.import_dialog import ImportDialog
from guardia.ui.steps.strip_list import StripDelegate, StripList

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
        head.addWidget(button("Import…", self.bring_in, tip="Clips, snapshots, event lists, metadata (Ctrl+I)"))
        layout.addLayout(head)
        layout.addLayout(self._filters_row())
        layout.addWidget(self._details_row())
        self.ribbon = DayRibbon()
        self.ribbon.picked.connect(self.select_id)
        layout.addWidget(self.ribbon)
        self._source = OccurrenceListModel(session, model, self)
        self.proxy = OccurrenceFilter(self._source)
        self.list = self._strip_list()
        layout.addWidget(self.list, 1)
        self.empty = label("", "head", wrap=True)
        self.empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
        layout.addWidget(self.empty, 1)
        layout.addWidget(JudgingKeys(self.judge, "The keys judge all that is selected; Space plays."))
        selection = self.list.selectionModel()
        if selection is not None:
            selection.selectionChanged.connect(self._on_selection)
        session.key_pictures.drawn.connect(self._show_pictures)
        model.evidence_changed.connect(self._take_evidence)
        model.judgements_changed.connect(self._apply_filter)
        self.setFocusProxy(self.list)
        self._ids: frozenset[int] | None = None
        self._clips_behind: dict[int, int] = {}
        self._fill_days()

    def _strip_list(self) -> StripList:
        strips = StripList()
        strips.judged.connect(self.judge)
        strips.looked.connect(self.look)
        strips.left.connect(self.show_all)
        strips.setModel(self.proxy)
        self._delegate = StripDelegate(self._model, self._session.key_pictures, strips)
        strips.setItemDelegate(self._delegate)
        strips.doubleClicked.connect(lambda _index: self.look())
        return strips

    def _filters_row(self) -> QHBoxLayout:
        filters = QHBoxLayout()
        self.judged = choice([(text, value) for value, text in _JUDGED_FILTERS])
        self.day = QComboBox()
        self._from = choice([("Every origin", None), *((origin.value, origin) for origin in Origin)])
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
        return filters

    def offer(self, actions: Sequence[QAction]) -> None:
        """Offer judging and these actions where the list is clicked with the other button."""
        judge = QMenu("Judge as", self.list)
        for kind in KINDS:
            if (action := judge.addAction(f"{kind.text}\t{kind.key}")) is not None:
                action.triggered.connect(partial(lambda id, _=False: self.judge(id), kind.id))
        play = QAction("Play", self.list)
        play.triggered.connect(lambda: self.look())
        self.list.addActions([a for a in (play, judge.menuAction(), *actions) if a is not None])
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.ActionsContextMenu)

    def _show_pictures(self) -> None:
        if (shown := self.list.viewport()) is not None:
            shown.update()

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
        for gate in (g for g in GATES if not isinstance(g, UpGate)):
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
                RibbonMark(o.id, self._source.hour(r), o.verdict, draft.marks(o.id))
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
                "No evidence yet.\n\nImport what this camera recorded: motion clips show its false alerts, "
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
