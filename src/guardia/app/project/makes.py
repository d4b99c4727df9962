"""The generic makes that ship with Guardia, as open JSON files."""

from __future__ import annotations

import json
from importlib.resources import files
from typing import Any

from guardia.core.base.errors import ProjectError


def capability_data(capability_id: str) -> dict[str, Any]:
    """JSON form of a shipped generic make.

    Parameters
    ----------
    capability_id
        Its id, the file's name.

    Returns
    -------
    dict[str, Any]
        As in the file.

    Raises
    ------
    ProjectError
        If no such make is shipped.
    """
    try:
        text = (files("guardia") / "data" / "capabilities" / f"{capability_id}.json").read_text("utf-8")
    except (OSError, ValueError) as error:  # ValueError: a name that no file can have
        raise ProjectError(
            f"There is no make '{capability_id}'.", do="Known are: " + ", ".join(shipped_capabilities()) + "."
        ) from error
    data: dict[str, Any] = json.loads(text)
    return data


def shipped_capabilities() -> list[str]:
    """Ids of the generic makes that ship with Guardia."""
    folder = files("guardia") / "data" / "capabilities"
    return sorted(entry.name.removesuffix(".json") for entry in folder.iterdir() if entry.name.endswith(".json"))
