"""Settings of a project's cameras: the draft, those in force, and which were in force when."""

from __future__ import annotations

import json
import math
import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any

from guardia.core.base.errors import InvalidValue
from guardia.core.base.values import moment, one_line
from guardia.core.evidence.epochs import Epoch
from guardia.core.make.settings import HoursSettings, Settings, settings_from_dict, settings_to_dict
from guardia.store.database import Database
from guardia.store.logbook import Logbook
from guardia.store.rows import Damaged, body_of, keep_rows, read_each


@dataclass(frozen=True)
class HoursGroup:
    """Cameras whose drafts have their hours in common."""

    name: str
    """Its name, unique on the site."""
    cameras: tuple[int, ...]
    """Numbers of the cameras."""
    hours: HoursSettings
    """Their hours."""


@dataclass(frozen=True)
class SharedHours:
    """Which cameras share hours, and what each has for its own."""

    groups: tuple[HoursGroup, ...]
    """By name; a camera is in one of them at most."""
    own: dict[int, HoursSettings]
    """By number of the camera: the hours that its draft has while it is in no group."""


class CameraSettings:
    """Drafts and settings over time.

    Args:
        database: The project's.
        logbook: Where it is entered that a draft was installed.
        damage: Where it is put what was found damaged and set aside.
    """

    def __init__(self, database: Database, logbook: Logbook, damage: list[Damaged | str]) -> None:
        self._db, self._logbook, self._damage = database, logbook, damage

    def begin(self, camera_id: int, installed: Settings, from_s: float | None) -> None:
        """Keep the first settings of a camera, which are its draft, too; `from_s` as in Cameras.add()."""
        body = body_of(settings_to_dict(installed))
        for role, since in (("installed", from_s), ("draft", None)):
            self._db.run(
                "INSERT INTO settings (camera_id, role, from_s, body) VALUES (?, ?, ?, ?)",
                (camera_id, role, since, body),
            )

    def now(self, camera_id: int) -> tuple[Settings, Settings]:
        """Those installed and the draft; raises KeyError, ValueError or InvalidValue where they are damaged."""
        rows = self._db.rows("SELECT role, body FROM settings WHERE camera_id = ? AND to_s IS NULL", (camera_id,))
        by_role = {row["role"]: settings_from_dict(json.loads(row["body"])) for row in rows}
        shared = self._db.rows(
            "SELECT g.body FROM hours_group g JOIN camera c ON c.hours_group_id = g.id WHERE c.id = ?", (camera_id,)
        )
        draft = by_role["draft"]
        for row in shared:
            draft = draft.with_hours(settings_from_dict(json.loads(row["body"])).hours)
        return by_role["installed"], draft

    def save_draft(self, camera_id: int, draft: Settings) -> None:
        """Keep a draft, at once and whole; where its hours are shared, all cameras of the group get them."""
        with self._db.transaction():
            group = self._db.rows("SELECT hours_group_id AS id FROM camera WHERE id = ?", (camera_id,))[0]["id"]
            if group is not None:
                self._db.run("UPDATE hours_group SET body = ? WHERE id = ?", (_hours_body(draft.hours), group))
                draft = replace(draft, hours=self._own_draft(camera_id).hours)
            self._save_own(camera_id, draft)

    def _save_own(self, camera_id: int, draft: Settings) -> None:
        self._db.run(
            "UPDATE settings SET body = ? WHERE camera_id = ? AND role = 'draft'",
            (body_of(settings_to_dict(draft)), camera_id),
        )

    def _own_draft(self, camera_id: int) -> Settings:
        """The draft as it is kept for this camera alone."""
        row = self._db.rows("SELECT body FROM settings WHERE camera_id = ? AND role = 'draft'", (camera_id,))[0]
        return settings_from_dict(json.loads(row["body"]))

    def shared_hours(self) -> SharedHours:
        """Which cameras share hours."""
        with self._db.reading():
            cameras = self._db.rows("SELECT id, hours_group_id AS at FROM camera WHERE NOT gone ORDER BY name")
            own = read_each(cameras, lambda r: self._own_draft(r["id"]).hours, "camera", self._damage)
            groups = self._groups([(r["id"], r["at"]) for r in cameras if r["id"] in own])
            return SharedHours(tuple(groups.values()), own)

    def _groups(self, cameras: Sequence[tuple[int, int | None]]) -> dict[int, HoursGroup]:
        """The groups by their numbers, with those of the cameras (number, and that of its group) that are in each."""
        members: dict[int | None, list[int]] = {}
        for camera_id, at in cameras:
            members.setdefault(at, []).append(camera_id)
        return read_each(
            self._db.rows("SELECT id, name, body FROM hours_group ORDER BY name"),
            lambda r: HoursGroup(
                r["name"], tuple(members.get(r["id"], ())), settings_from_dict(json.loads(r["body"])).hours
            ),
            "hours_group", self._damage,
        )  # fmt: skip

    def set_shared_hours(self, shared: SharedHours) -> None:
        """Keep which cameras share hours; raises InvalidValue if two groups have one name or one camera."""
        names = [g.name for g in shared.groups]
        cameras = [i for g in shared.groups for i in g.cameras]
        if len({*names}) < len(names) or len({*cameras}) < len(cameras) or not all(n.strip() for n in names):
            raise InvalidValue(
                "Each group of shared hours has a name of its own, and a camera belongs to one at most.",
                kept="Nothing was changed.",
            )
        with self._db.transaction():
            before = self._groups([(r["id"], r["at"]) for r in self._db.rows(
                "SELECT id, hours_group_id AS at FROM camera WHERE NOT gone ORDER BY name")])  # fmt: skip
            stay = {group.name for group in shared.groups}
            for number, group in before.items():
                self._db.run("UPDATE camera SET hours_group_id = NULL WHERE hours_group_id = ?", (number,))
                if group.name not in stay:
                    self._db.run("DELETE FROM hours_group WHERE id = ?", (number,))
            for camera_id, hours in shared.own.items():
                self._save_own(camera_id, self._own_draft(camera_id).with_hours(hours))
            numbers = {group.name: number for number, group in before.items()}
            for group in shared.groups:
                body = _hours_body(group.hours)
                if (at := numbers.get(group.name)) is None:
                    one_line(group.name, "A group's name")
                    at = self._db.run("INSERT INTO hours_group (name, body) VALUES (?, ?)", (group.name, body))
                else:
                    self._db.run("UPDATE hours_group SET body = ? WHERE id = ?", (body, at))
                for camera_id in group.cameras:
                    self._db.run("UPDATE camera SET hours_group_id = ? WHERE id = ?", (at, camera_id))

    def install_draft(self, camera_id: int, *, note: str = "", at_s: float | None = None) -> None:
        """Record that the draft has been entered on the camera, now if no moment is given; the former are dated."""
        with self._db.transaction():
            draft = self.now(camera_id)[1]
            self._install(camera_id, draft, "draft entered on the camera", note, at_s)

    def install_found(self, camera_id: int, found: Settings, draft: Settings, *, note: str) -> None:
        """Record that something else was found on the camera than was entered; the draft may go with it."""
        with self._db.transaction():
            self._install(camera_id, found, "found set differently on the camera", note, None)
            self.save_draft(camera_id, draft)

    def _install(self, camera_id: int, settings: Settings, what: str, note: str, at_s: float | None) -> None:
        """Put settings in force from now on, or from a moment; those before end then."""
        now = time.time() if at_s is None else moment(at_s)
        with self._db.transaction():
            body = body_of(settings_to_dict(settings))
            self._db.run(
                "UPDATE settings SET to_s = ? WHERE camera_id = ? AND role = 'installed' AND to_s IS NULL",
                (now, camera_id),
            )
            self._db.run(
                "INSERT INTO settings (camera_id, role, from_s, body) VALUES (?, 'installed', ?, ?)",
                (camera_id, now, body),
            )
            self._logbook.add(camera_id, what, note)

    def correct_installed(self, camera_id: int, installed: Settings, draft: Settings) -> None:
        """Say what is set on the camera, where something else was kept; the draft may go with it."""
        body = body_of(settings_to_dict(installed))
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
            self._logbook.add(camera_id, "undone: the draft was not entered")

    def epochs(self, camera_id: int) -> tuple[Epoch, ...]:
        """Which settings were installed when, in order of time; the last is in force."""
        return tuple(self._epochs(camera_id).values())

    def _epochs(self, camera_id: int) -> dict[int, Epoch]:
        rows = self._db.rows(
            "SELECT id, from_s, to_s, body FROM settings WHERE camera_id = ? AND role = 'installed' "
            "ORDER BY to_s IS NULL, to_s",
            (camera_id,),
        )
        return read_each(rows, self._epoch, "settings", self._damage)

    def _epoch(self, row: Any) -> Epoch:
        settings = settings_from_dict(json.loads(row["body"])) if row["body"] else None
        if row["to_s"] is not None:
            return Epoch(-math.inf if row["from_s"] is None else moment(row["from_s"]), moment(row["to_s"]), settings)
        try:
            begin = -math.inf if row["from_s"] is None else moment(row["from_s"])
        except InvalidValue as error:  # those in force are needed, whenever they were entered
            begin = -math.inf
            self._damage.append(f"Since when the settings in force hold is not known: {error}")
        return Epoch(begin, math.inf, settings)

    def set_epochs(self, camera_id: int, epochs: Sequence[Epoch]) -> None:
        """Keep which settings were installed when.

        Args:
            camera_id: The camera.
            epochs: In order of time; the last is in force and known.

        Raises:
            InvalidValue: If they overlap, the last one is not in force or not known, or a date is none that a camera
                can have.
        """
        overlap = any(a.to_s > b.from_s for a, b in pairwise(epochs))
        if not epochs or epochs[-1].settings is None or epochs[-1].to_s != math.inf or overlap:
            raise InvalidValue(
                "Settings over time must follow each other, and those in force now must be known.",
                kept="Nothing was changed.",
                do="Correct the dates.",
            )
        for edge in (e for epoch in epochs for e in (epoch.from_s, epoch.to_s) if math.isfinite(e)):
            moment(edge)
        with self._db.transaction():
            keep_rows(
                self._db, "settings", self._epochs(camera_id), epochs,
                lambda epoch: {
                    "camera_id": camera_id,
                    "role": "installed",
                    "from_s": None if epoch.from_s == -math.inf else epoch.from_s,
                    "to_s": None if epoch.to_s == math.inf else epoch.to_s,
                    "body": "" if epoch.settings is None else body_of(settings_to_dict(epoch.settings)),
                },
            )  # fmt: skip


def _hours_body(hours: HoursSettings) -> str:
    """Hours by themselves, in the form of settings."""
    return body_of(settings_to_dict(Settings("", hours=hours)))
