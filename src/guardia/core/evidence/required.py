"""Which real visits somebody asked to have recorded, and to be alerted to."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.clips import Visit
from guardia.core.evidence.evidence import Evidence
from guardia.core.hours.plan import if_known, on_at
from guardia.core.make.zones import PolygonZone, ZoneKind, zone_cells
from guardia.core.purpose.judgement import Verdict
from guardia.core.purpose.purpose import UNSAID, Corners, Wanted
from guardia.core.trace.measure import CONTRAST_LEVELS, Grid

MOST_OF_IT = 0.5
"""In a picture, something is in a part of it where at least half of what moves most lies inside."""

WORTH = 0.1
"""Pictures in which it moves less than this, of its largest motion, are not asked: something else stirs there."""


class Required(NamedTuple):
    """Of V visits."""

    recorded: NDArray[np.bool_]
    """(V,) it must be recorded."""
    alerted: NDArray[np.bool_]
    """(V,) somebody must be alerted to it."""


def required_of(evidence: Evidence) -> Required:
    """Which of the visits that are counted are asked for; a visit counts where any part of it does."""
    purpose = evidence.purpose or UNSAID
    return Required(*(asked_of(evidence, wanted, evidence.visits) for wanted in (purpose.record, purpose.alert)))


def asked_of(evidence: Evidence, wanted: Wanted, visits: Sequence[Visit]) -> NDArray[np.bool_]:
    """(V,) which of some visits are asked for."""
    asked = np.array([v.verdict is Verdict.REAL and v.kind in wanted.kinds for v in visits], bool)
    if not asked.any():
        return asked
    parts = [(n, part) for n in np.flatnonzero(asked).tolist() for part in visits[n]]
    of_visit = np.array([n for n, _ in parts], np.int64)

    def any_of(which: NDArray[np.bool_]) -> NDArray[np.bool_]:
        return np.bincount(of_visit[which], minlength=len(visits)) > 0

    area = evidence.purpose.area if evidence.purpose is not None and wanted.in_part else ()
    inside = _in_area(evidence, area)
    if inside is not None:
        place = {o.id: n for n, o in enumerate(evidence.occurrences)}
        asked &= any_of(inside[[place[part.id] for _, part in parts]])
    hours = if_known(wanted.hours, evidence.place)  # those by a sun that nobody can tell leave nothing out
    if hours is not None:
        ends = np.array([evidence.span_s(part) for _, part in parts], np.float64)
        within = on_at(hours, ends.ravel(), evidence.place).reshape(-1, 2)
        asked &= any_of(within[:, 0] | within[:, 1])
    return asked


def _in_area(evidence: Evidence, area: Corners) -> NDArray[np.bool_] | None:
    """(N,) which occurrences come into a part of the picture; None for the whole of it."""
    if not area or not evidence.stack.frames:
        return None
    inside = evidence.stack.sizes(area_cells(area, evidence.stack.grid), contrast=CONTRAST_LEVELS[0])
    anywhere = evidence.stack.sizes_anywhere(contrast=CONTRAST_LEVELS[0])
    there = np.zeros(len(evidence.occurrences), bool)
    for n, (low, high) in enumerate(evidence.windows.tolist()):
        largest = anywhere[low:high]
        worth = largest >= WORTH * largest.max(initial=1)
        there[n] = bool((worth & (inside[low:high] >= MOST_OF_IT * largest)).any())
    return there


def area_cells(area: Corners, grid: Grid) -> NDArray[np.bool_]:
    """(rows, columns) cells of a part of the picture; all of them without corners."""
    return zone_cells((PolygonZone(ZoneKind.WATCH, area),) if area else (), grid=grid)
