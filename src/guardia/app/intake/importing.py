"""Bring clips in: enter them in the project, then measure them, on all cores."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

from guardia.app.intake.event_import import METADATA_SUFFIXES, take_in_boxes, take_in_list, take_in_metadata
from guardia.app.intake.import_plan import TAKEN, Known, Plan, look_into, make_plan
from guardia.app.intake.measuring import ImportResult, measure_camera
from guardia.app.work.engine import Cluster
from guardia.app.work.jobs import Meter, Report, Token
from guardia.core.base.errors import Cancelled, GuardiaError, InvalidValue, ProjectError
from guardia.core.evidence.clips import Cause, Origin
from guardia.core.evidence.events import ColumnMapping
from guardia.core.evidence.watch import Entered
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
    helps_others: bool = True
    """Earlier clips that these help are measured again now; else with the next import."""
    cluster: Cluster | None = None
    """Where they are measured, None for this machine."""
    hardware: Hardware | None = None
    """Where they are decoded, None for software."""


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
                    again=request.again, helps_others=request.helps_others, cluster=request.cluster,
                    hardware=request.hardware,
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
