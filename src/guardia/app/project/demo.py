"""The demo project of Tern Quay, opened as a copy of one's own."""

from __future__ import annotations

import shutil
from importlib.resources import files
from pathlib import Path

from guardia.core.base.errors import ProjectError
from guardia.store.media_folder import FOLDER as MEDIA
from guardia.store.project import FILE_NAME


def own_demo(home: Path) -> Path:
    """The demo as a project of one's own, copied from the shipped one at the first start.

    Parameters
    ----------
    home
        Folder for the program's data.

    Returns
    -------
    Path
        The project's folder.

    Raises
    ------
    ProjectError
        If it cannot be copied.
    """
    target = home / "tern-quay"
    if (target / FILE_NAME).exists():
        return target
    with_parts = home / "tern-quay.part"
    shipped = Path(str(files("guardia") / "data" / "demo"))
    try:
        shutil.rmtree(with_parts, ignore_errors=True)
        (with_parts / MEDIA).mkdir(parents=True)
        shutil.copyfile(shipped / FILE_NAME, with_parts / FILE_NAME)
        for clip in (shipped / MEDIA).iterdir():
            shutil.copyfile(clip, with_parts / MEDIA / clip.name)
        with_parts.rename(target)
    except OSError as error:
        raise ProjectError(
            f"The demo cannot be copied to {home} ({error.strerror}).",
            do="Check that you may write there and the disk has 20 MB free.",
        ) from error
    return target
