"""Queries on calendars: a year of days, and iCalendar in and out."""

from datetime import date, timedelta

from django.http import HttpRequest, HttpResponse
from ninja import File, Router, UploadedFile
from poietic_core.calendar.model import Calendar

from ..commanding.api import Problem
from ..web_api.errors import NotFound
from ..web_api.fields import Answer
from .icalendar_files import NotICalendar, as_icalendar, read_holidays
from .models import WorkCalendar
from .queries import as_calendar

router = Router(tags=["engineering"])


class ShiftOut(Answer):
    """A shift of every week: 0 is Monday, times are minutes of the day."""

    weekday: int
    start: int
    end: int


class ExceptionOut(Answer):
    """Closed days, or one day's extra shift."""

    first: date
    last: date
    start: int | None
    end: int | None
    why: str


class DayOut(Answer):
    """A day of a calendar: working minutes of the shifts that begin on it."""

    day: date
    minutes: int
    #: "" where the week alone decides
    why: str
    kind: str


class CalendarOut(Answer):
    """A calendar with its week and exceptions."""

    code: str
    name: str
    zone: str
    shifts: list[ShiftOut]
    exceptions: list[ExceptionOut]
    work_centers: list[str]
    change: int


class YearOut(Answer):
    """All days of a year of a calendar."""

    year: int
    days: list[DayOut]


@router.get("/calendars", response=list[CalendarOut])
def calendars(request: HttpRequest) -> list[CalendarOut]:
    """Return all calendars."""
    rows = WorkCalendar.objects.prefetch_related("shifts", "exceptions", "workcenter_set")
    return [
        CalendarOut(
            code=c.code,
            name=c.name,
            zone=c.zone,
            shifts=[ShiftOut(weekday=s.weekday, start=s.start, end=s.end) for s in c.shifts.all()],
            exceptions=[
                ExceptionOut(first=e.first, last=e.last, start=e.start, end=e.end, why=e.why)
                for e in c.exceptions.all()
            ],
            work_centers=[w.code for w in c.workcenter_set.all()],
            change=c.change,
        )
        for c in rows
    ]


class HolidayOut(Answer):
    """Days that an iCalendar file closes."""

    first: date
    last: date
    why: str


@router.post("/calendars/read", response={200: list[HolidayOut], 422: Problem})
def read_calendar(request: HttpRequest, file: File[UploadedFile]) -> list[HolidayOut]:
    """Return the holidays of an iCalendar file; nothing is closed yet."""
    name = file.name or "file"
    if (file.size or 0) > 5_000_000:
        raise NotICalendar(name, "It is larger than 5 MB.")
    found = read_holidays(name, file.read())
    return [HolidayOut(first=h.first, last=h.last, why=h.why) for h in found]


@router.get("/calendars/{code}/icalendar", response={404: Problem})
def export_calendar(request: HttpRequest, code: str) -> HttpResponse:
    """Return a calendar as iCalendar (RFC 5545)."""
    found = WorkCalendar.objects.prefetch_related("shifts", "exceptions").filter(code=code).first()
    if found is None:
        raise NotFound("calendar", code)
    answer = HttpResponse(as_icalendar(found), content_type="text/calendar; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="{code}.ics"'
    return answer


@router.get("/calendars/{code}/years/{year}", response={200: YearOut, 404: Problem})
def year(request: HttpRequest, code: str, year: int) -> YearOut:
    """Return the working minutes of each day of a year."""
    found = WorkCalendar.objects.filter(code=code).first()
    if found is None or not 1970 <= year <= 2200:
        raise NotFound("calendar", f"{code} in {year}")
    calendar = as_calendar(found)
    first = date(year, 1, 1)
    days = [first + timedelta(days=n) for n in range((date(year + 1, 1, 1) - first).days)]
    return YearOut(year=year, days=[_day(calendar, d) for d in days])


def _day(calendar: Calendar, day: date) -> DayOut:
    closure = calendar.closure_of(day)
    extras = [e for e in calendar.extras if e.day == day]
    seconds = sum((end - start).total_seconds() for start, end in calendar.shifts_of(day))
    return DayOut(
        day=day,
        minutes=int(seconds // 60),
        why=closure.why if closure else ", ".join(e.why for e in extras if e.why),
        kind="extra" if extras else "closed" if closure else "",
    )
