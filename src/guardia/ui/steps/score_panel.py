"""The score panel: installed and draft side by side, what flips and why, and what the evidence cannot show."""

from __future__ import annotations

import html
from collections.abc import Callable
from dataclasses import dataclass

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.core.purpose.judgement import Verdict, kind_of
from guardia.core.score.met import Lines, Met
from guardia.core.score.score import Certainty, Change, Flip, Score
from guardia.ui.parts.tables import add_copying
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import IntervalBars, MarkSign, Triple, button, label

_SURE_SIGNS = {Certainty.SURELY: "●●●", Certainty.PROBABLY: "●●○", Certainty.PERHAPS: "●○○"}
_FLIP_SIGNS = {
    Flip.NEWLY_MISSED: "▼", Flip.NEWLY_UNMARKED: "▽", Flip.NEWLY_UNALERTED: "▿", Flip.NEWLY_RECORDED: "▲",
    Flip.NEWLY_MARKED: "△", Flip.NEWLY_ALERTED: "▵", Flip.NEWLY_FALSE: "◆", Flip.NEWLY_FALSE_ALERT: "◈",
    Flip.NEWLY_SILENCED: "◇", Flip.FALSE_ALERT_GONE: "⬦",
}  # fmt: skip


MOST_FLIPS = 60
"""So many flips are listed, the worst first; more would make dragging slow and be read by nobody."""

WIDTH_PX, FOLDED_PX = 318, 104


@dataclass(frozen=True)
class IntervalBar:
    """One figure with its interval, as the panel shows it. What later steps add is a line in MEASURES."""

    words: str
    """What it is."""
    colour: str
    """Token of the theme for the draft's bar."""
    of: Callable[[Score], Triple | None]
    """Estimate, low and high of a score; None while there is no figure."""
    form: Callable[[float], str]
    """Writes one of the three."""


def _rate(score: Score) -> Triple | None:
    rate, interval = score.false_alerts_per_day, score.false_alerts_per_day_interval
    return None if rate is None or interval is None else (rate, *interval)


def _missed_share(score: Score) -> Triple | None:
    return (len(score.real_missed) / score.real, *score.missed_share) if score.real else None


MEASURES = (
    IntervalBar("False alerts a day", "false", _rate, lambda v: f"{v:.1f}"),
    IntervalBar("Share of real events missed", "real", _missed_share, lambda v: f"{v:.0%}"),
)

_ROWS: tuple[tuple[str, str, Verdict | None, bool], ...] = (
    ("real_recorded", "real, recorded", Verdict.REAL, True),
    ("real_missed", "real, missed", Verdict.REAL, False),
    ("unmarked", "on the store only", Verdict.REAL, False),
    ("partial", "late or cut", Verdict.REAL, True),
    ("not_alerted", "real, nobody alerted", Verdict.REAL, False),
    ("false_alerted", "false, alerted", Verdict.FALSE, True),
    ("false_recorded", "false, recorded", Verdict.FALSE, True),
    ("false_silenced", "false, not recorded", Verdict.FALSE, False),
    ("open", "not judged yet", None, False),
)


class ScorePanel(QWidget):
    """Stays beside every step; folds to a strip with the counts alone.

    `asked` is emitted with the occurrence ids behind a number and their title, `fold_asked` when it is to be folded or
    opened again, `opened` with the step that is to be opened.
    """

    asked = pyqtSignal(object, str)
    fold_asked = pyqtSignal()
    opened = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("panel")
        self._session = session
        self._model: CameraModel | None = None
        both = QHBoxLayout(self)
        both.setContentsMargins(0, 0, 0, 0)
        self._whole, self._strip = QScrollArea(), QWidget()
        self._whole.setWidgetResizable(True)  # where the window is lower than all of it, it scrolls
        self._whole.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        both.addWidget(self._whole)
        both.addWidget(self._strip)
        self._lay_out_strip()
        inside = QWidget()
        self._whole.setWidget(inside)
        layout = QVBoxLayout(inside)
        layout.setContentsMargins(16, 10, 14, 8)
        layout.setSpacing(6)
        top = QHBoxLayout()
        top.addWidget(label("Score on the evidence", "head"))
        top.addStretch()
        top.addWidget(button("fold ▸", self.fold_asked.emit, "link", "Leave the counts alone beside the page (F9)"))
        layout.addLayout(top)
        self.flip_head = label("", "muted", wrap=True)
        layout.addWidget(self.flip_head)
        self.purpose = button("", lambda: self.opened.emit("purpose"), "link")
        layout.addWidget(self.purpose)
        layout.addLayout(self._counts())
        layout.addSpacing(2)
        self._bars = [IntervalBars(m.words, m.colour, m.form) for m in MEASURES]
        for measure, bars in zip(MEASURES, self._bars, strict=True):
            layout.addWidget(label(measure.words, "muted"))
            layout.addWidget(bars)
        self._minutes = label("", "muted")
        layout.addWidget(self._minutes)
        self._lasts = label("", "muted", wrap=True)
        layout.addWidget(self._lasts)
        self._scale = label("", "muted", wrap=True)
        layout.addWidget(self._scale)
        self.flips = self._flip_list()
        layout.addWidget(self.flips, 1)
        self.limits = label("", "muted", wrap=True)
        self.limits.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._small_print = QScrollArea()
        self._small_print.setWidgetResizable(True)
        self._small_print.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        self._small_print.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._small_print.setWidget(self.limits)
        layout.addWidget(self._small_print, 1)
        self.unfold = button("", lambda: self._unfold(self.unfold.isChecked()), "link")
        self.unfold.setCheckable(True)
        self.unfold.setToolTip("Show all that the score is based on in place of the changed outcomes, or those again")
        layout.addWidget(self.unfold)
        self._unfold(on=False)
        self.fold(on=False)

    def _lay_out_strip(self) -> None:
        layout = QVBoxLayout(self._strip)
        layout.setContentsMargins(10, 14, 8, 12)
        layout.setSpacing(10)
        layout.addWidget(button("◂ score", self.fold_asked.emit, "link", "Show the whole score (F9)"))
        self._strip_cells: dict[str, QLabel] = {}
        for name, text, verdict, recorded in _ROWS:
            line = QHBoxLayout()
            line.setSpacing(6)
            line.addWidget(MarkSign(verdict, recorded=recorded, half=name == "partial"))
            self._strip_cells[name] = label("")
            self._strip_cells[name].setToolTip(f"{text}: installed → draft")
            line.addWidget(self._strip_cells[name])
            line.addStretch()
            layout.addLayout(line)
        self._strip_flips = label("", "muted", wrap=True)
        layout.addWidget(self._strip_flips)
        layout.addStretch()

    def fold(self, on: bool) -> None:
        """Leave the counts alone, or show all of it."""
        self._whole.setVisible(not on)
        self._strip.setVisible(on)
        self.setFixedWidth(THEME.px(FOLDED_PX if on else WIDTH_PX))

    @property
    def folded(self) -> bool:
        """Whether only the counts are shown."""
        return self._whole.isHidden()

    def _counts(self) -> QGridLayout:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(1)
        grid.setColumnStretch(0, 1)
        for column, text in ((1, "installed"), (2, "draft")):
            grid.addWidget(label(text, "muted"), 0, column)
        self.cells: dict[tuple[str, int], QPushButton] = {}
        self._of_row: dict[str, list[QWidget]] = {}
        for row, (name, text, verdict, recorded) in enumerate(_ROWS, start=1):
            line = QHBoxLayout()
            line.setSpacing(6)
            self._of_row[name] = [MarkSign(verdict, recorded=recorded, half=name == "partial"), label(text)]
            for widget in self._of_row[name]:
                line.addWidget(widget)
            line.addStretch()
            grid.addLayout(line, row, 0)
            for column in (1, 2):
                cell = QPushButton("0")
                cell.setObjectName("link")
                cell.setToolTip("Show these in Evidence")
                cell.setAccessibleName(f"{text}, {'installed' if column == 1 else 'draft'}")
                cell.clicked.connect(lambda _=False, n=name, c=column, t=text: self._ask(n, c, t))
                self.cells[name, column] = cell
                self._of_row[name].append(cell)
                grid.addWidget(cell, row, column)
        return grid

    def _flip_list(self) -> QListWidget:
        flips = QListWidget()
        add_copying(flips)
        flips.setAccessibleName("Outcomes that change from installed to draft")
        flips.setWordWrap(True)
        flips.setMinimumHeight(THEME.px(44))
        flips.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Ignored)
        flips.itemActivated.connect(self.open_flip)
        flips.itemClicked.connect(self.open_flip)
        return flips

    def _unfold(self, on: bool) -> None:
        """Give what the score rests on the room of the flips, or fold it to one line."""
        self.flips.setVisible(not on)
        self._small_print.setVisible(on)
        self.unfold.setText("▾ Back to the changed outcomes" if on else "▸ What this is based on")

    def set_camera(self, model: CameraModel) -> None:
        """Show another camera."""
        if self._model is not None:
            self._model.comparison_changed.disconnect(self.refresh)
        self._model = model
        model.comparison_changed.connect(self.refresh)
        self.refresh()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Show what was left out while nobody saw it."""
        super().showEvent(event)
        self.refresh()

    def refresh(self) -> None:
        """Show the figures as they are now."""
        if self._model is None:
            return
        comparison = self._model.comparison
        for (name, column), cell in self.cells.items():
            cell.setText(_count(comparison.draft if column == 2 else comparison.installed, name))
        either = (comparison.installed, comparison.draft)
        for widget in self._of_row["unmarked"]:
            widget.setVisible(any(score.unmarked for score in either))
        for name, both in self._strip_cells.items():
            old, new = (self.cells[name, column].text().split(" ")[0] for column in (1, 2))
            both.setText(f"{old} → {new}")
        for measure, bars in zip(MEASURES, self._bars, strict=True):
            bars.show_values(measure.of(comparison.installed), measure.of(comparison.draft))
        if not self._model.previewing and self.isVisible():
            self._lasts.setText("\n".join(self._model.lasts_words()))
            self._lasts.setVisible(bool(self._lasts.text()))
        old, new = _minutes(comparison.installed), _minutes(comparison.draft)
        self._minutes.setText(f"Recorded a day: {old} → {new}" if old != new else f"Recorded a day: {old}")
        self._minutes.setToolTip("On motion clips, installed → draft")
        # A drag does not wait for the two further replays, nor does the start of the program, which shows no score.
        wanted = self.isVisible() and not self._model.previewing
        self._scale.setText(self._model.scale_words if wanted else "")
        if wanted:
            self._show_purpose(*self._model.met)
        self._show_flips(comparison.changes)
        explained = self._model.explained.words
        self.limits.setText("\n".join([*([explained] if explained else []), *comparison.limits]))

    def _show_purpose(self, installed: Lines, draft: Lines) -> None:
        """How much of what the camera is for is met, and by the draft."""
        met = [sum(line.met is Met.YES for line in lines) for lines in (installed, draft)]
        change = f"{met[0]} → {met[1]}" if met[0] != met[1] else str(met[0])
        self.purpose.setText(f"Purpose: {change} of {len(installed)} met" if installed else "Say what it is for …")
        lines = [f"{old.asked}: {old.found}" + (f" → {new.found}" if new.found != old.found else "")
                 for old, new in zip(installed, draft, strict=True)]  # fmt: skip
        self.purpose.setToolTip(html.escape("\n".join(lines)))

    def _show_flips(self, changes: tuple[Change, ...]) -> None:
        likely = [c for c in changes if c.certainty is not Certainty.PERHAPS]
        counts = {flip: sum(c.flip is flip for c in likely) for flip in Flip}
        parts = [f"{n} {flip.value}" for flip, n in counts.items() if n]
        if len(likely) < len(changes):
            parts.append(f"{len(changes) - len(likely)} more perhaps")
        self.flip_head.setText(", ".join(parts) if parts else "No outcome changes from installed to draft.")
        self.flip_head.setObjectName("warning" if counts[Flip.NEWLY_MISSED] else "head" if parts else "muted")
        self._strip_flips.setText("\n".join(f"{_FLIP_SIGNS[flip]} {n}" for flip, n in counts.items() if n))
        self._strip_flips.setToolTip(", ".join(parts))
        style = self.flip_head.style()
        if style is not None:
            style.polish(self.flip_head)
        self.flips.clear()
        if not changes:
            hint = QListWidgetItem(
                "Move the level or draw a zone: every judged event whose outcome changes appears here with its reason."
            )
            hint.setFlags(Qt.ItemFlag.NoItemFlags)
            self.flips.addItem(hint)
        for change in changes[:MOST_FLIPS]:
            clip_start = self._clip_start(change.occurrence.clip_id)
            when = self._session.local_time(clip_start + change.occurrence.start_s)
            what = kind_of(change.occurrence.kind).text
            head = f"{_FLIP_SIGNS[change.flip]} {when:%d %b %Y %H:%M:%S}  {what}  {_SURE_SIGNS[change.certainty]}"
            item = QListWidgetItem(f"{head}\n     {change.certainty}; {change.reason}")
            item.setData(Qt.ItemDataRole.UserRole, change.occurrence.id)
            item.setToolTip(f"{change.certainty} {change.flip.value} ({change.chance:.0%}): {change.reason}")
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


def _count(score: Score, name: str) -> str:
    """How many, and where that is not known for sure between how many it lies."""
    expected = {
        "real_missed": score.missed, "not_alerted": score.unalerted, "false_recorded": score.false,
    }.get(name)  # fmt: skip
    count = str(len(_ids(score, name)))
    if expected is None or expected.low == expected.high:
        return count
    return f"{count} ({expected.low:.0f}–{expected.high:.0f})"


def _ids(score: Score, name: str) -> tuple[int, ...]:
    if name == "partial":
        return tuple(sorted({*score.late, *score.cut}))
    ids: tuple[int, ...] = getattr(score, name)
    return ids


def _minutes(score: Score) -> str:
    return "no figure yet" if score.recorded_s_per_day is None else f"{score.recorded_s_per_day / 60:.1f} min"
