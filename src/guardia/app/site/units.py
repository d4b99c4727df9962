"""What the cameras of a site hang on, what does not fit, and dates entered by hand; every change can be undone."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date

from guardia.app.camera.camera_model import CameraModel
from guardia.app.camera.undo import OF_SITE
from guardia.app.site.open_site import OpenSite
from guardia.app.site.site_part import SitePart
from guardia.app.site.storage import SiteStorage
from guardia.app.work.messages import MessageHub
from guardia.core.score.power import uploads
from guardia.core.storage.units import Hung, Load, Unit, misfits, not_known
from guardia.store.project import Project
from guardia.store.records import Camera
from guardia.store.site_things import Task


class SiteUnits(SitePart):
    """Units and dates of an open site."""

    def __init__(self, session: OpenSite, project: Project, messages: MessageHub, storage: SiteStorage) -> None:
        super().__init__(session, project, messages)
        self._storage = storage

    @property
    def units(self) -> tuple[Hung, ...]:
        """All recorders, hubs, supplies, lines and groups."""
        return self._project.things.units()

    def keep(self, number: int, unit: Unit, cameras: Sequence[int]) -> None:
        """Enter a unit (number 0), or correct it; which cameras hang on it."""
        hung = Hung(number, unit, tuple(cameras))
        others = [h for h in self.units if h.id != number or not number]
        what = f"correct '{unit.name}'" if number else f"enter '{unit.name}'"
        self._set(tuple(sorted([*others, hung], key=lambda h: h.id or 1 << 30)), what)

    def remove(self, number: int) -> None:
        """Take a unit out."""
        self._set(tuple(h for h in self.units if h.id != number), "take it out of the site")

    def _set(self, units: tuple[Hung, ...], what: str) -> None:
        before = self.units
        if units != before:
            self._changes.make(OF_SITE, what, self._project.things.set_units, lambda _: self._show(), before, units)

    def _show(self) -> None:
        for model in list(self._session.cameras.opened.values()):
            model.facts_changed.emit()

    def words_of(self, camera_id: int) -> list[str]:
        """Names of what a camera hangs on."""
        return [h.unit.name for h in self.units if camera_id in h.cameras]

    def misfits(self, camera_id: int | None = None) -> list[str]:
        """What does not fit on the site, or on what one camera is connected to."""
        stores = self._storage.stores
        wrong = []
        for hung in self.units:
            if camera_id is None or camera_id in hung.cameras:
                mine = [f for f in stores if set(f.cameras) & set(hung.cameras)]
                wrong += misfits(hung.unit, self._loads(hung), mine)
        return wrong

    def not_known(self, hung: Hung) -> list[str]:
        """What would have to be typed in before it can be said that all fits."""
        return not_known(hung.unit, self._loads(hung))

    def _loads(self, hung: Hung) -> list[Load]:
        cameras, opened = self._session.cameras.all(), self._session.cameras.opened
        return [self._load(cameras[i], opened.get(i)) for i in hung.cameras if i in cameras]

    def _load(self, camera: Camera, model: CameraModel | None) -> Load:
        """What a camera asks of what it is connected to, under its draft; its upload only where it is opened."""
        quality = camera.capability.storage.quality(camera.draft.storage.quality)
        width, height = self._size(camera.id) if quality is None else (quality.width, quality.height)
        upload = uploads(model.comparison.draft_replay.keeping) if model is not None else None
        current = self._project.readings.facts(camera.id).get("current")
        return Load(camera.name, width * height / 1e6 or None, current, upload)

    def _size(self, camera_id: int) -> tuple[int, int]:
        """Width and height of a camera's latest clip, pixels; zero without one."""
        return self._project.clips.latest_size(camera_id)

    @property
    def tasks(self) -> tuple[Task, ...]:
        """Dates entered by hand."""
        return self._project.things.tasks()

    def add_task(self, camera_id: int | None, on: date, what: str) -> None:
        """Enter a date by hand."""
        if what.strip():
            self._set_tasks((*self.tasks, Task(camera_id, on, what.strip())), "enter a date")

    def done(self, task: Task) -> None:
        """A date entered by hand is done with."""
        self._set_tasks(tuple(t for t in self.tasks if t != task), f"done: {task.what}")

    def add_tasks(self, tasks: Sequence[Task], what: str) -> None:
        """Enter several dates; one step of undo."""
        self._set_tasks((*self.tasks, *tasks), what)

    def _set_tasks(self, tasks: tuple[Task, ...], what: str) -> None:
        before = self.tasks
        self._changes.make(OF_SITE, what, self._project.things.set_tasks, lambda _: self._show(), before, tasks)
