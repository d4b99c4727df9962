"""The settings sheet: what to enter on the camera, as JSON with a published schema and as a PDF to print."""

from __future__ import annotations

import io
import json
import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from importlib.resources import files
from typing import Any
from xml.sax.saxutils import escape

from jsonschema import Draft202012Validator
from reportlab.graphics.shapes import Drawing, Line, Polygon, Rect, String
from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from guardia.core.capability import Capability
from guardia.core.errors import InvalidValue
from guardia.core.score import Comparison, Score
from guardia.core.settings import Settings, entered_zones, limits_broken, settings_to_dict
from guardia.core.zones import BlockZone, PolygonZone, Zone, ZoneKind, block_rows

_INK, _SOFT_INK, _FAINT = colors.HexColor("#17323b"), colors.HexColor("#4a5560"), colors.HexColor("#d3d9dc")

CAUTIONS = (
    "Guardia advises; the technician decides. Walk-test the camera after entering these settings, by day and at night.",
    "A camera is no life-safety device: it does not replace a fire, carbon monoxide or intruder alarm.",
    "Filming neighbours, public ground or staff, and recording sound, is regulated: local law decides.",
    "Ladders and mains: follow local rules; mains wiring is for licensed electricians.",
)


@dataclass(frozen=True)
class SheetContent:
    """What a settings sheet says.

    Parameters
    ----------
    site
        Name of the site.
    time_zone
        Its IANA name.
    camera
        Name of the camera.
    capability
        The make.
    settings
        The draft to hand over.
    comparison
        Its score beside that of the installed settings.
    made
        Now, aware, in the site's time zone.
    """

    site: str
    time_zone: str
    camera: str
    capability: Capability
    settings: Settings
    comparison: Comparison
    made: datetime


def steps(settings: Settings, capability: Capability) -> list[str]:
    """What to enter on the camera, in the make's own terms, one line each.

    Parameters
    ----------
    settings
        What to enter.
    capability
        The make.

    Returns
    -------
    list[str]
        In the order of work.
    """
    lines = [f"Motion detection: {'on' if settings.detection_on else 'OFF (nothing will be recorded)'}"]
    zones = entered_zones(settings, capability)
    polygons = [z for z in zones if isinstance(z, PolygonZone)]
    blocks = [z for z in zones if isinstance(z, BlockZone)]
    if not zones:
        lines.append("Zones: none; the whole picture is watched")
    for zone in polygons:
        corners = "  ".join(f"({x * 100:.1f}, {y * 100:.1f})" for x, y in zone.points)
        verb = "Watch" if zone.kind is ZoneKind.WATCH else "Ignore"
        lines.append(f"{verb} zone '{zone.name}', corners in % from the left and from the top: {corners}")
    for block in blocks:
        pattern = "  ".join(f"{row}: {_spans(marks)}" for row, marks in enumerate(block_rows(block), 1) if "#" in marks)
        lines.append(
            f"Blocks on, {sum(block.active)} of {block.columns} x {block.rows}, row: columns from 1: {pattern}"
        )
    if settings.sensitivity is None:
        low, high = capability.notches[0].label, capability.notches[-1].label
        lines.append(f"Sensitivity: {settings.notch} (scale from {low}, least, to {high}, most sensitive)")
    else:
        lines.append(f"Contrast {settings.sensitivity[0]}, size {settings.sensitivity[1] * 100:.2f} % of the picture")
    lines.append(f"Motion must last: {settings.hold_s:g} s")
    lines.append(f"Re-trigger wait: {settings.retrigger_wait_s:g} s")
    lines.append(f"Pre-record: {settings.pre_record_s:g} s")
    if settings.clip_length_s is None:
        lines.append("Clip length: until motion stops")
    else:
        early = ", ends early when motion stops" if settings.end_early else ""
        lines.append(f"Clip length: {settings.clip_length_s:g} s{early}")
    return lines


def _spans(marks: str) -> str:
    """Columns that are on, counted from 1, such as '3-7 12'."""
    return " ".join(
        str(m.start() + 1) if m.end() - m.start() == 1 else f"{m.start() + 1}-{m.end()}"
        for m in re.finditer("#+", marks)
    )


def score_to_dict(score: Score) -> dict[str, Any]:
    """Plain JSON form of a score."""
    rate, interval = score.false_per_day, score.false_per_day_interval
    return {
        "real_recorded": len(score.real_recorded),
        "real_missed": len(score.real_missed),
        "late": len(score.late),
        "cut": len(score.cut),
        "missed_share_95": [round(v, 4) for v in score.missed_share],
        "false_recorded": len(score.false_recorded),
        "false_silenced": len(score.false_silenced),
        "days": score.days,
        "false_per_day": None if rate is None else round(rate, 3),
        "false_per_day_95": None if interval is None else [round(v, 3) for v in interval],
        "recorded_s_per_day": round(score.recorded_s_per_day, 1),
        "unjudged": len(score.open),
    }


def sheet_to_dict(content: SheetContent) -> dict[str, Any]:
    """Plain JSON form of the sheet, checked against its published schema.

    Parameters
    ----------
    content
        What it says.

    Returns
    -------
    dict[str, Any]
        As docs/formats.md describes.

    Raises
    ------
    InvalidValue
        If the sheet does not keep to its schema.
    """
    data = {
        "format": "guardia-settings-sheet",
        "version": 1,
        "made": content.made.isoformat(timespec="seconds"),
        "site": {"name": content.site, "time_zone": content.time_zone},
        "camera": content.camera,
        "make": content.capability.name,
        "settings": settings_to_dict(content.settings),
        "steps": steps(content.settings, content.capability),
        "cannot_be_entered": limits_broken(content.settings, content.capability),
        "prediction": {
            "installed": score_to_dict(content.comparison.installed),
            "draft": score_to_dict(content.comparison.draft),
            "limits": list(content.comparison.limits),
        },
        "cautions": list(CAUTIONS),
    }
    check_sheet(data)
    return data


def check_sheet(data: Any) -> None:
    """Check a sheet against its published schema.

    Parameters
    ----------
    data
        A sheet's JSON form.

    Raises
    ------
    InvalidValue
        Naming the first part that does not keep to it.
    """
    schema = json.loads((files("guardia") / "data" / "schemas" / "settings-sheet.schema.json").read_text("utf-8"))
    problem = next(iter(Draft202012Validator(schema).iter_errors(data)), None)
    if problem is not None:
        where = "/".join(str(p) for p in problem.absolute_path) or "the sheet"
        raise InvalidValue(f"The settings sheet is not valid at {where}: {problem.message}")


def score_rows(installed: Score, draft: Score) -> list[tuple[str, str, str]]:
    """The score as lines of text: (what, installed, draft)."""

    def missed(score: Score) -> str:
        low, high = score.missed_share
        return f"{len(score.real_missed)}  ({low:.0%} to {high:.0%} of them)"

    def false(score: Score) -> str:
        if score.false_per_day is None or score.false_per_day_interval is None:
            return f"{len(score.false_recorded)} in all"
        low, high = score.false_per_day_interval
        return f"{score.false_per_day:.1f}  ({low:.1f} to {high:.1f})"

    return [
        ("Real, recorded", str(len(installed.real_recorded)), str(len(draft.real_recorded))),
        ("Real, missed", missed(installed), missed(draft)),
        ("Recorded late or cut", str(len({*installed.late, *installed.cut})), str(len({*draft.late, *draft.cut}))),
        ("False recordings a day", false(installed), false(draft)),
        ("Recorded a day, min", f"{installed.recorded_s_per_day / 60:.1f}", f"{draft.recorded_s_per_day / 60:.1f}"),
    ]


def sheet_pdf(content: SheetContent) -> bytes:
    """The sheet as a PDF of A4 pages, without pictures.

    Parameters
    ----------
    content
        What it says.

    Returns
    -------
    bytes
        The PDF.
    """
    _register_fonts()
    body = ParagraphStyle("body", fontName="Guardia", fontSize=9.5, leading=13)
    small = ParagraphStyle("small", parent=body, fontSize=8, leading=11, textColor=_SOFT_INK)
    head = ParagraphStyle(
        "head", parent=body, fontName="Guardia-Bold", fontSize=12, leading=16, spaceBefore=10, spaceAfter=3
    )
    title = ParagraphStyle("title", parent=head, fontSize=19, leading=24, spaceBefore=0)

    def text(words: str, style: ParagraphStyle = body) -> Paragraph:
        return Paragraph(escape(words), style)

    story: list[Flowable] = [
        text(f"Settings sheet: {content.camera}", title),
        text(
            f"{content.site}  ·  {content.capability.name}  ·  "
            f"made {content.made:%Y-%m-%d %H:%M} ({content.time_zone})",
            small,
        ),
        text("To enter on the camera", head),
    ]
    rows = [[_tick_box(), text(line)] for line in steps(content.settings, content.capability)]
    story.append(_table(rows, [8 * mm, 162 * mm]))
    zones = entered_zones(content.settings, content.capability)
    if zones:
        story += [Spacer(1, 4 * mm), _zone_drawing(zones)]
    broken = limits_broken(content.settings, content.capability)
    if broken:
        story += [text("What this make cannot be told", head), *(text(line) for line in broken)]
    story.append(text("What the recorded evidence says", head))
    table = [[text(""), text("installed"), text("this sheet")]]
    table += [
        [text(what), text(old), text(new)]
        for what, old, new in score_rows(content.comparison.installed, content.comparison.draft)
    ]
    story.append(_table(table, [66 * mm, 52 * mm, 52 * mm]))
    story += [Spacer(1, 2 * mm), *(text(line, small) for line in content.comparison.limits)]
    story.append(text("Cautions", head))
    story += [text(line, small) for line in CAUTIONS]
    story += [
        Spacer(1, 9 * mm),
        text("Entered by ____________________    on ____________    walk-tested by day ______ at night ______"),
    ]
    out = io.BytesIO()
    document = SimpleDocTemplate(
        out, pagesize=A4, leftMargin=20 * mm, rightMargin=20 * mm, topMargin=18 * mm, bottomMargin=18 * mm,
        title=f"Settings sheet: {content.camera}", author="Guardia",
    )  # fmt: skip
    document.build(story)
    return out.getvalue()


def _styled(shape: Any, **style: object) -> Any:
    """A drawn shape with its style set."""
    for name, value in style.items():
        setattr(shape, name, value)
    return shape


def _tick_box() -> Drawing:
    drawing = Drawing(9, 9)
    drawing.add(_styled(Rect(0.5, 0, 8, 8), fillColor=None, strokeColor=_SOFT_INK, strokeWidth=0.8))
    return drawing


def _zone_drawing(zones: Sequence[Zone]) -> Drawing:
    """The outline of the picture with a line every 10 %, watched zones solid, ignored dashed, corners numbered."""
    width, height = 112 * mm, 63 * mm
    drawing = Drawing(width, height)
    for step in range(1, 10):
        x, y = width * step / 10, height * step / 10
        for line in (Line(x, 0, x, height), Line(0, y, width, y)):
            drawing.add(_styled(line, strokeColor=_FAINT, strokeWidth=0.5))
    for zone in zones:
        if isinstance(zone, BlockZone):
            across, down = width / zone.columns, height / zone.rows
            for index in (i for i, on in enumerate(zone.active) if on):
                row, column = divmod(index, zone.columns)
                block = Rect(column * across, height - (row + 1) * down, across, down)
                drawing.add(_styled(block, fillColor=_FAINT, strokeColor=_INK, strokeWidth=0.4))
            continue
        corners = [(x * width, (1 - y) * height) for x, y in zone.points]
        outline = _styled(Polygon([c for corner in corners for c in corner]), fillColor=None, strokeColor=_INK)
        if zone.kind is ZoneKind.IGNORE:
            outline.strokeDashArray = [4, 3]
        drawing.add(outline)
        middle = sum(x for x, _ in corners) / len(corners), sum(y for _, y in corners) / len(corners)
        name = _styled(String(*middle, zone.name), fontName="Guardia-Bold", fontSize=8, textAnchor="middle")
        drawing.add(name)
        for number, (x, y) in enumerate(corners, 1):
            drawing.add(_styled(Rect(x - 1.5, y - 1.5, 3, 3), fillColor=_INK, strokeColor=None))
            at = min(max(x + 3, 2), width - 8), min(max(y + 3, 2), height - 8)
            drawing.add(_styled(String(*at, str(number)), fontName="Guardia", fontSize=7))
    drawing.add(_styled(Rect(0, 0, width, height), fillColor=None, strokeColor=_INK, strokeWidth=0.8))
    return drawing


def _table(rows: Sequence[Sequence[Flowable]], widths: Sequence[float]) -> Table:
    table = Table([list(row) for row in rows], colWidths=list(widths), hAlign="LEFT")
    table.setStyle(
        TableStyle(
            [
                ("LINEBELOW", (0, 0), (-1, -1), 0.4, _FAINT),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("TOPPADDING", (0, 0), (-1, -1), 2),
            ]
        )
    )
    return table


def _register_fonts() -> None:
    if "Guardia" in pdfmetrics.getRegisteredFontNames():
        return
    folder = files("guardia") / "data" / "fonts"
    for name, file in (("Guardia", "OpenSans-Regular.ttf"), ("Guardia-Bold", "OpenSans-Semibold.ttf")):
        pdfmetrics.registerFont(TTFont(name, io.BytesIO((folder / file).read_bytes())))
