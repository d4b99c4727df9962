"""The score: counts of outcomes with rates and intervals, and what changes from installed to draft."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.intervals import Expected, expected_number, rate_interval, wilson
from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Occurrence, Visit, VisitTable
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.judgement import Verdict
from guardia.core.evidence.watch import DAY_S, length
from guardia.core.hours.plan import if_known
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings
from guardia.core.make.shows_more import could_show_more
from guardia.core.replay import gates
from guardia.core.replay.gates import Outcome
from guardia.core.replay.objects import object_classes
from guardia.core.replay.replay import Motion, Replay
from guardia.core.replay.writing import recorded_edges, seconds_within
from guardia.core.storage.rules import RecordingMode


@dataclass(frozen=True)
class Score:
    """Outcomes of one set of settings on the judged evidence, as lists of occurrence ids."""

    real_recorded: tuple[int, ...]
    """Real and recorded."""
    real_missed: tuple[int, ...]
    """Real and not recorded."""
    late: tuple[int, ...]
    """Recorded, but the beginning is lost."""
    cut: tuple[int, ...]
    """Recorded, but the end is lost."""
    false_recorded: tuple[int, ...]
    """False and recorded."""
    false_silenced: tuple[int, ...]
    """False and not recorded."""
    missed: Expected
    """How many real ones are missed: a fact where the camera itself shows it, else what follows from that (95 %)."""
    false: Expected
    """How many false ones are recorded, likewise."""
    false_in_motion: Expected
    """The same of the motion clips of watched days that are judged whole, whether or not footage shows them too; the
    rate per day is theirs."""
    open: tuple[int, ...]
    """Unjudged or unsure, not counted."""
    watched_days: float
    """Watched time of those days, in days of the hours that are watched."""
    recorded_s_per_day: float | None
    """Seconds recorded per 24 watched hours on the motion clips, None without watched time."""

    @property
    def real(self) -> int:
        """Number of real occurrences."""
        return len(self.real_recorded) + len(self.real_missed)

    @property
    def missed_share(self) -> tuple[float, float]:
        """Wilson interval (95 %) of the share of real occurrences missed, as wide as what is not known makes it."""
        fewest, most = (wilson(min(int(end), self.real), self.real) for end in (self.missed.low, self.missed.high))
        return fewest[0], most[1]

    @property
    def false_per_day(self) -> float | None:
        """False recordings a day on the motion clips, None without watched time that is judged."""
        return self.false_in_motion.mean / self.watched_days if self.watched_days else None

    @property
    def false_per_day_interval(self) -> tuple[float, float] | None:
        """Exact Poisson interval (95 %) of that rate, as wide as what is not known makes it."""
        if not self.watched_days:
            return None
        fewest, most = (
            rate_interval(int(end), self.watched_days) for end in (self.false_in_motion.low, self.false_in_motion.high)
        )
        return fewest[0], most[1]


def difference_words(old: Score, new: Score) -> list[str]:
    """Two scores of the same settings held against each other, one line each that differs."""
    sentences = []
    for words, before, after in (
        ("real, missed", len(old.real_missed), len(new.real_missed)),
        ("recorded late or cut", len({*old.late, *old.cut}), len({*new.late, *new.cut})),
        ("false, recorded", len(old.false_recorded), len(new.false_recorded)),
    ):
        if before != after:
            sentences.append(f"{words} {after}, before {before}")
    return sentences or ["the same figures as before"]


class Certainty(StrEnum):
    """How sure it is that an occurrence changes."""

    SURELY = "surely"
    PROBABLY = "probably"
    PERHAPS = "perhaps"


SURE_FROM, PROBABLE_FROM, POSSIBLE_FROM = 0.95, 0.5, 0.1
"""Chances; what is less likely than the last is not reported."""


class Flip(StrEnum):
    """How an occurrence changes from installed to draft, worst first."""

    NEWLY_MISSED = "newly missed"
    NEWLY_RECORDED = "newly recorded"
    NEWLY_FALSE = "new false recording"
    NEWLY_SILENCED = "newly silenced"


@dataclass(frozen=True)
class Change:
    """One occurrence that the draft treats otherwise."""

    flip: Flip
    """How it changes."""
    occurrence: Occurrence
    """The occurrence."""
    closed: Outcome
    """The outcome under whichever of the two does not record it."""
    chance: float
    """How likely it changes so, POSSIBLE_FROM to 1."""

    @property
    def certainty(self) -> Certainty:
        """The same in a word."""
        if self.chance >= SURE_FROM:
            return Certainty.SURELY
        return Certainty.PROBABLY if self.chance >= PROBABLE_FROM else Certainty.PERHAPS

    @property
    def reason(self) -> str:
        """The gate that closed and its numbers, in words."""
        if self.closed.gate is None:
            return "close to the threshold: as far as this camera's scale is known, it may go either way"
        return f"{self.closed.gate}: {self.closed.reason}"


@dataclass(frozen=True, eq=False)
class Comparison:
    """Installed and draft side by side on the same evidence."""

    installed: Score
    """Score of the installed settings."""
    draft: Score
    """Score of the draft."""
    changes: tuple[Change, ...]
    """What flips, worst first."""
    limits: tuple[str, ...]
    """Sentences on what this evidence rests on and cannot show."""
    installed_replay: Replay
    """The installed settings on all the evidence."""
    draft_replay: Replay
    """The draft on all the evidence."""


def outcome_of(visit: Visit, done: Replay) -> Outcome:
    """What becomes of a visit from what becomes of its parts.

    Args:
        visit: Its parts.
        done: The replay.

    Returns:
        Under the first part's id: recorded when any part is; late when its first part is lost or late, cut when its
        last one is lost or cut; the share is weighted by length. If none is recorded, the gate is the one that the part
        which came farthest was stopped at.
    """
    if len(visit) == 1:
        return done.outcomes[visit.id]
    parts = [done.outcomes[p.id] for p in visit]
    recorded = [o for o in parts if o.recorded]
    lengths = [max(p.end_s - p.start_s, 1e-6) for p in visit]
    share = sum(o.share * n for o, n in zip(parts, lengths, strict=True)) / sum(lengths)
    if not recorded:
        farthest = max(parts, key=lambda o: gates.GATES.index(o.gate) if o.gate is not None else -1)
        return farthest._replace(occurrence_id=visit.id, share=share)
    late = not parts[0].recorded or parts[0].late
    cut = not parts[-1].recorded or parts[-1].cut
    return recorded[0]._replace(occurrence_id=visit.id, share=share, late=late, cut=cut)


def score(evidence: Evidence, done: Replay) -> Score:
    """Count the outcomes of a replay; a visit of several parts, and what other evidence repeats, is counted once."""
    visits, rated = evidence.visit_table, evidence.rated_table
    recorded, late, cut = visit_outcomes(visits, done)

    def ids(which: NDArray[np.bool_]) -> tuple[int, ...]:
        return tuple(visits.ids[which].tolist())

    days = length(evidence.watch.spans) / DAY_S
    chances, rated_chances = visit_chances(visits, done), visit_chances(rated, done)
    return Score(
        real_recorded=ids(visits.real & recorded),
        real_missed=ids(visits.real & ~recorded),
        late=ids(visits.real & late),
        cut=ids(visits.real & cut),
        false_recorded=ids(visits.false & recorded),
        false_silenced=ids(visits.false & ~recorded),
        missed=expected_number(1.0 - chances[:, visits.real]),
        false=expected_number(chances[:, visits.false]),
        false_in_motion=expected_number(rated_chances[:, rated.false]),
        open=ids(~visits.real & ~visits.false),
        watched_days=evidence.watch.counted_days,
        recorded_s_per_day=seconds_within(recorded_edges(done), evidence.watch.spans) / days if days else None,
    )


def visit_chances(visits: VisitTable, done: Replay) -> NDArray[np.float64]:
    """(K, V) chance of each visit to be recorded, for each factor that the camera may have; K is 1 by the model alone.

    What the parts of a visit have in common, its luck with this camera, decides: the likeliest part stands for it.
    """
    chances = done.recorded[None, :].astype(np.float64) if done.chances is None else done.chances
    if not len(visits.ids):
        return np.zeros((len(chances), 0))
    largest: NDArray[np.float64] = np.maximum.reduceat(chances[:, visits.parts], visits.first, axis=1)
    return largest


def visit_outcomes(visits: VisitTable, done: Replay) -> tuple[NDArray[np.bool_], NDArray[np.bool_], NDArray[np.bool_]]:
    """Which visits are recorded, late and cut; as outcome_of()."""
    if not len(visits.ids):
        none = np.zeros(0, bool)
        return none, none, none
    recorded = np.logical_or.reduceat(done.recorded[visits.parts], visits.first)
    begin, end = visits.parts[visits.first], visits.parts[np.append(visits.first[1:], len(visits.parts)) - 1]
    late = recorded & (done.late[begin] | ~done.recorded[begin])
    return recorded, late, recorded & (done.cut[end] | ~done.recorded[end])


def flips(evidence: Evidence, old: Replay, new: Replay) -> list[tuple[Flip, Visit, float]]:
    """What is judged and may become otherwise, worst first, then what is likeliest; with the chance that it does.

    The camera's factor and the luck of a visit are the same under both, so that the chance is that by which the one
    lies above the other.
    """
    visits = evidence.visit_table
    before, after = (visit_chances(visits, done) for done in (old, new))
    lost, gained = (np.maximum(0.0, d).mean(axis=0) for d in (before - after, after - before))
    changes = []
    for flip, which, chance in (
        (Flip.NEWLY_MISSED, visits.real, lost),
        (Flip.NEWLY_RECORDED, visits.real, gained),
        (Flip.NEWLY_FALSE, visits.false, gained),
        (Flip.NEWLY_SILENCED, visits.false, lost),
    ):
        places = np.flatnonzero(which & (chance >= POSSIBLE_FROM))
        order = places[np.argsort(-chance[places], kind="stable")]
        changes += [(flip, evidence.visits[n], float(chance[n])) for n in order]
    return changes


def newly_late(evidence: Evidence, old: Replay, new: Replay) -> tuple[int, ...]:
    """Ids of real visits that both record, but that only the new one records late or cut; as flips()."""
    visits = evidence.visit_table
    (before, *marks), (after, *new_marks) = (visit_outcomes(visits, done) for done in (old, new))
    which = visits.real & before & after & np.logical_or(*new_marks) & ~np.logical_or(*marks)
    return tuple(visits.ids[which].tolist())


def compare(
    evidence: Evidence, installed: Replay, draft: Replay, scores: tuple[Score, Score] | None = None
) -> Comparison:
    """Put installed and draft side by side.

    Args:
        evidence: The evidence that both replayed, with its judgements.
        installed: Replay of the settings in force.
        draft: Replay of the settings to try.
        scores: Of both, if they are at hand.

    Returns:
        Both scores, what flips and why, and what the evidence cannot show.
    """
    changes = []
    for flip, visit, chance in flips(evidence, installed, draft):
        old, new = outcome_of(visit, installed), outcome_of(visit, draft)
        closed = old if old.gate is not None else new
        changes.append(Change(flip, replace(visit[0], kind=visit.kind), closed, chance))
    settings, capability = draft.candidate.settings, draft.candidate.capability
    limits = (*evidence_limits(evidence, settings, capability), *_filter_limits(evidence, settings, capability))
    one, two = scores or (score(evidence, installed), score(evidence, draft))
    return Comparison(one, two, tuple(changes), limits, installed, draft)


def _filter_limits(evidence: Evidence, draft: Settings, capability: Capability) -> tuple[str, ...]:
    """Who says what the objects are, where the draft filters by class."""
    if not draft.detection.objects:
        return ()
    by = [thing.by for thing in object_classes(evidence, capability).values()]
    parts = [f"{by.count(who)} by {who}" for who in ("camera", "judgement", "size and speed") if who in by]
    if "" in by:
        parts.append(f"{by.count('')} by nobody, which are let through")
    return (f"The object filter is tried on classes known {', '.join(parts)}.",)


def evidence_limits(evidence: Evidence, draft: Settings, capability: Capability) -> tuple[str, ...]:
    """Say what the figures rest on and what the evidence cannot show."""
    motion = evidence.motion_clips
    minutes, snapshots = evidence.continuous_s / 60, count_of(evidence.snapshots, "snapshot")
    lines = []
    levers, unknown = unseen_levers(evidence, draft, capability)
    if levers:
        lines.append(
            f"This draft could record things that the settings which made the motion clips never let into one (by its "
            f"{', '.join(levers)}). Only continuous footage, walk tests and snapshots can show them: {minutes:.0f} min "
            f"and {snapshots} are here."
        )
    if unknown:
        lines.append(
            f"{count_of(unknown, 'motion clip')} made under settings that are not known: what those left out cannot be "
            "told."
        )
    if motion:
        lines.append(
            f"Rests on {count_of(len(motion), 'motion clip')} and {minutes:.0f} min of continuous footage. "
            "Motion clips cannot show what the settings of then missed."
        )
        lines += watch_words(evidence)
    elif minutes:
        lines.append(f"Rests on {minutes:.0f} min of continuous footage; too short for a rate per day.")
    elif not evidence.clips:
        lines.append("There is no evidence yet: import clips that this camera recorded.")
    if evidence.other_causes:
        lines.append(
            f"{count_of(len(evidence.other_causes), 'clip')} recorded for another cause than motion, or for one not "
            "known: left out of every figure."
        )
    if evidence.other_views:
        lines.append(
            f"{count_of(len(evidence.other_views), 'clip')} of another view than the planned one: left out, since a "
            "zone fits one position."
        )
    if evidence.snapshots:
        verb = "shows" if evidence.snapshots == 1 else "show"
        lines.append(
            f"{snapshots} {verb} where and how large something was, not for how long: the hold time and the wait are "
            "not tried on them."
        )
    if draft.storage.mode is not RecordingMode.MOTION:
        lines.append(
            f"This draft records {draft.storage.mode}: what motion misses is on that footage all the same; the figures "
            "here tell what motion marks."
        )
    hours = draft.hours
    plans = [hours.recording_plan, hours.alert_plan, *(mode.plan for mode in hours.modes)]
    if any(plan is not None and if_known(plan, evidence.place) is None for plan in plans):
        lines.append(
            "Hours that follow the sun are left out of the score: where the site lies is not known. Enter its latitude "
            "and longitude with the site."
        )
    if not capability.calibrated:
        lines.append("The sensitivity scale of this make is not calibrated on this camera.")
    return tuple(lines)


def unseen_levers(evidence: Evidence, draft: Settings, capability: Capability) -> tuple[tuple[str, ...], int]:
    """By which levers a draft might record what no motion clip shows.

    Args:
        evidence: Clips and the settings that made them.
        draft: The settings to try.
        capability: The make.

    Returns:
        Words of the levers, and how many motion clips were made under settings that are not known.
    """
    stack = evidence.stack
    made_by = [evidence.settings_of(clip) for clip in evidence.motion_clips]
    known = dict.fromkeys(s for s in made_by if s is not None)
    unseen = [could_show_more(draft, s, capability, grid=stack.grid) for s in known]
    return tuple(dict.fromkeys(words for levers in unseen for words in levers)), made_by.count(None)


def watch_words(evidence: Evidence) -> list[str]:
    """On what time the rate per day stands, in sentences."""
    watch = evidence.watch
    outside = sum(
        not any(low <= c.end_s and c.start_s <= high for low, high in watch.spans) for c in evidence.motion_clips
    )
    if not watch.spans:
        return ["No rate per day: clips do not tell for how long nothing happened. Say when the camera was watched."]
    words = f"The rate per day stands on {watch.counted_days:.1f} of {watch.days:.1f} watched days"
    held = ", ".join(f"{days:.1f} {reason}" for reason, days in watch.held_back().items())
    lines = [f"{words} ({held} left out)." if held else f"{words}."]
    if len(watch.hours) < 24:
        lines.append(
            f"A day means the hours of it that were watched ({watch.hours_words}): what happens in the others is not "
            "known."
        )
    if outside:
        lines.append(f"{count_of(outside, 'motion clip')} outside the watched time: not in the rate.")
    return lines


def moved_cells(evidence: Evidence, motion: Motion, *, verdict: Verdict) -> dict[int, NDArray[np.bool_]]:
    """Where the occurrences of one verdict moved.

    Args:
        evidence: Clips, traces, judged occurrences.
        motion: Whose contrast counts.
        verdict: Real or false.

    Returns:
        By occurrence id (rows, columns): cells that its largest moving group covered in at least one picture.
    """
    moved = {}
    for o in evidence.occurrences:
        clip = evidence.clip_of(o)
        if o.verdict is verdict and not clip.by_another_cause:
            place, contrast = evidence.clip_index[clip.id], motion.contrast_in(clip)
            moved[o.id] = evidence.stack.main_cells(place, o.start_s, o.end_s, contrast=contrast)
    return moved
