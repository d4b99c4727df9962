"""What was in force and who watched when, in the project: settings by date and watched time."""

from __future__ import annotations

import json
import math
import time
from collections.abc import Sequence
from itertools import pairwise

from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.evidence import Epoch
from guardia.core.evidence.watch import Entered, Span
from guardia.core.make.settings import settings_from_dict, settings_to_dict
from guardia.store.database import Database


class CameraTimes:
    """Settings over time and watched time of a project's cameras.

    Parameters
    ----------
    database
        The project's.
    """

    def __init__(self, database: Database) -> None:
        self._db = database

    def epochs(self, camera_id: int) -> tuple[Epoch, ...]:
        """Which settings were installed when, in order of time; the last is in force."""
        rows = self._db.rows(
            "SELECT from_s, to_s, body FROM settings WHERE camera_id = ? AND role = 'installed' "
            "ORDER BY to_s IS NULL, to_s",
            (camera_id,),
        )
        return tuple(
            Epoch(
                -math.inf if r["from_s"] is None else r["from_s"],
                math.inf if r["to_s"] is None else r["to_s"],
                settings_from_dict(json.loads(r["body"])) if r["body"] else None,
            )
            for r in rows
        )

    def set_epochs(self, camera_id: int, epochs: Sequence[Epoch]) -> None:
        """Keep which settings were installed when.

        Parameters
        ----------
        camera_id
            The camera.
        epochs
            In order of time; the last is in force and known.

        Raises
        ------
        InvalidValue
            If they overlap or the last one is not in force or not known.
        """
        overlap = any(a.to_s > b.from_s for a, b in pairwise(epochs))
        if not epochs or epochs[-1].settings is None or epochs[-1].to_s != math.inf or overlap:
            raise InvalidValue(
                "Settings over time must follow each other, and those in force now must be known.",
                kept="Nothing was changed.",
                do="Correct the dates.",
            )
        with self._db.transaction():
            self._db.run("DELETE FROM settings WHERE camera_id = ? AND role = 'installed'", (camera_id,))
            for epoch in epochs:
                self._db.run(
                    "INSERT INTO settings (camera_id, role, from_s, to_s, body) VALUES (?, 'installed', ?, ?, ?)",
                    (
                        camera_id,
                        None if epoch.from_s == -math.inf else epoch.from_s,
                        None if epoch.to_s == math.inf else epoch.to_s,
                        "" if epoch.settings is None else json.dumps(settings_to_dict(epoch.settings)),
                    ),
                )

    def install(self, camera_id: int, body: str) -> None:
        """Put settings (JSON) in force from now on; those before end now."""
        now = time.time()
        with self._db.transaction():
            self._db.run(
                "UPDATE settings SET to_s = ? WHERE camera_id = ? AND role = 'installed' AND to_s IS NULL",
                (now, camera_id),
            )
            self._db.run(
                "INSERT INTO settings (camera_id, role, from_s, body) VALUES (?, 'installed', ?, ?)",
                (camera_id, now, body),
            )

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
