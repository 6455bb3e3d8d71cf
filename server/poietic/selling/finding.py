"""Customers' orders, found by the beginning of our number or theirs, or by their customer."""

from django.db.models import Q

from ..orders.finding import begins_with
from ..web_api.finding import MOST, Found
from .models import CustomerOrder, CustomerOrderState


def find_customer_orders(words: list[str]) -> list[Found]:
    """Return customers' orders whose number begins with what was asked, or of the customers found that are open."""
    rows = CustomerOrder.objects.select_related("customer")
    own = Q(their_number__istartswith=words[0]) if len(words) == 1 else Q(pk=None)
    if len(words) == 1 and words[0].isdecimal():
        own |= begins_with(words[0])
    has_all = ~Q(state=CustomerOrderState.ENDED)
    for word in words:
        has_all &= Q(customer__search__contains=word)
    return [
        Found(
            kind="customer order",
            code=str(o.number),
            words=f"{o.customer.name} {o.their_number}".strip(),
            beside=o.state,
            to=f"/sell/{o.number}",
        )
        for o in rows.filter(own | has_all).order_by("number")[:MOST]
    ]
