"""Answers about battery, sun and data: how long a charge and an allowance last under some settings."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo

import numpy as np

from guardia.core.replay.keeping import Keeping
from guardia.core.replay.replay import Replay, replay
from guardia.core.score.alerts import alert_score
from guardia.core.score.score import score
from guardia.core.storage.battery import (
    DAY_S,
    Activity,
    Drain,
    consumption,
    days_left,
    days_of_packs,
    days_to_empty,
    drain_under,
    fit_drain,
    packs_apart,
)
from guardia.core.storage.data import month_days, runs_out, sent_a_day
from guardia.core.storage.facts import fact_figure, known_fact
from guardia.core.storage.figure import Figure, Source, exactly, product, ratio, total
from guardia.core.storage.readings import Measure
from guardia.core.storage.solar import monthly_yield
from guardia.core.storage.stores import OFF_SITE

AHEAD_DAYS = 14
"""So far ahead the sun of the days to come is taken for a forecast (common practice, no source)."""


@dataclass(frozen=True)
class Charge:
    """How long a battery lasts."""

    drawn: Figure
    """Wh a day by cause, as worked out."""
    per_day: Figure
    """Percent a day: measured by readings, else drawn over what the battery holds, less what the panel brings."""
    measured: Drain | None
    """What the readings tell, None where there are too few."""
    days: Figure
    """Until it must be charged: from the last reading, else from full."""
    charge_on: date | None
    """The date of that, None without a reading to start from or where it does not come within ten years."""
    months: tuple[Figure, ...]
    """Days that a full charge lasts in each month with the panel; none without one."""
    gained: tuple[Figure, ...]
    """What the panel brings in each month, Wh a day; likewise."""
    packs: str
    """What two packs tell, empty where nothing."""

    @property
    def failing_month(self) -> str:
        """The month in which it fails first with its panel; empty where it lasts through the year."""
        failing = [m for m in self.months if math.isfinite(m.value) and m.value < 31]
        return min(failing, key=lambda m: m.value).name if failing else ""


def activity_of(done: Replay) -> Activity:
    """What a camera does in a day under some settings that costs charge."""
    light, dark = _seconds(done)
    score = alert_score(done.evidence, done)
    days = done.evidence.watch.counted_days
    alerts = (score.false + score.real_told) / days if days else 0.0
    every = done.candidate.settings.storage.snapshot_every_s
    return Activity(
        total("recorded", "s", light, dark),
        dark,
        DAY_S / every if every else 0.0,
        exactly("alerts a day", alerts, "", Source.MEASURED, "by the replay"),
        done.candidate.settings.storage.white_light,
    )


def _seconds(done: Replay) -> tuple[Figure, Figure]:
    """Seconds a day by day and in the dark, from the volume's own parts."""
    figures = {p.name: p for part in done.keeping.volume.parts for p in part.parts}
    none = exactly("recorded", 0.0, "s", Source.MEASURED)
    return figures.get("recorded by day", none), figures.get("recorded in the dark", none)


def charge_of(done: Replay, installed: Replay | None = None) -> Charge | None:
    """How long the battery lasts under some settings.

    Args:
        done: Their replay.
        installed: Replay of the settings under which the readings were taken; the same when None.

    Returns:
        None for a camera on mains.
    """
    power = done.candidate.capability.storage.power
    if power is None:
        return None
    known = done.keeping.known
    drawn = consumption(activity_of(done), power, known.facts)
    before = drawn if installed is None else consumption(activity_of(installed), power, known.facts)
    battery = fact_figure(known.facts, "battery", power.band(power.battery_wh))
    panel = fact_figure(known.facts, "panel", power.band(power.panel_w)) if power.panel_w else None
    if panel is None and "panel" in known.facts:
        panel = fact_figure(known.facts, "panel")
    battery = battery or exactly("battery", power.battery_wh, "Wh")
    down_to = known_fact(known.facts, "charge_at").value
    asked = datetime.fromtimestamp(known.asked_s, UTC).date()
    place = done.evidence.place
    gained = monthly_yield(place, asked.year, panel, known.facts) if panel is not None else ()
    part = exactly("of it", 1 - down_to / 100, "", how="down to where it is charged")
    usable = product("charge to use", "Wh", battery, part)
    packs = packs_apart(known.readings)
    months = tuple(_named(days_to_empty(usable, drawn, one), one.name) for one in gained)
    fitted = [d for pack in (Measure.BATTERY, Measure.BATTERY_2) if (d := fit_drain(known.readings, pack)) is not None]
    if fitted:
        drains = [
            drain_under(d.per_day, before, drawn, battery=battery, then=_gained(gained, d.first_s, d.last_s),
                        ahead=_gained(gained, d.last_s, d.last_s + AHEAD_DAYS * DAY_S))
            for d in fitted
        ]  # fmt: skip
        from_s = max(d.last_s for d in fitted)
        # A pack that was read earlier than the other has drained further since.
        levels = [d.level - (from_s - d.last_s) / DAY_S * max(0.0, d.per_day.value) for d in fitted]
        days = days_of_packs(levels, drains, down_to, in_turn=power.packs_in_turn)
        first = min(range(len(drains)), key=lambda n: days_left(levels[n], drains[n], down_to).value)
        return Charge(drawn, drains[first], fitted[first], days, _on(from_s, days, done), months, gained, packs)
    this_month = gained[asked.month - 1] if gained else None
    days = days_to_empty(usable, drawn, this_month)
    percent = ratio("drain", "% a day", exactly("percent to use", 100 - down_to, "%"), days)
    return Charge(drawn, percent, None, days, None, months, gained, packs)


def _gained(by_month: Sequence[Figure], from_s: float, to_s: float) -> Figure | None:
    """What the panel brings a day between two moments, by the months of its days; None without a panel."""
    if not by_month:
        return None
    days = [datetime.fromtimestamp(at, UTC).month for at in np.arange(from_s, max(to_s, from_s + 1.0), DAY_S)]
    figures = [by_month[month - 1] for month in days]
    value, low, high = (float(np.mean([getattr(f, end) for f in figures])) for end in ("value", "low", "high"))
    return Figure("panel", value, low, high, "Wh", figures[0].source, "by the sun of those days", tuple(set(figures)))


def _named(figure: Figure, name: str) -> Figure:
    return Figure(name, figure.value, figure.low, figure.high, figure.unit, figure.source, figure.how, figure.parts)


def _on(from_s: float, days: Figure, done: Replay) -> date | None:
    if not days.value < 3660:
        return None
    at = datetime.fromtimestamp(from_s + days.value * DAY_S, UTC)
    return at.astimezone(ZoneInfo(done.evidence.time_zone)).date()


@dataclass(frozen=True)
class Sent:
    """What is sent over a mobile network."""

    a_day: Figure
    """GB a day by cause."""
    a_month: Figure
    """GB a month."""
    allowance: Figure | None
    """GB a month, None while nobody said."""
    runs_out: date | None
    """The day on which it is used up in the data month of the last reading, else of a whole one; None if it lasts."""
    month: tuple[date, date]
    """First day of that data month and of the next."""


def sent_of(done: Replay) -> Sent | None:
    """What a camera on a mobile network sends under some settings; None for one that is not on such."""
    keeping = done.keeping
    if not done.candidate.capability.storage.mobile:
        return None
    facts, parts = keeping.known.facts, keeping.volume.parts
    snapshots = next((p for p in parts if p.name == "snapshots"), None)
    clips = total("clips", "GB", *(p for p in parts if p.name != "snapshots"))
    rate = next((p for part in parts for p in part.parts if p.unit == "Mbit/s"), known_fact(facts, "bits_per_pixel"))
    a_day = sent_a_day(clips, snapshots, known_fact(facts, "live"), rate)
    zone = ZoneInfo(done.evidence.time_zone)
    read = next((r for r in reversed(keeping.known.readings) if r.what is Measure.DATA_USED), None)
    at = read.at_s if read is not None else keeping.known.asked_s
    on = datetime.fromtimestamp(at, UTC).astimezone(zone).date()
    month = month_days(on, int(known_fact(facts, "month_begins").value))
    days = exactly("days of this data month", float((month[1] - month[0]).days), "days", Source.MEASURED)
    a_month = product("sent a month", "GB", a_day, days)
    allowance = fact_figure(facts, "allowance")
    out = None
    if allowance is not None:
        used, since = (float(read.value or 0.0), on) if read is not None else (0.0, month[0])
        out = runs_out(used, since, month[1], a_day, allowance.value)
    return Sent(a_day, a_month, allowance, out, month)


def uploads(keeping: Keeping) -> Figure | None:
    """What a camera needs of the line while it sends, Mbit/s: the greater of its rates; None where nothing leaves."""
    used = (keeping.fitted, *keeping.known.copies)
    if not any(f is not None and f.store.kind in OFF_SITE for f in used):
        return None
    rates = [p for part in keeping.volume.parts for p in part.parts if p.unit == "Mbit/s"]
    return max(rates, key=lambda r: r.value) if rates else None


@dataclass(frozen=True)
class Saved:
    """What one lever would save of a charge."""

    words: str
    """What is changed."""
    drawn: Figure
    """Wh a day then."""
    days: Figure
    """Until it must be charged then."""
    missed: int
    """Real visits that are missed then and not before."""


def levers_saved(done: Replay, installed: Replay | None = None) -> list[Saved]:
    """What each lever by itself would save, the most first; none for a camera on mains.

    Args:
        done: Replay of the settings to start from.
        installed: Replay of the settings under which the readings were taken; the same when None.

    Returns:
        Snapshots further apart or none, infrared in place of white light, shorter recordings, a longer rest.
    """
    make, settings = done.candidate.capability, done.candidate.settings
    before = charge_of(done, installed)
    if before is None:
        return []
    every, rules = settings.storage.snapshot_every_s, make.storage
    tried: list[tuple[str, dict[str, object]]] = []
    for seconds in rules.snapshot_choices_s if every else ():
        if seconds == 0 or seconds > every:
            words = f"a snapshot every {seconds:g} s" if seconds else "no snapshots"
            tried.append((words, {"snapshot_every_s": seconds}))
    if settings.storage.white_light:
        tried.append(("infrared in place of white light", {"white_light": False}))
    length, rest = settings.recording.length_s, settings.recording.rest_s
    for choice in make.length_choices_s:
        if choice is not None and (length is None or choice < length):
            tried.append((f"recording length {choice:g} s", {"length_s": choice}))
    tried += [(f"pause {r:g} s", {"rest_s": r}) for r in make.rest_choices_s if r > rest]
    missed = set(score(done.evidence, done).real_missed)
    saved = []
    for words, values in tried:
        other = replay(done.evidence, done.candidate.with_values(**values), motion=done.motion)
        after = charge_of(other, installed or done)
        if after is not None and after.drawn.value < before.drawn.value:
            more = len(set(score(other.evidence, other).real_missed) - missed)
            saved.append(Saved(words, after.drawn, after.days, more))
    return sorted(saved, key=lambda s: s.drawn.value)


def drains_most(charge: Charge) -> list[tuple[str, float]]:
    """Causes by their share of what is drawn, the greatest first."""
    whole = charge.drawn.value or 1.0
    return sorted(((p.name, p.value / whole) for p in charge.drawn.parts), key=lambda c: -c[1])
