"""Judgements as a table: clip, its start, begin, end, kind; CSV or JSON Lines."""

from __future__ import annotations

import csv
import json
import math
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import Any, NamedTuple

from guardia.core.base.errors import InvalidValue
from guardia.core.purpose.judgement import KINDS
from guardia.formats.plain import plain_file

COLUMNS = ("clip", "start", "begin", "end", "kind")
NEEDED = ("clip", "kind")
"""The start tells clips of one name apart; without begin and end all of the clip is meant."""

_KINDS = {name.lower(): kind.id for kind in KINDS for name in (kind.id, kind.text)} | {"": ""}


class Judged(NamedTuple):
    """One judgement."""

    line: int
    """Line of the file, from 1."""
    clip: str
    """Name of the clip's file."""
    start: datetime | None
    """When the clip began, without a zone on the site's clock; None where the table does not say."""
    begin_s: float
    """On the clip's clock."""
    end_s: float
    """Likewise; infinite for all of the clip."""
    kind: str
    """Id of a kind; empty takes a judgement back."""


def read_judgements(path: Path) -> list[Judged]:
    """Read a table of judgements.

    Args:
        path: CSV with a header that names the columns clip and kind, and perhaps start, begin and end, or JSON Lines
            with these names, by its ending. A start is ISO 8601; begin and end are seconds from the clip's first
            picture, kinds their ids or words.

    Returns:
        In the order of the file.

    Raises:
        InvalidValue: If it cannot be read, naming the first line that is wrong.
    """
    try:
        text = plain_file(path).read_text("utf-8-sig")
        rows = list(_json_lines(text) if path.suffix.lower() == ".jsonl" else _csv_rows(text))
    except (OSError, ValueError, csv.Error, RecursionError) as error:
        raise InvalidValue(f"{path.name} cannot be read ({error}).", do="It must be CSV or JSON Lines.") from error
    return [_judged(line, row) for line, row in rows]


def _csv_rows(text: str) -> Iterator[tuple[int, dict[str, Any]]]:
    reader = csv.DictReader(text.splitlines())
    yield from ((reader.line_num, row) for row in reader)


def _json_lines(text: str) -> Iterator[tuple[int, dict[str, Any]]]:
    for number, line in enumerate(text.splitlines(), start=1):
        if line.strip():
            row = json.loads(line)
            yield number, row if isinstance(row, dict) else {}


def kind_named(text: str) -> str:
    """Id of a kind by its id or words, empty for none; raises InvalidValue for anything else."""
    kind = _KINDS.get(text.strip().lower())
    if kind is None:
        known = ", ".join(k.id for k in KINDS)
        raise InvalidValue(f"'{text}' is no kind.", do=f"Known are: {known}.")
    return kind


def _judged(line: int, row: dict[str, Any]) -> Judged:
    missing = [name for name in NEEDED if row.get(name) is None]
    if missing:
        raise InvalidValue(f"Line {line} has no {', '.join(missing)}.", do=f"The columns are {', '.join(COLUMNS)}.")
    begin, end = (_seconds(line, row.get(name), usual) for name, usual in (("begin", 0.0), ("end", math.inf)))
    if not begin <= end:
        raise InvalidValue(f"Line {line}: it begins at {begin} s and ends at {end} s.")
    try:
        start = datetime.fromisoformat(text) if (text := str(row.get("start") or "").strip()) else None
    except ValueError as error:
        raise InvalidValue(f"Line {line}: the start must be like 2026-09-07T10:15:30+01:00 ({error}).") from error
    try:
        kind = kind_named(str(row["kind"]))
    except InvalidValue as error:
        raise InvalidValue(f"Line {line}: {error}") from error
    return Judged(line, without_guard(str(row["clip"])), start, begin, end, kind)


def _seconds(line: int, value: object, usual: float) -> float:
    if value is None or value == "":
        return usual
    try:
        seconds = float(str(value))
    except ValueError as error:
        raise InvalidValue(f"Line {line}: begin and end must be seconds ({error}).") from error
    if not math.isfinite(seconds):
        raise InvalidValue(f"Line {line}: begin and end must be seconds, not {value}.")
    return seconds


def without_guard(text: str) -> str:
    """A text without the sign that keeps a spreadsheet from running it."""
    return text[1:] if text[:1] == "'" and text[1:2] in tuple("=+-@\t\r") else text
