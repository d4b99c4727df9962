"""Bring clips in: enter them in the project, then measure them, on all cores."""

from __future__ import annotations

import os
from collections.abc import Iterator
from concurrent.futures import Future, ProcessPoolExecutor, as_completed
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime
from multiprocessing import get_context
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from guardia.app.jobs import Meter, Report, Token
from guardia.core.errors import GuardiaError, ProjectError, UnreadableClip
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
from guardia.media.reader import clip_start, probe
from guardia.store.project import Project
from guardia.store.records import NewClip, NewOccurrence

VIDEO_SUFFIXES = frozenset(
    f".{ending}"
    for ending in (
        "3gp asf avi dav flv h264 h265 hevc m2ts m4v mkv mov mp4 mpeg mpg mts ts vob webm wmv".split()  # noqa: SIM905
    )
)


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
        Clips, or folders whose clips are meant.
    origin
        How they were recorded.
    start
        Start of the one clip given, aware, when neither its name nor its metadata tells.
    """

    project: Path
    camera_id: int
    files: tuple[Path, ...]
    origin: Origin = Origin.MOTION
    start: datetime | None = None


@dataclass
class ImportResult:
    """What an import did.

    Parameters
    ----------
    added
        Clips entered.
    analysed
        Clips measured, earlier unfinished ones included.
    notes
        One sentence per file that was skipped or needs a look.
    stopped
        The person stopped it; what is left unmeasured goes on with the next import.
    """

    added: int = 0
    analysed: int = 0
    notes: list[str] = field(default_factory=list)
    stopped: bool = False


STILL_SUFFIXES = frozenset((".jpg", ".jpeg", ".png", ".bmp", ".webp"))


def find_clips(paths: tuple[Path, ...], *, suffixes: frozenset[str] = VIDEO_SUFFIXES) -> Iterator[Path]:
    """Files as given, and of folders those with a fitting ending, in order of name; hidden ones left out."""
    for path in paths:
        if path.is_dir():
            for folder, folders, names in os.walk(path):
                folders[:] = sorted(f for f in folders if not f.startswith("."))
                yield from (
                    Path(folder) / n
                    for n in sorted(names)
                    if Path(n).suffix.lower() in suffixes and not n.startswith(".")
                )
        else:
            yield path


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
        zone = ZoneInfo(project.site().time_zone)
        stills = request.origin is Origin.SNAPSHOT
        files = list(find_clips(request.files, suffixes=STILL_SUFFIXES if stills else VIDEO_SUFFIXES))
        if request.files and not files:
            kind = "pictures" if stills else "videos"
            result.notes.append(f"The folder holds no files that are named like {kind}.")
        meter = Meter(len(files), progress)
        for index, path in enumerate(files):
            if token.cancelled:
                result.stopped = True
                return result
            meter.at(index, f"Taking in {path.name}")
            try:
                added = _enter(project, request, path, zone)
            except UnreadableClip as error:
                result.notes.append(str(error))
                continue
            except ProjectError as error:
                result.notes.append(str(error))
                break
            if added is None:
                result.notes.append(f"{path.name} is here already; it was not taken in twice.")
            else:
                result.added += 1
                if added == "file date":
                    result.notes.append(f"{path.name}: its start is only a guess from the file's date.")
        _measure_all(project, request.camera_id, result, token, progress)
    return result


def _enter(project: Project, request: ImportRequest, path: Path, zone: ZoneInfo) -> str | None:
    """Enter one file; gives how its start is known, or None if it is here already."""
    info = probe(path)
    start, source = (request.start, "given") if request.start else clip_start(path, info, zone)
    new = NewClip(path, start.timestamp(), source, info.duration_s, info.width, info.height, info.codec, request.origin)
    return None if project.add_clip(request.camera_id, new) is None else source


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
