"""Several sites side by side, those first that need care most."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QDialog, QFileDialog, QHBoxLayout, QVBoxLayout, QWidget

from guardia.app.project.portfolio import SiteSummary, portfolio
from guardia.app.site.summary import today_here
from guardia.core.base.words import count_of
from guardia.ui.parts.tables import fill_table, row_table, stretch_columns
from guardia.ui.parts.widgets import WrappedLabel, button


class PortfolioDialog(QDialog):
    """A folder of projects as one list; `chosen` is the project to open.

    Args:
        parent: The window.
        folder: The folder that is looked into first.
    """

    def __init__(self, parent: QWidget, folder: Path) -> None:
        super().__init__(parent)
        self.setWindowTitle("Sites side by side")
        self.resize(940, 460)
        self.chosen: Path | None = None
        self._folder, self._sites = folder, list[SiteSummary]()
        layout = QVBoxLayout(self)
        self.words = WrappedLabel()
        layout.addWidget(self.words)
        columns = ("site", "cameras", "false alerts a day, worst", "real missed", "purpose not met", "overdue", "next")
        self.table = row_table("Sites", columns)
        stretch_columns(self.table, 6)
        self.table.cellActivated.connect(lambda *_: self.take())
        layout.addWidget(self.table, 1)
        row = QHBoxLayout()
        row.addWidget(button("Another &folder …", self.choose_folder))
        row.addStretch()
        row.addWidget(button("C&lose", self.reject))
        self.go = button("&Open", self.take, "primary", "The chosen project, in this window (Enter)")
        row.addWidget(self.go)
        layout.addLayout(row)
        self.refresh()

    def refresh(self) -> None:
        """Look into the folder anew."""
        self._sites, today = portfolio(self._folder), today_here()
        rows = []
        for site in self._sites:
            worst = site.worst
            rate = f"{worst.false_alerts[0]:.1f}" if worst is not None and worst.false_alerts else ""
            missed, real = sum(line.missed for line in site.lines), sum(line.real for line in site.lines)
            late = site.overdue(today)
            unmet = f"{site.unmet} of {site.asked}" if site.asked else ""
            lost = f"{missed} of {real}" if real else ""
            counts = (str(site.cameras or ""), rate, lost, unmet, str(late or ""))
            rows.append((site.name, *counts, site.words))
        fill_table(self.table, rows, lambda r, c: c == 6 and bool(self._sites[r].trouble))
        number = count_of(len(rows), "project")
        self.words.setText(f"{number} in {self._folder}, by what each knew when it was closed last.")
        self.go.setEnabled(bool(rows))
        if rows:
            self.table.setCurrentCell(0, 0)

    def choose_folder(self) -> None:
        """Ask for another folder."""
        name = QFileDialog.getExistingDirectory(self, "A folder of projects", str(self._folder))
        if name:
            self._folder = Path(name)
            self.refresh()

    def take(self) -> None:
        """Take the chosen project."""
        row = self.table.currentRow()
        if 0 <= row < len(self._sites) and not self._sites[row].trouble:
            self.chosen = self._sites[row].folder
            self.accept()
