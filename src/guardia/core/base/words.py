"""Numbers in sentences."""

from __future__ import annotations


def count_of(number: int, thing: str) -> str:
    """A number with its noun, such as '1 clip' and '2 clips'."""
    return f"{number} {thing}" if number == 1 else f"{number} {thing}s"
