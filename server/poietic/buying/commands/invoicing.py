"""Invoices and credit notes of suppliers: matched with what came, further costs spread over it."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from decimal import Decimal
from itertools import groupby
from typing import Annotated, ClassVar

from poietic_core.buying.landed import Landed, SpreadBy, spread
from poietic_core.buying.matching import differences_of, match
from poietic_core.cost.model import Element, InputKind
from poietic_core.cost.prices import mass_of
from poietic_core.errors import DomainError
from poietic_core.order.states import OrderState
from poietic_core.quantity import ZERO, money
from poietic_core.units import UNITS, Dimension, conversion_factor
from pydantic import Field

from ...catalog.models import Item, Partner
from ...catalog.queries import any_of, form_of, supplier_by_code
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...ledger.document import Document
from ...ledger.models import Account, Posting
from ...ledger.transaction import Transaction
from ...orders.open_book import OpenBook
from ...statements.bulk import insert_rows, update_rows
from ...web_api.errors import InvalidInput, NotFound
from ...web_api.fields import Budget as Amount
from ...web_api.fields import (
    Code,
    Day,
    Moment,
    Name,
    Note,
    Quantity,
    Strict,
    Text,
)
from ..book import PurchaseBook, counted
from ..models import Delivery, Invoice, InvoiceLine, Purchase, PurchaseLine
from .drafting import LineNumber, PurchaseNumber
from .receiving import DeliveryNumber

MOST_INVOICED = 10_000
InvoiceNumber = Annotated[str, Text(40, 1)]


@dataclass(eq=False)
class InvoiceThere(DomainError):
    """The supplier's invoice was entered before."""

    supplier: str
    number: str
    posting: int
    code: ClassVar[str] = "invoice.there"
    what: ClassVar[str] = "Invoice {number} of {supplier} is there already."
    why: ClassVar[str] = "Posting {posting} has it."
    fix: ClassVar[str] = "Look it up, or take it back before it is entered again."


@dataclass(eq=False)
class OtherSupplier(DomainError):
    """An invoice names a purchase order of somebody else."""

    purchase: int
    theirs: str
    supplier: str
    code: ClassVar[str] = "invoice.other_supplier"
    what: ClassVar[str] = "{supplier} can't invoice purchase order {purchase}."
    why: ClassVar[str] = "It was ordered of {theirs}."
    fix: ClassVar[str] = (
        "Name another purchase order; a forwarder's cost is entered as a further cost."
    )


@dataclass(eq=False)
class TotalDiffers(DomainError):
    """The lines of an invoice are not what it asks for."""

    total: Decimal
    lines: Decimal
    code: ClassVar[str] = "invoice.total_differs"
    what: ClassVar[str] = "The lines add up to {lines}."
    why: ClassVar[str] = "The invoice asks {total} without tax."
    fix: ClassVar[str] = "Put the lines right, or enter the rest as a further cost."


class LineInvoiced(Strict):
    """What is asked for a line of a purchase order."""

    purchase: PurchaseNumber
    line: LineNumber
    #: in the line's unit; of a credit note what it gives back
    quantity: Quantity
    #: without tax
    amount: Amount


class ShareByHand(Strict):
    """A delivery that a cost belongs to; by hand, with its share."""

    delivery: DeliveryNumber
    share: Amount | None = None


class CostInvoiced(Strict):
    """Freight, duty or a fee, spread over what came."""

    what: Name
    amount: Amount
    spread_by: SpreadBy = SpreadBy.VALUE
    deliveries: Annotated[list[ShareByHand], Field(min_length=1, max_length=MOST_INVOICED)]


class PostInvoice(Strict):
    """What a supplier asks for, or in a credit note gives back; amounts without tax."""

    supplier: Code
    number: InvoiceNumber
    dated: Day
    is_credit: bool = False
    lines: Annotated[list[LineInvoiced], Field(max_length=MOST_INVOICED)] = []
    costs: Annotated[list[CostInvoiced], Field(max_length=50)] = []
    #: what the paper says; the lines have to add up to it
    total: Amount | None = None
    happened_at: Moment | None = None
    reason: Note = ""


@dataclass(kw_only=True)
class Part:
    """A line of the invoice in the making: what it asks for of one delivery."""

    delivery: Delivery
    quantity: Decimal
    amount: Decimal
    cleared: Decimal
    cost: str = ""
    spread_by: str = ""
    #: of the difference: what went to what is still in stock, and what is kept for where it went
    in_stock: Decimal = ZERO
    gone_on: Decimal = ZERO

    @property
    def difference(self) -> Decimal:
        """Return what it asks beyond what the delivery was received at."""
        return self.amount - self.cleared


@command("post-invoice", "Post a supplier's invoice", Role.COST_ACCOUNTANT, Role.CONTROLLER)
def post_invoice(context: Context, given: PostInvoice) -> None:
    """Clear what came by what is asked for it; the difference goes where the goods are, or to variance."""
    if not given.lines and not given.costs:
        raise InvalidInput(["lines: the invoice asks for nothing; enter its lines"])
    supplier = supplier_by_code(given.supplier)
    _require_new(context, supplier, given.number)
    costs = [d.delivery for cost in given.costs for d in cost.deliveries]
    numbers = [n.purchase for n in given.lines] + _purchases_of(costs)
    orders = lock_orders(context, numbers)
    books = PurchaseBook.lock_all(context, numbers)
    lines = {n.pk: n for b in books.values() for n in b.lines}
    deliveries = _deliveries(lines, [_line(books, supplier, n).pk for n in given.lines], costs)
    sign = -1 if given.is_credit else 1
    parts = _matched(context, given.lines, books, deliveries, lines, sign)
    for cost in given.costs:
        parts += _spread(cost, deliveries, lines, sign)
    total = sum((p.amount for p in parts), ZERO)
    if given.total is not None and total != sign * money(given.total):
        raise TotalDiffers(given.total, sign * total)
    transaction = Transaction(context)
    document = transaction.open(
        Posting.Kind.INVOICE, happened_at=given.happened_at, reason=given.reason
    )
    settle(transaction, document, parts, lines, orders)
    transaction.post()
    invoice = Invoice.objects.create(
        supplier=supplier,
        number=given.number,
        dated=given.dated,
        is_credit=given.is_credit,
        total=total,
        posting_id=document.key,
        change=context.change,
    )
    save_parts(context, invoice, parts)
    for book in books.values():
        book.finish()
    for order in orders.values():
        order.finish()
    context.made["invoice"] = given.number


def lock_orders(context: Context, purchases: Iterable[int]) -> dict[int, OpenBook]:
    """Lock the orders that some purchase orders are work on, by key, before these."""
    lines = PurchaseLine.objects.filter(purchase__number__in=any_of(purchases), is_work=True)
    numbers = lines.order_by("order").values_list("order__number", flat=True).distinct()
    books = [OpenBook.lock(context, n) for n in numbers if n is not None]
    return {b.order.pk: b for b in books}


def _require_new(context: Context, supplier: Partner, number: str) -> None:
    """Refuse an invoice that was entered before, also by somebody at this moment."""
    context.guard(f"invoice {supplier.pk} {number}")
    there = Invoice.objects.filter(supplier=supplier, number=number, is_taken_back=False).first()
    if there:
        raise InvoiceThere(supplier.name, number, there.posting_id)


def _purchases_of(deliveries: Iterable[int]) -> list[int]:
    """Return the purchase orders of some deliveries by number; the first that is not there is refused."""
    wanted = list(dict.fromkeys(deliveries))
    if not wanted:
        return []
    rows = Delivery.objects.filter(pk__in=any_of(wanted))
    found = dict(rows.values_list("pk", "line__purchase__number"))
    for key in wanted:
        if key not in found:
            raise NotFound("delivery", str(key))
    return sorted(set(found.values()))


def _line(books: dict[int, PurchaseBook], supplier: Partner, said: LineInvoiced) -> PurchaseLine:
    purchase: Purchase = books[said.purchase].purchase
    if purchase.supplier_id != supplier.pk:
        raise OtherSupplier(purchase.number, purchase.supplier.name, supplier.name)
    return books[said.purchase].line(said.line)


def _deliveries(
    lines: dict[int, PurchaseLine], invoiced: Sequence[int], costs: Sequence[int]
) -> dict[int, Delivery]:
    """Return what came of the lines that are invoiced, and what costs are spread over, the oldest first."""
    rows = Delivery.objects.filter(line__in=any_of(lines), is_undone=False).order_by("pk")
    wanted, named = set(invoiced), set(costs)
    found = {d.pk: d for d in rows if d.line_id in wanted or d.pk in named}
    for key in costs:
        if key not in found:
            raise NotFound("delivery that stands", str(key))
    return found


def _matched(
    context: Context,
    said: Sequence[LineInvoiced],
    books: dict[int, PurchaseBook],
    deliveries: dict[int, Delivery],
    lines: dict[int, PurchaseLine],
    sign: int,
) -> list[Part]:
    """Match each line of the invoice with what came of it, and say what differs and why."""
    by_line = {
        key: list(own)
        for key, own in groupby(
            sorted(deliveries.values(), key=lambda d: (d.line_id, d.pk)), lambda d: d.line_id
        )
    }
    parts = []
    for n in said:
        line = books[n.purchase].line(n.line)
        item, thing = line.item, f"purchase order {n.purchase} line {n.line}"
        quantity = n.quantity if line.is_work else counted(item, n.quantity, line.per_unit)
        own = by_line.get(line.pk, [])
        opened = [d.open for d in own]
        for found in match(f"{thing}, {item.code}", item.unit, sign * quantity, sign * n.amount, opened):  # fmt: skip
            d = own[found.receipt]
            parts.append(
                Part(
                    delivery=d,
                    quantity=found.quantity,
                    amount=found.value + found.difference,
                    cleared=found.value,
                )
            )
            d.invoiced += found.quantity
            d.cleared += found.value
        line.invoiced += sign * quantity
        _tell_difference(context, thing, line, n)
    return parts


def _tell_difference(context: Context, thing: str, line: PurchaseLine, said: LineInvoiced) -> None:
    """Say what an invoice line asks beyond the price that was ordered."""
    differs = differences_of(
        ordered_price=line.price,
        received=said.quantity,
        invoiced=said.quantity,
        amount=said.amount,
    )
    if differs.price:
        ordered = money(said.quantity * line.price)
        words = f"{money(said.amount)} is asked for {said.quantity.normalize():f} {line.unit}, ordered at {ordered}: {abs(differs.price)} {'more' if differs.price > 0 else 'less'}"
        context.effects.remark(thing, words)


def _spread(
    cost: CostInvoiced,
    deliveries: dict[int, Delivery],
    lines: dict[int, PurchaseLine],
    sign: int,
) -> list[Part]:
    """Share a further cost over the deliveries that it belongs to."""
    own = [deliveries[s.delivery] for s in cost.deliveries]
    if len({d.pk for d in own}) < len(own):
        raise InvalidInput([f"costs: a delivery stands twice under {cost.what}"])
    items = {lines[d.line_id].item for d in own}
    weights = _weights(items) if cost.spread_by is SpreadBy.WEIGHT else {}
    goods = [
        Landed(
            name=f"{lines[d.line_id].item.code}, delivery {d.pk}",
            value=d.value,
            quantity=d.quantity,
            weight=each * d.quantity if (each := weights.get(lines[d.line_id].item_id)) else None,
            by_hand=None if said.share is None else money(said.share),
        )
        for d, said in zip(own, cost.deliveries, strict=True)
    ]
    shares = spread(cost.what, money(cost.amount), cost.spread_by, goods)
    return [
        Part(
            delivery=d,
            quantity=ZERO,
            amount=sign * share,
            cleared=ZERO,
            cost=cost.what,
            spread_by=cost.spread_by.value,
        )
        for d, share in zip(own, shares, strict=True)
    ]


def _weights(items: Iterable[Item]) -> dict[int, Decimal]:
    """Return what a stock unit of items weighs [kg]: of those kept by mass, or in a form."""
    found = {}
    for item in items:
        if UNITS.get(item.unit) and UNITS[item.unit].dimension is Dimension.MASS:
            found[item.pk] = conversion_factor(
                item.unit, "kg", item=item.code, stock_unit=item.unit
            )
        elif item.form:
            found[item.pk] = mass_of(form_of(item), item.code, item.unit).value
    return found


def settle(
    transaction: Transaction,
    document: Document,
    parts: Sequence[Part],
    lines: dict[int, PurchaseLine],
    orders: dict[int, OpenBook],
) -> None:
    """Put an invoice into its documents: what came is cleared, the difference follows the goods.

    Of work on an order it goes into that order, in a document of its own: what it costs the
    supplier asks for beside the rest.
    """
    extra: dict[int, dict[int, Decimal]] = {}
    for part in parts:
        line = lines[part.delivery.line_id]
        document.journal(Account.GOODS_RECEIVED, part.cleared)
        if line.is_work:
            document.journal(Account.PAYABLES, -part.cleared)
            own = extra.setdefault(line.order_id or 0, {})
            own[line.operation or 0] = own.get(line.operation or 0, ZERO) + part.difference
            continue
        document.journal(Account.PAYABLES, -part.amount)
        if part.difference:

            def told(still: Decimal, gone: Decimal, part: Part = part) -> None:
                part.in_stock, part.gone_on = still, gone

            document.late(line.item, part.delivery.posting_id, part.difference, told)
    for key, amounts in extra.items():
        _charge_work(transaction, document, orders[key], {o: a for o, a in amounts.items() if a})


def _charge_work(
    transaction: Transaction, document: Document, order: OpenBook, amounts: dict[int, Decimal]
) -> None:
    """Charge an order what its work costs more; of one that is closed it is price variance."""
    if not amounts:
        return
    original = None
    if document.reverses is not None:
        act = Posting.objects.filter(entry=document.reverses.entry_id)
        original = act.filter(cost_object=order.order.cost_object).first()
    own = transaction.open(
        Posting.Kind.INVOICE,
        happened_at=document.happened_at,
        cost_object=order.order.cost_object,
        reason=document.reason,
        reverses=original,
    )
    for operation, amount in amounts.items():
        own.journal(Account.PAYABLES, -amount, operation=operation)
        if order.state is OrderState.CLOSED:
            own.journal(Account.PRICE_VARIANCE, amount, operation=operation)
            continue
        own.time(
            operation, InputKind.SUBCONTRACT.value, ZERO, amount, code=_work_code(order, operation)
        )
        own.charge(operation, amount, {Element.SUBCONTRACT: amount})
    order.take_in(own)


def _work_code(order: OpenBook, operation: int) -> str:
    """Return by which of an operation's inputs a supplier works on it."""
    rows = (i for i in order.inputs if i.operation == operation and i.kind == InputKind.SUBCONTRACT)
    return next((i.overhead for i in rows if i.allowed), "")


def save_parts(context: Context, invoice: Invoice, parts: Sequence[Part]) -> None:
    """Keep the lines of an invoice, and what of the deliveries is still open."""
    kept = {p.delivery.pk: p.delivery for p in parts}
    update_rows(
        Delivery,
        ("id", "invoiced", "cleared", "is_open"),
        [(d.pk, d.invoiced, d.cleared, bool(d.open.quantity)) for d in kept.values()],
    )
    insert_rows(
        InvoiceLine,
        ("invoice", "delivery", "cost", "spread_by", "quantity", "amount", "cleared", "in_stock", "gone_on"),
        [
            (invoice.pk, p.delivery.pk, p.cost, p.spread_by, p.quantity, p.amount, p.cleared, p.in_stock, p.gone_on)
            for p in parts
        ],
    )  # fmt: skip
