"""What of customers' lines can leave now."""

from collections.abc import Collection
from decimal import Decimal

from django.utils import timezone
from poietic_core.planning.model import Demand, Source
from poietic_core.planning.pegging import peg
from poietic_core.quantity import ZERO

from ..ledger.reserving import free_stock
from .models import CustomerLine


def ready_lines(items: Collection[int]) -> dict[int, Decimal]:
    """Return how much is free in stock for each open line of some items, by key: pegged by day and priority."""
    free = free_stock(items, timezone.localdate())
    wanted: dict[int, list[Demand]] = {}
    for n in CustomerLine.objects.filter(item__in=items, open__gt=ZERO, is_planned=True):
        demand = Demand(source=Source.CUSTOMER, number=n.pk, due=n.due, quantity=n.open, rank=n.priority)  # fmt: skip
        wanted.setdefault(n.item_id, []).append(demand)
    found: dict[int, Decimal] = {}
    for item, demands in wanted.items():
        for p in peg(free.get(item, ZERO), demands, []):
            if p.demand and not p.is_open:
                found[p.demand.number] = p.quantity
    return found
