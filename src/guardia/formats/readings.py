"""Readings as a table: camera or store, when, what, value; CSV with a header."""

from __future__ import annotations

import csv
from datetime import datetime
from pathlib import Path
from typing import NamedTuple
from zoneinfo import ZoneInfo

from guardia.core.base.errors import InvalidValue
from guardia.core.storage.readings import RANGES, Measure, Reading, value_shown
from guardia.formats.plain import plain_file

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
        path: CSV with a header that names the columns of, when (ISO 8601, the site's wall time without an offset), what
            and value (empty for a state, and for an alert that never came).
        zone: The site's time zone.

    Returns:
        What can be used, and a sentence for each line that cannot.

    Raises:
        InvalidValue: If it is no such table at all.
    """
    try:
        text = plain_file(path).read_text("utf-8-sig")
        table = csv.DictReader(text.splitlines(), dialect=csv.Sniffer().sniff(text[:4096], ",;\t|"))
        rows = [(table.line_num, row) for row in table]
    except (OSError, ValueError, csv.Error) as error:
        raise InvalidValue(
            f"{path.name} cannot be read ({error}).", do=f"It must be CSV with the columns {', '.join(COLUMNS)}."
        ) from error
    missing = [name for name in COLUMNS if name not in (table.fieldnames or ())]
    if missing:
        raise InvalidValue(f"{path.name} has no column {', '.join(missing)}.", do=f"It needs {', '.join(COLUMNS)}.")
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
    if not row["of"].strip():
        raise InvalidValue("it names no camera and no store")
    return ReadOff(row["of"].strip(), reading)
