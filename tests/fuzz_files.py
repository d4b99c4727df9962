"""Mutated files of every kind that comes from outside, read by processes that may die or hang; counts what came of it.

    python -m tests.fuzz_files [COUNT] [clips]

Each file is a sound one with bytes flipped, cut, repeated, moved or set to extremes; a clip may also name a codec that
nobody knows. With 'clips' there are only those, in nine containers and nine codecs. Reading it must end within 10 s,
with a result or an error in words; nothing beside it may be touched. Prints the counts; 1 when anything else happened.
"""

import contextlib
import io
import json
import multiprocessing
import random
import shutil
import sys
import tempfile
import time
from collections import Counter
from collections.abc import Callable, Sequence
from datetime import date
from pathlib import Path
from zoneinfo import ZoneInfo

import av

from guardia.app.camera.makes import capability_data, make_from_file, middle_settings
from guardia.cli.clips import settings_file
from guardia.core.base.errors import GuardiaError
from guardia.core.hours.place import SitePlace
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.settings import settings_to_dict
from guardia.formats.calendar import days_calendar, read_days
from guardia.formats.event_lists import guess_mapping, look_at, read_events
from guardia.formats.judgements import read_judgements
from guardia.formats.mot import read_mot
from guardia.formats.onvif import read_metadata
from guardia.formats.readings import read_readings
from guardia.media.analysis import analyse_clip, clean_view
from guardia.media.reader import probe
from guardia.report.sheet import check_sheet
from guardia.store.peek import peek
from guardia.store.project import Project

HANGS_AFTER_S = 10.0
ZONE = ZoneInfo("Europe/London")


def _project(folder: Path) -> None:
    with Project(folder) as project:
        for camera in project.cameras.names():
            project.evidence(camera)
            project.logbook.of(camera)
            project.camera_key(camera)
        project.things.units()
        project.things.summaries()
        project.take_damage()
    peek(folder)


def _events(path: Path) -> None:
    shape = look_at(path)
    read_events(shape, guess_mapping(shape), ZONE)


def _clip(path: Path) -> None:
    info = probe(path)
    analyse_clip(path, threads=1)
    clean_view([(path, info.duration_s)])


CLIPS = {
    "h264.mp4": ("libx264", b"avc1"), "h264.ts": ("libx264", b"\x1b\xe1"), "hevc.mov": ("libx265", b"hev1"),
    "vp9.mkv": ("libvpx-vp9", b"V_VP9"), "vp8.webm": ("libvpx", b"V_VP8"), "av1.mp4": ("libsvtav1", b"av01"),
    "mpeg4.avi": ("mpeg4", b"FMP4"), "mjpeg.avi": ("mjpeg", b"MJPG"), "flv1.flv": ("flv", b"\x22"),
    "mpeg2.mpg": ("mpeg2video", b"\x00\x00\x01\xb3"), "wmv2.asf": ("wmv2", b"WMV2"),
}  # fmt: skip
"""Clips by file name: the encoder, and the bytes by which the file names its codec."""

READ: dict[str, Callable[[Path], object]] = {
    **dict.fromkeys(CLIPS, _clip),
    "project": _project,
    "events.csv": _events,
    "events.jsonl": _events,
    "judgements.csv": read_judgements,
    "readings.csv": lambda path: read_readings(path, ZONE),
    "boxes.txt": lambda path: read_mot(path, rate_hz=5.0, width_px=320, height_px=180),
    "due.ics": lambda path: read_days(path, SitePlace(ZONE.key, None, None), date(2026, 1, 1), date(2027, 1, 1)),
    "metadata.xml": read_metadata,
    "make.json": make_from_file,
    "settings.json": settings_file,
    "sheet.json": lambda path: check_sheet(json.loads(path.read_bytes())),
}
"""How a file of each kind is read; `project` is a folder whose database is mutated."""

DEEP = (b"[" * 3000, b'{"a":' * 3000, b"<a>" * 3000, b"9" * 400, b"\xff\xfe", b"\x00")

WORDS = (GuardiaError, ValueError, RecursionError)
"""Of sheet.json, json itself tells; the others must tell in the program's own words."""


def make_seeds(folder: Path) -> None:
    """One sound file of each kind."""
    import numpy as np

    from tests.unlike import START, Made, make_project, trace_of

    for name, (codec, _) in CLIPS.items():
        _write(folder / name, codec)
    rng = np.random.default_rng(1)
    make_project(folder / "project", [Made(trace_of(rng, "walker"), "person", START + 60.0 * n) for n in range(3)])
    (folder / "events.csv").write_text("time;duration;class\n" + "07.09.2026 10:41:15;4;person\n" * 20)
    (folder / "events.jsonl").write_text('{"time": "2026-09-07T10:41:15", "class": "person"}\n' * 20)
    (folder / "judgements.csv").write_text("clip,begin,end,kind\n" + "a.mp4,0.2,4.0,person\n" * 20)
    (folder / "readings.csv").write_text("camera,at,what,value\n" + "Gate,2026-09-07 10:00,battery,61\n" * 20)
    (folder / "boxes.txt").write_text("1,7,32,18,160,90,1,-1,-1,-1\n" * 20)
    (folder / "due.ics").write_bytes(days_calendar([("Gate: look", "weekly", date(2026, 9, n)) for n in range(1, 9)]))
    item = '<tt:SimpleItem Name="IsMotion" Value="true"/>'
    (folder / "metadata.xml").write_text(
        '<?xml version="1.0"?><tt:MetadataStream xmlns:tt="http://www.onvif.org/ver10/schema">'
        + f'<tt:Event><tt:Message UtcTime="2026-09-07T10:41:15Z"><tt:Data>{item}</tt:Data></tt:Message></tt:Event>' * 9
        + "</tt:MetadataStream>"
    )
    data = capability_data("polygon-mains-camera")
    (folder / "make.json").write_text(json.dumps(data))
    settings = settings_to_dict(middle_settings(capability_from_dict(data)))
    (folder / "settings.json").write_text(json.dumps(settings))
    (folder / "sheet.json").write_text(
        json.dumps({"format": "guardia-settings-sheet", "version": 2, "steps": ["a"] * 9})
    )


def _write(path: Path, codec: str) -> None:
    """Two seconds of a moving square by an encoder."""
    from tests.support import scene, steady

    with av.open(str(path), "w", options={"strict": "unofficial"}) as container:
        stream = container.add_stream(codec, rate=10)
        stream.width, stream.height, stream.gop_size = 320, 180, 5
        stream.pix_fmt = "yuvj420p" if codec == "mjpeg" else "yuv420p"
        for at in steady(2, 10):
            container.mux(stream.encode(av.VideoFrame.from_ndarray(scene(2 + at), format="rgb24")))
        container.mux(stream.encode())


def mutated(data: bytes, rng: random.Random, codec: bytes = b"") -> bytes:
    """The bytes with a few things done to them; where they name a codec, perhaps to that name, too."""
    content = bytearray(data)
    if codec and rng.random() < 0.2:
        content = content.replace(codec, rng.randbytes(len(codec)))
    for _ in range(rng.randint(1, 6)):
        if not content:
            break
        at = rng.randrange(len(content))
        many = rng.choice((1, 2, 4, 16, 256))
        match rng.randrange(7):
            case 0:
                content[at] ^= 1 << rng.randrange(8)
            case 1:
                del content[at : at + many]
            case 2:
                content[at:at] = content[at : at + many] * rng.choice((1, 2, 50))
            case 3:
                content[at : at + many] = bytes([rng.choice((0, 255, 127, 128))]) * many
            case 4:
                content[at:at] = rng.choice(DEEP)
            case 5:
                content = content[:at]
            case 6:
                other = rng.randrange(len(content))
                content[at : at + many] = content[other : other + many]
    return bytes(content)


def _work(seeds: Path, kind: str, numbers: list[int], lane) -> None:
    """In a process of its own: read mutated files one after another and tell of each."""
    with contextlib.redirect_stderr(io.StringIO()), contextlib.redirect_stdout(io.StringIO()):
        for number in numbers:
            rng = random.Random(f"{kind} {number}")
            folder = Path(tempfile.mkdtemp(prefix="guardia-fuzz-"))
            lane.send((number, "begins"))
            try:
                path = folder / kind
                if kind == "project":
                    shutil.copytree(seeds / kind, path)
                    database = path / "project.sqlite"
                    database.write_bytes(mutated(database.read_bytes(), rng))
                else:
                    codec = CLIPS[kind][1] if kind in CLIPS else b""
                    path.write_bytes(mutated((seeds / kind).read_bytes(), rng, codec))
                READ[kind](path)
                told = "read"
            except GuardiaError:
                told = "refused in words"
            except Exception as error:
                plain = kind == "sheet.json" and isinstance(error, WORDS)
                told = "refused in words" if plain else f"{kind} {number}: {type(error).__name__}: {error}"
            finally:
                shutil.rmtree(folder, ignore_errors=True)
            lane.send((number, told))


def _state(folder: Path) -> dict[str, tuple[int, int]]:
    return {str(p): (p.stat().st_mtime_ns, p.stat().st_size) for p in sorted(folder.rglob("*"))}


def run(count: int, kinds: Sequence[str] = tuple(READ)) -> Counter[str]:
    """Read so many mutated files of some kinds; what came of them, by words."""
    counts: Counter[str] = Counter()
    context = multiprocessing.get_context("spawn")
    with tempfile.TemporaryDirectory(prefix="guardia-fuzz-seeds-") as home:
        seeds = Path(home) / "seeds"
        seeds.mkdir()
        make_seeds(seeds)
        before = _state(Path(home))
        for place, kind in enumerate(kinds):
            left = list(range(place, count, len(kinds)))
            while left:
                here, there = context.Pipe(duplex=False)
                worker = context.Process(target=_work, args=(seeds, kind, left, there))
                worker.start()
                there.close()
                at, since = None, time.monotonic() + 20.0  # starting takes its time
                while left:
                    if here.poll(0.2):
                        try:
                            number, told = here.recv()
                        except EOFError:
                            counts[f"{kind} {at}: the process died"] += at is not None
                            break
                        at, since = number, time.monotonic()
                        if told != "begins":
                            left.remove(number)
                            counts[told] += 1
                    elif time.monotonic() - since > HANGS_AFTER_S:
                        counts[f"{kind} {at}: hangs"] += 1
                        break
                if at in left:
                    left.remove(at)
                worker.kill()
                worker.join()
        counts["files touched elsewhere"] = len(set(before.items()) ^ set(_state(Path(home)).items()))
    return counts


if __name__ == "__main__":
    number = next((int(word) for word in sys.argv[1:] if word.isdigit()), 1000)
    result = run(number, tuple(CLIPS if "clips" in sys.argv else READ))
    for words, times in result.most_common():
        print(f"{times:>6}  {words}")
    good = {"read", "refused in words", "files touched elsewhere"}
    sys.exit(bool(set(result) - good or result["files touched elsewhere"]))
