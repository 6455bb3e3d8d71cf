"""The journal as plain-text double entry: dated transactions whose legs add up to nothing."""

import re
from collections.abc import Sequence
from datetime import date, datetime
from decimal import Decimal
from itertools import groupby
from typing import NamedTuple

from ..ledger.models import Account

#: what kind of account each is; variances and absorbed cost are expenses, either side
ROOTS: dict[Account, str] = dict.fromkeys(Account, "Expenses") | {
    Account.STOCK: "Assets",
    Account.WIP: "Assets",
    Account.LATE_COST: "Assets",
    Account.WIP_ADJUSTMENT: "Assets",
    Account.STOCK_ADJUSTMENT: "Assets",
    Account.GOODS_RECEIVED: "Liabilities",
    Account.PAYABLES: "Liabilities",
}


class Leg(NamedTuple):
    """A line of the journal."""

    posting: int
    happened_at: datetime
    entered_at: datetime
    belongs_on: date | None
    kind: str
    reason: str
    reverses: int | None
    order: int | None
    account: str
    code: str
    item: str
    work_center: str
    operation: int | None
    element: str
    amount: Decimal


def as_double_entry(lines: Sequence[Leg]) -> str:
    """Return lines as transactions in plain text, each account opened on the first day.

    The syntax is that of plain-text accounting: a date, what it was in quotes, and indented legs of
    account, amount and currency.
    """
    if not lines:
        return "; nothing was posted in this time\n"
    first = min(line.happened_at for line in lines).date()
    names = {(line.account, line.code): _name(line) for line in lines}
    written = [f"{first} open {name} EUR" for name in sorted(set(names.values()))]
    for posting, legs in groupby(lines, key=lambda line: line.posting):
        own = list(legs)
        about = f"posting {posting}" + (f", order {own[0].order}" if own[0].order else "")
        written += [
            "",
            f'{own[0].happened_at.date()} * "{_quoted(own[0].kind)}" "{_quoted(about)}"',
        ]
        written += [f"  {names[g.account, g.code]}  {g.amount:.2f} EUR" for g in own]
    return "\n".join(written) + "\n"


def _name(leg: Leg) -> str:
    """Return an account's name: its kind, its words, its code where it has one."""
    words = [w.capitalize() for w in re.findall(r"[a-z0-9]+", leg.account.lower())]
    code = re.sub(r"[^A-Za-z0-9]", "", leg.code)
    return f"{ROOTS[Account(leg.account)]}:{'-'.join(words)}" + (f":{code.capitalize()}" if code else "")  # fmt: skip


def _quoted(text: str) -> str:
    return text.replace("\\", "\\\\").replace('"', '\\"')
