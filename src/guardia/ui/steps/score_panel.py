"""The score panel: installed and draft side by side, what flips and why, and what the evidence cannot show."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from guardia.app.project.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.core.evidence.judgement import Verdict, kind_of
from guardia.core.score.score import Change, Flip, Score
from guardia.ui.parts.widgets import IntervalBars, Mark, label

_FLIP_SIGNS = {Flip.NEWLY_MISSED: "▼", Flip.NEWLY_RECORDED: "▲", Flip.NEWLY_FALSE: "◆", Flip.NEWLY_SILENCED: "◇"}


FOLDED_PX = 112
"""Height of what the figures rest on while it is folded."""

MOST_FLIPS = 60
"""So many flips are listed, the worst first; more would make dragging slow and be read by nobody."""


class ScorePanel(QWidget):
    """Stays beside every step. `asked` is emitted with the occurrence ids behind a number and their title."""

    asked = pyqtSignal(object, str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setFixedWidth(318)
        self._session = session
        self._model: CameraModel | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(16, 14, 14, 12)
        layout.setSpacing(6)
        top = QHBoxLayout()
        top.addWidget(label("Score on the evidence", "head"))
        top.addStretch()
        layout.addLayout(top)
        grid = self._counts()
        layout.addLayout(grid)
        layout.addSpacing(4)
        self._false = self._measure(layout, "False recordings a day, by motion clips", "false")
        self._missed = self._measure(layout, "Share of real events missed", "real")
        self._minutes = label("", "muted")
        layout.addWidget(self._minutes)
        self._flip_head = label("Nothing flips from installed to draft", "head", wrap=True)
        layout.addSpacing(4)
        layout.addWidget(self._flip_head)
        self.flips = self._flip_list()
        layout.addWidget(self.flips, 1)
        rests = QHBoxLayout()
        rests.addWidget(label("What this rests on", "head"))
        rests.addStretch()
        self.unfold = QPushButton("all of it")
        self.unfold.setObjectName("link")
        self.unfold.setCheckable(True)
        self.unfold.setToolTip("Show all of it in place of the flips, or the flips again")
        self.unfold.toggled.connect(self._unfold)
        rests.addWidget(self.unfold)
        layout.addLayout(rests)
        self.limits = label("", "muted", wrap=True)
        self.limits.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._small_print = QScrollArea()
        self._small_print.setWidgetResizable(True)
        self._small_print.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._small_print.setWidget(self.limits)
        layout.addWidget(self._small_print, 1)
        self._unfold(on=False)

    def _counts(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        grid.setColumnStretch(0, 1)
        for column, text in ((1, "installed"), (2, "draft")):
            grid.addWidget(label(text, "muted"), 0, column)
        self.cells: dict[tuple[str, int], QPushButton] = {}
        rows: tuple[tuple[str, str, Verdict | None, bool], ...] = (
            ("real_recorded", "real, recorded", Verdict.REAL, True),
            ("real_missed", "real, missed", Verdict.REAL, False),
            ("partial", "recorded late or cut", Verdict.REAL, True),
            ("false_recorded", "false, recorded", Verdict.FALSE, True),
            ("false_silenced", "false, silent", Verdict.FALSE, False),
            ("open", "not judged or unsure", None, False),
        )
        for row, (name, text, verdict, recorded) in enumerate(rows, start=1):
            line = QHBoxLayout()
            line.setSpacing(6)
            line.addWidget(Mark(verdict, recorded=recorded, half=name == "partial"))
            line.addWidget(label(text))
            line.addStretch()
            grid.addLayout(line, row, 0)
            for column in (1, 2):
                cell = QPushButton("0")
                cell.setObjectName("link")
                cell.setToolTip("Show these in Evidence")
                cell.setAccessibleName(f"{text}, {'installed' if column == 1 else 'draft'}")
                cell.clicked.connect(lambda _=False, n=name, c=column, t=text: self._ask(n, c, t))
                self.cells[name, column] = cell
                grid.addWidget(cell, row, column)
        return grid

    def _flip_list(self) -> QListWidget:
        flips = QListWidget()
        flips.setAccessibleName("What flips from installed to draft")
        flips.setWordWrap(True)
        flips.setMinimumHeight(90)
        flips.itemActivated.connect(self.open_flip)
        flips.itemClicked.connect(self.open_flip)
        return flips

    def _unfold(self, on: bool) -> None:
        """Give the small print the room of the flips, or fold it to its first lines."""
        self.flips.setVisible(not on)
        self._small_print.setMaximumHeight(10_000 if on else FOLDED_PX)
        self.unfold.setText("fold" if on else "all of it")

    def _measure(self, layout: QVBoxLayout, text: str, colour: str) -> tuple[QLabel, IntervalBars]:
        words = label("", "", wrap=True)
        words.setTextFormat(Qt.TextFormat.RichText)
        words.setToolTip("Installed above, draft below; the band is the 95 % interval")
        bars = IntervalBars(colour)
        layout.addWidget(label(text, "muted"))
        layout.addWidget(words)
        layout.addWidget(bars)
        return words, bars

    def set_camera(self, model: CameraModel) -> None:
        """Show another camera."""
        if self._model is not None:
            self._model.comparison_changed.disconnect(self.refresh)
        self._model = model
        model.comparison_changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the figures as they are now."""
        if self._model is None:
            return
        comparison = self._model.comparison
        for column, score in ((1, comparison.installed), (2, comparison.draft)):
            for (name, at), cell in self.cells.items():
                if at == column:
                    cell.setText(str(len(_ids(score, name))))
        self._show_interval(
            self._false, comparison.installed, comparison.draft, lambda s: _rate(s), lambda v: f"{v:.1f}"
        )
        self._show_interval(
            self._missed, comparison.installed, comparison.draft, lambda s: _missed_share(s), lambda v: f"{v:.0%}"
        )
        self._minutes.setText(
            f"Recorded a day on motion clips: {_minutes(comparison.installed)} → {_minutes(comparison.draft)}"
        )
        self._show_flips(comparison.changes)
        explained = self._model.explained.words
        self.limits.setText("\n".join([*([explained] if explained else []), *comparison.limits]))

    def _show_interval(
        self,
        parts: tuple[QLabel, IntervalBars],
        installed: Score,
        draft: Score,
        value: Callable[[Score], tuple[float, float, float] | None],
        form: Callable[[float], str],
    ) -> None:
        words, bars = parts
        old, new = value(installed), value(draft)

        def text(v: tuple[float, float, float] | None) -> str:
            return "no figure yet" if v is None else f"<b>{form(v[0])}</b> ({form(v[1])} to {form(v[2])})"

        words.setText(f"{text(old)} → {text(new)}")
        bars.show_values(old, new)

    def _show_flips(self, changes: tuple[Change, ...]) -> None:
        counts = {flip: sum(c.flip is flip for c in changes) for flip in Flip}
        parts = [f"{n} {flip.value}" for flip, n in counts.items() if n]
        self._flip_head.setText(", ".join(parts) if parts else "Nothing flips from installed to draft")
        self._flip_head.setObjectName("warning" if counts[Flip.NEWLY_MISSED] else "head")
        style = self._flip_head.style()
        if style is not None:
            style.polish(self._flip_head)
        self.flips.clear()
        if not changes:
            hint = QListWidgetItem(
                "Move the notch or draw a zone: every judged event that the draft treats otherwise appears here "
                "with its reason."
            )
            hint.setFlags(Qt.ItemFlag.NoItemFlags)
            self.flips.addItem(hint)
        for change in changes[:MOST_FLIPS]:
            clip_start = self._clip_start(change.occurrence.clip_id)
            when = self._session.local_time(clip_start + change.occurrence.start_s)
            what = kind_of(change.occurrence.kind).text
            item = QListWidgetItem(f"{_FLIP_SIGNS[change.flip]} {when:%d %b %Y %H:%M:%S}  {what}\n     {change.reason}")
            item.setData(Qt.ItemDataRole.UserRole, change.occurrence.id)
            item.setToolTip(f"{change.flip.value}: {change.reason}")
            self.flips.addItem(item)

        if len(changes) > MOST_FLIPS:
            more = QListWidgetItem(f"and {len(changes) - MOST_FLIPS} more: the numbers above open them all")
            more.setFlags(Qt.ItemFlag.NoItemFlags)
            self.flips.addItem(more)

    def _clip_start(self, clip_id: int) -> float:
        if self._model is None:
            return 0.0
        evidence = self._model.evidence
        return evidence.clips[evidence.clip_index[clip_id]].start_s

    def open_flip(self, item: QListWidgetItem) -> None:
        """Open the occurrence of a flip in Evidence."""
        if (occurrence_id := item.data(Qt.ItemDataRole.UserRole)) is not None:
            self.asked.emit((occurrence_id,), item.text().split("\n")[0])

    def _ask(self, name: str, column: int, text: str) -> None:
        if self._model is not None:
            comparison = self._model.comparison
            score = comparison.installed if column == 1 else comparison.draft
            self.asked.emit(_ids(score, name), f"{text}, {'installed' if column == 1 else 'draft'}")


def _ids(score: Score, name: str) -> tuple[int, ...]:
    if name == "partial":
        return tuple(sorted({*score.late, *score.cut}))
    ids: tuple[int, ...] = getattr(score, name)
    return ids


def _minutes(score: Score) -> str:
    return "no figure yet" if score.recorded_s_per_day is None else f"{score.recorded_s_per_day / 60:.1f} min"


def _rate(score: Score) -> tuple[float, float, float] | None:
    rate, interval = score.false_per_day, score.false_per_day_interval
    return None if rate is None or interval is None else (rate, *interval)


def _missed_share(score: Score) -> tuple[float, float, float] | None:
    total = len(score.real_missed) + len(score.real_recorded)
    return (len(score.real_missed) / total, *score.missed_share) if total else None
