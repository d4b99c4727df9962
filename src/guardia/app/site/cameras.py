"""All cameras of a site, whether or not their evidence is read: what is asked of the site is asked here.

What the project holds is read again when its revision moved, and not before. The evidence of a camera is read when it
is asked for; a site may have hundreds, so what goes over all of them reads each for the purpose and lets it go again.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import Any, TypeVar

from PyQt6.QtCore import QObject

from guardia.app.camera.camera_model import CameraModel
from guardia.app.camera.shown_camera import Loaded, load_camera
from guardia.app.work.job_runner import JobRunner
from guardia.app.work.jobs import Token
from guardia.app.work.messages import MessageHub
from guardia.core.base.errors import GuardiaError
from guardia.core.base.words import count_of
from guardia.store.project import Project
from guardia.store.records import Camera

AT_ONCE = 1500
"""Up to this many clips a project's evidence is read on the spot, else off the interface thread."""

MOST_CARDS = 40
"""With more cameras Round shows lines, and evidence is read when a camera is opened."""

T = TypeVar("T")

Read = tuple[int, Loaded | GuardiaError]
"""A camera that was read in another thread, or why it could not be."""


class SiteCameras:
    """The cameras by number.

    Args:
        project: The open project, of the main thread.
        messages: Where it is told what could not be read.
        make: Makes the view-model of a camera.
        parent: Owns what reads cameras off the interface thread.
    """

    def __init__(
        self, project: Project, messages: MessageHub, make: Callable[[Loaded], CameraModel], parent: QObject
    ) -> None:
        self._project, self._messages, self._make = project, messages, make
        self._take: Callable[[Read], object] = lambda _one: None
        self.runner = JobRunner(parent)
        self.runner.progressed.connect(lambda one: self._take(one))
        self.runner.failed.connect(messages.tell_error)
        self.opened: dict[int, CameraModel] = {}
        self.aside: set[int] = set()
        self._known: tuple[object, dict[int, Camera]] | None = None

    def ids(self) -> list[int]:
        """Numbers of the cameras by name, without those that were set aside."""
        return [i for i in self._project.cameras.names() if i not in self.aside]

    def name(self, camera_id: int) -> str:
        """Name of a camera."""
        return self._project.cameras.names()[camera_id]

    def all(self) -> dict[int, Camera]:
        """Name, make, installed settings and kept draft of every camera, by number in order of name."""
        revision = self._project.revision
        if self._known is None or self._known[0] != revision:
            known = {}
            for camera_id in self.ids():
                try:
                    known[camera_id] = self._project.cameras.get(camera_id)
                except GuardiaError as error:
                    self.set_aside(camera_id, error)
            self._known = (revision, known)
        return self._known[1]

    def in_patrol_order(self) -> list[Camera]:
        """All cameras by their place on the round, then by name."""
        return sorted(self.all().values(), key=lambda c: (c.about.patrol or 10_000, c.name))

    def set_aside(self, camera_id: int, error: GuardiaError) -> None:
        """Leave a camera out whose data are damaged; the others go on."""
        if camera_id not in self.aside:
            self.aside.add(camera_id)
            self._messages.tell_error(error)

    def read_each(
        self, title: str, of_camera: Callable[[CameraModel], T], done: Callable[[dict[int, T]], object]
    ) -> bool:
        """Ask something of every camera that needs its evidence, each read for the purpose and let go again.

        Args:
            title: What is done, for the progress.
            of_camera: Called in this thread with each camera in order of name.
            done: Called at the end, with what came of each camera by its number.

        Returns:
            False, and nothing is done, while cameras are still being read for something else.
        """
        results: dict[int, T] = {}
        ids = self.ids()
        few = len(ids) <= MOST_CARDS and self._project.clips.count() <= AT_ONCE
        if few or all(i in self.opened for i in ids):
            for camera_id in ids:
                if (model := self._model(camera_id)) is not None:
                    results[camera_id] = of_camera(model)
            done(results)
            return True
        folder, missing = self._project.folder, [i for i in ids if i not in self.opened]

        def read(token: Token, report: Callable[[Any], None]) -> None:
            for one in read_cameras(folder, missing, token):
                report(one)

        def take(one: Read) -> None:
            camera_id, loaded = one
            if isinstance(loaded, Loaded):
                results[camera_id] = of_camera(self.opened.get(camera_id) or self._make(self.fresh(loaded)))
            else:
                self.set_aside(camera_id, loaded)

        def end(_: object) -> None:
            results.update({i: of_camera(m) for i, m in self.opened.items() if i not in results})
            done({i: results[i] for i in ids if i in results})

        if not self.runner.start(title, read, end):
            return False
        self._take = take
        self._messages.tell(f"{title}: the evidence of {count_of(len(missing), 'camera')} is read first.")
        return True

    def fresh(self, loaded: Loaded) -> Loaded:
        """A camera that was read in another thread, read again where it was changed meanwhile."""
        camera_id = loaded.state.camera.id
        return loaded if self._project.camera_key(camera_id) == loaded.key else load_camera(self._project, camera_id)

    def _model(self, camera_id: int) -> CameraModel | None:
        try:
            return self.opened.get(camera_id) or self._make(load_camera(self._project, camera_id))
        except GuardiaError as error:
            self.set_aside(camera_id, error)
            return None


def read_cameras(folder: Path, ids: Sequence[int], token: Token) -> Iterator[Read]:
    """Read cameras by a connection of one's own, one after another; an error takes the place of a damaged one."""
    with Project(folder) as project:
        for camera_id in ids:
            token.check()
            try:
                yield camera_id, load_camera(project, camera_id)
            except GuardiaError as error:
                yield camera_id, error
