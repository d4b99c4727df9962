"""The view-model of the step Set up: what is written down of a camera, and its commissioning list."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import replace
from itertools import groupby
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from guardia.app.camera.camera_model import CameraModel
from guardia.app.steps.step_model import StepModel
from guardia.core.base.errors import ProjectError
from guardia.core.prove.commission import Item, Tick, commissioning
from guardia.formats.plain import save_file
from guardia.store.records import About

if TYPE_CHECKING:
    from guardia.app.project.session import Session


class ChecklistLine(NamedTuple):
    """An item of the list as it stands."""

    item: Item
    """The item."""
    mark: Tick
    """What somebody said of it."""
    by: str
    """By whom and when, empty while nobody did."""

    @property
    def settled(self) -> bool:
        """Whether nothing is to be done: ticked and not contradicted, verified, or not here."""
        if self.item.verified is False:
            return False
        return self.mark is not Tick.OPEN or self.item.verified is True


class SetupModel(StepModel):
    """Sets one camera up; parameters as StepModel."""

    def __init__(self, model: CameraModel, session: Session) -> None:
        super().__init__(model, session)
        self.who = ""
        self._known: tuple[tuple[object, ...], list[Item]] | None = None
        self.looking = self.latest()
        self.looking.changed.connect(self.changed)
        for signal in (model.comparison_changed, model.facts_changed):
            signal.connect(self.changed)

    @property
    def about(self) -> About:
        """What is written down of the camera."""
        return self.model.camera.about

    def write_down(self, serial: str, manual: str, keys_kept: str, patrol: int, firmware: str, housing: str) -> None:
        """Keep serial number, where manual and keys are, the place on the round, firmware, what shares its housing."""
        self.model.facts.set_about(
            replace(
                self.about, serial=serial, manual=manual, keys_kept=keys_kept, patrol=patrol, firmware=firmware,
                housing=housing,
            )
        )  # fmt: skip

    def misfits(self) -> list[str] | None:
        """What does not fit on what the camera hangs on; None where nothing is entered."""
        units, camera_id = self._session.units, self.model.camera.id
        return units.misfits(camera_id) if units.words_of(camera_id) else None

    def hangs_on(self) -> str:
        """Names of what the camera hangs on."""
        return ", ".join(self._session.units.words_of(self.model.camera.id))

    @property
    def current_a(self) -> float | None:
        """The current that it draws, where it is typed in."""
        return self.model.evidence.storage.facts.get("current")

    def set_current(self, amperes: float) -> None:
        """Type in the current that it draws; 0 where it is not known."""
        if (amperes or None) != self.current_a:
            self._session.storage.set_fact(self.model.camera.id, "current", amperes or None)

    def lines(self) -> list[ChecklistLine]:
        """The list in the order of the work."""
        checked = self.model.facts.checked()
        lines = []
        for item in self._items():
            known = checked.get(item.id)
            mark = Tick(known.state) if known is not None and known.state in list(Tick) else Tick.OPEN
            by = f"{known.who or 'somebody'}, {self._session.local_time(known.at_s):%Y-%m-%d %H:%M}" if known else ""
            lines.append(ChecklistLine(item, mark, by))
        return lines

    def _items(self) -> list[Item]:
        """The list without its ticks, which is worked out again only where what it is based on changed."""
        model = self.model
        evidence, camera, replay = model.evidence, model.camera, model.comparison.installed_replay
        looks, misfits = self.looking.ask(evidence.clips, model.pictures.facts_job()), self.misfits()
        size = model.pictures.picture_size()
        based_on = (evidence, replay, camera.capability, camera.clock_error_s, size, looks, misfits)
        if self._known is None or self._known[0] != based_on:
            items = commissioning(
                evidence, camera.capability, replay, clock_error_s=camera.clock_error_s, picture=size, looks=looks,
                misfits=misfits,
            )  # fmt: skip
            self._known = (based_on, items)
        return self._known[1]

    def mark(self, item: str, mark: Tick) -> None:
        """Say that an item is done, not done, or does not apply."""
        self.model.facts.check(item, mark.value, self.who.strip(), time.time())

    @staticmethod
    def words(lines: Sequence[ChecklistLine]) -> str:
        """How far a list is, and what comes next."""
        left = [line for line in lines if not line.settled]
        wrong = [line for line in lines if line.item.verified is False]
        head = f"{len(lines) - len(left)} of {len(lines)} done or verified."
        if wrong:
            return f"{head} Contradicted by evidence: {wrong[0].item.text}. {wrong[0].item.found.rstrip('.')}."
        return f"{head} Next: {left[0].item.text}." if left else f"{head} This camera is set up."

    def save(self, path: Path) -> None:
        """Save the list as a paper to tick."""
        sections = []
        for stage, own in groupby(self.lines(), key=lambda line: line.item.stage):
            rows = []
            for line in own:
                notes = [f"because {line.item.reason}", line.item.caution, line.item.found, line.by]
                done = {Tick.DONE: "[done] ", Tick.NOT_HERE: "[does not apply] "}.get(line.mark, "")
                rows.append((f"{done}{line.item.text}", "; ".join(n for n in notes if n)))
            sections.append((stage.capitalize(), rows))
        title = f"Setting up: {self.model.camera.name}"
        subtitle = f"{self._session.site.name}, {self.model.camera.capability.name}. No password belongs on this paper."
        from guardia.report.paper import list_pdf  # slow to import, and needed only here

        try:
            paper = list_pdf(title, subtitle, sections, "Done by ____________________    on ____________")
            save_file(path, paper, "The list")
        except ProjectError as error:
            self._messages.tell_error(error)
        else:
            self._messages.tell(f"The list was saved to {path}.")
