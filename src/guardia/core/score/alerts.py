"""What somebody is alerted to under some settings: by motion, and by sound, a button and other causes."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import NamedTuple

import numpy as np

from guardia.core.base.intervals import rate_interval
from guardia.core.evidence.clips import Cause
from guardia.core.evidence.events import EVENT_TOLERANCE_S, CameraEvent
from guardia.core.evidence.evidence import Evidence
from guardia.core.hours.modes import allowed_spans
from guardia.core.hours.plan import if_known, in_spans, on_at
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings
from guardia.core.purpose.judgement import Verdict
from guardia.core.replay.replay import Replay
from guardia.core.storage.readings import Measure

BURST_S = 300.0
"""Alerts that follow one another within five minutes are one burst (common practice, no source)."""


class OtherAlert(NamedTuple):
    """An alert for another cause than motion, which the camera's own list tells of."""

    at_s: float
    """When, POSIX seconds."""
    cause: str
    """Its cause, as Cause."""
    verdict: Verdict | None
    """What its clip was judged to show; None where nobody judged it, or it has no clip."""


def other_alerts(evidence: Evidence, done: Replay) -> list[OtherAlert]:
    """Alerts for other causes than motion in counted time.

    They came whatever moved; other settings keep those that the switch of their cause, the alert switch, hours and
    modes do not stop, as far as these did not let them pass then.
    """
    listed = [e for e in evidence.events if e.alert and e.cause not in ("", Cause.MOTION)]
    listed = [e for e in listed if evidence.watch.counts(e.at_s, e.at_s)]
    new = done.candidate.settings
    alerts = []
    for event in listed:
        then = next((e.settings for e in evidence.epochs if e.from_s <= event.at_s < e.to_s), None)
        if not _stops(evidence, new, event) or (then is not None and _stops(evidence, then, event)):
            alerts.append(OtherAlert(event.at_s, event.cause, _verdict(evidence, event.at_s)))
    return alerts


def switchable_causes(evidence: Evidence, make: Capability) -> tuple[str, ...]:
    """Other causes than motion that can be switched off: those of the make, and sound and button where they alerted."""
    listed = {e.cause for e in evidence.events if e.alert}
    return tuple(dict.fromkeys((*make.starts_clips, *(c for c in (Cause.SOUND, Cause.BUTTON) if c in listed))))


def alert_path_words(evidence: Evidence) -> str:
    """What is not known of the way from the camera to a phone, in a sentence; empty where the last test came."""
    tests = [r.value for r in evidence.storage.readings if r.what is Measure.ALERT_DELAY]
    if not tests:
        return "Alerts are counted as the camera sends them: no test shows yet that they reach a phone."
    return "The last alert test never came: alerts that the camera sends may reach nobody." if tests[-1] is None else ""


def _stops(evidence: Evidence, settings: Settings, event: CameraEvent) -> bool:
    """Whether the switches, the hours or the mode of some settings stop an alert for another cause than motion."""
    at_s, hours, dates = event.at_s, settings.hours, evidence.dates
    plan = if_known(hours.alert_plan, evidence.place)
    spans = allowed_spans(hours.modes, "alerts", *dates, evidence.place)
    off = (
        event.cause in settings.alerts.causes_off
        or not settings.alerts.alerts_on
        or not bool(on_at(plan, [at_s], evidence.place)[0])
    )
    return off or (spans is not None and not bool(in_spans(spans, np.array([at_s]))[0]))


def _verdict(evidence: Evidence, at_s: float) -> Verdict | None:
    clips = [c for c in evidence.other_causes if c.start_s - EVENT_TOLERANCE_S <= at_s <= c.end_s + EVENT_TOLERANCE_S]
    said = [o.verdict for clip in clips for o in evidence.of_clip.get(clip.id, ())]
    return next((v for v in (Verdict.REAL, Verdict.FALSE) if v in said), None)


@dataclass(frozen=True)
class AlertScore:
    """What somebody is told under some settings."""

    false: int
    """False alerts in counted time: on motion clips, and for other causes."""
    per_day: tuple[float, float, float] | None
    """False alerts a day with the exact interval (95 %); None without watched time."""
    real_told: int
    """Real visits that are told, and real alerts for other causes."""
    real_silent: tuple[int, ...]
    """Ids of real visits that trigger and are not told."""
    not_expected: int
    """Real visits of people that are expected, told all the same: alerts too many."""
    longest_burst: int
    """Most alerts, each within five minutes of the one before."""
    longest_silence_s: float
    """Longest time from the beginning of a real visit that is told in the end to the alert."""


def alert_score(evidence: Evidence, done: Replay) -> AlertScore:
    """Count the alerts of a replay; a visit of several parts is told when any part is."""
    told, triggered = done.told, ~np.isnan(done.trigger_s)
    visits, rated = evidence.visit_table, evidence.rated_table
    others, days = other_alerts(evidence, done), evidence.watch.counted_days
    false = sum(alert.verdict is Verdict.FALSE for alert in others)
    if len(rated.ids):
        false += int((rated.false & np.logical_or.reduceat(told[rated.parts], rated.first)).sum())
    real_told = silent = np.zeros(len(visits.ids), bool)
    longest = 0.0
    if len(visits.ids):
        any_told = np.logical_or.reduceat(told[visits.parts], visits.first)
        any_triggered = np.logical_or.reduceat(triggered[visits.parts], visits.first)
        real_told, silent = visits.real & any_told, visits.real & any_triggered & ~any_told
        for n in np.flatnonzero(real_told).tolist():
            visit = evidence.visits[n]
            first = next(float(done.trigger_s[done.place[p.id]]) for p in visit if told[done.place[p.id]])
            longest = max(longest, first - evidence.span_s(visit[0])[0])
    expected = sum(bool(real_told[n]) and evidence.visits[n].kind == "expected" for n in range(len(visits.ids)))
    times = np.sort([*done.trigger_s[told], *(alert.at_s for alert in others)])
    burst = most = int(len(times) > 0)
    for before, after in pairwise(times.tolist()):
        burst = burst + 1 if after - before <= BURST_S else 1
        most = max(most, burst)
    rate = (false / days, *rate_interval(false, days)) if days else None
    told_in_all = int(real_told.sum()) + sum(alert.verdict is Verdict.REAL for alert in others)
    return AlertScore(false, rate, told_in_all, tuple(visits.ids[silent].tolist()), expected, most, longest)
