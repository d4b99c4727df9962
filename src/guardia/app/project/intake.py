"""Bringing in and measuring in the open project, off the interface thread."""

from __future__ import annotations

import time
from dataclasses import replace

from guardia.app.intake.import_plan import Known
from guardia.app.intake.importing import ImportRequest, ImportResult, import_clips, known_cameras
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
        self._of_a_stop = ""
        self.jobs.cancelled.connect(lambda: messages.tell(self._of_a_stop))

    def run(self, request: ImportRequest) -> bool:
        """Bring in what a request names, off the interface thread; gives False while another job runs."""
        if self.jobs.busy:
            return False
        request = replace(request, cluster=self.cluster)
        self._of_a_stop = "The import was stopped; what was finished is kept."
        return self.jobs.start("Bringing in", lambda token, report: import_clips(request, token=token, progress=report))

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
        text = f"{count_of(result.added, 'clip')} taken in, {count_of(result.analysed, 'clip')} measured."
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
