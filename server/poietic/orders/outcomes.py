"""What completed orders came to: kept once, so that an item's history is read and not worked out."""

import json
from collections.abc import Iterable
from datetime import date
from decimal import Decimal

from django.db import connection, transaction
from django.db.models import Q
from django.utils import timezone
from poietic_core.cost.model import InputKind
from poietic_core.order.states import OrderState
from poietic_core.quantity import HOUR_STEP, ZERO, round_to
from poietic_core.variance.causes import Variance

from ..ledger.models import Posting
from ..statements.bulk import upsert_rows
from ..statements.prepared import lock_keys
from ..web_api.fields import plain
from .book import ORDER_PARTS, OrderBook
from .cause_rows import keep_causes
from .models import Order, Outcome

#: nothing more is made of them
FINISHED = (OrderState.COMPLETED, OrderState.CLOSED)
LABOUR = (InputKind.SETUP_LABOUR, InputKind.RUN_LABOUR)
MACHINE = (InputKind.SETUP_MACHINE, InputKind.RUN_MACHINE)
FIELDS = ("item", "finished_on", "lead_days", "received", "scrap", "standard", "charged", "variance", "elements", "causes", "labour_hours", "labour_allowed", "machine_hours", "machine_allowed")  # fmt: skip
#: what an order's WIP took, by element: what is in it, what receipts took out, and what its closing did
CHARGED = """
SELECT b.element, sum(b.amount + b.credited) - coalesce((
  SELECT sum(j.amount) FROM ledger_journalline j JOIN ledger_posting p ON p.id = j.posting_id
  WHERE p.cost_object_id = %(order)s AND p.kind = 'closing' AND j.account = 'work in process'
    AND j.element = b.element), 0)
FROM ledger_wipbalance b WHERE b.cost_object_id = %(order)s GROUP BY b.element
"""
#: orders whose outcome is worked out in one transaction, where an older version has not kept it
BATCH = 50


def keep_outcome(book: OrderBook) -> None:
    """Store what a completed order came to; its row is locked."""
    order = book.order
    if order.standard is None or order.released_at is None:
        return
    variance = book.final or book.variance()
    finished = _finished_on(order)
    row = (
        order.item_id,
        finished,
        max(0, (finished - timezone.localdate(order.released_at)).days),
        order.received,
        sum((o.scrap for o in book.operations), ZERO),
        order.standard.total,
        variance.charged,
        variance.to_date(),
        json.dumps(_charged(order.pk)),
        json.dumps(as_json(by_kind(variance))),
        *_hours(book, LABOUR),
        *_hours(book, MACHINE),
    )
    upsert_rows(Outcome, ("order",), FIELDS, [(order.pk, *row)])
    keep_causes(book, variance, finished)


def by_kind(variance: Variance) -> dict[str, Decimal]:
    """Return a variance by kind of cause, in cents."""
    causes: dict[str, Decimal] = {}
    for cause, amount in variance.rounded_causes():
        causes[cause.kind.value] = causes.get(cause.kind.value, ZERO) + amount
    return causes


def as_json(amounts: dict[str, Decimal]) -> dict[str, str]:
    """Return amounts as they are kept: texts, without those of zero."""
    return {kind: plain(amount) for kind, amount in amounts.items() if amount}


def keep_missing_outcomes() -> int:
    """Store what finished orders came to of which nothing is kept yet; return how many there were."""
    states = [s.value for s in FINISHED]
    missing = Order.objects.filter(state__in=states).exclude(standard=None)
    nothing = Q(outcome=None) | Q(cause_rows=None) & ~Q(outcome__variance=0)
    missing = missing.filter(nothing).distinct()
    keys = list(missing.order_by("pk").values_list("pk", flat=True))
    for begin in range(0, len(keys), BATCH):
        with transaction.atomic():
            locked = lock_keys(Order, "cost_object", keys[begin : begin + BATCH])
            for book in OrderBook.many(Order.objects.filter(pk__in=locked).select_related(*ORDER_PARTS)):  # fmt: skip
                keep_outcome(book)
    return len(keys)


def _finished_on(order: Order) -> date:
    """Return the day of an order's completion."""
    posted = Posting.objects.filter(
        cost_object=order.pk, kind=Posting.Kind.COMPLETION, reverses=None, reversal=None
    )
    found = posted.order_by("-pk").values_list("happened_at", flat=True).first()
    return timezone.localdate(found or timezone.now())


def _charged(order: int) -> dict[str, str]:
    with connection.cursor() as cursor:
        cursor.execute(CHARGED, {"order": order})
        return {element: plain(amount) for element, amount in cursor.fetchall() if amount}


def _hours(book: OrderBook, kinds: Iterable[InputKind]) -> tuple[Decimal, Decimal]:
    """Return the hours worked of some kinds, and those allowed for what was worked on."""
    named = {k.value for k in kinds}
    rows = [i for i in book.inputs if i.kind in named]
    used = sum((i.used for i in rows), ZERO)
    allowed = sum((i.allowed * book.done(i) for i in rows), ZERO)
    return round_to(used, HOUR_STEP), round_to(allowed, HOUR_STEP)
