"""What the menu does with projects: open one, make one, add a camera, save tables; asks where it must."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtWidgets import QFileDialog, QInputDialog, QMessageBox, QWidget

from guardia.app.project.session import Session
from guardia.app.site.exports import Exports, ReportPictures
from guardia.app.work.engine import Cluster
from guardia.app.work.messages import MessageHub
from guardia.core.base.errors import GuardiaError
from guardia.core.base.words import count_of
from guardia.ui.shell import dialogs


def choose_project(parent: QWidget) -> Path | None:
    """Ask for a project's folder."""
    name = QFileDialog.getExistingDirectory(parent, "Open a project's folder")
    return Path(name) if name else None


def choose_clips(parent: QWidget) -> Path | None:
    """Ask for a folder of clips."""
    name = QFileDialog.getExistingDirectory(parent, "A folder of clips")
    return Path(name) if name else None


def make_project(parent: QWidget, above: Path) -> Path | None:
    """Ask for a site and a folder and make a project there."""
    return dialogs.ask_new_project(parent, above, Session.create)


def correct_site(parent: QWidget, session: Session) -> None:
    """Ask for another name or time zone of the site."""
    site = session.site
    where = (site.latitude, site.longitude)
    dialogs.ask_site(parent, site.name, site.time_zone, where, site.people, session.set_site)


def save_list(parent: QWidget, session: Session) -> None:
    """Ask for a file and save all occurrences there."""
    name, _ = QFileDialog.getSaveFileName(
        parent, "Save occurrences", "occurrences.csv", "CSV (*.csv);;JSON Lines (*.jsonl);;XLSX (*.xlsx)"
    )
    if name:
        Exports(session).save_occurrences(name)


def save_report(parent: QWidget, session: Session) -> None:
    """Ask for a file and save a report for the owner of the site there."""
    pictures = _ask_pictures(parent, "Save report")
    if pictures is None:
        return
    name, _ = QFileDialog.getSaveFileName(parent, "Save report", "report.pdf", "PDF (*.pdf)")
    if name:
        Exports(session).save_report(name, pictures)


def print_report(parent: QWidget, session: Session) -> None:
    """Show that report as it will be printed."""
    from guardia.ui.parts.print_preview import preview  # slow to import, and needed only here

    pictures = _ask_pictures(parent, "Print report")
    if pictures is not None:
        Exports(session).report_paper(pictures, partial(preview, parent, session.messages))


def _ask_pictures(parent: QWidget, title: str) -> ReportPictures | None:
    choices = [one.value for one in ReportPictures]
    text = "Clips show people. The report may hold, of each camera:"
    chosen, wanted = QInputDialog.getItem(parent, title, text, choices, 0, editable=False)
    return ReportPictures(chosen) if wanted else None


def save_sheets(parent: QWidget, session: Session) -> None:
    """Ask for a folder and save the settings sheets of all cameras there."""
    name = QFileDialog.getExistingDirectory(parent, "Save all sheets in a folder")
    if name:
        Exports(session).save_sheets(Path(name))


def join_found(session: Session) -> None:
    """Join every visit that was counted repeatedly and say how many there were."""
    count = session.occurrences.join_found()
    session.messages.tell(
        f"Joined {count_of(count, 'visit')} counted as several occurrences; Undo takes it back."
        if count
        else "No real visit is counted twice."
    )


def ask_to_measure_again(parent: QWidget, session: Session) -> QMessageBox:
    """A project of an older version of the motion model is measured again when its user agrees."""
    question = QMessageBox(
        QMessageBox.Icon.Question,
        "Measure again?",
        f"{count_of(session.intake.outdated(), 'clip')} of this project should be measured again: an older version of "
        "the motion model measured them, or what was measured is damaged. Measure them now? Until then, figures are "
        "shown as they are. Judgements, zones and settings are kept; the old figures are shown beside the new ones.",
        QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.No,
        parent,
    )
    question.accepted.connect(session.intake.measure_again)
    question.rejected.connect(session.intake.go_on_measuring)
    question.open()
    return question


def ask_cluster(parent: QWidget, known: str, messages: MessageHub) -> str | None:
    """Ask for the address of a scheduler that measures; None when it is not wanted, or is no address."""
    words = "Address of a dask scheduler, such as tcp://name:8786; empty: clips are measured on this machine.\n"
    words += "Clips show people: they are sent there to be measured."
    address, wanted = QInputDialog.getText(parent, "Measure on a cluster", words, text=known)
    try:
        if wanted and address.strip():
            Cluster(address.strip())
    except GuardiaError as error:
        messages.tell_error(error)
        return None
    return address.strip() if wanted else None
