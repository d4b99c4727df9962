"""The score: counts of outcomes with rates and intervals, and what changes from installed to draft."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from guardia.core.capability import Capability
from guardia.core.evidence import Evidence, Occurrence, Origin, could_show_more, local_date
from guardia.core.gates import CHAIN, Outcome, Replay, replay
from guardia.core.intervals import rate_interval, wilson
from guardia.core.judgement import Verdict
from guardia.core.objects import object_classes
from guardia.core.settings import Settings


@dataclass(frozen=True)
class Score:
    """Outcomes of one set of settings on the judged evidence, as lists of occurrence ids.

    Parameters
    ----------
    real_recorded
        Real and recorded.
    real_missed
        Real and not recorded.
    late
        Recorded, but the beginning is lost.
    cut
        Recorded, but the end is lost.
    false_recorded
        False and recorded: a false alert each.
    false_silenced
        False and not recorded.
    false_in_motion
        How many of `false_recorded` come from motion clips of the judged days; the rate per day is theirs.
    open
        Unjudged or unsure, not counted.
    days
        Local days on which every motion clip is judged.
    recorded_s_per_day
        Seconds recorded per day on the motion clips.
    """

    real_recorded: tuple[int, ...]
    real_missed: tuple[int, ...]
    late: tuple[int, ...]
    cut: tuple[int, ...]
    false_recorded: tuple[int, ...]
    false_silenced: tuple[int, ...]
    false_in_motion: int
    open: tuple[int, ...]
    days: int
    recorded_s_per_day: float

    @property
    def missed_share(self) -> tuple[float, float]:
        """Wilson interval (95 %) of the share of real occurrences missed."""
        missed = len(self.real_missed)
        return wilson(missed, missed + len(self.real_recorded))

    @property
    def false_per_day(self) -> float | None:
        """False recordings a day on the motion clips, None without a day of them."""
        return self.false_in_motion / self.days if self.days else None

    @property
    def false_per_day_interval(self) -> tuple[float, float] | None:
        """Exact Poisson interval (95 %) of that rate."""
        return rate_interval(self.false_in_motion, self.days) if self.days else None


class Flip(StrEnum):
    """How an occurrence changes from installed to draft, worst first."""

    NEWLY_MISSED = "newly missed"
    NEWLY_RECORDED = "newly recorded"
    NEWLY_FALSE = "new false recording"
    NEWLY_SILENCED = "newly silenced"


@dataclass(frozen=True)
class Change:
    """One occurrence that the draft treats otherwise.

    Parameters
    ----------
    flip
        How it changes.
    occurrence
        The occurrence.
    closed
        The outcome under whichever of the two does not record it.
    """

    flip: Flip
    occurrence: Occurrence
    closed: Outcome

    @property
    def reason(self) -> str:
        """The gate that closed and its numbers, in words."""
        return f"{self.closed.gate}: {self.closed.reason}"


@dataclass(frozen=True, eq=False)
class Comparison:
    """Installed and draft side by side on the same evidence.

    Parameters
    ----------
    installed
        Score of the installed settings.
    draft
        Score of the draft.
    changes
        What flips, worst first.
    limits
        Sentences on what this evidence rests on and cannot show.
    installed_replay
        The installed settings on all the evidence.
    draft_replay
        The draft on all the evidence.
    """

    installed: Score
    draft: Score
    changes: tuple[Change, ...]
    limits: tuple[str, ...]
    installed_replay: Replay
    draft_replay: Replay


def outcome_of(parts: Sequence[Occurrence], done: Replay) -> Outcome:
    """What becomes of a visit from what becomes of its parts.

    Parameters
    ----------
    parts
        The parts in order of time.
    done
        The replay.

    Returns
    -------
    Outcome
        Under the first part's id: recorded when any part is; late when its first part is lost or late, cut when its
        last one is lost or cut; the share is weighted by length. If none is recorded, the gate is the one that the
        part which came farthest was stopped at.
    """
    if len(parts) == 1:
        return done.outcomes[parts[0].id]
    found = [done.outcomes[p.id] for p in parts]
    kept = [o for o in found if o.recorded]
    lengths = [max(p.end_s - p.start_s, 1e-6) for p in parts]
    share = sum(o.share * n for o, n in zip(found, lengths, strict=True)) / sum(lengths)
    if not kept:
        order = [gate for gate, _, _ in CHAIN]
        farthest = max(found, key=lambda o: order.index(o.gate) if o.gate is not None else -1)
        return farthest._replace(occurrence_id=parts[0].id, share=share)
    late = not found[0].recorded or found[0].late
    cut = not found[-1].recorded or found[-1].cut
    return Outcome(parts[0].id, True, share, late, cut, kept[0].trigger_s)


def score(evidence: Evidence, done: Replay) -> Score:
    """Count the outcomes of a replay; a visit of several parts, and what other evidence repeats, is counted once.

    Parameters
    ----------
    evidence
        The evidence that was replayed.
    done
        The replay.

    Returns
    -------
    Score
        The counts.
    """
    lists: dict[str, list[int]] = {
        name: [] for name in ("real_recorded", "real_missed", "late", "cut", "false_recorded", "false_silenced", "open")
    }
    in_motion = 0
    zone = ZoneInfo(evidence.time_zone)
    for parts in evidence.visits:
        occurrence, outcome = parts[0], outcome_of(parts, done)
        verdict = occurrence.verdict
        if verdict is Verdict.REAL:
            lists["real_recorded" if outcome.recorded else "real_missed"].append(occurrence.id)
            if outcome.late:
                lists["late"].append(occurrence.id)
            if outcome.cut:
                lists["cut"].append(occurrence.id)
        elif verdict is Verdict.FALSE:
            lists["false_recorded" if outcome.recorded else "false_silenced"].append(occurrence.id)
            clip = evidence.clips[evidence.clip_index[occurrence.clip_id]]
            counts = clip.origin is Origin.MOTION and local_date(clip.start_s, zone) in evidence.judged_days
            in_motion += outcome.recorded and counts
        else:
            lists["open"].append(occurrence.id)
    seconds = sum(
        r.end_s - r.start_s
        for clip, made in zip(evidence.clips, done.recordings, strict=True)
        if clip.origin is Origin.MOTION
        for r in made
    )
    return Score(
        **{name: tuple(ids) for name, ids in lists.items()},
        false_in_motion=in_motion,
        days=len(evidence.judged_days),
        recorded_s_per_day=seconds / evidence.days if evidence.days else 0.0,
    )


def flip_of(occurrence: Occurrence, installed: Outcome, draft: Outcome) -> Flip | None:
    """How a judged occurrence changes, None if it does not."""
    if installed.recorded == draft.recorded or occurrence.verdict not in (Verdict.REAL, Verdict.FALSE):
        return None
    if occurrence.verdict is Verdict.REAL:
        return Flip.NEWLY_RECORDED if draft.recorded else Flip.NEWLY_MISSED
    return Flip.NEWLY_FALSE if draft.recorded else Flip.NEWLY_SILENCED


def compare(
    evidence: Evidence,
    installed: Settings,
    draft: Settings,
    capability: Capability,
    *,
    installed_replay: Replay | None = None,
    installed_score: Score | None = None,
) -> Comparison:
    """Score installed and draft side by side.

    Parameters
    ----------
    evidence
        Clips, traces and judged occurrences.
    installed
        The settings in force.
    draft
        The settings to try.
    capability
        The make.
    installed_replay
        Of the same evidence, if it is at hand.
    installed_score
        Of that replay on the same judgements, if it is at hand.

    Returns
    -------
    Comparison
        Both scores, what flips and why, and what the evidence cannot show.
    """
    before = installed_replay or replay(evidence, installed, capability)
    after = replay(evidence, draft, capability)
    changes = []
    for parts in evidence.visits:
        occurrence = parts[0]
        if occurrence.verdict not in (Verdict.REAL, Verdict.FALSE):
            continue
        old, new = outcome_of(parts, before), outcome_of(parts, after)
        flip = flip_of(occurrence, old, new)
        if flip is not None:
            closed = old if old.gate is not None else new
            changes.append(Change(flip, occurrence, closed))
    order = list(Flip)
    changes.sort(key=lambda c: order.index(c.flip))
    more = could_show_more(
        draft,
        installed,
        draft_sensitivity=draft.sensitivity_under(capability),
        installed_sensitivity=installed.sensitivity_under(capability),
        new_cells=bool(np.any(after.zone & ~before.zone)),
    )
    told = evidence_limits(evidence, draft_shows_more=more, calibrated=capability.calibrated)
    limits = (*told, *_filter_limits(evidence, draft, capability))
    scored = installed_score or score(evidence, before)
    return Comparison(scored, score(evidence, after), tuple(changes), limits, before, after)


def _filter_limits(evidence: Evidence, draft: Settings, capability: Capability) -> tuple[str, ...]:
    """Who says what the objects are, where the draft filters by class."""
    if not draft.objects:
        return ()
    by = [found.by for found in object_classes(evidence, capability).values()]
    told = [f"{by.count(who)} by {who}" for who in ("camera", "judgement", "size and speed") if who in by]
    if "" in by:
        told.append(f"{by.count('')} by nobody, which are let through")
    return (f"The object filter is tried on classes known {', '.join(told)}.",)


def evidence_limits(evidence: Evidence, *, draft_shows_more: bool, calibrated: bool) -> tuple[str, ...]:
    """Say what the figures rest on and what the evidence cannot show.

    Parameters
    ----------
    evidence
        The evidence.
    draft_shows_more
        The draft might record what the installed settings never let into a clip.
    calibrated
        The sensitivity scale was measured on this camera.

    Returns
    -------
    tuple[str, ...]
        Plain sentences, the weightiest first.
    """
    motion = sum(c.origin is Origin.MOTION for c in evidence.clips)
    minutes = evidence.continuous_s / 60
    lines = []
    if draft_shows_more:
        lines.append(
            "This draft could record things that the installed settings never let into a motion clip. "
            f"Only continuous footage, walk tests and snapshots can show them: {minutes:.0f} min and "
            f"{evidence.snapshots} snapshots are here."
        )
    if motion:
        lines.append(
            f"Rests on {motion} motion clips over {evidence.days} days and {minutes:.0f} min of continuous footage. "
            "Motion clips cannot show what the installed settings missed."
        )
    elif minutes:
        lines.append(f"Rests on {minutes:.0f} min of continuous footage; too short for a rate per day.")
    else:
        lines.append("There is no evidence yet: import clips that this camera recorded.")
    if evidence.snapshots:
        lines.append(
            f"{evidence.snapshots} snapshots show where and how large something was, not for how long: the hold time "
            "and the wait are not tried on them."
        )
    if not calibrated:
        lines.append("The sensitivity scale of this make is not calibrated on this camera.")
    return tuple(lines)


def moved_cells(evidence: Evidence, *, contrast: int, verdict: Verdict) -> dict[int, NDArray[np.bool_]]:
    """Where the occurrences of one verdict moved.

    Parameters
    ----------
    evidence
        Clips, traces, judged occurrences.
    contrast
        One of the contrast levels.
    verdict
        Real or false.

    Returns
    -------
    dict[int, NDArray[np.bool_]]
        By occurrence id (rows, columns): cells that its largest moving group covered in at least one picture.
    """
    return {
        o.id: evidence.stack.main_cells(evidence.clip_index[o.clip_id], o.start_s, o.end_s, contrast=contrast)
        for o in evidence.occurrences
        if o.verdict is verdict
    }
