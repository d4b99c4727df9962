"""What was entered wrongly about a camera and is put right: its make, its clips, its entries in the logbook."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from guardia.app.camera.shown_camera import ShownCamera
from guardia.core.evidence.clips import Clip
from guardia.core.evidence.epochs import Epoch
from guardia.core.make.capability import capability_from_dict
from guardia.core.make.convert_settings import settings_for
from guardia.core.make.settings import Settings
from guardia.store.clips import SAID_SAME
from guardia.store.logbook import LogEntry
from guardia.store.project import Project


@dataclass(frozen=True)
class _Make:
    """A make with everything that is written in its words."""

    data: Mapping[str, Any]
    epochs: tuple[Epoch, ...]
    draft: Settings


class Corrections:
    """Corrections of one camera; every one can be undone."""

    def __init__(self, model: ShownCamera, project: Project) -> None:
        self._model, self._project = model, project

    def set_make(self, data: Mapping[str, Any]) -> None:
        """Say that the camera is of another make; its settings become the nearest that this one offers.

        Args:
            data: JSON form of the make.

        Raises:
            InvalidValue: If it cannot be used.
        """
        model, camera, former = self._model, self._model.camera, self._model.camera.capability
        make = capability_from_dict(data)
        if former.taught is not None and (make.id, make.notches) == (former.id, former.notches):
            data = {"taught": self.make_data()["taught"], **data}
        epochs = self._project.settings.epochs(camera.id)
        dated = tuple(
            e if e.settings is None else replace(e, settings=settings_for(make, e.settings, former)) for e in epochs
        )
        after = _Make(data, dated, settings_for(make, camera.draft, former))
        before = _Make(self._project.cameras.make(camera.id), epochs, camera.draft)

        def keep(value: _Make) -> None:
            with self._project.together():
                self._project.cameras.set_make(camera.id, value.data)
                self._project.settings.set_epochs(camera.id, value.epochs)
                self._project.settings.save_draft(camera.id, value.draft)

        def show(_value: _Make) -> None:
            model.reload(model.installed_changed, model.draft_changed)
            model.make_changed.emit()

        model.change(f"make: {make.name}", keep, show, before, after)

    def teach(self, data: Mapping[str, Any]) -> None:
        """Enter what other cameras of the make showed; the make and all settings stay as they are."""
        model, camera_id = self._model, self._model.camera.id

        def show(_value: Mapping[str, Any]) -> None:
            model.reload(model.installed_changed, model.draft_changed)
            model.make_changed.emit()

        model.change(
            "use what other cameras showed",
            lambda value: self._project.cameras.set_make(camera_id, value),
            show,
            self.make_data(),
            data,
        )

    def make_data(self) -> dict[str, Any]:
        """JSON form of the camera's make."""
        return self._project.cameras.make(self._model.camera.id)

    def clips(self) -> list[tuple[Clip, str]]:
        """All clips of the camera in order of time, each with why it is not measured or not scored, if so."""
        clips, camera_id = self._project.clips, self._model.camera.id
        views = clips.views(camera_id)
        troubles = {i: f"another view: {views[i]}" for i in clips.other_views(camera_id)} | clips.troubles(camera_id)
        return [(clip, troubles.get(clip.id, "")) for clip in clips.of(camera_id)]

    def say_same_view(self, clip_ids: Iterable[int]) -> None:
        """Count clips although their pictures differ from the planned view."""
        clips, model = self._project.clips, self._model
        views, aside = clips.views(model.camera.id), clips.other_views(model.camera.id)
        before = {i: views[i] for i in clip_ids if i in aside}
        if before:
            after = dict.fromkeys(before, SAID_SAME)
            model.change("say it is the same view", clips.set_views, lambda _: model.reload(), before, after)

    def remove_clips(self, clip_ids: Iterable[int]) -> None:
        """Take clips out of the project, with their occurrences; their files are deleted when it is closed."""
        ids = tuple(clip_ids)
        if ids:
            self._model.change(
                "remove a clip" if len(ids) == 1 else f"remove {len(ids)} clips",
                lambda gone: self._project.clips.set_gone(ids, gone),
                lambda _: self._model.reload(),
                False,
                True,
            )

    def logbook(self) -> list[LogEntry]:
        """The entries about the camera, newest first."""
        return self._project.logbook.of(self._model.camera.id)

    def correct_entry(self, entry: LogEntry, detail: str) -> None:
        """Give an entry of the logbook another note."""
        if detail != entry.detail:
            self._change_entry("correct the logbook", entry, (entry.detail, False), (detail, False))

    def remove_entry(self, entry: LogEntry) -> None:
        """Take an entry out of the logbook."""
        self._change_entry("remove a logbook entry", entry, (entry.detail, False), (entry.detail, True))

    def _change_entry(self, what: str, entry: LogEntry, before: tuple[str, bool], after: tuple[str, bool]) -> None:
        model = self._model
        model.change(
            what,
            lambda value: self._project.logbook.correct(entry.id, value[0], gone=value[1]),
            lambda _: model.logbook_changed.emit(),
            before,
            after,
            record=True,
        )
