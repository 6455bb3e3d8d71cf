"""What the orders of an item came to, one after the other, and any two of them side by side."""

from collections.abc import Mapping
from datetime import date, timedelta
from decimal import Decimal
from typing import Any

from django.db import connection
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.cost.model import ELEMENTS
from poietic_core.quantity import CENT, UNIT_COST_STEP, ZERO, round_to

from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS
from ..costing.compare import ComparedOut, compare_costed
from ..web_api.errors import InvalidInput
from ..web_api.fields import MOST_ROWS, Answer, DecimalText, PageSize, Skip
from .as_built import built
from .basis import Basis, bases_of
from .book import OrderBook
from .models import Outcome

router = Router(tags=["orders"])
YEAR = timedelta(days=365)
THOUSANDTH = Decimal("0.001")
#: people's hours at operations, those taken back left out by their mirrors
LABOUR = """
SELECT coalesce(h.full_name, ''), t.operation, max(o.name), max(w.code), count(DISTINCT p.cost_object_id),
       sum(t.quantity), sum(t.overtime), sum(t.amount)
FROM orders_order r
JOIN ledger_posting p ON p.cost_object_id = r.id AND p.happened_at >= %(since)s
JOIN ledger_timeline t ON t.posting_id = p.id AND t.kind IN ('setup labour', 'run labour')
LEFT JOIN people_person h ON h.id = t.person_id
LEFT JOIN orders_orderoperation o ON o.order_id = r.id AND o.number = t.operation
LEFT JOIN engineering_workcenter w ON w.id = o.work_center_id
WHERE r.item_id = %(item)s
GROUP BY 1, 2 HAVING sum(t.quantity) > 0
ORDER BY t.operation, sum(t.quantity) DESC LIMIT %(most)s
"""


class ElementEach(Answer):
    """What one unit was charged of an element."""

    element: str
    each: DecimalText


class CauseAmount(Answer):
    """What a cause came to; unfavourable is positive."""

    kind: str
    amount: DecimalText


class OutcomeOut(Answer):
    """A finished order: what a unit cost and took, against its standard."""

    order: int
    finished: date
    quantity: DecimalText
    scrap: DecimalText
    #: good of all that was worked to an end; null: nothing was
    good_share: DecimalText | None
    lead_days: int
    #: per unit received; null and empty where nothing was
    unit_cost: DecimalText | None
    standard: DecimalText
    elements: list[ElementEach]
    labour_each: DecimalText | None
    labour_allowed: DecimalText
    labour_hours: DecimalText
    machine_each: DecimalText | None
    machine_allowed: DecimalText
    machine_hours: DecimalText
    variance: DecimalText
    basis: Basis
    #: the largest first
    causes: list[CauseAmount]


class HistoryOut(Answer):
    """An item's finished orders, the latest first, and how many there are."""

    item: str
    name: str
    unit: str
    rows: list[OutcomeOut]
    whole: int


@router.get("/items/{code}/history", auth=READ_COSTS, response={200: HistoryOut, 404: Problem})
def history(request: HttpRequest, code: str, skip: Skip = 0, limit: PageSize = 60) -> HistoryOut:
    """Return what the finished orders of an item came to."""
    item = item_by_code(code)
    rows = Outcome.objects.filter(item=item).select_related("order")
    page = list(rows.order_by("-finished_on", "-order")[skip : skip + limit])
    bases = bases_of(o.pk for o in page)
    return HistoryOut(
        item=item.code,
        name=item.name,
        unit=item.unit,
        rows=[_row(o, bases[o.pk]) for o in page],
        whole=rows.count(),
    )


class LabourRow(Answer):
    """What a person worked at an operation of an item's orders."""

    #: "" where nobody was named
    person: str
    operation: int
    name: str
    work_center: str
    orders: int
    hours: DecimalText
    overtime: DecimalText
    amount: DecimalText
    #: what an hour came to, premium of overtime included
    per_hour: DecimalText


@router.get("/items/{code}/labour", auth=READ_COSTS, response={200: list[LabourRow], 404: Problem})
def labour(request: HttpRequest, code: str) -> list[LabourRow]:
    """Return who worked how long at which operation of an item's orders, in the last year; 200 rows at most."""
    item = item_by_code(code)
    with connection.cursor() as cursor:
        cursor.execute(LABOUR, {"item": item.pk, "since": timezone.now() - YEAR, "most": MOST_ROWS})
        return [
            LabourRow(
                person=person,
                operation=operation,
                name=name,
                work_center=center,
                orders=orders,
                hours=hours,
                overtime=overtime,
                amount=amount,
                per_hour=round_to(amount / hours, CENT),
            )
            for person, operation, name, center, orders, hours, overtime, amount in cursor.fetchall()
        ]


@router.get("/orders/{number}/compare/{other}", auth=READ_COSTS, response={200: ComparedOut, 404: Problem, 422: Problem})  # fmt: skip
def compare(request: HttpRequest, number: int, other: int) -> ComparedOut:
    """Return two orders of an item as they were built, row by row, per unit worked on."""
    old, new = OrderBook.read(number), OrderBook.read(other)
    if old.order.item_id != new.order.item_id:
        raise InvalidInput([f"other: order {other} makes {new.order.item.code}, order {number} {old.order.item.code}"])  # fmt: skip
    if not (old.operations and new.operations):
        raise InvalidInput([f"other: one of {number} and {other} is not released, so nothing is built"])  # fmt: skip
    return compare_costed(
        built(old),
        built(new),
        item=old.order.item,
        old=f"order {number}",
        new=f"order {other}",
    )


def _row(o: Outcome, basis: Basis) -> OutcomeOut:
    worked = o.received + o.scrap
    return OutcomeOut(
        order=o.order.number,
        finished=o.finished_on,
        quantity=o.received,
        scrap=o.scrap,
        good_share=round_to(o.received / worked, Decimal("0.0001")) if worked else None,
        lead_days=o.lead_days,
        unit_cost=_each(o.charged, o),
        standard=o.standard,
        elements=_elements(o),
        labour_each=_each(o.labour_hours, o, THOUSANDTH),
        labour_allowed=o.labour_allowed,
        labour_hours=o.labour_hours,
        machine_each=_each(o.machine_hours, o, THOUSANDTH),
        machine_allowed=o.machine_allowed,
        machine_hours=o.machine_hours,
        variance=o.variance,
        basis=basis,
        causes=_causes(o.causes),
    )


def _each(amount: Decimal, o: Outcome, step: Decimal = UNIT_COST_STEP) -> Decimal | None:
    return round_to(amount / o.received, step) if o.received else None


def _elements(o: Outcome) -> list[ElementEach]:
    """Return what a unit was charged, elements in their reading order."""
    if not o.received:
        return []
    amounts = {e.value: Decimal(o.elements.get(e.value, ZERO)) for e in ELEMENTS}
    return [
        ElementEach(element=e, each=round_to(amount / o.received, UNIT_COST_STEP))
        for e, amount in amounts.items()
        if amount
    ]


def _causes(said: Mapping[str, Any]) -> list[CauseAmount]:
    amounts = sorted(said.items(), key=lambda c: -abs(Decimal(c[1])))
    return [CauseAmount(kind=kind, amount=Decimal(amount)) for kind, amount in amounts]
