"""Patterns of purposes to begin from. Their numbers are common practice without a source, to be corrected."""

from __future__ import annotations

from dataclasses import dataclass, replace

from guardia.core.hours.place import SunEvent
from guardia.core.hours.plan import EVERY_DAY, Edge, Stretch, WeekPlan
from guardia.core.make.capability import Capability
from guardia.core.purpose.purpose import REAL_KINDS, STRANGERS, Purpose, Wanted

PEOPLE = ("person", "expected")
MOVING = ("person", "vehicle", "expected")

AT_NIGHT = WeekPlan((Stretch(EVERY_DAY, Edge(0, SunEvent.SUNSET), Edge(0, SunEvent.SUNRISE), overnight=True),))
WORKING_DAYS = (0, 1, 2, 3, 4)
OUT_OF_HOURS = WeekPlan(
    (
        Stretch(WORKING_DAYS, Edge(18 * 60), Edge(7 * 60), overnight=True),
        Stretch((5,), Edge(7 * 60), Edge(24 * 60)),
        Stretch((6,), Edge(0), Edge(24 * 60)),
        Stretch((0,), Edge(0), Edge(7 * 60)),
    )
)
"""From 18:00 to 7:00, and the weekend."""
BY_DAY = WeekPlan((Stretch(EVERY_DAY, Edge(7 * 60), Edge(21 * 60)),))


@dataclass(frozen=True)
class Pattern:
    """A purpose to begin from."""

    id: str
    """Stable word."""
    name: str
    """Its name on screen."""
    words: str
    """What it asks, in a sentence."""
    purpose: Purpose
    """The same in values."""


def _pattern(id: str, name: str, words: str, purpose: Purpose) -> Pattern:
    return Pattern(id, name, words, replace(purpose, pattern=id))


PATTERNS: tuple[Pattern, ...] = (
    _pattern(
        "way in", "Way in", "Whoever comes to the door is recorded and recognised; strangers are alerted at once.",
        Purpose(
            record=Wanted(REAL_KINDS), before_s=2, after_s=3, px_m=125, alert=Wanted(STRANGERS), within_s=20,
            false_alerts=1, keep_days=14,
        ),
    ),
    _pattern(
        "yard at night", "Yard at night", "People and vehicles are recorded; between sunset and sunrise they alert.",
        Purpose(
            record=Wanted(MOVING), before_s=2, after_s=5, px_m=25, alert=Wanted(("person", "vehicle"), AT_NIGHT),
            within_s=30, false_alerts=0.5, keep_days=14,
        ),
    ),
    _pattern(
        "till", "Till or counter", "Everybody at the counter is recorded and kept for a month; nobody is alerted.",
        Purpose(record=Wanted(PEOPLE), before_s=3, after_s=10, px_m=250, keep_days=30),
    ),
    _pattern(
        "goods", "Goods and stores", "People and vehicles at the goods are recorded; out of hours they alert.",
        Purpose(
            record=Wanted((*MOVING, "parcel")), before_s=2, after_s=5, px_m=62.5,
            alert=Wanted(("person", "vehicle"), OUT_OF_HOURS), within_s=30, false_alerts=0.5, keep_days=21,
        ),
    ),
    _pattern(
        "deliveries", "Deliveries", "Who brings or takes a parcel by day is recorded and alerted.",
        Purpose(
            record=Wanted(("person", "parcel", "expected")), before_s=2, after_s=5, px_m=125,
            alert=Wanted(("person", "parcel"), BY_DAY), within_s=20, false_alerts=2, keep_days=7,
        ),
    ),
    _pattern(
        "parking", "Parking and drive", "Vehicles and the people at them are recorded; at night they alert.",
        Purpose(
            record=Wanted(MOVING), before_s=2, after_s=5, px_m=62.5, alert=Wanted(("person", "vehicle"), AT_NIGHT),
            within_s=30, false_alerts=1, keep_days=14,
        ),
    ),
    _pattern(
        "neighbour near by", "Neighbour near by",
        "Only people on one's own ground are recorded and alerted, and footage is soon gone: draw that ground.",
        Purpose(
            record=Wanted(PEOPLE), before_s=2, after_s=3, px_m=62.5, alert=Wanted(("person",)), within_s=20,
            false_alerts=0.5, keep_days=2, gone_days=7,
        ),
    ),
    _pattern(
        "own people expected", "Own people at work",
        "Own people come and go and need no alert; strangers alert out of hours only.",
        Purpose(
            record=Wanted(REAL_KINDS), before_s=2, after_s=3, px_m=62.5, alert=Wanted(STRANGERS, OUT_OF_HOURS),
            within_s=30, false_alerts=0.5, keep_days=7,
        ),
    ),
    _pattern(
        "animals", "Animals that matter", "Animals that matter are recorded, and people at them; only people alert.",
        Purpose(
            record=Wanted(("animal_that_matters", "person", "expected")), before_s=2, after_s=10, px_m=25,
            alert=Wanted(("person",)), within_s=30, false_alerts=1, keep_days=7,
        ),
    ),
)  # fmt: skip

PATTERN_OF = {pattern.id: pattern for pattern in PATTERNS}

USUAL_CHARGE_DAYS = 60.0
"""A battery is charged every two months at the most (common practice, no source)."""


def begun(pattern: Pattern, make: Capability) -> Purpose:
    """The purpose of a pattern, fitted to a make."""
    return purpose_for(pattern.purpose, make)


def purpose_for(purpose: Purpose, make: Capability) -> Purpose:
    """What is asked of another camera, asked of one of this make: without the part of the picture, which is that
    camera's own; with the charge of a battery and the data of a mobile network where it has them."""
    rules = make.storage
    charge = purpose.charge_days if purpose.charge_days is not None else USUAL_CHARGE_DAYS
    return replace(
        purpose, area=(), record=replace(purpose.record, in_part=False), alert=replace(purpose.alert, in_part=False),
        charge_days=charge if rules.power is not None else None, data=rules.mobile,
    )  # fmt: skip
