"""What a make of camera can be told, and what its words mean in the motion model."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

from pydantic import TypeAdapter

from guardia.core.base.errors import InvalidValue
from guardia.core.base.files import read_as
from guardia.core.hours.periods import ScheduleRules
from guardia.core.storage.rules import StorageRules
from guardia.core.trace.measure import CONTRAST_LEVELS, NO_GRID, Grid

VERSION = 7
SHARE_OF_CELLS = 0.5
"""Files of version 1 give sizes as a share of the picture's cells, whatever part of each had changed. Summing what
changed of each cell gives about half as much: 0.4 for groups of 3 cells to 0.6 for groups of 16 on the demo's clips, at
every contrast."""

ZONE_FORMS = ("polygon", "rectangles", "blocks")
ZONE_TESTS = ("pixels", "box", "foot")
STOPPABLE = ("recording by motion", "continuous recording", "alerts")


@dataclass(frozen=True)
class Notch:
    """One position of the make's sensitivity control."""

    label: str
    """The make's own word for it, such as '6' or 'medium'."""
    contrast: int
    """Luma step that counts as changed; one of CONTRAST_LEVELS (0..255)."""
    size: float
    """Size threshold, share of the picture, above 0."""
    size_low: float
    """Lower end of the band in which the true threshold is believed to lie."""
    size_high: float
    """Upper end of that band."""

    def __post_init__(self) -> None:
        if self.contrast not in CONTRAST_LEVELS:
            raise InvalidValue(f"The contrast of a level must be one of {CONTRAST_LEVELS}, not {self.contrast}.")
        if not 0 < self.size_low <= self.size <= self.size_high <= 1:
            raise InvalidValue(f"The size threshold {self.size} of level '{self.label}' does not lie in its band.")


@dataclass(frozen=True)
class Extra:
    """A setting of the make that changes no figure, such as a light, a siren or a language."""

    name: str
    """The make's own word for it."""
    choices: tuple[str, ...]
    """What it can be set to."""

    def __post_init__(self) -> None:
        if not self.name.strip() or len(self.choices) < 2 or len({*self.choices}) < len(self.choices):
            raise InvalidValue(f"The setting '{self.name}' needs a name and two or more different choices.")


@dataclass(frozen=True)
class Taught:
    """What other cameras of a make showed: by which factor their thresholds differ from the nominal ones."""

    cameras: int
    """How many there are."""
    factor: float
    """In the middle, above 0."""
    deviation: float
    """Standard deviation of its natural logarithm from camera to camera, above 0; what is not known is in it."""


@dataclass(frozen=True)
class Capability:
    """What one make can be told. Times in seconds."""

    id: str
    """Stable word, the file's name."""
    name: str
    """Words on screen."""
    zone_form: str
    """'polygon' (corners), 'rectangles' (upright ones) or 'blocks' (a grid switched on or off)."""
    zone_test: str
    """What must be inside: 'pixels' that moved, any part of the moving thing's 'box', or its 'foot' point."""
    max_zones: int
    """Number of zones that can be entered."""
    max_corners: int
    """Corners per zone."""
    ignore_zones: bool
    """Whether the make knows zones to leave out."""
    notches: tuple[Notch, ...]
    """From the least to the most sensitive."""
    calibrated: bool
    """Whether the notches were measured on this very camera."""
    hold_choices_s: tuple[float, ...]
    """How long motion must last before it triggers."""
    release_s: float
    """How long it must be still before motion counts as over."""
    rest_choices_s: tuple[float, ...]
    """Rests after a recording on offer."""
    length_choices_s: tuple[float | None, ...]
    """Lengths of recordings on offer; None is 'as long as it moves'."""
    stop_when_still: bool
    """Whether a fixed length may end once it is still."""
    pre_record_choices_s: tuple[float, ...]
    """Pre-record times on offer."""
    blocks: Grid = NO_GRID
    """(columns, rows) of the make's own grid, (0, 0) when it has none."""
    object_classes: tuple[str, ...] = ()
    """Classes that its object filter knows; none when it has no filter."""
    class_range_m: tuple[float, float] | None = None
    """Distances by day and at night out to which those classes hold, None when the make states none."""
    watch_zones: bool = True
    """Whether the make knows zones to watch; else all zones are left out."""
    starts_clips: tuple[str, ...] = ()
    """What else than motion starts a clip, such as sound or a button: those clips say nothing about motion settings."""
    extras: tuple[Extra, ...] = ()
    """Its settings that change no figure."""
    assumed: tuple[str, ...] = ()
    """What nobody knew when it was described, in words: usual values stand in."""
    privacy_masks: int = 0
    """Number of areas that it can black out."""
    zone_sensitivity: bool = False
    """Whether each zone can have a sensitivity of its own."""
    zone_does: bool = False
    """Whether a zone can record without an alert, or alert without recording."""
    zone_classes: bool = False
    """Whether a zone can hold for some classes only."""
    night_notch: bool = False
    """Whether another notch can be set for the night, while the picture is dark."""
    schedule: ScheduleRules = field(default_factory=ScheduleRules)
    """What it can be told of hours."""
    alert_interval_choices_s: tuple[float, ...] = (0.0,)
    """Least times between two alerts on offer."""
    detection_off_stops: tuple[str, ...] = ("recording by motion", "alerts")
    """What switching detection off ends: some of STOPPABLE."""
    alert_pause_stops: tuple[str, ...] = ("alerts",)
    """What an alert pause, or alerts switched off, ends: likewise."""
    storage: StorageRules = field(default_factory=StorageRules)
    """What it can be told of storage and power."""
    taught: Taught | None = None
    """What one's other cameras of this make showed, None where they showed nothing yet."""

    def notch(self, label: str) -> Notch:
        """Find a notch by the make's word for it.

        Args:
            label: As in the capability file.

        Returns:
            The notch.

        Raises:
            InvalidValue: If the make has no such notch.
        """
        for notch in self.notches:
            if notch.label == label:
                return notch
        known = ", ".join(n.label for n in self.notches)
        raise InvalidValue(f"'{self.name}' has no sensitivity '{label}'.", do=f"It knows: {known}.")


def capability_from_dict(data: Mapping[str, Any]) -> Capability:
    """Read a capability from its JSON form.

    Args:
        data: As in the shipped files, described in docs/formats.md.

    Returns:
        The capability.

    Raises:
        InvalidValue: If a part is missing or cannot be used.
    """
    version = data.get("version", 1)
    if isinstance(version, bool) or version not in range(1, VERSION + 1):
        raise InvalidValue(
            f"The capability has version {version}, this program knows versions 1 to {VERSION}.",
            do="Use a newer Guardia.",
        )
    values = {name: value for name, value in data.items() if name != "version"}
    capability = read_as(_FORM, _as_now(values, version) if version in (1, 2) else values, "A capability")
    strange = [s for s in (*capability.detection_off_stops, *capability.alert_pause_stops) if s not in STOPPABLE]
    rules = capability.schedule
    if strange or not 0 <= rules.periods_a_day <= 48 or rules.step_min < 1 or 60 % rules.step_min:
        raise InvalidValue(
            f"The hours or switches of the capability '{capability.id}' cannot be used.",
            do=f"0 to 48 periods a day, a step that divides 60 minutes, and a switch stops some of {STOPPABLE}.",
        )
    if (known := capability.taught) is not None and not (
        known.cameras > 0 and 0.01 <= known.factor <= 100 and 0.01 <= known.deviation <= 5
    ):
        raise InvalidValue(
            f"What other cameras showed of '{capability.id}' cannot be used: {known}.",
            do="It has a number of cameras, a factor of 0.01 to 100 and a deviation of 0.01 to 5.",
        )
    wide, high = capability.blocks
    if capability.zone_form == "blocks" and not (1 <= wide <= 64 and 1 <= high <= 64):
        raise InvalidValue(f"The capability '{capability.id}' has blocks of {wide} x {high}.", do="1 to 64 each way.")
    if len({extra.name for extra in capability.extras}) < len(capability.extras):
        raise InvalidValue(f"Two other settings of the capability '{capability.id}' have one name.")
    if capability.zone_form not in ZONE_FORMS or capability.zone_test not in ZONE_TESTS or not capability.notches:
        raise InvalidValue(
            f"The capability '{capability.id}' names an unknown zone form or zone test, or has no levels.",
            do=f"Zone forms are {ZONE_FORMS}, zone tests {ZONE_TESTS}.",
        )
    return capability


def why_unusable(capability: Capability) -> str:
    """What contradicts itself in a make that somebody described, in a sentence; empty where nothing does.

    Makes that are in use already are not held against this: what they record goes on being scored.
    """
    labels = [notch.label for notch in capability.notches]
    twice = next((label for label in labels if labels.count(label) > 1), None)
    if twice is not None:
        return f"Two levels are called '{twice}': each needs a name of its own."
    if any(not label.strip() for label in labels):
        return "A level has no name."
    for less, more in pairwise(capability.notches):
        if (more.contrast, more.size) == (less.contrast, less.size):
            return f"Levels '{less.label}' and '{more.label}' ask for the same: they would be one level."
        if more.contrast > less.contrast or more.size > less.size:
            return (
                f"Level '{more.label}' stands after '{less.label}' but asks for more motion: the order is from the "
                "least to the most sensitive."
            )
    for name, offered in (
        ("minimum duration", capability.hold_choices_s), ("pause", capability.rest_choices_s),
        ("recording length", capability.length_choices_s), ("pre-record", capability.pre_record_choices_s),
        ("time between alerts", capability.alert_interval_choices_s),
        ("snapshots", capability.storage.snapshot_choices_s),
    ):  # fmt: skip
        if not offered:
            return f"There is nothing to choose for: {name}. Give at least one value."
    if any(length is not None and length < 1 for length in capability.length_choices_s):
        return "A recording length is at least 1 second."
    if not capability.storage.targets or not capability.storage.modes:
        return "It records nowhere, or never: give a store and when it writes."
    if not capability.watch_zones and not capability.ignore_zones and capability.max_zones:
        return "Its zones neither watch nor leave out."
    return ""


_FORM = TypeAdapter(Capability)

_NAMES_BEFORE_3 = {
    "wait_choices_s": "rest_choices_s", "clip_choices_s": "length_choices_s", "end_early": "stop_when_still",
}  # fmt: skip


def _as_now(data: Mapping[str, Any], version: int) -> dict[str, Any]:
    """The form of versions 1 and 2 in the present one: other names, and sizes of version 1 as sums."""
    values = {_NAMES_BEFORE_3.get(name, name): value for name, value in data.items() if value is not None}
    if version == 1:
        try:
            sizes = ("size", "size_low", "size_high")
            values["notches"] = [n | {name: n[name] * SHARE_OF_CELLS for name in sizes} for n in data["notches"]]
        except (KeyError, TypeError) as error:
            raise InvalidValue(f"A capability cannot be read (levels: {error}).", do="See docs/formats.md.") from error
    return values
