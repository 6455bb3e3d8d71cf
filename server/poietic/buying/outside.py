"""Work that suppliers do on the units of orders: ordered by the order's release, received with its reports."""

from collections.abc import Iterable, Sequence
from decimal import Decimal

from django.db.models import QuerySet
from django.utils import timezone
from poietic_core.buying.purchase import PurchaseState
from poietic_core.cost.model import InputKind
from poietic_core.order.outside import require_sent
from poietic_core.order.states import RUNNING
from poietic_core.quantity import ONE, UNIT_COST_STEP, ZERO, round_to

from ..ledger.document import Document, Time
from ..ledger.models import Posting, UnitLine
from ..orders.dates import Dating
from ..orders.models import OrderInput
from ..orders.open_book import OpenBook
from .book import PurchaseBook
from .commands.drafting import begin, send
from .commands.receiving import note_deliveries
from .commands.taking_back import Settled
from .models import Delivery, PurchaseLine, Shipment


def keep_work(book: OpenBook) -> None:
    """Keep what an order wants of suppliers on order, and note what its reports brought back."""
    rows = [i for i in book.inputs if i.kind == InputKind.SUBCONTRACT and not i.is_rework]
    if not rows or book.order.standard is None:
        return
    came = [d for d in book.documents if d.kind is Posting.Kind.REPORT and _work_of(d)]
    if came:
        _receive_work(book, came)
    if book.state in RUNNING:
        _await_again(book)
        known = work_lines(book.order.pk).select_related("purchase")
        _order_work(book, rows, {(n.operation, n.purchase.supplier_id): n for n in known})
    shipped = {d.operation: _unsaid(d) for d in book.documents if d.kind is Posting.Kind.SHIPMENT}
    for o in book.progress():
        sent = book.operation(o.number).sent
        is_sent = bool(sent) or o.number in shipped
        require_sent(book.order.number, o, sent + shipped.get(o.number, ZERO), is_sent=is_sent)


def work_lines(order: int) -> QuerySet[PurchaseLine]:
    """Return the lines of work on an order, without those that were given up before anything came."""
    lines = PurchaseLine.objects.filter(order=order, is_work=True)
    return lines.exclude(is_ended=True, ended_with_order=False, received=ZERO)


def counts(line: PurchaseLine) -> bool:
    """Tell whether something is to come, or came, of a line."""
    return not line.is_ended or bool(line.received)


def _unsaid(document: Document) -> Decimal:
    """Return what the shipment that a document takes back counted as sent beside what went with it."""
    if document.reverses is None:
        return ZERO
    went = Shipment.objects.filter(posting=document.reverses).values_list("quantity", flat=True)
    counted = sum((-u.quantity for u in document.unit_lines if u.kind == UnitLine.Kind.SENT), ZERO)
    return max(ZERO, counted - next(iter(went), counted))


def end_work(book: OpenBook, is_withdrawn: bool) -> None:
    """Wait no longer for work on an order that holds nothing any more."""
    lines = PurchaseLine.objects.filter(order=book.order.pk, is_work=True, is_ended=False)
    numbers = sorted({n.purchase.number for n in lines.select_related("purchase")})
    for purchase in PurchaseBook.lock_all(book.context, numbers).values() if numbers else ():
        for line in [n for n in purchase.lines if n.is_work and n.order_id == book.order.pk]:
            _leave_out(purchase, line)
            line.ended_with_order = line.is_ended and not is_withdrawn
        purchase.finish()


def _work_of(document: Document) -> list[Time]:
    return [t for t in document.times if t.kind == InputKind.SUBCONTRACT and t.quantity]


def _await_again(book: OpenBook) -> None:
    """Wait for work again that ended with the order, which runs again."""
    ended = work_lines(book.order.pk).filter(ended_with_order=True).select_related("purchase")
    numbers = sorted({n.purchase.number for n in ended})
    for purchase in PurchaseBook.lock_all(book.context, numbers).values() if numbers else ():
        for line in purchase.lines:
            if line.ended_with_order and line.order_id == book.order.pk:
                line.is_ended = line.ended_with_order = False
        if purchase.state is PurchaseState.CANCELLED:
            purchase.set_state(PurchaseState.ORDERED)
        purchase.finish()


def _order_work(
    book: OpenBook,
    rows: Sequence[OrderInput],
    lines: dict[tuple[int | None, int | None], PurchaseLine],
) -> None:
    """Have a line for each operation that a supplier does, with as many pieces as the order needs."""
    needs = {at: _wanted(i, lines.get(at)) for i in rows for at in [(i.operation, i.supplier_id)]}
    new = [
        i
        for i in rows
        if needs[i.operation, i.supplier_id] and (i.operation, i.supplier_id) not in lines
    ]
    if new:
        _draft_work(book, new)
    changed = {n.purchase.number for at, n in lines.items() if at in needs and n.quantity != needs[at] and not n.is_ended}  # fmt: skip
    for purchase in PurchaseBook.lock_all(book.context, sorted(changed)).values() if changed else ():  # fmt: skip
        for line in purchase.lines:
            if not line.is_work or line.order_id != book.order.pk or line.is_ended:
                continue
            need = needs.get((line.operation or 0, purchase.purchase.supplier_id), ZERO)
            if not need:
                _leave_out(purchase, line)
            elif need != line.quantity:
                _order_otherwise(purchase, line, need)
        purchase.finish()


def _wanted(i: OrderInput, line: PurchaseLine | None) -> Decimal:
    """Return the pieces that a line is to bring: what the order needs, and what went from it with a part that was split off."""
    came = line.received if line else ZERO
    return max(ZERO, round_to(i.need + came - i.used, UNIT_COST_STEP))


def _draft_work(book: OpenBook, rows: Iterable[OrderInput]) -> None:
    """Draft an order to each supplier, with a line for each operation that he does."""
    context, order = book.context, book.order
    dates = Dating([book], context.now).of(book)
    by_supplier: dict[int, list[OrderInput]] = {}
    for i in rows:
        by_supplier.setdefault(i.supplier_id or 0, []).append(i)
    numbers = []
    for own in by_supplier.values():
        assert own[0].supplier is not None
        purchase = begin(context, own[0].supplier, f"work on order {order.number}")
        for at, i in enumerate(own, 1):
            back = dates.operations[i.operation].leaves if dates else None
            line = PurchaseLine.objects.create(
                purchase=purchase.purchase,
                number=at,
                item=order.item,
                is_work=True,
                unit=order.item.unit,
                per_unit=ONE,
                quantity=_wanted(i, None),
                price=i.price if i.agreed_price is None else i.agreed_price,
                comes_on=timezone.localtime(back).date() if back else order.due,
                place=order.receipt_place,
                order=order,
                operation=i.operation,
            )
            purchase.lines.append(line)
        purchase.finish()
        numbers.append(str(purchase.purchase.number))
        words = f"{len(own)} operation{'s' if len(own) > 1 else ''} of {own[0].supplier.name} on order to be sent"
        context.effects.remark(purchase.thing, words)
    known = [context.made["purchases"]] if "purchases" in context.made else []
    context.made["purchases"] = ",".join([*known, *numbers])


def _order_otherwise(purchase: PurchaseBook, line: PurchaseLine, needs: Decimal) -> None:
    """Take another number of pieces into a line; of one that was sent, the supplier has to be told."""
    thing = f"{purchase.thing} line {line.number}"
    effects = purchase.context.effects
    effects.field(thing, f"quantity [{line.unit}]", line.quantity, needs)
    line.quantity = needs
    if purchase.state is not PurchaseState.DRAFT:
        supplier = purchase.purchase.supplier.name
        effects.remark(thing, f"it was sent: tell {supplier} that there are {needs.normalize():f}")


def _leave_out(purchase: PurchaseBook, line: PurchaseLine) -> None:
    """Wait for no work of a line any more; a draft of nothing else is cancelled."""
    if purchase.state is PurchaseState.DRAFT:
        purchase.lines.remove(line)
        line.delete()
        if not purchase.lines:
            purchase.set_state(PurchaseState.CANCELLED)
        return
    line.is_ended = True
    if not line.received:
        supplier = purchase.purchase.supplier.name
        words = f"it was sent: tell {supplier} that it is not wanted any more"
        purchase.context.effects.remark(f"{purchase.thing} line {line.number}", words)


def _receive_work(book: OpenBook, came: Sequence[Document]) -> None:
    """Note what reports of outside operations brought back, so that an invoice finds it."""
    known = work_lines(book.order.pk)
    numbers = {n.purchase.number for n in known.select_related("purchase")}
    books = PurchaseBook.lock_all(book.context, sorted(numbers))
    lines = {n.operation: (b, n) for b in books.values() for n in b.lines if n.is_work and n.order_id == book.order.pk and counts(n)}  # fmt: skip
    for document in came:
        for t in _work_of(document):
            if t.operation not in lines:
                continue
            purchase, line = lines[t.operation]
            if document.reverses is not None:
                _undo(document.reverses, purchase, line)
                continue
            if purchase.state in (PurchaseState.DRAFT, PurchaseState.CANCELLED):
                send(purchase)
                purchase.context.effects.remark(purchase.thing, "it counts as sent: work of it came back")  # fmt: skip
            line.received += t.quantity
            note_deliveries(book.context, document, [(line, t.quantity, t.amount)])
    for purchase in books.values():
        purchase.finish()


def _undo(original: Posting, purchase: PurchaseBook, line: PurchaseLine) -> None:
    """Take back what a report brought of a line, where it is not invoiced: Settled (purchase.settled)."""
    delivery = Delivery.objects.filter(posting=original, line=line, is_undone=False).first()
    if delivery is None:
        return
    if delivery.invoiced:
        invoices = delivery.invoice_lines.filter(invoice__is_taken_back=False)
        by = sorted(set(invoices.values_list("invoice__posting", flat=True)))
        raise Settled(original.pk, purchase.purchase.number, [str(p) for p in by])
    delivery.is_undone, delivery.is_open = True, False
    delivery.save(update_fields=["is_undone", "is_open"])
    line.received -= delivery.quantity
