"""Where recordings go: how long the store holds them, and what is no longer there."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import DAY_S, midnight
from guardia.core.purpose.purpose import Purpose
from guardia.core.replay.gate import STORE_GATES, Done
from guardia.core.replay.writing import motion_volume_of, volume_of
from guardia.core.storage.facts import known_fact
from guardia.core.storage.figure import Figure, Source, exactly, product, ratio, total, with_name
from guardia.core.storage.known import StorageKnown
from guardia.core.storage.readings import Measure
from guardia.core.storage.rules import RecordingMode
from guardia.core.storage.stores import Fitted, Store, Takes, filled_a_day, full_since, last_free, space_of
from guardia.core.storage.volume import days_kept

NEVER_DAYS = 36_525.0
"""What would happen in more than a hundred years does not happen."""


@dataclass(frozen=True, eq=False)
class Keeping:
    """What becomes of recordings under some settings."""

    known: StorageKnown
    """Stores, facts and readings."""
    fitted: Fitted | None
    """The store that is recorded to; None where the chosen target is not there, or nothing is known of stores."""
    volume: Figure
    """What this camera writes, GB a day."""
    by_motion: Figure
    """What of it motion records, likewise."""
    everything: Figure
    """The same with the other cameras on the store."""
    space: Figure | None
    """GB for footage, None where it is not known."""
    days: Figure | None
    """Days of footage that the store holds, None where it is not known."""
    full_s: float | None
    """When a store that does not overwrite became or becomes full, POSIX seconds; None where it overwrites or that is
    not known."""
    overwrites_s: float | None
    """From when on something is overwritten, likewise."""

    zone: ZoneInfo
    """Of the site."""
    asked: Purpose | None = None
    """What the camera is for, None while nobody said."""

    @property
    def copies(self) -> tuple[Fitted, ...]:
        """Stores beside the chosen one."""
        return tuple(copy for copy in self.known.copies if copy is not self.fitted)

    @property
    def causes(self) -> tuple[Figure, ...]:
        """What the store is filled with: by cause, or by camera where it is shared."""
        shared = self.fitted is not None and self.fitted.others is not None
        mine = (with_name(self.volume, "this camera"), self.fitted.others) if shared and self.fitted else ()
        return tuple(f for f in mine if f is not None) or self.volume.parts


def keeping_of(done: Done) -> Keeping:
    """Work out where the recordings of a replay go."""
    evidence, settings = done.evidence, done.candidate.settings
    known, storage = evidence.storage, settings.storage
    volume, zone = volume_of(done), ZoneInfo(evidence.time_zone)
    moving = volume if storage.mode is RecordingMode.MOTION else motion_volume_of(done)
    fitted = known.target(storage.target)
    if fitted is None:
        return Keeping(known, None, volume, moving, volume, None, None, None, None, zone, evidence.purpose)
    everything = volume
    if fitted.others is not None:
        everything = total("written a day by all its cameras", "GB", with_name(volume, "this camera"), fitted.others)
    filled = filled_a_day(fitted)
    if filled is not None and fitted.expected is not None and fitted.expected.value > 0:
        # What the readings say of the settings in force holds for others in proportion.
        as_read = ratio("as read, to as worked out", "", filled, fitted.expected)
        as_read = replace(as_read, low=filled.low / fitted.expected.value, high=filled.high / fitted.expected.value)
        everything = product("written a day", "GB", everything, as_read)
    space = space_of(fitted, known_fact(known.facts, "reserve")) if fitted.store.capacity_gb else None
    limit = fitted.store.keeps_days
    if space is not None:
        days = days_kept(space, everything, limit)
    else:
        days = exactly("days kept", limit or 0.0, "days", Source.TYPED, "by the plan")
    full = _full_s(evidence, fitted, space, everything)
    return Keeping(
        known, fitted, volume, moving, everything, space, days, None if storage.overwrite else full,
        full if storage.overwrite else None, zone, evidence.purpose,
    )  # fmt: skip


def _full_s(evidence: Evidence, fitted: Fitted, space: Figure | None, everything: Figure) -> float | None:
    """When the store became full or becomes so: by its readings, else from when it was taken into use."""
    if (since := full_since(fitted)) is not None:
        return since
    if everything.value <= 0:
        return None
    free = last_free(fitted)
    begins = fitted.store.begins
    if free is not None and free.value is not None:
        from_s, left = free.at_s, free.value
    elif space is not None and begins is not None:
        from_s, left = midnight(begins, ZoneInfo(evidence.time_zone)), space.value
    else:
        return None
    days = left / everything.value
    return from_s + days * DAY_S if days <= NEVER_DAYS else None


TARGET, STORE, PLAN, ROOM, KEPT = STORE_GATES


def closed_by_store(done: Done, keeping: Keeping, at_s: float, place: int | None = None) -> dict[str, str]:
    """Which gates of the store close for a recording, by their ids, and why.

    Args:
        done: The replay.
        keeping: Where its recordings go.
        at_s: When it was recorded, POSIX seconds.
        place: Of the occurrence that it shows, in the arrays; None where that is not known.

    Returns:
        Words by the gate's id; empty where it is still there, as far as anybody knows.
    """
    if not keeping.known.stores or any(
        keeps(keeping, copy, at_s) for copy in keeping.copies if receives(done, copy.store, place)
    ):
        return {}
    return closed_at_target(done, keeping, at_s)


def receives(done: Done, store: Store, place: int | None) -> bool:
    """Whether a store gets what is recorded of an occurrence; of one that is not known only what gets everything."""
    if place is None:
        return store.takes is Takes.ALL and not store.classes and store.longest_s is None
    if store.takes is Takes.MOTION and not done.marked[place]:
        return False
    occurrence = done.evidence.occurrences[place]
    event = done.evidence.event_of.get(occurrence.id)
    return not store.classes or (event is not None and event.named in store.classes)


def closed_at_target(done: Done, keeping: Keeping, at_s: float) -> dict[str, str]:
    """As closed_by_store(), of the chosen store alone."""
    storage = done.candidate.settings.storage
    known, fitted = keeping.known, keeping.fitted
    if fitted is None:
        there = " and ".join(f.store.kind.value for f in known.stores)
        return {TARGET: f"the camera is set to record to '{storage.target}', which it does not have; it has: {there}"}
    closed: dict[str, str] = {}
    state = fitted.state_at(at_s)
    if state not in (None, Measure.HEALTHY):
        closed[STORE] = f"'{fitted.store.name}' was {state}"
    ends = fitted.store.ends
    zone = ZoneInfo(done.evidence.time_zone)
    if ends is not None and at_s >= midnight(ends + timedelta(days=1), zone):
        closed[PLAN] = f"the plan of '{fitted.store.name}' ended on {ends:%Y-%m-%d}"
    if keeping.full_s is not None and at_s >= keeping.full_s:
        full = datetime.fromtimestamp(keeping.full_s, UTC).astimezone(zone)
        closed[ROOM] = f"'{fitted.store.name}' was full from {full:%Y-%m-%d} and does not overwrite"
    if (gone := gone_s(keeping, at_s)) is not None and known.asked_s >= gone:
        on = datetime.fromtimestamp(gone, UTC).astimezone(zone)
        closed[KEPT] = f"it was overwritten about {on:%Y-%m-%d}: '{fitted.store.name}' holds {_days(keeping)}"
    return closed


def _days(keeping: Keeping) -> str:
    return keeping.days.words if keeping.days is not None else ""


def gone_s(keeping: Keeping, at_s: float, *, surely: bool = True) -> float | None:
    """When something recorded at a moment is overwritten.

    Args:
        keeping: Of the settings.
        at_s: When it was recorded, POSIX seconds.
        surely: By the days that are most likely; else by the fewest days of their band, which is what a deadline goes
            by.

    Returns:
        POSIX seconds; None where it is never overwritten, or that is not known.
    """
    days = keeping.days
    if days is None or (keeping.full_s is not None and keeping.overwrites_s is None):
        return None
    count = days.value if surely else days.low
    if not count <= NEVER_DAYS:
        return None
    gone = at_s + count * DAY_S
    # Nothing is overwritten before the store is full for the first time.
    return gone if keeping.overwrites_s is None else max(gone, keeping.overwrites_s if surely else 0.0)


def keeps(keeping: Keeping, copy: Fitted, at_s: float) -> bool:
    """Whether a store beside the chosen one still holds what it got at a moment, as far as anybody knows."""
    ends = copy.store.ends
    if ends is not None and at_s >= midnight(ends + timedelta(days=1), keeping.zone):
        return False
    if copy.state_at(at_s) not in (None, Measure.HEALTHY):
        return False
    return keeping.known.asked_s < at_s + copy_days(keeping, copy) * DAY_S


def copy_days(keeping: Keeping, copy: Fitted) -> float:
    """Days that a store beside the chosen one holds."""
    return copy_kept(keeping, copy).value


def copy_kept(keeping: Keeping, copy: Fitted) -> Figure:
    """Days that a store beside the chosen one holds, with how that comes about; as if it got whole recordings."""
    limit = copy.store.keeps_days
    if not copy.store.capacity_gb:
        return exactly("days kept", math.inf if limit is None else limit, "days", Source.TYPED, "by the plan")
    written = keeping.by_motion if copy.store.takes is Takes.MOTION else keeping.volume
    if copy.others is not None:
        written = total("written a day by all its cameras", "GB", with_name(written, "this camera"), copy.others)
    return days_kept(space_of(copy, known_fact(keeping.known.facts, "reserve")), written, limit)
