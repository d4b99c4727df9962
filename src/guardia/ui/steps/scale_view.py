"""The scale of a camera: the chance to trigger at the installed notch, with what was seen, and what would narrow it."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QVBoxLayout, QWidget

from guardia.app.steps.people_model import PeopleModel
from guardia.core.base.words import count_of
from guardia.core.replay.factor import chance
from guardia.core.tuning.scale import ODD, taught_words
from guardia.ui.parts.plots import begin_plot, still_plot
from guardia.ui.parts.theme import THEME
from guardia.ui.parts.widgets import WrappedLabel

_WIDTH = 0.12
_STRENGTHS = np.geomspace(0.2, 12.0, 160)
_LOOKS = ((Qt.PenStyle.SolidLine, "o"), (Qt.PenStyle.DashLine, "d"))
"""Line and points of the notch by day, or by day and night, and of that at night."""

_TICKS = [(float(np.log10(v)), f"{v:g}") for v in (0.2, 0.5, 1, 2, 5, 10)]


class ScaleView(QWidget):
    """The curve above, what it says below."""

    def __init__(self, people: PeopleModel) -> None:
        super().__init__()
        self._people, self._model = people, people.model
        people.changed.connect(self.refresh)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.plot = still_plot("Chance to trigger by size over the nominal threshold", least_px=110)
        layout.addWidget(self.plot, 1)
        self.words = WrappedLabel()
        self.words.setObjectName("muted")
        layout.addWidget(self.words)

    def refresh(self) -> None:
        """Draw it as it is now."""
        plot, model = self.plot, self._model
        begin_plot(plot, left="chance to trigger", bottom="size, times the nominal threshold")
        plot.getAxis("bottom").setTicks([_TICKS])
        installed = model.camera.installed
        if installed.detection.sensitivity is not None:
            self.words.setText("The installed sensitivity is given directly: there is no level to calibrate.")
            return
        notches = [installed.in_light(dark=dark).detection.notch for dark in installed.lights]
        told = [self._draw(notch, n > 0) for n, notch in enumerate(notches)]
        plot.setYRange(-0.02, 1.02)
        plot.setXRange(*np.log10(_STRENGTHS[[0, -1]]).tolist(), padding=0.01)
        lights = ("By day: ", "At night, dashed: ") if len(told) > 1 else ("",)
        taught = model.camera.capability.taught
        others = [] if taught is None else [f"It starts from {taught_words(taught)}"]
        odd = [ODD] if model.scale.odd else []
        said = [light + words for light, words in zip(lights, told, strict=True)]
        self.words.setText(" ".join([*said, *others, *odd]))

    def _draw(self, notch: str, apart: bool) -> str:
        """Draw the curve of a notch, of that apart for the night or not, with what was seen; what it says, in words."""
        plot, model = self.plot, self._model
        style, symbol = _LOOKS[apart]
        scale = next(s for s in model.scales if s.label == notch)
        x = np.log10(_STRENGTHS)
        low, middle, high = (chance(_STRENGTHS, f, width=_WIDTH) for f in (scale.low, scale.factor, scale.high))
        edges = [plot.plot(x, y, pen=pg.mkPen(THEME.colour("accent", 90), width=0.8)) for y in (low, high)]
        plot.addItem(pg.FillBetweenItem(*edges, brush=pg.mkBrush(THEME.colour("accent", 40))))
        plot.plot(x, middle, pen=pg.mkPen(THEME.colour("accent"), width=2, style=style))
        seen = [s for s in model.seen if s.notch == notch]
        points = pg.ScatterPlotItem(
            np.log10(np.clip([s.strength for s in seen], 0.2, 12.0)),
            [(0.97 if s.triggered else 0.03) + 0.02 * (n % 3 - 1) for n, s in enumerate(seen)],
            symbol=symbol, size=6, pen=pg.mkPen(THEME.colour("ink"), width=0.8), brush=pg.mkBrush(None),
        )  # fmt: skip
        plot.addItem(points)
        return (
            f"Level {notch}: the true threshold is {scale.low:.2f} to {scale.high:.2f} times the nominal one (95 %), "
            f"from {count_of(len(seen), 'thing')} seen. {self._people.telling_walk(notch, dark=apart)}"
        )
