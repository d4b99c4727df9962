"""Numbers and lists in sentences."""

from __future__ import annotations

from collections.abc import Sequence


def count_of(number: int, thing: str, things: str = "") -> str:
    """A number with its noun, such as '1 clip' and '2 clips'; `things` where the plural is not made with an s."""
    return f"{number} {thing if number == 1 else things or f'{thing}s'}"


def listed(words: Sequence[str]) -> str:
    """Words in a row, such as 'a, b and c'; empty for none."""
    return " and ".join(filter(None, (", ".join(words[:-1]), *words[-1:])))


def sentence(words: str) -> str:
    """The words with a capital at their beginning; the others keep theirs."""
    return words[:1].upper() + words[1:]
