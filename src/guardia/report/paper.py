"""What papers to print have in common: styles, tick boxes, ruled tables, and a plain list to tick."""

from __future__ import annotations

import io
import sys
from collections.abc import Sequence
from typing import Any, NamedTuple

from reportlab.graphics.shapes import Drawing, Rect
from reportlab.lib import colors
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Paragraph, SimpleDocTemplate, Spacer, Table, TableStyle

from guardia.report.letters import BOLD, REGULAR, markup, register_fonts

INK, SOFT_INK, FAINT = colors.HexColor("#17323b"), colors.HexColor("#4a5560"), colors.HexColor("#d3d9dc")


class Styles(NamedTuple):
    """The styles of a paper."""

    body: ParagraphStyle
    """Running text."""
    small: ParagraphStyle
    """Notes."""
    head: ParagraphStyle
    """Heads of sections."""
    title: ParagraphStyle
    """The paper's own."""


def paper_styles() -> Styles:
    """The styles, with the fonts that they need."""
    register_fonts()
    body = ParagraphStyle("body", fontName=REGULAR, fontSize=9.5, leading=13)
    small = ParagraphStyle("small", parent=body, fontSize=8, leading=11, textColor=SOFT_INK)
    head = ParagraphStyle("head", parent=body, fontName=BOLD, fontSize=12, leading=16, spaceBefore=10, spaceAfter=3)
    return Styles(body, small, head, ParagraphStyle("title", parent=head, fontSize=19, leading=24, spaceBefore=0))


TALLEST_PT = 600.0
"""A row that is taller is parted between pages, points."""


def styled(shape: Any, **style: object) -> Any:
    """A drawn shape with its style set."""
    for name, value in style.items():
        setattr(shape, name, value)
    return shape


def words(text: str, style: ParagraphStyle) -> Paragraph:
    """Text in the letters that it needs."""
    return Paragraph(markup(text, style.fontName), style)


def tick_box() -> Drawing:
    """A box to tick."""
    drawing = Drawing(9, 9)
    drawing.add(styled(Rect(0.5, 0, 8, 8), fillColor=None, strokeColor=SOFT_INK, strokeWidth=0.8))
    return drawing


def ruled_table(rows: Sequence[Sequence[Flowable | list[Flowable]]], widths: Sequence[float]) -> Table:
    """A table with a line under each row; a row goes to the next page whole, unless no page could hold it."""
    tall = any(
        sum(part.wrap(width, sys.maxsize)[1] for part in (cell if isinstance(cell, list) else [cell])) > TALLEST_PT
        for row in rows
        for cell, width in zip(row, widths, strict=True)
    )
    table = Table([list(row) for row in rows], colWidths=list(widths), hAlign="LEFT", splitInRow=int(tall))
    table.setStyle(
        TableStyle(
            [
                ("LINEBELOW", (0, 0), (-1, -1), 0.4, FAINT),
                ("VALIGN", (0, 0), (-1, -1), "TOP"),
                ("TOPPADDING", (0, 0), (-1, -1), 2),
            ]
        )
    )
    return table


def pages(story: Sequence[Flowable], title: str) -> bytes:
    """A paper of A4 pages as PDF."""
    out = io.BytesIO()
    document = SimpleDocTemplate(
        out, pagesize=A4, leftMargin=20 * mm, rightMargin=20 * mm, topMargin=18 * mm, bottomMargin=18 * mm,
        title=title, author="Guardia",
    )  # fmt: skip
    document.build(list(story))
    return out.getvalue()


def list_pdf(title: str, subtitle: str, sections: Sequence[tuple[str, Sequence[tuple[str, str]]]], foot: str) -> bytes:
    """A list to tick.

    Args:
        title: Of the paper.
        subtitle: Beneath it.
        sections: Head and rows of each; a row is what to do, and what is said of it in small print.
        foot: To be filled in by hand.

    Returns:
        A PDF of A4 pages.
    """
    style = paper_styles()
    story: list[Flowable] = [words(title, style.title), words(subtitle, style.small)]
    for head, rows in sections:
        story.append(words(head, style.head))
        lines: list[list[Flowable | list[Flowable]]] = [
            [tick_box(), [words(text, style.body), words(note, style.small)]] for text, note in rows
        ]
        story.append(ruled_table(lines, [8 * mm, 162 * mm]))
    return pages([*story, Spacer(1, 9 * mm), words(foot, style.body)], title)
