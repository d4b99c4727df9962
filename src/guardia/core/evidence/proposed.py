"""What may be an occurrence in a clip, by its motion alone; a person judges it."""

from __future__ import annotations

import numpy as np

from guardia.core.evidence.clips import Origin
from guardia.core.trace.measure import Trace, least_size
from guardia.core.trace.stack import TraceStack

MERGE_GAP_S = 3.0
"""Stretches of motion closer than this belong to one occurrence."""

SHORTEST_S = 0.4

HABIT_SHARE = 0.6
"""A cell that is active in more than this share of a clip's pictures (a flag) starts and ends nothing."""


def propose_occurrences(
    trace: Trace, *, contrast: int, size: float, origin: Origin, merge_gap_s: float = MERGE_GAP_S
) -> list[tuple[float, float]]:
    """Find what may be an occurrence in a clip, with the make's most sensitive setting over the whole picture.

    A motion clip is one occurrence (the camera recorded it for one reason), the stretch with the most motion in it;
    continuous footage may hold many; a snapshot is one when something in it is large enough.

    Args:
        trace: The clip's trace.
        contrast: One of CONTRAST_LEVELS.
        size: Size threshold, share of the picture.
        origin: How the clip was recorded.
        merge_gap_s: Stretches closer than this are one.

    Returns:
        (start, end) seconds on the clip's clock. A motion clip always gives exactly one.
    """
    stack = TraceStack([trace])
    times = stack.times[0]
    if origin is Origin.SNAPSHOT:
        everywhere = stack.sizes(np.ones((stack.rows, stack.columns), bool), contrast=contrast)
        return [(0.0, 0.0)] if int(everywhere.max(initial=0)) >= least_size(size, stack.cells) else []
    if not times:
        return [(0.0, 0.0)] if origin is Origin.MOTION else []
    watched = stack.activity(0, times[0], times[-1], contrast=contrast) <= HABIT_SHARE
    sizes = stack.sizes(watched, contrast=contrast)
    spans: list[tuple[int, int]] = []
    for first, last in stack.runs(sizes, least_size(size, stack.cells))[0]:
        if spans and times[first] - times[spans[-1][1]] <= merge_gap_s:
            spans[-1] = (spans[-1][0], last)
        else:
            spans.append((first, last))
    if origin is Origin.MOTION:
        if not spans:
            return [(times[0], times[-1])]
        spans = [max(spans, key=lambda s: int(sizes[s[0] : s[1] + 1].sum()))]
    stretches = [(times[a], times[b]) for a, b in spans]
    return stretches if origin is Origin.MOTION else [(a, b) for a, b in stretches if b - a >= SHORTEST_S]
