"""What one's own cameras showed of their makes' scales, kept in the person's own folder and sent to nobody.

It holds, per camera, how likely each factor is by what was seen, and no picture, no place and no name: cameras are told
apart by a digest.
"""

from __future__ import annotations

import hashlib
import json
import math
import os
from collections.abc import Collection, Iterable, Mapping
from contextlib import suppress
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import TypeAdapter, ValidationError

from guardia.app.camera.camera_model import CameraModel
from guardia.app.project.bench_week import simulated_place
from guardia.app.project.session import Session
from guardia.core.base.errors import GuardiaError, InvalidValue
from guardia.core.make.capability import Capability, Taught, capability_from_dict
from guardia.core.replay.factor import GRID, Seen, shown_by
from guardia.core.replay.pool import pooled
from guardia.core.replay.seen import seen_by
from guardia.formats.plain import read_json, save_file
from guardia.store.project import Project

FILE_NAME = "scales.json"
FORMAT = "guardia-scales"
VERSION = 1

LEAST_SEEN = 3
"""A camera of which less was seen teaches nothing."""


@dataclass(frozen=True)
class OwnScale:
    """What one camera showed."""

    make: str
    """Id of the make, and a digest of its levels: with others the same factor means something else."""
    name: str
    """The make's name."""
    seen: int
    """How many things told."""
    logs: tuple[float, ...]
    """Natural logarithm of how likely each factor of the grid is, 0 at its largest."""


Scales = dict[str, OwnScale]
"""By the digest of site and camera."""

_FORM = TypeAdapter(Scales)


def make_key(make: Capability) -> str:
    """What two cameras must have in common to teach each other."""
    levels = [(n.label, n.contrast, n.size) for n in make.notches]
    return f"{make.id}:{hashlib.sha256(json.dumps(levels).encode()).hexdigest()[:12]}"


def camera_key(site: str, camera: str) -> str:
    """What a camera is known by: the names of site and camera, as a digest."""
    return hashlib.sha256(f"{site}\n{camera}".encode()).hexdigest()[:16]


def scales_from(path: Path) -> Scales:
    """Read such a file; raises InvalidValue if it cannot be read or is none."""
    data = read_json(path, "What other cameras taught")
    if not isinstance(data, dict) or data.get("format") != FORMAT or data.get("version") != VERSION:
        raise InvalidValue(f"{path.name} is no list of scales.", do=f"Its format is '{FORMAT}', version {VERSION}.")
    try:
        scales = _FORM.validate_python(data.get("cameras"))
    except ValidationError as error:
        raise InvalidValue(f"{path.name} cannot be used: {error.errors()[0]['msg']}.") from error
    for scale in scales.values():
        if len(scale.logs) != len(GRID) or not all(math.isfinite(x) and x <= 0 for x in scale.logs):
            raise InvalidValue(f"{path.name} cannot be used: a scale has {len(GRID)} figures, none above 0.")
    return scales


def own_scales(home: Path) -> Scales:
    """What is kept in the person's own folder; nothing where it cannot be read, and that file is put aside."""
    path = home / FILE_NAME
    try:
        return scales_from(path) if path.exists() else {}
    except InvalidValue:
        with suppress(OSError):
            os.replace(path, path.with_suffix(".damaged.json"))
        return {}


def write_scales(path: Path, scales: Mapping[str, OwnScale]) -> None:
    """Write such a file, whole or not at all; raises ProjectError where the disk refuses."""
    data = {"format": FORMAT, "version": VERSION, "cameras": {key: asdict(one) for key, one in scales.items()}}
    with suppress(OSError):  # if its folder cannot be made, the file cannot be written, which is told
        path.parent.mkdir(parents=True, exist_ok=True)
    save_file(path, json.dumps(data, indent=1), "What your cameras taught")


def _shown(seen: list[Seen], make: Capability) -> OwnScale | None:
    if len(seen) < LEAST_SEEN:
        return None
    logs = tuple(round(float(x), 2) for x in shown_by(seen, make))
    return OwnScale(make_key(make), make.name, len(seen), logs)


def learn(home: Path, project: Project) -> int:
    """Keep what every camera of a project showed; gives how many did. Simulated cameras teach nothing."""
    site, found = project.site().name, {}
    for camera in project.cameras.all():
        if simulated_place(site, camera.name) is None:
            evidence = project.evidence(camera.id)
            found[camera_key(site, camera.name)] = _shown(seen_by(evidence, camera.capability), camera.capability)
    return _keep(home, found)


def learn_open(home: Path, site: str, models: Iterable[CameraModel]) -> int:
    """The same of cameras that are open."""
    found = {
        camera_key(site, m.camera.name): _shown(m.seen, m.camera.capability)
        for m in models
        if simulated_place(site, m.camera.name) is None
    }
    return _keep(home, found)


def learn_at_close(home: Path, session: Session) -> None:
    """Keep what the cameras that were open showed; a full disk loses nothing else."""
    with suppress(GuardiaError):
        learn_open(home, session.site.name, session.cameras.opened.values())


def _keep(home: Path, found: Mapping[str, OwnScale | None]) -> int:
    known = {key: one for key, one in found.items() if one is not None}
    before = own_scales(home)
    if known and before | known != before:
        write_scales(home / FILE_NAME, before | known)
    return len(known)


def taught_to(scales: Mapping[str, OwnScale], make: Capability, *, without: Collection[str] = ()) -> Taught | None:
    """What the cameras of a make teach, some of them left out: no camera teaches itself."""
    mine = make_key(make)
    shown = [np.array(one.logs) for key, one in scales.items() if one.make == mine and key not in without]
    return pooled(shown, make)


def by_make(scales: Mapping[str, OwnScale]) -> list[tuple[str, int, int]]:
    """Per make its name, how many cameras of it showed something and how many things they showed."""
    makes: dict[str, list[OwnScale]] = {}
    for one in scales.values():
        makes.setdefault(one.make, []).append(one)
    return sorted((of[0].name, len(of), sum(one.seen for one in of)) for of in makes.values())


def with_taught(data: Mapping[str, Any], taught: Taught | None) -> dict[str, Any]:
    """JSON form of a make with what other cameras of it teach."""
    plain = {name: value for name, value in data.items() if name != "taught"}
    return plain | ({} if taught is None else {"taught": asdict(taught)})


def for_new_camera(home: Path, data: Mapping[str, Any]) -> dict[str, Any]:
    """JSON form of a make for a new camera, which starts from what the person's other cameras of it showed."""
    return with_taught(data, taught_to(own_scales(home), capability_from_dict(data)))


def use(home: Path, project: Project) -> list[tuple[str, Taught | None]]:
    """Let every camera of a project start from what the person's other cameras of its make showed.

    Args:
        home: The person's own folder.
        project: Whose cameras' makes are changed.

    Returns:
        Each camera's name and what it is taught.
    """
    scales, site, used = own_scales(home), project.site().name, []
    for camera in project.cameras.all():
        data = project.cameras.make(camera.id)
        taught = taught_to(scales, capability_from_dict(data), without={camera_key(site, camera.name)})
        if with_taught(data, taught) != data:
            project.cameras.set_make(camera.id, with_taught(data, taught))
        used.append((camera.name, taught))
    return used
