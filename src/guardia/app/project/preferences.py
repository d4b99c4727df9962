"""What the program remembers of the person's ways: colours, sizes, folders, projects opened last."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

from platformdirs import user_documents_dir

from guardia.core.base.distances import Distances
from guardia.core.base.errors import ProjectError
from guardia.formats.plain import can_be_called, save_file

VERSION = 1
FILE_NAME = "preferences.json"
KEPT_PROJECTS = 9
TEXT_SIZES = (90, 100, 110, 125, 150)
"""Sizes of text to choose from, per cent of the usual one."""


@dataclass(frozen=True)
class Preferences:
    """The remembered values."""

    version: int = VERSION
    """Of this form."""
    dark: bool = False
    """Dark colours."""
    text_percent: int = 100
    """Size of all text, of the usual one."""
    distances: str = Distances.METRES.value
    """Units of distances, a value of Distances."""
    reminders: bool = False
    """Whether what is due is told when a project is opened."""
    width: int = 1280
    """Of the window, pixels."""
    height: int = 800
    """Of the window, pixels."""
    maximised: bool = False
    """The window fills the screen; width and height are those that it has otherwise."""
    new_projects: str = ""
    """Folder in which the folders of new projects are made; empty for one in the documents."""
    recent: tuple[str, ...] = ()
    """Folders of projects, the one opened last first."""
    cluster: str = ""
    """Address of the dask scheduler that measures, empty for this machine."""

    def with_project(self, folder: Path) -> Preferences:
        """The same with a project opened last."""
        name = str(folder)
        return replace(self, recent=(name, *(r for r in self.recent if r != name))[:KEPT_PROJECTS])

    @property
    def above_projects(self) -> Path:
        """Folder in which the folders of new projects are made."""
        return Path(self.new_projects) if self.new_projects else Path(user_documents_dir()) / "Guardia"

    def with_text(self, steps: int) -> Preferences:
        """The same with text so many steps larger, or smaller, as far as there are steps."""
        nearest = min(range(len(TEXT_SIZES)), key=lambda n: abs(TEXT_SIZES[n] - self.text_percent))
        return replace(self, text_percent=TEXT_SIZES[min(max(0, nearest + steps), len(TEXT_SIZES) - 1)])


def _is_size(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and 200 <= value <= 16000


_CHECKS: dict[str, Callable[[Any], bool]] = {
    "version": lambda v: v == VERSION,
    "dark": lambda v: isinstance(v, bool),
    "text_percent": lambda v: v in TEXT_SIZES and not isinstance(v, bool),
    "distances": lambda v: v in list(Distances),
    "reminders": lambda v: isinstance(v, bool),
    "maximised": lambda v: isinstance(v, bool),
    "new_projects": lambda v: v == "" or (isinstance(v, str) and v.startswith("/") and can_be_called(v)),
    "width": _is_size,
    "height": _is_size,
    "cluster": lambda v: isinstance(v, str) and len(v) <= 200,
    "recent": lambda v: isinstance(v, list) and all(isinstance(r, str) for r in v),
}


def load_preferences(folder: Path) -> tuple[Preferences, list[str]]:
    """Read the preferences; a value that cannot be used falls back alone.

    Args:
        folder: The program's data folder.

    Returns:
        The preferences, and one sentence for each value that was set back.
    """
    path = folder / FILE_NAME
    try:
        data = json.loads(path.read_text("utf-8"))
    except FileNotFoundError:
        return Preferences(), []
    except (OSError, ValueError, RecursionError):
        data = None
    if not isinstance(data, dict):
        return Preferences(), [f"The remembered preferences in {path} cannot be read; the usual ones are used."]
    good = {name: data[name] for name, check in _CHECKS.items() if name in data and check(data[name])}
    warnings = [
        f"The remembered '{name}' cannot be used and was set back to the usual one."
        for name in _CHECKS
        if name in data and name not in good
    ]
    if "recent" in good:
        good["recent"] = tuple(good["recent"][:KEPT_PROJECTS])
    return Preferences(**good), warnings


def save_preferences(preferences: Preferences, folder: Path) -> bool:
    """Keep the preferences, whole or not at all; gives False when the disk refuses, which loses nothing else."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        save_file(folder / FILE_NAME, json.dumps(asdict(preferences), indent=2), "Preferences")
    except (OSError, ProjectError):
        return False
    return True
