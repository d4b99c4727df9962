"""The settings sheet as a PDF to print."""

from __future__ import annotations

from itertools import zip_longest

from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Paragraph, Spacer

from guardia.core.make.candidate import Candidate
from guardia.core.make.levers import limits_broken
from guardia.core.make.settings import entered_zones
from guardia.report.letters import BOLD, NO_FONT, without_font
from guardia.report.paper import pages, paper_styles, ruled_table, tick_box, words
from guardia.report.sheet import CAUTIONS, SheetContent, lines_against, met_rows, parted, score_rows, steps
from guardia.report.zone_drawing import zone_drawing


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
    changed, same = parted(lines_against(installed, content.settings, content.capability))
    if changed:
        rows = [[tick_box(), text(line.words, bold)] for line in changed]
        story.append(ruled_table(rows, [8 * mm, 162 * mm]))
        story.append(text("As it is already", head))
    cells = [[tick_box(), text(line.words)] for line in same]
    pairs = [[*left, *right] for left, right in zip_longest(cells[::2], cells[1::2], fillvalue=[text(""), text("")])]
    if pairs:
        story.append(ruled_table(pairs, [8 * mm, 77 * mm] * 2))
    zones = entered_zones(content.settings, content.capability)
    if zones:
        story += [Spacer(1, 4 * mm), zone_drawing(zones, aspect=content.aspect)]
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
