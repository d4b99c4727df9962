"""Entries of a project that cannot be read: listed, saved as they stand, deleted on purpose."""

from __future__ import annotations

import json
from collections.abc import Sequence
from pathlib import Path

from guardia.core.base.errors import InvalidValue
from guardia.formats.plain import save_file
from guardia.store.project import Project
from guardia.store.rows import WHAT, Damaged


class DamagedEntries:
    """What is set aside in a project; only what was saved is ever deleted.

    Args:
        project: The project.
        found: What its damaged() gives.
    """

    def __init__(self, project: Project, found: Sequence[Damaged]) -> None:
        self._project = project
        self._found = found
        self._saved: dict[Damaged, list[dict[str, object]]] = {}

    @property
    def lines(self) -> list[tuple[str, str, str]]:
        """Of each: what it is, its number there, and why it cannot be read."""
        return [(WHAT[one.table], str(one.number), one.why) for one in self._found]

    @property
    def can_delete(self) -> bool:
        """Whether some were saved and not deleted."""
        return bool(self._saved)

    def save(self, path: Path) -> None:
        """Save them as JSON, each with those that mean nothing without it, as they stand in the project.

        Args:
            path: The file.

        Raises:
            ProjectError: If it cannot be written.
        """
        rows = {one: self._project.damaged_rows(one) for one in self._found}
        entries = [{"what": str(one), "rows": rows[one]} for one in rows]
        save_file(
            path,
            json.dumps(entries, indent=2, ensure_ascii=False) + "\n",
            "The damaged entries",
            kept="Nothing was deleted.",
        )
        self._saved = rows

    def delete(self) -> int:
        """Delete those that are as they were saved; gives how many, and looks through the project anew."""
        number = self._project.delete_damaged(self._saved)
        self._saved, self._found = {}, self._project.damaged()
        return number


def damaged_entries(folder: Path, *, save: Path | None, delete: bool) -> tuple[list[tuple[str, str, str]], int, int]:
    """Without a window: the damaged entries of a project, saved and deleted if asked.

    Args:
        folder: The project's.
        save: A file they are saved to.
        delete: Delete them then.

    Returns:
        The lines of those found, how many were deleted, and how many clips now wait to be measured again.

    Raises:
        InvalidValue: If they are to be deleted and not saved.
        ProjectError: If the project cannot be read, or the file not written.
    """
    if delete and save is None:
        raise InvalidValue(
            "Damaged entries are deleted only once they are saved.", kept="Nothing was changed.", do="Add --save FILE."
        )
    with Project(folder) as project:
        entries = DamagedEntries(project, project.damaged())
        found = entries.lines
        if save is not None:
            entries.save(save)
        return found, entries.delete() if delete else 0, project.measurements.outdated()
