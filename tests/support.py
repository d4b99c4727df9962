"""What several tests use: clips made on the spot, the demo, capabilities, evidence from plain numbers."""

import atexit
import math
import shutil
import sqlite3
import tempfile
import unittest
from collections.abc import Callable, Sequence
from contextlib import closing
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from PIL import Image, ImageDraw

from guardia.app.camera.makes import capability_data
from guardia.app.project.demo import own_demo
from guardia.core.evidence.clips import Clip, Occurrence, Origin
from guardia.core.evidence.epochs import Epoch
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability, capability_from_dict
from guardia.core.make.settings import Settings
from guardia.core.replay.replay import replay
from guardia.core.trace.measure import CONTRAST_LEVELS, Trace, sparse_trace
from guardia.core.trace.stack import TraceStack
from guardia.core.tuning.propose import Effect, difference
from guardia.store.project import FILE_NAME, Project
from guardia.store.records import Camera

TRUTH = Path(__file__).parent / "demo_truth"


def _demo() -> Path:
    """The shipped demo, unpacked once for this process; it is only read."""
    home = tempfile.mkdtemp(prefix="guardia-test-demo-")
    atexit.register(shutil.rmtree, home, ignore_errors=True)
    return own_demo(Path(home))


DEMO = _demo()


def capability(name: str = "polygon-mains-camera") -> Capability:
    return capability_from_dict(capability_data(name))


def pontoon(project: Project) -> Camera:
    """The demo's camera at the pontoon gate."""
    return next(c for c in project.cameras.all() if c.name == "Pontoon gate")


class FolderCase(unittest.TestCase):
    """A test with a temporary folder of its own."""

    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(tempfile.mkdtemp(prefix="guardia-test-"))
        self.addCleanup(shutil.rmtree, self.folder, True)

    def copy_demo(self) -> Path:
        return Path(shutil.copytree(DEMO, self.folder / "demo"))


def square_at(seconds: float) -> tuple[float, float]:
    """Left edge and width, in shares of the picture, of the square in `scene`: enters at 2 s, gone at 6 s."""
    return (seconds - 2.0) / 4.0, 0.15


def scene(seconds: float, *, width: int = 320, height: int = 180, seed: int = 1) -> np.ndarray:
    """A textured grey wall with a bright square crossing between 2 s and 6 s, and a little sensor noise."""
    wall = np.random.default_rng(seed).integers(80, 120, (height // 4, width // 4)).repeat(4, 0).repeat(4, 1)
    picture = wall + np.random.default_rng(int(seconds * 1000)).normal(0, 1.5, wall.shape)
    left, size = square_at(seconds)
    if 2.0 <= seconds < 6.0:
        picture[int(0.4 * height) : int(0.7 * height), int(left * width) : int((left + size) * width)] = 220
    grey = np.clip(picture, 0, 255).astype(np.uint8)
    return np.repeat(grey[..., None], 3, axis=2)


def write_clip(
    path: Path,
    times: Sequence[float],
    *,
    picture: Callable[[float], np.ndarray] = scene,
    codec: str = "libx264",
    options: dict[str, str] | None = None,
    created: str | None = None,
) -> Path:
    """Write a clip whose pictures stand at exactly the given times (whole milliseconds)."""
    first = picture(times[0])
    with av.open(str(path), "w") as container:
        if created:
            container.metadata["creation_time"] = created
        stream = container.add_stream(codec, rate=1000)
        stream.width, stream.height, stream.pix_fmt = first.shape[1], first.shape[0], "yuv420p"
        stream.time_base = stream.codec_context.time_base = Fraction(1, 1000)
        stream.options = {"crf": "18", "preset": "veryfast", **(options or {})} if codec == "libx264" else {}
        for at in times:
            frame = av.VideoFrame.from_ndarray(picture(at), format="rgb24")
            frame.pts, frame.time_base = round(at * 1000), Fraction(1, 1000)
            container.mux(stream.encode(frame))
        container.mux(stream.encode())
    return path


def steady(seconds: float, rate: float) -> list[float]:
    return [round(n / rate, 3) for n in range(round(seconds * rate))]


def blob_trace(sizes: Sequence[int], *, rate_hz: float = 5.0, column: int = 0, contrast: int = 40) -> Trace:
    """A trace in which picture n holds one upright group of sizes[n] cells, up to a contrast level."""
    dense = np.zeros((len(sizes), 18, 32, len(CONTRAST_LEVELS)), np.uint8)
    levels = CONTRAST_LEVELS.index(contrast) + 1
    for index, size in enumerate(sizes):
        rows, columns = np.arange(size) % 18, column + np.arange(size) // 18
        dense[index, rows, columns, :levels] = 255
    return sparse_trace(np.arange(len(sizes)) / rate_hz, dense)


def evidence_of(
    traces: Sequence[Trace],
    *,
    kinds: Sequence[str],
    starts: Sequence[float] | None = None,
    origin: Origin | Sequence[Origin] = Origin.MOTION,
    installed: Settings | None = None,
    watched: Sequence[tuple[float, float]] = (),
) -> Evidence:
    """One occurrence per trace, over the whole of it; made under `installed` where that is known."""
    starts = starts or [1_757_200_000.0 + 600.0 * n for n in range(len(traces))]
    origins = [origin] * len(traces) if isinstance(origin, Origin) else origin
    clips = [Clip(n, f"{n}.mp4", starts[n], t.duration_s, origins[n]) for n, t in enumerate(traces)]
    occurrences = [Occurrence(100 + n, n, 0.0, t.duration_s, kinds[n]) for n, t in enumerate(traces)]
    epochs = (Epoch(-math.inf, math.inf, installed),) if installed is not None else ()
    return Evidence(
        tuple(clips), tuple(occurrences), TraceStack(traces), "Europe/London", watched=tuple(watched), epochs=epochs
    )


def plain(size_cells: float = 4, **values: object) -> Settings:
    """Settings that trigger at a number of cells at contrast 12."""
    return Settings.of("polygon-mains-camera", "", sensitivity=(12, size_cells / 576), **values)  # type: ignore[arg-type]


def changed(evidence: Evidence, old: Settings, new: Settings, make: Capability) -> Effect:
    """What new settings change against old ones."""
    return difference(evidence, replay(evidence, Candidate(old, make)), replay(evidence, Candidate(new, make)))


def in_file(folder: Path, sql: str, values: Sequence[object] = ()) -> list[sqlite3.Row]:
    """Run SQL on a project's file from outside, as another program or a fault might."""
    with closing(sqlite3.connect(folder / FILE_NAME)) as raw, raw:
        raw.row_factory = sqlite3.Row
        return raw.execute(sql, values).fetchall()


def tried(settings: Settings) -> Candidate:
    """Settings of the usual make."""
    return Candidate(settings, capability())


def yard(seed=1, *, width=640, height=360):
    """A made-up yard: sheds, a fence, posts, in plain tones."""
    rng = np.random.default_rng(seed)
    picture = Image.new("L", (width, height), 120)
    draw = ImageDraw.Draw(picture)
    draw.rectangle((0, 0, width, height // 3), fill=200)
    for _ in range(14):
        x, y = int(rng.integers(0, width - 80)), int(rng.integers(height // 5, height - 80))
        w, h = int(rng.integers(20, 120)), int(rng.integers(20, 90))
        draw.rectangle((x, y, x + w, y + h), fill=int(rng.integers(30, 230)))
    return np.asarray(picture, np.uint8)
