"""What to do next on a camera, and which days of several are shown first."""

from __future__ import annotations

import time
from bisect import bisect_left, bisect_right
from collections.abc import Sequence
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from guardia.app.camera.camera_model import CameraModel
from guardia.core.prove.next_action import NextAction, trouble
from guardia.core.prove.next_action import next_action as next_by_rule


def worst_first(models: Sequence[CameraModel]) -> list[CameraModel]:
    """Cameras in the order in which they need care, by their installed settings."""
    return sorted(models, key=lambda model: trouble(model.comparison.installed, model.met[0]), reverse=True)


SHOWN_DAYS = 14
ENOUGH_SHARE = 0.1
"""The days shown first are the latest with this share of what the fullest hold: one wrong date hides nothing."""


def latest_days(zone: ZoneInfo, models: Sequence[CameraModel]) -> tuple[date, date] | None:
    """First and last of the days shown first, the same for all cameras; None while nothing happened."""
    days = sorted(
        datetime.fromtimestamp(begin, zone).date() for model in models for _, begin, _ in model.evidence.spans
    )
    if not days:
        return None
    before = timedelta(days=SHOWN_DAYS - 1)
    counts = {day: bisect_right(days, day) - bisect_left(days, day - before) for day in set(days)}
    last = max(day for day, count in counts.items() if count >= ENOUGH_SHARE * max(counts.values()))
    return max(days[0], last - before), last


def next_action(model: CameraModel, now_s: float | None = None) -> NextAction:
    """The one thing to do next on a camera and why; now, if no moment is given."""
    now_s = time.time() if now_s is None else now_s
    return next_by_rule(model.evidence, model.comparison, model.check, now_s, model.met[0])
