"""Recorded evidence of one camera: clips with their traces, and the occurrences found in them."""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta
from enum import StrEnum
from functools import cached_property
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from guardia.core.events import EVENT_TOLERANCE_S, CameraEvent, event_of
from guardia.core.geometry import ViewGeometry
from guardia.core.judgement import Verdict, kind_of
from guardia.core.motion import size_in_cells
from guardia.core.settings import Settings
from guardia.core.stack import TraceStack
from guardia.core.trace import Trace


class Origin(StrEnum):
    """How a clip came to be recorded, which decides what it can prove."""

    MOTION = "motion"
    CONTINUOUS = "continuous"
    WALK_TEST = "walk test"
    SNAPSHOT = "snapshot"


@dataclass(frozen=True)
class Clip:
    """A piece of video with a start time.

    Parameters
    ----------
    id
        Number in the project.
    name
        File name in the media folder.
    start_s
        Start, POSIX seconds.
    duration_s
        Length in seconds.
    origin
        How it was recorded.
    brightness
        Mean luma of its background, 0..255; NaN while unknown.
    """

    id: int
    name: str
    start_s: float
    duration_s: float
    origin: Origin
    brightness: float = math.nan

    @property
    def dark(self) -> bool:
        """Whether its picture is that of a night, by its brightness."""
        return self.brightness < DARK_LUMA


@dataclass(frozen=True)
class Occurrence:
    """A thing that really happened, the unit that is counted.

    Parameters
    ----------
    id
        Number in the project.
    clip_id
        The clip that shows it.
    start_s
        Beginning, seconds on the clip's clock.
    end_s
        End, likewise.
    kind
        Id of the kind it was judged as, empty while unjudged.
    visit
        Number that it shares with the other parts of one visit, None when it stands alone.
    """

    id: int
    clip_id: int
    start_s: float
    end_s: float
    kind: str = ""
    visit: int | None = None

    @property
    def verdict(self) -> Verdict | None:
        """The judgement, None while there is none."""
        return kind_of(self.kind).verdict if self.kind else None


@dataclass(frozen=True, eq=False)
class Evidence:
    """Everything that settings of one camera are scored on.

    Parameters
    ----------
    clips
        In order of start time.
    occurrences
        In order of time; each belongs to one of the clips.
    stack
        The clips' traces, in the order of `clips`.
    time_zone
        The site's time zone, an IANA name.
    events
        What the camera's own list says, in order of time.
    view
        The camera's calibrated view, None when it is not known.
    """

    clips: tuple[Clip, ...]
    occurrences: tuple[Occurrence, ...]
    stack: TraceStack
    time_zone: str
    events: tuple[CameraEvent, ...] = ()
    view: ViewGeometry | None = None

    @cached_property
    def clip_index(self) -> dict[int, int]:
        """Position of each clip id in `clips`."""
        return {clip.id: index for index, clip in enumerate(self.clips)}

    @cached_property
    def judged_days(self) -> frozenset[date]:
        """Local days, from the first motion clip's to the last's, on which no motion clip waits for a judgement.

        A rate per day is counted on these days only: an unjudged day would dilute it.
        """
        zone = ZoneInfo(self.time_zone)
        dates = [local_date(c.start_s, zone) for c in self.clips if c.origin is Origin.MOTION]
        if not dates:
            return frozenset()
        waiting = {
            local_date(clip.start_s, zone)
            for o in self.occurrences
            if not o.kind and (clip := self.clips[self.clip_index[o.clip_id]]).origin is Origin.MOTION
        }
        span = (max(dates) - min(dates)).days + 1
        return frozenset(min(dates) + timedelta(days=n) for n in range(span)) - waiting

    @cached_property
    def days(self) -> int:
        """Local days from the first motion clip's to the last's, both counted; 0 without motion clips."""
        zone = ZoneInfo(self.time_zone)
        dates = [local_date(c.start_s, zone) for c in self.clips if c.origin is Origin.MOTION]
        return (max(dates) - min(dates)).days + 1 if dates else 0

    @cached_property
    def continuous_s(self) -> float:
        """Seconds of evidence that show what happened whether or not anything triggered."""
        return sum(c.duration_s for c in self.clips if c.origin in (Origin.CONTINUOUS, Origin.WALK_TEST))

    @cached_property
    def repeated(self) -> frozenset[int]:
        """Ids of occurrences that other evidence shows better, to be counted once.

        Of a motion clip: when continuous footage shows it too. Of a snapshot: when any other clip shows something
        within SNAPSHOT_NEAR_S of it.
        """
        spans = [
            (c.start_s + o.start_s, c.start_s + o.end_s)
            for o in self.occurrences
            if (c := self.clips[self.clip_index[o.clip_id]]).origin in (Origin.CONTINUOUS, Origin.WALK_TEST)
        ]
        near = [
            (c.start_s + o.start_s - SNAPSHOT_NEAR_S, c.start_s + o.end_s + SNAPSHOT_NEAR_S)
            for o in self.occurrences
            if (c := self.clips[self.clip_index[o.clip_id]]).origin is not Origin.SNAPSHOT
        ]
        twice = set()
        for occurrence in self.occurrences:
            clip = self.clips[self.clip_index[occurrence.clip_id]]
            begin, end = clip.start_s + occurrence.start_s, clip.start_s + occurrence.end_s
            others = {Origin.MOTION: spans, Origin.SNAPSHOT: near}.get(clip.origin, [])
            if any(a <= end and begin <= b for a, b in others):
                twice.add(occurrence.id)
        return frozenset(twice)

    @cached_property
    def snapshots(self) -> int:
        """Number of single pictures taken by the clock."""
        return sum(c.origin is Origin.SNAPSHOT for c in self.clips)

    def with_occurrences(self, occurrences: Sequence[Occurrence]) -> Evidence:
        """The same clips and traces under new judgements."""
        return replace(self, occurrences=tuple(occurrences))

    def clip_of(self, occurrence: Occurrence) -> Clip:
        """The clip that shows an occurrence."""
        return self.clips[self.clip_index[occurrence.clip_id]]

    def span_s(self, occurrence: Occurrence) -> tuple[float, float]:
        """Beginning and end of an occurrence, POSIX seconds."""
        start = self.clip_of(occurrence).start_s
        return start + occurrence.start_s, start + occurrence.end_s

    @cached_property
    def event_of(self) -> dict[int, CameraEvent]:
        """The camera's own event about each occurrence id, where its list has one."""
        starts = [e.at_s for e in self.events]
        longest = max((e.duration_s or 0.0 for e in self.events), default=0.0) + EVENT_TOLERANCE_S
        found = {}
        for occurrence in self.occurrences:
            begin, end = self.span_s(occurrence)
            low, high = bisect_left(starts, begin - longest), bisect_right(starts, end + EVENT_TOLERANCE_S)
            event = event_of(list(self.events[low:high]), begin, end)
            if event is not None:
                found[occurrence.id] = event
        return found

    @cached_property
    def windows(self) -> NDArray[np.int64]:
        """(N, 2): first picture of each occurrence and the first after it, among all pictures of the stack."""
        found = np.zeros((len(self.occurrences), 2), np.int64)
        for place, o in enumerate(self.occurrences):
            index = self.clip_index[o.clip_id]
            times, base = self.stack.times[index], int(self.stack.clip_start[index])
            found[place, 0] = base + bisect_left(times, o.start_s - MARGIN_S)
            found[place, 1] = base + bisect_right(times, o.end_s + MARGIN_S)
        return found

    @cached_property
    def visits(self) -> tuple[tuple[Occurrence, ...], ...]:
        """The occurrences to be counted, each as the parts of its visit in order of time; repeated ones left out."""
        parts: dict[tuple[bool, int], list[Occurrence]] = {}
        for o in self.occurrences:
            if o.id not in self.repeated:
                parts.setdefault((o.visit is None, o.id if o.visit is None else o.visit), []).append(o)
        return tuple(tuple(p) for p in parts.values())


def local_date(posix_s: float, zone: ZoneInfo) -> date:
    """Date at the site."""
    return datetime.fromtimestamp(posix_s, UTC).astimezone(zone).date()


DARK_LUMA = 55.0
"""A picture of less mean luma is one of a night (common practice, no source); infrared lamps leave most of it dark."""

SNAPSHOT_NEAR_S = 30.0
"""A snapshot this close to an occurrence of a clip shows the same thing."""

MARGIN_S = 0.25
"""Pictures this close to an occurrence are looked at with it."""

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

    Parameters
    ----------
    trace
        The clip's trace.
    contrast
        One of CONTRAST_LEVELS.
    size
        Size threshold, share of the picture.
    origin
        How the clip was recorded.
    merge_gap_s
        Stretches closer than this are one.

    Returns
    -------
    list[tuple[float, float]]
        (start, end) seconds on the clip's clock. A motion clip always gives exactly one.
    """
    stack = TraceStack([trace])
    times = stack.times[0]
    if origin is Origin.SNAPSHOT:
        everywhere = stack.sizes(np.ones((stack.rows, stack.columns), bool), contrast=contrast)
        return [(0.0, 0.0)] if int(everywhere.max(initial=0)) >= size_in_cells(size, stack.cells) else []
    if not times:
        return [(0.0, 0.0)] if origin is Origin.MOTION else []
    watched = stack.activity(0, times[0], times[-1], contrast=contrast) <= HABIT_SHARE
    sizes = stack.sizes(watched, contrast=contrast)
    spans: list[tuple[int, int]] = []
    for first, last in stack.runs(sizes, size_in_cells(size, stack.cells))[0]:
        if spans and times[first] - times[spans[-1][1]] <= merge_gap_s:
            spans[-1] = (spans[-1][0], last)
        else:
            spans.append((first, last))
    if origin is Origin.MOTION:
        if not spans:
            return [(times[0], times[-1])]
        spans = [max(spans, key=lambda s: int(sizes[s[0] : s[1] + 1].sum()))]
    found = [(times[a], times[b]) for a, b in spans]
    return found if origin is Origin.MOTION else [(a, b) for a, b in found if b - a >= SHORTEST_S]


def could_show_more(
    draft: Settings,
    installed: Settings,
    *,
    draft_sensitivity: tuple[int, float],
    installed_sensitivity: tuple[int, float],
    new_cells: bool,
) -> bool:
    """Whether the draft might record what the installed settings never let into a motion clip.

    Parameters
    ----------
    draft
        The draft.
    installed
        What made the motion clips.
    draft_sensitivity
        (contrast, size) of the draft.
    installed_sensitivity
        (contrast, size) in force when the clips were made.
    new_cells
        The draft watches cells that the installed settings do not.

    Returns
    -------
    bool
        True when motion clips alone cannot show everything the draft would do.
    """
    return draft.detection_on and (
        not installed.detection_on
        or new_cells
        or draft_sensitivity[0] < installed_sensitivity[0]
        or draft_sensitivity[1] < installed_sensitivity[1]
        or draft.hold_s < installed.hold_s
        or draft.retrigger_wait_s < installed.retrigger_wait_s
    )
