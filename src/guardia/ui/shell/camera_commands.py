"""What the menu does with the camera that is open; asks where it must."""

from __future__ import annotations

from dataclasses import replace
from datetime import datetime
from pathlib import Path

from PyQt6.QtWidgets import QDialog, QWidget

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.own_scales import camera_key, learn_open, own_scales, taught_to, with_taught
from guardia.app.project.session import Session
from guardia.core.base.words import count_of
from guardia.core.evidence.clips import Origin
from guardia.core.hours.plan import off_until
from guardia.core.make.capability import capability_from_dict
from guardia.core.replay.pool import LEAST_CAMERAS
from guardia.core.tuning.scale import taught_words
from guardia.ui.shell import dialogs
from guardia.ui.shell.make_editor import MakeEditor
from guardia.ui.shell.pause_dialog import PauseDialog
from guardia.ui.steps.as_it_is_dialog import AsItIsDialog
from guardia.ui.steps.clips_dialog import ClipsDialog
from guardia.ui.steps.copy_dialog import CopyDialog
from guardia.ui.steps.times_dialogs import EpochsDialog, WatchedDialog


class CameraCommands:
    """Commands for one camera."""

    def __init__(self, parent: QWidget, session: Session, model: CameraModel, data_home: Path) -> None:
        self._parent, self._session, self._model, self._data_home = parent, session, model, data_home
        self.times: WatchedDialog | EpochsDialog | None = None

    def reset_draft(self) -> None:
        """Make the draft equal to the installed settings."""
        self._model.change_draft(self._model.camera.installed, "set draft back to installed")

    def ask_clip_start(self) -> None:
        """Ask when the clip of the selected occurrence really began."""
        model, session = self._model, self._session
        if not model.selected:
            session.messages.tell("Select an occurrence in Evidence first; its clip is the one that is meant.")
            return
        clip_id = model.occurrence(model.selected[0]).clip_id
        _, source = model.facts.clip_start(clip_id)
        start_s = model.evidence.clips[model.evidence.clip_index[clip_id]].start_s
        given = dialogs.ask_start(self._parent, session.local_time(start_s), source, session.site.time_zone)
        if given is not None:
            model.facts.give_clip_start(clip_id, given.timestamp())

    def ask_clock(self) -> None:
        """Ask how wrong the camera's clock is."""
        camera = self._model.camera
        error_s = dialogs.ask_clock_error(self._parent, camera.name, camera.clock_error_s)
        if error_s is not None:
            self._model.facts.set_clock_error(error_s)

    def ask_cause(self) -> None:
        """Ask why the camera recorded the clips of the selected occurrences."""
        model = self._model
        clips = {model.occurrence(i).clip_id for i in model.selected}
        recorded = [c for c in model.evidence.clips if c.id in clips and c.origin is Origin.MOTION]
        if not recorded:
            self._session.messages.tell("Select occurrences of clips that the camera recorded by itself, in Evidence.")
            return
        cause = dialogs.ask_cause(self._parent, recorded)
        if cause is not None:
            model.facts.set_cause([c.id for c in recorded], cause)

    def ask_watched(self) -> None:
        """Let the watched time be entered."""
        self.times = WatchedDialog(self._parent, self._session, self._model)
        self.times.open()

    def ask_epochs(self) -> None:
        """Let it be said which settings were installed when."""
        self.times = EpochsDialog(self._parent, self._session, self._model)
        self.times.open()

    def ask_name(self) -> None:
        """Ask for another name."""
        dialogs.ask_name(self._parent, self._model.camera.name, self._model.facts.rename)

    def ask_make(self) -> None:
        """Ask of which make the camera is, and then how it is set."""
        present = self._model.corrections.make_data()
        data = dialogs.ask_make(self._parent, present)
        if data is None or capability_from_dict(data) == replace(self._model.camera.capability, taught=None):
            return
        self._model.corrections.set_make(data)
        if data["id"] != present["id"]:
            self.ask_installed()

    def describe_make(self) -> None:
        """Let the make of the camera be described: what it can be told."""
        editor = MakeEditor(self._parent, self._model.corrections.make_data())
        if editor.exec() == QDialog.DialogCode.Accepted:
            self._model.corrections.set_make(editor.draft.data)

    def use_others(self) -> None:
        """Let the scale start from what the person's other cameras of this make showed."""
        model, home, site = self._model, self._data_home, self._session.site.name
        learn_open(home, site, self._session.cameras.opened.values())
        make = model.camera.capability
        taught = taught_to(own_scales(home), make, without={camera_key(site, model.camera.name)})
        if taught is None:
            self._session.messages.tell(
                f"Fewer than {LEAST_CAMERAS} of your other cameras are of the make '{make.name}' and showed enough. "
                "Nothing is changed. Walk test them and import the clips."
            )
            return
        model.corrections.teach(with_taught(model.corrections.make_data(), taught))
        self._session.messages.tell(f"The scale now starts from {taught_words(taught)}")

    def show_clips(self) -> None:
        """Show the camera's clips, to take some out."""
        ClipsDialog(self._parent, self._session, self._model).open()

    def remove(self) -> None:
        """Take the camera out of the project."""
        name, clips = self._model.camera.name, len(self._model.evidence.clips)
        self._session.remove_camera(self._model.camera.id)
        self._session.messages.tell(
            f"'{name}' with {count_of(clips, 'clip')} is removed. Undo brings it back until the project is closed; "
            "then its clips here are deleted."
        )

    def ask_installed(self) -> None:
        """Let it be entered what is set on the camera as it is now."""
        self.as_it_is = AsItIsDialog(self._parent, self._model)
        self.as_it_is.open()

    def pause_alerts(self) -> None:
        """Ask for how long alerts are paused, and note it."""
        model, session = self._model, self._session
        now = datetime.now(session.time_zone).replace(tzinfo=None)
        stops = [what for what in model.camera.capability.alert_pause_stops if what != "alerts"]
        caution = f"On this make a pause ends {' and '.join(stops)}, too." if stops else ""
        running = off_until(model.camera.installed.hours.alert_plan, now)
        dialog = PauseDialog(self._parent, model.camera.name, now, running, caution)
        if dialog.exec() != QDialog.DialogCode.Accepted:
            return
        model.facts.pause_alerts(now, dialog.until)
        words = "The pause is ended." if dialog.until is None else f"Paused until {dialog.until:%a %d %b %H:%M}."
        session.messages.tell(f"{words} Set the same on the camera.")

    def copy_draft(self) -> None:
        """Copy the draft to other cameras of the site."""
        CopyDialog(self._parent, self._session, self._model).exec()

    def join(self) -> None:
        """Make the selected occurrences one visit."""
        self._session.occurrences.join(self._model.camera.id, self._model.selected)

    def split(self) -> None:
        """Take the selected occurrence out of its visit, or split it where it is quietest."""
        for occurrence_id in self._model.selected[:1]:
            self._session.occurrences.split(self._model.camera.id, occurrence_id)
