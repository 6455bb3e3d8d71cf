"""What standard-costed items really cost in a month, where that went, and what was delivered at what margin."""

from collections.abc import Iterable
from datetime import date
from decimal import Decimal
from typing import Annotated

from django.db import connection
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.cost.margin import margin
from poietic_core.quantity import UNIT_COST_STEP, ZERO, money, round_to
from pydantic import Field

from ..commanding.reading import READ_COSTS, READ_MARGINS
from ..web_api.errors import InvalidInput
from ..web_api.fields import MOST_ROWS, Answer, DecimalText, PageSize, Skip
from .actual_costs import actuals_of
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
def actual_costs(
    request: HttpRequest, month: date | None = None, item: Annotated[str, Field(max_length=80)] = ""
) -> ActualsOut:
    """Return what standard-costed items really cost in a month; of one of them where that came from."""
    today = timezone.localdate()
    asked = Month.of(month or today)
    if not date(1990, 1, 1) <= asked.first <= today:
        raise InvalidInput([f"month: {month} lies in no month of the books"])
    found = actuals_of(asked)
    rows = [a for a in found.items if a.difference and (not item or found.known[a.item].code == item)]  # fmt: skip
    rows.sort(key=lambda a: (-abs(a.difference), a.item))
    sums: dict[str, Decimal] = {}
    for a in found.items:
        for where, amount in a.ends.items():
            sums[where] = sums.get(where, ZERO) + amount
    return ActualsOut(
        month=asked.first,
        name=str(asked),
        rows=[
            ActualRow(
                item=found.known[a.item].code,
                name=found.known[a.item].name,
                unit=found.known[a.item].unit,
                quantity=found.quantities[a.item],
                standard=found.standards[a.item],
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
            for a in rows[:MOST_ROWS]
        ],
        whole=len(rows),
        differs=found.differs,
        ends=_ends(sums.items()),
    )


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
