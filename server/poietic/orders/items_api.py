"""What orders know of items: at a glance, what they cost lately, what is lacking."""

from django.db.models import F, OuterRef, Subquery
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.order.states import OrderState
from poietic_core.quantity import UNIT_COST_STEP, round_to

from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS
from ..ledger.models import Posting
from ..web_api.fields import MOST_ROWS, Answer, DecimalText
from .book import ORDER_PARTS, OrderBook
from .models import Order
from .peek import LackOut, PeekOut, lacks, peek_at

router = Router(tags=["orders"])


@router.get("/items/{code}/peek", response={200: PeekOut, 404: Problem})
def peek(request: HttpRequest, code: str) -> PeekOut:
    """Return an item at a glance."""
    return peek_at(item_by_code(code), timezone.localdate())


class ActualOut(Answer):
    """What an order's output cost per unit, against its frozen standard."""

    order: int
    finished: str
    quantity: DecimalText
    unit_cost: DecimalText
    standard: DecimalText


@router.get("/items/{code}/actuals", auth=READ_COSTS, response={200: list[ActualOut], 404: Problem})
def actuals(request: HttpRequest, code: str) -> list[ActualOut]:
    """Return what the completed orders of an item cost per unit, the latest first."""
    states = [OrderState.COMPLETED.value, OrderState.CLOSED.value]
    rows = Order.objects.filter(item=item_by_code(code), state__in=states, received__gt=0)
    standing = Posting.objects.filter(
        kind=Posting.Kind.COMPLETION, cost_object=OuterRef("pk"), reverses=None, reversal=None
    )
    rows = rows.annotate(completed=Subquery(standing.order_by("-pk").values("happened_at")[:1]))
    last = rows.select_related(*ORDER_PARTS).order_by(
        F("completed").desc(nulls_last=True), "-number"
    )
    books = OrderBook.many(last[:12])
    return [
        ActualOut(
            order=b.order.number,
            finished=timezone.localdate(b.order.completed).isoformat(),  # type: ignore[attr-defined]
            quantity=b.order.received,
            unit_cost=round_to(b.variance().charged / b.order.received, UNIT_COST_STEP),
            standard=b.order.standard.total,
        )
        for b in books
        if b.order.standard
    ]


class LackPage(Answer):
    """What would stop the next order of anything; and how much of it there is."""

    rows: list[LackOut]
    whole: int


@router.get("/lacks", response=LackPage)
def lacking(request: HttpRequest) -> LackPage:
    """Return what would stop the next order of anything; 200 things at most."""
    found = lacks(timezone.localdate())
    return LackPage(rows=found[:MOST_ROWS], whole=len(found))
