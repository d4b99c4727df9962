"""The view-model of the step Tune: searches better settings for a camera and offers them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from guardia.app.project.advice import MISSED_WEIGHT
from guardia.app.project.camera_model import CameraModel
from guardia.app.steps.step_model import StepModel
from guardia.app.work.jobs import Meter, Report, Token
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import Settings
from guardia.core.tuning.search import MOST_CANDIDATES
from guardia.core.tuning.trials import Cost
from guardia.core.tuning.tune import Tuned, tune

if TYPE_CHECKING:
    from guardia.app.project.session import Session

ABOUT = MOST_CANDIDATES + 120
"""So many settings are tried at the most, those for the days held out among them."""


class TuneModel(StepModel):
    """Tunes one camera; parameters as StepModel."""

    def __init__(self, model: CameraModel, session: Session) -> None:
        super().__init__(model, session)
        self.miss_cost = float(MISSED_WEIGHT)
        self.unseen = False
        self.found: Tuned | None = None
        for signal in (model.judgements_changed, model.evidence_changed, model.installed_changed):
            signal.connect(self._forget)

    def _forget(self) -> None:
        """What was found stood on other evidence."""
        self.jobs.cancel()
        self.found = None
        self.changed.emit()

    def search(self) -> bool:
        """Search, off the interface thread; gives False while a search is under way."""
        model, evidence = self.model, self.model.evidence
        installed = model.camera.under(model.camera.installed)
        drawn = model.draft.detection.zones
        others = [("zones of the draft", drawn)] if drawn and drawn != installed.settings.detection.zones else []
        cost, scales, unseen = Cost(miss=self.miss_cost), self.model.scales, self.unseen

        def work(token: Token, report: Report) -> tuple[object, Tuned]:
            meter = Meter(ABOUT, report)

            def tried(count: int) -> None:
                token.check()
                meter.at(min(count, ABOUT), "Trying settings")

            return evidence, tune(
                evidence, installed, others=others, cost=cost, scales=scales, unseen=unseen, tried=tried
            )

        return self.jobs.start("Tuning", work, self._take_in)

    def _take_in(self, result: tuple[object, Tuned]) -> None:
        """Show what was found, unless the evidence changed meanwhile."""
        evidence, found = result
        if evidence is self.model.evidence:
            self.found = found
            self.changed.emit()

    def try_out(self, candidate: Candidate | None) -> None:
        """Score some settings beside the installed ones without keeping them; None ends that."""
        self.model.preview(self.model.camera.draft if candidate is None else candidate.settings)

    def take(self, settings: Settings, what: str) -> None:
        """Make settings the draft; can be undone."""
        self.model.change_draft(settings, what)
