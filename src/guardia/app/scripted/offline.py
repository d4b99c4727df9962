"""Analyse, replay and score without a window; results are plain JSON values."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import Future
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from functools import cache
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from guardia.app.intake.event_import import LIST_SUFFIXES
from guardia.app.intake.import_plan import look_into, make_plan
from guardia.app.intake.importing import ImportRequest, import_clips, known_cameras
from guardia.app.work.engine import Cluster, Engine, engine
from guardia.app.work.jobs import Token
from guardia.core.base.errors import InvalidValue, UnreadableClip
from guardia.core.evidence.clips import Cause, Clip, Origin
from guardia.core.evidence.clock import check_zone, resolve
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.proposed import propose_occurrences
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.levers import limits_broken
from guardia.core.make.settings import Settings
from guardia.core.replay.anchored import anchored
from guardia.core.replay.replay import replay
from guardia.core.score.candidates import Scorer
from guardia.core.score.explain import Explained, explain
from guardia.core.score.met import met_both
from guardia.core.score.score import Score, difference_words, score
from guardia.core.trace.measure import CELL_SIZE
from guardia.core.trace.stack import TraceStack
from guardia.formats.event_lists import guess_mapping, look_at
from guardia.formats.mot import looks_like_boxes
from guardia.media.analysis import Analysis, analyse_clip, compared
from guardia.media.hardware import Hardware, check_device
from guardia.media.reader import ClipInfo, clip_start, probe
from guardia.report.sheet import met_rows, purpose_to_list, score_rows, score_to_dict
from guardia.store.clips import plain_name
from guardia.store.project import Project
from guardia.store.records import Camera

FINEST = (8, 0.00175)
"""Contrast and size at which `analyse` reports motion: those of the most sensitive generic notch."""


FILTER_NOTE = "Nobody names classes on a lone clip: the object filter lets everything through here."


def analyse_files(
    paths: Sequence[Path], *, time_zone: str, cluster: Cluster | None = None, device: str = ""
) -> dict[str, Any]:
    """Measure clips and say what moves in them.

    Args:
        paths: Video files.
        time_zone: Of times in file names, an IANA name.
        cluster: Where they are measured, None for all cores of this machine.
        device: Decode on this kind of device of this machine, where that gives the same traces; '' for software.

    Returns:
        In the order of the files: `clips`, one entry each, and `skipped`, one sentence per file that cannot be used;
        `decoding`, what came of the device, where one was asked for.

    Raises:
        InvalidValue: If there is no such time zone or device.
    """
    zone = check_zone(time_zone)
    if not paths:
        raise InvalidValue("There is no video file there.", do="Name clips, or a folder that holds some.")
    hardware, words = device_for(paths, device, cluster)
    clips, skipped = [], []
    for path, looked in zip(paths, _looked_at(paths, cluster, hardware), strict=True):
        if isinstance(looked, UnreadableClip):
            skipped.append(str(looked))
            continue
        info, analysis = looked
        trace = analysis.trace
        start, source = clip_start(path, info, zone)
        stack = TraceStack([trace])
        sizes = stack.sizes(np.ones((trace.rows, trace.columns), bool), contrast=FINEST[0])
        spans = propose_occurrences(trace, contrast=FINEST[0], size=FINEST[1], origin=Origin.CONTINUOUS)
        motion = []
        for begin, end in spans:
            inside = (trace.times_s >= begin) & (trace.times_s <= end)
            largest = 100 * int(sizes[inside].max(initial=0)) / (stack.cells * CELL_SIZE)
            motion.append({"start_s": begin, "end_s": end, "largest_percent": round(largest, 3)})
        clips.append(
            {
                "file": str(path), "start": start.isoformat(), "start_source": source, "codec": info.codec,
                "width": info.width, "height": info.height, "duration_s": info.duration_s,
                "sampled_pictures": trace.frames, "motion": motion, "notes": list(analysis.notes),
            }
        )  # fmt: skip
    return {"clips": clips, "skipped": skipped, **({"decoding": words} if words else {})}


def device_for(paths: Sequence[Path], device: str, cluster: Cluster | None) -> tuple[Hardware | None, str]:
    """A device to decode clips like these on, and what comparing the first one that can be read told; '' for none.

    Raises InvalidValue for a device that is not known, or where a cluster is to measure.
    """
    if not device:
        return None, ""
    if cluster is not None:
        raise InvalidValue(
            f"'{device}' can be compared on this machine only, and a cluster is to measure.",
            do="Leave out --decode-on, or --cluster.",
        )
    check_device(device)
    for path in paths:
        with suppress(UnreadableClip):
            return compared(path, device)
    return None, ""


@dataclass(frozen=True)
class _Look:
    path: Path
    hardware: Hardware | None


def _look(task: _Look) -> tuple[ClipInfo, Analysis]:
    return probe(task.path), analyse_clip(task.path, threads=1, hardware=task.hardware)


def _looked_at(
    paths: Sequence[Path], cluster: Cluster | None, hardware: Hardware | None
) -> Iterator[tuple[ClipInfo, Analysis] | UnreadableClip]:
    """What each file says of itself and its trace, in the order of the files; or why it cannot be used."""
    if cluster is None and len(paths) == 1:  # not worth a process of its own
        try:
            yield _look(_Look(paths[0], hardware))
        except UnreadableClip as error:
            yield error
        return
    with engine(cluster) as pool:
        waiting: deque[tuple[Path, Future[Any]]] = deque()
        for path in paths:
            waiting.append((path, pool.submit(_look, _Look(path, hardware))))
            if len(waiting) > 2 * pool.workers:
                yield _result_of(pool, *waiting.popleft())
        while waiting:
            yield _result_of(pool, *waiting.popleft())


def _result_of(pool: Engine, path: Path, future: Future[Any]) -> tuple[ClipInfo, Analysis] | UnreadableClip:
    try:
        info, analysis = future.result()
    except UnreadableClip as error:
        return error
    except Exception as error:
        if not pool.died(error):
            raise
        if isinstance(error, BrokenProcessPool):
            pool.renew()
            with suppress(Exception):  # another one's decoder may have taken this one down: once more, by itself
                alone: tuple[ClipInfo, Analysis] = pool.submit(_look, _Look(path, None)).result()
                return alone
            pool.renew()
        return UnreadableClip(f"{path.name} ended the process that decoded it.", kept="The others are not affected.")
    return info, analysis


def replay_clip(path: Path, settings: Settings, capability: Capability) -> dict[str, Any]:
    """Say when settings would trigger and record on a clip.

    Args:
        path: The clip.
        settings: The settings.
        capability: The make whose words they use.

    Returns:
        `triggers` in seconds and `recordings`, each with its times in seconds from the clip's first picture; a
        recording may begin before it (pre-record) and end after the last one.

    Raises:
        UnreadableClip: If the clip cannot be used.
        InvalidValue: If the settings name a notch the make does not have.
    """
    analysis = analyse_clip(path)
    trace, luma = analysis.trace, float(analysis.background.mean())
    clip = Clip(1, path.name, 0.0, trace.duration_s, Origin.CONTINUOUS, luma)
    evidence = Evidence((clip,), (), TraceStack([trace]), "UTC")
    done = replay(evidence, Candidate(settings.in_light(dark=clip.dark), capability))
    return {
        "clip": str(path),
        "duration_s": round(trace.duration_s, 3),
        "needed_percent": round(100 * done.motion.needed / (evidence.stack.cells * CELL_SIZE), 3),
        "triggers": [round(r.trigger_s, 3) for r in done.recordings[0]],
        "recordings": [
            {
                "trigger_s": round(r.trigger_s, 3), "start_s": round(r.start_s, 3), "end_s": round(r.end_s, 3),
                "motion_start_s": round(r.motion_start_s, 3), "motion_end_s": round(r.motion_end_s, 3),
                "ran_on": r.ran_on,
            }
            for r in done.recordings[0]
        ],
        "limits_broken": limits_broken(Candidate(settings, capability)),
        "notes": [FILTER_NOTE] if settings.detection.objects else [],
    }  # fmt: skip


def score_project(folder: Path, *, camera: str | None = None) -> dict[str, Any]:
    """Score installed and draft of a project's cameras.

    Args:
        folder: The project's folder.
        camera: Only the camera of this name.

    Returns:
        `cameras`, each with both scores, what flips and what the evidence cannot show.

    Raises:
        InvalidValue: If there is no camera of that name.
        ProjectError: If the project cannot be opened.
    """
    with Project(folder) as project:
        site = project.site()
        zone = ZoneInfo(site.time_zone)
        everyone = project.cameras.all()
        cameras = [c for c in everyone if camera is None or c.name == camera]
        if not everyone:
            raise InvalidValue("This project has no camera yet.", do="Add one and import what it recorded.")
        if not cameras:
            names = ", ".join(c.name for c in everyone)
            raise InvalidValue(f"This project has no camera '{camera}'.", do=f"It has: {names}.")
        scored = []
        for one in cameras:
            evidence = project.evidence(one.id)
            result = Scorer().compare(evidence, one.under(one.installed), one.under(one.draft))
            met = met_both(evidence, result)
            changes = []
            for change in result.changes:
                clip = evidence.clips[evidence.clip_index[change.occurrence.clip_id]]
                when = datetime.fromtimestamp(clip.start_s + change.occurrence.start_s, UTC).astimezone(zone)
                changes.append(
                    {
                        "flip": change.flip.value, "chance": round(change.chance, 3),
                        "certainty": change.certainty.value, "occurrence": change.occurrence.id,
                        "when": when.isoformat(sep=" ", timespec="seconds"), "kind": change.occurrence.kind,
                        "reason": change.reason,
                    }
                )  # fmt: skip
            scored.append(
                {
                    "name": one.name,
                    "installed": score_to_dict(result.installed),
                    "draft": score_to_dict(result.draft),
                    "changes": changes,
                    "purpose": purpose_to_list(met),
                    "purpose_lines": met_rows(met),
                    "explained": _explained(evidence, one).words,
                    "limits": list(result.limits),
                    "lines": score_rows(result.installed, result.draft),
                }
            )
        return {"site": site.name, "time_zone": site.time_zone, "cameras": scored}


def bring_in(
    folder: Path,
    paths: Sequence[Path],
    *,
    camera: str,
    origin: Origin,
    rule: str = "one",
    pattern: str | None = None,
    dry_run: bool = False,
    cause: Cause | None = None,
    watched: Sequence[str] | None = None,
    cluster: Cluster | None = None,
    device: str = "",
    columns: Mapping[str, str] | None = None,
) -> dict[str, Any]:
    """Bring files into a project, or only say what would happen.

    Args:
        folder: The project.
        paths: Files and folders.
        camera: Name of the camera that files go to unless the rule says otherwise.
        origin: How the clips were recorded.
        rule: One of import_plan.RULES.
        pattern: Of the time in file names; the one kept for each camera when None.
        dry_run: Change nothing.
        cause: Why the camera recorded them, None to go by its event list.
        watched: Two times in ISO 8601 between which all that it recorded by motion is here.
        cluster: Where clips are measured, None for this machine.
        device: Decode on this kind of device of this machine, where that gives the same traces; '' for software.
        columns: Columns of event lists by what they mean, or the `form` or `clock` of their times, as in ColumnMapping;
            the rest is guessed.

    Returns:
        `clips` with what becomes of each, `notes`, and unless it is a dry run what was added, measured and listed.

    Raises:
        InvalidValue: If there is no such camera, or the pattern or the times cannot be used.
    """
    token = Token()
    with Project(folder) as project:
        cameras = known_cameras(project)
        zone = ZoneInfo(project.site().time_zone)
    span = None if watched is None else _span(watched, zone)
    chosen = next((c for c in cameras if c.name == camera), None)
    if chosen is None:
        known = ", ".join(c.name for c in cameras)
        raise InvalidValue(f"There is no camera named '{camera}'.", do=f"This project has: {known}.")
    planned = look_into(paths, origin, token=token, progress=lambda _p: None)
    patterns = {c.id: pattern for c in cameras} if pattern is not None else {}
    plan = make_plan(planned, cameras, zone=zone, rule=rule, camera_id=chosen.id, patterns=patterns)
    names = {c.id: c.name for c in cameras}
    report: dict[str, Any] = {
        "clips": [
            {
                "file": str(c.path),
                "state": c.state,
                "camera": names.get(c.camera_id or 0, ""),
                "start": c.start.isoformat() if c.start else "",
                "start_source": c.source,
                "note": c.note,
            }
            for c in plan.clips
        ],
        "lists": [str(path) for path, _ in plan.lists],
        "notes": [*plan.notes, *(f"{plain_name(c.path)}: {c.note}" for c in plan.clips if c.note)],
    }
    if not dry_run:
        hardware, words = device_for([c.path for c in plan.wanted], device, cluster)
        lists = [path for path, _ in plan.lists if path.suffix.lower() in LIST_SUFFIXES and not looks_like_boxes(path)]
        request = ImportRequest(
            folder, chosen.id, (), origin, plan=plan, cause=cause, watched=span, cluster=cluster, hardware=hardware,
            mappings={path: replace(guess_mapping(look_at(path)), **columns) for path in lists} if columns else {},
        )  # fmt: skip
        done = import_clips(request, token=token, progress=lambda _p: None)
        report |= {"added": done.added, "measured": done.analysed, "events": done.events, "notes": done.notes}
        report |= {"decoding": words} if words else {}
    return report


def _span(watched: Sequence[str], zone: ZoneInfo) -> tuple[float, float]:
    try:
        low, high = (resolve(datetime.fromisoformat(text), zone).moment.timestamp() for text in watched)
    except ValueError as error:
        raise InvalidValue(
            f"'{' '.join(watched)}' are no times.", do="Write them like 2026-09-07T00:00, in the site's time."
        ) from error
    if high <= low:
        raise InvalidValue("Time covered must end after it begins.", kept="Nothing was changed.")
    return low, high


def _explained(evidence: Evidence, camera: Camera) -> Explained:
    """Whether the model explains what a camera recorded."""
    return explain(evidence, cache(lambda s: replay(evidence, camera.under(s))))


def measure_again(folder: Path) -> dict[str, Any]:
    """Measure what an older version of the motion model measured.

    Args:
        folder: The project's folder.

    Returns:
        `measured` clips, `cameras` with what changed in the score of their installed settings, `notes`.

    Raises:
        ProjectError: If the project cannot be opened.
    """
    before = _installed_scores(folder)
    with Project(folder) as project:
        outdated = project.measurements.outdated()
    request = ImportRequest(folder, 0, (), again=True)
    notes = import_clips(request, token=Token(), progress=lambda _p: None).notes if outdated else []
    after = _installed_scores(folder)
    cameras = [{"name": name, "changes": difference_words(old, after[name])} for name, old in before.items()]
    return {"measured": outdated, "cameras": cameras, "notes": notes}


def _installed_scores(folder: Path) -> dict[str, Score]:
    with Project(folder) as project:
        scores = {}
        for camera in project.cameras.all():
            evidence = project.evidence(camera.id)
            scores[camera.name] = score(evidence, anchored(evidence, camera.under(camera.installed)))
        return scores
