"""What can be done with occurrences of several cameras, or off the interface thread."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from guardia.app.camera.undo import step_text
from guardia.app.site.open_site import OpenSite
from guardia.app.work.job_runner import JobRunner
from guardia.core.base.errors import GuardiaError
from guardia.core.base.words import count_of
from guardia.core.evidence.clips import NewOccurrence
from guardia.core.evidence.visits import propose_visits
from guardia.core.purpose.judgement import Verdict, kind_of
from guardia.store.project import Project

FAR_APART_S = 600.0
"""Parts of one visit this far apart are joined, but it is said (common practice, no source)."""


class SiteOccurrences:
    """The occurrences of a whole project."""

    def __init__(self, session: OpenSite, project: Project) -> None:
        self._session, self._project = session, project
        self._splitter = JobRunner(session)
        self._splitter.failed.connect(session.messages.tell_error)
        session.adopt(self._splitter)

    def judge(self, ids: Mapping[int, Sequence[int]], kind: str) -> None:
        """Judge occurrences of one or several cameras, and with each the other parts of its visit; one step of undo.

        Args:
            ids: Ids of occurrences by the number of their camera.
            kind: Id of the kind; empty takes the judgement back.
        """
        chosen = {i for part in ids.values() for i in part}
        for camera in ids:
            self._session.camera(camera)  # opened, if it is not yet
        opened = self._session.cameras.opened
        visits = {o.visit for m in opened.values() for o in m.evidence.occurrences if o.id in chosen} - {None}
        for camera in self._project.occurrences.cameras_of(visits):
            self._session.camera(camera)
        wanted = {
            camera: [o.id for o in model.evidence.occurrences if o.id in chosen or o.visit in visits]
            for camera, model in opened.items()
        }
        wanted = {camera: part for camera, part in wanted.items() if part}
        count = sum(len(part) for part in wanted.values())
        if len(wanted) < 2:
            for camera, part in wanted.items():
                self._session.camera(camera).occurrences.judge(part, kind)
            return
        self._session.undo.beginMacro(step_text("", f"judge {count} as {kind_of(kind).text if kind else 'not judged'}"))
        for camera, part in wanted.items():
            self._session.camera(camera).occurrences.judge(part, kind)
        self._session.undo.endMacro()

    def join(self, camera_id: int, ids: Sequence[int]) -> None:
        """Make occurrences of one camera one visit, those that belong to a visit with all its parts."""
        model = self._session.camera(camera_id)
        visits = {model.occurrence(i).visit for i in ids} - {None}
        whole = [o.id for o in model.evidence.occurrences if o.id in ids or o.visit in visits]
        if len(whole) < 2:
            self._session.messages.tell("Select two or more occurrences to join them to one visit.")
            return
        if any(model.occurrence(i).verdict is Verdict.FALSE for i in whole):
            self._session.messages.tell(
                "What is judged false cannot be part of a visit: each is a recording too many. Nothing was joined."
            )
            return
        number = self._project.occurrences.new_visit()
        model.occurrences.set_visits(dict.fromkeys(whole, number))
        spans = [model.evidence.span_s(model.occurrence(i)) for i in whole]
        apart_s = max(low for low, _ in spans) - min(high for _, high in spans)
        kinds = {model.occurrence(i).kind for i in whole} - {""}
        if apart_s > FAR_APART_S or len(kinds) > 1:
            what = f"{apart_s / 60:.0f} min apart" if apart_s > FAR_APART_S else "of different kinds"
            self._session.messages.tell(f"Joined to one visit, although they are {what}. Undo takes it back.")

    def join_found(self) -> int:
        """Join every visit that is counted as several occurrences; one step of undo. Gives how many.

        Cameras that are not opened are left out, which is said.
        """
        opened = self._session.cameras.opened
        left_out = len(self._session.camera_ids()) - len(opened)
        if left_out:
            self._session.messages.tell(f"{count_of(left_out, 'camera')} not opened yet: visits there are not joined.")
        evidence = {i: m.evidence for i, m in opened.items()}
        waits = {i: m.camera.installed.recording.rest_s for i, m in opened.items()}
        visits = propose_visits(evidence, waits)
        if not visits:
            return 0
        first = self._project.occurrences.new_visit()
        number = {i: first + n for n, ids in enumerate(visits) for i in ids}
        self._session.undo.beginMacro(step_text("", f"join {count_of(len(visits), 'visit')}"))
        for model in opened.values():
            model.occurrences.set_visits({o.id: number[o.id] for o in model.evidence.occurrences if o.id in number})
        self._session.undo.endMacro()
        return len(visits)

    def split(self, camera_id: int, occurrence_id: int, at_s: float | None = None) -> None:
        """Take an occurrence out of its visit, or split it at a moment (the quietest when None), off this thread."""
        model = self._session.camera(camera_id)
        if at_s is None and model.occurrence(occurrence_id).visit is not None:
            model.occurrences.set_visits({occurrence_id: None})
            return
        try:
            at = model.occurrences.quietest_s(occurrence_id) if at_s is None else at_s
            job = model.occurrences.split_job(occurrence_id, at)
        except GuardiaError as error:
            self._session.messages.tell_error(error)
            return

        def done(result: tuple[int, list[NewOccurrence]]) -> None:
            model.occurrences.put_split(*result)
            where = ", where it is quietest" if at_s is None else ""
            self._session.messages.tell(f"Split {at:.1f} s into the clip{where}. Undo makes it one again.")

        if not self._splitter.start("Splitting", job, done):
            self._session.messages.tell("Another split is still being made; repeat it in a moment.")

    def take_up(self, camera_id: int) -> None:
        """Put what no record covers and no occurrence stands for among the occurrences, off this thread."""
        model = self._session.camera(camera_id)
        try:
            self._splitter.start("Adding what was found", model.occurrences.take_up_job(), model.occurrences.add_found)
        except GuardiaError as error:
            self._session.messages.tell_error(error)
