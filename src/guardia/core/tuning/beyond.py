"""What would help where no setting of a camera does what it is for, each from what the evidence shows."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from guardia.core.base.distances import density
from guardia.core.base.words import count_of
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.purpose.judgement import kind_of
from guardia.core.trace.measure import CONTRAST_LEVELS
from guardia.core.tuning.days import Counts, Days
from guardia.core.tuning.drawing import DRAWINGS
from guardia.core.tuning.search import Idea, Search
from guardia.core.tuning.trials import Trial

LEAST = 2
"""Fewer than so many of a kind suggest nothing."""

FAR_PX_M = 8.0
"""What shows fewer pixels a metre is hardly larger than noise to most motion detection (common practice, no source)."""

CORNERS, ZONES = 16, 4
"""Zones of a make that draws freely."""

HELPS = {
    "foliage": "cut it back, or move the camera so that it does not stand before it",
    "animal": "mount it higher or steeper, so that animals stay small",
    "insect_or_web": "clean it, and light the place from beside it in place of its own lamp",
    "rain_or_snow": "mount it under a roof",
    "headlights": "turn it so that no road shines into it, or screen the road off",
    "shadow": "turn it from where the sun's shadows pass, or light the place evenly",
    "reflection_or_water": "turn it from the water, or shade the glare",
    "flag_or_rope": "tie it down, or move the camera",
    "outside_traffic": "turn or lower it so that the road is out of the picture",
    "camera_moved": "fix its mount",
}
"""What keeps each cause of false alerts from a camera (common practice, no source)."""


def what_would(search: Search, days: Days, chosen: Trial) -> list[str]:
    """What would help beyond the settings, in sentences; none where nothing is lost and nothing false is left.

    Args:
        search: The search that chose.
        days: The days of the evidence.
        chosen: The best settings of this make.

    Returns:
        What is lost first, then what is false; each says on how many it is based.
    """
    trials = search.trials
    # Only what was too faint: hours, pauses and filters are settings.
    lost = search.seen & trials.real & ~trials.kept(chosen) & (chosen.strength < 1.0)
    left = search.seen & ~trials.real & (chosen.alerted if trials.on_alerts else chosen.recorded)
    return [*_of_lost(search, lost), *_of_false(search, left), *_of_makes(search, days, chosen)]


def not_met(search: Search, counts: Counts) -> str:
    """That the best settings do not do what is asked, with the numbers; empty where they do or nothing is asked."""
    purpose = search.trials.evidence.purpose
    if purpose is None:
        return ""
    parts = []
    if counts.lost:
        parts.append(f"{counts.lost} of {counts.real} real ones lost")
    rate, most = counts.false_alerts_per_day, purpose.false_alerts
    if rate is not None and most is not None and rate[0] > most:
        parts.append(f"{rate[0]:.1f} false alerts a day, at most {most:g} asked")
    return f"No setting tried does all that is asked: {' and '.join(parts)} at best." if parts else ""


def _of_lost(search: Search, lost: NDArray[np.bool_]) -> list[str]:
    evidence, number = search.trials.evidence, int(lost.sum())
    visits = [search.trials.visits[n] for n in np.flatnonzero(lost)]
    dark = sum(evidence.clip_of(visit[0]).dark for visit in visits)
    lines = []
    if dark >= LEAST and 2 * dark >= number:
        lines.append(f"{dark} of {count_of(number, 'real one')} lost came in the dark: a lamp would show them.")
    densities = [d for visit in visits if (d := _density(search, visit[0].id)) is not None]
    far = sum(d < FAR_PX_M for d in densities)
    if far >= LEAST and 2 * far >= number:
        lines.append(
            f"{far} of {number} lost show under {density(FAR_PX_M)}: "
            "a camera nearer to them would see them, or one more."
        )
    return lines


def _density(search: Search, occurrence_id: int) -> float | None:
    """Pixels a metre where something was largest; None where the view or the picture's width is not known."""
    evidence = search.trials.evidence
    place = next(n for n, o in enumerate(evidence.occurrences) if o.id == occurrence_id)
    clip = evidence.clips[evidence.spans[place][0]]
    low, high = evidence.windows[place]
    if evidence.view is None or not clip.width_px or high <= low:
        return None
    contrast, grid = CONTRAST_LEVELS[0], evidence.stack.grid
    largest = low + int(evidence.stack.sizes_anywhere(contrast=contrast)[low:high].argmax())
    left, _, right, bottom = evidence.stack.largest_boxes(contrast=contrast)[largest].tolist()
    foot = np.array([((left + right + 1) / 2 / grid.columns, (bottom + 1) / grid.rows)])
    ahead_m = float(evidence.view.to_ground(foot)[0, 1])
    return None if np.isnan(ahead_m) else evidence.view.density(ahead_m, clip.width_px)


def _of_false(search: Search, left: NDArray[np.bool_]) -> list[str]:
    kinds = Counter(search.trials.visits[n].kind for n in np.flatnonzero(left))
    return [
        f"{count} of {int(left.sum())} left are {kind_of(kind).text}: {HELPS[kind]}."
        for kind, count in kinds.most_common() if count >= LEAST and kind in HELPS
    ]  # fmt: skip


def _of_makes(search: Search, days: Days, chosen: Trial) -> list[str]:
    """What an ability that this make has not would do on the same evidence."""
    make, seen = chosen.candidate.capability, frozenset(days.all)
    mine = days.counts(chosen, seen)
    if mine.nuisance < LEAST:
        return []
    lines = []
    for words, other, ideas in _abilities(make, chosen.candidate):
        able = search.of_make(other)
        trials = [t for idea in ideas if (t := able.try_(idea, search.seen)) is not None]
        counts = [days.counts(trial, seen) for trial in trials]
        fit = [c for c in counts if c.lost <= mine.lost]
        best = min(fit, key=lambda c: c.nuisance, default=None)
        if best is not None and mine.nuisance - best.nuisance >= LEAST:
            lines.append(
                f"A make with {words} would leave {best.nuisance} of {mine.nuisance} and lose {best.lost}, by the same "
                "recordings."
            )
    return lines


def _abilities(make: Capability, chosen: Candidate) -> list[tuple[str, Candidate, Sequence[Idea]]]:
    """Abilities that a make lacks: words, the settings under a make that has it, what to try there."""
    found: list[tuple[str, Candidate, Sequence[Idea]]] = []
    if make.zone_form != "polygons" or make.max_corners < CORNERS or not make.ignore_zones:
        free = replace(
            make, zone_form="polygons", max_corners=CORNERS, max_zones=max(ZONES, make.max_zones), ignore_zones=True
        )
        candidate = replace(chosen, capability=free)
        words = f"{ZONES} zones of {CORNERS} corners to watch or to ignore"
        found.append((words, candidate, [Idea(drawing, candidate) for drawing in DRAWINGS]))
    if not make.night_notch and chosen.settings.detection.sensitivity is None:
        able = replace(chosen, capability=replace(make, night_notch=True))
        labels = [notch.label for notch in make.notches]
        ideas = [Idea(None, able.with_values(night_notch=label)) for label in labels]
        found.append(("a sensitivity for the night apart", able, ideas))
    return found
