"""Queries on production orders."""

from datetime import date
from decimal import Decimal
from fractions import Fraction

from django.db.models import F, OuterRef, Subquery, Sum
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router, Schema
from poietic_core.cost.model import InputKind
from poietic_core.order.attention import Kind
from poietic_core.order.report import backflush
from poietic_core.order.states import OrderState
from poietic_core.quantity import HOUR_STEP, ZERO
from poietic_core.structure.requirement import entering
from poietic_core.variance.causes import Cause, Variance
from poietic_core.variance.reasons import yield_by_reason

from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS, Cost, sees_costs
from ..engineering.api import StepOut
from ..ledger.models import Holding, Posting, WipBalance
from ..web_api.derivations import DerivationRow, flatten
from ..web_api.fields import DecimalText
from .as_built import AsBuiltOut, as_built
from .book import ORDER_PARTS, OrderBook, named_by
from .dates import Dating, OrderDates
from .desk import (
    Stop,
    WantedBy,
    attentions_now,
    due_units,
    stops_of,
    waiting_operation,
    wanted_by,
)
from .faulty import OrderFaulty, computed
from .models import Order, OrderInput
from .needs import need_of
from .peek import LackOut, PeekOut, lacks, peek_at

router = Router(tags=["orders"])


class OrderRow(Schema):
    """An order in a queue."""

    number: int
    item: str
    name: str
    unit: str
    quantity: DecimalText
    received: DecimalText
    due: str
    starts: date | None
    finishes: date | None
    days_late: int
    state: str
    next: str
    #: what is wrong with it, where it can't be computed
    fault: str
    wip: Cost


class OrderOperationOut(Schema):
    """An operation of an order: planned and done."""

    number: int
    name: str
    work_center: str
    entering: DecimalText
    good: DecimalText
    scrap: DecimalText
    #: set aside, neither good nor lost yet
    rework: DecimalText
    is_report_point: bool
    due: DecimalText
    #: what a report says if nothing else is entered: set up once, where it was not yet
    setups_due: int
    times_set_up: int
    wip_at_standard: Cost
    #: operations that must come before, where it is not simply the one listed before
    after: list[int] | None
    steps: list[StepOut]
    alternate_centers: list[str]
    #: of what is left of it
    starts: str | None
    ends: str | None


class OrderInputOut(Schema):
    """An input of an order: needed, allowed for what was done, used."""

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
    allowed_each: DecimalText
    need: DecimalText
    used: DecimalText
    amount: Cost
    #: components: still to issue; time and by-products: what the units due now make of it
    still: DecimalText
    on_hand: DecimalText | None
    #: of a component: less is on hand than is still to issue
    is_short: bool
    need_derivation: list[DerivationRow]


class WipCell(Schema):
    """Work in process of one operation and element."""

    operation: int
    element: str
    amount: Cost


class ElementAmount(Schema):
    """Money of one cost element."""

    element: str
    amount: Cost


class HappenedRow(Schema):
    """A posting of an order, newest first."""

    number: int
    kind: str
    operation: int | None
    person: str
    happened_at: str
    reverses: int | None
    taken_back_by: int | None


class OrderGradeOut(Schema):
    """A grade of an order's output: expected and received."""

    item: str
    name: str
    share: DecimalText
    received: DecimalText


class OrderOut(Schema):
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
    state: str
    note: str
    revision: str
    supply_place: str
    receipt_place: str
    standard: Cost | None
    charged: Cost
    allowed: Cost
    variance: Cost
    operations: list[OrderOperationOut]
    inputs: list[OrderInputOut]
    grades: list[OrderGradeOut]
    wip: list[WipCell]
    wip_by_element: list[ElementAmount]
    is_all_received: bool
    happened: list[HappenedRow]
    stops: list[Stop]
    wanted_by: list[WantedBy]
    change: int


class AttentionOut(Schema):
    """A thing that needs a decision; its weight is money × days."""

    kind: str
    order: int
    sentence: str
    days: int
    money: Cost


class CauseDetail(Schema):
    """One cause at one operation, with its derivation."""

    operation: int
    input: str
    code: str
    amount: DecimalText
    derivation: list[DerivationRow]


class CauseOut(Schema):
    """All of one kind of cause; unfavourable is positive."""

    kind: str
    amount: DecimalText
    details: list[CauseDetail]


class YieldOut(Schema):
    """What scrap of a reason at an operation cost beyond the yield."""

    operation: int
    reason: str
    amount: DecimalText


class BridgeOut(Schema):
    """From what an order was allowed to what it was charged, cause by cause."""

    order: int
    state: str
    allowed: DecimalText
    charged: DecimalText
    variance: DecimalText
    wip: DecimalText
    causes: list[CauseOut]
    yield_by_reason: list[YieldOut]


@router.get("/orders", response=list[OrderRow])
def orders(request: HttpRequest) -> list[OrderRow]:
    """Return all orders, the open ones first, by due date."""
    rows = Order.objects.select_related(*ORDER_PARTS).order_by("due", "number")
    wip = dict(
        WipBalance.objects.values_list("cost_object").annotate(total=Sum("amount")).order_by()
    )
    books = OrderBook.many(rows)
    dating = Dating(books, timezone.now())
    ended = (OrderState.CLOSED, OrderState.CANCELLED)
    return [
        _row(b, dating, wip.get(b.order.pk, ZERO))
        for b in sorted(books, key=lambda b: b.state in ended)
    ]


def _row(book: OrderBook, dating: Dating, wip: Decimal) -> OrderRow:
    """Return an order's row; one that can't be computed says what is wrong with it."""
    order, dates = book.order, dating.of(book)
    waits, fault = computed(lambda: waiting_operation(book)[0])
    return OrderRow(
        number=order.number,
        item=order.item.code,
        name=order.item.name,
        unit=order.item.unit,
        quantity=order.quantity,
        received=order.received,
        due=order.due.isoformat(),
        finishes=_finishes(dates),
        starts=_starts(dates),
        days_late=dates.days_late if dates else 0,
        state=order.state,
        next=waits or "",
        fault=fault or dating.faults.get(order.number, ""),
        wip=wip,
    )


def _finishes(dates: OrderDates | None) -> date | None:
    return dates.finishes if dates else None


def _starts(dates: OrderDates | None) -> date | None:
    return timezone.localtime(dates.starts).date() if dates else None


@router.get("/today", response=list[AttentionOut])
def today(request: HttpRequest) -> list[AttentionOut]:
    """Return what needs a decision, the costliest first; to those who may not see costs, without these."""
    hidden = () if sees_costs(request.user) else (Kind.OVER_ALLOWED, Kind.TO_CLOSE)
    return [
        AttentionOut(
            kind=a.kind.value,
            order=a.order,
            sentence=a.sentence,
            days=a.days,
            money=a.money,
        )
        for a in attentions_now(timezone.now())
        if a.kind not in hidden
    ]


@router.get("/items/{code}/peek", response={200: PeekOut, 404: Problem})
def peek(request: HttpRequest, code: str) -> PeekOut:
    """Return an item at a glance."""
    return peek_at(item_by_code(code), timezone.localdate())


class ActualOut(Schema):
    """What an order's output cost per unit, against its frozen standard."""

    order: int
    finished: str
    quantity: DecimalText
    unit_cost: DecimalText
    standard: DecimalText


@router.get("/items/{code}/actuals", auth=READ_COSTS, response={200: list[ActualOut], 404: Problem})
def actuals(request: HttpRequest, code: str) -> list[ActualOut]:
    """Return what the completed orders of an item cost per unit, the latest first."""
    states = [OrderState.COMPLETED.value, OrderState.CLOSED.value]
    rows = Order.objects.filter(item=item_by_code(code), state__in=states, received__gt=0)
    standing = Posting.objects.filter(
        kind=Posting.Kind.COMPLETION, cost_object=OuterRef("pk"), reverses=None, reversal=None
    )
    rows = rows.annotate(completed=Subquery(standing.order_by("-pk").values("happened_at")[:1]))
    last = rows.select_related(*ORDER_PARTS).order_by(
        F("completed").desc(nulls_last=True), "-number"
    )
    books = OrderBook.many(last[:12])
    return [
        ActualOut(
            order=b.order.number,
            finished=timezone.localdate(b.order.completed).isoformat(),  # type: ignore[attr-defined]
            quantity=b.order.received,
            unit_cost=round(b.variance().charged / b.order.received, 6),
            standard=b.order.standard.total,
        )
        for b in books
        if b.order.standard
    ]


@router.get("/lacks", response=list[LackOut])
def lacking(request: HttpRequest) -> list[LackOut]:
    """Return what would stop the next order of anything."""
    return lacks(timezone.localdate())


@router.get("/orders/{number}", response={200: OrderOut, 404: Problem})
def order(request: HttpRequest, number: int) -> OrderOut:
    """Return an order's page."""
    book = OrderBook.read(number)
    page, fault = computed(lambda: _page(book))
    if page is None:
        raise OrderFaulty(number, fault)
    return page


def _page(book: OrderBook) -> OrderOut:
    o = book.order
    variance = book.variance() if o.standard else None
    dates = Dating([book], timezone.now()).of(book)
    items = [i.item_id for i in book.inputs if i.item_id]
    on_hand = dict(Holding.objects.filter(item__in=items).values_list("item_id", "quantity"))
    wip = list(WipBalance.objects.filter(cost_object=o.pk).order_by("operation", "pk"))
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
        starts=_starts(dates),
        finishes=_finishes(dates),
        days_late=dates.days_late if dates else 0,
        state=o.state,
        note=o.note,
        revision=o.revision.letter if o.revision else "",
        supply_place=o.supply_place.code,
        receipt_place=o.receipt_place.code,
        standard=o.standard.total if o.standard else None,
        charged=variance.charged if variance else ZERO,
        allowed=variance.allowed() if variance else ZERO,
        variance=variance.to_date() if variance else ZERO,
        operations=_operations(book, variance, dates),
        inputs=_inputs(book, on_hand),
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
        happened=_happened(o),
        stops=stops_of(book, timezone.now()),
        wanted_by=wanted_by(o),
        change=o.change,
    )


@router.get("/orders/{number}/as-built", response={200: AsBuiltOut, 404: Problem})
def order_as_built(request: HttpRequest, number: int) -> AsBuiltOut:
    """Return what an order took against what it was allowed, row by row, and as a draft."""
    return as_built(OrderBook.read(number))


@router.get("/orders/{number}/bridge", auth=READ_COSTS, response={200: BridgeOut, 404: Problem})
def bridge(request: HttpRequest, number: int) -> BridgeOut:
    """Return the cost bridge of an order, at any moment of its life."""
    book = OrderBook.read(number)
    if book.order.standard is None:
        return BridgeOut(
            order=number,
            state=book.order.state,
            allowed=ZERO,
            charged=ZERO,
            variance=ZERO,
            wip=ZERO,
            causes=[],
            yield_by_reason=[],
        )
    variance = book.variance()
    wip = sum((b.amount for b in WipBalance.objects.filter(cost_object=book.order.pk)), ZERO)
    return BridgeOut(
        order=number,
        state=book.order.state,
        allowed=variance.allowed(),
        charged=variance.charged,
        variance=variance.to_date(),
        wip=wip,
        causes=_causes(variance.rounded_causes()),
        yield_by_reason=[
            YieldOut(operation=y.operation, reason=y.reason, amount=round(y.amount, 2))
            for y in yield_by_reason(book.facts(book.scrap_by_reason()))
        ],
    )


def _operations(
    book: OrderBook, variance: Variance | None, dates: OrderDates | None
) -> list[OrderOperationOut]:
    held = variance.wip_at_standard if variance else {}
    due = due_units(book)
    planned = dates.operations if dates else {}
    return [
        OrderOperationOut(
            number=o.number,
            name=o.name,
            work_center=o.work_center.code,
            entering=o.entering,
            good=o.good,
            scrap=o.scrap,
            rework=o.rework,
            is_report_point=o.is_report_point,
            due=due.get(o.number, ZERO),
            setups_due=int(not book.times_made(o.number)),
            times_set_up=book.times_made(o.number),
            wip_at_standard=round(held.get(o.number, ZERO), 2),
            after=o.after,
            steps=[StepOut(**s) for s in o.steps],
            alternate_centers=o.alternate_centers,
            starts=planned[o.number].starts.isoformat() if o.number in planned else None,
            ends=planned[o.number].ends.isoformat() if o.number in planned else None,
        )
        for o in book.operations
    ]


def _inputs(book: OrderBook, on_hand: dict[int, Decimal]) -> list[OrderInputOut]:
    rows = []
    enter = entering(book.progress(), book.order.quantity) if book.operations else {}
    yields = {o.number: o.yield_share for o in book.operations}
    named = {i.pk: named_by(i).code for i in book.inputs}
    for i in book.inputs:
        it = named_by(i)
        still = _still(book, i)
        there = on_hand.get(i.item_id) if i.item_id else None
        rows.append(
            OrderInputOut(
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
                allowed_each=round(i.allowed, 6),
                need=i.need,
                used=i.used,
                amount=i.amount,
                still=still,
                on_hand=there,
                is_short=i.kind == InputKind.COMPONENT and there is not None and still > there,
                need_derivation=flatten(need_of(i, enter, yields)),
            )
        )
    return rows


def _still(book: OrderBook, i: OrderInput) -> Decimal:
    """Return what is still to issue, or the time or by-product of the units due now."""
    if i.kind == InputKind.COMPONENT:
        return i.still_needed
    due = due_units(book).get(i.operation, ZERO)
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


def _happened(order: Order) -> list[HappenedRow]:
    rows = Posting.objects.filter(cost_object=order.pk).select_related("person", "reversal")
    return [
        HappenedRow(
            number=p.pk,
            kind=p.kind,
            operation=p.operation,
            person=str(p.person or ""),
            happened_at=p.happened_at.isoformat(),
            reverses=p.reverses_id,
            taken_back_by=p.reversal.pk if hasattr(p, "reversal") else None,
        )
        for p in rows.order_by("-pk")
    ]


def _causes(causes: list[tuple[Cause, Decimal]]) -> list[CauseOut]:
    """Return the causes by kind; each kind's amount is the sum of its rounded details."""
    grouped: dict[str, list[CauseDetail]] = {}
    for cause, amount in causes:
        grouped.setdefault(cause.kind.value, []).append(
            CauseDetail(
                operation=cause.operation,
                input=cause.input or "",
                code=cause.code,
                amount=amount,
                derivation=flatten(cause.amount),
            )
        )
    return [
        CauseOut(kind=kind, amount=sum((d.amount for d in details), ZERO), details=details)
        for kind, details in grouped.items()
    ]
