"""The logbook: what was done to the cameras."""

from __future__ import annotations

import time
from dataclasses import dataclass

from guardia.core.base.values import moment
from guardia.store.database import Database
from guardia.store.rows import Damaged, read_each


@dataclass(frozen=True)
class LogEntry:
    """One entry of the logbook."""

    id: int
    """Its number."""
    at_s: float
    """When it was entered, POSIX seconds."""
    what: str
    """What was done."""
    detail: str
    """The note with it."""


class Logbook:
    """Entries about a project's cameras.

    Args:
        database: The project's.
        damage: Where it is put what was found damaged and set aside.
    """

    def __init__(self, database: Database, damage: list[Damaged | str]) -> None:
        self._db, self._damage = database, damage

    def add(self, camera_id: int | None, what: str, detail: str = "", *, at_s: float | None = None) -> int:
        """Enter what was done, for all cameras when None, just now if no moment is given; gives the entry's number."""
        return self._db.run(
            "INSERT INTO logbook (at_s, camera_id, what, detail) VALUES (?, ?, ?, ?)",
            (time.time() if at_s is None else moment(at_s), camera_id, what, detail),
        )

    def of(self, camera_id: int) -> list[LogEntry]:
        """The entries of a camera, newest first."""
        rows = self._db.rows(
            "SELECT id, at_s, what, detail FROM logbook WHERE camera_id = ? AND NOT gone ORDER BY id DESC", (camera_id,)
        )
        entries = read_each(
            rows, lambda row: LogEntry(row["id"], moment(row["at_s"]), str(row["what"]), str(row["detail"])),
            "logbook", self._damage,
        )  # fmt: skip
        return list(entries.values())

    def correct(self, entry_id: int, detail: str, *, gone: bool = False) -> None:
        """Give an entry another note, or put it away; what it says was done stays."""
        with self._db.transaction():
            self._db.run("UPDATE logbook SET detail = ?, gone = ? WHERE id = ?", (detail, gone, entry_id))
