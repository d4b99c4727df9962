"""The demo project of Tern Quay, unpacked as a copy of one's own."""

from __future__ import annotations

import shutil
import zipfile
from hashlib import sha256
from importlib.resources import as_file, files
from pathlib import Path

from guardia.app.camera.makes import capability_data
from guardia.core.base.errors import ProjectError
from guardia.store.media_folder import FOLDER as MEDIA
from guardia.store.project import FILE_NAME, Project

PLACE = ("data", "demo")
"""The folder in the package with its packs."""

SUMS = "SHA256SUMS"
"""The file there with the names and digests of the packs, as sha256sum writes them."""

MOST_BYTES = 30_000_000
"""A pack holds a tenth of this; what claims more is damaged."""


def own_demo(home: Path) -> Path:
    """The demo as a project of one's own, unpacked from the shipped packs at the first start.

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
    from guardia.benchcam.tern_quay_purposes import enter_purposes  # slow to import, and needed only once

    part = home / "tern-quay.part"
    try:
        shutil.rmtree(part, ignore_errors=True)
        unpack_demo(part)
        with Project(part) as project:
            for camera in project.cameras.all():
                # The packs may be older than what ships of its makes.
                project.cameras.set_make(camera.id, capability_data(camera.capability.id))
            enter_purposes(project)
        for backup in part.glob(f"{Path(FILE_NAME).stem}.before-schema-*"):
            backup.unlink()  # the packs can be unpacked again
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
        shipped = files("guardia").joinpath(*PLACE)
        for line in shipped.joinpath(SUMS).read_text("ascii").splitlines():
            digest, _, name = line.partition("  ")
            with as_file(shipped.joinpath(name)) as pack:
                if sha256(pack.read_bytes()).hexdigest() != digest:
                    raise _damaged(f"its file {name} is not the one that was shipped")
                _unpack(pack, folder)
    except FileNotFoundError as error:
        raise _damaged(f"its file {Path(error.filename or '').name} is missing") from error
    except (zipfile.BadZipFile, EOFError) as error:
        raise _damaged(str(error)) from error


def _unpack(pack: Path, folder: Path) -> None:
    """Unpack one pack, unless it would write elsewhere or without end."""
    with zipfile.ZipFile(pack) as packed:
        entries = packed.infolist()
        if not all(_known(e.filename) for e in entries) or sum(e.file_size for e in entries) > MOST_BYTES:
            raise _damaged(f"its file {pack.name} holds what it should not")
        packed.extractall(folder)


def _damaged(why: str) -> ProjectError:
    return ProjectError(f"The shipped demo is damaged: {why}.", do="Install Guardia again.")


def _known(name: str) -> bool:
    """Whether a name in the packed demo stays in the project's folder."""
    folder, _, file = name.rpartition("/")
    return name == FILE_NAME or (folder == MEDIA and bool(file) and "\\" not in file and not file.startswith("."))
