"""Releasing orders, taking a release back, cancelling."""

from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated, ClassVar

from poietic_core.errors import DomainError
from poietic_core.order.states import Act, OrderState
from poietic_core.structure.model import IssueRule
from pydantic import Field

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...costing.queries import standards_in_force
from ...engineering.queries import inlined, revision_in_force
from ...ledger.models import Holding, Posting
from ...ledger.transaction import Transaction
from ...statements.prepared import lock_keys
from ...web_api.errors import NotFound
from ...web_api.fields import OrderNumber, Strict
from ..blocks import ReleaseBlocked, blocks_of, items_of
from ..dates import Dating, OrderDates, start_day
from ..models import Order, OrderGrade, OrderInput, OrderOperation, PlannedNeed
from ..open_book import OpenBook
from ..planned import keep_needs, keep_work
from .loading import say_load
from .material import close_document, issue
from .phantom_stock import use_phantom_stock
from .reserving import ReserveRule, Reserving, release_reserved, reserve_needs
from .snapshot import grades_of, inputs_of, operations_of

TENTH = Decimal("0.1")
#: what changes the making of one order; a new release begins with the structure again
DEVIATIONS = ("add-component", "change-component", "drop-component", "substitute-component", "allow-alternate", "add-operation", "change-operation", "drop-operation", "move-operation", "do-operation-inside", "send-operation-out", "adopt-revision")  # fmt: skip
#: orders that are released in one act
MOST_AT_ONCE = 100


@dataclass(eq=False)
class ReleaseUsed(DomainError):
    """A release that can't be taken back because something happened to the order since."""

    order: str
    code: ClassVar[str] = "order.release_used"
    what: ClassVar[str] = "The release of order {order} can't be taken back."
    why: ClassVar[str] = "Something was posted to it, even if that was taken back since."
    fix: ClassVar[str] = "Cancel the order and plan another."


class OrderGiven(Strict):
    """An order by its number."""

    order: OrderNumber


class ReleaseOrder(Reserving, OrderGiven):
    """An order to release as a whole, and which stock is kept for it."""


class OrdersGiven(Reserving):
    """Several orders by their numbers, and which stock is kept for them."""

    orders: Annotated[list[OrderNumber], Field(min_length=1, max_length=MOST_AT_ONCE)]


@command("release-order", "Release an order", Role.CONTROLLER)
def release_order(context: Context, given: ReleaseOrder) -> None:
    """Take the structure and the standard into the order, reserve its material, and let it start."""
    say_load(context, [_release(context, OpenBook.lock(context, given.order), given)])


@command("release-orders", "Release orders", Role.CONTROLLER)
def release_orders(context: Context, given: OrdersGiven) -> None:
    """Release several orders; the material that there is goes to those due first."""
    numbers = sorted(set(given.orders))
    keys = lock_keys(Order, "number", numbers)
    if len(keys) < len(numbers):
        known = set(Order.objects.filter(pk__in=keys).values_list("number", flat=True))
        raise NotFound("order", str(next(n for n in numbers if n not in known)))
    wanted = PlannedNeed.objects.filter(order__in=keys).values_list("item", flat=True)
    lock_keys(Holding, "item", set(wanted))
    due = Order.objects.filter(pk__in=keys).order_by("due", "number")
    numbers = list(due.values_list("number", flat=True))
    say_load(context, [_release(context, OpenBook.lock(context, n), given) for n in numbers])


def release_book(context: Context, book: OpenBook) -> None:
    """Release a locked order whose material is released part by part."""
    say_load(context, [_release(context, book, Reserving(reserve=ReserveRule.NONE))])


def _release(context: Context, book: OpenBook, given: Reserving) -> OrderDates | None:
    """Release a locked order: of a firm one what it was derived from, else what is in force.

    Returns when it runs.
    """
    book.require(Act.RELEASE)
    order = book.order
    dates = Dating([book], context.now).of(book)
    day = start_day(dates, context.now)
    revision = order.revision or revision_in_force(order.item, day)
    taken_in = inlined(revision, day, order.made_within) if revision else None
    structure = taken_in.structure if taken_in else None
    listed = items_of(order.item, structure)
    items = {i.code: i for i in listed}
    standards = standards_in_force(listed)
    if blocks := blocks_of(order.item, structure, items, standards):
        raise ReleaseBlocked(str(order.number), blocks)
    assert structure is not None and taken_in is not None
    order.revision = revision
    order.standard = standards[order.item.code]
    order.released_at = context.now
    book.set_state(OrderState.RELEASED)
    book.operations = operations_of(order, structure)
    OrderOperation.objects.bulk_create(book.operations)
    book.inputs = inputs_of(order, structure, standards, day)
    OrderInput.objects.bulk_create(book.inputs)
    book.grades = grades_of(order, structure, standards)
    OrderGrade.objects.bulk_create(book.grades)
    context.touched.update(keep_needs({order.pk: {}}))
    keep_work(order.pk, None)
    transaction = Transaction(context)
    use_phantom_stock(transaction, book, taken_in, day)
    _issue_at_release(transaction, book)
    reserve_needs(transaction, book, given)
    transaction.post()
    book.finish()
    return dates


@command("withdraw-release", "Take back a release", Role.CONTROLLER)
def withdraw_release(context: Context, given: OrderGiven) -> None:
    """Make a released order firm again, to which nothing is posted; what is reserved is let go of."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.WITHDRAW)
    order = book.order
    if Posting.objects.filter(cost_object=order.pk).exists():
        raise ReleaseUsed(str(order.number))
    if order.events.filter(entry__command__in=DEVIATIONS).exists():
        context.effects.remark(book.thing, "what was changed for this order only is lost")
    transaction = Transaction(context)
    release_reserved(transaction, book, is_withdrawn=True)
    transaction.post()
    context.touched.update(i.item_id for i in book.inputs if i.item_id)
    for rows_of in (order.tranches, order.operations, order.inputs, order.grades):
        rows_of.all().delete()
    book.operations, book.inputs, book.grades = [], [], []
    order.standard, order.released_at, order.is_in_parts = None, None, False
    book.set_state(OrderState.FIRM)
    book.finish()


@command("cancel-order", "Cancel an order", Role.CONTROLLER)
def cancel_order(context: Context, given: OrderGiven) -> None:
    """End an order to which nothing is posted."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.CANCEL)
    book.set_state(OrderState.CANCELLED)
    transaction = Transaction(context)
    release_reserved(transaction, book)
    transaction.post()
    book.finish()


def _issue_at_release(transaction: Transaction, book: OpenBook) -> None:
    """Issue in full what the structure wants issued by the release."""
    lines = [c for c in book.components() if c.issue_rule == IssueRule.AT_RELEASE]
    lines = [c for c in lines if c.still_needed]
    if not lines:
        return
    document = transaction.open(Posting.Kind.ISSUE, cost_object=book.order.cost_object)
    for c in lines:
        issue(book, document, c, c.still_needed)
    close_document(book, document)
