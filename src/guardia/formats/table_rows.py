"""Tables in: CSV with commas, semicolons or tabs, JSON Lines and XLSX, as rows of texts by their columns' names."""

from __future__ import annotations

import csv
import itertools
import json
from collections.abc import Collection, Iterator, Mapping
from datetime import date, datetime, time
from pathlib import Path
from types import MappingProxyType
from typing import Any

from guardia.core.base.errors import InvalidValue
from guardia.core.base.words import listed
from guardia.formats.plain import no_number, plain_file

DELIMITERS = ",;\t|"
MOST_ROWS = 1_000_000

Row = dict[str, str]


def table_rows(
    path: Path, needed: Collection[str], *, also: Mapping[str, str] = MappingProxyType({})
) -> list[tuple[int, Row]]:
    """Read a table that a person made or that was saved here.

    Args:
        path: CSV, .jsonl or .xlsx (its first sheet), by its ending.
        needed: Columns that must be there.
        also: Other names for columns, by which they are called in other tables.

    Returns:
        Line from 1, and the texts of each row by the names of the columns, in lower case; empty where nothing stands.

    Raises:
        InvalidValue: If it cannot be read, or the first line does not name the columns.
    """
    try:
        rows = list(itertools.islice(_rows(plain_file(path), needed, also), MOST_ROWS + 1))
    except InvalidValue:
        raise
    except Exception as error:  # a damaged workbook can fail in any way
        reason = error.strerror if isinstance(error, OSError) else error
        raise InvalidValue(
            f"{path.name} cannot be read ({reason}).", kept="Nothing was changed.",
            do="It must be CSV, JSON Lines or XLSX.",
        ) from error  # fmt: skip
    if len(rows) > MOST_ROWS:
        raise InvalidValue(f"{path.name} has more than {MOST_ROWS:,} lines.", do="Part it into several tables.")
    return rows


def _rows(path: Path, needed: Collection[str], also: Mapping[str, str]) -> Iterator[tuple[int, Row]]:
    match path.suffix.lower():
        case ".jsonl" | ".ndjson":
            yield from _json_rows(path, needed, also)
        case ".xlsx":
            yield from _named(_cells(path), needed, also, path.name)
        case _:
            text = path.read_bytes().decode(encoding_of(path.read_bytes(), path.name)[0], "replace")
            lines = text.splitlines()
            yield from _named(_csv_cells(lines, needed), needed, also, path.name)


def without_guard(text: str) -> str:
    """A text without the sign that keeps a spreadsheet from running it."""
    return text[1:] if text[:1] == "'" and text[1:2] in tuple("=+-@\t\r") else text


def encoding_of(head: bytes, name: str) -> tuple[str, list[str]]:
    """The encoding of a text by its first bytes, and what is doubtful about it; raises InvalidValue if it is none."""
    if head[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return "utf-16", []
    if b"\0" in head:
        raise InvalidValue(f"{name} is not a text file.", kept="Nothing was changed.", do="Choose a CSV or JSON Lines.")
    try:
        head.decode("utf-8")
    except UnicodeDecodeError as error:
        if error.start < len(head) - 4:
            return "cp1252", [f"{name} is not UTF-8; it was read as Windows-1252, so look at accents and umlauts."]
    return "utf-8-sig", []


def _csv_cells(lines: list[str], needed: Collection[str]) -> Iterator[tuple[int, list[str]]]:
    first = next((line for line in lines if line.strip()), "")
    # The sign that makes the first line name the columns; where none does, the one that parts it most often.
    names = {sign: _plain(next(csv.reader([first], delimiter=sign), [])) for sign in DELIMITERS}
    sign = max(DELIMITERS, key=lambda sign: (len({*needed} & {*names[sign]}), len(names[sign])))
    reader = csv.reader(lines, delimiter=sign)
    yield from ((reader.line_num, cells) for cells in reader)


def _cells(path: Path) -> Iterator[tuple[int, list[str]]]:
    from openpyxl import load_workbook  # slow to import, and needed only here

    book = load_workbook(path, read_only=True, data_only=True)
    try:
        for number, row in enumerate(book.worksheets[0].iter_rows(values_only=True), 1):
            yield number, [_text(value) for value in row]
    finally:
        book.close()


def _text(value: Any) -> str:
    if isinstance(value, datetime | date | time):
        return value.isoformat()
    if isinstance(value, bool):
        return str(value).lower()
    return "" if value is None else str(value)


def _plain(cells: list[str]) -> list[str]:
    return [cell.strip().lower() for cell in cells]


def _named(
    cells: Iterator[tuple[int, list[str]]], needed: Collection[str], also: Mapping[str, str], name: str
) -> Iterator[tuple[int, Row]]:
    header: list[str] | None = None
    for line, values in cells:
        if not any(value.strip() for value in values):
            continue
        if header is None:
            header = [also.get(column, column) for column in _plain(values)]
            if missing := [column for column in needed if column not in header]:
                raise InvalidValue(
                    f"{name} has no column {listed(missing)}: its first line must name the columns.",
                    kept="Nothing was changed.", do=f"Needed are {listed([*needed])}.",
                )  # fmt: skip
            continue
        yield line, dict(zip(header, (*values, *itertools.repeat("", len(header))), strict=False))
    if header is None:
        raise InvalidValue(f"{name} is empty.", kept="Nothing was changed.")


def _json_rows(path: Path, needed: Collection[str], also: Mapping[str, str]) -> Iterator[tuple[int, Row]]:
    for number, line in enumerate(path.read_text("utf-8-sig").splitlines(), 1):
        if not line.strip():
            continue
        row = json.loads(line, parse_constant=no_number)
        keys = {key: str(key).strip().lower() for key in row} if isinstance(row, dict) else {}
        texts = {also.get(name, name): _text(row[key]) for key, name in keys.items()}
        if missing := [column for column in needed if column not in texts]:
            raise InvalidValue(f"Line {number} of {path.name} has no {listed(missing)}.", kept="Nothing was changed.")
        yield number, texts
