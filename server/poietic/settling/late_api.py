"""What of late cost waits and where it would go, and the chains of the runs that carried some on."""

from collections.abc import Iterable, Sequence
from datetime import datetime
from decimal import Decimal
from typing import Annotated

from django.db.models import Sum, prefetch_related_objects
from django.http import HttpRequest
from ninja import Router
from poietic_core.quantity import ZERO
from pydantic import Field

from ..buying.models import InvoiceLine
from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS
from ..ledger.models import LateCost, Posting
from ..selling.models import Sold
from ..web_api.errors import NotFound
from ..web_api.fields import MOST_ROWS, Answer, DecimalText, OrderNumber, PostingNumber
from .commands.carrying import chain_rows, look_ahead
from .models import ChainRow

router = Router(tags=["settling"])
#: runs that are listed, the latest first
MOST_RUNS = 50
#: no item has this key
ANY = 0


class ChainRowOut(Answer):
    """One row of a chain: what was worth what before, how much more it is, and where it stands."""

    #: 0 begins the chain; what comes of an item stands below what led to it
    depth: int
    item: str
    name: str
    unit: str
    #: late cost, stock, order, or the account that it ends at
    kind: str
    order: int | None
    operation: int | None
    #: of a delivery: whose order it was
    customer: str
    customer_order: str
    #: of a late cost: what it came by, and what received the goods
    origin: str
    receipt: int | None
    quantity: DecimalText
    before: DecimalText
    after: DecimalText
    amount: DecimalText
    stays: bool


class RunOut(Answer):
    """A run that carried late cost on."""

    posting: int
    at: datetime
    person: str
    amount: DecimalText


class LateCostsOut(Answer):
    """What waits with the chain that it would walk, and the runs that there were."""

    waiting: DecimalText
    #: late costs that wait: of invoices, and of orders whose output is at actual cost
    count: int
    rows: list[ChainRowOut]
    whole: int
    runs: list[RunOut]


class ChainOut(Answer):
    """The chain of a run."""

    run: RunOut
    rows: list[ChainRowOut]
    whole: int


class OrderCorrected(Answer):
    """What an order's material turned out to cost more, by run."""

    posting: int
    at: datetime
    operation: int
    item: str
    before: DecimalText
    after: DecimalText
    amount: DecimalText
    origins: list[str]


@router.get("/late-costs", auth=READ_COSTS, response=LateCostsOut)
def late_costs(request: HttpRequest) -> LateCostsOut:
    """Return what waits, the chain that carrying it on would walk, and the last runs."""
    walked = look_ahead()
    rows = [_unsaved(row) for row in chain_rows(walked)] if walked.has_news else []
    runs = Posting.objects.filter(kind=Posting.Kind.LATE_COST, cost_object=None, reverses=None)
    runs = runs.filter(chain__isnull=False).distinct().order_by("-pk")
    return LateCostsOut(
        waiting=sum((w.amount - w.in_stock for w in walked.waiting), ZERO),
        count=len(walked.waiting),
        rows=told(rows[:MOST_ROWS]),
        whole=len(rows),
        runs=_runs(runs[:MOST_RUNS]),
    )


@router.get("/late-costs/{posting}", auth=READ_COSTS, response={200: ChainOut, 404: Problem})
def chain(request: HttpRequest, posting: PostingNumber) -> ChainOut:
    """Return the chain that a run walked."""
    found = list(Posting.objects.filter(pk=posting, chain__isnull=False).distinct())
    if not found:
        raise NotFound("run of late cost", str(posting))
    rows = ChainRow.objects.filter(posting=posting)
    return ChainOut(run=_runs(found)[0], rows=told(list(rows[:MOST_ROWS])), whole=rows.count())


@router.get("/orders/{number}/corrections", auth=READ_COSTS, response=list[OrderCorrected])
def corrections(
    request: HttpRequest, number: OrderNumber, most: Annotated[int, Field(ge=1, le=200)] = 50
) -> list[OrderCorrected]:
    """Return what late cost did to an order, the latest first, with what it came of."""
    rows = list(
        ChainRow.objects.filter(cost_object__order__number=number)
        .select_related("posting", "item")
        .order_by("-pk")[:most]
    )
    begun = ChainRow.objects.filter(posting__in={r.posting_id for r in rows}, kind="late cost")
    origins: dict[tuple[int, int], list[str]] = {}
    listed = list(begun.select_related("late_cost__posting", "late_cost__item"))
    words = _origins([r.late_cost for r in listed if r.late_cost])
    for r in listed:
        for item in (r.item_id, ANY):
            origins.setdefault((r.posting_id, item), []).append(words[r.late_cost_id or 0])
    return [
        OrderCorrected(
            posting=r.posting_id,
            at=r.posting.entered_at,
            operation=r.operation or 0,
            item=r.item.code,
            before=r.before,
            after=r.before + r.amount,
            amount=r.amount,
            # its own late cost where there is one, else whatever the run began with
            origins=origins.get((r.posting_id, r.item_id)) or origins.get((r.posting_id, ANY), []),
        )
        for r in rows
    ]


def told(rows: Sequence[ChainRow]) -> list[ChainRowOut]:
    """Return rows as they are read: each item's below those that led to it."""
    sold = {
        s.line_id: s
        for s in Sold.objects.filter(line__in=[r.line_id for r in rows if r.line_id]).select_related("customer")
    }  # fmt: skip
    words = _origins([r.late_cost for r in rows if r.late_cost])
    prefetch_related_objects(rows, "item", "cost_object", "late_cost__posting__cost_object")
    found = []
    for r in rows:
        delivery = sold.get(r.line_id or 0)
        found.append(
            ChainRowOut(
                depth=r.depth,
                item=r.item.code,
                name=r.item.name,
                unit=r.item.unit,
                kind=r.kind,
                order=r.cost_object.number if r.cost_object else None,
                operation=r.operation,
                customer=delivery.customer.name if delivery else "",
                customer_order=delivery.customer_order if delivery else "",
                origin=words.get(r.late_cost_id or 0, ""),
                receipt=r.late_cost.receipt_id if r.late_cost else None,
                quantity=r.quantity,
                before=r.before,
                after=r.before + r.amount,
                amount=r.amount,
                stays=r.stays,
            )
        )
    return found


def _unsaved(row: tuple[int | str | bool | Decimal | None, ...]) -> ChainRow:
    names = ("depth", "item_id", "kind", "late_cost_id", "cost_object_id", "operation", "line_id", "quantity", "before", "amount", "stays")  # fmt: skip
    return ChainRow(**dict(zip(names, row, strict=True)))


def _origins(late: Iterable[LateCost]) -> dict[int, str]:
    """Return in words what late costs came by: which invoice, or which order's closing."""
    listed = list(late)
    invoices: dict[int, str] = {}
    lines = InvoiceLine.objects.filter(
        invoice__posting__entry__in={n.posting.entry_id for n in listed}
    ).select_related("invoice__supplier", "invoice__posting", "delivery__line")
    of_line: dict[tuple[int, int], str] = {}
    for line in lines:
        v = line.invoice
        words = f"{v.supplier.name}, {'credit note' if v.is_credit else 'invoice'} {v.number}"
        invoices[v.posting.entry_id] = words
        at = (v.posting.entry_id, line.delivery.posting_id)
        of_line[at] = f"{words}{f', {line.cost}' if line.cost else ''}"
    found = {}
    for n in listed:
        entry = n.posting.entry_id
        words = of_line.get((entry, n.receipt_id)) or invoices.get(entry, "")
        if n.posting.kind == Posting.Kind.CLOSING and n.posting.cost_object:
            words = f"order {n.posting.cost_object.number} closed"
        found[n.pk] = words or n.posting.get_kind_display().lower()
    return found


def _runs(postings: Iterable[Posting]) -> list[RunOut]:
    listed = list(postings)
    sums = dict(
        ChainRow.objects.filter(posting__in=[p.pk for p in listed], stays=True)
        .order_by()
        .values_list("posting")
        .annotate(Sum("amount"))
    )
    people = dict(Posting.objects.filter(pk__in=[p.pk for p in listed]).values_list("pk", "person__full_name"))  # fmt: skip
    return [
        RunOut(
            posting=p.pk,
            at=p.entered_at,
            person=people.get(p.pk) or "",
            amount=sums.get(p.pk, ZERO),
        )
        for p in listed
    ]
