"""The technician's word on an occurrence."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Verdict(StrEnum):
    """Whether a thing that moved should have been recorded."""

    REAL = "real"
    FALSE = "false"
    UNSURE = "unsure"


@dataclass(frozen=True)
class Kind:
    """One thing a judgement can name."""

    id: str
    """Stable word used in files."""
    verdict: Verdict
    """What judging an occurrence as this kind means."""
    text: str
    """The words on screen."""
    key: str
    """The single key that judges with this kind."""


KINDS: tuple[Kind, ...] = (
    Kind("person", Verdict.REAL, "person", "P"),
    Kind("vehicle", Verdict.REAL, "vehicle", "V"),
    Kind("animal_that_matters", Verdict.REAL, "animal that matters", "A"),
    Kind("parcel", Verdict.REAL, "parcel", "K"),
    Kind("expected", Verdict.REAL, "own people, expected", "E"),
    Kind("other_real", Verdict.REAL, "other real", "O"),
    Kind("foliage", Verdict.FALSE, "foliage", "F"),
    Kind("animal", Verdict.FALSE, "animal", "N"),
    Kind("insect_or_web", Verdict.FALSE, "insect or web", "I"),
    Kind("rain_or_snow", Verdict.FALSE, "rain or snow", "R"),
    Kind("headlights", Verdict.FALSE, "headlights", "H"),
    Kind("shadow", Verdict.FALSE, "shadow", "S"),
    Kind("reflection_or_water", Verdict.FALSE, "reflection or water", "W"),
    Kind("flag_or_rope", Verdict.FALSE, "flag or rope", "G"),
    Kind("outside_traffic", Verdict.FALSE, "passers-by, traffic", "B"),
    Kind("camera_moved", Verdict.FALSE, "camera moved", "M"),
    Kind("other_false", Verdict.FALSE, "other false", "X"),
    Kind("unsure", Verdict.UNSURE, "unsure", "U"),
)
KIND_OF_KEY = {kind.key: kind.id for kind in KINDS}
"""Id of the kind that each letter judges."""

_BY_ID = {kind.id: kind for kind in KINDS}


def kind_of(kind_id: str) -> Kind:
    """Look a kind up by its stable word; raises KeyError for an unknown one."""
    return _BY_ID[kind_id]
