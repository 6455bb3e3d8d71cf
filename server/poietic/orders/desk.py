"""What the desk shows around an order: what stops it, and who waits for it."""

from collections.abc import Iterable

from poietic_core.order.states import RUNNING

from ..catalog.models import Item
from ..catalog.queries import any_of
from ..statements.prepared import Prepared
from ..web_api.fields import Answer, DecimalText
from .book import OrderBook
from .dates import UNRELEASED
from .models import Order, Shortage, Standing
from .shortages import NAMED, WAITING
from .standing import OPEN


class Stop(Answer):
    """One thing that stops an order, with the way out."""

    why: str
    fix: str
    #: where the way out leads: item, structure, standard, receive or plan with a code, order with a number
    place: str


class WantedBy(Answer):
    """Somebody who waits for an order's output."""

    order: int | None
    words: str
    quantity: DecimalText | None
    due: str


def stops_of(book: OrderBook, short: Iterable[Shortage], stood: Standing | None) -> list[Stop]:
    """Return what stops an order now: blocks of its release, or material that it is short of."""
    if stood and book.state in UNRELEASED:
        return [Stop(**b) for b in stood.blocks]
    if book.state not in RUNNING:
        return []
    made = [s.item_id for s in short if s.item.is_made]
    making = {o.item_id: o for o in (FIRST_MAKING.of_any(made) if made else ())}
    return [
        Stop(
            why=f"Short of {s.quantity.normalize():f} {s.item.unit} of {s.item.code}.",
            **_way_to_more(s.item, making.get(s.item_id)),
        )
        for s in short
    ]


#: of each of some items the open order that is due first
FIRST_MAKING = Prepared(
    lambda items: (
        Order.objects.filter(item__in=any_of(items), state__in=[s.value for s in OPEN[:4]])
        .order_by("item_id", "due", "number")
        .distinct("item_id")
    )
)


def _way_to_more(item: Item, order: Order | None) -> dict[str, str]:
    """Return how more of an item comes: the open order that makes it, a new one, or a delivery."""
    if not item.is_made:
        return {"fix": f"Receive {item.code}.", "place": f"receive:{item.code}"}
    if order is None:
        return {"fix": f"Plan an order of {item.code}.", "place": f"plan:{item.code}"}
    rest = (order.quantity - order.received).normalize()
    return {
        "fix": f"Order {order.number} makes {rest:f} by {order.due:%a} {order.due.day} {order.due:%b}.",
        "place": f"order:{order.number}",
    }


def wanted_by(order: Order) -> list[WantedBy]:
    """Return who waits for an order: what it was planned for, and the first open orders that need its item."""
    waiting: list[WantedBy] = []
    if order.note:
        waiting.append(
            WantedBy(order=None, words=order.note, quantity=None, due=order.due.isoformat())
        )
    wanted = WAITING.of(order.item_id)
    waiting += [
        WantedBy(order=number, words=name, quantity=still, due=due.isoformat())
        for number, name, still, due in wanted[:NAMED]
    ]
    if len(wanted) > NAMED:
        later = wanted[NAMED][3].isoformat()
        waiting.append(WantedBy(order=None, words="and others, later", quantity=None, due=later))
    return waiting
