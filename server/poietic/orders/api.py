"""An order's page."""

from datetime import date, datetime
from decimal import Decimal
from fractions import Fraction

from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Router
from poietic_core.cost.model import InputKind
from poietic_core.order.report import backflush, beyond_plan, next_operation, remaining
from poietic_core.order.states import Act, OrderState, acts_in
from poietic_core.order.working import Working
from poietic_core.quantity import HOUR_STEP, UNIT_COST_STEP, ZERO, money, round_to
from poietic_core.structure.requirement import entering
from poietic_core.variance.causes import Variance

from ..catalog.queries import any_of
from ..commanding.api import Problem
from ..commanding.reading import Cost
from ..engineering.api import StepOut
from ..ledger.models import Holding, Posting
from ..ledger.reserving import free_stock
from ..ledger.wip import CELLS
from ..statements.prepared import Prepared
from ..web_api.derivations import DerivationRow, flatten
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, DecimalText
from .basis import Basis, basis_of
from .book import STOOD, OrderBook, named_by
from .dates import UNRELEASED
from .desk import Stop, WantedBy, stops_of, wanted_by
from .faulty import OrderFaulty, computed
from .line_outlook import NO_OUTLOOK, makers_of, outlook_of
from .lots_used import lots_noted, lots_used
from .models import Order, OrderInput, ReworkPlan
from .needs import need_of, with_replenished
from .shortages import SHORT
from .standing import due_units

router = Router(tags=["orders"])


class OrderStepOut(StepOut):
    """An instruction step, with the lots and serials that went in where it asks for them."""

    lots: list[str]


class OrderOperationOut(Answer):
    """An operation of an order: planned and done."""

    number: int
    name: str
    work_center: str
    entering: DecimalText
    good: DecimalText
    scrap: DecimalText
    #: set aside, neither good nor lost yet
    rework: DecimalText
    #: how and where that is made good, "": at the operation itself
    rework_planned: str
    #: who does it, "": it is done here; out at him
    supplier: str
    out: DecimalText
    is_report_point: bool
    due: DecimalText
    #: what a report says if nothing else is entered: set up once, where it was not yet
    setups_due: int
    times_set_up: DecimalText
    wip_at_standard: Cost
    #: operations that must come before, where it is not simply the one listed before
    after: list[int] | None
    steps: list[OrderStepOut]
    alternate_centers: list[str]
    #: whether it is worked at, by whom, and what its clock ran since the last report [h]
    working: Working
    worker: str
    worked_hours: DecimalText
    paused_words: str
    #: of what is left of it
    starts: str | None
    ends: str | None


class OrderInputOut(Answer):
    """An input of an order: needed, allowed for what was done, used."""

    #: what it is asked for by
    row: int
    operation: int
    kind: str
    code: str
    name: str
    unit: str
    is_per_order: bool
    is_per_good: bool
    issue_rule: str
    #: spent on pieces that were set aside
    is_rework: bool
    #: components that it was used in the place of
    instead_of: list[str]
    #: what the order was costed with has it too
    is_in_standard: bool
    #: hours of the standard that this order works at another work center
    is_worked_elsewhere: bool
    allowed_each: DecimalText
    need: DecimalText
    used: DecimalText
    amount: Cost
    #: components: still to issue; time and by-products: what the units due now make of it
    still: DecimalText
    on_hand: DecimalText | None
    #: of a component: less than is still to issue is kept for the order, or promised to it
    is_short: bool
    #: of a component that is still wanted: free of it, kept for this order, and what comes next, and when
    free: DecimalText | None
    kept: DecimalText | None
    expected: DecimalText | None
    comes: date | None
    #: still wanted by other orders that run
    wanted: DecimalText | None
    #: orders that make it for this one
    made_by: list[int]


class PlannedNeedOut(Answer):
    """What an order that is not released will need of an item."""

    item: str
    name: str
    unit: str
    need: DecimalText
    free: DecimalText
    short: DecimalText
    #: when enough will have come; null: nothing is short, or nobody knows
    comes: date | None
    #: orders that make it for this one
    made_by: list[int]


class WipCell(Answer):
    """Work in process of one operation and element."""

    operation: int
    element: str
    amount: Cost


class ElementAmount(Answer):
    """Money of one cost element."""

    element: str
    amount: Cost


class HappenedRow(Answer):
    """A posting of an order, newest first."""

    number: int
    kind: str
    operation: int | None
    person: str
    happened_at: str
    reverses: int | None
    taken_back_by: int | None


class OrderGradeOut(Answer):
    """A grade of an order's output: expected and received."""

    item: str
    name: str
    share: DecimalText
    received: DecimalText


class OrderOut(Answer):
    """An order's page: what was planned, done, charged and allowed."""

    number: int
    item: str
    name: str
    unit: str
    step: DecimalText
    quantity: DecimalText
    received: DecimalText
    due: str
    starts: date | None
    finishes: date | None
    days_late: int
    state: OrderState
    note: str
    customer: str
    customer_order: str
    customer_line: str
    wanted_on: date | None
    #: the lot that it was sized from
    lot: str
    #: the order, and the operation of it, that it is made for; null: none
    made_for: int | None
    made_for_operation: int | None
    #: the order that its units were taken out of, and those that took some out of it; cancelled ones aside
    split_from: int | None
    split_off: list[int]
    #: it and orders of its components, or of what it goes into, are planned together
    is_in_tree: bool
    made_within: list[str]
    #: its material is released part by part
    is_in_parts: bool
    #: why it stands still, in words; "" if it does not
    on_hold: str
    held_at: datetime | None
    #: it is kept until this day although nothing happens to it, and why
    keep_until: date | None
    keep_words: str
    revision: str
    #: a later one in force; "" if there is none
    newer: str
    supply_place: str
    receipt_place: str
    standard: Cost | None
    charged: Cost
    allowed: Cost
    variance: Cost
    #: on what its cost stands; null: it is planned
    basis: Basis | None
    operations: list[OrderOperationOut]
    inputs: list[OrderInputOut]
    planned_needs: list[PlannedNeedOut]
    grades: list[OrderGradeOut]
    wip: list[WipCell]
    wip_by_element: list[ElementAmount]
    is_all_received: bool
    #: pieces to work on beyond what its material is enough for, at the operation that lacks most
    lost_beyond: DecimalText
    happened: list[HappenedRow]
    stops: list[Stop]
    wanted_by: list[WantedBy]
    #: what its state allows, and the operation that is to be reported next
    acts: list[Act]
    next_operation: int | None
    change: int


@router.get("/orders/{number}", response={200: OrderOut, 404: Problem})
def order(request: HttpRequest, number: int) -> HttpResponse:
    """Return an order's page."""
    book = OrderBook.read(number)
    page, fault = computed(lambda: _page(book))
    if page is None:
        raise OrderFaulty(number, fault)
    # built of checked parts: it is not checked once more
    return HttpResponse(page.model_dump_json(), content_type="application/json")


@router.get("/orders/{number}/inputs/{row}/need", response={200: list[DerivationRow], 404: Problem})
def need(request: HttpRequest, number: int, row: int) -> list[DerivationRow]:
    """Return how the need of an input came about."""
    book = OrderBook.read(number)
    found = next((i for i in book.inputs if i.pk == row), None)
    if found is None:
        raise NotFound(f"input of order {number}", str(row))
    enter = entering(book.progress(), book.order.quantity) if book.operations else {}
    enter = with_replenished(book.operations, enter)
    yields = {o.number: o.yield_share for o in book.operations}
    rows, fault = computed(lambda: flatten(need_of(found, enter, yields)))
    if rows is None:
        raise OrderFaulty(number, fault)
    return rows


def _page(book: OrderBook) -> OrderOut:
    o = book.order
    variance = book.variance() if o.standard else None
    due = due_units(book)
    stood = STOOD.of(o.pk)
    dates = stood[0] if stood else None
    items = [i.item_id for i in book.inputs if i.item_id]
    on_hand = dict(ON_HAND.of_any(items))
    makers = makers_of(o)
    short = SHORT.of(o.pk)
    wip = sorted(CELLS.of_any([o.pk]), key=lambda b: (b.operation, b.pk))
    by_element: dict[str, Decimal] = {}
    for cell in wip:
        by_element[cell.element] = by_element.get(cell.element, ZERO) + cell.amount
    return OrderOut(
        number=o.number,
        item=o.item.code,
        name=o.item.name,
        unit=o.item.unit,
        step=o.item.step,
        quantity=o.quantity,
        received=o.received,
        due=o.due.isoformat(),
        starts=dates.starts if dates else None,
        finishes=dates.finishes if dates else None,
        days_late=dates.days_late if dates else 0,
        state=OrderState(o.state),
        note=o.note,
        customer=o.customer.name if o.customer else "",
        customer_order=o.customer_order,
        customer_line=o.customer_line,
        wanted_on=o.wanted_on,
        lot=o.lot.code if o.lot else "",
        made_for=o.made_for.number if o.made_for else None,
        made_for_operation=o.made_for_operation,
        split_from=o.split_from.number if o.split_from else None,
        split_off=split_off(o),
        is_in_tree=bool(o.made_for_id or makers),
        made_within=o.made_within,
        is_in_parts=o.is_in_parts,
        on_hold=": ".join(filter(None, (o.hold_reason.name, o.hold_words)))
        if o.hold_reason
        else "",
        held_at=o.held_at,
        keep_until=o.keep_until,
        keep_words=o.keep_words,
        revision=o.revision.letter if o.revision else "",
        newer=dates.newer if dates else "",
        supply_place=o.supply_place.code,
        receipt_place=o.receipt_place.code,
        standard=o.standard.total if o.standard else None,
        charged=variance.charged if variance else ZERO,
        allowed=variance.allowed() if variance else ZERO,
        variance=variance.to_date() if variance else ZERO,
        basis=basis_of(o) if variance else None,
        operations=_operations(book, variance, due),
        inputs=_inputs(book, on_hand, {s.item_id for s in short}, due, makers),
        planned_needs=_planned_needs(o, makers) if book.state in UNRELEASED else [],
        grades=[
            OrderGradeOut(item=g.item.code, name=g.item.name, share=g.share, received=g.received)
            for g in book.grades
        ],
        wip=[WipCell(operation=b.operation, element=b.element, amount=b.amount) for b in wip],
        wip_by_element=[
            ElementAmount(element=element, amount=amount)
            for element, amount in by_element.items()
            if amount
        ],
        is_all_received=o.received >= o.quantity,
        lost_beyond=_lost_beyond(book),
        happened=_happened(o),
        stops=stops_of(book, short, dates),
        wanted_by=wanted_by(o),
        acts=acts_in(book.state, is_held=o.hold_reason_id is not None),
        next_operation=next_operation(due),
        change=o.change,
    )


def _lost_beyond(book: OrderBook) -> Decimal:
    """Return for how many pieces an order that runs lacks material because of what it lost."""
    if Act.POST not in acts_in(book.state) or not book.operations:
        return ZERO
    planned, progress = {o.number: o.entering for o in book.operations}, book.progress()
    beyond = beyond_plan(progress, book.order.quantity, planned, book.order.item.step)
    still = remaining(progress, book.order.quantity)  # who has nothing left to do lacks nothing
    return max((units for number, units in beyond.items() if still[number]), default=ZERO)


def _planned_needs(order: Order, makers: dict[int, list[int]]) -> list[PlannedNeedOut]:
    rows = list(order.planned_needs.select_related("item").order_by("item__code"))
    free = free_stock([n.item_id for n in rows], timezone.localdate())
    return [
        PlannedNeedOut(
            item=n.item.code,
            name=n.item.name,
            unit=n.item.unit,
            need=n.quantity,
            free=free.get(n.item_id, ZERO),
            short=n.short,
            comes=n.comes,
            made_by=makers.get(n.item_id, []),
        )
        for n in rows
    ]


def split_off(order: Order) -> list[int]:
    """Return the orders that took units out of one; those that were merged into it again aside."""
    found = Order.objects.filter(split_from=order.pk).exclude(state=OrderState.CANCELLED)
    return list(found.order_by("number").values_list("number", flat=True))


def _operations(
    book: OrderBook, variance: Variance | None, due: dict[int, Decimal]
) -> list[OrderOperationOut]:
    held = variance.wip_at_standard if variance else {}
    used = lots_used(book)
    set_aside = [o.pk for o in book.operations if o.rework]
    plans = ReworkPlan.objects.filter(operation__in=set_aside).select_related("work_center") if set_aside else ()  # fmt: skip
    planned = {p.operation_id: f"{p.name} at {p.work_center.code}" for p in plans}
    return [
        OrderOperationOut(
            number=o.number,
            name=o.name,
            work_center=o.work_center.code,
            entering=o.entering,
            good=o.good,
            scrap=o.scrap,
            rework=o.rework,
            rework_planned=planned.get(o.pk, ""),
            supplier=o.supplier.name if o.supplier else "",
            out=max(ZERO, o.sent - o.processed),
            is_report_point=o.is_report_point,
            due=due.get(o.number, ZERO),
            setups_due=book.setups_due(o.number),
            times_set_up=book.times_made(o.number),
            wip_at_standard=money(held.get(o.number, ZERO)),
            after=o.after,
            steps=[OrderStepOut(**s, lots=lots_noted(book, o.number, s, used)) for s in o.steps],
            alternate_centers=o.alternate_centers,
            working=Working(o.working),
            worker=str(o.worker or ""),
            worked_hours=o.clock().elapsed(timezone.now()),
            paused_words=o.paused_words,
            starts=o.starts_at.isoformat() if o.starts_at else None,
            ends=o.ends_at.isoformat() if o.ends_at else None,
        )
        for o in book.operations
    ]


def _inputs(
    book: OrderBook,
    on_hand: dict[int, Decimal],
    short: set[int],
    due: dict[int, Decimal],
    makers: dict[int, list[int]],
) -> list[OrderInputOut]:
    rows = []
    outlook = outlook_of(book)
    named = {i.pk: named_by(i).code for i in book.inputs}
    for i in book.inputs:
        it = named_by(i)
        still = _still(book, i, due.get(i.operation, ZERO))
        there = on_hand.get(i.item_id) if i.item_id else None
        rows.append(
            OrderInputOut(
                row=i.pk,
                operation=i.operation,
                kind=i.kind,
                code=it.code,
                name=it.name,
                unit=i.unit,
                is_per_order=i.is_per_order,
                is_per_good=i.is_per_good,
                issue_rule=i.issue_rule,
                is_rework=i.is_rework,
                instead_of=[named[f["input"]] for f in i.stands_for],
                is_in_standard=bool(i.standard),
                is_worked_elsewhere=i.is_worked_elsewhere,
                allowed_each=round_to(i.allowed, UNIT_COST_STEP),
                need=i.need,
                used=i.used,
                amount=i.amount,
                still=still,
                on_hand=there,
                is_short=i.item_id in short and bool(i.still),
                **outlook.get(i.pk, NO_OUTLOOK),
                made_by=makers.get(i.item_id or 0, []),
            )
        )
    return rows


def _still(book: OrderBook, i: OrderInput, due: Decimal) -> Decimal:
    """Return what is still to issue, or the time or by-product of the units due now."""
    if i.kind == InputKind.COMPONENT:
        return i.still_needed
    step = _step(book, i)
    if i.is_per_order:
        return i.allowed if due and not i.used else ZERO
    return backflush(
        per_unit=Fraction(i.allowed_exactly),
        units_to_date=book.done(i) + due,
        charged_so_far=i.covered,
        step=step,
    )


def _step(book: OrderBook, i: OrderInput) -> Decimal:
    """Return the step of an input: its item's; the product's for a supplier's pieces; of hours."""
    if i.item:
        return i.item.step
    return book.order.item.step if i.supplier else HOUR_STEP


HAPPENED: Prepared[tuple[int, str, int | None, str | None, datetime, int | None, int | None]] = (
    Prepared(
        lambda key: (
            Posting.objects.filter(cost_object=key)
            .order_by("-pk")
            .values_list(
                *("pk", "kind", "operation", "person__full_name", "happened_at"),
                *("reverses_id", "reversal__pk"),
            )
        )
    )
)
ON_HAND: Prepared[tuple[int, Decimal]] = Prepared(
    lambda items: Holding.objects.filter(item__in=any_of(items)).values_list("item_id", "quantity")
)


def _happened(order: Order) -> list[HappenedRow]:
    return [
        HappenedRow(
            number=number,
            kind=kind,
            operation=operation,
            person=person or "",
            happened_at=happened_at.isoformat(),
            reverses=reverses,
            taken_back_by=taken_back_by,
        )
        for number, kind, operation, person, happened_at, reverses, taken_back_by in HAPPENED.of(
            order.pk
        )
    ]
