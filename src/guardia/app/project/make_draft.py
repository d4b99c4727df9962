"""A make while it is described: a tree of values with words, changed one by one and checked at once."""

from __future__ import annotations

import copy
import json
from collections.abc import Iterator
from dataclasses import MISSING, fields, is_dataclass
from pathlib import Path
from typing import Any, NamedTuple

from guardia.app.camera.makes import make_words
from guardia.core.base.errors import GuardiaError, InvalidValue
from guardia.core.make.capability import Capability, Extra, Notch, capability_from_dict, why_unusable
from guardia.core.make.levers import LEVERS
from guardia.core.storage.rules import PowerDraw, Quality, StorageRules
from guardia.formats.plain import save_file

Keys = tuple[str | int, ...]
"""Leads to a value: names of keys and numbers of rows."""

_HINTS = {"length_choices_s": " (empty: as long as it moves)", "snapshot_choices_s": " (0: none)"}

WORDS = {
    "name": "name on screen", "id": "short name, also of its file", "zone_form": "form of its zones",
    "zone_test": "what must be inside a zone", "max_zones": "zones at most", "max_corners": "corners at most",
    "watch_zones": "knows zones to watch", "starts_clips": "what else than motion starts a clip",
    "extras": "settings that change no figure", "choices": "can be set to", "assumed": "assumed, since not known",
    "blocks": "its own grid: columns, rows", "ignore_zones": "knows zones to leave out",
    "notches": "sensitivity, from the least", "label": "its own word", "contrast": "luma step that counts",
    "size": "size threshold, share of the picture", "size_low": "the threshold is at least",
    "size_high": "the threshold is at most", "calibrated": "measured on this very camera",
    "release_s": "motion is over after, s", "stop_when_still": "may stop once it is still",
    "object_classes": "classes that it knows", "class_range_m": "to how far, m, by day and in the dark",
    "privacy_masks": "areas it can black out", "zone_sensitivity": "a sensitivity for each zone",
    "zone_does": "zones that only record or only alert", "zone_classes": "zones for some classes only",
    "night_notch": "a sensitivity for the night", "schedule": "hours",
    "periods_a_day": "periods a day (0: no hours)", "step_min": "its clock goes in steps of, min",
    "crosses_midnight": "a period may cross midnight", "by_weekday": "each weekday by itself",
    "follows_sun": "can follow the sun", "each_enabled": "each period has a switch",
    "alert_interval_choices_s": "least time between alerts, s", "detection_off_stops": "switching detection off stops",
    "alert_pause_stops": "an alert pause stops", "storage": "storage and power", "targets": "can record to",
    "largest_gb": "largest medium, GB", "qualities": "qualities, the best first", "width": "width, px",
    "height": "height, px", "frame_rate": "pictures a second", "mbit_s": "rate as stated, Mbit/s (0: not stated)",
    "modes": "can record",
    "second_mbit_s": "second stream, Mbit/s (0: none)", "mobile": "sends over a mobile network",
    "supply_v": "fed with, V (0: not stated)", "power": "battery",
    "battery_wh": "usable charge, Wh", "packs": "packs", "packs_in_turn": "used one after another",
    "standby_mw": "standby, mW", "recording_w": "recording, W",
    "snapshot_j": "a snapshot, J", "alert_j": "an alert, J", "live_w": "live look, W", "wake_j": "waking up, J",
    "white_light_w": "white light, W (0: none)", "panel_w": "panel at full sun, W (0: none)",
    "spread": "true within this factor", "taught": "what your other cameras showed", "cameras": "how many they are",
    "factor": "true threshold over nominal, the middle", "deviation": "from camera to camera, natural logarithm",
    **{lever.listed: f"{lever.name}, s{_HINTS.get(lever.listed, '')}" for lever in LEVERS if lever.listed},
}  # fmt: skip
"""Names of values in plain words; what is not here stands by its own name."""

_LISTS_OF_WORDS = (
    "object_classes", "detection_off_stops", "alert_pause_stops", "targets", "modes", "choices", "starts_clips",
    "assumed",
)  # fmt: skip
_FRESH = {"notches": Notch, "qualities": Quality, "extras": Extra}
_PARTS = {"storage": StorageRules, "power": PowerDraw}


class Node(NamedTuple):
    """One value of a make."""

    path: Keys
    """Keys and numbers that lead to it."""
    words: str
    """Its name."""
    text: str | None
    """The value as it is typed; None where it has parts."""
    rows: bool = False
    """It is a list whose rows can be added and taken out."""


class MakeDraft:
    """A make that is being described.

    Args:
        data: JSON form to start from; it is not changed.
    """

    def __init__(self, data: dict[str, Any]) -> None:
        self.data = copy.deepcopy(data)
        self._complete(self.data, Capability)

    def _complete(self, values: dict[str, Any], kind: type) -> None:
        """Put in what a file may leave out, so that it can be seen and changed."""
        for field in fields(kind):
            part = _PARTS.get(field.name)
            default = field.default_factory() if field.default_factory is not MISSING else field.default
            if field.name not in values and default is not MISSING and part is not PowerDraw:
                values[field.name] = {} if is_dataclass(default) else _plain(default)
            if is_dataclass(default) or part is not None:
                inside = values.get(field.name)
                if isinstance(inside, dict):
                    self._complete(inside, part or type(default))

    def nodes(self, path: Keys = ()) -> Iterator[Node]:
        """The parts of a value in order; of the make itself when the path is empty."""
        value = self.value(path)
        items = value.items() if isinstance(value, dict) else enumerate(value)
        for key, part in items:
            if key == "version" and not path:
                continue
            here = (*path, key)
            rows = isinstance(part, list) and key in _FRESH
            words = WORDS.get(str(key), str(key)) if isinstance(key, str) else f"number {key + 1}"
            yield Node(here, words, None if rows or isinstance(part, dict) else _text(part), rows)

    def value(self, path: Keys) -> Any:
        """The value at a path."""
        value: Any = self.data
        for key in path:
            value = value[key]
        return value

    def put(self, path: Keys, text: str) -> None:
        """Take what was typed; raises InvalidValue where it is no value of that kind."""
        old = self.value(path)
        holder = self.value(path[:-1])
        try:
            holder[path[-1]] = _typed(text.strip(), old, path)
        except ValueError as error:
            words = WORDS.get(str(path[-1]), str(path[-1]))
            raise InvalidValue(f"'{text}' is no {words}.", do=f"It was {_text(old) or 'empty'}.") from error

    def add_row(self, path: Keys) -> None:
        """Add a row to a list, like the last one."""
        rows = self.value(path)
        rows.append(copy.deepcopy(rows[-1]) if rows else _fresh(_FRESH[str(path[-1])]))

    def remove_row(self, path: Keys) -> None:
        """Take a row out of a list."""
        del self.value(path[:-1])[path[-1]]

    def set_battery(self, on: bool) -> None:
        """Say whether it has a battery."""
        self.data["storage"]["power"] = _fresh(PowerDraw) if on else None

    @property
    def trouble(self) -> str:
        """Why it cannot be used as it stands; empty where it can."""
        try:
            return why_unusable(capability_from_dict(self.data))
        except GuardiaError as error:
            return str(error)

    @property
    def words(self) -> str:
        """What it can be told, in one line; empty while it cannot be used."""
        return "" if self.trouble else make_words(capability_from_dict(self.data))

    def save(self, path: Path) -> None:
        """Save it as JSON, to be shared; raises InvalidValue or ProjectError where that cannot be."""
        if trouble := self.trouble:
            raise InvalidValue(trouble, kept="Nothing was saved.")
        save_file(path, json.dumps(self.data, indent=2, ensure_ascii=False) + "\n", "The make")


def _plain(value: Any) -> Any:
    return list(value) if isinstance(value, tuple) else value


def _fresh(kind: type) -> dict[str, Any]:
    """A row with something in every place."""
    usual: dict[str, Any] = {
        "label": "new", "name": "new", "choices": ["on", "off"],
         "contrast": 18, "size": 0.01, "size_low": 0.006, "size_high": 0.016, "width": 1920,
        "height": 1080, "frame_rate": 15.0, "battery_wh": 20.0,
    }  # fmt: skip
    return {f.name: usual[f.name] if f.default is MISSING else f.default for f in fields(kind)}


def _text(value: Any) -> str:
    """A value as it is typed."""
    if isinstance(value, list | tuple):
        return ", ".join("" if v is None else _text(v) for v in value)
    if isinstance(value, bool):
        return "yes" if value else "no"
    return "" if value is None else f"{value:g}" if isinstance(value, float) else str(value)


def _typed(text: str, old: Any, path: Keys) -> Any:
    """What was typed as a value of the kind that was there."""
    if isinstance(old, list | tuple):
        parts = [part.strip() for part in text.split(",")] if text or path[-1] == "length_choices_s" else []
        numbers = path[-1] not in _LISTS_OF_WORDS
        return [(None if not part else _number(part)) if numbers else part for part in parts]
    if isinstance(old, bool):
        if text.lower() not in ("yes", "no"):
            raise ValueError(text)
        return text.lower() == "yes"
    if isinstance(old, int | float):
        return _number(text)
    return text


def _number(text: str) -> float | int:
    value = float(text.replace(",", "."))
    return int(value) if value.is_integer() and "." not in text else value
