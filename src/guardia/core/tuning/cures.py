"""What could be changed against too many alerts, one thing at a time, each tried on the evidence."""

from __future__ import annotations

from itertools import pairwise

from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.make.zones import Zone
from guardia.core.score.alerts import switchable_causes
from guardia.core.score.hours import Cure, Remedy, cures
from guardia.core.tuning.fit_zones import fit
from guardia.core.tuning.hours import propose_hours
from guardia.core.tuning.propose import propose


def usual_cures(
    evidence: Evidence, start: Candidate, zones: tuple[Zone, ...], *, seek_zones: bool = False
) -> list[Cure]:
    """Everything that could be changed against too many alerts, one thing at a time.

    Args:
        evidence: Clips and judged occurrences.
        start: The settings that are complained about.
        zones: Zones to try as well, such as the draft's.
        seek_zones: Seek zones that silence most and lose nothing real, too: some seconds.

    Returns:
        As they are now first.
    """
    make, installed = start.capability, start.settings
    others: list[Remedy] = []
    for seconds in make.alert_interval_choices_s:
        if seconds > installed.alerts.alert_interval_s:
            others.append(Remedy(f"{seconds:g} s between alerts", start.with_values(alert_interval_s=seconds)))
    others += [
        Remedy(f"alert only for: {name}", start.with_values(alert_classes=(name,))) for name in make.object_classes
    ]
    others += [
        Remedy(f"record only: {name}", start.with_values(objects=(name,)))
        for name in make.object_classes if installed.detection.objects != (name,)
    ]  # fmt: skip
    others += [
        Remedy(f"{cause} off", start.with_values(causes_off=(*installed.alerts.causes_off, cause)))
        for cause in switchable_causes(evidence, make) if cause not in installed.alerts.causes_off
    ]  # fmt: skip
    others.append(Remedy("alerts off", start.with_values(alerts_on=False)))
    if make.schedule.periods_a_day:
        plan = propose_hours(evidence, make.schedule, miss_cost=1.0, expected_too=False).plan
        if plan is not None:
            others.append(Remedy("alert hours", start.with_values(alert_plan=plan), plan.words, chosen_here=True))
    others += _less_sensitive(start)
    if zones != installed.detection.zones:
        others.append(Remedy("zones of the draft", start.with_values(zones=zones)))
    if seek_zones:
        fitted = fit(evidence, propose(evidence, start).ignored, start)
        others += [
            Remedy("zones proposed now", start.with_values(zones=found), chosen_here=True) for found in fitted[-1:]
        ]
    others.append(Remedy("detection off", start.with_values(detection_on=False)))
    return cures(evidence, start, others)


def _less_sensitive(start: Candidate) -> list[Remedy]:
    """One level less in each light, from the one in force there."""
    settings, make = start.settings, start.capability
    if settings.detection.sensitivity is not None:
        return []
    labels = [notch.label for notch in make.notches]
    lower = {label: less for less, label in pairwise(labels)}
    day, night = (settings.in_light(dark=dark).detection.notch for dark in (False, True))
    remedies = []
    if day in lower:
        words = f"sensitivity {lower[day]}{' by day' if night != day else ''}"
        remedies.append(Remedy(words, start.with_values(notch=lower[day])))
    if make.night_notch and night in lower:
        remedies.append(Remedy(f"sensitivity {lower[night]} at night", start.with_values(night_notch=lower[night])))
    return remedies
