"""The levers of a camera: one descriptor for each thing that can be set.

A descriptor knows the value's words (of its default, too), what a make offers, how the value is carried to another
make, which gate it acts on, and whether moving it could show what no motion clip has. The settings sheet, what changes,
the logbook, reading back, copying, the limits of a make, what the evidence cannot show, proposals and tuning are made
from this table by value; none of them compares printed text.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from operator import attrgetter
from typing import Any, Generic, Literal, TypeVar

from guardia.core.base.words import listed, sentence
from guardia.core.hours.modes import Mode
from guardia.core.hours.periods import to_periods
from guardia.core.hours.place import SitePlace
from guardia.core.hours.plan import WeekPlan, covers_more
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.settings import DECIDING, PART_OF, Sensitivity, Settings, zone_limits_broken
from guardia.core.make.zones import Zone, zone_title
from guardia.core.storage.rules import RecordingMode
from guardia.core.storage.stores import StoreKind

V = TypeVar("V")

NOT_KNOWN = "not known"

USUAL = Settings("")
"""What holds where nobody set anything."""


def _never(_old: Any, _new: Any) -> bool:
    """Alerts record nothing; what a level lets through is compared cell by cell."""
    return False


def _always(_capability: Capability) -> bool:
    return True


def _kept(value: Any, _capability: Capability) -> Any:
    return value


@dataclass(frozen=True)
class Lever(Generic[V]):
    """One thing that can be set, with a value of type V."""

    id: str
    """Name of the value in Settings."""
    name: str
    """What it is called on screen and on the sheet, without a capital."""
    gate: str
    """Id of the gate that it acts on; empty where it acts on none."""
    say: Callable[[V, Capability], str]
    """Its words for any value, the usual one included."""
    there: Callable[[Capability], bool] = _always
    """Whether a make has something to set here. What it has not stands on the sheet only where it is not as usual."""
    choices: Callable[[Capability], tuple[V, ...]] | None = None
    """What a make offers; None where it does not bound it by a list."""
    carried: Callable[[V, Capability], V] = _kept
    """A value in the words of another make: the nearest that it offers."""
    shows_more: Callable[[V, V], bool] = _never
    """Whether the second value could record what the first never let into a clip: what the camera does while it would
    be pausing or recording under the first is not in the evidence."""
    free: Callable[[Capability], tuple[V, ...]] | None = None
    """What can be read off the camera where a make bounds it by no list; None for a switch, which is on or off."""
    unsaid: V | None = None
    """The value that says nothing: it is nothing to enter, so it does not stand on the sheet."""
    hint: Callable[[Capability], str] | None = None
    """What helps to find the value on the camera, said once beside it on the sheet."""
    listed: str = ""
    """The field of a make that lists the times it offers; empty where there is none."""
    help: str = ""
    """A sentence or two on what it does, for tool tips and the help line; empty where nothing is to be explained."""

    def read(self, settings: Settings) -> V:
        """What it is set to."""
        value: V = getattr(getattr(settings, PART_OF[self.id]), self.id)
        return value

    def known(self, settings: Settings) -> bool:
        """Whether somebody said it."""
        return self.id not in settings.not_known

    def is_asked(self, capability: Capability) -> bool:
        """Whether it could be set in more than one way on a camera of a make, so that somebody has to say how."""
        only = self.choices is not None and len(self.choices(capability)) < 2
        return self.there(capability) and self.unsaid is None and not only

    def words(self, settings: Settings, capability: Capability) -> str:
        """What it is set to, in words."""
        return self.say(self.read(settings), capability) if self.known(settings) else NOT_KNOWN

    def set(self, settings: Settings, value: V) -> Settings:
        """The same settings with this at another value."""
        return settings.with_values(**{self.id: value})

    def options(self, capability: Capability, *known: V) -> list[V]:
        """What can be chosen on a camera of a make, and what is known to be set besides, each once."""
        if self.choices is not None:
            offered: tuple[Any, ...] = self.choices(capability)
        else:
            offered = self.free(capability) if self.free is not None else (True, False)
        return list(dict.fromkeys((*offered, *known)))

    @property
    def part(self) -> str:
        """The part of Settings that it belongs to."""
        return PART_OF[self.id]

    @property
    def subject(self) -> str:
        """Its name at the head of a line."""
        return sentence(self.name)

    def stands(self, settings: Settings, capability: Capability) -> bool:
        """Whether it stands on the sheet of these settings."""
        if self.unsaid is not None and self.read(settings) == self.unsaid:
            return False
        return self.there(capability) or self.read(settings) != self.read(USUAL)

    def line(self, settings: Settings, capability: Capability) -> str:
        """Its name and what it is set to."""
        hint = f" ({self.hint(capability)})" if self.hint is not None else ""
        return f"{self.subject}: {self.words(settings, capability)}{hint}"


def nearest_choice(value: float | None, choices: tuple[float | None, ...]) -> float | None:
    """The time on offer that is nearest to another; None, 'as long as it moves', is nearest to itself, else longest."""
    numbers = [c for c in choices if c is not None]
    if value is None or not numbers:
        return None if None in choices or not numbers else max(numbers)
    return min(numbers, key=lambda c: abs(c - value))


def _of_list(
    id: str,
    name: str,
    gate: str,
    say: Callable[[V, Capability], str],
    listed: str,
    *,
    there: Callable[[Capability], bool] = _always,
    shows_more: Callable[[V, V], bool] = _never,
    help: str = "",
) -> Lever[V]:
    """A time that a make lists, and nothing else; another make takes the nearest on its list."""
    choices: Callable[[Capability], tuple[Any, ...]] = attrgetter(listed)

    def carried(value: Any, capability: Capability) -> Any:
        offered = choices(capability)
        nearest = nearest_choice(value, offered)
        return 0.0 if nearest is None and None not in offered else nearest

    field = listed.rpartition(".")[2]
    return Lever(id, name, gate, say, there, choices, carried, shows_more, listed=field, help=help)


def _on(old: bool, new: bool) -> bool:
    return new and not old


def _less(old: float, new: float) -> bool:
    return new < old


def _shorter(old: float | None, new: float | None) -> bool:
    """A shorter recording frees the camera sooner; one that lasts until it is still has no length of its own."""
    return old != new and (old is None or new is None or new < old)


def _wider(old: tuple[str, ...], new: tuple[str, ...]) -> bool:
    """A filter that lets another class through, or none."""
    return bool(old) and (not new or not set(new) <= set(old))


def _other_modes(old: tuple[Mode, ...], new: tuple[Mode, ...]) -> bool:
    """Modes that differ may record when the others did not, unless the others always did."""
    return old != new and any(not mode.records for mode in old)


def _either(on: str, off: str) -> Callable[[bool, Capability], str]:
    return lambda value, _c: on if value else off


def _seconds(value: float, _capability: Capability) -> str:
    return f"{value:g} s"


def _seconds_or(none: str, before: str = "") -> Callable[[float, Capability], str]:
    return lambda value, _c: f"{before}{value:g} s" if value else none


def _classes_or(none: str) -> Callable[[tuple[str, ...], Capability], str]:
    return lambda value, _c: ", ".join(value) or none


def _known_classes(value: tuple[str, ...], capability: Capability) -> tuple[str, ...]:
    return tuple(name for name in value if name in capability.object_classes)


def _plan_words(plan: WeekPlan | None, capability: Capability) -> str:
    """The plan, and the periods that are entered for it where they do not depend on a date."""
    if plan is None:
        return "always"
    if plan.follows_sun:
        return plan.words
    typed = to_periods(plan, capability.schedule, SitePlace("UTC"), date(2001, 1, 1))
    same = "; ".join(typed.lines) == "; ".join(s.words for s in plan.stretches)
    return plan.words + ("" if same or not typed.lines else f" (enter {'; '.join(typed.lines)})")


def _zones_words(zones: tuple[Zone, ...], _capability: Capability) -> str:
    return listed([zone_title(zone) for zone in zones]) or "none; the whole picture is watched"


def _labels(capability: Capability) -> tuple[str, ...]:
    return tuple(notch.label for notch in capability.notches)


def _class_sets(capability: Capability) -> tuple[tuple[str, ...], ...]:
    """No class, each by itself, and all of them."""
    each = tuple((name,) for name in capability.object_classes)
    return tuple(dict.fromkeys(((), *each, capability.object_classes)))


def _no_plan(_capability: Capability) -> tuple[WeekPlan | None, ...]:
    return (None,)


def _scale_words(capability: Capability) -> str:
    low, high = capability.notches[0].label, capability.notches[-1].label
    return f"scale from {low}, least, to {high}, most sensitive"


def _quality_words(label: str, capability: Capability) -> str:
    quality = capability.storage.quality(label)
    if quality is None:
        return label or "the best"
    size = f"{quality.width} x {quality.height}, {quality.frame_rate:g} pictures a second"
    return f"{quality.label} ({size}){'' if label else ', the best'}"


def _has_hours(capability: Capability) -> bool:
    return capability.schedule.periods_a_day > 0


DETECTION_ON = Lever(
    "detection_on",
    "motion detection",
    "detection on",
    _either("on", "OFF (nothing will be recorded)"),
    shows_more=_on,
    help="Motion detection: off stops recording by motion as well as alerts; whether a card goes on recording "
    "continuously depends on the make. To stop only alerts, change the alerts.",
)
ZONES = Lever[tuple[Zone, ...]]("zones", "zones", "zone", _zones_words, free=lambda _c: ((),))
NOTCH = Lever(
    "notch",
    "sensitivity",
    "size",
    lambda label, _c: label or "given directly",
    free=_labels,
    hint=_scale_words,
    help="Sensitivity, the make's own scale: each level asks for a certain number of adjacent grid cells, in % of the "
    "picture. Bigger or nearer things need less sensitivity.",
)
DIRECT = Lever[Sensitivity | None](
    "sensitivity",
    "sensitivity given directly",
    "size",
    lambda s, _c: "none" if s is None else f"contrast {s[0]}, size {s[1] * 100:.2f} % of the picture",
    there=lambda _c: False,
    free=lambda _c: (None,),
)
NIGHT_NOTCH = Lever(
    "night_notch",
    "sensitivity at night",
    "size",
    lambda value, _c: value or "as by day",
    there=lambda c: c.night_notch,
    choices=lambda c: ("", *_labels(c)) if c.night_notch else ("",),
    help="Sensitivity at night: the level in force while the picture is that of a night, by the lamp. Insects, rain "
    "and headlights look larger then; people are seen less far. Zones with a level of their own keep it.",
)
HOLD = _of_list(
    "hold_s",
    "minimum duration",
    "minimum duration",
    _seconds,
    "hold_choices_s",
    shows_more=_less,
    help="Minimum duration, in seconds: what is large enough for less than this never triggers. Insects and gulls are "
    "short; so is somebody running.",
)
OBJECTS = Lever(
    "objects",
    "object filter",
    "object filter",
    _classes_or("none, any motion"),
    there=lambda c: bool(c.object_classes),
    carried=_known_classes,
    shows_more=_wider,
    free=_class_sets,
    help="Object filter: only these classes trigger; with none chosen any motion does. It trusts the camera's own eye, "
    "which fails far away and in the dark; what the classes are based on is said beside the score.",
)
PRE_RECORD = _of_list(
    "pre_record_s",
    "pre-record",
    "length",
    _seconds,
    "pre_record_choices_s",
    shows_more=lambda old, new: new > old,
    help="Pre-record, in seconds: how much from before the trigger is kept. Without it a clip begins late.",
)
LENGTH: Lever[float | None] = _of_list(
    "length_s",
    "recording length",
    "length",
    lambda v, _c: "as long as it moves" if v is None else f"{v:g} s",
    "length_choices_s",
    shows_more=_shorter,
    help="Recording length, in seconds from the trigger on, or for as long as it moves.",
)
STOP_WHEN_STILL = Lever[bool](
    "stop_when_still",
    "stops once it is still",
    "length",
    _either("yes", "no"),
    there=lambda c: c.stop_when_still,
    choices=lambda c: (False, True) if c.stop_when_still else (False,),
    carried=lambda value, c: value and c.stop_when_still,
    shows_more=_on,
    help="A recording of fixed length ends when motion has stopped for the make's release time.",
)
REST = _of_list(
    "rest_s",
    "pause after a recording",
    "pause after a recording",
    _seconds_or("none"),
    "rest_choices_s",
    shows_more=_less,
    help="Pause after a recording, in seconds: nothing can trigger in it. Whoever comes in it is missed.",
)
RELEASE = Lever(
    "release_s",
    "motion is over after",
    "minimum duration",
    _seconds,
    there=lambda _c: False,
    carried=lambda _v, c: c.release_s,
    shows_more=_less,
    free=lambda c: (c.release_s,),
)
RECORDING_PLAN = Lever[WeekPlan | None](
    "recording_plan",
    "recording hours",
    "recording hours",
    _plan_words,
    there=_has_hours,
    shows_more=lambda old, new: covers_more(new, old),
    free=_no_plan,
)
MODES = Lever[tuple[Mode, ...]](
    "modes",
    "modes",
    "mode",
    lambda modes, _c: "; ".join(m.words for m in modes) or "none",
    shows_more=_other_modes,
    free=lambda _c: ((),),
)
ALERTS_ON = Lever("alerts_on", "alerts", "alerts on", _either("on", "OFF (nobody is alerted)"))
ALERT_PLAN = Lever[WeekPlan | None](
    "alert_plan", "alert hours", "alert hours", _plan_words, there=_has_hours, free=_no_plan
)
ALERT_INTERVAL = Lever(
    "alert_interval_s",
    "time between alerts",
    "time between alerts",
    _seconds_or("none", "at least "),
    there=lambda c: len(c.alert_interval_choices_s) > 1,
    choices=lambda c: (0.0, *c.alert_interval_choices_s),
)
ALERT_CLASSES = Lever(
    "alert_classes",
    "alert filter",
    "alert filter",
    _classes_or("none, all that is recorded"),
    there=lambda c: bool(c.object_classes),
    free=_class_sets,
)
OTHER_CAUSES = Lever[tuple[str, ...]](
    "causes_off",
    "other causes",
    "",
    lambda off, _c: f"OFF: {', '.join(off)}" if off else "on",
    there=lambda c: bool(c.starts_clips),
    carried=lambda v, c: tuple(cause for cause in v if cause in c.starts_clips),
    free=lambda c: tuple(dict.fromkeys(((), *((cause,) for cause in c.starts_clips), c.starts_clips))),
    help="What else than motion starts a clip and an alert, such as a sound or the button of a door.",
)
PHONE = Lever(
    "phone_allows",
    "phone",
    "phone allows it",
    _either("lets alerts through", "does not let alerts through (permission, battery saver)"),
)
STATUS_LIGHT = Lever[str](
    "status_light",
    "status light",
    "",
    lambda value, _c: {"": "not known", "none": "it has none"}.get(value, value),
    free=lambda _c: ("", "on", "off", "none"),
    unsaid="",
)
TARGET = Lever[StoreKind | Literal[""]](
    "target",
    "records to",
    "target",
    lambda value, _c: str(value) or "not known",
    choices=lambda c: ("", *c.storage.targets),
    carried=lambda v, c: v if v in c.storage.targets else "",
    unsaid="",
)
OVERWRITE = Lever(
    "overwrite",
    "when the store is full",
    "room",
    _either("the oldest is overwritten", "STOPS (nothing is recorded then)"),
)
MODE = Lever[RecordingMode](
    "mode",
    "when it writes",
    "recording hours",
    lambda value, _c: str(value),
    choices=lambda c: c.storage.modes,
    carried=lambda v, c: v if v in c.storage.modes else c.storage.modes[0],
)
QUALITY = Lever[str](
    "quality",
    "quality",
    "",
    _quality_words,
    there=lambda c: bool(c.storage.qualities),
    choices=lambda c: ("", *(q.label for q in c.storage.qualities)),
    carried=lambda v, c: v if c.storage.quality(v) is not None else "",
)
SNAPSHOTS = _of_list(
    "snapshot_every_s",
    "snapshots",
    "",
    _seconds_or("none", "every "),
    "storage.snapshot_choices_s",
    there=lambda c: len(c.storage.snapshot_choices_s) > 1,
)
SECOND_STREAM = Lever[bool](
    "second_stream",
    "second stream",
    "",
    _either("recorded", "not recorded"),
    there=lambda c: bool(c.storage.second_mbit_s),
    choices=lambda c: (False, True) if c.storage.second_mbit_s else (False,),
    carried=lambda v, c: v and bool(c.storage.second_mbit_s),
)


def _has_white_light(capability: Capability) -> bool:
    return capability.storage.power is None or bool(capability.storage.power.white_light_w)


WHITE_LIGHT = Lever[bool](
    "white_light",
    "light at night",
    "",
    _either("white", "infrared"),
    there=_has_white_light,
    choices=lambda c: (False, True) if _has_white_light(c) else (False,),
    carried=lambda v, c: v and _has_white_light(c),
)


def _offered_extras(pairs: tuple[tuple[str, str], ...], capability: Capability) -> tuple[tuple[str, str], ...]:
    offered = {extra.name: extra.choices for extra in capability.extras}
    return tuple((name, choice) for name, choice in pairs if choice in offered.get(name, ()))


EXTRAS = Lever[tuple[tuple[str, str], ...]](
    "extras",
    "other settings",
    "",
    lambda pairs, _c: "; ".join(f"{name}: {choice}" for name, choice in pairs) or NOT_KNOWN,
    there=lambda c: bool(c.extras),
    carried=lambda v, c: tuple(
        (n, choice) for n, choice in v if any(n == e.name and choice in e.choices for e in c.extras)
    ),
    free=lambda _c: ((),),
    unsaid=(),
    help="What changes no figure of Guardia, such as a light or a siren: noted, put on the sheet and read back.",
)

LEVERS: tuple[Lever[Any], ...] = (
    DETECTION_ON, ZONES, NOTCH, DIRECT, NIGHT_NOTCH, HOLD, OBJECTS, PRE_RECORD, LENGTH, STOP_WHEN_STILL, REST, RELEASE,
    RECORDING_PLAN, MODES, ALERTS_ON, ALERT_PLAN, ALERT_INTERVAL, ALERT_CLASSES, OTHER_CAUSES, PHONE, STATUS_LIGHT,
    TARGET, OVERWRITE, MODE, QUALITY, SNAPSHOTS, SECOND_STREAM, WHITE_LIGHT, EXTRAS,
)  # fmt: skip
"""In the order in which they are entered and act."""

LEVER_OF = {lever.id: lever for lever in LEVERS}


def unknown_words(settings: Settings) -> str:
    """What decides what triggers and is not known, by name."""
    return ", ".join(lever.name for lever in LEVERS if lever.id in DECIDING and not lever.known(settings))


def changed_levers(one: Settings, other: Settings) -> list[Lever[Any]]:
    """The levers that stand differently."""
    return [
        lever for lever in LEVERS
        if lever.read(one) != lever.read(other) or lever.known(one) != lever.known(other)
    ]  # fmt: skip


def limits_broken(candidate: Candidate, *, installed: Settings | None = None) -> list[str]:
    """Say in plain sentences what this make cannot be told.

    Args:
        candidate: Settings and make.
        installed: What stands on the camera already: where a lever is left as it is there, the camera can have it,
            whatever is known of its make.

    Returns:
        One sentence per limit; empty when everything can be entered.
    """
    settings, capability = candidate.settings, candidate.capability
    moved = LEVERS if installed is None else changed_levers(installed, settings)
    broken = zone_limits_broken(settings, capability) if ZONES in moved else []
    for lever in moved:
        value = lever.read(settings)
        if lever.choices is not None and value not in lever.choices(capability):
            broken.append(f"This make does not offer '{lever.say(value, capability)}' as {lever.name}.")
    for hours in (RECORDING_PLAN, ALERT_PLAN):
        if hours in moved and hours.read(settings) is not None and not _has_hours(capability):
            broken.append(f"This make has no {hours.name}.")
    for classes in (OBJECTS, ALERT_CLASSES):
        unknown = [name for name in classes.read(settings) if name not in capability.object_classes]
        if unknown and classes in moved:
            broken.append(f"This make's {classes.name} does not know: {', '.join(unknown)}.")
    return broken
