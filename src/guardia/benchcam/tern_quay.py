"""Two weeks at the six places of Tern Quay: what happens, what the installed settings record, and the truth.

Tern Quay is an invented boatyard. Each camera has one mistake in its settings to find. The truth is written to files of
their own that nothing reads but the builder of the demo's judgements and the tests.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from functools import lru_cache
from zoneinfo import ZoneInfo

import numpy as np

from guardia.benchcam import places
from guardia.benchcam.actors import Actor, Insect, Van, Walker
from guardia.benchcam.camera import View, lit
from guardia.benchcam.place import Place
from guardia.benchcam.scene import Light, Still
from guardia.benchcam.tern_quay_events import (
    Event,
    drive_event,
    far_work_event,
    four_legs_event,
    gull_event,
    person_event,
    walk_test_event,
)
from guardia.benchcam.weather import CloudShadow, Headlights, Nudge, Rain, SunPatch, Water, Web, Wind
from guardia.core.evidence.clips import Cause
from guardia.core.hours.plan import EVERY_DAY, Edge, Stretch, WeekPlan
from guardia.core.make.settings import Settings
from guardia.core.make.zones import BlockZone

TIME_ZONE = "Europe/London"
LATITUDE, LONGITUDE = 50.2, -0.6
"""Out at sea: the boatyard is invented."""
FIRST_DAY = datetime(2026, 9, 7, tzinfo=ZoneInfo(TIME_ZONE))
DAYS = 14
WINDY_DAYS = (1, 2, 5, 8, 11)
WET_NIGHTS = (3, 8, 12)
VIEW_OF = "Slipway"
"""The camera whose view stands for the site."""

JUDGED_DAYS = 10
"""The demo's technician has judged the first of the days; the last are left to judge."""

VISITS = ((2, 10.2), (6, 11.1), (9, 16.4))
"""Day and hour of a visit that passes one camera after another."""

VISIT_WAY = ("office-step", "pontoon-gate", "slipway")

REAL_KINDS = ("person", "vehicle", "parcel")
CONTINUOUS_S = 240.0

Span = tuple[float, float, float]
"""Begin, length and strength (0..1) of a gust or a spell of glitter."""


def _water_edge() -> BlockZone:
    """Only the ramp's lower end is watched: drawn too tight."""
    on = [8 <= c <= 13 and 5 <= r <= 7 for r in range(18) for c in range(22)]
    return BlockZone(22, 18, tuple(on))


PLACES: tuple[Place, ...] = (
    Place(
        "pontoon-gate",
        "Pontoon gate",
        places.pontoon_gate,
        # Set 'to be safe': nearly the most sensitive, no zones, no hold, and a long rest after every clip.
        Settings.of("polygon-mains-camera", "9", rest_s=30.0, pre_record_s=3.0, length_s=14.0),
        lines=(
            ((-2.6, 5.0), (0.15, 9.0), (0.4, 22.0)),
            ((2.4, 5.2), (0.1, 9.0), (-0.4, 28.0)),
            ((-3.7, 6.2), (3.7, 6.6)),
        ),
        far_line=((0.3, 23.0), (-0.2, 38.0)),
        ropes=((-4.3, 17.6), (4.4, 17.0), (-4.7, 27.5), (5.0, 27.0)),
        flag=True,
        sun_column=452,
        names=("person", "vehicle", "animal"),
        list_form="json lines",
    ),
    Place(
        "slipway",
        "Slipway",
        places.slipway,
        # The zone is drawn so tight at the water's edge that people on the ramp are missed.
        Settings.of("grid-zone-recorder", "5", (_water_edge(),), release_s=2.0, rest_s=10.0, pre_record_s=5.0),
        lines=(
            ((-2.0, 5.0), (0.4, 9.0), (0.6, 15.5)),
            ((2.4, 5.2), (0.6, 14.5)),
            ((-3.6, 7.5), (3.6, 8.0)),
            ((-1.6, 13.0), (2.8, 14.0)),
        ),
        far_line=((-2.2, 15.0), (3.0, 15.6)),
        drives=(((0.6, 6.0), (0.5, 14.0)),),
        ropes=((5.6, 24.0), (-6.1, 30.0)),
        flag=True,
        sun_column=250,
        # The recorder's disk does not overwrite, and is full in the second week.
        full_from_s=12.5 * 86400,
    ),
    Place(
        "workshop-door",
        "Workshop door",
        places.workshop_door,
        # Motion must last two seconds: who crosses quickly is missed, and the camera rests for half a minute.
        # The night was entered up to midnight only.
        Settings.of(
            "phone-as-camera",
            "high",
            hold_s=2.0,
            release_s=2.0,
            rest_s=30.0,
            pre_record_s=3.0,
            recording_plan=WeekPlan((Stretch(EVERY_DAY, Edge(360), Edge(1440)),)),
        ),
        lines=(
            ((-1.0, 5.0), (1.4, 15.0)),
            ((2.6, 5.2), (1.2, 15.0)),
            ((-5.0, 8.0), (5.0, 7.0)),
            ((1.0, 15.0), (-3.8, 15.0)),
        ),
        far_line=((-6.0, 14.6), (-3.8, 15.0)),
        drives=(((1.4, 6.0), (1.4, 12.8)), ((-7.5, 9.5), (7.5, 9.5))),
    ),
    Place(
        "fuel-berth",
        "Fuel berth",
        places.fuel_berth,
        # Turned down against the glitter until half of the people are missed too.
        Settings.of("polygon-mains-camera", "6", hold_s=0.4, rest_s=5.0, length_s=14.0),
        lines=(
            ((-3.0, 5.2), (1.4, 8.8)),
            ((3.2, 5.0), (1.0, 9.0)),
            ((-3.4, 10.4), (5.0, 10.6)),
            ((-3.0, 17.0), (6.0, 17.0)),
        ),
        far_line=((-4.0, 17.0), (7.0, 17.0)),
        ropes=((2.0, 20.5), (-4.4, 26.0)),
        flag=True,
        sun_column=300,
        names=("person", "vehicle", "animal"),
        list_form="json lines",
    ),
    Place(
        "winter-store",
        "Winter store",
        places.winter_store,
        # A battery camera that rests a minute after every clip and records nothing from before the trigger; long clips
        # and a picture a minute empty it, and for a day and a half nobody notices.
        Settings.of("battery-camera-on-hub", "high", rest_s=60.0, length_s=30.0),
        lines=(((0.2, 24.0), (0.0, 6.0)), ((0.4, 24.0), (-1.4, 12.0), (1.6, 8.0)), ((-1.6, 10.5), (1.8, 10.5))),
        far_line=((-2.0, 24.5), (2.2, 24.5)),
        open_air=False,
        clock_error_s=-400.0,
        down=(6 * 86400 + 3 * 3600.0, 7 * 86400 + 9 * 3600.0),
    ),
    Place(
        "office-step",
        "Office step",
        places.office_step,
        # Watches the road beyond the hedge as well as the path; its alert hours were set by the dusk of June.
        Settings.of(
            "polygon-solar-camera",
            "5",
            rest_s=15.0,
            length_s=10.0,
            alert_plan=WeekPlan((Stretch(EVERY_DAY, Edge(1290), Edge(285), overnight=True),)),
        ),
        lines=(((0.8, 17.0), (0.3, 9.0), (2.6, 6.2)), ((2.6, 6.2), (0.3, 9.0), (0.9, 17.2)), ((-2.2, 8.0), (2.4, 6.4))),
        far_line=((-6.0, 18.4), (7.0, 18.4)),
        false_drives=(((-14.0, 21.0), (14.0, 21.0)), ((14.0, 23.4), (-14.0, 23.4))),
        parcels=True,
        names=("person", "vehicle", "parcel"),
        list_form="json lines",
        staff=True,
    ),
)


@dataclass(frozen=True, eq=False)
class Scene:
    """A place in its still picture and all that happens there.

    `calls` are moments at which it records for a reason of their own: (seconds of the scene's clock, cause); `from_day`
    is the midnight that its clock counts from; `mirrored` shows left and right changed over.
    """

    place: Place
    still: Still
    events: tuple[Event, ...]
    gusts: tuple[Span, ...]
    glitter: tuple[Span, ...]
    continuous_s: tuple[float, ...]
    walk_test_s: float
    snapshots: tuple[float, ...]
    calls: tuple[tuple[float, Cause], ...]
    from_day: datetime = FIRST_DAY
    mirrored: bool = False

    def local_time(self, at_s: float) -> datetime:
        """Wall time at the site of a moment of the scene's clock."""
        return self.from_day + timedelta(seconds=at_s)

    def view(self, at_s: float, seed: int) -> View:
        """The camera's view around a moment."""
        light = self.light(at_s)
        nearby = [e for e in self.events if e.begin_s < at_s + 900 and e.end_s > at_s - 60]
        moving = sorted((a for e in nearby for a in e.actors), key=_depth, reverse=True)
        water = Water(
            self.still, tuple(g for g in self.glitter if abs(g[0] - at_s) < 1200), sun_column=self.place.sun_column or 0
        )
        gusts = tuple(g for g in self.gusts if abs(g[0] - at_s) < 1200)
        wind = Wind(self.still, gusts, 0.05 if self.place.open_air else 0.0, self.place.flag, self.place.ropes)
        level = 0.93 + 0.09 * np.sin(at_s / 5000)
        base = lit(self.still, light, level=float(level))
        return View(base, [water, wind, *moving], light, seed, mirrored=self.mirrored)

    def light(self, at_s: float) -> Light:
        """Light at a moment of the scene's clock."""
        hour = at_s / 3600 % 24
        if 6.6 <= hour < 19.2:
            return Light.DAY
        return Light.DUSK if 6.1 <= hour < 20.0 else Light.NIGHT


def _depth(actor: Actor) -> float:
    if isinstance(actor, Nudge):
        return -1.0
    return max(p[2] for p in actor.path) if isinstance(actor, Walker | Van) else 5.0


def local_time(at_s: float) -> datetime:
    """Wall time at the site of a moment of the scene's clock."""
    return FIRST_DAY + timedelta(seconds=at_s)


class _Making:
    """Two weeks at a place while they are made up.

    Args:
        place: The place.
        seed: Of everything that is left to chance.
    """

    def __init__(self, place: Place, seed: int) -> None:
        self.place, self.number = place, next(n for n, p in enumerate(PLACES) if p.slug == place.slug)
        self.rng, self.extra, self.late = (
            np.random.default_rng([seed, self.number, *more]) for more in ((), (1,), (2,))
        )
        self.events: list[Event] = []
        self.gusts: list[Span] = []
        self.glitter: list[Span] = []

    def moment(self, day: int, low: float, high: float) -> float:
        """Somewhere between two hours of a day."""
        return day * 86400.0 + self.rng.uniform(low, high) * 3600

    def add(self, kind: str, begin: float, lasts: float, *drawn: Actor) -> None:
        """Have something happen."""
        self.events.append(Event(kind, begin, begin + lasts, drawn))

    def gust(self, begin: float) -> None:
        """Have the wind move what stands there."""
        lasts = self.rng.uniform(12, 22)
        self.gusts.append((begin, lasts, self.rng.uniform(0.6, 0.95)))
        self.add("flag_or_rope" if self.place.flag else "foliage", begin, lasts)

    def people(self, day: int, *, weekend: bool) -> None:
        """Who comes by day."""
        place, rng = self.place, self.rng
        for low, high in ((7.0, 11.0), (14.0, 19.0)):
            if rng.random() < (0.5 if weekend else 0.8):
                begin = self.moment(day, low, high)
                if place.staff and not weekend:
                    # They come and go at much the same time; the minutes differ from day to day.
                    usual = 8.1 if high < 12 else 17.3
                    begin = day * 86400 + (usual + begin % 1800 / 3600 * 0.6) * 3600
                event = person_event(rng, place, begin)
                self.events.append(replace(event, expected=place.staff and not weekend))

    def wheels(self, day: int, *, weekend: bool) -> None:
        """What drives there, and who comes in the dark."""
        place, rng = self.place, self.rng
        if place.drives and not weekend and rng.random() < 0.5:
            line = place.drives[int(rng.integers(len(place.drives)))]
            self.events.append(drive_event(rng, line, self.moment(day, 9.0, 17.0), "vehicle"))
        for _ in range(int(rng.integers(1, 3)) if place.false_drives else 0):
            line = place.false_drives[int(rng.integers(len(place.false_drives)))]
            self.events.append(drive_event(rng, line, self.moment(day, 7.5, 19.0), "other_false"))
        if day % 4 == self.number % 4:
            self.events.append(person_event(rng, place, self.moment(day, 20.6, 23.6), night=True))

    def under_the_sky(self, day: int) -> None:
        """Wind, water, birds, clouds and rain."""
        place, rng, windy = self.place, self.rng, day in WINDY_DAYS
        for low, high in ((7.0, 18.8), (21.0, 23.5)) if windy else ():
            self.gust(self.moment(day, low, high))
        if not windy and place.sun_column is not None:
            begin, lasts = self.moment(day, 11.0, 15.0), rng.uniform(14, 24)
            self.glitter.append((begin, lasts, rng.uniform(0.8, 1.0)))
            self.add("reflection_or_water", begin, lasts)
        if rng.random() < 0.4:
            self.events.append(gull_event(rng, self.moment(day, 6.8, 18.8)))
        if rng.random() < 0.2:
            begin = self.moment(day, 9.0, 17.0)
            self.add("shadow", begin, 16, CloudShadow(begin, 16.0))
        if day in WET_NIGHTS:
            begin = self.moment(day, 20.5, 23.0)
            self.add("rain_or_snow", begin, 20, Rain(day * 1000, begin, 20.0))

    def indoors(self, day: int) -> None:
        """Sun through the window."""
        if self.rng.random() < 0.8:
            begin = self.moment(day, 10.0, 16.0)
            self.add("shadow", begin, 14, SunPatch(begin, 14.0, float(self.rng.uniform(180, 400))))

    def night(self, day: int) -> None:
        """Lights, insects and four legs."""
        rng = self.rng
        if self.place.drives and rng.random() < 0.35:
            begin = self.moment(day, 20.3, 23.8)
            self.add("headlights", begin, 5.0, Headlights(begin, 5.0))
        if rng.random() < 0.45:
            begin, lasts = self.moment(day, 20.3, 23.8), rng.uniform(6, 14)
            moths = Insect(int(rng.integers(1 << 30)), begin, lasts, int(rng.integers(1, 3)))
            self.add("insect_or_web", begin, lasts, moths)
        if rng.random() < 0.2:
            self.events.append(four_legs_event(rng, self.moment(day, 6.5, 23.0)))

    def single(self) -> None:
        """What happens once or twice: ways along several cameras, a web, work far off, a nudge."""
        slug = self.place.slug
        if slug in VISIT_WAY:
            for day, hour in VISITS:
                begin = day * 86400 + hour * 3600 + 40.0 * VISIT_WAY.index(slug)
                self.events.append(person_event(self.extra, self.place, begin, run=day == VISITS[-1][0]))
        if slug == "slipway":
            for day in (4, 9, 10, 13):
                begin = day * 86400 + self.extra.uniform(20.5, 23.5) * 3600
                self.add("insect_or_web", begin, 16.0, Web(begin, 16.0))
        for day in range(DAYS):
            if self.late.random() < 0.15:
                begin = day * 86400 + self.late.uniform(0.4, 5.2) * 3600
                self.events.append(person_event(self.late, self.place, begin, night=True))
        if slug == "winter-store":
            self.events.append(far_work_event(day=4, hour=14.3))
        if slug == "fuel-berth":
            begin = 8 * 86400 + 14.4 * 3600
            self.add("camera_moved", begin, 10.0, Nudge(begin, 10.0))

    def footage(self) -> tuple[float, ...]:
        """When it records without end for a while, and who comes then."""
        number = self.number
        both = (3 * 86400 + (15.2 + number / 7) * 3600, 6 * 86400 + (21.2 + number / 3) * 3600)
        continuous: tuple[float, ...] = both if number == 0 else both[number % 2 : number % 2 + 1]
        if self.place.installed.hours.recording_plan is not None:
            continuous = (*continuous, 8 * 86400 + 2.3 * 3600)
        for begin in continuous:
            dark = not 21600 < begin % 86400 < 72000
            for offset, far in ((30.0, True), (100.0, False), (121.0, False), (196.0, True)):
                self.events.append(person_event(self.rng, self.place, begin + offset, night=dark, far=far))
            if self.place.open_air:
                for offset in (68.0, 160.0):
                    self.gust(begin + offset)
        return continuous


@lru_cache(maxsize=8)
def _painted(paint: Callable[[], Still]) -> Still:
    """A still scene, which takes seconds to paint: once for all days of a week."""
    return paint()


def build_scene(place: Place, *, seed: int = 11) -> Scene:
    """Make up two weeks at a place."""
    made = _Making(place, seed)
    for day in range(DAYS):
        weekend = (FIRST_DAY + timedelta(days=day)).weekday() >= 5
        made.people(day, weekend=weekend)
        made.wheels(day, weekend=weekend)
        if place.open_air:
            made.under_the_sky(day)
        else:
            made.indoors(day)
        made.night(day)
    made.single()
    continuous = made.footage()
    walk_test = 5 * 86400 + (14.0 + made.number / 2) * 3600
    events = tuple(sorted([*made.events, walk_test_event(place, walk_test)], key=lambda e: e.begin_s))
    first, count = 4 * 86400 + 14.1 * 3600, 24 if place.slug == "winter-store" else 0
    snapshots = tuple(first + 60.0 * n for n in range(count))
    return Scene(
        place, _painted(place.paint), events, tuple(made.gusts), tuple(made.glitter), continuous, walk_test, snapshots,
        _calls(place, events),
    )  # fmt: skip


def _calls(place: Place, events: tuple[Event, ...]) -> tuple[tuple[float, Cause], ...]:
    """What the camera records for other reasons than motion."""
    if place.slug == "office-step":
        # Who brings a parcel presses the button at the step.
        rings = [e.end_s - 6.0 for e in events if e.kind == "parcel"][:3]
        return tuple((at, Cause.BUTTON) for at in rings)
    return {
        "pontoon-gate": ((2 * 86400 + 12.4 * 3600, Cause.LIVE_LOOK), (9 * 86400 + 18.2 * 3600, Cause.LIVE_LOOK)),
        "workshop-door": ((1 * 86400 + 22.1 * 3600, Cause.SOUND), (7 * 86400 + 13.3 * 3600, Cause.SOUND)),
        "winter-store": ((3 * 86400 + 11.2 * 3600, Cause.BY_HAND),),
    }.get(place.slug, ())


def right_kind(events: list[dict[str, object]], start_s: float, end_s: float) -> str:
    """The judgement that is right for an occurrence: what is real outweighs what is false, else the longest overlap.

    Args:
        events: From the truth file, of one clip.
        start_s: Beginning of the occurrence on the clip's clock.
        end_s: Its end.

    Returns:
        Id of a kind; 'other_false' when nothing happened.
    """
    best, kind = 0.0, "other_false"
    for event in events:
        overlap = min(end_s, float(str(event["end_s"]))) - max(start_s, float(str(event["start_s"])))
        weight = overlap * (1000 if event["kind"] in REAL_KINDS else 1)
        if overlap > 0.3 and weight > best:
            best, kind = weight, str(event["kind"])
    return kind
