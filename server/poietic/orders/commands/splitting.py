"""One order made two, or two of a kind made one."""

from dataclasses import dataclass
from decimal import Decimal
from typing import ClassVar

from poietic_core.errors import DomainError
from poietic_core.order.states import RUNNING, Act, OrderState
from poietic_core.quantity import require_step

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.transaction import Transaction
from ...statements.prepared import lock_keys
from ...web_api.errors import InvalidInput
from ...web_api.fields import Day, OperationNumber, OrderNumber, Quantity
from ..models import Order
from ..open_book import OpenBook
from .life import OrderGiven
from .planning import PlanOrder, plan
from .rescaling import rescale
from .reserving import release_reserved
from .sharing_out import keep_what_is_released, share_out, take_over_all, what_is_taken


@dataclass(eq=False)
class NotOfOneKind(DomainError):
    """Orders that can't be one, because they are not made alike."""

    order: int
    into: int
    differs: str
    code: ClassVar[str] = "order.not_of_one_kind"
    what: ClassVar[str] = "Order {order} can't be made one with {into}."
    why: ClassVar[str] = "They differ in their {differs}."
    fix: ClassVar[str] = "Leave them apart, or make them alike first."


@dataclass(eq=False)
class ReceivedBefore(DomainError):
    """An order can't be made one with another once some of it is in stock."""

    order: int
    into: int
    received: Decimal
    unit: str
    code: ClassVar[str] = "order.received_before"
    what: ClassVar[str] = "Order {order} can't be made one with {into}."
    why: ClassVar[str] = "{received} {unit} of it are received already."
    fix: ClassVar[str] = "Finish it as it is, or take its receipts back first."


class SplitOrder(OrderGiven):
    """How many of an order are to be one of their own, when these are due, and what goes along of one that has begun."""

    quantity: Quantity
    #: left out, as it is
    due: Day | None = None
    #: units that are good after this operation go along; left out: none, the new order begins anew
    after: OperationNumber | None = None
    #: how many of them; left out: as many as it needs and there are
    units: Quantity | None = None


class MergeOrders(OrderGiven):
    """An order to be made with another one."""

    into: OrderNumber


@command("split-order", "Split an order", Role.CONTROLLER)
def split_order(context: Context, given: SplitOrder) -> None:
    """Make a part of an order one of its own, by its structure and at its standard, with its share of all that was done."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.SPLIT)
    order = book.order
    require_step("The quantity", given.quantity, step=order.item.step, unit=order.item.unit)
    if given.quantity >= order.quantity:
        raise InvalidInput([f"quantity: fewer than the {order.quantity.normalize():f} of order {order.number}"])  # fmt: skip
    if given.units is not None:
        require_step("The units", given.units, step=order.item.step, unit=order.item.unit)
        if given.after is None:
            raise InvalidInput(["after: say after which operation they stand"])
    runs = book.state in RUNNING
    if given.after is not None and not runs:
        raise InvalidInput([f"after: nothing is made of order {order.number} yet"])
    out = what_is_taken(book, given.quantity, given.after, given.units) if runs else None
    other = plan(
        context,
        PlanOrder(
            item=order.item.code,
            quantity=given.quantity,
            due=given.due or order.due,
            supply_place=order.supply_place.code,
            receipt_place=order.receipt_place.code,
            customer=order.customer.code if order.customer else None,
            customer_order=order.customer_order,
            customer_line=order.customer_line,
            wanted_on=order.wanted_on,
            note=order.note,
        ),
    )
    context.made["order"] = str(other.order.number)
    rest = order.quantity - given.quantity
    context.effects.field(book.thing, "quantity", order.quantity, rest)
    goes_along = ("made_for", "made_for_operation", "top", "made_within", "revision", "lot", "hold_reason", "hold_words", "held_at")  # fmt: skip
    for name in goes_along:
        setattr(other.order, name, getattr(order, name))
    if out:
        other.order.standard, other.order.released_at = order.standard, order.released_at
        other.set_state(OrderState.RELEASED)
        share_out(book, other, out)
    else:
        order.quantity = rest
        other.set_state(book.state)
    other.order.save()
    book.finish()
    other.finish()


@command("merge-orders", "Make two orders one", Role.CONTROLLER)
def merge_orders(context: Context, given: MergeOrders) -> None:
    """Have one order make what another one was to make; the other is cancelled, what it kept is kept for the one.

    One that has begun goes back into the order that it was split from, with all that was made and charged.
    """
    lock_keys(Order, "number", {given.order, given.into})  # both in one order, whichever way round
    book, into = OpenBook.lock(context, given.order), OpenBook.lock(context, given.into)
    for one in (book, into):
        one.require(Act.SPLIT)
    if given.order == given.into:
        raise InvalidInput(["into: an order can't be made one with itself"])
    _require_of_one_kind(book, into)
    if book.order.received:
        raise ReceivedBefore(given.order, given.into, book.order.received, book.order.item.unit)
    whole = into.order.quantity + book.order.quantity
    context.effects.field(into.thing, "quantity", into.order.quantity, whole)
    if into.state in RUNNING:
        transaction = Transaction(context)
        release_reserved(transaction, book)
        if book.state is OrderState.STARTED:
            take_over_all(transaction, book, into)
        transaction.post()
        rescale(into, whole)
        keep_what_is_released(into)
    book.set_state(OrderState.CANCELLED)
    into.order.quantity = whole
    book.finish()
    into.finish()


def _require_of_one_kind(book: OpenBook, into: OpenBook) -> None:
    """Refuse orders of other items, states, structures, standards or purposes."""
    one, other = book.order, into.order
    differs = {
        "items": one.item_id != other.item_id,
        "states": one.state != other.state and not (book.state in RUNNING and into.state in RUNNING),
        "work done: only what was split from an order goes back into it": book.state is OrderState.STARTED and one.split_from_id != other.pk,
        "revisions": one.revision_id != other.revision_id,
        "standards": one.standard_id != other.standard_id,
        "purposes": (one.made_for_id, one.made_for_operation, one.made_within) != (other.made_for_id, other.made_for_operation, other.made_within),
        "releases, in parts or as a whole": one.is_in_parts != other.is_in_parts,
        "structures, changed for one of them only": _made_of(book) != _made_of(into),
    }  # fmt: skip
    if found := next((words for words, is_so in differs.items() if is_so), None):
        raise NotOfOneKind(one.number, other.number, found)


def _made_of(book: OpenBook) -> list[tuple[object, ...]]:
    """Return what an order is made of and how, as far as it can differ from its revision."""
    operations = [(o.number, o.work_center_id, o.yield_share, o.setup_hours, o.run_hours) for o in book.operations]  # fmt: skip
    inputs = sorted((i.operation, i.kind, i.item_id or 0, i.overhead, i.allowed_exactly) for i in book.inputs if i.allowed or i.standard)  # fmt: skip
    return [*operations, *inputs]
