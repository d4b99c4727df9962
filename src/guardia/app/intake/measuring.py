"""Measure the clips of a camera, on all cores: each by itself first, then with the help of the others."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import FIRST_COMPLETED, Future, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass, field
from pathlib import Path
from typing import TypeVar

from guardia.app.intake.looking import FirstTask, SecondTask, first_look, second_look
from guardia.app.intake.views import compare_views
from guardia.app.work.engine import Cluster, Engine, engine
from guardia.app.work.jobs import Meter, Report, Token
from guardia.core.base.errors import Cancelled, GuardiaError, ProjectError, UnreadableClip
from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Clip
from guardia.core.trace.backgrounds import ALTERED, helpers, key_of
from guardia.core.trace.measure import MODEL_VERSION
from guardia.media.hardware import Hardware
from guardia.store.project import Project

LOOK_EVERY_S = 0.2
"""So often it is looked whether somebody wants the import to stop."""

_Asked = TypeVar("_Asked")
_Given = TypeVar("_Given")


@dataclass
class ImportResult:
    """What an import did."""

    added: int = 0
    """Clips entered."""
    analysed: int = 0
    """Clips measured, earlier unfinished ones included."""
    events: int = 0
    """New entries of event lists."""
    cameras: tuple[int, ...] = ()
    """Numbers of the cameras whose evidence may have changed."""
    notes: list[str] = field(default_factory=list)
    """One sentence per file that was skipped or needs a look."""
    stopped: bool = False
    """The person stopped it; what is left unmeasured goes on with the next import."""


def measure_camera(
    project: Project,
    camera_id: int,
    result: ImportResult,
    token: Token,
    progress: Report,
    *,
    again: bool = False,
    helps_others: bool = True,
    cluster: Cluster | None = None,
    hardware: Hardware | None = None,
) -> None:
    """Measure what waits: each clip by itself first, then with the help of the others by a rule over all there are.

    So neither the order nor the number of cores makes a difference. Clips that were measured before and are helped by
    others now are measured again: what was found in them is found again, unless somebody moved it; judgements stay.
    Where more is to come at once, `helps_others` leaves that to the last of it.
    """
    fresh = project.clips.of(camera_id, analysed=False)
    asked = [*fresh, *(project.clips.of(camera_id, analysed=True) if again else ())]
    waiting = [c for c in asked if project.measurements.look_of(c.id) < MODEL_VERSION]
    count = len(fresh) + len(waiting)
    if not count and not again:
        return
    with engine(cluster) as pool:
        work = _Work(project, result, token, pool, hardware, Meter(count, progress), count)
        work.look(waiting)
        if not token.cancelled:
            work.hold_against_others(camera_id, earlier=helps_others)
        if result.analysed and not token.cancelled and (words := compare_views(project, camera_id, pool)):
            result.notes.append(words)
    result.stopped = token.cancelled
    if work.helped and not again:
        result.notes.append(
            f"Measured {count_of(work.helped, 'earlier clip')} again, since others of that hour now help with their "
            "still picture. Judgements are kept; scores may have changed a little."
        )


class _Work:
    """What is under way on the clips of one camera."""

    def __init__(
        self, project: Project, result: ImportResult, token: Token, pool: Engine, hardware: Hardware | None,
        meter: Meter, count: int,
    ) -> None:  # fmt: skip
        self._project, self._result, self._token, self._pool = project, result, token, pool
        self._hardware, self._meter, self._count = hardware, meter, count
        self._done = self.helped = 0

    def _went_on(self, what: str) -> None:
        self._done += 1
        self._meter.at(min(self._done, self._count), what)

    def look(self, clips: Sequence[Clip]) -> None:
        """Look at each clip by itself."""

        def task(clip: Clip) -> FirstTask | None:
            path = self._path_of(clip)
            return None if path is None else FirstTask(clip, path, self._hardware)

        for clip, looked in self._each(clips, task, first_look):
            self._project.measurements.put_first_look(
                clip.id, looked.trace, background=looked.background, brightness=looked.brightness,
                length_s=looked.length_s,
            )  # fmt: skip
            self._result.notes += [f"{clip.name}: {note}" for note in looked.notes]
            self._went_on(f"Looking at {clip.name}")

    def hold_against_others(self, camera_id: int, *, earlier: bool) -> None:
        """Hold each clip whose helpers are new to it against them; of those measured before only if `earlier`."""
        project, measurements = self._project, self._project.measurements
        finest = min(project.cameras.get(camera_id).capability.notches, key=lambda n: (n.size, n.contrast))
        looks = {x.id: x for x in measurements.looks(camera_id, project.zone) if x.model == MODEL_VERSION}
        helping = helpers(list(looks.values()))
        keys = {i: key_of([looks[h] for h in helped]) for i, helped in helping.items()}
        clips = [
            c
            for c in project.clips.of(camera_id)
            if (look := looks.get(c.id)) is not None and (not look.final or (earlier and look.helped_by != keys[c.id]))
        ]

        def task(clip: Clip) -> SecondTask | None:
            path = self._path_of(clip)
            if path is None:
                return None
            mine = helping[clip.id]
            stills = [project.clips.path_or_none(i) for i in mine if looks[i].snapshot]
            return SecondTask(
                clip, path, measurements.trace(clip.id), measurements.background(clip.id),
                tuple(b for i in mine if not looks[i].snapshot and (b := measurements.background(i))),
                tuple(s for s in stills if s is not None), finest.contrast, finest.size, not looks[clip.id].final,
                looks[clip.id].altered, self._hardware,
            )  # fmt: skip

        for clip, finished in self._each(clips, task, second_look):
            helped_by = keys[clip.id] + (ALTERED if finished.altered else "")
            if measurements.finish(
                clip.id, finished.trace, finished.occurrences, helped=helped_by, before=finished.before
            ):
                self._result.analysed += 1
            elif finished.trace is not None:
                self.helped += 1
            self._went_on(f"Measuring {clip.name}")

    def _path_of(self, clip: Clip) -> Path | None:
        try:
            return self._project.clips.path(clip.id)
        except ProjectError as error:
            self._result.notes.append(str(error))
            return None

    def _each(
        self, clips: Sequence[Clip], task_of: Callable[[Clip], _Asked | None], work: Callable[[_Asked], _Given]
    ) -> Iterator[tuple[Clip, _Given]]:
        """Work on clips on the engine, a few ahead, and give each as it is done."""
        running: dict[Future[_Given], Clip] = {}
        queue = iter(clips)

        def feed() -> None:
            for clip in queue:
                if self._token.cancelled:
                    return
                if (task := task_of(clip)) is not None:
                    running[self._pool.submit(work, task)] = clip
                    return

        for _ in range(2 * self._pool.workers):
            feed()
        while running:
            ready = wait(running, timeout=LOOK_EVERY_S, return_when=FIRST_COMPLETED).done
            if self._token.cancelled:
                self._pool.stop()
            if not ready:
                continue
            future = ready.pop()
            clip = running.pop(future)
            try:
                yield clip, future.result()
            except Cancelled:
                continue
            except Exception as error:
                if not self._pool.died(error):
                    self._tell_failure(error, clip)
                elif isinstance(error, BrokenProcessPool):
                    # One of these took the process, and with it all others, down: each is tried by itself.
                    suspects = [clip, *running.values()]
                    running.clear()
                    self._pool.renew()
                    yield from self._one_by_one(suspects, task_of, work)
                else:
                    self._tell_death(clip)
            feed()

    def _one_by_one(
        self, clips: Sequence[Clip], task_of: Callable[[Clip], _Asked | None], work: Callable[[_Asked], _Given]
    ) -> Iterator[tuple[Clip, _Given]]:
        for clip in clips:
            task = task_of(clip)
            if task is None:
                continue
            try:
                yield clip, self._pool.submit(work, task).result()
            except Exception as error:
                if self._pool.died(error):
                    self._pool.renew()
                    self._tell_death(clip)
                else:
                    self._tell_failure(error, clip)

    def _tell_failure(self, error: Exception, clip: Clip) -> None:
        """Say why a clip was not measured, whatever it was: the others go on."""
        if isinstance(error, UnreadableClip):
            # The file in the project bears another name than the one that the person knows.
            what = error.what.replace(self._project.clips.file_name(clip.id), clip.name)
            words = f"{what} It was imported but cannot be measured."
            self._project.measurements.set_trouble(clip.id, words)
            self._result.notes.append(f"{words} Nothing is counted of it.")
        elif isinstance(error, GuardiaError):
            self._result.notes.append(str(error))
        else:
            words = f"{clip.name} cannot be measured, by a fault of the program ({type(error).__name__}: {error})."
            self._project.measurements.set_trouble(clip.id, words)
            self._result.notes.append(
                f"{words} Nothing is counted of it; the others are not affected. Please report it."
            )

    def _tell_death(self, clip: Clip) -> None:
        words = f"{clip.name} ended the process that decoded it, by itself. It was imported but cannot be measured."
        self._project.measurements.set_trouble(clip.id, words)
        self._result.notes.append(f"{words} Nothing is counted of it; the others are not affected.")
