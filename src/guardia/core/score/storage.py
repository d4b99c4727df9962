"""Answers about the store: what it would hold otherwise, what to save before it is overwritten, what it costs."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Visit
from guardia.core.evidence.watch import DAY_S
from guardia.core.make.settings import Settings
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay.keeping import Keeping, closed_at_target, copy_days, gone_s, keeps, receives
from guardia.core.replay.replay import Replay, replay
from guardia.core.replay.writing import volume_of
from guardia.core.score.score import score
from guardia.core.storage.facts import known_fact
from guardia.core.storage.figure import Figure, Source, days_words, exactly, total
from guardia.core.storage.rules import RecordingMode
from guardia.core.storage.stores import OFF_SITE, Fitted, Store, space_of
from guardia.core.storage.volume import days_kept

TAKE_DRAFT = "take the draft's motion settings"

MEDIA_GB = (32.0, 64.0, 128.0, 256.0, 512.0, 1000.0, 2000.0, 4000.0, 8000.0)
"""Usual sizes of media (common practice, no source)."""


@dataclass(frozen=True)
class WhatIf:
    """One way to store."""

    mode: RecordingMode
    """When it writes."""
    quality: str
    """The make's word, empty where it cannot be chosen."""
    size_gb: float
    """Of the medium."""
    days: Figure
    """Days kept."""


def sizes_for(done: Replay) -> tuple[float, ...]:
    """Usual sizes that the make takes, and the one that is fitted."""
    largest = done.candidate.capability.storage.largest_gb
    fitted = done.keeping.fitted
    own = {fitted.store.capacity_gb} if fitted is not None and fitted.store.capacity_gb else set()
    return tuple(sorted({s for s in MEDIA_GB if s <= largest} | own))


def what_if(done: Replay, sizes: Sequence[float] | None = None) -> list[WhatIf]:
    """Days kept by mode, quality and size of the medium.

    Args:
        done: Replay of the settings to start from.
        sizes: GB; those of sizes_for() when None.

    Returns:
        Mode by mode, best quality first, smallest medium first.
    """
    rules = done.candidate.capability.storage
    qualities = [q.label for q in rules.qualities] or [""]
    sizes = sizes_for(done) if sizes is None else sizes
    answers = []
    for mode, quality in itertools.product(_modes(done), qualities):
        tried = _under(done, mode=mode, quality=quality)
        answers += [WhatIf(mode, quality, size, _days_on(tried, size)) for size in sizes]
    return answers


def _modes(done: Replay) -> tuple[RecordingMode, ...]:
    """The modes on offer that differ: without hours the mixed one records always."""
    plan = done.candidate.settings.hours.recording_plan
    modes = done.candidate.capability.storage.modes
    return tuple(m for m in modes if m is not RecordingMode.MIXED or plan is not None)


def _under(done: Replay, **values: object) -> Replay:
    """The replay under other settings of storage; the motion is the same."""
    candidate = done.candidate.with_values(**values)
    if candidate == done.candidate:
        return done
    same_hours = (candidate.settings.storage.mode is RecordingMode.MIXED) == (
        done.candidate.settings.storage.mode is RecordingMode.MIXED
    )
    if same_hours:
        return replace(done, candidate=candidate)
    return replay(done.evidence, candidate, motion=done.motion)


def _days_on(done: Replay, size_gb: float) -> Figure:
    """Days kept on a medium of another size, with the other cameras that share it."""
    keeping = done.keeping
    fitted = keeping.fitted
    store = fitted.store if fitted is not None else Store("medium", done.candidate.capability.storage.targets[0], 1.0)
    readings = fitted.readings if fitted is not None and store.capacity_gb == size_gb else ()
    tried = Fitted(0, replace(store, capacity_gb=size_gb), (), readings)
    space = space_of(tried, known_fact(keeping.known.facts, "reserve"))
    return days_kept(space, keeping.everything, store.keeps_days)


@dataclass(frozen=True)
class KeepLonger:
    """Changes that reach the days that are required."""

    words: tuple[str, ...]
    """What is changed."""
    days: Figure
    """Days kept then."""
    price: float | None
    """What the medium costs, None where nobody said; 0 for settings alone."""
    surely: bool
    """Even the fewest days of the band are enough."""
    lost: int
    """Real visits of the evidence that are recorded now and would not be."""
    settings: Settings
    """The settings that it takes."""


def ways_to_keep(
    done: Replay, required_days: float, price_per_gb: float | None = None, draft: Replay | None = None
) -> list[KeepLonger]:
    """Changes that keep footage as long as required, the cheapest first.

    Args:
        done: Replay of the settings in force.
        required_days: Days.
        price_per_gb: Of a medium, in the user's own currency; None where nobody said.
        draft: Replay of a draft whose motion settings may be taken over.

    Returns:
        Of all combinations of mode, quality, snapshots, medium and the draft's motion settings those that reach it:
        first what loses no real visit, then what costs least, changes least, and gives up least quality. None where
        the settings in force reach it, or nothing does.
    """
    now = done.keeping.days
    if done.keeping.known.stores and now is None:
        return []  # the store that is chosen is not there: that comes first
    if now is not None and now.value >= required_days:
        return []
    sizes, fitted = sizes_for(done), done.keeping.fitted
    own = fitted.store.capacity_gb if fitted is not None else 0.0
    ways: list[tuple[tuple[int, float, int, float], KeepLonger]] = []
    recorded = set(score(done.evidence, done).real_recorded)
    lost_by: dict[tuple[RecordingMode, bool], int] = {}
    for words, tried in _other_settings(done, draft):
        by = tried.candidate.settings.storage.mode, bool(words) and words[0] == TAKE_DRAFT
        if by not in lost_by:
            lost_by[by] = len(recorded - set(score(done.evidence, tried).real_recorded))
        lost = lost_by[by]
        for size in (s for s in sizes if s >= own):
            days, bought = _days_on(tried, size), size > own
            if days.value < required_days or not (words or bought):
                continue
            price = 0.0 if not bought else None if price_per_gb is None else price_per_gb * size
            changes = (*words, *([f"a medium of {size:g} GB"] if bought else []))
            # Without a price the size stands for it; a poorer picture is the last resort among equals.
            weight = tried.candidate.capability.storage.quality(tried.candidate.settings.storage.quality)
            cost = size if price is None else price
            order = (lost, cost, len(changes), -weight.weight if weight is not None else 0.0)
            surely = days.low >= required_days
            ways.append((order, KeepLonger(changes, days, price, surely, lost, tried.candidate.settings)))
            break  # a larger medium costs more
    cheapest: list[KeepLonger] = []
    for _, way in sorted(ways, key=lambda one: one[0]):
        # What needs more than an earlier one that is enough by itself is no way of its own.
        if not any(set(better.words) <= set(way.words) for better in cheapest):
            cheapest.append(way)
    return cheapest


def _other_settings(done: Replay, draft: Replay | None) -> Iterator[tuple[tuple[str, ...], Replay]]:
    """Replays under every combination of mode, quality, snapshots and motion settings, with what each changes."""
    rules, storage = done.candidate.capability.storage, done.candidate.settings.storage
    bases: list[tuple[tuple[str, ...], Replay]] = [((), done)]
    if draft is not None and _motion_parts(draft.candidate.settings) != _motion_parts(done.candidate.settings):
        bases.append(((TAKE_DRAFT,), draft))
    labels = [q.label for q in rules.qualities]
    first = rules.quality(storage.quality)
    worse = labels[labels.index(first.label) + 1 :] if first is not None else []
    fewer = [0.0] if storage.snapshot_every_s and 0.0 in rules.snapshot_choices_s else []
    for (words, base), mode, quality, every in itertools.product(
        bases, _modes(done), (storage.quality, *worse), (storage.snapshot_every_s, *fewer)
    ):
        changed = (
            *words,
            *([f"record {mode}"] if mode is not storage.mode else []),
            *([f"quality '{quality}'"] if quality != storage.quality else []),
            *(["no snapshots"] if every != storage.snapshot_every_s else []),
        )
        yield changed, _under(base, mode=mode, quality=quality, snapshot_every_s=every)


def _motion_parts(settings: Settings) -> tuple[object, ...]:
    return settings.detection, settings.recording


@dataclass(frozen=True)
class School:
    """One way of recording, as technicians differ about it."""

    mode: RecordingMode
    """When it writes."""
    offered: bool
    """The make can do it."""
    days: Figure | None
    """Days kept, None where the store is not known."""
    missed: int
    """Real visits of the evidence that it misses."""
    censored: bool
    """More may have been missed: no footage shows what motion let pass."""
    look_h: Figure
    """Hours of footage a day to look through."""


def schools(done: Replay) -> list[School]:
    """Always, by motion, and both by the clock, side by side."""
    evidence, rules = done.evidence, done.candidate.capability.storage
    plan = done.candidate.settings.hours.recording_plan
    ways = []
    for mode in (RecordingMode.CONTINUOUS, RecordingMode.MOTION, RecordingMode.MIXED):
        if mode is RecordingMode.MIXED and plan is None:
            continue
        tried = _under(done, mode=mode)
        volume = volume_of(tried)
        seconds = [p for part in volume.parts for p in part.parts if p.unit == "s"]
        look = total("to look through a day", "h", *(_in_hours(p) for p in seconds))
        ways.append(
            School(
                mode, mode in rules.modes, tried.keeping.days, len(score(evidence, tried).real_missed),
                mode is not RecordingMode.CONTINUOUS and not evidence.continuous_s, look,
            )
        )  # fmt: skip
    return ways


def _in_hours(seconds: Figure) -> Figure:
    """Seconds a day as hours a day."""
    value, low, high = (v / 3600 for v in (seconds.value, seconds.low, seconds.high))
    return Figure(seconds.name, value, low, high, "h", seconds.source, seconds.how, seconds.parts, seconds.fact)


@dataclass(frozen=True)
class ToKeep:
    """A real visit, and until when it can be saved."""

    visit: Visit
    """The visit."""
    at_s: float
    """When it was recorded, POSIX seconds."""
    gone: str
    """Why it is no longer there, empty while it is."""
    deadline_s: float | None
    """Export it before: by the fewest days of the band. None where it is never overwritten or nobody knows."""
    stores: tuple[str, ...]
    """Names of the stores that hold it."""


def keep_list(done: Replay) -> list[ToKeep]:
    """The judged real visits that were recorded, those that go first at the head, those gone at the end."""
    listed = []
    for visit in done.evidence.visits:
        recorded = [o for o in visit if done.records(o.id)]
        if visit.verdict is not Verdict.REAL or not recorded:
            continue
        places = [done.place[o.id] for o in recorded]
        at_s = done.evidence.span_s(recorded[0])[0]
        closed = [done.no_longer_there(place) for place in places]
        gone = next(iter(closed[0].values())) if all(closed) else ""
        stores = tuple(_part(f, visit) for f in _receivers(done) if any(_holds(done, f, place) for place in places))
        listed.append(ToKeep(visit, at_s, gone, _deadline_s(done, at_s, places), stores))
    return sorted(listed, key=lambda k: (bool(k.gone), k.deadline_s is None, k.deadline_s or k.at_s))


def _part(fitted: Fitted, visit: Visit) -> str:
    """Name of a store, and how much of a visit it holds where it cuts recordings."""
    store, lasts_s = fitted.store, sum(part.end_s - part.start_s for part in visit)
    cut = store.longest_s is not None and store.longest_s < lasts_s
    return f"{store.name} (first {store.longest_s:g} s)" if cut else store.name


def _receivers(done: Replay) -> list[Fitted]:
    """The chosen store and those beside it."""
    keeping = done.keeping
    return [f for f in (keeping.fitted, *keeping.copies) if f is not None]


def _holds(done: Replay, fitted: Fitted, place: int) -> bool:
    """Whether a store got what is recorded of an occurrence and still holds it, as far as anybody knows."""
    at_s = done.evidence.spans[place][1]
    if fitted is done.keeping.fitted:
        return not closed_at_target(done, done.keeping, at_s)
    return receives(done, fitted.store, place) and keeps(done.keeping, fitted, at_s)


def _deadline_s(done: Replay, at_s: float, places: Sequence[int]) -> float | None:
    """Until when something can surely be saved: from the store, or longer from one beside it."""
    keeping = done.keeping
    deadline = gone_s(keeping, at_s, surely=False)
    held = [copy_days(keeping, c) for c in keeping.copies if any(receives(done, c.store, place) for place in places)]
    longest = max(held, default=0.0)
    return None if deadline is None or not math.isfinite(longest) else max(deadline, at_s + longest * DAY_S)


def kept_counts(done: Replay) -> tuple[int, int]:
    """Real visits that were recorded and are still there, and that are not."""
    listed = keep_list(done)
    gone = sum(bool(k.gone) for k in listed)
    return len(listed) - gone, gone


def if_lost(done: Replay) -> tuple[str, ...]:
    """What is lost if a store is stolen, fails or ends, one sentence each."""
    keeping = done.keeping
    if not keeping.known.stores:
        return ("No store is entered yet.",)
    used = _receivers(done)
    if not used:
        return ("Nothing is recorded to any store.",)
    sentences = []
    held = {f.id: {n for n in _real_places(done) if _holds(done, f, n)} for f in used}
    for fitted in used:
        store, others = fitted.store, [f for f in used if f is not fitted]
        what = "is not paid any more" if store.kind in OFF_SITE else "is stolen or fails"
        lost = held[fitted.id] - {n for f in others for n in held[f.id]}
        rest = [f"{f.store.name} ({f.store.gets_words})" for f in others]
        hold = "holds" if len(rest) == 1 else "hold"
        if not others:
            words = "all footage on it is lost" + ("" if store.kind in OFF_SITE else ": there is no copy off the site")
        elif lost:
            count = f"{len(lost)} of {len(held[fitted.id])} real recordings on it are lost"
            whole = len(lost) == len(held[fitted.id])
            words = f"{count}; {' and '.join(rest)} {hold} {'none of them' if whole else 'the others'}"
        else:
            words = f"no real recording is lost: {' and '.join(rest)} {hold} them"
        sentences.append(f"If {store.name} {what}, {words}.")
    return tuple(sentences)


def _real_places(done: Replay) -> list[int]:
    """Places of the real occurrences that are recorded."""
    return [n for n, o in enumerate(done.evidence.occurrences) if o.verdict is Verdict.REAL and done.recorded[n]]


@dataclass(frozen=True)
class StoreCost:
    """What a store costs over some years."""

    name: str
    """The store."""
    sum: float | None
    """In the user's own currency, None where a price is not known."""
    words: str
    """How it comes about."""


def costs(stores: Sequence[Store], years: float) -> list[StoreCost]:
    """What each store costs over some years: the medium, spare ones as they wear out, the plan month by month."""
    entries = []
    for store in stores:
        if store.price is None and store.price_per_month is None:
            entries.append(StoreCost(store.name, None, "no price is entered"))
            continue
        media = math.ceil(years / store.lasts_years) if store.lasts_years else 1
        parts, sum_ = [], 0.0
        if store.price is not None:
            sum_ += media * store.price
            worn = f", each lasts {store.lasts_years:g} years" if store.lasts_years else ""
            parts.append(f"{count_of(media, 'medium', 'media')} at {store.price:g}{worn}")
        if store.price_per_month is not None:
            sum_ += 12 * years * store.price_per_month
            parts.append(f"{12 * years:g} months at {store.price_per_month:g}")
        entries.append(StoreCost(store.name, sum_, "; ".join(parts)))
    return entries


def requirement(keeping: Keeping) -> Figure | None:
    """Days that footage must be kept: what this camera is for says it, else the site; None while nobody said."""
    return _asked_days(keeping, "required", "required_days", None if keeping.asked is None else keeping.asked.keep_days)


def longest(keeping: Keeping) -> Figure | None:
    """Days after which footage must be gone, likewise."""
    return _asked_days(keeping, "at most", "longest_days", None if keeping.asked is None else keeping.asked.gone_days)


def _asked_days(keeping: Keeping, name: str, fact: str, of_camera: float | None) -> Figure | None:
    if of_camera is not None:
        return exactly(name, of_camera, "days", Source.TYPED, "asked of this camera")
    days = keeping.known.of_site.get(fact)
    return None if days is None else exactly(name, days, "days", Source.TYPED, "typed in", fact)


def held_days(done: Replay) -> list[tuple[Fitted, float]]:
    """Each store that gets recordings and for how many days it holds them; infinite where it never deletes."""
    keeping = done.keeping
    holds = [(copy, copy_days(keeping, copy)) for copy in keeping.copies]
    if keeping.fitted is not None and keeping.days is not None:
        stops = not done.candidate.settings.storage.overwrite and keeping.fitted.store.keeps_days is None
        holds.insert(0, (keeping.fitted, math.inf if stops else keeping.days.value))
    return holds


def kept_words(keeping: Keeping) -> str:
    """Days kept in a few words, for the score panel."""
    if keeping.known.stores and keeping.fitted is None:
        return "no store of that kind"
    if keeping.days is None:
        return ""
    if keeping.full_s is not None and keeping.overwrites_s is None:
        return "stops when full"
    return days_words(keeping.days.value)
