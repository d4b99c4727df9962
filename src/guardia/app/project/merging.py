"""Two copies of one project, judged apart, brought together: what the second knows and the first does not."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from enum import StrEnum
from pathlib import Path

from guardia.core.base.errors import InvalidValue
from guardia.core.base.words import count_of
from guardia.core.purpose.judgement import kind_of
from guardia.store.occurrences import KeptJudgement
from guardia.store.project import Project

NEAR_S = 0.05
"""Occurrences of the same clip that begin and end within this time are the same."""


class Keep(StrEnum):
    """Which judgement stays where the two differ."""

    LATER = "later"
    FIRST = "first"
    SECOND = "second"


@dataclass(frozen=True)
class Difference:
    """An occurrence that was judged differently."""

    camera: str
    """Name of the camera."""
    clip: str
    """Name of the clip."""
    at_s: float
    """Where in the clip it begins."""
    first: str
    """What the first project says, by whom."""
    second: str
    """What the second says."""
    kept: str
    """What stays."""

    @property
    def words(self) -> str:
        """It in one line."""
        return f"{self.camera}, {self.clip} at {self.at_s:.1f} s: {self.first} or {self.second}; kept {self.kept}."


@dataclass(frozen=True)
class Merged:
    """What merging did."""

    taken: int
    """Judgements taken from the second project."""
    differences: tuple[Difference, ...]
    """Where both had judged, and differently."""
    readings: int
    """Readings taken."""
    notes: tuple[str, ...]
    """What could not be matched, in sentences."""


def merge(first: Path, second: Path, *, keep: Keep = Keep.LATER) -> Merged:
    """Bring what a second copy of a project knows into the first; the second is not changed.

    Args:
        first: The project that is changed, in one transaction.
        second: The other copy.
        keep: Which judgement stays where they differ; the other goes into the logbook.

    Returns:
        What was taken, and the differences.

    Raises:
        InvalidValue: If both are one project, or no camera has the same name in both.
        ProjectError: If one cannot be opened or written.
    """
    if first.resolve() == second.resolve():
        raise InvalidValue("Both are the same project.", kept="Nothing was changed.", do="Name two copies.")
    with Project(first) as one, Project(second) as other:
        mine = {name: number for number, name in one.cameras.names().items()}
        theirs = {name: number for number, name in other.cameras.names().items()}
        common = sorted(mine.keys() & theirs.keys())
        if not common:
            raise InvalidValue("No camera has the same name in both.", kept="Nothing was changed.")
        taken, readings = 0, 0
        differences: list[Difference] = []
        notes = [
            f"'{name}' is only in {second.name}: nothing of it was taken." for name in sorted(theirs - mine.keys())
        ]
        with one.together():
            for name in common:
                count, differing, unmatched = _judgements(
                    one, mine[name], other.occurrences.judged(theirs[name]), name, keep
                )
                taken += count
                differences += differing
                notes += unmatched
                own, more = one.readings.of_camera(mine[name]), other.readings.of_camera(theirs[name])
                new = [r for r in more if r not in own]
                if new:
                    one.readings.set_of_camera(mine[name], sorted({*own, *new}, key=lambda r: (r.at_s, r.what)))
                    readings += len(new)
                for entry in other.logbook.of(theirs[name])[::-1]:
                    if all((e.at_s, e.what) != (entry.at_s, entry.what) for e in one.logbook.of(mine[name])):
                        one.logbook.add(mine[name], entry.what, entry.detail, at_s=entry.at_s)
                words = [d.words for d in differing]
                if count or words:
                    head = f"{count_of(count, 'judgement')} taken from {second.name}."
                    one.logbook.add(mine[name], "merged", "\n".join([head, *words]))
    return Merged(taken, tuple(differences), readings, tuple(notes))


def _judgements(
    project: Project, camera_id: int, theirs: Iterable[KeptJudgement], camera: str, keep: Keep
) -> tuple[int, list[Difference], list[str]]:
    by_clip: dict[str, list[KeptJudgement]] = {}
    for judged in project.occurrences.judged(camera_id):
        by_clip.setdefault(judged.digest, []).append(judged)
    taken: list[tuple[int, KeptJudgement]] = []
    differences, missing = [], 0
    for other in theirs:
        own = next((j for j in by_clip.get(other.digest, ()) if _same(j, other)), None)
        if own is None:
            missing += bool(other.kind)
            continue
        if own.at_s and own.at_s == other.undone_s:
            taken.append((own.id, other))  # what is said here was undone there
            continue
        if not other.kind or other.kind == own.kind or (other.at_s and other.at_s == own.undone_s):
            continue
        later = keep is Keep.LATER and other.at_s > own.at_s
        take = not own.kind or keep is Keep.SECOND or later
        if take:
            taken.append((own.id, other))
        if own.kind:
            said = kind_of((other if take else own).kind).text
            differences.append(Difference(camera, own.clip, own.start_s, _said(own), _said(other), said))
    project.occurrences.take(taken)
    notes = (
        [f"{camera}: {count_of(missing, 'judgement')} of clips or occurrences that this project does not have."]
        if missing
        else []
    )
    return len(taken), differences, notes


def _same(one: KeptJudgement, other: KeptJudgement) -> bool:
    return abs(one.start_s - other.start_s) <= NEAR_S and abs(one.end_s - other.end_s) <= NEAR_S


def _said(judged: KeptJudgement) -> str:
    when = f", {datetime.fromtimestamp(judged.at_s, UTC).astimezone():%Y-%m-%d %H:%M}" if judged.at_s else ""
    who = f" ({judged.by or 'somebody'}{when})"
    return f"{kind_of(judged.kind).text}{who}"
