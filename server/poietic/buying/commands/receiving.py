"""What comes of a purchase order, and what goes back to the supplier."""

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Annotated, ClassVar

from poietic_core.buying.purchase import PurchaseAct
from poietic_core.errors import DomainError
from poietic_core.order.report import least_received, most_received
from poietic_core.quantity import ZERO, money, require_step
from pydantic import Field

from ...catalog.queries import stock_place, supplier_place
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.document import Document, Pieces
from ...ledger.models import Account, Posting
from ...ledger.transaction import Transaction
from ...orders.commands.receiving import keep_for
from ...statements.bulk import insert_rows
from ...stores.commands.receiving import LotReceived
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Moment, Note, Quantity, Reference, Strict, Text
from ..book import PurchaseBook
from ..models import Delivery, PurchaseLine, SupplierReturn
from .drafting import MOST_LINES, LineNumber, PurchaseNumber

DeliveryNumber = Annotated[int, Field(ge=1, le=2**62)]


@dataclass(eq=False)
class MoreThanOrdered(DomainError):
    """More came than was ordered, beyond what is tolerated."""

    purchase: int
    line: int
    kept: Decimal
    ordered: Decimal
    most: Decimal
    unit: str
    code: ClassVar[str] = "purchase.more_than_ordered"
    what: ClassVar[str] = (
        "{kept} {unit} would have come of line {line} of purchase order {purchase}."
    )
    why: ClassVar[str] = (
        "{ordered} {unit} are ordered, of which at most {most} are taken without a reason."
    )
    fix: ClassVar[str] = "Give the reason, receive less, or order more of it first."


@dataclass(eq=False)
class MoreThanKept(DomainError):
    """More would go back than there is of a delivery."""

    delivery: int
    quantity: Decimal
    kept: Decimal
    unit: str
    code: ClassVar[str] = "purchase.more_than_kept"
    what: ClassVar[str] = "{quantity} {unit} of delivery {delivery} can't go back."
    why: ClassVar[str] = "{kept} {unit} of it came and have not gone back yet."
    fix: ClassVar[str] = (
        "Return at most {kept} {unit}, and the others from the delivery they came with."
    )


class LineCame(Strict):
    """What came of a line."""

    line: LineNumber
    #: in the line's unit
    quantity: Quantity
    #: left out, where the line says
    place: Code | None = None
    #: of a tracked item, in its stock unit; left out, numbered by the item's rule
    lots: Annotated[list[LotReceived], Field(max_length=1000)] = []


class ReceivePurchase(Strict):
    """What came of a purchase order; lines left out: all that is still to come."""

    purchase: PurchaseNumber
    lines: Annotated[list[LineCame], Field(max_length=MOST_LINES)] = []
    #: number of the supplier's despatch note
    despatch_note: Annotated[str, Text(40)] = ""
    happened_at: Moment | None = None
    reason: Note = ""


class PiecesReturned(Strict):
    """Pieces of a lot or serial that go back."""

    lot: Reference
    quantity: Quantity


class ReturnToSupplier(Strict):
    """What of a delivery goes back."""

    delivery: DeliveryNumber
    quantity: Quantity
    #: left out, where the line was put
    place: Code | None = None
    lots: Annotated[list[PiecesReturned], Field(max_length=1000)] = []
    #: the supplier sends it again
    is_replaced: bool = True
    reason: Annotated[str, Text(400, 1, lines=True)]


@command("receive-purchase", "Receive against a purchase order", Role.STOREKEEPER, Role.CONTROLLER)
def receive_purchase(context: Context, given: ReceivePurchase) -> None:
    """Put what came into stock at the order's price, all lines or none."""
    book = PurchaseBook.lock(context, given.purchase)
    book.require(PurchaseAct.RECEIVE)
    came = given.lines or [
        LineCame(line=n.number, quantity=n.coming / n.per_unit) for n in book.lines if n.coming
    ]
    if not came:
        raise InvalidInput([f"lines: nothing of purchase order {given.purchase} is to come any more"])  # fmt: skip
    transaction = Transaction(context)
    document = transaction.open(
        Posting.Kind.PURCHASE_RECEIPT, happened_at=given.happened_at, reason=given.reason
    )
    supplier = supplier_place(book.purchase.supplier.code)
    places = {code: stock_place(code) for code in {c.place for c in came if c.place}}
    deliveries: list[tuple[PurchaseLine, Decimal, Decimal]] = []
    for said in came:
        line = book.line(said.line)
        quantity, worth = said.quantity * line.per_unit, money(said.quantity * line.price)
        into = places[said.place] if said.place else line.place
        document.put(
            line.item,
            quantity,
            out_of=supplier,
            into=into,
            worth=worth,
            pieces=[p.pieces() for p in said.lots],
            difference_to=Account.PURCHASE_PRICE_VARIANCE,
        )
        document.journal(Account.GOODS_RECEIVED, -worth)
        if line.order and line.operation is not None:
            keep_for(transaction, line.item, line.order, line.operation, into, document)
        deliveries.append((line, quantity, worth))
        _take_in(book, line, quantity, given.reason)
    transaction.post()
    note_deliveries(context, document, context.postings[-1], deliveries, given.despatch_note)
    book.finish()


def note_deliveries(
    context: Context,
    document: Document,
    posting: int,
    came: Sequence[tuple[PurchaseLine, Decimal, Decimal]],
    note: str,
) -> None:
    """Keep what came of lines, with what it was received at: an invoice is matched with it."""
    insert_rows(
        Delivery,
        ("line", "posting", "came_at", "note", "quantity", "value", "returned", "returned_value", "invoiced", "cleared", "is_undone", "is_open"),
        [
            (line.pk, posting, document.happened_at, note, quantity, worth, ZERO, ZERO, ZERO, ZERO, False, True)
            for line, quantity, worth in came
        ],
    )  # fmt: skip


def _take_in(book: PurchaseBook, line: PurchaseLine, quantity: Decimal, reason: str) -> None:
    """Count what came of a line; within tolerance fewer are enough, and more need no reason."""
    item = line.item
    line.received += quantity
    stands = line.stands()
    ordered = stands.ordered - stands.not_replaced
    most = most_received(ordered, item.over_receipt or ZERO, item.step) if ordered else ZERO
    if stands.kept > most and not reason:
        raise MoreThanOrdered(
            book.purchase.number, line.number, stands.kept, ordered, most, item.unit
        )
    if item.under_receipt is None or not stands.coming or stands.is_ended:
        return
    if stands.kept >= least_received(ordered, item.under_receipt, item.step):
        words = f"{stands.coming.normalize():f} {item.unit} fewer came than ordered, within tolerance: no more is waited for"
        book.context.effects.remark(f"{book.thing} line {line.number}", words)
        line.is_ended = True


@command("return-to-supplier", "Return goods to a supplier", Role.STOREKEEPER, Role.CONTROLLER)
def return_to_supplier(context: Context, given: ReturnToSupplier) -> None:
    """Send back what came; goods received not invoiced takes it at what it was received at."""
    number = (
        Delivery.objects.filter(pk=given.delivery)
        .values_list("line__purchase__number", flat=True)
        .first()
    )
    if number is None:
        raise NotFound("delivery", str(given.delivery))
    book = PurchaseBook.lock(context, number)
    delivery = Delivery.objects.get(pk=given.delivery)
    line = next(n for n in book.lines if n.pk == delivery.line_id)
    item = line.item
    require_step(f"The quantity of {item.code}", given.quantity, step=item.step, unit=item.unit)
    kept = ZERO if delivery.is_undone else delivery.quantity - delivery.returned
    if given.quantity > kept:
        raise MoreThanKept(delivery.pk, given.quantity, kept, item.unit)
    left = delivery.value - delivery.returned_value
    worth = left if given.quantity == kept else money(left * given.quantity / kept)
    transaction = Transaction(context)
    document = transaction.open(Posting.Kind.SUPPLIER_RETURN, reason=given.reason)
    document.take(
        item,
        given.quantity,
        out_of=stock_place(given.place) if given.place else line.place,
        into=supplier_place(book.purchase.supplier.code),
        pieces=[Pieces(lot=p.lot, quantity=p.quantity) for p in given.lots],
        then=lambda value: document.journal(Account.PURCHASE_PRICE_VARIANCE, value - worth),
    )
    document.journal(Account.GOODS_RECEIVED, worth)
    transaction.post()
    SupplierReturn.objects.create(
        delivery=delivery,
        posting_id=context.postings[-1],
        quantity=given.quantity,
        value=worth,
        is_replaced=given.is_replaced,
    )
    move_returned(delivery, line, given.quantity, worth, is_replaced=given.is_replaced)
    book.finish()


def move_returned(
    delivery: Delivery, line: PurchaseLine, quantity: Decimal, worth: Decimal, *, is_replaced: bool
) -> None:
    """Count what went back of a delivery; below zero, what did not after all."""
    delivery.returned += quantity
    delivery.returned_value += worth
    delivery.is_open = bool(delivery.open.quantity)
    delivery.save(update_fields=["returned", "returned_value", "is_open"])
    line.returned += quantity
    if not is_replaced:
        line.not_replaced += quantity
