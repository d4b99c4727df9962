"""Settings of one make in the words of another."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.levers import LEVERS, limits_broken
from guardia.core.make.settings import Settings, StorageSettings
from guardia.core.make.zones import PolygonZone


def nearest_notch(capability: Capability, contrast: int, size: float) -> str:
    """The make's word for the notch that is nearest to a sensitivity, by the ratios of contrast and size."""
    near = min(capability.notches, key=lambda n: abs(math.log(n.size / size)) + abs(math.log(n.contrast / contrast)))
    return near.label


def nearest_choice(value: float | None, choices: Sequence[float | None]) -> float | None:
    """The time on offer that is nearest to another; None, 'as long as it moves', is nearest to itself, else longest."""
    numbers = [c for c in choices if c is not None]
    if value is None or not numbers:
        return None if None in choices else max(numbers)
    return min(numbers, key=lambda c: abs(c - value))


def settings_for(capability: Capability, settings: Settings, former: Capability) -> Settings:
    """Settings of one make in the words of another: of every value the nearest that it offers.

    Zones stay as they are drawn; what the other make cannot take of them is told by zone_limits_broken().

    Parameters
    ----------
    capability
        The make that is to be told.
    settings
        In the words of `former`.
    former
        The make whose words they are in.

    Returns
    -------
    Settings
        In the words of `capability`.

    Raises
    ------
    InvalidValue
        If `settings` name a notch that `former` does not have.
    """
    detection, recording = settings.detection, settings.recording
    zones = tuple(
        replace(z, notch="" if not z.notch else nearest_notch(capability, *_sensitivity(former, z.notch)))
        if isinstance(z, PolygonZone)
        else z
        for z in detection.zones
    )
    day, night = (
        nearest_notch(capability, *settings.in_light(dark=dark).sensitivity_under(former)) for dark in (False, True)
    )
    converted = Settings.of(
        capability.id,
        day,
        zones,
        night_notch=night if capability.night_notch and night != day else "",
        detection_on=detection.detection_on,
        hold_s=nearest_choice(detection.hold_s, capability.hold_choices_s),
        release_s=capability.release_s,
        objects=tuple(o for o in detection.objects if o in capability.object_classes),
        pre_record_s=nearest_choice(recording.pre_record_s, capability.pre_record_choices_s),
        length_s=nearest_choice(recording.length_s, capability.length_choices_s),
        stop_when_still=recording.stop_when_still and capability.stop_when_still,
        rest_s=nearest_choice(recording.rest_s, capability.rest_choices_s),
    )
    return replace(converted, hours=settings.hours, alerts=settings.alerts, storage=_storage_for(capability, settings))


def copied(source: Candidate, target: Candidate, *, zones: bool) -> tuple[Settings, list[str]]:
    """Settings of one camera as another camera of perhaps another make would have them.

    Parameters
    ----------
    source
        What is copied, with its make.
    target
        What the other camera has now, with its make.
    zones
        The zones, too; else the other camera keeps its own, since another view asks for others.

    Returns
    -------
    tuple[Settings, list[str]]
        The other camera's settings, and what is lost on the way, in sentences.
    """
    taken = settings_for(target.capability, source.settings, source.capability)
    if not zones:
        taken = taken.with_values(zones=target.settings.detection.zones)
    lost = [
        f"{lever.words}: {_said(lever.value(source.settings))} becomes {_said(lever.value(taken))}"
        for lever in LEVERS
        if lever.value(taken) != lever.value(source.settings) and lever.id not in ("release_s", "night_notch")
    ]
    for dark in reversed(source.settings.lights):
        was, now = (s.in_light(dark=dark).detection.notch for s in (source.settings, taken))
        if was and target.capability.id != source.capability.id:
            nearest = "the nearest of this make" if target.capability.night_notch or not dark else "as by day"
            lost.insert(0, f"sensitivity{' at night' if dark else ''}: '{was}' becomes '{now}', {nearest}")
    return taken, [*lost, *limits_broken(Candidate(taken, target.capability))]


def _said(value: object) -> str:
    """A value of a lever in a few words."""
    if value is None:
        return "as long as it moves"
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, tuple):
        return " and ".join(str(v) for v in value) or "none"
    return str(value) or "not said"


def _storage_for(capability: Capability, settings: Settings) -> StorageSettings:
    """Where footage goes, as far as another make offers it."""
    storage, rules = settings.storage, capability.storage
    return replace(
        storage,
        target=storage.target if storage.target in rules.targets else "",
        mode=storage.mode if storage.mode in rules.modes else rules.modes[0],
        quality=storage.quality if rules.quality(storage.quality) is not None else "",
        snapshot_every_s=nearest_choice(storage.snapshot_every_s, rules.snapshot_choices_s) or 0.0,
        second_stream=storage.second_stream and bool(rules.second_mbit_s),
    )


def _sensitivity(capability: Capability, label: str) -> tuple[int, float]:
    notch = capability.notch(label)
    return notch.contrast, notch.size
