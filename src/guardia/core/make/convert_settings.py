"""Settings of one make in the words of another."""

from __future__ import annotations

import math
from dataclasses import replace

from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.levers import DIRECT, LEVERS, NIGHT_NOTCH, NOTCH, RELEASE, ZONES, changed_levers, limits_broken
from guardia.core.make.settings import Settings
from guardia.core.make.zones import PolygonZone


def nearest_notch(capability: Capability, contrast: int, size: float) -> str:
    """The make's word for the notch that is nearest to a sensitivity, by the ratios of contrast and size."""
    near = min(capability.notches, key=lambda n: abs(math.log(n.size / size)) + abs(math.log(n.contrast / contrast)))
    return near.label


def settings_for(capability: Capability, settings: Settings, former: Capability) -> Settings:
    """Settings of one make in the words of another: of every value the nearest that it offers.

    Zones stay as they are drawn; what the other make cannot take of them is told by zone_limits_broken().

    Args:
        capability: The make that is to be told.
        settings: In the words of `former`.
        former: The make whose words they are in.

    Returns:
        In the words of `capability`.

    Raises:
        InvalidValue: If `settings` name a notch that `former` does not have.
    """
    if capability == former:
        return settings
    carried = Settings(capability.id).with_values(
        **{lever.id: lever.carried(lever.read(settings), capability) for lever in LEVERS}
    )
    day, night = (
        nearest_notch(capability, *settings.in_light(dark=dark).sensitivity_under(former)) for dark in (False, True)
    )
    zones = tuple(
        replace(z, notch="" if not z.notch else nearest_notch(capability, *_sensitivity(former, z.notch)))
        if isinstance(z, PolygonZone)
        else z
        for z in settings.detection.zones
    )
    apart = night if capability.night_notch and night != day else ""
    carried = carried.with_values(notch=day, night_notch=apart, sensitivity=None, zones=zones)
    return replace(carried, not_known=settings.not_known)


def copied(source: Candidate, target: Candidate, *, zones: bool) -> tuple[Settings, list[str]]:
    """Settings of one camera as another camera of perhaps another make would have them.

    Args:
        source: What is copied, with its make.
        target: What the other camera has now, with its make.
        zones: The zones, too; else the other camera keeps its own, since another view asks for others.

    Returns:
        The other camera's settings, and what is lost on the way, in sentences.
    """
    taken = settings_for(target.capability, source.settings, source.capability)
    if not zones:
        taken = taken.with_values(zones=target.settings.detection.zones)
    makes = source.capability, target.capability
    lost = [
        f"{lever.name}: {lever.words(source.settings, makes[0])} becomes {lever.words(taken, makes[1])}"
        for lever in changed_levers(source.settings, taken)
        if lever not in (ZONES, NOTCH, DIRECT, NIGHT_NOTCH, RELEASE)
    ]
    for dark in reversed(source.settings.lights):
        was, now = (s.in_light(dark=dark).detection.notch for s in (source.settings, taken))
        if was and target.capability.id != source.capability.id:
            nearest = "the nearest of this make" if target.capability.night_notch or not dark else "as by day"
            lost.insert(0, f"sensitivity{' at night' if dark else ''}: '{was}' becomes '{now}', {nearest}")
    return taken, [*lost, *limits_broken(Candidate(taken, target.capability))]


def _sensitivity(capability: Capability, label: str) -> tuple[int, float]:
    notch = capability.notch(label)
    return notch.contrast, notch.size
