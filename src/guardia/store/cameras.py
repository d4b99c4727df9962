"""The cameras of a project."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any

from pydantic import TypeAdapter

from guardia.core.base.errors import InvalidValue, ProjectError
from guardia.core.base.files import read_as
from guardia.core.base.values import is_moment, moment, number, one_line, plain_text
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.settings import Settings
from guardia.core.view.geometry import KnownView, known_view_from_dict, known_view_to_dict
from guardia.store.database import Database
from guardia.store.records import About, Camera
from guardia.store.rows import body_of
from guardia.store.settings import CameraSettings

LONGEST_TEXT = 500
LARGEST_ERROR_S = 100 * 366 * 86_400.0
_ABOUT = TypeAdapter(About)
_AWAY = "\x1f"
"""Parts the name of a camera that was put away from its number, so that the name is free again."""


class Cameras:
    """Name, make, clock, view and picture of each camera.

    Args:
        database: The project's.
        settings: Their settings.
    """

    def __init__(self, database: Database, settings: CameraSettings) -> None:
        self._db, self._settings = database, settings

    def names(self) -> dict[int, str]:
        """Names of all cameras by number, in order of name."""
        return {
            row["id"]: row["name"] for row in self._db.rows("SELECT id, name FROM camera WHERE NOT gone ORDER BY name")
        }

    def all(self) -> list[Camera]:
        """All cameras by name."""
        return [self.get(row["id"]) for row in self._db.rows("SELECT id FROM camera WHERE NOT gone ORDER BY name")]

    def get(self, camera_id: int) -> Camera:
        """One camera with its settings in force and its draft.

        Args:
            camera_id: Number in the project.

        Returns:
            The camera.

        Raises:
            ProjectError: If the project has no such camera, or what it keeps of it is damaged.
        """
        rows = self._db.rows(
            "SELECT name, capability, clock_error_s, time_pattern, view, about FROM camera WHERE id = ?", (camera_id,)
        )
        if not rows:
            raise ProjectError(f"This project has no camera number {camera_id}.")
        one = rows[0]
        try:
            installed, draft = self._settings.now(camera_id)
            return Camera(
                camera_id, str(one["name"]), capability_from_dict(json.loads(one["capability"])), installed, draft,
                number(one["clock_error_s"], -LARGEST_ERROR_S, LARGEST_ERROR_S, "The error of its clock"),
                str(one["time_pattern"]),
                known_view_from_dict(json.loads(one["view"])) if one["view"] else None,
                read_as(_ABOUT, json.loads(one["about"]), "What is written down of a camera"),
            )  # fmt: skip
        except (InvalidValue, KeyError, ValueError, TypeError, AttributeError, RecursionError) as error:
            raise ProjectError(
                f"What the project keeps of the camera '{one['name']}' is damaged ({error}).",
                kept="It is set aside; the other cameras are not affected.",
                do="Restore the project from a backup to get it back.",
            ) from error

    def add(self, name: str, capability: Mapping[str, Any], installed: Settings, *, from_s: float | None = None) -> int:
        """Add a camera whose draft begins as its installed settings.

        Args:
            name: Named after its place; not yet used in this project.
            capability: JSON form of the make.
            installed: Settings in force.
            from_s: Since when, POSIX seconds, None if unknown.

        Returns:
            Its number.

        Raises:
            InvalidValue: If the capability cannot be used or the name is taken.
        """
        capability_from_dict(capability)
        name = self._free_name(name)
        with self._db.transaction():
            camera_id = self._db.run("INSERT INTO camera (name, capability) VALUES (?, ?)", (name, body_of(capability)))
            self._settings.begin(camera_id, installed, from_s)
        return camera_id

    def _free_name(self, text: str) -> str:
        """The name that a text says; raises InvalidValue if it is none, or another camera has it."""
        name = one_line(text, "A camera's name")
        if self._db.rows("SELECT 1 FROM camera WHERE name = ?", (name,)):
            raise InvalidValue(f"There is already a camera named '{name}'.", do="Name each camera after its own place.")
        return name

    def rename(self, camera_id: int, name: str) -> None:
        """Give a camera another name; raises InvalidValue if another camera has it or it cannot be used."""
        if self.names().get(camera_id) != name:
            name = self._free_name(name)
        with self._db.transaction():
            self._db.run("UPDATE camera SET name = ? WHERE id = ?", (name, camera_id))

    def set_gone(self, camera_id: int, gone: bool) -> None:
        """Put a camera away, or bring it back; raises InvalidValue if another camera took its name meanwhile."""
        name = self._db.rows("SELECT name FROM camera WHERE id = ?", (camera_id,))[0]["name"].split(_AWAY)[0]
        if not gone:
            self._free_name(name)
        with self._db.transaction():
            self._db.run(
                "UPDATE camera SET gone = ?, name = ? WHERE id = ?",
                (gone, f"{name}{_AWAY}{camera_id}" if gone else name, camera_id),
            )

    def set_make(self, camera_id: int, capability: Mapping[str, Any]) -> None:
        """Say of which make a camera is; raises InvalidValue if that cannot be used."""
        capability_from_dict(capability)
        with self._db.transaction():
            self._db.run("UPDATE camera SET capability = ? WHERE id = ?", (body_of(capability), camera_id))

    def make(self, camera_id: int) -> dict[str, Any]:
        """JSON form of a camera's make."""
        data: dict[str, Any] = json.loads(
            self._db.rows("SELECT capability FROM camera WHERE id = ?", (camera_id,))[0]["capability"]
        )
        return data

    def set_view(self, camera_id: int, known: KnownView | None) -> None:
        """Keep what is known of a camera's view; None forgets it."""
        body = body_of(known_view_to_dict(known)) if known is not None else ""
        with self._db.transaction():
            self._db.run("UPDATE camera SET view = ? WHERE id = ?", (body, camera_id))

    def set_about(self, camera_id: int, about: About) -> None:
        """Keep what is written down of a camera; raises InvalidValue where it holds what must not be kept."""
        for text in (about.serial, about.manual, about.keys_kept, about.firmware, about.housing):
            plain_text(text, "What is written down of a camera", most=LONGEST_TEXT)
        with self._db.transaction():
            self._db.run("UPDATE camera SET about = ? WHERE id = ?", (_ABOUT.dump_json(about).decode(), camera_id))

    def set_clock(self, camera_id: int, *, clock_error_s: float, time_pattern: str) -> None:
        """Keep a camera's clock error (seconds, positive when fast) and how it writes times in file names.

        Raises InvalidValue where the camera's clips or lists would then have dates that no camera can have.
        """
        number(clock_error_s, -LARGEST_ERROR_S, LARGEST_ERROR_S, "The error of a clock, in seconds,")
        for row in self._db.rows(
            "SELECT min(start_s) AS low, max(start_s) AS high FROM clip WHERE camera_id = ?1 AND NOT gone AND "
            "start_source <> 'given' UNION ALL SELECT min(shown_s), max(shown_s) FROM event WHERE camera_id = ?1",
            (camera_id,),
        ):
            for shown in (row["low"], row["high"]):
                if is_moment(shown):  # another is set aside anyhow
                    moment(shown - clock_error_s, "With this error of the clock the time of a clip")
        with self._db.transaction():
            self._db.run(
                "UPDATE camera SET clock_error_s = ?, time_pattern = ? WHERE id = ?",
                (clock_error_s, time_pattern, camera_id),
            )

    def clean_view(self, camera_id: int) -> bytes:
        """The camera's picture without what moves, as JPEG; empty if there is none yet."""
        return bytes(self._db.rows("SELECT clean_view FROM camera WHERE id = ?", (camera_id,))[0]["clean_view"] or b"")

    def put_clean_view(self, camera_id: int, jpeg: bytes) -> None:
        """Keep the camera's picture without what moves."""
        with self._db.transaction():
            self._db.run("UPDATE camera SET clean_view = ? WHERE id = ?", (jpeg, camera_id))
