"""What was read off cameras and stores, and what was typed in of them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from guardia.core.base.errors import InvalidValue
from guardia.core.storage.readings import Measure, Reading
from guardia.store.database import Database


class Readings:
    """Readings over time and facts, by camera or by store.

    Parameters
    ----------
    database
        The project's.
    damage
        Where it is put what was found damaged and set aside, in sentences.
    """

    def __init__(self, database: Database, damage: list[str]) -> None:
        self._db, self._damage = database, damage

    def of_camera(self, camera_id: int) -> tuple[Reading, ...]:
        """Readings of a camera in order of time."""
        return self._of("camera_id", camera_id)

    def of_store(self, store_id: int) -> tuple[Reading, ...]:
        """Readings of a store in order of time."""
        return self._of("store_id", store_id)

    def _of(self, column: str, number: int) -> tuple[Reading, ...]:
        readings = []
        for row in self._db.rows(
            f"SELECT at_s, what, value FROM reading WHERE {column} = ? ORDER BY at_s, id", (number,)
        ):
            try:
                readings.append(Reading(row["at_s"], Measure(row["what"]), row["value"]))
            except (InvalidValue, ValueError, TypeError) as error:
                self._damage.append(f"A reading is set aside: what is kept of it is damaged ({error}).")
        return tuple(readings)

    def set_of_camera(self, camera_id: int, readings: Sequence[Reading]) -> None:
        """Keep the readings of a camera."""
        self._set("camera_id", camera_id, readings)

    def set_of_store(self, store_id: int, readings: Sequence[Reading]) -> None:
        """Keep the readings of a store."""
        self._set("store_id", store_id, readings)

    def _set(self, column: str, number: int, readings: Sequence[Reading]) -> None:
        with self._db.transaction():
            self._db.run(f"DELETE FROM reading WHERE {column} = ?", (number,))
            for one in readings:
                self._db.run(
                    f"INSERT INTO reading ({column}, at_s, what, value) VALUES (?, ?, ?, ?)",
                    (number, one.at_s, one.what.value, one.value),
                )

    def facts(self, camera_id: int | None) -> dict[str, float]:
        """What was typed in of a camera, or of the site (None), by the name of the fact."""
        rows = self._db.rows("SELECT name, value FROM fact WHERE camera_id IS ? ORDER BY id", (camera_id,))
        return {r["name"]: float(r["value"]) for r in rows}

    def set_facts(self, camera_id: int | None, facts: Mapping[str, float]) -> None:
        """Keep what was typed in of a camera, or of the site (None)."""
        with self._db.transaction():
            self._db.run("DELETE FROM fact WHERE camera_id IS ?", (camera_id,))
            for name, value in facts.items():
                self._db.run("INSERT INTO fact (camera_id, name, value) VALUES (?, ?, ?)", (camera_id, name, value))
