"""Judgements as a table: clip, its start, begin, end, kind."""

from __future__ import annotations

import math
from datetime import datetime
from pathlib import Path
from typing import NamedTuple

from guardia.core.base.errors import InvalidValue
from guardia.core.purpose.judgement import KINDS
from guardia.formats.table_rows import Row, table_rows, without_guard

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
    camera: str = ""
    """Name of its camera; empty where the table does not say."""
    moments: tuple[datetime, datetime] | None = None
    """Begin and end where the table says them as dates; `begin_s` and `end_s` then mean all of the clip."""


def read_judgements(path: Path) -> list[Judged]:
    """Read a table of judgements.

    Args:
        path: CSV, JSON Lines or XLSX whose columns are named clip and kind (or judgement, as in a saved table of
            occurrences), and perhaps camera, start, begin and end. A start is ISO 8601; begin and end are seconds from
            the clip's first picture, or dates; kinds are ids or words.

    Returns:
        In the order of the file.

    Raises:
        InvalidValue: If it cannot be read, naming the first line that is wrong.
    """
    rows = table_rows(path, NEEDED, also={"judgement": "kind"})
    return [_judged(line, row) for line, row in rows]


def kind_named(text: str) -> str:
    """Id of a kind by its id or words, empty for none; raises InvalidValue for anything else."""
    kind = _KINDS.get(text.strip().lower())
    if kind is None:
        known = ", ".join(k.id for k in KINDS)
        raise InvalidValue(f"'{text}' is no kind.", do=f"Known are: {known}.")
    return kind


def _judged(line: int, row: Row) -> Judged:
    moments = _moments(row)
    texts = ("", "") if moments else (row.get("begin", ""), row.get("end", ""))
    begin, end = (_seconds(line, text, usual) for text, usual in zip(texts, (0.0, math.inf), strict=True))
    if moments and not moments[0] <= moments[1]:
        raise InvalidValue(f"Line {line}: it begins at {row['begin']} and ends at {row['end']}.")
    if not begin <= end:
        raise InvalidValue(f"Line {line}: it begins at {begin} s and ends at {end} s.")
    try:
        start = datetime.fromisoformat(text) if (text := row.get("start", "").strip()) else None
    except ValueError as error:
        raise InvalidValue(f"Line {line}: the start must be like 2026-09-07T10:15:30+01:00 ({error}).") from error
    try:
        kind = kind_named(row["kind"])
    except InvalidValue as error:
        raise InvalidValue(f"Line {line}: {error}") from error
    return Judged(
        line, without_guard(row["clip"]), start, begin, end, kind, without_guard(row.get("camera", "")), moments
    )


def _moments(row: Row) -> tuple[datetime, datetime] | None:
    """Begin and end of a row as dates with their shift from UTC, None where they are not."""
    try:
        begin, end = (datetime.fromisoformat(row.get(name, "").strip()) for name in ("begin", "end"))
    except ValueError:
        return None
    return (begin, end) if begin.tzinfo and end.tzinfo else None


def _seconds(line: int, text: str, usual: float) -> float:
    if not text.strip():
        return usual
    try:
        seconds = float(text.strip().replace(",", "."))
    except ValueError as error:
        raise InvalidValue(f"Line {line}: begin and end must be seconds ({error}).") from error
    if not math.isfinite(seconds):
        raise InvalidValue(f"Line {line}: begin and end must be seconds, not {text}.")
    return seconds
