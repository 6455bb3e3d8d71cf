"""Calendars as iCalendar (RFC 5545): holidays in, shifts and exceptions out."""

from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from typing import Any, ClassVar
from zoneinfo import ZoneInfo

from icalendar import Calendar, Event
from poietic_core.errors import DomainError

from ..web_api.fields import in_this_century
from .models import WorkCalendar

#: a Monday: the weekly shifts are stated from here on
FIRST_MONDAY = date(2024, 1, 1)
DAYS = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
MOST_DAYS, MOST_BYTES = 1_000, 2_000_000


@dataclass(eq=False)
class NotICalendar(DomainError):
    """A file is no iCalendar."""

    name: str
    reason: str
    code: ClassVar[str] = "calendar.not_icalendar"
    what: ClassVar[str] = "{name} can't be read as iCalendar."
    why: ClassVar[str] = "{reason}"
    fix: ClassVar[str] = "Bring an .ics file with all-day events, one for each holiday."


@dataclass(frozen=True, slots=True)
class Holiday:
    """Days that a file closes, both included."""

    first: date
    last: date
    why: str


def read_holidays(name: str, data: bytes) -> list[Holiday]:
    """Return the all-day events of a file, in the order of their days.

    Raises
    ------
    NotICalendar (calendar.not_icalendar)
        If it can't be parsed, has no all-day event, or too many.
    """
    if len(data) > MOST_BYTES:
        raise NotICalendar(name, f"It is larger than {MOST_BYTES / 1e6:,.0f} MB.")
    try:
        calendar = Calendar.from_ical(data)
        found = [h for event in calendar.walk("VEVENT") if (h := _holiday(event))]
    except Exception as err:  # the library raises whatever a bad line makes it
        raise NotICalendar(name, f"{err}.") from err
    if not found:
        raise NotICalendar(name, "It holds no all-day event.")
    if len(found) > MOST_DAYS:
        raise NotICalendar(name, f"It holds {len(found)} events; at most {MOST_DAYS} are taken.")
    return sorted(found, key=lambda h: h.first)


def _holiday(event: Any) -> Holiday | None:
    """Return an all-day event; its end is the day after the last (RFC 5545, 3.6.1)."""
    start = event.decoded("DTSTART", None)
    if not isinstance(start, date) or isinstance(start, datetime):
        return None
    end = event.decoded("DTEND", None)
    if isinstance(end, datetime):
        end = end.date() + timedelta(days=end.time() > time(0))  # up to the moment it names
    in_this_century(start)
    last = end - timedelta(days=1) if isinstance(end, date) and end > start else start
    in_this_century(last)
    return Holiday(start, last, str(event.get("SUMMARY", ""))[:120])


def as_icalendar(row: WorkCalendar) -> bytes:
    """Return a calendar: each shift as a weekly event, each exception as an event of its days."""
    calendar = Calendar()
    calendar.add("prodid", "-//Poietic//Calendars//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", row.name)
    zone = ZoneInfo(row.zone)
    for shift in row.shifts.all():
        day = FIRST_MONDAY + timedelta(days=shift.weekday)
        event = _event(row, f"shift-{shift.pk}", "shift")
        _times(event, day, shift.start, shift.end, zone)
        event.add("rrule", {"freq": "weekly", "byday": DAYS[shift.weekday]})
        calendar.add_component(event)
    for exception in row.exceptions.all():
        event = _event(row, f"exception-{exception.pk}", exception.why or "closed")
        if exception.start is None:
            event.add("dtstart", exception.first)
            last = min(exception.last, date.max - timedelta(days=1))
            event.add("dtend", last + timedelta(days=1))
        else:
            _times(event, exception.first, exception.start, exception.end or 0, zone)
        calendar.add_component(event)
    return bytes(calendar.to_ical())


def _event(row: WorkCalendar, key: str, words: str) -> Event:
    event = Event()
    event.add("uid", f"{row.code}-{key}@poietic")
    event.add("summary", words)
    event.add("dtstamp", datetime(2024, 1, 1, tzinfo=UTC))
    return event


def _times(event: Event, day: date, start: int, end: int, zone: ZoneInfo) -> None:
    beginning = datetime.combine(day, time(start // 60, start % 60), zone)
    days = 0 if end > start else 1
    event.add("dtstart", beginning)
    event.add(
        "dtend", datetime.combine(day + timedelta(days=days), time(end // 60, end % 60), zone)
    )
