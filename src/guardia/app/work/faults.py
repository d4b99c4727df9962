"""Keeps the details of faults of the program in a file that can be sent on with a report."""

from __future__ import annotations

import logging
from logging.handlers import RotatingFileHandler
from pathlib import Path

from guardia import __version__

NAME = "faults.log"
LARGEST_BYTES = 500_000


def keep_fault(error: BaseException, folder: Path) -> Path | None:
    """Add an error with its traceback, the time and the version to the list of faults in a folder.

    The traceback names files and lines of the program and what the error says; it holds no picture.

    Args:
        error: What happened.
        folder: Receives the file; it is made where it is missing.

    Returns:
        The file; None where it cannot be written.
    """
    path = folder / NAME
    try:
        folder.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(path, maxBytes=LARGEST_BYTES, backupCount=1, encoding="utf-8")
    except OSError:
        return None
    try:
        handler.setFormatter(logging.Formatter(f"%(asctime)s Guardia {__version__}: %(message)s"))
        trace = (type(error), error, error.__traceback__)
        handler.handle(logging.LogRecord("guardia", logging.ERROR, __file__, 0, "%s", (error,), trace))
    finally:
        handler.close()
    return path
