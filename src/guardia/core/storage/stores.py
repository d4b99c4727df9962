"""Stores: what footage is kept on, with its readings over time."""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import date
from enum import StrEnum

from guardia.core.base.errors import InvalidValue
from guardia.core.base.values import LONGEST_TEXT, one_line
from guardia.core.storage.figure import Figure, Source, exactly
from guardia.core.storage.rates import shown_step, straight_line
from guardia.core.storage.readings import STATES, Measure, Reading

DAY_S = 86400.0

LEAST_SAME = 3
"""So many readings of the same used space may say that it no longer rises."""

FULL_SHARE = 0.005
"""A store with less free than this share of its capacity is full."""


class StoreKind(StrEnum):
    """Where footage can go, in the words in which a target is chosen."""

    CARD = "card in the camera"
    HUB = "stick or disk of the hub"
    RECORDER = "recorder disk"
    COPY = "copy off the site"
    REMOTE = "remote plan"


OFF_SITE = (StoreKind.COPY, StoreKind.REMOTE)
"""Still there when the devices on the site are stolen."""


class Takes(StrEnum):
    """What goes to a store."""

    ALL = "all that is recorded"
    MOTION = "only what motion records"


@dataclass(frozen=True)
class Store:
    """One store."""

    name: str
    """Its name."""
    kind: StoreKind
    """What it is."""
    capacity_gb: float = 0.0
    """As printed on it, GB of 10^9 bytes; 0 where a plan keeps by days only."""
    keeps_days: float | None = None
    """A plan keeps footage so long, None without such a limit."""
    ends: date | None = None
    """A plan's last day, None without an end."""
    price: float | None = None
    """Of the medium, in the user's own currency; None where nobody said."""
    price_per_month: float | None = None
    """Of a plan, likewise."""
    lasts_years: float | None = None
    """After so many years the medium is replaced, None where nobody said."""
    begins: date | None = None
    """In use since, None where nobody said."""
    beside: bool = False
    """It gets recordings also while another store is chosen, as a copy always does."""
    takes: Takes = Takes.ALL
    """What of the recordings goes there."""
    longest_s: float | None = None
    """A recording is cut there after so many seconds; None where it is not."""
    classes: tuple[str, ...] = ()
    """Only what the camera named as one of these goes there; none for everything."""

    def __post_init__(self) -> None:
        one_line(self.name, "A store's name", most=LONGEST_TEXT)
        if not (math.isfinite(self.capacity_gb) and 0 <= self.capacity_gb <= 1e6):
            raise InvalidValue(
                f"A store of {self.capacity_gb} GB cannot be.", kept="Nothing was changed.",
                do="Enter the capacity as printed, up to 1,000,000 GB.",
            )  # fmt: skip
        if not self.capacity_gb and self.keeps_days is None:
            raise InvalidValue(
                "A store needs a capacity, or days that a plan keeps.", kept="Nothing was changed.",
                do="Enter the capacity as printed on it.",
            )  # fmt: skip
        bounded = {"keeps for days": self.keeps_days, "lasts years": self.lasts_years, "is cut after": self.longest_s}
        for words, value in bounded.items():
            if value is not None and not 0 < value <= 36600:
                raise InvalidValue(f"'{words}' cannot be {value}.", do="Enter a number above 0.")
        for value in (self.price, self.price_per_month):
            if value is not None and not 0 <= value <= 1e9:
                raise InvalidValue(f"A price of {value} cannot be.", do="Enter 0 or more.")
        if self.begins is not None and self.ends is not None and self.ends < self.begins:
            raise InvalidValue(
                f"The plan would end on {self.ends}, before it began on {self.begins}.", kept="Nothing was changed.",
                do="Correct one of the two dates.",
            )  # fmt: skip

    @property
    def gets_words(self) -> str:
        """What goes there, in words."""
        parts = [self.takes.value]
        parts += [f"named {' or '.join(self.classes)}"] if self.classes else []
        parts += [f"cut after {self.longest_s:g} s"] if self.longest_s is not None else []
        return ", ".join(parts)


@dataclass(frozen=True)
class Fitted:
    """A store with what hangs on it and what was read off it."""

    id: int
    """Number in the project."""
    store: Store
    """The store."""
    cameras: tuple[int, ...] = ()
    """Numbers of the cameras that record to it."""
    readings: tuple[Reading, ...] = ()
    """In order of time."""
    others: Figure | None = None
    """What the other cameras on it put there, GB a day; None without any."""
    expected: Figure | None = None
    """What all its cameras put there under the settings in force, by the sizes of their files, GB a day; None while
    nobody worked it out."""

    def state_at(self, at_s: float) -> Measure | None:
        """What state it was in; None where no reading tells.

        A store that is found missing or not formatted was so since it was last known to be healthy; one that failed,
        since the reading that says so.
        """
        states = [r for r in self.readings if r.what in STATES]
        before = [r for r in states if r.at_s <= at_s]
        after = [r for r in states if r.at_s > at_s]
        since_ever = (Measure.MISSING, Measure.NOT_FORMATTED)
        if before and before[-1].what is not Measure.HEALTHY:
            return before[-1].what
        if after and after[0].what in since_ever:
            return after[0].what
        return before[-1].what if before else None


def space_of(fitted: Fitted, reserve: Figure) -> Figure:
    """Space for footage, GB.

    Args:
        fitted: The store.
        reserve: Reserve of file system and index, percent.

    Returns:
        Used and free space that were read together, which leave no reserve to guess; else the printed capacity less the
        reserve.
    """
    used, free = (_latest(possible_readings(fitted), what) for what in (Measure.USED, Measure.FREE))
    if used and free and used.at_s == free.at_s and used.value is not None and free.value is not None:
        shown = used.value + free.value
        how = f"{used.value:g} GB used + {free.value:g} GB free, as read"
        return exactly("space", shown, "GB", Source.MEASURED, how)
    printed = exactly("printed capacity", fitted.store.capacity_gb, "GB", how="typed in with the store")
    left = Figure(
        "of it for footage", 1 - reserve.value / 100, 1 - reserve.high / 100, 1 - reserve.low / 100, "", reserve.source,
        f"1 - {reserve.words} reserve", (reserve,),
    )  # fmt: skip
    value, low, high = (printed.value * share for share in (left.value, left.low, left.high))
    return Figure("space", value, low, high, "GB", left.source, f"{printed.words} x {left.value:.3f}", (printed, left))


def possible_readings(fitted: Fitted) -> tuple[Reading, ...]:
    """The readings of a store without those of more space than it has."""
    impossible = _too_much(fitted)
    return tuple(r for r in fitted.readings if r.what not in (Measure.USED, Measure.FREE) or r.at_s not in impossible)


def _too_much(fitted: Fitted) -> dict[float, float]:
    """Used and free space that were read together and are more than the store has, GB, by when."""
    there: dict[float, float] = {}
    for r in fitted.readings:
        if r.what in (Measure.USED, Measure.FREE) and r.value is not None:
            there[r.at_s] = there.get(r.at_s, 0.0) + r.value
    capacity = fitted.store.capacity_gb
    return {at_s: gb for at_s, gb in there.items() if capacity and gb > capacity * 1.001}


def reading_errors(fitted: Fitted) -> list[str]:
    """What of the readings of a store cannot be, in sentences; such readings are left out of every figure."""
    return [
        f"Used and free space are {gb:g} GB together, but {fitted.store.capacity_gb:g} GB are printed on "
        f"'{fitted.store.name}'. One of them was misread; neither is used."
        for gb in _too_much(fitted).values()
    ]


def _latest(readings: tuple[Reading, ...], what: Measure) -> Reading | None:
    return next((r for r in reversed(readings) if r.what is what), None)


def full_since(fitted: Fitted) -> float | None:
    """Since when it is read as full, POSIX seconds; None where it is not, or was emptied since."""
    since: float | None = None
    for r in possible_readings(fitted):
        if r.what is Measure.FREE and r.value is not None:
            full = r.value <= FULL_SHARE * max(fitted.store.capacity_gb, 1e-9)
            since = (r.at_s if since is None else since) if full else None
    return since


def filled_a_day(fitted: Fitted) -> Figure | None:
    """How fast a store fills by its readings of used space.

    Args:
        fitted: The store.

    Returns:
        GB a day by a straight line through the readings since it was emptied last, as long as they rise, with Student's
        interval (90 %); None for fewer than three, or where it does not fill.
    """
    run, _ = _rising(fitted)
    line = straight_line([r.at_s / DAY_S for r in run], [float(r.value or 0.0) for r in run])
    if line is None or line.low <= 0:
        return None
    how = f"a straight line through {len(run)} readings of used space"
    return Figure("filled a day", line.value, line.low, line.high, "GB", Source.MEASURED, how)


def stopped_rising(fitted: Fitted) -> Reading | None:
    """The first of the latest readings of used space that no longer rise; None while they do."""
    return next(iter(_rising(fitted)[1]), None)


def _rising(fitted: Fitted) -> tuple[list[Reading], list[Reading]]:
    """Readings of used space since it was emptied last: those that rise, and those after it stopped rising.

    Readings that stay the same are no stop while what was added until then would not have moved the number shown.
    """
    possible = possible_readings(fitted)
    frees = {r.at_s: r.value for r in possible if r.what is Measure.FREE and r.value is not None}
    run: list[Reading] = []
    for r in possible:
        full = frees.get(r.at_s, math.inf) <= FULL_SHARE * max(fitted.store.capacity_gb, 1e-9)
        if r.what is not Measure.USED or r.value is None or full:
            continue
        if run and r.value < float(run[-1].value or 0.0):
            run = []  # it was emptied, or overwrites
        run.append(r)
    shown = [float(r.value or 0.0) for r in run]
    first = next((n for n, gb in enumerate(shown) if gb == shown[-1]), 0)
    if len(run) - first < LEAST_SAME or not first:
        return run, []
    a_day = (shown[first] - shown[0]) / max((run[first].at_s - run[0].at_s) / DAY_S, 1e-9)
    stays = a_day * (run[-1].at_s - run[first].at_s) / DAY_S >= 2 * shown_step(shown)
    return (run[: first + 1], run[first:]) if stays else (run, [])


def last_free(fitted: Fitted) -> Reading | None:
    """The latest reading of free space."""
    return _latest(possible_readings(fitted), Measure.FREE)
