"""What orders keep up to date at the end of each command: shortages, and dates when time itself moves."""

from datetime import datetime

from django.db import transaction
from django.utils import timezone
from procrastinate.contrib.django import app

from ..commanding.registry import Command, Context
from ..ledger.models import Holding, Lot
from ..statements.bulk import insert_rows
from ..statements.prepared import lock_keys
from .models import Order, OrderEvent, OrderInput, PlannedNeed, Shortage
from .open_book import OpenBook
from .outcomes import keep_missing_outcomes
from .shortages import AWAITED, keep_shortages, untold
from .standing import BATCH, OPEN, stand, stand_all

#: commands after which every open order may run on other days, need something else, or be stopped
MOVES_TIME = frozenset(
    {
        *("change-calendar", "close-days", "close-holidays", "open-days", "add-shift"),
        *(
            "set-supplier-times",
            "change-work-center",
            "set-zone",
            "approve-structure",
            "retire-structure",
        ),
        *("replace-component", "change-phantom", "set-variance-threshold"),
        *("freeze-standard", "activate-set"),
    }
)


#: open orders that are stood anew within a command; more are left to the background
AT_ONCE = 300


def keep(command: Command, context: Context) -> None:
    """Store anew what the command has changed for others."""
    # of one that was changed in several parts of an act the last word counts
    books = {b.order.pk: b for b in context.things if isinstance(b, OpenBook)}.values()
    for book in books:
        context.touched.update(stand(book, context.now))
    if not context.postings and not context.is_preview:  # what posts is told by its postings
        rows = [(key, context.change) for key in sorted({b.order.pk for b in books})]
        insert_rows(OrderEvent, ("order", "entry"), rows)
    if command.name in MOVES_TIME or context.effects.changes("is active"):
        if Order.objects.filter(state__in=[s.value for s in OPEN]).count() <= AT_ONCE:
            stand_all(context.now)
            for model in (Shortage, PlannedNeed):
                context.touched.update(model.objects.values_list("item", flat=True))
        else:
            transaction.on_commit(stand_later)
    if context.touched:
        if rest := context.touched - context.locked:
            lock_keys(Holding, "item", rest)
        keep_shortages(context.touched, timezone.localdate(context.now))


def stand_later() -> None:
    """Have the worker store anew how all open orders stand."""
    app.configure_task("stand_orders_anew", queueing_lock="stand_orders_anew").defer()


def keep_all(now: datetime, *, stale_only: bool) -> int:
    """Store anew how open orders stand, and what they are short of, a few in each transaction.

    Returns how many orders there were.
    """
    stood, day = stand_all(now, stale_only=stale_only), timezone.localdate(now)
    keep_missing_outcomes()
    wanted = untold(day)
    if stood or not stale_only:
        wanted |= set(OrderInput.objects.filter(still__gt=0).values_list("item", flat=True))
        wanted |= set(PlannedNeed.objects.values_list("item", flat=True))
        wanted |= set(Lot.objects.exclude(expires_on=None).values_list("item", flat=True))
        wanted |= {item for awaited in AWAITED for item in awaited.late(day)}
    items = sorted(wanted)
    for begin in range(0, len(items), BATCH):
        with transaction.atomic():
            locked = lock_keys(Holding, "item", items[begin : begin + BATCH])
            keep_shortages(locked, day)
    return stood
