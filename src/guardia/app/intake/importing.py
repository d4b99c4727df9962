"""Bring clips in: enter them in the project, then measure them, on all cores."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass, field, replace
from datetime import datetime
from pathlib import Path
from typing import TypeVar
from zoneinfo import ZoneInfo

from guardia.app.intake.event_import import METADATA_SUFFIXES, take_in_boxes, take_in_list, take_in_metadata
from guardia.app.intake.import_plan import TAKEN, Known, Plan, look_into, make_plan
from guardia.app.intake.looking import FirstTask, SecondTask, first_look, second_look
from guardia.app.intake.views import compare_views
from guardia.app.work.engine import Cluster, Engine, engine
from guardia.app.work.jobs import Meter, Report, Token
from guardia.core.base.errors import Cancelled, GuardiaError, InvalidValue, ProjectError, UnreadableClip
from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Cause, Clip, Origin
from guardia.core.evidence.events import ColumnMapping
from guardia.core.evidence.watch import Entered
from guardia.core.trace.backgrounds import ALTERED, helpers, key_of
from guardia.core.trace.measure import MODEL_VERSION
from guardia.formats.mot import looks_like_boxes
from guardia.media.hardware import Hardware
from guardia.store.clips import plain_name
from guardia.store.project import Project
from guardia.store.records import NewClip


@dataclass(frozen=True)
class ImportRequest:
    """What to bring in."""

    project: Path
    """The project's folder."""
    camera_id: int
    """The camera that recorded the clips."""
    files: tuple[Path, ...]
    """Clips, or folders whose clips are meant; none means to measure what earlier imports left, of every camera."""
    origin: Origin = Origin.MOTION
    """How they were recorded."""
    start: datetime | None = None
    """Start of the one clip given, aware, when neither its name nor its metadata tells."""
    plan: Plan | None = None
    """What becomes of each file, when it was planned and looked at before; else it is planned now."""
    mappings: Mapping[Path, ColumnMapping] = field(default_factory=dict)
    """Columns of event lists by file; a guess where there is none."""
    cause: Cause | None = None
    """Why the camera recorded them, None to go by its event list."""
    watched: tuple[float, float] | None = None
    """From when to when, POSIX seconds, these clips are all that the camera recorded by motion; None if nobody says."""
    again: bool = False
    """Measure again what an older version of the motion model measured, of every camera."""
    rule: str = "one"
    """How clips find their camera, one of import_plan.RULES; for clips that are planned now."""
    only_new: bool = False
    """Files of a name and size that the project has are taken for the clips that are here, without a look."""
    cluster: Cluster | None = None
    """Where they are measured, None for this machine."""
    hardware: Hardware | None = None
    """Where they are decoded, None for software."""


@dataclass
class ImportResult:
    """What an import did."""

    added: int = 0
    """Clips entered."""
    analysed: int = 0
    """Clips measured, earlier unfinished ones included."""
    events: int = 0
    """New entries of event lists."""
    cameras: tuple[int, ...] = ()
    """Numbers of the cameras whose evidence may have changed."""
    notes: list[str] = field(default_factory=list)
    """One sentence per file that was skipped or needs a look."""
    stopped: bool = False
    """The person stopped it; what is left unmeasured goes on with the next import."""


def import_clips(request: ImportRequest, *, token: Token, progress: Report) -> ImportResult:
    """Enter clips and measure all that are not yet measured; can be stopped and goes on where it stopped."""
    result = ImportResult()
    with Project(request.project) as project:
        plan = request.plan
        if plan is None:
            looked = look_into(request.files, request.origin, token=token, progress=progress)
            if request.files and not looked.clips and not looked.lists and not looked.stopped:
                kind = "pictures" if request.origin is Origin.SNAPSHOT else "videos"
                result.notes.append(f"The folder holds no files that are named like {kind}.")
            result.notes += looked.notes
            zone = ZoneInfo(project.site().time_zone)
            plan = make_plan(
                looked, known_cameras(project), zone=zone, rule=request.rule,
                camera_id=request.camera_id,
            )  # fmt: skip
            if request.only_new:
                plan = replace(plan, clips=tuple(clip for clip in plan.clips if clip.state == "new"), lists=())
        enter_clips(project, request, plan, result, token=token, progress=progress)
        if not result.stopped:
            _take_in_lists(project, request, plan, result)
            if request.watched is not None:
                entered = project.watched.entered(request.camera_id)
                project.watched.set_entered(request.camera_id, (*entered, Entered(*request.watched, True)))
        _remember_folder(project, request, plan)
        cameras = [request.camera_id, *(c.camera_id for c in plan.wanted if c.camera_id is not None)]
        if not request.files and request.plan is None:
            cameras = list(project.cameras.names())
        result.cameras = tuple(dict.fromkeys([*cameras, *(c for _, c in plan.lists if c is not None)]))
        for camera_id in dict.fromkeys(cameras):
            if not result.stopped:
                measure_camera(
                    project, camera_id, result, token, progress,
                    again=request.again, cluster=request.cluster, hardware=request.hardware,
                )  # fmt: skip
    return result


def _remember_folder(project: Project, request: ImportRequest, plan: Plan) -> None:
    """Keep with each camera the folder its clips came from, so that what is new there can be imported by itself."""
    folders = [path for path in request.files if path.is_dir()]
    if not folders or request.only_new:
        return
    for camera_id in {c.camera_id for c in plan.wanted if c.camera_id is not None}:
        about = project.cameras.get(camera_id).about
        folder = str(folders[-1].resolve())
        project.cameras.set_about(camera_id, replace(about, folder=folder, folder_rule=request.rule))


def import_each(requests: Sequence[ImportRequest], *, token: Token, progress: Report) -> ImportResult:
    """Several imports one after another, as one result; the first that is stopped ends them."""
    whole = ImportResult()
    for request in requests:
        one = import_clips(request, token=token, progress=progress)
        whole.added += one.added
        whole.analysed += one.analysed
        whole.events += one.events
        whole.cameras = tuple(dict.fromkeys((*whole.cameras, *one.cameras)))
        whole.notes += one.notes
        whole.stopped = one.stopped
        if one.stopped:
            break
    return whole


def known_cameras(project: Project) -> list[Known]:
    """What a project has of its cameras, for a plan."""
    return [
        Known(c.id, c.name, c.time_pattern, c.clock_error_s, project.clips.names(c.id)) for c in project.cameras.all()
    ]


def enter_clips(
    project: Project, request: ImportRequest, plan: Plan, result: ImportResult, *, token: Token, progress: Report
) -> None:
    """Copy and enter the clips of a plan; what was done and skipped is added to the result."""
    meter = Meter(len(plan.clips), progress)
    for index, clip in enumerate(plan.clips):
        if token.cancelled:
            result.stopped = True
            return
        meter.at(index, f"Importing {plain_name(clip.path)}")
        if clip.state not in TAKEN or clip.info is None or clip.start is None or clip.camera_id is None:
            result.notes.append(clip.note)
        else:
            start, source = (request.start, "given") if request.start else (clip.start, clip.source)
            info = clip.info
            new = NewClip(
                clip.path, start.timestamp(), source, info.duration_s, info.width, info.height, info.codec,
                request.origin, request.cause,
            )  # fmt: skip
            try:
                added = project.clips.add(clip.camera_id, new, stopped=lambda: token.cancelled)
            except Cancelled:
                result.stopped = True
                return
            except ProjectError as error:
                result.notes.append(str(error))
                return
            except InvalidValue as error:
                result.notes.append(f"{error} It was left out.")
                continue
            if added is None:
                result.notes.append(f"{plain_name(clip.path)} is here already; it was not imported twice.")
                continue
            result.added += 1
            if clip.note and not request.start:
                result.notes.append(f"{plain_name(clip.path)}: {clip.note}")


def _take_in_lists(project: Project, request: ImportRequest, plan: Plan, result: ImportResult) -> None:
    for path, camera_id in plan.lists:
        if camera_id is None:
            result.notes.append(f"{plain_name(path)}: no camera's name fits this list; it was left out.")
            continue
        try:
            if looks_like_boxes(path):
                words = take_in_boxes(project, camera_id, path)
            elif path.suffix.lower() in METADATA_SUFFIXES:
                words = take_in_metadata(project, camera_id, path)
            else:
                words = take_in_list(project, camera_id, path, request.mappings.get(path))
        except GuardiaError as error:
            result.notes.append(str(error))
            continue
        result.events += words.added
        result.notes += words.notes


LOOK_EVERY_S = 0.2
"""So often it is looked whether somebody wants the import to stop."""


def measure_camera(
    project: Project,
    camera_id: int,
    result: ImportResult,
    token: Token,
    progress: Report,
    *,
    again: bool = False,
    cluster: Cluster | None = None,
    hardware: Hardware | None = None,
) -> None:
    """Measure what waits: each clip by itself first, then with the help of the others by a rule over all there are.

    So neither the order nor the number of cores makes a difference. Clips that were measured before and are helped by
    others now are measured again: what was found in them is found again, unless somebody moved it; judgements stay.
    """
    measurements = project.measurements
    fresh = project.clips.of(camera_id, analysed=False)
    asked = [*fresh, *(project.clips.of(camera_id, analysed=True) if again else ())]
    waiting = [c for c in asked if measurements.look_of(c.id) < MODEL_VERSION]
    count = len(fresh) + len(waiting)
    if not count and not again:
        return
    meter = Meter(count, progress)
    done = helped = 0
    with engine(cluster) as pool:

        def first(clip: Clip) -> FirstTask | None:
            path = _path_of(project, clip, result)
            return None if path is None else FirstTask(clip, path, hardware)

        for clip, looked in _each(pool, waiting, first, first_look, project, result, token):
            measurements.put_first_look(
                clip.id, looked.trace, background=looked.background, brightness=looked.brightness,
                length_s=looked.length_s,
            )  # fmt: skip
            result.notes += [f"{clip.name}: {note}" for note in looked.notes]
            done += 1
            meter.at(done, f"Looking at {clip.name}")
        if token.cancelled:
            result.stopped = token.cancelled
            return
        capability = project.cameras.get(camera_id).capability
        finest = min(capability.notches, key=lambda n: (n.size, n.contrast))
        looks = {x.id: x for x in measurements.looks(camera_id, project.zone) if x.model == MODEL_VERSION}
        helping = helpers(list(looks.values()))
        keys = {i: key_of([looks[h] for h in helped]) for i, helped in helping.items()}
        clips = [
            c
            for c in project.clips.of(camera_id)
            if (look := looks.get(c.id)) is not None and (not look.final or look.helped_by != keys[c.id])
        ]

        def second(clip: Clip) -> SecondTask | None:
            path = _path_of(project, clip, result)
            if path is None:
                return None
            mine = helping[clip.id]
            stills = [project.clips.path_or_none(i) for i in mine if looks[i].snapshot]
            return SecondTask(
                clip, path, measurements.trace(clip.id), measurements.background(clip.id),
                tuple(b for i in mine if not looks[i].snapshot and (b := measurements.background(i))),
                tuple(s for s in stills if s is not None), finest.contrast, finest.size, not looks[clip.id].final,
                looks[clip.id].altered, hardware,
            )  # fmt: skip

        for clip, finished in _each(pool, clips, second, second_look, project, result, token):
            helped_by = keys[clip.id] + (ALTERED if finished.altered else "")
            if measurements.finish(
                clip.id, finished.trace, finished.occurrences, helped=helped_by, before=finished.before
            ):
                result.analysed += 1
            elif finished.trace is not None:
                helped += 1
            done += 1
            meter.at(min(done, count), f"Measuring {clip.name}")
        if result.analysed and not token.cancelled and (words := compare_views(project, camera_id, pool)):
            result.notes.append(words)
    result.stopped = token.cancelled
    if helped and not again:
        result.notes.append(
            f"Measured {count_of(helped, 'earlier clip')} again, since others of that hour now help with their still "
            "picture. Judgements are kept; scores may have changed a little."
        )


def _path_of(project: Project, clip: Clip, result: ImportResult) -> Path | None:
    try:
        return project.clips.path(clip.id)
    except ProjectError as error:
        result.notes.append(str(error))
        return None


_Asked = TypeVar("_Asked")
_Given = TypeVar("_Given")


def _each(
    pool: Engine,
    clips: Sequence[Clip],
    task_of: Callable[[Clip], _Asked | None],
    work: Callable[[_Asked], _Given],
    project: Project,
    result: ImportResult,
    token: Token,
) -> Iterator[tuple[Clip, _Given]]:
    """Work on clips on the engine, a few ahead, and give each as it is done."""
    running: dict[Future[_Given], Clip] = {}
    queue = iter(clips)

    def feed() -> None:
        for clip in queue:
            if token.cancelled:
                return
            if (task := task_of(clip)) is not None:
                running[pool.submit(work, task)] = clip
                return

    for _ in range(2 * pool.workers):
        feed()
    while running:
        ready = wait(running, timeout=LOOK_EVERY_S, return_when=FIRST_COMPLETED).done
        if token.cancelled:
            pool.stop()
        if not ready:
            continue
        future = ready.pop()
        clip = running.pop(future)
        try:
            yield clip, future.result()
        except Cancelled:
            continue
        except Exception as error:
            if not pool.died(error):
                _tell_failure(error, clip, project, result)
            elif isinstance(error, BrokenProcessPool):
                # One of these took the process, and with it all others, down: each is tried by itself.
                suspects = [clip, *running.values()]
                running.clear()
                pool.renew()
                yield from _one_by_one(pool, suspects, task_of, work, project, result)
            else:
                _tell_death(clip, project, result)
        feed()


def _one_by_one(
    pool: Engine,
    clips: Sequence[Clip],
    task_of: Callable[[Clip], _Asked | None],
    work: Callable[[_Asked], _Given],
    project: Project,
    result: ImportResult,
) -> Iterator[tuple[Clip, _Given]]:
    for clip in clips:
        task = task_of(clip)
        if task is None:
            continue
        try:
            yield clip, pool.submit(work, task).result()
        except Exception as error:
            if pool.died(error):
                pool.renew()
                _tell_death(clip, project, result)
            else:
                _tell_failure(error, clip, project, result)


def _tell_failure(error: Exception, clip: Clip, project: Project, result: ImportResult) -> None:
    """Say why a clip was not measured, whatever it was: the others go on."""
    if isinstance(error, UnreadableClip):
        # The file in the project bears another name than the one that the person knows.
        what = error.what.replace(project.clips.file_name(clip.id), clip.name)
        words = f"{what} It was imported but cannot be measured."
        project.measurements.set_trouble(clip.id, words)
        result.notes.append(f"{words} Nothing is counted of it.")
    elif isinstance(error, GuardiaError):
        result.notes.append(str(error))
    else:
        words = f"{clip.name} cannot be measured, by a fault of the program ({type(error).__name__}: {error})."
        project.measurements.set_trouble(clip.id, words)
        result.notes.append(f"{words} Nothing is counted of it; the others are not affected. Please report it.")


def _tell_death(clip: Clip, project: Project, result: ImportResult) -> None:
    words = f"{clip.name} ended the process that decoded it, by itself. It was imported but cannot be measured."
    project.measurements.set_trouble(clip.id, words)
    result.notes.append(f"{words} Nothing is counted of it; the others are not affected.")
