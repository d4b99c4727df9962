"""Hours without a window: when a camera records and alerts, what is typed in, what lies outside."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import UTC, date, datetime, timedelta
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from guardia.app.scripted.whole_job import camera_named
from guardia.core.base.errors import InvalidValue
from guardia.core.hours.periods import to_periods
from guardia.core.hours.plan import plan_spans
from guardia.core.make.settings import Settings
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay.anchored import anchored
from guardia.core.score.alerts import alert_score
from guardia.core.score.hours import outside
from guardia.core.storage.readings import alert_delay
from guardia.store.project import Project

LONGEST_DAYS = 3660


def camera_hours(folder: Path, *, camera: str, first: date | None, last: date | None, draft: bool) -> dict[str, Any]:
    """When a camera records and alerts.

    Args:
        folder: The project's folder.
        camera: Name of the camera.
        first: First date; today when None.
        last: Last date, included; a week after the first when None.
        draft: Of the draft in place of the installed settings.

    Returns:
        `recording` and `alerts`: null for always, else the plan in words, its spans as local times with their offset,
        the periods to type in and what the make cannot be told; `evidence`: real and false visits outside the recording
        hours, real ones that trigger and are not told, false alerts a day, and the delay of alerts by tests.

    Raises:
        InvalidValue: If there is no such camera, the last date is before the first, or a plan follows a sun that is not
            known.
    """
    with Project(folder) as project:
        known = camera_named(project, camera)
        evidence, zone = project.evidence(known.id), project.zone
        delay = alert_delay(project.readings.of_camera(known.id))
    first = first or datetime.now(UTC).astimezone(zone).date()
    last = last or first + timedelta(days=6)
    if not 0 <= (last - first).days <= LONGEST_DAYS:
        raise InvalidValue(f"From {first} to {last} is no stretch of dates.", do="The last comes after the first.")
    settings: Settings = known.draft if draft else known.installed
    place, result = evidence.place, {"camera": camera, "from": str(first), "to": str(last)}
    parts: dict[str, Any] = {}
    for name, plan in (("recording", settings.hours.recording_plan), ("alerts", settings.hours.alert_plan)):
        if plan is None:
            parts[name] = None
            continue
        typed = to_periods(plan, known.capability.schedule, place, first)
        spans = plan_spans(plan, first, last, place)
        parts[name] = {
            "plan": plan.words, "spans": _local(spans.tolist(), zone), "type_in": typed.lines, "lost": typed.lost,
        }  # fmt: skip
    score = alert_score(evidence, anchored(evidence, known.under(settings)))
    recording = settings.hours.recording_plan
    counted = {
        "real_outside": len(outside(evidence, recording, Verdict.REAL)),
        "false_outside": len(outside(evidence, recording, Verdict.FALSE)),
        "real_not_told": len(score.real_silent),
        "false_alerts_per_day": None if score.per_day is None else round(score.per_day[0], 3),
        "false_alerts_per_day_95": None if score.per_day is None else [round(v, 3) for v in score.per_day[1:]],
        "alert_delay_s": None
        if delay is None
        else {
            "median": delay.median_s if math.isfinite(delay.median_s) else None,
            "interval_90": [end if math.isfinite(end) else None for end in (delay.low_s, delay.high_s)],
            "tests": delay.came + delay.never,
            "never_came": delay.never,
        },
    }
    return {**result, **parts, "evidence": counted}


def _local(spans: Sequence[Sequence[float]], zone: ZoneInfo) -> list[list[str]]:
    """Spans as local times with their offset from UTC."""
    return [[datetime.fromtimestamp(at, UTC).astimezone(zone).isoformat(timespec="minutes") for at in s] for s in spans]
