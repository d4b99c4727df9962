"""Another week of a simulated camera: recorded under its installed settings, brought in, and judged by its truth."""

from __future__ import annotations

import math
import os
import tempfile
from collections import deque
from collections.abc import Callable, Sequence
from concurrent.futures import ProcessPoolExecutor, wait
from dataclasses import dataclass, replace
from datetime import datetime, timedelta
from functools import partial
from multiprocessing import get_context
from pathlib import Path
from typing import TYPE_CHECKING, Any

from guardia.app.intake.event_import import take_in_list
from guardia.app.intake.importing import ImportRequest, import_clips
from guardia.app.intake.measuring import ImportResult, measure_camera
from guardia.app.work.jobs import Meter, Report, Token
from guardia.benchcam import SITE_NAME
from guardia.core.base.errors import Cancelled
from guardia.core.evidence.clips import Origin
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.settings import Settings
from guardia.store.project import Project

if TYPE_CHECKING:
    from guardia.benchcam.place import Place
    from guardia.benchcam.tern_quay import Scene

WEEK = timedelta(days=7)
DAY_S = 86_400.0
STOP = "stop"
LOOK_EVERY_S = 0.3
FIRST_SEED = 501
"""Weeks of these seeds and on are in no demo and in no benchmark."""

ORIGINS = (("motion", Origin.MOTION), ("continuous", Origin.CONTINUOUS), ("walk-test", Origin.WALK_TEST))


def simulated_place(site_name: str, camera_name: str) -> Place | None:
    """The simulated place that a camera looks at; None for a real camera."""
    if site_name != SITE_NAME:
        return None
    from guardia.benchcam.tern_quay import PLACES  # slow to import, and needed only for the demo

    return next((p for p in PLACES if p.name == camera_name), None)


def next_monday(evidence: Evidence) -> datetime:
    """Midnight of the Monday after all that is known of a simulated camera: its clips and its settings."""
    from guardia.benchcam.tern_quay import FIRST_DAY

    known = [clip.start_s + clip.duration_s for clip in evidence.clips]
    known += [epoch.from_s for epoch in evidence.epochs if math.isfinite(epoch.from_s)]
    begins = FIRST_DAY
    while begins.timestamp() < max(known, default=0.0):
        begins += WEEK
    return begins


@dataclass(frozen=True)
class _Day:
    """One day to be recorded: what a process of its own needs for that."""

    scene: Callable[[], Scene]
    settings: Settings
    capability: Capability
    number: int
    folder: Path


def _record(day: _Day) -> Path:
    from guardia.benchcam.record import record

    def go_on(_share: float) -> None:
        if (day.folder.parent / STOP).exists():
            raise Cancelled

    low = day.number * DAY_S
    record(day.scene(), day.folder, day.capability, settings=day.settings, progress=go_on,
           only=lambda at: low <= at < low + DAY_S)  # fmt: skip
    return day.folder


def run_week(
    project_folder: Path,
    camera_id: int,
    place: Place,
    begins: datetime,
    *,
    token: Token,
    progress: Report,
    days: int = WEEK.days,
) -> ImportResult:
    """Let the simulated camera run a week under the settings installed; import and judge each day as it is recorded.

    Args:
        project_folder: The project.
        camera_id: The camera.
        place: What it looks at; its power cuts and full disk belong to the first weeks and are left out.
        begins: Midnight on which the week begins.
        token: To stop it; the days that were imported are kept.
        progress: Told how far it is.
        days: So many days are run.

    Returns:
        What the import of the week did.

    Raises:
        Cancelled: If it was stopped before all days were recorded.
        ProjectError: If the project cannot be written.
    """
    from guardia.benchcam.record import read_truth, true_kinds
    from guardia.benchcam.tern_quay import FIRST_DAY

    with Project(project_folder) as project, tempfile.TemporaryDirectory(prefix="guardia-week-") as name:
        camera = project.cameras.get(camera_id)
        usual = replace(place, down=(0.0, 0.0), full_from_s=math.inf, clock_error_s=camera.clock_error_s)  # fmt: skip
        seed = FIRST_SEED + (begins - FIRST_DAY) // WEEK
        scene = partial(_week_of, usual, seed, begins)
        result = ImportResult()

        def take_in(folder: Path) -> None:
            number = int(folder.name)
            span = (begins + timedelta(days=number), begins + timedelta(days=number + 1))
            # A day comes in whole or not at all: half a day counted as watched would give wrong rates.
            last = number == days - 1
            day = take_in_days(project, camera_id, [folder], span, last=last, token=Token(), progress=lambda _: None)
            result.added, result.analysed = result.added + day.added, result.analysed + day.analysed
            result.events += day.events
            evidence = project.evidence(camera_id)
            kinds = true_kinds(evidence, read_truth(folder / "truth.jsonl"))
            project.occurrences.judge({o.id: kinds[o.id] for o in evidence.occurrences if o.id in kinds and not o.kind})

        candidate = camera.under(camera.installed)
        record_days(scene, candidate, Path(name), days=days, token=token, progress=progress, each=take_in)
        until = begins + timedelta(days=days)
    result.cameras = (camera_id,)
    result.notes.append(
        f"{camera.name} ran from {begins:%a %d %b %Y} to {until - timedelta(days=1):%a %d %b %Y} under its installed "
        "settings. It is simulated, so what happened is known: the week is judged already."
    )
    return result


def _week_of(place: Place, seed: int, begins: datetime) -> Scene:
    from guardia.benchcam.tern_quay import build_scene

    return replace(build_scene(place, seed=seed), from_day=begins)


def take_in_days(
    project: Project,
    camera_id: int,
    folders: Sequence[Path],
    span: tuple[datetime, datetime],
    *,
    last: bool = True,
    token: Token,
    progress: Report,
) -> ImportResult:
    """Bring what the simulated camera recorded in the days of a span into a project.

    Args:
        project: The project.
        camera_id: The camera.
        folders: One for each day, from record_days().
        span: It was watched from the first of these moments to the second.
        last: No more days are to come: earlier clips are held against what came.
        token: To stop it; what is finished is kept.
        progress: Told how far it is.

    Returns:
        What the import did.

    Raises:
        Cancelled: If it was stopped.
        ProjectError: If the project cannot be written.
    """
    result = ImportResult()
    for sub, origin in ORIGINS:
        files = tuple(folder / sub for folder in folders)
        watched = (span[0].timestamp(), span[1].timestamp()) if origin is Origin.MOTION else None
        request = ImportRequest(project.folder, camera_id, files, origin, watched=watched, helps_others=False)
        brought = import_clips(request, token=token, progress=progress)
        result.added, result.analysed = result.added + brought.added, result.analysed + brought.analysed
    if last:
        measure_camera(project, camera_id, result, token, progress, again=True)
    for folder in folders:
        for listed in ("events.jsonl", "events.csv"):
            if (folder / listed).exists():
                result.events += take_in_list(project, camera_id, folder / listed).added
    return result


def record_days(
    scene: Callable[[], Scene],
    candidate: Candidate,
    folder: Path,
    *,
    days: int = WEEK.days,
    token: Token,
    progress: Report,
    each: Callable[[Path], object] = lambda _folder: None,
) -> list[Path]:
    """Let the simulated camera record the first days of a scene, on all cores.

    Args:
        scene: Makes the scene; called in other processes.
        candidate: What the camera is told, and its make.
        folder: Receives a folder for each day.
        days: How many.
        token: To stop it.
        progress: Told how far it is.
        each: Called with the folder of each day, in order, as soon as it is recorded; the later days go on meanwhile.

    Returns:
        The folders, in order of the days.

    Raises:
        Cancelled: If it was stopped before all were recorded.
    """
    to_do = [_Day(scene, candidate.settings, candidate.capability, n, folder / str(n)) for n in range(days)]
    on_all_cores(_record, to_do, "Days recorded", token=token, progress=progress, stop=(folder / STOP).touch, each=each)
    return [day.folder for day in to_do]


def on_all_cores(
    work: Callable[[Any], Any],
    jobs: Sequence[Any],
    what: str,
    *,
    token: Token,
    progress: Report,
    stop: Callable[[], object] = lambda: None,
    each: Callable[[Any], object] = lambda _result: None,
) -> list[Any]:
    """Do a module's function for each job in processes of its own.

    Args:
        work: The function.
        jobs: What it is called with.
        what: Words for the progress.
        token: To stop it.
        progress: Told how far it is.
        stop: Called on a stop or a fault, so that those under way may hear of it.
        each: Called here with each result, in the order of the jobs, as soon as it and all before it are there.

    Returns:
        In the order of the jobs.

    Raises:
        Cancelled: If it was stopped.
    """
    meter = Meter(len(jobs), progress)
    with ProcessPoolExecutor(max_workers=os.cpu_count(), mp_context=get_context("spawn")) as pool:
        ordered = [pool.submit(work, job) for job in jobs]
        waiting = deque(ordered)
        meter.at(0, what)
        try:
            while waiting:
                wait([waiting[0]], timeout=LOOK_EVERY_S)
                token.check()
                while waiting and waiting[0].done():
                    each(waiting.popleft().result())
                    token.check()
                meter.at(sum(future.done() for future in ordered), what)
        except BaseException:
            stop()
            for future in waiting:
                future.cancel()
            raise
    return [future.result() for future in ordered]
