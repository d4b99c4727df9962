"""What is typed in about a camera or its site, and what is assumed while nobody did."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import NamedTuple

from guardia.core.base.errors import InvalidValue
from guardia.core.storage.figure import Figure, Source, exactly


class Fact(NamedTuple):
    """A number that somebody can type in."""

    id: str
    """Its name in the project."""
    words: str
    """Its name on screen."""
    unit: str
    """Its unit."""
    least: float
    """Least value."""
    most: float
    """Greatest value."""
    value: float = math.nan
    """What is assumed while nobody says; NaN for nothing."""
    low: float = math.nan
    """Lower end of the band of what is assumed."""
    high: float = math.nan
    """Upper end."""
    why: str = "common practice, no source"
    """What the assumption rests on."""
    of_site: bool = False
    """Of the site, else of one camera."""


_LIST = (
    Fact("required_days", "days that footage must be kept", "days", 0.1, 3660, of_site=True),
    Fact("longest_days", "days after which footage must be gone", "days", 0.1, 3660, of_site=True),
    Fact("asked_on", "day on which it is asked", "s", 0, 1e11, of_site=True),
    Fact("upload", "measured upload of the line", "Mbit/s", 0.01, 1e5, of_site=True),
    Fact("round_every", "days between two rounds", "days", 1, 366, 7, 7, 7, "a week", of_site=True),
    Fact("years", "years to compare costs over", "years", 1, 30, 5, 5, 5, "a usual span", of_site=True),
    Fact("reserve", "reserve of file system and index", "%", 0, 50, 4.5, 2, 7),
    Fact("rate_light", "rate of its recordings by day", "Mbit/s", 0.01, 500),
    Fact("rate_dark", "rate of its recordings in the dark", "Mbit/s", 0.01, 500),
    Fact("bits_per_pixel", "bits per pixel", "bit", 0.005, 1, 0.067, 0.03, 0.15,
         "0.03 to 0.15 by codec and scene (common practice, no source)"),
    Fact("recorded", "recorded by motion a day", "s", 0, 86400, 900, 180, 4500),
    Fact("dark_share", "share of the day that is dark", "%", 0, 100, 50, 33, 67, "half of the hours of a year"),
    Fact("snapshot_size", "size of a snapshot", "kB", 1, 1e5, 250, 100, 600),
    Fact("live", "live looks a day", "min", 0, 1440, 2, 0, 10),
    Fact("supply", "volts that it is fed with: USB 5, 12, 24, network cable 48", "V", 1, 60),
    Fact("current", "current that it draws", "A", 0.001, 100),
    Fact("standby", "standby", "mW", 0, 1e5),
    Fact("recording", "while it records", "W", 0, 100),
    Fact("snapshot_energy", "for a snapshot", "J", 0, 1e5),
    Fact("alert_energy", "for an alert", "J", 0, 1e5),
    Fact("live_power", "while somebody looks", "W", 0, 100),
    Fact("white_light", "of its white light", "W", 0, 200),
    Fact("wake_energy", "each time it wakes to look for motion", "J", 0, 1e5),
    Fact("wakes", "times it wakes a day without recording", "", 0, 1e5, 40, 10, 160),
    Fact("battery", "usable charge of the battery", "Wh", 0.1, 1e5),
    Fact("charge_at", "charge it at", "%", 0, 99, 20, 20, 20),
    Fact("panel", "panel at full sun", "W", 0, 1e4),
    Fact("tilt", "tilt of the panel from level", "°", 0, 90, 35, 35, 35, "a usual bracket"),
    Fact("turned", "panel turned from the equator's side", "°", 0, 180, 0, 0, 0, "faces the sun at noon"),
    Fact("clearness", "share of a clear sky's sun that gets through", "%", 5, 100, 50, 35, 65,
         "clouds, shade and dirt over a year; winter is at the lower end"),
    Fact("charging", "share of the panel's yield that reaches the battery", "%", 5, 100, 70, 60, 80),
    Fact("allowance", "data allowance a month", "GB", 0.001, 1e6),
    Fact("month_begins", "day on which the data month begins", "", 1, 28, 1, 1, 1, "the first"),
)  # fmt: skip

FACTS: dict[str, Fact] = {fact.id: fact for fact in _LIST}


def check_fact(name: str, value: float) -> None:
    """Refuse a number that cannot be; raises InvalidValue, KeyError for an unknown fact."""
    fact = FACTS[name]
    if not fact.least <= value <= fact.most:
        unit = f" {fact.unit}" if fact.unit else ""
        raise InvalidValue(
            f"{fact.words[0].upper()}{fact.words[1:]}: {value:g}{unit} cannot be.",
            kept="The value before stays.",
            do=f"Enter {fact.least:g} to {fact.most:g}{unit}.",
        )


def fact_figure(facts: Mapping[str, float], name: str, band: tuple[float, float, float] | None = None) -> Figure | None:
    """A fact as a figure: typed, else assumed; None where nothing is assumed.

    Args:
        facts: What was typed in.
        name: Id of the fact.
        band: Value, lower and upper end that are assumed in place of those of the fact, for instance the make's.

    Returns:
        The figure.
    """
    fact = FACTS[name]
    if name in facts:
        return exactly(fact.words, facts[name], fact.unit, how="typed in", fact=name)
    value, low, high = band or (fact.value, fact.low, fact.high)
    if math.isnan(value):
        return None
    why = "assumed for this make" if band else f"assumed: {fact.why}"
    return Figure(fact.words, value, low, high, fact.unit, Source.ASSUMED, why, (), name)


def known_fact(facts: Mapping[str, float], name: str) -> Figure:
    """As fact_figure(), for facts for which something is assumed."""
    figure = fact_figure(facts, name)
    if figure is None:
        raise KeyError(name)
    return figure
