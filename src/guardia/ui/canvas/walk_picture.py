"""The planned walks as lines on the camera's view, and how long somebody takes from camera to camera."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QPainter, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from guardia.core.prove.linked import Link
from guardia.core.prove.walks import Walk, Way
from guardia.core.view.geometry import ViewGeometry
from guardia.ui.parts.theme import THEME, over_picture
from guardia.ui.parts.widgets import painting

ROW_PX = 30
FARTHEST_SIDE_M = 60.0
"""A walk across is drawn so far to both sides, as far as the picture shows it."""


class WalkPicture(QWidget):
    """The view with a numbered line for each walk: solid by day, dashed in the dark."""

    def __init__(self, picture: bytes, aspect: float) -> None:
        super().__init__()
        self._view = QPixmap()
        self._view.loadFromData(picture)
        self._aspect = aspect
        self._walks: Sequence[Walk] = ()
        self._geometry: ViewGeometry | None = None
        self.selected = -1
        self.setMinimumSize(THEME.px(220), THEME.px(124))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("The walks on the view")

    def show_walks(self, walks: Sequence[Walk], geometry: ViewGeometry | None) -> None:
        """Draw these; without a calibrated view nothing is drawn."""
        self._walks, self._geometry = walks, geometry
        self.setVisible(geometry is not None and bool(walks))
        self.update()

    def select(self, number: int) -> None:
        """Make one of them stand out."""
        self.selected = number
        self.update()

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw the view and the walks."""
        if self._geometry is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        size = QSize(1000, round(1000 * self._aspect)).scaled(self.size(), Qt.AspectRatioMode.KeepAspectRatio)
        area = QRectF(0, 0, size.width(), size.height())
        painter.setClipRect(area)
        if self._view.isNull():
            painter.fillRect(area, THEME.colour("raised"))
        else:
            painter.drawPixmap(area, self._view, QRectF(self._view.rect()))
        for number, walk in sorted(enumerate(self._walks), key=lambda one: one[0] == self.selected):  # it on top
            places = self._geometry.to_picture(_ground(walk))
            points = [QPointF(x * area.width(), y * area.height()) for x, y in places.tolist() if np.isfinite(x + y)]
            inside = [point for point in points if area.contains(point)]
            if not inside:
                continue
            chosen = number == self.selected
            style = Qt.PenStyle.DashLine if walk.dark else Qt.PenStyle.SolidLine
            painter.setPen(QPen(over_picture("dark", 200), 6 if chosen else 4))
            painter.drawPolyline(QPolygonF(points))
            painter.setPen(QPen(over_picture("light" if chosen else "warm"), 3 if chosen else 2, style))
            painter.drawPolyline(QPolygonF(points))
            # By day and in the dark one walks the same line: their numbers stand apart.
            share = (0.75 if walk.dark else 0.4) if walk.way is Way.TOWARDS else (0.85 if walk.dark else 0.15)
            at = inside[int(share * (len(inside) - 1))]
            tag = QRectF(at.x() - 10, at.y() - 10, 20, 20)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(over_picture("dark", 230))
            painter.drawEllipse(tag)
            painter.setPen(over_picture("light" if chosen else "warm"))
            painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, str(number + 1))


def _ground(walk: Walk) -> np.ndarray[tuple[int, int], np.dtype[np.float64]]:
    """Places along a walk: x, height above the ground, metres ahead."""
    if walk.way is Way.TOWARDS:
        ahead = np.linspace(walk.far_m, walk.near_m, 40)
        return np.stack([np.zeros(40), np.zeros(40), ahead], axis=1)
    side = np.linspace(-FARTHEST_SIDE_M, FARTHEST_SIDE_M, 241)
    return np.stack([side, np.zeros(241), np.full(241, walk.near_m)], axis=1)


class TravelLines(QWidget):
    """One line for each way between two cameras: how long after the one the other sees somebody."""

    def __init__(self) -> None:
        super().__init__()
        self._ways: Sequence[tuple[str, str, Link]] = ()
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Time from camera to camera")

    def show_ways(self, ways: Sequence[tuple[str, str, Link]]) -> None:
        """Show other ways: names of the first and of the second camera, and what links them."""
        self._ways = ways
        self.setFixedHeight(THEME.px(ROW_PX) * len(ways) + THEME.px(26) if ways else 0)
        self.setAccessibleDescription("; ".join(f"{a} to {b}: {link.travel_s:.0f} s" for a, b, link in ways))
        self.update()

    @painting
    def paintEvent(self, painter: QPainter) -> None:
        """Draw a common scale of seconds and each way on it."""
        if not self._ways:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        metrics, row = painter.fontMetrics(), THEME.px(ROW_PX)
        names = [f"{start} → {end}" for start, end, _ in self._ways]
        left = max(metrics.horizontalAdvance(name) for name in names) + 16
        counts = [f"{link.passes} of {link.visits} visits" for _, _, link in self._ways]
        right = self.width() - max(metrics.horizontalAdvance(words) for words in counts) - 16
        most = max(link.high_s for _, _, link in self._ways) or 1.0
        step = next((s for s in (5, 10, 30, 60, 120, 300, 600) if most / s <= 8), 1800)
        bottom = row * len(names)
        for second in range(0, int(most) + 1, step):
            x = left + (right - left) * second / most
            painter.setPen(QPen(THEME.colour("line"), 1))
            painter.drawLine(QPointF(x, 0), QPointF(x, bottom))
            painter.setPen(THEME.colour("muted"))
            painter.drawText(QRectF(x - 40, bottom + 2, 80, THEME.px(20)), Qt.AlignmentFlag.AlignHCenter, f"{second} s")
        for number, ((_, _, link), name, count) in enumerate(zip(self._ways, names, counts, strict=True)):
            area = QRectF(0, number * row, self.width(), row)
            painter.setPen(THEME.colour("ink"))
            painter.drawText(area, Qt.AlignmentFlag.AlignVCenter, name)
            painter.drawText(area, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, count)
            low, middle, high = (left + (right - left) * s / most for s in (link.low_s, link.travel_s, link.high_s))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(THEME.colour("accent", 90))
            painter.drawRoundedRect(QRectF(low, area.center().y() - 5, max(3.0, high - low), 10), 4, 4)
            painter.setBrush(THEME.colour("accent"))
            painter.drawEllipse(QPointF(middle, area.center().y()), 5, 5)
