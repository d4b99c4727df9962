"""The letters of a PDF: every script a name may be written in, from the fonts this program carries."""

from __future__ import annotations

import io
import unicodedata
from functools import cache
from importlib.resources import files
from itertools import groupby
from xml.sax.saxutils import escape

import arabic_reshaper
from bidi import get_display
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.cidfonts import UnicodeCIDFont
from reportlab.pdfbase.ttfonts import TTFont

REGULAR, BOLD = "Guardia", "Guardia-Bold"
_OTHER_SCRIPTS = "Guardia-Other-Scripts"
_FILES = {REGULAR: "OpenSans-Regular.ttf", BOLD: "OpenSans-Semibold.ttf", _OTHER_SCRIPTS: "DejaVuSans.ttf"}
_CHINESE, _JAPANESE, _KOREAN = "STSong-Light", "HeiseiMin-W3", "HYSMyeongJo-Medium"
"""Standard names of the PDF reader's own fonts: Chinese, Japanese and Korean ones are too large to carry."""
NO_FONT = "\N{WHITE SQUARE}"
"""Stands for a letter that no font here has."""


@cache
def register_fonts() -> None:
    """Make the fonts known to the PDF library; once is enough."""
    folder = files("guardia") / "data" / "fonts"
    for name, file in _FILES.items():
        pdfmetrics.registerFont(TTFont(name, io.BytesIO((folder / file).read_bytes())))
    for name in (_CHINESE, _JAPANESE, _KOREAN):
        pdfmetrics.registerFont(UnicodeCIDFont(name))


def runs(words: str, font: str = REGULAR) -> list[tuple[str, str]]:
    """Split words into pieces that one font can draw, in the order they are drawn from left to right.

    Args:
        words: What to write, in reading order. Hebrew and Arabic are turned by the Unicode bidirectional algorithm (UAX
            #9) in a line that runs from left to right, and Arabic letters are joined.
        font: The font for letters it has.

    Returns:
        Font and piece. A letter that no font has is replaced by `NO_FONT`.
    """
    register_fonts()
    if any(unicodedata.bidirectional(letter) in ("R", "AL") for letter in words):
        words = get_display(arabic_reshaper.reshape(words), base_dir="L")
    japanese = any(unicodedata.name(letter, "").startswith(("HIRAGANA", "KATAKANA")) for letter in words)
    drawn = [_drawn(letter, font, japanese) for letter in words]
    return [(name, "".join(letter for _, letter in piece)) for name, piece in groupby(drawn, key=lambda one: one[0])]


def markup(words: str, font: str = REGULAR) -> str:
    """The words as a paragraph of the PDF library, with the font named where it changes."""
    return "".join(
        escape(piece) if name == font else f'<font name="{name}">{escape(piece)}</font>'
        for name, piece in runs(words, font)
    )


def without_font(words: str) -> bool:
    """Whether the words hold a letter that no font here has."""
    return any(NO_FONT in piece for _, piece in runs(words.replace(NO_FONT, "")))


def _drawn(letter: str, font: str, japanese: bool) -> tuple[str, str]:
    """The font that draws a letter, and what it draws."""
    for name in (font, _OTHER_SCRIPTS):
        held = pdfmetrics.getFont(name)
        if letter.isspace() or (isinstance(held, TTFont) and ord(letter) in held.face.charToGlyph):
            return name, letter
    kind = unicodedata.name(letter, "")
    if kind.startswith("HANGUL"):
        return _KOREAN, letter
    if kind.startswith(("CJK", "HIRAGANA", "KATAKANA", "IDEOGRAPHIC", "FULLWIDTH")) and ord(letter) <= 0xFFFF:
        return (_JAPANESE if japanese else _CHINESE), letter
    return _OTHER_SCRIPTS, NO_FONT
