"""What open orders want, told to whoever asks for an item's future."""

from django.db.models import OuterRef, Subquery
from django.utils import timezone
from poietic_core.planning.model import Demand, Source
from poietic_core.quantity import ZERO

from ..catalog.queries import any_of
from ..stores.future import Future
from .models import OrderInput, OrderOperation, PlannedNeed


def read_orders(found: dict[int, Future]) -> None:
    """Tell what open orders still want, and when their operations begin."""
    planned = PlannedNeed.objects.filter(item__in=any_of(found))
    for item, number, name, due, starts, quantity, site in planned.values_list(
        *("item", "order__number", "order__item__name", "order__due"),
        *("order__standing__starts", "quantity", "order__supply_place__site"),
    ):
        demand = Demand(source=Source.ORDER, number=number, due=starts or due, quantity=quantity, site=site or 0)  # fmt: skip
        found[item].demands.append((demand, f"for {name}, planned"))
    begins = OrderOperation.objects.filter(order=OuterRef("order"), number=OuterRef("operation"))
    rows = OrderInput.objects.filter(item__in=any_of(found), still__gt=ZERO)
    rows = rows.annotate(begins=Subquery(begins.values("starts_at")[:1]))
    for item, number, name, due, begins_at, still, site in rows.values_list(
        *("item", "order__number", "order__item__name", "order__due", "begins", "still"),
        "order__supply_place__site",
    ):
        day = timezone.localtime(begins_at).date() if begins_at else due
        demand = Demand(source=Source.ORDER, number=number, due=day, quantity=still, site=site or 0)
        found[item].demands.append((demand, f"for {name}"))
