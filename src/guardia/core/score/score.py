"""The score: counts of outcomes with rates and intervals, and what changes from installed to draft."""

from __future__ import annotations

from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.intervals import Expected, expected_number, rate_interval, wilson
from guardia.core.base.words import count_of, listed
from guardia.core.evidence.clips import Occurrence, Visit, VisitTable
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import DAY_S, length
from guardia.core.hours.plan import if_known
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings
from guardia.core.make.shows_more import could_show_more
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay import gates
from guardia.core.replay.gate import Stage
from guardia.core.replay.gates import Outcome
from guardia.core.replay.objects import object_classes
from guardia.core.replay.replay import Motion, Replay
from guardia.core.replay.writing import recorded_edges, seconds_within
from guardia.core.score.alerts import alert_path_words, other_alerts
from guardia.core.storage.rules import RecordingMode


@dataclass(frozen=True)
class Score:
    """Outcomes of one set of settings on the judged evidence, as lists of occurrence ids."""

    real_recorded: tuple[int, ...]
    """Real and recorded, by motion or because it is always written then."""
    unmarked: tuple[int, ...]
    """Of them those that motion does not mark: somebody must look through what is always written to find them."""
    real_missed: tuple[int, ...]
    """Real and not recorded."""
    late: tuple[int, ...]
    """Recorded, but the beginning is lost."""
    cut: tuple[int, ...]
    """Recorded, but the end is lost."""
    false_recorded: tuple[int, ...]
    """False and recorded by motion."""
    false_silenced: tuple[int, ...]
    """False and not recorded by motion."""
    not_alerted: tuple[int, ...]
    """Real, and nobody is alerted to it; without people that are expected, of whom nobody need hear."""
    false_alerted: tuple[int, ...]
    """False, and somebody is alerted to it."""
    missed: Expected
    """How many real ones are missed: a fact where the camera itself shows it, else what follows from that (95 %)."""
    false: Expected
    """How many false ones are recorded, likewise."""
    false_in_motion: Expected
    """The same of the motion clips of watched days that are judged whole, whether or not footage shows them too; the
    rate per day is theirs."""
    unalerted: Expected
    """How many real ones nobody is alerted to, likewise."""
    false_alerts: Expected
    """How many false alerts there are in the time that rates per day count, those for other causes than motion too."""
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
        return self._share(self.missed)

    @property
    def false_per_day(self) -> float | None:
        """False recordings a day on the motion clips, None without watched time that is judged."""
        return self.false_in_motion.mean / self.watched_days if self.watched_days else None

    @property
    def false_per_day_interval(self) -> tuple[float, float] | None:
        """Exact Poisson interval (95 %) of that rate, as wide as what is not known makes it."""
        return self._per_day(self.false_in_motion)

    @property
    def false_alerts_per_day(self) -> float | None:
        """False alerts a day, None without watched time that is judged."""
        return self.false_alerts.mean / self.watched_days if self.watched_days else None

    @property
    def false_alerts_per_day_interval(self) -> tuple[float, float] | None:
        """Of that rate, as false_per_day_interval."""
        return self._per_day(self.false_alerts)

    @property
    def unalerted_share(self) -> tuple[float, float]:
        """Of the share of real occurrences nobody is alerted to, as missed_share."""
        return self._share(self.unalerted)

    def _share(self, number: Expected) -> tuple[float, float]:
        fewest, most = (wilson(min(int(end), self.real), self.real) for end in (number.low, number.high))
        return fewest[0], most[1]

    def _per_day(self, number: Expected) -> tuple[float, float] | None:
        if not self.watched_days:
            return None
        fewest, most = (rate_interval(int(end), self.watched_days) for end in (number.low, number.high))
        return fewest[0], most[1]


def difference_words(old: Score, new: Score) -> list[str]:
    """Two scores of the same settings held against each other, one line each that differs."""
    sentences = []
    for words, before, after in (
        ("real, missed", len(old.real_missed), len(new.real_missed)),
        ("real, nobody alerted", len(old.not_alerted), len(new.not_alerted)),
        ("recorded late or cut", len({*old.late, *old.cut}), len({*new.late, *new.cut})),
        ("false, recorded", len(old.false_recorded), len(new.false_recorded)),
        ("false, alerted", len(old.false_alerted), len(new.false_alerted)),
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
    NEWLY_UNMARKED = "no longer marked"
    NEWLY_UNALERTED = "no longer alerted"
    NEWLY_RECORDED = "newly recorded"
    NEWLY_MARKED = "newly marked"
    NEWLY_ALERTED = "newly alerted"
    NEWLY_FALSE = "new false recording"
    NEWLY_FALSE_ALERT = "new false alert"
    NEWLY_SILENCED = "no longer recorded"
    FALSE_ALERT_GONE = "false alert gone"


ALERT_FLIPS = (Flip.NEWLY_UNALERTED, Flip.NEWLY_ALERTED, Flip.NEWLY_FALSE_ALERT, Flip.FALSE_ALERT_GONE)
"""What changes only in who is alerted."""


@dataclass(frozen=True)
class Change:
    """One occurrence that the draft treats otherwise."""

    flip: Flip
    """How it changes."""
    occurrence: Occurrence
    """The occurrence."""
    closed: Outcome
    """The outcome under whichever of the two does not record it, or alerts nobody to it."""
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
        if self.closed.gate is not None:
            return f"{self.closed.gate}: {self.closed.reason}"
        if self.flip in ALERT_FLIPS and self.closed.alert_gate is not None:
            return f"{self.closed.alert_gate}: {self.closed.alert_reason}"
        return "close to the threshold: as far as this camera's scale is known, it may go either way"


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
        last one is lost or cut; the share is weighted by length. If motion marks none, the gate is the one that the
        part which came farthest was stopped at; if nobody is alerted, likewise.
    """
    if len(visit) == 1:
        return done.outcomes[visit.id]
    parts = [done.outcomes[p.id] for p in visit]
    best = [o for o in parts if o.marked] or [o for o in parts if o.recorded] or parts
    lengths = [max(p.end_s - p.start_s, 1e-6) for p in visit]
    share = sum(o.share * n for o, n in zip(parts, lengths, strict=True)) / sum(lengths)
    if not any(o.marked for o in parts):
        best = [max(best, key=lambda o: gates.GATES.index(o.gate) if o.gate is not None else -1)]
    elif told := [o for o in best if o.passed(Stage.ALERTED)]:
        best = told
    if not any(o.recorded for o in parts):
        return best[0]._replace(occurrence_id=visit.id, share=share)
    late = not parts[0].recorded or parts[0].late
    cut = not parts[-1].recorded or parts[-1].cut
    return best[0]._replace(occurrence_id=visit.id, share=share, late=late, cut=cut)


def score(evidence: Evidence, done: Replay) -> Score:
    """Count the outcomes of a replay; a visit of several parts, and what other evidence repeats, is counted once."""
    visits, rated = evidence.visit_table, evidence.rated_table
    marked, late, cut = visit_outcomes(visits, done)
    stored = any_part(visits, done.written)
    alerted = any_part(visits, done.told)

    def ids(which: NDArray[np.bool_]) -> tuple[int, ...]:
        return tuple(visits.ids[which].tolist())

    days = length(evidence.watch.spans) / DAY_S
    real, to_alert = visits.real, visits.real & ~expected_people(evidence)
    chances, alerts = visit_chances(visits, done), visit_chances(visits, done, alerted=True)
    false_alerts = expected_number(visit_chances(rated, done, alerted=True)[:, rated.false])
    others = [alert for alert in other_alerts(evidence, done) if alert.verdict is Verdict.FALSE]
    return Score(
        real_recorded=ids(real & (marked | stored)),
        unmarked=ids(real & stored & ~marked),
        real_missed=ids(real & ~marked & ~stored),
        late=ids(real & late & ~stored),
        cut=ids(real & cut & ~stored),
        false_recorded=ids(visits.false & marked),
        false_silenced=ids(visits.false & ~marked),
        not_alerted=ids(to_alert & ~alerted),
        false_alerted=ids(visits.false & alerted),
        missed=expected_number(1.0 - chances[:, real & ~stored]),
        false=expected_number(chances[:, visits.false]),
        false_in_motion=expected_number(visit_chances(rated, done)[:, rated.false]),
        unalerted=expected_number(1.0 - alerts[:, to_alert]),
        false_alerts=Expected(*(count + len(others) for count in false_alerts)),
        open=ids(~real & ~visits.false),
        watched_days=evidence.watch.counted_days,
        recorded_s_per_day=seconds_within(recorded_edges(done), evidence.watch.spans) / days if days else None,
    )


def expected_people(evidence: Evidence) -> NDArray[np.bool_]:
    """(V,) which visits are of people that are expected there: nobody need hear of them."""
    return np.array([visit.kind == "expected" for visit in evidence.visits], bool)


def visit_chances(visits: VisitTable, done: Replay, *, alerted: bool = False) -> NDArray[np.float64]:
    """(K, V) chance that motion records each visit, or that somebody is alerted to it.

    For each factor that the camera may have; K is 1 by the model alone. What the parts of a visit have in common, its
    luck with this camera, decides: the likeliest part stands for it.
    """
    if alerted:
        chances = done.alert_chances
    else:
        chances = done.marked[None, :].astype(np.float64) if done.chances is None else done.chances
    if not len(visits.ids):
        return np.zeros((len(chances), 0))
    largest: NDArray[np.float64] = np.maximum.reduceat(chances[:, visits.parts], visits.first, axis=1)
    return largest


def any_part(visits: VisitTable, which: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """(V,) visits of which any part is among some of N occurrences."""
    if not len(visits.ids):
        return np.zeros(0, bool)
    found: NDArray[np.bool_] = np.logical_or.reduceat(which[visits.parts], visits.first)
    return found


def visit_outcomes(visits: VisitTable, done: Replay) -> tuple[NDArray[np.bool_], NDArray[np.bool_], NDArray[np.bool_]]:
    """Which visits motion records, and which of them late and cut; as outcome_of()."""
    marked = any_part(visits, done.marked)
    if not len(visits.ids):
        return marked, marked, marked
    begin, end = visits.parts[visits.first], visits.parts[np.append(visits.first[1:], len(visits.parts)) - 1]
    late = marked & (done.late[begin] | ~done.marked[begin])
    return marked, late, marked & (done.cut[end] | ~done.marked[end])


def flips(evidence: Evidence, old: Replay, new: Replay) -> list[tuple[Flip, Visit, float]]:
    """What is judged and may become otherwise, worst first, then what is likeliest; with the chance that it does.

    The camera's factor and the luck of a visit are the same under both, so that the chance is that by which the one
    lies above the other. A visit is named once, by the worst that happens to it.
    """
    visits = evidence.visit_table
    marks, alerts = ([visit_chances(visits, d, alerted=told) for d in (old, new)] for told in (False, True))
    stored = [any_part(visits, done.written) for done in (old, new)]
    records = [np.where(on_store, 1.0, chances) for on_store, chances in zip(stored, marks, strict=True)]
    to_alert = visits.real & ~expected_people(evidence)

    def lost(both: list[NDArray[np.float64]]) -> NDArray[np.float64]:
        chance: NDArray[np.float64] = np.maximum(0.0, both[0] - both[1]).mean(axis=0)
        return chance

    changes: list[tuple[Flip, Visit, float]] = []
    named = np.zeros(len(visits.ids), bool)
    for flip, which, chance in (
        (Flip.NEWLY_MISSED, visits.real, lost(records)),
        (Flip.NEWLY_RECORDED, visits.real, lost(records[::-1])),
        (Flip.NEWLY_UNMARKED, visits.real & stored[1], lost(marks)),
        (Flip.NEWLY_MARKED, visits.real & stored[0], lost(marks[::-1])),
        (Flip.NEWLY_UNALERTED, to_alert, lost(alerts)),
        (Flip.NEWLY_ALERTED, to_alert, lost(alerts[::-1])),
        (Flip.NEWLY_FALSE, visits.false, lost(marks[::-1])),
        (Flip.NEWLY_SILENCED, visits.false, lost(marks)),
        (Flip.NEWLY_FALSE_ALERT, visits.false, lost(alerts[::-1])),
        (Flip.FALSE_ALERT_GONE, visits.false, lost(alerts)),
    ):
        places = np.flatnonzero(which & ~named & (chance >= POSSIBLE_FROM))
        named[places] = True
        order = places[np.argsort(-chance[places], kind="stable")]
        changes += [(flip, evidence.visits[n], float(chance[n])) for n in order]
    ranks = {flip: rank for rank, flip in enumerate(Flip)}
    return sorted(changes, key=lambda change: ranks[change[0]])


def newly_late(evidence: Evidence, old: Replay, new: Replay) -> tuple[int, ...]:
    """Ids of real visits that motion records under both, but only under the new one late or cut; as flips()."""
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
        of_alert = flip in ALERT_FLIPS and old.gate is None and new.gate is None
        closed = old if (not old.passed(Stage.ALERTED) if of_alert else old.gate is not None) else new
        changes.append(Change(flip, replace(visit[0], kind=visit.kind), closed, chance))
    settings, capability = draft.candidate.settings, draft.candidate.capability
    limits = (
        *_other_alerts_lost(evidence, installed, draft), *evidence_limits(evidence, settings, capability),
        *_filter_limits(evidence, settings, capability),
    )  # fmt: skip
    one, two = scores or (score(evidence, installed), score(evidence, draft))
    return Comparison(one, two, tuple(changes), limits, installed, draft)


def _other_alerts_lost(evidence: Evidence, installed: Replay, draft: Replay) -> tuple[str, ...]:
    """The real alerts for other causes than motion that a draft ends, in a sentence."""
    kept = other_alerts(evidence, draft)
    lost = [a for a in other_alerts(evidence, installed) if a not in kept and a.verdict is Verdict.REAL]
    if not lost:
        return ()
    by = listed(sorted({alert.cause for alert in lost}))
    return (f"{count_of(len(lost), 'real alert')} by {by} would no longer come under this draft.",)


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
            f"{count_of(unknown, 'motion clip')} made under settings that are not known: what those left out is not "
            "known."
        )
    if motion:
        lines.append(
            f"Based on {count_of(len(motion), 'motion clip')} and {minutes:.0f} min of continuous footage. "
            "Motion clips cannot show what the settings of then missed."
        )
        lines += watch_words(evidence)
    elif minutes:
        lines.append(f"Based on {minutes:.0f} min of continuous footage; too short for a rate per day.")
    elif not evidence.clips:
        lines.append("There is no evidence yet: import clips that this camera recorded.")
    if evidence.other_causes:
        lines.append(
            f"{count_of(len(evidence.other_causes), 'clip')} recorded for another cause than motion, or for one not "
            "known: counted among the alerts alone."
        )
    if evidence.other_views:
        lines.append(
            f"{count_of(len(evidence.other_views), 'clip')} of another view than the planned one: left out, since a "
            "zone fits one position."
        )
    if evidence.snapshots:
        verb = "shows" if evidence.snapshots == 1 else "show"
        lines.append(
            f"{snapshots} {verb} place and size, not how long: minimum duration and pause are not tried on them."
        )
    if draft.storage.mode is not RecordingMode.MOTION:
        lines.append(
            f"This draft records {draft.storage.mode}: what motion does not mark is on its store all the same, for who "
            "looks through it. False ones are counted as motion marks them."
        )
    if draft.alerts.alerts_on and (said := alert_path_words(evidence)):
        lines.append(said)
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
        return ["No rate per day: clips do not show for how long nothing happened. Enter the time covered."]
    words = f"The rate per day is based on {watch.counted_days:.1f} of {watch.days:.1f} days covered"
    held = ", ".join(f"{days:.1f} {reason}" for reason, days in watch.held_back().items())
    lines = [f"{words} ({held} left out)." if held else f"{words}."]
    if len(watch.hours) < 24:
        lines.append(
            f"A day means the hours of it that are covered ({watch.hours_words}). What happens in the others is not "
            "known."
        )
    if outside:
        lines.append(f"{count_of(outside, 'motion clip')} outside the time covered: not in the rate.")
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
    by_contrast: dict[int, list[tuple[int, tuple[int, float, float]]]] = {}
    for o in evidence.occurrences:
        clip = evidence.clip_of(o)
        if o.verdict is verdict and not clip.by_another_cause:
            stretch = (evidence.clip_index[clip.id], o.start_s, o.end_s)
            by_contrast.setdefault(motion.contrast_in(clip), []).append((o.id, stretch))
    moved: dict[int, NDArray[np.bool_]] = {}
    for contrast, those in by_contrast.items():
        cells = evidence.stack.main_cells([stretch for _, stretch in those], contrast=contrast)
        moved.update(zip((number for number, _ in those), cells, strict=True))
    return moved
