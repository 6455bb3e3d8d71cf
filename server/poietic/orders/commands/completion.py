"""Completing an order, with what is left over, and closing it with its variances."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from typing import ClassVar, Literal

from poietic_core.errors import DomainError
from poietic_core.order.report import least_received, leftovers, require_rework_decided
from poietic_core.order.states import Act, OrderState
from poietic_core.quantity import ZERO
from poietic_core.variance.causes import CauseKind

from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.models import Account, Posting
from ...ledger.transaction import Transaction
from ...web_api.errors import InvalidInput
from ...web_api.fields import Note, OrderNumber, Strict
from ..actual_output import received_at_actual, settle_output
from ..models import OrderInput
from ..open_book import OpenBook
from .life import OrderGiven
from .material import close_document, give_back
from .reserving import release_reserved


class CompleteOrder(Strict):
    """An order of which nothing more will be made; what is left over goes back or is charged."""

    order: OrderNumber
    leftovers: Literal["return", "charge"] = "return"
    reason: Note = ""


@command("complete-order", "Complete an order", Role.CONTROLLER, Role.OPERATOR)
def complete_order(context: Context, given: CompleteOrder) -> None:
    """End the making: return what was issued beyond the work done, or leave it as used."""
    book = OpenBook.lock(context, given.order)
    transaction = Transaction(context)
    complete(transaction, book, charge_leftovers=given.leftovers == "charge", reason=given.reason)
    transaction.post()
    book.finish()


class FinishShort(CompleteOrder):
    """An order of which less is made than was ordered, and why."""


@command("finish-short", "Finish an order short", Role.CONTROLLER)
def finish_short(context: Context, given: FinishShort) -> None:
    """Complete an order with less than ordered, releasing what it still holds."""
    book = OpenBook.lock(context, given.order)
    book.require(Act.FINISH)
    if book.order.received >= book.order.quantity:
        raise InvalidInput([f"order: all of order {book.order.number} is received; complete it"])
    if not given.reason:
        raise InvalidInput(["reason: say why it is finished short"])
    transaction = Transaction(context)
    complete(transaction, book, charge_leftovers=given.leftovers == "charge", reason=given.reason)
    transaction.post()
    book.finish()


@command("close-order", "Close an order", Role.COST_ACCOUNTANT, Role.CONTROLLER)
def close_order(context: Context, given: OrderGiven) -> None:
    """Post every cell of WIP to zero: to the account of each cause, or to what was made.

    What output cost beyond its provisional value goes to where it is, where that is valued at
    what it cost; the causes then only say why.
    """
    book = OpenBook.lock(context, given.order)
    transaction = Transaction(context)
    close(transaction, book)
    transaction.post()
    book.finish()


def close(transaction: Transaction, book: OpenBook) -> None:
    """Close a locked order."""
    book.require(Act.CLOSE)
    received = received_at_actual(book.order)
    transaction.concern(r.line.item_id for r in received)
    document = transaction.open(Posting.Kind.CLOSING, cost_object=book.order.cost_object)
    left = ZERO
    for (owner, operation, element), amount in sorted(transaction.wip.amounts.items()):
        if owner == book.order.pk:
            document.journal(Account.WIP, -amount, operation=operation, element=element)
            left += amount
    if received:
        settle_output(document, received, left)
    else:
        for cause, amount in book.variance().rounded_causes():
            document.journal(account_of(cause.kind), amount)
    book.set_state(OrderState.CLOSED)


def account_of(kind: CauseKind) -> Account:
    """Return the variance account of a cause."""
    if kind is CauseKind.WRITTEN_OFF:  # what left the order lowers what its yield is charged
        return Account.YIELD_VARIANCE
    return Account(f"{kind} variance")


@dataclass(eq=False)
class LessThanOrdered(DomainError):
    """An order that is to be complete with fewer pieces than its item's tolerance allows."""

    order: int
    received: Decimal
    ordered: Decimal
    least: Decimal
    unit: str
    code: ClassVar[str] = "order.less_than_ordered"
    what: ClassVar[str] = "Order {order} can't be completed with {received} of {ordered} {unit}."
    why: ClassVar[str] = "At least {least} {unit} are to come of it without a reason."
    fix: ClassVar[str] = "Say why, or receive what is missing."


def complete(
    transaction: Transaction,
    book: OpenBook,
    *,
    charge_leftovers: bool,
    reason: str = "",
) -> None:
    """Complete a locked order: what is left over goes back, what is still reserved is free again."""
    context, order = transaction.context, book.order
    book.require(Act.COMPLETE if book.state is OrderState.STARTED else Act.POST)
    require_rework_decided(book.progress())
    if order.item.under_receipt is not None and not reason:
        least = least_received(order.quantity, order.item.under_receipt, order.item.step)
        if order.received < least:
            raise LessThanOrdered(order.number, order.received, order.quantity, least, order.item.unit)  # fmt: skip
    document = transaction.open(
        Posting.Kind.COMPLETION, cost_object=book.order.cost_object, reason=reason
    )
    for component, quantity in _left_over(book):
        code = component.item.code if component.item else ""
        words = f"{quantity.normalize():f} {component.unit} left over"
        if charge_leftovers:
            context.effects.remark(code, f"{words}, charged as used")
        else:
            context.effects.remark(code, f"{words}, returned to {book.order.supply_place.name}")
            give_back(book, document, component, quantity, book.order.supply_place)
    close_document(book, document)
    release_reserved(transaction, book)
    book.set_state(OrderState.COMPLETED)
    short = book.order.quantity - book.order.received
    if short > 0:
        context.effects.remark(book.thing, f"finished {short.normalize():f} short of the quantity")


def _mixes(components: Iterable[OrderInput]) -> list[list[int]]:
    """Return the components that may be exchanged for each other, by their keys."""
    found: dict[tuple[int, str, str], list[int]] = {}
    for c in components:
        if c.mix and c.allowed:
            found.setdefault((c.operation, c.mix, c.basis), []).append(c.pk)
    return list(found.values())


def _left_over(book: OpenBook) -> list[tuple[OrderInput, Decimal]]:
    """Return what was issued beyond the work done: of components, then of their alternates."""
    lines = {c.pk: c for c in book.components() if c.item and not c.stands_for}
    steps = {c.pk: c.item.step for c in book.components() if c.item}
    needs = {k: c.allowed * book.done(c) for k, c in lines.items()}
    over = leftovers(
        {k: max(ZERO, needs[k] - c.stood_in) for k, c in lines.items()},
        {k: c.used for k, c in lines.items()},
        steps,
        _mixes(lines.values()),
    )
    found = [(lines[k], quantity) for k, quantity in over.items()]
    for a in book.components():
        if len(a.stands_for) != 1:  # of phantom stock nothing comes back: its content is worked in
            continue
        stands = a.stands_for[0]
        c = lines[stands["input"]]
        excess = max(ZERO, c.covered - over.get(c.pk, ZERO) - needs[c.pk])
        beyond = excess * Decimal(stands["per"]) / Decimal(stands["times"])
        worked = a.used - min(a.used, beyond)
        back = leftovers({a.pk: worked}, {a.pk: a.used}, steps)
        found += [(a, quantity) for quantity in back.values()]
    return found
