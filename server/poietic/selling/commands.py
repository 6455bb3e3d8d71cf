"""Delivering to customers: goods leave at what they are worth, which is the cost of goods sold."""

from decimal import Decimal
from typing import Annotated

from poietic_core.quantity import allocate, money
from pydantic import Field

from ..catalog.models import Partner, Place
from ..catalog.queries import items_by_code, stock_place
from ..commanding.registry import Context, command
from ..commanding.roles import Role
from ..ledger.document import Pieces
from ..ledger.models import Account, Posting, StockLine
from ..ledger.transaction import Transaction
from ..statements.bulk import insert_rows
from ..web_api.errors import NotFound
from ..web_api.fields import Code, Moment, Note, Price, Quantity, Reference, Strict, Text
from .models import Sold


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


class Deliver(Strict):
    """What goes to a customer, and on which order of his."""

    customer: Code
    customer_order: Annotated[str, Text(40)] = ""
    place: Code
    lines: Annotated[list[LineDelivered], Field(min_length=1, max_length=200)]
    happened_at: Moment | None = None
    reason: Note = ""


@command("deliver", "Deliver to a customer", Role.STOREKEEPER, Role.CONTROLLER)
def deliver(context: Context, given: Deliver) -> None:
    """Take goods out of stock to a customer; what they are worth becomes cost of goods sold."""
    customer = Partner.objects.filter(code=given.customer, is_customer=True).first()
    if customer is None:
        raise NotFound("customer", given.customer)
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
    _keep(document.key, customer, given)


def _keep(posting: int, customer: Partner, given: Deliver) -> None:
    """Keep of each line that left whose order it was and what was asked for it."""
    lines = list(StockLine.objects.filter(posting=posting).order_by("pk").values_list("pk", "quantity"))  # fmt: skip
    rows, at = [], 0
    for said in given.lines:
        own: list[tuple[int, Decimal]] = []
        while sum(q for _, q in own) < said.quantity:
            own.append(lines[at])
            at += 1
        prices: list[Decimal | None] = [None] * len(own)
        if said.price is not None:
            prices = [*allocate(money(said.price * said.quantity), [q for _, q in own])]
        rows += [
            (posting, key, customer.pk, given.customer_order, said.customer_line, price)
            for (key, _), price in zip(own, prices, strict=True)
        ]
    insert_rows(
        Sold, ("posting", "line", "customer", "customer_order", "customer_line", "price"), rows
    )
