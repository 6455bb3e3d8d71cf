"""Work centers' lists: what each should do next, and what it is loaded with against what it can do."""

from collections.abc import Iterable
from datetime import date, datetime, timedelta
from decimal import Decimal
from typing import Annotated, Literal, NamedTuple

from django.db import connection
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.calendar.schedule import WorkCenterTime
from poietic_core.capacity.load import Work, capacity_of, spread_over_days, week_of
from poietic_core.capacity.priority import Rule, critical_ratio, slack
from poietic_core.order.working import Working
from poietic_core.quantity import ZERO
from pydantic import Field

from ..catalog.queries import any_of
from ..commanding.api import Problem
from ..engineering.models import WorkCenter
from ..engineering.queries import work_center_by_code, work_center_times
from ..web_api.fields import MOST_ROWS, Answer, DecimalText
from .kept_beside import kept_beside
from .models import OrderOperation, PlannedWork

router = Router(tags=["orders"])
Weeks = Annotated[int, Field(ge=1, le=26)]
State = Literal["running", "paused", "begun", "ready", "waits for operation", "waits for material"]

#: operations of a work center that something is left of, with what they wait for: the operations before,
#: and the components at it that their order is short of
LIST = """
SELECT o.number, i.code, i.name, i.unit, oo.number, oo.name, oo.units_due, oo.entering,
       oo.good + oo.scrap + oo.rework, oo.hours_left, oo.days_left, o.due, oo.starts_at, o.customer_order, o.note,
       oo.working, oo.working_since, coalesce(w.full_name, ''),
       (SELECT string_agg(c.code, ', ' ORDER BY c.code) FROM orders_orderinput n
        JOIN orders_shortage s ON s.order_id = o.id AND s.item_id = n.item_id
        JOIN catalog_item c ON c.id = n.item_id
        WHERE n.order_id = o.id AND n.operation = oo.number AND n.still > 0)
FROM orders_orderoperation oo
JOIN orders_order o ON o.id = oo.order_id AND o.state IN ('released', 'started')
JOIN catalog_item i ON i.id = o.item_id
LEFT JOIN people_person w ON w.id = oo.worker_id
WHERE oo.work_center_id = %s AND oo.hours_left > 0
UNION ALL
SELECT o.number, i.code, i.name, i.unit, oo.number, p.name || ' (rework)', oo.rework, oo.rework, 0,
       greatest(p.labour_hours, p.machine_hours) * oo.rework, oo.days_left, o.due, NULL, o.customer_order, o.note,
       '', NULL, '', NULL
FROM orders_reworkplan p
JOIN orders_orderoperation oo ON oo.id = p.operation_id AND oo.rework > 0
JOIN orders_order o ON o.id = oo.order_id AND o.state IN ('released', 'started')
JOIN catalog_item i ON i.id = o.item_id
WHERE p.work_center_id = %s
"""


class Row(NamedTuple):
    """A row of it."""

    order: int
    item: str
    name: str
    unit: str
    operation: int
    what: str
    units_due: Decimal
    entering: Decimal
    processed: Decimal
    hours_left: Decimal
    days_left: Decimal
    due: date
    starts_at: datetime | None
    customer_order: str
    note: str
    working: str
    since: datetime | None
    worker: str
    #: components that are missing, in words
    missing: str | None

    @property
    def state(self) -> State:
        """Return whether it is worked at, else what it waits for."""
        if self.working == Working.RUNNING:
            return "running"
        if self.working == Working.PAUSED:
            return "paused"
        if not self.units_due:
            return "waits for operation"
        if self.missing:
            return "waits for material"
        return "begun" if self.processed else "ready"


class WorkRow(Answer):
    """An operation that a work center should do."""

    order: int
    item: str
    name: str
    unit: str
    operation: int
    what: str
    #: that can be worked on now, and that are left in all
    units_due: DecimalText
    units_left: DecimalText
    hours_left: DecimalText
    due: date
    starts: datetime | None
    #: working days that it can wait; below 0 it will be late
    slack: DecimalText
    #: null: nothing is left
    ratio: DecimalText | None
    state: State
    #: who works at it, and since when
    worker: str
    since: datetime | None
    #: components that it waits for
    missing: str
    wanted: str
    #: how many notes and files there are of its order
    notes: int
    files: int


class WorkList(Answer):
    """What a work center should do, next first; 200 rows at most."""

    code: str
    name: str
    rows: list[WorkRow]
    whole: int


@router.get("/work-centers/{code}/list", response={200: WorkList, 404: Problem})
def work_list(request: HttpRequest, code: str, by: Rule = Rule.DUE) -> WorkList:
    """Return what is left to do at a work center, next first by a rule: due date, slack, critical ratio."""
    center = work_center_by_code(code)
    with connection.cursor() as cursor:
        cursor.execute(LIST, [center.pk, center.pk])
        rows = [Row(*r) for r in cursor.fetchall()]
    today = timezone.localdate()
    to_due = _days_to(center.code, {r.due for r in rows}, today)

    def rank(r: Row) -> tuple[object, ...]:
        first: tuple[object, ...] = (r.due,)
        if by is Rule.SLACK:
            first = (slack(to_due[r.due], r.days_left),)
        elif by is Rule.RATIO:
            ratio = critical_ratio(to_due[r.due], r.days_left)
            first = (ratio is None, ratio or ZERO)
        return (*first, r.due, r.order, r.operation)

    shown = sorted(rows, key=rank)[:MOST_ROWS]
    beside = kept_beside({r.order for r in shown})
    return WorkList(
        code=center.code,
        name=center.name,
        rows=[
            WorkRow(
                order=r.order,
                item=r.item,
                name=r.name,
                unit=r.unit,
                operation=r.operation,
                what=r.what,
                units_due=r.units_due,
                units_left=max(ZERO, r.entering - r.processed),
                hours_left=r.hours_left,
                due=r.due,
                starts=r.starts_at,
                slack=slack(to_due[r.due], r.days_left),
                ratio=critical_ratio(to_due[r.due], r.days_left),
                state=r.state,
                worker=r.worker if r.working else "",
                since=r.since,
                missing=r.missing or "",
                wanted=r.customer_order or r.note,
                notes=beside[r.order].notes,
                files=beside[r.order].files,
            )
            for r in shown
        ],
        whole=len(rows),
    )


def _days_to(code: str, dues: Iterable[date], today: date) -> dict[date, Decimal]:
    """Return the working days from now to the end of each due day; below 0 once it has passed."""
    listed = set(dues)
    span = (min([*listed, today]) - timedelta(days=1), max([*listed, today]))
    center = work_center_times(*span).get(code)
    if center is None:
        return {d: Decimal((d - today).days + 1) for d in listed}
    between, eve = center.working.days_between, today - timedelta(days=1)
    return {d: Decimal(between(eve, d) if d >= today else -between(d, eve)) for d in listed}


class LoadWeekOut(Answer):
    """A work center's load of a week against what it can do [h of one machine at the standard pace]."""

    #: by ISO 8601
    week: str
    first: date
    capacity: DecimalText
    #: by what runs, and by what is planned
    released: DecimalText
    planned: DecimalText
    is_over: bool
    #: orders that load it most, where it is overloaded
    orders: list[int]


class LoadDayOut(Answer):
    """The same of a day."""

    day: date
    capacity: DecimalText
    released: DecimalText
    planned: DecimalText


class LoadOut(Answer):
    """A work center's load by week, and by day for the first two."""

    code: str
    name: str
    machines: int
    weeks: list[LoadWeekOut]
    days: list[LoadDayOut]
    #: the largest load or capacity of a week and of a day: bars are drawn against it
    most: DecimalText
    most_of_day: DecimalText


@router.get("/work-loads", response=list[LoadOut])
def loads(request: HttpRequest, weeks: Weeks = 8) -> list[LoadOut]:
    """Return the load of all work centers for some weeks from this one on."""
    return loads_of(list(WorkCenter.objects.order_by("code")), weeks)


@router.get("/work-centers/{code}/load", response={200: LoadOut, 404: Problem})
def load(request: HttpRequest, code: str, weeks: Weeks = 8) -> LoadOut:
    """Return the load of a work center for some weeks from this one on."""
    return loads_of([work_center_by_code(code)], weeks)[0]


class Loading(NamedTuple):
    """What an operation will load its work center with, and whose it is."""

    center: int
    order: int
    is_planned: bool
    work: Work


def loads_of(centers: list[WorkCenter], weeks: int) -> list[LoadOut]:
    """Return the load of some work centers for some weeks from this one on."""
    today = timezone.localdate()
    first = today - timedelta(days=today.weekday())
    last = first + timedelta(weeks=weeks, days=-1)
    ends = last + timedelta(days=1)
    asked = {"work_center__in": any_of([w.pk for w in centers]), "starts_at__date__lt": ends}
    running = OrderOperation.objects.filter(hours_left__gt=0, **asked)
    planned = PlannedWork.objects.filter(**asked)
    rows = [
        Loading(w, order, is_planned, Work(starts=starts, ends=stops, hours=hours))
        for is_planned, found in (
            (False, running.values_list("work_center", "order__number", "starts_at", "ends_at", "hours_left")),
            (True, planned.values_list("work_center", "order__number", "starts_at", "ends_at", "hours")),
        )
        for w, order, starts, stops, hours in found.order_by()
        if starts and stops
    ]  # fmt: skip
    begins = stops = first
    if rows:
        begins = timezone.localdate(min(r.work.starts for r in rows))
        stops = timezone.localdate(max(r.work.ends for r in rows))
    begins, stops = min(first, begins), max(last, stops)
    times = work_center_times(begins, stops)
    by_center: dict[int, list[Loading]] = {}
    for r in rows:
        by_center.setdefault(r.center, []).append(r)
    return [
        _load(w, times[w.code], by_center.get(w.pk, []), first, last)
        for w in centers
        if w.code in times
    ]


def _load(
    center: WorkCenter, time: WorkCenterTime, rows: list[Loading], first: date, last: date
) -> LoadOut:
    zone = timezone.get_current_timezone()
    spread = [(r, spread_over_days(r.work, time.working, zone)) for r in rows]
    parts: dict[bool, dict[date, Decimal]] = {False: {}, True: {}}
    for r, hours_on in spread:
        own = parts[r.is_planned]
        for day, hours in hours_on.items():
            own[day] = own.get(day, ZERO) + hours
    days = [first + timedelta(days=n) for n in range((last - first).days + 1)]
    told = [
        LoadDayOut(
            day=d,
            capacity=capacity_of(
                time.working, zone, d, machines=center.machines, efficiency=center.efficiency
            ),
            released=parts[False].get(d, ZERO),
            planned=parts[True].get(d, ZERO),
        )
        for d in days
    ]
    weeks = [_week(told[n : n + 7], spread) for n in range(0, len(told), 7)]
    return LoadOut(
        code=center.code,
        name=center.name,
        machines=center.machines,
        weeks=weeks,
        days=told[:14],
        most=max([Decimal(1), *(max(w.capacity, w.released + w.planned) for w in weeks)]),
        most_of_day=max(
            [Decimal(1), *(max(d.capacity, d.released + d.planned) for d in told[:14])]
        ),
    )


def _week(days: list[LoadDayOut], spread: list[tuple[Loading, dict[date, Decimal]]]) -> LoadWeekOut:
    capacity, released, planned = (
        sum((getattr(d, name) for d in days), ZERO) for name in ("capacity", "released", "planned")
    )
    is_over = released + planned > capacity
    first, last = days[0].day, days[-1].day
    orders: dict[int, Decimal] = {}
    for r, hours_on in spread if is_over else ():
        if here := sum((h for day, h in hours_on.items() if first <= day <= last), ZERO):
            orders[r.order] = orders.get(r.order, ZERO) + here
    return LoadWeekOut(
        week=week_of(first),
        first=first,
        capacity=capacity,
        released=released,
        planned=planned,
        is_over=is_over,
        orders=[n for n, _ in sorted(orders.items(), key=lambda x: (-x[1], x[0]))[:8]],
    )
