"""Local times and the clocks that show them."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from guardia.core.base.errors import InvalidValue


@dataclass(frozen=True)
class Resolved:
    """A wall time turned into a moment."""

    moment: datetime
    """Aware, in the site's zone."""
    doubt: str
    """'' when there is none, 'twice' when the clocks showed it twice that night, 'never' when they skipped it."""


def resolve(wall: datetime, zone: ZoneInfo, *, after: datetime | None = None) -> Resolved:
    """Turn the wall time that a device showed into a moment.

    In the hour that happens twice the first is meant, unless the one before it in the same list is later than that. A
    time that the clocks skipped comes from a device that did not change its clock: it is read as standing before the
    change.

    Args:
        wall: Naive local time, or an aware one, which is only converted.
        zone: The site's.
        after: Moment of the entry before it, when the list runs in order of time.

    Returns:
        The moment and what is doubtful about it.
    """
    if wall.tzinfo is not None:
        return Resolved(wall.astimezone(zone), "")
    first, second = wall.replace(tzinfo=zone), wall.replace(tzinfo=zone, fold=1)
    if first.utcoffset() == second.utcoffset():
        return Resolved(first, "")
    if first.astimezone(UTC).astimezone(zone).replace(tzinfo=None) != wall:
        return Resolved(first.astimezone(UTC).astimezone(zone), "never")
    # Two times of one zone are subtracted as wall times, so the moments are taken.
    if after is not None and timedelta(0) < after.astimezone(UTC) - first.astimezone(UTC) < timedelta(hours=2):
        return Resolved(second, "twice")
    return Resolved(first, "twice")


def check_zone(name: str) -> ZoneInfo:
    """The time zone of a name.

    Args:
        name: An IANA name.

    Returns:
        The zone.

    Raises:
        InvalidValue: If there is no such zone.
    """
    try:
        if name not in _NO_PLACES:
            return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, TypeError, OSError):
        pass  # TypeError: no text in a damaged project; OSError: a folder of zones, or a name too long for a file
    raise InvalidValue(f"'{name[:60]}' is no time zone.", do="Use an IANA name such as Europe/London.")


_NO_PLACES = frozenset(("", "posixrules", "localtime", "Factory"))
"""Files beside the zones that belong to no place, or to the place of whoever opens the project."""


def true_time(shown: datetime, clock_error_s: float) -> datetime:
    """The true time when a clock shows `shown`.

    Args:
        shown: Aware.
        clock_error_s: What the clock shows less the true time, seconds: positive when it is fast.

    Returns:
        Aware, in the same zone.
    """
    return (shown.astimezone(UTC) - timedelta(seconds=clock_error_s)).astimezone(shown.tzinfo)


def error_words(clock_error_s: float) -> str:
    """A clock's error in words, such as '6 min 40 s slow'; empty when it is right to the second."""
    seconds = round(abs(clock_error_s))
    if seconds == 0:
        return ""
    hours, rest = divmod(seconds, 3600)
    minutes, left = divmod(rest, 60)
    parts = [f"{n} {unit}" for n, unit in ((hours, "h"), (minutes, "min"), (left, "s")) if n]
    return f"{' '.join(parts)} {'fast' if clock_error_s > 0 else 'slow'}"


@dataclass(frozen=True)
class TimeForm:
    """One way in which devices write a time."""

    code: str
    """'iso', 'seconds' or 'milliseconds' (since 1970, UTC), or a pattern of the strptime codes in CODES."""
    text: str
    """Words on screen."""


TIME_FORMS = (
    TimeForm("iso", "ISO 8601 (2026-09-07T10:41:15+01:00)"),
    TimeForm("%Y-%m-%d %H:%M:%S", "year-month-day (2026-09-07 10:41:15)"),
    TimeForm("%d/%m/%Y %H:%M:%S", "day/month/year (07/09/2026 10:41:15)"),
    TimeForm("%m/%d/%Y %H:%M:%S", "month/day/year (09/07/2026 10:41:15)"),
    TimeForm("%m/%d/%Y %I:%M:%S %p", "month/day/year, 12 hours (09/07/2026 10:41:15 AM)"),
    TimeForm("%d/%m/%Y %I:%M:%S %p", "day/month/year, 12 hours (07/09/2026 10:41:15 AM)"),
    TimeForm("%d.%m.%Y %H:%M:%S", "day.month.year (07.09.2026 10:41:15)"),
    TimeForm("%Y%m%d%H%M%S", "digits only (20260907104115)"),
    TimeForm("seconds", "seconds since 1970"),
    TimeForm("milliseconds", "milliseconds since 1970"),
)
"""Forms met in event lists, the least ambiguous first."""

NAME_FORMS = (
    TimeForm("", "automatic: year, month, day, hour, minute, second"),
    TimeForm("%d-%m-%Y_%H-%M-%S", "day-month-year_hour-minute-second"),
    TimeForm("%m-%d-%Y_%H-%M-%S", "month-day-year_hour-minute-second"),
    TimeForm("%d%m%y_%H%M%S", "ddmmyy_hhmmss"),
    TimeForm("%y%m%d_%H%M%S", "yymmdd_hhmmss"),
    TimeForm("%Y%m%d_%H%M", "year month day_hour minute, no seconds"),
    TimeForm("seconds", "seconds since 1970"),
    TimeForm("milliseconds", "milliseconds since 1970"),
)
"""Forms met in file names; any other pattern of CODES can be typed."""

CODES = {
    "%Y": r"\d{4}", "%m": r"\d{2}", "%d": r"\d{2}", "%H": r"\d{2}", "%M": r"\d{2}", "%S": r"\d{2}", "%y": r"\d{2}",
    "%I": r"\d{2}", "%p": r"[AaPp][Mm]", "%j": r"\d{3}", "%b": r"[A-Za-z]{3}", "%z": r"(?:[+-]\d{2}:?\d{2}|Z)",
}  # fmt: skip
"""Codes of a pattern for file names, with what each stands for; the meaning is datetime.strptime's."""

_AUTOMATIC = re.compile(
    r"(?<!\d)(20\d\d)[-_.]?([01]\d)[-_.]?([0-3]\d)[-_. ]{0,3}(T?)[-_. ]{0,3}"
    r"([0-2]\d)[-_.:h]?([0-5]\d)[-_.:m]?([0-5]\d)(?!\d)(?:[.,]\d{1,6}(?=Z|[+-]|[ _.-]?(?:UTC|GMT)))?"
    r"(?:[\s_.-]?([AaPp])\.?[Mm](?![A-Za-z])|[\s_.-]?(Z|UTC|GMT)(?![A-Za-z0-9])"
    r"|([+](?:0\d|1[0-4])[-_:]?[0-5]\d|-(?:0[1-9]|1[0-2])[_:]?(?:00|30))(?!\d))?"
)
"""Year to second, perhaps parts of it, then an hour's half, or UTC or a shift from it."""
_SINCE_1970 = {"seconds": (r"(?<!\d)1\d{9}(?!\d)", 1.0), "milliseconds": (r"(?<!\d)1\d{12}(?!\d)", 1000.0)}


_WITH_ZONE = re.compile(r"(.*?\d(?: ?[AaPp][Mm])?)([.,]\d{1,9})? ?(Z|UTC|GMT|[+-]\d{2}:?\d{2})?")
"""A time, parts of a second, and what is said of its zone."""


def read_time(text: str, code: str) -> datetime:
    """Read a written time.

    Args:
        text: As in an event list.
        code: Of one of TIME_FORMS, or a pattern.

    Returns:
        Aware where the form or the text names a zone, otherwise naive.

    Raises:
        ValueError: If the text is not of that form or lies outside 1990 to 2100.
    """
    text = " ".join(text.split())  # whatever kind of space stands before AM and PM
    if code in _SINCE_1970:
        moment = datetime.fromtimestamp(float(text) / _SINCE_1970[code][1], UTC)
    elif code == "iso":
        moment = datetime.fromisoformat(text)
    else:
        # Devices write wall time, which resolve() gives its zone, unless they say it behind.
        written = _WITH_ZONE.fullmatch(text) if "%z" not in code else None
        parts = written.groups() if written else (text, None, None)
        moment = datetime.strptime(parts[0], code)  # noqa: DTZ007
        if parts[1]:
            moment = moment.replace(microsecond=int(parts[1][1:7].ljust(6, "0")))
        if parts[2]:
            shift = "+00:00" if parts[2][0] not in "+-" else parts[2]
            moment = moment.replace(tzinfo=datetime.fromisoformat(f"2000-01-01T00:00:00{shift}").tzinfo)
    if not 1990 <= moment.year <= 2100:
        raise ValueError(f"the year {moment.year} cannot be right")
    return moment


def time_in_name(name: str, code: str = "", *, latest: datetime | None = None, behind: bool = True) -> datetime | None:
    """Find the time in a file's name.

    Args:
        name: The name.
        code: Of one of NAME_FORMS, or a pattern of CODES; empty for automatic.
        latest: Aware; of several numbers that could be times, such as a serial number, one that lies later is none. Of
            those that are left, the first is taken that is of the newest one's day, such as the begin beside an end.
        behind: A number such as -0500 is a shift from UTC; else it may be a count, and is passed over.

    Returns:
        Naive local time (aware for times since 1970 and where the name tells a shift from UTC), None if the name holds
        none of that form.

    Raises:
        InvalidValue: If the pattern has a code that is not known or is no whole date and time.
    """
    if not code:
        times = times_in_name(name, behind=behind)
        if latest is not None:
            # A day to spare, since the name's zone is not known here.
            limit = latest.replace(tzinfo=None) + timedelta(days=1)
            times = [at for at in times if at.replace(tzinfo=None) <= limit] or times
        newest = max((at.replace(tzinfo=None) for at in times), default=None)
        # What lies more than a day before the newest, such as a serial number, is no begin of it.
        return next((at for at in times if not far_apart((at, newest))), None) if newest else None
    match = re.search(_SINCE_1970[code][0] if code in _SINCE_1970 else _name_pattern(code), name)
    try:
        return read_time(match.group(), code) if match else None
    except ValueError:
        return None


def times_in_name(name: str, *, behind: bool = True) -> list[datetime]:
    """All times that stand in a file's name from the year to the second, in the order of the name."""
    return [at for match in _AUTOMATIC.finditer(name) if (at := _automatic(match, behind)) is not None]


def far_apart(times: Sequence[datetime]) -> bool:
    """Whether times lie more than a day apart, so that they are not the begin and the end of one clip."""
    walls = [at.replace(tzinfo=None) for at in times]
    return bool(walls) and max(walls) - min(walls) > timedelta(days=1)


def behind_in_name(name: str) -> str:
    """What may be a shift behind UTC in a name, such as '-0500'; empty where there is none."""
    return next((m[10] for m in _AUTOMATIC.finditer(name) if m[10] and m[10].startswith("-")), "")


def _automatic(match: re.Match[str], behind: bool) -> datetime | None:
    year, month, day, hour, minute, second = (int(match[n]) for n in (1, 2, 3, 5, 6, 7))
    if half := match[8]:
        if not 1 <= hour <= 12:
            return None
        hour = hour % 12 + (12 if half in "Pp" else 0)
    try:
        wall = datetime(year, month, day, hour, minute, second)  # noqa: DTZ001
        if match[9]:
            return wall.replace(tzinfo=UTC)
        if match[10] and (behind or match[10][0] == "+"):
            digits = "".join(c for c in match[10] if c.isdigit())
            return datetime.fromisoformat(f"{wall.isoformat()}{match[10][0]}{digits[:2]}:{digits[2:]}")
        return wall
    except ValueError:
        return None


def _name_pattern(code: str) -> str:
    parts = re.split(r"(%.)", code)
    unknown = [p for p in parts if p.startswith("%") and p not in CODES]
    has = set(parts)
    day = has & {"%Y", "%y"} and ("%j" in has or ("%d" in has and has & {"%m", "%b"}))
    if unknown or not day or not ("%H" in has or {"%I", "%p"} <= has) or "%M" not in has:
        why = f"{', '.join(unknown)} is not known" if unknown else "it must name a whole date, hour and minute"
        raise InvalidValue(
            f"The pattern '{code}' cannot be used: {why}.",
            do=f"Build it from {' '.join(CODES)}, for example %Y%m%d_%H%M%S.",
        )
    inside = "".join(CODES.get(p, re.escape(p)) for p in parts)
    return rf"(?<!\d){inside}(?!\d)"
