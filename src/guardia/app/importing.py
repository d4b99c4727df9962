"""Bring clips in: enter them in the project, then measure them, on all cores."""

from __future__ import annotations

import os
from collections.abc import Iterator, Mapping
from concurrent.futures import Future, ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime
from multiprocessing import get_context
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from guardia.app.event_import import METADATA_SUFFIXES, take_in_boxes, take_in_list, take_in_metadata
from guardia.app.import_plan import TAKEN, Known, Plan, look_into, make_plan
from guardia.app.jobs import Meter, Report, Token
from guardia.core.errors import Cancelled, GuardiaError, ProjectError, UnreadableClip
from guardia.core.events import ColumnMapping
from guardia.core.evidence import Clip, Origin, propose_occurrences
from guardia.core.trace import Trace
from guardia.media.analysis import (
    VIEW_PICTURES,
    analyse_clip,
    analyse_snapshot,
    clean_view,
    decode_grey,
    encode_jpeg,
    key_pictures,
    key_times,
    still_luma,
)
from guardia.store.mot import looks_like_boxes
from guardia.store.project import Project
from guardia.store.records import NewClip, NewOccurrence


@dataclass(frozen=True)
class ImportRequest:
    """What to bring in.

    Parameters
    ----------
    project
        The project's folder.
    camera_id
        The camera that recorded the clips.
    files
        Clips, or folders whose clips are meant; none means to measure what earlier imports left, of every camera.
    origin
        How they were recorded.
    start
        Start of the one clip given, aware, when neither its name nor its metadata tells.
    plan
        What becomes of each file, when it was planned and looked at before; else it is planned now.
    mappings
        Columns of event lists by file; a guess where there is none.
    """

    project: Path
    camera_id: int
    files: tuple[Path, ...]
    origin: Origin = Origin.MOTION
    start: datetime | None = None
    plan: Plan | None = None
    mappings: Mapping[Path, ColumnMapping] = field(default_factory=dict)


@dataclass
class ImportResult:
    """What an import did.

    Parameters
    ----------
    added
        Clips entered.
    analysed
        Clips measured, earlier unfinished ones included.
    events
        New entries of event lists.
    cameras
        Numbers of the cameras whose evidence may have changed.
    notes
        One sentence per file that was skipped or needs a look.
    stopped
        The person stopped it; what is left unmeasured goes on with the next import.
    """

    added: int = 0
    analysed: int = 0
    events: int = 0
    cameras: tuple[int, ...] = ()
    notes: list[str] = field(default_factory=list)
    stopped: bool = False


def import_clips(request: ImportRequest, *, token: Token, progress: Report) -> ImportResult:
    """Enter clips and measure all that are not yet measured; can be stopped and goes on where it stopped.

    Parameters
    ----------
    request
        What to bring in; no files means only the measuring that is left.
    token
        To stop it.
    progress
        Told how far it is.

    Returns
    -------
    ImportResult
        What was done and what was skipped.
    """
    result = ImportResult()
    with Project(request.project) as project:
        plan = request.plan
        if plan is None:
            found = look_into(request.files, request.origin, token=token, progress=progress)
            if request.files and not found.clips and not found.lists and not found.stopped:
                kind = "pictures" if request.origin is Origin.SNAPSHOT else "videos"
                result.notes.append(f"The folder holds no files that are named like {kind}.")
            zone = ZoneInfo(project.site().time_zone)
            plan = make_plan(
                found, known_cameras(project), origin=request.origin, zone=zone, camera_id=request.camera_id
            )
        enter_clips(project, request, plan, result, token=token, progress=progress)
        if not result.stopped:
            _take_in_lists(project, request, plan, result)
        cameras = [request.camera_id, *(c.camera_id for c in plan.wanted if c.camera_id is not None)]
        if not request.files and request.plan is None:
            cameras += project.camera_names()
        result.cameras = tuple(dict.fromkeys([*cameras, *(c for _, c in plan.lists if c is not None)]))
        for camera_id in dict.fromkeys(cameras):
            if not result.stopped:
                _measure_all(project, camera_id, result, token, progress)
    return result


def known_cameras(project: Project) -> list[Known]:
    """What a project has of its cameras, for a plan."""
    return [Known(c.id, c.name, c.time_pattern, c.clock_error_s, project.clip_names(c.id)) for c in project.cameras()]


def enter_clips(
    project: Project, request: ImportRequest, plan: Plan, result: ImportResult, *, token: Token, progress: Report
) -> None:
    """Copy and enter the clips of a plan; what was done and skipped is added to the result."""
    meter = Meter(len(plan.clips), progress)
    for index, clip in enumerate(plan.clips):
        if token.cancelled:
            result.stopped = True
            return
        meter.at(index, f"Taking in {clip.path.name}")
        if clip.state not in TAKEN or clip.info is None or clip.start is None or clip.camera_id is None:
            result.notes.append(clip.note)
        else:
            start, source = (request.start, "given") if request.start else (clip.start, clip.source)
            info = clip.info
            new = NewClip(
                clip.path, start.timestamp(), source, info.duration_s, info.width, info.height, info.codec,
                request.origin,
            )  # fmt: skip
            try:
                added = project.add_clip(clip.camera_id, new, stopped=lambda: token.cancelled)
            except Cancelled:
                result.stopped = True
                return
            except UnreadableClip as error:
                result.notes.append(str(error))
                continue
            except ProjectError as error:
                result.notes.append(str(error))
                return
            if added is None:
                result.notes.append(f"{clip.path.name} is here already; it was not taken in twice.")
                continue
            result.added += 1
            if clip.note and not request.start:
                result.notes.append(f"{clip.path.name}: {clip.note}")


def _take_in_lists(project: Project, request: ImportRequest, plan: Plan, result: ImportResult) -> None:
    for path, camera_id in plan.lists:
        if camera_id is None:
            result.notes.append(f"{path.name}: no camera's name fits this list; it was left out.")
            continue
        try:
            if looks_like_boxes(path):
                told = take_in_boxes(project, camera_id, path)
            elif path.suffix.lower() in METADATA_SUFFIXES:
                told = take_in_metadata(project, camera_id, path)
            else:
                told = take_in_list(project, camera_id, path, request.mappings.get(path))
        except GuardiaError as error:
            result.notes.append(str(error))
            continue
        result.events += told.added
        result.notes += told.notes


@dataclass(frozen=True, eq=False)
class _Task:
    clip: Clip
    path: Path
    others: tuple[bytes, ...]
    stills: tuple[Path, ...]
    contrast: int
    size: float


@dataclass(frozen=True, eq=False)
class _Measured:
    trace: Trace
    background: bytes
    brightness: float
    occurrences: tuple[NewOccurrence, ...]


def _measure(task: _Task) -> _Measured:
    others = [decode_grey(b) for b in task.others]
    if task.clip.origin is Origin.SNAPSHOT:
        analysis = analyse_snapshot(task.path, [*_readable(task.stills), *others])
    else:
        analysis = analyse_clip(task.path, other_backgrounds=others, threads=1)
    trace = analysis.trace
    spans = propose_occurrences(trace, contrast=task.contrast, size=task.size, origin=task.clip.origin)
    found = []
    for begin, end in spans:
        still = task.clip.origin is Origin.SNAPSHOT
        times = [0.0] if still else key_times(trace, begin, end, contrast=task.contrast)
        found.append(NewOccurrence(begin, end, times, key_pictures(task.path, times, threads=1)))
    background = encode_jpeg(analysis.background, quality=80)
    return _Measured(trace, background, float(analysis.background.mean()), tuple(found))


def _readable(paths: tuple[Path, ...]) -> Iterator[NDArray[np.uint8]]:
    for path in paths:
        with suppress(UnreadableClip):
            yield still_luma(path)


def _measure_all(project: Project, camera_id: int, result: ImportResult, token: Token, progress: Report) -> None:
    waiting = project.clips(camera_id, analysed=False)
    if not waiting:
        return
    capability = project.camera(camera_id).capability
    finest = min(capability.notches, key=lambda n: (n.size, n.contrast))
    meter = Meter(len(waiting), progress)
    done = 0
    with ProcessPoolExecutor(max_workers=os.cpu_count(), mp_context=get_context("spawn")) as pool:
        running: dict[Future[_Measured], Clip] = {}
        queue = iter(waiting)

        def feed() -> None:
            for clip in queue:
                if token.cancelled:
                    return
                try:
                    path = project.clip_path(clip.id)
                except ProjectError as error:
                    result.notes.append(str(error))
                    continue
                others = tuple(project.backgrounds(camera_id, clip.start_s))
                stills = tuple(project.stills(camera_id, clip)) if clip.origin is Origin.SNAPSHOT else ()
                task = _Task(clip, path, others, stills, finest.contrast, finest.size)
                running[pool.submit(_measure, task)] = clip
                return

        for _ in range(2 * (os.cpu_count() or 1)):
            feed()
        while running:
            future = next(as_completed(running))
            clip = running.pop(future)
            try:
                measured = future.result()
                project.put_analysis(
                    clip.id,
                    measured.trace,
                    measured.occurrences,
                    background=measured.background,
                    brightness=measured.brightness,
                )
                result.analysed += 1
            except GuardiaError as error:
                result.notes.append(str(error))
            except BrokenProcessPool:
                result.notes.append(
                    "A process that measures clips was ended from outside, perhaps for want of memory. What was "
                    "measured is kept; the next import goes on with the rest."
                )
                return
            done += 1
            meter.at(done, f"Measuring {clip.name}")
            feed()
    result.stopped = token.cancelled
    if result.analysed and not token.cancelled:
        make_clean_view(project, camera_id)


def make_clean_view(project: Project, camera_id: int) -> None:
    """Make the camera's picture without what moves, from single pictures of its brightest clips."""
    clips = project.clips(camera_id, analysed=True)
    levels = {c.id: level for c in clips if (level := project.brightness(c.id)) is not None}
    brightest = sorted(levels, key=lambda i: -levels[i])[: 2 * VIEW_PICTURES : 2]
    lengths = {c.id: c.duration_s for c in clips}
    found = []
    for clip_id in brightest:
        try:
            found.append((project.clip_path(clip_id), lengths[clip_id]))
        except ProjectError:
            continue
    if found:
        project.put_clean_view(camera_id, clean_view(found))
