"""Ten days at the pontoon gate of Tern Quay: what happens, what the installed settings record, and the truth.

Tern Quay is an invented boatyard. The truth is written to a file of its own that nothing else reads but the builder of
the demo's judgements and the tests.
"""

from __future__ import annotations

import itertools
import json
from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np

from guardia.benchcam.actors import Actor, CloudShadow, Colour, Gull, Insect, Walker, Water, Wind
from guardia.benchcam.camera import Decider, Recorded, View, lit, record_continuous, record_motion
from guardia.benchcam.scene import Light, Still, pontoon_gate
from guardia.core.capability import Capability
from guardia.core.evidence import Origin
from guardia.core.settings import Settings

SITE_NAME = "Tern Quay"
CAMERA_NAME = "Pontoon gate"
TIME_ZONE = "Europe/London"
FIRST_DAY = datetime(2026, 9, 7, tzinfo=ZoneInfo(TIME_ZONE))
DAYS = 10
WINDY_DAYS = (1, 2, 5, 8)
JUDGED_DAYS = 7
"""The demo's technician has judged the first of the days; the last are left to judge."""

INSTALLED = Settings(
    capability="polygon-mains-camera",
    notch="9",
    hold_s=0.0,
    release_s=1.0,
    retrigger_wait_s=30.0,
    pre_record_s=3.0,
    clip_length_s=12.0,
)
"""Set 'to be safe': nearly the most sensitive, no zones, no hold, and a long rest after every clip."""

_COATS: tuple[Colour, ...] = ((178, 58, 48), (50, 74, 118), (206, 168, 60), (70, 92, 70), (48, 48, 52), (150, 150, 156))


@dataclass(frozen=True)
class Event:
    """One thing that happens, on the scene's clock (seconds from FIRST_DAY's midnight).

    Parameters
    ----------
    kind
        Id of the judgement that is right for it.
    begin_s
        First moment it can be seen.
    end_s
        Last moment.
    actors
        What to draw; None stands for wind or glitter, which belong to the scene.
    """

    kind: str
    begin_s: float
    end_s: float
    actors: tuple[Actor, ...] = ()


@dataclass(frozen=True, eq=False)
class Scene:
    """The still scene in its lights and all that happens there."""

    still: Still
    events: tuple[Event, ...]
    gusts: tuple[tuple[float, float, float], ...]
    glitter: tuple[tuple[float, float, float], ...]

    def view(self, at_s: float, seed: int) -> View:
        """The camera's view around a moment."""
        light = light_at(at_s)
        nearby = [e for e in self.events if e.begin_s < at_s + 900 and e.end_s > at_s - 60]
        walkers = sorted((a for e in nearby for a in e.actors), key=_depth, reverse=True)
        water = Water(self.still, tuple(g for g in self.glitter if abs(g[0] - at_s) < 1200))
        wind = Wind(self.still, tuple(g for g in self.gusts if abs(g[0] - at_s) < 1200))
        level = 0.93 + 0.09 * np.sin(at_s / 5000)
        return View(lit(self.still, light, level=float(level)), [water, wind, *walkers], light, seed)


def _depth(actor: Actor) -> float:
    return max(p[2] for p in actor.path) if isinstance(actor, Walker) else 5.0


def light_at(at_s: float) -> Light:
    """Light at a moment of the scene's clock."""
    hour = at_s / 3600 % 24
    if 6.6 <= hour < 19.2:
        return Light.DAY
    return Light.DUSK if 6.1 <= hour < 20.0 else Light.NIGHT


def local_time(at_s: float) -> datetime:
    """Wall time at the site of a moment of the scene's clock."""
    return FIRST_DAY + timedelta(seconds=at_s)


def build_scene(seed: int = 11) -> Scene:
    """Make up ten days.

    Parameters
    ----------
    seed
        The same seed gives the same days.

    Returns
    -------
    Scene
        The scene.
    """
    rng = np.random.default_rng(seed)
    events: list[Event] = []
    gusts: list[tuple[float, float, float]] = []
    glitter: list[tuple[float, float, float]] = []

    def at(day: int, low: float, high: float) -> float:
        return day * 86400.0 + rng.uniform(low, high) * 3600

    for day in range(DAYS):
        for low, high, outward in ((7.0, 9.0, True), (10.5, 14.5, bool(rng.random() < 0.5)), (16.5, 19.0, False)):
            events.append(_person(rng, at(day, low, high), outward=outward, night=False))
        if rng.random() < 0.55:
            events.append(_crossing(rng, at(day, 9.0, 18.0)))
        if day in (2, 4, 6, 7, 9):
            events.append(_person(rng, at(day, 20.6, 23.6), outward=True, night=True))
        windy = day in WINDY_DAYS
        for _ in range(4 if windy else 1):
            begin, lasts = at(day, 7.0, 18.8), rng.uniform(12, 22)
            gusts.append((begin, lasts, rng.uniform(0.6, 0.95)))
            events.append(Event("flag_or_rope", begin, begin + lasts))
        if windy:
            begin = at(day, 21.0, 23.5)
            gusts.append((begin, 18.0, 0.8))
            events.append(Event("flag_or_rope", begin, begin + 18.0))
        else:
            for _ in range(2):
                begin, lasts = at(day, 11.0, 15.0), rng.uniform(14, 24)
                glitter.append((begin, lasts, rng.uniform(0.8, 1.0)))
                events.append(Event("reflection_or_water", begin, begin + lasts))
            if rng.random() < 0.5:
                begin = at(day, 9.0, 17.0)
                events.append(Event("shadow", begin, begin + 16, (CloudShadow(begin, 16.0),)))
        for _ in range(int(rng.integers(1, 3))):
            events.append(_gull(rng, at(day, 6.8, 18.8)))
        for _ in range(int(rng.integers(1, 3)) if not windy else 1):
            begin, lasts = at(day, 20.3, 23.8), rng.uniform(6, 14)
            insect = Insect(int(rng.integers(1 << 30)), begin, lasts, int(rng.integers(1, 3)))
            events.append(Event("insect_or_web", begin, begin + lasts, (insect,)))
        if rng.random() < 0.4:
            events.append(_cat(rng, at(day, 20.2, 23.9)))
    for begin, _light in CONTINUOUS:
        for offset in (40.0, 150.0, 172.0, 255.0):
            far = offset in (40.0, 255.0)
            events.append(_person(rng, begin + offset, outward=not far, night=begin % 86400 > 72000, far=far))
        for offset in (95.0, 215.0):
            gusts.append((begin + offset, 16.0, 0.8))
            events.append(Event("flag_or_rope", begin + offset, begin + offset + 16.0))
    events.append(_walk_test())
    events.sort(key=lambda e: e.begin_s)
    return Scene(pontoon_gate(), tuple(events), tuple(gusts), tuple(glitter))


CONTINUOUS = ((3 * 86400 + 15.2 * 3600, Light.DAY), (6 * 86400 + 22.1 * 3600, Light.NIGHT))
CONTINUOUS_S = 300.0
WALK_TEST = 5 * 86400 + 19.05 * 3600
WALK_TEST_S = 75.0


def _person(rng: np.random.Generator, begin: float, *, outward: bool, night: bool, far: bool = False) -> Event:
    speed = rng.uniform(0.7, 1.1) if night else rng.uniform(1.1, 1.6)
    start_x = float(rng.choice([-2.6, 2.4, 0.4]))
    if far:
        near, deep = 23.0, 38.0
    else:
        near, deep = float(rng.uniform(4.6, 5.4)), float(rng.uniform(17.0, 30.0))
    legs = [(start_x if not far else 0.3, near), (0.15, max(near, 9.0)), (float(rng.uniform(-0.6, 0.8)), deep)]
    if not outward:
        legs.reverse()
    path, t = [(begin, *legs[0])], begin
    for (x0, z0), (x1, z1) in itertools.pairwise(legs):
        t += max(0.5, float(np.hypot(x1 - x0, z1 - z0)) / speed)
        path.append((t, x1, z1))
    person = Walker(
        tuple(path),
        height_m=float(rng.uniform(1.6, 1.88)),
        coat=_COATS[int(rng.integers(len(_COATS)))],
        carries=bool(rng.random() < 0.3),
        crouch=night and bool(rng.random() < 0.4),
    )
    return Event("person", begin, t, (person,))


def _crossing(rng: np.random.Generator, begin: float) -> Event:
    z, speed = float(rng.uniform(5.6, 7.2)), float(rng.uniform(1.0, 1.5))
    side = float(rng.choice([-1.0, 1.0]))
    lasts = 7.4 / speed
    person = Walker(
        ((begin, -3.7 * side, z), (begin + lasts, 3.7 * side, z)), coat=_COATS[int(rng.integers(len(_COATS)))]
    )
    return Event("person", begin, begin + lasts, (person,))


def _gull(rng: np.random.Generator, begin: float) -> Event:
    side = float(rng.choice([-1.0, 1.0]))
    z = float(rng.uniform(8.0, 14.0))
    speed = float(rng.uniform(4.0, 6.0))
    lasts = 1.5 * z / speed
    gull = Gull(begin, (-side * 0.75 * z, float(rng.uniform(0.8, 2.6)), z), (side * speed, 0.15, 0.0), lasts)
    return Event("animal", begin, begin + lasts, (gull,))


def _cat(rng: np.random.Generator, begin: float) -> Event:
    z, lasts = float(rng.uniform(5.6, 7.0)), 9.0
    cat = Walker(((begin, -3.4, z), (begin + lasts, 3.4, z)), height_m=0.3, coat=(96, 84, 72), four_legs=True)
    return Event("animal", begin, begin + lasts, (cat,))


def _walk_test() -> Event:
    t = WALK_TEST
    legs = [
        (0.0, -3.0, 6.2),
        (5.0, 3.0, 6.2),
        (8.0, 0.2, 8.0),
        (24.0, 0.2, 30.0),
        (27.0, 1.3, 30.0),
        (30.0, -1.0, 30.0),
        (38.0, 0.2, 19.0),
        (41.0, 1.3, 19.0),
        (44.0, -1.0, 19.0),
        (50.0, 0.2, 12.0),
        (53.0, 1.3, 12.0),
        (56.0, -1.0, 12.0),
        (62.0, 0.2, 5.0),
    ]
    path = tuple((t + 5 + s, x, z) for s, x, z in legs)
    return Event("person", path[0][0], path[-1][0], (Walker(path, height_m=1.75, coat=(206, 168, 60)),))


def record(
    folder: Path,
    capability: Capability,
    *,
    settings: Settings = INSTALLED,
    seed: int = 11,
    progress: Callable[[float], None] = lambda _share: None,
    part: tuple[int, int] = (0, 1),
) -> None:
    """Run the ten days past the camera; write its clips and, apart, the truth.

    Parameters
    ----------
    folder
        Receives motion/, continuous/, walk-test/ and truth/.
    capability
        The make.
    settings
        What the camera is told.
    seed
        Of the scene.
    progress
        Told the share done.
    part
        (index, count): do only each count-th stretch, so that processes can share the work.
    """
    scene = build_scene(seed)
    for origin in ("motion", "continuous", "walk-test", "truth"):
        (folder / origin).mkdir(parents=True, exist_ok=True)
    truth: list[dict[str, object]] = []
    stretches = _stretches(scene)
    for index, (begin, end) in enumerate(stretches):
        if index % part[1] != part[0]:
            continue
        free = -1e9
        at = begin
        while at < end:
            pending = folder / f"pending-{part[0]}.mp4"
            decider = Decider(settings, capability, truth_factor=0.55)
            clip = record_motion(
                scene.view(at, index), settings, decider, pending, begin_s=at, end_s=end, free_from_s=free
            )
            if clip is None:
                break
            pending.rename(folder / "motion" / clip_name(clip.start_s))
            truth.append(_truth(scene, f"motion/{clip_name(clip.start_s)}", Origin.MOTION, clip))
            free = clip.end_s + settings.retrigger_wait_s
            at = clip.end_s + settings.retrigger_wait_s - 2.0
        progress((index + 1) / len(stretches))
    longer = [(b, CONTINUOUS_S, "continuous", Origin.CONTINUOUS) for b, _ in CONTINUOUS]
    longer.append((WALK_TEST, WALK_TEST_S, "walk-test", Origin.WALK_TEST))
    for index, (begin, lasts, sub, origin) in enumerate(longer):
        if index % part[1] == part[0]:
            path = folder / sub / clip_name(begin)
            clip = record_continuous(scene.view(begin, 900 + index), path, begin_s=begin, end_s=begin + lasts)
            truth.append(_truth(scene, f"{sub}/{clip_name(begin)}", origin, clip))
    text = "".join(json.dumps(entry) + "\n" for entry in truth)
    (folder / "truth" / f"pontoon-gate-{part[0]}.jsonl").write_text(text, "utf-8")


def clip_name(start_s: float) -> str:
    """File name of a clip: camera and local time."""
    return f"pontoon-gate_{local_time(start_s):%Y%m%d_%H%M%S}.mp4"


def _stretches(scene: Scene) -> list[tuple[float, float]]:
    """Stretches of time in which anything happens, a little before and after included; nothing else is rendered."""
    spans: list[list[float]] = []
    for event in scene.events:
        if (
            any(b - 30 < event.begin_s < b + CONTINUOUS_S + 30 for b, _ in CONTINUOUS)
            or event.begin_s > WALK_TEST > event.begin_s - 60
        ):
            continue
        begin, end = event.begin_s - 4.0, event.end_s
        if spans and begin <= spans[-1][1] + 5:
            spans[-1][1] = max(spans[-1][1], end)
        else:
            spans.append([begin, end])
    return [(a, b) for a, b in spans]


def _truth(scene: Scene, name: str, origin: Origin, clip: Recorded) -> dict[str, object]:
    seen = [e for e in scene.events if e.begin_s < clip.end_s and e.end_s > clip.start_s]
    events = [
        {"kind": e.kind, "start_s": round(e.begin_s - clip.start_s, 2), "end_s": round(e.end_s - clip.start_s, 2)}
        for e in seen
    ]
    return {
        "clip": name,
        "origin": origin.value,
        "trigger_s": round(clip.trigger_s - clip.start_s, 2),
        "events": events,
    }


def right_kind(events: list[dict[str, object]], start_s: float, end_s: float) -> str:
    """The judgement that is right for an occurrence: what is real outweighs what is false, else the longest overlap.

    Parameters
    ----------
    events
        From the truth file, of one clip.
    start_s
        Beginning of the occurrence on the clip's clock.
    end_s
        Its end.

    Returns
    -------
    str
        Id of a kind; 'other_false' when nothing happened.
    """
    best, kind = 0.0, "other_false"
    for event in events:
        overlap = min(end_s, float(str(event["end_s"]))) - max(start_s, float(str(event["start_s"])))
        weight = overlap * (1000 if event["kind"] == "person" else 1)
        if overlap > 0.3 and weight > best:
            best, kind = weight, str(event["kind"])
    return kind
