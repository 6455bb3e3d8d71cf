"""Deliveries, returns and invoices taken back, each by the mirror of what it posted."""

from dataclasses import dataclass
from typing import ClassVar

from poietic_core.errors import DomainError

from ...commanding.registry import Context
from ...ledger.document import mirror
from ...ledger.models import Posting
from ...ledger.transaction import Transaction
from ...orders.commands.taking_back import postings_of_act
from ..book import PurchaseBook
from ..models import Delivery, Invoice, InvoiceLine, SupplierReturn
from .invoicing import Part, lock_orders, save_parts, settle
from .receiving import move_returned


@dataclass(eq=False)
class Settled(DomainError):
    """What came was invoiced or returned since, which rests on it."""

    posting: int
    purchase: int
    by: list[str]
    code: ClassVar[str] = "purchase.settled"
    what: ClassVar[str] = "Posting {posting} of purchase order {purchase} can't be taken back yet."
    why: ClassVar[str] = "Some of what it brought was invoiced or returned since: posting {by}."
    fix: ClassVar[str] = "Take that back first, the latest first."


def take_back_delivery(context: Context, posting: int, reason: str) -> None:
    """Take back what came of a purchase order, where nothing rests on it: Settled (purchase.settled)."""
    came = Delivery.objects.filter(posting=posting)
    book = PurchaseBook.lock(
        context, came.values_list("line__purchase__number", flat=True)[:1].get()
    )
    original, _ = postings_of_act(posting)
    deliveries = list(came)
    resting = InvoiceLine.objects.filter(
        delivery__in=[d.pk for d in deliveries], invoice__is_taken_back=False
    ).values_list("invoice__posting", flat=True)
    returned = SupplierReturn.objects.filter(
        delivery__in=[d.pk for d in deliveries], is_undone=False
    ).values_list("posting", flat=True)
    if by := sorted({*resting, *returned}):
        raise Settled(posting, book.purchase.number, [str(p) for p in by])
    _mirror(context, original, reason)
    lines = {n.pk: n for n in book.lines}
    for d in deliveries:
        d.is_undone, d.is_open = True, False
        lines[d.line_id].received -= d.quantity
    Delivery.objects.bulk_update(deliveries, ["is_undone", "is_open"])
    book.finish()


def take_back_return(context: Context, posting: int, reason: str) -> None:
    """Take back what was sent back: it is there again."""
    sent = SupplierReturn.objects.select_related("delivery__line__purchase").get(posting=posting)
    book = PurchaseBook.lock(context, sent.delivery.line.purchase.number)
    original, _ = postings_of_act(posting)
    delivery = Delivery.objects.get(pk=sent.delivery_id)
    line = next(n for n in book.lines if n.pk == delivery.line_id)
    _mirror(context, original, reason)
    sent.is_undone = True
    sent.save(update_fields=["is_undone"])
    move_returned(delivery, line, -sent.quantity, -sent.value, is_replaced=sent.is_replaced)
    book.finish()


def take_back_invoice(context: Context, posting: int, reason: str) -> None:
    """Take an invoice back: what came is open again, and the difference leaves where it is by now."""
    invoice = Invoice.objects.get(
        posting__entry=Posting.objects.filter(pk=posting).values("entry")[:1]
    )
    rows = InvoiceLine.objects.filter(invoice=invoice).order_by("pk")
    numbers = rows.values_list("delivery__line__purchase__number", flat=True).distinct()
    listed = sorted(numbers.order_by())
    orders = lock_orders(context, listed)
    books = PurchaseBook.lock_all(context, listed)
    original, _ = postings_of_act(invoice.posting_id)
    lines = {n.pk: n for b in books.values() for n in b.lines}
    deliveries = Delivery.objects.in_bulk({row.delivery_id for row in rows})
    parts = []
    for row in rows:
        d = deliveries[row.delivery_id]
        parts.append(
            Part(
                delivery=d,
                quantity=-row.quantity,
                amount=-row.amount,
                cleared=-row.cleared,
                cost=row.cost,
                spread_by=row.spread_by,
            )
        )
        d.invoiced -= row.quantity
        d.cleared -= row.cleared
        lines[d.line_id].invoiced -= row.quantity
    transaction = Transaction(context)
    document = transaction.open(
        Posting.Kind.INVOICE,
        reason=reason,
        reverses=original,
    )
    settle(transaction, document, parts, lines, orders)
    transaction.post()
    invoice.is_taken_back = True
    invoice.change = context.change
    invoice.save(update_fields=["is_taken_back", "change"])
    save_parts(context, invoice, parts)
    for book in books.values():
        book.finish()
    for order in orders.values():
        order.finish()


def _mirror(context: Context, original: Posting, reason: str) -> None:
    transaction = Transaction(context)
    kind = Posting.Kind(original.kind)
    document = transaction.open(kind, reason=reason, reverses=original)
    mirror(document, original)
    transaction.post()
