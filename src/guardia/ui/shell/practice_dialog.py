"""Practice: scenes nobody has seen, from one cause by day to all of them, and what was reached so far."""

from __future__ import annotations

from pathlib import Path

import pyqtgraph as pg
from PyQt6.QtWidgets import QDialog, QHBoxLayout, QProgressBar, QVBoxLayout, QWidget

from guardia.app.steps.practice_model import PracticeModel
from guardia.core.base.words import count_of
from guardia.ui.parts.plots import begin_plot, still_plot
from guardia.ui.parts.tables import fill_table, row_table, stretch_columns
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import WrappedLabel, button, label

_SIGNS = {"o": "●", "t1": "▲", "s": "■", "d": "◆", "star": "★"}
"""The sign of each level on the plot, and the same in the table."""


class PracticeDialog(QDialog):
    """Levels, progress, a new scene, the truth.

    Args:
        parent: The window.
        home: The program's data folder.
        folder: Of the project that is open, None with none.
    """

    def __init__(self, parent: QWidget, home: Path, folder: Path | None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Practice")
        self.resize(820, 600)
        self.folder: Path | None = None
        self.model = PracticeModel(home, folder, self)
        layout = QVBoxLayout(self)
        intro = WrappedLabel()
        intro.setText(
            "A simulated camera records a week of a scene that nobody has seen; the installer left it too sensitive. "
            "Judge, draw, tune as on a real site. Then see what your draft does in the week after, and what the best "
            "known settings would have done. The truth also names the step of the work that cost most."
        )
        layout.addWidget(intro)
        self.table = row_table("Levels", ("level", "what happens there", "done", "best", "last"))
        stretch_columns(self.table, 1)
        layout.addWidget(self.table)
        layout.addWidget(label("Share of the possible gain that was reached", "head"))
        self.plot = still_plot("Share of the possible gain, practice by practice", least_px=140)
        layout.addWidget(self.plot, 1)
        self.words = WrappedLabel()
        layout.addWidget(self.words)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        layout.addWidget(self.progress)
        row = QHBoxLayout()
        self.state = label("", "muted")
        row.addWidget(self.state)
        row.addStretch()
        self.stop = button("S&top", self.model.jobs.cancel)
        self.truth = button("&Show the truth", self.model.finish, tip="Of the practice that is open, with its draft")
        self.begin = button("&New scene", self._begin, "primary", "Record a week of an unseen scene and open it")
        for widget in (self.stop, self.truth, self.begin, button("C&lose", self.reject)):
            row.addWidget(widget)
        layout.addLayout(row)
        self.model.changed.connect(self.refresh)
        self.model.made.connect(self._made)
        self.refresh()
        self.table.selectRow(max(0, min(len(_SIGNS) - 1, self._next_level() - 1)))

    def _next_level(self) -> int:
        """The level to go on with: the first that was not yet reached by four fifths."""
        open_levels = [n for n, _, results in self.model.levels if max((r.reached for r in results), default=0.0) < 0.8]
        return open_levels[0] if open_levels else len(_SIGNS)

    def refresh(self) -> None:
        """Show what was reached, and how far the work is."""
        row, busy = self.table.currentRow(), self.model.jobs.busy
        rows = [
            (f"{number}  {sign}", words, str(len(results)), *(
                (f"{max(r.reached for r in results):.0%}", f"{results[-1].reached:.0%}") if results else ("", "")
            ))
            for (number, words, results), sign in zip(self.model.levels, _SIGNS.values(), strict=True)
        ]  # fmt: skip
        fill_table(self.table, rows)
        self.table.setFixedHeight(self.table.rowHeight(0) * len(rows) + 40)
        if row >= 0:
            self.table.selectRow(row)
        self._draw()
        self.words.setText("\n".join(self.model.words))
        self.words.setVisible(bool(self.model.words))
        self.progress.setVisible(busy)
        at = self.model.at if busy else None
        self.progress.setRange(0, at.total if at is not None else 0)
        self.progress.setValue(at.done if at is not None else 0)
        left = f", about {count_of(round(at.left_s / 60) or 1, 'minute')} left" if at and at.left_s else ""
        self.state.setText(f"{at.what}{left}" if at is not None else "")
        self.stop.setVisible(busy)
        self.begin.setEnabled(not busy)
        self.truth.setEnabled(self.model.can_finish)

    def _draw(self) -> None:
        begin_plot(self.plot, left="reached, %", bottom="practice")
        results = self.model.results
        for level, sign in enumerate(_SIGNS, 1):
            points = [(n, 100 * r.reached) for n, r in enumerate(results, 1) if r.level == level]
            self.plot.addItem(
                pg.ScatterPlotItem(
                    [x for x, _ in points], [y for _, y in points], symbol=sign, size=11, pen=THEME.colour("ink"),
                    brush=THEME.colour("accent"),
                )
            )  # fmt: skip
        self.plot.setXRange(0.5, max(5, len(results)) + 0.5)
        self.plot.setYRange(min([0.0, *(100 * r.reached for r in results)]), 105)

    def _begin(self) -> None:
        self.model.begin(max(0, self.table.currentRow()) + 1)

    def _made(self, folder: Path) -> None:
        self.folder = folder
        self.accept()

    def reject(self) -> None:
        """Close; work under way is stopped first, and the dialog goes when it has."""
        if not self.model.jobs.busy:
            super().reject()
            return
        self.model.jobs.finished.connect(super().reject)
        self.model.jobs.cancel()
        self.state.setText("Stopping …")
