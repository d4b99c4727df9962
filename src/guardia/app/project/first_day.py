"""A project from what was dropped on the window: its site, its cameras and their clips; the make is asked last."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any, NamedTuple

from guardia.app.camera.makes import unsaid_settings
from guardia.app.intake.from_folder import FoundCameras, cameras_in, free_folder
from guardia.core.make.capability import Capability, capability_from_dict
from guardia.core.make.described import Menus, make_of
from guardia.store.project import made_whole
from guardia.store.records import Site

NO_MAKE = "Make not known"


class Begun(NamedTuple):
    """A project that was made."""

    folder: Path
    """Its folder."""
    found: FoundCameras
    """What was found in the files."""
    cameras: tuple[int, ...]
    """Numbers of its cameras, in the order of `found`."""


def unknown_make() -> dict[str, Any]:
    """JSON form of the make of a camera while nobody said what it is: everything is assumed."""
    return make_of(Menus(NO_MAKE))


def is_unknown(make: Capability) -> bool:
    """Whether nobody said yet of which make a camera is."""
    return make.id == str(unknown_make()["id"])


def begin_from(paths: Sequence[Path], *, above: Path, time_zone: str, name_of: Callable[[str], str]) -> Begun:
    """Make a project for what was dropped; no clip is read yet.

    Args:
        paths: Files and folders.
        above: The folder in which the project's own is made.
        time_zone: IANA name of this machine's.
        name_of: Makes a folder's name from the site's.

    Returns:
        The project.

    Raises:
        InvalidValue: If there is no clip, or a name cannot be used.
        ProjectError: If the folder cannot be made.
    """
    found = cameras_in(paths)
    data = unknown_make()
    settings = unsaid_settings(capability_from_dict(data))
    folder = free_folder(above, name_of(found.site) or "site")
    with made_whole(folder, Site(found.site, time_zone)) as project:
        cameras = tuple(project.cameras.add(name, data, settings) for name in found.cameras)
    return Begun(folder, found, cameras)
