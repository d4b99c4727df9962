"""The gate chain: the one way from an occurrence to its outcome."""

from __future__ import annotations

import bisect
import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.evidence import MARGIN_S, Evidence, Origin
from guardia.core.evidence.watch import length, merged, within
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings
from guardia.core.make.zone_parts import ZonePart, zone_parts
from guardia.core.replay.objects import ObjectClass, lets_through, object_classes
from guardia.core.replay.timing import TIME_EPSILON_S, Recording, recordings
from guardia.core.trace.measure import CELL_SIZE, least_size
from guardia.core.trace.stack import Run

LATE_TOLERANCE_S = 1.0
"""A recording that begins or ends within this time of the occurrence is neither late nor cut."""

LEAST_SHARE = 0.1
"""An occurrence counts as recorded when the recordings cover at least this share of it."""


class Gate(StrEnum):
    """One condition between an occurrence and its recording, in the order in which they are walked."""

    DETECTION = "detection on"
    ZONE = "zone"
    SIZE = "size"
    HOLD = "hold"
    OBJECT = "object filter"
    REST = "rest after a recording"
    CLIP = "clip"


class Look(NamedTuple):
    """What the gates look at for one occurrence; the numbers behind its outcome.

    Parameters
    ----------
    settings
        The settings tried.
    largest_inside
        Size of its largest motion inside the zone; of several zones, in the one where it comes nearest to triggering.
    largest_anywhere
        Size of its largest motion in the picture.
    needed
        Size that the sensitivity there asks for.
    whole
        Size of the whole picture.
    longest_s
        Longest stretch of enough motion, seconds.
    held_while_resting
        Seconds of rest left when it began, None if the camera was not resting.
    share
        Share of it that the recordings cover.
    found
        Its class, where the settings filter by class.
    """

    settings: Settings
    largest_inside: int
    largest_anywhere: int
    needed: int
    whole: int
    longest_s: float
    held_while_resting: float | None
    share: float
    found: ObjectClass | None = None


class Outcome(NamedTuple):
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
    look
        The numbers that closed it, None if it is recorded.
    """

    occurrence_id: int
    recorded: bool
    share: float
    late: bool
    cut: bool
    trigger_s: float | None
    gate: Gate | None = None
    look: Look | None = None

    @property
    def reason(self) -> str:
        """The numbers that closed the gate, in words; empty if it is recorded."""
        return _WORDS[self.gate](self.look) if self.gate is not None and self.look is not None else ""


def _size_words(look: Look) -> str:
    reached, needed = percent(look.largest_inside / look.whole), percent(look.needed / look.whole)
    return f"its largest motion in the zone was {reached} of the picture, {needed} is needed"


def _zone_words(look: Look) -> str:
    anywhere = percent(look.largest_anywhere / look.whole)
    return f"none of it moved inside the zone; outside it reached {anywhere} of the picture"


def _hold_words(look: Look) -> str:
    lasted = f"for {look.longest_s:.1f} s at a time" if look.longest_s else "in single pictures only"
    return f"it was large enough {lasted}, {look.settings.detection.hold_s:.1f} s is needed"


def _object_words(look: Look) -> str:
    found = look.found or ObjectClass((), "")
    named = " and ".join(found.names) or "no object"
    said = {"camera": "the camera named", "judgement": "it was judged", "size and speed": "its size and speed say"}
    through = " and ".join(look.settings.detection.objects)
    return f"{said.get(found.by, 'it is')} {named}; the filter lets {through} through"


CHAIN: tuple[tuple[Gate, Callable[[Look], bool], Callable[[Look], str]], ...] = (
    (
        Gate.DETECTION,
        lambda look: not look.settings.detection.detection_on,
        lambda _look: "motion detection is switched off, so nothing is recorded",
    ),
    (Gate.ZONE, lambda look: look.largest_inside == 0 and look.largest_anywhere > 0, _zone_words),
    (Gate.SIZE, lambda look: look.largest_inside < look.needed, _size_words),
    (Gate.HOLD, lambda look: look.longest_s < look.settings.detection.hold_s - 1e-6, _hold_words),
    (
        Gate.OBJECT,
        lambda look: look.found is not None and not lets_through(look.found, look.settings.detection.objects),
        _object_words,
    ),
    (
        Gate.REST,
        lambda look: look.held_while_resting is not None,
        lambda look: f"the camera was resting after a recording for another {look.held_while_resting:.1f} s",
    ),
    (
        Gate.CLIP,
        lambda _look: True,
        lambda look: f"the recordings cover only {look.share:.0%} of it, {LEAST_SHARE:.0%} is needed",
    ),
)
"""Every gate with its test, True when it is closed, and its words. Later gates are appended here."""

_WORDS = {gate: words for gate, _, words in CHAIN}


def percent(share: float) -> str:
    """A share of the picture as text with one decimal."""
    return f"{share * 100:.1f} %"


@dataclass(frozen=True, eq=False)
class Replay:
    """What one set of settings would have done on all the evidence.

    Parameters
    ----------
    sizes
        (F,) int32, size of the largest group inside the zone, all clips joined.
    recordings
        Per clip, the recordings that began in it, in order of time (POSIX seconds).
    outcomes
        By occurrence id.
    zone
        (rows, columns) cells inside the zone.
    needed
        Size needed to trigger, in the unit of `sizes`.
    contrast
        Luma step in force.
    """

    sizes: NDArray[np.int32]
    recordings: list[list[Recording]]
    outcomes: dict[int, Outcome]
    zone: NDArray[np.bool_]
    needed: int
    contrast: int


def replay(
    evidence: Evidence, settings: Settings, capability: Capability, *, without: NDArray[np.bool_] | None = None
) -> Replay:
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
    without
        (rows, columns) cells that are left out besides; None for none.

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
    needed = least_size(share, stack.cells)
    parts = zone_parts(settings, capability, columns=stack.columns, rows=stack.rows)
    if without is not None:
        parts = [replace(part, cells=part.cells & ~without) for part in parts]
    zone = np.logical_or.reduce([part.cells for part in parts])
    of_part = [stack.sizes(p.cells, contrast=p.contrast, zone_test=capability.zone_test) for p in parts]
    sizes = _on_one_scale(of_part, [p.needed for p in parts], needed)
    runs = stack.runs(sizes, needed)
    classes = object_classes(evidence, capability) if settings.detection.objects else {}
    triggering = _let_through(evidence, settings, classes, runs) if settings.detection.objects else runs
    # One picture shows where and how large, not for how long: the gates of time are taken as open.
    of_one_picture = settings.with_values(hold_s=0.0, rest_s=0.0)
    made: list[list[Recording]] = [[] for _ in evidence.clips]
    earlier: list[list[Recording]] = [[] for _ in evidence.clips]
    before: dict[Origin, list[Recording]] = {origin: [] for origin in Origin}
    for row in evidence.rows:
        first = evidence.clips[row[0]]
        if first.origin is Origin.SNAPSHOT:
            if settings.detection.detection_on and triggering[row[0]]:
                made[row[0]] = recordings(
                    stack.times[row[0]], triggering[row[0]], of_one_picture, start_s=first.start_s
                )
            continue
        # A clip that overlaps the one before shows part of the same time again: only what began earlier counts there.
        so_far = before[first.origin]
        past = so_far[-1:]
        if past and past[0].trigger_s >= first.start_s:
            past = so_far[: bisect.bisect_left(so_far, first.start_s, key=_trigger)][-1:]
        earlier[row[0]] = past
        found = []
        if settings.detection.detection_on and any(triggering[index] for index in row):
            free = past[0].end_s + settings.recording.rest_s if past else -math.inf
            if len(row) == 1:
                found = recordings(
                    stack.times[row[0]], triggering[row[0]], settings, start_s=first.start_s, free_from_s=free
                )
                made[row[0]] = found
            else:
                times, joined = _one_after_another(evidence, row, triggering)
                found = recordings(times, joined, settings, free_from_s=free)
        for r in found:
            if so_far and so_far[-1].trigger_s > r.trigger_s:
                bisect.insort(so_far, r, key=_trigger)
            else:
                so_far.append(r)
        if len(row) > 1:
            starts = [evidence.clips[index].start_s for index in row]
            for r in found:
                made[row[max(0, bisect.bisect_right(starts, r.trigger_s + TIME_EPSILON_S) - 1)]].append(r)
            for index, start in zip(row[1:], starts[1:], strict=True):
                earlier[index] = [r for r in (*past, *found) if r.trigger_s < start]
    outcomes: dict[int, Outcome] = {}
    largest_inside = _largest(sizes, evidence)
    largest_anywhere = _largest(stack.sizes_anywhere(contrast=contrast), evidence)
    for place, occurrence in enumerate(evidence.occurrences):
        index = evidence.clip_index[occurrence.clip_id]
        clip = evidence.clips[index]
        begin, end = clip.start_s + occurrence.start_s, clip.start_s + occurrence.end_s
        mine = [r for r in earlier[index] if r.end_s > begin] if earlier[index] else []
        if made[index]:
            mine += [r for r in made[index] if r.start_s < end + 1e-6 and r.end_s > begin - 1e-6]
        part, trigger = 0.0, None
        if mine:
            part = _covered(mine, begin, end)
            trigger = next((r.trigger_s for r in mine if begin - MARGIN_S <= r.trigger_s <= end + MARGIN_S), None)
        if mine and part >= LEAST_SHARE:
            late = min(r.start_s for r in mine) > begin + LATE_TOLERANCE_S
            cut = max(r.end_s for r in mine) < end - LATE_TOLERANCE_S
            outcomes[occurrence.id] = Outcome(occurrence.id, True, part, late, cut, trigger)
            continue
        told = of_one_picture if clip.origin is Origin.SNAPSHOT else settings
        longest_s, rest_s, inside, asked = 0.0, None, largest_inside[place], needed
        window = slice(*evidence.windows[place].tolist())
        if inside >= needed:
            # Hold and rest are looked at only behind an open size gate: most of what is missed never gets there.
            longest_s = _longest_run(evidence, index, window, runs[index])
            rest_s = _rest_left(evidence, told, index, window, [*earlier[index], *made[index]])
        if len(parts) > 1 or parts[0].needed != needed:
            inside, asked = _nearest_part(of_part, parts, window)
        look = Look(
            told, inside, largest_anywhere[place], asked, stack.cells * CELL_SIZE, longest_s, rest_s, part,
            classes.get(occurrence.id),
        )  # fmt: skip
        gate = next(gate for gate, closed, _ in CHAIN if closed(look))
        outcomes[occurrence.id] = Outcome(occurrence.id, False, part, False, False, trigger, gate, look)
    return Replay(sizes, made, outcomes, zone, needed, contrast)


def _covered(mine: list[Recording], begin: float, end: float) -> float:
    """Share of a stretch of time that recordings which touch it cover; what two of them cover counts once."""
    if end <= begin:
        return 1.0
    if len(mine) == 1:
        return max(0.0, min(mine[0].end_s, end) - max(mine[0].start_s, begin)) / (end - begin)
    return min(1.0, length(within(merged((r.start_s, r.end_s) for r in mine), begin, end)) / (end - begin))


def _trigger(recording: Recording) -> float:
    return recording.trigger_s


def _on_one_scale(of_part: list[NDArray[np.int32]], needed_there: list[int], needed: int) -> NDArray[np.int32]:
    """Sizes in every picture; those of zones with a sensitivity of their own are put on the camera's scale.

    A zone that needs n where the camera needs m counts its size s as s * m // n: it reaches m exactly when s reaches n.
    """
    largest: NDArray[np.int32] | None = None
    for sizes, there in zip(of_part, needed_there, strict=True):
        scaled = sizes if there == needed else (sizes.astype(np.int64) * needed // there).astype(np.int32)
        largest = scaled if largest is None else np.maximum(largest, scaled)
    return largest if largest is not None else np.zeros(0, np.int32)


def _nearest_part(of_part: list[NDArray[np.int32]], parts: list[ZonePart], window: slice) -> tuple[int, int]:
    """Largest size in a stretch of pictures and the size needed, of the zone that comes nearest to triggering."""
    reached = [(int(sizes[window].max(initial=0)), part.needed) for sizes, part in zip(of_part, parts, strict=True)]
    return max(reached, key=lambda r: (r[0] / r[1], r[0]))


def _one_after_another(evidence: Evidence, row: Sequence[int], runs: list[list[Run]]) -> tuple[list[float], list[Run]]:
    """Picture times (POSIX seconds) and runs of a row of clips as if they were one.

    Pictures of a clip that its forerunner's pictures already cover are left out.
    """
    times: list[float] = []
    joined: list[Run] = []
    for index in row:
        start = evidence.clips[index].start_s
        mine = [start + t for t in evidence.stack.times[index]]
        skip = bisect.bisect_right(mine, times[-1]) if times else 0
        base = len(times) - skip
        for a, b in runs[index]:
            if b < skip:
                continue
            run = (base + max(a, skip), base + b)
            if joined and joined[-1][1] + 1 == run[0]:
                run = (joined.pop()[0], run[1])
            joined.append(run)
        times += mine[skip:]
    return times, joined


def _let_through(
    evidence: Evidence, settings: Settings, classes: dict[int, ObjectClass], runs: list[list[Run]]
) -> list[list[Run]]:
    """The runs during occurrences that the object filter lets through; mere motion between them triggers nothing.

    Occurrences that touch are one stretch. On a clip without occurrences nobody can name a class: all is let through.
    """
    spans: list[list[tuple[float, float]]] = [[] for _ in evidence.clips]
    named: set[int] = set()
    for o in evidence.occurrences:
        named.add(evidence.clip_index[o.clip_id])
        if lets_through(classes[o.id], settings.detection.objects):
            spans[evidence.clip_index[o.clip_id]].append((o.start_s - MARGIN_S, o.end_s + MARGIN_S))
    kept: list[list[Run]] = []
    for index, found in enumerate(runs):
        if index not in named:
            kept.append(found)
            continue
        times = evidence.stack.times[index]
        parts = []
        for begin_s, end_s in merged(spans[index]):
            low, high = bisect.bisect_left(times, begin_s), bisect.bisect_right(times, end_s) - 1
            parts += [(max(a, low), min(b, high)) for a, b in found if a <= high and b >= low]
        kept.append(parts)
    return kept


def _largest(sizes: NDArray[np.int32], evidence: Evidence) -> list[int]:
    """Largest size in each occurrence's pictures."""
    if not len(sizes):
        return [0] * len(evidence.occurrences)
    low, high = evidence.windows.T
    edges = np.minimum(evidence.windows, len(sizes) - 1).ravel()
    largest = np.maximum.reduceat(sizes, edges)[::2] if len(edges) else np.zeros(0, np.int32)
    # The last picture of all cannot be the end of a stretch for reduceat, so it is looked at by itself.
    largest = np.where((high == len(sizes)) & (low < high), np.maximum(largest, sizes[-1]), largest)
    found: list[int] = np.where(low < high, largest, 0).tolist()
    return found


def _longest_run(evidence: Evidence, clip: int, window: slice, runs: list[Run]) -> float:
    """Longest unbroken stretch of enough motion within the window, seconds."""
    times, base = evidence.stack.times[clip], int(evidence.stack.clip_start[clip])
    low, high = window.start - base, window.stop - base - 1
    inside = [(max(a, low), min(b, high)) for a, b in runs if a <= high and b >= low]
    return max((times[b] - times[a] for a, b in inside), default=0.0)


def _rest_left(evidence: Evidence, settings: Settings, clip: int, window: slice, made: list[Recording]) -> float | None:
    """Seconds of rest left when the window begins, None if the camera is not resting in it."""
    times, base = evidence.stack.times[clip], int(evidence.stack.clip_start[clip])
    if window.start >= window.stop:
        return None
    begin = evidence.clips[clip].start_s + times[window.start - base]
    left = max((r.end_s + settings.recording.rest_s for r in made if r.trigger_s < begin), default=-math.inf) - begin
    return left if left > 0 else None
