"""Papers sent to the printer of this machine, by the printing system's own command."""

from __future__ import annotations

import shutil
import subprocess

from guardia.core.base.errors import ProjectError

TAKES_AT_MOST_S = 30.0


def print_pdf(content: bytes, title: str) -> str:
    """Send a PDF to the usual printer.

    Args:
        content: The PDF.
        title: Of the print job.

    Returns:
        What the printing system says.

    Raises:
        ProjectError: If there is no printing system, or it refuses.
    """
    command = shutil.which("lp")
    if command is None:
        raise ProjectError(
            "This machine has no printing system (the command lp).", do="Save the paper as PDF and print it elsewhere."
        )
    try:
        done = subprocess.run(
            [command, "-t", title[:100], "-"], input=content, capture_output=True, timeout=TAKES_AT_MOST_S, check=False
        )
    except (OSError, subprocess.TimeoutExpired) as error:
        raise ProjectError("The printing system does not answer.", do="Save the paper as PDF instead.") from error
    said = (done.stdout or done.stderr).decode("utf-8", "replace").strip()
    if done.returncode:
        raise ProjectError(f"The paper was not printed: {said or 'no reason is given'}.", do="Save it as PDF instead.")
    return said
