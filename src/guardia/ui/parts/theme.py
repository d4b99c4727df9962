"""The look: named colours for light and dark, turned into one palette and one style sheet."""

from __future__ import annotations

import re
from dataclasses import dataclass, fields
from importlib.resources import files
from pathlib import Path
from string import Template

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication


@dataclass(frozen=True)
class Tokens:
    """Named colours. `real`, `false` and `missed` always go with a shape of their own."""

    page: str
    surface: str
    raised: str
    ink: str
    muted: str
    line: str
    accent: str
    accent_soft: str
    on_accent: str
    real: str
    false: str
    missed: str
    unjudged: str
    rail: str
    rail_ink: str
    rail_muted: str


LIGHT = Tokens(
    page="#f3f1ec", surface="#fdfcfa", raised="#e9e6df", ink="#1b2930", muted="#5a6870", line="#d3cfc5",
    accent="#12616b", accent_soft="#d5e6e6", on_accent="#ffffff", real="#12616b", false="#b4580f", missed="#84286b",
    unjudged="#7d868c", rail="#17323b", rail_ink="#f3f1ec", rail_muted="#9fb4ba",
)  # fmt: skip
DARK = Tokens(
    page="#12191d", surface="#1a2429", raised="#26333a", ink="#e8ecec", muted="#9cabb1", line="#33424a",
    accent="#5fb8bd", accent_soft="#1f4147", on_accent="#0d1518", real="#5fc4c9", false="#f0a25a", missed="#e08bc8",
    unjudged="#97a3a9", rail="#0c1215", rail_ink="#e8ecec", rail_muted="#87989e",
)  # fmt: skip


class Theme(QObject):
    """The colours in force; `changed` tells plots and pictures to redraw."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.tokens = LIGHT
        self.text_percent = 100

    @property
    def dark(self) -> bool:
        """Whether the dark colours are in force."""
        return self.tokens is DARK

    def apply(self, app: QApplication, *, dark: bool, text_percent: int = 100) -> None:
        """Put colours and fonts on the whole application; texts so many per cent of their usual size."""
        self.tokens = DARK if dark else LIGHT
        self.text_percent = text_percent
        app.setStyle("Fusion")
        app.setFont(_font(self.points(10)))
        app.setPalette(self._palette())
        sheet = Template((files("guardia") / "data" / "style.qss").read_text("utf-8"))
        names = {f.name: getattr(self.tokens, f.name) for f in fields(Tokens)}
        icons, ending = files("guardia") / "data" / "icons", "-dark.svg" if dark else ".svg"
        names |= {icon: Path(str(icons / f"{icon}{ending}")).as_posix() for icon in ("tick", "chevron", "chevron_up")}
        sized = re.sub(r"([\d.]+)pt", lambda found: f"{self.points(float(found[1])):g}pt", sheet.substitute(names))
        lowest = re.compile(r"(min-height: )(\d+)px")  # of what holds a line of text
        app.setStyleSheet(lowest.sub(lambda found: f"{found[1]}{self.px(int(found[2]))}px", sized))
        self.changed.emit()

    def points(self, usual: float) -> float:
        """A size of text in points, for what usually has this one."""
        return round(usual * self.text_percent / 100, 1)

    def px(self, usual: int) -> int:
        """Room in pixels for what holds text and usually has this much."""
        return round(usual * self.text_percent / 100)

    def colour(self, name: str, alpha: int = 255) -> QColor:
        """A named colour."""
        colour = QColor(getattr(self.tokens, name))
        colour.setAlpha(alpha)
        return colour

    def _palette(self) -> QPalette:
        palette, role = QPalette(), QPalette.ColorRole
        for where, name in (
            (role.Window, "page"), (role.Base, "surface"), (role.AlternateBase, "raised"), (role.Button, "surface"),
            (role.WindowText, "ink"), (role.Text, "ink"), (role.ButtonText, "ink"), (role.Highlight, "accent_soft"),
            (role.HighlightedText, "ink"), (role.ToolTipBase, "rail"), (role.ToolTipText, "rail_ink"),
            (role.PlaceholderText, "muted"), (role.Link, "accent"),
        ):  # fmt: skip
            palette.setColor(where, self.colour(name))
        return palette


THEME = Theme()

_OVER_PICTURES = {"dark": "#0a1216", "light": "#ffffff", "warm": "#ffd9a8"}
"""Pictures are the same in both themes, and so are the lines and shades over them."""


def over_picture(name: str, alpha: int = 255) -> QColor:
    """A colour for what is drawn over a picture: 'dark', 'light', or 'warm' for what is left out."""
    colour = QColor(_OVER_PICTURES[name])
    colour.setAlpha(alpha)
    return colour


def _font(points: float) -> QFont:
    folder = files("guardia") / "data" / "fonts"
    family = "Open Sans"
    if family not in QFontDatabase.families():
        for name in ("OpenSans-Regular.ttf", "OpenSans-Semibold.ttf", "OpenSans-Bold.ttf"):
            QFontDatabase.addApplicationFontFromData((folder / name).read_bytes())
    font = QFont(family)
    font.setPointSizeF(points)
    return font
