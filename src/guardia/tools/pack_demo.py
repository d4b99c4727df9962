"""Packs a built demo project into the one file that ships."""

from __future__ import annotations

import zipfile
from pathlib import Path

from guardia.store.media_folder import FOLDER as MEDIA
from guardia.store.project import FILE_NAME

EPOCH = (2026, 9, 21, 0, 0, 0)
"""All entries bear this date, so that the same project packs to the same bytes."""


def pack_demo(project: Path, target: Path) -> int:
    """Pack a project.

    Parameters
    ----------
    project
        Its folder; nobody has it open.
    target
        The zip to write: the database deflated, clips and pictures as they are.

    Returns
    -------
    int
        Number of files in it.
    """
    names = [FILE_NAME, *sorted(f"{MEDIA}/{path.name}" for path in (project / MEDIA).iterdir())]
    with zipfile.ZipFile(target, "w") as packed:
        for name in names:
            entry = zipfile.ZipInfo(name, EPOCH)
            entry.compress_type = zipfile.ZIP_DEFLATED if name == FILE_NAME else zipfile.ZIP_STORED
            entry.external_attr = 0o644 << 16
            packed.writestr(entry, (project / name).read_bytes())
    return len(names)
