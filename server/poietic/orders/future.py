"""What open orders want and what they will bring, told to whoever asks for an item's future."""

from django.db.models import OuterRef, Subquery
from django.utils import timezone
from poietic_core.planning.model import Demand, Source
from poietic_core.quantity import ZERO

from ..catalog.queries import any_of
from ..stores.future import Future
from .models import OrderInput, OrderOperation, PlannedNeed
from .shortages import from_orders


def read_orders(found: dict[int, Future]) -> None:
    """Tell what open orders still want, when their operations begin, and what they make."""
    planned = PlannedNeed.objects.filter(item__in=any_of(found))
    for item, number, name, due, starts, quantity in planned.values_list(
        *("item", "order__number", "order__item__name", "order__due"),
        *("order__standing__starts", "quantity"),
    ):
        demand = Demand(source=Source.ORDER, number=number, due=starts or due, quantity=quantity)
        found[item].demands.append((demand, f"for {name}, planned"))
    begins = OrderOperation.objects.filter(order=OuterRef("order"), number=OuterRef("operation"))
    rows = OrderInput.objects.filter(item__in=any_of(found), still__gt=ZERO)
    rows = rows.annotate(begins=Subquery(begins.values("starts_at")[:1]))
    for item, number, name, due, begins_at, still in rows.values_list(
        "item", "order__number", "order__item__name", "order__due", "begins", "still"
    ):
        day = timezone.localtime(begins_at).date() if begins_at else due
        demand = Demand(source=Source.ORDER, number=number, due=day, quantity=still)
        found[item].demands.append((demand, f"for {name}"))
    for item, supply in from_orders(found):
        found[item].supplies.append((supply, "makes it"))
