"""Rows that are set aside because they cannot be read: as they stand in the file, and deleted on purpose."""

from __future__ import annotations

from base64 import b64encode
from collections.abc import Iterator
from typing import Any

from guardia.store.database import Database
from guardia.store.rows import Damaged


def with_dependents(database: Database, damaged: Damaged) -> Iterator[tuple[str, str, Any]]:
    """A row and those that mean nothing without it, those first: table, column and value of the column that tell it.

    A camera is left as it is: it only forgets that it was connected.
    """
    yield from _dependents(database, damaged.table, damaged.number)
    yield damaged.table, "clip_id" if damaged.table == "trace" else "id", damaged.number


def _dependents(database: Database, table: str, number: int) -> Iterator[tuple[str, str, Any]]:
    for (other,) in database.rows("SELECT name FROM sqlite_master WHERE type = 'table' AND name <> 'camera'"):
        for key in database.rows(f"PRAGMA foreign_key_list({other})"):
            if key["table"] != table:
                continue
            if any(column["name"] == "id" for column in database.rows(f"PRAGMA table_info({other})")):
                for row in database.rows(f"SELECT id FROM {other} WHERE {key['from']} = ?", (number,)):
                    yield from _dependents(database, other, row["id"])
            yield other, key["from"], number


def rows_of(database: Database, damaged: Damaged) -> list[dict[str, object]]:
    """What is to be kept of a damaged row and of those that mean nothing without it, fit for JSON."""
    return [
        {"table": table, **{name: _plain(row[name]) for name in row.keys()}}  # noqa: SIM118 (a row is no mapping)
        for table, column, value in with_dependents(database, damaged)
        for row in database.rows(f"SELECT * FROM {table} WHERE {column} = ?", (value,))
    ]


def _plain(value: object) -> object:
    return {"base64": b64encode(value).decode()} if isinstance(value, bytes) else value


def delete_row(database: Database, damaged: Damaged) -> None:
    """Delete a damaged row and those that mean nothing without it.

    What was measured of a clip stays as if an older model had measured it: so it is measured again; judgements stay.
    """
    if damaged.table == "trace":
        database.run("UPDATE trace SET model = 0 WHERE clip_id = ?", (damaged.number,))
        return
    if damaged.table == "hours_group":
        database.run("UPDATE camera SET hours_group_id = NULL WHERE hours_group_id = ?", (damaged.number,))
    for table, column, value in list(with_dependents(database, damaged)):
        database.run(f"DELETE FROM {table} WHERE {column} = ?", (value,))
