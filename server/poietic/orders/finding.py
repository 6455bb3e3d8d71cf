"""Orders, found by the beginning of their number, or by the item that they make."""

from django.db.models import Q

from ..catalog.finding import items_of
from ..web_api.errors import NotFound
from ..web_api.finding import MOST, Found
from .models import Order
from .standing import OPEN

#: how many digits an order number has at most
DIGITS = 9


def numbers_beginning(digits: str) -> list[range]:
    """Return the numbers that begin with digits, as ranges.

    >>> numbers_beginning("10")[:2]
    [range(10, 11), range(100, 110)]
    """
    first = int(digits[:DIGITS])
    if first == 0:
        return []
    return [range(first * 10**n, (first + 1) * 10**n) for n in range(DIGITS - len(str(first)) + 1)]


def begins_with(digits: str) -> Q:
    """Return the condition that an order's number begins with digits."""
    condition = Q(pk=None)
    for numbers in numbers_beginning(digits):
        condition |= Q(number__gte=numbers.start, number__lt=numbers.stop)
    return condition


def find_orders(words: list[str]) -> list[Found]:
    """Return orders whose number begins with what was asked, then open ones of the items found."""
    rows = Order.objects.select_related("item")
    listed: list[Order] = []
    if len(words) == 1 and words[0].isdecimal():
        listed = list(rows.filter(begins_with(words[0])).order_by("number")[:MOST])
    if len(listed) < MOST:
        items = [i.pk for i in items_of(words)]
        states = [s.value for s in OPEN]
        making = rows.filter(item__in=items, state__in=states).order_by("due", "number")
        known = {o.pk for o in listed}
        listed += [o for o in making[:MOST] if o.pk not in known]
    return [
        Found(
            kind="order",
            code=str(o.number),
            words=f"{o.item.name} {o.item.code}",
            beside=o.state,
            to=f"/orders/{o.number}",
        )
        for o in listed[:MOST]
    ]


def order_numbered(code: str) -> Order:
    """Return an order by its number as it is written, or refuse by it."""
    found = Order.objects.filter(number=int(code)).first() if code.isdecimal() and len(code) < 10 else None  # fmt: skip
    if found is None:
        raise NotFound("order", code)
    return found
