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
from ...orders.commands.report_given import Report, ScrapGiven
from ...orders.commands.reporting import add_report
from ...orders.open_book import OpenBook
from ...statements.bulk import insert_rows
from ...stores.commands.receiving import LotReceived
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Code, Moment, Note, Quantity, QuantityOrNone, Reference, Strict, Text
from ..book import PurchaseBook, counted, lock_orders
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
    #: in the line's unit; of work on an order, the good ones
    quantity: QuantityOrNone
    #: of work on an order: what was lost there
    scrap: Annotated[list[ScrapGiven], Field(max_length=20)] = []
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


@command(
    "receive-purchase",
    "Receive against a purchase order",
    Role.STOREKEEPER,
    Role.OPERATOR,
    Role.CONTROLLER,
)
def receive_purchase(context: Context, given: ReceivePurchase) -> None:
    """Put what came into stock at the order's price, and work that came back into its order; all lines or none."""
    orders = _orders_of(context, given)
    book = PurchaseBook.lock(context, given.purchase)
    book.require(PurchaseAct.RECEIVE)
    came = [_came(book.line(c.line), c) for c in given.lines]
    came = came or [Came(n, LineCame(line=n.number, quantity=ZERO), n.coming) for n in book.lines if n.coming]  # fmt: skip
    if not came:
        raise InvalidInput([f"lines: nothing of purchase order {given.purchase} is to come any more"])  # fmt: skip
    transaction = Transaction(context)
    goods = [c for c in came if not c.line.is_work]
    document = _receive_goods(transaction, book, goods, given)
    for c in came:
        if c.line.is_work and c.line.order is not None:
            _report_work(transaction, orders[c.line.order.number], c, given)
    transaction.post()
    if document:
        note_deliveries(context, document, [(c.line, c.quantity, c.worth()) for c in goods])
    book.finish()
    for order in orders.values():
        order.finish()  # which notes what came of its work


@dataclass(frozen=True, slots=True)
class Came:
    """What came of a line, as it was said and in the stock unit; of work on an order, its good units."""

    line: PurchaseLine
    said: LineCame
    quantity: Decimal

    def worth(self) -> Decimal:
        """Return what it is worth at the order's price."""
        return money(self.quantity * self.line.price / self.line.per_unit)


def _came(line: PurchaseLine, said: LineCame) -> Came:
    is_plain = line.is_work or not said.quantity
    return Came(line, said, said.quantity if is_plain else counted(line.item, said.quantity, line.per_unit))  # fmt: skip


def _orders_of(context: Context, given: ReceivePurchase) -> dict[int, OpenBook]:
    """Lock the orders whose work comes back, before the purchase order, as their reports do."""
    lines = PurchaseLine.objects.filter(purchase__number=given.purchase, is_work=True)
    if given.lines:
        lines = lines.filter(number__in=[n.line for n in given.lines])
    else:
        lines = lines.filter(coming__gt=ZERO)
    return lock_orders(context, lines)


def _receive_goods(
    transaction: Transaction,
    book: PurchaseBook,
    came: Sequence["Came"],
    given: ReceivePurchase,
) -> Document | None:
    """Gather what goes into stock; returns its document, if anything does."""
    if not came:
        return None
    document = transaction.open(
        Posting.Kind.PURCHASE_RECEIPT,
        happened_at=given.happened_at,
        reason=given.reason,
        paper=given.despatch_note,
    )
    supplier = supplier_place(book.purchase.supplier.code)
    places = {code: stock_place(code) for code in {c.said.place for c in came if c.said.place}}
    for c in came:
        line, said, quantity, worth = c.line, c.said, c.quantity, c.worth()
        if not quantity or said.scrap:
            raise InvalidInput([f"lines: say how much of line {line.number} came; what is bad goes back to the supplier"])  # fmt: skip
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
        _take_in(book, line, quantity, given.reason)
    return document


def _report_work(
    transaction: Transaction,
    order: OpenBook,
    came: "Came",
    given: ReceivePurchase,
) -> None:
    """Report the units that a supplier worked on: good, or lost there."""
    report = Report(
        order=order.order.number,
        operation=came.line.operation or 0,
        good=came.quantity,
        scrap=came.said.scrap,
        happened_at=given.happened_at,
        reason=given.reason,
    )
    before = len(transaction.documents)
    add_report(transaction, order, report)
    transaction.documents[before].paper = given.despatch_note


def note_deliveries(
    context: Context,
    document: Document,
    came: Sequence[tuple[PurchaseLine, Decimal, Decimal]],
) -> None:
    """Keep what came of lines, with what it was received at: an invoice is matched with it."""
    insert_rows(
        Delivery,
        ("line", "posting", "came_at", "note", "quantity", "value", "returned", "returned_value", "invoiced", "cleared", "is_undone", "is_open"),
        [
            (line.pk, document.key, document.happened_at, document.paper, quantity, worth, ZERO, ZERO, ZERO, ZERO, False, True)
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
