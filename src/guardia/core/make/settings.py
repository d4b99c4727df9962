"""Settings: one complete, immutable set of values for one camera."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from guardia.core.base.errors import InvalidValue
from guardia.core.base.words import count_of
from guardia.core.make.capability import SHARE_OF_CELLS, Capability
from guardia.core.make.zones import (
    BlockZone,
    PolygonZone,
    Zone,
    ZoneKind,
    is_rectangle,
    to_blocks,
    zone_from_dict,
    zone_to_dict,
)
from guardia.core.trace.measure import CONTRAST_LEVELS

FORMAT = "guardia-settings"
VERSION = 2
LONGEST_S = 3600.0


@dataclass(frozen=True)
class Settings:
    """Everything the camera is told. Times in seconds.

    Parameters
    ----------
    capability
        Id of the capability whose words are used.
    notch
        The make's sensitivity, by its own label; empty when a sensitivity is given directly.
    zones
        Watch and ignore polygons, or the make's blocks.
    detection_on
        Motion detection switched on. Off stops recording as well as alerts.
    hold_s
        How long motion must last before it triggers.
    release_s
        How long it must be still before motion counts as over.
    retrigger_wait_s
        Rest after a recording.
    pre_record_s
        Recorded before the trigger.
    clip_length_s
        Fixed length from the trigger on, or None for 'until motion stops'.
    end_early
        A fixed clip ends when motion stops.
    sensitivity
        (contrast, size) given directly instead of a notch, or None.
    objects
        Classes that the object filter lets through; none means any motion.
    """

    capability: str
    notch: str
    zones: tuple[Zone, ...] = ()
    detection_on: bool = True
    hold_s: float = 0.0
    release_s: float = 1.0
    retrigger_wait_s: float = 0.0
    pre_record_s: float = 0.0
    clip_length_s: float | None = None
    end_early: bool = False
    sensitivity: tuple[int, float] | None = None
    objects: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        for name in ("hold_s", "release_s", "retrigger_wait_s", "pre_record_s", "clip_length_s"):
            value = getattr(self, name)
            if value is not None and not (math.isfinite(value) and 0 <= value <= LONGEST_S):
                raise InvalidValue(f"{name} is {value}, but must lie between 0 and {LONGEST_S:.0f} seconds.")
        if "\0" in self.capability or "\0" in self.notch:
            raise InvalidValue("The make's id and the notch are plain words.")
        if self.clip_length_s is not None and self.clip_length_s < 1:
            raise InvalidValue("A fixed clip length must be at least 1 second.")
        if self.sensitivity is not None:
            contrast, size = self.sensitivity
            if contrast not in CONTRAST_LEVELS or not 0 < size <= 1:
                raise InvalidValue(
                    f"The sensitivity {self.sensitivity} cannot be used.",
                    do=f"The contrast must be one of {CONTRAST_LEVELS} and the size a share between 0 and 1.",
                )

    def sensitivity_under(self, capability: Capability) -> tuple[int, float]:
        """Contrast (0..255) and size threshold (share of the picture) in force.

        Parameters
        ----------
        capability
            The make, for the meaning of the notch.

        Returns
        -------
        tuple[int, float]
            Contrast and size threshold.

        Raises
        ------
        InvalidValue
            If the make has no such notch.
        """
        if self.sensitivity is not None:
            return self.sensitivity
        notch = capability.notch(self.notch)
        return notch.contrast, notch.size


def settings_to_dict(settings: Settings) -> dict[str, Any]:
    """Plain JSON form of settings, as described in docs/formats.md."""
    data: dict[str, Any] = {
        "format": FORMAT,
        "version": VERSION,
        "capability": settings.capability,
        "detection_on": settings.detection_on,
        "zones": [zone_to_dict(zone) for zone in settings.zones],
        "notch": settings.notch,
        "hold_s": settings.hold_s,
        "release_s": settings.release_s,
        "retrigger_wait_s": settings.retrigger_wait_s,
        "pre_record_s": settings.pre_record_s,
        "clip_length_s": settings.clip_length_s,
        "end_early": settings.end_early,
    }
    if settings.sensitivity is not None:
        data["sensitivity"] = {"contrast": settings.sensitivity[0], "size": settings.sensitivity[1]}
    if settings.objects:
        data["objects"] = list(settings.objects)
    return data


def settings_from_dict(data: Mapping[str, Any]) -> Settings:
    """Read settings from their JSON form.

    Parameters
    ----------
    data
        As written by settings_to_dict; what is left out takes its default.

    Returns
    -------
    Settings
        The settings.

    Raises
    ------
    InvalidValue
        If a part cannot be used or the file is of a newer version.
    """
    if data.get("format") != FORMAT:
        raise InvalidValue(
            "This is not a Guardia settings file.", do=f'It must be a JSON object with "format": "{FORMAT}".'
        )
    version = data.get("version")
    if version not in (1, VERSION):
        raise InvalidValue(
            f"The settings file has version {version}, this program knows versions 1 and {VERSION}.",
            do="Use a newer Guardia.",
        )
    direct = data.get("sensitivity")
    share = SHARE_OF_CELLS if version == 1 else 1.0
    try:
        length = data.get("clip_length_s")
        return Settings(
            capability=str(data["capability"]),
            notch=str(data.get("notch", "")),
            zones=tuple(zone_from_dict(z) for z in data.get("zones", ())),
            detection_on=_flag(data, "detection_on", default=True),
            hold_s=float(data.get("hold_s", 0.0)),
            release_s=float(data.get("release_s", 1.0)),
            retrigger_wait_s=float(data.get("retrigger_wait_s", 0.0)),
            pre_record_s=float(data.get("pre_record_s", 0.0)),
            clip_length_s=None if length is None else float(length),
            end_early=_flag(data, "end_early", default=False),
            sensitivity=None if direct is None else (int(direct["contrast"]), float(direct["size"]) * share),
            objects=tuple(str(name) for name in data.get("objects", ())),
        )
    except (KeyError, TypeError, ValueError, AttributeError) as error:
        raise InvalidValue(f"The settings cannot be read ({error}).", do="See docs/formats.md.") from error


def _flag(data: Mapping[str, Any], name: str, *, default: bool) -> bool:
    value = data.get(name, default)
    if not isinstance(value, bool):
        raise ValueError(f"{name} must be true or false, not {value!r}")
    return value


def drawn_zones(settings: Settings) -> tuple[Zone, ...]:
    """All zones but the privacy masks."""
    return tuple(z for z in settings.zones if not (isinstance(z, PolygonZone) and z.kind is ZoneKind.MASK))


def entered_zones(settings: Settings, capability: Capability) -> tuple[Zone, ...]:
    """The zones as this make takes them: polygons and foreign blocks become its blocks where it has some.

    Parameters
    ----------
    settings
        The settings.
    capability
        The make.

    Returns
    -------
    tuple[Zone, ...]
        What is entered on the camera, and what it then watches.
    """
    drawn = drawn_zones(settings)
    masks = tuple(z for z in settings.zones if z not in drawn)
    columns, rows = capability.blocks
    own = all(isinstance(z, BlockZone) and (z.columns, z.rows) == (columns, rows) for z in drawn)
    if capability.zone_form != "blocks" or own:
        return settings.zones
    return (to_blocks(drawn, columns=columns, rows=rows), *masks)


def zone_limits_broken(settings: Settings, capability: Capability) -> list[str]:
    """Say in plain sentences which zones this make cannot be told.

    Parameters
    ----------
    settings
        The settings to check.
    capability
        The make.

    Returns
    -------
    list[str]
        One sentence per limit; empty when all zones can be entered.
    """
    broken: list[str] = []
    masks = [z for z in settings.zones if isinstance(z, PolygonZone) and z.kind is ZoneKind.MASK]
    polygons = [z for z in settings.zones if isinstance(z, PolygonZone) and z not in masks]
    blocks = [z for z in settings.zones if isinstance(z, BlockZone)]
    if capability.zone_form != "blocks" and blocks:
        broken.append("This make takes zones with corners, not blocks.")
    if capability.zone_form == "blocks":
        polygons = []  # they are entered as the blocks they cover
    if len(polygons) > capability.max_zones:
        broken.append(f"This make takes at most {count_of(capability.max_zones, 'zone')}; {len(polygons)} are drawn.")
    for zone in polygons:
        if capability.zone_form == "rectangles" and not is_rectangle(zone.points):
            broken.append(f"'{zone.name}' is no upright rectangle; this make takes no other zones.")
        elif len(zone.points) > capability.max_corners:
            broken.append(f"'{zone.name}' has {len(zone.points)} corners; this make takes {capability.max_corners}.")
        if zone.kind is ZoneKind.IGNORE and not capability.ignore_zones:
            broken.append(f"'{zone.name}': this make has no ignore zones.")
        if zone.notch and not capability.zone_sensitivity:
            broken.append(f"'{zone.name}': this make has one sensitivity for all zones.")
        elif zone.notch and zone.notch not in [n.label for n in capability.notches]:
            broken.append(f"'{zone.name}': this make has no sensitivity '{zone.notch}'.")
    if len(masks) > capability.privacy_masks:
        broken.append(f"This make takes {capability.privacy_masks or 'no'} privacy masks; {len(masks)} are drawn.")
    return broken
