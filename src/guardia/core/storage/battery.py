"""A battery: how fast it drains by its readings, or by what the camera does, and when it is empty."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from guardia.core.storage.facts import fact_figure, known_fact
from guardia.core.storage.figure import Figure, Source, exactly, product, ratio, short, total
from guardia.core.storage.rates import straight_line
from guardia.core.storage.readings import Measure, Reading
from guardia.core.storage.rules import PowerDraw

DAY_S = 86400.0

CHARGED_PERCENT = 8.0
"""A rise by more than this between two readings is a charge; less is noise or a warmer cell."""

CHANGE_SPREAD = 1.5
"""What settings change of the drain, as a ratio, may be so many times as great or as small (common practice, no
source)."""


@dataclass(frozen=True)
class Drain:
    """What readings of one pack tell."""

    per_day: Figure
    """Percent a day, with its interval (90 %)."""
    level: float
    """Percent at the last reading."""
    last_s: float
    """When that was, POSIX seconds."""
    first_s: float
    """When the first of those readings was."""
    count: int
    """Readings since the last charge."""
    per_degree: float | None = None
    """Percent of charge shown a degree, where temperatures were read with them; None where not."""


def since_charge(readings: Sequence[Reading], pack: Measure) -> list[Reading]:
    """Readings of a pack since it was charged last, in order of time."""
    of_pack = [r for r in readings if r.what is pack and r.value is not None]
    begin = 0
    for n in range(1, len(of_pack)):
        if float(of_pack[n].value or 0) - float(of_pack[n - 1].value or 0) > CHARGED_PERCENT:
            begin = n
    return of_pack[begin:]


def fit_drain(readings: Sequence[Reading], pack: Measure = Measure.BATTERY) -> Drain | None:
    """Drain of one pack by least squares over its readings since the last charge.

    Args:
        readings: Of the camera, in order of time.
        pack: Which pack.

    Returns:
        The slope of percent over days, with Student's interval (90 %); where a temperature was read within an hour of
        each of at least five readings, with the temperature as a second term. None for fewer than three readings.
    """
    run = since_charge(readings, pack)
    days = [r.at_s / DAY_S for r in run]
    warm = [_temperature(readings, r.at_s) for r in run]
    known = [w for w in warm if w is not None]
    with_warmth = len(run) >= 5 and len(known) == len(run) and max(known) - min(known) > 1.0
    line = straight_line(days, [float(r.value or 0.0) for r in run], *([known] if with_warmth else []))
    if line is None:
        return None
    how = f"a straight line through {len(run)} readings over {days[-1] - days[0]:.0f} days"
    per_day = Figure("drain", -line.value, -line.high, -line.low, "% a day", Source.MEASURED, how)
    return Drain(
        per_day, float(run[-1].value or 0.0), run[-1].at_s, run[0].at_s, len(run), line.more[0] if line.more else None
    )


def _temperature(readings: Sequence[Reading], at_s: float) -> float | None:
    near = [r for r in readings if r.what is Measure.TEMPERATURE and abs(r.at_s - at_s) <= 3600]
    return min(near, key=lambda r: abs(r.at_s - at_s)).value if near else None


@dataclass(frozen=True)
class Activity:
    """What a camera does in a day that costs charge."""

    recorded: Figure
    """Seconds recorded a day."""
    recorded_dark: Figure
    """Of these in the dark."""
    snapshots: float
    """Snapshots a day."""
    alerts: Figure
    """Alerts a day."""
    white_light: bool = False
    """The dark recordings are lit in white."""


def consumption(activity: Activity, power: PowerDraw, facts: Mapping[str, float]) -> Figure:
    """Watt-hours a day by cause.

    Args:
        activity: What it does.
        power: What that draws, as assumed for the make.
        facts: What was typed in.

    Returns:
        Sum over causes: standby x 24 h, seconds x power, counts x energy.
    """

    def draw(name: str, value: float) -> Figure:
        figure = fact_figure(facts, name, power.band(value))
        assert figure is not None
        return figure

    day = exactly("hours", 24.0, "h", Source.MEASURED, "a day")
    snapshots = exactly("snapshots a day", activity.snapshots, "", Source.TYPED, "by the setting")
    live, wakes = known_fact(facts, "live"), known_fact(facts, "wakes")
    parts = [
        product("standby", "Wh", draw("standby", power.standby_mw), day, factor=1e-3),
        product("recording", "Wh", draw("recording", power.recording_w), activity.recorded, factor=1 / 3600),
        product("snapshots", "Wh", draw("snapshot_energy", power.snapshot_j), snapshots, factor=1 / 3600),
        product("alerts", "Wh", draw("alert_energy", power.alert_j), activity.alerts, factor=1 / 3600),
        product("live looks", "Wh", draw("live_power", power.live_w), live, factor=1 / 60),
        product("waking to look", "Wh", draw("wake_energy", power.wake_j), wakes, factor=1 / 3600),
    ]
    if activity.white_light and power.white_light_w:
        light = draw("white_light", power.white_light_w)
        parts.append(product("white light", "Wh", light, activity.recorded_dark, factor=1 / 3600))
    return total("drawn a day", "Wh", *([p for p in parts if p.value > 0] or parts[:1]))


def days_to_empty(charge: Figure, drawn: Figure, gained: Figure | None = None) -> Figure:
    """Days until a charge is used up; without end where at least as much is gained as is drawn.

    Args:
        charge: Wh.
        drawn: Wh a day.
        gained: Wh a day from a panel, None without one.

    Returns:
        Days.
    """
    if gained is None or gained.value <= 0:
        return ratio("days to empty", "days", charge, drawn)
    net, low, high = drawn.value - gained.value, drawn.low - gained.high, drawn.high - gained.low
    how = f"{charge.words} / ({drawn.words} drawn - {gained.words} gained)"
    parts = (charge, drawn, gained)
    value, least, most = (charge.value / n if n > 0 else math.inf for n in (net, high, low))
    return Figure("days to empty", value, least, most, "days", Source.ASSUMED, how, parts)


def drain_under(
    drain: Figure, installed: Figure, draft: Figure, *, battery: Figure, then: Figure | None, ahead: Figure | None
) -> Figure:
    """The drain under other settings, as a balance of what is drawn and what a panel brings.

    Args:
        drain: Percent a day, measured under the installed settings: what was drawn less what the panel brought.
        installed: Wh a day that those settings draw, as worked out.
        draft: Wh a day that the others draw.
        battery: Wh that the packs hold.
        then: What the panel brought while it was measured, Wh a day; None without a panel.
        ahead: What it brings in the days to come, likewise.

    Returns:
        Percent a day, below 0 where it charges: (drain + then) x draft / installed - ahead, the panel in percent of
        the battery. Of the worked-out draws only the ratio counts. The band adds the squares of what each number that
        is not known exactly does to the result; what it does not change drops out.
    """
    factor = draft.value / installed.value if installed.value > 0 else 1.0
    ends = sorted((factor ** (1 / CHANGE_SPREAD), factor**CHANGE_SPREAD))
    how = f"{short(draft.value)} Wh / {short(installed.value)} Wh a day as worked out"
    change = Figure("draft to installed", factor, ends[0], ends[1], "", Source.ASSUMED, how, (draft, installed))
    if then is None or ahead is None:
        then = ahead = exactly("panel", 0.0, "Wh", Source.MEASURED)
    season = ahead.value / then.value if then.value > 0 else 0.0

    def balance(net: float, ratio_: float, brought: float, holds: float) -> float:
        brings = 100.0 * brought / holds
        return (net + brings) * ratio_ - brings * season

    known = {"net": drain, "ratio_": change, "brought": then, "holds": battery}
    at = {name: figure.value for name, figure in known.items()}
    value = balance(**at)
    moved = [
        [balance(**{**at, name: end}) - value for end in (figure.low, figure.high)] for name, figure in known.items()
    ]
    low, high = (math.hypot(*(max(0.0, *(sign * m for m in both)) for both in moved)) for sign in (-1, 1))
    parts = (drain, change, *((then, ahead) if then.value > 0 else ()))
    words = f"({drain.words} measured + {then.words} of the panel) x {short(factor)} - {ahead.words}"
    source = drain.source if factor == 1.0 and season in (0.0, 1.0) else Source.ASSUMED
    how = words if then.value > 0 else f"{drain.words} measured x {short(factor)}"
    return Figure("drain", value, value - low, value + high, "% a day", source, how, parts)


def days_of_packs(levels: Sequence[float], drains: Sequence[Figure], down_to: float, *, in_turn: bool) -> Figure:
    """Days until two packs must be charged.

    Args:
        levels: Percent of each at its last reading.
        drains: Percent a day of each.
        down_to: Percent at which they are charged.
        in_turn: They are used one after another; else both at once.

    Returns:
        Of packs used at once those of the one that comes first, else of what both still hold at the drain of the one
        that is used.
    """
    if in_turn:
        used = max(drains, key=lambda drain: drain.value)
        return days_left(sum(max(0.0, level - down_to) for level in levels) + down_to, used, down_to)
    each = [days_left(level, drain, down_to) for level, drain in zip(levels, drains, strict=True)]
    return min(each, key=lambda figure: figure.value)


def days_left(level: float, per_day: Figure, down_to: float) -> Figure:
    """Days until a level is reached: percent left over percent a day; an interval that holds 0 has no upper end."""
    left = max(0.0, level - down_to)
    how = f"({level:g} % - {down_to:g} %) / {per_day.words}"
    value, low, high = (left / d if d > 0 else math.inf for d in (per_day.value, per_day.high, per_day.low))
    return Figure("days until it must be charged", value, low, high, "days", per_day.source, how, (per_day,))


def packs_apart(readings: Sequence[Reading]) -> str:
    """What two packs tell when they are read apart: one may be empty behind the other."""
    latest = [
        next((r for r in reversed(readings) if r.what is pack), None) for pack in (Measure.BATTERY, Measure.BATTERY_2)
    ]
    one, two = latest
    if one is None or two is None or one.value is None or two.value is None:
        return ""
    if abs(one.value - two.value) < 25 and min(one.value, two.value) > 10:
        return ""
    low, high = sorted((one.value, two.value))
    return (
        f"One pack shows {low:g} %, the other {high:g} %: the weaker one is nearly empty behind the other, or does not "
        "charge. Swap them and read again."
    )
