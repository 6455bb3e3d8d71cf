"""Queries on work centers and structures."""

from datetime import date, timedelta
from decimal import Decimal
from typing import Literal

from django.db.models import Count
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import File, Router, UploadedFile
from poietic_core.calendar.model import Calendar
from poietic_core.cost.model import Base
from poietic_core.cost.overhead import budget_rate
from poietic_core.cost.rates import layered, rate_of
from poietic_core.effectivity import counts_on, latest_begun
from poietic_core.quantity import UNIT_COST_STEP, ZERO, round_to
from poietic_core.structure.model import (
    IssueRule,
    OutputKind,
    PaymentBasis,
    Per,
    ShareRule,
    StepKind,
)
from poietic_core.units import MeasuredBy

from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS, Cost
from ..web_api.derivations import DerivationRow, flatten
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, DecimalText
from .icalendar_files import NotICalendar, as_icalendar, read_holidays
from .models import LabourGrade, OverheadBudget, Revision, WorkCalendar, WorkCenter, WorkCenterRate
from .queries import as_calendar, revision_by_letter
from .rates import layers_of, overhead_rate
from .where_used import where_used

router = Router(tags=["engineering"])


class LayerOut(Answer):
    """A part of the machine hour's rate, with what it comes to per hour."""

    name: str
    element: str
    amount: Cost
    percent: DecimalText
    of: str
    per_hour: Cost


class RatesOut(Answer):
    """What an hour at a work center costs from a day on."""

    effective_from: date | None
    is_in_force: bool
    machine_rate: Cost
    labour_rate: Cost
    layers: list[LayerOut]


class WorkCenterOut(Answer):
    """A work center with its rates per hour today and what it can do."""

    code: str
    name: str
    machine_rate: Cost
    labour_rate: Cost
    calendar: str | None
    machines: int
    efficiency: DecimalText
    #: the latest first
    rates: list[RatesOut]
    change: int


class GradeRateOut(Answer):
    """What an hour of a labour grade costs from a day on."""

    effective_from: date | None
    rate: Cost


class LabourGradeOut(Answer):
    """A labour grade with its rate today, and all of them."""

    code: str
    name: str
    rate: Cost
    rates: list[GradeRateOut]


class OverheadOut(Answer):
    """A budget of overhead, with the rate that it gives and how."""

    code: str
    name: str
    element: str
    base: str
    work_center: str | None
    effective_from: date
    effective_until: date
    budget: DecimalText
    capacity: DecimalText
    capacity_basis: str
    is_in_force: bool
    rate: DecimalText
    derivation: list[DerivationRow]


class StepOut(Answer):
    """An instruction step."""

    kind: StepKind
    text: str
    unit: str = ""
    lower: DecimalText | None = None
    upper: DecimalText | None = None
    picture: str = ""
    item: str = ""


class AlternateOut(Answer):
    """An item that may be used in a component's place."""

    item: str
    ratio: DecimalText


class GradeOut(Answer):
    """An item that a part of the output is sorted into."""

    item: str
    share: DecimalText
    weight: DecimalText


class OperationOut(Answer):
    """An operation of a revision."""

    number: int
    name: str
    work_center: str
    setup_labour_hours: DecimalText
    setup_machine_hours: DecimalText
    run_labour_hours: DecimalText
    run_machine_hours: DecimalText
    run_quantity: DecimalText
    runs_whole_batches: bool
    machines: int
    queue_hours: DecimalText
    wait_hours: DecimalText
    move_hours: DecimalText
    transfer_quantity: DecimalText | None
    yield_share: DecimalText
    is_report_point: bool
    after: list[int] | None
    crew: DecimalText | None
    labour_grade: str | None
    alternate_centers: list[str]
    supplier: str | None
    subcontract_price: Cost
    payment_basis: PaymentBasis | Literal[""]
    days_out: DecimalText
    steps: list[StepOut]


class ComponentOut(Answer):
    """A component line."""

    item: str
    name: str
    unit: str
    operation: int
    quantity: DecimalText
    line_unit: str
    per: Per
    allowance: DecimalText
    issue_rule: IssueRule
    measured_by: MeasuredBy | Literal[""]
    length: DecimalText | None
    width: DecimalText | None
    thickness: DecimalText | None
    reference: str
    alternates: list[AlternateOut]
    effective_from: date | None
    effective_until: date | None


class OutputOut(Answer):
    """A by-product or co-product line."""

    item: str
    name: str
    unit: str
    operation: int
    quantity: DecimalText
    kind: OutputKind
    credit_price: Cost
    weight: DecimalText


class RevisionOut(Answer):
    """A revision of an item's structure with all its rows."""

    item: str
    name: str
    letter: str
    state: str
    batch_quantity: DecimalText
    standard_lot: DecimalText
    share_rule: ShareRule
    main_weight: DecimalText
    grades: list[GradeOut]
    approved_at: str | None
    note: str
    operations: list[OperationOut]
    components: list[ComponentOut]
    outputs: list[OutputOut]
    change: int


class RevisionRow(Answer):
    """A revision in the list of an item's."""

    letter: str
    state: str
    effective_from: date | None
    effective_to: date | None
    approved_at: str | None
    approved_by: str
    note: str
    rows: int


class WhereUsed(Answer):
    """A structure in force that uses an item, with the quantity in one unit of it."""

    item: str
    name: str
    unit: str
    revision: str
    level: int
    operations: list[int]
    quantity: DecimalText


@router.get("/work-centers", response=list[WorkCenterOut])
def work_centers(request: HttpRequest) -> list[WorkCenterOut]:
    """Return all work centers."""
    rows = WorkCenter.objects.select_related("calendar").prefetch_related("rates")
    today = timezone.localdate()
    return [
        WorkCenterOut(
            code=w.code,
            name=w.name,
            machine_rate=now.machine_rate if now else ZERO,
            labour_rate=now.labour_rate if now else ZERO,
            calendar=w.calendar.code if w.calendar else None,
            machines=w.machines,
            efficiency=w.efficiency,
            rates=rates,
            change=w.change,
        )
        for w in rows
        for rates in [_rates(list(w.rates.all()), today)]
        for now in [next((r for r in rates if r.is_in_force), None)]
    ]


def _rates(rows: list[WorkCenterRate], today: date) -> list[RatesOut]:
    """Return the rates of a work center, the latest first, with the one in force told."""
    now = latest_begun(rows, today)
    found = []
    for row in reversed(rows):
        layers = layers_of(row)
        amounts = layered(layers)
        found.append(
            RatesOut(
                effective_from=row.effective_from,
                is_in_force=row is now,
                machine_rate=rate_of(layers).per_hour,
                labour_rate=row.labour_rate,
                layers=[
                    LayerOut(
                        name=layer.name,
                        element=layer.element.value,
                        amount=layer.amount,
                        percent=layer.percent,
                        of=layer.of,
                        per_hour=amounts[layer.name].value,
                    )
                    for layer in layers
                ],
            )
        )
    return found


@router.get("/labour-grades", response=list[LabourGradeOut])
def labour_grades(request: HttpRequest) -> list[LabourGradeOut]:
    """Return all labour grades with their rates."""
    today = timezone.localdate()
    found = []
    for g in LabourGrade.objects.prefetch_related("rates"):
        rows = list(g.rates.all())
        now = latest_begun(rows, today)
        found.append(
            LabourGradeOut(
                code=g.code,
                name=g.name,
                rate=now.rate if now else ZERO,
                rates=[
                    GradeRateOut(effective_from=r.effective_from, rate=r.rate)
                    for r in reversed(rows)
                ],
            )
        )
    return found


@router.get("/overheads", auth=READ_COSTS, response=list[OverheadOut])
def overheads(request: HttpRequest) -> list[OverheadOut]:
    """Return all overhead budgets, the latest of each kind first."""
    today = timezone.localdate()
    return [
        OverheadOut(
            code=o.code,
            name=o.name,
            element=o.element,
            base=o.base,
            work_center=o.work_center.code if o.work_center else None,
            effective_from=o.effective_from,
            effective_until=o.effective_until,
            budget=o.budget,
            capacity=o.capacity,
            capacity_basis=o.capacity_basis,
            is_in_force=counts_on(today, o.effective_from, o.effective_until),
            rate=overhead_rate(o).rate,
            derivation=flatten(budget_rate(o.budget, o.capacity, Base(o.base))),
        )
        for o in OverheadBudget.objects.select_related("work_center")
    ]


@router.get("/items/{code}/revisions", response={200: list[RevisionRow], 404: Problem})
def revisions(request: HttpRequest, code: str) -> list[RevisionRow]:
    """Return the revisions of an item, the newest first."""
    rows = Revision.objects.filter(item=item_by_code(code)).select_related("approved_by")
    counted = rows.annotate(
        lines=Count("components", distinct=True) + Count("operations", distinct=True)
    )
    today = timezone.localdate()
    return [
        RevisionRow(
            letter=r.letter,
            state=r.state_on(today),
            effective_from=r.effective_from,
            effective_to=r.effective_to,
            approved_at=r.approved_at.isoformat() if r.approved_at else None,
            approved_by=str(r.approved_by or ""),
            note=r.note,
            rows=r.lines,
        )
        for r in counted.order_by("-pk")
    ]


@router.get("/items/{code}/revisions/{letter}", response={200: RevisionOut, 404: Problem})
def revision(request: HttpRequest, code: str, letter: str) -> RevisionOut:
    """Return a revision of an item by letter, with its rows."""
    return revision_out(revision_by_letter(code, letter))


def revision_out(revision: Revision) -> RevisionOut:
    """Return a revision as it travels."""
    operation_fields = set(OperationOut.model_fields) - {
        "work_center",
        "labour_grade",
        "supplier",
        "steps",
    }
    line_fields = set(ComponentOut.model_fields) - {"item", "name", "unit", "line_unit"}
    return RevisionOut(
        item=revision.item.code,
        name=revision.item.name,
        letter=revision.letter,
        state=revision.state,
        batch_quantity=revision.batch_quantity,
        standard_lot=revision.item.standard_lot,
        share_rule=ShareRule(revision.share_rule),
        main_weight=revision.main_weight,
        grades=[GradeOut(**g) for g in revision.grades],
        approved_at=revision.approved_at.isoformat() if revision.approved_at else None,
        note=revision.note,
        operations=[
            OperationOut(
                work_center=o.work_center.code,
                labour_grade=o.labour_grade.code if o.labour_grade else None,
                supplier=o.supplier.code if o.supplier else None,
                steps=[StepOut(**s) for s in o.steps],
                **{f: getattr(o, f) for f in operation_fields},
            )
            for o in revision.operations.all()
        ],
        components=[
            ComponentOut(
                item=c.item.code,
                name=c.item.name,
                unit=c.item.unit,
                line_unit=c.unit or c.item.unit,
                **{f: getattr(c, f) for f in line_fields},
            )
            for c in revision.components.all()
        ],
        outputs=[
            OutputOut(
                item=o.item.code,
                name=o.item.name,
                unit=o.item.unit,
                operation=o.operation,
                quantity=Decimal(o.quantity),
                kind=OutputKind(o.kind),
                credit_price=o.credit_price,
                weight=o.weight,
            )
            for o in revision.outputs.all()
        ],
        change=revision.change,
    )


@router.get("/items/{code}/where-used", response={200: list[WhereUsed], 404: Problem})
def used_in(request: HttpRequest, code: str) -> list[WhereUsed]:
    """Return the structures in force that use an item, at every level."""
    return [
        WhereUsed(
            item=u.revision.item.code,
            name=u.revision.item.name,
            unit=u.revision.item.unit,
            revision=u.revision.letter,
            level=u.level,
            operations=u.operations,
            quantity=round_to(u.quantity, UNIT_COST_STEP),
        )
        for u in where_used(item_by_code(code), timezone.localdate())
    ]


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
