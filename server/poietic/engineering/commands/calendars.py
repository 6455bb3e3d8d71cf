"""Commands on calendars: the shifts of a week, closures, extra shifts."""

from datetime import date
from decimal import Decimal
from typing import Annotated

from poietic_core.quantity import ZERO
from pydantic import Field

from ...catalog.models import Partner
from ...catalog.queries import require_free, supplier_by_code
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Day, Minute, Name, ShortText, Strict, Weekday, Zone
from ..models import DayException, ShiftRow, SupplierTimes, WorkCalendar


class ShiftGiven(Strict):
    """A shift of every week; 0 is Monday, times are minutes of the day, the end may be on the next."""

    weekday: Weekday
    start: Minute
    end: Minute


class CalendarNamed(Strict):
    """What a calendar is called, and where it counts."""

    code: Code
    name: Name
    zone: Zone = "UTC"


class DefineCalendar(CalendarNamed):
    """A new calendar."""

    shifts: Annotated[list[ShiftGiven], Field(max_length=50)]


class ChangeCalendar(Strict):
    """What changes of a calendar; shifts given replace all shifts of the week."""

    code: Code
    name: Name | None = None
    zone: Zone | None = None
    shifts: Annotated[list[ShiftGiven], Field(max_length=50)] | None = None


class DaysGiven(Strict):
    """Days of a calendar, both included."""

    calendar: Code
    first: Day
    last: Day
    why: ShortText = ""


class AddShift(Strict):
    """A shift on one day, beside the week's."""

    calendar: Code
    day: Day
    start: Minute
    end: Minute
    why: ShortText = ""


@command("define-calendar", "Define a calendar", Role.ENGINEER, Role.CONTROLLER)
def define_calendar(context: Context, given: DefineCalendar) -> None:
    """Make a calendar with the shifts of its week."""
    require_free(WorkCalendar.objects.all(), "calendar", given.code)
    calendar = WorkCalendar.objects.create(
        code=given.code, name=given.name, zone=given.zone, change=context.change
    )
    _write_shifts(calendar, given.shifts)
    context.made["calendar"] = given.code
    context.effects.field(f"calendar {given.code}", "shifts a week", None, len(given.shifts))


@command("change-calendar", "Change a calendar", Role.ENGINEER, Role.CONTROLLER)
def change_calendar(context: Context, given: ChangeCalendar) -> None:
    """Change a calendar's name, zone or week."""
    calendar = _locked(context, given.code)
    thing = f"calendar {calendar.code}"
    for name in ("name", "zone"):
        after = getattr(given, name)
        if after is not None:
            context.effects.field(thing, name, getattr(calendar, name), after)
            setattr(calendar, name, after)
    if given.shifts is not None:
        before = calendar.shifts.count()
        calendar.shifts.all().delete()
        _write_shifts(calendar, given.shifts)
        context.effects.field(thing, "shifts a week", before, f"{len(given.shifts)} (new)")
    calendar.save()


@command("close-days", "Close days of a calendar", Role.ENGINEER, Role.CONTROLLER)
def close_days(context: Context, given: DaysGiven) -> None:
    """Close days: no shift of the week begins on them."""
    if given.last < given.first:
        raise InvalidInput([f"last: {given.last} lies before {given.first}"])
    calendar = _locked(context, given.calendar)
    DayException.objects.create(
        calendar=calendar, first=given.first, last=given.last, why=given.why
    )
    words = f"closed{f': {given.why}' if given.why else ''}"
    context.effects.field(f"calendar {calendar.code}", _span(given.first, given.last), "", words)
    calendar.save()


class Holiday(Strict):
    """Days to close, both included."""

    first: Day
    last: Day
    why: ShortText = ""


class ExceptionGiven(Holiday):
    """Days to close, or with times an extra shift on each."""

    start: Minute | None = None
    end: Minute | None = None


class CloseHolidays(Strict):
    """The holidays of a file, to close on a calendar."""

    calendar: Code
    holidays: Annotated[list[Holiday], Field(min_length=1, max_length=1000)]


@command("close-holidays", "Close the holidays of a file", Role.ENGINEER, Role.CONTROLLER)
def close_holidays(context: Context, given: CloseHolidays) -> None:
    """Close each holiday; days that are closed already stay as they are."""
    calendar = _locked(context, given.calendar)
    closed = list(calendar.exceptions.filter(start=None))
    for holiday in given.holidays:
        if holiday.last < holiday.first:
            raise InvalidInput([f"holidays: {holiday.last} lies before {holiday.first}"])
        if any(c.first <= holiday.first and holiday.last <= c.last for c in closed):
            continue
        DayException.objects.create(calendar=calendar, **holiday.model_dump())
        words = f"closed{f': {holiday.why}' if holiday.why else ''}"
        context.effects.field(
            f"calendar {calendar.code}", _span(holiday.first, holiday.last), "", words
        )
    calendar.save()


@command("open-days", "Open closed days of a calendar", Role.ENGINEER, Role.CONTROLLER)
def open_days(context: Context, given: DaysGiven) -> None:
    """Take away what closes the days or adds a shift on them; closures that reach beyond stay there."""
    calendar = _locked(context, given.calendar)
    touched = calendar.exceptions.filter(first__lte=given.last, last__gte=given.first)
    for exception in touched:
        context.effects.field(
            f"calendar {calendar.code}",
            _span(exception.first, exception.last),
            "closed" if exception.start is None else "extra shift",
            "by the week",
        )
        _keep_outside(exception, given)
    calendar.save()


@command("add-shift", "Add an extra shift", Role.ENGINEER, Role.CONTROLLER)
def add_shift(context: Context, given: AddShift) -> None:
    """Add a shift on one day."""
    calendar = _locked(context, given.calendar)
    DayException.objects.create(
        calendar=calendar,
        first=given.day,
        last=given.day,
        start=given.start,
        end=given.end,
        why=given.why,
    )
    words = f"extra shift {_clock(given.start)} to {_clock(given.end)}"
    context.effects.field(f"calendar {calendar.code}", given.day.isoformat(), "", words)
    calendar.save()


class SetSupplierTimes(Strict):
    """When a supplier works, and how far off he is."""

    supplier: Code
    #: left out: his days are counted round the clock
    calendar: Code | None = None
    #: each way
    transport_days: Annotated[Decimal, Field(ge=0, le=60, decimal_places=2)] = ZERO


@command("set-supplier-times", "Say when a supplier works", Role.CONTROLLER, Role.ENGINEER)
def set_supplier_times(context: Context, given: SetSupplierTimes) -> None:
    """Have a supplier's days be those of a calendar, and the way to him take its time."""
    supplier = supplier_by_code(given.supplier)
    lacking = NotFound("supplier", given.supplier)
    context.lock_one(Partner.objects.filter(pk=supplier.pk), "supplier", lacking)
    calendar = _locked(context, given.calendar) if given.calendar else None
    times = SupplierTimes.objects.filter(supplier=supplier).select_related("calendar").first()
    times = times or SupplierTimes(supplier=supplier)
    was = times.calendar.code if times.calendar else "round the clock"
    thing = f"supplier {supplier.code}"
    context.effects.field(thing, "works by", was, calendar.code if calendar else "round the clock")
    context.effects.field(thing, "transport [days]", times.transport_days, given.transport_days)
    times.calendar, times.transport_days = calendar, given.transport_days
    times.change = context.change
    times.save()


def _locked(context: Context, code: str) -> WorkCalendar:
    calendar = context.lock_one(
        WorkCalendar.objects.filter(code=code), "calendar", NotFound("calendar", code)
    )
    calendar.change = context.change
    return calendar


def _write_shifts(calendar: WorkCalendar, shifts: list[ShiftGiven]) -> None:
    ShiftRow.objects.bulk_create(ShiftRow(calendar=calendar, **s.model_dump()) for s in shifts)


def _keep_outside(exception: DayException, given: DaysGiven) -> None:
    """Take away an exception within the days, leaving what lies before and after them."""
    for first, last in (
        (exception.first, min(exception.last, date.fromordinal(given.first.toordinal() - 1))),
        (max(exception.first, date.fromordinal(given.last.toordinal() + 1)), exception.last),
    ):
        if first <= last:
            DayException.objects.create(
                calendar=exception.calendar, first=first, last=last, why=exception.why
            )
    exception.delete()


def _span(first: date, last: date) -> str:
    return f"{first}" if first == last else f"{first} to {last}"


def _clock(minute: int) -> str:
    return f"{minute // 60:02d}:{minute % 60:02d}"
