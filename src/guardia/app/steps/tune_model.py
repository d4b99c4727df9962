"""The view-model of the step Tune: searches better settings for a camera and offers them."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.bench_week import simulated_place
from guardia.app.steps.step_model import StepModel
from guardia.app.work.jobs import Meter, Token
from guardia.core.evidence.clips import Visit
from guardia.core.make.candidate import Candidate
from guardia.core.make.settings import Settings
from guardia.core.prove.next_action import MISSED_WEIGHT
from guardia.core.replay.gates import Outcome
from guardia.core.score.candidates import disagreements
from guardia.core.score.price import price_of, price_words
from guardia.core.tuning.check import Coming, coming
from guardia.core.tuning.days import Counts
from guardia.core.tuning.search import MOST_CANDIDATES
from guardia.core.tuning.trials import Cost
from guardia.core.tuning.tune import Tuned, tune

if TYPE_CHECKING:
    from guardia.app.project.session import Session

MOST_TRIED_ON = 2
"""So many points of the trade-off, those clicked last, are compared by occurrence."""

ABOUT = MOST_CANDIDATES + 120
"""So many settings are tried at the most, those for the days held out among them."""


class TuneModel(StepModel):
    """Tunes one camera; parameters as StepModel."""

    def __init__(self, model: CameraModel, session: Session) -> None:
        super().__init__(model, session)
        self.miss_cost = float(MISSED_WEIGHT)
        self.kind_cost: dict[str, float] = {}
        self.unseen = False
        self._tried_on: list[Candidate] = []
        self.comparing, self.expecting = self.latest(), self.latest()
        self.found: Tuned | None = None
        self.so_far: list[Counts] = []
        """What each of the settings tried does, the installed ones first, while a search is under way."""
        self.jobs.progressed.connect(self._note)
        self.jobs.finished.connect(self.so_far.clear)
        for signal in (
            model.judgements_changed, model.evidence_changed, model.installed_changed, model.purpose_changed,
        ):  # fmt: skip
            signal.connect(self._forget)

    def _forget(self) -> None:
        """What was found stood on other evidence."""
        self.jobs.cancel()
        self.found = None
        self._tried_on = []
        self.changed.emit()

    def search(self) -> bool:
        """Search, off the interface thread; gives False while a search is under way."""
        model, evidence = self.model, self.model.evidence
        installed = model.camera.under(model.camera.installed)
        draft = model.draft
        cost = Cost(miss=self.miss_cost, by_kind=dict(self.kind_cost))
        unseen = self.unseen

        def work(token: Token, report: Callable[[Any], None]) -> tuple[object, Tuned]:
            meter = Meter(ABOUT, report)

            def tried(count: int) -> None:
                token.check()
                meter.at(min(count, ABOUT), "Trying settings")

            return evidence, tune(evidence, installed, draft=draft, cost=cost, unseen=unseen, tried=tried, found=report)

        return self.jobs.start("Tuning", work, self._take_in, of_values=True)

    def _note(self, told: object) -> None:
        if isinstance(told, Counts):
            self.so_far.append(told)

    def _take_in(self, result: tuple[object, Tuned]) -> None:
        """Show what was found, unless the evidence changed meanwhile."""
        evidence, found = result
        if evidence is self.model.evidence:
            self.found = found
            self._tried_on = []
            self.changed.emit()

    def try_out(self, candidate: Candidate | None) -> None:
        """Score some settings beside the installed ones without keeping them; None ends that."""
        self.model.preview(self.model.camera.draft if candidate is None else candidate.settings)
        if candidate is not None:
            self._tried_on = [*(c for c in self._tried_on if c != candidate), candidate][-MOST_TRIED_ON:]

    def cost_words(self, candidate: Candidate | None) -> str:
        """What settings cost in time recorded, store and battery against the installed ones; empty where nothing."""
        if candidate is None:
            return ""
        installed, tried = (self.model.replay_of(s) for s in (self.model.camera.installed, candidate.settings))
        return price_words(price_of(installed), price_of(tried, installed))

    def columns(self) -> list[tuple[str, Candidate]]:
        """The settings that are compared by occurrence, by their words: none twice."""
        camera = self.model.camera
        several = [("installed", camera.under(camera.installed)), ("draft", camera.under(camera.draft))]
        if self.found is not None:
            several.append(("chosen", self.found.chosen))
        several += [(f"point {n}", candidate) for n, candidate in enumerate(self._tried_on, start=1)]
        first: dict[Candidate, str] = {}
        for words, candidate in several:
            first.setdefault(candidate, words)
        return [(words, candidate) for candidate, words in first.items()]

    def compared(self) -> list[tuple[Visit, tuple[Outcome, ...]]] | None:
        """What those settings do not treat alike; None until it is worked out."""
        evidence, several = self.model.evidence, tuple(candidate for _, candidate in self.columns())
        anchor = self.model.anchor
        rows: list[tuple[Visit, tuple[Outcome, ...]]] | None = self.comparing.ask(
            (evidence, several), lambda: disagreements(evidence, [anchor.replay(c) for c in several])
        )
        return rows

    def next_week(self) -> tuple[tuple[Coming, ...], ...] | None:
        """What a week is expected to bring, installed and draft; None until it is worked out."""
        evidence, camera = self.model.evidence, self.model.camera
        both = tuple(camera.under(settings) for settings in (camera.installed, self.model.draft))
        anchor = self.model.anchor
        known: tuple[tuple[Coming, ...], ...] | None = self.expecting.ask(
            (evidence, both), lambda: tuple(coming(evidence, anchor.replay(candidate)) for candidate in both)
        )
        return known

    @property
    def simulated(self) -> bool:
        """Whether the camera is a simulated one, which can run another week at once."""
        return simulated_place(self._session.site.name, self.model.camera.name) is not None

    def run_week(self) -> bool:
        """Enter the draft on the simulated camera and let it run a week; False while something is brought in."""
        return self._session.intake.run_week(self.model.camera.id)

    def take(self, settings: Settings, what: str) -> None:
        """Make settings the draft; can be undone."""
        self.model.change_draft(settings, what)
