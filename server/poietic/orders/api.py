"""Queries on production orders."""

from decimal import Decimal

from django.http import HttpRequest
from ninja import Router, Schema
from poietic_core.cost.variance import Cause, Variance, yield_by_reason
from poietic_core.order.states import OrderState
from poietic_core.quantity import ZERO

from ..commanding.api import Problem
from ..ledger.models import Holding, Posting, WipBalance
from ..web_api.derivations import DerivationRow, flatten
from ..web_api.fields import DecimalText
from .book import OrderBook
from .models import Order

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
    state: str


class OrderOperationOut(Schema):
    """An operation of an order: planned and done."""

    number: int
    name: str
    work_center: str
    entering: DecimalText
    good: DecimalText
    scrap: DecimalText
    is_report_point: bool
    wip_at_standard: DecimalText


class OrderInputOut(Schema):
    """An input of an order: needed, allowed for what was done, used."""

    operation: int
    kind: str
    code: str
    name: str
    unit: str
    is_per_order: bool
    issue_rule: str
    allowed_each: DecimalText
    need: DecimalText
    used: DecimalText
    amount: DecimalText
    on_hand: DecimalText | None


class WipCell(Schema):
    """Work in process of one operation and element."""

    operation: int
    element: str
    amount: DecimalText


class HappenedRow(Schema):
    """A posting of an order, newest first."""

    number: int
    kind: str
    operation: int | None
    person: str
    happened_at: str
    reverses: int | None
    taken_back_by: int | None


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
    state: str
    note: str
    revision: str
    supply_place: str
    receipt_place: str
    standard: DecimalText | None
    charged: DecimalText
    allowed: DecimalText
    variance: DecimalText
    operations: list[OrderOperationOut]
    inputs: list[OrderInputOut]
    wip: list[WipCell]
    happened: list[HappenedRow]
    change: int


class CauseDetail(Schema):
    """One cause at one operation, with its derivation."""

    operation: int
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
    rows = Order.objects.select_related("item").order_by("due", "number")
    ended = (OrderState.CLOSED, OrderState.CANCELLED)
    return [
        OrderRow(
            number=o.number,
            item=o.item.code,
            name=o.item.name,
            unit=o.item.unit,
            quantity=o.quantity,
            received=o.received,
            due=o.due.isoformat(),
            state=o.state,
        )
        for o in sorted(rows, key=lambda o: o.state in ended)
    ]


@router.get("/orders/{number}", response={200: OrderOut, 404: Problem})
def order(request: HttpRequest, number: int) -> OrderOut:
    """Return an order's page."""
    book = OrderBook.read(number)
    o = book.order
    variance = book.variance() if o.standard else None
    items = [i.item_id for i in book.inputs if i.item_id]
    on_hand = dict(Holding.objects.filter(item__in=items).values_list("item_id", "quantity"))
    return OrderOut(
        number=o.number,
        item=o.item.code,
        name=o.item.name,
        unit=o.item.unit,
        step=o.item.step,
        quantity=o.quantity,
        received=o.received,
        due=o.due.isoformat(),
        state=o.state,
        note=o.note,
        revision=o.revision.letter if o.revision else "",
        supply_place=o.supply_place.code,
        receipt_place=o.receipt_place.code,
        standard=o.standard.total if o.standard else None,
        charged=variance.charged if variance else ZERO,
        allowed=variance.allowed() if variance else ZERO,
        variance=variance.to_date() if variance else ZERO,
        operations=_operations(book, variance),
        inputs=_inputs(book, on_hand),
        wip=[
            WipCell(operation=b.operation, element=b.element, amount=b.amount)
            for b in WipBalance.objects.filter(order=o).order_by("operation", "pk")
        ],
        happened=_happened(o),
        change=o.change,
    )


@router.get("/orders/{number}/bridge", response={200: BridgeOut, 404: Problem})
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
    wip = sum((b.amount for b in WipBalance.objects.filter(order=book.order)), ZERO)
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
            for y in yield_by_reason(book.facts())
        ],
    )


def _operations(book: OrderBook, variance: Variance | None) -> list[OrderOperationOut]:
    held = variance.wip_at_standard if variance else {}
    return [
        OrderOperationOut(
            number=o.number,
            name=o.name,
            work_center=o.work_center.code,
            entering=o.entering,
            good=o.good,
            scrap=o.scrap,
            is_report_point=o.is_report_point,
            wip_at_standard=round(held.get(o.number, ZERO), 2),
        )
        for o in book.operations
    ]


def _inputs(book: OrderBook, on_hand: dict[int, Decimal]) -> list[OrderInputOut]:
    rows = []
    for i in book.inputs:
        named = i.item or i.work_center
        assert named is not None
        rows.append(
            OrderInputOut(
                operation=i.operation,
                kind=i.kind,
                code=named.code,
                name=named.name,
                unit=i.unit,
                is_per_order=i.is_per_order,
                issue_rule=i.issue_rule,
                allowed_each=round(i.allowed, 6),
                need=i.need,
                used=i.used,
                amount=i.amount,
                on_hand=on_hand.get(i.item_id) if i.item_id else None,
            )
        )
    return rows


def _happened(order: Order) -> list[HappenedRow]:
    rows = Posting.objects.filter(order=order).select_related("person", "reversal")
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
                code=cause.code,
                amount=amount,
                derivation=flatten(cause.amount),
            )
        )
    return [
        CauseOut(kind=kind, amount=sum((d.amount for d in details), ZERO), details=details)
        for kind, details in grouped.items()
    ]
