"""Rows of structures and work centers as the core's objects."""

from collections.abc import Iterable
from datetime import UTC, date
from zoneinfo import ZoneInfo

from django.db.models import Q, QuerySet
from poietic_core.calendar.model import Calendar, Closure, ExtraShift, Shift
from poietic_core.calendar.schedule import WorkCenterTime
from poietic_core.calendar.working_time import WorkingTime
from poietic_core.cost.model import Rates
from poietic_core.quantity import ONE, ZERO
from poietic_core.structure.model import (
    ComponentLine,
    IssueRule,
    Operation,
    OutputLine,
    Per,
    Structure,
)
from poietic_core.units import Measure, MeasuredBy, conversion_factor

from ..catalog.models import Item
from ..web_api.errors import NotFound
from .models import ComponentRow, Revision, WorkCalendar, WorkCenter


def structure_of(revision: Revision) -> Structure:
    """Return a revision with its rows as a structure; rows are best prefetched.

    Raises NoConversion where a line's unit does not convert into its item's.
    """
    return Structure(
        item=revision.item.code,
        batch_quantity=revision.batch_quantity,
        operations=tuple(
            Operation(
                work_center=o.work_center.code,
                after=None if o.after is None else tuple(o.after),
                **{name: getattr(o, name) for name in OPERATION_FIELDS},
            )
            for o in revision.operations.all()
        ),
        components=tuple(component_line(c) for c in revision.components.all()),
        outputs=tuple(
            OutputLine(
                item=o.item.code,
                operation=o.operation,
                quantity=o.quantity,
                credit_price=o.credit_price,
            )
            for o in revision.outputs.all()
        ),
    )


#: what an operation of a structure and its row have alike
OPERATION_FIELDS = (
    *("number", "name", "yield_share", "is_report_point"),
    *("setup_labour_hours", "setup_machine_hours", "run_labour_hours", "run_machine_hours"),
    *("run_quantity", "runs_whole_batches", "machines"),
    *("queue_hours", "wait_hours", "move_hours", "transfer_quantity"),
)


def component_line(row: ComponentRow) -> ComponentLine:
    """Return a row as a component line, its unit converted into the item's stock unit."""
    item = row.item
    measure = measure_of(row)
    unit = measure.unit() if measure else row.unit or item.unit
    factor = ONE
    if unit != item.unit:
        own = {u.name: u.quantity for u in item.own_units.all()}
        factor = conversion_factor(unit, item.unit, item=item.code, stock_unit=item.unit, own=own)
    return ComponentLine(
        item=item.code,
        operation=row.operation,
        quantity=row.quantity,
        per=Per(row.per),
        allowance=row.allowance,
        issue_rule=IssueRule(row.issue_rule),
        unit="pcs" if measure else row.unit,
        unit_factor=factor,
        measure=measure,
        reference=row.reference,
        effective_from=row.effective_from,
        effective_until=row.effective_until,
    )


def measure_of(row: ComponentRow) -> Measure | None:
    """Return what the pieces of a line are measured by; None where they are not."""
    if not row.measured_by:
        return None
    return Measure(
        by=MeasuredBy(row.measured_by),
        length=row.length or ZERO,
        width=row.width,
        thickness=row.thickness,
        density=row.item.density,
    )


def with_rows(revisions: QuerySet[Revision]) -> QuerySet[Revision]:
    """Return revisions with all their rows, in a constant number of statements."""
    return revisions.select_related("item").prefetch_related(
        "operations__work_center", "components__item__own_units", "outputs__item"
    )


def in_force(day: date) -> QuerySet[Revision]:
    """Return the revisions in force on a day; an item has one at most."""
    return Revision.objects.select_related("item").filter(
        Q(effective_to=None) | Q(effective_to__gt=day),
        effective_from__lte=day,
        state__in=[Revision.State.APPROVED, Revision.State.RETIRED],
    )


def revision_in_force(item: Item, day: date) -> Revision | None:
    """Return an item's revision in force on a day, with its rows."""
    return with_rows(in_force(day).filter(item=item)).first()


def revision_by_letter(code: str, letter: str) -> Revision:
    """Return a revision with its rows, or refuse by name."""
    found = with_rows(Revision.objects.filter(item__code=code, letter=letter)).first()
    if found is None:
        raise NotFound("revision", f"{letter} of {code}")
    return found


def structures_in_force(day: date) -> dict[str, Structure]:
    """Return all structures in force on a day by item, with the lines that count then."""
    return {r.item.code: structure_of(r).on(day) for r in with_rows(in_force(day))}


def rates_by_code(codes: Iterable[str] | None = None) -> dict[str, Rates]:
    """Return the rates of work centers; of all where none are named."""
    rows = WorkCenter.objects.all()
    if codes is not None:
        rows = rows.filter(code__in=set(codes))
    return {w.code: Rates(labour=w.labour_rate, machine=w.machine_rate) for w in rows}


#: what a work center without a calendar goes by
WEEKDAYS = Calendar(
    code="weekdays 8 to 16",
    zone=UTC,
    shifts=tuple(Shift(weekday=d, start=8 * 60, end=16 * 60) for d in range(5)),
)


def as_calendar(row: WorkCalendar | None) -> Calendar:
    """Return a calendar with its shifts and exceptions; without one, weekdays from 8 to 16."""
    if row is None:
        return WEEKDAYS
    exceptions = list(row.exceptions.all())
    return Calendar(
        code=row.code,
        zone=ZoneInfo(row.zone),
        shifts=tuple(Shift(weekday=s.weekday, start=s.start, end=s.end) for s in row.shifts.all()),
        closures=tuple(
            Closure(first=e.first, last=e.last, why=e.why) for e in exceptions if e.start is None
        ),
        extras=tuple(
            ExtraShift(day=e.first, start=e.start, end=e.end or 0, why=e.why)
            for e in exceptions
            if e.start is not None
        ),
    )


def work_center_times(first: date, last: date) -> dict[str, WorkCenterTime]:
    """Return what scheduling knows of each work center, its calendar laid out over days."""
    laid_out: dict[int | None, WorkingTime] = {}
    found: dict[str, WorkCenterTime] = {}
    rows = WorkCenter.objects.select_related("calendar").prefetch_related(
        "calendar__shifts", "calendar__exceptions"
    )
    for center in rows:
        key = center.calendar_id
        if key not in laid_out:
            laid_out[key] = WorkingTime(as_calendar(center.calendar), first, last)
        found[center.code] = WorkCenterTime(working=laid_out[key], efficiency=center.efficiency)
    return found
