"""What to do next on a camera, and where its zones could be copied from."""

from __future__ import annotations

import math
import time
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import TYPE_CHECKING

from guardia.app.project.camera_model import CameraModel
from guardia.core.base.words import count_of
from guardia.core.make.zones import Zone
from guardia.core.score.storage_findings import storage_findings

if TYPE_CHECKING:
    from guardia.app.project.session import Session


@dataclass(frozen=True)
class NextAction:
    """The one thing to do next on a camera.

    Parameters
    ----------
    step
        Id of the step where it is done.
    text
        What to do.
    why
        The reason, with its figures.
    """

    step: str
    text: str
    why: str


MISSED_WEIGHT = 5
"""A real occurrence missed weighs as much as so many false recordings a day (common practice, no source)."""


def worst_first(models: Sequence[CameraModel]) -> list[CameraModel]:
    """Cameras in the order in which they need care, by their installed settings."""

    def trouble(model: CameraModel) -> float:
        installed = model.comparison.installed
        return (installed.false_per_day or 0.0) + MISSED_WEIGHT * len(installed.real_missed)

    return sorted(models, key=trouble, reverse=True)


DAY_S = 86_400.0

SHOWN_DAYS = 14
ENOUGH_SHARE = 0.1
"""The days shown first are the latest that hold this share of what happened: one wrong date hides nothing."""


def latest_days(session: Session, models: Sequence[CameraModel]) -> tuple[date, date] | None:
    """First and last of the days shown first, the same for all cameras; None while nothing happened."""
    days = sorted(session.local_time(begin).date() for model in models for _, begin, _ in model.evidence.spans)
    if not days:
        return None
    before = timedelta(days=SHOWN_DAYS - 1)
    counts = {day: bisect_right(days, day) - bisect_left(days, day - before) for day in set(days)}
    last = max(day for day, count in counts.items() if count >= ENOUGH_SHARE * len(days))
    return max(days[0], last - before), last


CHECK_AFTER_DAYS = 7
"""A change is checked on the evidence of a week (common practice, no source)."""


def _check_due(model: CameraModel, now_s: float) -> NextAction | None:
    """The check of the last change, when its days have passed and nothing was brought in since."""
    epochs, clips = model.evidence.epochs, model.evidence.motion_clips
    since = epochs[-1].from_s if epochs else -math.inf
    if not clips or since < clips[-1].start_s or now_s - since < CHECK_AFTER_DAYS * DAY_S:
        return None
    why = f"the settings were changed {(now_s - since) / DAY_S:.0f} days ago, and nothing since then is here"
    return NextAction("evidence", "Bring in the days since the change", why)


def next_action(model: CameraModel, now_s: float | None = None) -> NextAction:
    """The one thing to do next on a camera and why; now, if no moment is given."""
    now_s = time.time() if now_s is None else now_s
    evidence, comparison = model.evidence, model.comparison
    trouble = next((f for f in storage_findings(comparison.installed_replay) if f.serious), None)
    if trouble is not None and model.draft.storage == model.camera.installed.storage:
        return NextAction("storage", "Look at the storage", trouble.brief)
    unjudged = sum(not o.kind for o in evidence.occurrences)
    if not evidence.clips:
        return NextAction("evidence", "Import clips", "nothing this camera recorded is here yet")
    if unjudged:
        return NextAction(
            "evidence",
            f"Judge {count_of(unjudged, 'occurrence')}",
            f"{unjudged} of {len(evidence.occurrences)} are not judged yet",
        )
    installed = comparison.installed
    if model.check is not None and not model.check.agrees:
        return NextAction("tune", "Look at the last change", model.check.words)
    due = _check_due(model, now_s)
    if due:
        return due
    if model.draft != model.camera.installed:
        fewer = len(installed.false_recorded) - len(comparison.draft.false_recorded)
        more = len(comparison.draft.real_missed) - len(installed.real_missed)
        return NextAction(
            "handover", "Hand over the draft", f"false recordings {-fewer:+d}, real missed {more:+d} against installed"
        )
    if evidence.motion_clips and not evidence.watch.spans:
        return NextAction("coverage", "Say when it was watched", "without that there is no rate per day")
    if installed.false_recorded or installed.real_missed:
        false, missed = count_of(len(installed.false_recorded), "false recording"), len(installed.real_missed)
        return NextAction("tune", "Tune", f"{false}, {missed} real missed on the evidence")
    return NextAction("evidence", "Nothing to do", "nothing false, missed or unjudged on the evidence")


def zone_sources(session: Session, camera_id: int) -> list[tuple[str, tuple[Zone, ...]]]:
    """Zones that can be copied to a camera: (where from, the zones), of its own earlier settings and of others."""
    own = session.camera(camera_id).camera
    sources = [(f"{own.name}, installed", own.installed.detection.zones)]
    for epoch in reversed(session.camera(camera_id).evidence.epochs[:-1]):
        if epoch.settings is not None:
            until = f"{session.local_time(epoch.to_s):%d %b %Y %H:%M}"
            sources.append((f"{own.name}, installed until {until}", epoch.settings.detection.zones))
    for other in (m.camera for i, m in session.models.items() if i != camera_id):
        sources.append((f"{other.name}, installed", other.installed.detection.zones))
        if other.draft.detection.zones != other.installed.detection.zones:
            sources.append((f"{other.name}, draft", other.draft.detection.zones))
    return [(name, zones) for name, zones in sources if zones]
