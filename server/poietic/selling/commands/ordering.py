"""Customers' orders: entered or offered, accepted, changed, ended."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from typing import Annotated, ClassVar

from django.db import connection
from django.db.models import Q
from django.utils import timezone
from poietic_core.errors import DomainError
from poietic_core.quantity import ZERO, require_step
from pydantic import Field

from ...catalog.models import Item, ListPrice, Partner
from ...catalog.queries import items_by_code
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...statements.bulk import insert_rows, update_rows
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Day, Note, Price, Quantity, Strict, Text
from ..models import CustomerLine, CustomerOrder, CustomerOrderState

CustomerOrderNumber = Annotated[int, Field(ge=1, le=2_000_000_000)]
LineNumber = Annotated[int, Field(ge=1, le=9999)]
Priority = Annotated[int, Field(ge=1, le=9)]
MOST_LINES = 500


class LineOrdered(Strict):
    """A quantity of an item that a customer wants by a day; a price left out is the list's."""

    item: Code
    quantity: Quantity
    wanted_on: Day
    price: Price | None = None
    promised_on: Day | None = None
    priority: Priority = 5
    #: planning counts it
    is_planned: bool = True


class EnterCustomerOrder(Strict):
    """What a customer orders, or is offered."""

    customer: Code
    their_number: Annotated[str, Text(40)] = ""
    lines: Annotated[list[LineOrdered], Field(min_length=1, max_length=MOST_LINES)]
    #: it is not demand before it is accepted
    is_offer: bool = False
    note: Note = ""


class CustomerOrderGiven(Strict):
    """A customer's order by our number of it."""

    customer_order: CustomerOrderNumber


class AddCustomerLines(CustomerOrderGiven):
    """More that a customer wants with an order of his."""

    lines: Annotated[list[LineOrdered], Field(min_length=1, max_length=MOST_LINES)]


class ChangeCustomerLine(CustomerOrderGiven):
    """What is different of a line; what is not named stays."""

    line: LineNumber
    quantity: Quantity | None = None
    wanted_on: Day | None = None
    promised_on: Day | None = None
    price: Price | None = None
    priority: Priority | None = None
    is_planned: bool | None = None


@dataclass(eq=False)
class LessThanDelivered(DomainError):
    """A line that is to want less than has left already."""

    order: int
    line: int
    wanted: Decimal
    delivered: Decimal
    code: ClassVar[str] = "customer_order.less_than_delivered"
    what: ClassVar[str] = "Line {line} of customer order {order} can't be {wanted}."
    why: ClassVar[str] = "{delivered} of it have left already."
    fix: ClassVar[str] = "Enter at least that, or take a delivery back."


@dataclass(eq=False)
class NotInState(DomainError):
    """An act that a customer's order does not allow as it stands."""

    order: int
    act: str
    state: str
    way: str
    code: ClassVar[str] = "customer_order.state"
    what: ClassVar[str] = "Customer order {order} can't be {act}."
    why: ClassVar[str] = "It is of this state: {state}."
    fix: ClassVar[str] = "{way}"


@command("enter-customer-order", "Enter a customer's order", Role.CONTROLLER)
def enter_customer_order(context: Context, given: EnterCustomerOrder) -> None:
    """Enter what a customer orders, or is offered; prices left out are the list's of the day."""
    customer = customer_by_code(given.customer)
    with connection.cursor() as cursor:
        cursor.execute("SELECT nextval('selling_number')")
        number: int = cursor.fetchone()[0]
    state = CustomerOrderState.OFFER if given.is_offer else CustomerOrderState.ACCEPTED
    order = CustomerOrder.objects.create(
        number=number,
        customer=customer,
        their_number=given.their_number,
        state=state,
        note=given.note,
        made_at=context.now,
        change=context.change,
    )
    context.effects.field("new customer order", "state", None, state.value)
    _add(context, order, given.lines, first=1)
    context.made["customer order"] = str(number)


@command("add-customer-lines", "Add lines to a customer's order", Role.CONTROLLER)
def add_customer_lines(context: Context, given: AddCustomerLines) -> None:
    """Add what a customer wants more with an order that has not ended."""
    order = lock_order(context, given.customer_order)
    require_not_ended(order, "added to")
    last = max(order.lines.values_list("number", flat=True), default=0)
    _add(context, order, given.lines, first=last + 1)
    touch(context, order)


@command("accept-offer", "Accept an offer", Role.CONTROLLER)
def accept_offer(context: Context, given: CustomerOrderGiven) -> None:
    """Have an offer be an order: from now on it is demand."""
    order = lock_order(context, given.customer_order)
    if order.state != CustomerOrderState.OFFER:
        raise NotInState(order.number, "accepted", order.state, "Only an offer is accepted.")
    _set_state(context, order, CustomerOrderState.ACCEPTED)


@command("end-customer-order", "End a customer's order", Role.CONTROLLER)
def end_customer_order(context: Context, given: CustomerOrderGiven) -> None:
    """Have nothing more leave for a customer's order: it was delivered, cancelled or the offer refused."""
    order = lock_order(context, given.customer_order)
    require_not_ended(order, "ended")
    _set_state(context, order, CustomerOrderState.ENDED)


@command("reopen-customer-order", "Reopen a customer's order", Role.CONTROLLER)
def reopen_customer_order(context: Context, given: CustomerOrderGiven) -> None:
    """Have what is still open of a customer's order be demand again."""
    order = lock_order(context, given.customer_order)
    if order.state != CustomerOrderState.ENDED:
        raise NotInState(order.number, "reopened", order.state, "Only one that ended is reopened.")
    _set_state(context, order, CustomerOrderState.ACCEPTED)


@command("change-customer-line", "Change a line of a customer's order", Role.CONTROLLER)
def change_customer_line(context: Context, given: ChangeCustomerLine) -> None:
    """Change what a customer wants, by when, at what price, or what was promised."""
    order = lock_order(context, given.customer_order)
    require_not_ended(order, "changed")
    line = line_of(order, given.line)
    if given.quantity is not None:
        require_step(line.item.code, given.quantity, step=line.item.step, unit=line.item.unit)
        if given.quantity < line.delivered:
            raise LessThanDelivered(order.number, line.number, given.quantity, line.delivered)
    names = ("quantity", "wanted_on", "promised_on", "price", "priority", "is_planned")
    said = {name: v for name in names if (v := getattr(given, name)) is not None}
    for name, after in said.items():
        thing = f"line {line.number} of customer order {order.number}"
        context.effects.field(thing, name.replace("_", " "), getattr(line, name), after)
        setattr(line, name, after)
    line.open = line.count_open(order.state)
    line.save(update_fields=[*said, "open"])
    touch(context, order)


def customer_by_code(code: str) -> Partner:
    """Return a customer, or refuse by name."""
    found = Partner.objects.filter(code=code, is_customer=True).first()
    if found is None:
        raise NotFound("customer", code)
    return found


def lock_order(context: Context, number: int) -> CustomerOrder:
    """Lock a customer's order, or refuse by number."""
    rows = CustomerOrder.objects.filter(number=number).select_related("customer")
    return context.lock_one(rows, "customer order", NotFound("customer order", str(number)))


def line_of(order: CustomerOrder, number: int) -> CustomerLine:
    """Return a line of a locked order, or refuse by number."""
    found = order.lines.select_related("item", "structure").filter(number=number).first()
    if found is None:
        raise NotFound("line", f"{number} of customer order {order.number}")
    return found


def list_price(
    items: Iterable[Item], customer: Partner, day: date
) -> dict[tuple[int, Decimal], Decimal]:
    """Return what our lists ask a customer on a day, by item and quantity from which on; his own go first."""
    rows = ListPrice.objects.filter(item__in=[i.pk for i in items])
    rows = rows.filter(Q(customer=customer) | Q(customer=None))
    rows = rows.filter(Q(effective_from=None) | Q(effective_from__lte=day))
    rows = rows.filter(Q(effective_until=None) | Q(effective_until__gte=day))
    own = set(rows.filter(customer=customer).values_list("item", flat=True))
    return {
        (p.item_id, p.from_quantity): p.price
        for p in rows.order_by("-position")
        if p.customer_id or p.item_id not in own
    }


def reached_price(
    prices: Mapping[tuple[int, Decimal], Decimal], item: Item, quantity: Decimal
) -> Decimal | None:
    """Return what lists ask for one when so many are ordered; None: no list says."""
    reached = [(q, p) for (key, q), p in prices.items() if key == item.pk and q <= quantity]
    return max(reached)[1] if reached else None


def _add(context: Context, order: CustomerOrder, lines: list[LineOrdered], *, first: int) -> None:
    items = items_by_code(n.item for n in lines)
    prices = list_price(items.values(), order.customer, timezone.localdate(context.now))
    rows: list[tuple[object, ...]] = []
    for number, n in enumerate(lines, first):
        item = items[n.item]
        if not item.is_active:
            raise InvalidInput([f"lines: {item.code} is inactive: {item.inactive_reason}"])
        require_step(item.code, n.quantity, step=item.step, unit=item.unit)
        price = reached_price(prices, item, n.quantity) if n.price is None else n.price
        accepted = order.state == CustomerOrderState.ACCEPTED
        rows.append((order.pk, number, item.pk, n.quantity, price, n.wanted_on, n.promised_on, n.priority, n.is_planned, ZERO, n.quantity if accepted else ZERO))  # fmt: skip
        words = f"{n.quantity.normalize():f} {item.unit} of {item.code} by {n.promised_on or n.wanted_on}"
        context.effects.field(f"line {number}", "wanted", None, words)
        if price is None:
            context.effects.remark(item.code, "has no list price that counts: none is asked")
    fields = ("order", "number", "item", "quantity", "price", "wanted_on", "promised_on", "priority", "is_planned", "delivered", "open")  # fmt: skip
    insert_rows(CustomerLine, fields, rows)


def require_not_ended(order: CustomerOrder, act: str) -> None:
    """Refuse an act at an order that has ended."""
    if order.state == CustomerOrderState.ENDED:
        raise NotInState(order.number, act, order.state, "Reopen it first.")


def _set_state(context: Context, order: CustomerOrder, state: CustomerOrderState) -> None:
    thing = f"customer order {order.number}"
    context.effects.field(thing, "state", order.state, state.value)
    order.state = state.value
    count_open(order, order.lines.all())
    touch(context, order)


def count_open(order: CustomerOrder, lines: Iterable[CustomerLine]) -> None:
    """Keep anew what is still to leave of some lines."""
    rows = [(n.pk, n.delivered, n.count_open(order.state)) for n in lines]
    update_rows(CustomerLine, ("id", "delivered", "open"), rows)


def touch(context: Context, order: CustomerOrder) -> None:
    """Keep that an order was changed."""
    order.change = context.change
    order.save(update_fields=["state", "change"])
