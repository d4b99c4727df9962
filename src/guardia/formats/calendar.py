"""Plans and exceptions as iCalendar (RFC 5545), by the icalendar and dateutil libraries."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime, time, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

from guardia.core.base.errors import InvalidValue
from guardia.core.hours.place import DAY_S, SitePlace, sun_seconds
from guardia.core.hours.plan import Edge, Special, Stretch, WeekPlan
from guardia.formats.plain import plain_file

LARGEST_BYTES = 5_000_000
MOST_SPECIALS = 400
SUN_DAYS = 366
"""Stretches by the sun are written out for a year: a recurrence cannot follow the sun."""

_BYDAY = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")


def calendar_of(plans: Mapping[str, WeekPlan], place: SitePlace, first: date) -> bytes:
    """Plans as a calendar.

    Args:
        plans: By what they are for, such as 'Gate, recording'.
        place: Where the site lies.
        first: The first date.

    Returns:
        An iCalendar file: a weekly event for each stretch by the clock, single ones for a year for those by the sun,
        and one for each exception.

    Raises:
        InvalidValue: If a plan follows the sun and it is not known where the site lies.
    """
    from icalendar import Calendar, Event  # slow to import, and needed only here

    zone, calendar = ZoneInfo(place.zone), Calendar()
    calendar.add("prodid", "-//Guardia//hours//EN")
    calendar.add("version", "2.0")
    stamp = datetime.combine(first, time(), UTC)

    def add(name: str, begin: datetime, end: datetime, rule: Mapping[str, object] | None = None) -> None:
        event = Event()
        event.add("uid", f"{name}-{begin:%Y%m%dT%H%M}".replace(" ", "-") + "@guardia")
        event.add("dtstamp", stamp)
        event.add("summary", name)
        event.add("dtstart", begin.replace(tzinfo=zone))
        event.add("dtend", end.replace(tzinfo=zone))
        if rule is not None:
            event.add("rrule", rule)
        calendar.add_component(event)

    for name, plan in plans.items():
        for stretch in plan.stretches:
            days = [first + timedelta(days=n) for n in range(SUN_DAYS)]
            mine = [day for day in days if day.weekday() in stretch.days]
            by_sun = stretch.begin.sun is not None or stretch.end.sun is not None
            for day in mine if by_sun else mine[:1]:
                begin, end = _moments(stretch, day, place)
                rule = None if by_sun else {"freq": "weekly", "byday": [_BYDAY[d] for d in stretch.days]}
                if end > begin:
                    add(name, begin, end, rule)
        for special in plan.specials:
            add(f"{name}, {special.name}: {special.rule}", special.begin, special.end)
    calendar.add_missing_timezones()
    return bytes(calendar.to_ical())


def days_calendar(entries: Sequence[tuple[str, str, date]]) -> bytes:
    """Things to do as whole days.

    Args:
        entries: Summary, description and date of each.

    Returns:
        An iCalendar file with an event for each; the same entry keeps its identity from one file to the next.
    """
    from icalendar import Calendar, Event  # slow to import, and needed only here

    calendar = Calendar()
    calendar.add("prodid", "-//Guardia//due//EN")
    calendar.add("version", "2.0")
    for summary, description, day in entries:
        event = Event()
        digest = hashlib.sha256(f"{summary} {day}".encode()).hexdigest()[:20]
        event.add("uid", f"{digest}@guardia")
        event.add("dtstamp", datetime.combine(day, time(), UTC))
        event.add("summary", summary)
        event.add("description", description)
        event.add("dtstart", day)
        event.add("dtend", day + timedelta(days=1))
        calendar.add_component(event)
    return bytes(calendar.to_ical())


def _moments(stretch: Stretch, day: date, place: SitePlace) -> tuple[datetime, datetime]:
    """Begin and end of a stretch that begins on a date, on the site's clock."""
    after = day + timedelta(days=int(stretch.overnight))
    return _moment(stretch.begin, day, place), _moment(stretch.end, after, place)


def _moment(edge: Edge, day: date, place: SitePlace) -> datetime:
    seconds = edge.minute * 60.0
    if edge.sun is not None:
        seconds += min(sun_seconds(place, edge.sun, day.toordinal())[0], DAY_S)
    return datetime.combine(day, time()) + timedelta(seconds=round(seconds))


def read_days(path: Path, place: SitePlace, first: date, last: date) -> list[tuple[str, date]]:
    """Titles and dates of a calendar's events, in order of time; parameters and errors as read_specials()."""
    specials = read_specials(path, place, "off", first, last, kept="Nothing was taken.")
    return [(s.name, s.begin.date()) for s in specials]


def read_specials(
    path: Path, place: SitePlace, rule: str, first: date, last: date, *, kept: str = "No exception was changed."
) -> tuple[Special, ...]:
    """Exceptions from a calendar, such as the days on which a site is closed.

    Args:
        path: An iCalendar file.
        place: Where the site lies.
        rule: What holds on those dates, as Special.rule.
        first: Recurring events are taken from this date on.
        last: To this date.
        kept: What an error says was kept.

    Returns:
        In order of time.

    Raises:
        InvalidValue: If the file cannot be read, is no calendar, or holds too many events.
    """
    from icalendar import Calendar  # slow to import, and needed only here

    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise InvalidValue(f"'{path.name}' is larger than {LARGEST_BYTES // 1_000_000} MB.")
        calendar = Calendar.from_ical(plain_file(path).read_bytes())
        events = [e for e in calendar.walk("VEVENT") if e.get("DTSTART") is not None]
        specials = [s for event in events for s in _of_event(event, place, rule, first, last)]
    except (OSError, ValueError, TypeError, AttributeError) as error:
        raise InvalidValue(
            f"'{path.name}' cannot be read as a calendar ({error}).", kept=kept,
            do="Export it as iCalendar (.ics).",
        ) from error  # fmt: skip
    if len(specials) > MOST_SPECIALS:
        raise InvalidValue(
            f"'{path.name}' holds {len(specials)} events from {first} to {last}, {MOST_SPECIALS} are taken at most.",
            kept=kept, do="Ask for fewer dates.",
        )  # fmt: skip
    return tuple(sorted(specials, key=lambda s: (s.begin, s.end, s.name)))


def _of_event(event: Mapping[str, object], place: SitePlace, rule: str, first: date, last: date) -> list[Special]:
    """What one event, recurring or not, means from one date to another."""
    from dateutil.rrule import rrulestr

    begin = _local(event["DTSTART"].dt, place)  # type: ignore[attr-defined]
    whole = not isinstance(event["DTSTART"].dt, datetime)  # type: ignore[attr-defined]
    if event.get("DTEND") is not None:
        end = _local(event["DTEND"].dt, place)  # type: ignore[attr-defined]
    elif event.get("DURATION") is not None:
        end = begin + event["DURATION"].dt  # type: ignore[attr-defined]
    else:
        end = begin + (timedelta(days=1) if whole else timedelta(0))
    name = str(event.get("SUMMARY") or "closed")
    begins = [begin]
    if event.get("RRULE") is not None:
        text = event["RRULE"].to_ical().decode()  # type: ignore[attr-defined]
        low, high = (datetime.combine(day, time()) for day in (first, last + timedelta(days=1)))
        until = event["RRULE"].get("UNTIL")  # type: ignore[attr-defined]
        if until:  # in UTC as a rule, while the begins are on the site's clock
            text = ";".join(part for part in text.split(";") if not part.startswith("UNTIL="))
            high = min(high, _local(until[0], place) + timedelta(days=0 if isinstance(until[0], datetime) else 1))
        begins = rrulestr(text, dtstart=begin).between(low, high, inc=True)
    return [Special(name, b, b + (end - begin), rule) for b in begins if end > begin and b.date() <= last]


def _local(moment: date | datetime, place: SitePlace) -> datetime:
    """A calendar's date or time on the site's clock."""
    if not isinstance(moment, datetime):
        return datetime.combine(moment, time())
    return moment if moment.tzinfo is None else moment.astimezone(ZoneInfo(place.zone)).replace(tzinfo=None)
