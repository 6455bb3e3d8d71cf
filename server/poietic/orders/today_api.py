"""What needs a decision today, and who waits for what is missing."""

from datetime import date

import orjson
from django.http import HttpRequest, HttpResponse
from ninja import Router
from poietic_core.order.attention import Kind

from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..commanding.reading import Cost, sees_costs
from ..statements.prepared import planned_once
from ..web_api.fields import Answer, DecimalText, PageSize
from .models import Shortage

router = Router(tags=["orders"])


class AttentionOut(Answer):
    """A thing that needs a decision, however many orders it concerns; its weight is money × days."""

    id: int
    kind: str
    #: at one order; or because of an item, which is made or bought
    order: int | None
    item: str
    is_made: bool
    sentence: str
    orders: int
    days: int
    money: Cost


class TodayOut(Answer):
    """What weighs most, and how many causes there are in all."""

    causes: list[AttentionOut]
    whole: int


class WaitingOut(Answer):
    """An order that is short of an item."""

    order: int
    name: str
    unit: str
    quantity: DecimalText
    short: DecimalText
    due: date
    days: int
    money: Cost


#: what weighs most, but for some kinds; amounts as texts
TODAY = """
SELECT a.id, a.kind, o.number, coalesce(i.code, ''), coalesce(i.source <> 'buy', false), a.sentence,
       a.orders, a.days, a.money::text
FROM orders_storedattention a LEFT JOIN orders_order o ON o.id = a.order_id
LEFT JOIN catalog_item i ON i.id = a.item_id
WHERE a.kind <> ALL(%s) ORDER BY a.weight DESC, a.id LIMIT %s
"""


@router.get("/today", response=TodayOut)
def today(request: HttpRequest, limit: PageSize = 100) -> HttpResponse:
    """Return what needs a decision, one row for a cause, the costliest first.

    Those who may not see costs are not told what costs too much or is to be closed.
    """
    sees = sees_costs(request.user)
    hidden = [] if sees else [Kind.OVER_ALLOWED.value, Kind.TO_CLOSE.value]
    names = tuple(AttentionOut.model_fields)
    with planned_once() as cursor:
        cursor.execute(TODAY, [hidden, limit])
        causes = [dict(zip(names, row, strict=True)) for row in cursor.fetchall()]
        whole = len(causes)
        if whole == limit:
            cursor.execute(
                "SELECT count(*) FROM orders_storedattention WHERE kind <> ALL(%s)", [hidden]
            )
            whole = cursor.fetchone()[0]
    for cause in causes if not sees else ():
        cause["money"] = ""
    return HttpResponse(
        orjson.dumps({"causes": causes, "whole": whole}), content_type="application/json"
    )


@router.get("/today/missing/{code}", response={200: list[WaitingOut], 404: Problem})
def waiting_for(request: HttpRequest, code: str) -> list[WaitingOut]:
    """Return the orders that are short of an item, the earliest due first; 200 at most."""
    rows = Shortage.objects.filter(item=item_by_code(code)).select_related(
        "order__item", "order__standing"
    )
    return [
        WaitingOut(
            order=s.order.number,
            name=s.order.item.name,
            unit=s.order.item.unit,
            quantity=s.order.quantity,
            short=s.quantity,
            due=s.order.due,
            days=s.order.standing.days_late,
            money=s.order.standing.wip,
        )
        for s in rows.order_by("order__due", "order__number")[:200]
    ]
