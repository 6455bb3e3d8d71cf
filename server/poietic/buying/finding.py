"""Purchase orders, found by the beginning of their number, or by their supplier."""

from django.db.models import Q
from poietic_core.buying.purchase import COMING, PurchaseState

from ..orders.finding import begins_with
from ..web_api.finding import MOST, Found
from .models import Purchase


def find_purchases(words: list[str]) -> list[Found]:
    """Return purchase orders whose number begins with what was asked, then open ones of the suppliers found."""
    rows = Purchase.objects.select_related("supplier")
    if len(words) == 1 and words[0].isdecimal():
        found = rows.filter(begins_with(words[0])).order_by("number")[:MOST]
    else:
        has_all = Q()
        for word in words:
            has_all &= Q(supplier__search__contains=word)
        states = [s.value for s in (PurchaseState.DRAFT, *COMING)]
        found = rows.filter(has_all, state__in=states).order_by("number")[:MOST]
    return [
        Found(
            kind="purchase",
            code=str(p.number),
            words=f"{p.supplier.name} {p.supplier.code}",
            beside=p.state,
            to=f"/buy/{p.number}",
        )
        for p in found
    ]
