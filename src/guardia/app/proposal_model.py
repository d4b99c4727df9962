"""The view-model of a proposal of zones: sought off the interface thread, taken whole or in part."""

from __future__ import annotations

from dataclasses import dataclass, replace

from PyQt6.QtCore import QObject, pyqtSignal

from guardia.app.camera_model import CameraModel
from guardia.app.job_runner import JobRunner
from guardia.app.jobs import Report, Token
from guardia.app.session import Session
from guardia.core.fit_zones import fit
from guardia.core.propose import Proposal, difference, propose
from guardia.core.zones import Zone


@dataclass(frozen=True, eq=False)
class Offer:
    """A proposal and its steps in the make's form.

    Parameters
    ----------
    proposal
        The cells.
    steps
        All zones of the draft after each step.
    effects
        (false silenced, real lost) after each step.
    asked
        False occurrences that the draft recorded when it was sought.
    """

    proposal: Proposal
    steps: tuple[tuple[Zone, ...], ...]
    effects: tuple[tuple[int, int], ...]
    asked: int


class ProposalModel(QObject):
    """Seeks zones for a camera's draft.

    Parameters
    ----------
    model
        The camera.
    session
        The open project, which tells errors and stops the work when it is closed.
    """

    changed = pyqtSignal()

    def __init__(self, model: CameraModel, session: Session) -> None:
        super().__init__(model)
        self._model = model
        self.offer: Offer | None = None
        self.jobs = JobRunner(self)
        self.jobs.failed.connect(session.messages.tell_error)
        session.adopt(self.jobs)
        model.draft_changed.connect(self.drop)
        model.judgements_changed.connect(self.drop)

    def seek(self) -> bool:
        """Seek zones; gives False while it is under way."""
        evidence, draft, capability = self._model.evidence, self._model.draft, self._model.camera.capability
        asked = len(self._model.comparison.draft.false_recorded)

        def work(token: Token, _report: Report) -> Offer:
            proposal = propose(evidence, draft, capability)
            token.check()
            steps = fit(evidence, proposal.ignored, draft, capability)
            effects = []
            for zones in steps:
                token.check()
                silenced, lost = difference(evidence, draft, replace(draft, zones=zones), capability)
                effects.append((len(silenced), len(lost)))
            return Offer(proposal, tuple(steps), tuple(effects), asked)

        return self.jobs.start("Seeking zones", work, self._on_offer)

    def _on_offer(self, offer: Offer) -> None:
        self.offer = offer
        self.changed.emit()

    def words(self) -> str:
        """What the proposal would do, what it would lose first of all."""
        offer = self.offer
        if offer is None:
            return ""
        proposal = offer.proposal
        area = proposal.ignored.mean()
        proven = (
            "No smaller or better set of cells does it by these rules (proven)."
            if proposal.proven
            else f"At most {proposal.bound} could be silenced; the rest of the gap was not settled in time."
        )
        lost = f"Loses {len(proposal.lost)} real: they would fall into the rest after another recording. "
        told = (
            f"{lost if proposal.lost else 'Keeps every real occurrence. '}Ignoring {area:.0%} of the picture silences "
        )
        told += f"{len(proposal.silenced)} of {offer.asked} false recordings. {proven} "
        if not offer.steps:
            return f"{told}In this make's form no part of it silences anything without losing something real."
        silenced, missed = offer.effects[-1]
        count = len(offer.steps)
        return (
            f"{told}In this make's form ({count} {'step' if count == 1 else 'steps'}) it silences {silenced} and loses "
            f"{missed} real."
        )

    def take(self, steps: int) -> None:
        """Take the first steps into the draft; can be undone."""
        offer = self.offer
        if offer is not None and 0 < steps <= len(offer.steps):
            zones = offer.steps[steps - 1]
            self._model.change_draft(replace(self._model.draft, zones=zones), "take proposed zones")

    def drop(self) -> None:
        """Forget the proposal: it was made for another draft, or is not wanted."""
        if self.offer is not None:
            self.offer = None
            self.changed.emit()
