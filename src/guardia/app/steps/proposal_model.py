"""The view-model of zones on offer: a proposal, or drawn zones in the make's form; sought off the interface thread."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.session import Session
from guardia.app.steps.step_model import StepModel
from guardia.app.work.jobs import Report, Token
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability
from guardia.core.make.convert_zones import convert, known_notches, loss
from guardia.core.make.settings import Settings, drawn_zones, entered_zones, zone_limits_broken
from guardia.core.make.zones import BlockZone, PolygonZone, Zone, ZoneKind, zone_cells
from guardia.core.score.score import score
from guardia.core.tuning.fit_zones import fit
from guardia.core.tuning.propose import Effect, Proposal, difference, propose


@dataclass(frozen=True, eq=False)
class Offer:
    """Zones that can be taken, in steps."""

    what: str
    """What taking them does, for the history."""
    words: str
    """What they would do, what they would lose first of all."""
    steps: tuple[tuple[Zone, ...], ...]
    """All zones of the draft after each step."""


class ProposalModel(StepModel):
    """Seeks zones for a camera's draft; parameters as StepModel."""

    def __init__(self, model: CameraModel, session: Session) -> None:
        super().__init__(model, session)
        self.offer: Offer | None = None
        model.draft_changed.connect(self.drop)
        model.judgements_changed.connect(self.drop)

    def seek(self) -> bool:
        """Seek zones to ignore; gives False while another search is under way."""
        evidence, draft, capability = self.model.evidence, self.model.draft, self.model.camera.capability
        asked, anchor = len(self.model.comparison.draft.false_recorded), self.model.anchor

        def work(token: Token, _report: Report) -> Offer:
            own = anchor.own(Candidate(draft, capability))
            proposal = propose(evidence, own, check=token.check)
            steps = tuple(fit(evidence, proposal.ignored, own, check=token.check))
            words = _proposal_words(proposal, capability)
            if steps:
                after = draft.with_values(zones=steps[-1])
                before, then = (anchor.replay(Candidate(s, capability)) for s in (draft, after))
                done, left = difference(evidence, before, then), len(score(evidence, then).false_recorded)
                words = (
                    f"{_kept_words(done)} {_form_words(draft, after)} leaves {left} of {asked} false "
                    f"recordings{_added_words(done)}. {words}"
                )
            elif not asked:
                words = "The draft records no occurrence that was judged false: there is nothing to leave out."
            elif capability.ignore_zones and len(drawn_zones(draft)) >= capability.max_zones:
                words = f"All {capability.max_zones} zones that this make takes are in use: delete one first. {words}"
            else:
                words = f"In this make's form nothing can be left out without losing something real. {words}"
            return Offer("take proposed zones", words, steps)

        return self.jobs.start("Seeking zones", work, lambda offer: self._take_in(offer, draft), of_values=True)

    def convert(self, zones: tuple[Zone, ...], what: str) -> bool:
        """Bring zones into the make's form; gives False while another search is under way."""
        evidence, draft, capability = self.model.evidence, self.model.draft, self.model.camera.capability
        grid, anchor = self.model.grid, self.model.anchor

        def work(token: Token, _report: Report) -> Offer:
            converted = convert(zones, capability, grid=grid)
            token.check()
            cells = loss(zones, converted, grid=grid)
            drawn = draft.with_values(zones=known_notches(zones, capability))
            entered = draft.with_values(zones=converted)
            done = difference(evidence, *(anchor.replay(Candidate(s, capability)) for s in (drawn, entered)))
            token.check()
            words = (
                f"{f'Loses {len(done.lost)} real. ' if done.lost else ''}In this make's form {cells.no_longer} of "
                f"{grid.cells} cells are no longer watched and {cells.besides} are watched besides. Against the "
                f"zones as drawn, {len(done.lost)} real are lost and {len(done.found)} found, {len(done.silenced)} "
                f"false no longer recorded and {len(done.added)} added."
            )
            if left := zone_limits_broken(entered, capability):
                words += f" Privacy masks are not changed: {' '.join(left)}"
            return Offer(what, words, (converted,))

        return self.jobs.start("Fitting zones", work, lambda offer: self._take_in(offer, draft), of_values=True)

    def _take_in(self, offer: Offer, draft: Settings) -> None:
        """Offer what was found, unless the draft that it was sought for has changed meanwhile."""
        if self.model.draft == draft:
            self.offer = offer
            self.changed.emit()
        else:
            self._messages.tell("The draft changed while zones were sought, so what was found was dropped. Seek again.")

    def left_out(self, steps: int) -> NDArray[np.bool_]:
        """(rows, columns) cells that the draft watches and its zones after the first steps do not."""
        grid, offer = self.model.grid, self.offer
        cells = [
            zone_cells(entered_zones(self.model.draft.with_values(zones=z), self.model.camera.capability),
                       grid=grid)
            for z in (self.model.draft.detection.zones, offer.steps[steps - 1] if offer else ())
        ]  # fmt: skip
        return cells[0] & ~cells[1]

    def take(self, steps: int) -> None:
        """Take the first steps into the draft; can be undone."""
        offer = self.offer
        if offer is not None and 0 < steps <= len(offer.steps):
            self.model.change_draft(self.model.draft.with_values(zones=offer.steps[steps - 1]), offer.what)

    def drop(self) -> None:
        """Forget the offer: it was made for another draft, or is not wanted."""
        if self.offer is not None:
            self.offer = None
            self.changed.emit()


def _form_words(before: Settings, after: Settings) -> str:
    """What is proposed, in words that a sentence can begin with."""
    added = [z for z in after.detection.zones if z not in before.detection.zones]
    if any(isinstance(z, BlockZone) for z in added):
        return "Switching blocks off"
    watched = [z for z in added if isinstance(z, PolygonZone) and z.kind is ZoneKind.WATCH]
    zones = f"{len(added)} {'zone' if len(added) == 1 else 'zones'}"
    return f"Watching {zones} only, blind outside," if watched else f"Ignoring {zones}"


def _proposal_words(proposal: Proposal, capability: Capability) -> str:
    """What the best cells or blocks would do."""
    cells = "The best blocks" if capability.zone_form == "blocks" else "Freely chosen cells, which no outline follows,"
    best = "none silences more by these rules (proven)"
    done = proposal.done
    if proposal.by_replay:
        best = f"{proposal.by_replay} of them beyond the rules, as replays show that nothing real is lost"
    elif not proposal.proven and not done.lost and len(done.silenced) == proposal.bound:
        best = "none leave out more by these rules (proven), though fewer might do"
    elif not proposal.proven:
        best = f"not settled in time: by these rules at most {proposal.bound} can be left out"
    lost = f", and lose {len(done.lost)} real in the pause after another recording" if done.lost else ""
    return f"{cells} would leave out {done.fewer} by the model alone{_added_words(done)}, {best}{lost}."


def _kept_words(done: Effect) -> str:
    """What becomes of what is real: the first thing that is said."""
    if done.lost:
        return f"Loses {len(done.lost)} real."
    late = f", but {len(done.late)} would be late or cut that are whole now" if done.late else ""
    return f"Keeps every real occurrence{late}."


def _added_words(done: Effect) -> str:
    """A change may also let something false in, which a rest or a running recording swallowed before."""
    return f" ({len(done.silenced)} no longer recorded, {len(done.added)} newly recorded)" if done.added else ""
