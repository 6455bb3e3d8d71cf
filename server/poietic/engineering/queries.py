"""Rows of structures and work centers as the core's objects."""

from collections.abc import Iterable, Iterator
from datetime import UTC, date, datetime
from decimal import Decimal
from operator import itemgetter
from typing import Any
from zoneinfo import ZoneInfo

import orjson
from django.db.models import Max, Q, QuerySet, TextField
from django.db.models.functions import Cast
from poietic_core.calendar.model import Calendar, Closure, ExtraShift, Shift
from poietic_core.calendar.schedule import WorkCenterTime
from poietic_core.calendar.working_time import WorkingTime
from poietic_core.cost.model import Base, Element
from poietic_core.cost.overhead import OverheadRate, budget_rate
from poietic_core.cost.rates import RateLayer, Rates, ShopRates, rate_of
from poietic_core.errors import DomainError
from poietic_core.quantity import ONE, UNIT_COST_STEP, ZERO, round_to
from poietic_core.structure.model import (
    Alternate,
    ComponentLine,
    Grade,
    InstructionStep,
    IssueRule,
    Operation,
    OutputKind,
    OutputLine,
    PaymentBasis,
    Per,
    ShareRule,
    StepKind,
    Structure,
    Subcontract,
)
from poietic_core.structure.phantom import Inlined, inline
from poietic_core.units import Measure, MeasuredBy, conversion_factor

from ..catalog.models import Item, ItemUnit
from ..catalog.queries import any_of
from ..web_api.errors import NotFound
from ..web_api.kept import Kept
from .models import (
    ComponentRow,
    GradeRate,
    OperationRow,
    OutputRow,
    OverheadBudget,
    Revision,
    WorkCalendar,
    WorkCenter,
    WorkCenterRate,
)

#: what an operation of a structure and its row have alike
OPERATION_FIELDS = (
    *("number", "name", "yield_share", "is_report_point", "crew"),
    *("setup_labour_hours", "setup_machine_hours", "run_labour_hours", "run_machine_hours"),
    *("run_quantity", "runs_whole_batches", "machines"),
    *("queue_hours", "wait_hours", "move_hours", "transfer_quantity"),
)
#: what is read of a component line
LINE_FIELDS = (
    *("revision_id", "position", "operation", "item_id", "item__code", "item__unit"),
    *("quantity", "per", "allowance", "issue_rule", "unit", "reference"),
    *("effective_from", "effective_until", "alternates_text"),
    *("measured_by", "length", "width", "thickness", "item__density"),
)
STATED_UNIT = LINE_FIELDS.index("unit")
OUTPUT_FIELDS = ("operation", "quantity", "credit_price", "weight")
SUBCONTRACT_FIELDS = ("supplier__code", "subcontract_price", "payment_basis", "days_out")


def structure_of(revision: Revision) -> Structure:
    """Return a revision as a structure.

    Raises NoConversion where a line's unit does not convert into its item's.
    """
    return structures_of([revision])[revision.pk]


#: why the structure of an item can't be read, by its code
Faults = dict[str, DomainError]


def structures_of(
    revisions: Iterable[Revision], faults: Faults | None = None
) -> dict[int, Structure]:
    """Return revisions as structures by key, in a constant number of statements.

    What was approved never changes, so it is read once; only its units may convert in another
    way, when an item changes. What can't be read is noted in `faults`; without them it is raised.
    """
    listed = list(revisions)
    version = Item.objects.aggregate(last=Max("change"))["last"] or 0
    keys = {r.pk: (r.pk, r.approved_at, version) for r in listed}
    found = {r.pk: kept for r in listed if r.approved_at and (kept := _KEPT.get(keys[r.pk]))}
    for pk, structure in _read([r for r in listed if r.pk not in found], faults).items():
        found[pk] = structure
        if keys[pk][1]:
            _KEPT.keep(keys[pk], structure)
    return found


#: structures by revision, its approval, and the last change of any item
_KEPT: Kept[tuple[int, datetime | None, int], Structure] = Kept(50_000)


def _read(listed: list[Revision], faults: Faults | None) -> dict[int, Structure]:
    """Read revisions' rows as plain values: there may be thousands."""
    if not listed:
        return {}
    item_of = {r.pk: r.item.code for r in listed}
    operations: dict[int, list[Operation]] = {r.pk: [] for r in listed}
    components: dict[int, list[tuple[int, int, ComponentLine]]] = {r.pk: [] for r in listed}
    outputs: dict[int, list[OutputLine]] = {r.pk: [] for r in listed}
    rows = OperationRow.objects.filter(revision__in=any_of(operations)).order_by("number")
    names = ("revision_id", "work_center__code", "labour_grade__code", "after", "alternate_centers", "steps")  # fmt: skip
    for row in rows.values(*OPERATION_FIELDS, *SUBCONTRACT_FIELDS, *names):
        operations[row["revision_id"]].append(_operation(row))
    for revision, position, line in _lines(components, item_of, faults):
        components[revision].append((line.operation, position, line))
    by_products = OutputRow.objects.filter(revision__in=any_of(outputs))
    for row in by_products.order_by("operation", "position").values(
        *OUTPUT_FIELDS, "revision_id", "item__code", "kind"
    ):
        outputs[row["revision_id"]].append(
            OutputLine(
                item=row["item__code"],
                kind=OutputKind(row["kind"]),
                **{name: row[name] for name in OUTPUT_FIELDS},
            )
        )
    return {
        r.pk: Structure(
            item=r.item.code,
            batch_quantity=r.batch_quantity,
            share_rule=ShareRule(r.share_rule),
            main_weight=r.main_weight,
            grades=tuple(
                Grade(item=g["item"], share=Decimal(g["share"]), weight=Decimal(g["weight"]))
                for g in r.grades
            ),
            operations=tuple(operations[r.pk]),
            components=tuple(c for _, _, c in sorted(components[r.pk], key=itemgetter(0, 1))),
            outputs=tuple(outputs[r.pk]),
        )
        for r in listed
        if faults is None or r.item.code not in faults
    }


def _lines(
    revisions: Iterable[int], item_of: dict[int, str], faults: Faults | None
) -> Iterator[tuple[int, int, ComponentLine]]:
    """Yield the component lines of revisions, each with its revision and position; in any order."""
    rows = ComponentRow.objects.filter(revision__in=any_of(revisions))
    own: dict[int, dict[str, Decimal]] | None = None
    # text, because most are empty and reading a million JSON values takes longer than all the rest
    texts = rows.annotate(alternates_text=Cast("alternates", TextField()))
    for row in texts.order_by().values_list(*LINE_FIELDS):
        revision, position, _, item, *_ = row
        if own is None and row[STATED_UNIT]:
            own = _own_units(rows.exclude(unit="").values("item_id"))
        try:
            line = _line(row, (own or {}).get(item, {}))
        except DomainError as fault:
            if faults is None:
                raise
            faults[item_of[revision]] = fault
        else:
            yield revision, position, line


def _own_units(items: QuerySet[Any, dict[str, int]]) -> dict[int, dict[str, Decimal]]:
    found: dict[int, dict[str, Decimal]] = {}
    rows = ItemUnit.objects.filter(item__in=items).values_list("item_id", "name", "quantity")
    for item, name, quantity in rows:
        found.setdefault(item, {})[name] = quantity
    return found


def _operation(row: dict[str, Any]) -> Operation:
    """Return a row as an operation."""
    supplier, after = row["supplier__code"], row["after"]
    work = supplier and Subcontract(
        supplier=supplier,
        price=row["subcontract_price"],
        basis=PaymentBasis(row["payment_basis"]),
        days_out=row["days_out"],
    )
    return Operation(
        work_center=row["work_center__code"],
        labour_grade=row["labour_grade__code"] or "",
        after=None if after is None else tuple(after),
        alternate_centers=tuple(row["alternate_centers"]),
        subcontract=work or None,
        steps=tuple(step_of(s) for s in row["steps"]),
        **{name: row[name] for name in OPERATION_FIELDS},
    )


def step_of(kept: dict[str, Any]) -> InstructionStep:
    """Return an instruction step as it is kept."""
    limits = {k: None if kept.get(k) is None else Decimal(kept[k]) for k in ("lower", "upper")}
    return InstructionStep(
        kind=StepKind(kept["kind"]),
        text=kept["text"],
        unit=kept.get("unit", ""),
        picture=kept.get("picture", ""),
        **limits,
    )


def _line(row: tuple[Any, ...], own: dict[str, Decimal]) -> ComponentLine:
    """Return a row as a component line, its unit converted into the item's stock unit."""
    (_, _, operation, _, code, stock_unit, quantity, per, allowance, rule, stated, reference,
     effective_from, effective_until, alternates, measured_by, length, width, thickness, density) = row  # fmt: skip
    measure = None
    factor = ONE
    if measured_by:
        measure = Measure(
            by=MeasuredBy(measured_by),
            length=length or ZERO,
            width=width,
            thickness=thickness,
            density=density,
        )
    unit = measure.unit() if measure else stated or stock_unit
    if unit != stock_unit:
        factor = conversion_factor(unit, stock_unit, item=code, stock_unit=stock_unit, own=own)
    return ComponentLine(
        item=code,
        operation=operation,
        quantity=quantity,
        per=PER[per],
        allowance=allowance,
        issue_rule=ISSUE_RULE[rule],
        unit="pcs" if measure else stated,
        unit_factor=factor,
        measure=measure,
        alternates=() if alternates == "[]" else _alternates(alternates),
        reference=reference,
        effective_from=effective_from,
        effective_until=effective_until,
    )


PER = {p.value: p for p in Per}
ISSUE_RULE = {r.value: r for r in IssueRule}


def _alternates(kept: str) -> tuple[Alternate, ...]:
    return tuple(Alternate(item=a["item"], ratio=Decimal(a["ratio"])) for a in orjson.loads(kept))


def with_rows(revisions: QuerySet[Revision]) -> QuerySet[Revision]:
    """Return revisions with all their rows, in a constant number of statements."""
    return revisions.select_related("item").prefetch_related(
        "operations__work_center",
        "operations__labour_grade",
        "operations__supplier",
        "components__item",
        "outputs__item",
    )


def in_force(day: date) -> QuerySet[Revision]:
    """Return the revisions in force on a day; an item has one at most."""
    return Revision.objects.select_related("item").filter(standing(day))


def standing(day: date, way: str = "") -> Q:
    """Return the condition for being in force on a day, of revisions or of rows that lead to one.

    Rows are joined with it rather than asked for by a list of revisions: right after an
    import the database has no statistics yet, and would walk that list for every row.
    """
    ends = Q(**{f"{way}effective_to": None}) | Q(**{f"{way}effective_to__gt": day})
    states = [Revision.State.APPROVED, Revision.State.RETIRED]
    return ends & Q(**{f"{way}effective_from__lte": day, f"{way}state__in": states})


def made_with(item: Item, day: date) -> list[str]:
    """Return the items whose structures in force bring an item beside their own."""
    co_product = Q(outputs__item=item, outputs__kind=OutputKind.CO_PRODUCT.value)
    rows = in_force(day).filter(co_product | Q(grades__contains=[{"item": item.code}]))
    return sorted(set(rows.order_by().values_list("item__code", flat=True)))


def revision_in_force(item: Item, day: date) -> Revision | None:
    """Return an item's revision in force on a day."""
    return in_force(day).filter(item=item).first()


def revision_by_letter(code: str, letter: str) -> Revision:
    """Return a revision with its rows, or refuse by name."""
    found = with_rows(Revision.objects.filter(item__code=code, letter=letter)).first()
    if found is None:
        raise NotFound("revision", f"{letter} of {code}")
    return found


def structures_in_force(day: date, faults: Faults | None = None) -> dict[str, Structure]:
    """Return all structures in force on a day by item, with the lines that count then."""
    named = ("item__code", "approved_at", "batch_quantity", "share_rule", "main_weight", "grades")
    rows = in_force(day).only(*named)
    return {s.item: s.on(day) for s in structures_of(rows, faults).values()}


def reached_from(top: Revision, day: date) -> tuple[dict[str, Revision], dict[str, Structure]]:
    """Return the revisions that an item reaches, itself included, and their structures."""
    revisions: dict[str, Revision] = {}
    structures: dict[str, Structure] = {}
    known = {top.item.code}
    level = [top]
    while level:
        read = structures_of(level)
        revisions |= {r.item.code: r for r in level}
        structures |= {r.item.code: read[r.pk].on(day) for r in level}
        wanted = {c.item for r in level for c in structures[r.item.code].components} - known
        known |= wanted
        level = list(in_force(day).filter(item__code__in=any_of(wanted))) if wanted else []
    return revisions, structures


def phantoms_on(day: date, faults: Faults | None = None) -> dict[str, Structure]:
    """Return the structures of phantoms in force on a day."""
    rows = in_force(day).filter(item__is_phantom=True)
    return {s.item: s.on(day) for s in structures_of(rows, faults).values()}


def inlined(revision: Revision, day: date) -> Inlined:
    """Return a revision as orders of a day make it: its lines of that day, phantoms put in."""
    return inline(structure_of(revision).on(day), phantoms_on(day))


def shop_rates(day: date) -> ShopRates:
    """Return the rates of all work centers and labour grades in force on a day."""
    counting = Q(effective_from=None) | Q(effective_from__lte=day)
    centers = WorkCenterRate.objects.filter(counting).select_related("work_center")
    grades = GradeRate.objects.filter(counting).select_related("grade")
    budgets = OverheadBudget.objects.filter(
        effective_from__lte=day, effective_until__gte=day
    ).select_related("work_center")
    return ShopRates(
        # in the order of their days: a later rate takes the place of an earlier one
        {
            r.work_center.code: Rates(labour=r.labour_rate, machine=rate_of(layers_of(r)))
            for r in centers
        },
        {r.grade.code: r.rate for r in grades},
        [overhead_rate(b) for b in budgets],
        _ended(day, {b.code for b in budgets}),
    )


def _ended(day: date, charged: set[str]) -> dict[str, tuple[str, date]]:
    """Return overheads that were charged before a day and have no budget since: where, and when they ended."""
    rows = OverheadBudget.objects.filter(effective_until__lt=day).exclude(code__in=charged)
    return {
        b.code: (b.work_center.code if b.work_center else "", b.effective_until)
        for b in rows.select_related("work_center").order_by("effective_until")
    }


def overhead_rate(row: OverheadBudget) -> OverheadRate:
    """Return the rate that a budget gives."""
    base = Base(row.base)
    return OverheadRate(
        code=row.code,
        element=Element(row.element),
        base=base,
        rate=round_to(budget_rate(row.budget, row.capacity, base).value, UNIT_COST_STEP),
        work_center=row.work_center.code if row.work_center else "",
    )


def layers_of(row: WorkCenterRate) -> list[RateLayer]:
    """Return the layers of a machine hour."""
    return [
        RateLayer(
            name=layer["name"],
            element=Element(layer["element"]),
            amount=Decimal(layer.get("amount") or 0),
            percent=Decimal(layer.get("percent") or 0),
            of=layer.get("of") or "",
        )
        for layer in row.layers
    ]


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
