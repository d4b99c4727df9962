"""Writes the form of settings into the published schema of the settings sheet, as their types say it: run it as
`python -m guardia.tools.schema` after a setting was added or changed."""

from __future__ import annotations

import json
from importlib.resources import files
from pathlib import Path
from typing import Any

from guardia.core.make.settings import settings_schema

PUBLISHED = Path(str(files("guardia") / "data" / "schemas" / "settings-sheet.schema.json"))
OF_THE_SHEET = ("stands", "count", "share", "expected", "score")
"""What the sheet itself refers to; all else is made of the settings' types."""


def with_settings(published: dict[str, Any]) -> dict[str, Any]:
    """The sheet's schema with the form of settings as the program reads it."""
    settings = settings_schema()
    of_types = settings.pop("$defs")
    own = {name: published["$defs"][name] for name in OF_THE_SHEET}
    return published | {"$defs": {**own, "settings": settings, **of_types}}


def main() -> None:
    """Write the file."""
    published = with_settings(json.loads(PUBLISHED.read_text("utf-8")))
    PUBLISHED.write_text(json.dumps(published, indent=2) + "\n", "utf-8")


if __name__ == "__main__":
    main()
