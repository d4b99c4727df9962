"""What a site has besides cameras and stores: units that cameras hang on, dates by hand, walks, purposes, summaries."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from pydantic import TypeAdapter

from guardia.core.base.errors import InvalidValue
from guardia.core.base.files import read_as
from guardia.core.evidence.walked import Walked
from guardia.core.purpose.purpose import Asked, purpose_from_dict, purpose_to_dict
from guardia.core.storage.units import Hung, Unit
from guardia.store.database import Database
from guardia.store.rows import WHAT, Damaged, body_of, keep_rows, put_body, read_each

OF_CAMERA = ("camera_unit", "task", "walk", "purpose", "summary")
"""Tables here whose rows belong to a camera."""

FIRST_YEAR, LAST_YEAR = 1970, 2099
_UNIT = TypeAdapter(Unit)
_WALKED = TypeAdapter(Walked)


@dataclass(frozen=True)
class Task:
    """A date entered by hand or taken from a calendar."""

    camera_id: int | None
    """The camera, None for the site."""
    on: date
    """By when."""
    what: str
    """What is to be done."""

    def __post_init__(self) -> None:
        if not FIRST_YEAR <= self.on.year <= LAST_YEAR:
            raise InvalidValue(f"A date to come cannot be {self.on}.", do=f"Use a year up to {LAST_YEAR}.")


class SiteThings:
    """Units, tasks, walks, purposes and summaries of a project.

    Args:
        database: The project's.
        damage: Where it is put what was found damaged and set aside.
    """

    def __init__(self, database: Database, damage: list[Damaged | str]) -> None:
        self._db, self._damage = database, damage

    def units(self) -> tuple[Hung, ...]:
        """All units in the order in which they were entered, with the cameras that are there."""
        connected: dict[int, list[int]] = {}
        there = "SELECT unit_id, camera_id FROM camera_unit JOIN camera k ON k.id = camera_id AND NOT k.gone"
        for row in self._db.rows(f"{there} ORDER BY camera_id"):
            connected.setdefault(row["unit_id"], []).append(row["camera_id"])
        units = read_each(
            self._db.rows("SELECT id, body FROM unit ORDER BY id"),
            lambda row: read_as(_UNIT, json.loads(row["body"]), WHAT["unit"]), "unit", self._damage,
        )  # fmt: skip
        return tuple(Hung(number, unit, tuple(connected.get(number, ()))) for number, unit in units.items())

    def set_units(self, units: Sequence[Hung]) -> None:
        """Keep all units with their cameras; those with the number 0 are new. Raises InvalidValue for a name twice."""
        names = [h.unit.name for h in units]
        if len({*names}) < len(names):
            raise InvalidValue("Two of them cannot have one name.", kept="Nothing was changed.")
        with self._db.transaction():
            before, stay = self.units(), {hung.id for hung in units}
            for gone in (hung.id for hung in before if hung.id not in stay):
                self._db.run("DELETE FROM camera_unit WHERE unit_id = ?", (gone,))
                self._db.run("DELETE FROM unit WHERE id = ?", (gone,))
            for hung in (h for h in units if h not in before):
                body = _UNIT.dump_json(hung.unit).decode()
                number = put_body(self._db, "unit", hung.id or None, body)
                # A removed camera stays connected: its removal can be undone.
                there = "camera_id IN (SELECT id FROM camera WHERE NOT gone)"
                self._db.run(f"DELETE FROM camera_unit WHERE unit_id = ? AND {there}", (number,))
                for camera_id in hung.cameras:
                    self._db.run("INSERT INTO camera_unit (camera_id, unit_id) VALUES (?, ?)", (camera_id, number))

    def tasks(self) -> tuple[Task, ...]:
        """Dates entered by hand, the earliest first."""
        return tuple(self._tasks().values())

    def _tasks(self) -> dict[int, Task]:
        rows = self._db.rows(
            "SELECT t.id, t.camera_id, t.on_day, t.what FROM task t LEFT JOIN camera k ON k.id = t.camera_id "
            "WHERE t.camera_id IS NULL OR NOT k.gone ORDER BY t.on_day, t.id"
        )
        return read_each(
            rows, lambda r: Task(r["camera_id"], date.fromisoformat(r["on_day"]), str(r["what"])), "task",
            self._damage,
        )  # fmt: skip

    def set_tasks(self, tasks: Sequence[Task]) -> None:
        """Keep all dates, each once."""
        with self._db.transaction():
            keep_rows(
                self._db, "task", self._tasks(), list(dict.fromkeys(tasks)),
                lambda task: {"camera_id": task.camera_id, "on_day": task.on.isoformat(), "what": task.what},
            )  # fmt: skip

    def walks(self, camera_id: int) -> tuple[Walked, ...]:
        """The walks of a camera, in order of time."""
        return tuple(self._walks(camera_id).values())

    def _walks(self, camera_id: int) -> dict[int, Walked]:
        rows = self._db.rows("SELECT id, body FROM walk WHERE camera_id = ? ORDER BY at_s, id", (camera_id,))
        return read_each(
            rows, lambda row: read_as(_WALKED, json.loads(row["body"]), WHAT["walk"]), "walk", self._damage
        )

    def set_walks(self, camera_id: int, walks: Sequence[Walked]) -> None:
        """Keep the walks of a camera."""
        with self._db.transaction():
            keep_rows(
                self._db, "walk", self._walks(camera_id), walks,
                lambda walk: {"camera_id": camera_id, "at_s": walk.at_s, "body": _WALKED.dump_json(walk).decode()},
            )  # fmt: skip

    def purposes(self, camera_id: int) -> tuple[Asked, ...]:
        """What a camera was for and since when, in order of time; the last is asked now."""
        return tuple(self._purposes(camera_id).values())

    def _purposes(self, camera_id: int) -> dict[int, Asked]:
        rows = self._db.rows(
            "SELECT id, from_s, body FROM purpose WHERE camera_id = ? ORDER BY from_s, id", (camera_id,)
        )

        def asked(row: Any) -> Asked:
            return Asked(row["from_s"], purpose_from_dict(json.loads(row["body"])) if row["body"] else None)

        return read_each(rows, asked, "purpose", self._damage)

    def set_purposes(self, camera_id: int, purposes: Sequence[Asked]) -> None:
        """Keep what a camera was for."""
        with self._db.transaction():
            keep_rows(
                self._db, "purpose", self._purposes(camera_id), purposes,
                lambda asked: {
                    "camera_id": camera_id, "from_s": asked.from_s,
                    "body": "" if asked.purpose is None else body_of(purpose_to_dict(asked.purpose)),
                },
            )  # fmt: skip

    def summaries(self) -> dict[int, dict[str, Any]]:
        """What was worked out last of each camera, by its number."""
        rows = self._db.rows(
            "SELECT s.camera_id, s.body FROM summary s JOIN camera k ON k.id = s.camera_id WHERE NOT k.gone"
        )
        known = {}
        for row in rows:
            try:
                body = json.loads(row["body"])
            except (ValueError, TypeError, RecursionError):
                continue  # it is worked out anew
            if isinstance(body, dict):
                known[row["camera_id"]] = body
        return known

    def keep_summary(self, camera_id: int, summary: dict[str, Any]) -> None:
        """Keep what was worked out of a camera."""
        with self._db.transaction():
            self._db.run(
                "INSERT OR REPLACE INTO summary (camera_id, body) VALUES (?, ?)", (camera_id, body_of(summary))
            )
