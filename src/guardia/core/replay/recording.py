"""Recordings from triggers over all clips, and what of every occurrence they cover.

Files of footage are one piece; a pause after a recording lasts into the next clip.
"""

from __future__ import annotations

import bisect
import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.clips import Origin
from guardia.core.evidence.evidence import MARGIN_S, Evidence
from guardia.core.evidence.watch import length, merged, within
from guardia.core.make.settings import Settings
from guardia.core.replay.gate import LEAST_SHARE
from guardia.core.replay.timing import TIME_EPSILON_S, Recording, recordings
from guardia.core.trace.stack import Run

LATE_TOLERANCE_S = 1.0
"""A recording that begins or ends within this time of the occurrence is neither late nor cut."""


def record(
    evidence: Evidence, settings: Settings, triggering: list[list[Run]]
) -> tuple[list[list[Recording]], list[list[Recording]]]:
    """Recordings on all clips.

    Args:
        evidence: The clips.
        settings: Their lengths, pre-record and pause.
        triggering: Per clip, the stretches of motion that may trigger.

    Returns:
        Per clip, recordings that begin in it, and those that began before it and can reach into it.
    """
    times, clips = evidence.stack.times, evidence.clips
    rest_s = settings.recording.rest_s
    begun_in: list[list[Recording]] = [[] for _ in clips]
    earlier: list[list[Recording]] = [[] for _ in clips]
    before: dict[Origin, list[Recording]] = {origin: [] for origin in Origin}
    for row in evidence.rows:
        index = row[0]
        first = clips[index]
        if first.origin is Origin.SNAPSHOT:
            if triggering[index]:
                # One picture shows where and how large, not for how long: the gates of time are taken as open.
                one = settings.with_values(hold_s=0.0, rest_s=0.0)
                begun_in[index] = recordings(times[index], triggering[index], one, start_s=first.start_s)
            continue
        so_far = before[first.origin]
        past = _last_before(so_far, first.start_s)
        free = -math.inf
        if past is not None and past.end_s + rest_s > first.start_s:
            earlier[index] = [past]
            free = past.end_s + rest_s
        if len(row) == 1:
            runs = triggering[index]
            if runs:
                begun_in[index] = recordings(times[index], runs, settings, start_s=first.start_s, free_from_s=free)
                _put(so_far, begun_in[index])
            continue
        moments, joined = _one_after_another(evidence, row, triggering)
        added = recordings(moments, joined, settings, free_from_s=free)
        _put(so_far, added)
        starts = [clips[n].start_s for n in row]
        for r in added:
            begun_in[row[max(0, bisect.bisect_right(starts, r.trigger_s + TIME_EPSILON_S) - 1)]].append(r)
        for n, start in zip(row[1:], starts[1:], strict=True):
            earlier[n] = [r for r in (*earlier[index], *added) if r.trigger_s < start]
    return begun_in, earlier


def _reaching_back(evidence: Evidence, begun_in: list[list[Recording]]) -> list[list[Recording]]:
    """Per clip, recordings that begin in later files of its row and whose pre-record reaches into it."""
    clips = evidence.clips
    later: list[list[Recording]] = [[] for _ in clips]
    for row in evidence.rows:
        for place, index in enumerate(row):
            for r in begun_in[index]:
                before = place - 1
                while before >= 0 and clips[row[before]].end_s > r.start_s:
                    later[row[before]].append(r)
                    before -= 1
    return later


def _last_before(so_far: list[Recording], start_s: float) -> Recording | None:
    """The last recording that began before a clip did.

    A clip that overlaps the one before shows part of the same time again: only what began earlier counts there.
    """
    if not so_far or so_far[-1].trigger_s < start_s:
        return so_far[-1] if so_far else None
    place = bisect.bisect_left(so_far, start_s, key=_trigger)
    return so_far[place - 1] if place else None


def _put(so_far: list[Recording], added: list[Recording]) -> None:
    """Add recordings to those before, in order of their triggers."""
    for r in added:
        if so_far and so_far[-1].trigger_s > r.trigger_s:
            bisect.insort(so_far, r, key=_trigger)
        else:
            so_far.append(r)


def cover(
    evidence: Evidence, begun_in: list[list[Recording]], earlier: list[list[Recording]]
) -> tuple[NDArray[np.float64], NDArray[np.bool_], NDArray[np.bool_], NDArray[np.float64]]:
    """What recordings cover of N occurrences.

    Args:
        evidence: The occurrences.
        begun_in: From record().
        earlier: Likewise.

    Returns:
        (N,) share that is recorded, whether it is late or cut, and when it triggered (NaN where it did not).
    """
    count = len(evidence.occurrences)
    share, trigger = np.zeros(count), np.full(count, np.nan)
    late, cut = np.zeros(count, bool), np.zeros(count, bool)
    later = _reaching_back(evidence, begun_in)
    for place, (index, begin, end) in enumerate(evidence.spans):
        if not begun_in[index] and not earlier[index] and not later[index]:
            continue
        touching = [r for r in earlier[index] if r.end_s > begin]
        here = [*begun_in[index], *later[index]] if later[index] else begun_in[index]
        touching += [r for r in here if r.start_s < end + 1e-6 and r.end_s > begin - 1e-6]
        if not touching:
            continue
        part = share[place] = _share(touching, begin, end)
        for r in touching:
            if begin - MARGIN_S <= r.trigger_s <= end + MARGIN_S:
                trigger[place] = r.trigger_s
                break
        if part >= LEAST_SHARE:
            late[place] = min(r.start_s for r in touching) > begin + LATE_TOLERANCE_S
            cut[place] = max(r.end_s for r in touching) < end - LATE_TOLERANCE_S
    return share, late, cut, trigger


def _one_after_another(evidence: Evidence, row: Sequence[int], runs: list[list[Run]]) -> tuple[list[float], list[Run]]:
    """Picture times (POSIX seconds) and runs of a row of clips as if they were one.

    Pictures of a clip that its forerunner's pictures already cover are left out, but not what only they show.
    """
    times: list[float] = []
    joined: list[Run] = []
    for index in row:
        start = evidence.clips[index].start_s
        touching = [start + t for t in evidence.stack.times[index]]
        skip = bisect.bisect_right(touching, times[-1]) if times else 0
        base = len(times) - skip
        for a, b in runs[index]:
            if b < skip:
                first = bisect.bisect_left(times, touching[a])
                run = (first, max(first, bisect.bisect_right(times, touching[b]) - 1))
                if not any(low <= run[1] and run[0] <= high for low, high in joined):
                    bisect.insort(joined, run)
                continue
            run = (base + max(a, skip), base + b)
            if joined and joined[-1][1] + 1 == run[0]:
                run = (joined.pop()[0], run[1])
            joined.append(run)
        times += touching[skip:]
    return times, joined


def _share(touching: list[Recording], begin: float, end: float) -> float:
    """Share of a stretch of time that recordings which touch it cover; what two of them cover counts once."""
    if end <= begin:
        return 1.0
    if len(touching) == 1:
        return max(0.0, min(touching[0].end_s, end) - max(touching[0].start_s, begin)) / (end - begin)
    return min(1.0, length(within(merged((r.start_s, r.end_s) for r in touching), begin, end)) / (end - begin))


def _trigger(recording: Recording) -> float:
    return recording.trigger_s
