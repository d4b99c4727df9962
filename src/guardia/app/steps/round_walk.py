"""The round, camera by camera in patrol order: what is due there, and what is read off in a minute."""

from __future__ import annotations

import time
from collections.abc import Collection, Mapping
from typing import TYPE_CHECKING

from guardia.app.camera.camera_model import CameraModel
from guardia.app.camera.undo import step_text
from guardia.core.prove.due import Due
from guardia.core.storage.readings import OF_STORE, Measure, Reading, value_shown

if TYPE_CHECKING:
    from guardia.app.project.session import Session


class RoundWalk:
    """Goes from camera to camera.

    Args:
        session: The open project.
    """

    def __init__(self, session: Session) -> None:
        self._session = session
        self.cameras = [camera.id for camera in session.cameras.in_patrol_order()]
        self.at = 0

    @property
    def model(self) -> CameraModel | None:
        """The camera that is looked at, opened when it is its turn; None after the last."""
        return self._session.camera(self.cameras[self.at]) if self.at < len(self.cameras) else None

    def due(self) -> list[Due]:
        """What is due there, overdue first."""
        model = self.model
        return [d for d in self._session.rounds.due() if model is not None and d.camera == model.camera.name]

    def asks(self) -> tuple[Measure, ...]:
        """What can be read off there: only what this camera has, space only of a store that is entered."""
        model = self.model
        if model is None:
            return ()
        store = model.comparison.installed_replay.keeping.fitted is not None
        return (*model.camera.capability.storage.measures, *(OF_STORE if store else ()))

    def last(self, measure: Measure) -> str:
        """What was read last, in words; empty for the first time."""
        model = self.model
        if model is None:
            return ""
        fitted = model.comparison.installed_replay.keeping.fitted
        of_store = fitted.readings if fitted is not None else ()
        readings = of_store if measure in OF_STORE else model.facts.readings()
        same = (Measure.SIGNAL, Measure.SIGNAL_SHOWN) if measure is Measure.SIGNAL else (measure,)
        known = [r for r in readings if r.what in same and r.value is not None]
        if not known:
            return ""
        last = known[-1]
        return f"{last.words} on {self._session.local_time(last.at_s):%d %b}"

    def keep(self, typed: Mapping[Measure, str], seen: Collection[Measure], note: str) -> None:
        """Keep what was typed and seen there, one step of undo, and go on to the next camera.

        Args:
            typed: As value_shown() reads it; empty ones are left out.
            seen: What was seen or done without a value.
            note: For the logbook; may be empty.

        Raises:
            InvalidValue: If something is no number or cannot be; nothing is kept then.
        """
        model = self.model
        if model is None:
            return
        now = time.time()
        readings = [Reading(now, *value_shown(m, text)) for m, text in typed.items() if text.strip()]
        of_camera = [r for r in readings if r.what not in OF_STORE] + [Reading(now, m) for m in seen]
        of_store = [r for r in readings if r.what in OF_STORE]
        fitted = model.comparison.installed_replay.keeping.fitted
        if of_camera or of_store or note.strip():
            self._session.undo.beginMacro(step_text(model.camera.name, "looked at on the round"))
            if of_camera:
                model.facts.set_readings([*model.facts.readings(), *of_camera], "read off on the round")
            if of_store and fitted is not None:
                self._session.storage.add_readings(fitted.id, of_store)
            if note.strip():
                model.facts.log("visit", note.strip())
            self._session.undo.endMacro()
        self.at += 1

    def skip(self) -> None:
        """Leave this camera out."""
        self.at += 1

    def back(self) -> None:
        """Go back to the camera before."""
        self.at = max(0, self.at - 1)

    def done(self, due: Due) -> None:
        """A date entered by hand is done with."""
        units, model = self._session.units, self.model
        for task in units.tasks:
            mine = task.camera_id is None or (model is not None and task.camera_id == model.camera.id)
            if mine and (task.on, task.what) == (due.on, due.what):
                units.done(task)
                return
