"""What standard-costed items really cost in a month, where that went, and what was delivered at what margin."""

from collections.abc import Iterable
from datetime import date, datetime
from decimal import Decimal

from django.db import connection
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.cost.margin import margin
from poietic_core.quantity import UNIT_COST_STEP, ZERO, money, round_to
from poietic_core.settle.period_cost import ItemActual

from ..catalog.models import STOCK_KINDS
from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS, READ_MARGINS
from ..costing.models import CostSet
from ..costing.storing import totals_of
from ..web_api.errors import InvalidInput, NotFound
from ..web_api.fields import MOST_ROWS, Answer, DecimalText, PageSize, Skip
from .actual_costs import MonthActuals, actuals_of
from .differing import origins
from .months import Month

router = Router(tags=["settling"])
THOUSANDTH = Decimal("0.001")

#: what was delivered, with what late cost did to it since
DELIVERED = """
SELECT p.happened_at, p.id, k.name, s.customer_order, s.customer_line, i.code, i.name, i.unit, l.quantity, s.price, l.worth,
  coalesce(c.amount, 0), h.standard, count(*) OVER (), sum(s.price) OVER (), sum(l.worth) OVER (), sum(coalesce(c.amount, 0)) OVER ()
FROM selling_sold s JOIN ledger_posting p ON p.id = s.posting_id
JOIN ledger_stockline l ON l.id = s.line_id JOIN catalog_item i ON i.id = l.item_id
JOIN catalog_partner k ON k.id = s.customer_id
LEFT JOIN ledger_holding h ON h.item_id = i.id
LEFT JOIN (SELECT line_id, sum(amount) AS amount FROM ledger_correction GROUP BY 1) c ON c.line_id = l.id
LEFT JOIN ledger_posting r ON r.reverses_id = p.id
WHERE r.id IS NULL ORDER BY p.happened_at DESC, s.id DESC LIMIT %(limit)s OFFSET %(skip)s
"""


class BroughtOut(Answer):
    """What a component brought of the difference."""

    item: str
    amount: DecimalText


class EndOut(Answer):
    """Where a part of the difference stays."""

    where: str
    amount: DecimalText


class ActualRow(Answer):
    """A standard-costed item in a month: what a unit really cost, and why."""

    item: str
    name: str
    unit: str
    quantity: DecimalText
    standard: DecimalText
    #: what the set in preparation says; null: there is none
    next: DecimalText | None
    #: null: there was none of it
    actual: DecimalText | None
    #: from its own level, from each component, and together [EUR]
    own: DecimalText
    components: DecimalText
    brought: list[BroughtOut]
    difference: DecimalText
    ends: list[EndOut]


class ActualsOut(Answer):
    """What items really cost in a month, those that differ most first."""

    month: date
    name: str
    rows: list[ActualRow]
    whole: int
    #: all that they differ by, and where it stays: the same
    differs: DecimalText
    ends: list[EndOut]


class OriginOut(Answer):
    """A posting's part of what an item differs by at its own level."""

    what: str
    posting: int
    at: datetime
    order: int | None
    amount: DecimalText


class CarriedOut(Answer):
    """What a component brought: its difference by the share of it that was consumed here."""

    item: str
    name: str
    unit: str
    consumed: DecimalText
    there_was: DecimalText
    difference: DecimalText
    amount: DecimalText


class ActualDerivation(Answer):
    """Where what an item differs by comes from, down to the postings, the largest first."""

    row: ActualRow
    origins: list[OriginOut]
    origins_whole: int
    carried: list[CarriedOut]


class DeliveredRow(Answer):
    """A line that was delivered, with what it cost by then and since."""

    on: date
    posting: int
    customer: str
    customer_order: str
    customer_line: str
    item: str
    name: str
    unit: str
    quantity: DecimalText
    price: DecimalText | None
    #: of standard-costed items
    standard: DecimalText | None
    cost: DecimalText
    #: with what came late
    corrected: DecimalText
    margin: DecimalText | None
    #: of the price
    share: DecimalText | None


class DeliveredOut(Answer):
    """What was delivered, the latest first."""

    rows: list[DeliveredRow]
    whole: int
    price: DecimalText
    cost: DecimalText
    corrected: DecimalText


@router.get("/actual-costs", auth=READ_COSTS, response=ActualsOut)
def actual_costs(request: HttpRequest, month: date | None = None) -> ActualsOut:
    """Return what standard-costed items really cost in a month, against their standards and the next ones."""
    asked = _month(month)
    found = actuals_of(asked)
    rows = [a for a in found.items if a.difference]
    rows.sort(key=lambda a: (-abs(a.difference), a.item))
    sums: dict[str, Decimal] = {}
    for a in found.items:
        for where, amount in a.ends.items():
            sums[where] = sums.get(where, ZERO) + amount
    return ActualsOut(
        month=asked.first,
        name=str(asked),
        rows=_rows(found, rows[:MOST_ROWS]),
        whole=len(rows),
        differs=found.differs,
        ends=_ends(sums.items()),
    )


@router.get("/actual-costs/{item}", auth=READ_COSTS, response={200: ActualDerivation, 404: Problem})
def actual_cost(request: HttpRequest, item: str, month: date | None = None) -> ActualDerivation:
    """Return where what an item differs by in a month comes from: its postings, and its components."""
    asked, known = _month(month), item_by_code(item)
    found = actuals_of(asked)
    own = next((a for a in found.items if a.item == known.pk), None)
    if own is None:
        raise NotFound("actual cost", f"{item} in {asked}")
    places = [k.value for k in STOCK_KINDS]
    parts = sorted(origins(asked, places, known.pk), key=lambda o: (-abs(o.amount), o.posting))
    by_item = {a.item: a for a in found.items}
    return ActualDerivation(
        row=_rows(found, [own])[0],
        origins=[
            OriginOut(what=o.what, posting=o.posting, at=o.at, order=o.order, amount=o.amount)
            for o in parts[:MOST_ROWS]
        ],
        origins_whole=len(parts),
        carried=[
            CarriedOut(
                item=found.known[k].code,
                name=found.known[k].name,
                unit=found.known[k].unit,
                consumed=found.consumed[k].get(known.pk, ZERO),
                there_was=found.quantities[k],
                difference=by_item[k].difference,
                amount=amount,
            )
            for k, amount in sorted(own.brought.items(), key=lambda b: -abs(b[1]))
        ],
    )


def _month(said: date | None) -> Month:
    """Return the month that is asked for, this one where none is, or refuse one that is none of the books."""
    today = timezone.localdate()
    asked = Month.of(said or today)
    if not date(1990, 1, 1) <= asked.first <= today:
        raise InvalidInput([f"month: {said} lies in no month of the books"])
    return asked


def _rows(found: MonthActuals, rows: Iterable[ItemActual]) -> list[ActualRow]:
    prepared = CostSet.objects.filter(state=CostSet.State.NEXT).first()
    rows = list(rows)
    coming = totals_of(prepared, [found.known[a.item] for a in rows]) if prepared else {}
    return [
        ActualRow(
            item=found.known[a.item].code,
            name=found.known[a.item].name,
            unit=found.known[a.item].unit,
            quantity=found.quantities[a.item],
            standard=found.standards[a.item],
            next=coming.get(a.item),
            actual=None if a.each is None else round_to(a.each, UNIT_COST_STEP),
            own=a.own,
            components=a.difference - a.own,
            brought=[
                BroughtOut(item=found.known[k].code, amount=amount)
                for k, amount in sorted(a.brought.items(), key=lambda b: -abs(b[1]))
            ],
            difference=a.difference,
            ends=_ends(a.ends.items()),
        )
        for a in rows
    ]


def _ends(ends: Iterable[tuple[str, Decimal]]) -> list[EndOut]:
    return [EndOut(where=where, amount=amount) for where, amount in sorted(ends) if amount]


@router.get("/delivered", auth=READ_MARGINS, response=DeliveredOut)
def delivered(request: HttpRequest, limit: PageSize = 100, skip: Skip = 0) -> DeliveredOut:
    """Return what was delivered, at what price, what it cost then, and what with late cost."""
    with connection.cursor() as cursor:
        cursor.execute(DELIVERED, {"limit": limit, "skip": skip})
        rows = cursor.fetchall()
    shown = []
    for at, posting, customer, order, line, code, name, unit, quantity, price, cost, late, standard, *_ in rows:  # fmt: skip
        left = None if price is None else margin(price, cost + late)
        shown.append(
            DeliveredRow(
                on=timezone.localdate(at),
                posting=posting,
                customer=customer,
                customer_order=order,
                customer_line=line,
                item=code,
                name=name,
                unit=unit,
                quantity=quantity,
                price=price,
                standard=None if standard is None else money(standard * quantity),
                cost=cost,
                corrected=cost + late,
                margin=left.amount if left else None,
                share=round_to(left.share, THOUSANDTH) if left and left.share is not None else None,
            )
        )
    whole, price, cost, late = rows[0][13:] if rows else (0, ZERO, ZERO, ZERO)
    return DeliveredOut(
        rows=shown, whole=whole, price=price or ZERO, cost=cost, corrected=cost + late
    )
