"""Hand over: what to enter on the camera, the sheet as JSON and PDF, and the logbook."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import (
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.site.exports import Exports, aspect_of, file_stem
from guardia.core.make.candidate import Candidate
from guardia.core.make.levers import limits_broken
from guardia.core.make.settings import entered_zones
from guardia.report.sheet import CAUTIONS, lines_against, met_rows, parted, score_rows
from guardia.ui.parts.notes import ask_note
from guardia.ui.parts.tables import add_copying
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import FreshPage, button, card, clear, label, page_head

SHEET_FORMS = "JSON (*.json);;ONVIF analytics XML (*.xml)"

ENTRY_KINDS = ("visit", "observed", "fault", "complaint", "reading", "export handed over", "guest access reviewed")
"""What is entered by hand; changes of settings enter themselves."""


DRAWING_PX = 380
"""Width of the drawing of the zones."""


class HandoverPage(FreshPage):
    """The sheet on the left, what to do with it and the logbook on the right."""

    def __init__(self, session: Session, model: CameraModel) -> None:
        super().__init__()
        self._session = session
        self._model = model
        layout, head = page_head(self, "Hand over")
        head.addStretch()
        head.addWidget(
            button(
                "Save sheet as JSON…",
                self.choose_json,
                tip="With a published schema, for other programs; or as ONVIF analytics XML",
            )
        )
        head.addWidget(button("Print…", self.print, tip="The sheet as it will be printed; holds no picture"))
        head.addWidget(button("Save sheet as PDF…", self.choose_pdf, tip="To print and take along; holds no picture"))
        layout.addLayout(head)
        body = QHBoxLayout()
        body.setSpacing(14)
        body.addWidget(self._sheet_area(), 5)
        side = QVBoxLayout()
        self._add_entering(side)
        side.addSpacing(12)
        self._add_logbook(side)
        body.addLayout(side, 3)
        layout.addLayout(body, 1)
        model.comparison_changed.connect(self.refresh_if_shown)
        model.logbook_changed.connect(self._fill_logbook)
        self.setFocusProxy(self._note)

    def _sheet_area(self) -> QScrollArea:
        sheet = card()
        self._sheet = QVBoxLayout(sheet)
        self._sheet.setContentsMargins(20, 16, 20, 16)
        self._sheet.setSpacing(7)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        area.setWidget(sheet)
        return area

    def _add_entering(self, side: QVBoxLayout) -> None:
        words = "Once the values are set on the camera, say so: the draft becomes the installed settings from now on."
        side.addWidget(label("When it is entered", "head"))
        side.addWidget(label(words, "muted", wrap=True))
        self._note = QLineEdit()
        self._note.setPlaceholderText("Who and why, for the logbook")
        side.addWidget(self._note)
        self.enter = button("Entered on the camera", self._entered, "primary")
        side.addWidget(self.enter)

    def _add_logbook(self, side: QVBoxLayout) -> None:
        top = QHBoxLayout()
        top.addWidget(label("Logbook", "head"))
        self.search = QLineEdit()
        self.search.setPlaceholderText("Search the logbook")
        self.search.setClearButtonEnabled(True)
        self.search.setAccessibleName("Search the logbook")
        self.search.textChanged.connect(lambda _: self._fill_logbook())
        top.addWidget(self.search, 1)
        side.addLayout(top)
        self.logbook = QListWidget()
        add_copying(self.logbook)
        self.logbook.setWordWrap(True)
        self.logbook.setAccessibleName("Logbook")
        self.logbook.setToolTip("Enter corrects the note of an entry, Del removes it; both can be undone")
        self.logbook.itemActivated.connect(lambda _item: self.correct_entry())
        QShortcut(QKeySequence(Qt.Key.Key_Delete), self.logbook, self.remove_entry)
        side.addWidget(self.logbook, 1)
        row = QHBoxLayout()
        row.addWidget(button("Add entry …", self.add_entry, tip="A visit, a fault, what was observed"))
        row.addWidget(button("Save logbook …", self.choose_logbook, tip="Of all cameras, as CSV, JSON Lines or XLSX"))
        row.addStretch()
        side.addLayout(row)

    def refresh(self) -> None:
        """Show the sheet as it is now."""
        if self._model.previewing:
            return
        model = self._model
        clear(self._sheet)
        self._sheet.addWidget(label(f"Settings sheet: {model.camera.name}", "head"))
        self._sheet.addWidget(label(f"{self._session.site.name}, {model.camera.capability.name}", "muted"))
        changed, same = parted(lines_against(model.camera.installed, model.draft, model.camera.capability))
        self._sheet.addWidget(label("To enter on the camera" if changed else "Nothing changes on the camera", "head"))
        for entry in changed:
            self._sheet.addWidget(label(f"☐  {entry.text}{f'   ← {entry.note}' if entry.note else ''}", wrap=True))
        self._add_zones()
        if changed:
            self._sheet.addWidget(label("As it is already", "head"))
        self._sheet.addWidget(_in_columns([f"☐  {entry.text}" for entry in same]))
        for line in limits_broken(Candidate(model.draft, model.camera.capability)):
            self._sheet.addWidget(label(f"▼  {line}", "warning", wrap=True))
        self._sheet.addSpacing(6)
        for title, rows in (
            ("What this camera is for", met_rows(model.met)),
            ("What the recorded evidence says", score_rows(model.comparison.installed, model.comparison.draft)),
        ):
            if rows:
                self._sheet.addWidget(label(title, "head"))
                self._sheet.addWidget(_grid_of(rows))
        content = Exports(self._session).sheet_content(model.camera.id)
        for line in (*content.limits, *CAUTIONS):
            self._sheet.addWidget(label(line, "muted", wrap=True))
        self._sheet.addStretch()
        self.enter.setEnabled(model.draft != model.camera.installed)
        self.logbook.clear()
        self._fill_logbook()

    def _add_zones(self) -> None:
        """Draw the zones as they are printed, in the shape of the camera's picture."""
        zones = entered_zones(self._model.draft, self._model.camera.capability)
        if not zones:
            return
        from guardia.report.zone_drawing import zone_pdf  # slow to import, and needed only here
        from guardia.ui.parts.paper_picture import first_page

        drawing = QLabel()
        aspect = aspect_of(self._model.pictures.picture_size())
        drawing.setPixmap(first_page(zone_pdf(zones, aspect=aspect), THEME.px(DRAWING_PX)))
        drawing.setAccessibleName("Zones, with the numbers of their corners or squares")
        paper = QFrame()
        paper.setObjectName("paper")
        inside = QHBoxLayout(paper)
        inside.addWidget(drawing)
        self._sheet.addWidget(paper, 0, Qt.AlignmentFlag.AlignLeft)

    def _fill_logbook(self) -> None:
        self.logbook.clear()
        wanted = self.search.text().casefold().split()
        for entry in self._model.corrections.logbook():
            if not all(word in f"{entry.what} {entry.detail}".casefold() for word in wanted):
                continue
            words = f"{self._session.local_time(entry.at_s):%Y-%m-%d %H:%M}  {entry.what}"
            observed = self._model.observed(entry)
            lines = [words, entry.detail, f"Observed: {observed}" if observed else ""]
            item = QListWidgetItem("\n".join(filter(None, lines)))
            item.setData(Qt.ItemDataRole.UserRole, entry)
            self.logbook.addItem(item)
        if not self.logbook.count():
            nothing = QListWidgetItem("No entry has these words." if wanted else "Nothing entered yet.")
            nothing.setFlags(Qt.ItemFlag.NoItemFlags)
            self.logbook.addItem(nothing)

    def add_entry(self) -> None:
        """Ask for an entry of one's own."""
        what, chosen = QInputDialog.getItem(self, "Add entry", "What it is", list(ENTRY_KINDS), 0, editable=False)
        if not chosen:
            return
        if note := ask_note(self, "Add entry", f"{what[0].upper()}{what[1:]}:"):
            self._model.facts.log(what, note)

    def choose_logbook(self) -> None:
        """Ask for a file name and save the logbooks of all cameras."""
        forms = "CSV (*.csv);;JSON Lines (*.jsonl);;XLSX (*.xlsx)"
        name, _ = QFileDialog.getSaveFileName(self, "Save logbook", str(Path.home() / "logbook.csv"), forms)
        if name:
            Exports(self._session).save_logbook(name)

    def correct_entry(self) -> None:
        """Ask for another note of the entry that is chosen."""
        item = self.logbook.currentItem()
        if item is not None and (entry := item.data(Qt.ItemDataRole.UserRole)) is not None:
            note = ask_note(self, "Logbook", f"{entry.what}:", entry.detail)
            if note is not None:
                self._model.corrections.correct_entry(entry, note)

    def remove_entry(self) -> None:
        """Take the entry that is chosen out of the logbook."""
        item = self.logbook.currentItem()
        if item is not None and (entry := item.data(Qt.ItemDataRole.UserRole)) is not None:
            self._model.corrections.remove_entry(entry)

    def _entered(self) -> None:
        self._model.install_draft(self._note.text().strip())
        self._note.clear()
        self._session.messages.tell(
            "Logged: the draft is now the installed settings. Walk-test the camera, by day and at night."
        )

    def choose_json(self) -> None:
        """Ask for a file name and save the sheet as JSON."""
        name, _ = QFileDialog.getSaveFileName(self, "Save sheet as JSON", self._suggested("json"), SHEET_FORMS)
        if name:
            self.save(Path(name))

    def print(self) -> None:
        """Show the sheet as it will be printed."""
        from guardia.ui.parts.print_preview import preview  # slow to import, and needed only here

        preview(self, self._session.messages, *Exports(self._session).sheet_paper(self._model.camera.id))

    def choose_pdf(self) -> None:
        """Ask for a file name and save the sheet as PDF."""
        name, _ = QFileDialog.getSaveFileName(self, "Save sheet as PDF", self._suggested("pdf"), "PDF (*.pdf)")
        if name:
            self.save(Path(name))

    def _suggested(self, ending: str) -> str:
        return str(Path.home() / f"{file_stem(self._model.camera.name)}-settings.{ending}")

    def save(self, path: Path) -> None:
        """Save the sheet; the ending says in which form."""
        Exports(self._session).save_sheet(self._model.camera.id, path)


def _in_columns(texts: Sequence[str]) -> QWidget:
    """Short lines in two columns, read down the first one first."""
    widget = QWidget()
    grid = QGridLayout(widget)
    grid.setContentsMargins(0, 0, 0, 0)
    down = -(-len(texts) // 2)
    for number, text in enumerate(texts):
        grid.addWidget(label(text, "muted", wrap=True), number % max(1, down), number // max(1, down))
    return widget


def _grid_of(rows: Sequence[tuple[str, str, str]]) -> QWidget:
    """Lines of text under both settings."""
    figures = QWidget()
    grid = QGridLayout(figures)
    grid.setContentsMargins(0, 0, 0, 0)
    for column, stretch in enumerate((4, 3, 3)):
        grid.setColumnStretch(column, stretch)
    for row, cells in enumerate((("", "installed", "draft"), *rows)):
        for column, text in enumerate(cells):
            grid.addWidget(label(text, "" if row else "muted", wrap=True), row, column)
    return figures
