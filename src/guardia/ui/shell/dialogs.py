"""The small dialogs: questions for a few values, and texts to read."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from datetime import UTC, datetime
from html import escape
from pathlib import Path
from typing import Any
from zoneinfo import available_timezones

from PyQt6.QtCore import QDateTime, QTimeZone
from PyQt6.QtGui import QUndoStack
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDateTimeEdit,
    QDialog,
    QDialogButtonBox,
    QDoubleSpinBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QTextBrowser,
    QUndoView,
    QVBoxLayout,
    QWidget,
)

from guardia import __version__
from guardia.app.steps.actions import ACTIONS
from guardia.app.work.messages import Message
from guardia.core.base.errors import GuardiaError
from guardia.core.evidence.clips import Cause, Clip
from guardia.core.evidence.clock import error_words
from guardia.core.purpose.judgement import KINDS
from guardia.formats.plain import whole_path
from guardia.report.sheet import CAUTIONS
from guardia.ui.parts.make_list import MakeList
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import button, choice, dated, dialog_ends, label
from guardia.ui.shell.my_camera import MyCamera


class AskDialog(QDialog):
    """A question whose answer is tried before the dialog closes: what is wrong with it is said in it, and all stays."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.attempt: Callable[[], object] = lambda: None
        self.problem = label("", "warning", wrap=True)
        self.problem.hide()

    def accept(self) -> None:
        """Close where the answer can be used."""
        try:
            self.attempt()
        except GuardiaError as error:
            self.problem.setText(str(error))
            self.problem.show()
            return
        super().accept()


def _form(parent: QWidget, title: str) -> tuple[AskDialog, QFormLayout]:
    dialog = AskDialog(parent)
    dialog.setWindowTitle(title)
    dialog.setMinimumWidth(THEME.px(420))
    outer = QVBoxLayout(dialog)
    form = QFormLayout()
    outer.addLayout(form)
    return dialog, form


def _accepted(
    dialog: AskDialog, fits: Callable[[], bool] = lambda: True, attempt: Callable[[], object] = lambda: None
) -> bool:
    """Add the buttons behind the fields, so that the keys begin in the first field, and ask.

    Args:
        dialog: With its fields.
        fits: OK works while this holds.
        attempt: Uses the answer; where it raises GuardiaError, the dialog says so and stays.

    Returns:
        Whether the answer was given and used.
    """
    dialog.attempt = attempt
    buttons = dialog_ends(dialog)
    layout, ok = dialog.layout(), buttons.button(QDialogButtonBox.StandardButton.Ok)
    if layout is not None:
        layout.addWidget(dialog.problem)
        layout.addWidget(buttons)
    for line in dialog.findChildren(QLineEdit):
        if ok is not None:
            line.textChanged.connect(lambda: ok.setEnabled(fits()))
            ok.setEnabled(fits())
    for makes in dialog.findChildren(MakeList):
        if ok is not None:
            makes.changed.connect(lambda: ok.setEnabled(fits()))
            ok.setEnabled(fits())
    first = next(iter(dialog.findChildren(QLineEdit)), None)
    if first is not None:
        first.setFocus()
    return dialog.exec() == QDialog.DialogCode.Accepted


def _zones(chosen: str) -> QComboBox:
    """The time zones of the world, to be typed or chosen."""
    zone = QComboBox()
    zone.setEditable(True)
    zone.addItems(sorted(available_timezones()))
    zone.setCurrentText(chosen)
    return zone


def ask_new_project(parent: QWidget, above: Path, make: Callable[[Path, str, str], object]) -> Path | None:
    """Ask for a new project's folder, at first one in `above`, its site and time zone, and make it with `make`.

    Gives the folder, None where it is not wanted.
    """
    dialog, form = _form(parent, "New project")
    name = QLineEdit()
    name.setPlaceholderText("Site, for example a yard or a shop")
    here = bytes(QTimeZone.systemTimeZoneId().data()).decode()
    zone = _zones(here if here in available_timezones() else "UTC")
    folder = QLineEdit()
    row = QHBoxLayout()
    row.addWidget(folder, 1)

    def choose() -> None:
        if chosen := QFileDialog.getExistingDirectory(dialog, "Folder in which the project's own folder is made"):
            folder.setText(str(Path(chosen) / folder_name(name.text())))
            folder.setModified(True)

    def suggest() -> None:
        if not folder.isModified():
            folder.setText(str(above / folder_name(name.text())))

    row.addWidget(button("Choose…", choose))
    name.textChanged.connect(suggest)
    suggest()
    form.addRow("Site", name)
    form.addRow("Time zone", zone)
    form.addRow("Folder", row)
    form.addRow("", label("Made for this project alone; clips are copied there. Nothing leaves this machine.", "muted"))

    def chosen() -> Path:
        return whole_path(folder.text())

    fits = _accepted(
        dialog,
        lambda: any(c.isalnum() for c in name.text()) and bool(folder.text().strip()),
        lambda: make(chosen(), name.text().strip(), zone.currentText().strip()),
    )
    return chosen() if fits else None


def ask_site(
    parent: QWidget,
    name: str,
    time_zone: str,
    where: tuple[float | None, float | None],
    people: str,
    keep: Callable[[str, str, tuple[float | None, float | None], str], object],
) -> None:
    """Ask for a site's name, time zone, place (latitude and longitude) and people, and keep them with `keep`."""
    dialog, form = _form(parent, "Site")
    field, zone = QLineEdit(name), _zones(time_zone)
    known = QCheckBox("known, for hours that follow the sun")
    known.setChecked(where[0] is not None)
    degrees = []
    form.addRow("Site", field)
    form.addRow("Time zone", zone)
    form.addRow("Where it lies", known)
    for words, most, value in (("Latitude (north)", 90.0, where[0]), ("Longitude (east)", 180.0, where[1])):
        box = QDoubleSpinBox()
        box.setRange(-most, most)
        box.setDecimals(3)
        box.setSuffix(" °")
        box.setValue(value or 0.0)
        box.setEnabled(known.isChecked())
        known.toggled.connect(box.setEnabled)
        form.addRow(words, box)
        degrees.append(box)
    expected = QLineEdit(people)
    expected.setPlaceholderText("such as: two in the workshop, weekdays from 8; a cleaner on Fridays")
    form.addRow("Who lives or works there", expected)

    def attempt() -> None:
        place = (degrees[0].value(), degrees[1].value()) if known.isChecked() else (None, None)
        keep(field.text().strip(), zone.currentText().strip(), place, expected.text().strip())

    _accepted(dialog, lambda: bool(field.text()), attempt)


def ask_new_camera(
    parent: QWidget, others: Mapping[str, Mapping[str, Any]], add: Callable[[str, dict[str, Any]], int]
) -> int | None:
    """Ask for a camera's name and make (its JSON form), and add it.

    Args:
        parent: The window.
        others: Makes of the cameras that are there, by name.
        add: Adds it, and gives its number.

    Returns:
        The number of the camera; None when it is not wanted.
    """
    dialog, form = _form(parent, "Add camera")
    name = QLineEdit()
    name.setPlaceholderText("Named after its place")
    makes = MakeList(others=others)
    _let_describe(makes)
    form.addRow("Name", name)
    form.addRow("Make", makes)
    added: list[int] = []

    def attempt() -> None:
        if (make := makes.make()) is not None:
            added.append(add(name.text().strip(), make))

    _accepted(dialog, lambda: bool(name.text().strip()) and makes.make() is not None, attempt)
    return added[0] if added else None


def _let_describe(makes: MakeList) -> None:
    """Offer the questions by which a make that is not in the list is described."""

    def describe() -> None:
        wizard = MyCamera(makes)
        if wizard.exec() == QDialog.DialogCode.Accepted and wizard.make is not None:
            makes.add(wizard.make)
            makes.list.setFocus()  # Enter takes it

    tip = "It is not in the list: answer some questions from its menus"
    ask = button("&My camera …", describe, "primary", tip)
    ask.setAutoDefault(False)
    makes.below.insertWidget(0, ask)


def ask_make(parent: QWidget, present: Mapping[str, Any]) -> dict[str, Any] | None:
    """Ask of which make a camera is; None when it is not wanted."""
    dialog, form = _form(parent, "Make of the camera")
    makes = MakeList(present)
    _let_describe(makes)
    form.addRow(
        label("Its settings become the nearest that the make chosen here offers. Undo takes it back.", wrap=True)
    )
    form.addRow("Make", makes)
    return makes.make() if _accepted(dialog) else None


def ask_name(parent: QWidget, name: str, keep: Callable[[str], object]) -> None:
    """Ask for another name of a camera, and keep it with `keep`."""
    dialog, form = _form(parent, "Rename camera")
    field = QLineEdit(name)
    form.addRow("Name", field)
    _accepted(dialog, lambda: bool(field.text().strip()), lambda: keep(field.text().strip()))


def ask_start(parent: QWidget, start: datetime, source: str, time_zone: str) -> datetime | None:
    """Ask when a clip began; `start` is in the site's time and so is the answer, None when it is not wanted."""
    dialog, form = _form(parent, "Give start of clip")
    before = f"{start:%Y-%m-%d %H:%M:%S}"
    field = QLineEdit(before)
    form.addRow(f"Start ({time_zone})", field)
    form.addRow("", label(f"Known so far by: {source}. Write it like 2026-09-11 08:11:05.", "muted", wrap=True))

    def entered() -> datetime | None:
        try:
            typed = datetime.fromisoformat(field.text().strip())
            if typed.tzinfo is not None:  # with its own shift from UTC
                return typed.astimezone(start.tzinfo)
            return typed.replace(tzinfo=start.tzinfo, fold=start.fold)
        except ValueError:
            return None

    return entered() if _accepted(dialog, lambda: entered() is not None) and field.text() != before else None


def ask_clock_error(parent: QWidget, camera: str, error_s: float) -> float | None:
    """Ask how wrong a camera's clock is, by reading it beside a right one at the same moment.

    Gives seconds, positive when it is fast; None when it is not wanted.
    """
    dialog, form = _form(parent, "Clock of the camera")
    shown, right = dated(QDateTimeEdit()), dated(QDateTimeEdit())
    now = QDateTime.fromSecsSinceEpoch(round(datetime.now(UTC).timestamp()), QTimeZone.utc())
    for field, name in ((shown, "shown"), (right, "right")):
        field.setObjectName(name)
        field.setTimeZone(QTimeZone.utc())
        field.setDisplayFormat("yyyy-MM-dd HH:mm:ss")
    right.setDateTime(now)
    shown.setDateTime(now.addSecs(round(error_s)))
    effect = label("", "head", wrap=True)

    def difference() -> float:
        return float(right.dateTime().secsTo(shown.dateTime()))

    def tell() -> None:
        words = error_words(difference())
        effect.setText(f"The clock is {words}." if words else "The clock is right.")

    for field in (shown, right):
        field.dateTimeChanged.connect(tell)
    tell()
    form.addRow(label(f"Read the clock in the picture of '{camera}' and a right clock at the same moment.", wrap=True))
    form.addRow("The picture's clock shows", shown)
    form.addRow("It really is", right)
    form.addRow("", effect)
    form.addRow("", label("Times of clips whose start was given by hand stay as they are.", "muted", wrap=True))
    return difference() if _accepted(dialog) else None


def ask_cause(parent: QWidget, clips: Sequence[Clip]) -> str | None:
    """Ask why the camera recorded some clips; '' goes by its list, None is not wanted."""
    dialog, form = _form(parent, "Why it recorded")
    box = choice(
        [("as the camera's event list says, else motion", ""), *((cause.value, cause.value) for cause in Cause)],
        clips[0].cause.value,
    )
    form.addRow("Cause" if len(clips) == 1 else f"Cause of {len(clips)} clips", box)
    form.addRow(
        "",
        label("Clips of another cause, or of one that is not known, count among the alerts alone.", "muted", wrap=True),
    )
    box.setFocus()
    return str(box.currentData()) if _accepted(dialog) else None


def folder_name(site: str) -> str:
    """A folder's name from a site's."""
    return "".join(c if c.isalnum() else "-" for c in site.lower()).strip("-")[:60]


def keys_html() -> str:
    """Every shortcut as a table."""
    rows = [(a.keys, a.text, a.help) for a in ACTIONS if a.keys]
    rows += [(k.key, f"judge: {k.text}", "In Evidence, for everything selected.") for k in KINDS]
    rows += [
        ("Backspace", "take a judgement back", "In Evidence and Similar."),
        (
            "Space",
            "play what is selected",
            "In Evidence and Similar; then Space pauses, arrows step, M: to the motion.",
        ),
        ("Enter", "do the next thing", "In Similar as suggested, in Evidence play, in a list open what is selected."),
        ("Esc", "leave", "Closes a dialog or the player, drops a shape begun, in Evidence shows all again."),
        ("Arrows", "nudge corner or zone", "In Zones; with Shift ten times as far."),
        ("Del", "delete corner or zone", "In Zones."),
        ("Ctrl+C, Ctrl+V", "copy and paste a zone", "In Zones, from camera to camera as well."),
        ("Enter, Esc", "close or drop the shape being drawn", "In Zones; Enter alone puts one in the middle."),
        ("Page Down, Page Up", "next or former corner", "In Zones; arrows then move it."),
        ("H", "hide or show the marks", "In Zones."),
    ]
    lines = "".join(
        f"<tr><td><b>{escape(keys)}</b>&nbsp;&nbsp;</td><td>{escape(text)}&nbsp;&nbsp;</td><td>{escape(what)}</td></tr>"
        for keys, text, what in rows
    )
    return f"<table cellpadding='3'>{lines}</table>"


def about_html() -> str:
    """Version, licence and cautions."""
    cautions = "".join(f"<li>{escape(c)}</li>" for c in CAUTIONS)
    return (
        f"<h3>Guardia {__version__}</h3><p>A settings bench for installed surveillance cameras. Free software under "
        "the GNU General Public License, version 3 or later; it comes without any warranty.</p>"
        f"<ul>{cautions}</ul>"
    )


def messages_html(messages: Sequence[Message]) -> str:
    """What was told, the latest first."""
    parts = [f"<p>{escape(one.text).replace(chr(10), '<br>')}</p>" for one in reversed(messages)]
    return "<hr>".join(parts) or "<p>No messages since the project was opened.</p>"


def show_text(parent: QWidget, title: str, html: str) -> None:
    """Show a text to read."""
    dialog = QDialog(parent)
    dialog.setWindowTitle(title)
    dialog.resize(680, 560)
    layout = QVBoxLayout(dialog)
    text = QTextBrowser()
    text.setHtml(html)
    layout.addWidget(text)
    dialog.open()


def show_history(parent: QWidget, undo: QUndoStack) -> None:
    """Show every change; a click goes back or forward to it."""
    dialog = QDialog(parent)
    dialog.setWindowTitle("History")
    dialog.resize(420, 480)
    layout = QVBoxLayout(dialog)
    view = QUndoView(undo)
    view.setEmptyLabel("As it was opened")
    layout.addWidget(view)
    dialog.open()
