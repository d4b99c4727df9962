"""What a site has besides cameras and stores: units that cameras hang on, dates entered by hand, walks, summaries."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any, Generic, TypeVar

from pydantic import TypeAdapter

from guardia.core.base.errors import InvalidValue
from guardia.core.base.files import read_as
from guardia.core.evidence.walked import Walked
from guardia.core.storage.units import Hung, Unit
from guardia.store.database import Database

OF_CAMERA = ("camera_unit", "task", "walk", "summary")
"""Tables here whose rows belong to a camera."""

_UNIT = TypeAdapter(Unit)
_WALKED = TypeAdapter(Walked)
_Value = TypeVar("_Value")


@dataclass(frozen=True)
class Task:
    """A date entered by hand or taken from a calendar.

    Parameters
    ----------
    camera_id
        The camera, None for the site.
    on
        By when.
    what
        What is to be done.
    """

    camera_id: int | None
    on: date
    what: str


class _Kept(Generic[_Value]):
    """Reads JSON of one form; what is damaged is set aside and told."""

    def __init__(self, form: TypeAdapter[_Value], words: str, damage: list[str]) -> None:
        self._form, self._words, self._damage = form, words, damage

    def read(self, body: str) -> _Value | None:
        try:
            return read_as(self._form, json.loads(body), self._words)
        except (InvalidValue, ValueError, TypeError, RecursionError) as error:
            self._damage.append(f"{self._words} is set aside: what is kept of it is damaged ({error}).")
            return None


class SiteThings:
    """Units, tasks, walks and summaries of a project.

    Parameters
    ----------
    database
        The project's.
    damage
        Where it is put what was found damaged and set aside, in sentences.
    """

    def __init__(self, database: Database, damage: list[str]) -> None:
        self._db = database
        self._units = _Kept(_UNIT, "A recorder, hub, supply or line", damage)
        self._walks = _Kept(_WALKED, "A walk", damage)

    def units(self) -> tuple[Hung, ...]:
        """All units in the order in which they were entered."""
        hung: dict[int, list[int]] = {}
        for row in self._db.rows("SELECT unit_id, camera_id FROM camera_unit ORDER BY camera_id"):
            hung.setdefault(row["unit_id"], []).append(row["camera_id"])
        units = []
        for row in self._db.rows("SELECT id, body FROM unit ORDER BY id"):
            unit = self._units.read(row["body"])
            if unit is not None:
                units.append(Hung(row["id"], unit, tuple(hung.get(row["id"], ()))))
        return tuple(units)

    def set_units(self, units: Sequence[Hung]) -> None:
        """Keep all units with their cameras; those with the number 0 are new. Raises InvalidValue for a name twice."""
        names = [h.unit.name for h in units]
        if len({*names}) < len(names):
            raise InvalidValue("Two of them cannot have one name.", kept="Nothing was changed.")
        with self._db.transaction():
            self._db.run("DELETE FROM camera_unit")
            self._db.run("DELETE FROM unit")
            for hung in units:
                body = _UNIT.dump_json(hung.unit).decode()
                number = self._db.run("INSERT INTO unit (id, body) VALUES (?, ?)", (hung.id or None, body))
                for camera_id in hung.cameras:
                    self._db.run("INSERT INTO camera_unit (camera_id, unit_id) VALUES (?, ?)", (camera_id, number))

    def tasks(self) -> tuple[Task, ...]:
        """Dates entered by hand, the earliest first."""
        rows = self._db.rows(
            "SELECT t.camera_id, t.on_day, t.what FROM task t LEFT JOIN camera k ON k.id = t.camera_id "
            "WHERE t.camera_id IS NULL OR NOT k.gone ORDER BY t.on_day, t.id"
        )
        return tuple(Task(r["camera_id"], date.fromisoformat(r["on_day"]), r["what"]) for r in rows)

    def set_tasks(self, tasks: Sequence[Task]) -> None:
        """Keep all dates, each once."""
        with self._db.transaction():
            self._db.run("DELETE FROM task")
            for task in dict.fromkeys(tasks):
                self._db.run(
                    "INSERT INTO task (camera_id, on_day, what) VALUES (?, ?, ?)",
                    (task.camera_id, task.on.isoformat(), task.what),
                )

    def walks(self, camera_id: int) -> tuple[Walked, ...]:
        """The walks of a camera, in order of time."""
        rows = self._db.rows("SELECT body FROM walk WHERE camera_id = ? ORDER BY at_s, id", (camera_id,))
        return tuple(w for r in rows if (w := self._walks.read(r["body"])) is not None)

    def set_walks(self, camera_id: int, walks: Sequence[Walked]) -> None:
        """Keep the walks of a camera."""
        with self._db.transaction():
            self._db.run("DELETE FROM walk WHERE camera_id = ?", (camera_id,))
            for walk in walks:
                self._db.run(
                    "INSERT INTO walk (camera_id, at_s, body) VALUES (?, ?, ?)",
                    (camera_id, walk.at_s, _WALKED.dump_json(walk).decode()),
                )

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
                "INSERT OR REPLACE INTO summary (camera_id, body) VALUES (?, ?)", (camera_id, json.dumps(summary))
            )
