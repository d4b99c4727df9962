"""What the evidence can and cannot show, and what the camera's own records missed on continuous footage."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Origin
from guardia.core.evidence.events import EVENT_TOLERANCE_S
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.proposed import MERGE_GAP_S, SHORTEST_S
from guardia.core.trace.measure import least_size


@dataclass(frozen=True)
class Covered:
    """How much evidence of one origin is here."""

    origin: Origin
    """How it was recorded."""
    clips: int
    """Number of clips or pictures."""
    bright_s: float
    """Seconds with a bright picture."""
    dark_s: float
    """Seconds with a dark one."""


def covered(evidence: Evidence) -> list[Covered]:
    """Evidence by origin, by bright and by dark pictures.

    Args:
        evidence: The clips.

    Returns:
        One for each origin, also where there is none.
    """
    table = []
    for origin in Origin:
        clips = [c for c in evidence.clips if c.origin is origin]
        dark = sum(c.duration_s for c in clips if c.dark)
        table.append(Covered(origin, len(clips), sum(c.duration_s for c in clips) - dark, dark))
    return table


@dataclass(frozen=True)
class CoverageQuestion:
    """A question and whether the evidence answers it."""

    text: str
    """The question."""
    answer: str
    """'yes', 'partly' or 'no'."""
    why: str
    """What it rests on, or what is missing."""


ENOUGH_DAYS = 7
"""Fewer watched days than a week answer only partly: weekdays differ (common practice, no source)."""

ENOUGH_FOOTAGE_S = 3600.0
"""Below an hour of continuous footage by day or by night it answers only partly (common practice, no source)."""


def questions(evidence: Evidence) -> list[CoverageQuestion]:
    """What this evidence can answer.

    Args:
        evidence: Clips, occurrences, events.

    Returns:
        The questions that a technician asks, each with its answer and its reason.
    """
    table = {c.origin: c for c in covered(evidence)}
    motion, walk = table[Origin.MOTION], table[Origin.WALK_TEST]
    footage = [table[Origin.CONTINUOUS], walk]
    asked = []
    watch = evidence.watch
    counted = watch.counted_days
    held = "".join(f", {days:.1f} {reason}" for reason, days in watch.held_back().items())
    asked.append(
        CoverageQuestion(
            "How many false recordings a day do the installed settings make?",
            "yes" if counted >= ENOUGH_DAYS and motion.clips else "partly" if counted and motion.clips else "no",
            f"{count_of(motion.clips, 'clip')}; {counted:.1f} of {watch.days:.1f} days covered are fully reviewed{held}"
            if watch.spans
            else f"{count_of(motion.clips, 'clip')}, but the time covered is not known",
        )
    )
    for name, seconds in (("by day", sum(c.bright_s for c in footage)), ("at night", sum(c.dark_s for c in footage))):
        minutes = seconds / 60
        answer = "yes" if seconds >= ENOUGH_FOOTAGE_S else "partly" if seconds else "no"
        what = (
            f"{minutes:.0f} min of continuous footage and walk tests with a {'bright' if name == 'by day' else 'dark'}"
        )
        need = "" if answer == "yes" else "; record more continuously, or do a walk test"
        asked.append(CoverageQuestion(f"What does the camera miss {name}?", answer, f"{what} picture{need}"))
    more = sum(c.bright_s + c.dark_s for c in footage)
    asked.append(
        CoverageQuestion(
            "What would a more sensitive draft record in addition?",
            "partly" if more or evidence.snapshots else "no",
            f"{more / 60:.0f} min of footage, {count_of(evidence.snapshots, 'snapshot')} show it; motion clips cannot",
        )
    )
    named = sum(bool(e.named) for e in evidence.events)
    asked.append(
        CoverageQuestion(
            "What would the camera's object filter let through?",
            "partly" if named else "no",
            f"{named} of {len(evidence.events)} entries of its event list name a class"
            if evidence.events
            else "no event list of this camera is here",
        )
    )
    asked.append(
        CoverageQuestion(
            "Is somebody who walks the usual ways recorded?",
            "yes" if walk.bright_s and walk.dark_s else "partly" if walk.clips else "no",
            f"walk tests: {walk.clips}, {walk.bright_s / 60:.1f} min bright and {walk.dark_s / 60:.1f} min dark",
        )
    )
    return asked


@dataclass(frozen=True)
class Uncovered:
    """Motion on footage or a snapshot that nothing which the camera recorded or listed covers."""

    clip_id: int
    """The footage."""
    start_s: float
    """Beginning on the clip's clock."""
    end_s: float
    """End likewise."""
    occurrence_id: int | None
    """The occurrence that it is, None when none stands there yet."""


def uncovered(evidence: Evidence, *, contrast: int, size: float) -> list[Uncovered]:
    """Search all evidence that does not depend on a trigger for motion that no event and no motion clip covers.

    Args:
        evidence: Clips, occurrences, events.
        contrast: One of the contrast levels; the most sensitive that is wanted.
        size: Size threshold, share of the picture.

    Returns:
        In order of time.
    """
    listed = [(e.at_s, e.at_s + (e.duration_s or 0.0)) for e in evidence.events]
    listed += [(c.start_s, c.start_s + c.duration_s) for c in evidence.clips if c.origin is Origin.MOTION]
    stack = evidence.stack
    sizes = stack.sizes(np.ones((stack.rows, stack.columns), bool), contrast=contrast)
    runs = stack.runs(sizes, least_size(size, stack.cells))
    by_clip: dict[int, list[tuple[float, float, int]]] = {}
    for o in evidence.occurrences:
        by_clip.setdefault(o.clip_id, []).append((o.start_s, o.end_s, o.id))
    stretches = []
    for index, clip in enumerate(evidence.clips):
        if clip.origin is Origin.MOTION:
            continue
        times = stack.times[index]
        spans: list[tuple[float, float]] = []
        for first, last in runs[index]:
            if spans and times[first] - spans[-1][1] <= MERGE_GAP_S:
                spans[-1] = (spans[-1][0], times[last])
            else:
                spans.append((times[first], times[last]))
        for begin, end in spans:
            if end - begin < SHORTEST_S and clip.origin is not Origin.SNAPSHOT:
                continue
            low, high = clip.start_s + begin - EVENT_TOLERANCE_S, clip.start_s + end + EVENT_TOLERANCE_S
            if any(a <= high and low <= b for a, b in listed):
                continue
            mine = by_clip.get(clip.id, [])
            there = [i for a, b, i in mine if a <= end + 1e-6 and begin <= b + 1e-6]
            if there:
                stretches += [Uncovered(clip.id, begin, end, i) for i in there]
            else:
                stretches.append(Uncovered(clip.id, begin, end, None))
    unique = {(u.clip_id, u.occurrence_id if u.occurrence_id is not None else u.start_s): u for u in stretches}
    return list(unique.values())
