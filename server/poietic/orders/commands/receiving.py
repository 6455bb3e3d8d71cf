"""Receiving output: pieces into stock, and WIP credited at the frozen standard."""

from dataclasses import dataclass
from decimal import Decimal
from typing import ClassVar

from django.utils import timezone
from poietic_core.errors import DomainError
from poietic_core.order.report import check_flow, most_received
from poietic_core.order.states import Act
from poietic_core.quantity import (
    ZERO,
)
from poietic_core.structure.model import IssueRule

from ...catalog.models import Item, Place
from ...catalog.queries import stock_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.document import Document
from ...ledger.models import Account, Posting, StockLine
from ...ledger.transaction import Transaction
from ...web_api.errors import InvalidInput
from ..models import Order, PlannedNeed
from ..open_book import OpenBook
from .completion import complete
from .material import close_document
from .operation_work import add_backflush
from .report_given import Receive


@dataclass(eq=False)
class NotAllGraded(DomainError):
    """Received pieces that are not all sorted into grades."""

    order: int
    quantity: Decimal
    graded: Decimal
    unit: str
    code: ClassVar[str] = "order.not_all_graded"
    what: ClassVar[str] = "{quantity} {unit} of order {order} can't be received yet."
    why: ClassVar[str] = "{graded} {unit} are sorted into grades."
    fix: ClassVar[str] = "Enter the pieces of each grade so that they add up to {quantity}."


@dataclass(eq=False)
class MoreThanOrdered(DomainError):
    """More pieces than were ordered, beyond the item's tolerance and without a reason."""

    order: int
    pieces: Decimal
    ordered: Decimal
    most: Decimal
    unit: str
    code: ClassVar[str] = "order.more_than_ordered"
    what: ClassVar[str] = "{pieces} {unit} would come of order {order}."
    why: ClassVar[str] = "{ordered} are ordered, and up to {most} may come without a reason."
    fix: ClassVar[str] = "Make the order larger, report {most} or fewer, or say why there are more."


def require_within(book: OpenBook, pieces: Decimal, reason: str) -> None:
    """Refuse more pieces than ordered beyond the tolerance, unless a reason is given: MoreThanOrdered."""
    order, item = book.order, book.order.item
    most = most_received(order.quantity, item.over_receipt or ZERO, item.step)
    if pieces > most and not reason:
        raise MoreThanOrdered(order.number, pieces, order.quantity, most, item.unit)


@command("receive", "Receive output", Role.STOREKEEPER, Role.OPERATOR, Role.CONTROLLER)
def receive(context: Context, given: Receive) -> None:
    """Put good pieces of an order into stock; WIP is credited at the frozen standard."""
    book = OpenBook.lock(context, given.order)
    transaction = Transaction(context)
    add_receipt(transaction, book, given)
    check_flow(book.progress(), book.order.received)
    require_within(book, book.order.received, given.reason)
    if given.complete:
        complete(transaction, book, charge_leftovers=False, reason=given.reason)
    transaction.post()
    book.finish()


def add_receipt(transaction: Transaction, book: OpenBook, given: Receive) -> None:
    """Gather what leaves an order into stock; what it is worth goes by what was credited by then."""
    book.require(Act.POST)
    order = book.order
    document = transaction.open(
        Posting.Kind.RECEIPT,
        happened_at=given.happened_at,
        cost_object=order.cost_object,
        reason=given.reason,
    )
    received = _sorted_into(book, given)
    to_date = book.worth_received({item.code: q for item, q in received})
    into = stock_place(given.place) if given.place else order.receipt_place
    for item, quantity in received:

        def worth(code: str = item.code) -> Decimal:
            return to_date[code] - book.credited()[code]

        document.put(
            item,
            quantity,
            out_of=book.wip_place,
            into=into,
            worth=worth,
            part=StockLine.Part.OUTPUT,
            pieces=[p.pieces() for p in given.lots if p.item in (None, item.code)],
        )

    def credit() -> None:
        put = sum((line.worth for line in document.lines), ZERO)
        whole = sum(book.credited().values(), ZERO) + put
        credits = book.receipt_credits(whole, transaction.wip.credits_of(order.cost_object))
        for (operation, element), amount in credits.items():
            document.journal(Account.WIP, -amount, operation=operation, element=element.value)

    document.follow(credit)
    close_document(book, document)
    if order.made_for:
        operation = order.made_for_operation or 0
        keep_for(transaction, order.item, order.made_for, operation, into, document)
    _issue_at_receipt(transaction, book, document)


def keep_for(
    transaction: Transaction,
    item: Item,
    parent: Order,
    operation: int,
    into: Place,
    document: Document,
) -> None:
    """Keep what was received of an item for the order that it is meant for, as far as that needs it."""
    owner = parent.cost_object
    transaction.concern([item.pk], owner)

    def keep() -> None:
        """Read what the parent needs now that stock is locked: it is issued under the same lock."""
        planned = PlannedNeed.objects.filter(order=parent.pk, item=item)
        running = parent.inputs.filter(item=item, operation=operation, still__gt=0)
        needed = planned.values_list("quantity", flat=True).first()
        needed = needed or running.values_list("still", flat=True).first() or ZERO
        kept = transaction.reservations.kept_for(owner).get((operation, item.pk), ZERO)
        put = sum((n.quantity for n in document.lines if n.item == item), ZERO)
        day = timezone.localdate(transaction.context.now)
        got = transaction.reservations.reserve(
            owner, operation, item, into, min(put, needed - kept), day
        )
        if got:
            words = f"{got.normalize():f} {item.unit} are kept for order {parent.number}"
            transaction.context.effects.remark(item.code, words)

    transaction.at_last(keep)


def _sorted_into(book: OpenBook, given: Receive) -> list[tuple[Item, Decimal]]:
    """Return what a receipt puts into stock: the item itself, or each grade's pieces."""
    if not book.grades:
        if given.grades:
            raise InvalidInput([f"grades: the output of {book.order.item.code} is not graded"])
        return [(book.order.item, given.quantity)]
    grades = {g.item.code: g.item for g in book.grades}
    unknown = [g.item for g in given.grades if g.item not in grades]
    if unknown:
        raise InvalidInput([f"grades: {unknown[0]} is none of {', '.join(grades)}"])
    whole = sum((g.quantity for g in given.grades), ZERO)
    if whole != given.quantity:
        raise NotAllGraded(book.order.number, given.quantity, whole, book.order.item.unit)
    sums: dict[str, Decimal] = {}
    for g in given.grades:
        sums[g.item] = sums.get(g.item, ZERO) + g.quantity
    return [(grades[code], quantity) for code, quantity in sums.items()]


def _issue_at_receipt(transaction: Transaction, book: OpenBook, receipt: Document) -> None:
    """Charge what is issued when output is received, in a posting of its own beside the receipt's.

    The receipt's own WIP lines are credits of the frozen standard, and are counted as such.
    """
    if not any(c.issue_rule == IssueRule.AT_RECEIPT for c in book.components()):
        return
    document = transaction.open(
        Posting.Kind.ISSUE,
        happened_at=receipt.happened_at,
        cost_object=book.order.cost_object,
        reason=receipt.reason,
    )
    add_backflush(document, book, IssueRule.AT_RECEIPT, worked=ZERO)
    if document.moves:
        close_document(book, document)
    else:
        transaction.documents.remove(document)
