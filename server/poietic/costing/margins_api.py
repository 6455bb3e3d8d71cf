"""What list prices leave over the standards of a set."""

from datetime import date
from decimal import Decimal

import numpy as np
from django.db.models import Q
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.cost.array_costs import array_costs
from poietic_core.cost.margin import margin
from poietic_core.quantity import UNIT_COST_STEP, round_to

from ..catalog.models import Item, ListPrice
from ..commanding.api import Problem
from ..commanding.reading import READ_MARGINS
from ..web_api.fields import MOST_ROWS, Answer, DecimalText
from .models import CostSet
from .queries import cost_set_by_number, current_set
from .sets import set_in_arrays
from .storing import totals_of

router = Router(tags=["margins"])


class MarginOut(Answer):
    """A list price that counts today, against the standard of its item [money/unit]."""

    item: str
    name: str
    unit: str
    #: empty: everybody
    customer: str
    customer_name: str
    from_quantity: DecimalText
    price: DecimalText
    #: null where the item has no standard in the set, or the price is 0
    standard: DecimalText | None
    margin: DecimalText | None
    share: DecimalText | None


class MarginsOut(Answer):
    """The list prices that count today, the worst first; and how many there are."""

    #: the set that they are compared with; null where there is none
    cost_set: int | None
    #: standards of a what-if are screened in floating point
    is_screened: bool
    rows: list[MarginOut]
    whole: int


@router.get("/margins", auth=READ_MARGINS, response={200: MarginsOut, 404: Problem})
def margins(request: HttpRequest, cost_set: int = 0) -> MarginsOut:
    """Return what list prices leave over the standards of a set, of that in force where none is named."""
    against = cost_set_by_number(cost_set) if cost_set else current_set()
    today = timezone.localdate()
    rows = _counting(today)
    standards = _standards(against, [p.item for p in rows]) if against else {}
    found = [_row(p, standards.get(p.item_id)) for p in rows]
    return MarginsOut(
        cost_set=against.pk if against else None,
        is_screened=bool(against and against.base_id),
        rows=sorted(found, key=lambda r: (r.share is None, r.share, r.item, r.from_quantity))[
            :MOST_ROWS
        ],
        whole=len(found),
    )


def _counting(day: date) -> list[ListPrice]:
    begun = Q(effective_from=None) | Q(effective_from__lte=day)
    standing = Q(effective_until=None) | Q(effective_until__gte=day)
    rows = ListPrice.objects.filter(begun & standing)
    return list(rows.select_related("item", "customer").order_by("item__code", "position"))


def _standards(cost_set: CostSet, items: list[Item]) -> dict[int, Decimal]:
    if cost_set.base_id is None:
        return totals_of(cost_set, items)
    arrays = set_in_arrays(cost_set)
    costs = dict(zip(arrays.names.tolist(), array_costs(arrays).tolist(), strict=True))
    wanted = {i.pk: costs.get(i.code, np.nan) for i in items}
    return {
        pk: round_to(Decimal(cost), UNIT_COST_STEP)
        for pk, cost in wanted.items()
        if not np.isnan(cost)
    }


def _row(price: ListPrice, standard: Decimal | None) -> MarginOut:
    left = None if standard is None else margin(price.price, standard)
    customer = price.customer
    return MarginOut(
        item=price.item.code,
        name=price.item.name,
        unit=price.item.unit,
        customer=customer.code if customer else "",
        customer_name=customer.name if customer else "",
        from_quantity=price.from_quantity,
        price=price.price,
        standard=standard,
        margin=left.amount if left else None,
        share=round_to(left.share, UNIT_COST_STEP) if left and left.share is not None else None,
    )
