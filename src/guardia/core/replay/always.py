"""When a camera writes whatever moves: what lies on its store though nothing marked it."""

from __future__ import annotations

from datetime import date

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.evidence import Evidence
from guardia.core.hours.modes import allowed_spans
from guardia.core.hours.place import SitePlace
from guardia.core.hours.plan import Spans, common, if_known, plan_spans
from guardia.core.make.candidate import Candidate
from guardia.core.replay.gate import LEAST_SHARE
from guardia.core.replay.trigger_gates import CONTINUOUS, paused_spans
from guardia.core.storage.rules import RecordingMode

NEVER = np.zeros((0, 2))


def always_spans(candidate: Candidate, first: date, last: date, place: SitePlace) -> Spans:
    """When some settings write always, from one date to another, POSIX seconds.

    Without hours the mode 'always in its hours' writes at any time; a plan by a sun that is not known is left out.
    """
    settings, make = candidate.settings, candidate.capability
    by_motion = settings.storage.mode is RecordingMode.MOTION
    if by_motion or (not settings.detection.detection_on and CONTINUOUS in make.detection_off_stops):
        return NEVER
    plan = if_known(settings.hours.recording_plan, place)
    spans = np.array([[-np.inf, np.inf]]) if plan is None else plan_spans(plan, first, last, place)
    for other in (
        allowed_spans(settings.hours.modes, "records", first, last, place),
        paused_spans(candidate, CONTINUOUS, first, last, place),
    ):
        spans = spans if other is None else common(spans, other)
    return spans


def always_written(evidence: Evidence, candidate: Candidate) -> NDArray[np.bool_]:
    """(N,) of which occurrences enough lies in time that is written whatever moves."""
    count = len(evidence.occurrences)
    spans = always_spans(candidate, *evidence.dates, evidence.place) if count else NEVER
    if not len(spans):
        return np.zeros(count, bool)
    begin, end = np.array([(a, b) for _, a, b in evidence.spans]).T
    # Seconds written until each moment; an end that is not finite is beyond all of them.
    low, high = np.clip(spans, begin.min() - 1.0, end.max() + 1.0).T
    until = np.concatenate([[0.0], np.cumsum(high - low)])

    def written(at: NDArray[np.float64]) -> NDArray[np.float64]:
        row = np.searchsorted(low, at, side="right")
        inside = np.minimum(at, high[row - 1]) - low[row - 1]
        seconds: NDArray[np.float64] = np.where(row > 0, until[row - 1] + inside, 0.0)
        return seconds

    length = np.maximum(end - begin, 1e-6)
    enough: NDArray[np.bool_] = written(begin + length) - written(begin) >= LEAST_SHARE * length
    return enough
