"""Prove: why something was not recorded, gate by gate, and the walk tests that settle what is open."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QDateTime, pyqtSignal
from PyQt6.QtWidgets import (
    QDateTimeEdit,
    QDoubleSpinBox,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QMenu,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.site.exports import aspect_of
from guardia.app.steps.prove_model import ProveModel
from guardia.core.base.distances import distance
from guardia.core.evidence.clips import Occurrence
from guardia.core.evidence.walked import RESULTS
from guardia.core.prove.diagnose import Diagnosis, Question, Reason
from guardia.core.prove.linked import Link, Pass
from guardia.core.prove.walks import Walk
from guardia.core.purpose.judgement import kind_of
from guardia.core.replay.gate import State
from guardia.core.storage.readings import RANGES, Measure
from guardia.core.storage.trend import Trend
from guardia.ui.canvas.middle_pictures import MiddlePictures, PictureDelegate
from guardia.ui.canvas.walk_picture import TravelLines, WalkPicture
from guardia.ui.parts.notes import ask_note
from guardia.ui.parts.tables import fill_table, row_table, stretch_columns, widen_for_headings
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import (
    FreshPage,
    PartTabs,
    WrappedLabel,
    button,
    choice,
    dated,
    label,
    page_head,
    words_card,
)
from guardia.ui.steps.gate_path import PathDelegate

_SIGNS = {State.OPEN: "●  open", State.CLOSED: "✕  closed", State.UNKNOWN: "?  not known"}
_SIGNS_OF = {
    Question.TOO_MANY: {State.CLOSED: "✓  helps", State.UNKNOWN: "?  on the spot", State.OPEN: "–  costs more"},
    Question.AT_NIGHT: {State.CLOSED: "✕  a reason", State.UNKNOWN: "?  not known", State.OPEN: "●  no reason"},
}
"""Of questions that are not about one moment."""


class WhyTab(QWidget):
    """A moment and a question above, the answer, and every gate with what is known of it."""

    def __init__(self, model: ProveModel) -> None:
        super().__init__()
        self._model = model
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        row = QHBoxLayout()
        self.question = choice([(question.value, question) for question in Question], name="What is asked")
        self.question.activated.connect(lambda _: self._ask())
        self.at = dated(QDateTimeEdit())
        self.at.setDisplayFormat("yyyy-MM-dd HH:mm:ss")
        self.at.setCalendarPopup(True)
        self.at.setAccessibleName("At which moment")
        self.at.editingFinished.connect(self._ask)
        row.addWidget(self.question, 2)
        row.addWidget(self.at, 1)
        row.addWidget(button("&Ask", self._ask, "primary", "Walk the gates for this moment"))
        self.offers = button("&Moments …", self._offer, tip="Real visits that are missed, and silences to look into")
        row.addWidget(self.offers)
        layout.addLayout(row)
        self.answer = words_card(layout)
        self.table = row_table("Gates", ("gate", "state", "what this is based on", "how to check", "minutes"))
        stretch_columns(self.table, 2, 3)
        self.table.setShowGrid(False)
        self.table.setWordWrap(True)
        if (header := self.table.horizontalHeader()) is not None:
            header.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)  # as wide as the path and the names
        self._path = PathDelegate(self.table)
        self.table.setItemDelegateForColumn(0, self._path)
        layout.addWidget(self.table, 1)
        foot = QHBoxLayout()
        self.looks = [
            button(words, partial(self._say, state), tip=tip)
            for words, state, tip in (
                ("Was fine", State.OPEN, "You looked at the chosen gate: it was not the cause"),
                ("Was the cause", State.CLOSED, "You looked at the chosen gate: it was closed then"),
                ("Not known", State.UNKNOWN, "Nobody looked at the chosen gate after all"),
            )
        ]
        for one in self.looks:
            foot.addWidget(one)
        self._gates: list[Reason] = []
        self._asked: tuple[float, Question] | None = None
        self.table.itemSelectionChanged.connect(self._offer_looks)
        foot.addWidget(button("&Log what was found …", self.log_finding, tip="Question, answer and what you saw"))
        foot.addWidget(
            label("The path ends at the first closed gate; look at unknown ones as numbered.", "muted", wrap=True), 1
        )
        layout.addLayout(foot)

    def _ask(self) -> None:
        self._model.ask(self.at.dateTime().toPyDateTime(), self.question.currentData())

    def _offer(self) -> None:
        menu = QMenu(self)
        for words, at in self._model.offers():
            action = menu.addAction(words)
            if action is not None:
                action.triggered.connect(partial(self._model.ask, at.replace(tzinfo=None), self._model.question))
        if (
            menu.isEmpty()
            and (nothing := menu.addAction("Nothing is missed, and no pause between clips is unusual")) is not None
        ):
            nothing.setEnabled(False)
        menu.popup(self.offers.mapToGlobal(self.offers.rect().bottomLeft()))

    def _chosen(self) -> Reason | None:
        row = self.table.currentRow()
        return self._gates[row] if 0 <= row < len(self._gates) else None

    def _choose(self, gates: list[Reason], checks: Sequence[Reason]) -> None:
        """Stay on the chosen gate; where it was answered just now, go on to what to look at next."""
        asked = (self._model.at_s, self._model.question)
        before, self._gates = self._chosen() if asked == self._asked else None, gates
        self._asked = asked
        names = [gate.name for gate in gates]
        row = names.index(before.name) if before is not None and before.name in names else None
        answered = row is not None and before is not None and before.state is not gates[row].state
        if checks and (row is None or (answered and gates[row].state is not State.UNKNOWN)):
            row = names.index(checks[0].name)
        if row is not None:
            self.table.selectRow(row)
        self._offer_looks()

    def _offer_looks(self) -> None:
        """Let what a look showed be said of a gate that is not known, and taken back where it was said."""
        chosen, moment = self._chosen(), self._model.question not in _SIGNS_OF
        said = chosen is not None and chosen.name in self._model.answers()
        for one, state in zip(self.looks, (State.OPEN, State.CLOSED, State.UNKNOWN), strict=True):
            unknown = chosen is not None and chosen.state is State.UNKNOWN
            one.setVisible(moment)
            one.setEnabled(said if state is State.UNKNOWN else unknown)

    def _say(self, state: State) -> None:
        chosen = self._chosen()
        if chosen is not None:
            self._model.answer(chosen.name, state)

    def log_finding(self) -> None:
        """Ask what was seen there, and enter it."""
        note = ask_note(self, "Log what was found", "What you saw or did there")
        if note is not None:
            self._model.log_finding(note)

    def refresh(self) -> None:
        """Show the answer as it is now."""
        at = self._model.at
        self.question.setCurrentIndex(self.question.findData(self._model.question))
        if not self.at.hasFocus():
            self.at.setDateTime(QDateTime(at.year, at.month, at.day, at.hour, at.minute, at.second))
        diagnosis = self._model.diagnosis()
        self.at.setEnabled(self._model.question not in (Question.TOO_MANY, Question.AT_NIGHT))
        if diagnosis is None:
            self.answer.setText("Working it out …")
            return
        self.answer.setText(diagnosis.words)
        linked = self._model.question not in _SIGNS_OF
        gates = list(diagnosis.reasons) if linked else self._ordered(diagnosis)
        signs = _SIGNS_OF.get(self._model.question, _SIGNS)
        looks = {gate.name: f", look {number}." for number, gate in enumerate(diagnosis.checks, 1)} if linked else {}
        rows = [
            (g.name, signs[g.state] + looks.get(g.name, ""), g.words, g.check, f"{g.minutes:g}" if g.check else "")
            for g in gates
        ]
        fill_table(self.table, rows, lambda r, c: c == 1 and gates[r].state is State.CLOSED)
        self._path.show_states([gate.state for gate in gates], linked=linked)
        self.table.setColumnWidth(0, self._name_px([gate.name for gate in gates]))
        widen_for_headings(self.table, 2, 3)
        self._choose(gates, diagnosis.checks if linked else ())
        closed = next((row for row, gate in enumerate(gates) if gate.state is State.CLOSED), 0)
        self.table.scrollToItem(self.table.item(closed, 0))

    def _name_px(self, names: list[str]) -> int:
        """Width of the path and the longest name beside it."""
        metrics = self.table.fontMetrics()
        return THEME.px(52) + max((metrics.horizontalAdvance(name) for name in names), default=0)

    @staticmethod
    def _ordered(found: Diagnosis) -> list[Reason]:
        closed = [g for g in found.reasons if g.state is State.CLOSED]
        opened = [g for g in found.reasons if g.state is State.OPEN]
        return [*closed, *found.checks, *opened]


class WordsTab(FreshPage):
    """A tab that begins with what it comes to, in words."""

    def __init__(self, model: ProveModel) -> None:
        super().__init__()
        self._model = model
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(0, 6, 0, 0)
        self.words = WrappedLabel()
        self.column.addWidget(self.words)


class WalkTab(WordsTab):
    """The fewest walks that settle what is open; what came of each is entered by one key."""

    def __init__(self, model: ProveModel) -> None:
        super().__init__(model)
        self._walks: list[Walk] = []
        layout = self.column
        self.table = row_table("Walks", ("walk", "settles", "picture there", "result"))
        stretch_columns(self.table, 0, 1)
        both = QHBoxLayout()
        both.addWidget(self.table, 3)
        camera = model.model
        self.picture = WalkPicture(camera.pictures.clean_view(), aspect_of(camera.pictures.picture_size()))
        both.addWidget(self.picture, 2)
        layout.addLayout(both, 2)
        self.table.currentCellChanged.connect(lambda row, *_: self.picture.select(row))
        keys = QHBoxLayout()
        for key, words in RESULTS.items():
            keys.addWidget(button(f"{key}  {words}", partial(self.enter, key), "key", "For the chosen walk"))
            self.table.keys[key] = partial(self.enter, key)
        keys.addStretch()
        layout.addLayout(keys)
        foot = QHBoxLayout()
        self.alert = QDoubleSpinBox()
        bounds = RANGES[Measure.ALERT_DELAY]
        self.alert.setRange(bounds.low - 1, bounds.high)
        self.alert.setDecimals(0)
        self.alert.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.alert.setSpecialValueText("not looked at")
        self.alert.setSuffix(" s")
        self.alert.setValue(self.alert.minimum())
        self.alert.setAccessibleName("Alert so long after the trigger")
        foot.addWidget(label("The phone alerted after", "muted"))
        foot.addWidget(self.alert)
        foot.addStretch()
        foot.addWidget(button("Plan agai&n", self._anew, tip="With the results of the walks so far"))
        foot.addWidget(button("&Save card as PDF …", self.choose_pdf, tip="To print and take along"))
        layout.addLayout(foot)
        self.aims = row_table("What is open", ("still open", "passes that triggered", "that did not", "missed, 90 %"))
        layout.addWidget(self.aims, 2)
        self.looks = WrappedLabel()
        layout.addWidget(self.looks)
        model.looking.changed.connect(self.refresh_if_shown)
        model.planning.changed.connect(self.refresh_if_shown)

    def refresh(self) -> None:
        """Show the plan as it is now."""
        plan, far = self._model.plan(), self._model.far_m
        if plan is None or far is None:
            self.words.setText("Working it out …")
            return
        self._walks, aims = plan
        reach = f"An adult is seen out to about {distance(far[False])} by day and {distance(far[True])} in the dark."
        if self._model.model.camera.view is None:
            reach = "The view is not calibrated: distances are usual ones."
        self.words.setText(
            f"{len(self._walks)} walks settle what {len(aims)} questions leave open. {reach} Look at the recorded clip "
            "afterwards, not only at the alert; then import the clips as walk tests."
            if self._walks
            else "Every question is settled by what was recorded and walked."
        )
        rows = [
            (
                f"{number}  {w.words}",
                "; ".join(a.words for a in w.settles),
                self._model.density(w),
                self._model.came_of(w),
            )
            for number, w in enumerate(self._walks, 1)
        ]  # fmt: skip
        fill_table(self.table, rows)
        known = self._model.model.camera.view
        self.picture.show_walks(self._walks, known.view if known is not None else None)
        shares = [p.missed_share for _, p in aims]
        texts: Sequence[Sequence[str]] = [
            (a.words, str(p.triggered), str(p.silent), f"{low:.0%} to {high:.0%}")
            for (a, p), (low, high) in zip(aims, shares, strict=True)
        ]
        fill_table(self.aims, texts)
        self._show_looks()

    def _show_looks(self) -> None:
        looks = self._model.looks()
        lines = ["Looking at the walk tests …"] if looks is None else [
            f"Walk test of {at:%d %b %Y %H:%M}: {look.words if look is not None else 'nobody can be followed in it'}."
            for at, look in looks
        ]  # fmt: skip
        self.looks.setText("\n".join(lines))
        self.looks.setVisible(bool(lines))

    def _anew(self) -> None:
        self._model.plan_anew()
        self.refresh()

    def enter(self, key: str) -> None:
        """Enter what came of the chosen walk, and go on to the next."""
        row = max(0, self.table.currentRow())
        if row < len(self._walks):
            walk = self._walks[row]
            alert_s = self.alert.value() if self.alert.value() >= 0 else None
            self._model.log_walk(walk, key, alert_s)
            self.alert.setValue(self.alert.minimum())
            self.refresh()
            self.table.setCurrentCell(min(row + 1, len(self._walks) - 1), 0)

    def choose_pdf(self) -> None:
        """Ask where the card goes."""
        name, _ = QFileDialog.getSaveFileName(self, "Save card", "walk-test.pdf", "PDF (*.pdf)")
        if name:
            self._model.save_card(Path(name))


class LinkedTab(WordsTab):
    """How somebody walks on between this camera and the others.

    `asked` is emitted with a camera's and an occurrence's number.
    """

    asked = pyqtSignal(int, int)

    def __init__(self, session: Session, model: ProveModel) -> None:
        super().__init__(model)
        layout = self.column
        self._session = session
        self._visits: list[tuple[Link, Pass, Pass]] = []
        self.travel = TravelLines()
        layout.addWidget(self.travel)
        columns = ("from", "to", "walked on", "after", "would be woken for")
        self.ways = row_table("Ways between cameras", columns)
        self.ways.setSizeAdjustPolicy(QTableWidget.SizeAdjustPolicy.AdjustToContents)
        self.ways.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Maximum)
        layout.addWidget(self.ways)
        self.visits = row_table("Who walked on", ("seen first by", "then by", "after", "what"))
        self.visits.setToolTip("Enter or a double click shows the one that was seen first among the evidence")
        pictures = MiddlePictures(session, self._find)
        for column in (0, 1):
            delegate = PictureDelegate(self.visits, session, pictures, partial(self._of_row, column))
            self.visits.setItemDelegateForColumn(column, delegate)
        self.visits.itemActivated.connect(self._open)
        layout.addWidget(self.visits, 2)
        self.gaps = row_table("Passed here unseen", ("passed here unseen about", "seen before by", "and afterwards by"))
        layout.addWidget(self.gaps, 1)
        layout.addStretch()
        model.linking.changed.connect(self.refresh_if_shown)

    def refresh(self) -> None:
        """Show the ways as they are now."""
        linked = self._model.linked()
        if linked is None:
            self.words.setText("Working it out …")
            self._visits = []
            for table in (self.ways, self.visits, self.gaps):
                fill_table(table, [])
            self.travel.show_ways(())
            return
        self.words.setText(
            "Learnt from judged real visits: cameras are linked where more walk on, at more similar times, than chance "
            "brings about."
            if linked.ways
            else "No way between this camera and another shows in the judged visits. Judge those of cameras that see "
            "the same people. Whoever walks on from one to the next is then listed here, with the time it takes."
        )
        rows = [
            (start, end, f"{link.passes} of {link.visits} visits",
             f"{link.travel_s:.0f} s ({link.low_s:.0f} to {link.high_s:.0f})",
             f"{missing} that it misses or records late")
            for start, end, link, missing in linked.ways
        ]  # fmt: skip
        fill_table(self.ways, rows)
        self.travel.show_ways([(start, end, link) for start, end, link, _ in linked.ways])
        for part in (self.travel, self.ways):
            part.setVisible(bool(linked.ways))
        self._visits = linked.visits
        self.visits.setVisible(bool(linked.visits))
        names, local = self._session.camera_name, self._model.local
        fill_table(self.visits, [
            (f"{names(link.start)}, {local(before.begin_s):%d %b %Y %H:%M:%S}",
             f"{names(link.end)}, {local(after.begin_s):%d %b %Y %H:%M:%S}",
             f"{after.begin_s - before.end_s:.0f} s", kind_of(before.kind).text)
            for link, before, after in linked.visits
        ])  # fmt: skip
        if (side := self.visits.verticalHeader()) is not None:
            side.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.gaps.setVisible(bool(linked.gaps))
        fill_table(self.gaps, [(f"{self._model.local(at):%Y-%m-%d %H:%M:%S}", a, b) for a, b, at in linked.gaps])

    def _of_row(self, column: int, row: int) -> int | None:
        if row >= len(self._visits):
            return None
        _, before, after = self._visits[row]
        return (after if column else before).id

    def _find(self, occurrence_id: int) -> tuple[CameraModel, Occurrence]:
        """The camera and the occurrence of a number."""
        link, before, _ = next(one for one in self._visits if occurrence_id in (one[1].id, one[2].id))
        model = self._session.camera(link.start if before.id == occurrence_id else link.end)
        return model, next(o for o in model.evidence.occurrences if o.id == occurrence_id)

    def _open(self, item: QTableWidgetItem) -> None:
        link, before, after = self._visits[item.row()]
        second = item.column() == 1
        self.asked.emit(link.end if second else link.start, after.id if second else before.id)


class ReadingsTab(WordsTab):
    """What was read off the camera, its trend, and about when something must be done."""

    def __init__(self, model: ProveModel) -> None:
        super().__init__(model)
        layout = self.column
        self.table = row_table(
            "Readings", ("what", "last", "a day", "act at", "reached about", "because"),
            "Nothing was read off this camera yet. Type readings under Storage, Stores, or import a table of them: "
            "battery, signal, temperature, free space. The trend of each then says when something must be done.",
        )  # fmt: skip
        stretch_columns(self.table, 5)
        layout.addWidget(self.table, 1)
        row = QHBoxLayout()
        row.addWidget(
            button(
                "From a &table …",
                self.choose_table,
                tip="CSV, JSON Lines or XLSX with the columns of, when, what, value",
            )
        )
        row.addWidget(
            button("Save as a ta&ble …", self.choose_file, tip="Of all cameras and stores, to be imported again")
        )
        row.addWidget(label("Single readings are typed in under Storage, Stores.", "muted"), 1)
        layout.addLayout(row)

    def refresh(self) -> None:
        """Show the trends as they are now."""
        trends = self._model.trends()
        self.words.hide()
        fill_table(self.table, [self._row(t) for t in trends])

    def _row(self, trend: Trend) -> tuple[str, ...]:
        unit, local = RANGES[trend.what].unit, self._model.local
        threshold = trend.threshold
        slope = "" if trend.per_day is None else f"{trend.per_day:+.2f} {unit}"
        there = threshold is not None and (
            trend.last <= threshold.level if threshold.falling else trend.last >= threshold.level
        )
        about = "it is there" if there else ""
        if trend.reached_s is not None and not there:
            ends = [f"{local(e):%Y-%m-%d}" if e is not None else "no end" for e in (trend.earliest_s, trend.latest_s)]
            about = f"{local(trend.reached_s):%Y-%m-%d} ({ends[0]} to {ends[1]})"
        level, why = (f"{threshold.level:g} {unit}", threshold.why) if threshold is not None else ("", "")
        return trend.what.value, f"{trend.last:g} {unit} on {local(trend.last_s):%Y-%m-%d}", slope, level, about, why

    def choose_table(self) -> None:
        """Ask for a table."""
        forms = "Tables (*.csv *.jsonl *.xlsx)"
        name, _ = QFileDialog.getOpenFileName(self, "Readings from a table", "", forms)
        if name:
            self._model.read_in(Path(name))

    def choose_file(self) -> None:
        """Ask for a file name and save all readings there."""
        forms = "CSV (*.csv);;JSON Lines (*.jsonl);;XLSX (*.xlsx)"
        name, _ = QFileDialog.getSaveFileName(self, "Save readings", str(Path.home() / "readings.csv"), forms)
        if name:
            self._model.save_readings(Path(name))


class ProvePage(FreshPage):
    """A tab for each question.

    `asked` is emitted with a camera's and an occurrence's number that is to be shown.
    """

    asked = pyqtSignal(int, int)

    def __init__(self, session: Session, model: CameraModel) -> None:
        super().__init__()
        self.model = session.step_model(ProveModel, model)
        layout, head = page_head(self, "Prove")
        head.addStretch()
        layout.addLayout(head)
        self.tabs = PartTabs()
        self.why, self.walks, self.linked = WhyTab(self.model), WalkTab(self.model), LinkedTab(session, self.model)
        self.tabs.addTab(self.why, "Why not?")
        self.tabs.addTab(self.walks, "Walk test")
        self.tabs.addTab(self.linked, "Linked cameras")
        self.linked.asked.connect(self.asked)
        self.readings = ReadingsTab(self.model)
        self.tabs.addTab(self.readings, "Readings")
        self.tabs.currentChanged.connect(lambda _: self.refresh())
        layout.addWidget(self.tabs, 1)
        self.setFocusProxy(self.why.question)
        self.model.changed.connect(self.refresh_if_shown)
        THEME.changed.connect(self.refresh_if_shown)
        self.fill()

    def refresh(self) -> None:
        """Show the tab that is seen."""
        current = self.tabs.currentWidget()
        if isinstance(current, WhyTab | WalkTab | LinkedTab | ReadingsTab):
            current.refresh()
