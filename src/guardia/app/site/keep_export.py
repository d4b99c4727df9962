"""Saving footage before it is overwritten: originals with their times, off the interface's thread."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, NamedTuple

from guardia.app.work.jobs import Meter, Report, Token
from guardia.core.base.errors import Cancelled, ProjectError
from guardia.core.evidence.clips import Clip
from guardia.store.evidence_export import clear_unfinished, export_original
from guardia.store.project import Project


class Exported(NamedTuple):
    """What came of an export."""

    folders: tuple[Path, ...]
    """One for each original."""
    left_out: tuple[str, ...] = ()
    """Why others were left out, in sentences."""


def export_job(
    project_folder: Path, camera_id: int, clip_ids: Sequence[int], folder: Path
) -> Callable[[Token, Report], Exported]:
    """Work that copies the originals of clips to a folder.

    Args:
        project_folder: The project.
        camera_id: The camera.
        clip_ids: Clips, each once.
        folder: Where to.

    Returns:
        Raises ProjectError where the folder takes nothing; those before it stay.
    """

    def work(token: Token, report: Report) -> Exported:
        meter = Meter(len(clip_ids), report)

        def go_on(number: int) -> None:
            token.check()
            meter.at(number, "Originals exported")

        with Project(project_folder) as project:
            return export_each(project, camera_id, clip_ids, folder, go_on=go_on, stopped=lambda: token.cancelled)

    return work


def export_each(
    project: Project,
    camera_id: int,
    clip_ids: Sequence[int],
    folder: Path,
    *,
    go_on: Callable[[int], object] = lambda _done: None,
    stopped: Callable[[], bool] = lambda: False,
) -> Exported:
    """Copy the originals of clips; one that is missing or changed is named, and the others are copied.

    Raises ProjectError where the folder cannot be made or takes nothing more; those before it stay.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise ProjectError(
            f"The folder {folder} cannot be made ({error.strerror}).", do="Choose another folder."
        ) from error
    clear_unfinished(folder)
    done: list[Path] = []
    left_out: list[str] = []
    for number, clip_id in enumerate(clip_ids):
        go_on(number)
        try:
            done.append(export_one(project, camera_id, clip_id, folder, stopped=stopped))
        except Cancelled:
            raise
        except ProjectError as error:
            if isinstance(error.__cause__, OSError):
                raise  # the folder takes nothing, or the disk is full: so it would be with all others
            left_out.append(str(error))
    return Exported(tuple(done), tuple(left_out))


def export_one(
    project: Project, camera_id: int, clip_id: int, folder: Path, *, stopped: Callable[[], bool] = lambda: False
) -> Path:
    """Copy the original of one clip with what is known of its time; as export_original()."""
    camera = project.cameras.get(camera_id)
    clip = next(c for c in project.clips.of(camera_id) if c.id == clip_id)
    original, digest = project.clips.original(clip_id)
    about = _about(project, camera.name, camera.clock_error_s, clip, original)
    name = re.sub(r"[^\w-]+", "-", f"{camera.name}_{about['true_start_utc'][:19]}_{clip_id}").strip("-").lower()
    return export_original(project.clips.path(clip_id), folder, name, about, digest=digest, stopped=stopped)


def _about(project: Project, camera: str, clock_error_s: float, clip: Clip, original: str) -> dict[str, Any]:
    """What is written beside an original."""
    true = datetime.fromtimestamp(clip.start_s, UTC)
    shown_s, known_by = project.clips.start(clip.id)
    return {
        "site": project.site().name,
        "camera": camera,
        "original_name": original,
        "true_start_utc": true.isoformat(timespec="milliseconds"),
        "true_start_local": true.astimezone(project.zone).isoformat(timespec="milliseconds"),
        "time_zone": project.zone.key,
        "duration_s": round(clip.duration_s, 3),
        "camera_clock_showed_local": datetime.fromtimestamp(shown_s, UTC)
        .astimezone(project.zone)
        .isoformat(timespec="milliseconds"),
        "clock_error_s": clock_error_s,
        "start_known_by": known_by,
        "recorded_because": f"{clip.origin}" if clip.origin != "motion" else f"{clip.cause}",
        "exported_utc": datetime.now(UTC).isoformat(timespec="seconds"),
    }
