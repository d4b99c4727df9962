"""When the cameras of a project were watched: entered, or by event lists."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress

from guardia.core.base.errors import InvalidValue
from guardia.core.base.values import moment
from guardia.core.evidence.watch import Entered, Span
from guardia.store.database import Database
from guardia.store.rows import Damaged, keep_rows, read_each


class WatchedTimes:
    """Watched time of a project's cameras.

    Args:
        database: The project's.
        damage: Where it is put what was found damaged and set aside.
    """

    def __init__(self, database: Database, damage: list[Damaged | str]) -> None:
        self._db, self._damage = database, damage

    def entered(self, camera_id: int) -> tuple[Entered, ...]:
        """Spans that were entered, in order of time."""
        return tuple(self._entered(camera_id).values())

    def _entered(self, camera_id: int) -> dict[int, Entered]:
        rows = self._db.rows(
            "SELECT id, from_s, to_s, up FROM watched WHERE camera_id = ? ORDER BY from_s, id", (camera_id,)
        )
        return read_each(
            rows, lambda r: _sound(Entered(r["from_s"], r["to_s"], bool(r["up"]))), "watched", self._damage
        )

    def set_entered(self, camera_id: int, spans: Sequence[Entered]) -> None:
        """Keep the spans that were entered.

        Args:
            camera_id: The camera.
            spans: In any order.

        Raises:
            InvalidValue: If one does not end after it begins, or has a date that no camera can have.
        """
        sound = [_sound(span) for span in spans]
        with self._db.transaction():
            keep_rows(
                self._db, "watched", self._entered(camera_id), sound,
                lambda span: {"camera_id": camera_id, **span._asdict()},
            )  # fmt: skip

    def listed(self, camera_id: int) -> tuple[Span, ...]:
        """From the first entry to the last of each event list that has two at least, the clock's error taken off."""
        rows = self._db.rows(
            "SELECT min(e.shown_s) - k.clock_error_s AS low, max(e.shown_s) - k.clock_error_s AS high "
            "FROM event e JOIN camera k ON k.id = e.camera_id WHERE e.camera_id = ? GROUP BY e.source "
            "HAVING count(*) > 1",
            (camera_id,),
        )
        spans = []
        for row in rows:
            with suppress(InvalidValue):  # a list with such an entry says nothing of when the camera was up
                spans.append((moment(row["low"]), moment(row["high"])))
        return tuple(spans)


def _sound(span: Entered) -> Entered:
    """The span, if it can be one; raises InvalidValue otherwise."""
    if not moment(span.to_s) > moment(span.from_s):
        raise InvalidValue("The time covered must end after it begins.", kept="Nothing was changed.")
    return span
