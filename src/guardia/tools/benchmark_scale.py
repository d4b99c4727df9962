"""Growth: what measuring gives with more workers, and what scoring, tuning, opening and searching cost with more clips.

Each size runs in a process of its own, so that its memory is its own; exponents are slopes of logarithms.
"""

from __future__ import annotations

import json
import math
import resource
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from guardia.app.project.demo import own_demo
from guardia.app.scripted.offline import analyse_files
from guardia.app.work.engine import Cluster
from guardia.core.evidence.clips import Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.make.zones import PolygonZone, ZoneKind
from guardia.core.replay.replay import replay
from guardia.core.score.candidates import score_all
from guardia.core.score.find import Filter, matching
from guardia.core.score.score import score
from guardia.core.trace.measure import Trace, sparse_trace
from guardia.core.trace.stack import TraceStack
from guardia.core.tuning.tune import tune
from guardia.store.project import Project
from guardia.tools.benchmark_window import make_big_project

SIZES = (1_000, 3_000, 10_000, 30_000)
MOST_EXPONENT = 1.1
MEASURED_CLIPS = 24
CANDIDATES = 20


@dataclass(frozen=True)
class Growth:
    """How one cost grows."""

    name: str
    """What costs."""
    unit: str
    """Its unit."""
    costs: dict[int, float]
    """By number of clips."""

    @property
    def exponent(self) -> float:
        """Slope of the logarithms; 1 for a cost in step with the clips."""
        sizes, costs = zip(*sorted(self.costs.items()), strict=True)
        return float(np.polyfit(np.log(sizes), np.log(costs), 1)[0])

    @property
    def met(self) -> bool:
        """Whether it grows no faster than it may."""
        return self.exponent <= MOST_EXPONENT


def run_scale(tell: Callable[[str], None], largest: int) -> tuple[dict[str, float], list[Growth]]:
    """Measure.

    Args:
        tell: Told what is measured.
        largest: The largest number of clips.

    Returns:
        Clips a second by engine, and how each cost grows.
    """
    rates = dict(_rates(tell))
    sizes = sorted({size for size in SIZES if size < largest} | {largest})
    by_size: dict[int, dict[str, float]] = {}
    for size in sizes:
        tell(f"{size:,} clips")
        by_size[size] = _child(size)
    units = dict.fromkeys(("memory", "memory while tuning"), "MB")
    names = {name for one in by_size.values() for name in one}
    growths = [
        Growth(name, units.get(name, "s"), {n: one[name] for n, one in by_size.items() if name in one})
        for name in sorted(names)
    ]
    return rates, growths


def _rates(tell: Callable[[str], None]) -> Iterator[tuple[str, float]]:
    """Clips a second in one process, in two, and on a scheduler of this machine with one and two workers."""
    import distributed

    start: Any = distributed.LocalCluster

    with tempfile.TemporaryDirectory(prefix="guardia-scale-") as home, Project(own_demo(Path(home))) as demo:
        (camera, *_) = demo.cameras.all()
        clips = [c for c in demo.clips.of(camera.id, analysed=True) if c.origin is Origin.MOTION][:MEASURED_CLIPS]
        files = [demo.clips.path(c.id) for c in clips]
        tell("measuring in one process")
        begun = time.perf_counter()
        for path in files:
            analyse_files([path], time_zone="UTC")
        yield "one process", len(files) / (time.perf_counter() - begun)
        tell("measuring in processes on all cores")
        begun = time.perf_counter()
        analyse_files(files, time_zone="UTC")
        yield "processes on all cores, their start included", len(files) / (time.perf_counter() - begun)
        for workers in (1, 2):
            tell(f"measuring on a scheduler with {workers} workers")
            with start(n_workers=workers, threads_per_worker=1, dashboard_address=None, host="127.0.0.1") as local:
                cluster = Cluster(local.scheduler_address)
                analyse_files(files[:workers], time_zone="UTC", cluster=cluster)  # the workers import the program
                begun = time.perf_counter()
                analyse_files(files, time_zone="UTC", cluster=cluster)
                yield f"a scheduler with {workers} worker processes", len(files) / (time.perf_counter() - begun)


def _child(size: int) -> dict[str, float]:
    done = subprocess.run(
        [sys.executable, "-m", "guardia.tools.benchmark_scale", str(size)], capture_output=True, text=True, check=True
    )
    costs: dict[str, float] = json.loads(done.stdout)
    return costs


def _many(size: int, home: Path) -> tuple[Any, Evidence]:
    """Judged clips of a demo camera again and again, each moved about a little."""
    with Project(own_demo(home)) as project:
        every = [(camera, project.evidence(camera.id)) for camera in project.cameras.all()]
    camera, evidence = max(every, key=lambda e: len(e[1].occurrences))
    stack = evidence.stack
    judged = [o for o in evidence.occurrences if o.kind and evidence.clip_of(o).origin is Origin.MOTION]
    kept: dict[tuple[int, int], Trace] = {}

    def trace(number: int) -> Trace:
        like, shift = judged[number % len(judged)], number // len(judged) % 5 - 2
        key = (like.clip_id, shift)
        if key not in kept:
            place = evidence.clip_index[like.clip_id]
            times = np.array(stack.times[place])
            dense = stack.changed(place, 0.0, math.inf).reshape(len(times), stack.rows, stack.columns, -1)
            kept[key] = sparse_trace(times, np.roll(dense, shift, axis=2))
        return kept[key]

    first = evidence.clips[0].start_s
    likes = [judged[n % len(judged)] for n in range(size)]
    clips = tuple(replace(evidence.clip_of(o), id=n, start_s=first + 600.0 * n) for n, o in enumerate(likes))
    occurrences = tuple(replace(o, id=n, clip_id=n, visit=None) for n, o in enumerate(likes))
    watched = ((first, first + 600.0 * size),)
    stacked = TraceStack(trace(n) for n in range(size))
    return camera, Evidence(clips, occurrences, stacked, evidence.time_zone, watched=watched)


def _timed(work: Callable[[], object]) -> float:
    begun = time.perf_counter()
    work()
    return time.perf_counter() - begun


def _memory_mb() -> float:
    """The most that this process needed so far."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def _scoring(many: Evidence, installed: Candidate) -> dict[str, float]:
    def edited(shift: float) -> Candidate:
        corners = ((0.2 + shift, 0.2), (0.8, 0.25), (0.8, 0.9), (0.2, 0.9))
        return installed.with_values(zones=(PolygonZone(ZoneKind.WATCH, corners),))

    done = replay(many, installed)
    sought = Filter("false", kind="insect_or_web", dark=True)

    tried = [edited(0.005 * n).with_values(hold_s=0.2 * (n % 3)) for n in range(CANDIDATES)]
    return {
        "re-score after a zone edit": min(
            _timed(partial(lambda c: score(many, replay(many, c)), edited(0.01 * n))) for n in range(3)
        ),
        f"score {CANDIDATES} candidates": _timed(lambda: score_all(many, tried)),
        "search: false ones of the night, by kind": min(_timed(lambda: matching(many, sought, done)) for _ in range(5)),
    }


def measure(size: int) -> dict[str, float]:
    """What each work costs with so many clips, seconds; memory in MB."""
    costs: dict[str, float] = {}
    with tempfile.TemporaryDirectory(prefix="guardia-scale-") as name:
        home = Path(name)
        camera, many = _many(size, home)
        installed = camera.under(camera.installed)
        score(many, replay(many, installed))  # what is worked out once for all

        costs |= _scoring(many, installed)
        costs["memory"] = _memory_mb()
        costs["tune: the whole search, proven on days held out"] = _timed(lambda: tune(many, installed))
        costs["memory while tuning"] = _memory_mb()
        make_big_project(home / "big", size)
        with Project(home / "big") as project:
            (camera_id,) = project.cameras.names()
            costs["read a camera's evidence from the project"] = _timed(lambda: project.evidence(camera_id))
    return costs


def lines_of(rates: dict[str, float], growths: list[Growth]) -> list[str]:
    """The table in words."""
    lines = [f"{name:<52}{rate:6.2f} clips a second" for name, rate in rates.items()]
    for growth in growths:
        costs = ", ".join(f"{n:,}: {cost:.3g} {growth.unit}" for n, cost in sorted(growth.costs.items()))
        word = "met   " if growth.met else "MISSED"
        lines.append(f"{word} {growth.name}: {costs}; exponent {growth.exponent:.2f} (bar {MOST_EXPONENT})")
    return lines


if __name__ == "__main__":
    sys.stdout.write(json.dumps(measure(int(sys.argv[1]))))
