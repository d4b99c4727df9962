"""Settings of a project's cameras: the draft, those in force, and which were in force when."""

from __future__ import annotations

import json
import math
import time
from collections.abc import Sequence
from itertools import pairwise

from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.epochs import Epoch
from guardia.core.make.settings import Settings, settings_from_dict, settings_to_dict
from guardia.store.database import Database
from guardia.store.logbook import Logbook


class CameraSettings:
    """Drafts and settings over time.

    Parameters
    ----------
    database
        The project's.
    logbook
        Where it is entered that a draft was installed.
    """

    def __init__(self, database: Database, logbook: Logbook) -> None:
        self._db, self._logbook = database, logbook

    def begin(self, camera_id: int, installed: Settings, from_s: float | None) -> None:
        """Keep the first settings of a camera, which are its draft, too; `from_s` as in Cameras.add()."""
        body = json.dumps(settings_to_dict(installed))
        for role, since in (("installed", from_s), ("draft", None)):
            self._db.run(
                "INSERT INTO settings (camera_id, role, from_s, body) VALUES (?, ?, ?, ?)",
                (camera_id, role, since, body),
            )

    def now(self, camera_id: int) -> tuple[Settings, Settings]:
        """Those installed and the draft; raises KeyError, ValueError or InvalidValue where they are damaged."""
        rows = self._db.rows("SELECT role, body FROM settings WHERE camera_id = ? AND to_s IS NULL", (camera_id,))
        by_role = {row["role"]: settings_from_dict(json.loads(row["body"])) for row in rows}
        return by_role["installed"], by_role["draft"]

    def save_draft(self, camera_id: int, draft: Settings) -> None:
        """Keep a draft, at once and whole."""
        with self._db.transaction():
            self._db.run(
                "UPDATE settings SET body = ? WHERE camera_id = ? AND role = 'draft'",
                (json.dumps(settings_to_dict(draft)), camera_id),
            )

    def install_draft(self, camera_id: int, *, note: str = "", at_s: float | None = None) -> None:
        """Record that the draft has been entered on the camera, now if no moment is given; the former are dated."""
        now = time.time() if at_s is None else at_s
        with self._db.transaction():
            self._db.run(
                "UPDATE settings SET to_s = ? WHERE camera_id = ? AND role = 'installed' AND to_s IS NULL",
                (now, camera_id),
            )
            self._db.run(
                "INSERT INTO settings (camera_id, role, from_s, body) "
                "SELECT camera_id, 'installed', ?, body FROM settings WHERE camera_id = ? AND role = 'draft'",
                (now, camera_id),
            )
            self._logbook.add(camera_id, "draft entered on the camera", note)

    def correct_installed(self, camera_id: int, installed: Settings, draft: Settings) -> None:
        """Say what is set on the camera, where something else was kept; the draft may go with it."""
        body = json.dumps(settings_to_dict(installed))
        with self._db.transaction():
            self._db.run(
                "UPDATE settings SET body = ? WHERE camera_id = ? AND role = 'installed' AND to_s IS NULL",
                (body, camera_id),
            )
            self.save_draft(camera_id, draft)

    def take_back_installed(self, camera_id: int) -> None:
        """Say that the settings installed last were not entered after all: those before are in force again."""
        with self._db.transaction():
            rows = self._db.rows(
                "SELECT max(to_s) AS at FROM settings WHERE camera_id = ? AND role = 'installed'", (camera_id,)
            )
            if rows[0]["at"] is None:
                return
            installed = "camera_id = ? AND role = 'installed' AND to_s"
            self._db.run(f"DELETE FROM settings WHERE {installed} IS NULL", (camera_id,))
            self._db.run(f"UPDATE settings SET to_s = NULL WHERE {installed} = ?", (camera_id, rows[0]["at"]))
            self._logbook.add(camera_id, "taken back: the draft was not entered")

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
