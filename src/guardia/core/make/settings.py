"""Settings: one complete, immutable set of values for one camera."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from typing import Annotated, Any, Literal, NamedTuple

from pydantic import Field, PlainSerializer, PlainValidator, TypeAdapter

from guardia.core.base.bounds import Bounds, check_bounds, schema_of
from guardia.core.base.errors import InvalidValue
from guardia.core.base.files import read_as
from guardia.core.base.values import one_line
from guardia.core.base.words import count_of
from guardia.core.hours.modes import Mode
from guardia.core.hours.plan import WeekPlan
from guardia.core.make.capability import SHARE_OF_CELLS, Capability
from guardia.core.make.zones import (
    BlockZone,
    PolygonZone,
    Zone,
    ZoneDoes,
    ZoneForm,
    ZoneKind,
    is_rectangle,
    to_blocks,
    with_own_names,
    zone_from_dict,
    zone_to_dict,
)
from guardia.core.storage.rules import RecordingMode
from guardia.core.storage.stores import StoreKind
from guardia.core.trace.measure import CONTRAST_LEVELS

FORMAT = "guardia-settings"
VERSION = 8

Seconds = Annotated[float, Bounds(0, 3600)]


_Zone = Annotated[Zone, PlainValidator(zone_from_dict, json_schema_input_type=ZoneForm), PlainSerializer(zone_to_dict)]


class Sensitivity(NamedTuple):
    """A sensitivity given directly."""

    contrast: Annotated[int, Field(json_schema_extra={"enum": [*CONTRAST_LEVELS]})]
    """Luma step that counts as changed; one of CONTRAST_LEVELS (0..255)."""
    size: Annotated[float, Bounds(0, 1, above=True)]
    """Size threshold, share of the picture."""


@dataclass(frozen=True)
class DetectionSettings:
    """What makes the camera trigger. Times in seconds."""

    notch: str = ""
    """The make's sensitivity, by its own label; empty when a sensitivity is given directly."""
    zones: tuple[_Zone, ...] = ()
    """Watch and ignore polygons, or the make's blocks. Of two that bear one name the second is given another."""
    detection_on: bool = True
    """Motion detection switched on. Off stops recording as well as alerts."""
    hold_s: Seconds = 0.0
    """How long motion must last before it triggers."""
    release_s: Seconds = 1.0
    """How long it must be still before motion counts as over."""
    sensitivity: Annotated[Sensitivity, PlainSerializer(Sensitivity._asdict)] | None = None
    """Contrast and size given directly instead of a notch, or None."""
    objects: tuple[str, ...] = ()
    """Classes that the object filter lets through; none means any motion."""
    night_notch: str = ""
    """The one that takes its place while the picture is that of a night; empty for the same by day and night. Zones
    with a sensitivity of their own keep it, and one given directly holds by day and night."""

    @property
    def by_class(self) -> bool:
        """Whether classes decide anything: an object filter, or a zone for some classes."""
        return bool(self.objects) or any(isinstance(z, PolygonZone) and z.classes for z in self.zones)

    def __post_init__(self) -> None:
        check_bounds(self)
        object.__setattr__(self, "zones", with_own_names(self.zones))
        if self.sensitivity is not None:
            contrast, size = self.sensitivity
            if contrast not in CONTRAST_LEVELS or not 0 < size <= 1:
                raise InvalidValue(
                    f"The sensitivity {tuple(self.sensitivity)} cannot be used.",
                    do=f"The contrast must be one of {CONTRAST_LEVELS} and the size a share between 0 and 1.",
                )


@dataclass(frozen=True)
class RecordingSettings:
    """What is recorded once the camera has triggered, in the order in which it acts. Times in seconds."""

    pre_record_s: Seconds = 0.0
    """Recorded before the trigger."""
    length_s: Annotated[float, Bounds(1, 3600)] | None = None
    """Fixed length from the trigger on, or None for as long as it moves."""
    stop_when_still: bool = False
    """A fixed length ends sooner when motion is over."""
    rest_s: Seconds = 0.0
    """Rest after a recording, in which nothing triggers."""

    def __post_init__(self) -> None:
        check_bounds(self)


@dataclass(frozen=True)
class HoursSettings:
    """At which hours something is done."""

    recording_plan: WeekPlan | None = None
    """When motion triggers recordings; None for always."""
    alert_plan: WeekPlan | None = None
    """When a trigger is told to somebody; None for always."""
    modes: tuple[Mode, ...] = ()
    """Modes of the site that this camera follows; of several in force the last holds."""


@dataclass(frozen=True)
class AlertSettings:
    """Which triggers are told to somebody. Times in seconds."""

    alerts_on: bool = True
    """Alerts switched on."""
    alert_interval_s: Seconds = 0.0
    """No alert so soon after the one before."""
    alert_classes: tuple[str, ...] = ()
    """Classes that alerts are filtered by; none means any that is recorded."""
    causes_off: tuple[str, ...] = ()
    """Other causes than motion that are switched off, such as a sound: they start no clip and alert nobody."""
    phone_allows: bool = True
    """The phone lets them through: permission given, no battery saver in the way, this camera not muted."""
    status_light: Literal["", "on", "off", "none"] = ""
    """The light that shows that it watches; empty while nobody said. It changes no figure."""

    def __post_init__(self) -> None:
        check_bounds(self)


@dataclass(frozen=True)
class StorageSettings:
    """Where footage goes, how much of it, and what becomes of the oldest."""

    target: StoreKind | Literal[""] = ""
    """Kind of the store that is chosen on the camera; empty while nobody said."""
    overwrite: bool = True
    """The oldest is overwritten when the store is full; else recording stops then."""
    mode: RecordingMode = RecordingMode.MOTION
    """When footage is written."""
    quality: str = ""
    """The make's word for it; empty for the best."""
    snapshot_every_s: Annotated[float, Bounds(0, 7 * 86400)] = 0.0
    """Seconds between snapshots, 0 for none."""
    second_stream: bool = False
    """A second, smaller stream is recorded beside."""
    white_light: bool = False
    """Lit in white by night instead of infrared."""

    def __post_init__(self) -> None:
        check_bounds(self)


@dataclass(frozen=True)
class OtherSettings:
    """What changes no figure: it is written down, put on the sheet and read back, without an opinion."""

    extras: tuple[tuple[str, str], ...] = ()
    """Names of such settings, as the make has them, each with its choice; what nobody said does not stand here."""

    def __post_init__(self) -> None:
        names = [name for name, _ in self.extras]
        if len({*names}) < len(names):
            raise InvalidValue("Each of the other settings has one choice.", kept="Nothing was changed.")


@dataclass(frozen=True)
class Settings:
    """Everything the camera is told, in parts. The names of values are unique over all parts."""

    capability: str
    """Id of the capability whose words are used."""
    detection: DetectionSettings = field(default_factory=DetectionSettings)
    """What makes it trigger."""
    recording: RecordingSettings = field(default_factory=RecordingSettings)
    """What is recorded then."""
    hours: HoursSettings = field(default_factory=HoursSettings)
    """At which hours."""
    alerts: AlertSettings = field(default_factory=AlertSettings)
    """Which of that is told to somebody."""
    storage: StorageSettings = field(default_factory=StorageSettings)
    """Where footage goes."""
    other: OtherSettings = field(default_factory=OtherSettings)
    """What changes no figure."""
    not_known: tuple[str, ...] = ()
    """Names of the values that nobody said, in order of name; those here are the make's usual ones in their place."""

    def __post_init__(self) -> None:
        if strange := sorted({*self.not_known} - {*PART_OF}):
            raise InvalidValue(f"'{strange[0]}' is no setting that could be not known.")
        object.__setattr__(self, "not_known", tuple(sorted({*self.not_known})))
        if any("\0" in word for word in (self.capability, self.detection.notch, self.detection.night_notch)):
            raise InvalidValue("The make's id and the levels are plain words.")

    @staticmethod
    def of(capability: str, notch: str = "", zones: tuple[Zone, ...] = (), **values: Any) -> Settings:
        """Settings from values by name, each put into its part; the others take their defaults."""
        return Settings(capability).with_values(notch=notch, zones=zones, **values)

    def with_values(self, **values: Any) -> Settings:
        """The same but for some values, each named as in its part; they are known then. KeyError for another name."""
        by_part: dict[str, dict[str, Any]] = {}
        for name, value in values.items():
            by_part.setdefault(PART_OF[name], {})[name] = value
        parts = {part: replace(getattr(self, part), **new) for part, new in by_part.items()}
        return replace(self, **parts, not_known=tuple(name for name in self.not_known if name not in values))

    def with_hours(self, hours: HoursSettings) -> Settings:
        """The same with other hours, all of which are known then."""
        return self.with_values(**{f.name: getattr(hours, f.name) for f in fields(hours)})

    @property
    def says_what_triggers(self) -> bool:
        """Whether enough of it is known to say what it let through."""
        return not DECIDING.intersection(self.not_known)

    def triggers_like(self, other: Settings) -> bool:
        """Whether the same things trigger under both, as far as anybody said how they are set."""
        same_hours = (self.hours.recording_plan, self.hours.modes) == (other.hours.recording_plan, other.hours.modes)
        return (
            self.detection == other.detection and self.recording == other.recording and same_hours
            and self.storage.mode is other.storage.mode
            and DECIDING.intersection(self.not_known) == DECIDING.intersection(other.not_known)
        )  # fmt: skip

    @property
    def lights(self) -> tuple[bool, ...]:
        """Whether it is dark, in each light in which the camera's own sensitivity differs: one, or day and night."""
        detection = self.detection
        same = detection.sensitivity is not None or detection.night_notch in ("", detection.notch)
        return (False,) if same else (False, True)

    def in_light(self, *, dark: bool) -> Settings:
        """The same as they hold in one light: with the notch in force there, and none for the night apart."""
        return self.with_values(notch=self.level_in(dark=dark), night_notch="")

    def level_in(self, *, dark: bool) -> str:
        """The level in force in one light."""
        return self.detection.night_notch if dark and len(self.lights) > 1 else self.detection.notch

    def sensitivity_under(self, capability: Capability) -> Sensitivity:
        """Contrast and size threshold in force by day; raises InvalidValue if the make has no such notch."""
        if self.detection.sensitivity is not None:
            return Sensitivity(*self.detection.sensitivity)
        notch = capability.notch(self.detection.notch)
        return Sensitivity(notch.contrast, notch.size)


_PARTS: tuple[tuple[str, type], ...] = (
    ("detection", DetectionSettings), ("recording", RecordingSettings), ("hours", HoursSettings),
    ("alerts", AlertSettings), ("storage", StorageSettings), ("other", OtherSettings),
)  # fmt: skip

PART_OF = {f.name: part for part, kind in _PARTS for f in fields(kind)}
"""The part of Settings that each value belongs to."""

DECIDING = frozenset({"detection_on", "zones", "notch", "night_notch", "objects", "recording_plan", "modes", "mode"})
"""Without one of these it cannot be said what settings let through. Of the others the make's usual value stands in."""

_FORM = TypeAdapter(Settings)


def settings_to_dict(settings: Settings) -> dict[str, Any]:
    """Plain JSON form of settings, as described in docs/formats.md."""
    return {"format": FORMAT, "version": VERSION, **_FORM.dump_python(settings, mode="json")}


def settings_schema() -> dict[str, Any]:
    """JSON Schema of the form that settings_to_dict() writes, made of the types; what it refers to is in '$defs'."""
    schema = schema_of(_FORM)
    head = {"format": {"const": FORMAT}, "version": {"const": VERSION}}
    return schema | {
        "required": [*head, *schema["required"]], "properties": {**head, **schema["properties"]},
    }  # fmt: skip


def settings_from_dict(data: Mapping[str, Any]) -> Settings:
    """Read settings from their JSON form.

    Args:
        data: As written by settings_to_dict, or by an older version; what is left out takes its default.

    Returns:
        The settings.

    Raises:
        InvalidValue: If a part cannot be used or the file is of a newer version.
    """
    if data.get("format") != FORMAT:
        raise InvalidValue(
            "This is not a Guardia settings file.", do=f'It must be a JSON object with "format": "{FORMAT}".'
        )
    version = data.get("version")
    if isinstance(version, bool) or version not in range(1, VERSION + 1):
        raise InvalidValue(
            f"The settings file has version {version}, this program knows versions 1 to {VERSION}.",
            do="Use a newer Guardia.",
        )
    values = _in_parts(data) if version in (1, 2) else {k: v for k, v in data.items() if k not in ("format", "version")}
    return read_as(_FORM, values, "The settings")


def settings_given(data: Mapping[str, Any]) -> Settings:
    """As settings_from_dict(), of a file that anybody may have written: InvalidValue also for a zone's name that is no
    line of text."""
    settings = settings_from_dict(data)
    for zone in settings.detection.zones:
        if isinstance(zone, PolygonZone) and zone.name:
            one_line(zone.name, "A zone's name")
    return settings


_NAMES_BEFORE_3 = {"retrigger_wait_s": "rest_s", "clip_length_s": "length_s", "end_early": "stop_when_still"}


def _in_parts(data: Mapping[str, Any]) -> dict[str, Any]:
    """The form of versions 1 and 2, which had all values side by side, some under other names, in the present one."""
    parts: dict[str, Any] = {"detection": {}, "recording": {}}
    for old, value in data.items():
        name = _NAMES_BEFORE_3.get(old, old)
        if name in PART_OF:
            parts[PART_OF[name]][name] = value
        elif name not in ("format", "version", "capability"):
            parts[name] = value  # refused as a name that is not known
    direct = parts["detection"].get("sensitivity")
    if data["version"] == 1 and isinstance(direct, dict) and isinstance(direct.get("size"), int | float):
        parts["detection"]["sensitivity"] = {**direct, "size": direct["size"] * SHARE_OF_CELLS}
    return {**parts, **({"capability": data["capability"]} if "capability" in data else {})}


def drawn_zones(settings: Settings) -> tuple[Zone, ...]:
    """All zones but the privacy masks."""
    return tuple(z for z in settings.detection.zones if not (isinstance(z, PolygonZone) and z.kind is ZoneKind.MASK))


def entered_zones(settings: Settings, capability: Capability) -> tuple[Zone, ...]:
    """The zones as this make takes them: polygons and foreign blocks become its blocks where it has some.

    Args:
        settings: The settings.
        capability: The make.

    Returns:
        What is entered on the camera, and what it then watches.
    """
    drawn = drawn_zones(settings)
    masks = tuple(z for z in settings.detection.zones if z not in drawn)
    own = all(isinstance(z, BlockZone) and (z.columns, z.rows) == capability.blocks for z in drawn)
    if capability.zone_form != "blocks" or own:
        return settings.detection.zones
    return (to_blocks(drawn, grid=capability.blocks), *masks)


def zone_limits_broken(settings: Settings, capability: Capability) -> list[str]:
    """Say in plain sentences which zones this make cannot be told.

    Args:
        settings: The settings to check.
        capability: The make.

    Returns:
        One sentence per limit; empty when all zones can be entered.
    """
    broken: list[str] = []
    masks = [z for z in settings.detection.zones if isinstance(z, PolygonZone) and z.kind is ZoneKind.MASK]
    polygons = [z for z in settings.detection.zones if isinstance(z, PolygonZone) and z not in masks]
    blocks = [z for z in settings.detection.zones if isinstance(z, BlockZone)]
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
        if zone.kind is ZoneKind.WATCH and not capability.watch_zones:
            broken.append(f"'{zone.name}': this make has only zones to leave out.")
        if zone.kind is ZoneKind.IGNORE and not capability.ignore_zones:
            broken.append(f"'{zone.name}': this make has no ignore zones.")
        if zone.notch and not capability.zone_sensitivity:
            broken.append(f"'{zone.name}': this make has one sensitivity for all zones.")
        elif zone.notch and zone.notch not in [n.label for n in capability.notches]:
            broken.append(f"'{zone.name}': this make has no sensitivity '{zone.notch}'.")
        if zone.does is not ZoneDoes.BOTH and not capability.zone_does:
            broken.append(f"'{zone.name}': on this make every zone records and alerts.")
        if zone.classes and not capability.zone_classes:
            broken.append(f"'{zone.name}': on this make zones hold for every class.")
        elif unknown := [name for name in zone.classes if name not in capability.object_classes]:
            broken.append(f"'{zone.name}': this make has no class '{unknown[0]}'.")
    if len(masks) > capability.privacy_masks:
        broken.append(f"This make takes {capability.privacy_masks or 'no'} privacy masks; {len(masks)} are drawn.")
    return broken
