"""The one door for files that somebody names: looked at before they are read, and written whole or not at all."""

from __future__ import annotations

import json
import os
import stat
import tempfile
from pathlib import Path
from typing import Any

from guardia.core.base.errors import InvalidValue, ProjectError

MOST_BYTES = 200_000_000
"""No list, sheet or calendar of this field is nearly as large; more would only fill the memory."""


LONGEST_PART = 255
"""Bytes that a name on a disk may have, on every file system in use here."""


def can_be_called(text: str) -> bool:
    """Whether a file or folder can have such a path."""
    try:
        return bool(text) and "\0" not in text and all(len(os.fsencode(p)) <= LONGEST_PART for p in Path(text).parts)
    except UnicodeEncodeError:
        return False


def whole_path(text: str) -> Path:
    """A folder as it is typed in a window, `~` read as the home folder.

    Args:
        text: As it was typed.

    Returns:
        The folder.

    Raises:
        InvalidValue: If it is no path from the root on: it would lie wherever the program was started from.
    """
    named = os.path.expanduser(text.strip())
    if not named.startswith("/") or not can_be_called(named):
        raise InvalidValue(
            "This is no whole path of a folder.",
            kept="Nothing was made.",
            do="Type it from / on, or choose the folder.",
        )
    return Path(named)


def plain_file(path: Path, *, most_bytes: int = MOST_BYTES) -> Path:
    """The same path, if it is one to read.

    Args:
        path: Given by somebody; whether it exists is left to whoever opens it.
        most_bytes: The largest size.

    Returns:
        As it was given.

    Raises:
        InvalidValue: If it is a pipe, a device or a socket, or larger.
    """
    try:
        state = path.stat()
    except (OSError, ValueError):
        return path
    if not stat.S_ISREG(state.st_mode) and not stat.S_ISDIR(state.st_mode):
        raise InvalidValue(f"'{path.name}' is no file but a pipe, a device or a socket: it was not read.")
    if state.st_size > most_bytes:
        raise InvalidValue(
            f"'{path.name}' has {state.st_size / 1e6:.0f} MB, more than {most_bytes / 1e6:.0f} MB: it was not read."
        )
    return path


def read_json(path: Path, what: str) -> Any:
    """Read a JSON file.

    Args:
        path: Given by somebody.
        what: What it should hold, for the message: 'The settings'.

    Returns:
        What it holds; no number in it is infinite or none.

    Raises:
        InvalidValue: If it cannot be read or is not JSON.
    """
    try:
        return json.loads(plain_file(path).read_text("utf-8-sig"), parse_constant=no_number)
    except OSError as error:
        raise InvalidValue(f"{what} cannot be read from {path} ({error.strerror}).") from error
    except (ValueError, RecursionError) as error:
        raise InvalidValue(f"{what} cannot be read: {path} is not JSON ({error}).") from error


def no_number(name: str) -> float:
    """For json's parse_constant: refuses Infinity and NaN, which are no JSON."""
    raise ValueError(f"{name} is no number of JSON")


def read_object(path: Path, what: str) -> dict[str, Any]:
    """The one JSON object of a file; raises as read_json(), and InvalidValue where it holds something else."""
    data = read_json(path, what)
    if not isinstance(data, dict):
        raise InvalidValue(f"{what} cannot be read: {path} must hold one JSON object.", do="See docs/formats.md.")
    return data


def save_file(path: Path, content: bytes | str, what: str, *, kept: str = "What was there before is kept.") -> None:
    """Write a file that somebody named, whole or not at all.

    Args:
        path: The file; one that is there is replaced, and its folder must exist. What is no plain file, such as a
            device, is written to and stays what it is.
        content: What it is to hold; text as UTF-8.
        what: What it is, for the message: 'The table'.
        kept: What is kept or left unchanged where that fails, for the message.

    Raises:
        ProjectError: If it cannot be written.
    """
    data = content.encode("utf-8", "replace") if isinstance(content, str) else content
    try:
        target = path.resolve()  # a link stays, and what it points to is written
        if target.exists() and not target.is_file():
            target.write_bytes(data)
            return
        handle, part = tempfile.mkstemp(".part", ".guardia-", target.parent)
        try:
            with os.fdopen(handle, "wb") as file:
                file.write(data)
            os.chmod(part, target.stat().st_mode & 0o777 if target.exists() else 0o666 & ~_umask())
            os.replace(part, target)
        except BaseException:
            os.unlink(part)
            raise
    except (OSError, ValueError) as error:
        reason = error.strerror if isinstance(error, OSError) else str(error)
        raise ProjectError(
            f"{what} could not be saved to {path} ({reason}).", kept=kept, do="Choose another folder or name."
        ) from error


def _umask() -> int:
    """What newly made files are not allowed."""
    mask = os.umask(0)
    os.umask(mask)
    return mask
