"""A picture that is being drawn: all of its rows, or only every so many, where nobody looks at the others."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from guardia.benchcam.scene import HEIGHT, Picture


@dataclass(frozen=True, eq=False)
class Raster:
    """Rows of a picture."""

    pixels: Picture
    """(rows, W, 3) float32, 0..255, drawn into."""
    step: int = 1
    """Its rows are those of the picture whose number is a multiple of this."""

    @property
    def numbers(self) -> NDArray[np.int64]:
        """(rows,) number of each row in the picture."""
        return np.arange(0, HEIGHT, self.step)

    def between(self, top: int, bottom: int) -> slice:
        """The rows here that lie in the picture from a row to before another."""
        return slice(-(-top // self.step), -(-bottom // self.step))

    def patch(self, left: int, right: int, top: int, bottom: int) -> tuple[Picture, Picture, Picture]:
        """Rows (rows, 1) and columns (1, columns) of a rectangle (right and bottom excluded), and its pixels."""
        rows = self.between(top, bottom)
        row = np.arange(rows.start, rows.stop, dtype=np.float32) * self.step
        return row[:, None], np.arange(left, right, dtype=np.float32)[None], self.pixels[rows, left:right]

    def copy(self) -> Raster:
        """The same picture, to be drawn into apart."""
        return Raster(self.pixels.copy(), self.step)
