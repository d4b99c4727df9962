"""Tuning one camera: better settings, their worth on days that they were not chosen on, and how sure that is."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from datetime import date
from enum import StrEnum

import numpy as np
import scipy
from numpy.typing import NDArray

from guardia.core.base.errors import InvalidValue
from guardia.core.base.intervals import Expected
from guardia.core.base.words import count_of
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.make.effort import taps
from guardia.core.make.levers import changed_levers
from guardia.core.make.settings import Settings
from guardia.core.score.price import Price, price_of
from guardia.core.tuning.ask import telling
from guardia.core.tuning.beyond import not_met, what_would
from guardia.core.tuning.days import LEAST_DAYS, Counts, Days, Outs
from guardia.core.tuning.enough import CONFIDENCE, lacking_margin, lacking_real
from guardia.core.tuning.limits import within_limits
from guardia.core.tuning.reasons import (
    CLOSE,
    against_misses,
    as_drawn,
    cannot_show,
    kinds_words,
    left_words,
    loses,
    nuisance_words,
    passed_over,
    stored_anyway,
    stored_words,
)
from guardia.core.tuning.search import Idea, Proposing, Search
from guardia.core.tuning.trials import Cost, Trial, Trials

FOLDS = 5
"""Days are held out in so many parts; with fewer days one by one."""

SHORT_LIST = 10
"""So many of the best ideas with zones to be drawn are drawn anew without each part of the days, and each two."""

AMPLE = 0.5
"""A weakest real one that passes by so much passes well enough (no source)."""

TELLS = 1.645
"""Standard errors by which two rates must differ to be told apart (one-sided, 95 %)."""

LONGEST_DAYS = 60
"""A change that takes longer to be told is not waited for."""

MOST_COMBINATIONS = 10
"""So many combinations are told of."""

MOST_RIVALS = 12
"""So many of the best settings are asked on which occurrences they disagree."""


class Answer(StrEnum):
    """What came of it."""

    BETTER = "better settings were found"
    TOO_LITTLE = "too little evidence"
    LIMIT = "this camera is at its limit"
    GOOD = "the installed settings are as good as any that were tried"


@dataclass(frozen=True)
class Point:
    """One of the settings tried, on the trade-off."""

    candidate: Candidate
    """The settings."""
    counts: Counts
    """What they do on all days."""
    best: bool
    """No other loses fewer without more that is in the way, or the other way round."""


@dataclass(frozen=True)
class PlanStep:
    """One change of a plan that changes one thing at a time."""

    words: str
    """Which lever, to what."""
    candidate: Candidate
    """The settings after it."""
    counts: Counts
    """What they do on all days."""
    days: int | None
    """After so many days its effect shows; None where that takes longer than anybody waits, or there is no rate."""
    taps: int
    """About so many taps enter it."""


@dataclass(frozen=True, eq=False)
class Tuned:
    """What tuning found."""

    answer: Answer
    """What came of it."""
    why: tuple[str, ...]
    """Sentences that explain it, the most important first."""
    installed: Counts
    """Counts of the installed settings on all days."""
    chosen: Candidate
    """The settings that are proposed, even where too little evidence makes them sure; the installed ones where nothing
    better was found."""
    tuned: Counts
    """Their counts on the days that they were chosen on."""
    held_out: Counts | None
    """Counts of settings chosen in the same way without the days that they are counted on; None where too few days are
    judged. Only which ideas are worth drawing anew was seen on all days."""
    installed_held_out: Counts | None
    """Counts of the installed settings on the same days."""
    price: tuple[Price, Price]
    """What the installed and the chosen settings cost in time recorded, store and battery."""
    margin: float | None
    """By how much the weakest real visit that triggers by itself passes (0.4 for 40 %); None where there is none."""
    week: tuple[Expected, Expected, Expected] | None
    """False recordings, misses and false alerts to be expected in a coming week under `chosen`, from the days held out
    and what is known of the scale; None without a rate."""
    singles: tuple[tuple[str, Counts, bool], ...]
    """Every lever by itself, the best first: words, counts, and whether its false recordings may be more than counted,
    since motion clips do not show what it lets in."""
    combinations: tuple[tuple[str, Candidate, Counts], ...]
    """The best settings that change several levers, the best first: which levers, settings, counts."""
    points: tuple[Point, ...]
    """Everything that was tried on all days, once for each pair of counts."""
    plan: tuple[PlanStep, ...]
    """From installed to chosen, one lever at a time."""
    band: tuple[Counts, Counts] | None
    """The fewest and the most that the chosen settings do by what is believed of this camera's scale."""
    telling: tuple[int, ...]
    """Ids of occurrences that are not judged and could change the choice, those first that could most."""
    tried: int
    """How many different settings were tried."""


def tune(
    evidence: Evidence,
    installed: Candidate,
    *,
    draft: Settings | None = None,
    cost: Cost | None = None,
    folds: int = FOLDS,
    hold_out: int = 0,
    unseen: bool = False,
    tried: Callable[[int], None] = lambda _n: None,
    found: Callable[[Counts], None] | None = None,
) -> Tuned:
    """Search better settings, choose by leaving days out, and say how sure the choice is.

    Args:
        evidence: Clips, traces, judged occurrences.
        installed: Settings in force with their make.
        draft: Settings whose zones are tried as well.
        cost: What a miss costs against a false recording.
        folds: Into so many parts the days are divided, each held out once.
        hold_out: Instead keep so many of the last days out of everything and count the choice on them; 0 for parts.
        unseen: Also choose what motion clips cannot show the whole price of: a shorter rest, more sensitivity, a wider
            zone.
        tried: Called with the number of settings tried so far; what it raises ends the search.
        found: Called, one after another, with what the settings tried do on all days; the installed ones first.

    Returns:
        The same on every machine.

    Raises:
        InvalidValue: If the installed settings name a notch that the make does not have, or so many days cannot be
            held out.
    """
    trials = Trials(evidence)
    days = Days(evidence, trials)
    last = days.last(hold_out)
    seen = days.all - last
    parts = days.parts(folds, seen)
    told = 0

    def check(count: int) -> None:
        nonlocal told
        tried(count)
        if found is not None:
            for trial in trials.all()[told:count]:
                found(days.counts(trial, seen))
            told = count

    search = Search(trials, installed, draft, cost or Cost(), days.visits(seen), unseen, check)
    base = trials.of(installed)
    if not search.seen.any():
        return _nothing_judged(evidence, trials, installed, days.counts(base, seen))
    if hold_out and not last:
        raise InvalidValue(
            f"{count_of(hold_out, 'day')} cannot be held out: something is judged on {count_of(days.judged, 'day')}.",
            do="Hold fewer out, or none, and each part of the days is left out in turn.",
        )
    singles = search.singles()
    ideas = [idea for _, idea in search.combinations()]
    short = [*[i for i in ideas if i.drawing][:SHORT_LIST], *(i for i in ideas if not i.drawing)]
    best = _choose(search, days, short, seen, parts)
    outs = [(best, last)] if last else _without_each(search, days, short, seen, parts)
    answer, why = _answer(search, days, base, best, outs)
    chosen = base if answer in (Answer.LIMIT, Answer.GOOD) else best
    installed_outs = [(base, out) for _, out in outs]
    # Zones follow the days that they were drawn on; settings without new ones do what they do on whichever days.
    drawn = chosen.candidate.settings.detection.zones != installed.settings.detection.zones
    points = _points(trials, days, seen)
    unmet = not_met(search, days.counts(chosen, seen))
    entered = within_limits(evidence, trials.anchor(installed.capability), chosen.candidate, installed)
    stored = changed_levers(chosen.candidate.settings, entered.settings)
    if stored:
        chosen = trials.of(entered)
    both = [trials.anchor(installed.capability).replay(c) for c in (installed, chosen.candidate)]
    rivals = dict.fromkeys([installed, chosen.candidate, *(p.candidate for p in points if p.best)])
    return Tuned(
        answer=answer,
        why=(
            *loses(search, base, chosen),
            *stored_anyway(installed),
            *([unmet] if unmet else []),
            *why,
            *stored_words(stored, entered),
            *as_drawn(chosen.candidate, installed),
            *passed_over(search, days, chosen, [(p.candidate, p.counts) for p in points], seen),
            *against_misses(days, base, singles, seen),
            *(what_would(search, days, chosen) if unmet or answer is Answer.LIMIT else ()),
            *cannot_show(evidence, search),
        ),
        installed=days.counts(base, seen),
        chosen=chosen.candidate,
        tuned=days.counts(chosen, seen),
        held_out=days.sum_of(outs) if outs else None,
        installed_held_out=days.sum_of(installed_outs) if outs else None,
        price=(price_of(both[0]), price_of(both[1], both[0])),
        margin=_margin(search, chosen),
        week=days.week(installed_outs if chosen is base else outs if drawn else [(chosen, out) for _, out in outs]),
        singles=tuple((one.words, days.counts(one.trial, seen), one.more) for one in singles),
        combinations=_combinations(search, days, ideas, seen),
        points=points,
        plan=_plan(search, days, base, chosen, seen),
        band=_band(days, chosen, seen),
        telling=telling(evidence, list(rivals)[:MOST_RIVALS]),
        tried=len(trials),
    )


def _without_each(
    search: Search, days: Days, ideas: Sequence[Idea], seen: frozenset[date], parts: Sequence[frozenset[date]]
) -> list[tuple[Trial, frozenset[date]]]:
    """What is chosen without each part of the days, and that part."""
    rest = [(out, [p for p in parts if p is not out]) for out in parts]
    return [(_choose(search, days, ideas, seen - out, others, inner=True), out) for out, others in rest]


def _nothing_judged(evidence: Evidence, trials: Trials, installed: Candidate, none: Counts) -> Tuned:
    words = "Nothing is judged that settings could be held against: judge occurrences in Evidence first."
    waiting = tuple(o.id for o in evidence.occurrences if not o.kind)
    price = price_of(trials.anchor(installed.capability).replay(installed))
    return Tuned(
        Answer.TOO_LITTLE, (words,), none, installed, none, None, None, (price, price), None, None, (), (), (), (),
        None, waiting, 1,
    )  # fmt: skip


def _choose(
    search: Search,
    days: Days,
    ideas: Sequence[Idea],
    seen: frozenset[date],
    parts: Sequence[frozenset[date]],
    *,
    inner: bool = False,
) -> Trial:
    """The idea that does best on days it was not drawn from; of equals the one farthest from losing a real one.

    Each part of the days seen is left out in turn: zones are drawn without it, and what they cost on it is counted.
    """
    ideas = [Idea(None, search.installed), *ideas]
    parts = parts if len(parts) > 1 else [seen]
    whole = days.visits(seen)
    masks = [(days.visits(seen - part) if len(parts) > 1 else whole, days.visits(part)) for part in parts]

    def cost_of(idea: Idea) -> float:
        # Proposing takes seconds: within days that are held out anyway it is done once, for all parts.
        once = inner and isinstance(idea.drawing, Proposing)
        return search.sum_of([(search.choice(idea, whole if once else drawn_from), out) for drawn_from, out in masks])

    costs = [cost_of(idea) for idea in ideas]
    trials = [search.choice(idea, whole) if cost < math.inf else None for idea, cost in zip(ideas, costs, strict=True)]
    least = min(cost for cost, trial in zip(costs, trials, strict=True) if trial is not None)
    close = [(n, trial) for n, trial in enumerate(trials) if trial is not None and costs[n] - least <= CLOSE]

    def merit(one: tuple[int, Trial]) -> tuple[float, int, int]:
        margin = _margin(search, one[1], whole)
        effort = taps(search.installed.settings, one[1].candidate.settings, one[1].candidate.capability)
        # What passes by half passes well: beyond that, and within a tenth, the less there is to enter the better.
        return (-math.inf if margin is None else round(min(margin, AMPLE), 1), -effort, -one[0])

    return max(close, key=merit)[1]


def _margin(search: Search, trial: Trial, seen: NDArray[np.bool_] | None = None) -> float | None:
    """By how much the weakest real visit passes that is recorded and triggers by itself."""
    own = search.trials.real & trial.recorded & (trial.strength >= 1.0) & (search.seen if seen is None else seen)
    return float(trial.strength[own].min()) - 1.0 if own.any() else None


def _answer(search: Search, days: Days, base: Trial, best: Trial, outs: Outs) -> tuple[Answer, list[str]]:
    """What came of it, and why."""
    trials = search.trials
    kept = int((search.seen & ((trials.to_record & base.recorded) | (trials.to_alert & base.alerted))).sum())
    if lacking := lacking_real(kept, 0):
        return Answer.TOO_LITTLE, [lacking]
    if search.total(base) - search.total(best) <= CLOSE:
        return _no_gain(search, base)
    saved = days.gains(search, base, outs)
    if len(saved) < LEAST_DAYS:
        words = f"Fewer than {LEAST_DAYS} days can be held out: nothing can prove a choice."
        return Answer.TOO_LITTLE, [f"{words} Judge {count_of(LEAST_DAYS, 'day')} or more."]
    mean = float(saved.mean())
    # False recordings are counts: days that happen to be alike scatter by chance at least.
    spread = max(float(saved.std(ddof=1)), math.sqrt(max(mean, 0.0)))
    if mean - _student(len(saved)) * spread / math.sqrt(len(saved)) <= 0:
        need = next((n for n in range(len(saved) + 1, 1000) if mean * math.sqrt(n) > _student(n) * spread), None)
        more = f"About {need} judged days would settle it; {len(saved)} are here." if need is not None else ""
        words = "On the days held out the choice is not surely better than the installed settings."
        return Answer.TOO_LITTLE, [f"{words} {more}".strip()]
    if lacking := lacking_margin(_margin(search, best), _margin(search, base)):
        return Answer.TOO_LITTLE, [lacking]
    lost = sum(int((days.visits(out) & trials.newly_lost(base, trial)).sum()) for trial, out in outs)
    if lacking := lacking_real(kept, lost):
        return Answer.TOO_LITTLE, [lacking]
    return Answer.BETTER, [left_words(search, best)]


def _student(days: int) -> float:
    """Standard errors that a mean of so many days must lie above nothing (Student's t, one-sided)."""

    return float(scipy.special.stdtrit(days - 1, CONFIDENCE))


def _no_gain(search: Search, base: Trial) -> tuple[Answer, list[str]]:
    real, trials = search.seen & search.trials.real, search.trials
    false = search.seen & ~real & (base.alerted if trials.on_alerts else base.recorded)
    if not false.any() and trials.kept(base)[real].all():
        done = "recorded and alerted as it is asked" if trials.on_alerts else "recorded"
        return Answer.GOOD, [f"Every real occurrence is {done}, and there are no {nuisance_words(search)}."]
    own = real & base.recorded & (base.strength >= 1.0)
    alike = int((base.strength[false] >= base.strength[own].min()).sum()) if own.any() else 0
    evidence = trials.evidence
    unknown = sum(evidence.settings_of(clip) is None for clip in evidence.motion_clips)
    if unknown:
        clips = count_of(unknown, "motion clip")
        words = f"{clips} made under settings that are not known: nothing shows whether this camera is at its limit."
        return Answer.TOO_LITTLE, [f"{words} Enter the settings of then (Camera, Settings over time)."]
    if not alike:
        return Answer.GOOD, ["No setting that was tried surely does better than the installed ones on these clips."]
    tried = "No setting of this make" if search.unseen else "No setting whose price these clips can show"
    limit = f"{tried} separates these from the real ones: {kinds_words(search, false)}."
    number = f"{alike} of {int(false.sum())} false ones are as large, and last as long, as the weakest real one."
    return Answer.LIMIT, [f"{limit} {number} Move the camera, add light, or choose another make."]


def _combinations(
    search: Search, days: Days, ideas: Sequence[Idea], seen: frozenset[date]
) -> tuple[tuple[str, Candidate, Counts], ...]:
    """The best ideas that change several levers, once for each pair of what is lost and what is in the way."""
    first: dict[tuple[int, int], tuple[str, Candidate, Counts]] = {}
    for idea in ideas:
        trial = search.choice(idea, search.seen)
        levers = changed_levers(search.installed.settings, trial.candidate.settings) if trial is not None else []
        if trial is None or len(levers) < 2:
            continue
        counts = days.counts(trial, seen)
        words = ", ".join(lever.name for lever in levers)
        first.setdefault((counts.lost, counts.nuisance), (words, trial.candidate, counts))
        if len(first) == MOST_COMBINATIONS:
            break
    return tuple(first.values())


def _points(trials: Trials, days: Days, seen: frozenset[date]) -> tuple[Point, ...]:
    """Everything tried, once for each pair of what is lost and what is in the way, those on the trade-off marked."""
    first: dict[tuple[int, int], tuple[Candidate, Counts]] = {}
    for trial in trials.all():
        counts = days.counts(trial, seen)
        first.setdefault((counts.lost, counts.nuisance), (trial.candidate, counts))
    front = pareto(list(first))
    return tuple(Point(*first[pair], pair in front) for pair in sorted(first))


def pareto(pairs: Sequence[tuple[int, int]]) -> set[tuple[int, int]]:
    """Those pairs of which no other is at least as low in both and lower in one."""
    front, least = set(), math.inf
    for pair in sorted(set(pairs)):
        if pair[1] < least:
            front.add(pair)
            least = pair[1]
    return front


def _band(days: Days, chosen: Trial, seen: frozenset[date]) -> tuple[Counts, Counts] | None:
    """The fewest and the most of each that some settings do by what is believed of this camera's scale; None where no
    level is set."""
    if chosen.candidate.settings.detection.sensitivity is not None:
        return None
    each = [days.counts(chosen, seen, node=n) for n in range(len(chosen.chances))]
    names = ("false", "missed", "unalerted", "lost", "false_alerts")
    fewest, most = (replace(each[0], **{n: of(getattr(c, n) for c in each) for n in names}) for of in (min, max))
    return fewest, most


def _plan(search: Search, days: Days, base: Trial, chosen: Trial, seen: frozenset[date]) -> tuple[PlanStep, ...]:
    """From one to the other, each time the lever that helps most by itself."""
    aim = chosen.candidate.settings
    left = changed_levers(base.candidate.settings, aim)
    steps: list[PlanStep] = []
    now = base.candidate
    while left:
        tries = {lever.id: replace(now, settings=lever.set(now.settings, lever.read(aim))) for lever in left}
        moved = min(left, key=lambda lever: search.total(search.trials.of(tries[lever.id])))
        now = tries[moved.id]
        left.remove(moved)
        counts = days.counts(search.trials.of(now), seen)
        before = steps[-1] if steps else None
        old = before.candidate if before is not None else base.candidate
        last = before.counts if before is not None else days.counts(base, seen)
        effort = taps(old.settings, now.settings, now.capability)
        steps.append(PlanStep(moved.name, now, counts, days_to_tell(last, counts), effort))
    return tuple(steps)


def days_to_tell(old: Counts, new: Counts) -> int | None:
    """After how many days two rates can be told apart; None for more than LONGEST_DAYS, or without rates.

    Counts of n days have the variances n r; they differ by TELLS standard errors from n = TELLS^2 (r + s) / (r - s)^2
    on (W. Gosset's comparison of two Poisson counts in the normal approximation).
    """
    if not old.days or old.nuisance == new.nuisance:
        return None
    before, after = old.nuisance / old.days, new.nuisance / new.days
    days = math.ceil(TELLS**2 * (before + after) / (before - after) ** 2)
    return days if days <= LONGEST_DAYS else None
