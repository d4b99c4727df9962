"""Bringing in and measuring in the open project, off the interface thread."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from guardia.app.intake.folder_watch import FolderWatch
from guardia.app.intake.import_plan import Known
from guardia.app.intake.importing import ImportRequest, import_clips, import_each, known_cameras
from guardia.app.intake.measuring import ImportResult
from guardia.app.project.bench_week import next_monday, run_week, simulated_place
from guardia.app.site.cameras import AT_ONCE
from guardia.app.site.open_site import OpenSite
from guardia.app.work.engine import Cluster
from guardia.app.work.job_runner import JobRunner
from guardia.app.work.jobs import Progress
from guardia.app.work.messages import Severity
from guardia.core.base.words import count_of
from guardia.core.score.score import Score, difference_words
from guardia.store.project import Project

SHOW_EVERY_S = 4.0
"""While clips are measured, new ones are shown this often."""


class Intake:
    """Imports of a project, one at a time."""

    def __init__(self, session: OpenSite, project: Project) -> None:
        self._session, self._project = session, project
        self._before: dict[int, Score] = {}
        self._shown = time.monotonic()
        messages = session.messages
        self.cluster: Cluster | None = None
        self.jobs = JobRunner(session)
        session.adopt(self.jobs)
        self.jobs.succeeded.connect(self._on_import)
        self.jobs.progressed.connect(self._show_measured)
        self.jobs.failed.connect(messages.tell_error)
        self.watch = FolderWatch(lambda: self.run_new(list(session.cameras.all())), lambda: self.jobs.busy, session)
        self._of_a_stop = ""
        self.jobs.cancelled.connect(lambda: messages.tell(self._of_a_stop))

    def run(self, request: ImportRequest) -> bool:
        """Bring in what a request names, off the interface thread; gives False while another job runs."""
        if self.jobs.busy:
            return False
        request = replace(request, cluster=self.cluster)
        self._of_a_stop = "The import was stopped; what was finished is kept."
        return self.jobs.start("Importing", lambda token, report: import_clips(request, token=token, progress=report))

    def run_new(self, camera_ids: Sequence[int]) -> bool:
        """Import what is new in the folders from which cameras got their clips; False while another job runs."""
        abouts = {i: camera.about for i, camera in self._session.cameras.all().items() if i in camera_ids}
        sources: dict[tuple[str, str, int], int] = {}
        for camera_id, about in abouts.items():
            if about.folder:
                own = camera_id if about.folder_rule == "one" else 0
                sources.setdefault((about.folder, about.folder_rule, own), camera_id)
        messages = self._session.messages
        gone = [folder for folder, _, _ in sources if not Path(folder).is_dir()]
        for folder in dict.fromkeys(gone):
            messages.tell(
                f"The folder {folder} is not there. Connect it, or import from another one.", Severity.WARNING
            )
        requests = [
            ImportRequest(
                self._session.folder, camera_id, (Path(folder),), rule=rule, only_new=True, cluster=self.cluster
            )
            for (folder, rule, _), camera_id in sources.items() if folder not in gone
        ]  # fmt: skip
        if not sources:
            messages.tell("No folder is known yet from which clips came. Import a folder first.")
        if not requests or self.jobs.busy:
            return False
        self._of_a_stop = "The import was stopped; what was finished is kept."
        return self.jobs.start(
            "Importing what is new", lambda token, report: import_each(requests, token=token, progress=report)
        )

    def watch_folders(self, on: bool) -> None:
        """Import by itself what comes into the folders of the cameras, while the project is open."""
        self.watch.stop()
        if not on:
            self._session.messages.tell("Folders are no longer watched.")
            return
        folders = {camera.about.folder for camera in self._session.cameras.all().values() if camera.about.folder}
        there = sorted(folder for folder in folders if Path(folder).is_dir())
        self.watch.start(there)
        words = f"Watched while this project is open: {', '.join(there)}." if there else "No folder is known to watch."
        self._session.messages.tell(words)

    def run_week(self, camera_id: int) -> bool:
        """Let a simulated camera run the week after its evidence, under its draft, which is entered on it first."""
        model = self._session.camera(camera_id)
        place = simulated_place(self._session.site.name, model.camera.name)
        if place is None or self.jobs.busy:
            return False
        begins, folder = next_monday(model.evidence), self._session.folder
        if model.draft != model.camera.installed:
            model.install_draft("tried on a simulated week", begins.timestamp())
        self._of_a_stop = "The week was stopped. The days that were finished are kept, and the draft stays entered."
        return self.jobs.start(
            "Running a week",
            lambda token, report: run_week(folder, camera_id, place, begins, token=token, progress=report),
        )

    def go_on_measuring(self) -> bool:
        """Measure what an earlier import left unmeasured, in the background; gives False when there is nothing."""
        waiting = next((i for i in self._session.camera_ids() if self._project.clips.waiting(i)), None)
        return waiting is not None and self.run(ImportRequest(self._session.folder, waiting, ()))

    def outdated(self) -> int:
        """Number of clips that an older version of the motion model measured."""
        return self._project.measurements.outdated()

    def measure_again(self) -> bool:
        """Measure what an older version measured; afterwards the old figures are told beside the new."""
        self._before = {i: self._session.camera(i).comparison.installed for i in self._session.camera_ids()}
        request = ImportRequest(self._session.folder, 0, (), again=True)
        return self.run(request)

    def known_cameras(self) -> list[Known]:
        """What the project has of its cameras, to plan an import."""
        return known_cameras(self._project)

    def _show_measured(self, _progress: Progress) -> None:
        """Show what an import has measured so far, now and then; a large project only at its end."""
        if time.monotonic() - self._shown >= SHOW_EVERY_S and self._project.clips.count() <= AT_ONCE:
            for model in self._session.cameras.opened.values():
                model.reload_if_grown()
            self._shown = time.monotonic()

    def _on_import(self, result: ImportResult) -> None:
        for camera_id in result.cameras:
            if self._session.is_loaded(camera_id):
                self._session.camera(camera_id).reload()
        text = f"{count_of(result.added, 'clip')} imported, {count_of(result.analysed, 'clip')} measured."
        if result.events:
            text += f" {count_of(result.events, 'entry', 'entries')} of event lists."
        if self._before:
            text += "".join(
                f"\n{self._session.camera_name(i)}, installed: {line}"
                for i, old in self._before.items()
                if self._session.is_loaded(i)
                for line in difference_words(old, self._session.camera(i).comparison.installed)
            )
            self._before = {}
        if result.notes:
            text += "\n" + "\n".join(result.notes)
        self._session.messages.tell(text, Severity.WARNING if result.notes else Severity.INFO)
        self._session.cameras_changed.emit()
