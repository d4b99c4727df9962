"""Clips, what happened in them, and visits: one thing that happened, in one part or several."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from guardia.core.purpose.judgement import Verdict, kind_of


class Origin(StrEnum):
    """How a clip came to be recorded, which decides what it can prove."""

    MOTION = "motion"
    CONTINUOUS = "continuous"
    WALK_TEST = "walk test"
    SNAPSHOT = "snapshot"


class Cause(StrEnum):
    """Why a camera recorded a clip by itself; only motion says something about motion settings."""

    MOTION = "motion"
    SOUND = "sound"
    BUTTON = "button"
    BY_HAND = "by hand"
    LIVE_LOOK = "live look"
    OTHER_CAMERA = "another camera"
    NOT_KNOWN = "not known"


@dataclass(frozen=True)
class Clip:
    """A piece of video with a start time."""

    id: int
    """Number in the project."""
    name: str
    """File name in the media folder."""
    start_s: float
    """Start, POSIX seconds."""
    duration_s: float
    """Length in seconds."""
    origin: Origin
    """How it was recorded."""
    brightness: float = math.nan
    """Mean luma of its background, 0..255; NaN while unknown."""
    cause: Cause = Cause.MOTION
    """Why the camera recorded it, where it did so by itself."""
    size_bytes: int = 0
    """Size of its file, 0 while unknown."""
    width_px: int = 0
    """Width of its picture, 0 while unknown."""

    @property
    def dark(self) -> bool:
        """Whether its picture is that of a night, by its brightness."""
        return self.brightness < DARK_LUMA

    @property
    def end_s(self) -> float:
        """Its end, POSIX seconds."""
        return self.start_s + self.duration_s

    @property
    def by_motion(self) -> bool:
        """Whether it was recorded because something moved, so that it says something about motion settings."""
        return self.origin is Origin.MOTION and self.cause is Cause.MOTION

    @property
    def by_another_cause(self) -> bool:
        """Whether the camera recorded it by itself, but not, or perhaps not, because something moved."""
        return self.origin is Origin.MOTION and self.cause is not Cause.MOTION


@dataclass(frozen=True)
class NewOccurrence:
    """An occurrence with its key pictures."""

    start_s: float
    """On the clip's clock."""
    end_s: float
    """Likewise."""
    key_times_s: Sequence[float]
    """Times of the key pictures."""
    strip: bytes
    """JPEG of the key pictures side by side."""


@dataclass(frozen=True)
class Occurrence:
    """A thing that really happened, the unit that is counted."""

    id: int
    """Number in the project."""
    clip_id: int
    """The clip that shows it."""
    start_s: float
    """Beginning, seconds on the clip's clock."""
    end_s: float
    """End, likewise."""
    kind: str = ""
    """Id of the kind it was judged as, empty while unjudged."""
    visit: int | None = None
    """Number that it shares with the other parts of one visit, None when it stands alone."""

    @property
    def verdict(self) -> Verdict | None:
        """The judgement, None while there is none."""
        return kind_of(self.kind).verdict if self.kind else None


FOOTAGE = (Origin.CONTINUOUS, Origin.WALK_TEST)
"""Origins that show what happened whether or not anything triggered."""

DARK_LUMA = 55.0
"""A picture of less mean luma is one of a night (common practice, no source); infrared lamps leave most of it dark."""


class Visit(tuple[Occurrence, ...]):
    """One thing that happened: its parts in order of time, at least one."""

    __slots__ = ()

    @property
    def id(self) -> int:
        """Id of the first part, which stands for all of them."""
        return self[0].id

    @property
    def verdict(self) -> Verdict | None:
        """Real when any part is: something real was there. False parts are never joined, so else it is the first's."""
        if len(self) == 1:
            return self[0].verdict
        return Verdict.REAL if any(p.verdict is Verdict.REAL for p in self) else self[0].verdict

    @property
    def kind(self) -> str:
        """Kind of the first part that the verdict rests on."""
        if len(self) == 1:
            return self[0].kind  # the usual case, asked of thousands
        return next((p.kind for p in self if p.verdict is self.verdict), self[0].kind)


def visits_of(occurrences: Iterable[Occurrence]) -> tuple[Visit, ...]:
    """Parts by visit; what is judged false stands alone, since it is a recording too many each time."""
    parts: dict[tuple[bool, int], list[Occurrence]] = {}
    for o in occurrences:
        alone = o.visit is None or o.verdict is Verdict.FALSE
        parts.setdefault((alone, o.id if alone or o.visit is None else o.visit), []).append(o)
    return tuple(Visit(p) for p in parts.values())


@dataclass(frozen=True, eq=False)
class Columns:
    """What N occurrences are looked for by, in the order of the evidence."""

    id: NDArray[np.int64]
    """(N,)."""
    kind: NDArray[np.str_]
    """(N,) what each is judged as, '' while it is not."""
    verdict: NDArray[np.str_]
    """(N,) values of Verdict, '' while it is not judged."""
    origin: NDArray[np.str_]
    """(N,) values of Origin."""
    dark: NDArray[np.bool_]
    """(N,) its picture is one of the night."""
    begin_s: NDArray[np.float64]
    """(N,) when it began, POSIX seconds."""


@dataclass(frozen=True, eq=False)
class VisitTable:
    """Visits as arrays. V visits, P parts."""

    ids: NDArray[np.int64]
    """(V,) id of each."""
    parts: NDArray[np.int64]
    """(P,) positions of their parts among the occurrences, visit by visit, in order of time."""
    first: NDArray[np.int64]
    """(V,) where each begins in `parts`."""
    real: NDArray[np.bool_]
    """(V,) judged real."""
    false: NDArray[np.bool_]
    """(V,) judged false."""
