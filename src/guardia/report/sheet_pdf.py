"""The settings sheet as a PDF to print."""

from __future__ import annotations

from collections.abc import Sequence

from reportlab.graphics.shapes import Drawing, Line, Polygon, Rect, String
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.platypus import Flowable, Paragraph, Spacer

from guardia.core.make.candidate import Candidate
from guardia.core.make.levers import limits_broken
from guardia.core.make.settings import entered_zones
from guardia.core.make.zones import BlockZone, Zone, ZoneKind
from guardia.report.letters import BOLD, NO_FONT, REGULAR, runs, without_font
from guardia.report.paper import FAINT, INK, pages, paper_styles, ruled_table, styled, tick_box, words
from guardia.report.sheet import CAUTIONS, SheetContent, lines_against, met_rows, score_rows, steps


def sheet_pdf(content: SheetContent) -> bytes:
    """The sheet as a PDF of A4 pages, without pictures."""
    body, small, head, title = paper_styles()

    def text(line: str, style: ParagraphStyle = body) -> Paragraph:
        return words(line, style)

    story: list[Flowable] = [
        text(f"Settings sheet: {content.camera}", title),
        text(
            f"{content.site}  ·  {content.capability.name}  ·  "
            f"made {content.made:%Y-%m-%d %H:%M} ({content.time_zone})",
            small,
        ),
        text("To enter on the camera", head),
    ]
    bold = ParagraphStyle("bold", parent=body, fontName=BOLD)
    installed = content.comparison.installed_replay.candidate.settings
    rows = [
        [tick_box(), text(line.words, bold if line.changes else body)]
        for line in lines_against(installed, content.settings, content.capability)
    ]
    story.append(ruled_table(rows, [8 * mm, 162 * mm]))
    zones = entered_zones(content.settings, content.capability)
    if zones:
        story += [Spacer(1, 4 * mm), _zone_drawing(zones)]
    broken = limits_broken(Candidate(content.settings, content.capability))
    if broken:
        story += [text("What cannot be set on this make", head), *(text(line) for line in broken)]
    if asked := met_rows(content.met):
        story.append(text("What this camera is for", head))
        purpose = [[text(""), text("installed"), text("this sheet")]]
        purpose += [[text(cell) for cell in row] for row in asked]
        story.append(ruled_table(purpose, [66 * mm, 52 * mm, 52 * mm]))
    story.append(text("What the recorded evidence says", head))
    table = [[text(""), text("installed"), text("this sheet")]]
    table += [
        [text(what), text(old), text(new)]
        for what, old, new in score_rows(content.comparison.installed, content.comparison.draft)
    ]
    story.append(ruled_table(table, [66 * mm, 52 * mm, 52 * mm]))
    story += [Spacer(1, 2 * mm), *(text(line, small) for line in content.limits)]
    story.append(text("Cautions", head))
    story += [text(line, small) for line in CAUTIONS]
    entered = steps(content.settings, content.capability)
    if any(without_font(line) for line in (content.site, content.camera, content.capability.name, *entered)):
        story.append(text(f"{NO_FONT}: a letter this PDF has no font for. The sheet as JSON holds every name.", small))
    story += [
        Spacer(1, 9 * mm),
        text("Entered by ____________________    on ____________    walk-tested by day ______ at night ______"),
    ]
    return pages(story, f"Settings sheet: {content.camera}")


def _zone_drawing(zones: Sequence[Zone]) -> Drawing:
    """The outline of the picture with a line every 10 %, watched zones solid, ignored dashed, corners numbered."""
    width, height = 112 * mm, 63 * mm
    drawing = Drawing(width, height)
    for step in range(1, 10):
        x, y = width * step / 10, height * step / 10
        for line in (Line(x, 0, x, height), Line(0, y, width, y)):
            drawing.add(styled(line, strokeColor=FAINT, strokeWidth=0.5))
    for zone in zones:
        if isinstance(zone, BlockZone):
            across, down = width / zone.columns, height / zone.rows
            for index in (i for i, on in enumerate(zone.active) if on):
                row, column = divmod(index, zone.columns)
                block = Rect(column * across, height - (row + 1) * down, across, down)
                drawing.add(styled(block, fillColor=FAINT, strokeColor=INK, strokeWidth=0.4))
            continue
        corners = [(x * width, (1 - y) * height) for x, y in zone.points]
        outline = styled(Polygon([c for corner in corners for c in corner]), fillColor=None, strokeColor=INK)
        if zone.kind is not ZoneKind.WATCH:
            outline.strokeDashArray = [4, 3]
        drawing.add(outline)
        middle = sum(x for x, _ in corners) / len(corners), sum(y for _, y in corners) / len(corners)
        pieces = runs(zone.name, BOLD)
        start = middle[0] - sum(stringWidth(piece, font, 8) for font, piece in pieces) / 2
        for font, piece in pieces:
            drawing.add(styled(String(start, middle[1], piece), fontName=font, fontSize=8))
            start += stringWidth(piece, font, 8)
        for number, (x, y) in enumerate(corners, 1):
            drawing.add(styled(Rect(x - 1.5, y - 1.5, 3, 3), fillColor=INK, strokeColor=None))
            at = min(max(x + 3, 2), width - 8), min(max(y + 3, 2), height - 8)
            drawing.add(styled(String(*at, str(number)), fontName=REGULAR, fontSize=7))
    drawing.add(styled(Rect(0, 0, width, height), fillColor=None, strokeColor=INK, strokeWidth=0.8))
    return drawing
