"""Months of the books: what work centers cost, closing, opening again."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import timedelta
from decimal import Decimal
from typing import Annotated, ClassVar

from django.utils import timezone
from poietic_core.errors import DomainError
from poietic_core.quantity import ZERO, money
from pydantic import Field

from ...commanding.reading import COST_READERS
from ...commanding.registry import Context, command
from ...commanding.roles import Role
from ...engineering.models import WorkCenter
from ...ledger.document import mirror
from ...ledger.models import Account, Period, PeriodEvent, Posting
from ...ledger.periods import shut_the_gate
from ...ledger.transaction import Transaction
from ...ledger.verify import differences
from ...orders.commands.taking_back import postings_of_act
from ...statements.bulk import insert_rows
from ...web_api.errors import NotFound
from ...web_api.fields import Budget as Amount
from ...web_api.fields import Code, Day, Note, Strict
from ..actual_costs import actuals_of
from ..at_month_end import Spent, WipCell, spent_in, wip_at_end
from ..models import ActualCost, PeriodSpending, PeriodWip, SpendingKind
from ..months import Month, next_to_close

#: by kind: what it is an expense of, where it was absorbed from, and where the rest goes
ACCOUNTS = {
    SpendingKind.LABOUR: (Account.LABOUR_EXPENSE, Account.LABOUR_ABSORBED, Account.LABOUR_SPENDING),
    SpendingKind.MACHINE: (
        Account.MACHINE_EXPENSE,
        Account.MACHINE_ABSORBED,
        Account.MACHINE_SPENDING,
    ),
    SpendingKind.VARIABLE_OVERHEAD: (
        Account.OVERHEAD_EXPENSE,
        Account.OVERHEAD_ABSORBED,
        Account.OVERHEAD_SPENDING,
    ),
    SpendingKind.FIXED_OVERHEAD: (
        Account.OVERHEAD_EXPENSE,
        Account.OVERHEAD_ABSORBED,
        Account.OVERHEAD_SPENDING,
    ),
}
MOMENT = timedelta(seconds=1)


@dataclass(eq=False)
class OutOfTurn(DomainError):
    """A month that can't be closed now."""

    month: str
    reason: str
    code: ClassVar[str] = "period.out_of_turn"
    what: ClassVar[str] = "{month} can't be closed."
    why: ClassVar[str] = "{reason}"
    fix: ClassVar[str] = "Close the earliest open month that is over."


@dataclass(eq=False)
class BooksDiffer(DomainError):
    """Balances that are not what the postings say."""

    month: str
    differences: list[str]
    code: ClassVar[str] = "period.books_differ"
    what: ClassVar[str] = "{month} can't be closed."
    why: ClassVar[str] = "Balances differ from the postings: {differences}."
    fix: ClassVar[str] = "Have the differences looked into first; nothing was closed."


@dataclass(eq=False)
class NotClosed(DomainError):
    """A month that is not the last one closed."""

    month: str
    last: str
    code: ClassVar[str] = "period.not_the_last"
    what: ClassVar[str] = "{month} can't be opened again."
    why: ClassVar[str] = "The last month that is closed is {last}."
    fix: ClassVar[str] = "Open that one first."


class CostEntered(Strict):
    """What a work center really cost, by kind."""

    work_center: Code
    kind: SpendingKind
    amount: Amount


class EnterActualCost(Strict):
    """Payroll, machine and overhead cost of a month; more of it may come later."""

    month: Day
    costs: Annotated[list[CostEntered], Field(min_length=1, max_length=500)]
    reason: Note = ""


class ClosePeriod(Strict):
    """A month that is over; a day of it says which."""

    month: Day
    #: take the variance to date of orders that run out of WIP, and back when the next month begins
    at_standard: bool = False
    #: carry what standards differ by to stock and to what was sold, and back when the next month begins
    at_actual: bool = False
    reason: Note = ""


class ReopenPeriod(Strict):
    """The last month that was closed, and why it is opened again."""

    month: Day
    reason: Annotated[str, Field(min_length=1, max_length=400)]


@command(
    "enter-actual-cost", "Enter what work centers cost", Role.COST_ACCOUNTANT, told=COST_READERS
)
def enter_actual_cost(context: Context, given: EnterActualCost) -> None:
    """Post what work centers really cost in a month; what they absorbed is set against it at its end."""
    month = Month.of(given.month)
    codes = {c.work_center for c in given.costs}
    centers = {w.code: w for w in WorkCenter.objects.filter(code__in=codes)}
    for code in sorted(codes - set(centers)):
        raise NotFound("work center", code)
    transaction = Transaction(context)
    happened = min(month.ends_at - MOMENT, context.now)
    document = transaction.open(Posting.Kind.ACTUAL_COST, happened_at=happened, reason=given.reason)
    if document.belongs_on:
        raise OutOfTurn(str(month), "It is closed: have it opened again first.")
    for cost in given.costs:
        expense, _, _ = ACCOUNTS[cost.kind]
        document.journal(expense, money(cost.amount))
        document.journal(Account.PAYABLES, -money(cost.amount))
    transaction.post()
    insert_rows(
        ActualCost,
        ("first", "work_center", "kind", "posting", "amount", "is_taken_back"),
        [
            (month.first, centers[c.work_center].pk, c.kind.value, document.key, money(c.amount), False)
            for c in given.costs
        ],
    )  # fmt: skip


def take_back_actual_cost(context: Context, posting: int, reason: str) -> None:
    """Take back what was entered as cost of work centers."""
    context.guard(f"actual cost {posting}")
    original, _ = postings_of_act(posting)
    transaction = Transaction(context)
    document = transaction.open(Posting.Kind.ACTUAL_COST, happened_at=original.happened_at, reason=reason, reverses=original)  # fmt: skip
    if document.belongs_on:
        raise OutOfTurn(str(Month.of(document.belongs_on)), "It is closed: have it opened again first.")  # fmt: skip
    mirror(document, original)
    transaction.post()
    ActualCost.objects.filter(posting=posting).update(is_taken_back=True)


@command("close-period", "Close a month", Role.COST_ACCOUNTANT, is_long=True, told=COST_READERS)
def close_period(context: Context, given: ClosePeriod) -> None:
    """Value WIP, set what was absorbed against what it cost, and let nothing more post into the month."""
    month = Month.of(given.month)
    shut_the_gate()
    _require_turn(context, month)
    if found := differences():
        raise BooksDiffer(str(month), found[:5])
    cells, _ = wip_at_end(month)
    spent = spent_in(month)
    _post_absorption(context, month, spent, given.reason)
    if given.at_standard:
        _post_variance_to_date(context, month, cells)
    if given.at_actual:
        _post_actual_cost(context, month)
    names = {"begins_at": month.begins_at, "ends_at": month.ends_at, "closed_at": context.now}
    period, _ = Period.objects.update_or_create(
        first=month.first, defaults=names | {"change": context.change}
    )
    _keep(period, cells, spent)
    _tell(context, period, closes=True, reason=given.reason)


@command("reopen-period", "Open a month again", Role.ADMINISTRATOR, told=COST_READERS)
def reopen_period(context: Context, given: ReopenPeriod) -> None:
    """Let postings into the last closed month again; what its closing posted is taken back."""
    month = Month.of(given.month)
    shut_the_gate()
    last = Period.objects.filter(closed_at__isnull=False).order_by("-first").first()
    if last is None or last.first != month.first:
        raise NotClosed(str(month), str(last or "none"))
    last.closed_at, last.change = None, context.change
    last.save(update_fields=["closed_at", "change"])
    closed = last.events.filter(closes=True).order_by("-pk").values_list("entry", flat=True)[:1]
    transaction = Transaction(context)
    posted = Posting.objects.filter(entry__in=closed, reverses=None, reversal=None)
    for original in posted.order_by("-pk"):
        document = transaction.open(
            Posting.Kind.PERIOD_END,
            happened_at=original.happened_at,
            reason=given.reason,
            reverses=original,
        )
        mirror(document, original)
    if transaction.documents:
        transaction.post()
    last.wip.all().delete()
    last.spending.all().delete()
    _tell(context, last, closes=False, reason=given.reason)


def _require_turn(context: Context, month: Month) -> None:
    if month.ends_at > context.now:
        raise OutOfTurn(str(month), f"It is not over before {month.next.first}.")
    due = next_to_close()
    if due is None:
        raise OutOfTurn(str(month), "Nothing was posted yet.")
    if due.first < month.first:
        raise OutOfTurn(str(month), f"{due} is open.")
    if due.first > month.first:
        raise OutOfTurn(str(month), "It is closed already, or lies before the first posting.")


def _post_absorption(context: Context, month: Month, spent: Sequence[Spent], reason: str) -> None:
    """Set what was absorbed against what it cost, work center by work center; the rest is variance."""
    transaction = Transaction(context)
    document = transaction.open(
        Posting.Kind.PERIOD_END, happened_at=month.ends_at - MOMENT, reason=reason
    )
    for s in spent:
        if s.actual is None:
            continue
        expense, absorbed, spending = ACCOUNTS[s.kind]
        document.journal(expense, -s.actual)
        document.journal(absorbed, s.absorbed)
        document.journal(spending, s.spending)
        document.journal(Account.OVERHEAD_VOLUME, s.volume)
    if any(document.money.values()):
        transaction.post()


def _post_variance_to_date(context: Context, month: Month, cells: Sequence[WipCell]) -> None:
    """Value what orders hold at standard until the next month begins."""
    beyond = sum((c.charged - c.allowed for c in cells), ZERO)
    if not beyond or month.ends_at > context.now:
        return
    transaction = Transaction(context)
    for sign, moment in ((1, month.ends_at - MOMENT), (-1, month.ends_at)):
        document = transaction.open(Posting.Kind.PERIOD_END, happened_at=moment)
        document.journal(Account.VARIANCE_OF_OPEN_ORDERS, sign * beyond)
        document.journal(Account.WIP_ADJUSTMENT, -sign * beyond)
    transaction.post()


#: where what standards differ by stays, by where the goods are; of all else it is cost of the month
ADJUSTED = {"in stock": Account.STOCK_ADJUSTMENT, "sold": Account.SOLD_ADJUSTMENT}


def _post_actual_cost(context: Context, month: Month) -> None:
    """Show stock and what was sold at what they cost until the next month begins."""
    sums: dict[Account, Decimal] = {}
    for found in actuals_of(month).items:
        for where, amount in found.ends.items():
            if account := ADJUSTED.get(where):
                sums[account] = sums.get(account, ZERO) + amount
    if not any(sums.values()):
        return
    transaction = Transaction(context)
    for sign, moment in ((1, month.ends_at - MOMENT), (-1, month.ends_at)):
        document = transaction.open(Posting.Kind.PERIOD_END, happened_at=moment)
        for account, amount in sums.items():
            document.journal(account, sign * amount)
            document.journal(Account.PERIOD_DIFFERENCES, -sign * amount)
    transaction.post()


def _keep(period: Period, cells: Sequence[WipCell], spent: Sequence[Spent]) -> None:
    insert_rows(
        PeriodWip,
        ("period", "cost_object", "operation", "charged", "allowed"),
        [(period.pk, c.order, c.operation, c.charged, c.allowed) for c in cells],
    )
    rows: list[tuple[object, ...]] = [
        (period.pk, s.work_center, s.kind.value, s.absorbed, s.actual, s.budget, s.spending, s.volume)
        for s in spent
    ]  # fmt: skip
    insert_rows(
        PeriodSpending,
        ("period", "work_center", "kind", "absorbed", "actual", "budget", "spending", "volume"),
        rows,
    )


def _tell(context: Context, period: Period, *, closes: bool, reason: str) -> None:
    PeriodEvent.objects.create(
        period=period,
        entry_id=context.change,
        closes=closes,
        person_id=context.person.pk if context.person else None,
        at=context.now,
        reason=reason,
    )
    words = ("open", "closed") if closes else ("closed", "open")
    context.effects.field(f"{period}", "state", *words)
    context.made["period"] = f"{timezone.localdate(period.begins_at):%Y-%m}"
