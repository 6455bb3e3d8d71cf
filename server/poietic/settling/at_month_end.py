"""What stands at the end of a month: WIP by order and operation, and what work centers absorbed."""

from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal

from django.db import connection
from django.db.models import Sum
from poietic_core.quantity import CENT, ZERO, round_to
from poietic_core.settle.absorption import absorption_of

from ..engineering.models import OverheadBudget, WorkCenter
from ..orders.as_of import wind_back
from ..orders.book import ORDER_PARTS, OrderBook
from ..orders.faulty import computed
from ..orders.models import Order
from .models import ActualCost, SpendingKind
from .months import Month

#: WIP at a moment, by order and operation
WIP = """
SELECT j.cost_object_id, j.operation, sum(j.amount) FROM ledger_journalline j
JOIN ledger_posting p ON p.id = j.posting_id
WHERE j.account = 'work in process' AND p.happened_at < %(until)s
GROUP BY 1, 2 HAVING sum(j.amount) <> 0 ORDER BY 1, 2
"""
#: what orders were charged of work centers in a span, by kind
ABSORBED = """
SELECT o.work_center_id, CASE
    WHEN t.kind IN ('setup labour', 'run labour') THEN 'labour'
    WHEN t.kind IN ('setup machine', 'run machine') THEN 'machine'
    WHEN b.element = 'fixed overhead' THEN 'fixed overhead' ELSE 'variable overhead' END,
  sum(t.amount)
FROM ledger_timeline t JOIN ledger_posting p ON p.id = t.posting_id
JOIN orders_orderoperation o ON o.order_id = p.cost_object_id AND o.number = t.operation
LEFT JOIN LATERAL (SELECT element FROM engineering_overheadbudget b WHERE b.code = t.code LIMIT 1) b ON true
WHERE p.happened_at >= %(since)s AND p.happened_at < %(until)s
  AND t.kind IN ('setup labour', 'run labour', 'setup machine', 'run machine', 'setup overhead', 'run overhead', 'overhead')
GROUP BY 1, 2 HAVING sum(t.amount) <> 0 ORDER BY 1, 2
"""
#: orders whose books are wound back at once
BATCH = 50


@dataclass(frozen=True, slots=True)
class WipCell:
    """WIP of an order at an operation, and what the standard allows to be there."""

    order: int
    operation: int
    charged: Decimal
    allowed: Decimal


@dataclass(frozen=True, slots=True)
class Spent:
    """What a work center absorbed, cost and was budgeted for, and why that differs."""

    work_center: int
    kind: SpendingKind
    absorbed: Decimal
    actual: Decimal | None
    budget: Decimal | None
    spending: Decimal
    volume: Decimal


def wip_at_end(month: Month, most: int | None = None) -> tuple[list[WipCell], int]:
    """Return WIP at the end of a month, and of how many orders; of `most` of them at most."""
    with connection.cursor() as cursor:
        cursor.execute(WIP, {"until": month.ends_at})
        rows = cursor.fetchall()
    charged: dict[int, dict[int, Decimal]] = {}
    for order, operation, amount in rows:
        charged.setdefault(order, {})[operation] = amount
    keys = list(charged)[:most]
    found: list[WipCell] = []
    for begin in range(0, len(keys), BATCH):
        orders = Order.objects.filter(pk__in=keys[begin : begin + BATCH]).exclude(standard=None)
        books = {b.order.pk: b for b in OrderBook.many(orders.select_related(*ORDER_PARTS))}
        wind_back(books, month.ends_at)
        for key, book in sorted(books.items()):
            found += _cells(key, book, charged[key])
    return found, len(charged)


def _cells(key: int, book: OrderBook, charged: dict[int, Decimal]) -> Iterable[WipCell]:
    variance, _ = computed(book.variance)  # one that can't be computed takes no other with it
    allowed = variance.wip_at_standard if variance else {}
    for operation in sorted({*charged, *(o for o, a in allowed.items() if a)}):
        worth = round_to(allowed.get(operation, ZERO), CENT)
        yield WipCell(key, operation, charged.get(operation, ZERO), worth)


def spent_in(month: Month) -> list[Spent]:
    """Return what work centers absorbed in a month against what they cost and were budgeted for."""
    with connection.cursor() as cursor:
        cursor.execute(ABSORBED, {"since": month.begins_at, "until": month.ends_at})
        absorbed = {(center, kind): amount for center, kind, amount in cursor.fetchall()}
    entered = ActualCost.objects.filter(first=month.first, is_taken_back=False)
    actual = {
        (center, kind): amount
        for center, kind, amount in entered.order_by()
        .values_list("work_center", "kind")
        .annotate(Sum("amount"))
    }
    budgets = _budgets(month)
    centers = dict(WorkCenter.objects.values_list("pk", "code"))
    found = []
    for center, kind in sorted({*absorbed, *actual, *budgets}, key=lambda k: (centers[k[0]], k[1])):
        took = absorbed.get((center, kind), ZERO)
        cost, budget = actual.get((center, kind)), budgets.get((center, kind))
        why = None
        if cost is not None:
            fixed = (budget or ZERO) if kind == SpendingKind.FIXED_OVERHEAD else None
            why = absorption_of(absorbed=took, actual=cost, budget=fixed)
        found.append(
            Spent(
                center,
                SpendingKind(kind),
                took,
                cost,
                budget,
                why.spending if why else ZERO,
                why.volume if why else ZERO,
            )
        )
    return found


def _budgets(month: Month) -> dict[tuple[int, str], Decimal]:
    """Return what work centers are budgeted for in a month: of a budget its part of the days."""
    last = month.next.first.toordinal() - 1
    found: dict[tuple[int, str], Decimal] = {}
    rows = OverheadBudget.objects.filter(
        work_center__isnull=False,
        effective_from__lt=month.next.first,
        effective_until__gte=month.first,
    )
    for b in rows:
        begins, ends = b.effective_from.toordinal(), b.effective_until.toordinal()
        days = min(last, ends) - max(month.first.toordinal(), begins) + 1
        part = round_to(b.budget * days / (ends - begins + 1), CENT)
        kind = SpendingKind.FIXED_OVERHEAD if b.element == "fixed overhead" else SpendingKind.VARIABLE_OVERHEAD  # fmt: skip
        at = (b.work_center_id or 0, kind.value)
        found[at] = found.get(at, ZERO) + part
    return found
