"""One order made two, or two of a kind made one, as long as nothing has begun."""

from copy import copy
from dataclasses import dataclass
from typing import ClassVar, TypeVar

from poietic_core.errors import DomainError
from poietic_core.order.states import Act, OrderState
from poietic_core.quantity import require_step

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.transaction import Transaction
from ...statements.prepared import lock_keys
from ...web_api.errors import InvalidInput
from ...web_api.fields import Day, OrderNumber, Quantity
from ..models import Order, OrderGrade, OrderInput, OrderOperation
from ..open_book import OpenBook
from .life import OrderGiven
from .planning import PlanOrder, plan
from .rescaling import fit_needs, rescale
from .reserving import release_reserved

Row = TypeVar("Row", OrderOperation, OrderInput, OrderGrade)


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


class SplitOrder(OrderGiven):
    """How many of an order are to be one of their own, and when these are due; left out, as it is."""

    quantity: Quantity
    due: Day | None = None


class MergeOrders(OrderGiven):
    """An order to be made with another one."""

    into: OrderNumber


@command("split-order", "Split an order", Role.CONTROLLER)
def split_order(context: Context, given: SplitOrder) -> None:
    """Make a part of an order one of its own, in its state, by its structure and at its standard."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.SPLIT)
    order = book.order
    require_step("The quantity", given.quantity, step=order.item.step, unit=order.item.unit)
    if given.quantity >= order.quantity:
        raise InvalidInput([f"quantity: fewer than the {order.quantity.normalize():f} of order {order.number}"])  # fmt: skip
    if order.is_in_parts:
        raise InvalidInput([f"order: {order.number} releases its material in parts, which stay with it: release the rest as a part instead"])  # fmt: skip
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
    for name in ("made_for", "made_for_operation", "top", "made_within", "revision", "lot"):
        setattr(other.order, name, getattr(order, name))
    if book.state is OrderState.RELEASED:
        rescale(book, rest)
        _take_over(other, book)
        fit_needs(other)
    else:
        order.quantity = rest
        other.set_state(book.state)
    other.order.save()
    book.finish()
    other.finish()


@command("merge-orders", "Make two orders one", Role.CONTROLLER)
def merge_orders(context: Context, given: MergeOrders) -> None:
    """Have one order make what another one was to make; the other is cancelled, what it kept is kept for the one."""
    lock_keys(Order, "number", {given.order, given.into})  # both in one order, whichever way round
    book, into = OpenBook.lock(context, given.order), OpenBook.lock(context, given.into)
    for one in (book, into):
        one.require(Act.SPLIT)
    if given.order == given.into:
        raise InvalidInput(["into: an order can't be made one with itself"])
    _require_of_one_kind(book, into)
    whole = into.order.quantity + book.order.quantity
    context.effects.field(into.thing, "quantity", into.order.quantity, whole)
    is_released = into.state is OrderState.RELEASED
    book.set_state(OrderState.CANCELLED)
    if is_released:
        transaction = Transaction(context)
        release_reserved(transaction, book)
        transaction.post()
        rescale(into, whole)
    into.order.quantity = whole
    book.finish()
    into.finish()


def _take_over(other: OpenBook, book: OpenBook) -> None:
    """Give an order the structure, the standard and the release of another."""
    own = other.order
    own.standard, own.released_at = book.order.standard, book.order.released_at
    other.set_state(OrderState.RELEASED)
    other.operations = [_of(own, o) for o in book.operations]
    OrderOperation.objects.bulk_create(other.operations)
    other.inputs = [_of(own, i) for i in book.inputs if not i.stands_for and not i.is_rework]
    OrderInput.objects.bulk_create(other.inputs)
    other.grades = [_of(own, g) for g in book.grades]
    OrderGrade.objects.bulk_create(other.grades)


def _of(order: Order, row: Row) -> Row:
    twin = copy(row)
    twin.pk, twin.order = None, order
    return twin


def _require_of_one_kind(book: OpenBook, into: OpenBook) -> None:
    """Refuse orders of other items, states, structures, standards or purposes."""
    one, other = book.order, into.order
    differs = {
        "items": one.item_id != other.item_id,
        "states": one.state != other.state,
        "revisions": one.revision_id != other.revision_id,
        "standards": one.standard_id != other.standard_id,
        "purposes": (one.made_for_id, one.made_for_operation, one.made_within) != (other.made_for_id, other.made_for_operation, other.made_within),
        "releases in parts": one.is_in_parts or other.is_in_parts,
        "structures, changed for one of them only": _made_of(book) != _made_of(into),
    }  # fmt: skip
    if found := next((words for words, is_so in differs.items() if is_so), None):
        raise NotOfOneKind(one.number, other.number, found)


def _made_of(book: OpenBook) -> list[tuple[object, ...]]:
    """Return what an order is made of and how, as far as it can differ from its revision."""
    operations = [(o.number, o.work_center_id, o.yield_share, o.setup_hours, o.run_hours) for o in book.operations]  # fmt: skip
    inputs = sorted((i.operation, i.kind, i.item_id or 0, i.overhead, i.allowed_exactly) for i in book.inputs if not i.stands_for)  # fmt: skip
    return [*operations, *inputs]
