"""What stands open at the end of a month, each in a sentence that leads to its place."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from django.db import connection
from poietic_core.quantity import ZERO

from .months import Month


@dataclass(frozen=True)
class Check:
    """Something that may stand open: the statement that counts it, and how it is said."""

    kind: str
    #: one row: how many, and what they come to [EUR]; may name %(since)s and %(until)s
    statement: str
    done: str
    open: Callable[[int, Decimal], str]
    #: where it is put right
    leads_to: str


@dataclass(frozen=True)
class Finding:
    """What one check found."""

    kind: str
    count: int
    amount: Decimal
    sentence: str
    leads_to: str


def _many(count: int, one: str, more: str) -> str:
    return one if count == 1 else f"{count:,} {more}"


CHECKS = (
    Check(
        "times missing",
        """SELECT count(DISTINCT (p.cost_object_id, u.operation)), 0 FROM ledger_unitline u
           JOIN ledger_posting p ON p.id = u.posting_id
           WHERE u.kind IN ('good', 'scrap', 'rework')
             AND p.happened_at >= %(since)s AND p.happened_at < %(until)s
             AND EXISTS (SELECT 1 FROM orders_orderinput i WHERE i.order_id = p.cost_object_id
                         AND i.operation = u.operation AND i.kind IN ('run labour', 'run machine') AND i.allowed > 0)
             AND NOT EXISTS (SELECT 1 FROM orders_orderinput i WHERE i.order_id = p.cost_object_id
                             AND i.operation = u.operation AND i.kind IN ('run labour', 'run machine') AND i.used > 0)""",
        "Every operation that was reported has its times.",
        lambda n, a: f"{_many(n, '1 operation was', 'operations were')} reported without any time.",
        "/orders/table",
    ),
    Check(
        "not closed",
        """SELECT count(*), coalesce(sum(s.variance), 0) FROM orders_order o
           JOIN orders_outcome s ON s.order_id = o.id
           WHERE o.state = 'completed' AND s.finished_on < (%(until)s)::date""",
        "No order is completed and not closed.",
        lambda n, a: (
            f"{_many(n, '1 order is', 'orders are')} completed and not closed; they vary by {abs(a):,.2f} {'U' if a > 0 else 'F'}."
        ),
        "/cost/closing",
    ),
    Check(
        "odd WIP",
        """SELECT count(*), coalesce(sum(wip), 0) FROM orders_standing s JOIN orders_order o ON o.id = s.order_id
           WHERE s.wip < 0 OR (o.state IN ('released', 'started') AND s.wip > 0 AND s.variance > s.wip / 2)""",
        "No order holds odd WIP.",
        lambda n, a: (
            f"{_many(n, '1 order holds', 'orders hold')} odd WIP: less than nothing, or more than half of it variance."
        ),
        "/orders/table",
    ),
    Check(
        "not invoiced",
        """SELECT count(*), coalesce(sum(d.value - d.returned_value - d.cleared), 0) FROM buying_delivery d
           JOIN ledger_posting p ON p.id = d.posting_id
           WHERE d.is_open AND NOT d.is_undone AND p.happened_at < %(until)s""",
        "All that was received is invoiced.",
        lambda n, a: f"{_many(n, '1 receipt is', 'receipts are')} not invoiced: {a:,.2f}.",
        "/buy/to-invoice",
    ),
    Check(
        "late cost",
        """SELECT count(*), coalesce(sum(amount - in_stock), 0) FROM ledger_latecost WHERE carried_by_id IS NULL""",
        "All late cost is carried on.",
        lambda n, a: (
            f"{_many(n, '1 late cost waits', 'late costs wait')} to be carried on: {a:,.2f}."
        ),
        "/cost/late",
    ),
    Check(
        "counts",
        """SELECT count(*), 0 FROM stores_count WHERE state = 'open'""",
        "No count is open.",
        lambda n, a: f"{_many(n, '1 count is', 'counts are')} open.",
        "/release/counts",
    ),
    Check(
        "at suppliers",
        """SELECT count(*), 0 FROM orders_orderoperation o JOIN orders_order r ON r.id = o.order_id
           WHERE o.sent > o.good + o.scrap + o.rework AND r.state IN ('released', 'started')""",
        "No units are at suppliers.",
        lambda n, a: (
            f"Units of {_many(n, '1 operation are', 'operations are')} at suppliers: have them confirmed."
        ),
        "/buy",
    ),
    Check(
        "on the way",
        """SELECT count(*), 0 FROM stores_transfer WHERE is_on_the_way AND sent_at < %(until)s""",
        "Nothing is on the way between sites.",
        lambda n, a: (
            f"{_many(n, '1 transfer is', 'transfers are')} on the way since before the month ended."
        ),
        "/release/transfers",
    ),
)


def findings(month: Month) -> list[Finding]:
    """Return what stands open at the end of a month, in one statement."""
    parts = " UNION ALL ".join(f"SELECT {n}, x.* FROM ({c.statement}) x" for n, c in enumerate(CHECKS))  # fmt: skip
    bounds: dict[str, datetime] = {"since": month.begins_at, "until": month.ends_at}
    with connection.cursor() as cursor:
        cursor.execute(f"{parts} ORDER BY 1", bounds)
        rows = cursor.fetchall()
    return [
        Finding(
            check.kind,
            int(count),
            Decimal(amount or ZERO),
            check.open(int(count), Decimal(amount)) if count else check.done,
            check.leads_to,
        )
        for check, (_, count, amount) in zip(CHECKS, rows, strict=True)
    ]
