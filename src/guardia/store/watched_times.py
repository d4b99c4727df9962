"""When the cameras of a project were watched: entered, or by event lists."""

from __future__ import annotations

from collections.abc import Sequence

from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.watch import Entered, Span
from guardia.store.database import Database


class WatchedTimes:
    """Watched time of a project's cameras.

    Parameters
    ----------
    database
        The project's.
    """

    def __init__(self, database: Database) -> None:
        self._db = database

    def entered(self, camera_id: int) -> tuple[Entered, ...]:
        """Spans that were entered, in order of time."""
        rows = self._db.rows(
            "SELECT from_s, to_s, up FROM watched WHERE camera_id = ? ORDER BY from_s, id", (camera_id,)
        )
        return tuple(Entered(r["from_s"], r["to_s"], bool(r["up"])) for r in rows)

    def set_entered(self, camera_id: int, spans: Sequence[Entered]) -> None:
        """Keep the spans that were entered.

        Parameters
        ----------
        camera_id
            The camera.
        spans
            In any order.

        Raises
        ------
        InvalidValue
            If one does not end after it begins.
        """
        if any(not s.to_s > s.from_s for s in spans):
            raise InvalidValue("A watched time must end after it begins.", kept="Nothing was changed.")
        with self._db.transaction():
            self._db.run("DELETE FROM watched WHERE camera_id = ?", (camera_id,))
            for span in spans:
                self._db.run(
                    "INSERT INTO watched (camera_id, from_s, to_s, up) VALUES (?, ?, ?, ?)", (camera_id, *span)
                )

    def listed(self, camera_id: int) -> tuple[Span, ...]:
        """From the first entry to the last of each event list that has two at least, the clock's error taken off."""
        rows = self._db.rows(
            "SELECT min(e.shown_s) - k.clock_error_s AS low, max(e.shown_s) - k.clock_error_s AS high "
            "FROM event e JOIN camera k ON k.id = e.camera_id WHERE e.camera_id = ? GROUP BY e.source "
            "HAVING count(*) > 1",
            (camera_id,),
        )
        return tuple((r["low"], r["high"]) for r in rows)
