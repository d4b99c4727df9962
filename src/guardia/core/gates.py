"""The gate chain: the one way from an occurrence to its outcome."""

from __future__ import annotations

import bisect
import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from guardia.core.capability import Capability
from guardia.core.evidence import Evidence, Occurrence, Origin
from guardia.core.motion import Recording, Run, recordings, size_in_cells
from guardia.core.settings import Settings, entered_zones
from guardia.core.zones import zone_cells

LATE_TOLERANCE_S = 1.0
"""A recording that begins or ends within this time of the occurrence is neither late nor cut."""

LEAST_SHARE = 0.1
"""An occurrence counts as recorded when the recordings cover at least this share of it."""

MARGIN_S = 0.25
"""Pictures this close to an occurrence are looked at with it."""


class Gate(StrEnum):
    """One condition between an occurrence and its recording, in the order in which they are walked."""

    DETECTION = "detection on"
    ZONE = "zone"
    SIZE = "size"
    HOLD = "hold"
    WAIT = "re-trigger wait"
    CLIP = "clip"


@dataclass(frozen=True)
class Outcome:
    """What becomes of one occurrence under one set of settings. Times in seconds on the camera's clock (POSIX).

    Parameters
    ----------
    occurrence_id
        The occurrence.
    recorded
        Whether it is recorded.
    share
        Share of the occurrence that the recordings cover, 0..1.
    late
        Its beginning is lost by more than LATE_TOLERANCE_S.
    cut
        Its end is lost by more than LATE_TOLERANCE_S.
    trigger_s
        When it triggered, None if it did not itself trigger.
    gate
        The first gate that closed, None if it is recorded.
    reason
        The numbers that closed the gate, in words; empty if recorded.
    """

    occurrence_id: int
    recorded: bool
    share: float
    late: bool
    cut: bool
    trigger_s: float | None
    gate: Gate | None
    reason: str


@dataclass(frozen=True)
class _Look:
    """What the gates look at for one occurrence."""

    settings: Settings
    largest_inside: int
    largest_anywhere: int
    needed: int
    cells: int
    longest_s: float
    held_while_resting: float | None
    share: float


def _detection(look: _Look) -> str | None:
    return None if look.settings.detection_on else "motion detection is switched off, so nothing is recorded"


def _zone(look: _Look) -> str | None:
    if look.largest_inside == 0 and look.largest_anywhere > 0:
        anywhere = percent(look.largest_anywhere / look.cells)
        return f"none of it moved inside the zone; outside it reached {anywhere} of the picture"
    return None


def _size(look: _Look) -> str | None:
    if look.largest_inside < look.needed:
        reached, needed = percent(look.largest_inside / look.cells), percent(look.needed / look.cells)
        return f"its largest motion in the zone was {reached} of the picture, {needed} is needed"
    return None


def _hold(look: _Look) -> str | None:
    if look.longest_s < look.settings.hold_s - 1e-6:
        lasted = f"for {look.longest_s:.1f} s at a time" if look.longest_s else "in single pictures only"
        return f"it was large enough {lasted}, {look.settings.hold_s:.1f} s is needed"
    return None


def _wait(look: _Look) -> str | None:
    if look.held_while_resting is not None:
        return f"the camera was resting after a recording for another {look.held_while_resting:.1f} s"
    return None


def _clip(look: _Look) -> str | None:
    return f"the recordings cover only {look.share:.0%} of it, {LEAST_SHARE:.0%} is needed"


CHAIN: tuple[tuple[Gate, Callable[[_Look], str | None]], ...] = (
    (Gate.DETECTION, _detection),
    (Gate.ZONE, _zone),
    (Gate.SIZE, _size),
    (Gate.HOLD, _hold),
    (Gate.WAIT, _wait),
    (Gate.CLIP, _clip),
)
"""Every gate with its test: the reason it is closed, or None while it is open. Later gates are appended here."""


def percent(share: float) -> str:
    """A share of the picture as text with one decimal."""
    return f"{share * 100:.1f} %"


@dataclass(frozen=True, eq=False)
class Replay:
    """What one set of settings would have done on all the evidence.

    Parameters
    ----------
    sizes
        (F,) int32, cells of the largest group inside the zone, all clips joined.
    recordings
        Per clip, the recordings in order of time (POSIX seconds).
    outcomes
        By occurrence id.
    zone
        (rows, columns) cells inside the zone.
    needed
        Cells needed to trigger.
    contrast
        Luma step in force.
    """

    sizes: NDArray[np.int32]
    recordings: list[list[Recording]]
    outcomes: dict[int, Outcome]
    zone: NDArray[np.bool_]
    needed: int
    contrast: int


def replay(evidence: Evidence, settings: Settings, capability: Capability) -> Replay:
    """Run the motion model with these settings over all the evidence.

    A snapshot passes or fails the gates of place and size only.

    Parameters
    ----------
    evidence
        Clips, traces, occurrences.
    settings
        The settings to try.
    capability
        The make, for the meaning of its words.

    Returns
    -------
    Replay
        Recordings of every clip, outcome of every occurrence.

    Raises
    ------
    InvalidValue
        If the settings name a notch that the make does not have.
    """
    stack = evidence.stack
    contrast, share = settings.sensitivity_under(capability)
    needed = size_in_cells(share, stack.cells)
    zone = zone_cells(entered_zones(settings, capability), columns=stack.columns, rows=stack.rows)
    sizes = stack.sizes(zone, contrast=contrast, zone_test=capability.zone_test)
    runs = stack.runs(sizes, needed)
    # One picture shows where and how large, not for how long: the gates of time are taken as open.
    of_one_picture = replace(settings, hold_s=0.0, retrigger_wait_s=0.0)
    made: list[list[Recording]] = []
    last: dict[Origin, Recording] = {}
    free_from: list[float] = []
    carried: list[Recording | None] = []
    for index, clip in enumerate(evidence.clips):
        before = last.get(clip.origin) if clip.origin is not Origin.SNAPSHOT else None
        free = before.end_s + settings.retrigger_wait_s if before else -math.inf
        free_from.append(free)
        carried.append(before if before and before.end_s > clip.start_s else None)
        found = []
        if settings.detection_on and runs[index]:
            told = of_one_picture if clip.origin is Origin.SNAPSHOT else settings
            found = recordings(stack.times[index], runs[index], told, start_s=clip.start_s, free_from_s=free)
        if found:
            last[clip.origin] = found[-1]
        made.append(found)
    outcomes: dict[int, Outcome] = {}
    everywhere = stack.sizes_anywhere(contrast=contrast)
    for occurrence in evidence.occurrences:
        index = evidence.clip_index[occurrence.clip_id]
        clip = evidence.clips[index]
        begin, end = clip.start_s + occurrence.start_s, clip.start_s + occurrence.end_s
        mine = [r for r in made[index] if r.start_s < end + 1e-6 and r.end_s > begin - 1e-6]
        if (earlier := carried[index]) is not None and earlier.end_s > begin:
            mine.insert(0, earlier)
        covered = sum(max(0.0, min(r.end_s, end) - max(r.start_s, begin)) for r in mine)
        part = min(1.0, covered / (end - begin)) if end > begin else float(bool(mine))
        trigger = next((r.trigger_s for r in mine if begin - MARGIN_S <= r.trigger_s <= end + MARGIN_S), None)
        if mine and part >= LEAST_SHARE:
            late = mine[0].start_s > begin + LATE_TOLERANCE_S
            cut = mine[-1].end_s < end - LATE_TOLERANCE_S
            outcomes[occurrence.id] = Outcome(occurrence.id, True, part, late, cut, trigger, None, "")
            continue
        window = _window(evidence, index, occurrence)
        inside, anywhere = sizes[window], everywhere[window]
        look = _Look(
            settings=settings,
            largest_inside=int(inside.max(initial=0)),
            largest_anywhere=int(anywhere.max(initial=0)),
            needed=needed,
            cells=stack.cells,
            longest_s=_longest_run(evidence, index, window, runs[index]),
            held_while_resting=_rest_left(evidence, settings, index, window, made[index], free_from[index]),
            share=part,
        )
        gate, reason = next((g, why) for g, test in CHAIN if (why := test(look)) is not None)
        outcomes[occurrence.id] = Outcome(occurrence.id, False, part, False, False, trigger, gate, reason)
    return Replay(sizes, made, outcomes, zone, needed, contrast)


def _window(evidence: Evidence, clip: int, occurrence: Occurrence) -> slice:
    """Pictures of an occurrence among all pictures of the stack."""
    times, base = evidence.stack.times[clip], int(evidence.stack.clip_start[clip])
    low = bisect.bisect_left(times, occurrence.start_s - MARGIN_S)
    high = bisect.bisect_right(times, occurrence.end_s + MARGIN_S)
    return slice(base + low, base + high)


def _longest_run(evidence: Evidence, clip: int, window: slice, runs: list[Run]) -> float:
    """Longest unbroken stretch of enough motion within the window, seconds."""
    times, base = evidence.stack.times[clip], int(evidence.stack.clip_start[clip])
    low, high = window.start - base, window.stop - base - 1
    inside = [(max(a, low), min(b, high)) for a, b in runs if a <= high and b >= low]
    return max((times[b] - times[a] for a, b in inside), default=0.0)


def _rest_left(
    evidence: Evidence, settings: Settings, clip: int, window: slice, made: list[Recording], free_from_s: float
) -> float | None:
    """Seconds of rest left when the window begins, None if the camera is not resting in it."""
    times, base = evidence.stack.times[clip], int(evidence.stack.clip_start[clip])
    if window.start >= window.stop:
        return None
    begin = evidence.clips[clip].start_s + times[window.start - base]
    ends = [free_from_s, *(r.end_s + settings.retrigger_wait_s for r in made if r.trigger_s < begin)]
    left = max(ends) - begin
    return left if left > 0 else None
