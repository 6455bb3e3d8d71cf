"""What customers order: the list, one of them with its margin while it is typed, and what is foreseen."""

from datetime import date, datetime
from decimal import Decimal
from typing import Literal

from django.db.models import Count, F, Min, Q, QuerySet, Sum
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.quantity import ZERO, money, round_to

from ..commanding.api import Problem
from ..commanding.reading import Cost
from ..costing.queries import current_set
from ..costing.storing import totals_of
from ..web_api.errors import NotFound
from ..web_api.fields import MOST_ROWS, Answer, DecimalText, PageSize, Skip
from .future import foreseen_from
from .made import orders_for
from .margins import SHARE_STEP, what_is_left
from .models import CustomerLine, CustomerOrder, CustomerOrderState
from .ready import ready_lines

router = Router(tags=["selling"])
Which = Literal["open", "offers", "late", "ended", "all"]


class CustomerOrderRow(Answer):
    """A customer's order in the list."""

    number: int
    customer: str
    customer_name: str
    their_number: str
    state: CustomerOrderState
    lines: int
    #: the first day on which something of it is due, and how many days ago that was
    due: date | None
    days_late: int
    amount: Cost


class CustomerOrderPage(Answer):
    """A part of the customers' orders, what is due first before the others."""

    rows: list[CustomerOrderRow]
    whole: int


class CustomerLineOut(Answer):
    """A line of a customer's order, with what it leaves over the standard."""

    line: int
    item: str
    name: str
    unit: str
    is_made: bool
    quantity: DecimalText
    delivered: DecimalText
    open: DecimalText
    wanted_on: date
    promised_on: date | None
    priority: int
    is_planned: bool
    price: Cost | None
    amount: Cost | None
    #: letter of the line's own structure; empty: it is made to the standard
    structure: str
    structure_state: str
    #: by its own structure as it was approved
    own_cost: Cost | None
    #: of the item today, and what the price leaves over that or over its own cost [share of the price]
    standard: Cost | None
    margin: Cost | None
    share: Cost | None
    #: orders that make it
    orders: list[int]
    #: of what is open, what is free in stock for it after lines that are due before
    ready: DecimalText


class DeliveredOf(Answer):
    """What left for a customer's order at once."""

    posting: int
    at: datetime
    line: int
    item: str
    quantity: DecimalText
    #: after the day that was promised, or else wanted
    days_late: int
    is_taken_back: bool


class CustomerOrderOut(Answer):
    """A customer's order with its lines and what left for it."""

    number: int
    customer: str
    customer_name: str
    their_number: str
    state: CustomerOrderState
    note: str
    made_at: datetime
    lines: list[CustomerLineOut]
    amount: Cost
    #: of the lines that have a price and a standard
    margin: Cost
    share: Cost | None
    delivered: list[DeliveredOf]


class ForecastRow(Answer):
    """What is foreseen of an item in a span, and what customers ordered of it for that span."""

    item: str
    name: str
    unit: str
    item_group: str
    first_day: date
    last_day: date
    quantity: DecimalText
    ordered: DecimalText


class ForecastPage(Answer):
    """What is foreseen from today on, by item and day."""

    rows: list[ForecastRow]
    whole: int


@router.get("/customer-orders", response=CustomerOrderPage)
def customer_orders(
    request: HttpRequest, which: Which = "open", limit: PageSize = 100, skip: Skip = 0
) -> CustomerOrderPage:
    """Return customers' orders, those first of which something is due first."""
    today = timezone.localdate()
    rows = CustomerOrder.objects.filter(_chosen(which, today))
    told = (
        rows.select_related("customer")
        .annotate(
            count=Count("lines"),
            first=Min(F("lines__wanted_on"), filter=Q(lines__open__gt=ZERO)),
            amount=Sum(F("lines__quantity") * F("lines__price")),
        )
        .order_by(F("first").asc(nulls_last=True), "-number")
    )
    return CustomerOrderPage(
        rows=[
            CustomerOrderRow(
                number=o.number,
                customer=o.customer.code,
                customer_name=o.customer.name,
                their_number=o.their_number,
                state=CustomerOrderState(o.state),
                lines=o.count,
                due=o.first,
                days_late=max(0, (today - o.first).days) if o.first else 0,
                amount=money(o.amount or ZERO),
            )
            for o in told[skip : skip + limit]
        ],
        whole=rows.count(),
    )


def _chosen(which: Which, today: date) -> Q:
    late = CustomerLine.objects.filter(open__gt=ZERO, wanted_on__lt=today).values("order")
    return {
        "open": Q(state=CustomerOrderState.ACCEPTED),
        "offers": Q(state=CustomerOrderState.OFFER),
        "late": Q(pk__in=late),
        "ended": Q(state=CustomerOrderState.ENDED),
        "all": Q(),
    }[which]


@router.get("/customer-orders/{number}", response={200: CustomerOrderOut, 404: Problem})
def customer_order(request: HttpRequest, number: int) -> CustomerOrderOut:
    """Return a customer's order with what each line leaves over the standard in force."""
    order = CustomerOrder.objects.select_related("customer").filter(number=number).first()
    if order is None:
        raise NotFound("customer order", str(number))
    lines = list(order.lines.select_related("item", "structure"))
    standards = totals_of(current_set(), [n.item for n in lines])
    made, ready = orders_for(order), ready_lines({n.item_id for n in lines})
    shown = [
        _line(n, standards.get(n.item_id), made.get(n.number, []), ready.get(n.pk, ZERO))
        for n in lines
    ]
    counted = [n for n in shown if n.margin is not None]
    amount = sum((n.amount or ZERO for n in shown), ZERO)
    base = sum((n.amount or ZERO for n in counted), ZERO)
    left = sum((n.margin or ZERO for n in counted), ZERO)
    return CustomerOrderOut(
        number=order.number,
        customer=order.customer.code,
        customer_name=order.customer.name,
        their_number=order.their_number,
        state=CustomerOrderState(order.state),
        note=order.note,
        made_at=order.made_at,
        lines=shown,
        amount=amount,
        margin=left,
        share=round_to(left / base, SHARE_STEP) if base else None,
        delivered=_delivered(order),
    )


def _line(
    n: CustomerLine, standard: Decimal | None, orders: list[int], ready: Decimal
) -> CustomerLineOut:
    left = what_is_left(n.price, standard if n.own_cost is None else n.own_cost, n.quantity)
    return CustomerLineOut(
        line=n.number,
        item=n.item.code,
        name=n.item.name,
        unit=n.item.unit,
        is_made=n.item.is_made,
        quantity=n.quantity,
        delivered=n.delivered,
        open=n.open,
        wanted_on=n.wanted_on,
        promised_on=n.promised_on,
        priority=n.priority,
        is_planned=n.is_planned,
        price=n.price,
        amount=None if n.price is None else money(n.price * n.quantity),
        structure=n.structure.letter if n.structure else "",
        structure_state=n.structure.state if n.structure else "",
        own_cost=n.own_cost,
        standard=standard,
        margin=left[0],
        share=left[1],
        orders=orders,
        ready=ready,
    )


def _delivered(order: CustomerOrder) -> list[DeliveredOf]:
    lines = CustomerLine.objects.filter(order=order)
    rows: QuerySet[CustomerLine] = lines.filter(sold__isnull=False)
    told = rows.order_by("-sold__posting").values_list(
        "sold__posting", "sold__posting__happened_at", "number", "item__code", "sold__line__quantity", "sold__posting__reversal", "promised_on", "wanted_on"
    )  # fmt: skip
    return [
        DeliveredOf(
            posting=posting,
            at=at,
            line=line,
            item=item,
            quantity=quantity,
            days_late=max(0, (timezone.localdate(at) - (promised or wanted)).days),
            is_taken_back=reversal is not None,
        )
        for posting, at, line, item, quantity, reversal, promised, wanted in told[:MOST_ROWS]
    ]


@router.get("/forecasts", response=ForecastPage)
def forecasts(request: HttpRequest, limit: PageSize = 200, skip: Skip = 0) -> ForecastPage:
    """Return what is foreseen from today on, with what customers ordered of it."""
    rows = foreseen_from(timezone.localdate())
    shown = rows.order_by("item__code", "first_day")[skip : skip + limit]
    return ForecastPage(
        rows=[
            ForecastRow(
                item=f.item.code,
                name=f.item.name,
                unit=f.item.unit,
                item_group=f.item.item_group,
                first_day=f.first_day,
                last_day=f.last_day,
                quantity=f.quantity,
                ordered=f.ordered,
            )
            for f in shown
        ],
        whole=rows.count(),
    )
