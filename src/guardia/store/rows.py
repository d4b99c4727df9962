"""Rows of a table as values: each is read by itself, and only those that change are written.

What cannot be read is set aside and told; it stays in the file where it is, whatever else of the table is changed.
"""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, TypeVar

from guardia.core.base.errors import InvalidValue
from guardia.store.database import Database

Value = TypeVar("Value")
Known = TypeVar("Known", bound=Hashable)


WHAT = {
    "camera": "The draft of a camera",
    "checked": "A ticked item",
    "clip": "A clip",
    "event": "An entry of an event list",
    "fact": "A fact",
    "purpose": "What a camera was for",
    "hours_group": "A group of shared hours",
    "logbook": "An entry of the logbook",
    "occurrence": "An occurrence",
    "reading": "A reading",
    "settings": "Settings of an earlier time",
    "store": "A store",
    "task": "A date",
    "trace": "What was measured of a clip",
    "unit": "A recorder, hub, supply or line",
    "walk": "A walk",
    "watched": "A time covered",
}
"""What a row of each table is."""


@dataclass(frozen=True)
class Damaged:
    """A row that cannot be read, and is set aside."""

    table: str
    number: int
    why: str

    def __str__(self) -> str:
        return f"{WHAT[self.table]} is set aside: what is kept of it is damaged ({self.why}). See Damaged entries."


def read_each(
    rows: Iterable[Any], value_of: Callable[[Any], Value], table: str, damage: list[Damaged | str]
) -> dict[int, Value]:
    """The values of rows by their numbers.

    Args:
        rows: Each has a column `id`.
        value_of: Makes the value of a row; whatever it raises sets that row aside.
        table: Where they stand, one of WHAT.
        damage: Where it is put what was set aside.

    Returns:
        In the order of the rows.
    """
    values = {}
    for row in rows:
        try:
            values[row["id"]] = value_of(row)
        except Exception as error:  # a damaged row can fail in any way; the others are read
            why = f"not known: {error}" if isinstance(error, KeyError) else str(error)
            damage.append(Damaged(table, row["id"], why))
    return values


def keep_rows(
    database: Database,
    table: str,
    old: Mapping[int, Known],
    new: Sequence[Known],
    columns: Callable[[Known], Mapping[str, object]],
) -> None:
    """Make the readable rows of a table hold these values: those that stay are not touched, nor is any other row.

    Args:
        database: The project's.
        table: Its name.
        old: The readable values there, by their numbers.
        new: What is to be there.
        columns: A value as a row.
    """
    left = Counter(new)
    with database.transaction():
        for number, value in old.items():
            if left[value] > 0:
                left[value] -= 1
            else:
                database.run(f"DELETE FROM {table} WHERE id = ?", (number,))
        for value in new:
            if left[value] > 0:
                left[value] -= 1
                _add(database, table, columns(value))


def _add(database: Database, table: str, row: Mapping[str, object]) -> int:
    """Add a row; a damaged one that says the same thing gives way to it."""
    marks = ", ".join("?" * len(row))
    return database.run(f"INSERT OR REPLACE INTO {table} ({', '.join(row)}) VALUES ({marks})", tuple(row.values()))


def body_of(data: object) -> str:
    """JSON to be kept in a row; raises InvalidValue for a text that could not be read again."""
    try:
        json.dumps(data, ensure_ascii=False).encode()
    except UnicodeEncodeError as error:
        raise InvalidValue(
            "A text in it holds half of a letter, which cannot be kept.",
            kept="Nothing was changed.",
            do="Type it again.",
        ) from error
    return json.dumps(data)


def put_body(database: Database, table: str, number: int | None, body: str) -> int:
    """Put the body of a numbered row in its place, or add one where there is no number; gives the number."""
    if number is None:
        return database.run(f"INSERT INTO {table} (body) VALUES (?)", (body,))
    known = database.rows(f"SELECT 1 FROM {table} WHERE id = ?", (number,))
    if known:
        database.run(f"UPDATE {table} SET body = ? WHERE id = ?", (body, number))
    else:
        database.run(f"INSERT INTO {table} (id, body) VALUES (?, ?)", (number, body))
    return number
