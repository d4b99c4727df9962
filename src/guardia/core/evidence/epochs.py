"""Which settings were in force when."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from guardia.core.base.errors import InvalidValue
from guardia.core.make.settings import Settings


@dataclass(frozen=True)
class Epoch:
    """A stretch of time under one set of settings."""

    from_s: float
    """Beginning, POSIX seconds; -inf when they were in force as long as anybody remembers."""
    to_s: float
    """End, inf while they are in force."""
    settings: Settings | None
    """The settings, None when they are not known."""


def with_epoch(epochs: Sequence[Epoch], new: Epoch) -> tuple[Epoch, ...]:
    """Put a stretch of time under other settings; what it covers of the others is cut away.

    Args:
        epochs: In order of time; the last is in force.
        new: Another, which ends before now, so that the last one stays in force.

    Returns:
        In order of time.

    Raises:
        InvalidValue: If it does not end after it begins.
    """
    if not new.from_s < new.to_s < math.inf:
        raise InvalidValue("A stretch of time must end after it begins.", kept="Nothing was changed.")
    dated = [new]
    for old in epochs:
        parts = (replace(old, to_s=min(old.to_s, new.from_s)), replace(old, from_s=max(old.from_s, new.to_s)))
        dated += [part for part in parts if part.from_s < part.to_s]
    return tuple(sorted(dated, key=lambda e: e.from_s))
