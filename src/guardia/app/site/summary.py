"""What Round and the portfolio tell of a camera, kept in the project so that its evidence need not be read for it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from datetime import date, datetime
from typing import Any

from pydantic import TypeAdapter, ValidationError

from guardia import __version__
from guardia.app.camera.advice import next_action
from guardia.app.camera.camera_model import CameraModel
from guardia.core.base.distances import shown_distances
from guardia.core.prove.due import Due, due_of
from guardia.core.prove.next_action import trouble
from guardia.core.score.met import Met, met_words
from guardia.store.project import Project


def today_here() -> date:
    """This day where the program runs."""
    return datetime.now().astimezone().date()


@dataclass(frozen=True)
class Summary:
    """One camera in a line."""

    name: str
    """Its name."""
    patrol: int
    """Its place on the round, 0 while nobody said."""
    false_alerts: tuple[float, float, float] | None
    """False alerts a day under the installed settings with their interval (95 %); None without a rate."""
    missed: int
    """Real occurrences that are missed."""
    real: int
    """All real ones."""
    unjudged: int
    """Occurrences that are not judged."""
    step: str
    """Id of the step of the next action."""
    action: str
    """The next action."""
    why: str
    """Its reason."""
    trouble: tuple[float, float]
    """How much care it needs, as core.prove.next_action.trouble()."""
    met: str = ""
    """How much of what it is for is met; empty while nobody said."""
    unmet: int = 0
    """How many things that are asked of it are not met."""
    due: tuple[tuple[str, str, str], ...] = ()
    """What is due: date (ISO 8601), what, why."""

    @property
    def dues(self) -> list[Due]:
        """What is due."""
        return [Due(self.name, what, date.fromisoformat(on), why, self.patrol) for on, what, why in self.due]


_FORM = TypeAdapter(Summary)


def summary_of(model: CameraModel) -> Summary:
    """The line of a camera whose evidence is read."""
    score, camera, action = model.comparison.installed, model.camera, next_action(model)
    interval, alerts = score.false_alerts_per_day_interval, score.false_alerts_per_day
    rate = None if alerts is None or interval is None else (alerts, *interval)
    dues = due_of(camera.name, model.comparison.installed_replay, camera.about.patrol)
    return Summary(
        camera.name, camera.about.patrol, rate, len(score.real_missed), score.real,
        sum(not o.kind for o in model.evidence.occurrences),
        action.step, action.text, action.why, trouble(score, model.met[0]), met_words(model.met[0]),
        sum(line.met is Met.NO for line in model.met[0]),
        tuple((d.on.isoformat(), d.what, d.why) for d in dues),
    )  # fmt: skip


def _key(project: Project, camera_id: int) -> str:
    """What a line is based on: what is known of the camera, the program, and the day, since dates come due."""
    return f"{__version__} {today_here()} {shown_distances()} {project.camera_key(camera_id)}"


def keep_summary(project: Project, camera_id: int, summary: Summary) -> None:
    """Keep a camera's line with what it rests on."""
    project.things.keep_summary(camera_id, {"key": _key(project, camera_id), **asdict(summary)})


def kept_summaries(project: Project) -> dict[int, tuple[Summary, bool]]:
    """Kept lines by the camera's number, each with whether it still rests on what is there."""
    known = {}
    for camera_id, body in project.things.summaries().items():
        summary = summary_from(body)
        if summary is not None:
            known[camera_id] = (summary, body.get("key") == _key(project, camera_id))
    return known


def summary_from(body: Mapping[str, Any]) -> Summary | None:
    """A kept line; None where it is none."""
    try:
        return _FORM.validate_python({name: value for name, value in body.items() if name != "key"})
    except ValidationError:
        return None  # it is worked out anew
