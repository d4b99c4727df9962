"""Event lists as cameras and recorders export them: CSV and JSON Lines, with a mapping of their columns."""

from __future__ import annotations

import csv
import json
import math
import re
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from itertools import pairwise
from pathlib import Path
from zoneinfo import ZoneInfo

from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.clips import Cause
from guardia.core.evidence.clock import TIME_FORMS, Resolved, check_zone, read_time, resolve
from guardia.core.evidence.events import CameraEvent, ColumnMapping
from guardia.formats.plain import plain_file
from guardia.formats.table_rows import encoding_of

SAMPLE_ROWS = 12
_SAMPLE_BYTES = 1 << 16
_LINE_LIMIT = 1 << 20
_TOLD = 20

_YES = frozenset(("true", "yes", "y", "1", "sent", "on", "alert", "notified"))
_NO = frozenset(("false", "no", "n", "0", "", "none", "off", "not sent", "-"))
_WORDS = {
    "time": ("start", "begin", "from", "trigger", "timestamp", "datetime", "time", "when", "date", "at"),
    "duration": ("duration", "seconds", "length", "lasts", "secs"),
    "named": ("class", "object", "type", "label", "kind", "what", "seen", "detected", "category"),
    "alert": ("alert", "notif", "push", "sent", "alarm"),
    "zone": ("zone", "area", "region"),
    "cause": ("cause", "reason", "source", "trigger"),
}
"""Words that name a column, for a first guess of the mapping; for the time the surest first."""

_NOT_A_BEGINNING = ("end", "stop", "finish", "until", "export", "created", "modified")
"""Columns of other times than the beginning; so is one that is called 'to'."""

_UTC = frozenset(("utc", "gmt", "zulu"))
"""Words of a column's name that say in which zone its times are."""

_CAUSES = (
    (Cause.SOUND, ("sound", "audio", "noise", "glass")),
    (Cause.BUTTON, ("button", "bell", "ring")),
    (Cause.BY_HAND, ("hand", "manual")),
    (Cause.LIVE_LOOK, ("live", "look", "view")),
    (Cause.OTHER_CAMERA, ("camera", "sensor", "linked", "contact")),
    (
        Cause.MOTION,
        ("motion", "pir", "person", "human", "vehicle", "car", "animal", "pet", "parcel", "package", "object"),
    ),
)
"""Words by which lists name a cause, the rarer first; anything else is a cause that is not known."""


@dataclass(frozen=True)
class ListShape:
    """What an event list looks like."""

    path: Path
    """The file."""
    form: str
    """'csv' or 'json lines'."""
    encoding: str
    """Of its text."""
    delimiter: str
    """Between CSV columns; empty for JSON Lines."""
    columns: tuple[str, ...]
    """Names of the columns; nested JSON is named with dots."""
    sample: tuple[tuple[str, ...], ...]
    """The first rows as text, one value a column."""
    notes: tuple[str, ...] = ()
    """What was noticed while looking."""


@dataclass
class EventReport:
    """What was read."""

    events: list[CameraEvent] = field(default_factory=list)
    """In order of the file."""
    skipped: list[str] = field(default_factory=list)
    """One sentence per line that could not be used, the first of many; the last tells how many more."""
    doubts: list[str] = field(default_factory=list)
    """What was read but should be looked at."""


def look_at(path: Path) -> ListShape:
    """Find out the form, encoding and columns of an event list from its beginning.

    Args:
        path: The file.

    Returns:
        What it looks like.

    Raises:
        InvalidValue: If it cannot be read, is no text, or holds no rows.
    """
    if not path.is_file():
        raise InvalidValue(f"{path.name} is no file that can be read.", kept="Nothing was changed.")
    try:
        with plain_file(path).open("rb") as file:
            head = file.read(_SAMPLE_BYTES)
    except OSError as error:
        raise InvalidValue(f"{path.name} cannot be read ({error.strerror}).", kept="Nothing was changed.") from error
    encoding, notes = encoding_of(head, path.name)
    first = head.decode(encoding, "replace").lstrip("\ufeff \r\n\t")
    if not first:
        raise InvalidValue(f"{path.name} is empty.", kept="Nothing was changed.")
    if first[0] == "[":
        raise InvalidValue(
            f"{path.name} is one JSON array; an event list needs one JSON object per line.",
            do="Export it as JSON Lines or CSV.",
        )
    if first[0] == "{":
        form, delimiter = "json lines", ""
    else:
        form = "csv"
        try:
            delimiter = csv.Sniffer().sniff("\n".join(first.splitlines()[:SAMPLE_ROWS]), ",;\t|").delimiter
        except csv.Error:
            delimiter = ","
    shape = ListShape(path, form, encoding, delimiter, (), (), tuple(notes))
    rows: list[dict[str, str]] = []
    for _, row in _rows(shape):
        if isinstance(row, dict):
            rows.append(row)
        if len(rows) >= SAMPLE_ROWS:
            break
    columns = list(dict.fromkeys(name for row in rows for name in row))
    if not rows or not columns:
        raise InvalidValue(f"{path.name} holds no rows that can be read as an event list.", kept="Nothing was changed.")
    sample = tuple(tuple(row.get(c, "") for c in columns) for row in rows)
    return ListShape(path, form, encoding, delimiter, tuple(columns), sample, tuple(notes))


def _rows(shape: ListShape) -> Iterator[tuple[int, dict[str, str] | str]]:
    """Line number and row of each line, or the reason why it cannot be used."""
    with shape.path.open(encoding=shape.encoding, errors="replace", newline="") as file:
        lines = _bounded(file)
        if shape.form == "json lines":
            for number, line in enumerate(lines, start=1):
                if line.strip():
                    yield number, _json_row(line)
            return
        reader = csv.reader(lines, delimiter=shape.delimiter)
        header: list[str] | None = None
        while True:
            try:
                values = next(reader)
            except StopIteration:
                return
            except csv.Error as error:
                yield reader.line_num, f"is not CSV ({error})"
                continue
            if not any(v.strip() for v in values):
                continue
            if header is None:
                header = _named_apart([v.strip() or f"column {n}" for n, v in enumerate(values, start=1)])
                continue
            if len(values) != len(header):
                yield reader.line_num, f"has {len(values)} values instead of {len(header)}"
                continue
            yield reader.line_num, dict(zip(header, (v.strip() for v in values), strict=True))


def _named_apart(names: list[str]) -> list[str]:
    """Column names, of which the second of two alike gets a number, so that neither hides the other."""
    unique: list[str] = []
    for name in names:
        number, shown = 2, name
        while shown in unique:
            number, shown = number + 1, f"{name} ({number})"
        unique.append(shown)
    return unique


def _bounded(file: object) -> Iterator[str]:
    """The lines of a file, none longer than a megabyte: a longer one is cut, so that it is refused and not hoarded."""
    read = file.readline  # type: ignore[attr-defined]
    while line := read(_LINE_LIMIT):
        if len(line) >= _LINE_LIMIT and not line.endswith("\n"):
            while (rest := read(_LINE_LIMIT)) and not rest.endswith("\n"):
                pass
            line = line[:200] + "\n"
        yield line


def _json_row(line: str) -> dict[str, str] | str:
    try:
        data = json.loads(line)
    except (ValueError, RecursionError):
        return "is not JSON"
    if not isinstance(data, dict):
        return "is not a JSON object"
    flat: dict[str, str] = {}

    def put(name: str, value: object) -> None:
        if isinstance(value, dict):
            for key, inner in value.items():
                put(f"{name}.{key}" if name else str(key), inner)
        elif isinstance(value, bool):
            flat[name] = "true" if value else "false"
        elif value is not None:
            flat[name] = str(value)

    put("", data)
    return flat


def guess_mapping(shape: ListShape) -> ColumnMapping:
    """A first guess of the mapping, from the columns' names and from what their values can be read as.

    Args:
        shape: From look_at().

    Returns:
        The guess; `time` may be empty when no column can be read as a time.
    """
    form_of = {}
    for index, column in enumerate(shape.columns):
        form = _form_of([row[index] for row in shape.sample if row[index]])
        if form:
            form_of[column] = form
    named = {what: [c for c in shape.columns if any(w in c.lower() for w in words)] for what, words in _WORDS.items()}
    # The surest word decides, not the order of the columns; plain numbers are times only where the name says so.
    named["time"] = [
        c for w in _WORDS["time"] for c in shape.columns if w in _words(c) or (len(w) > 2 and w in c.lower())
    ]
    ends = [c for c in shape.columns if _no_beginning(c)]
    named["time"] = list(dict.fromkeys(c for c in named["time"] if c not in ends))
    written = [c for c in form_of if form_of[c] not in ("seconds", "milliseconds") and c not in ends]
    times = [c for c in named["time"] if c in form_of] or written
    date = ""
    if not times:
        pairs = [(d, t) for d in shape.columns for t in shape.columns if "date" in d.lower() and t in named["time"]]
        for day, hour in (p for p in pairs if p[0] != p[1]):
            one, two = shape.columns.index(day), shape.columns.index(hour)
            joined = [f"{row[one]} {row[two]}" for row in shape.sample]
            form = _form_of(joined)
            if form:
                times, date, form_of = [hour], day, {hour: form}
                break
    times = times or [c for c in ends if c in form_of]  # the only time that the list has; read_events() says so
    taken = {*times[:1], date}

    def first(what: str) -> str:
        match = next((c for c in named[what] if c not in taken), "")
        taken.add(match)
        return match

    time = times[0] if times else ""
    alert, duration, zone, cause = first("alert"), first("duration"), first("zone"), first("cause")
    clock = "UTC" if _UTC & {*_words(time), *_words(date)} else ""
    return ColumnMapping(
        time, form_of.get(time, TIME_FORMS[0].code), date, duration, first("named"), alert, zone, cause, clock
    )


def _words(column: str) -> list[str]:
    return re.split(r"[^a-z]+", column.lower())


def _no_beginning(column: str) -> bool:
    return "to" in _words(column) or any(word in column.lower() for word in _NOT_A_BEGINNING)


_TURNED = {
    f"{one} {clock}": f"{other} {clock}"
    for clock in ("%H:%M:%S", "%I:%M:%S %p")
    for one, other in (("%d/%m/%Y", "%m/%d/%Y"), ("%m/%d/%Y", "%d/%m/%Y"))
}
"""Forms that a date of small numbers can be read by as well as by the other."""


def _form_of(values: list[str]) -> str:
    """Code of the form that reads most of the values, at least half of them; empty when none does."""
    read = [(sum(_is_time(v, f.code) for v in values), -n, f.code) for n, f in enumerate(TIME_FORMS)]
    most, _, code = max(read)
    return code if values and 2 * most >= len(values) else ""


def _is_time(text: str, code: str) -> bool:
    try:
        read_time(text, code)
    except (ValueError, OverflowError, OSError):
        return False
    return True


def read_events(shape: ListShape, mapping: ColumnMapping, zone: ZoneInfo) -> EventReport:
    """Read all events of a list.

    Args:
        shape: From look_at().
        mapping: Which column means what.
        zone: The site's, for times that name no zone of their own.

    Returns:
        The events at the times that the camera's clock showed, and what was skipped; a line that cannot be used never
        stops the rest.

    Raises:
        InvalidValue: If the mapping names no time or a column that is not there.
    """
    _check_columns(shape, mapping)
    report = EventReport(doubts=list(shape.notes))
    turned = _TURNED.get(mapping.form, "")
    both_ways = bool(turned)
    skipped: list[str] = []
    unknown = 0
    clock = check_zone(mapping.clock) if mapping.clock else zone
    read: list[tuple[dict[str, str], datetime, float | None]] = []
    for number, row in _rows(shape):
        if isinstance(row, str):
            skipped.append(f"line {number} {row}")
            continue
        try:
            parts = [row.get(c, "") for c in (mapping.date, mapping.time) if c]
            both_ways = both_ways and _is_time(" ".join(parts), turned)
            wall = read_time(" ".join(parts), mapping.form)
            duration = _seconds(row.get(mapping.duration, "")) if mapping.duration else None
        except (ValueError, OverflowError, OSError) as error:
            skipped.append(f"line {number}: {error}")
            continue
        read.append((row, wall, duration))
    moments = _in_order([wall for _, wall, _ in read], clock)
    for (row, _, duration), moment in zip(read, moments, strict=True):
        alert, known = _yes_or_no(row.get(mapping.alert, "")) if mapping.alert else (None, True)
        unknown += not known
        report.events.append(
            CameraEvent(
                moment.moment.timestamp(),
                duration,
                row.get(mapping.named, "").lower() if mapping.named else "",
                alert,
                row.get(mapping.zone, "") if mapping.zone else "",
                cause_named(row.get(mapping.cause, "")) if mapping.cause else "",
            )
        )
    name = shape.path.name
    if mapping.clock and any(wall.tzinfo is None for _, wall, _ in read):
        report.doubts.append(
            f"{name}: its times are read as times of {mapping.clock}; choose the zone if that is wrong."
        )
    if read and _no_beginning(mapping.time):
        report.doubts.append(f"{name}: '{mapping.time}' is the time that is read; events may have begun before it.")
    if both_ways and report.events:
        taken, other = ("day/month", "month/day") if mapping.form.startswith("%d") else ("month/day", "day/month")
        report.doubts.append(
            f"{name}: its dates are read as {taken} but could be {other}; choose the form if that is wrong."
        )
    report.skipped = [f"{name}, {line}" for line in skipped[:_TOLD]]
    if len(skipped) > _TOLD:
        report.skipped.append(f"{name}: {len(skipped) - _TOLD} more lines could not be used.")
    found = Counter(moment.doubt for moment in moments)
    for count, what in (
        (found["twice"], "fall in the hour that the clocks showed twice; they were put in order as far as possible"),
        (found["never"], "name a time that the clocks skipped; they were read as standing before the change"),
        (unknown, "say neither yes nor no about the alert"),
    ):
        if count:
            report.doubts.append(f"{name}: {count} lines {what}.")
    return report


def _check_columns(shape: ListShape, mapping: ColumnMapping) -> None:
    wanted = [getattr(mapping, n) for n in ("time", "date", "duration", "named", "alert", "zone", "cause")]
    missing = [c for c in wanted if c and c not in shape.columns]
    if not mapping.time or missing:
        why = f"there is no column {', '.join(missing)}" if missing else "no column is given for the time"
        raise InvalidValue(f"The event list {shape.path.name} cannot be read: {why}.", do="Choose the columns again.")


def _in_order(walls: Sequence[datetime], zone: ZoneInfo) -> list[Resolved]:
    """The moments of a list's times, which runs forwards or, where most times lie before the last one, backwards."""
    # Times in the hour that the clocks show twice say nothing of that.
    naive = [wall.replace(tzinfo=None) for wall in walls if resolve(wall, zone).doubt != "twice"]
    falls = sum(later < earlier for earlier, later in pairwise(naive))
    rises = sum(later > earlier for earlier, later in pairwise(naive))
    step = -1 if falls > rises else 1
    found: list[Resolved] = []
    for wall in walls[::step]:
        found.append(resolve(wall, zone, after=found[-1].moment if found else None))
    return found[::step]


def cause_named(text: str) -> str:
    """The cause that a list names, as one of Cause's values; empty when it names none."""
    if not text.strip():
        return ""
    named = next((cause for cause, words in _CAUSES if any(w in text.lower() for w in words)), Cause.NOT_KNOWN)
    return named.value


def _seconds(text: str) -> float | None:
    """A length such as '12', '12,5' or '0:00:12' in seconds; None when nothing is written."""
    if not text:
        return None
    seconds = 0.0
    for part in text.split(":"):
        seconds = seconds * 60 + float(part.replace(",", "."))
    if not math.isfinite(seconds) or not 0 <= seconds <= 7 * 86400:
        raise ValueError(f"the length '{text}' cannot be right")
    return seconds


def _yes_or_no(text: str) -> tuple[bool | None, bool]:
    word = text.strip().lower()
    if word in _YES:
        return True, True
    return (False, True) if word in _NO else (None, False)
