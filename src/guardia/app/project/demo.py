"""The demo project of Tern Quay, unpacked as a copy of one's own."""

from __future__ import annotations

import shutil
import zipfile
from importlib.resources import as_file, files
from pathlib import Path

from guardia.app.camera.makes import capability_data
from guardia.benchcam.tern_quay_purposes import enter_purposes
from guardia.core.base.errors import ProjectError
from guardia.store.media_folder import FOLDER as MEDIA
from guardia.store.project import FILE_NAME, Project

PLACE = ("data", "demo.zip")
"""Where it lies in the package."""

MOST_BYTES = 200_000_000
"""The packed demo holds a tenth of this; what claims more is damaged."""


def own_demo(home: Path) -> Path:
    """The demo as a project of one's own, unpacked from the shipped file at the first start.

    Args:
        home: Folder for the program's data.

    Returns:
        The project's folder.

    Raises:
        ProjectError: If it cannot be unpacked.
    """
    target = home / "tern-quay"
    if (target / FILE_NAME).exists():
        return target
    part = home / "tern-quay.part"
    try:
        shutil.rmtree(part, ignore_errors=True)
        unpack_demo(part)
        with Project(part) as project:
            for camera in project.cameras.all():
                # The packed file may be older than what ships of its makes.
                project.cameras.set_make(camera.id, capability_data(camera.capability.id))
            enter_purposes(project)
        for backup in part.glob(f"{Path(FILE_NAME).stem}.before-schema-*"):
            backup.unlink()  # the packed file can be unpacked again
        part.rename(target)
    except OSError as error:
        raise ProjectError(
            f"The demo cannot be unpacked to {home} ({error.strerror}).",
            do="Check that you may write there and the disk has 30 MB free.",
        ) from error
    return target


def unpack_demo(folder: Path) -> None:
    """Unpack the shipped demo into a folder that does not exist yet.

    Args:
        folder: Made with its media folder.

    Raises:
        OSError: If it cannot be written.
        ProjectError: If the shipped file is damaged.
    """
    (folder / MEDIA).mkdir(parents=True)
    try:
        with as_file(files("guardia").joinpath(*PLACE)) as shipped, zipfile.ZipFile(shipped) as packed:
            entries = packed.infolist()
            sound = all(_known(entry.filename) for entry in entries)
            if not sound or sum(entry.file_size for entry in entries) > MOST_BYTES:
                raise ProjectError("The shipped demo is damaged.", do="Install Guardia again.")
            packed.extractall(folder)
    except (zipfile.BadZipFile, EOFError) as error:
        raise ProjectError(f"The shipped demo is damaged ({error}).", do="Install Guardia again.") from error


def _known(name: str) -> bool:
    """Whether a name in the packed demo stays in the project's folder."""
    folder, _, file = name.rpartition("/")
    return name == FILE_NAME or (folder == MEDIA and bool(file) and "\\" not in file and not file.startswith("."))
