"""The logbook: what was done to the cameras."""

from __future__ import annotations

import time

from guardia.store.database import Database


class Logbook:
    """Entries about a project's cameras.

    Parameters
    ----------
    database
        The project's.
    """

    def __init__(self, database: Database) -> None:
        self._db = database

    def add(self, camera_id: int | None, what: str, detail: str = "") -> None:
        """Enter what was done just now; for all cameras when None."""
        self._db.run(
            "INSERT INTO logbook (at_s, camera_id, what, detail) VALUES (?, ?, ?, ?)",
            (time.time(), camera_id, what, detail),
        )

    def of(self, camera_id: int) -> list[tuple[float, str, str]]:
        """(POSIX seconds, what, detail) of a camera, newest first."""
        rows = self._db.rows(
            "SELECT at_s, what, detail FROM logbook WHERE camera_id = ? ORDER BY id DESC", (camera_id,)
        )
        return [(row["at_s"], row["what"], row["detail"]) for row in rows]
