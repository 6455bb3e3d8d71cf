"""Queues of orders: some states, in the order of these, found by words."""

from datetime import date

from django.db.models import Case, Q, When
from django.http import HttpRequest
from ninja import Router
from poietic_core.order.states import OrderState
from poietic_core.quantity import ZERO

from ..catalog.models import Item
from ..commanding.reading import Cost
from ..web_api.fields import Answer, DecimalText, PageSize, ShortText, Skip
from .finding import begins_with
from .kept_beside import Beside, kept_beside
from .models import Order

router = Router(tags=["orders"])


class OrderRow(Answer):
    """An order in a queue."""

    number: int
    item: str
    name: str
    unit: str
    quantity: DecimalText
    received: DecimalText
    due: str
    starts: date | None
    finishes: date | None
    days_late: int
    state: OrderState
    next: str
    #: what is wrong with it, where it can't be computed
    fault: str
    wip: Cost
    #: how many notes and files there are of it
    notes: int
    files: int


class OrderPage(Answer):
    """Some orders, how many match, and how many there are in these states."""

    rows: list[OrderRow]
    found: int
    whole: int


@router.get("/orders", response=OrderPage)
def orders(
    request: HttpRequest, states: str = "", q: ShortText = "", skip: Skip = 0, limit: PageSize = 100
) -> OrderPage:
    """Return orders in some states, in the order of these, then by due date; a page of them.

    Words filter by number, item, name and state; all of them have to be found.
    """
    listed = [s for s in states.split(",") if s] or [s.value for s in OrderState]
    rows = Order.objects.filter(state__in=listed)
    whole = rows.count()
    found = rows.filter(*(_matching(word) for word in q.split()))
    rank = Case(*(When(state=s, then=n) for n, s in enumerate(listed)), default=len(listed))
    page = found.select_related("item", "standing").order_by(rank, "due", "number")
    shown = list(page[skip : skip + limit])
    beside = kept_beside([o.number for o in shown])
    return OrderPage(
        rows=[_row(o, beside.get(o.number, Beside())) for o in shown],
        found=found.count() if q.strip() else whole,
        whole=whole,
    )


def _matching(word: str) -> Q:
    """Return the condition that an order has a word: in its number, item, name or state."""
    said = Q(item__in=Item.objects.filter(search__contains=word.lower())) | Q(state__istartswith=word)  # fmt: skip
    return said | begins_with(word) if word.isdecimal() else said


def _row(o: Order, beside: Beside) -> OrderRow:
    s = getattr(o, "standing", None)
    return OrderRow(
        number=o.number,
        item=o.item.code,
        name=o.item.name,
        unit=o.item.unit,
        quantity=o.quantity,
        received=o.received,
        due=o.due.isoformat(),
        starts=s.starts if s else None,
        finishes=s.finishes if s else None,
        days_late=s.days_late if s else 0,
        state=OrderState(o.state),
        next=s.waits_at if s else "",
        fault=s.fault if s else "",
        wip=s.wip if s else ZERO,
        notes=beside.notes,
        files=beside.files,
    )
