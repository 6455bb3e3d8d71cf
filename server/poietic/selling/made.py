"""Which orders make what a customer ordered."""

from poietic_core.order.states import OrderState

from ..orders.models import Order
from .models import CustomerOrder


def orders_for(order: CustomerOrder) -> dict[int, list[int]]:
    """Return the numbers of the orders that are made for each line, by the line's number."""
    rows = Order.objects.filter(customer=order.customer, customer_order=str(order.number))
    rows = rows.exclude(state=OrderState.CANCELLED.value).order_by("number")
    found: dict[int, list[int]] = {}
    for number, line in rows.values_list("number", "customer_line"):
        if line.isdecimal():
            found.setdefault(int(line), []).append(number)
    return found
