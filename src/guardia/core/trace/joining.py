"""Traces of many clips put together, so that each step is done once for many of them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from guardia.core.trace.groups import BIT
from guardia.core.trace.measure import CONTRAST_LEVELS, Trace

JOINED = 1 << 12
"""Pictures that are put together at a time."""

_BIT_OF_LEVEL = BIT[: len(CONTRAST_LEVELS)].astype(np.uint8)


def in_parts(traces: Iterable[Trace]) -> Iterator[list[Trace]]:
    """Traces in lists of about as many pictures as are put together at a time.

    Args:
        traces: Any number, each asked for only when its list is.

    Yields:
        In the same order.
    """
    some: list[Trace] = []
    frames = 0
    for trace in traces:
        some.append(trace)
        frames += trace.frames
        if frames >= JOINED:
            yield some
            some, frames = [], 0
    if some:
        yield some


def joined(traces: Sequence[Trace]) -> Trace:
    """Traces on one grid as one, their pictures one after another.

    Args:
        traces: At least one.

    Returns:
        Whose times begin anew with each of them.
    """
    first = traces[0]
    counts = np.concatenate([np.zeros(1, np.int64), *(np.diff(t.frame_start) for t in traces)])
    times, cell, changed = (np.concatenate([getattr(t, n) for t in traces]) for n in ("times_s", "cell", "changed"))
    return Trace(times, np.cumsum(counts), cell, changed, first.columns, first.rows)


def moved_below(trace: Trace) -> NDArray[np.uint8]:
    """In which cells something moved in the cell below.

    Args:
        trace: Of one clip, or of many joined.

    Returns:
        (N,) bits by entry, one per contrast level: the trace tells of any change at that level in the cell below.
    """
    line = (trace.rows + 1) * trace.columns  # a row more: under the lowest one lies no other picture
    place = np.repeat(np.arange(trace.frames) * line, np.diff(trace.frame_start)) + trace.cell
    moved = np.zeros(trace.frames * line + trace.columns, np.uint8)
    moved[place] = (trace.changed > 0).view(np.uint8) @ _BIT_OF_LEVEL
    below: NDArray[np.uint8] = moved[place + trace.columns]
    return below
