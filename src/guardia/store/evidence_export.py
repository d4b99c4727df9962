"""Untouched originals copied out of a project, each with what is known of it beside it, whole or not at all."""

from __future__ import annotations

import hashlib
import json
import os
import shutil
import tempfile
from collections.abc import Callable, Mapping
from contextlib import suppress
from pathlib import Path
from typing import Any

from guardia.core.base.errors import Cancelled, ProjectError

FORMAT = "guardia-export"
VERSION = 1
_PART = (".guardia-", ".part")
_PIECE_BYTES = 1 << 22


def clear_unfinished(folder: Path) -> None:
    """Take out what an export that was cut short has left in a folder."""
    for left in folder.glob(f"{_PART[0]}*{_PART[1]}"):
        shutil.rmtree(left, ignore_errors=True)


def export_original(
    source: Path, folder: Path, name: str, about: Mapping[str, Any], *, digest: str, stopped: Callable[[], bool]
) -> Path:
    """Copy one original with a JSON beside it into a folder of its own, which appears once both are verified.

    Args:
        source: The file.
        folder: Where to; it exists.
        name: Of the new folder, and of both files in it.
        about: What the JSON says.
        digest: SHA-256 of the original as it was taken in, hex.
        stopped: Asked between pieces; True ends the copy.

    Returns:
        The new folder; the one that is there where it holds the very same original, verified.

    Raises:
        ProjectError: If the original is no longer what was taken in, the copy differs from it, or nothing can be
            written there.
        Cancelled: If it was stopped. In every case nothing is left but a hidden folder at worst, which the next export
            clears.
    """
    target = folder / name
    if target.exists():
        if _is_whole(target, name, digest):
            return target
        raise ProjectError(
            f"'{name}' is already in {folder} and is not this original.", kept="It was not changed.",
            do="Choose another folder.",
        )  # fmt: skip
    part = None
    try:
        part = Path(tempfile.mkdtemp(_PART[1], _PART[0], folder))
        copy = part / f"{name}{source.suffix.lower()}"
        copied = _copy(source, copy, stopped)
        if digest not in (copied, ""):
            raise ProjectError(
                f"The original of '{name}' is no longer the file that was imported: its SHA-256 differs.",
                kept="Nothing was exported of it.",
                do="Take the file from the camera again.",
            )
        if _digest(copy) != copied:
            raise ProjectError(
                f"The copy of '{name}' differs from its original.", kept="It was thrown away.",
                do="Check the disk or stick, and export it again.",
            )  # fmt: skip
        content = {"format": FORMAT, "version": VERSION, "file": copy.name, "sha256": copied,
                   "bytes": copy.stat().st_size, **about}  # fmt: skip
        _write(part / f"{name}.json", json.dumps(content, indent=2, ensure_ascii=False).encode())
        part.chmod(0o755)
        os.rename(part, target)
    except OSError as error:
        raise ProjectError(
            f"'{name}' cannot be exported to {folder} ({error.strerror}).", kept="The project was not changed.",
            do="Check the space there, and that you may write there.",
        ) from error  # fmt: skip
    finally:
        if part is not None and part.exists():
            with suppress(OSError):
                shutil.rmtree(part)
    return target


def _is_whole(folder: Path, name: str, digest: str) -> bool:
    """Whether an earlier export of the same original is there, unchanged."""
    try:
        content = json.loads((folder / f"{name}.json").read_text("utf-8"))
        copied = _digest(folder / str(content["file"]))
    except (OSError, ValueError, KeyError, TypeError):
        return False
    return copied == content.get("sha256") and digest in (copied, "")


def _copy(source: Path, target: Path, stopped: Callable[[], bool]) -> str:
    digest = hashlib.sha256()
    with source.open("rb") as read, target.open("xb") as write:
        while piece := read.read(_PIECE_BYTES):
            if stopped():
                raise Cancelled
            digest.update(piece)
            write.write(piece)
        write.flush()
        os.fsync(write.fileno())
    shutil.copystat(source, target)
    return digest.hexdigest()


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _write(path: Path, content: bytes) -> None:
    with path.open("xb") as file:
        file.write(content)
        file.flush()
        os.fsync(file.fileno())
