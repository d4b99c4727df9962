"""What commands print."""

from __future__ import annotations

import json
from typing import Any


def print_json(data: Any) -> None:
    """Print a result as JSON."""
    # A file's name may hold bytes that are no text; what is printed is always UTF-8.
    text = json.dumps(data, indent=2, ensure_ascii=False)
    print(text.encode("utf-8", "surrogateescape").decode("utf-8", "replace"))
