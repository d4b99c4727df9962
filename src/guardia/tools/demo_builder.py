"""Builds the demo project of Tern Quay from the bench camera's files."""

from __future__ import annotations

from pathlib import Path
from zoneinfo import ZoneInfo

from guardia.app.camera.makes import capability_data
from guardia.app.intake.event_import import take_in_list
from guardia.app.intake.import_plan import look_into, make_plan
from guardia.app.intake.importing import ImportRequest, enter_clips, import_clips, known_cameras
from guardia.app.intake.measuring import ImportResult
from guardia.app.work.jobs import Report, Token
from guardia.benchcam import SITE_NAME, tern_quay
from guardia.benchcam.record import read_truth, true_kinds
from guardia.benchcam.tern_quay_storage import enter_storage
from guardia.core.evidence.clips import Origin
from guardia.core.evidence.watch import Entered
from guardia.store.project import Project
from guardia.store.records import Site


def build_demo(recorded: Path, folder: Path, *, token: Token, progress: Report) -> list[str]:
    """Build the demo project from the bench camera's files.

    Args:
        recorded: Folder with one folder per place, written by benchcam.record.
        folder: The project to make.
        token: To stop it.
        progress: Told how far it is.

    Returns:
        The notes of the imports.
    """
    notes: list[str] = []
    zone = ZoneInfo(tern_quay.TIME_ZONE)
    limit = tern_quay.local_time(tern_quay.JUDGED_DAYS * 86400.0).timestamp()
    site = Site(SITE_NAME, tern_quay.TIME_ZONE, tern_quay.LATITUDE, tern_quay.LONGITUDE)
    with Project(folder, create=True, site=site) as project:
        for place in tern_quay.PLACES:
            source = recorded / place.slug
            if not source.is_dir():
                continue
            capability = capability_data(place.installed.capability)
            since = tern_quay.FIRST_DAY.timestamp()
            camera_id = project.cameras.add(place.name, capability, place.installed, from_s=since)
            for sub, origin in (o for o in _ORIGINS if (source / o[0]).is_dir()):
                # All are entered before they are measured, since they help each other with their backgrounds.
                request = ImportRequest(folder, camera_id, (source / sub,), origin)
                looked = look_into(request.files, origin, token=token, progress=progress)
                plan = make_plan(looked, known_cameras(project), zone=zone, camera_id=camera_id)
                result = ImportResult()
                enter_clips(project, request, plan, result, token=token, progress=progress)
                notes += result.notes
            notes += import_clips(ImportRequest(folder, camera_id, ()), token=token, progress=progress).notes
            project.cameras.set_clock(camera_id, clock_error_s=place.clock_error_s, time_pattern="")
            for name in ("events.jsonl", "events.csv"):
                if (source / name).exists():
                    notes += take_in_list(project, camera_id, source / name).notes
            until = tern_quay.local_time(min(place.full_from_s, tern_quay.DAYS * 86400.0)).timestamp()
            spans = [Entered(since, until, True)]
            if any(place.down):
                low, high = (tern_quay.local_time(s).timestamp() for s in place.down)
                spans.append(Entered(low, high, False))
            project.watched.set_entered(camera_id, spans)
            evidence = project.evidence(camera_id)
            kinds = true_kinds(evidence, read_truth(source / "truth.jsonl"))
            early = {o.id for o in evidence.occurrences if evidence.clip_of(o).start_s < limit}
            project.occurrences.judge({i: kind for i, kind in kinds.items() if i in early})
        enter_storage(project)
        view = next(c for c in project.cameras.all() if c.name == tern_quay.VIEW_OF)
        (folder / "view.jpg").write_bytes(project.cameras.clean_view(view.id))
        project.compact()
    return notes


_ORIGINS = (
    ("motion", Origin.MOTION),
    ("continuous", Origin.CONTINUOUS),
    ("walk-test", Origin.WALK_TEST),
    ("snapshot", Origin.SNAPSHOT),
)
