"""When a camera made itself known, and stretches without a record that chance hardly explains."""

from __future__ import annotations

import math
from bisect import bisect_left
from datetime import UTC, datetime
from itertools import pairwise
from zoneinfo import ZoneInfo

from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import DAY_S

RARE = 0.01
"""A silence that comes about by chance less often than this is a sign."""


def recorded_near(evidence: Evidence, at_s: float, within_s: float) -> bool:
    """Whether the camera made itself known so soon before or after a moment (POSIX seconds)."""
    marks = evidence.records
    nearest = bisect_left(marks, at_s - within_s)
    return nearest < len(marks) and marks[nearest] <= at_s + within_s


def silences(evidence: Evidence) -> list[tuple[float, float, float]]:
    """Stretches without a record so long that chance hardly explains them.

    Args:
        evidence: Of the camera.

    Returns:
        Beginning and end, POSIX seconds, and the chance of such a silence at the camera's own rate by hour of the day
        (Poisson).
    """
    rates = _rates(evidence)
    # Shorter ones come about by chance even at the camera's busiest hour: nearly all, which need not be looked at.
    least_s = -math.log(RARE / 10) / max(rates) * 3600 if any(rates) else math.inf
    chances = [
        (begin, end, math.exp(-_expected(rates, evidence, begin, end)))
        for begin, end in pairwise(evidence.records) if end - begin > least_s
    ]  # fmt: skip
    return [one for one in chances if one[2] < RARE / 10]


def chance_of(evidence: Evidence, begin_s: float, end_s: float) -> float:
    """The chance of a silence from one moment to another, POSIX seconds, at the camera's own rate."""
    return math.exp(-_expected(_rates(evidence), evidence, begin_s, end_s))


def _rates(evidence: Evidence) -> list[float]:
    """Motion clips an hour in each of the 24 hours of the site's day."""
    zone = ZoneInfo(evidence.time_zone)
    by_hour = [0] * 24
    for clip in evidence.motion_clips:
        by_hour[datetime.fromtimestamp(clip.start_s, UTC).astimezone(zone).hour] += 1
    return [n / h if h > 0 else 0.0 for n, h in zip(by_hour, evidence.watch.hours_of_day, strict=True)]


def _expected(rates: list[float], evidence: Evidence, begin_s: float, end_s: float) -> float:
    """How many motion clips a stretch of time lets expect, by the hours of the day in which they come."""
    zone = ZoneInfo(evidence.time_zone)
    days = max(0.0, (end_s - begin_s) // DAY_S)
    total, at = days * sum(rates), begin_s + days * DAY_S
    while at < end_s:
        until = min(end_s, (at // 3600 + 1) * 3600)
        total += rates[datetime.fromtimestamp(at, UTC).astimezone(zone).hour] * (until - at) / 3600
        at = until
    return total
