"""The media folder of a project: plain files in one place, never through links.

A project may come from somebody else. A link in it could lead a write, or a look, to any file of the user's.
"""

from __future__ import annotations

import hashlib
import os
import tempfile
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

from guardia.core.base.errors import Cancelled, ProjectError

FOLDER = "media"
_PIECE_BYTES = 1 << 22


def refuse_links(folder: Path, names: tuple[str, ...]) -> None:
    """Refuse a project in which one of its own files or folders is a link to somewhere else.

    Args:
        folder: The project's folder.
        names: Files and folders in it that are written to.

    Raises:
        ProjectError: Naming the link.
    """
    for name in names:
        if (folder / name).is_symlink():
            raise ProjectError(
                f"'{name}' in {folder} is a link to another place; writing there could change a file of yours.",
                kept="Nothing was changed.",
                do="Copy the project with its contents instead of links, and open the copy.",
            )


class MediaFolder:
    """Clips and pictures of a project.

    Args:
        project: The project's folder.
    """

    def __init__(self, project: Path) -> None:
        self.path = project / FOLDER

    def file(self, name: str) -> Path | None:
        """A file by its name as the project has it; None when it is gone, a link, or its name leads elsewhere."""
        path = self.path / name
        plain = name and name == Path(name).name and name not in (".", "..")
        return path if plain and path.is_file() and not path.is_symlink() else None

    def read(self, name: str) -> bytes:
        """Content of a picture, empty if it is gone."""
        path = self.file(name)
        try:
            return path.read_bytes() if path is not None else b""
        except OSError:
            return b""

    def remove(self, name: str) -> None:
        """Delete a file if it is there and can be deleted."""
        path = self.file(name)
        if path is not None:
            with suppress(OSError):
                path.unlink()

    def write(self, name: str, content: bytes) -> None:
        """Write a picture, whole or not at all.

        Args:
            name: Its name.
            content: What to write.

        Raises:
            ProjectError: If it cannot be written; a file of that name stays as it was.
        """
        part = None
        try:
            # A new file under a name that nobody can foresee; what bears the final name is replaced, not followed.
            handle, part = tempfile.mkstemp(".part", dir=self.path)
            with os.fdopen(handle, "wb") as file:
                file.write(content)
            os.replace(part, self.path / name)
        except OSError as error:
            if part is not None:
                with suppress(OSError):
                    os.unlink(part)
            raise ProjectError(
                f"A picture cannot be written into the project ({error.strerror}).",
                kept="The clips measured before are kept.",
                do="Check the space on the disk, then import again: what is missing is measured then.",
            ) from error

    def take_in(self, source: Path, name_of: Callable[[str], str | None], stopped: Callable[[], bool]) -> str | None:
        """Copy a file into the folder, reading it once.

        Args:
            source: The file.
            name_of: Gives the copy's name from its SHA-256, None when it is not wanted.
            stopped: Asked between pieces; True ends the copy.

        Returns:
            The SHA-256 in hex, None when it was not wanted.

        Raises:
            OSError: If the copy fails; nothing is left behind then.
            Cancelled: If it was stopped; likewise.
        """
        handle, part = tempfile.mkstemp(".part", dir=self.path)
        digest = hashlib.sha256()
        try:
            with os.fdopen(handle, "wb") as write, source.open("rb") as read:
                while piece := read.read(_PIECE_BYTES):
                    if stopped():
                        raise Cancelled
                    digest.update(piece)
                    write.write(piece)
            name = name_of(digest.hexdigest())
            if name is None:
                os.unlink(part)
                return None
            os.replace(part, self.path / name)
        except BaseException:
            with suppress(OSError):
                os.unlink(part)
            raise
        return digest.hexdigest()
