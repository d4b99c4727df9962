"""What is due when on a camera: the weekly look, charging, plans that end, recordings to save, changes to check."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from guardia.core.base.words import count_of
from guardia.core.evidence.watch import merged
from guardia.core.replay.replay import Replay
from guardia.core.score.power import charge_of, sent_of
from guardia.core.score.storage import keep_list
from guardia.core.storage.facts import known_fact
from guardia.core.storage.readings import Measure

CHECK_AFTER = timedelta(days=7)
"""A change is checked on the evidence of a week (common practice, no source)."""

CLEAN_EVERY = timedelta(days=90)
"""A lens is cleaned every quarter (common practice, no source)."""

BEFORE_END = timedelta(days=14)
"""A plan is renewed or replaced two weeks before it ends (common practice, no source)."""


AHEAD = timedelta(days=366)
"""What is due later than in a year is not told yet."""


@dataclass(frozen=True)
class Due:
    """One thing to do by a date."""

    camera: str
    """Name of the camera."""
    what: str
    """What to do."""
    on: date
    """By when."""
    why: str
    """What the date rests on."""
    patrol: int = 0
    """The camera's place on the round; 0 where nobody said."""
    by_hand: bool = False
    """Entered by hand or from a calendar: it can be done with."""


def due_of(camera: str, done: Replay, patrol: int = 0) -> list[Due]:
    """What is due on one camera under the settings in force.

    Args:
        camera: Its name.
        done: Replay of its installed settings.
        patrol: Its place on the round.

    Returns:
        In order of the dates.
    """
    evidence, keeping = done.evidence, done.keeping
    known, zone = keeping.known, ZoneInfo(evidence.time_zone)

    def day(at_s: float) -> date:
        return datetime.fromtimestamp(at_s, UTC).astimezone(zone).date()

    due: list[tuple[str, date, str]] = []
    looks = [r.at_s for r in known.readings] + [r.at_s for f in known.stores for r in f.readings]
    looks += [c.end_s for c in evidence.clips]
    every = known_fact(known.of_site, "round_every").value
    if looks:
        last = day(max(looks))
        due.append(("look whether it records", last + timedelta(days=round(every)), f"last seen on {last}"))
    if (charge := charge_of(done)) is not None and charge.charge_on is not None:
        due.append(("charge the battery", charge.charge_on, f"by its drain of {charge.per_day.words}"))
    for fitted in known.stores:
        if fitted.store.ends is not None:
            due.append((f"renew or replace '{fitted.store.name}'", fitted.store.ends - BEFORE_END,
                          f"it ends on {fitted.store.ends}"))  # fmt: skip
    if keeping.full_s is not None and keeping.fitted is not None:
        due.append((f"empty '{keeping.fitted.store.name}', or let it overwrite", day(keeping.full_s),
                      "it is full then and does not overwrite"))  # fmt: skip
    saving = [k.deadline_s for k in keep_list(done) if not k.gone and k.deadline_s is not None]
    if saving:
        number = count_of(sum(day(s) == day(min(saving)) for s in saving), "real recording")
        due.append((f"save {number}", day(min(saving)), "overwritten from then on"))
    if (sent := sent_of(done)) is not None and sent.runs_out is not None:
        due.append(("look at the data used", sent.runs_out, "the allowance is used up then"))
    changed = evidence.epochs[-1].from_s if evidence.epochs else -math.inf
    if math.isfinite(changed) and not any(c.start_s > changed for c in evidence.motion_clips):
        due.append(("import the week since the change", day(changed) + CHECK_AFTER, f"changed on {day(changed)}"))
    cleaned = [r.at_s for r in known.readings if r.what is Measure.LENS_CLEANED]
    if cleaned:
        due.append(("clean its lens", day(cleaned[-1]) + CLEAN_EVERY, f"last cleaned on {day(cleaned[-1])}"))
    ups = [begin for begin, _ in merged(evidence.watched)][1:]
    if ups and not any(c.start_s >= ups[-1] for c in evidence.motion_clips):
        due.append(("test that it records again", day(ups[-1]), f"it was down until {day(ups[-1])}"))
    latest = day(known.asked_s) + AHEAD
    due = [one for one in due if one[1] <= latest]
    return sorted((Due(camera, what, on, why, patrol) for what, on, why in due), key=lambda d: d.on)


def in_patrol_order(dues: Sequence[Due]) -> list[Due]:
    """By date, of one day in the order of the round; cameras without a place come last."""
    return sorted(dues, key=lambda d: (d.on, d.patrol or 10_000, d.camera))
