"""Why settings were chosen, and what is to be known of them, in sentences."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.words import count_of
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.make.levers import Lever, limits_broken
from guardia.core.make.zones import MadeBy
from guardia.core.purpose.judgement import Verdict, kind_of
from guardia.core.storage.rules import RecordingMode
from guardia.core.tuning.days import Counts, Days
from guardia.core.tuning.search import OF_DRAFT, Search, Single
from guardia.core.tuning.trials import Trial

CLOSE = 0.5
"""Settings whose cost differs by no more than half a false alert cannot be told apart, however sure the days."""

MOST_CURES = 3
"""So many cures of misses are told of."""


def stored_words(levers: Sequence[Lever[Any]], entered: Candidate) -> list[str]:
    """What is set besides so that what is asked of recording, store, charge and data is met."""
    said = [f"{lever.name} {lever.words(entered.settings, entered.capability)}" for lever in levers]
    return [f"For what is asked of store, charge and data: {'; '.join(said)}."] if said else []


def as_drawn(chosen: Candidate, installed: Candidate) -> list[str]:
    """That zones which somebody drew are not drawn again without the days that are held out."""
    zones = chosen.settings.detection.zones
    by_hand = zones and all(zone.made_by is MadeBy.HAND for zone in zones)
    if not by_hand or zones == installed.settings.detection.zones:
        return []
    return [f"Its zones are the {OF_DRAFT}, as drawn with all days in view: days held out prove them only in part."]


def passed_over(
    search: Search, days: Days, chosen: Trial, points: Sequence[tuple[Candidate, Counts]], seen: frozenset[date]
) -> list[str]:
    """Why settings with fewer false recordings and no more misses on these days are not chosen."""
    mine = days.counts(chosen, seen)
    fewer = [(one, c) for one, c in points if c.lost <= mine.lost and c.nuisance < mine.nuisance]
    if not fewer:
        return []
    candidate, counts = min(fewer, key=lambda one: (one[1].nuisance, one[1].lost))
    trial, real = search.trials.of(candidate), search.seen & search.trials.real
    risk, own = (float(search.risk(t)[real].sum()) for t in (trial, chosen))
    if limits_broken(candidate, installed=search.installed.settings):
        why = "this make is not known to take them"
    elif not search.unseen and search.shows_more(candidate):
        why = "they could record what these clips cannot show"
    elif risk > own + CLOSE / search.cost.miss:
        why = f"they lose {risk:.1f} real ones where visits come a little differently, the chosen ones {own:.1f}"
    else:
        why = "chosen without some of the days, they did no better on those days"
    return [f"Settings with fewer {nuisance_words(search)} ({counts.nuisance}) are not chosen: {why}."]


def nuisance_words(search: Search) -> str:
    """What is to be fewer, in words."""
    return "false alerts" if search.trials.on_alerts else "false recordings"


def against_misses(days: Days, base: Trial, singles: Sequence[Single], seen: frozenset[date]) -> list[str]:
    """What would lose fewer real ones at a price that this evidence cannot tell."""
    before = days.counts(base, seen).lost
    cures = [(days.counts(one.trial, seen).lost, one.words) for one in singles if one.more]
    fewer = sorted((lost, words) for lost, words in cures if lost < before)
    if not fewer:
        return []
    said = ", ".join(f"{words} (lost {lost})" for lost, words in fewer[:MOST_CURES])
    return [f"Against what is lost ({before}): {said}. What else these record, motion clips cannot show; footage can."]


def loses(search: Search, base: Trial, chosen: Trial) -> list[str]:
    """That the choice loses something real, which is said first."""
    lost = int((search.seen & search.trials.newly_lost(base, chosen)).sum())
    does = "record or alert to" if search.trials.on_alerts else "record"
    return [f"It loses {count_of(lost, 'real visit')} that the installed settings {does}."] if lost else []


def stored_anyway(installed: Candidate) -> list[str]:
    """That what is lost is only not marked, where a camera writes whatever moves."""
    when = {RecordingMode.CONTINUOUS: "It", RecordingMode.MIXED: "In its hours it"}.get(installed.settings.storage.mode)
    return [f"{when} records always: what is lost then is not marked by motion, but is on the store."] if when else []


def left_words(search: Search, best: Trial) -> str:
    """What is still false under the best settings."""
    does = "alerts to" if search.trials.on_alerts else "records"
    left = kinds_words(search, (best.alerted if search.trials.on_alerts else best.recorded) & ~search.trials.real)
    if not left:
        return f"It {does} nothing false of what is judged."
    return f"It still {does} {left}: no setting tried keeps these out without losing more."


def kinds_words(search: Search, which: NDArray[np.bool_]) -> str:
    """How many of which kind, most first."""
    count = Counter(kind_of(search.trials.visits[n].kind).text for n in np.flatnonzero(which & search.seen))
    return ", ".join(f"{n} {kind}" for kind, n in sorted(count.items(), key=lambda one: (-one[1], one[0])))


def cannot_show(evidence: Evidence, search: Search) -> list[str]:
    """What the evidence cannot show, whatever is chosen."""
    waiting = sum(not o.kind for o in evidence.occurrences)
    lines = [f"{count_of(waiting, 'occurrence')} not judged yet: left out here."] if waiting else []
    lines += [f"Installed is what this make is not known to take: {line}" for line in limits_broken(search.installed)]
    if search.installed.capability.object_classes and not search.filter_known:
        lines.append("The object filter was not tried: what the camera's own eye calls most of these is not known.")
    if not any(o.verdict is Verdict.REAL for o in evidence.occurrences):
        lines.append("Nothing real is judged, so nothing can be lost: import a walk test before you rely on this.")
    return lines
