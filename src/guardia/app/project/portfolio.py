"""Several sites side by side: a folder of projects as one list, from what each project keeps of its cameras."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import date
from pathlib import Path

from guardia.app.site.summary import Summary, summary_from
from guardia.core.base.errors import GuardiaError
from guardia.core.base.words import count_of
from guardia.store.peek import peek
from guardia.store.project import FILE_NAME

DEEPEST = 3
"""So many folders beneath the one that is named are looked into."""


@dataclass(frozen=True)
class SiteSummary:
    """One project in the list."""

    folder: Path
    """Its folder."""
    name: str
    """Of the site; of the folder where it cannot be read."""
    cameras: int = 0
    """How many."""
    lines: tuple[Summary, ...] = ()
    """What is known of them; fewer than cameras where some were never worked out."""
    trouble: str = ""
    """Why it cannot be read; empty where it can."""

    @property
    def worst(self) -> Summary | None:
        """The camera that needs care most."""
        return max(self.lines, key=lambda line: line.trouble, default=None)

    @property
    def care(self) -> float:
        """How much care the site needs: that of its worst camera; what cannot be read comes first."""
        worst = self.worst
        return float("inf") if self.trouble else worst.trouble[0] if worst is not None else 0.0

    def overdue(self, today: date) -> int:
        """Dates past today."""
        return sum(due.on < today for line in self.lines for due in line.dues)

    @property
    def asked(self) -> int:
        """Cameras of which it is said what they are for."""
        return sum(bool(line.met) for line in self.lines)

    @property
    def unmet(self) -> int:
        """Of them those that do not do all of it."""
        return sum(line.unmet > 0 for line in self.lines)

    @property
    def words(self) -> str:
        """The next thing to do there."""
        if self.trouble:
            return self.trouble
        missing = self.cameras - len(self.lines)
        if missing:
            return f"{count_of(missing, 'camera')} not worked out yet: open it once."
        worst = self.worst
        return f"{worst.name}: {worst.action} ({worst.why})" if worst is not None else "No camera yet."


def projects_in(folder: Path) -> Iterator[Path]:
    """Folders of projects in a folder, not following links."""

    def walk(at: Path, depth: int) -> Iterator[Path]:
        if (at / FILE_NAME).is_file():
            yield at
            return
        if depth == DEEPEST:
            return
        try:
            inside = sorted(child for child in at.iterdir() if child.is_dir() and not child.is_symlink())
        except OSError:
            return
        for child in inside:
            yield from walk(child, depth + 1)

    yield from walk(folder, 0)


def portfolio(folder: Path) -> list[SiteSummary]:
    """All projects in a folder, those first that need care most.

    Args:
        folder: Looked into three folders deep.

    Returns:
        A project that cannot be read is in it, with the reason.
    """
    sites = []
    for one in projects_in(folder):
        try:
            seen = peek(one)
        except GuardiaError as error:
            sites.append(SiteSummary(one, one.name, trouble=str(error)))
            continue
        lines = [line for number, body in seen.summaries.items()
                 if number in seen.cameras and (line := summary_from(body)) is not None]  # fmt: skip
        sites.append(SiteSummary(one, seen.site, len(seen.cameras), tuple(lines)))
    return sorted(sites, key=lambda site: (-site.care, site.name))
