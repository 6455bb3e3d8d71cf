"""What is on order of suppliers, told to whoever asks for an item's future."""

from datetime import date

from poietic_core.buying.purchase import PurchaseState
from poietic_core.planning.model import Source, Supply
from poietic_core.quantity import ZERO

from ..catalog.queries import any_of
from .models import PurchaseLine

#: of some items what has not come by its day: how many orders, the first day promised, whose it is
OVERDUE = """
SELECT 'overdue', n.item_id, sum(n.coming), count(DISTINCT u.id), min(n.comes_on), 0,
       (array_agg(u.number ORDER BY n.comes_on, n.id))[1], (array_agg(s.name ORDER BY n.comes_on, n.id))[1]
FROM buying_purchaseline n JOIN buying_purchase u ON u.id = n.purchase_id
JOIN catalog_partner s ON s.id = u.supplier_id
WHERE n.item_id = ANY(%s::bigint[]) AND n.coming > 0 AND NOT n.is_work AND n.comes_on < %s
GROUP BY n.item_id
"""


def late_items(day: date) -> set[int]:
    """Return the items that suppliers should have brought by a day."""
    rows = PurchaseLine.objects.filter(coming__gt=ZERO, is_work=False, comes_on__lt=day)
    return set(rows.values_list("item", flat=True))


def from_drafts(items: list[int]) -> list[tuple[int, Supply, str]]:
    """Return what is drafted of some items and not sent to suppliers yet: planning counts on it."""
    state = PurchaseState.DRAFT.value
    rows = PurchaseLine.objects.filter(item__in=any_of(items), purchase__state=state, is_work=False)
    told = rows.select_related("purchase__supplier", "place").order_by("comes_on", "pk")
    return [
        (
            n.item_id,
            Supply(
                source=Source.PURCHASE,
                number=n.purchase.number,
                comes=n.comes_on,
                quantity=n.quantity * n.per_unit,
                site=n.place.site_id or 0,
            ),
            f"drafted to {n.purchase.supplier.name}",
        )
        for n in told
    ]


def from_purchases(items: list[int]) -> list[tuple[int, Supply, str]]:
    """Return what is to come of some items from suppliers, with the item and whom it is for."""
    rows = PurchaseLine.objects.filter(item__in=any_of(items), coming__gt=ZERO, is_work=False)
    told = rows.order_by("comes_on", "pk").values_list(
        *("item", "purchase__number", "comes_on", "coming", "purchase__supplier__name"),
        "place__site",
    )
    return [
        (
            item,
            Supply(
                source=Source.PURCHASE,
                number=number,
                comes=comes_on,
                quantity=coming,
                site=site or 0,
            ),
            f"from {supplier}",
        )
        for item, number, comes_on, coming, supplier, site in told
    ]
