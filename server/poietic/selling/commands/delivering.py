"""Delivering to customers: goods leave at what they are worth, which is the cost of goods sold."""

from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated, ClassVar

from django.db.models import Sum
from poietic_core.errors import DomainError
from poietic_core.quantity import allocate, money
from pydantic import Field

from ...catalog.models import Partner, Place
from ...catalog.queries import items_by_code, stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.document import Pieces, mirror
from ...ledger.models import Account, Posting, StockLine
from ...ledger.transaction import Transaction
from ...orders.commands.taking_back import postings_of_act
from ...statements.bulk import insert_rows
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Moment, Note, Price, Quantity, Reference, Strict, Text
from ..models import CustomerLine, CustomerOrder, CustomerOrderState, Sold
from .ordering import (
    CustomerOrderGiven,
    LineNumber,
    NotInState,
    count_open,
    customer_by_code,
    lock_order,
    touch,
)

#: of one delivery
MOST_LINES = 200


class LotDelivered(Strict):
    """Pieces of one lot, or one serial."""

    lot: Reference
    quantity: Quantity


class LineDelivered(Strict):
    """A quantity of an item that leaves."""

    item: Code
    quantity: Quantity
    #: of a tracked item; left out, what expires or came first
    lots: Annotated[list[LotDelivered], Field(max_length=200)] = []
    #: line of the customer's order
    customer_line: Annotated[str, Text(20)] = ""
    #: what is asked for one [EUR]
    price: Price | None = None


class OrderedDelivered(Strict):
    """What leaves of a line of a customer's order."""

    line: LineNumber
    quantity: Quantity
    #: of a tracked item, the lot or serial that all of it is of; or several; left out, what expires or came first
    lot: Reference = ""
    lots: Annotated[list[LotDelivered], Field(max_length=200)] = []


class DeliverOrdered(CustomerOrderGiven):
    """What leaves of a customer's order; lines left out, all that is open."""

    place: Code
    lines: Annotated[list[OrderedDelivered], Field(max_length=MOST_LINES)] = []
    happened_at: Moment | None = None
    reason: Note = ""


class Deliver(Strict):
    """What goes to a customer, and on which order of his."""

    customer: Code
    customer_order: Annotated[str, Text(40)] = ""
    place: Code
    lines: Annotated[list[LineDelivered], Field(min_length=1, max_length=MOST_LINES)]
    happened_at: Moment | None = None
    reason: Note = ""


@command("deliver", "Deliver to a customer", Role.STOREKEEPER, Role.CONTROLLER)
def deliver(context: Context, given: Deliver) -> None:
    """Take goods out of stock to a customer; what they are worth becomes cost of goods sold."""
    customer = customer_by_code(given.customer)
    _send(context, customer, given, [None] * len(given.lines))


@dataclass(eq=False)
class MoreThanOpen(DomainError):
    """More would leave for a line than is still to."""

    order: int
    line: int
    wanted: Decimal
    open: Decimal
    code: ClassVar[str] = "customer_order.more_than_open"
    what: ClassVar[str] = "{wanted} can't leave for line {line} of customer order {order}."
    why: ClassVar[str] = "{open} of it are still to leave."
    fix: ClassVar[str] = "Deliver that much, or change the line's quantity first."


@command("deliver-ordered", "Deliver a customer's order", Role.STOREKEEPER, Role.CONTROLLER)
def deliver_ordered(context: Context, given: DeliverOrdered) -> None:
    """Take what a customer ordered out of stock, in full or a part; it ends with the last of it."""
    order = lock_order(context, given.customer_order)
    if order.state != CustomerOrderState.ACCEPTED:
        way = "Accept it first." if order.state == CustomerOrderState.OFFER else "Reopen it first."
        raise NotInState(order.number, "delivered", order.state, way)
    lines = {n.number: n for n in order.lines.select_related("item")}
    said = given.lines or [
        OrderedDelivered(line=n.number, quantity=n.open) for n in lines.values() if n.open
    ]
    if not said:
        raise InvalidInput([f"customer_order: nothing of {order.number} is still to leave"])
    if len(said) > MOST_LINES:
        raise InvalidInput([f"lines: {len(said)} are open, and at most {MOST_LINES} leave at once; name those that do"])  # fmt: skip
    leaving: list[LineDelivered] = []
    for one in said:
        line = lines.get(one.line)
        if line is None:
            raise NotFound("line", f"{one.line} of customer order {order.number}")
        if one.quantity > line.open:
            raise MoreThanOpen(order.number, line.number, one.quantity, line.open)
        line.delivered += one.quantity
        line.open -= one.quantity
        leaving.append(
            LineDelivered(
                item=line.item.code,
                quantity=one.quantity,
                lots=one.lots or _all_of(one),
                customer_line=str(line.number),
                price=line.price,
            )
        )
    document = Deliver(
        customer=order.customer.code,
        customer_order=order.their_number or str(order.number),
        place=given.place,
        lines=leaving,
        happened_at=given.happened_at,
        reason=given.reason,
    )
    _send(context, order.customer, document, [lines[one.line].pk for one in said])
    if not any(n.open for n in lines.values()):
        context.effects.field(f"customer order {order.number}", "state", order.state, "ended")
        order.state = CustomerOrderState.ENDED.value
    count_open(order, lines.values())
    touch(context, order)


def _all_of(one: OrderedDelivered) -> list[LotDelivered]:
    return [LotDelivered(lot=one.lot, quantity=one.quantity)] if one.lot else []


def _send(context: Context, customer: Partner, given: Deliver, ordered: list[int | None]) -> None:
    """Take lines out of stock to a customer, each with the line of ours that it is for."""
    there = Place.objects.get(partner=customer, kind=Place.Kind.CUSTOMER)
    out_of = stock_place(given.place)
    items = items_by_code(line.item for line in given.lines)
    transaction = Transaction(context)
    document = transaction.open(
        Posting.Kind.DELIVERY, happened_at=given.happened_at, reason=given.reason
    )
    for said in given.lines:
        document.take(
            items[said.item],
            said.quantity,
            out_of=out_of,
            into=there,
            pieces=[Pieces(lot=p.lot, quantity=p.quantity) for p in said.lots],
            then=lambda value: document.journal(Account.COST_OF_GOODS_SOLD, value),
        )
    transaction.post()
    _keep(document.key, customer, given, ordered)


def _keep(posting: int, customer: Partner, given: Deliver, ordered: list[int | None]) -> None:
    """Keep of each line that left whose order it was and what was asked for it."""
    lines = list(StockLine.objects.filter(posting=posting).order_by("pk").values_list("pk", "quantity"))  # fmt: skip
    rows, at = [], 0
    for said, line in zip(given.lines, ordered, strict=True):
        own: list[tuple[int, Decimal]] = []
        while sum(q for _, q in own) < said.quantity:
            own.append(lines[at])
            at += 1
        prices: list[Decimal | None] = [None] * len(own)
        if said.price is not None:
            prices = [*allocate(money(said.price * said.quantity), [q for _, q in own])]
        rows += [
            (posting, key, customer.pk, given.customer_order, said.customer_line, line, price)
            for (key, _), price in zip(own, prices, strict=True)
        ]
    fields = ("posting", "line", "customer", "customer_order", "customer_line", "ordered", "price")
    insert_rows(Sold, fields, rows)


def take_back_delivery(context: Context, number: int, reason: str) -> None:
    """Take a delivery back: the goods are in stock again, and still to leave for whoever ordered them."""
    sold = Sold.objects.filter(posting=number)
    orders = CustomerOrder.objects.filter(lines__sold__in=sold).distinct()
    locked = [
        lock_order(context, n) for n in orders.order_by("pk").values_list("number", flat=True)
    ]
    original, _ = postings_of_act(number)
    transaction = Transaction(context)
    mirror(transaction.open(Posting.Kind.DELIVERY, reason=reason, reverses=original), original)
    transaction.post()
    rows = sold.exclude(ordered=None).values_list("ordered").annotate(sum=Sum("line__quantity"))
    back = dict(rows.order_by())
    lines = list(CustomerLine.objects.filter(pk__in=back))
    for line in lines:
        line.delivered -= back[line.pk]
    for order in locked:
        if order.state == CustomerOrderState.ENDED:
            order.state = CustomerOrderState.ACCEPTED.value
        count_open(order, [n for n in lines if n.order_id == order.pk])
        touch(context, order)
