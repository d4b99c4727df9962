"""Where real and false occurrences moved in the picture: by cell, with rates and their uncertainty."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from guardia.app.camera.camera_model import CameraModel
from guardia.core.evidence.evidence import Evidence
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay.replay import Motion
from guardia.core.score.score import moved_cells
from guardia.core.score.statistics import line_of

VERDICTS = (Verdict.FALSE, Verdict.REAL)


class HeatModel:
    """Counts and occurrences behind each cell of a camera's picture."""

    def __init__(self, model: CameraModel) -> None:
        self._model = model
        self._moved: dict[Verdict, dict[int, NDArray[np.bool_]]] = {}
        self.counts: dict[Verdict, NDArray[np.int64]] = {}
        self._counted: tuple[Evidence, Motion] | None = None

    def refresh(self) -> None:
        """Count again, where the evidence or what triggers on it is another."""
        evidence, motion = self._model.evidence, self._model.comparison.installed_replay.motion
        if self._counted is not None and self._counted[0] is evidence and self._counted[1] is motion:
            return
        self._counted = evidence, motion
        shape = (evidence.stack.rows, evidence.stack.columns)
        for verdict in VERDICTS:
            self._moved[verdict] = moved_cells(evidence, motion, verdict=verdict)
            self.counts[verdict] = np.sum([np.zeros(shape, np.int64), *self._moved[verdict].values()], axis=0)

    def over(self, cells: NDArray[np.bool_], verdicts: tuple[Verdict, ...] = VERDICTS) -> tuple[tuple[int, ...], str]:
        """The occurrences that moved over any of (rows, columns) cells, and how often that is, in words."""
        ids: list[int] = []
        parts: list[str] = []
        for verdict in verdicts:
            mine = [i for i, moved in self._moved[verdict].items() if (moved & cells).any()]
            line = line_of(self._model.evidence, verdict.value, mine, verdict=verdict)
            often = ""
            if line.rate is not None:
                often = f", {line.rate:.1f} a day ({line.low:.1f} to {line.high:.1f})"
            parts.append(f"{len(mine)} {verdict.value}{often}")
            ids += mine
        return tuple(ids), "Moved here: " + "; ".join(parts)
