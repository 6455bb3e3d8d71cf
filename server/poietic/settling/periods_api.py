"""Months of the books: which are open, what stands open in one, its WIP, its work centers, its journal."""

from collections.abc import Iterable
from datetime import date, datetime
from decimal import Decimal

from django.db import connection
from django.http import HttpRequest
from django.utils import timezone
from ninja import Router
from poietic_core.quantity import ZERO

from ..commanding.reading import READ_COSTS
from ..engineering.models import WorkCenter
from ..ledger.models import CostObject, Period, PeriodEvent
from ..ledger.verify import differences
from ..orders.basis import Basis, bases_of
from ..web_api.errors import InvalidInput
from ..web_api.fields import Answer, DecimalText
from .at_month_end import Spent, WipCell, spent_in, wip_at_end
from .findings import findings
from .models import PeriodSpending, PeriodWip, SpendingKind
from .months import Month, first_month, next_to_close

router = Router(tags=["settling"])
#: orders whose WIP is worked out while a month is open, and shown
MOST_ORDERS = 200
MOST_MONTHS = 240

BOOKED = """
SELECT j.account, sum(j.amount) FILTER (WHERE p.happened_at < %(since)s),
  sum(j.amount) FILTER (WHERE p.happened_at >= %(since)s AND j.amount > 0),
  -sum(j.amount) FILTER (WHERE p.happened_at >= %(since)s AND j.amount < 0)
FROM ledger_journalline j JOIN ledger_posting p ON p.id = j.posting_id
WHERE p.happened_at < %(until)s GROUP BY 1 ORDER BY 1
"""


class PeriodRow(Answer):
    """A month of the books."""

    first: date
    name: str
    is_closed: bool
    is_over: bool
    closed_at: datetime | None
    closed_by: str
    #: how often it was opened again
    reopened: int


class PeriodsOut(Answer):
    """All months with postings, the latest first, and the one that is to be closed next."""

    rows: list[PeriodRow]
    next: date | None


class FindingOut(Answer):
    """Something that stands open, or is done."""

    kind: str
    count: int
    amount: DecimalText
    sentence: str
    leads_to: str


class PeriodWipRow(Answer):
    """WIP of an order at an operation at the end of the month."""

    order: int
    operation: int
    charged: DecimalText
    allowed: DecimalText
    variance: DecimalText
    #: on what that stands now
    basis: Basis


class SpendingRow(Answer):
    """What a work center absorbed, cost and was budgeted for, by kind; unfavourable is positive."""

    work_center: str
    name: str
    kind: SpendingKind
    absorbed: DecimalText
    actual: DecimalText | None
    budget: DecimalText | None
    spending: DecimalText
    volume: DecimalText


class TrialRow(Answer):
    """An account in the month: what stood on it before, what came on either side, what stands now."""

    account: str
    opening: DecimalText
    debit: DecimalText
    credit: DecimalText
    closing: DecimalText


class PeriodEventOut(Answer):
    """A month was closed or opened again."""

    closes: bool
    person: str
    at: datetime
    reason: str


class PeriodOut(Answer):
    """A month of the books."""

    first: date
    name: str
    is_closed: bool
    is_over: bool
    is_next: bool
    findings: list[FindingOut]
    wip: list[PeriodWipRow]
    #: orders that hold WIP, and what it comes to in all
    wip_orders: int
    charged: DecimalText
    allowed: DecimalText
    spending: list[SpendingRow]
    trial: list[TrialRow]
    events: list[PeriodEventOut]


class VerifiedOut(Answer):
    """Whether all balances are what the postings say; each difference is a sentence."""

    differences: list[str]
    at: datetime


@router.get("/periods", auth=READ_COSTS, response=PeriodsOut)
def periods(request: HttpRequest) -> PeriodsOut:
    """Return the months with postings, and which is to be closed next."""
    month, today = first_month(), Month.of(timezone.localdate())
    months: list[Month] = []
    while month and month.first <= today.first:
        months.append(month)
        month = month.next
    kept = {p.first: p for p in Period.objects.prefetch_related("events__person")}
    due = next_to_close()
    return PeriodsOut(
        rows=[_row(m, kept.get(m.first)) for m in reversed(months[-MOST_MONTHS:])],
        next=due.first if due else None,
    )


@router.get("/periods/verified", auth=READ_COSTS, response=VerifiedOut)
def verified(request: HttpRequest) -> VerifiedOut:
    """Compare every balance with the postings now."""
    return VerifiedOut(differences=differences()[:50], at=timezone.now())


@router.get("/periods/{first}", auth=READ_COSTS, response=PeriodOut)
def period(request: HttpRequest, first: date) -> PeriodOut:
    """Return a month: what stands open, its WIP, its work centers, its accounts."""
    month = Month.of(first)
    if not date(1990, 1, 1) <= first <= timezone.localdate():
        raise InvalidInput([f"first: {first} lies in no month of the books"])
    kept = Period.objects.filter(first=month.first).prefetch_related("events__person").first()
    is_closed = kept is not None and kept.closed_at is not None
    wip, orders, charged, allowed = _wip(month, kept if is_closed else None)
    due = next_to_close()
    return PeriodOut(
        first=month.first,
        name=str(month),
        is_closed=is_closed,
        is_over=month.ends_at <= timezone.now(),
        is_next=due is not None and due.first == month.first,
        findings=[FindingOut(**vars(f)) for f in findings(month)],
        wip=wip,
        wip_orders=orders,
        charged=charged,
        allowed=allowed,
        spending=_spending(month, kept if is_closed else None),
        trial=trial_between(month.begins_at, month.ends_at),
        events=[_event(e) for e in kept.events.all()] if kept else [],
    )


def trial_between(since: datetime, until: datetime) -> list[TrialRow]:
    """Return what each account had, what came on either side in a span, and what it has."""
    with connection.cursor() as cursor:
        cursor.execute(BOOKED, {"since": since, "until": until})
        rows = cursor.fetchall()
    found = []
    for account, before, debit, credit in rows:
        opening, on, off = before or ZERO, debit or ZERO, credit or ZERO
        found.append(TrialRow(account=account, opening=opening, debit=on, credit=off, closing=opening + on - off))  # fmt: skip
    return found


def _row(month: Month, kept: Period | None) -> PeriodRow:
    events = list(kept.events.all()) if kept else []
    closings = [e for e in events if e.closes]
    return PeriodRow(
        first=month.first,
        name=str(month),
        is_closed=kept is not None and kept.closed_at is not None,
        is_over=month.ends_at <= timezone.now(),
        closed_at=kept.closed_at if kept else None,
        closed_by=str(closings[-1].person or "") if closings else "",
        reopened=len(events) - len(closings),
    )


def _event(e: PeriodEvent) -> PeriodEventOut:
    return PeriodEventOut(closes=e.closes, person=str(e.person or ""), at=e.at, reason=e.reason)


def _wip(month: Month, kept: Period | None) -> tuple[list[PeriodWipRow], int, Decimal, Decimal]:
    """Return WIP as the month was closed with, or as it is while the month is open."""
    cells: Iterable[WipCell]
    if kept:
        rows = PeriodWip.objects.filter(period=kept)
        listed = [WipCell(w.cost_object_id, w.operation, w.charged, w.allowed) for w in rows]
        orders = len({c.order for c in listed})
        cells = listed
    else:
        cells, orders = wip_at_end(month, MOST_ORDERS)
    numbers = dict(CostObject.objects.filter(pk__in={c.order for c in cells}).values_list("pk", "number"))  # fmt: skip
    bases = bases_of(numbers)
    charged = sum((c.charged for c in cells), ZERO)
    allowed = sum((c.allowed for c in cells), ZERO)
    shown = [
        PeriodWipRow(
            order=numbers[c.order],
            operation=c.operation,
            charged=c.charged,
            allowed=c.allowed,
            variance=c.charged - c.allowed,
            basis=bases[c.order],
        )
        for c in cells
    ]
    return shown[: 4 * MOST_ORDERS], orders, charged, allowed


def _spending(month: Month, kept: Period | None) -> list[SpendingRow]:
    centers = WorkCenter.objects.in_bulk()
    rows: Iterable[Spent]
    if kept:
        rows = [
            Spent(
                p.work_center_id,
                SpendingKind(p.kind),
                p.absorbed,
                p.actual,
                p.budget,
                p.spending,
                p.volume,
            )
            for p in PeriodSpending.objects.filter(period=kept)
        ]
    else:
        rows = spent_in(month)
    return [
        SpendingRow(
            work_center=centers[s.work_center].code,
            name=centers[s.work_center].name,
            kind=s.kind,
            absorbed=s.absorbed,
            actual=s.actual,
            budget=s.budget,
            spending=s.spending,
            volume=s.volume,
        )
        for s in rows
    ]
