"""The view-model of one camera: what is shown of it, and everything that can be done with it."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import cache

from PyQt6.QtGui import QUndoStack

from guardia.app.camera.corrections import Corrections
from guardia.app.camera.facts import Facts
from guardia.app.camera.occurrences import CameraOccurrences
from guardia.app.camera.pictures import CameraPictures
from guardia.app.camera.shown_camera import Loaded, ShownCamera
from guardia.app.work.messages import MessageHub, Severity
from guardia.core.base.distances import Distances, shown_distances
from guardia.core.base.words import count_of
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import HoursSettings, Settings, entered_zones
from guardia.core.make.zones import PolygonZone, to_blocks, zone_cells
from guardia.core.replay.anchored import Anchor
from guardia.core.replay.factor import CameraScale, NotchScale, Seen
from guardia.core.replay.replay import Replay, replay
from guardia.core.score.explain import Explained, explain
from guardia.core.score.met import Lines, met_both
from guardia.core.score.price import price_of
from guardia.core.score.score import Comparison, difference_words
from guardia.core.tuning.check import Check, check_prediction
from guardia.core.tuning.scale import scale_words
from guardia.report.sheet import changes_of
from guardia.store.logbook import LogEntry
from guardia.store.project import Project

EXPECTED = "Expected on this evidence"
"""Begins what the logbook says of the expected effect of a change."""

SAME_CHANGE_S = 60.0
"""An entry of the logbook and settings that begin within this time of each other are one change."""


class CameraModel(ShownCamera):
    """One camera: its draft, its facts, corrections, occurrences and pictures; parameters as ShownCamera."""

    def __init__(self, project: Project, loaded: Loaded, undo: QUndoStack, messages: MessageHub) -> None:
        super().__init__(project, loaded, undo, messages)
        self._explained: tuple[Evidence, Explained] | None = None
        self._check: tuple[Evidence, Check | None] | None = None
        self._met: tuple[Comparison, Distances, tuple[Lines, Lines]] | None = None
        self.occurrences = CameraOccurrences(self, project)
        self.facts = Facts(self, project)
        self.corrections = Corrections(self, project)
        self.pictures = CameraPictures(self, project)

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

    def show_hours(self, hours: HoursSettings) -> None:
        """Show a draft with other hours, which are kept already."""
        draft = self.camera.draft.with_hours(hours)
        if draft != self.camera.draft:
            self.take(self.draft_changed, camera=replace(self.camera, draft=draft), draft=draft)

    def _show_draft(self, draft: Settings) -> None:
        self.take(self.draft_changed, camera=replace(self.camera, draft=draft), draft=draft)

    def install_draft(self, note: str, at_s: float | None = None) -> None:
        """Record that the draft has been entered on the camera, now if no moment is given; can be taken back."""
        settings, camera = self._project.settings, self.camera
        changed = changes_of(camera.installed, camera.draft, camera.capability)
        scores = self.comparison
        expected = "; ".join(difference_words(scores.installed, scores.draft))
        words = "\n".join([*([note] if note else []), *changed, f"{EXPECTED}: {expected}."])

        def keep(entered: bool) -> None:
            if entered:
                settings.install_draft(camera.id, note=words, at_s=at_s)
            else:
                settings.take_back_installed(camera.id)

        self.change("enter the draft", keep, lambda _: self.reload(self.installed_changed), False, True, record=True)

    def observed(self, entry: LogEntry) -> str:
        """What came of a change that the logbook tells, against what was expected then; empty while nothing did."""
        if EXPECTED not in entry.detail:
            return ""
        near = [
            e for e in self.evidence.epochs if abs(e.from_s - entry.at_s) < SAME_CHANGE_S and e.settings is not None
        ]
        if not near:
            return ""
        for epoch in near:
            if epoch.settings is not None:
                under = self.camera.under(epoch.settings)
                check = check_prediction(self.evidence, under, epoch.from_s, epoch.to_s)
                return check.words if check is not None else ""
        return ""

    def read_back(self, found: Settings) -> list[str]:
        """Say what was found on the camera where something else was entered; what was in force is dated until now.

        Args:
            found: What is set on the camera.

        Returns:
            What is otherwise than it was entered; none where all is as it was, and then nothing is kept.
        """
        settings, camera = self._project.settings, self.camera
        changed = changes_of(camera.installed, found, camera.capability)
        if found == camera.installed:
            self._messages.tell(f"{camera.name} is set as it was entered: nothing was changed.")
            return []
        draft = camera.draft if camera.draft != camera.installed else found

        def keep(entered: bool) -> None:
            if entered:
                settings.install_found(camera.id, found, draft, note="\n".join(changed))
            else:
                settings.take_back_installed(camera.id)
                settings.save_draft(camera.id, camera.draft)

        show = (self.installed_changed, self.draft_changed)
        self.change("read settings back", keep, lambda _: self.reload(*show), False, True, record=True)
        self._messages.tell(
            f"{camera.name} is no longer set as it was entered: {'; '.join(changed)}.", Severity.WARNING
        )
        return changed

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
        one = self._scorer.replay(self.evidence, Candidate(as_drawn, free)).marked
        two = self.comparison.draft_replay.marked
        flips = int((one != two).sum())
        cells = int((drawn != entered).sum())
        changed = count_of(flips, "occurrence")
        return [f"Entered as blocks: {count_of(cells, 'cell')} not as drawn, {changed} with another outcome."]

    @property
    def anchor(self) -> Anchor:
        """What the camera did, and what follows from it for other settings."""
        return self._scorer.anchor(self.evidence, self.camera.capability)

    @property
    def scale(self) -> CameraScale:
        """What is believed of this very camera's thresholds."""
        return self.anchor.scale

    @property
    def scales(self) -> tuple[NotchScale, ...]:
        """What each level means on this very camera, from what triggered and what did not."""
        return self.scale.levels

    @property
    def seen(self) -> list[Seen]:
        """What the evidence shows of the levels."""
        return self.anchor.seen

    @property
    def scale_words(self) -> str:
        """What is known of the draft's level on this camera; empty where none is set."""
        detection = self.draft.detection
        return "" if detection.sensitivity is not None else scale_words(self.scale, detection.notch)

    @property
    def met(self) -> tuple[Lines, Lines]:
        """What the camera is for, met or not under the installed settings and under the draft; none where not said."""
        units = shown_distances()
        if self._met is None or self._met[0] is not self.comparison or self._met[1] is not units:
            self._met = (self.comparison, units, met_both(self.evidence, self.comparison))
        return self._met[2]

    def lasts_words(self) -> list[str]:
        """How long footage and a charge last, and false recordings a day, installed and draft; only what is known."""
        known = self.comparison
        both = ((known.installed_replay, known.installed), (known.draft_replay, known.draft))
        prices = [price_of(done, known.installed_replay, counts) for done, counts in both]
        lines = []
        if self.evidence.storage.stores:
            lines.append(_arrow("Keeps", [price.kept_words for price in prices]))
        lines.append(_arrow("Charge lasts", [price.charge_words for price in prices]))
        rates = [counts.false_per_day for _, counts in both]
        lines.append(_arrow("False recordings a day", ["" if rate is None else f"{rate:.1f}" for rate in rates]))
        return [line for line in lines if line]

    @property
    def check(self) -> Check | None:
        """What came since the installed settings were entered, against what was to be expected; None if unknown."""
        if self._check is None or self._check[0] is not self.evidence:
            epochs = self.evidence.epochs
            since = epochs[-1].from_s if epochs else -math.inf
            installed = self.camera.under(self.camera.installed)
            check = check_prediction(self.evidence, installed, since) if math.isfinite(since) else None
            self._check = (self.evidence, check)
        return self._check[1]

    def replay_of(self, settings: Settings) -> Replay:
        """Any settings replayed on this camera's evidence."""
        return self._scorer.replay(self.evidence, self.camera.under(settings))

    def _by_model(self, settings: Settings) -> Replay:
        """What the model alone says, at the make's nominal thresholds."""
        return replay(self.evidence, self.camera.under(settings))

    @property
    def explained(self) -> Explained:
        """Whether the motion model explains what this camera recorded, each clip under the settings that made it."""
        if self._explained is None or self._explained[0] is not self.evidence:
            self._explained = (self.evidence, explain(self.evidence, cache(self._by_model)))
        return self._explained[1]


def _arrow(what: str, both: list[str]) -> str:
    """What it is under the installed settings and under the draft, once where that is the same."""
    old, new = both
    return "" if not old and not new else f"{what}: {old}" if old == new else f"{what}: {old or 'not known'} → {new}"
