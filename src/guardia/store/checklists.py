"""What was ticked on the commissioning lists of a project's cameras."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from guardia.store.database import Database


@dataclass(frozen=True)
class Checked:
    """What somebody said of an item.

    Parameters
    ----------
    state
        Done, not done, does not apply.
    who
        Who said so.
    at_s
        When, POSIX seconds.
    """

    state: str
    who: str
    at_s: float


class Checklists:
    """Ticked items by camera.

    Parameters
    ----------
    database
        The project's.
    """

    def __init__(self, database: Database) -> None:
        self._db = database

    def of(self, camera_id: int) -> dict[str, Checked]:
        """By the item's id."""
        rows = self._db.rows("SELECT item, state, who, at_s FROM checked WHERE camera_id = ?", (camera_id,))
        return {r["item"]: Checked(r["state"], r["who"], r["at_s"]) for r in rows}

    def set_all(self, camera_id: int, checked: Mapping[str, Checked]) -> None:
        """Keep what was ticked of a camera."""
        with self._db.transaction():
            self._db.run("DELETE FROM checked WHERE camera_id = ?", (camera_id,))
            for item, one in checked.items():
                self._db.run(
                    "INSERT INTO checked (camera_id, item, state, who, at_s) VALUES (?, ?, ?, ?, ?)",
                    (camera_id, item, one.state, one.who, one.at_s),
                )
