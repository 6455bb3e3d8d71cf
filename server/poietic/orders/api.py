"""Queries on production orders."""

from datetime import date
from decimal import Decimal
from fractions import Fraction

import orjson
from django.db.models import Case, F, OuterRef, Q, Subquery, When
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Router, Schema
from poietic_core.cost.model import InputKind
from poietic_core.order.attention import Kind
from poietic_core.order.report import backflush, next_operation
from poietic_core.order.states import Act, OrderState, acts_in
from poietic_core.quantity import HOUR_STEP, UNIT_COST_STEP, ZERO, money, round_to
from poietic_core.structure.requirement import entering
from poietic_core.variance.causes import Cause, Variance
from poietic_core.variance.reasons import yield_by_reason

from ..catalog.models import Item
from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS, Cost, sees_costs
from ..engineering.api import StepOut
from ..ledger.models import Holding, Posting, WipBalance
from ..ledger.wip import CELLS
from ..statements.prepared import Prepared, planned_once
from ..web_api.derivations import DerivationRow, flatten
from ..web_api.fields import DecimalText, PageSize, ShortText, Skip
from .as_built import AsBuiltOut, as_built
from .book import ORDER_PARTS, STOOD, OrderBook, named_by
from .desk import Stop, WantedBy, stops_of, wanted_by
from .faulty import OrderFaulty, computed
from .finding import begins_with
from .models import Order, OrderInput, Shortage
from .needs import need_of
from .peek import LackOut, PeekOut, lacks, peek_at
from .shortages import SHORT
from .standing import due_units

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
    state: OrderState
    next: str
    #: what is wrong with it, where it can't be computed
    fault: str
    wip: Cost


class OrderPage(Schema):
    """Some orders, how many match, and how many there are in these states."""

    rows: list[OrderRow]
    found: int
    whole: int


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
    #: of a component: less than is still to issue is kept for the order, or promised to it
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
    state: OrderState
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
    #: what its state allows, and the operation that is to be reported next
    acts: list[Act]
    next_operation: int | None
    change: int


class AttentionOut(Schema):
    """A thing that needs a decision, however many orders it concerns; its weight is money × days."""

    id: int
    kind: str
    #: at one order; or because of an item, which is made or bought
    order: int | None
    item: str
    is_made: bool
    sentence: str
    orders: int
    days: int
    money: Cost


class TodayOut(Schema):
    """What weighs most, and how many causes there are in all."""

    causes: list[AttentionOut]
    whole: int


class WaitingOut(Schema):
    """An order that is short of an item."""

    order: int
    name: str
    unit: str
    quantity: DecimalText
    short: DecimalText
    due: date
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
    state: OrderState
    allowed: DecimalText
    charged: DecimalText
    variance: DecimalText
    wip: DecimalText
    causes: list[CauseOut]
    yield_by_reason: list[YieldOut]


@router.get("/orders", response=OrderPage)
def orders(
    request: HttpRequest, states: str = "", q: ShortText = "", skip: Skip = 0, limit: PageSize = 100
) -> OrderPage:
    """Return orders in some states, in the order of these, then by due date; a page of them.

    Words filter by number, item, name and state; all of them have to be found.
    """
    listed = [s for s in states.split(",") if s] or [s.value for s in OrderState]
    rows = Order.objects.filter(state__in=listed)
    whole = rows.count()
    found = rows.filter(*(_matching(word) for word in q.split()))
    rank = Case(*(When(state=s, then=n) for n, s in enumerate(listed)), default=len(listed))
    page = found.select_related("item", "standing").order_by(rank, "due", "number")
    return OrderPage(
        rows=[_row(o) for o in page[skip : skip + limit]],
        found=found.count() if q.strip() else whole,
        whole=whole,
    )


def _matching(word: str) -> Q:
    """Return the condition that an order has a word: in its number, item, name or state."""
    said = Q(item__in=Item.objects.filter(search__contains=word.lower())) | Q(state__istartswith=word)  # fmt: skip
    return said | begins_with(word) if word.isdecimal() else said


def _row(o: Order) -> OrderRow:
    s = getattr(o, "standing", None)
    return OrderRow(
        number=o.number,
        item=o.item.code,
        name=o.item.name,
        unit=o.item.unit,
        quantity=o.quantity,
        received=o.received,
        due=o.due.isoformat(),
        starts=s.starts if s else None,
        finishes=s.finishes if s else None,
        days_late=s.days_late if s else 0,
        state=OrderState(o.state),
        next=s.waits_at if s else "",
        fault=s.fault if s else "",
        wip=s.wip if s else ZERO,
    )


#: what weighs most, but for some kinds; amounts as texts
TODAY = """
SELECT a.id, a.kind, o.number, coalesce(i.code, ''), coalesce(i.source <> 'buy', false), a.sentence,
       a.orders, a.days, a.money::text
FROM orders_storedattention a LEFT JOIN orders_order o ON o.id = a.order_id
LEFT JOIN catalog_item i ON i.id = a.item_id
WHERE a.kind <> ALL(%s) ORDER BY a.weight DESC, a.id LIMIT %s
"""


@router.get("/today", response=TodayOut)
def today(request: HttpRequest, limit: PageSize = 100) -> HttpResponse:
    """Return what needs a decision, one row for a cause, the costliest first.

    Those who may not see costs are not told what costs too much or is to be closed.
    """
    sees = sees_costs(request.user)
    hidden = [] if sees else [Kind.OVER_ALLOWED.value, Kind.TO_CLOSE.value]
    names = tuple(AttentionOut.model_fields)
    with planned_once() as cursor:
        cursor.execute(TODAY, [hidden, limit])
        causes = [dict(zip(names, row, strict=True)) for row in cursor.fetchall()]
        whole = len(causes)
        if whole == limit:
            cursor.execute(
                "SELECT count(*) FROM orders_storedattention WHERE kind <> ALL(%s)", [hidden]
            )
            whole = cursor.fetchone()[0]
    for cause in causes if not sees else ():
        cause["money"] = ""
    return HttpResponse(
        orjson.dumps({"causes": causes, "whole": whole}), content_type="application/json"
    )


@router.get("/today/missing/{code}", response={200: list[WaitingOut], 404: Problem})
def waiting_for(request: HttpRequest, code: str) -> list[WaitingOut]:
    """Return the orders that are short of an item, the earliest due first; 200 at most."""
    rows = Shortage.objects.filter(item=item_by_code(code)).select_related(
        "order__item", "order__standing"
    )
    return [
        WaitingOut(
            order=s.order.number,
            name=s.order.item.name,
            unit=s.order.item.unit,
            quantity=s.order.quantity,
            short=s.quantity,
            due=s.order.due,
            days=s.order.standing.days_late,
            money=s.order.standing.wip,
        )
        for s in rows.order_by("order__due", "order__number")[:200]
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
            unit_cost=round_to(b.variance().charged / b.order.received, UNIT_COST_STEP),
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
def order(request: HttpRequest, number: int) -> HttpResponse:
    """Return an order's page."""
    book = OrderBook.read(number)
    page, fault = computed(lambda: _page(book))
    if page is None:
        raise OrderFaulty(number, fault)
    # built of checked parts: it is not checked once more
    return HttpResponse(page.model_dump_json(), content_type="application/json")


def _page(book: OrderBook) -> OrderOut:
    o = book.order
    variance = book.variance() if o.standard else None
    due = due_units(book)
    stood = STOOD.of(o.pk)
    dates = stood[0] if stood else None
    items = [i.item_id for i in book.inputs if i.item_id]
    on_hand = dict(Holding.objects.filter(item__in=items).values_list("item_id", "quantity"))
    short = {s.item_id for s in SHORT.of(o.pk)}
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
        revision=o.revision.letter if o.revision else "",
        supply_place=o.supply_place.code,
        receipt_place=o.receipt_place.code,
        standard=o.standard.total if o.standard else None,
        charged=variance.charged if variance else ZERO,
        allowed=variance.allowed() if variance else ZERO,
        variance=variance.to_date() if variance else ZERO,
        operations=_operations(book, variance, due),
        inputs=_inputs(book, on_hand, short, due),
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
        acts=acts_in(book.state),
        next_operation=next_operation(due),
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
            state=OrderState(book.order.state),
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
        state=OrderState(book.order.state),
        allowed=variance.allowed(),
        charged=variance.charged,
        variance=variance.to_date(),
        wip=wip,
        causes=_causes(variance.rounded_causes()),
        yield_by_reason=[
            YieldOut(operation=y.operation, reason=y.reason, amount=money(y.amount))
            for y in yield_by_reason(book.facts(book.scrap_by_reason()))
        ],
    )


def _operations(
    book: OrderBook, variance: Variance | None, due: dict[int, Decimal]
) -> list[OrderOperationOut]:
    held = variance.wip_at_standard if variance else {}
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
            wip_at_standard=money(held.get(o.number, ZERO)),
            after=o.after,
            steps=[StepOut(**s) for s in o.steps],
            alternate_centers=o.alternate_centers,
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
) -> list[OrderInputOut]:
    rows = []
    enter = entering(book.progress(), book.order.quantity) if book.operations else {}
    yields = {o.number: o.yield_share for o in book.operations}
    named = {i.pk: named_by(i).code for i in book.inputs}
    for i in book.inputs:
        it = named_by(i)
        still = _still(book, i, due.get(i.operation, ZERO))
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
                allowed_each=round_to(i.allowed, UNIT_COST_STEP),
                need=i.need,
                used=i.used,
                amount=i.amount,
                still=still,
                on_hand=there,
                is_short=i.item_id in short and bool(i.still),
                need_derivation=flatten(need_of(i, enter, yields)),
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


HAPPENED = Prepared(
    lambda key: (
        Posting.objects.filter(cost_object=key).select_related("person", "reversal").order_by("-pk")
    )
)


def _happened(order: Order) -> list[HappenedRow]:
    rows = HAPPENED.of(order.pk)
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
        for p in rows
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
