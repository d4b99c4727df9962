"""Plans and exceptions as iCalendar (RFC 5545), by the icalendar and recurring_ical_events libraries."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime, time, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

from guardia.core.base.errors import InvalidValue
from guardia.core.hours.place import SitePlace, sun_seconds
from guardia.core.hours.plan import Edge, Special, Stretch, WeekPlan
from guardia.formats.plain import plain_file

LARGEST_BYTES = 5_000_000
MOST_SPECIALS = 400
MOST_A_DAY = 4
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
        seconds += sun_seconds(place, edge.sun, day.toordinal())[0]
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
        first: Events are taken that end after the beginning of this date.
        last: To this date.
        kept: What an error says was kept.

    Returns:
        In order of time; of a recurring event each instance, without those left out, moved or cancelled.

    Raises:
        InvalidValue: If the file cannot be read, is no calendar, or holds too many events.
    """
    import recurring_ical_events as recurring  # slow to import, like icalendar, and needed only here
    from icalendar import Calendar

    specials: list[Special] = []
    try:
        if path.stat().st_size > LARGEST_BYTES:
            raise InvalidValue(f"'{path.name}' is larger than {LARGEST_BYTES // 1_000_000} MB.")
        calendar = Calendar.from_ical(plain_file(path).read_bytes())
        calendar.subcomponents = [c for c in calendar.subcomponents if "DTSTART" in c or c.name != "VEVENT"]
        for event in calendar.walk("VEVENT"):
            if _recurs_too_often(event.get("RRULE")):
                raise InvalidValue(
                    f"'{event.get('SUMMARY') or path.name}' recurs too often for days of a site.",
                    kept=kept, do="Remove it from the calendar, and import that again.",
                )  # fmt: skip
        # Its zone may be a day ahead of the site's or behind it; what lies outside is left out below.
        for event in recurring.of(calendar).after(datetime.combine(first - timedelta(days=1), time())):
            begin, end = _local(event["DTSTART"].dt, place), _local(event["DTEND"].dt, place)
            if begin.date() > last + timedelta(days=1):
                break
            if str(event.get("STATUS", "")).upper() == "CANCELLED" or end <= begin:
                continue
            if end > datetime.combine(first, time()) and begin.date() <= last:
                specials.append(Special(str(event.get("SUMMARY") or "closed"), begin, end, rule))
            if len(specials) > MOST_SPECIALS:
                raise InvalidValue(
                    f"'{path.name}' holds more than {MOST_SPECIALS} events from {first} to {last}.",
                    kept=kept, do="Ask for fewer dates.",
                )  # fmt: skip
    except (OSError, ValueError, TypeError, AttributeError, LookupError, OverflowError) as error:
        raise InvalidValue(
            f"'{path.name}' cannot be read as a calendar ({error}).", kept=kept,
            do="Export it as iCalendar (.ics).",
        ) from error  # fmt: skip
    return tuple(sorted(specials, key=lambda s: (s.begin, s.end, s.name)))


def _recurs_too_often(rules: object) -> bool:
    """Whether an event recurs many times a day, or without end at one moment: working that out would not end."""
    for rule in rules if isinstance(rules, list) else [rules] if isinstance(rules, Mapping) else []:
        often = [str(f).upper() for f in rule.get("FREQ", ())]
        many = max(len(rule.get(part, ())) for part in ("BYHOUR", "BYMINUTE", "BYSECOND"))
        if not {"SECONDLY", "MINUTELY", "HOURLY"}.isdisjoint(often) or many > MOST_A_DAY:
            return True
        if any(step < 1 for step in rule.get("INTERVAL", ())):
            return True
    return False


def _local(moment: date | datetime, place: SitePlace) -> datetime:
    """A calendar's date or time on the site's clock."""
    if not isinstance(moment, datetime):
        return datetime.combine(moment, time())
    return moment if moment.tzinfo is None else moment.astimezone(ZoneInfo(place.zone)).replace(tzinfo=None)
