"""Recorders, hubs, supplies, lines and groups: what cameras hang on, and what of it does not fit together."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

from guardia.core.base.errors import InvalidValue
from guardia.core.base.values import one_line
from guardia.core.base.words import count_of
from guardia.core.storage.figure import Figure
from guardia.core.storage.stores import Fitted, StoreKind


class UnitKind(StrEnum):
    """What cameras can hang on."""

    RECORDER = "recorder"
    HUB = "hub"
    SUPPLY = "power supply or switch"
    LINE = "line to the outside"
    GROUP = "group"


@dataclass(frozen=True)
class Unit:
    """A thing that cameras hang on, with what it can carry; None where nobody said."""

    name: str
    """Its name."""
    kind: UnitKind
    """What it is."""
    channels: int | None = None
    """So many cameras."""
    megapixels: float | None = None
    """Of one camera, the most."""
    medium_gb: float | None = None
    """The largest medium it takes, GB of 10^9 bytes."""
    current_a: float | None = None
    """Of all its cameras together, amperes."""
    upload_mbit_s: float | None = None
    """Of all its cameras together, Mbit/s."""

    def __post_init__(self) -> None:
        one_line(self.name, "Its name")
        for words, value in (
            ("channels", self.channels), ("megapixels", self.megapixels), ("largest medium", self.medium_gb),
            ("current", self.current_a), ("upload", self.upload_mbit_s),
        ):  # fmt: skip
            if value is not None and not (math.isfinite(value) and 0 < value <= 1e6):
                raise InvalidValue(f"'{words}' cannot be {value:g}.", do="Enter a number above 0, or leave it open.")


@dataclass(frozen=True)
class Hung:
    """A unit with the numbers of the cameras that hang on it; `id` is its number in the project."""

    id: int
    unit: Unit
    cameras: tuple[int, ...] = ()


@dataclass(frozen=True)
class Load:
    """What one camera asks of what it hangs on; None where it is not known."""

    camera: str
    """Its name."""
    megapixels: float | None = None
    """Of its pictures."""
    current_a: float | None = None
    """Amperes."""
    sends: Figure | None = None
    """What it sends off the site while it does, Mbit/s."""


def misfits(unit: Unit, loads: Sequence[Load], stores: Sequence[Fitted] = ()) -> list[str]:
    """What does not fit together on one unit, in sentences.

    Args:
        unit: The unit.
        loads: Of the cameras that hang on it.
        stores: Those that they record to.

    Returns:
        Empty where all fits, as far as it is known.
    """
    wrong = []
    if unit.channels is not None and len(loads) > unit.channels:
        wrong.append(f"'{unit.name}' has {count_of(unit.channels, 'channel')} for {count_of(len(loads), 'camera')}.")
    if unit.megapixels is not None:
        large = [f"{one.camera} ({one.megapixels:.1f})" for one in loads if (one.megapixels or 0.0) > unit.megapixels]
        if large:
            wrong.append(
                f"'{unit.name}' takes {unit.megapixels:g} megapixels a camera: {', '.join(large)} will not do."
            )
    kinds = {UnitKind.RECORDER: StoreKind.RECORDER, UnitKind.HUB: StoreKind.HUB}
    if unit.medium_gb is not None and unit.kind in kinds:
        for fitted in stores:
            if fitted.store.kind is kinds[unit.kind] and fitted.store.capacity_gb > unit.medium_gb:
                wrong.append(
                    f"'{unit.name}' takes {unit.medium_gb:g} GB at most: '{fitted.store.name}' has "
                    f"{fitted.store.capacity_gb:g} GB."
                )
    drawn = sum(one.current_a or 0.0 for one in loads)
    if unit.current_a is not None and drawn > unit.current_a:
        wrong.append(f"'{unit.name}' gives {unit.current_a:g} A, its cameras draw {drawn:.2f} A.")
    sent = sum(one.sends.value for one in loads if one.sends is not None)
    if unit.upload_mbit_s is not None and sent > unit.upload_mbit_s:
        wrong.append(f"'{unit.name}' carries {unit.upload_mbit_s:g} Mbit/s, its cameras send {sent:.1f} at once.")
    return wrong


def not_known(unit: Unit, loads: Sequence[Load]) -> list[str]:
    """What would have to be typed in before it can be said that all fits."""
    open_ = []
    if unit.current_a is not None:
        names = [one.camera for one in loads if one.current_a is None]
        open_ += [f"the current of {', '.join(names)}"] if names else []
    if unit.megapixels is not None:
        names = [one.camera for one in loads if one.megapixels is None]
        open_ += [f"the picture size of {', '.join(names)}"] if names else []
    return open_
