"""Which cameras some files and folders are of, before there is a project: by folder, by name, or one."""

from __future__ import annotations

import os
import re
from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

from guardia.app.intake.import_plan import STILL_SUFFIXES, VIDEO_SUFFIXES, find_files
from guardia.core.base.errors import InvalidValue
from guardia.core.base.values import LONGEST_NAME
from guardia.core.evidence.clock import time_in_name

_TIME = re.compile(r"[\W_]*\d{4,}.*$")
"""From the first number that is long enough for a date or a running number to the end of a name."""

_DATE = re.compile(r"[\d\W_]+")
MOST_CAMERAS = 40
"""More names than this are running numbers, not cameras."""


class FoundCameras(NamedTuple):
    """What some files and folders seem to hold."""

    site: str
    """A name for the site: that of the folder."""
    rule: str
    """How clips find their camera, one of import_plan.RULES."""
    cameras: tuple[str, ...]
    """Names of the cameras, at least one, in order."""
    clips: int
    """How many clips there are."""


def cameras_in(paths: Sequence[Path]) -> FoundCameras:
    """See of which cameras files are.

    Args:
        paths: Files and folders, as they were dropped.

    Returns:
        By folder where folders beneath are named like cameras (a date is no camera), by the beginning of file names
        where those differ, else one camera.

    Raises:
        InvalidValue: If there is no clip among them.
    """
    files = [f for f in find_files(paths, VIDEO_SUFFIXES | STILL_SUFFIXES) if f.suffix.lower() in VIDEO_SUFFIXES]
    if not files:
        names = ", ".join(path.name for path in paths[:3])
        raise InvalidValue(
            f"There is no clip in {names}.", kept="Nothing was made.", do="Drop a folder with videos, or videos."
        )
    roots = [path for path in paths if path.is_dir()]
    root = roots[0] if roots else files[0].parent
    site = _words(root.resolve().name) or "my site"
    above = [_camera_folder(file, roots) for file in files]
    named = Counter(name for name in above if name)
    if len(named) >= 2 and len(named) <= MOST_CAMERAS and all(above):
        return FoundCameras(site, "folder", tuple(sorted(named)), len(files))
    begins = Counter(_beginning(file.stem) for file in files)
    if 2 <= len(begins) <= MOST_CAMERAS and "" not in begins and _timed(files):
        return FoundCameras(site, "name", tuple(sorted(begins)), len(files))
    (only,) = named if len(named) == 1 and all(above) else ("",)
    alone = next(iter(begins)) if len(begins) == 1 and _timed(files) else ""
    return FoundCameras(site, "one", (only or alone or site,), len(files))


def _camera_folder(file: Path, roots: Sequence[Path]) -> str:
    """The highest folder between a root and a file that could be named after a camera; empty where there is none."""
    root = next((root for root in roots if file.is_relative_to(root)), None)
    between = file.relative_to(root).parts[:-1] if root is not None else ()
    return next((part for part in between if not _DATE.fullmatch(part)), "")


def _beginning(stem: str) -> str:
    return _words(_TIME.sub("", stem))


def _timed(files: Sequence[Path]) -> bool:
    """Whether names bear times, so that what stands before them is not a title of its own."""
    return sum(time_in_name(file.name) is not None for file in files) * 2 > len(files)


def _words(name: str) -> str:
    readable = name.encode("utf-8", "replace").decode()  # a name may hold bytes that are no text
    words = " ".join(re.split(r"[\s_.]+", readable.strip(" _-."))).strip()[:LONGEST_NAME]
    return words if any(c.isalnum() for c in words) else ""


def free_folder(above: Path, name: str) -> Path:
    """A folder of this name that is not there yet, else with a number behind.

    Args:
        above: Where it is made.
        name: As it should be called.

    Returns:
        The folder; it is not made.
    """
    tried, number = above / name, 1
    while os.path.lexists(tried):
        number += 1
        tried = above / f"{name}-{number}"
    return tried
