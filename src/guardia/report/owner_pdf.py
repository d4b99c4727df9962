"""A report for the owner of a site: a page a camera, before and after, what is not known; pictures only if asked."""

from __future__ import annotations

import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm
from reportlab.platypus import Flowable, Image, PageBreak, Spacer, Table

from guardia.report.paper import pages, paper_styles, ruled_table, words

CAUTION = (
    "Figures are based on recorded and judged clips; with few events they are uncertain by the intervals given. A "
    "camera is no life-safety device: it does not replace a fire, gas or intruder alarm. Filming of public ground, "
    "neighbours or staff, and sound, is regulated: local law decides."
)


@dataclass(frozen=True)
class OwnerPage:
    """What is told of one camera."""

    camera: str
    """Its name."""
    make: str
    """Its make."""
    changes: Sequence[str]
    """What the draft changes, in the make's words; none where nothing."""
    purpose: Sequence[str]
    """How much of what it is for is met, then what is not; none while nobody said."""
    rows: Sequence[tuple[str, str, str]]
    """What is counted, under the installed settings and under the draft."""
    lasts: Sequence[str]
    """How long footage and charge last."""
    findings: Sequence[str]
    """What is wrong."""
    due: Sequence[str]
    """What is due, with its date."""
    not_known: Sequence[str]
    """What the figures rest on, and what they cannot show."""
    pictures: Sequence[tuple[str, bytes]] = ()
    """Words and JPEG of each; only where they were asked for."""


def owner_pdf(site: str, time_zone: str, made: datetime, cameras: Sequence[OwnerPage], people: str = "") -> bytes:
    """The report as a PDF of A4 pages.

    Args:
        site: Name of the site.
        time_zone: Its time zone.
        made: When, on the site's clock.
        cameras: A page each.
        people: Who is expected there, in words.

    Returns:
        The PDF.
    """
    style = paper_styles()
    story: list[Flowable] = []
    for number, one in enumerate(cameras):
        story += [PageBreak()] if number else []
        story += [
            words(f"{site}: {one.camera}", style.title),
            words(f"{one.make}  ·  {made:%Y-%m-%d %H:%M} ({time_zone})", style.small),
            *([words(f"Expected there: {people}", style.small)] if people else []),
        ]
        if one.purpose:
            story.append(words("What this camera is for", style.head))
            story += [words(line, style.small) for line in one.purpose]
        story.append(words("Before and after, on the same recorded events", style.head))
        table: list[list[Flowable | list[Flowable]]] = [
            [words(cell, style.body) for cell in row] for row in (("", "as it is set", "as proposed"), *one.rows)
        ]
        story.append(ruled_table(table, [66 * mm, 52 * mm, 52 * mm]))
        for head, lines, none in (
            ("What is proposed", one.changes, "Nothing is to be changed."),
            ("How long it lasts", one.lasts, "No store is entered."),
            ("What is wrong", one.findings, "Nothing that is known."),
            ("What is due", one.due, "Nothing."),
        ):
            story.append(words(head, style.head))
            story += [words(f"–  {line}", style.body) for line in lines] or [words(none, style.body)]
        if one.pictures:
            story += [Spacer(1, 3 * mm), _picture_row(one.pictures, style.small)]
        story.append(words("What these figures are based on, and what they cannot show", style.head))
        story += [words(line, style.small) for line in one.not_known]
        story += [Spacer(1, 4 * mm), words(CAUTION, style.small)]
    return pages(story, f"Report: {site}")


def _picture_row(pictures: Sequence[tuple[str, bytes]], small: ParagraphStyle) -> Table:
    width = 170 * mm / 3
    cells = []
    for text, jpeg in pictures:
        image = Image(io.BytesIO(jpeg))
        image.drawWidth, image.drawHeight = width - 4 * mm, (width - 4 * mm) * image.imageHeight / image.imageWidth
        cells.append([image, words(text, small)])
    return Table([cells], colWidths=[width] * len(cells), hAlign="LEFT")
