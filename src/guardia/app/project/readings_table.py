"""Readings as a table, in and out: those of cameras and of stores, by their names."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from guardia.app.camera.undo import step_text
from guardia.app.project.session import Session
from guardia.app.work.messages import Severity
from guardia.core.base.errors import GuardiaError
from guardia.core.base.words import count_of
from guardia.core.storage.readings import Reading
from guardia.formats.plain import save_file
from guardia.formats.readings import read_readings
from guardia.report.tables import Row, table_file

MOST_TOLD = 6


def read_in(session: Session, path: Path) -> int:
    """Take the readings of a table into an open project; one step of undo.

    Args:
        session: The open project.
        path: The table.

    Returns:
        How many were taken; what could not be is told by its line.
    """
    try:
        found, skipped = read_readings(path, session.time_zone)
    except GuardiaError as error:
        session.messages.tell_error(error)
        return 0
    cameras = {camera.name: camera.id for camera in session.cameras.all().values()}
    stores = {f.store.name: f.id for f in session.storage.stores}
    of_camera: dict[str, list[Reading]] = {}
    of_store: dict[str, list[Reading]] = {}
    for name, reading in found:
        if name in cameras:
            of_camera.setdefault(name, []).append(reading)
        elif name in stores:
            of_store.setdefault(name, []).append(reading)
        else:
            skipped.append(f"'{name}' is no camera and no store of this site: its readings were left out.")
    taken = sum(map(len, (*of_camera.values(), *of_store.values())))
    session.undo.beginMacro(step_text("", f"read in {count_of(taken, 'reading')}"))
    for name, readings in of_camera.items():
        facts = session.camera(cameras[name]).facts
        facts.set_readings(sorted({*facts.readings(), *readings}, key=lambda r: (r.at_s, r.what)), "read in")
    for name, readings in of_store.items():
        session.storage.add_readings(stores[name], readings)
    session.undo.endMacro()
    notes = list(dict.fromkeys(skipped))
    more = f" And {len(notes) - MOST_TOLD} more." if len(notes) > MOST_TOLD else ""
    words = f"{count_of(taken, 'reading')} imported from {path.name}."
    session.messages.tell(" ".join([words, *notes[:MOST_TOLD]]) + more, Severity.WARNING if notes else Severity.INFO)
    return taken


def save_readings(session: Session, path: Path) -> None:
    """Save what was read off all cameras and stores as a table, in the form in which it is taken in."""

    def rows(of: str, readings: Iterable[Reading]) -> list[Row]:
        when = session.local_time
        return [
            {"of": of, "when": when(r.at_s).isoformat(), "what": r.what.value, "value": r.shown or r.value}
            for r in readings
        ]

    def save(of_camera: dict[int, list[Row]]) -> None:
        of_stores = [row for f in session.storage.stores for row in rows(f.store.name, f.readings)]
        table = [*(row for part in of_camera.values() for row in part), *of_stores]
        if not table:
            session.messages.tell("Nothing was read off any camera or store yet, so no table was made.")
            return
        try:
            save_file(path, table_file(path, table), "The table")
        except GuardiaError as error:
            session.messages.tell_error(error)
            return
        session.messages.tell(f"{count_of(len(table), 'reading')} saved to {path}.")

    session.cameras.read_each("Readings as a table", lambda m: rows(m.camera.name, m.facts.readings()), save)
