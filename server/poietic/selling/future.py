"""What customers want and what is foreseen, told to whoever asks for an item's future."""

from collections.abc import Iterable
from datetime import date, timedelta
from typing import Any

from django.db.models import DateField, OuterRef, QuerySet, Subquery, Sum
from django.db.models.functions import Coalesce
from django.utils import timezone
from poietic_core.planning.model import Demand, Source
from poietic_core.quantity import ZERO

from ..catalog.queries import any_of
from ..stores.future import Future
from .models import CustomerLine, Forecast

#: a forecast is wanted evenly, a part every so many days
WEEK = timedelta(days=7)


def read_customers(found: dict[int, Future]) -> None:
    """Tell what customers still want that planning counts."""
    for line in _open_lines(found):
        demand = Demand(
            source=Source.CUSTOMER,
            number=line.order.number,
            line=line.number,
            due=line.due,
            quantity=line.open,
            rank=line.priority,
        )
        found[line.item_id].demands.append((demand, f"for {line.order.customer.name}"))


def _open_lines(items: Iterable[int]) -> Iterable[CustomerLine]:
    rows = CustomerLine.objects.filter(item__in=any_of(items), open__gt=ZERO, is_planned=True)
    return rows.select_related("order__customer").order_by("pk")


def foreseen_from(day: date) -> "QuerySet[Any]":
    """Return what is foreseen from a day on, each with what customers `ordered` of it for its span."""
    lines = CustomerLine.objects.filter(
        item=OuterRef("item"), is_planned=True, order__state__in=["accepted", "ended"]
    ).annotate(day=Coalesce("promised_on", "wanted_on", output_field=DateField()))
    within = lines.filter(day__gte=OuterRef("first_day"), day__lte=OuterRef("last_day"))
    ordered = within.order_by().values("item").annotate(sum=Sum("quantity")).values("sum")
    rows = Forecast.objects.filter(last_day__gte=day).select_related("item")
    return rows.annotate(ordered=Coalesce(Subquery(ordered), ZERO))


def read_forecasts(found: dict[int, Future]) -> None:
    """Tell what is foreseen from today on and not consumed: what customers want in a span consumes it."""
    today = timezone.localdate()
    for forecast in foreseen_from(today).filter(item__in=any_of(found)):
        left = forecast.quantity - forecast.ordered
        step = forecast.item.step
        first = max(forecast.first_day, today)
        weeks = [first + WEEK * n for n in range((forecast.last_day - first).days // 7 + 1)]
        for n, day in enumerate(weeks):
            until, before = (left * k / len(weeks) // step * step for k in (n + 1, n))
            if until > before:
                demand = Demand(
                    source=Source.FORECAST,
                    number=forecast.pk,
                    due=day,
                    quantity=until - before,
                    rank=9,
                )
                found[forecast.item_id].demands.append((demand, "foreseen"))
