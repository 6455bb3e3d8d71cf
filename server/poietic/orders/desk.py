"""What the desk shows around an order: what stops it, and who waits for it."""

from datetime import datetime

from ninja import Schema
from poietic_core.order.states import OrderState

from ..catalog.models import Item
from ..web_api.fields import DecimalText
from .book import OrderBook
from .commands.life import release_blocks
from .dates import start_day
from .models import Order
from .shortages import SHORT, wanted_of
from .standing import OPEN, RUNNING


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


def stops_of(book: OrderBook, now: datetime) -> list[Stop]:
    """Return what stops an order now: blocks of its release, or material that is not there."""
    if book.state is OrderState.PLANNED:
        return [Stop(**b) for b in release_blocks(book.order.item, start_day(book, now))]
    if book.state not in RUNNING:
        return []
    return [
        Stop(
            why=f"Short of {short.quantity.normalize():f} {short.item.unit} of {short.item.code}.",
            **_way_to_more(short.item),
        )
        for short in SHORT.of(book.order.pk)
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
    waiting += [
        WantedBy(order=number, words=name, quantity=still, due=due.isoformat())
        for number, name, still, due in wanted_of(order.item)
    ]
    return waiting
