"""How much of people shows in a camera's pictures, measured once for all its steps, off the interface thread."""

from __future__ import annotations

from typing import TYPE_CHECKING

from guardia.app.camera.camera_model import CameraModel
from guardia.app.steps.step_model import StepModel
from guardia.core.score.reach import THINGS, Shown, reach_m, shown_shares
from guardia.core.tuning.scale import telling_walk
from guardia.core.view.geometry import ViewGeometry

if TYPE_CHECKING:
    from guardia.app.project.session import Session


class PeopleModel(StepModel):
    """Follows the judged people of one camera; `changed` when they are measured. Parameters as StepModel."""

    def __init__(self, model: CameraModel, session: Session) -> None:
        super().__init__(model, session)
        self._measuring = self.latest()
        self._measuring.changed.connect(self.changed)

    def shown(self, view: ViewGeometry) -> tuple[Shown, Shown] | None:
        """How much of them shows by day and in the dark; None until they are followed, which takes up to a second."""
        evidence = self.model.evidence

        def measure() -> tuple[Shown, Shown]:
            return shown_shares(evidence, view, dark=False), shown_shares(evidence, view, dark=True)

        found: tuple[Shown, Shown] | None = self._measuring.ask((evidence, view), measure)
        return found

    def telling_walk(self, notch: str, *, dark: bool) -> str:
        """Which walk test would tell most of what a level means on this camera, by day or at night.

        How far away is left out while the view is not known, and until people are measured.
        """
        model, known = self.model, self.model.camera.view
        scale = next(s for s in model.scales if s.label == notch)
        both = None if known is None else self.shown(known.view)
        if known is None or both is None:
            return telling_walk(scale)
        nominal = model.camera.capability.notch(notch)
        at_m = reach_m(
            known.view, THINGS[0], contrast=nominal.contrast, size=min(1.0, nominal.size * scale.factor), across=True,
            shown=both[dark], lamp_m=known.lamp_m if dark else None,
        )  # fmt: skip
        return telling_walk(scale, at_m=at_m or None)
