"""What settings would have done with the evidence: recordings, and what becomes of every occurrence.

What is counted (recorded, late, cut) is held in arrays. The gates that closed are asked for one occurrence at a time,
when somebody wants to know them: trying many settings makes no object per occurrence.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.clips import Clip, Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import Span
from guardia.core.hours.plan import in_spans
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import Settings
from guardia.core.make.zone_parts import ZonePart, zone_parts
from guardia.core.make.zones import ZoneDoes
from guardia.core.replay import gates
from guardia.core.replay.always import always_written
from guardia.core.replay.gate import BEHIND, LEAST_SHARE, Gate, Look, MaskGate, Stage, SwitchGate, TimeGate, TriggerGate
from guardia.core.replay.gates import Outcome
from guardia.core.replay.keeping import Keeping, closed_by_store, keeping_of
from guardia.core.replay.later_gates import AlertGate, AlertIntervalGate
from guardia.core.replay.objects import ObjectClass, frames_of, object_classes
from guardia.core.replay.recording import cover, record
from guardia.core.replay.timing import Recording
from guardia.core.trace.measure import CELL_SIZE, least_size
from guardia.core.trace.stack import Run


@dataclass(frozen=True, eq=False)
class Motion:
    """The size of motion in every picture under the zones and the sensitivity of some settings."""

    parts: list[ZonePart]
    """The zone by sensitivity."""
    of_part: list[NDArray[np.int32]]
    """Per part (F,) int32, size of the largest group inside, all clips joined."""
    sizes: NDArray[np.int32]
    """(F,) int32, the largest of them on the scale of the camera's own sensitivity."""
    needed: int
    """Size needed to trigger, in the unit of `sizes`."""
    contrast: int
    """Luma step in force."""
    night_contrast: int
    """Luma step in force in dark pictures."""
    alert_sizes: NDArray[np.int32] | None = None
    """(F,) int32, as `sizes`, of the zones that alert; None where every zone records and alerts."""

    def contrast_in(self, clip: Clip) -> int:
        """Luma step in force in a clip."""
        return self.night_contrast if clip.dark else self.contrast

    @cached_property
    def zone(self) -> NDArray[np.bool_]:
        """(rows, columns) cells inside the zone."""
        inside: NDArray[np.bool_] = np.logical_or.reduce([part.cells for part in self.parts])
        return inside


def motion_under(
    evidence: Evidence,
    candidate: Candidate,
    *,
    without: NDArray[np.bool_] | None = None,
    parts: list[ZonePart] | None = None,
) -> Motion:
    """Sizes under the zones and the sensitivity of some settings; as replay().

    With `parts` those stand in place of the settings' own zones and sensitivities.
    """
    stack = evidence.stack
    contrast, share = candidate.sensitivity
    needed = least_size(share, stack.cells)
    parts = zone_parts(candidate, grid=stack.grid) if parts is None else parts
    if without is not None:
        parts = [replace(part, cells=part.cells & ~without) for part in parts]
    of_part = [stack.sizes(p.cells, contrast=p.contrast, zone_test=candidate.capability.zone_test) for p in parts]
    for part, sizes in zip(parts, of_part, strict=True):
        if part.dark is not None:
            sizes[evidence.dark_frames != part.dark] = 0
        if part.classes:
            sizes[~frames_of(evidence, candidate.capability, part.classes)] = 0
    at_night = candidate.settings.in_light(dark=True).sensitivity_under(candidate.capability)

    def scaled(but: ZoneDoes) -> NDArray[np.int32]:
        chosen = [(sizes, p.needed) for sizes, p in zip(of_part, parts, strict=True) if p.does is not but]
        none = np.zeros(stack.frames, np.int32)
        return _on_one_scale([s for s, _ in chosen], [n for _, n in chosen], needed) if chosen else none

    apart = any(part.does is not ZoneDoes.BOTH for part in parts)
    alerting = scaled(ZoneDoes.RECORDS) if apart else None
    return Motion(parts, of_part, scaled(ZoneDoes.ALERTS), needed, contrast, at_night.contrast, alerting)


@dataclass(frozen=True, eq=False)
class Replay:
    """What one set of settings would have done on all the evidence. N occurrences, in the order of the evidence."""

    evidence: Evidence
    """What was replayed."""
    candidate: Candidate
    """Settings and make."""
    motion: Motion
    """Sizes of motion."""
    runs: list[list[Run]]
    """Per clip, the stretches of enough motion."""
    recordings: list[list[Recording]]
    """Per clip, the recordings that began in it, in order of time (POSIX seconds)."""
    earlier: list[list[Recording]]
    """Per clip, recordings that began before it and can reach into it."""
    share: NDArray[np.float64]
    """(N,) share that the recordings cover."""
    late: NDArray[np.bool_]
    """(N,) recorded by motion, but the beginning is lost there."""
    cut: NDArray[np.bool_]
    """(N,) recorded by motion, but the end is lost there."""
    trigger_s: NDArray[np.float64]
    """(N,) when it triggered, NaN where it did not itself trigger."""
    chances: NDArray[np.float64] | None = None
    """(K, N) chance to be recorded, for each of K factors that the camera may have, each as likely as the others; None
    for what the model alone says."""
    alerting: NDArray[np.float64] | None = None
    """(K, N) chance to trigger in a zone that alerts; None where every zone does both, and as above."""
    unlike_model: NDArray[np.bool_] | None = None
    """(N,) the model would have recorded it, what the camera did speaks against it; None as above."""
    lasting: Callable[[Replay], list[list[Span]]] | None = None
    """Gives `stretches` from what the camera did; None as above."""
    alert_facts: NDArray[np.int8] | None = None
    """(N,) 1 or 0 where the camera's own list says that it alerted or not under these alert settings, else -1; None as
    above."""

    @cached_property
    def stretches(self) -> list[list[Span]]:
        """Per clip, from when to when is recorded, POSIX seconds: by what the camera did where that is known."""
        if self.lasting is not None:
            return self.lasting(self)
        return [[(r.start_s, r.end_s) for r in recordings] for recordings in self.recordings]

    @cached_property
    def recorded(self) -> NDArray[np.bool_]:
        """(N,) whether it is recorded, by motion or because it is always written then."""
        return self.came_through(Stage.RECORDED)

    @cached_property
    def marked(self) -> NDArray[np.bool_]:
        """(N,) whether motion records it: on a camera that writes always, whether it is marked."""
        marked: NDArray[np.bool_] = self.recorded & (self.share >= LEAST_SHARE)
        return marked

    @cached_property
    def written(self) -> NDArray[np.bool_]:
        """(N,) whether it lies in time that is written whatever moves."""
        return always_written(self.evidence, self.candidate)

    @cached_property
    def in_alert_zone(self) -> NDArray[np.float64]:
        """(N,) when it moved enough for long enough in zones that alert, POSIX seconds; NaN where it did not."""
        evidence, sizes = self.evidence, self.motion.alert_sizes
        if sizes is None:
            return self.trigger_s
        hold_s = self.candidate.settings.detection.hold_s
        runs = evidence.stack.runs(sizes, self.motion.needed)
        for gate in gates.GATES:
            if isinstance(gate, TriggerGate):
                runs = gate.leaves(evidence, self.candidate, runs)
        found = np.full(len(evidence.occurrences), np.nan)
        for place, (index, _, _) in enumerate(evidence.spans):
            times, base = evidence.stack.times[index], int(evidence.stack.clip_start[index])
            low, high = evidence.windows[place, 0] - base, evidence.windows[place, 1] - base - 1
            inside = [(max(a, low), min(b, high)) for a, b in runs[index] if a <= high and b >= low]
            long = [times[a] for a, b in inside if times[b] - times[a] >= hold_s - 1e-6]
            if long:
                found[place] = evidence.clips[index].start_s + min(long) + hold_s
        return found

    @cached_property
    def alert_chances(self) -> NDArray[np.float64]:
        """(K, N) chance that somebody is alerted to it, for each factor as in `chances`; K is 1 by the model alone."""
        chances = self.marked[None, :].astype(np.float64) if self.chances is None else self.chances
        triggered, open_to = ~np.isnan(self.trigger_s), self.told.copy()
        waiting = ~triggered & ~self.marked
        if self.alerting is not None:
            chances, waiting = self.alerting, waiting | (triggered & np.isnan(self.in_alert_zone))
        if waiting.any():
            # What would be decided if it triggered as it begins; the time between alerts goes by those that do.
            begins = np.array([begin for _, begin, _ in self.evidence.spans], np.float64)
            as_if = replace(self, trigger_s=np.where(triggered, self.trigger_s, begins))
            for gate in gates.of_stage(Stage.ALERTED):
                if not isinstance(gate, AlertIntervalGate) and (self.alerting is None or gate is not gates.ALERT_ZONE):
                    waiting = waiting & ~gate.closes(as_if, waiting)
            open_to |= waiting
        if self.alerting is not None:
            return chances * open_to
        # What triggers without being recorded is alerted by the model alone.
        alerted: NDArray[np.float64] = np.maximum(chances * open_to, self.told & ~self.marked)
        return alerted

    @cached_property
    def told(self) -> NDArray[np.bool_]:
        """(N,) whether somebody was alerted to it."""
        return self.came_through(Stage.ALERTED)

    @cached_property
    def _closed(self) -> dict[Stage, list[tuple[MaskGate, NDArray[np.bool_]]]]:
        return {}

    def closed_in(self, stage: Stage) -> list[tuple[MaskGate, NDArray[np.bool_]]]:
        """The gates of a stage behind the trigger, each with the (N,) occurrences for which it closes."""
        if stage not in self._closed:
            passing, closed = self._begin(stage), []
            for gate in gates.of_stage(stage):
                closes = gate.closes(self, passing)
                if self.alert_facts is not None and isinstance(gate, AlertGate) and gate.of_sending:
                    closes = closes & (self.alert_facts != 1)
                closed.append((gate, closes))
                passing = passing & ~closes
            self._closed[stage] = closed
        return self._closed[stage]

    def _begin(self, stage: Stage) -> NDArray[np.bool_]:
        """(N,) what comes to the first gate of a stage."""
        behind = BEHIND.get(stage)
        if behind is Stage.TRIGGERED:
            return ~np.isnan(self.trigger_s)
        return np.ones(len(self.share), bool) if behind is None else self.came_through(behind)

    def came_through(self, stage: Stage) -> NDArray[np.bool_]:
        """(N,) what no gate of a stage behind the trigger, nor of those it needs, stops."""
        passing = self._begin(stage)
        for _, closes in self.closed_in(stage):
            passing = passing & ~closes
        return passing

    @cached_property
    def place(self) -> dict[int, int]:
        """Position of each occurrence id in the arrays."""
        return {o.id: place for place, o in enumerate(self.evidence.occurrences)}

    def records(self, occurrence_id: int) -> bool:
        """Whether an occurrence is recorded."""
        return bool(self.recorded[self.place[occurrence_id]])

    def marks(self, occurrence_id: int) -> bool:
        """Whether motion records an occurrence."""
        return bool(self.marked[self.place[occurrence_id]])

    @cached_property
    def outcomes(self) -> Mapping[int, Outcome]:
        """What becomes of each occurrence, by its id."""
        return _Outcomes(self)

    @cached_property
    def classes(self) -> dict[int, ObjectClass]:
        """The class of each occurrence where the settings filter by class."""
        return (
            object_classes(self.evidence, self.candidate.capability)
            if self.candidate.settings.detection.objects
            else {}
        )

    @cached_property
    def alert_left_s(self) -> NDArray[np.float64]:
        """(N,) seconds left of the time between alerts when it triggered, 0 for none."""
        passing = self._begin(Stage.ALERTED)
        for gate, closes in self.closed_in(Stage.ALERTED):
            if isinstance(gate, AlertIntervalGate):
                return gate.left_s(self, passing)
            passing = passing & ~closes
        return np.zeros(len(passing))

    @cached_property
    def keeping(self) -> Keeping:
        """Where the recordings go."""
        return keeping_of(self)

    @cached_property
    def _gone(self) -> dict[int, dict[str, str]]:
        return {}

    def no_longer_there(self, place: int) -> dict[str, str]:
        """Which gates of the store close for an occurrence that is recorded, and why."""
        if not self.evidence.storage.stores or not self.recorded[place]:
            return {}
        if place not in self._gone:
            trigger = float(self.trigger_s[place])
            at_s = self.evidence.spans[place][1] if math.isnan(trigger) else trigger
            self._gone[place] = closed_by_store(self, self.keeping, at_s, place)
        return self._gone[place]

    def closed_by_store(self, at_s: float) -> dict[str, str]:
        """Which gates of the store close for a recording of a moment (POSIX seconds), and why."""
        return closed_by_store(self, self.keeping, at_s)

    @cached_property
    def largest(self) -> tuple[list[int], list[int]]:
        """Largest size of each occurrence inside the zone, and in the whole picture."""
        stack, motion = self.evidence.stack, self.motion
        anywhere = stack.sizes_anywhere(contrast=motion.contrast)
        if motion.night_contrast != motion.contrast:
            at_night = stack.sizes_anywhere(contrast=motion.night_contrast)
            anywhere = np.where(self.evidence.dark_frames, at_night, anywhere)
        return _largest(self.motion.sizes, self.evidence), _largest(anywhere, self.evidence)


def replay(
    evidence: Evidence, candidate: Candidate, *, without: NDArray[np.bool_] | None = None, motion: Motion | None = None
) -> Replay:
    """Run the motion model with these settings over all the evidence.

    A snapshot passes or fails the gates of place and size only.

    Args:
        evidence: Clips, traces, occurrences.
        candidate: Settings and make.
        without: (rows, columns) cells that are left out besides; None for none.
        motion: From motion_under() with the same zones and sensitivity, if it is at hand.

    Returns:
        Recordings of every clip, outcome of every occurrence.

    Raises:
        InvalidValue: If the settings name a notch that the make does not have.
    """
    motion = motion or motion_under(evidence, candidate, without=without)
    runs = evidence.stack.runs(motion.sizes, motion.needed)
    triggering = runs
    for gate in gates.GATES:
        if isinstance(gate, TriggerGate):
            triggering = gate.leaves(evidence, candidate, triggering)
    begun_in, earlier = record(evidence, candidate.settings, triggering)
    done = Replay(evidence, candidate, motion, runs, begun_in, earlier, *cover(evidence, begun_in, earlier))
    if motion.alert_sizes is None:
        return done
    alone = np.isnan(done.trigger_s) & ~np.isnan(done.in_alert_zone)
    return replace(done, trigger_s=np.where(alone, done.in_alert_zone, done.trigger_s))


class _Outcomes(Mapping[int, Outcome]):
    """Outcomes by occurrence id, each made when it is first asked for."""

    def __init__(self, done: Replay) -> None:
        self._done = done
        self._known: dict[int, Outcome] = {}

    def __getitem__(self, occurrence_id: int) -> Outcome:
        if occurrence_id not in self._known:
            self._known[occurrence_id] = _outcome(self._done, self._done.place[occurrence_id])
        return self._known[occurrence_id]

    def __iter__(self) -> Iterator[int]:
        return iter(self._done.place)

    def __len__(self) -> int:
        return len(self._done.place)


def _outcome(done: Replay, place: int) -> Outcome:
    o = done.evidence.occurrences[place]
    trigger = None if np.isnan(done.trigger_s[place]) else float(done.trigger_s[place])
    late, cut = (bool(lost[place] and not done.written[place]) for lost in (done.late, done.cut))
    known = (o.id, float(done.share[place]), late, cut, trigger)
    closed: dict[Stage, Gate] = {}
    look: Look | None = None
    if trigger is None:
        look = _look(done, place)
        before = (g for g in gates.GATES if isinstance(g, TriggerGate) and g.closed(look))
        closed.update({gate.stage: gate for gate in [next(before, None)] if gate is not None})
    gone = done.no_longer_there(place)
    for stage in (Stage.RECORDED, Stage.KEPT, Stage.ALERTED):
        first = next((gate for gate, closes in done.closed_in(stage) if closes[place]), None)
        if first is not None:
            closed[stage] = first
    if not closed:
        return Outcome(*known, {})
    return Outcome(*known, closed, (look or _look(done, place))._replace(store=gone))


def _look(done: Replay, place: int) -> Look:
    """The numbers of one occurrence."""
    evidence, motion = done.evidence, done.motion
    index = evidence.spans[place][0]
    settings = done.candidate.settings
    if evidence.clips[index].origin is Origin.SNAPSHOT:
        settings = settings.with_values(hold_s=0.0, rest_s=0.0)
    longest_s, rest_s = 0.0, None
    inside, needed = done.largest[0][place], motion.needed
    window = slice(*evidence.windows[place].tolist())
    if inside >= needed:
        longest_s = _longest_run(evidence, index, window, done.runs[index])
        rest_s = _rest_left(evidence, settings, index, window, [*done.earlier[index], *done.recordings[index]])
    if len(motion.parts) > 1 or motion.parts[0].needed != needed:
        inside, needed = _nearest_part(motion, window)
    return Look(
        settings, inside, done.largest[1][place], needed, evidence.stack.cells * CELL_SIZE, longest_s, rest_s,
        float(done.share[place]), done.classes.get(evidence.occurrences[place].id),
        _outside(done, window, index), float(done.alert_left_s[place]),
        unlike_model=done.unlike_model is not None and bool(done.unlike_model[place]),
    )  # fmt: skip


def _outside(done: Replay, window: slice, clip: int) -> frozenset[str]:
    """Ids of the switches that are off, and of the gates of time outside of which all of an occurrence lies."""
    evidence = done.evidence
    base = int(evidence.stack.clip_start[clip])
    times = evidence.clips[clip].start_s + np.asarray(
        evidence.stack.times[clip][window.start - base : window.stop - base]
    )
    outside = {g.id for g in gates.GATES if isinstance(g, SwitchGate) and g.off(done.candidate)}
    for gate in (g for g in gates.GATES if isinstance(g, TimeGate) and len(times)):
        on = gate.spans(done.candidate, *evidence.dates, evidence.place)
        if on is not None and not in_spans(on, times).any():
            outside.add(gate.id)
    return frozenset(outside)


def _on_one_scale(of_part: list[NDArray[np.int32]], needed_there: list[int], needed: int) -> NDArray[np.int32]:
    """Sizes in every picture; those of zones with a sensitivity of their own are put on the camera's scale.

    A zone that needs n where the camera needs m counts its size s as s * m // n: it reaches m exactly when s reaches n.
    """
    largest: NDArray[np.int32] | None = None
    for sizes, there in zip(of_part, needed_there, strict=True):
        scaled = sizes if there == needed else (sizes.astype(np.int64) * needed // there).astype(np.int32)
        largest = scaled if largest is None else np.maximum(largest, scaled)
    return largest if largest is not None else np.zeros(0, np.int32)


def _nearest_part(motion: Motion, window: slice) -> tuple[int, int]:
    """Largest size in a stretch of pictures and the size needed, of the zone that comes nearest to triggering."""
    pairs = zip(motion.of_part, motion.parts, strict=True)
    reached = [(int(sizes[window].max(initial=0)), part.needed) for sizes, part in pairs]
    return max(reached, key=lambda r: (r[0] / r[1], r[0]))


def _largest(sizes: NDArray[np.int32], evidence: Evidence) -> list[int]:
    """Largest size in each occurrence's pictures."""
    if not len(sizes):
        return [0] * len(evidence.occurrences)
    low, high = evidence.windows.T
    edges = np.minimum(evidence.windows, len(sizes) - 1).ravel()
    largest = np.maximum.reduceat(sizes, edges)[::2] if len(edges) else np.zeros(0, np.int32)
    # The last picture of all cannot be the end of a stretch for reduceat, so it is looked at by itself.
    largest = np.where((high == len(sizes)) & (low < high), np.maximum(largest, sizes[-1]), largest)
    per_occurrence: list[int] = np.where(low < high, largest, 0).tolist()
    return per_occurrence


def _longest_run(evidence: Evidence, clip: int, window: slice, runs: list[Run]) -> float:
    """Longest unbroken stretch of enough motion within the window, seconds."""
    times, base = evidence.stack.times[clip], int(evidence.stack.clip_start[clip])
    low, high = window.start - base, window.stop - base - 1
    inside = [(max(a, low), min(b, high)) for a, b in runs if a <= high and b >= low]
    return max((times[b] - times[a] for a, b in inside), default=0.0)


def _rest_left(
    evidence: Evidence, settings: Settings, clip: int, window: slice, earlier: list[Recording]
) -> float | None:
    """Seconds of rest left when the window begins, None if the camera is not resting in it."""
    times, base = evidence.stack.times[clip], int(evidence.stack.clip_start[clip])
    if window.start >= window.stop:
        return None
    begin = evidence.clips[clip].start_s + times[window.start - base]
    left = max((r.end_s + settings.recording.rest_s for r in earlier if r.trigger_s < begin), default=-math.inf) - begin
    return left if left > 0 else None
