"""What orders add to the load of their work centers: in all, and week by week against what each can do."""

from collections.abc import Iterable
from datetime import date, timedelta
from decimal import Decimal

from django.db.models import Sum
from django.utils import timezone
from poietic_core.calendar.schedule import WorkCenterTime
from poietic_core.capacity.load import Work, capacity_of, load_by_day, week_of
from poietic_core.quantity import ZERO, round_to

from ...commanding.registry import Context
from ...engineering.models import WorkCenter
from ...engineering.queries import work_center_times
from ..dates import OrderDates
from ..models import OrderOperation

TENTH = Decimal("0.1")
#: weeks that are told of a work center, from the first that is loaded
WEEKS = 6


def say_load(context: Context, added: Iterable[OrderDates | None]) -> None:
    """Say how many hours each work center has to do before and after, in all and week by week."""
    works: dict[str, list[Work]] = {}
    for dates in added:
        for number, hours in dates.hours.items() if dates else ():
            assert dates is not None
            at = dates.operations[number]
            work = Work(starts=at.starts, ends=at.ends, hours=hours)
            works.setdefault(dates.centers[number], []).append(work)
    if not works:
        return
    running = OrderOperation.objects.filter(work_center__code__in=works, hours_left__gt=0)
    known = dict(running.order_by().values_list("work_center__code").annotate(Sum("hours_left")))
    there = _running(works)
    for center in WorkCenter.objects.filter(code__in=works).order_by("code"):
        before = known.get(center.code, ZERO)
        more = sum((w.hours for w in works[center.code]), ZERO)
        _say(context, center.code, "hours released", before, before + more)
        _say_weeks(context, center, works[center.code], there.get(center.code, []))


def _running(works: dict[str, list[Work]]) -> dict[str, list[Work]]:
    """Return what runs at some work centers in the weeks that are told."""
    last = max(_first(own) for own in works.values()) + timedelta(weeks=WEEKS)
    rows = OrderOperation.objects.filter(
        work_center__code__in=works, hours_left__gt=0, starts_at__date__lt=last
    )
    found: dict[str, list[Work]] = {}
    for code, starts, ends, hours in rows.order_by().values_list("work_center__code", "starts_at", "ends_at", "hours_left"):  # fmt: skip
        if starts and ends:
            found.setdefault(code, []).append(Work(starts=starts, ends=ends, hours=hours))
    return found


def _say_weeks(context: Context, center: WorkCenter, added: list[Work], there: list[Work]) -> None:
    zone = timezone.get_current_timezone()
    first = _first(added)
    last = first + timedelta(weeks=WEEKS, days=-1)
    span = [timezone.localdate(w.starts) for w in there] + [timezone.localdate(w.ends) for w in (*there, *added)]  # fmt: skip
    time = work_center_times(min([first, *span]), max([last, *span])).get(center.code)
    if time is None:
        return
    before = load_by_day(there, time.working, zone, first, last)
    more = load_by_day(added, time.working, zone, first, last)
    for monday in (first + timedelta(weeks=n) for n in range(WEEKS)):
        days = [monday + timedelta(days=n) for n in range(7)]
        was, adds = (sum((of.get(d, ZERO) for d in days), ZERO) for of in (before, more))
        if not adds:
            continue
        can = sum((_capacity(center, time, d) for d in days), ZERO)
        week = week_of(monday)
        _say(context, center.code, f"{week} of {_hours(can).normalize() + 0:f} h", was, was + adds)
        if was + adds > can:
            over = f"{_hours(was + adds - can):f} hours more than it can do in {week}"
            context.effects.remark(center.code, over)


def _capacity(center: WorkCenter, time: WorkCenterTime, day: date) -> Decimal:
    zone = timezone.get_current_timezone()
    return capacity_of(
        time.working, zone, day, machines=center.machines, efficiency=center.efficiency
    )


def _first(works: list[Work]) -> date:
    """Return the Monday of the week in which the first of some operations begins."""
    day = min(timezone.localdate(w.starts) for w in works)
    return day - timedelta(days=day.weekday())


def _hours(hours: Decimal) -> Decimal:
    return round_to(hours, TENTH)


def _say(context: Context, thing: str, field: str, before: Decimal, after: Decimal) -> None:
    context.effects.field(thing, field, _hours(before), _hours(after))
