"""Which occurrences are alike, from their traces: where, how large, how fast, how periodic, in what light."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import scipy
from numpy.typing import NDArray

from guardia.core.evidence.clips import Occurrence
from guardia.core.evidence.evidence import Evidence
from guardia.core.trace.measure import ANALYSIS_RATE_HZ
from guardia.core.trace.stack import FILL_BYTE


class Features(NamedTuple):
    """What is compared of an occurrence; each is described in docs/motion-model.md."""

    column: float = 0.0
    row: float = 0.0
    area: float = 0.0
    largest: float = 0.0
    spread: float = 0.0
    persistence: float = 0.0
    net_way: float = 0.0
    straightness: float = 0.0
    speed: float = 0.0
    climb: float = 0.0
    strength: float = 0.0
    period: float = 0.0
    jumps: float = 0.0
    pieces: float = 0.0
    light: float = 0.0
    length: float = 0.0
    upright: float = 0.0
    swell: float = 0.0


WEIGHTS = Features(
    column=0.9, row=0.9, area=1.0, largest=1.0, spread=1.0, persistence=1.3, net_way=1.0, straightness=0.8, speed=0.8,
    climb=0.4, strength=0.8, period=0.6, jumps=1.0, pieces=1.0, light=1.4, length=0.5, upright=1.0, swell=0.5,
)  # fmt: skip

NAMED_WEIGHT = 2.5
"""Weight of the class that the camera named, against one standard deviation of a feature."""

GROUP_DISTANCE = 6.0
"""Ward distance up to which occurrences are one group; found on the demo's truth, see tests/reference."""

MOST = 3000
"""Of more occurrences than this, evenly chosen ones are grouped and the others join the group of their nearest."""

_LEVEL = 1
"""Contrast level 12: fine enough for a far person, coarse enough for noise."""


def features_of(evidence: Evidence, occurrence: Occurrence) -> Features:
    """Describe an occurrence.

    Args:
        evidence: Clips and traces.
        occurrence: One of its occurrences.

    Returns:
        Finite; where nothing moves only light and length are known, the others are 0.
    """
    index = evidence.clip_index[occurrence.clip_id]
    clip = evidence.clips[index]
    stack = evidence.stack
    dense = stack.changed(index, occurrence.start_s - 1e-6, occurrence.end_s + 1e-6)
    light = clip.brightness if np.isfinite(clip.brightness) else 128.0
    still = Features(
        light=float(np.log(max(light, 1.0))), length=float(np.log(max(occurrence.end_s - occurrence.start_s, 0.2)))
    )
    active = dense[:, :, _LEVEL] >= FILL_BYTE
    if not active.any():
        return still
    counts = active.sum(axis=1)
    moving = counts > 0
    ever = active.any(axis=0)
    weight = active.sum(axis=0)
    column, row = np.arange(stack.cells) % stack.columns, np.arange(stack.cells) // stack.columns
    strong, weak = int((dense[:, :, 3] >= FILL_BYTE).sum()), int((dense[:, :, 0] >= FILL_BYTE).sum())
    return still._replace(
        column=(weight * column).sum() / weight.sum() / stack.columns,
        row=(weight * row).sum() / weight.sum() / stack.rows,
        area=np.log(counts[moving].mean()),
        spread=np.log(ever.sum()),
        persistence=np.log(weight.sum() / (ever.sum() * max(1, moving.sum()))),
        strength=np.log((strong + 1) / (weak + 1)),
        period=_periodicity(counts.astype(np.float64)),
        **_way_of_the_largest(active.reshape(-1, stack.rows, stack.columns)),
    )


def _way_of_the_largest(active: NDArray[np.bool_]) -> dict[str, float]:
    """The features that follow the largest group from picture to picture, by name."""

    places, sizes, heights, pieces = [], [], [], []
    jumps, before = 0, None
    for picture in active:
        groups, count = scipy.ndimage.label(picture)
        if count == 0:
            before = None
            continue
        size = np.bincount(groups.ravel())[1:]
        main = groups == 1 + int(size.argmax())
        rows, columns = np.flatnonzero(main.any(axis=1)), np.flatnonzero(main.any(axis=0))
        if before is not None:
            jumps += not (main & before).any()
        before = main
        places.append((columns.mean() / active.shape[2], rows.mean() / active.shape[1]))
        sizes.append(int(size.max()))
        heights.append(len(rows) / len(columns))
        pieces.append(count)
    way = np.array(places)
    steps = np.hypot(*np.diff(way, axis=0).T) if len(way) > 1 else np.zeros(1)
    third = max(1, len(way) // 3)
    net = way[-third:].mean(axis=0) - way[:third].mean(axis=0)
    return {
        "largest": np.log(np.percentile(sizes, 90)),
        "net_way": np.hypot(*net),
        "straightness": np.hypot(*net) / max(steps.sum(), 0.05),
        "speed": np.log(np.median(steps) * ANALYSIS_RATE_HZ + 0.02),
        "climb": net[1],
        "jumps": jumps / max(1, len(way) - 1),
        "pieces": np.log(np.mean(pieces)),
        "upright": np.log(np.median(heights)),
        "swell": np.log((np.mean(sizes[-third:]) + 1) / (np.mean(sizes[:third]) + 1)),
    }


def _periodicity(series: NDArray[np.float64]) -> float:
    """Highest autocorrelation of a series at a lag of 0.4 to 3 s, 0..1."""
    centred = series - series.mean()
    power = float(centred @ centred)
    lags = range(2, min(int(3 * ANALYSIS_RATE_HZ), len(series) // 2))
    peaks = [float(centred[:-lag] @ centred[lag:]) / power for lag in lags] if power > 0 else []
    return max(0.0, *peaks) if peaks else 0.0


@dataclass(frozen=True, eq=False)
class Likeness:
    """Occurrences described so that their distance says how unlike they are."""

    ids: tuple[int, ...]
    """Ids of the occurrences."""
    points: NDArray[np.float64]
    """(N, D) float64, scaled and weighted."""


def likeness(features: Mapping[int, Features], named: Mapping[int, str]) -> Likeness:
    """Put occurrences into one space.

    Args:
        features: By occurrence id, from features_of().
        named: Class that the camera named, by occurrence id; left out where it named none.

    Returns:
        Each feature in robust standard deviations, weighted.
    """
    ids = tuple(features)
    if not ids:
        return Likeness((), np.empty((0, len(WEIGHTS))))
    table = np.array([features[i] for i in ids])
    middle = np.median(table, axis=0)
    spread = np.subtract(*np.percentile(table, [84, 16], axis=0)) / 2
    scaled = np.clip((table - middle) / np.where(spread > 1e-6, spread, 1.0), -3, 3) * np.array(WEIGHTS)
    classes = sorted(set(named.values()) - {""})
    marks = np.array([[named.get(i, "") == c for c in classes] for i in ids], np.float64).reshape(len(ids), -1)
    return Likeness(ids, np.concatenate([scaled, NAMED_WEIGHT * marks], axis=1))


def groups(space: Likeness, *, distance: float = GROUP_DISTANCE) -> list[tuple[int, ...]]:
    """Groups of similar occurrences, the largest first; in each the most typical first and the odd ones last.

    Args:
        space: From likeness().
        distance: Ward distance up to which occurrences are one group.

    Returns:
        Ids, each in exactly one group.
    """
    if len(space.ids) < 2:
        return [space.ids] if space.ids else []
    count = len(space.ids)
    chosen = np.unique(np.linspace(0, count - 1, min(count, MOST)).round().astype(int))
    tree = scipy.cluster.hierarchy.linkage(space.points[chosen], "ward")
    number = scipy.cluster.hierarchy.fcluster(tree, distance, "distance")
    if count > MOST:
        number = number[_tree(space.points[chosen]).query(space.points)[1]]
    families = []
    for group in np.unique(number):
        rows = np.flatnonzero(number == group)
        off = np.linalg.norm(space.points[rows] - np.median(space.points[rows], axis=0), axis=1)
        families.append(tuple(space.ids[r] for r in rows[np.argsort(off, kind="stable")]))
    return sorted(families, key=lambda g: (-len(g), g))


@dataclass(frozen=True)
class Suggestion:
    """A kind suggested for an unjudged occurrence by those judged already."""

    kind: str
    """Id of the kind."""
    certainty: float
    """0..1: weighted share of the nearest judged occurrences that are of this kind, less when they are far."""


NEIGHBOURS = 5
FAR = 4.5
"""A distance at which a judged neighbour says little."""


def suggest(space: Likeness, judged: Mapping[int, str], wanted: Sequence[int]) -> dict[int, Suggestion]:
    """Suggest kinds from the nearest judged occurrences.

    Args:
        space: From likeness().
        judged: Kinds by id, of occurrences in the space.
        wanted: Ids to suggest a kind for.

    Returns:
        By id; empty while nothing is judged.
    """
    row = {i: n for n, i in enumerate(space.ids)}
    known = [i for i in judged if i in row and judged[i]]
    asked = [i for i in wanted if i in row]
    if not known or not asked:
        return {}
    count = min(NEIGHBOURS, len(known))
    tree = _tree(space.points[[row[i] for i in known]])
    distance, nearest = tree.query(space.points[[row[i] for i in asked]], k=[*range(1, count + 1)])
    result = {}
    for occurrence_id, far, near in zip(asked, np.asarray(distance), np.asarray(nearest), strict=True):
        votes = _votes(far, [judged[known[n]] for n in near])
        best = max(votes, key=lambda k: votes[k])
        agreement = votes[best] / max(sum(votes.values()), 1e-12)
        result[occurrence_id] = Suggestion(best, float(agreement * np.exp(-((far[0] / FAR) ** 2))))
    return result


def _votes(distance: NDArray[np.float64], kinds: Sequence[str]) -> dict[str, float]:
    total: dict[str, float] = {}
    for weight, kind in zip(np.exp(-((distance / FAR) ** 2)), kinds, strict=True):
        total[kind] = total.get(kind, 0.0) + float(weight)
    return total


DOUBT = 0.3
"""A judgement is doubtful when this share of the votes of its nearest goes to other kinds."""


def doubtful(space: Likeness, judged: Mapping[int, str]) -> list[tuple[int, Suggestion]]:
    """Judged occurrences whose nearest others are judged otherwise, the most doubtful first.

    Args:
        space: From likeness().
        judged: Kinds by id, of occurrences in the space.

    Returns:
        Id, and the kind that most of the others suggest, with the share of the votes that goes to other kinds.
    """
    row = {i: n for n, i in enumerate(space.ids)}
    known = [i for i in judged if i in row and judged[i]]
    if len(known) < 2:
        return []
    points = space.points[[row[i] for i in known]]
    count = min(NEIGHBOURS + 1, len(known))
    distance, nearest = _tree(points).query(points, k=count)
    doubts = []
    rows = zip(known, np.asarray(distance), np.asarray(nearest), strict=True)
    for place, (occurrence_id, far, near) in enumerate(rows):
        votes = _votes(far[near != place], [judged[known[n]] for n in near[near != place]])
        own = votes.pop(judged[occurrence_id], 0.0)
        others = sum(votes.values())
        if votes and others > DOUBT * (own + others):
            best = max(votes, key=lambda k: votes[k])
            doubts.append((occurrence_id, Suggestion(best, others / (own + others))))
    return sorted(doubts, key=lambda f: -f[1].certainty)


def _tree(points: NDArray[np.float64]) -> scipy.spatial.cKDTree:
    """For the nearest of (N, D) points."""

    return scipy.spatial.cKDTree(points)
