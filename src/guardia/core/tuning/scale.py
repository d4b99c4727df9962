"""What is believed of this camera's scale, in words."""

from __future__ import annotations

import math

from guardia.core.base.distances import distance
from guardia.core.base.words import count_of
from guardia.core.make.capability import Taught
from guardia.core.replay.factor import CameraScale, NotchScale

CONTRADICTION = (
    "What triggered and what did not contradict each other: check that the settings of then are the ones that were set."
)

ODD = "This camera behaves unlike your others of this make. Check the settings of then, and whether it is of this make."

WELL_KNOWN = 1.25
"""A notch whose interval ends lie no farther apart than this ratio needs no further walk (no source)."""


def telling_walk(scale: NotchScale, *, at_m: float | None = None) -> str:
    """Which walk test would tell most of a notch, in a sentence.

    Args:
        scale: What is known of the notch.
        at_m: Where somebody who crosses the view triggers in half of the cases, metres ahead of the camera; None where
            the view does not tell it.

    Returns:
        Notch, way and distance; that another walk would tell little where the notch is well known.
    """
    span = scale.high / scale.low
    if span < WELL_KNOWN:
        return f"Level {scale.label} is known to {span - 1:.0%}: another walk test would add little."
    size = f"where a person is about {scale.factor:.1f} times the nominal size"
    where = f"about {distance(at_m)} ahead, {size}" if at_m is not None else f"{size} (View, calibrated, shows how far)"
    return (
        f"To narrow it, walk across the view at level {scale.label}, {where}, several times, a little nearer and a "
        "little farther."
    )


def scale_words(scale: CameraScale, label: str) -> str:
    """What is known of a level on this camera, in sentences; empty where no level is set."""
    level = next((one for one in scale.levels if one.label == label), None)
    if level is None:
        return ""
    words = (
        f"Level {label} of this camera asks for {level.low:.1f} to {level.high:.1f} times the nominal size (95 %, from "
        f"{count_of(level.seen, 'thing')} seen); the figures take all of that into account."
    )
    return " ".join((words, *([CONTRADICTION] if scale.contradicted else []), *([ODD] if scale.odd else [])))


def taught_words(taught: Taught) -> str:
    """What other cameras of a make showed, in a sentence without its beginning."""
    low, high = (taught.factor * math.exp(sign * 1.96 * taught.deviation) for sign in (-1, 1))
    return (
        f"your {count_of(taught.cameras, 'other camera')} of this make: their thresholds are {low:.1f} to {high:.1f} "
        "times the nominal ones (95 %)."
    )
