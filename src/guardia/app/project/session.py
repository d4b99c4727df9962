"""One open project in the window: its cameras, its undo stack, its jobs."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from PyQt6.QtCore import QLockFile, QObject, pyqtSignal
from PyQt6.QtGui import QUndoStack

from guardia.app.intake.import_plan import Known
from guardia.app.intake.importing import ImportRequest, ImportResult, import_clips, known_cameras
from guardia.app.project.camera_model import CameraModel, Loaded, load_camera
from guardia.app.project.makes import capability_data
from guardia.app.work.job_runner import JobRunner
from guardia.app.work.jobs import Progress, Token
from guardia.app.work.messages import MessageHub, Severity
from guardia.core.base.errors import GuardiaError, InvalidValue
from guardia.core.base.words import count_of
from guardia.core.evidence.judgement import Verdict, kind_of
from guardia.core.evidence.visits import propose_visits
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.settings import Settings
from guardia.core.make.zones import Zone
from guardia.core.score.score import Score, difference_words
from guardia.core.score.statistics import Line
from guardia.report.sheet import SheetContent
from guardia.report.tables import Row, occurrence_rows, statistic_rows, write_table
from guardia.store.project import Project
from guardia.store.records import NewOccurrence, Site


@dataclass(frozen=True)
class NextAction:
    """The one thing to do next on a camera.

    Parameters
    ----------
    step
        Id of the step where it is done.
    text
        What to do.
    why
        The reason, with its figures.
    """

    step: str
    text: str
    why: str


SHOW_EVERY_S = 4.0
"""While clips are measured, new ones are shown this often."""

LONGEST_NAME = 100

AT_ONCE = 1500
"""Up to this many clips a project's evidence is read before its window shows."""


class Session(QObject):
    """The open project.

    Parameters
    ----------
    folder
        The project's folder.
    messages
        Where errors and results are told.

    Raises
    ------
    ProjectError
        If it cannot be opened.
    """

    cameras_changed = pyqtSignal()
    evidence_changed = pyqtSignal()

    def __init__(self, folder: Path, messages: MessageHub) -> None:
        super().__init__()
        self.folder = folder
        self.messages = messages
        self._project = Project(folder)
        self.site: Site = self._project.site()
        self.time_zone = ZoneInfo(self.site.time_zone)
        self.undo = QUndoStack(self)
        self.jobs = JobRunner(self)
        self._models: dict[int, CameraModel] = {}
        self._aside: set[int] = set()
        self._before: dict[int, Score] = {}
        self._loader = JobRunner(self)
        self.pictures = JobRunner(self)
        self.pictures.failed.connect(messages.tell_error)
        self._adopted: list[JobRunner] = []
        self._splitter = JobRunner(self)
        self._splitter.failed.connect(messages.tell_error)
        self._loader.progressed.connect(self._on_loaded)
        self._loader.failed.connect(messages.tell_error)
        self._lock = QLockFile(str(folder / "open.lock"))
        if not self._lock.tryLock(0) and self._lock.error() == QLockFile.LockError.LockFailedError:
            messages.tell(
                "This project is open in another window, too. What is changed there is seen here only after opening it "
                "again, and of two changes to the same thing the later one stays.",
                Severity.WARNING,
            )
        self.jobs.succeeded.connect(self._on_import)
        self.jobs.progressed.connect(self._show_measured)
        self._shown = time.monotonic()
        self.jobs.failed.connect(messages.tell_error)
        self.jobs.cancelled.connect(lambda: messages.tell("The import was stopped; what was finished is kept."))

    @staticmethod
    def create(folder: Path, site: str, time_zone: str) -> None:
        """Make a new project.

        Parameters
        ----------
        folder
            The project's own folder.
        site
            Name of the site, with a letter or digit, 100 characters at most.
        time_zone
            IANA name.

        Raises
        ------
        InvalidValue
            If the name or the time zone cannot be used.
        ProjectError
            If the folder cannot be made or holds a project already.
        """
        if not any(c.isalnum() for c in site) or len(site) > LONGEST_NAME:
            raise InvalidValue(
                f"A site's name needs a letter or a digit and {LONGEST_NAME} characters at most.",
                kept="Nothing was made.",
            )
        Project(folder, create=True, site=Site(site, time_zone)).close()

    def camera_ids(self) -> list[int]:
        """Numbers of the cameras, by name, without those that were set aside."""
        return [i for i in self._project.camera_names() if i not in self._aside]

    def camera_name(self, camera_id: int) -> str:
        """Name of a camera, its evidence loaded or not."""
        return self._project.camera_names()[camera_id]

    def camera(self, camera_id: int) -> CameraModel:
        """The view-model of a camera, made when first asked for."""
        if camera_id not in self._models:
            self._add_model(load_camera(self._project, camera_id))
        return self._models[camera_id]

    def _add_model(self, loaded: Loaded) -> None:
        if loaded.state.camera.id not in self._models:
            model = CameraModel(self._project, loaded, self.undo, self.messages)
            model.evidence_changed.connect(self.evidence_changed)
            self._models[loaded.state.camera.id] = model
            for line in loaded.damage:
                self.messages.tell(f"{loaded.state.camera.name}: {line}", Severity.WARNING)

    def is_loaded(self, camera_id: int) -> bool:
        """Whether a camera's evidence is at hand."""
        return camera_id in self._models

    def load_cameras(self) -> None:
        """Read every camera's evidence: at once if it is little, otherwise in another thread, camera by camera."""
        if self._project.clip_count() <= AT_ONCE:
            for camera_id in self.camera_ids():
                try:
                    self.camera(camera_id)
                except GuardiaError as error:
                    self._set_aside(camera_id, error)
            self.cameras_changed.emit()
            return
        waiting = [i for i in self.camera_ids() if i not in self._models]
        folder = self.folder

        def load(token: Token, report: Callable[[Any], None]) -> None:
            with Project(folder) as project:
                for camera_id in waiting:
                    token.check()
                    try:
                        report(load_camera(project, camera_id))
                    except GuardiaError as error:
                        report((camera_id, error))

        self._loader.start("Reading the evidence", load)

    def _on_loaded(self, loaded: Loaded | tuple[int, GuardiaError]) -> None:
        if isinstance(loaded, Loaded):
            self._add_model(loaded)
        else:
            self._set_aside(*loaded)
        self.cameras_changed.emit()

    def _set_aside(self, camera_id: int, error: GuardiaError) -> None:
        """Leave a camera out whose data are damaged; the others go on."""
        if camera_id not in self._aside:
            self._aside.add(camera_id)
            self.messages.tell_error(error)

    def add_camera(self, name: str, capability_id: str) -> int:
        """Add a camera of a shipped make with its middle settings as installed; raises InvalidValue for a bad name."""
        if not name or len(name) > LONGEST_NAME:
            raise InvalidValue(f"A camera's name has 1 to {LONGEST_NAME} characters.", do="Name it after its place.")
        data = capability_data(capability_id)
        capability = capability_from_dict(data)
        middle = capability.notches[len(capability.notches) // 2].label
        installed = Settings.of(
            capability=capability_id,
            notch=middle,
            hold_s=capability.hold_choices_s[0],
            release_s=capability.release_s,
            rest_s=capability.rest_choices_s[0],
            pre_record_s=capability.pre_record_choices_s[0],
            length_s=capability.length_choices_s[0],
        )
        camera_id = self._project.add_camera(name, data, installed)
        self.cameras_changed.emit()
        return camera_id

    def adopt(self, runner: JobRunner) -> None:
        """Stop this runner's work, too, when the project is closed."""
        self._adopted.append(runner)

    def run_import(self, request: ImportRequest) -> bool:
        """Bring in what a request names, off the interface thread; gives False while another job runs."""
        return self.jobs.start("Bringing in", lambda token, report: import_clips(request, token=token, progress=report))

    def go_on_measuring(self) -> bool:
        """Measure what an earlier import left unmeasured, in the background; gives False when there is nothing."""
        waiting = next((i for i in self.camera_ids() if self._project.waiting(i)), None)
        return waiting is not None and self.run_import(ImportRequest(self.folder, waiting, ()))

    def outdated(self) -> int:
        """Number of clips that an older version of the motion model measured."""
        return self._project.measurements.outdated()

    def measure_again(self) -> bool:
        """Measure what an older version measured; afterwards the old figures are told beside the new."""
        self._before = {i: self.camera(i).comparison.installed for i in self.camera_ids()}
        request = ImportRequest(self.folder, 0, (), again=True)
        return self.run_import(request)

    def known_cameras(self) -> list[Known]:
        """What the project has of its cameras, to plan an import."""
        return known_cameras(self._project)

    def _show_measured(self, _progress: Progress) -> None:
        """Show what an import has measured so far, now and then; a large project only at its end."""
        if time.monotonic() - self._shown >= SHOW_EVERY_S and self._project.clip_count() <= AT_ONCE:
            for model in self._models.values():
                model.reload_if_grown()
            self._shown = time.monotonic()

    def _on_import(self, result: ImportResult) -> None:
        for camera_id in result.cameras:
            if self.is_loaded(camera_id):
                self.camera(camera_id).reload()
        text = f"{count_of(result.added, 'clip')} taken in, {count_of(result.analysed, 'clip')} measured."
        if result.events:
            text += f" {result.events} entries of event lists."
        if self._before:
            text += "".join(
                f"\n{self.camera_name(i)}, installed: {line}"
                for i, old in self._before.items()
                if self.is_loaded(i)
                for line in difference_words(old, self.camera(i).comparison.installed)
            )
            self._before = {}
        if result.notes:
            text += "\n" + "\n".join(result.notes)
        self.messages.tell(text, Severity.WARNING if result.notes else Severity.INFO)
        self.cameras_changed.emit()

    def judge(self, ids: Mapping[int, Sequence[int]], kind: str) -> None:
        """Judge occurrences of one or several cameras, and with each the other parts of its visit; one step of undo.

        Parameters
        ----------
        ids
            Ids of occurrences by the number of their camera.
        kind
            Id of the kind; empty takes the judgement back.
        """
        chosen = {i for part in ids.values() for i in part}
        visits = {o.visit for m in self._models.values() for o in m.evidence.occurrences if o.id in chosen} - {None}
        wanted = {
            camera: [o.id for o in model.evidence.occurrences if o.id in chosen or o.visit in visits]
            for camera, model in self._models.items()
        }
        wanted = {camera: part for camera, part in wanted.items() if part}
        count = sum(len(part) for part in wanted.values())
        if len(wanted) < 2:
            for camera, part in wanted.items():
                self.camera(camera).occurrences.judge(part, kind)
            return
        self.undo.beginMacro(f"judge {count} as {kind_of(kind).text if kind else 'not judged'}")
        for camera, part in wanted.items():
            self.camera(camera).occurrences.judge(part, kind)
        self.undo.endMacro()

    def join(self, camera_id: int, ids: Sequence[int]) -> None:
        """Make occurrences of one camera one visit, those that belong to a visit with all its parts."""
        model = self.camera(camera_id)
        visits = {model.occurrence(i).visit for i in ids} - {None}
        whole = [o.id for o in model.evidence.occurrences if o.id in ids or o.visit in visits]
        if len(whole) < 2:
            self.messages.tell("Select two or more occurrences to join them to one visit.")
            return
        if any(model.occurrence(i).verdict is Verdict.FALSE for i in whole):
            self.messages.tell(
                "What is judged false cannot be part of a visit: each is a recording too many. Nothing was joined."
            )
            return
        number = self._project.new_visit()
        model.occurrences.set_visits(dict.fromkeys(whole, number))

    def join_found(self) -> int:
        """Join every visit that is counted as several occurrences, on all cameras; one step of undo. Gives how many."""
        evidence = {i: m.evidence for i, m in self._models.items()}
        waits = {i: m.camera.installed.recording.rest_s for i, m in self._models.items()}
        found = propose_visits(evidence, waits)
        if not found:
            return 0
        first = self._project.new_visit()
        number = {i: first + n for n, ids in enumerate(found) for i in ids}
        self.undo.beginMacro(f"join {len(found)} visits")
        for model in self._models.values():
            model.occurrences.set_visits({o.id: number[o.id] for o in model.evidence.occurrences if o.id in number})
        self.undo.endMacro()
        return len(found)

    def split(self, camera_id: int, occurrence_id: int, at_s: float | None = None) -> None:
        """Take an occurrence out of its visit, or split it at a moment (the quietest when None), off this thread."""
        model = self.camera(camera_id)
        if at_s is None and model.occurrence(occurrence_id).visit is not None:
            model.occurrences.set_visits({occurrence_id: None})
            return
        try:
            job = model.occurrences.split_job(
                occurrence_id, model.occurrences.quietest_s(occurrence_id) if at_s is None else at_s
            )
        except GuardiaError as error:
            self.messages.tell_error(error)
            return

        def done(result: tuple[int, list[NewOccurrence]]) -> None:
            model.occurrences.put_split(*result)

        if not self._splitter.start("Splitting", job, done):
            self.messages.tell("Another split is still being made; repeat it in a moment.")

    def zone_sources(self, camera_id: int) -> list[tuple[str, tuple[Zone, ...]]]:
        """Zones that can be copied to a camera: (where from, the zones), of its own earlier settings and of others."""
        own = self.camera(camera_id).camera
        found = [(f"{own.name}, installed", own.installed.detection.zones)]
        for epoch in reversed(self.camera(camera_id).evidence.epochs[:-1]):
            if epoch.settings is not None:
                until = f"{self.local_time(epoch.to_s):%d %b %Y %H:%M}"
                found.append((f"{own.name}, installed until {until}", epoch.settings.detection.zones))
        for other in (m.camera for i, m in self._models.items() if i != camera_id):
            found.append((f"{other.name}, installed", other.installed.detection.zones))
            if other.draft.detection.zones != other.installed.detection.zones:
                found.append((f"{other.name}, draft", other.draft.detection.zones))
        return [(name, zones) for name, zones in found if zones]

    def take_up(self, camera_id: int) -> None:
        """Put what no record covers and no occurrence stands for among the occurrences, off this thread."""
        model = self.camera(camera_id)
        try:
            self._splitter.start(
                "Taking up what was found", model.occurrences.take_up_job(), model.occurrences.add_found
            )
        except GuardiaError as error:
            self.messages.tell_error(error)

    def save_statistic(self, camera_id: int, by: str, lines: Sequence[Line], name: str) -> None:
        """Save a statistic as a table."""
        self._save(Path(name), list(statistic_rows(self.camera_name(camera_id), by, lines)))

    def save_occurrences(self, name: str) -> None:
        """Save the occurrences of all cameras as a table."""
        rows = [r for m in self._models.values() for r in occurrence_rows(m.camera.name, m.evidence, m.comparison)]
        self._save(Path(name), rows)

    def _save(self, path: Path, rows: Sequence[Row]) -> None:
        try:
            write_table(path, rows)
        except GuardiaError as error:
            self.messages.tell_error(error)
            return
        self.messages.tell(f"{len(rows)} rows saved to {path}.")

    def next_action(self, camera_id: int) -> NextAction:
        """The one thing to do next on a camera and why."""
        model = self.camera(camera_id)
        evidence, comparison = model.evidence, model.comparison
        unjudged = sum(not o.kind for o in evidence.occurrences)
        if not evidence.clips:
            return NextAction("evidence", "Import clips", "nothing this camera recorded is here yet")
        if unjudged:
            return NextAction(
                "evidence",
                f"Judge {unjudged} occurrences",
                f"{unjudged} of {len(evidence.occurrences)} are not judged yet",
            )
        installed = comparison.installed
        if model.draft != model.camera.installed:
            fewer = len(installed.false_recorded) - len(comparison.draft.false_recorded)
            more = len(comparison.draft.real_missed) - len(installed.real_missed)
            return NextAction(
                "handover",
                "Hand over the draft",
                f"false recordings {-fewer:+d}, real missed {more:+d} against installed",
            )
        if evidence.motion_clips and not evidence.watch.spans:
            return NextAction("coverage", "Say when it was watched", "without that there is no rate per day")
        if installed.false_recorded:
            return NextAction(
                "zones",
                "Tune zones and sensitivity",
                f"{len(installed.false_recorded)} false recordings on the evidence",
            )
        return NextAction("evidence", "Nothing to do", "no false recording and no unjudged clip on the evidence")

    def sheet_content(self, camera_id: int) -> SheetContent:
        """What the settings sheet of a camera's draft says now."""
        model = self.camera(camera_id)
        return SheetContent(
            site=self.site.name,
            time_zone=self.site.time_zone,
            camera=model.camera.name,
            capability=model.camera.capability,
            settings=model.draft,
            comparison=model.comparison,
            made=datetime.now(UTC).astimezone(self.time_zone),
            explained=model.explained.words,
        )

    def local_time(self, posix_s: float) -> datetime:
        """A moment as the site's wall time."""
        return datetime.fromtimestamp(posix_s, UTC).astimezone(self.time_zone)

    def close(self) -> None:
        """Stop the jobs and close the project; everything is already saved."""
        self.jobs.drain()
        self._loader.drain()
        self.pictures.drain()
        self._splitter.drain()
        for runner in self._adopted:
            runner.drain()
        self._project.close()
        self._lock.unlock()
