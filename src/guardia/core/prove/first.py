"""First settings, before there is any clip: from what a camera is for, what it sees and what its make offers.

Nothing here is measured on this camera. Each choice says why it was made and in which band it holds; walks prove it.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray
from shapely import Polygon, box, union_all
from shapely.geometry import MultiPoint

from guardia.core.base.distances import density, distance
from guardia.core.base.words import listed
from guardia.core.hours.place import SitePlace
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Notch
from guardia.core.make.convert_zones import convert
from guardia.core.make.levers import (
    ALERT_CLASSES,
    ALERT_PLAN,
    ALERTS_ON,
    DETECTION_ON,
    HOLD,
    LENGTH,
    LEVER_OF,
    NIGHT_NOTCH,
    NOTCH,
    OBJECTS,
    OVERWRITE,
    PRE_RECORD,
    QUALITY,
    RECORDING_PLAN,
    REST,
    TARGET,
    ZONES,
    Lever,
)
from guardia.core.make.outlines import outline_of
from guardia.core.make.zones import MadeBy, PolygonZone, Zone, ZoneKind
from guardia.core.prove.walks import Walk, Way
from guardia.core.purpose.purpose import REAL_KINDS, Purpose
from guardia.core.score.reach import ASSUMED_SHARE, THINGS, Shown, Thing, reach_m
from guardia.core.storage.rules import Quality
from guardia.core.storage.stores import OFF_SITE, StoreKind
from guardia.core.trace.measure import GRID, Grid
from guardia.core.tuning.entered import as_entered
from guardia.core.view.geometry import KnownView, ViewGeometry, density_words

ADULT, CAR, DOG = THINGS[0], THINGS[4], THINGS[3]
THING_OF = {"vehicle": CAR, "animal_that_matters": DOG}
"""What stands for a kind; a person for every other."""

CLASS_OF = {"person": "person", "vehicle": "vehicle", "animal_that_matters": "animal", "parcel": "parcel"}
"""The class by which a camera names a kind; the others it cannot name."""

SELDOM = frozenset(("parcel", "other_real"))
"""Kinds that need not be named: somebody brings them."""

FARTHEST_M = 40.0
"""Nobody is asked for farther away where a drawn part goes up to the horizon (common practice, no source)."""

WALK_M_S = 1.4
"""A walking adult (common practice, no source)."""

LONGEST_HOLD_S = 1.0
"""A first minimum duration is no longer: it is there for insects and gulls (common practice, no source)."""

HOLD_SHARE = 0.25
"""Nor longer than this share of what somebody needs to cross."""

RECORDED_MIN = (10.0, 30.0, 120.0)
"""Minutes a day that a camera records by motion while nothing is known: at least, about, at most (no source)."""

MANY_DAYS = 1000
"""Nobody asks for more."""

BEYOND_SHARE = 1.2
"""A reach up to this many times the far edge is not worth a word."""

NEAR_SHARE = 0.4
"""A walk towards the camera ends at this share of the far edge."""


@dataclass(frozen=True)
class First:
    """One setting that is chosen."""

    setting: str
    """Its name."""
    value: str
    """In words."""
    why: str
    """Why, with its figures and their band."""


@dataclass(frozen=True)
class FirstSettings:
    """Settings to begin with."""

    candidate: Candidate
    """The settings, with their make."""
    chosen: tuple[First, ...]
    """What was chosen, in the order in which it is entered; the others stay as they are."""
    walks: tuple[Walk, ...]
    """Walks that would prove them; none while the view is not known."""
    missing: tuple[str, ...]
    """What would make them better, in sentences."""


def first_settings(
    now: Candidate, purpose: Purpose, known: KnownView | None, *, place: SitePlace, on: date, grid: Grid = GRID
) -> FirstSettings:
    """Choose settings for a camera of which there is no clip yet.

    Args:
        now: What is set, or stands in for it; what is not chosen here stays.
        purpose: What the camera is for; its drawn part is the ground that matters.
        known: What is known of its view; None while nothing is.
        place: Of the site, for hours by the sun.
        on: The date on which hours are entered.
        grid: Columns and rows of cells in which zones are fitted.

    Returns:
        The settings, each choice with its reason.
    """
    return _Choosing(now, purpose, known, place, on, grid).all()


class _Choosing:
    """The choices, one after another."""

    def __init__(
        self, now: Candidate, purpose: Purpose, known: KnownView | None, place: SitePlace, on: date, grid: Grid
    ) -> None:
        self.now, self.make, self.purpose, self.known = now, now.capability, purpose, known
        self.place, self.on, self.grid = place, on, grid
        self.view = known.view if known is not None else None
        self.far_m, self.wide_m = self._ground()
        self.values: dict[str, Any] = {}
        self.chosen: list[First] = []
        self.missing: list[str] = []

    def choose(self, lever: Lever[Any], value: Any, why: str) -> None:
        """Choose a value where the make has this setting at all."""
        if lever.there(self.make):
            self.values[lever.id] = value
            self.chosen.append(First(lever.subject, lever.say(value, self.make), why))

    def all(self) -> FirstSettings:
        """All of them, in the order in which they are entered."""
        self.choose(DETECTION_ON, True, "without it nothing is recorded by motion")
        self._zones()
        self._level()
        self._times()
        self._filter()
        self._hours()
        self._store()
        order = {lever_id: n for n, lever_id in enumerate(LEVER_OF)}
        by_name = {LEVER_OF[name].subject: order[name] for name in self.values}
        chosen = tuple(sorted(self.chosen, key=lambda one: by_name[one.setting]))
        return FirstSettings(self.now.with_values(**self.values), chosen, tuple(self._walks()), tuple(self.missing))

    def _ground(self) -> tuple[float | None, float]:
        """Far edge of the part that matters, metres ahead, None where nobody knows; and how wide it is there."""
        if self.view is None or not self.purpose.area:
            return None, math.inf
        ground = self.view.to_ground(np.array(self.purpose.area))
        ground[~np.isfinite(ground).all(axis=1)] = (0.0, FARTHEST_M)
        far = float(min(ground[:, 1].max(), FARTHEST_M, self.view.farthest_m))
        return max(1.0, far), float(np.ptp(ground[:, 0]))

    def _zones(self) -> None:
        if not self.purpose.area:
            self.missing.append("Draw the part that matters (Purpose): until then the whole picture is watched.")
            return
        if self.make.max_zones < 1:
            self.missing.append("This make has no zones: motion anywhere in the picture records.")
            return
        drawn = PolygonZone(ZoneKind.WATCH, self._upright(), "what matters", made_by=MadeBy.PROPOSED)
        zones: tuple[Zone, ...] = convert((drawn,), self.make, grid=self.grid)
        masks = tuple(
            z for z in self.now.settings.detection.zones if isinstance(z, PolygonZone) and z.kind is ZoneKind.MASK
        )
        grown = self.view is not None and self.make.zone_test == "pixels"
        why = "the part that was drawn" + (", and above it the height of somebody who stands there" if grown else "")
        self.choose(ZONES, (*zones, *masks), why)

    def _upright(self) -> tuple[tuple[float, float], ...]:
        """The drawn ground with what stands on it, where pixels must lie inside the zone."""
        area = self.purpose.area
        if self.view is None or self.make.zone_test != "pixels":
            return area
        points = np.array(Polygon(area).segmentize(0.05).exterior.coords)
        heads = _heads(self.view, points, ADULT.height_m)
        both = [MultiPoint([*points[n : n + 2], *heads[n : n + 2]]).convex_hull for n in range(len(points) - 1)]
        whole = union_all([Polygon(area), *both]).intersection(box(0, 0, 1, 1))
        largest = max(getattr(whole, "geoms", [whole]), key=lambda part: part.area)
        return outline_of(Polygon(largest.exterior).simplify(0.004))

    def _asked(self) -> list[Thing]:
        kinds = dict.fromkeys((*self.purpose.record.kinds, *self.purpose.alert.kinds)) or dict.fromkeys(("person",))
        if kinds.keys() >= {*REAL_KINDS}:
            return [ADULT]  # everything real is asked, and no animal was singled out
        return list(dict.fromkeys(THING_OF.get(kind, ADULT) for kind in kinds))

    def _reach(self, notch: Notch, thing: Thing, size: float, lamp_m: float | None = None) -> float:
        assert self.view is not None
        shown = Shown(ASSUMED_SHARE, 0)
        return reach_m(self.view, thing, contrast=notch.contrast, size=size, across=False, shown=shown, lamp_m=lamp_m)

    def _level(self) -> None:
        """The least sensitive level by which all that is asked triggers at the far edge."""
        middle = self.make.notches[len(self.make.notches) // 2]
        if self.view is None:
            self.missing.append(
                "Say what the camera sees (View): two marks on a picture, or height, tilt and lens. Then the level "
                "goes by its reach."
            )
        if self.view is None or self.far_m is None:
            self.choose(NOTCH, middle.label, "the middle of the scale, as long as the far edge is not known")
            return
        far, smallest = self.far_m, min(self._asked(), key=lambda t: t.height_m * t.towards_m)
        level = self._level_for(far, smallest, None)
        low, high = (self._reach(level, smallest, size) for size in (level.size_high, level.size_low))
        at = self._reach(level, smallest, level.size)
        band = f"{distance(low, to=high)}: the make's own band"
        reaches = f"a {smallest.name} is seen out to about {distance(at)} ({band})"
        why = f"the far edge is at {distance(far)}, and with it {reaches}"
        if at > BEYOND_SHARE * far and ZONES.id in self.values:
            why += "; a road beyond the far edge is kept out by the zone"
        elif at > BEYOND_SHARE * far:
            self.missing.append(
                f"Without a zone somebody triggers out to {distance(at)}, not only to {distance(far)}: a road there "
                "would. Tilt it down, or mask what lies beyond."
            )
        if at < far:
            self.missing.append(
                f"No level of this make reaches the far edge: a {smallest.name} is seen out to {distance(at)} of "
                f"{distance(far)}. Place it nearer, or ask for less."
            )
        self.choose(NOTCH, level.label, why)
        lamp = self.known.lamp_m if self.known is not None else None
        if self.make.night_notch and lamp is not None:
            night = self._level_for(min(far, lamp), smallest, lamp)
            self.choose(NIGHT_NOTCH, "" if night == level else night.label, f"its lamp reaches {distance(lamp)}")

    def _level_for(self, far_m: float, thing: Thing, lamp_m: float | None) -> Notch:
        enough = (n for n in self.make.notches if self._reach(n, thing, n.size, lamp_m) >= far_m)
        return next(enough, self.make.notches[-1])

    def _times(self) -> None:
        purpose, make = self.purpose, self.make
        crossing_s = self.wide_m / WALK_M_S if math.isfinite(self.wide_m) else None
        about = "" if crossing_s is None else f"somebody needs about {crossing_s:.0f} s to cross it"
        most = LONGEST_HOLD_S if crossing_s is None else min(LONGEST_HOLD_S, HOLD_SHARE * crossing_s)
        hold = max((s for s in make.hold_choices_s if s <= most), default=min(make.hold_choices_s))
        if len(make.hold_choices_s) > 1:
            self.choose(HOLD, hold, f"insects and gulls are shorter{f'; {about}' if about else ''}")
        pre = next(
            (s for s in sorted(make.pre_record_choices_s) if s >= purpose.before_s), max(make.pre_record_choices_s)
        )
        if len(make.pre_record_choices_s) > 1:
            self.choose(PRE_RECORD, pre, f"{purpose.before_s:g} s before are asked")
        need = purpose.after_s + (crossing_s or 0.0)
        fixed = sorted(s for s in make.length_choices_s if s is not None)
        length = None if None in make.length_choices_s else next((s for s in fixed if s >= need), fixed[-1])
        if len(make.length_choices_s) > 1:
            why = "it goes on while somebody is there" if length is None else f"{purpose.after_s:g} s after are asked"
            self.choose(LENGTH, length, f"{why}{f'; {about}' if about and length is not None else ''}")
        if len(make.rest_choices_s) > 1:
            self.choose(REST, min(make.rest_choices_s), "whoever comes in the pause is missed")

    def _filter(self) -> None:
        """Alerts by class where the camera can name every kind that is to be alerted out to the far edge."""
        make, wanted = self.make, self.purpose.alert.kinds
        self.choose(ALERTS_ON, bool(wanted), "alerts are asked" if wanted else "nobody is to be alerted")
        if not make.object_classes:
            return
        self.choose(OBJECTS, (), "whatever moves is recorded, so that a wrong name loses nothing")
        classes = tuple(dict.fromkeys(CLASS_OF[kind] for kind in wanted if kind in CLASS_OF))
        known = tuple(name for name in classes if name in make.object_classes)
        unnamed = [kind for kind in wanted if CLASS_OF.get(kind) not in make.object_classes]
        if not wanted or not known:
            return
        if set(unnamed) - SELDOM:
            self.choose(ALERT_CLASSES, (), "it cannot name everything that is to be alerted")
            return
        ranges = make.class_range_m
        if ranges is None or self.far_m is None or min(ranges) < self.far_m:
            far = (
                ""
                if ranges is None
                else f" It is said to hold to {distance(ranges[0])} by day, {distance(ranges[1])} in the dark."
            )
            self.choose(ALERT_CLASSES, (), f"none until walks at the far edge show that it names people there.{far}")
            return
        self.choose(ALERT_CLASSES, known, f"alerts are asked for {listed(known)}; everything else stays recorded")

    def _hours(self) -> None:
        self.choose(RECORDING_PLAN, None, "recorded at all hours, since nobody knows yet when something comes")
        wanted = self.purpose.alert.hours
        if not self.purpose.alert.kinds or wanted is None:
            self.choose(ALERT_PLAN, None, "alerts are asked at all hours" if wanted is None else "no alert is asked")
            return
        plan = as_entered(wanted, self.make.schedule, self.place, self.on)
        if plan is None and self.make.schedule.periods_a_day:
            self.missing.append("Say where the site lies (Project, Site): its alert hours follow the sun.")
        self.choose(ALERT_PLAN, plan, "the hours in which alerts are asked")

    def _store(self) -> None:
        rules, purpose = self.make.storage, self.purpose
        self.choose(OVERWRITE, True, "without it recording stops when the store is full")
        quality = self._quality()
        days = [] if quality is None else [rules.largest_gb * 8e3 / (quality.weight * 60 * m) for m in RECORDED_MIN]
        self._target(min(days, default=None))
        if quality is None:
            return
        why = ["the best there is"]
        if purpose.px_m is not None and self.view is not None and self.far_m is not None:
            at = density_words(self.view, self.far_m, quality.width)
            asked = density(purpose.px_m, asked=True)
            why = [f"{asked} are asked; it shows {at}"]
            if self.view.density(self.far_m, quality.width) < purpose.px_m:
                self.missing.append(f"No quality shows {asked} at the far edge: {at}. Place it nearer.")
        if purpose.keep_days is not None:
            most, about, least = (_days(value) for value in days)
            low, middle, high = RECORDED_MIN
            why.append(
                f"{purpose.keep_days:g} days are asked; the largest store, {rules.largest_gb:g} GB, holds {about} days "
                f"({least} to {most}) at {middle:.0f} recorded minutes a day ({low:.0f} to {high:.0f}, assumed)"
            )
        self.choose(QUALITY, quality.label, "; ".join(why))

    def _target(self, least_days: float | None) -> None:
        """The only store there is; of several one at the site if its largest size surely holds the days asked, else a
        plan. Nothing where nobody said for how many days."""
        targets, asked = self.make.storage.targets, self.purpose.keep_days
        at_site = [t for t in targets if t not in OFF_SITE]
        if len(targets) == 1:
            self.choose(TARGET, targets[0], "the only store of this make")
        elif asked is None or least_days is None:
            return
        elif at_site and least_days >= asked:
            self.choose(TARGET, at_site[0], f"its largest size holds the {asked:g} days asked even on busy days")
        elif StoreKind.REMOTE in targets:
            short = f"the largest store holds {_days(least_days)} of the {asked:g} days asked if days are busy"
            self.choose(TARGET, StoreKind.REMOTE, f"{short}; take a plan of at least {asked:g} days")
        else:
            self.choose(TARGET, targets[0], f"no store of this make surely holds {asked:g} days; this one is its first")
            self.missing.append(
                f"On busy days the largest store holds {_days(least_days)} of the {asked:g} days asked: "
                "lower the quality, or save what matters in time."
            )

    def _quality(self) -> Quality | None:
        """The one that takes least room of those that show enough; the best where none does."""
        offered, asked = self.make.storage.qualities, self.purpose.px_m
        if not offered:
            return None
        if asked is None or self.view is None or self.far_m is None:
            return offered[0]
        enough = [q for q in offered if self.view.density(self.far_m, q.width) >= asked]
        return min(enough, key=lambda q: q.weight) if enough else offered[0]

    def _walks(self) -> Iterator[Walk]:
        if self.far_m is None or self.view is None:
            return
        near = max(NEAR_SHARE * self.far_m, self.view.nearest_m if math.isfinite(self.view.nearest_m) else 0.0)
        yield Walk(Way.ACROSS, self.far_m, self.far_m, dark=False, settles=())
        yield Walk(Way.TOWARDS, near, self.far_m, dark=False, settles=())
        lamp = self.known.lamp_m if self.known is not None and self.known.lamp_m is not None else self.far_m
        at = min(self.far_m, lamp)
        yield Walk(Way.ACROSS, at, at, dark=True, settles=())


def _heads(view: ViewGeometry, points: NDArray[np.float64], height_m: float) -> NDArray[np.float64]:
    """(N, 2) where the head of somebody is whose feet stand at picture points; at the horizon the points themselves."""
    ground = view.to_ground(points)
    heads = view.to_picture(np.stack([ground[:, 0], np.full(len(points), height_m), ground[:, 1]], axis=1))
    seen: NDArray[np.float64] = np.where(np.isfinite(heads).all(axis=1, keepdims=True), heads, points)
    return np.clip(seen, 0.0, 1.0)


def _days(days: float) -> str:
    return f"{days:.0f}" if days < MANY_DAYS else f"over {MANY_DAYS}"
