"""Which triggers are told to somebody: the alert's own hours, filter and interval on the real times of arrival."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from guardia.core.evidence.evidence import Evidence
from guardia.core.hours.modes import allowed_spans
from guardia.core.hours.plan import if_known, in_spans, on_at
from guardia.core.make.candidate import Candidate
from guardia.core.replay.gate import AlertLook
from guardia.core.replay.objects import lets_through, object_classes


@dataclass(frozen=True, eq=False)
class Alerts:
    """What became of the alert of each of N occurrences that triggered."""

    told: NDArray[np.bool_]
    """(N,) an alert was sent."""
    in_class: NDArray[np.bool_]
    """(N,) its class passes the alert filter."""
    in_mode: NDArray[np.bool_]
    """(N,) the mode in force tells it."""
    in_hours: NDArray[np.bool_]
    """(N,) it triggered within the alert hours."""
    left_s: NDArray[np.float64]
    """(N,) seconds left of the time between alerts."""

    def look(self, place: int) -> AlertLook:
        """The numbers of one occurrence."""
        in_class, in_mode, in_hours = (bool(of[place]) for of in (self.in_class, self.in_mode, self.in_hours))
        return AlertLook(in_class, in_mode, in_hours, float(self.left_s[place]))


def alerts_of(evidence: Evidence, candidate: Candidate, trigger_s: NDArray[np.float64]) -> Alerts:
    """Let the gates of the alert act on triggers in the order in which they came.

    Args:
        evidence: What was replayed.
        candidate: Settings and make.
        trigger_s: (N,) POSIX seconds, NaN where an occurrence did not itself trigger.

    Returns:
        What came on footage and on motion clips is counted apart, since it may be the same.
    """
    settings, count = candidate.settings, len(trigger_s)
    triggered = ~np.isnan(trigger_s)
    in_class, in_mode, in_hours, left = *(np.ones(count, bool) for _ in range(3)), np.zeros(count)
    wanted = settings.alerts.alert_classes
    if wanted:
        classes = object_classes(evidence, candidate.capability)
        in_class = np.array([lets_through(classes[o.id], wanted) for o in evidence.occurrences], bool)
    in_hours[triggered] = on_at(
        if_known(settings.hours.alert_plan, evidence.place), trigger_s[triggered], evidence.place
    )
    told_in = allowed_spans(settings.hours.modes, "alerts", *evidence.dates, evidence.place)
    if told_in is not None:
        in_mode[triggered] = in_spans(told_in, trigger_s[triggered])
    alerted = triggered & in_class & in_mode & in_hours & settings.alerts.alerts_on
    interval = settings.alerts.alert_interval_s
    last: dict[str, float] = {}
    for n in np.flatnonzero(alerted)[np.argsort(trigger_s[alerted], kind="stable")].tolist() if interval else ():
        origin = evidence.clip_of(evidence.occurrences[n]).origin.value
        since = float(trigger_s[n]) - last.get(origin, -math.inf)
        if 0 < since < interval:
            alerted[n], left[n] = False, interval - since
        else:
            last[origin] = float(trigger_s[n])
    # The camera sends, and rests between alerts, whether or not the phone lets them through.
    return Alerts(alerted & settings.alerts.phone_allows, in_class, in_mode, in_hours, left)
