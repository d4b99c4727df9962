"""One camera as it is shown: its state, its score, and how a change is written, shown and made a step of undo."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from PyQt6.QtCore import QObject, pyqtBoundSignal, pyqtSignal
from PyQt6.QtGui import QUndoStack

from guardia.app.camera.undo import Changes, Keep, Owner
from guardia.app.work.messages import MessageHub, Severity
from guardia.core.base.errors import GuardiaError, ProjectError
from guardia.core.evidence.clips import Occurrence
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.settings import Settings
from guardia.core.score.candidates import Scorer
from guardia.core.score.score import Comparison
from guardia.core.trace.measure import GRID, Grid
from guardia.store.project import Project
from guardia.store.records import Camera


@dataclass(frozen=True, eq=False)
class CameraState:
    """All that is shown of a camera, immutable."""

    camera: Camera
    """Name, make, installed settings and the draft that is kept."""
    evidence: Evidence
    """Clips, traces, occurrences."""
    draft: Settings
    """The draft that is tried; another than the one kept while a gesture is under way."""
    selected: tuple[int, ...] = ()
    """Ids of the selected occurrences."""

    @cached_property
    def by_id(self) -> dict[int, Occurrence]:
        """The occurrences by their ids."""
        return {o.id: o for o in self.evidence.occurrences}


@dataclass(frozen=True, eq=False)
class Loaded:
    """What a camera's view-model begins with; can be read in another thread."""

    state: CameraState
    """The camera and its evidence."""
    scorer: Scorer
    """Which has replayed the installed settings and the draft."""
    damage: tuple[str, ...] = ()
    """What was damaged in the project and set aside, in sentences."""
    key: str = ""
    """What it was read from, as Project.camera_key() gives it."""


def load_camera(project: Project, camera_id: int) -> Loaded:
    """Read a camera and replay its installed settings and its draft; raises ProjectError where that cannot be done."""
    key = project.camera_key(camera_id)  # before it is read: what is written meanwhile makes it another
    camera = project.cameras.get(camera_id)
    try:
        evidence = project.evidence(camera_id)
        scorer = Scorer(keep=6)
        scorer.compare(evidence, camera.under(camera.installed), camera.under(camera.draft))
    except GuardiaError:
        raise
    except Exception as error:
        raise ProjectError(
            f"What the project keeps of the camera '{camera.name}' cannot be read ({type(error).__name__}: {error}).",
            kept="It is set aside; the other cameras are not affected.",
            do="Please report it.",
        ) from error
    return Loaded(CameraState(camera, evidence, camera.draft), scorer, tuple(project.take_damage()), key)


class ShownCamera(QObject):
    """One camera's state and score.

    Args:
        project: The open project, of the main thread.
        loaded: The camera as read from the project.
        undo: The project's undo stack.
        messages: Where errors are told.
    """

    draft_changed = pyqtSignal()
    judgements_changed = pyqtSignal()
    comparison_changed = pyqtSignal()
    """Last after every change of the state, so that who shows much of it follows this one alone."""
    evidence_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    installed_changed = pyqtSignal()
    view_changed = pyqtSignal()
    make_changed = pyqtSignal()
    logbook_changed = pyqtSignal()
    facts_changed = pyqtSignal()
    purpose_changed = pyqtSignal()

    def __init__(self, project: Project, loaded: Loaded, undo: QUndoStack, messages: MessageHub) -> None:
        super().__init__()
        self._project = project
        self._changes = Changes(undo, messages)
        self._messages = messages
        self._scorer = loaded.scorer
        self.state = loaded.state
        self.comparison = self._compare()

    @property
    def camera(self) -> Camera:
        """Name, make, installed settings and the draft that is kept."""
        return self.state.camera

    @property
    def evidence(self) -> Evidence:
        """Clips, traces, occurrences."""
        return self.state.evidence

    @property
    def draft(self) -> Settings:
        """The draft that is tried."""
        return self.state.draft

    @property
    def selected(self) -> tuple[int, ...]:
        """Ids of the selected occurrences."""
        return self.state.selected

    @property
    def previewing(self) -> bool:
        """Whether a gesture is under way: the draft that is tried is not the one that is kept."""
        return self.draft != self.camera.draft

    def occurrence(self, occurrence_id: int) -> Occurrence:
        """One occurrence of this camera; raises KeyError for a foreign one."""
        return self.state.by_id[occurrence_id]

    def _compare(self) -> Comparison:
        camera = self.camera
        return self._scorer.compare(self.evidence, camera.under(camera.installed), camera.under(self.draft))

    def take(self, *signals: pyqtBoundSignal, **changes: Any) -> None:
        """Show another state: some of its values change, the score follows, and the signals tell."""
        self.state = replace(self.state, **changes)
        self.comparison = self._compare()
        for signal in (*signals, self.comparison_changed):
            signal.emit()

    def kept(self, write: Callable[[], None]) -> bool:
        """Whether a change could be written; tells why not."""
        return self._changes.kept(write)

    def change(self, what: str, keep: Keep, show: Keep, old: Any, new: Any, *, record: bool = False) -> bool:
        """Write a change, show it, and make it a step of undo; `record` for what stands in the logbook."""
        return self._changes.make(Owner(self.camera.id, self.camera.name), what, keep, show, old, new, record=record)

    def reload(self, *signals: pyqtBoundSignal) -> None:
        """Read the camera and its evidence anew."""
        camera, evidence = self._project.cameras.get(self.camera.id), self._project.evidence(self.camera.id)
        for line in self._project.take_damage():
            self._messages.tell(line, Severity.WARNING)
        known = {o.id for o in evidence.occurrences}
        tried = self.draft if self.previewing else camera.draft
        self.take(
            self.evidence_changed,
            self.judgements_changed,
            *signals,
            camera=camera,
            evidence=evidence,
            draft=tried,
            selected=tuple(i for i in self.selected if i in known),
        )

    def reload_storage(self) -> None:
        """Read anew what is known of where its footage goes; the rest of the evidence stays."""
        known = self._project.storage(self.camera.id)
        if known != self.evidence.storage:
            self.take(self.facts_changed, evidence=replace(self.evidence, storage=known))

    def reload_if_grown(self) -> None:
        """Read the evidence anew if more clips are measured than are shown."""
        if self._project.measurements.measured(self.camera.id) > len(self.evidence.clips):
            self.reload()

    def select(self, ids: Iterable[int]) -> None:
        """Select occurrences in every view."""
        chosen = tuple(i for i in ids if i in self.state.by_id)
        if chosen != self.selected:
            self.state = replace(self.state, selected=chosen)
            self.selection_changed.emit()

    def preview(self, draft: Settings) -> None:
        """Score a draft while a gesture is under way, without keeping it."""
        if draft != self.draft:
            self.take(draft=draft)

    @property
    def grid(self) -> Grid:
        """The evidence's cells, the usual ones while there is no evidence."""
        return self.evidence.stack.grid if self.evidence.stack.frames else GRID
