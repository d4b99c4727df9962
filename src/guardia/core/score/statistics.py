"""How often what happens: by cause, hour, light and weather-like pattern, with uncertainty and occurrences."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo

from guardia.core.base.intervals import rate_interval
from guardia.core.evidence.clips import FOOTAGE, Clip, Occurrence, Visit
from guardia.core.evidence.evidence import Evidence
from guardia.core.evidence.watch import length, local_date
from guardia.core.purpose.judgement import KINDS, Verdict, kind_of

PATTERNS: tuple[tuple[str, tuple[str, ...]], ...] = (
    ("wind", ("foliage", "flag_or_rope")),
    ("sun and clouds", ("shadow", "reflection_or_water")),
    ("rain or snow", ("rain_or_snow",)),
    ("around the lamp at night", ("insect_or_web",)),
    ("traffic", ("headlights",)),
    ("animals", ("animal",)),
    ("camera and the rest", ("camera_moved", "other_false")),
)
"""Weather-like patterns with the causes that belong to them (common practice, no source)."""

BY = ("cause", "pattern", "hour", "light", "day")
"""What occurrences can be counted by."""


@dataclass(frozen=True)
class StatisticLine:
    """One line of a statistic."""

    name: str
    """What is counted."""
    ids: tuple[int, ...]
    """The occurrences."""
    days: float
    """Watched time that they are counted on, in days of the hours that are watched; for an hour of the day, how often
    it was watched."""
    rate: float | None
    """A day, None without watched time that is judged."""
    low: float | None
    """Lower end of the exact 95 % Poisson interval of the rate, None likewise."""
    high: float | None
    """Its upper end."""


def lines(evidence: Evidence, by: str, *, verdict: Verdict = Verdict.FALSE) -> list[StatisticLine]:
    """Count the occurrences of one verdict on the motion clips of watched time that is judged.

    Args:
        evidence: Clips and judged occurrences.
        by: One of BY.
        verdict: Real or false.

    Returns:
        'hour', 'light' and 'day' in their order, also where nothing was; the others by how often, where something was.

    Raises:
        ValueError: If `by` is none of BY.
    """
    zone = ZoneInfo(evidence.time_zone)
    ids_by_name: dict[str, list[int]] = {name: [] for name in _names(evidence, by)}
    name_of = _naming(by, zone)
    for visit in _counted(evidence, verdict):
        ids_by_name.setdefault(name_of(visit[0], evidence.clip_of(visit[0])), []).append(visit.id)
    watch = evidence.watch
    exposure: dict[str, float] = {}
    if by == "day":
        exposure = {_day_name(day): length(spans) / watch.day_s for day, spans in watch.counted.items()}
    elif by == "hour":
        exposure = {_hour_name(hour): hours for hour, hours in enumerate(watch.hours_of_day)}
    table = [_line(name, ids, exposure.get(name, watch.counted_days)) for name, ids in ids_by_name.items()]
    if by in ("cause", "pattern"):
        table = sorted((line for line in table if line.ids), key=lambda line: -len(line.ids))
    return table


def line_of(evidence: Evidence, name: str, ids: Collection[int], *, verdict: Verdict) -> StatisticLine:
    """Count some occurrences of one verdict in the same way: those on motion clips of watched time judged whole."""
    wanted = set(ids)
    mine = [v.id for v in _counted(evidence, verdict) if any(p.id in wanted for p in v)]
    return _line(name, mine, evidence.watch.counted_days)


def _counted(evidence: Evidence, verdict: Verdict) -> Iterator[Visit]:
    """What the camera recorded by motion, of one verdict, in watched time that is judged."""
    for visit in evidence.rated_visits:
        if visit.verdict is verdict:
            yield visit


def _day_name(day: date) -> str:
    return f"{day:%a %d %b %Y}"


def _hour_name(hour: int) -> str:
    return f"{hour:02d}:00 to {hour + 1:02d}:00"


def _line(name: str, ids: Sequence[int], days: float) -> StatisticLine:
    interval = rate_interval(len(ids), days) if days else (None, None)
    return StatisticLine(name, tuple(ids), days, len(ids) / days if days else None, *interval)


def _names(evidence: Evidence, by: str) -> list[str]:
    match by:
        case "cause":
            return [k.text for k in KINDS]
        case "pattern":
            return [name for name, _ in PATTERNS]
        case "hour":
            return [_hour_name(hour) for hour in range(24)]
        case "light":
            return ["bright picture", "dark picture"]
        case "day":
            return [_day_name(day) for day in evidence.watch.counted]
    raise ValueError(f"occurrences cannot be counted by {by!r}")


def _naming(by: str, zone: ZoneInfo) -> Callable[[Occurrence, Clip], str]:
    def local(o: Occurrence, clip: Clip) -> datetime:
        return datetime.fromtimestamp(clip.start_s + o.start_s, UTC).astimezone(zone)

    pattern_of = {kind: name for name, kinds in PATTERNS for kind in kinds}
    ways: dict[str, Callable[[Occurrence, Clip], str]] = {
        "cause": lambda o, _clip: kind_of(o.kind).text,
        "pattern": lambda o, _clip: pattern_of.get(o.kind, kind_of(o.kind).text),
        "hour": lambda o, clip: _hour_name(local(o, clip).hour),
        "light": lambda _o, clip: "dark picture" if clip.dark else "bright picture",
        "day": lambda o, clip: _day_name(local_date(clip.start_s + o.start_s, zone)),
    }
    return ways[by]


@dataclass(frozen=True)
class Day:
    """What a local day holds."""

    date: date
    """The day."""
    real: tuple[int, ...]
    """Ids of its real occurrences."""
    false: tuple[int, ...]
    """Of its false ones."""
    unjudged: tuple[int, ...]
    """Of those that wait or are unsure."""
    footage_s: float
    """Seconds of continuous footage and walk tests on it."""

    @property
    def ids(self) -> tuple[int, ...]:
        """All of them."""
        return (*self.real, *self.false, *self.unjudged)


def days(evidence: Evidence) -> list[Day]:
    """The local days with evidence, in order."""
    zone = ZoneInfo(evidence.time_zone)
    footage: dict[date, float] = {}
    lists: dict[date, tuple[list[int], list[int], list[int]]] = {}
    for clip in evidence.clips:
        day = local_date(clip.start_s, zone)
        lists.setdefault(day, ([], [], []))
        if clip.origin in FOOTAGE:
            footage[day] = footage.get(day, 0.0) + clip.duration_s
    for o in evidence.occurrences:
        day = local_date(evidence.span_s(o)[0], zone)
        place = {Verdict.REAL: 0, Verdict.FALSE: 1}.get(o.verdict, 2) if o.verdict else 2
        lists.setdefault(day, ([], [], []))[place].append(o.id)
    return [
        Day(day, tuple(real), tuple(false), tuple(rest), footage.get(day, 0.0))
        for day, (real, false, rest) in sorted(lists.items())
    ]
