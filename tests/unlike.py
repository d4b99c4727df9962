"""Projects whose evidence is nothing like the demo's, made of plain numbers."""

import io
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np
from PIL import Image

from guardia.app.camera.makes import capability_data
from guardia.core.evidence.clips import NewOccurrence, Origin
from guardia.core.evidence.watch import Entered
from guardia.core.make.settings import Settings
from guardia.core.purpose.judgement import KINDS
from guardia.core.trace.measure import CONTRAST_LEVELS, Trace, sparse_trace
from guardia.store.project import Project
from guardia.store.records import NewClip, Site

START = 1_757_329_200.0  # 2025-09-08 12:00 in London
LEVELS = len(CONTRAST_LEVELS)
FALSE = ("foliage", "animal", "insect_or_web", "headlights", "shadow")


@dataclass(frozen=True)
class Made:
    """One clip to be: what moves in it and how it is judged."""

    trace: Trace
    kind: str = ""
    start_s: float = START
    origin: Origin = Origin.MOTION
    size: tuple[int, int] = (640, 360)


def trace_of(rng: np.random.Generator, what: str, *, rate_hz: float = 5.0) -> Trace:
    """Still, noise, everything moving, or somebody crossing."""
    frames = int(rng.integers(2, 60))
    dense = np.zeros((frames, 18, 32, LEVELS), np.uint8)
    if what == "noise":
        some = rng.random((frames, 18, 32)) < 0.1
        dense[some] = np.sort(rng.integers(0, 200, (int(some.sum()), LEVELS)), axis=1)[:, ::-1]
    elif what == "everything":
        dense[:] = 255
    elif what == "walker":
        row, speed = int(rng.integers(0, 13)), float(rng.uniform(-1.5, 1.5))
        begin, weakest = float(rng.uniform(0, 30)), int(rng.integers(1, LEVELS + 1))
        for frame in range(frames):
            column = round(begin + speed * frame)
            if 0 <= column < 31:
                dense[frame, row : row + int(rng.integers(2, 6)), column : column + 2, :weakest] = rng.integers(60, 256)
    dense[dense < 13] = 0
    return sparse_trace(np.arange(frames) / rate_hz, dense)


def _picture(width: int, height: int) -> bytes:
    out = io.BytesIO()
    Image.new("L", (width, height), 90).save(out, "JPEG")
    return out.getvalue()


def make_project(folder: Path, clips: Sequence[Made], *, make: str = "polygon-mains-camera", name: str = "Gate",
                 days: float = 7.0, change: Callable[[dict], object] = lambda _data: None) -> Path:  # fmt: skip
    """A project with one camera that has these clips."""
    data = capability_data(make)
    change(data)
    notch = data["notches"][len(data["notches"]) // 2]["label"]
    with Project(folder, create=True, site=Site("Yard", "Europe/London")) as project:
        camera = project.cameras.add(name, data, Settings.of(make, notch, hold_s=data["hold_choices_s"][0]))
        file = folder.parent / "clip.mp4"
        for number, one in enumerate(clips):
            file.write_bytes(str(number).encode())
            length = one.trace.duration_s + 0.2
            new = NewClip(file, one.start_s, "file name", length, *one.size, "h264", one.origin)
            clip = project.clips.add(camera, new)
            found = NewOccurrence(0.0, one.trace.duration_s, [0.0], _picture(*(n // 4 for n in one.size)))
            project.measurements.put_analysis(
                clip, one.trace, [found], background=_picture(80, 45), brightness=float(20 + number * 37 % 150)
            )
        occurrences = project.evidence(camera).occurrences
        kinds = {clip.id: one.kind for clip, one in zip(sorted(project.clips.of(camera), key=_id), clips, strict=True)}
        project.occurrences.judge({o.id: kinds[o.clip_id] for o in occurrences})
        if clips:
            project.cameras.put_clean_view(camera, _picture(*clips[0].size))
        if days:
            low = min([START, *(c.start_s for c in clips)]) - 3600
            project.watched.set_entered(camera, [Entered(low, low + days * 86400, True)])
    return folder


def _id(clip):
    return clip.id


def unlike_the_demo(rng: np.random.Generator) -> dict[str, tuple[list[Made], dict]]:
    """Named kinds of evidence, with what else make_project() is told."""

    def walkers(count, kinds, **more):
        return [Made(trace_of(rng, "walker"), kinds[n % len(kinds)], START + 700.0 * n, **more) for n in range(count)]

    mixed = walkers(58, ["person"]) + [
        Made(trace_of(rng, "noise" if n % 3 else "walker"), FALSE[n % 5], START + 500.0 * n + 90) for n in range(162)
    ]
    origins = [Made(trace_of(rng, "walker"), "person", START + 900 * n, o) for n, o in enumerate(Origin)]
    return {
        "none": ([], {"days": 0}),
        "one clip": (walkers(1, ["person"]), {"days": 0}),
        "still": ([Made(trace_of(rng, "still"), "foliage")], {}),
        "noise": ([Made(trace_of(rng, "noise"), k, START + 60 * n) for n, k in enumerate(["", "foliage"] * 5)], {}),
        "everything moves": ([Made(trace_of(rng, "everything"), "camera_moved"), *walkers(3, ["person"])], {}),
        "58 and 162": (mixed, {}),
        "portrait": (walkers(6, ["person", "animal"], size=(360, 640)), {}),
        "another frame rate": ([Made(trace_of(rng, "walker", rate_hz=1.7), "person", START + n) for n in range(5)], {}),
        "not judged": (walkers(9, [""]), {}),
        "all judged": (walkers(16, [k.id for k in KINDS]), {}),
        "every origin": (origins, {"make": "battery-camera-on-hub"}),
        "two Septembers": ([*walkers(3, ["foliage"]), Made(trace_of(rng, "walker"), "foliage", START + 3.2e7)], {}),
        "1970": ([Made(trace_of(rng, "walker"), "person", 5.0), *walkers(2, ["foliage"])], {}),
        "a name of a hundred letters": (walkers(2, ["person"]), {"name": "Gate <b>&amp; " + "x" * 86}),
        "forty notches": (walkers(4, ["person", "foliage"]), {"change": _forty}),
        "blocks": (walkers(8, ["person", "foliage"]), {"make": "grid-zone-recorder"}),
        "foot": (walkers(8, ["person", "foliage"]), {"make": "polygon-solar-camera"}),
    }  # fmt: skip


def _forty(data: dict) -> None:
    data["notches"] = [
        {"label": str(n), "contrast": 12, "size": 0.05 / n, "size_low": 0.03 / n, "size_high": 0.09 / n}
        for n in range(1, 41)
    ]
