"""Runs a scene past the simulated camera and writes its clips and, apart, the truth."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator, Mapping
from functools import partial
from pathlib import Path

from PIL import Image

from guardia.benchcam.camera import FOOTAGE_HZ, Decider, Recorded, record_continuous, record_motion
from guardia.benchcam.event_list import hours_open, seen_class, write_event_list
from guardia.benchcam.place import Place
from guardia.benchcam.scene import Light
from guardia.benchcam.tern_quay import CONTINUOUS_S, Scene, right_kind
from guardia.benchcam.tern_quay_events import WALK_TEST_S
from guardia.core.evidence.clips import Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings

CALL_S = 12.0
"""Length of a recording that was asked for, where motion ends the others."""

LOOKS_AGAIN_S = 2.0
"""So long before its pause ends the camera looks anew, and its pre-record may reach back to."""

TRUTH_FACTOR = 1.1
"""This camera counts moving pixels of a coarser, blurred picture, and asks for a few more than its scale says."""


Entry = dict[str, object]
"""What is true of a clip."""


def record(
    scene: Scene,
    folder: Path,
    capability: Capability,
    *,
    settings: Settings | None = None,
    progress: Callable[[float], None] = lambda _share: None,
    only: Callable[[float], bool] = lambda _begin: True,
) -> None:
    """Run a scene past the camera; write its clips and, apart, the truth.

    Args:
        scene: The place and what happens there.
        folder: Receives motion/, continuous/, walk-test/, snapshot/, the event list and truth.jsonl.
        capability: The make.
        settings: What the camera is told; the place's installed settings when None.
        progress: Told the share done.
        only: Says of the beginning of a stretch (seconds of the scene's clock) whether it is recorded.
    """
    chosen = settings or scene.place.installed
    for origin in ("motion", "continuous", "walk-test"):
        (folder / origin).mkdir(parents=True, exist_ok=True)
    truth: list[Entry] = []
    listed: list[Entry] = []
    taken: set[str] = set()
    for entry, kept in _by_motion(scene, folder, chosen, capability, taken, progress, only):
        listed.append(entry)
        if kept:
            truth.append(entry)
    for at, cause in scene.calls:
        if only(at):
            name = _free_name(clip_name(scene, at), taken)
            lasts = chosen.recording.length_s or CALL_S
            clip = record_continuous(scene.view(at, round(at)), folder / "motion" / name, begin_s=at, end_s=at + lasts)
            entry = _truth(scene, f"motion/{name}", Origin.MOTION, clip) | {"cause": cause.value}
            truth.append(entry)
            listed.append(entry)
    longer = [(b, CONTINUOUS_S, "continuous", Origin.CONTINUOUS) for b in scene.continuous_s]
    longer.append((scene.walk_test_s, WALK_TEST_S, "walk-test", Origin.WALK_TEST))
    for index, (begin, lasts, sub, origin) in enumerate(longer):
        if only(begin):
            name = clip_name(scene, begin)
            view = scene.view(begin, 900 + index)
            clip = record_continuous(view, folder / sub / name, begin_s=begin, end_s=begin + lasts, rate_hz=FOOTAGE_HZ)
            truth.append(_truth(scene, f"{sub}/{name}", origin, clip))
    if scene.snapshots:
        (folder / "snapshot").mkdir(exist_ok=True)
    for at in scene.snapshots:
        if only(at):
            name = clip_name(scene, at).replace(".mp4", ".jpg")
            picture = Image.fromarray(scene.view(at, round(at)).picture(at))
            picture.save(folder / "snapshot" / name, quality=68)
            truth.append(_truth(scene, f"snapshot/{name}", Origin.SNAPSHOT, Recorded(at, at, at + 0.01)))
    write_event_list(scene, [(Path(str(e["clip"])).name, e) for e in listed], folder, chosen.hours.alert_plan)
    (folder / "truth.jsonl").write_text("".join(json.dumps(entry) + "\n" for entry in truth), "utf-8")


def _by_motion(
    scene: Scene, folder: Path, chosen: Settings, capability: Capability, taken: set[str],
    progress: Callable[[float], None], only: Callable[[float], bool],
) -> Iterator[tuple[Entry, bool]]:  # fmt: skip
    """Record what triggers; gives the entry of each clip, and whether there was still room to keep it."""
    place, pending = scene.place, folder / "pending.mp4"
    busy = [s for s in stretches(scene) if only(s[0])]

    def lets_through(at_s: float) -> bool:
        wanted = chosen.detection.objects
        named = not wanted or seen_class(scene, at_s) in wanted
        return named and hours_open(chosen.hours.recording_plan, scene, at_s)

    free = -1e9
    for index, (begin, end) in enumerate(busy):
        moment = max(begin, free - LOOKS_AGAIN_S)
        while moment < end:
            decider = Decider(
                chosen, capability, night=scene.light(moment) is Light.NIGHT, truth_factor=TRUTH_FACTOR,
                sees=partial(seen_class, scene),
            )  # fmt: skip
            view = scene.view(moment, index)
            clip = record_motion(
                view, chosen, decider, pending, begin_s=moment, end_s=end, free_from_s=free, lets_through=lets_through
            )
            if clip is None:
                break
            free = clip.end_s + chosen.recording.rest_s
            moment = free - LOOKS_AGAIN_S
            if not _has_power(place, clip.trigger_s):
                continue
            name = _free_name(clip_name(scene, clip.start_s), taken)
            entry = _truth(scene, f"motion/{name}", Origin.MOTION, clip)
            if kept := clip.trigger_s < place.full_from_s:
                pending.rename(folder / "motion" / name)
            yield entry, kept
        progress((index + 1) / len(busy))
    pending.unlink(missing_ok=True)


def _has_power(place: Place, at_s: float) -> bool:
    """Whether the camera has power at a moment of the scene's clock."""
    return not place.down[0] <= at_s < place.down[1]


def clip_name(scene: Scene, start_s: float) -> str:
    """File name of a clip: the camera and the local time that its clock shows."""
    return f"{scene.place.slug}_{scene.local_time(start_s + scene.place.clock_error_s):%Y%m%d_%H%M%S}.mp4"


def _free_name(name: str, taken: set[str]) -> str:
    """The name, or with '_2', '_3' at its end where another clip began in the same second; it is taken from now on."""
    path, number = Path(name), 1
    while name in taken:
        number += 1
        name = f"{path.stem}_{number}{path.suffix}"
    taken.add(name)
    return name


def stretches(scene: Scene) -> list[tuple[float, float]]:
    """Stretches of time in which anything happens, a little before included; nothing else is rendered."""
    apart = [(b - 30, b + CONTINUOUS_S + 30) for b in scene.continuous_s]
    apart.append((scene.walk_test_s - 30, scene.walk_test_s + WALK_TEST_S + 30))
    spans: list[list[float]] = []
    for event in scene.events:
        if any(low < event.begin_s < high for low, high in apart):
            continue
        begin, end = event.begin_s - 4.0, event.end_s
        if spans and begin <= spans[-1][1] + 5:
            spans[-1][1] = max(spans[-1][1], end)
        else:
            spans.append([begin, end])
    return [(a, b) for a, b in spans]


def _truth(scene: Scene, name: str, origin: Origin, clip: Recorded) -> Entry:
    events = [
        {"kind": e.kind, "start_s": round(e.begin_s - clip.start_s, 2), "end_s": round(e.end_s - clip.start_s, 2)}
        | ({"expected": True} if e.expected else {})
        for e in scene.events
        if e.begin_s < clip.end_s and e.end_s > clip.start_s
    ]
    return {
        "clip": name,
        "origin": origin.value,
        "start_scene_s": round(clip.start_s, 2),
        "trigger_s": round(clip.trigger_s - clip.start_s, 2),
        "events": events,
    }


def read_truth(path: Path) -> dict[str, list[dict[str, object]]]:
    """What really happened, by clip file name."""
    truth: dict[str, list[dict[str, object]]] = {}
    for line in path.read_text("utf-8").splitlines():
        entry = json.loads(line)
        truth[Path(entry["clip"]).name] = entry["events"]
    return truth


def true_kinds(evidence: Evidence, truth: Mapping[str, list[dict[str, object]]]) -> dict[int, str]:
    """The judgements that are right for the occurrences of the clips that the truth names."""
    return {
        o.id: right_kind(truth[name], o.start_s, o.end_s)
        for o in evidence.occurrences
        if (name := evidence.clip_of(o).name) in truth
    }
