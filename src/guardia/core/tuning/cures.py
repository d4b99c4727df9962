"""What could be changed against too many alerts, one thing at a time, each tried on the evidence."""

from __future__ import annotations

from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.make.zones import Zone
from guardia.core.score.hours import Cure, cures
from guardia.core.tuning.hours import propose_hours


def usual_cures(evidence: Evidence, start: Candidate, zones: tuple[Zone, ...]) -> list[Cure]:
    """Everything that could be changed against too many alerts, one thing at a time.

    Args:
        evidence: Clips and judged occurrences.
        start: The settings that are complained about.
        zones: Zones to try as well, such as the draft's.

    Returns:
        As they are now first.
    """
    make, installed = start.capability, start.settings
    others: list[tuple[str, Candidate]] = []
    for seconds in make.alert_interval_choices_s:
        if seconds > installed.alerts.alert_interval_s:
            others.append((f"{seconds:g} s between alerts", start.with_values(alert_interval_s=seconds)))
    others += [(f"alert only for: {name}", start.with_values(alert_classes=(name,))) for name in make.object_classes]
    if make.schedule.periods_a_day:
        proposed = propose_hours(evidence, make.schedule, miss_cost=1.0, expected_too=False)
        if proposed.plan is not None:
            others.append((f"alert hours: {proposed.plan.words}", start.with_values(alert_plan=proposed.plan)))
    labels = [notch.label for notch in make.notches]
    at = labels.index(installed.detection.notch) if installed.detection.notch in labels else 0
    if at > 0 and installed.detection.sensitivity is None:
        others.append((f"sensitivity {labels[at - 1]}", start.with_values(notch=labels[at - 1])))
        if start.capability.night_notch:
            others.append((f"sensitivity {labels[at - 1]} at night", start.with_values(night_notch=labels[at - 1])))
    if zones != installed.detection.zones:
        others.append(("zones of the draft", start.with_values(zones=zones)))
    others.append(("detection off", start.with_values(detection_on=False)))
    return cures(evidence, start, others)
