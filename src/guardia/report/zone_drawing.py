"""Zones as they are entered: the outline of the picture in its own shape, corners and squares numbered."""

from __future__ import annotations

from collections.abc import Sequence
from typing import cast

from reportlab.graphics import renderPDF
from reportlab.graphics.shapes import Drawing, Line, Polygon, Rect, String
from reportlab.lib.units import mm
from reportlab.pdfbase.pdfmetrics import stringWidth

from guardia.core.make.zones import BlockZone, Zone, ZoneKind
from guardia.report.letters import BOLD, REGULAR, register_fonts, runs
from guardia.report.paper import FAINT, INK, styled

MOST_MM = (112, 72)
"""Width and height that the picture has at most."""

EDGE = 12
"""Points around the picture for the numbers of squares."""

MOST_NUMBERS = 24
"""Of more rows or columns only every fifth is numbered."""


def zone_drawing(zones: Sequence[Zone], *, aspect: float) -> Drawing:
    """Zones in the outline of the picture: watched ones solid, ignored ones dashed, a line every 10 % of a side.

    Args:
        zones: What is entered.
        aspect: Height of the camera's picture over its width.

    Returns:
        The drawing, without any picture.
    """
    width = min(MOST_MM[0] * mm, MOST_MM[1] * mm / aspect)
    height = width * aspect
    drawing = Drawing(width + EDGE, height + EDGE)
    blocks = [zone for zone in zones if isinstance(zone, BlockZone)]
    if not blocks:
        for step in range(1, 10):
            x, y = width * step / 10, height * step / 10
            for line in (Line(x + EDGE, 0, x + EDGE, height), Line(EDGE, y, width + EDGE, y)):
                drawing.add(styled(line, strokeColor=FAINT, strokeWidth=0.5))
    for zone in zones:
        if isinstance(zone, BlockZone):
            _add_blocks(drawing, zone, width, height)
            continue
        corners = [(EDGE + x * width, (1 - y) * height) for x, y in zone.points]
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
            at = min(max(x + 3, EDGE + 2), EDGE + width - 8), min(max(y + 3, 2), height - 8)
            drawing.add(styled(String(*at, str(number)), fontName=REGULAR, fontSize=7))
    drawing.add(styled(Rect(EDGE, 0, width, height), fillColor=None, strokeColor=INK, strokeWidth=0.8))
    return drawing


def _add_blocks(drawing: Drawing, zone: BlockZone, width: float, height: float) -> None:
    """Squares that are on, with the numbers of columns above and of rows at the left, counted from 1."""
    across, down = width / zone.columns, height / zone.rows
    for index, on in enumerate(zone.active):
        row, column = divmod(index, zone.columns)
        block = Rect(EDGE + column * across, height - (row + 1) * down, across, down)
        drawing.add(styled(block, fillColor=INK if on else None, strokeColor=FAINT, strokeWidth=0.4))
    for number in _numbered(zone.columns):
        words = String(EDGE + (number - 0.5) * across - 2, height + 3, str(number))
        drawing.add(styled(words, fontName=REGULAR, fontSize=5.5))
    for number in _numbered(zone.rows):
        words = String(0, height - (number - 0.5) * down - 2, str(number))
        drawing.add(styled(words, fontName=REGULAR, fontSize=5.5))


def _numbered(count: int) -> list[int]:
    """Numbers of the rows or columns that are written beside them."""
    return [n for n in range(1, count + 1) if count <= MOST_NUMBERS or n == 1 or n % 5 == 0]


def zone_pdf(zones: Sequence[Zone], *, aspect: float) -> bytes:
    """The same drawing as a PDF of its own, to be shown on screen as it will be printed."""
    register_fonts()
    return cast(bytes, renderPDF.drawToString(zone_drawing(zones, aspect=aspect), autoSize=1))
