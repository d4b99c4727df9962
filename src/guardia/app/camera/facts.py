"""What is known about one camera besides its settings: its view, its clock, when it was up, why it recorded."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from datetime import datetime
from pathlib import Path

from guardia.app.camera.shown_camera import ShownCamera
from guardia.core.evidence.epochs import Epoch
from guardia.core.evidence.walked import Walked
from guardia.core.evidence.watch import Entered
from guardia.core.hours.plan import paused
from guardia.core.make.settings import Settings
from guardia.core.purpose.purpose import Asked, Purpose, asked_since, changed_words
from guardia.core.storage.readings import Measure, Reading
from guardia.core.view.geometry import KnownView
from guardia.formats.installed_file import FoundSettings, read_installed
from guardia.store.checklists import Checked
from guardia.store.project import Project
from guardia.store.records import About


class Facts:
    """Facts about a camera; every change can be undone."""

    def __init__(self, model: ShownCamera, project: Project) -> None:
        self._model, self._project = model, project

    def _reload(self, _value: object) -> None:
        self._model.reload()

    def rename(self, name: str) -> None:
        """Give the camera another name."""
        model, camera = self._model, self._model.camera
        if name != camera.name:
            model.change(
                "rename the camera",
                lambda new: self._project.cameras.rename(camera.id, new),
                lambda new: model.take(model.installed_changed, camera=replace(model.camera, name=new)),
                camera.name,
                name,
            )

    def set_view(self, known: KnownView | None) -> None:
        """Say what is known of the camera's view."""
        camera = self._model.camera
        if known != camera.view:
            self._model.change(
                "set the view",
                lambda v: self._project.cameras.set_view(camera.id, v),
                self._show_view,
                camera.view,
                known,
            )

    def _show_view(self, known: KnownView | None) -> None:
        model = self._model
        evidence = replace(model.evidence, view=known.view if known else None)
        model.take(model.view_changed, camera=replace(model.camera, view=known), evidence=evidence)

    def keep_pattern(self, time_pattern: str) -> None:
        """Remember how the camera writes times in file names; counts for clips brought in from now on."""
        model = self._model
        if model.kept(lambda: self._write_clock(model.camera.clock_error_s, time_pattern)):
            model.take(camera=replace(model.camera, time_pattern=time_pattern))

    def _write_clock(self, clock_error_s: float, time_pattern: str) -> None:
        self._project.cameras.set_clock(self._model.camera.id, clock_error_s=clock_error_s, time_pattern=time_pattern)

    def set_clock_error(self, clock_error_s: float) -> None:
        """Say how wrong the camera's clock is; every time of its clips and events moves."""
        before = self._model.camera.clock_error_s
        if clock_error_s != before:
            self._model.change(
                "set the clock's error",
                lambda error_s: self._write_clock(error_s, self._model.camera.time_pattern),
                self._reload,
                before,
                clock_error_s,
            )

    def clip_start(self, clip_id: int) -> tuple[float, str]:
        """Start of a clip (POSIX seconds) and how it is known."""
        return self._project.clips.start(clip_id)

    def give_clip_start(self, clip_id: int, start_s: float) -> None:
        """Give a clip the true start that the technician knows. The start that it has is no change."""
        evidence = self._model.evidence
        if abs(start_s - evidence.clips[evidence.clip_index[clip_id]].start_s) >= 0.5:
            self._model.change(
                "give start of clip",
                lambda start: self._project.clips.set_start(clip_id, *start),
                self._reload,
                self.clip_start(clip_id),
                (start_s, "given"),
            )

    def watched_entered(self) -> tuple[Entered, ...]:
        """The spans of watched time that were entered."""
        return self._project.watched.entered(self._model.camera.id)

    def set_watched(self, spans: Sequence[Entered]) -> None:
        """Say when the camera was up and when it was down."""
        before, after = self.watched_entered(), tuple(spans)
        if after != before:
            camera_id = self._model.camera.id
            self._model.change(
                "enter the time covered",
                lambda entered: self._project.watched.set_entered(camera_id, entered),
                self._reload,
                before,
                after,
            )

    def found_in(self, path: Path) -> FoundSettings:
        """What a file says of the settings on the camera; raises InvalidValue where it cannot be used."""
        return read_installed(path, self._model.camera.capability)

    def set_installed(self, installed: Settings) -> None:
        """Say what is set on the camera as it is now; a draft that was no other goes with it."""
        model, camera = self._model, self._model.camera
        before = (camera.installed, camera.draft)
        after = (installed, installed if camera.draft == camera.installed else camera.draft)
        if after != before:
            model.change(
                "say how it is now",
                lambda both: self._project.settings.correct_installed(camera.id, *both),
                lambda _: model.reload(model.installed_changed, model.draft_changed),
                before,
                after,
            )

    def pause_alerts(self, now: datetime, until: datetime | None) -> None:
        """Note that alerts are paused on the camera from now on until a moment, or that the pause ended (None).

        It is an exception to the alert hours of the installed settings and of the draft, so that it ends by itself.

        Args:
            now: On the site's clock, without a zone.
            until: Likewise.
        """
        model, camera = self._model, self._model.camera
        before = (camera.installed, camera.draft)
        after = tuple(
            s.with_values(alert_plan=paused(s.hours.alert_plan, now.replace(second=0, microsecond=0), until))
            for s in before
        )
        if after != before:
            model.change(
                "end the pause of alerts" if until is None else "pause alerts",
                lambda both: self._project.settings.correct_installed(camera.id, *both),
                lambda _: model.reload(model.installed_changed, model.draft_changed),
                before,
                after,
            )

    def set_epochs(self, epochs: Sequence[Epoch]) -> None:
        """Say which settings were installed when."""
        before, after = self._model.evidence.epochs, tuple(epochs)
        if after != before:
            camera_id = self._model.camera.id
            self._model.change(
                "date the settings",
                lambda dated: self._project.settings.set_epochs(camera_id, dated),
                lambda _: self._model.reload(self._model.installed_changed),
                before,
                after,
            )

    def set_about(self, about: About) -> None:
        """Write down serial number, manual, where keys are kept, place on the round."""
        model, camera = self._model, self._model.camera
        if about != camera.about:
            model.change(
                "write down about the camera",
                lambda value: self._project.cameras.set_about(camera.id, value),
                lambda value: model.take(model.facts_changed, camera=replace(model.camera, about=value)),
                camera.about,
                about,
            )

    def checked(self) -> dict[str, Checked]:
        """What was ticked on the commissioning list, and what checks of gates showed."""
        return self._project.checklists.of(self._model.camera.id)

    def check(self, item: str, state: str, who: str, at_s: float, what: str = "") -> None:
        """Tick an item of the commissioning list, or keep another answer; `what` is what undo says it takes back."""
        before = self.checked()
        after = {**before, item: Checked(state, who, at_s)}
        camera_id = self._model.camera.id
        self._model.change(
            what or f"tick '{item}'",
            lambda kept: self._project.checklists.set_all(camera_id, kept),
            lambda _: self._model.facts_changed.emit(),
            before,
            after,
        )

    def log(self, what: str, detail: str) -> None:
        """Enter something in the logbook; undo takes it out."""
        model, logbook, entry = self._model, self._project.logbook, [0]

        def keep(entered: bool) -> None:
            if entered and not entry[0]:
                entry[0] = logbook.add(model.camera.id, what, detail)
            else:
                logbook.correct(entry[0], detail, gone=not entered)

        model.change("enter in the logbook", keep, lambda _: model.logbook_changed.emit(), False, True, record=True)

    def add_walk(self, walked: Walked, words: str) -> None:
        """Keep what came of a walk and when the phone told it, and enter it in the logbook; one step of undo."""
        model, things, logbook, entry = self._model, self._project.things, self._project.logbook, [0]
        before, read = things.walks(model.camera.id), self.readings()
        told = [Reading(walked.at_s, Measure.ALERT_DELAY, walked.alert_s)] if walked.tells_of_alert else []

        def keep(walks: tuple[Walked, ...]) -> None:
            with self._project.together():
                things.set_walks(model.camera.id, walks)
                if told:
                    again = read if walks == before else (*read, *told)
                    self._project.readings.set_of_camera(model.camera.id, again)
                if not entry[0]:
                    entry[0] = logbook.add(model.camera.id, "walk test", words)
                else:
                    logbook.correct(entry[0], words, gone=walks == before)

        def show(walks: tuple[Walked, ...]) -> None:
            model.take(model.facts_changed, model.logbook_changed, evidence=replace(model.evidence, walks=walks))
            model.reload_storage()

        model.change("enter a walk", keep, show, before, (*before, walked), record=True)

    def purposes(self) -> tuple[Asked, ...]:
        """What the camera was for and since when, in order of time."""
        return self._project.things.purposes(self._model.camera.id)

    def set_purpose(self, purpose: Purpose | None, now_s: float) -> None:
        """Say what the camera is for from now on; as asked_since()."""
        model, before = self._model, self.purposes()
        if purpose == model.evidence.purpose:
            return
        after = asked_since(before, purpose, now_s)

        def show(asked: tuple[Asked, ...]) -> None:
            now = asked[-1].purpose if asked else None
            model.take(model.purpose_changed, evidence=replace(model.evidence, purpose=now))

        camera_id = model.camera.id
        model.change(
            changed_words(model.evidence.purpose, purpose),
            lambda asked: self._project.things.set_purposes(camera_id, asked), show, before, after,
        )  # fmt: skip

    def readings(self) -> tuple[Reading, ...]:
        """What was read off the camera, in order of time."""
        return self._project.readings.of_camera(self._model.camera.id)

    def set_readings(self, readings: Sequence[Reading], what: str) -> None:
        """Keep what was read off the camera."""
        before, after = self.readings(), tuple(sorted(readings, key=lambda r: r.at_s))
        if after != before:
            camera_id = self._model.camera.id
            self._model.change(
                what,
                lambda kept: self._project.readings.set_of_camera(camera_id, kept),
                lambda _: self._model.reload_storage(),
                before,
                after,
            )

    def set_cause(self, clip_ids: Iterable[int], cause: str) -> None:
        """Say why clips were recorded, '' to go by the camera's list."""
        said = self._project.clips.causes_said(self._model.camera.id)
        old = {i: said[i] for i in clip_ids if said[i] != cause}
        if old:
            self._model.change(
                "say why it recorded", self._project.clips.set_causes, self._reload, old, dict.fromkeys(old, cause)
            )
