"""How somebody walks on from one camera to the next: travel times, and who should have been seen and was not."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
import scipy

from guardia.core.evidence.evidence import Evidence
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay.replay import Replay

LONGEST_WAY_S = 180.0
"""Nobody needs longer from one camera's view into the next (common practice, no source)."""

OVERLAP_S = 5.0
"""Views overlap a little: the next camera may see somebody so long before the last one loses them."""

BY_CHANCE = 0.01
"""Cameras are linked when so many walked on as chance brings about less often than this."""

LEAST_PASSES = 2

_WALKS = {"parcel": "person", "expected": "person"}
"""Who brings a parcel to one camera may be just a person on the next."""


@dataclass(frozen=True)
class Pass:
    """One real visit on a camera."""

    id: int
    """Of its first occurrence."""
    begin_s: float
    """POSIX seconds."""
    end_s: float
    """Likewise."""
    kind: str
    """What it is."""


@dataclass(frozen=True)
class Link:
    """A way from one camera to another."""

    start: int
    """Number of the camera that is left."""
    end: int
    """Number of the camera that is reached."""
    passes: int
    """How many walked on, of the visits of the first camera."""
    visits: int
    """How many real visits the first camera has."""
    travel_s: float
    """Median of the times from the end of the one to the beginning of the other, seconds."""
    low_s: float
    """The shortest."""
    high_s: float
    """The longest."""
    by_chance: float
    """The chance that any pair of the site has so many, at times so alike, without a way between them: Poisson by the
    second camera's rate, uniform times, all pairs counted (Bonferroni)."""


@dataclass(frozen=True)
class NotSeen:
    """A visit that went past a camera which lies between two that saw it."""

    camera: int
    """Number of the camera that should have seen it."""
    near_s: float
    """About when, POSIX seconds."""
    before: int
    """Camera that saw it before."""
    after: int
    """Camera that saw it after."""


def passes_on(evidence: Evidence) -> list[Pass]:
    """The real visits of one camera in order of time."""
    passes = [
        Pass(v.id, evidence.span_s(v[0])[0], evidence.span_s(v[len(v) - 1])[1], _WALKS.get(v.kind, v.kind))
        for v in evidence.visits
        if v.verdict is Verdict.REAL
    ]
    return sorted(passes, key=lambda p: p.begin_s)


def links_of(evidence: Mapping[int, Evidence]) -> list[Link]:
    """Which cameras are linked, learnt from judged visits.

    Args:
        evidence: By number of the camera.

    Returns:
        The surest first.
    """
    seen = {camera: passes_on(one) for camera, one in evidence.items()}
    days = {c: max(1.0, (p[-1].end_s - p[0].begin_s) / 86400.0) if p else 1.0 for c, p in seen.items()}
    ways = []
    for start, end in ((a, b) for a in seen for b in seen if a != b):
        travel = [after.begin_s - before.end_s for before, after in _walked_on(seen[start], seen[end])]
        window = (LONGEST_WAY_S + OVERLAP_S) / 86400.0
        expected = len(seen[start]) * len(seen[end]) / days[end] * window
        if len(travel) < LEAST_PASSES or not expected:
            continue
        many = float(scipy.special.gammainc(len(travel), expected))  # of a Poisson number of at least so many
        spread = (max(travel) - min(travel)) / (LONGEST_WAY_S + OVERLAP_S)
        alike = min(1.0, len(travel) * spread ** (len(travel) - 1))  # of times so near each other
        chance = many * alike * len(seen) * (len(seen) - 1)  # of any pair of the site
        if chance < BY_CHANCE:
            ways.append(
                Link(
                    start,
                    end,
                    len(travel),
                    len(seen[start]),
                    float(np.median(travel)),
                    min(travel),
                    max(travel),
                    chance,
                )
            )
    return sorted(ways, key=lambda one: one.by_chance)


def walked_on(evidence: Mapping[int, Evidence], link: Link) -> list[tuple[Pass, Pass]]:
    """The visits that a way is learnt from.

    Args:
        evidence: By number of the camera.
        link: The way.

    Returns:
        Each visit of the first camera with that of the second that followed, in order of time.
    """
    return _walked_on(passes_on(evidence[link.start]), passes_on(evidence[link.end]))


def _walked_on(first: list[Pass], second: list[Pass]) -> list[tuple[Pass, Pass]]:
    """Visits of one camera, each with the first of its kind that the other camera saw soon after."""
    pairs = []
    for one in first:
        later = [p for p in second if p.kind == one.kind and -OVERLAP_S <= p.begin_s - one.end_s <= LONGEST_WAY_S]
        if later:
            pairs.append((one, min(later, key=lambda p: p.begin_s)))
    return pairs


def not_seen(evidence: Mapping[int, Evidence], links: list[Link]) -> list[NotSeen]:
    """Visits that one camera should have seen, since it lies between two that did, and did not.

    Args:
        evidence: By number of the camera.
        links: From links_of().

    Returns:
        In order of time.
    """
    seen = {camera: passes_on(one) for camera, one in evidence.items()}
    ways = {(one.start, one.end): one for one in links}
    unseen = []
    for (a, b), first in ways.items():
        for (c, d), second in ways.items():
            if b != c or d in (a, b):
                continue
            whole = first.high_s + second.high_s + LONGEST_WAY_S
            for one in seen[a]:
                later = [p for p in seen[d] if p.kind == one.kind and 0 < p.begin_s - one.end_s <= whole]
                between = [p for p in seen[b] if one.begin_s - OVERLAP_S <= p.begin_s <= one.end_s + whole]
                if later and not between:
                    unseen.append(NotSeen(b, one.end_s + first.travel_s, a, d))
    return sorted(set(unseen), key=lambda n: n.near_s)


def woken(evidence: Mapping[int, Evidence], done: Mapping[int, Replay], link: Link) -> tuple[int, ...]:
    """Real visits that a camera misses or records late, and that the camera before it would have woken it for.

    Args:
        evidence: By number of the camera.
        done: Replays of what is set, by number of the camera.
        link: The way on which the first camera would wake the second.

    Returns:
        Ids of the visits of the second camera.
    """
    there = evidence[link.end]
    triggers = done[link.start].trigger_s[~np.isnan(done[link.start].trigger_s)]
    replay = done[link.end]
    rules = []
    for visit in there.visits:
        if visit.verdict is not Verdict.REAL:
            continue
        begin = there.span_s(visit[0])[0]
        at = replay.place[visit[0].id]
        lacking = not any(replay.records(o.id) for o in visit) or bool(replay.late[at] and not replay.written[at])
        in_time = (triggers <= begin) & (triggers >= begin - LONGEST_WAY_S - link.high_s)
        if lacking and in_time.any():
            rules.append(visit.id)
    return tuple(rules)
