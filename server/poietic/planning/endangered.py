"""Which customers' lines are not there in time by the plan, what each waits for, and that it needs a decision."""

from dataclasses import dataclass
from datetime import date

from django.db.models.functions import Coalesce
from django.utils import timezone
from poietic_core.order.attention import Endangered, Kind, of_endangered
from poietic_core.planning.chain import Link
from poietic_core.planning.model import Source
from poietic_core.quantity import ZERO, money

from ..commanding.registry import Command, Context
from ..orders.models import StoredAttention
from ..orders.standing import Told
from ..selling.models import CustomerLine
from ..statements.bulk import insert_rows
from .chains import Chains
from .models import EndangeredLine, PlanRun
from .works_days import works_days

#: lines that are followed, those due first
MOST_FOLLOWED = 1000
#: commands after which a line that the plan called in danger may be so no longer, or again
SETTLES = frozenset(
    {
        *("deliver-ordered", "take-back", "change-customer-line"),
        *("end-customer-order", "reopen-customer-order"),
    }
)


def keep_endangered(context: Context, run: PlanRun, today: date) -> None:
    """Follow what customers wait for, and store what is not there in time."""
    chains = Chains(today)
    open_lines = CustomerLine.objects.filter(open__gt=ZERO, is_planned=True)
    due = Coalesce("promised_on", "wanted_on")
    first = open_lines.select_related("item", "order__customer").order_by(due, "priority", "pk")
    followed = list(first[:MOST_FOLLOWED])
    context.progress("following what customers wait for", 0, 1)
    begins = [(n.item_id, (Source.CUSTOMER, n.order.number, n.number)) for n in followed]
    rows = []
    ways, is_cut = chains.late_ways(begins)
    for n, path in zip(followed, ways, strict=True):
        if path:
            cause = path[-1]
            comes = None if path[0].late is None else chains.days.later(n.due, path[0].late)
            rows.append((run.pk, n.pk, comes, cause.item, cause.quantity, *_of(cause, chains)))
    names = ("run", "line", "comes", "cause", "quantity", "source", "number", "words")
    insert_rows(EndangeredLine, names, rows)
    if is_cut:
        run.told.append(f"What customers wait for was followed over {len(chains.items):,} items, not down to all that is bought.")  # fmt: skip
        run.save(update_fields=["told"])
    tell_endangered(context, run, today)


def _of(cause: Link, chains: Chains) -> tuple[str, int, str]:
    """Return what the end of a chain is of, its number, and what that is for."""
    if cause.supply is None:
        return "nothing" if cause.is_open else "", 0, ""
    words = chains.futures[cause.item].words_of(cause.supply)
    return cause.supply.source.value, cause.supply.number, words[:400]


@dataclass(frozen=True)
class Late:
    """A line that a plan says is late and that is still open."""

    of: EndangeredLine
    #: working days after it was promised, or else is wanted; None: nobody knows when it is there
    days: int | None


def tell_endangered(context: Context, run: PlanRun, today: date) -> None:
    """Store for each item whose customers wait too long that it needs a decision, or no longer does.

    One at a time: two deliveries at once would each still see the other's line open.
    """
    context.guard("promises")
    told = Told()
    known = {a.item_id: a for a in StoredAttention.objects.filter(kind=Kind.PROMISE.value)}
    lines: dict[int, list[Late]] = {}
    for late in still_endangered(run, today):
        lines.setdefault(late.of.line.item_id, []).append(late)
    for key, own in lines.items():
        worst = max(own, key=lambda e: (e.days is None, e.days or 0, -e.of.pk))
        line = worst.of.line
        amount = sum((e.of.line.open * (e.of.line.price or ZERO) for e in own), ZERO)
        found = Endangered(
            item=line.item.name,
            order=line.order.number,
            customer=line.order.customer.name,
            late=worst.days,
            cause=cause_of(worst.of),
            lines=len(own),
            amount=money(amount),
        )
        told.put([known.pop(key)] if key in known else [], [of_endangered(found)], item=key)
    told.put(known.values(), [])
    told.write()


def still_endangered(run: PlanRun, today: date) -> list[Late]:
    """Return the lines that a plan says are late and that are still open, those due first before the others."""
    rows = run.endangered.filter(line__open__gt=ZERO, line__is_planned=True)
    days = works_days(today)
    told = [
        Late(e, None if e.comes is None else days.between(e.line.due, e.comes))
        for e in rows.select_related("line__item", "line__order__customer", "cause")
    ]
    return [late for late in told if late.days != 0]


def cause_of(e: EndangeredLine) -> str:
    """Say what a line waits for."""
    quantity = f"{e.quantity.normalize():f} {e.cause.unit} {e.cause.name}"
    of = {"nothing": ", which nothing covers", "": " of stock", "proposal": f", {e.words}"}
    return quantity + of.get(e.source, f" of {e.source} {e.number}")


def settle_endangered(command: Command, context: Context) -> None:
    """Have what was delivered, ended or promised anew need no decision any longer."""
    if command.name in SETTLES and (run := PlanRun.last_plan()):
        tell_endangered(context, run, timezone.localdate(context.now))
