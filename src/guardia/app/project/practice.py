"""Practice: a week of a scene nobody has seen, tuned by hand, and then held against the truth of the week after."""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from datetime import UTC, datetime
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any
from zoneinfo import ZoneInfo

from pydantic import TypeAdapter, ValidationError

from guardia.app.camera.makes import capability_data
from guardia.app.project.bench_week import DAY_S, WEEK, on_all_cores, record_days, take_in_days
from guardia.app.work.jobs import Progress, Report, Token
from guardia.core.base.errors import InvalidValue, ProjectError
from guardia.core.evidence.evidence import Evidence
from guardia.core.make.candidate import Candidate
from guardia.core.make.capability import Capability, capability_from_dict
from guardia.core.make.settings import Settings
from guardia.core.purpose.judgement import Verdict, kind_of
from guardia.core.purpose.purpose import UNSAID, Asked, Purpose
from guardia.core.tuning.practice import Week, reached, with_step_of
from guardia.core.tuning.tune import tune
from guardia.store.project import Project
from guardia.store.records import Site

if TYPE_CHECKING:
    from guardia.benchcam.live import Truth
    from guardia.benchcam.practice import Level
    from guardia.benchcam.tern_quay import Scene

FILE = "practice.json"
RESULTS = "practice.jsonl"
SITE = "Practice"
MISS_COST = 5.0
"""What a miss costs in practice, a false recording costing 1: as Tune begins with."""

MOST_TRIED = 8
"""So many of the settings that tuning finds under the true judgements are run on the week after."""


@dataclass(frozen=True)
class Result:
    """What a practice came to."""

    at: str
    """When, ISO 8601 with its offset."""
    level: int
    """Number of the level."""
    seed: int
    """Of the scene."""
    camera: str
    """The place."""
    installed: tuple[int, int]
    """False alerts and real ones lost under the settings at the beginning, in the week after."""
    own: tuple[int, int]
    """Those of the settings chosen by hand."""
    best: tuple[int, int]
    """Those of the best known settings of this make."""
    real: int
    """Real events in that week."""
    reached: float
    """Share of the possible gain that was reached."""
    steps: tuple[tuple[str, float], ...]
    """What taking one step of the work from the best settings would have saved, by its words, most first."""
    judged: int
    """Occurrences that were judged."""
    judged_right: int
    """Of them those whose judgement agrees with the truth in real or false."""


_RESULT = TypeAdapter(Result)


def level_of(number: int) -> Level:
    """A level by its number; raises InvalidValue if there is none."""
    from guardia.benchcam.practice import LEVELS  # slow to import, and needed only here

    level = next((known for known in LEVELS if known.number == number), None)
    if level is None:
        raise InvalidValue(f"There is no level {number}.", do=f"Choose one from 1 to {len(LEVELS)}.")
    return level


def new_scene(folder: Path, level: int, seed: int, *, token: Token, progress: Report, days: int = WEEK.days) -> Path:
    """Let the simulated camera record days of an unseen scene, and make a project of them.

    Args:
        folder: The project's folder; must not exist yet.
        level: Number of the level.
        seed: At least 0: which scene.
        token: To stop it; nothing is left behind then.
        progress: Told how far it is.
        days: So many days.

    Returns:
        The folder.

    Raises:
        Cancelled: If it was stopped.
        InvalidValue: If there is no such level or seed.
        ProjectError: If the project cannot be made.
    """
    from guardia.benchcam.practice import left_by_the_installer
    from guardia.benchcam.record import read_truth
    from guardia.benchcam.tern_quay import FIRST_DAY, LATITUDE, LONGITUDE, TIME_ZONE
    from guardia.benchcam.tern_quay_purposes import purpose_of

    level_of(level)
    if not 0 <= seed <= 99_999:
        raise InvalidValue(f"{seed} is no number of a scene.", do="Choose one from 0 to 99999.")
    if folder.exists():
        kept = "It was not changed."
        raise ProjectError(f"There is a folder {folder} already.", kept=kept, do="Choose another name.")
    scene = partial(_scene, level, seed)
    place = scene().place
    data = capability_data(place.installed.capability)
    make = capability_from_dict(data)
    settings = left_by_the_installer(make, seed)
    try:
        with (
            tempfile.TemporaryDirectory(prefix="guardia-practice-") as name,
            Project(folder, create=True, site=Site(SITE, TIME_ZONE, LATITUDE, LONGITUDE)) as project,
        ):
            camera = project.cameras.add(place.name, data, settings)
            project.things.set_purposes(camera, [Asked(FIRST_DAY.timestamp(), purpose_of(place.name, make))])
            recorded = record_days(
                scene, Candidate(settings, make), Path(name), days=days, token=token, progress=progress
            )
            span = (FIRST_DAY, FIRST_DAY + days * (WEEK / WEEK.days))
            take_in_days(project, camera, recorded, span, token=token, progress=progress)
            truth = {clip: events for one in recorded for clip, events in read_truth(one / "truth.jsonl").items()}
            about = {"version": 1, "level": level, "seed": seed, "days": days, "truth": truth}
            (folder / FILE).write_text(json.dumps(about), "utf-8")
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    return folder


def is_practice(folder: Path) -> bool:
    """Whether a project is one to practise on."""
    return (folder / FILE).is_file()


def finish(folder: Path, *, token: Token, progress: Report) -> Result:
    """Run the settings chosen by hand on the days after, beside those of the beginning and better ones.

    Args:
        folder: A project made by new_scene().
        token: To stop it.
        progress: Told how far it is.

    Returns:
        The same whenever it is asked for the same draft.

    Raises:
        Cancelled: If it was stopped.
        ProjectError: If the folder holds no practice.
    """
    from guardia.benchcam.record import true_kinds

    about = _about(folder)
    with Project(folder) as project:
        camera = next(iter(project.cameras.all()))
        evidence = project.evidence(camera.id)
    kinds = true_kinds(evidence, about["truth"])
    progress(Progress(0, 1, "Seeking the best settings", None))

    def tried(_count: int) -> None:
        token.check()

    installed = camera.under(camera.installed)
    as_it_was = evidence.with_occurrences([replace(o, kind=kinds.get(o.id, o.kind)) for o in evidence.occurrences])
    tuned = tune(as_it_was, installed, tried=tried, unseen=True)
    found = [tuned.chosen.settings, *(p.candidate.settings for p in tuned.points if p.best)]
    several = list(dict.fromkeys([camera.installed, camera.draft, *found]))[: MOST_TRIED + 2]
    scene = partial(_scene, about["level"], about["seed"])
    purpose = evidence.purpose or UNSAID
    run = partial(_weeks, scene, camera.capability, about["days"], purpose, token=token, progress=progress)
    weeks = dict(zip(several, run(several), strict=True))
    real = len(weeks[camera.installed][1])
    best = min(several, key=lambda s: weeks[s][0].cost(MISS_COST))
    swapped = with_step_of(camera.draft, best)
    others = [s for s in dict.fromkeys(swapped.values()) if s not in weeks]
    weeks |= dict(zip(others, run(others), strict=True)) if others else {}
    own = weeks[camera.draft][0].cost(MISS_COST)
    saved = sorted(
        ((words, own - weeks[s][0].cost(MISS_COST)) for words, s in swapped.items()), key=lambda s: (-s[1], s[0])
    )
    judged, right = _judged(evidence, kinds)
    counts = [(week.false, week.missed) for week, _ in (weeks[one] for one in (camera.installed, camera.draft, best))]
    return Result(
        datetime.now(UTC).astimezone(ZoneInfo(evidence.place.zone)).isoformat(timespec="seconds"),
        about["level"],
        about["seed"],
        camera.name,
        installed=counts[0],
        own=counts[1],
        best=counts[2],
        real=real,
        reached=reached(weeks[camera.installed][0].cost(MISS_COST), own, weeks[best][0].cost(MISS_COST)),
        steps=tuple((words, value) for words, value in saved if value > 0),
        judged=judged,
        judged_right=right,
    )


def _about(folder: Path) -> dict[str, Any]:
    try:
        about: dict[str, Any] = json.loads((folder / FILE).read_text("utf-8"))
        level_of(about["level"])
        return {name: about[name] for name in ("level", "seed", "days", "truth")}
    except (OSError, ValueError, KeyError, TypeError, RecursionError) as error:
        raise ProjectError(f"{folder} holds no practice.", do="Begin a new one.") from error


def _scene(level: int, seed: int) -> Scene:
    from guardia.benchcam.practice import practice_scene

    return practice_scene(level_of(level), seed)


def _judged(evidence: Evidence, kinds: dict[int, str]) -> tuple[int, int]:
    """Occurrences judged by hand, and those of them that the truth bears out in real or false."""
    pairs = [(kind_of(o.kind).verdict, kind_of(kinds[o.id]).verdict)
             for o in evidence.occurrences if o.kind and o.id in kinds]  # fmt: skip
    sure = [(mine, true) for mine, true in pairs if mine is not Verdict.UNSURE]
    return len(sure), sum(mine is true for mine, true in sure)


@dataclass(frozen=True)
class _Day:
    scene: partial[Scene]
    several: tuple[Settings, ...]
    capability: Capability
    number: int
    purpose: Purpose


def _run(day: _Day) -> list[Truth]:
    from guardia.benchcam.live import run

    low = day.number * DAY_S
    only = partial(_within, low, low + DAY_S)
    return run(day.scene(), day.several, day.capability, only=only, purpose=day.purpose)


def _within(low: float, high: float, at_s: float) -> bool:
    return low <= at_s < high


def _weeks(
    scene: partial[Scene],
    make: Capability,
    days: int,
    purpose: Purpose,
    several: Sequence[Settings],
    *,
    token: Token,
    progress: Report,
) -> list[tuple[Week, tuple[float, ...]]]:
    """What several settings do in the days after those that were recorded, with when something real began."""
    jobs = [_Day(scene, tuple(several), make, days + number, purpose) for number in range(days)]
    by_day: list[list[Truth]] = on_all_cores(_run, jobs, "Running the days after", token=token, progress=progress)
    return [
        (
            Week(sum(len(t.false_alerts_at) for t in truths), sum(len({*t.missed, *t.unalerted}) for t in truths)),
            tuple(at for t in truths for at in t.real),
        )
        for truths in zip(*by_day, strict=True)
    ]


def keep_result(home: Path, result: Result) -> None:
    """Add a result to those kept in the program's data folder; raises ProjectError if the disk refuses."""
    try:
        home.mkdir(parents=True, exist_ok=True)
        with (home / RESULTS).open("a", encoding="utf-8") as file:
            file.write(json.dumps(asdict(result)) + "\n")
            file.flush()
            os.fsync(file.fileno())
    except OSError as error:
        raise ProjectError(f"The result cannot be kept in {home} ({error.strerror}).") from error


def kept_results(home: Path) -> list[Result]:
    """All results kept, the oldest first; lines that are none are passed over."""
    results = []
    try:
        lines = (home / RESULTS).read_text("utf-8").splitlines()
    except (OSError, UnicodeDecodeError):
        return []
    for line in lines:
        try:
            results.append(_RESULT.validate_json(line))
        except ValidationError:
            continue
    return results


def result_lines(result: Result) -> list[str]:
    """A result in words, what matters first."""

    def counts(pair: tuple[int, int]) -> str:
        return f"{pair[0]} false alerts, {pair[1]} of {result.real} real ones lost"

    lines = [
        f"{result.reached:.0%} of the possible gain reached (level {result.level}, scene {result.seed}, "
        f"{result.camera}).",
        f"At the beginning: {counts(result.installed)}.",
        f"Your settings: {counts(result.own)}.",
        f"The best known: {counts(result.best)}.",
    ]
    lines += [f"Another choice in '{words}' would have saved {value:g}." for words, value in result.steps]
    if result.judged:
        lines.append(f"{result.judged_right} of {result.judged} judgements were right in real or false.")
    costs = f"a real one lost costs {MISS_COST:g}, a false alert 1"
    return [*lines, f"Counted in the days after, which nobody has seen; {costs}."]
