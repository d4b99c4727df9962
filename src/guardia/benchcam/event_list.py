"""The event list that the simulated camera exports beside its clips, with the class it believed to see.

How it names things is this camera's own: right mostly when near and by day, often wrong far away and in the dark, and
now and then a person where a moth flew.
"""

from __future__ import annotations

import csv
import json
from collections.abc import Sequence
from datetime import timedelta
from pathlib import Path
from typing import Any

import numpy as np

from guardia.benchcam.actors import Van, Walker
from guardia.benchcam.scene import Light
from guardia.benchcam.tern_quay import Scene
from guardia.benchcam.tern_quay_events import Event
from guardia.core.hours.plan import WeekPlan

ALERT_INTERVAL_S = 60.0
_NEAR_DAY_M, _NEAR_NIGHT_M = 14.0, 9.0
_RIGHT_NEAR, _RIGHT_FAR = 0.95, 0.5
_FALSE_PERSON = 0.04


def write_event_list(
    scene: Scene, clips: Sequence[tuple[str, dict[str, Any]]], folder: Path, alert_plan: WeekPlan | None
) -> Path:
    """Write the list of what triggered.

    Args:
        scene: The place and what happened.
        clips: (file name, truth entry) of each motion clip.
        folder: Receives events.jsonl or events.csv.
        alert_plan: When the camera alerts; None for always.

    Returns:
        The file.
    """
    rows: list[dict[str, Any]] = []
    alerted = -1e9
    for name, entry in sorted(clips, key=lambda clip: _triggered_s(clip[1])):
        trigger = _triggered_s(entry)
        length = max((float(e["end_s"]) for e in entry["events"]), default=0.0) - float(entry["trigger_s"])
        alert = trigger - alerted >= ALERT_INTERVAL_S and hours_open(alert_plan, scene, trigger)
        alerted = trigger if alert else alerted
        shown = scene.local_time(trigger) + timedelta(seconds=scene.place.clock_error_s)
        rows.append(
            {
                "begin": shown,
                "seconds": round(float(np.clip(length, 2.0, 60.0)), 1),
                "seen": seen_class(scene, trigger),
                "cause": entry.get("cause", "motion"),
                "alert": alert,
                "clip": name,
            }
        )
    if scene.place.list_form == "json lines":
        path = folder / "events.jsonl"
        lines = [json.dumps(r | {"begin": r["begin"].isoformat(timespec="seconds")}) for r in rows]
        path.write_text("".join(f"{line}\n" for line in lines), "utf-8")
        return path
    path = folder / "events.csv"
    with path.open("w", encoding="utf-8", newline="") as file:
        table = csv.writer(file, delimiter=";")
        table.writerow(["Start", "Length", "Object", "Cause", "Alert sent", "File"])
        for r in rows:
            seconds, sent = str(r["seconds"]).replace(".", ","), "yes" if r["alert"] else "no"
            table.writerow([f"{r['begin']:%d/%m/%Y %H:%M:%S}", seconds, r["seen"], r["cause"], sent, r["clip"]])
    return path


def _triggered_s(entry: dict[str, Any]) -> float:
    """When a clip was triggered, seconds of the scene's clock."""
    return float(entry["start_scene_s"]) + float(entry["trigger_s"])


def seen_class(scene: Scene, at_s: float) -> str:
    """The class that the camera believes to see at a moment; empty for mere motion.

    It makes up its mind once for each thing, and for mere motion every half minute: a filter is no lottery at every
    picture.
    """
    names = scene.place.names
    there = [e for e in scene.events if e.begin_s <= at_s + 4 and e.end_s >= at_s - 1 and e.actors]
    best, nearest = None, 1e9
    for event in there:
        distance = _distance(event, at_s)
        if distance < nearest:
            best, nearest = event, distance
    rng = np.random.default_rng([31, round((at_s // 30 if best is None else best.begin_s) * 10)])
    if best is None:
        return "person" if names and rng.random() < _FALSE_PERSON else ""
    near = nearest <= (_NEAR_NIGHT_M if scene.light(at_s) is Light.NIGHT else _NEAR_DAY_M)
    right = rng.random() < (_RIGHT_NEAR if near else _RIGHT_FAR)
    van = any(isinstance(a, Van) for a in best.actors)
    named = "vehicle" if van else "parcel" if best.kind == "parcel" and "parcel" in names else "person"
    if best.kind == "animal":
        named = "animal" if rng.random() < 0.85 else "person"
    return named if right and named in names else ""


def _distance(event: Event, at_s: float) -> float:
    """How far the nearest walker or van of an event is around a moment, metres; very far for all else."""
    distances = [1e8]
    for actor in event.actors:
        if isinstance(actor, Walker | Van):
            moments = [p[0] for p in actor.path]
            distances.append(min(float(np.interp(at_s + s, moments, [p[2] for p in actor.path])) for s in (0, 1, 2, 3)))
    return min(distances)


def hours_open(plan: WeekPlan | None, scene: Scene, at_s: float) -> bool:
    """Whether hours by the clock are on at a moment of the scene, as this camera looks at its clock."""
    if plan is None:
        return True
    shown = scene.local_time(at_s)
    minute, today, yesterday = shown.hour * 60 + shown.minute, shown.weekday(), (shown.weekday() - 1) % 7
    for stretch in plan.stretches:
        begin, end = stretch.begin.minute, stretch.end.minute + (1440 if stretch.overnight else 0)
        if (today in stretch.days and begin <= minute < end) or (
            yesterday in stretch.days and begin <= minute + 1440 < end
        ):
            return True
    return False
