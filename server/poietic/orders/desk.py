"""What the desk shows around an order: what stops it, who waits for it, what needs a decision."""

from datetime import datetime
from decimal import Decimal
from functools import partial

from ninja import Schema
from poietic_core.cost.model import InputKind
from poietic_core.order.attention import Attention, Kind, OpenOrder, Remaining, attentions
from poietic_core.order.report import due_at
from poietic_core.order.states import OrderState
from poietic_core.quantity import ZERO

from ..catalog.models import Item
from ..costing.frozen import costed_structures
from ..ledger.models import Holding, WipBalance
from ..web_api.fields import DecimalText
from .book import ORDER_PARTS, OrderBook
from .commands.life import release_blocks
from .dates import Dating, OrderDates, start_day
from .faulty import computed
from .models import Order, OrderInput

OPEN = [OrderState.PLANNED, OrderState.RELEASED, OrderState.STARTED, OrderState.COMPLETED]
RUNNING = (OrderState.RELEASED, OrderState.STARTED)


class Stop(Schema):
    """One thing that stops an order, with the way out."""

    why: str
    fix: str
    #: where the way out leads: item, structure, standard, receive or plan with a code, order with a number
    place: str


class WantedBy(Schema):
    """Somebody who waits for an order's output."""

    order: int | None
    words: str
    quantity: DecimalText | None
    due: str


def open_books() -> list[OrderBook]:
    """Return all open orders with their rows."""
    rows = Order.objects.filter(state__in=[s.value for s in OPEN]).select_related(*ORDER_PARTS)
    books = OrderBook.many(rows.order_by("due", "number"))
    costed_structures(b.order.standard for b in books if b.order.standard)  # at once, and kept
    return books


def due_units(book: OrderBook) -> dict[int, Decimal]:
    """Return the units that each reported operation should work on next."""
    if book.state not in RUNNING or not book.operations:
        return {}
    return due_at(book.progress(), book.order.quantity, book.order.item.step)


def waiting_operation(book: OrderBook) -> tuple[str, Decimal]:
    """Return the first reported operation with units before it, in words, and how many."""
    due = due_units(book)
    for o in book.operations:
        if left := due.get(o.number):
            return f"{left.normalize():f} left at operation {o.number} {o.name}", left
    return "", ZERO


def stops_of(book: OrderBook, now: datetime) -> list[Stop]:
    """Return what stops an order now: blocks of its release, or material that is not there."""
    if book.state is OrderState.PLANNED:
        return [Stop(**b) for b in release_blocks(book.order.item, start_day(book, now))]
    if book.state not in RUNNING:
        return []
    components = [c for c in book.components() if c.still_needed]
    held = Holding.objects.filter(item__in=[c.item_id for c in components])
    there = dict(held.values_list("item_id", "quantity"))
    short: dict[int, Decimal] = {}
    for c in components:
        short[c.item_id] = short.get(c.item_id, ZERO) + c.still_needed
    named = {c.item_id: c for c in components}
    return [
        Stop(
            why=f"Short of {(wanted - there.get(pk, ZERO)).normalize():f} {named[pk].unit} "
            f"of {named[pk].item.code}: {there.get(pk, ZERO).normalize():f} on hand.",
            **_way_to_more(named[pk].item),
        )
        for pk, wanted in short.items()
        if wanted > there.get(pk, ZERO)
    ]


def _way_to_more(item: Item) -> dict[str, str]:
    """Return how more of an item comes: the open order that makes it, a new one, or a delivery."""
    if not item.is_made:
        return {"fix": f"Receive {item.code}.", "place": f"receive:{item.code}"}
    making = Order.objects.filter(item=item, state__in=[s.value for s in OPEN[:3]])
    order = making.order_by("due", "number").first()
    if order is None:
        return {"fix": f"Plan an order of {item.code}.", "place": f"plan:{item.code}"}
    rest = (order.quantity - order.received).normalize()
    return {
        "fix": f"Order {order.number} makes {rest:f} by {order.due:%a} {order.due.day} {order.due:%b}.",
        "place": f"order:{order.number}",
    }


def wanted_by(order: Order) -> list[WantedBy]:
    """Return who waits for an order: what it was planned for, and open orders that need its item."""
    waiting: list[WantedBy] = []
    if order.note:
        waiting.append(
            WantedBy(order=None, words=order.note, quantity=None, due=order.due.isoformat())
        )
    rows = OrderInput.objects.filter(
        item=order.item, kind=InputKind.COMPONENT.value, order__state__in=[s.value for s in RUNNING]
    ).select_related("order__item")
    for i in rows.order_by("order__due", "order__number"):
        if i.still_needed:
            waiting.append(
                WantedBy(
                    order=i.order.number,
                    words=i.order.item.name,
                    quantity=i.still_needed,
                    due=i.order.due.isoformat(),
                )
            )
    return waiting


def attentions_now(now: datetime) -> list[Attention]:
    """Return what needs a decision, the costliest first."""
    books = open_books()
    wip: dict[int, Decimal] = {}
    for b in WipBalance.objects.filter(cost_object__in=[b.order.pk for b in books]):
        wip[b.cost_object_id] = wip.get(b.cost_object_id, ZERO) + b.amount
    on_hand = dict(Holding.objects.values_list("item__code", "quantity"))
    dating = Dating(books, now)
    found: list[OpenOrder] = []
    faulty: list[Attention] = []
    for b in books:
        held, dates = wip.get(b.order.pk, ZERO), dating.of(b)
        order, fault = computed(partial(_open_order, b, held, dates))
        if order:
            found.append(order)
        if words := fault or dating.faults.get(b.order.number):
            faulty.append(_faulty(b, held, words))
    return [*faulty, *attentions(found, on_hand)]


def _faulty(book: OrderBook, held: Decimal, words: str) -> Attention:
    name = f"{book.order.number} {book.order.item.name}"
    sentence = f"{name}: {words}"
    return Attention(
        kind=Kind.FAULTY, order=book.order.number, sentence=sentence, days=0, money=held
    )


def _open_order(book: OrderBook, wip: Decimal, dates: OrderDates | None) -> OpenOrder:
    order = book.order
    charged = variance = ZERO
    largest = ""
    if order.standard is not None:
        result = book.variance()
        charged, variance = result.charged, result.to_date()
        causes = result.rounded_causes()
        if causes:
            largest = str(max(causes, key=lambda c: c[1])[0].kind)
    waits_at, _ = waiting_operation(book)
    return OpenOrder(
        number=order.number,
        item=order.item.code,
        name=order.item.name,
        due=order.due,
        finishes=dates.finishes if dates else None,
        days_late=dates.days_late if dates else 0,
        state=book.state,
        left=order.quantity - order.received,
        unit=order.item.unit,
        waits_at=waits_at,
        wip=wip,
        charged=charged,
        variance=variance,
        largest_cause=largest,
        remaining=tuple(
            Remaining(item=c.item.code, unit=c.unit, quantity=c.still_needed)
            for c in book.components()
            if c.item and c.still_needed
        ),
    )
