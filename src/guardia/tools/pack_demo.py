"""Packs a built demo project into the files that ship: one of the project, some of each camera's clips."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Iterator
from hashlib import sha256
from pathlib import Path

from guardia.app.project.demo import SUMS
from guardia.core.base.errors import ProjectError
from guardia.store.media_folder import FOLDER as MEDIA
from guardia.store.project import FILE_NAME, Project

EPOCH = (2026, 9, 21, 0, 0, 0)
"""All entries bear this date, so that the same project packs to the same bytes."""

MOST_BYTES = 3_000_000
"""Of one file: a repository may keep larger ones elsewhere, and a plain clone then has no demo."""


def pack_demo(project: Path, target: Path) -> list[str]:
    """Pack a project.

    Args:
        project: Its folder; nobody has it open.
        target: The folder for the packs; packs in it are replaced. The database is deflated, clips and their still
            pictures lie as they are, by camera and in the order of time. The key pictures of occurrences are left out:
            they are drawn from the clips when they are first to be shown.

    Returns:
        Names of the packs.

    Raises:
        ProjectError: If the database alone is larger than one pack may be.
    """
    target.mkdir(parents=True, exist_ok=True)
    for old in (*target.glob("*.zip"), *target.glob(SUMS)):
        old.unlink()
    _write(target / "project.zip", [project / FILE_NAME])
    if (target / "project.zip").stat().st_size > MOST_BYTES:
        raise ProjectError(
            "The demo's database is larger than one pack may be.", do="Record less, or deflate it better."
        )
    with Project(project) as opened:
        drawn = opened.occurrences.picture_names()
        clips = opened.clips
        starts = {
            c.name: {Path(clips.file_name(clip.id)).stem: clip.start_s for clip in clips.of(c.id)}
            for c in opened.cameras.all()
        }
    files = sorted(p for p in (project / MEDIA).iterdir() if p.name not in drawn)
    for name, stems in starts.items():
        slug = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")
        own = [p for p in files if _stem(p) in stems]
        own.sort(key=lambda p: (stems[_stem(p)], p.name))
        for number, share in enumerate(_shares(own), 1):
            _write(target / f"{slug}-{number}.zip", share, MEDIA)
    packs = sorted(target.glob("*.zip"))
    (target / SUMS).write_text("".join(f"{sha256(p.read_bytes()).hexdigest()}  {p.name}\n" for p in packs), "ascii")
    return [p.name for p in packs]


def _stem(file: Path) -> str:
    """The stem of the clip that a file belongs to."""
    return file.stem.removesuffix("-background")


def _shares(files: list[Path]) -> Iterator[list[Path]]:
    """Files in their order, as many together as one pack may hold."""
    share: list[Path] = []
    room = 0
    for file in files:
        size = file.stat().st_size + 400  # with its two headers in the pack
        if size > room:
            if share:
                yield share
            share, room = [], MOST_BYTES - 100
        share.append(file)
        room -= size
    if share:
        yield share


def _write(pack: Path, files: list[Path], folder: str = "") -> None:
    """Write one pack: a database deflated, anything else as it is."""
    with zipfile.ZipFile(pack, "w") as packed:
        for file in files:
            entry = zipfile.ZipInfo(f"{folder}/{file.name}" if folder else file.name, EPOCH)
            entry.compress_type = zipfile.ZIP_STORED if folder else zipfile.ZIP_DEFLATED
            entry.external_attr = 0o644 << 16
            packed.writestr(entry, file.read_bytes(), compresslevel=9)
