"""Recorded evidence of one camera: clips with their traces, and the occurrences found in them."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from functools import cached_property
from itertools import pairwise
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.clips import FOOTAGE, Cause, Clip, Columns, Occurrence, Origin, Visit, VisitTable, visits_of
from guardia.core.evidence.epochs import Epoch
from guardia.core.evidence.events import EVENT_TOLERANCE_S, CameraEvent, event_of
from guardia.core.evidence.walked import Walked
from guardia.core.evidence.watch import Span, Watch, local_date, merged, midnight, without
from guardia.core.hours.place import SitePlace, wall_date
from guardia.core.make.settings import Settings
from guardia.core.purpose.judgement import Verdict
from guardia.core.purpose.purpose import Purpose
from guardia.core.storage.known import StorageKnown
from guardia.core.trace.stack import TraceStack
from guardia.core.view.geometry import ViewGeometry


@dataclass(frozen=True, eq=False)
class Evidence:
    """Everything that settings of one camera are scored on."""

    clips: tuple[Clip, ...]
    """In order of start time."""
    occurrences: tuple[Occurrence, ...]
    """In order of time; each belongs to one of the clips."""
    stack: TraceStack
    """The clips' traces, in the order of `clips`."""
    time_zone: str
    """The site's time zone, an IANA name."""
    events: tuple[CameraEvent, ...] = ()
    """What the camera's own list says, in order of time."""
    view: ViewGeometry | None = None
    """The camera's calibrated view, None when it is not known."""
    watched: tuple[Span, ...] = ()
    """Spans of POSIX seconds in which the camera was up and recording by motion; in any order."""
    epochs: tuple[Epoch, ...] = ()
    """Which settings were in force when, in order of time; outside of them they are not known."""
    unmeasured_s: tuple[float, ...] = ()
    """Starts of motion clips that are here but not measured yet, POSIX seconds."""
    coordinates: tuple[float, float] | None = None
    """Latitude and longitude of the site in degrees, None while nobody said."""
    storage: StorageKnown = field(default_factory=StorageKnown)
    """What is known of where its footage goes."""
    walks: tuple[Walked, ...] = ()
    """Walk tests entered by hand."""
    other_views: tuple[int, ...] = ()
    """Numbers of clips that are left out, since they show another view than the planned one."""
    purpose: Purpose | None = None
    """What the camera is for, None while nobody said."""
    clock_error_s: float = 0.0
    """By how much its clock is fast; times of clips and events are put right already."""

    @cached_property
    def place(self) -> SitePlace:
        """Where the site lies."""
        return SitePlace(self.time_zone, *(self.coordinates or (None, None)))

    @cached_property
    def dates(self) -> tuple[date, date]:
        """First and last date of the clips at the site; the first of all dates twice without clips."""
        ends = [at for c in self.clips for at in (c.start_s, c.start_s + c.duration_s)]
        return wall_date(self.place, min(ends, default=0.0)), wall_date(self.place, max(ends, default=0.0))

    @cached_property
    def records(self) -> list[float]:
        """When the camera made itself known, POSIX seconds in order: ends of clips, entries of its lists."""
        ends = [at for c in self.clips for at in (c.start_s, c.end_s)]
        return sorted([*ends, *(e.at_s for e in self.events)])

    @cached_property
    def clip_index(self) -> dict[int, int]:
        """Position of each clip id in `clips`."""
        return {clip.id: index for index, clip in enumerate(self.clips)}

    @cached_property
    def watch(self) -> Watch:
        """Watched time; a day on which something recorded by motion is not measured, not judged or unsure waits."""
        zone = ZoneInfo(self.time_zone)
        waiting: dict[date, str] = {}
        for occurrence in self.occurrences:
            clip = self.clip_of(occurrence)
            if clip.by_motion and not _settled(self._as_on_footage(occurrence)):
                day = local_date(clip.start_s, zone)
                if waiting.get(day) != "not judged":
                    waiting[day] = "unsure" if occurrence.kind else "not judged"
        waiting |= dict.fromkeys((local_date(at, zone) for at in self.unmeasured_s), "not measured")
        return Watch(merged(self.watched), zone, waiting)

    @cached_property
    def motion_clips(self) -> tuple[Clip, ...]:
        """The clips recorded because something moved."""
        return tuple(c for c in self.clips if c.by_motion)

    @cached_property
    def other_causes(self) -> tuple[Clip, ...]:
        """Clips that the camera recorded for another cause, or for one that is not known; no score counts them."""
        return tuple(c for c in self.clips if c.by_another_cause)

    def in_force(self, clip: Clip) -> Settings | None:
        """The same, with all that nobody said of them; None when no settings are kept for that time."""
        return next((e.settings for e in self.epochs if e.from_s <= clip.start_s < e.to_s), None)

    def settings_of(self, clip: Clip) -> Settings | None:
        """The settings in force when a clip began; None when it is not known what they let through."""
        then = self.in_force(clip)
        return then if then is not None and then.says_what_triggers else None

    @cached_property
    def rows(self) -> tuple[tuple[int, ...], ...]:
        """Positions of clips, in order; files of footage that overlap or follow on without a gap form one row."""
        rows: list[list[int]] = []
        last: dict[Origin, list[int]] = {}
        ends: dict[Origin, float] = {}
        for index, clip in enumerate(self.clips):
            row = last.get(clip.origin)
            if row is not None and clip.origin in FOOTAGE and clip.start_s <= ends[clip.origin] + SEAM_S:
                row.append(index)
                ends[clip.origin] = max(ends[clip.origin], clip.end_s)
                continue
            last[clip.origin], ends[clip.origin] = [index], clip.end_s
            rows.append(last[clip.origin])
        return tuple(tuple(row) for row in rows)

    @cached_property
    def continuous_s(self) -> float:
        """Seconds of evidence that show what happened whether or not anything triggered."""
        return sum(c.duration_s for c in self.clips if c.origin in FOOTAGE)

    @cached_property
    def repeated(self) -> frozenset[int]:
        """Ids of occurrences that other evidence shows better, to be counted once.

        Of a motion clip: when continuous footage shows it too; the one that is judged stands for both, and of two that
        are judged, or wait, the one on the footage. Of a snapshot: when any other clip shows something within
        SNAPSHOT_NEAR_S of it.
        """
        twice = set()
        near = _Spans(
            [
                (begin - SNAPSHOT_NEAR_S, end + SNAPSHOT_NEAR_S, o)
                for o in self.occurrences
                if self.clip_of(o).origin is not Origin.SNAPSHOT
                for begin, end in [self.span_s(o)]
            ]
        )
        for occurrence in self.occurrences:
            origin = self.clip_of(occurrence).origin
            if origin is Origin.SNAPSHOT and near.over(*self.span_s(occurrence)):
                twice.add(occurrence.id)
            elif origin is Origin.MOTION and (both := self._on_footage.over(*self.span_s(occurrence))):
                if any(_settled(o) for o in both) or not _settled(occurrence):
                    twice.add(occurrence.id)
                else:
                    twice.update(o.id for o in both)
        return frozenset(twice)

    @cached_property
    def columns(self) -> Columns:
        """What occurrences are looked for by."""
        clips = [self.clip_of(o) for o in self.occurrences]
        return Columns(
            np.array([o.id for o in self.occurrences], np.int64),
            np.array([o.kind for o in self.occurrences], np.str_),
            np.array([o.verdict or "" for o in self.occurrences], np.str_),
            np.array([c.origin for c in clips], np.str_),
            np.array([c.dark for c in clips], bool),
            np.array([c.start_s + o.start_s for c, o in zip(clips, self.occurrences, strict=True)], np.float64),
        )

    @cached_property
    def dark_frames(self) -> NDArray[np.bool_]:
        """(F,) whether each picture of the stack belongs to a dark clip."""
        return np.repeat(np.array([c.dark for c in self.clips], bool), np.diff(self.stack.clip_start))

    @cached_property
    def on_snapshots(self) -> NDArray[np.bool_]:
        """(N,) whether each occurrence is on a snapshot."""
        return np.array([self.clip_of(o).origin is Origin.SNAPSHOT for o in self.occurrences], bool)

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
        events = {}
        for occurrence in self.occurrences:
            begin, end = self.span_s(occurrence)
            low, high = bisect_left(starts, begin - longest), bisect_right(starts, end + EVENT_TOLERANCE_S)
            event = event_of(list(self.events[low:high]), begin, end)
            if event is not None:
                events[occurrence.id] = event
        return events

    @cached_property
    def of_clip(self) -> dict[int, tuple[Occurrence, ...]]:
        """The occurrences of each clip id that has some, in order of time."""
        by_clip: dict[int, list[Occurrence]] = {}
        for o in self.occurrences:
            by_clip.setdefault(o.clip_id, []).append(o)
        return {clip_id: tuple(mine) for clip_id, mine in by_clip.items()}

    @cached_property
    def windows(self) -> NDArray[np.int64]:
        """(N, 2): first picture of each occurrence and the first after it, among all pictures of the stack."""
        windows = np.zeros((len(self.occurrences), 2), np.int64)
        for place, o in enumerate(self.occurrences):
            index = self.clip_index[o.clip_id]
            times, base = self.stack.times[index], int(self.stack.clip_start[index])
            windows[place, 0] = base + bisect_left(times, o.start_s - MARGIN_S)
            windows[place, 1] = base + bisect_right(times, o.end_s + MARGIN_S)
        return windows

    @cached_property
    def spans(self) -> list[tuple[int, float, float]]:
        """Of each occurrence the position of its clip, and its beginning and end, POSIX seconds."""
        spans = []
        for o in self.occurrences:
            index = self.clip_index[o.clip_id]
            start = self.clips[index].start_s
            spans.append((index, start + o.start_s, start + o.end_s))
        return spans

    @cached_property
    def visit_table(self) -> VisitTable:
        """The visits that are counted."""
        return self._table(self.visits)

    @cached_property
    def rated_table(self) -> VisitTable:
        """The visits that rates per day count."""
        return self._table(self.rated_visits)

    @cached_property
    def recorded_table(self) -> VisitTable:
        """What the camera recorded because it moved."""
        return self._table(self.recorded_visits)

    def _table(self, visits: Sequence[Visit]) -> VisitTable:
        place = {o.id: n for n, o in enumerate(self.occurrences)}
        parts = np.array([place[p.id] for visit in visits for p in visit], np.int64)
        first = np.cumsum([0, *(len(visit) for visit in visits)])[:-1].astype(np.int64)
        ids = np.array([visit.id for visit in visits], np.int64)
        verdicts = [visit.verdict for visit in visits]
        real = np.array([v is Verdict.REAL for v in verdicts], bool)
        false = np.array([v is Verdict.FALSE for v in verdicts], bool)
        return VisitTable(ids, parts, first, real, false)

    @cached_property
    def visits(self) -> tuple[Visit, ...]:
        """What is counted: visits of one or more parts, without what is repeated and without clips of other causes."""
        return visits_of(
            o for o in self.occurrences if o.id not in self.repeated and not self.clip_of(o).by_another_cause
        )

    @cached_property
    def rated_visits(self) -> tuple[Visit, ...]:
        """What rates per day count: judged, recorded because it moved, in watched time that is judged whole."""
        settled = (v for v in self.recorded_visits if v.verdict in (Verdict.REAL, Verdict.FALSE))
        return tuple(v for v in settled if self.watch.counts(*self.span_s(v[0])))

    @cached_property
    def recorded_visits(self) -> tuple[Visit, ...]:
        """What the camera recorded because it moved, whatever else shows it."""
        return visits_of(self._as_on_footage(o) for o in self.occurrences if self.clip_of(o).by_motion)

    def _as_on_footage(self, occurrence: Occurrence) -> Occurrence:
        """What waits on a motion clip, with the judgement of what continuous footage shows at that time."""
        if _settled(occurrence):
            return occurrence
        both = [o for o in self._on_footage.over(*self.span_s(occurrence)) if _settled(o)]
        said = next((o for o in both if o.verdict is Verdict.REAL), next(iter(both), None))
        return occurrence if said is None else replace(occurrence, kind=said.kind)

    @cached_property
    def _on_footage(self) -> _Spans:
        return _Spans([(*self.span_s(o), o) for o in self.occurrences if self.clip_of(o).origin in FOOTAGE])


def noted_spans(evidence: Evidence) -> list[Span]:
    """When the camera noted something by motion: its motion clips and the entries of its event lists, POSIX seconds."""
    noted = [(e.at_s - EVENT_TOLERANCE_S, e.at_s + (e.duration_s or 0.0) + EVENT_TOLERANCE_S) for e in evidence.events]
    return noted + [(c.start_s, c.end_s) for c in evidence.clips if c.by_motion]


def looked_during(evidence: Evidence) -> frozenset[int]:
    """Ids of the footage and walk tests during which the camera went on looking for motion.

    All of them once it noted something during one, else none: many a camera that records always does not look.
    """
    footage = [c for c in evidence.clips if c.origin in FOOTAGE]
    noted = noted_spans(evidence)
    looked = any(a < c.end_s and c.start_s < b for c in footage for a, b in noted)
    return frozenset(c.id for c in footage) if looked else frozenset()


def with_causes(clips: Sequence[Clip], events: Sequence[CameraEvent], said: Mapping[int, str]) -> list[Clip]:
    """Clips with the cause that their camera's own list names, where nobody has said one.

    Args:
        clips: Any clips of one camera.
        events: Its events, in order of time.
        said: What was said, by clip id; '' or nothing leaves it to the list.

    Returns:
        In the same order.
    """
    named = [e for e in events if e.cause]
    starts = [e.at_s for e in named]
    caused = []
    for clip in clips:
        if clip.origin is Origin.MOTION and not said.get(clip.id):
            low = bisect_left(starts, clip.start_s - EVENT_TOLERANCE_S)
            high = bisect_right(starts, clip.end_s)
            if low < high:
                clip = replace(clip, cause=Cause(named[low].cause))
        caused.append(clip)
    return caused


def listed_spans(
    listed: Sequence[Span], events: Sequence[CameraEvent], clips: Sequence[Clip], zone: ZoneInfo
) -> tuple[Span, ...]:
    """Watched time by event lists: days between a list's first and last entry of which every event has its clip here.

    A day with an event that no clip shows is left out: its clips were not brought in, or not kept. So is a gap of more
    than LONGEST_QUIET_S: the camera may have been down, or its clock not set.

    Args:
        listed: First to last entry of each list, POSIX seconds.
        events: All events, in order of time.
        clips: The camera's clips.
        zone: The site's.

    Returns:
        POSIX seconds, merged.
    """
    covered = merged((c.start_s - EVENT_TOLERANCE_S, c.end_s + EVENT_TOLERANCE_S) for c in clips)
    starts = [low for low, _ in covered]
    bare = set()
    for event in events:
        place = bisect_right(starts, event.at_s) - 1
        if place < 0 or covered[place][1] < event.at_s:
            bare.add(local_date(event.at_s, zone))
    away = [(midnight(day, zone), midnight(day + timedelta(days=1), zone)) for day in bare]
    moments = [event.at_s for event in events]
    away += [(a, b) for a, b in pairwise(moments) if b - a > LONGEST_QUIET_S]
    return without(listed, away)


class _Spans:
    """Occurrences by the spans they cover, to find those that overlap another quickly."""

    def __init__(self, spans: list[tuple[float, float, Occurrence]]) -> None:
        self._spans = sorted(spans, key=lambda s: s[0])
        self._begins = [s[0] for s in self._spans]
        self._longest = max((b - a for a, b, _ in self._spans), default=0.0)

    def over(self, begin: float, end: float) -> list[Occurrence]:
        low = bisect_left(self._begins, begin - self._longest)
        return [o for _, b, o in self._spans[low : bisect_right(self._begins, end)] if b >= begin]


def _settled(occurrence: Occurrence) -> bool:
    return occurrence.verdict in (Verdict.REAL, Verdict.FALSE)


SNAPSHOT_NEAR_S = 30.0
"""A snapshot this close to an occurrence of a clip shows the same thing."""

MARGIN_S = 0.25
"""Pictures this close to an occurrence are looked at with it."""

SEAM_S = 3.0
"""Files of footage whose ends are this close are one piece: recorders cut continuous footage into files, and some need
a moment between them (common practice, no source)."""

LONGEST_QUIET_S = 7 * 86400.0
"""A list without an entry for longer than a week does not tell that the camera was up (common practice, no source)."""
