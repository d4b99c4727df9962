"""The view-model of the step Purpose: says what a camera is for, and shows whether it is met."""

from __future__ import annotations

import time
from dataclasses import replace
from typing import TYPE_CHECKING, Any, Literal, NamedTuple

from guardia.app.camera.camera_model import CameraModel
from guardia.app.steps.polygon_tool import DrawMode, PolygonTool
from guardia.app.steps.step_model import StepModel
from guardia.app.work.messages import Severity
from guardia.core.base.errors import InvalidValue
from guardia.core.hours.plan import WeekPlan
from guardia.core.make.zones import PolygonZone, Zone, ZoneKind
from guardia.core.purpose.patterns import AT_NIGHT, BY_DAY, OUT_OF_HOURS, PATTERN_OF, begun
from guardia.core.purpose.purpose import MOST_CORNERS, Purpose, Wanted
from guardia.core.score.met import Line, met_words

if TYPE_CHECKING:
    from guardia.app.project.session import Session

Part = Literal["record", "alert"]


class AskedLine(NamedTuple):
    """One thing that is asked, under both settings."""

    installed: Line
    """As the camera is set."""
    draft: Line
    """As the draft would set it."""


class PurposeModel(StepModel):
    """What one camera is for; parameters as StepModel."""

    def __init__(self, model: CameraModel, session: Session) -> None:
        super().__init__(model, session)
        self.tool = PolygonTool(
            preview=lambda _zones: None,
            commit=self._draw,
            refuse=lambda why: session.messages.tell(why, Severity.WARNING),
            max_corners=MOST_CORNERS,
            max_zones=1,
        )
        for signal in (model.purpose_changed, model.comparison_changed):
            signal.connect(self.changed)

    @property
    def purpose(self) -> Purpose | None:
        """What is asked of the camera now; None while nobody said."""
        return self.model.evidence.purpose

    def begin(self, pattern: str) -> None:
        """Ask what a pattern asks; the part of the picture that is drawn stays."""
        asked = begun(PATTERN_OF[pattern], self.model.camera.capability)
        self._keep(replace(asked, area=self.purpose.area if self.purpose else ()))

    def ask(self, **values: Any) -> bool:
        """Change some values; False, and nothing changes, where they cannot be asked, which is told."""
        try:
            self._keep(replace(self.purpose or Purpose(), **values))
        except InvalidValue as error:
            self._messages.tell_error(error)
            self.changed.emit()
            return False
        return True

    def ask_of(self, part: Part, **values: Any) -> bool:
        """The same of what is recorded, or alerted."""
        return self.ask(**{part: replace(self.wanted(part), **values)})

    def wanted(self, part: Part) -> Wanted:
        """What must be recorded, or alerted."""
        purpose = self.purpose or Purpose()
        return purpose.record if part == "record" else purpose.alert

    def want(self, part: Part, kind: str, *, wanted: bool) -> None:
        """Ask for a kind, or no longer."""
        kinds = self.wanted(part).kinds
        self.ask_of(part, kinds=(*kinds, kind) if wanted else tuple(k for k in kinds if k != kind))

    def ask_nothing(self) -> None:
        """Ask nothing of the camera any more."""
        self._keep(None)

    def _keep(self, purpose: Purpose | None) -> None:
        self.model.facts.set_purpose(purpose, time.time())

    def begin_drawing(self) -> None:
        """Draw the part of the picture that matters, in place of the one drawn before."""
        self.tool.set_zones(())
        self.tool.set_mode(DrawMode.WATCH)

    def take_area(self) -> None:
        """Show the part that is kept, unless it is being drawn."""
        area = self.purpose.area if self.purpose else ()
        if not self.tool.in_gesture and self.tool.mode is DrawMode.SELECT:
            self.tool.set_zones((PolygonZone(ZoneKind.WATCH, area),) if area else ())

    def _draw(self, zones: tuple[Zone, ...], _what: str) -> None:
        """Keep what was drawn; what is asked holds there from now on, as far as it held anywhere."""
        self.tool.set_mode(DrawMode.SELECT)
        area = zones[0].points if zones and isinstance(zones[0], PolygonZone) else ()
        parts = {}
        if bool(area) != bool(self.purpose and self.purpose.area):
            parts = {name: replace(self.wanted(name), in_part=bool(area)) for name in ("record", "alert")}
        self.ask(area=area, **parts)

    def hours(self, part: Part) -> list[tuple[str, WeekPlan | None]]:
        """Hours to choose from, by their words: usual ones, those of the draft, and those that are asked."""
        draft = self.model.draft.hours
        usual = (
            ("always", None), ("at night", AT_NIGHT), ("by day", BY_DAY), ("out of hours", OUT_OF_HOURS),
            ("as it records", draft.recording_plan), ("as it alerts", draft.alert_plan),
        )  # fmt: skip
        chosen = self.wanted(part).hours
        several: dict[WeekPlan | None, str] = {}
        for words, plan in usual:
            several.setdefault(plan, words)
        if chosen is not None:
            several.setdefault(chosen, "its own hours")
        return [(words, plan) for plan, words in several.items()]

    @property
    def lines(self) -> list[AskedLine]:
        """What is asked, met or not."""
        return [AskedLine(old, new) for old, new in zip(*self.model.met, strict=True)]

    @property
    def words(self) -> str:
        """How much is met, and since when it is asked."""
        installed, draft = self.model.met
        if not installed:
            return "Choose what this camera is for, then correct it. Everything it records is judged by that."
        old, new = met_words(installed), met_words(draft)
        since = self.model.facts.purposes()
        at = f"Asked since {self._session.local_time(since[-1].from_s):%d %b %Y %H:%M}. " if since else ""
        return f"{at}Installed: {old}." + (f" Draft: {new}." if new != old else "")

    def history(self) -> list[tuple[str, Purpose | None]]:
        """What was asked when, newest first: words, and the purpose."""
        entries = []
        for asked in reversed(self.model.facts.purposes()):
            pattern = PATTERN_OF.get(asked.purpose.pattern) if asked.purpose is not None else None
            name = pattern.name if pattern is not None else "of its own" if asked.purpose is not None else "nothing"
            entries.append((f"{self._session.local_time(asked.from_s):%d %b %Y %H:%M}: {name}", asked.purpose))
        return entries

    def ask_again(self, purpose: Purpose | None) -> None:
        """Ask what was asked before."""
        self._keep(purpose)
