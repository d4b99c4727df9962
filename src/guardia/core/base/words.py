"""Numbers in sentences."""

from __future__ import annotations


def count_of(number: int, thing: str, things: str = "") -> str:
    """A number with its noun, such as '1 clip' and '2 clips'; `things` where the plural is not made with an s."""
    return f"{number} {thing if number == 1 else things or f'{thing}s'}"
