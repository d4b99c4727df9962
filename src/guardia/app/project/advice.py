"""What to do next on a camera, and where its zones could be copied from."""

from __future__ import annotations

import time
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from datetime import date, timedelta
from typing import TYPE_CHECKING

from guardia.app.project.camera_model import CameraModel
from guardia.core.make.zones import Zone
from guardia.core.prove.next_action import NextAction, trouble
from guardia.core.prove.next_action import next_action as next_by_rule

if TYPE_CHECKING:
    from guardia.app.project.session import Session


def worst_first(models: Sequence[CameraModel]) -> list[CameraModel]:
    """Cameras in the order in which they need care, by their installed settings."""
    return sorted(models, key=lambda model: trouble(model.comparison.installed), reverse=True)


SHOWN_DAYS = 14
ENOUGH_SHARE = 0.1
"""The days shown first are the latest with this share of what the fullest hold: one wrong date hides nothing."""


def latest_days(session: Session, models: Sequence[CameraModel]) -> tuple[date, date] | None:
    """First and last of the days shown first, the same for all cameras; None while nothing happened."""
    days = sorted(session.local_time(begin).date() for model in models for _, begin, _ in model.evidence.spans)
    if not days:
        return None
    before = timedelta(days=SHOWN_DAYS - 1)
    counts = {day: bisect_right(days, day) - bisect_left(days, day - before) for day in set(days)}
    last = max(day for day, count in counts.items() if count >= ENOUGH_SHARE * max(counts.values()))
    return max(days[0], last - before), last


def next_action(model: CameraModel, now_s: float | None = None) -> NextAction:
    """The one thing to do next on a camera and why; now, if no moment is given."""
    now_s = time.time() if now_s is None else now_s
    return next_by_rule(model.evidence, model.comparison, model.check, now_s)


def zone_sources(session: Session, camera_id: int) -> list[tuple[str, tuple[Zone, ...]]]:
    """Zones that can be copied to a camera: (where from, the zones), of its own earlier settings and of others."""
    own = session.camera(camera_id).camera
    sources = [(f"{own.name}, installed", own.installed.detection.zones)]
    for epoch in reversed(session.camera(camera_id).evidence.epochs[:-1]):
        if epoch.settings is not None:
            until = f"{session.local_time(epoch.to_s):%d %b %Y %H:%M}"
            sources.append((f"{own.name}, installed until {until}", epoch.settings.detection.zones))
    for other in (camera for i, camera in session.cameras.all().items() if i != camera_id):
        sources.append((f"{other.name}, installed", other.installed.detection.zones))
        if other.draft.detection.zones != other.installed.detection.zones:
            sources.append((f"{other.name}, draft", other.draft.detection.zones))
    return [(name, zones) for name, zones in sources if zones]
