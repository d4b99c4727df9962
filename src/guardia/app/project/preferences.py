"""What the program remembers of the person's ways: colours, window size, projects opened last."""

from __future__ import annotations

import json
import os
from collections.abc import Callable
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any

VERSION = 1
FILE_NAME = "preferences.json"
KEPT_PROJECTS = 5


@dataclass(frozen=True)
class Preferences:
    """The remembered values."""

    version: int = VERSION
    """Of this form."""
    dark: bool = False
    """Dark colours."""
    width: int = 1280
    """Of the window, pixels."""
    height: int = 800
    """Of the window, pixels."""
    recent: tuple[str, ...] = ()
    """Folders of projects, the one opened last first."""
    cluster: str = ""
    """Address of the dask scheduler that measures, empty for this machine."""

    def with_project(self, folder: Path) -> Preferences:
        """The same with a project opened last."""
        name = str(folder)
        return replace(self, recent=(name, *(r for r in self.recent if r != name))[:KEPT_PROJECTS])


def _is_size(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and 200 <= value <= 16000


_CHECKS: dict[str, Callable[[Any], bool]] = {
    "version": lambda v: v == VERSION,
    "dark": lambda v: isinstance(v, bool),
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
    part = folder / f"{FILE_NAME}.part"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        part.write_text(json.dumps(asdict(preferences), indent=2), "utf-8")
        os.replace(part, folder / FILE_NAME)
    except OSError:
        return False
    return True
