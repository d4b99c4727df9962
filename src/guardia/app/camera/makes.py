"""The generic makes that ship with Guardia, as open JSON files."""

from __future__ import annotations

import json
from dataclasses import replace
from importlib.resources import files
from pathlib import Path
from typing import Any

from guardia.core.base.errors import InvalidValue, ProjectError
from guardia.core.base.words import count_of
from guardia.core.make.capability import Capability, capability_from_dict, why_unusable
from guardia.core.make.levers import LEVERS
from guardia.core.make.settings import Settings
from guardia.formats.plain import read_object


def capability_data(capability_id: str) -> dict[str, Any]:
    """JSON form of a shipped generic make.

    Args:
        capability_id: Its id, the file's name.

    Returns:
        As in the file.

    Raises:
        ProjectError: If no such make is shipped.
    """
    try:
        text = (files("guardia") / "data" / "capabilities" / f"{capability_id}.json").read_text("utf-8")
    except (OSError, ValueError) as error:  # ValueError: a name that no file can have
        raise ProjectError(
            f"There is no make '{capability_id}'.", do="Known are: " + ", ".join(shipped_capabilities()) + "."
        ) from error
    data: dict[str, Any] = json.loads(text)
    return data


def shipped_capabilities() -> list[str]:
    """Ids of the generic makes that ship with Guardia."""
    folder = files("guardia") / "data" / "capabilities"
    return sorted(entry.name.removesuffix(".json") for entry in folder.iterdir() if entry.name.endswith(".json"))


def make_from_file(path: Path) -> dict[str, Any]:
    """JSON form of a make of one's own.

    Args:
        path: A JSON file as described in docs/formats.md.

    Returns:
        As in the file.

    Raises:
        InvalidValue: If it cannot be read or describes no make.
    """
    data = read_object(path, "The make")
    if trouble := why_unusable(capability_from_dict(data)):
        raise InvalidValue(f"{path.name}: {trouble}", do="Correct the file; docs/formats.md describes its form.")
    return data


def unsaid_settings(capability: Capability) -> Settings:
    """What stands in for the settings of a camera of which nobody said how it is set: nothing of it is known."""
    nobody_said = [lever.id for lever in LEVERS if lever.is_asked(capability)]
    return replace(middle_settings(capability), not_known=tuple(nobody_said))


def middle_settings(capability: Capability) -> Settings:
    """What a make is likely set to before anybody says: its middle notch, and the first of every other choice."""
    return Settings.of(
        capability=capability.id,
        notch=capability.notches[len(capability.notches) // 2].label,
        hold_s=capability.hold_choices_s[0],
        release_s=capability.release_s,
        rest_s=capability.rest_choices_s[0],
        pre_record_s=capability.pre_record_choices_s[0],
        length_s=capability.length_choices_s[0],
    )


_FORMS = {"polygon": "zones with corners", "rectangles": "upright rectangles", "blocks": "blocks of a grid"}


def make_words(capability: Capability) -> str:
    """What a make can be told, in one line."""
    parts = [
        f"{capability.blocks[0]} x {capability.blocks[1]} blocks"
        if capability.zone_form == "blocks"
        else f"{_FORMS[capability.zone_form]}, {capability.max_zones} at most"
        if capability.max_zones
        else "no zones",
        count_of(len(capability.notches), "level") + (", another at night" if capability.night_notch else ""),
        "knows " + ", ".join(capability.object_classes) if capability.object_classes else "no object filter",
    ]
    rests = [c for c in capability.rest_choices_s if c]
    parts.append(f"pauses up to {max(rests):g} s" if rests else "no pause")
    if capability.starts_clips:
        parts.append(f"also the recording length of: {', '.join(capability.starts_clips)}")
    if capability.assumed:
        parts.append(f"{count_of(len(capability.assumed), 'answer')} not known and assumed")
    return "; ".join(parts)
