"""What a process does with one clip: look at it by itself, then hold it against those that help it.

Apart from the import that asks for it, so that a process which is started for this loads little.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from guardia.app.work.engine import still_wanted
from guardia.core.base.errors import UnreadableClip
from guardia.core.evidence.clips import Clip, NewOccurrence, Origin
from guardia.core.evidence.proposed import propose_occurrences
from guardia.core.trace.measure import Trace, help_of
from guardia.media.analysis import (
    analyse_clip,
    analyse_snapshot,
    decode_grey,
    encode_jpeg,
    key_pictures,
    key_times,
    still_luma,
)
from guardia.media.hardware import Hardware


@dataclass(frozen=True, eq=False)
class FirstTask:
    """A clip to look at by itself."""

    clip: Clip
    path: Path
    hardware: Hardware | None


@dataclass(frozen=True, eq=False)
class FirstLook:
    trace: Trace
    background: bytes
    brightness: float
    length_s: float
    notes: tuple[str, ...]


def first_look(task: FirstTask) -> FirstLook:
    if task.clip.origin is Origin.SNAPSHOT:
        analysis = analyse_snapshot(task.path, [])
    else:
        analysis = analyse_clip(task.path, threads=1, hardware=task.hardware, each=still_wanted)
    background = encode_jpeg(analysis.background, quality=80)
    return FirstLook(analysis.trace, background, float(analysis.background.mean()), analysis.length_s, analysis.notes)


@dataclass(frozen=True, eq=False)
class SecondTask:
    """A clip to be held against those that help it."""

    clip: Clip
    path: Path
    trace: Trace
    own: bytes
    others: tuple[bytes, ...]
    stills: tuple[Path, ...]
    contrast: int
    size: float
    occurrences: bool
    altered: bool
    hardware: Hardware | None


@dataclass(frozen=True, eq=False)
class SecondLook:
    """What a clip comes to: another trace, or None where the one that is kept stands."""

    trace: Trace | None
    occurrences: tuple[NewOccurrence, ...]
    before: tuple[tuple[float, float], ...] | None
    """What was found in the trace that is kept, seconds on the clip's clock; None where the same is found now."""
    altered: bool


def second_look(task: SecondTask) -> SecondLook:
    still = task.clip.origin is Origin.SNAPSHOT
    others = [decode_grey(b) for b in task.others]
    trace, help_ = None, None
    if still:
        trace = analyse_snapshot(task.path, [*_readable(task.stills), *others]).trace
    else:
        help_ = help_of(decode_grey(task.own), others)
        if help_ is not None or task.altered:
            trace = analyse_clip(task.path, help_=help_, threads=1, hardware=task.hardware, each=still_wanted).trace
    if trace is not None and np.array_equal(trace.dense(), task.trace.dense()):
        trace = None
    occurrences = []
    seen = trace or task.trace

    def found(one: Trace) -> list[tuple[float, float]]:
        return propose_occurrences(one, contrast=task.contrast, size=task.size, origin=task.clip.origin)

    before = None
    if not task.occurrences and trace is not None and (kept := found(task.trace)) != found(seen):
        before = tuple(kept)
    if task.occurrences or before is not None:
        for begin, end in found(seen):
            times = [0.0] if still else key_times(seen, begin, end, contrast=task.contrast)
            occurrences.append(NewOccurrence(begin, end, times, key_pictures(task.path, times, threads=1)))
    return SecondLook(trace, tuple(occurrences), before, help_ is not None)


def _readable(paths: tuple[Path, ...]) -> Iterator[NDArray[np.uint8]]:
    for path in paths:
        with suppress(UnreadableClip):
            yield still_luma(path)
