"""Files given from outside, looked at before they are read: a pipe would never end, a huge one fills the memory."""

from __future__ import annotations

import stat
from pathlib import Path

from guardia.core.base.errors import InvalidValue

MOST_BYTES = 200_000_000
"""No list, sheet or calendar of this field is nearly as large."""


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
