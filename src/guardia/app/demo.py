"""The demo project of Tern Quay: built from the bench camera's files, and opened as a copy of one's own."""

from __future__ import annotations

import json
import shutil
from importlib.resources import files
from pathlib import Path

from guardia.app.importing import ImportRequest, import_clips
from guardia.app.jobs import Report, Token
from guardia.app.makes import capability_data
from guardia.benchcam import pontoon
from guardia.core.errors import ProjectError
from guardia.core.evidence import Origin
from guardia.store.project import FILE_NAME, MEDIA, Project
from guardia.store.records import Site


def build_demo(recorded: Path, folder: Path, *, token: Token, progress: Report) -> list[str]:
    """Build the demo project from the bench camera's files.

    Parameters
    ----------
    recorded
        Folder written by pontoon.record.
    folder
        The project to make.
    token
        To stop it.
    progress
        Told how far it is.

    Returns
    -------
    list[str]
        The notes of the imports.
    """
    notes: list[str] = []
    truth = read_truth(recorded)
    with Project(folder, create=True, site=Site(pontoon.SITE_NAME, pontoon.TIME_ZONE)) as project:
        camera_id = project.add_camera(
            pontoon.CAMERA_NAME,
            capability_data(pontoon.INSTALLED.capability),
            pontoon.INSTALLED,
            from_s=pontoon.FIRST_DAY.timestamp(),
        )
        for sub, origin in (
            ("motion", Origin.MOTION), ("continuous", Origin.CONTINUOUS), ("walk-test", Origin.WALK_TEST),
        ):  # fmt: skip
            request = ImportRequest(folder, camera_id, (recorded / sub,), origin)
            notes += import_clips(request, token=token, progress=progress).notes
        evidence = project.evidence(camera_id)
        limit = pontoon.local_time(pontoon.JUDGED_DAYS * 86400.0).timestamp()
        kinds = {}
        for occurrence in evidence.occurrences:
            clip = evidence.clips[evidence.clip_index[occurrence.clip_id]]
            if clip.start_s < limit:
                kinds[occurrence.id] = pontoon.right_kind(truth[clip.name], occurrence.start_s, occurrence.end_s)
        project.judge(kinds)
        project.compact()
    return notes


def read_truth(recorded: Path) -> dict[str, list[dict[str, object]]]:
    """What really happened, by clip file name."""
    truth: dict[str, list[dict[str, object]]] = {}
    for path in sorted((recorded / "truth").glob("*.jsonl")):
        for line in path.read_text("utf-8").splitlines():
            entry = json.loads(line)
            truth[Path(entry["clip"]).name] = entry["events"]
    return truth


def own_demo(home: Path) -> Path:
    """The demo as a project of one's own, copied from the shipped one at the first start.

    Parameters
    ----------
    home
        Folder for the program's data.

    Returns
    -------
    Path
        The project's folder.

    Raises
    ------
    ProjectError
        If it cannot be copied.
    """
    target = home / "tern-quay"
    if (target / FILE_NAME).exists():
        return target
    with_parts = home / "tern-quay.part"
    shipped = Path(str(files("guardia") / "data" / "demo"))
    try:
        shutil.rmtree(with_parts, ignore_errors=True)
        (with_parts / MEDIA).mkdir(parents=True)
        shutil.copyfile(shipped / FILE_NAME, with_parts / FILE_NAME)
        for clip in (shipped / MEDIA).iterdir():
            shutil.copyfile(clip, with_parts / MEDIA / clip.name)
        with_parts.rename(target)
    except OSError as error:
        raise ProjectError(
            f"The demo cannot be copied to {home} ({error.strerror}).",
            do="Check that you may write there and the disk has 20 MB free.",
        ) from error
    return target
