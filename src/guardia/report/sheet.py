"""The settings sheet: what to enter on the camera, as JSON with a published schema."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from importlib.resources import files
from typing import Any, NamedTuple

from guardia.core.base.errors import InvalidValue
from guardia.core.base.intervals import Expected
from guardia.core.base.words import count_of, listed, sentence
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.levers import EXTRAS, LEVERS, NOT_KNOWN, ZONES, changed_levers, limits_broken
from guardia.core.make.settings import Settings, entered_zones, settings_to_dict
from guardia.core.make.zones import BlockZone, Zone, ZoneDoes, block_rows, zone_cells, zone_title
from guardia.core.score.met import Line, Lines, Met
from guardia.core.score.score import Comparison, Score
from guardia.core.trace.measure import Grid
from guardia.report.motion_cells import pack_cells

NO_ZONES = "Zones: none; the whole picture is watched"

CAUTIONS = (
    "Guardia advises; the technician decides. Walk-test the camera after entering these settings, by day and at night.",
    "A camera is no life-safety device: it does not replace a fire, carbon monoxide or intruder alarm.",
    "Filming neighbours, public ground or staff, and recording sound, is regulated: local law decides.",
    "Ladders and mains: follow local rules; mains wiring is for licensed electricians.",
)


USUAL_ASPECT = 9 / 16
"""Of a picture whose size is not known."""


@dataclass(frozen=True)
class SheetContent:
    """What a settings sheet says."""

    site: str
    """Name of the site."""
    time_zone: str
    """Its IANA name."""
    camera: str
    """Name of the camera."""
    capability: Capability
    """The make."""
    settings: Settings
    """The draft to hand over."""
    comparison: Comparison
    """Its score beside that of the installed settings."""
    made: datetime
    """Now, aware, in the site's time zone."""
    met: tuple[Lines, Lines] = ((), ())
    """What the camera is for, met or not under both; none while nobody said."""
    explained: str = ""
    """How far the motion model explains what this camera recorded, in a sentence; empty when nothing tells."""
    aspect: float = USUAL_ASPECT
    """Height of the camera's picture over its width."""

    @property
    def limits(self) -> tuple[str, ...]:
        """What the figures rest on and cannot show, in sentences."""
        return (*([self.explained] if self.explained else []), *self.comparison.limits)


class SheetLine(NamedTuple):
    """One line of a sheet against what is installed."""

    text: str
    """What to enter."""
    changes: bool
    """Whether it is different on the camera now."""
    note: str
    """What it was there, '' where nothing was or nothing changes."""

    @property
    def words(self) -> str:
        """The line with its note."""
        return f"{self.text} ({self.note})" if self.note else self.text


def steps(settings: Settings, capability: Capability) -> list[str]:
    """What to enter on the camera, in the make's own terms, one line each.

    Args:
        settings: What to enter.
        capability: The make.

    Returns:
        In the order of work.
    """
    return [line.text for line in lines_against(settings, settings, capability)]


def lines_against(installed: Settings, settings: Settings, capability: Capability) -> list[SheetLine]:
    """The lines of a sheet, each with what it was on the camera, then the zones to be deleted there.

    A line changes where the value differs, whatever its words; what is set back to its usual value stands here as well.

    Args:
        installed: What is on the camera.
        settings: What to enter.
        capability: The make.

    Returns:
        In the order of work.
    """
    lines: list[SheetLine] = []
    moved = changed_levers(installed, settings)
    for lever in LEVERS:
        if lever is ZONES and not ZONES.known(settings):
            lines.append(SheetLine(ZONES.line(settings, capability), ZONES in moved, ""))
        elif lever is ZONES and not ZONES.known(installed):
            drawn = _zone_lines((), entered_zones(settings, capability))
            lines += [SheetLine(line.words, True, f"was {NOT_KNOWN}") for line in drawn]
        elif lever is ZONES:
            lines += _zone_lines(entered_zones(installed, capability), entered_zones(settings, capability))
        elif lever is EXTRAS:
            lines += _extra_lines(installed, settings)
        elif lever.stands(settings, capability) or lever.stands(installed, capability):
            changes = lever in moved
            note = f"was {lever.words(installed, capability)}" if changes else ""
            lines.append(SheetLine(lever.line(settings, capability), changes, note))
    return lines


def parted(lines: Sequence[SheetLine]) -> tuple[list[SheetLine], list[SheetLine]]:
    """Lines that change something on the camera, which come first, and those that only say how it is."""
    return [line for line in lines if line.changes], [line for line in lines if not line.changes]


def _extra_lines(installed: Settings, settings: Settings) -> list[SheetLine]:
    """A line for each of the other settings that somebody said."""
    old, new = (dict(s.other.extras) for s in (installed, settings))
    lines = []
    for name in {**old, **new}:
        before, after = (said.get(name, NOT_KNOWN) for said in (old, new))
        changes = before != after
        lines.append(SheetLine(f"{sentence(name)}: {after}", changes, f"was {before}" if changes else ""))
    return lines


def changes_of(installed: Settings, settings: Settings, capability: Capability) -> list[str]:
    """The lines of a sheet that change something, with what it was before."""
    return [line.words for line in lines_against(installed, settings, capability) if line.changes]


def _zone_lines(before: tuple[Zone, ...], after: tuple[Zone, ...]) -> list[SheetLine]:
    """A line for each zone: what to draw, with what is different about the one of that name, and what to delete."""
    if not after and not before:
        return [SheetLine(NO_ZONES, False, "")]
    old, new = ({zone_title(zone): zone for zone in zones} for zones in (before, after))
    lines = [
        SheetLine(
            _zone_line(zone), zone != old.get(title), "" if zone == old.get(title) else _zone_note(old.get(title))
        )
        for title, zone in new.items()
    ]
    if not after:
        lines.append(SheetLine(NO_ZONES, True, f"was {listed(list(old))}"))
    return lines + [SheetLine(f"{sentence(title)}: delete it", True, "no longer") for title in old if title not in new]


def _zone_note(before: Zone | None) -> str:
    return "new" if before is None else f"was {_zone_line(before).partition(': ')[2]}"


def _zone_line(zone: Zone) -> str:
    """What to draw on the camera."""
    if isinstance(zone, BlockZone):
        pattern = "  ".join(f"{row}: {_spans(marks)}" for row, marks in enumerate(block_rows(zone), 1) if "#" in marks)
        size = f"{sum(zone.active)} of {zone.columns} x {zone.rows}"
        return f"Blocks on, {size}, row: columns from 1: {pattern}"
    corners = "  ".join(f"({x * 100:.1f}, {y * 100:.1f})" for x, y in zone.points)
    own = f", sensitivity {zone.notch}" if zone.notch else ""
    own += f", {zone.does}" if zone.does is not ZoneDoes.BOTH else ""
    own += f", only for {' and '.join(zone.classes)}" if zone.classes else ""
    return f"{sentence(zone_title(zone))}{own}, corners in % from the left and from the top: {corners}"


def _spans(marks: str) -> str:
    """Columns that are on, counted from 1, such as '3-7 12'."""
    return " ".join(
        str(m.start() + 1) if m.end() - m.start() == 1 else f"{m.start() + 1}-{m.end()}"
        for m in re.finditer("#+", marks)
    )


def score_to_dict(score: Score) -> dict[str, Any]:
    """Plain JSON form of a score."""
    return {
        "real_recorded": len(score.real_recorded),
        "real_not_marked": len(score.unmarked),
        "real_missed": len(score.real_missed),
        "real_not_alerted": len(score.not_alerted),
        "real_not_alerted_expected": expected_to_dict(score.unalerted),
        "late": len(score.late),
        "cut": len(score.cut),
        "real_missed_expected": expected_to_dict(score.missed),
        "missed_share_95": [round(v, 4) for v in score.missed_share],
        "false_recorded": len(score.false_recorded),
        "false_recorded_expected": expected_to_dict(score.false),
        "false_silenced": len(score.false_silenced),
        "false_alerted": len(score.false_alerted),
        "false_alerts_per_day": _rounded(score.false_alerts_per_day),
        "false_alerts_per_day_95": _rounded_ends(score.false_alerts_per_day_interval),
        "watched_days": round(score.watched_days, 3),
        "false_per_day": _rounded(score.false_per_day),
        "false_per_day_95": _rounded_ends(score.false_per_day_interval),
        "recorded_s_per_day": None if score.recorded_s_per_day is None else round(score.recorded_s_per_day, 1),
        "unjudged": len(score.open),
    }


def _rounded(rate: float | None) -> float | None:
    return None if rate is None else round(rate, 3)


def _rounded_ends(interval: tuple[float, float] | None) -> list[float] | None:
    return None if interval is None else [round(v, 3) for v in interval]


def expected_to_dict(number: Expected) -> dict[str, float]:
    """A number that is expected, with its interval."""
    return {name: round(value, 2) for name, value in number._asdict().items()}


def sheet_to_dict(content: SheetContent) -> dict[str, Any]:
    """Plain JSON form of the sheet, checked against its published schema.

    Args:
        content: What it says.

    Returns:
        As docs/formats.md describes.

    Raises:
        InvalidValue: If the sheet does not keep to its schema.
    """
    data = {
        "format": "guardia-settings-sheet",
        "version": 3,
        "made": content.made.isoformat(timespec="seconds"),
        "site": {"name": content.site, "time_zone": content.time_zone},
        "camera": content.camera,
        "make": content.capability.name,
        "settings": settings_to_dict(content.settings),
        "steps": steps(content.settings, content.capability),
        "motion_cells": _motion_cells(content.settings, content.capability),
        "cannot_be_entered": limits_broken(Candidate(content.settings, content.capability)),
        "prediction": {
            "installed": score_to_dict(content.comparison.installed),
            "draft": score_to_dict(content.comparison.draft),
            "limits": list(content.limits),
        },
        "purpose": purpose_to_list(content.met),
        "cautions": list(CAUTIONS),
    }
    check_sheet(data)
    return data


def purpose_to_list(met: tuple[Lines, Lines]) -> list[dict[str, Any]]:
    """Plain JSON form of what a camera is for, met or not under the installed settings and under the draft."""

    def stands(line: Line) -> dict[str, Any]:
        return {"met": line.met.value, "found": line.found, "why": list(line.why), "occurrences": list(line.ids)}

    return [
        {"id": old.id, "asked": old.asked, "installed": stands(old), "draft": stands(new)}
        for old, new in zip(*met, strict=True)
    ]


def met_rows(met: tuple[Lines, Lines]) -> list[tuple[str, str, str]]:
    """The same as lines of text: (asked, installed, draft)."""
    signs = {Met.YES: "met", Met.NO: "NOT met", Met.UNKNOWN: "not known"}

    def stands(line: Line) -> str:
        return f"{signs[line.met]}: {line.found}"

    return [(old.asked, stands(old), stands(new)) for old, new in zip(*met, strict=True)]


def unmet_lines(met: tuple[Lines, Lines]) -> list[str]:
    """How much is met, then a line for each thing that is not, as the camera is set or as it is proposed."""
    if not met[0]:
        return []
    counts = [sum(line.met is Met.YES for line in lines) for lines in met]
    said = [f"{counts[0]} of {count_of(len(met[0]), 'thing')} asked are met as it is set, {counts[1]} as proposed."]
    for old, new in zip(*met, strict=True):
        if Met.NO in (old.met, new.met):
            said.append(f"{old.asked}: {old.found}" + ("" if old.found == new.found else f"; proposed: {new.found}"))
    return said


def _motion_cells(settings: Settings, capability: Capability) -> dict[str, Any]:
    """The zone in the open cell form, on the make's own grid or on 22 x 18 cells."""
    grid = capability.blocks if capability.zone_form == "blocks" else Grid(22, 18)
    cells = zone_cells(entered_zones(settings, capability), grid=grid)
    return {"columns": grid.columns, "rows": grid.rows, "active_cells": pack_cells(cells)}


def check_sheet(data: Any) -> None:
    """Check a sheet against its published schema.

    Args:
        data: A sheet's JSON form.

    Raises:
        InvalidValue: Naming the first part that does not keep to it.
    """
    from jsonschema import Draft202012Validator  # slow to import, and needed only here

    schema = json.loads((files("guardia") / "data" / "schemas" / "settings-sheet.schema.json").read_text("utf-8"))
    problem = next(iter(Draft202012Validator(schema).iter_errors(data)), None)
    if problem is not None:
        where = "/".join(str(p) for p in problem.absolute_path) or "the sheet"
        raise InvalidValue(f"The settings sheet is not valid at {where}: {problem.message}")


def score_rows(installed: Score, draft: Score) -> list[tuple[str, str, str]]:
    """The score as lines of text: (what, installed, draft)."""

    def share(number: Expected, of: int, ends: tuple[float, float]) -> str:
        return f"{number.mean:.0f} of {of}  ({ends[0]:.0%} to {ends[1]:.0%})"

    def rate(a_day: float | None, ends: tuple[float, float] | None, in_all: float) -> str:
        if a_day is None or ends is None:
            return f"{in_all:.0f} in all"
        return f"{a_day:.1f}  ({ends[0]:.1f} to {ends[1]:.1f})"

    def minutes(score: Score) -> str:
        return "not known" if score.recorded_s_per_day is None else f"{score.recorded_s_per_day / 60:.1f}"

    both = (installed, draft)
    rows: list[tuple[str, Callable[[Score], str]]] = [
        ("False alerts a day",
         lambda s: rate(s.false_alerts_per_day, s.false_alerts_per_day_interval, len(s.false_alerted))),
        ("Real, missed", lambda s: share(s.missed, s.real, s.missed_share)),
        ("Real, nobody alerted", lambda s: share(s.unalerted, s.real, s.unalerted_share)),
        ("Real, recorded", lambda s: f"{s.real - s.missed.mean:.0f} of {s.real}"),
        ("Recorded late or cut", lambda s: str(len({*s.late, *s.cut}))),
        ("False recordings a day", lambda s: rate(s.false_per_day, s.false_per_day_interval, s.false.mean)),
        ("Recorded a day, min", minutes),
    ]  # fmt: skip
    if any(score.unmarked for score in both):
        rows.insert(4, ("Of them not marked by motion", lambda s: str(len(s.unmarked))))
    return [(words, of(installed), of(draft)) for words, of in rows]
