"""Readings as a table: camera or store, when, what, value."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import NamedTuple
from zoneinfo import ZoneInfo

from guardia.core.base.errors import InvalidValue
from guardia.core.storage.readings import RANGES, Measure, Reading, value_shown
from guardia.formats.table_rows import table_rows, without_guard

COLUMNS = ("of", "when", "what", "value")


class ReadOff(NamedTuple):
    """One line of a table."""

    of: str
    """Name of the camera or the store."""
    reading: Reading
    """What was read."""


def read_readings(path: Path, zone: ZoneInfo) -> tuple[list[ReadOff], list[str]]:
    """Read a table of readings.

    Args:
        path: CSV, JSON Lines or XLSX with the columns of, when (ISO 8601, the site's wall time without an offset),
            what and value (empty for a state, and for an alert that never came).
        zone: The site's time zone.

    Returns:
        What can be used, and a sentence for each line that cannot.

    Raises:
        InvalidValue: If it is no such table at all.
    """
    rows = table_rows(path, COLUMNS)
    found, skipped = [], []
    for line, row in rows:
        try:
            found.append(_read(row, zone))
        except (InvalidValue, ValueError, TypeError) as error:
            skipped.append(f"Line {line} was left out: {str(error).rstrip('.')}.")
    return found, skipped


def _read(row: dict[str, str], zone: ZoneInfo) -> ReadOff:
    wall = datetime.fromisoformat(row["when"].strip())
    at = wall if wall.tzinfo is not None else wall.replace(tzinfo=zone)
    value = (row["value"] or "").strip()
    what = Measure(row["what"].strip().lower())
    reading = (
        Reading(at.timestamp(), *value_shown(what, value))
        if value and what in RANGES
        else (Reading(at.timestamp(), what, float(value) if value else None))
    )
    if not (of := without_guard(row["of"].strip())):
        raise InvalidValue("it names no camera and no store")
    return ReadOff(of, reading)
