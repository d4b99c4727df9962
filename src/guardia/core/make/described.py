"""A make described by what its own menus show: the form of its zones, its scale, its times, its stores.

Nobody reads a threshold off a menu. A level's threshold is assumed from its place on the scale, in a wide band that
walk tests and clips narrow. What is not known takes a usual value, and the make says so.
"""

from __future__ import annotations

import math
import re
from dataclasses import asdict, dataclass
from enum import StrEnum
from typing import Any

import numpy as np

from guardia.core.base.errors import InvalidValue
from guardia.core.make.capability import VERSION, Capability, Extra, capability_from_dict, why_unusable
from guardia.core.storage.rules import PowerDraw, Quality, RecordingMode
from guardia.core.storage.stores import StoreKind

LEAST, MOST = 0.0425, 0.00175
"""Size thresholds at both ends of a scale, share of the picture, as for the generic makes (common practice, no
source)."""

MIDDLE = 0.0105
"""Likewise in the middle."""

CONTRASTS = ((1 / 6, 27), (1 / 2, 18), (5 / 6, 12), (math.inf, 8))
"""Up to which place on a scale, 0 to 1, which luma step counts (common practice, no source)."""

BAND, BAND_OF_TWO = 3.0, 4.0
"""The true threshold lies between the nominal one divided and multiplied by this; the second where a second control of
size stands somewhere that nobody knows (no source; broad on purpose)."""

SLIDER_STEPS = 11
"""Positions told apart on a slider without figures."""

MOST_LEVELS = 101
"""From 0 to 100."""


class ZonesDrawn(StrEnum):
    """How a make draws its zones."""

    NONE = "no zones"
    BLOCKS = "squares"
    RECTANGLES = "rectangles"
    CORNERS = "corners"


class ZoneUse(StrEnum):
    """What a drawn zone means."""

    WATCH = "what to watch"
    IGNORE = "what to leave out"
    BOTH = "either"


class ScaleShown(StrEnum):
    """How a make shows its sensitivity."""

    STEPS = "named steps"
    NUMBERS = "numbers"
    SLIDER = "a slider without figures"


@dataclass(frozen=True)
class Menus:
    """What the camera's own menus show; None wherever it is not known. Times in seconds."""

    name: str
    """What it is called on screen."""
    zones: ZonesDrawn | None = None
    """How zones are drawn."""
    blocks: tuple[int, int] = (16, 9)
    """Squares across and down, where it has squares."""
    max_zones: int | None = None
    """Zones at most."""
    max_corners: int | None = None
    """Corners of a zone at most."""
    zone_use: ZoneUse | None = None
    """What a drawn zone means."""
    zone_level: bool | None = None
    """Each zone has a sensitivity of its own."""
    zone_classes: bool | None = None
    """A zone can hold for some classes only."""
    zone_alerts: bool | None = None
    """A zone can only record or only alert."""
    scale: ScaleShown | None = None
    """How the sensitivity is shown."""
    steps: tuple[str, ...] = ()
    """Named steps, from the least sensitive."""
    numbers: tuple[int, int] = (1, 10)
    """The first and the last number; the first is the least sensitive, whichever is larger."""
    second_slider: bool | None = None
    """A second control for the size of what moves."""
    night_level: bool | None = None
    """Another level can be set for the night."""
    classes: tuple[str, ...] | None = None
    """What its filter tells apart; none where it has no filter."""
    range_m: tuple[int, int] | None = None
    """How far its classes hold by day and at night, m."""
    masks: int | None = None
    """Areas that it can black out."""
    hold_s: tuple[float, ...] | None = None
    """Minimum durations on offer."""
    rest_s: tuple[float, ...] | None = None
    """Pauses after a recording on offer."""
    length_s: tuple[float | None, ...] | None = None
    """Recording lengths on offer; None stands for 'as long as it moves'."""
    stop_when_still: bool | None = None
    """A fixed length can end sooner, once it is still."""
    pre_record_s: tuple[float, ...] | None = None
    """Pre-record times on offer."""
    alert_interval_s: tuple[float, ...] | None = None
    """Times between alerts on offer."""
    periods_a_day: int | None = None
    """Periods of hours a day, 0 where it has no hours."""
    over_midnight: bool | None = None
    """A period can end on the next day."""
    step_min: int | None = None
    """Its hours go in steps of so many minutes."""
    by_weekday: bool | None = None
    """Each day of the week has hours of its own."""
    targets: tuple[StoreKind, ...] | None = None
    """Where it can record to."""
    largest_gb: float | None = None
    """The largest card, stick or disk that it takes."""
    modes: tuple[RecordingMode, ...] | None = None
    """When it can write."""
    snapshot_s: tuple[float, ...] | None = None
    """Times between snapshots on offer, 0 for none."""
    second_mbit_s: float | None = None
    """What a second stream takes, Mbit/s; 0 where it records none."""
    qualities: tuple[Quality, ...] | None = None
    """From the best to the least; none where it cannot be chosen."""
    battery: bool | None = None
    """It runs on a battery."""
    battery_wh: float | None = None
    """Charge of all packs, Wh."""
    packs: int = 1
    """Number of packs."""
    panel_w: float = 0.0
    """Its panel at full sun, W; 0 without one."""
    mobile: bool | None = None
    """It sends over a mobile network."""
    off_stops: tuple[str, ...] | None = None
    """What switching detection off stops."""
    pause_stops: tuple[str, ...] | None = None
    """What pausing alerts stops."""
    starts_clips: tuple[str, ...] | None = None
    """What else than motion starts a clip."""
    extras: tuple[Extra, ...] = ()
    """Settings that change no figure."""


USUAL = {
    "hold_s": (0.0,), "rest_s": (0.0, 10.0, 30.0, 60.0), "length_s": (None, 10.0, 20.0, 30.0, 60.0),
    "pre_record_s": (0.0,), "alert_interval_s": (0.0, 60.0, 300.0), "largest_gb": 128.0,
    "targets": tuple(StoreKind), "modes": (RecordingMode.MOTION,), "off_stops": ("recording by motion", "alerts"),
    "pause_stops": ("alerts",), "periods_a_day": 4, "step_min": 1, "masks": 0, "snapshot_s": (), "second_mbit_s": 0.0,
}  # fmt: skip
"""What stands in for what is not known, by name in Menus (common practice, no source)."""

NAMES = {
    "zones": "form of its zones", "max_zones": "number of zones", "max_corners": "corners of a zone",
    "zone_use": "what a zone means", "scale": "its scale", "second_slider": "a second slider",
    "night_level": "a level for the night", "classes": "its filter", "hold_s": "minimum durations",
    "rest_s": "pauses", "length_s": "lengths", "pre_record_s": "pre-record", "alert_interval_s": "alert intervals",
    "periods_a_day": "hours", "over_midnight": "hours over midnight", "targets": "stores",
    "largest_gb": "largest store", "modes": "when it writes", "battery": "battery", "battery_wh": "charge",
    "off_stops": "what switching off stops", "pause_stops": "what a pause stops",
    "starts_clips": "what else starts a clip", "range_m": "how far its filter sees", "masks": "privacy masks",
    "stop_when_still": "whether it stops once it is still", "snapshot_s": "snapshots", "second_mbit_s": "second stream",
}  # fmt: skip
"""Words for what can be not known."""


def make_of(menus: Menus) -> dict[str, Any]:
    """The make that some menus describe, as JSON.

    Args:
        menus: What they show.

    Returns:
        As in the files of makes, see docs/formats.md.

    Raises:
        InvalidValue: If it could not be used: it says what contradicts itself.
    """

    def said(name: str) -> Any:
        value = getattr(menus, name)
        return USUAL.get(name) if value is None else value

    zones = menus.zones or ZonesDrawn.CORNERS
    use = (menus.zone_use if _asked(menus, "zone_use") else None) or ZoneUse.WATCH
    drawn = 0 if zones is ZonesDrawn.NONE else 1 if zones is ZonesDrawn.BLOCKS else menus.max_zones or 1
    power = None
    if menus.battery:
        power = asdict(PowerDraw(menus.battery_wh or 20.0, packs=menus.packs, panel_w=menus.panel_w))
    identity = re.sub(r"\W+", "-", menus.name.lower()).strip("-")
    data: dict[str, Any] = {
        "version": VERSION,
        "id": identity,
        "name": menus.name.strip(),
        "zone_form": {ZonesDrawn.BLOCKS: "blocks", ZonesDrawn.RECTANGLES: "rectangles"}.get(zones, "polygon"),
        "zone_test": "pixels",
        "max_zones": drawn,
        "max_corners": 4 if zones is not ZonesDrawn.CORNERS else menus.max_corners or 4,
        "blocks": list(menus.blocks) if zones is ZonesDrawn.BLOCKS else [0, 0],
        "watch_zones": use is not ZoneUse.IGNORE,
        "ignore_zones": use is not ZoneUse.WATCH and zones is not ZonesDrawn.BLOCKS,
        "notches": _levels(menus),
        "calibrated": False,
        "hold_choices_s": _times(said("hold_s")),
        "release_s": 1.0,
        "rest_choices_s": _times(said("rest_s")),
        "length_choices_s": _times(said("length_s")),
        "stop_when_still": bool(menus.stop_when_still),
        "pre_record_choices_s": _times(said("pre_record_s")),
        "object_classes": list(menus.classes or ()),
        "class_range_m": list(menus.range_m) if menus.classes and menus.range_m else None,
        "privacy_masks": said("masks"),
        "zone_sensitivity": bool(menus.zone_level) and drawn > 0 and zones is not ZonesDrawn.BLOCKS,
        "zone_classes": bool(menus.zone_classes) and bool(menus.classes) and drawn > 0,
        "zone_does": bool(menus.zone_alerts) and drawn > 0,
        "night_notch": bool(menus.night_level),
        "schedule": {
            "periods_a_day": said("periods_a_day"), "step_min": said("step_min"),
            "crosses_midnight": bool(menus.over_midnight), "by_weekday": menus.by_weekday is not False,
        },
        "alert_interval_choices_s": _times(said("alert_interval_s")),
        "detection_off_stops": list(said("off_stops")),
        "alert_pause_stops": list(said("pause_stops")),
        "starts_clips": list(menus.starts_clips or ()),
        "extras": [asdict(extra) | {"choices": list(extra.choices)} for extra in menus.extras],
        "storage": {
            "targets": [str(kind) for kind in said("targets")],
            "largest_gb": float(said("largest_gb")),
            "qualities": [asdict(quality) for quality in menus.qualities or ()],
            "modes": [str(mode) for mode in said("modes")],
            "snapshot_choices_s": _times((0.0, *said("snapshot_s"))),
            "second_mbit_s": said("second_mbit_s"),
            "power": power,
            "mobile": bool(menus.mobile),
        },
        "assumed": [words for name, words in NAMES.items() if getattr(menus, name) is None and _asked(menus, name)],
    }  # fmt: skip
    if not identity:
        raise InvalidValue("The make needs a name with a letter or a digit.", do="Use what is printed on the camera.")
    if trouble := why_unusable(capability_from_dict(data)):
        raise InvalidValue(trouble, do="Correct it on the page where it stands.")
    return data


def _asked(menus: Menus, name: str) -> bool:
    """Whether a question applies, given the other answers."""
    if name in ("max_zones", "zone_use"):
        return menus.zones in (None, ZonesDrawn.RECTANGLES, ZonesDrawn.CORNERS)
    if name == "max_corners":
        return menus.zones in (None, ZonesDrawn.CORNERS)
    if name == "range_m":
        return bool(menus.classes)
    return bool(menus.battery) if name == "battery_wh" else menus.periods_a_day != 0 or name != "over_midnight"


def _times(values: tuple[float | None, ...]) -> list[float | None]:
    """Each once, in order, 'as long as it moves' first."""
    return sorted({*values}, key=lambda value: -1.0 if value is None else value)


def level_names(menus: Menus) -> tuple[str, ...]:
    """The levels by name, from the least sensitive.

    Args:
        menus: What they show.

    Returns:
        As they are called.

    Raises:
        InvalidValue: If there are fewer than two, or more than MOST_LEVELS.
    """
    first, last = menus.numbers
    if menus.scale is ScaleShown.NUMBERS:
        if abs(last - first) >= MOST_LEVELS:
            raise InvalidValue(f"A scale has at most {MOST_LEVELS} numbers.", do="Give its first and its last number.")
        names = tuple(str(n) for n in range(first, last + (1 if last >= first else -1), 1 if last >= first else -1))
    elif menus.scale is ScaleShown.STEPS:
        names = tuple(step.strip() for step in menus.steps)
    else:
        names = tuple(f"{100 * n // (SLIDER_STEPS - 1)} %" for n in range(SLIDER_STEPS))
    if not 2 <= len(names) <= MOST_LEVELS:
        raise InvalidValue("A scale has two levels or more.", do="Type them from the least sensitive, with commas.")
    return names


def _levels(menus: Menus) -> list[dict[str, Any]]:
    names = level_names(menus)
    band = BAND_OF_TWO if menus.second_slider else BAND
    places = np.linspace(0.0, 1.0, len(names))
    sizes = np.exp(np.interp(places, (0.0, 0.5, 1.0), np.log((LEAST, MIDDLE, MOST))))
    return [
        {
            "label": name, "contrast": next(contrast for end, contrast in CONTRASTS if place <= end),
            "size": round(float(size), 6), "size_low": round(float(size) / band, 7),
            "size_high": round(float(size) * band, 6),
        }
        for name, place, size in zip(names, places, sizes, strict=True)
    ]  # fmt: skip


def assumed_words(make: Capability) -> str:
    """What stands in for what nobody knew of a make, in one line; empty where everything was said."""
    return f"Assumed, since it was not known: {', '.join(make.assumed)}." if make.assumed else ""
