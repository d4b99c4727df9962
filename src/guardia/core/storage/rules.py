"""What a make can be told of storage and power."""

from __future__ import annotations

import math
from dataclasses import dataclass
from enum import StrEnum

from guardia.core.base.errors import InvalidValue
from guardia.core.storage.readings import Measure
from guardia.core.storage.stores import StoreKind


class RecordingMode(StrEnum):
    """When footage is written."""

    MOTION = "by motion"
    CONTINUOUS = "always"
    MIXED = "always in its hours, by motion outside"


@dataclass(frozen=True)
class Quality:
    """One quality on offer."""

    label: str
    """The make's own word."""
    width: int
    """Pixels."""
    height: int
    """Pixels."""
    frame_rate: float
    """Pictures a second."""
    mbit_s: float = 0.0
    """Bit rate as the make states it, megabits a second; 0 where it does not."""

    def __post_init__(self) -> None:
        sizes = 1 <= self.width <= 32768 and 1 <= self.height <= 32768 and 0 < self.frame_rate <= 240
        if not sizes or not (math.isfinite(self.mbit_s) and 0 <= self.mbit_s <= 500):
            raise InvalidValue(f"The quality '{self.label}' cannot be used.", do="See docs/formats.md for its bounds.")

    @property
    def weight(self) -> float:
        """What its footage takes, compared with other qualities: the stated rate, else pixels a second."""
        return self.mbit_s or self.width * self.height * self.frame_rate * 0.067e-6


@dataclass(frozen=True)
class PowerDraw:
    """What a battery camera draws, as assumed for the make; all of it common practice without a source."""

    battery_wh: float
    """Usable charge of all its packs, Wh."""
    packs: int = 1
    """Number of packs."""
    packs_in_turn: bool = False
    """Its packs are used one after another; else both at once, until the weaker one is empty."""
    standby_mw: float = 8.0
    """Standby, mW."""
    recording_w: float = 1.4
    """While it records, W."""
    snapshot_j: float = 6.0
    """A snapshot, J."""
    alert_j: float = 4.0
    """An alert with its picture, J."""
    live_w: float = 2.0
    """While somebody looks, W."""
    wake_j: float = 1.5
    """Waking to look for motion, J."""
    white_light_w: float = 0.0
    """Its white light, W; 0 without one."""
    panel_w: float = 0.0
    """Its panel at full sun, W; 0 without one."""
    spread: float = 1.6
    """The true value lies between that divided and multiplied by this factor."""

    def band(self, value: float) -> tuple[float, float, float]:
        """A value with its band."""
        return value, value / self.spread, value * self.spread


@dataclass(frozen=True)
class StorageRules:
    """What a make can be told of storage."""

    targets: tuple[StoreKind, ...] = (StoreKind.CARD,)
    """Stores that it can record to."""
    largest_gb: float = 256.0
    """Largest medium that it takes."""
    qualities: tuple[Quality, ...] = ()
    """From the best to the least; none where it cannot be chosen."""
    modes: tuple[RecordingMode, ...] = (RecordingMode.MOTION,)
    """When it can write footage."""
    snapshot_choices_s: tuple[float, ...] = (0.0,)
    """Seconds between snapshots on offer; 0 for none."""
    second_mbit_s: float = 0.0
    """Rate of a second stream that it can record beside the first; 0 without one."""
    power: PowerDraw | None = None
    """Its battery, None on mains."""
    mobile: bool = False
    """It sends over a mobile network."""
    supply_v: float = 0.0
    """It is fed with so many volts: 5 by USB, 12, 24, 48 by the network cable; 0 where that is not stated."""

    def quality(self, label: str) -> Quality | None:
        """A quality by its word; the best for '', None where none is on offer or it is not known."""
        if not label:
            return self.qualities[0] if self.qualities else None
        return next((q for q in self.qualities if q.label == label), None)

    @property
    def measures(self) -> tuple[Measure, ...]:
        """What can be read off such a camera; a battery only where it has one, data only of a mobile network."""
        packs = self.power.packs if self.power is not None else 0
        has = {
            Measure.BATTERY: packs > 0, Measure.BATTERY_2: packs > 1, Measure.TEMPERATURE: packs > 0,
            Measure.SUPPLY: packs == 0, Measure.SIGNAL: True, Measure.DATA_USED: self.mobile, Measure.CLOCK: True,
        }  # fmt: skip
        return tuple(measure for measure, there in has.items() if there)
