"""Occurrences and statistics as tables in open forms: CSV, JSON Lines, XLSX."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Iterator, Mapping, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from guardia.core.base.errors import InvalidValue
from guardia.core.evidence.clips import Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.replay.gate import Stage
from guardia.core.replay.gates import Outcome
from guardia.core.score.score import Comparison
from guardia.core.score.statistics import StatisticLine

SUFFIXES = (".csv", ".jsonl", ".xlsx")

Row = Mapping[str, str | float | int | bool | None]


def occurrence_rows(camera: str, evidence: Evidence, comparison: Comparison) -> Iterator[Row]:
    """One row for each occurrence of a camera, those that other evidence repeats included and marked.

    Args:
        camera: Its name.
        evidence: Clips, occurrences, events.
        comparison: Outcomes under the installed settings and the draft.

    Yields:
        Names and values; times are ISO 8601 with the site's offset, lengths seconds.
    """
    zone = ZoneInfo(evidence.time_zone)
    for o in evidence.occurrences:
        clip = evidence.clip_of(o)
        begin, end = evidence.span_s(o)
        event = evidence.event_of.get(o.id)
        yield {
            "camera": camera,
            "begin": _iso(begin, zone),
            "end": _iso(end, zone),
            "length_s": round(end - begin, 2),
            "origin": clip.origin.value,
            "clip": clip.name,
            "judgement": o.kind,
            "verdict": o.verdict.value if o.verdict else "",
            "visit": o.visit,
            "cause": clip.cause.value if clip.origin is Origin.MOTION else "",
            "counted": o.id not in evidence.repeated and not clip.by_another_cause,
            "camera_named": event.named if event else "",
            "alert_sent": event.alert if event else None,
            "installed": _outcome(comparison.installed_replay.outcomes[o.id]),
            "installed_gate": str(comparison.installed_replay.outcomes[o.id].gate or ""),
            "installed_alerted": comparison.installed_replay.outcomes[o.id].passed(Stage.ALERTED),
            "draft": _outcome(comparison.draft_replay.outcomes[o.id]),
            "draft_gate": str(comparison.draft_replay.outcomes[o.id].gate or ""),
            "draft_alerted": comparison.draft_replay.outcomes[o.id].passed(Stage.ALERTED),
        }


def statistic_rows(camera: str, by: str, lines: Sequence[StatisticLine]) -> Iterator[Row]:
    """One row for each line of a statistic.

    Args:
        camera: Its name.
        by: What is counted by.
        lines: The statistic.

    Yields:
        Names and values; rates are a day, with the ends of their exact 95 % interval.
    """
    for line in lines:
        yield {
            "camera": camera,
            "by": by,
            "name": line.name,
            "count": len(line.ids),
            "watched_days": round(line.days, 3),
            "per_day": line.rate,
            "per_day_low": line.low,
            "per_day_high": line.high,
        }


def table_file(path: Path, rows: Sequence[Row]) -> bytes:
    """Rows as a file of the form that its ending names.

    Args:
        path: Ends in one of SUFFIXES.
        rows: All with the same names.

    Returns:
        What the file is to hold.

    Raises:
        InvalidValue: If the ending is another.
    """
    forms = {".csv": _csv, ".jsonl": _jsonl, ".xlsx": _xlsx}
    form = forms.get(path.suffix.lower())
    if form is None:
        raise InvalidValue(f"'{path.name}' names no form of table.", do=f"End it in {', '.join(SUFFIXES)}.")
    return form(rows)


def _csv(rows: Sequence[Row]) -> bytes:
    file = io.StringIO(newline="")
    table = csv.DictWriter(file, list(rows[0]) if rows else [])
    table.writeheader()
    table.writerows({name: _guarded(value) for name, value in row.items()} for row in rows)
    return file.getvalue().encode("utf-8-sig", "replace")


def _guarded(value: object) -> object:
    """A text that a spreadsheet would take for a formula, with an apostrophe before it; numbers stay as they are."""
    return f"'{value}" if isinstance(value, str) and value[:1] in "=+-@\t\r" and value else value


def _jsonl(rows: Sequence[Row]) -> bytes:
    lines = [json.dumps(row, ensure_ascii=False, allow_nan=False) for row in rows]
    return "".join(f"{line}\n" for line in lines).encode("utf-8", "replace")


def _xlsx(rows: Sequence[Row]) -> bytes:
    from openpyxl import Workbook
    from openpyxl.cell import WriteOnlyCell
    from openpyxl.cell.cell import ILLEGAL_CHARACTERS_RE
    from openpyxl.styles import Font
    from openpyxl.utils import get_column_letter

    book = Workbook(write_only=True)
    sheet: Any = book.create_sheet("Guardia")
    names = list(rows[0]) if rows else []

    def shown(value: Any) -> Any:
        return ILLEGAL_CHARACTERS_RE.sub("\ufffd", value) if isinstance(value, str) else value

    def cell(value: Any, *, bold: bool = False) -> Any:
        styled = WriteOnlyCell(sheet, value=shown(value))
        if isinstance(value, str):
            styled.data_type = "s"  # a name that begins with '=' is no formula
        if bold:
            styled.font = Font(bold=True)
        return styled

    for number, name in enumerate(names, start=1):
        longest = max(len(name), *(len(str(row[name])) for row in rows if row[name] is not None), 0)
        sheet.column_dimensions[get_column_letter(number)].width = min(40, longest + 2)
    sheet.freeze_panes = "A2"
    sheet.append([cell(name, bold=True) for name in names])
    for row in rows:
        sheet.append([cell(value) for value in row.values()])
    file = io.BytesIO()
    book.save(file)
    return file.getvalue()


def _iso(posix_s: float, zone: ZoneInfo) -> str:
    return datetime.fromtimestamp(posix_s, UTC).astimezone(zone).isoformat(timespec="milliseconds")


def _outcome(outcome: Outcome) -> str:
    if outcome.gate is not None:
        return "not marked" if outcome.recorded else "missed"
    return "recorded" + (" late" if outcome.late else "") + (" cut" if outcome.cut else "")
