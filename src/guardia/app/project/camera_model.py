"""The view-model of one camera: evidence, installed settings, draft, and their scores side by side."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from functools import cache, cached_property
from typing import Any

from PyQt6.QtCore import QObject, pyqtBoundSignal, pyqtSignal
from PyQt6.QtGui import QUndoStack

from guardia.app.project.corrections import Corrections
from guardia.app.project.facts import Facts
from guardia.app.project.occurrences import Occurrences
from guardia.app.project.pictures import Pictures
from guardia.app.project.undo import Changes, Keep
from guardia.app.work.messages import MessageHub, Severity
from guardia.core.base.words import count_of
from guardia.core.evidence.evidence import Evidence, Occurrence
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import Settings, entered_zones
from guardia.core.make.zones import PolygonZone, to_blocks, zone_cells
from guardia.core.score.candidates import Scorer
from guardia.core.score.explain import Explained, explain
from guardia.core.score.score import Comparison
from guardia.core.trace.measure import GRID, Grid
from guardia.core.tuning.scale import NotchScale, calibrate_scale, seen_by
from guardia.report.sheet import lines_against
from guardia.store.project import Project
from guardia.store.records import Camera


@dataclass(frozen=True, eq=False)
class CameraState:
    """All that is shown of a camera, immutable.

    Parameters
    ----------
    camera
        Name, make, installed settings and the draft that is kept.
    evidence
        Clips, traces, occurrences.
    draft
        The draft that is tried; another than the one kept while a gesture is under way.
    selected
        Ids of the selected occurrences.
    """

    camera: Camera
    evidence: Evidence
    draft: Settings
    selected: tuple[int, ...] = ()

    @cached_property
    def by_id(self) -> dict[int, Occurrence]:
        """The occurrences by their ids."""
        return {o.id: o for o in self.evidence.occurrences}


@dataclass(frozen=True, eq=False)
class Loaded:
    """What a camera's view-model begins with; can be read in another thread.

    Parameters
    ----------
    state
        The camera and its evidence.
    scorer
        Which has replayed the installed settings and the draft.
    damage
        What was damaged in the project and set aside, in sentences.
    """

    state: CameraState
    scorer: Scorer
    damage: tuple[str, ...] = ()


def load_camera(project: Project, camera_id: int) -> Loaded:
    """Read a camera and replay its installed settings and its draft."""
    camera = project.cameras.get(camera_id)
    evidence = project.evidence(camera_id)
    scorer = Scorer()
    scorer.compare(evidence, camera.under(camera.installed), camera.under(camera.draft))
    return Loaded(CameraState(camera, evidence, camera.draft), scorer, tuple(project.take_damage()))


class CameraModel(QObject):
    """One camera as the window shows it: its state, the draft, and the intents that change them.

    Parameters
    ----------
    project
        The open project, of the main thread.
    loaded
        The camera as read from the project.
    undo
        The project's undo stack.
    messages
        Where errors are told.
    """

    draft_changed = pyqtSignal()
    judgements_changed = pyqtSignal()
    comparison_changed = pyqtSignal()
    evidence_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    installed_changed = pyqtSignal()
    view_changed = pyqtSignal()
    make_changed = pyqtSignal()
    logbook_changed = pyqtSignal()

    def __init__(self, project: Project, loaded: Loaded, undo: QUndoStack, messages: MessageHub) -> None:
        super().__init__()
        self._project = project
        self._changes = Changes(undo, messages)
        self._messages = messages
        self._scorer = loaded.scorer
        self._explained: tuple[Evidence, Explained] | None = None
        self._scales: tuple[Evidence, tuple[NotchScale, ...]] | None = None
        self.state = loaded.state
        self.comparison = self._compare()
        self.occurrences = Occurrences(self, project)
        self.facts = Facts(self, project)
        self.corrections = Corrections(self, project)
        self.pictures = Pictures(self, project)

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

    def change(self, what: str, keep: Keep, show: Keep, old: Any, new: Any) -> bool:
        """Write a change, show it, and make it a step of undo."""
        return self._changes.make(self.camera.name, what, keep, show, old, new)

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

    def change_draft(self, draft: Settings, what: str) -> None:
        """Keep a new draft; can be undone."""
        before = self.camera.draft
        if draft == before or not self.change(
            what,
            lambda value: self._project.settings.save_draft(self.camera.id, value),
            self._show_draft,
            before,
            draft,
        ):
            self._show_draft(before)

    def _show_draft(self, draft: Settings) -> None:
        self.take(self.draft_changed, camera=replace(self.camera, draft=draft), draft=draft)

    def install_draft(self, note: str) -> None:
        """Record that the draft has been entered on the camera; can be taken back."""
        settings, camera = self._project.settings, self.camera
        lines = lines_against(camera.installed, camera.draft, camera.capability)
        changed = [f"{line.text}{f' ({line.note})' if line.note else ''}" for line in lines if line.changes]
        words = "\n".join([*([note] if note else []), *changed])

        def keep(entered: bool) -> None:
            if entered:
                settings.install_draft(camera.id, note=words)
            else:
                settings.take_back_installed(camera.id)

        self.change("enter the draft", keep, lambda _: self.reload(self.installed_changed), False, True)

    @property
    def grid(self) -> Grid:
        """The evidence's cells, the usual ones while there is no evidence."""
        return self.evidence.stack.grid if self.evidence.stack.frames else GRID

    def entered_words(self) -> list[str]:
        """What is lost when the draft's drawn zones are entered as the make's blocks; nothing when they are blocks."""
        capability, draft = self.camera.capability, self.draft
        if capability.zone_form != "blocks" or not any(isinstance(z, PolygonZone) for z in draft.detection.zones):
            return []
        grid = self.grid
        drawn = zone_cells(draft.detection.zones, grid=grid)
        entered = zone_cells(entered_zones(draft, capability), grid=grid)
        free = replace(capability, blocks=grid)
        as_drawn = draft.with_values(zones=(to_blocks(draft.detection.zones, grid=grid),))
        one = self._scorer.replay(self.evidence, Candidate(as_drawn, free)).recorded
        two = self.comparison.draft_replay.recorded
        flips = int((one != two).sum())
        cells = int((drawn != entered).sum())
        changed = count_of(flips, "occurrence")
        return [f"Entered as blocks: {count_of(cells, 'cell')} not as drawn, {changed} with another outcome."]

    @property
    def scales(self) -> tuple[NotchScale, ...]:
        """What each notch means on this very camera, from what triggered and what did not."""
        if self._scales is None or self._scales[0] is not self.evidence:
            make = self.camera.capability
            self._scales = (self.evidence, calibrate_scale(seen_by(self.evidence, make), make))
        return self._scales[1]

    @property
    def explained(self) -> Explained:
        """Whether the motion model explains what this camera recorded, each clip under the settings that made it."""
        if self._explained is None or self._explained[0] is not self.evidence:
            replay_of = cache(lambda settings: self._scorer.replay(self.evidence, self.camera.under(settings)))
            self._explained = (self.evidence, explain(self.evidence, replay_of))
        return self._explained[1]
