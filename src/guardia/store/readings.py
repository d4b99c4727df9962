"""What was read off cameras and stores, and what was typed in of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from guardia.core.base.values import number, plain_text
from guardia.core.storage.readings import Measure, Reading
from guardia.store.database import Database
from guardia.store.rows import Damaged, keep_rows, read_each

MOST = 1e12
"""No number that somebody may know of a camera is larger."""


class Readings:
    """Readings over time and facts, by camera or by store.

    Args:
        database: The project's.
        damage: Where it is put what was found damaged and set aside.
    """

    def __init__(self, database: Database, damage: list[Damaged | str]) -> None:
        self._db, self._damage = database, damage

    def of_camera(self, camera_id: int) -> tuple[Reading, ...]:
        """Readings of a camera in order of time."""
        return tuple(self._of("camera_id", camera_id).values())

    def of_store(self, store_id: int) -> tuple[Reading, ...]:
        """Readings of a store in order of time."""
        return tuple(self._of("store_id", store_id).values())

    def _of(self, column: str, number: int) -> dict[int, Reading]:
        rows = self._db.rows(
            f"SELECT id, at_s, what, value, shown FROM reading WHERE {column} = ? ORDER BY at_s, id", (number,)
        )
        return read_each(
            rows, lambda r: Reading(r["at_s"], Measure(r["what"]), r["value"], plain_text(r["shown"], "A reading")),
            "reading", self._damage,
        )  # fmt: skip

    def set_of_camera(self, camera_id: int, readings: Sequence[Reading]) -> None:
        """Keep the readings of a camera."""
        self._set("camera_id", camera_id, readings)

    def set_of_store(self, store_id: int, readings: Sequence[Reading]) -> None:
        """Keep the readings of a store."""
        self._set("store_id", store_id, readings)

    def _set(self, column: str, number: int, readings: Sequence[Reading]) -> None:
        with self._db.transaction():
            keep_rows(
                self._db, "reading", self._of(column, number), readings,
                lambda r: {column: number, "at_s": r.at_s, "what": r.what.value, "value": r.value, "shown": r.shown},
            )  # fmt: skip

    def facts(self, camera_id: int | None) -> dict[str, float]:
        """What was typed in of a camera, or of the site (None), by the name of the fact."""
        return dict(self._facts(camera_id).values())

    def _facts(self, camera_id: int | None) -> dict[int, tuple[str, float]]:
        rows = self._db.rows("SELECT id, name, value FROM fact WHERE camera_id IS ? ORDER BY id", (camera_id,))
        return read_each(
            rows, lambda r: (str(r["name"]), number(r["value"], -MOST, MOST, r["name"])), "fact", self._damage
        )

    def set_facts(self, camera_id: int | None, facts: Mapping[str, float]) -> None:
        """Keep what was typed in of a camera, or of the site (None)."""
        with self._db.transaction():
            keep_rows(
                self._db, "fact", self._facts(camera_id), list(facts.items()),
                lambda fact: {"camera_id": camera_id, "name": fact[0], "value": fact[1]},
            )  # fmt: skip
