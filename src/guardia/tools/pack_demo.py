"""Packs a built demo project into the one file that ships."""

from __future__ import annotations

import zipfile
from pathlib import Path

from guardia.store.media_folder import FOLDER as MEDIA
from guardia.store.project import FILE_NAME, Project

EPOCH = (2026, 9, 21, 0, 0, 0)
"""All entries bear this date, so that the same project packs to the same bytes."""


def pack_demo(project: Path, target: Path) -> int:
    """Pack a project.

    Args:
        project: Its folder; nobody has it open.
        target: The zip to write: the database deflated, clips and their still pictures as they are. The key pictures of
            occurrences are left out: they are drawn from the clips when they are first to be shown.

    Returns:
        Number of files in it.
    """
    with Project(project) as opened:
        drawn = opened.occurrences.picture_names()
    names = [FILE_NAME, *sorted(f"{MEDIA}/{p.name}" for p in (project / MEDIA).iterdir() if p.name not in drawn)]
    with zipfile.ZipFile(target, "w") as packed:
        for name in names:
            entry = zipfile.ZipInfo(name, EPOCH)
            entry.compress_type = zipfile.ZIP_DEFLATED if name == FILE_NAME else zipfile.ZIP_STORED
            entry.external_attr = 0o644 << 16
            packed.writestr(entry, (project / name).read_bytes())
    return len(names)
