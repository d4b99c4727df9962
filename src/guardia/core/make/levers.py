"""The levers of a camera: what can be set, how a make bounds it, its words, and whether moving it could show more.

One table serves the settings sheet, the check of a make's limits, what the evidence cannot show, proposals and tuning.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from guardia.core.hours.modes import Mode
from guardia.core.hours.periods import to_periods
from guardia.core.hours.place import SitePlace
from guardia.core.hours.plan import WeekPlan, covers_more
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings, zone_limits_broken
from guardia.core.make.zone_parts import zone_parts
from guardia.core.storage.rules import RecordingMode
from guardia.core.trace.measure import Grid


class Reached(NamedTuple):
    """What the zones and the sensitivity of one set of settings reach, cell by cell.

    Parameters
    ----------
    contrast
        (rows, columns) least luma step that counts, infinite where nothing is watched.
    size
        (rows, columns) size needed, likewise.
    """

    contrast: NDArray[np.float64]
    size: NDArray[np.float64]


def reached(candidate: Candidate, *, grid: Grid, dark: bool) -> Reached:
    """Contrast and size at which each cell counts by day or at night, with the notches of single zones.

    Parameters
    ----------
    candidate
        Settings and make.
    grid
        Columns and rows of cells.
    dark
        At night.

    Returns
    -------
    Reached
        The least of all zones that hold the cell.

    Raises
    ------
    InvalidValue
        If the make has no such notch.
    """
    contrast, size = np.full(grid.shape, np.inf), np.full(grid.shape, np.inf)
    for part in zone_parts(candidate, grid=grid):
        if part.dark not in (None, dark):
            continue
        contrast[part.cells] = np.minimum(contrast[part.cells], part.contrast)
        size[part.cells] = np.minimum(size[part.cells], part.needed)
    return Reached(contrast, size)


@dataclass(frozen=True)
class Lever:
    """One thing that can be set.

    Parameters
    ----------
    id
        Name of the value in Settings.
    words
        Its name on screen and on the sheet.
    choices
        What a make offers, None when the make does not bound it by a list.
    sheet
        Its line on the settings sheet, empty where a make has nothing to set.
    shows_more
        Whether the second value could record what the first never let into a clip: what the camera does while it would
        be resting or recording under the first is not in the evidence.
    """

    id: str
    words: str
    choices: Callable[[Capability], tuple[object, ...]] | None
    sheet: Callable[[Settings, Capability], str]
    shows_more: Callable[[object, object], bool]

    def value(self, settings: Settings) -> object:
        """What it is set to."""
        return settings.value(self.id)


def _less(old: object, new: object) -> bool:
    return float(str(new)) < float(str(old))


def _more(old: object, new: object) -> bool:
    return float(str(new)) > float(str(old))


def _on(old: object, new: object) -> bool:
    return bool(new) and not old


def _shorter(old: object, new: object) -> bool:
    """A shorter recording frees the camera sooner; one that lasts until it is still has no length of its own."""
    return old != new and (old is None or new is None or _less(old, new))


def _wider(old: object, new: object) -> bool:
    """A filter that lets another class through, or none; both are tuples of classes."""
    before, after = set(map(str, _classes(old))), set(map(str, _classes(new)))
    return bool(before) and (not after or not after <= before)


def _classes(value: object) -> tuple[object, ...]:
    return value if isinstance(value, tuple) else ()


def _longer_hours(old: object, new: object) -> bool:
    return covers_more(_as_plan(new), _as_plan(old))


def _other_modes(old: object, new: object) -> bool:
    """Modes that differ may record when the others did not, unless the others always did."""
    silent = [mode for mode in old if isinstance(mode, Mode) and not mode.records] if isinstance(old, tuple) else []
    return old != new and bool(silent)


def _never(_old: object, _new: object) -> bool:
    """Alerts record nothing; what a notch lets through is compared cell by cell."""
    return False


def _as_plan(value: object) -> WeekPlan | None:
    return value if isinstance(value, WeekPlan) else None


def _plan_line(subject: str, plan: WeekPlan | None, capability: Capability) -> str:
    """The plan, and the periods that are entered for it where they do not depend on a date."""
    if plan is None:
        return ""
    if plan.follows_sun:
        return f"{subject}: {plan.words}"
    typed = to_periods(plan, capability.schedule, SitePlace("UTC"), date(2001, 1, 1))
    same = "; ".join(typed.lines) == "; ".join(s.words for s in plan.stretches)
    return f"{subject}: {plan.words}" + ("" if same or not typed.lines else f" (enter {'; '.join(typed.lines)})")


def _filter_line(settings: Settings, capability: Capability) -> str:
    return (
        f"Object filter: {', '.join(settings.detection.objects) or 'none, any motion'}"
        if capability.object_classes
        else ""
    )


def _night_line(settings: Settings, capability: Capability) -> str:
    if not capability.night_notch or settings.detection.sensitivity is not None:
        return ""
    return f"Sensitivity at night: {settings.detection.night_notch or 'as by day'}"


def _length_line(settings: Settings, _capability: Capability) -> str:
    if settings.recording.length_s is None:
        return "Records for: as long as it moves"
    sooner = ", stops once it is still" if settings.recording.stop_when_still else ""
    return f"Records for: {settings.recording.length_s:g} s{sooner}"


def _target_line(settings: Settings, _capability: Capability) -> str:
    return f"Records to: {settings.storage.target}" if settings.storage.target else ""


def _mode_line(settings: Settings, _capability: Capability) -> str:
    mode = settings.storage.mode
    return "" if mode is RecordingMode.MOTION else f"Records: {mode}"


LEVERS: tuple[Lever, ...] = (
    Lever(
        "detection_on", "motion detection", None,
        lambda s, _c: f"Motion detection: {'on' if s.detection.detection_on else 'OFF (nothing will be recorded)'}",
        _on,
    ),
    Lever(
        "night_notch", "sensitivity at night",
        lambda c: ("", *(n.label for n in c.notches)) if c.night_notch else ("",), _night_line, _never,
    ),
    Lever(
        "hold_s", "hold time", lambda c: c.hold_choices_s,
        lambda s, _c: f"Motion must last: {s.detection.hold_s:g} s", _less,
    ),
    Lever("objects", "object filter", None, _filter_line, _wider),
    Lever(
        "pre_record_s", "pre-record", lambda c: c.pre_record_choices_s,
        lambda s, _c: f"Pre-record: {s.recording.pre_record_s:g} s", _more,
    ),
    Lever("length_s", "length of a recording", lambda c: c.length_choices_s, _length_line, _shorter),
    Lever(
        "stop_when_still", "stop once it is still", lambda c: (False, True) if c.stop_when_still else (False,),
        lambda _s, _c: "", _on,
    ),
    Lever(
        "rest_s", "rest after a recording", lambda c: c.rest_choices_s,
        lambda s, _c: f"Rest after a recording: {s.recording.rest_s:g} s", _less,
    ),
    Lever("release_s", "release time", None, lambda _s, _c: "", _less),
    Lever(
        "recording_plan", "recording hours", None,
        lambda s, c: _plan_line("Recording hours", s.hours.recording_plan, c), _longer_hours,
    ),
    Lever(
        "modes", "modes", None,
        lambda s, _c: f"Modes: {'; '.join(m.words for m in s.hours.modes)}" if s.hours.modes else "", _other_modes,
    ),
    Lever("alerts_on", "alerts", None, lambda s, _c: "" if s.alerts.alerts_on else "Alerts: off", _never),
    Lever(
        "alert_plan", "alert hours", None, lambda s, c: _plan_line("Alert hours", s.hours.alert_plan, c), _never,
    ),
    Lever(
        "alert_interval_s", "time between alerts", None,
        lambda s, _c: f"Time between alerts: {s.alerts.alert_interval_s:g} s" if s.alerts.alert_interval_s else "",
        _never,
    ),
    Lever(
        "alert_classes", "alert filter", None,
        lambda s, _c: f"Alert filter: {', '.join(s.alerts.alert_classes)}" if s.alerts.alert_classes else "", _never,
    ),
    Lever(
        "phone_allows", "phone", None,
        lambda s, _c: "" if s.alerts.phone_allows else "Phone: does not let alerts through (permission, battery saver)",
        _never,
    ),
    Lever("target", "target", lambda c: ("", *c.storage.targets), _target_line, _never),
    Lever(
        "overwrite", "overwriting", None,
        lambda s, _c: "" if s.storage.overwrite else "When the store is full: STOPS (nothing is recorded then)", _never,
    ),
    Lever("mode", "when it writes", lambda c: c.storage.modes, _mode_line, _never),
    Lever(
        "quality", "quality", lambda c: ("", *(q.label for q in c.storage.qualities)),
        lambda s, _c: f"Quality: {s.storage.quality}" if s.storage.quality else "", _never,
    ),
    Lever(
        "snapshot_every_s", "snapshots", lambda c: c.storage.snapshot_choices_s,
        lambda s, _c: f"Snapshots: every {s.storage.snapshot_every_s:g} s" if s.storage.snapshot_every_s else "",
        _never,
    ),
    Lever(
        "second_stream", "second stream",
        lambda c: (False, True) if c.storage.second_mbit_s else (False,),
        lambda s, _c: "Second stream: recorded" if s.storage.second_stream else "", _never,
    ),
    Lever(
        "white_light", "white light",
        lambda c: (False, True) if c.storage.power is None or c.storage.power.white_light_w else (False,),
        lambda s, _c: "At night: white light" if s.storage.white_light else "", _never,
    ),
)  # fmt: skip
"""In the order in which they act; zones and sensitivity, which act together, are compared cell by cell besides."""


def could_show_more(new: Settings, old: Settings, capability: Capability, *, grid: Grid) -> tuple[str, ...]:
    """By which levers settings might record what others never let into a motion clip.

    Parameters
    ----------
    new
        The settings to try.
    old
        The settings that made the motion clips.
    capability
        The make.
    grid
        Columns and rows of cells.

    Returns
    -------
    tuple[str, ...]
        Words of the levers; none when motion clips show everything that the new settings would do.
    """
    if not new.detection.detection_on:
        return ()
    words = [lever.words for lever in LEVERS if lever.shows_more(lever.value(old), lever.value(new))]
    for dark in sorted({*old.lights, *new.lights}):
        before = reached(Candidate(old, capability), grid=grid, dark=dark)
        after = reached(Candidate(new, capability), grid=grid, dark=dark)
        watched = np.isfinite(after.size)
        if not dark and (watched & ~np.isfinite(before.size)).any():
            words.append("zones")
        both = watched & np.isfinite(before.size)
        if (both & ((after.contrast < before.contrast) | (after.size < before.size))).any():
            words.append("sensitivity at night" if dark else "sensitivity")
    return tuple(words)


def limits_broken(candidate: Candidate) -> list[str]:
    """Say in plain sentences what this make cannot be told.

    Parameters
    ----------
    candidate
        Settings and make.

    Returns
    -------
    list[str]
        One sentence per limit; empty when everything can be entered.
    """
    settings, capability = candidate.settings, candidate.capability
    broken = zone_limits_broken(settings, capability)
    for lever in LEVERS:
        value = lever.value(settings)
        if lever.choices is not None and value not in lever.choices(capability):
            broken.append(f"This make does not offer {_as_words(value)}{lever.words}.")
    broken += _hours_broken(settings, capability)
    unknown = [name for name in settings.detection.objects if name not in capability.object_classes]
    if unknown:
        broken.append(f"This make's object filter does not know: {', '.join(unknown)}.")
    return broken


def _as_words(value: object) -> str:
    """A value that is not on offer, before the words of its lever."""
    if isinstance(value, bool):
        return ""
    if value is None:
        return "'as long as it moves' as "
    return f"{value:g} s as " if isinstance(value, float | int) else f"'{value}' as "


def _hours_broken(settings: Settings, capability: Capability) -> list[str]:
    """What of the hours and the alerts this make cannot be told."""
    broken = []
    plans = {"recording hours": settings.hours.recording_plan, "alert hours": settings.hours.alert_plan}
    for words, plan in plans.items():
        if plan is not None and not capability.schedule.periods_a_day:
            broken.append(f"This make has no {words}.")
    interval = settings.alerts.alert_interval_s
    if interval not in capability.alert_interval_choices_s and interval:
        broken.append(f"This make does not offer {interval:g} s between alerts.")
    unknown = [name for name in settings.alerts.alert_classes if name not in capability.object_classes]
    if unknown:
        broken.append(f"This make's alert filter does not know: {', '.join(unknown)}.")
    return broken
