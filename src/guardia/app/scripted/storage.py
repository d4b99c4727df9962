"""Storage without a window: days kept, findings, battery and data of the cameras of a project."""

from __future__ import annotations

import math
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from guardia.app.scripted.whole_job import camera_named
from guardia.app.site.keep_export import Exported, export_each
from guardia.core.prove.due import Due, due_of, in_patrol_order
from guardia.core.replay.anchored import anchored
from guardia.core.replay.replay import Replay
from guardia.core.score.power import charge_of, sent_of
from guardia.core.score.storage import if_lost, keep_list, kept_counts, requirement, schools, ways_to_keep, what_if
from guardia.core.score.storage_findings import storage_findings
from guardia.core.storage.figure import Figure
from guardia.store.project import Project


def project_storage(folder: Path, *, cameras: Sequence[str], draft: bool) -> list[dict[str, Any]]:
    """What is known of storage, power and data.

    Args:
        folder: The project's folder.
        cameras: Names; all of them when empty.
        draft: Of the drafts in place of the installed settings.

    Returns:
        A camera each, as docs/formats.md describes.

    Raises:
        InvalidValue: If there is no such camera.
    """
    with Project(folder) as project:
        wanted = [camera_named(project, name) for name in cameras] if cameras else project.cameras.all()
        entries = []
        for camera in wanted:
            evidence = project.evidence(camera.id)
            installed = anchored(evidence, camera.under(camera.installed))
            done = anchored(evidence, camera.under(camera.draft)) if draft else installed
            entries.append({"camera": camera.name, "settings": "draft" if draft else "installed",
                          **_of(project, done, installed)})  # fmt: skip
    return entries


def _of(project: Project, done: Replay, installed: Replay) -> dict[str, Any]:
    keeping, needed = done.keeping, requirement(done.keeping)
    kept, gone = kept_counts(done)
    charge, sent = charge_of(done, installed), sent_of(done)
    ways = ways_to_keep(done, needed.value) if needed is not None else []
    return {
        "store": None if keeping.fitted is None else keeping.fitted.store.name,
        "asked": _local(project, keeping.known.asked_s),
        "written_gb_a_day": _figure(keeping.volume),
        "all_written_gb_a_day": _figure(keeping.everything),
        "space_gb": _figure(keeping.space),
        "days_kept": _figure(keeping.days),
        "days_required": None if needed is None else needed.value,
        "full_on": None if keeping.full_s is None else _local(project, keeping.full_s),
        "findings": [{"words": f.words, "serious": f.serious} for f in storage_findings(done, installed)],
        "real_on_store": kept,
        "real_not_on_store": gone,
        "to_save": [
            {
                "recorded": _local(project, k.at_s),
                "save_before": None if k.deadline_s is None else _local(project, k.deadline_s),
                "not_there": k.gone or None,
                "on": k.stores,
            }
            for k in keep_list(done)
        ],
        "ways": [
            {"change": w.words, "days_kept": _figure(w.days), "surely": w.surely, "real_lost": w.lost} for w in ways
        ],
        "what_if": [
            {"records": w.mode, "quality": w.quality, "size_gb": w.size_gb, "days_kept": _number(w.days.value)}
            for w in what_if(done)
        ],
        "schools": [
            {
                "records": s.mode, "offered": s.offered, "days_kept": _figure(s.days), "real_missed": s.missed,
                "more_may_be_missed": s.censored, "hours_to_look_through": _figure(s.look_h),
            }
            for s in schools(done)
        ],
        "if_lost": if_lost(done),
        "battery": None if charge is None else {
            "drawn_wh_a_day": _figure(charge.drawn),
            "percent_a_day": _figure(charge.per_day),
            "measured": charge.measured is not None,
            "days": _figure(charge.days),
            "charge_on": None if charge.charge_on is None else charge.charge_on.isoformat(),
            "fails_in": charge.failing_month or None,
        },
        "data": None if sent is None else {
            "gb_a_month": _figure(sent.a_month),
            "allowance_gb": None if sent.allowance is None else sent.allowance.value,
            "used_up_on": None if sent.runs_out is None else sent.runs_out.isoformat(),
        },
    }  # fmt: skip


def _number(value: float) -> float | None:
    return round(value, 4) if math.isfinite(value) else None


def _figure(figure: Figure | None) -> dict[str, Any] | None:
    """A figure with its band and the weakest of its sources; a value without end is null."""
    if figure is None:
        return None
    return {"value": _number(figure.value), "low": _number(figure.low), "high": _number(figure.high),
            "source": figure.source.value, "how": figure.how}  # fmt: skip


def _local(project: Project, posix_s: float) -> str:
    return datetime.fromtimestamp(posix_s, UTC).astimezone(project.zone).isoformat(timespec="minutes")


def project_due(folder: Path) -> list[dict[str, str]]:
    """What is due on a site: camera, what, by which date, why; in order of the dates, of one day in patrol order."""
    with Project(folder) as project:
        due: list[Due] = []
        for camera in project.cameras.all():
            evidence = project.evidence(camera.id)
            due += due_of(camera.name, anchored(evidence, camera.under(camera.installed)), camera.about.patrol)
    return [{"by": d.on.isoformat(), "camera": d.camera, "what": d.what, "why": d.why} for d in in_patrol_order(due)]


def export_real(folder: Path, *, camera: str, target: Path) -> Exported:
    """Copy the originals of a camera's judged real recordings.

    Args:
        folder: The project's folder.
        camera: Name of the camera.
        target: A folder; it is made where it is missing.

    Returns:
        A folder for each original, and why others were left out.

    Raises:
        ProjectError: If the target cannot be made or takes nothing more; what was copied before stays.
        InvalidValue: If there is no such camera.
    """
    with Project(folder) as project:
        known = camera_named(project, camera)
        evidence = project.evidence(known.id)
        listed = keep_list(anchored(evidence, known.under(known.installed)))
        clips = dict.fromkeys(o.clip_id for k in listed for o in k.visit)
        return export_each(project, known.id, tuple(clips), target)
