"""What of customers' lines can leave now."""

from collections.abc import Collection
from decimal import Decimal

from django.utils import timezone
from poietic_core.quantity import ZERO

from ..ledger.reserving import free_stock
from .models import CustomerLine


def ready_lines(items: Collection[int]) -> dict[int, Decimal]:
    """Return how much is free in stock for each open line of some items, by key: what is due first is served first."""
    free = dict(free_stock(items, timezone.localdate()))
    lines = list(CustomerLine.objects.filter(item__in=items, open__gt=ZERO, is_planned=True))
    found: dict[int, Decimal] = {}
    for n in sorted(lines, key=lambda n: (n.due, n.priority, n.pk)):
        part = min(n.open, max(ZERO, free.get(n.item_id, ZERO)))
        free[n.item_id] = free.get(n.item_id, ZERO) - part
        found[n.pk] = part
    return found
