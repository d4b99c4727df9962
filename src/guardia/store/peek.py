"""A look into a project that changes nothing: no migration, no lock, no file beside it."""

from __future__ import annotations

import json
import os
import sqlite3
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import quote

from guardia.core.base.errors import ProjectError
from guardia.store.database import APPLICATION_ID, SCHEMA_VERSION

WITH_SUMMARIES = 8
"""Since this schema a project keeps what is known of its cameras in a line each."""


@dataclass(frozen=True)
class Peek:
    """What a look tells."""

    site: str
    """Name of the site."""
    cameras: dict[int, str]
    """Names of its cameras, by number."""
    summaries: dict[int, dict[str, Any]] = field(default_factory=dict)
    """What was kept of each, by number; those never worked out are left out."""


def peek(folder: Path) -> Peek:
    """Look into a project.

    Args:
        folder: Its folder.

    Returns:
        Of an older project without summaries.

    Raises:
        ProjectError: If there is none, or it cannot be read.
    """
    path = folder / "project.sqlite"
    if path.is_symlink() or not path.is_file():
        raise ProjectError(f"There is no project in {folder}.")
    # A project that nobody has open is read as a file that does not change: nothing is made beside it.
    wal = path.with_name(path.name + "-wal")
    still = "&immutable=1" if not wal.exists() else ""
    try:
        with closing(
            sqlite3.connect(f"file:{quote(os.fsencode(path))}?mode=ro{still}", uri=True, timeout=1.0)
        ) as connection:
            connection.execute("PRAGMA trusted_schema = OFF")
            mark = connection.execute("PRAGMA application_id").fetchone()[0]
            version = connection.execute("PRAGMA user_version").fetchone()[0]
            if mark != APPLICATION_ID or not 1 <= version <= SCHEMA_VERSION:
                raise ProjectError(f"{path} is no project that this Guardia can read.")
            wanted = {"site", "camera", *(["summary"] if version >= WITH_SUMMARIES else [])}
            tables = {r[0] for r in connection.execute("SELECT name FROM sqlite_schema WHERE type = 'table'")}
            if not wanted <= tables:
                raise ProjectError(f"The tables of {path} are not those of a project.")
            site = connection.execute("SELECT name FROM site").fetchone()
            gone = "WHERE NOT gone" if "gone" in _columns(connection) else ""
            cameras = dict(connection.execute(f"SELECT id, name FROM camera {gone} ORDER BY name"))
            rows = connection.execute("SELECT camera_id, body FROM summary") if "summary" in wanted else ()
            summaries = {number: body for number, text in rows if (body := _object(text)) is not None}
    except sqlite3.Error as error:
        raise ProjectError(f"{path} cannot be read ({error}).") from error
    return Peek(str(site[0]) if site else folder.name, cameras, summaries)


def _columns(connection: sqlite3.Connection) -> set[str]:
    return {row[1] for row in connection.execute("PRAGMA table_info(camera)")}


def _object(text: object) -> dict[str, Any] | None:
    try:
        body = json.loads(str(text))
    except (ValueError, RecursionError):
        return None
    return body if isinstance(body, dict) else None
