"""Plots of one look: nothing to drag in them, axes in the colours of the theme."""

from __future__ import annotations

import pyqtgraph as pg
from PyQt6.QtCore import QRectF

from guardia.ui.parts.theme import THEME

pg.setConfigOptions(antialias=True)

TOP_PX = 8
"""Room above the axes, so that the topmost number is not cut."""


class UprightLine(pg.InfiniteLine):  # type: ignore[misc]  # pyqtgraph has no types
    """A line across a plot; parameters as pyqtgraph.InfiniteLine, which fails when asked after it was taken out."""

    def boundingRect(self) -> QRectF:
        """Nothing outside a plot."""
        return QRectF() if self.getViewBox() is None else super().boundingRect()


def still_plot(name: str, *, least_px: int) -> pg.PlotWidget:
    """A plot that cannot be dragged or zoomed, named for those who do not see it."""
    plot = pg.PlotWidget()
    plot.setMenuEnabled(False)
    plot.hideButtons()
    plot.setMouseEnabled(x=False, y=False)
    plot.setMinimumHeight(least_px)
    plot.setAccessibleName(name)
    plot.getPlotItem().layout.setContentsMargins(0, TOP_PX, 0, 0)
    return plot


def begin_plot(plot: pg.PlotWidget, *, left: str, bottom: str) -> None:
    """Empty a plot and write its axes in the colours of the theme."""
    plot.clear()
    colour_plot(plot, left=left, bottom=bottom)


def colour_plot(plot: pg.PlotWidget, *, left: str, bottom: str) -> None:
    """Write a plot's axes in the colours of the theme."""
    plot.setBackground(THEME.colour("surface"))
    for side, words in (("left", left), ("bottom", bottom)):
        axis = plot.getAxis(side)
        axis.setPen(THEME.colour("line"))
        axis.setTextPen(THEME.colour("muted"))
        axis.enableAutoSIPrefix(False)
        plot.setLabel(side, words, color=THEME.colour("muted").name())
