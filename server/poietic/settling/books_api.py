"""The ledger out: trial balance, account sheets, and the journal in open formats."""

import json
from datetime import date, datetime, timedelta
from typing import Annotated

from django.db import connection
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Router
from poietic_core.quantity import ZERO
from pydantic import Field

from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS
from ..ledger.models import Account
from ..papers.rows import MEDIA_TYPES, as_csv, as_workbook
from ..web_api.errors import InvalidInput
from ..web_api.fields import Answer, DecimalText, PageSize, Skip
from .journal_text import ROOTS, Leg, as_double_entry
from .models import AccountCode
from .months import Month
from .periods_api import TrialRow, trial_between

router = Router(tags=["settling"])
#: lines of a file
MOST_LINES = 200_000

SHEET = """
SELECT p.happened_at, p.id, p.kind, p.belongs_on, o.number, j.operation, j.element, coalesce(i.code, ''), j.amount,
  sum(j.amount) OVER (ORDER BY p.happened_at, j.id), count(*) OVER ()
FROM ledger_journalline j JOIN ledger_posting p ON p.id = j.posting_id
LEFT JOIN ledger_costobject o ON o.id = p.cost_object_id
LEFT JOIN catalog_item i ON i.id = j.item_id
WHERE j.account = %(account)s AND p.happened_at >= %(since)s AND p.happened_at < %(until)s
ORDER BY p.happened_at, j.id LIMIT %(limit)s OFFSET %(skip)s
"""
JOURNAL = """
SELECT p.id, p.happened_at, p.entered_at, p.belongs_on, p.kind, p.reason, p.reverses_id, o.number, j.account,
  coalesce(ci.code, cg.code, cw.code, ca.code, ''), coalesce(i.code, ''), coalesce(w.code, ''), j.operation, j.element, j.amount
FROM ledger_journalline j JOIN ledger_posting p ON p.id = j.posting_id
LEFT JOIN ledger_costobject o ON o.id = p.cost_object_id
LEFT JOIN catalog_item i ON i.id = j.item_id
LEFT JOIN orders_orderoperation r ON r.order_id = p.cost_object_id AND r.number = j.operation
LEFT JOIN engineering_workcenter w ON w.id = r.work_center_id
LEFT JOIN settling_accountcode ci ON ci.account = j.account AND ci.item_id = j.item_id
LEFT JOIN settling_accountcode cg ON cg.account = j.account AND cg.item_group = i.item_group AND i.item_group <> ''
LEFT JOIN settling_accountcode cw ON cw.account = j.account AND cw.work_center_id = w.id
LEFT JOIN settling_accountcode ca ON ca.account = j.account AND ca.item_id IS NULL AND ca.work_center_id IS NULL AND ca.item_group = ''
WHERE p.happened_at >= %(since)s AND p.happened_at < %(until)s
ORDER BY p.happened_at, p.id, j.id LIMIT %(limit)s
"""
#: columns of the journal, with what they are (Frictionless Table Schema)
SCHEMA = (
    ("posting", "integer", "number of the posting; its lines add up to 0"),
    ("happened_at", "datetime", "when it happened"),
    ("entered_at", "datetime", "when it was entered"),
    ("belongs_on", "date", "the day it belongs to, where that lay in a closed month"),
    ("kind", "string", "what happened"),
    ("reason", "string", "why"),
    ("reverses", "integer", "the posting that it takes back"),
    ("order", "integer", "production order"),
    ("account", "string", "account"),
    ("code", "string", "its code in the books outside"),
    ("item", "string", "item"),
    ("work_center", "string", "work center"),
    ("operation", "integer", "operation of the order"),
    ("element", "string", "cost element"),
    ("amount", "number", "debit above zero, credit below [EUR]"),
)


class AccountRow(TrialRow):
    """An account with its code, and what kind of account it is."""

    code: str
    root: str


class TrialOut(Answer):
    """All accounts in a span: the sums of both sides are equal."""

    since: date
    until: date
    rows: list[AccountRow]
    debit: DecimalText
    credit: DecimalText
    #: codes of single work centers, items and groups of items
    codes: list["AccountCodeOut"]


class AccountCodeOut(Answer):
    """What an account is called for a work center, an item or a group of items."""

    account: str
    work_center: str
    item: str
    item_group: str
    code: str


class AccountLine(Answer):
    """A line of an account sheet, with what stood on it after."""

    at: datetime
    posting: int
    kind: str
    belongs_on: date | None
    order: int | None
    operation: int | None
    element: str
    item: str
    amount: DecimalText
    balance: DecimalText


class AccountSheet(Answer):
    """An account in a span."""

    account: str
    code: str
    since: date
    until: date
    opening: DecimalText
    rows: list[AccountLine]
    whole: int


class Span:
    """A span of days, both included; left out, this month up to today."""

    def __init__(self, since: date | None, until: date | None) -> None:
        self.until = until or timezone.localdate()
        self.since = since or self.until.replace(day=1)
        if self.since > self.until:
            raise InvalidInput([f"since: {self.since} lies after {self.until}"])
        if not date(1990, 1, 1) <= self.since or self.until > date(2200, 1, 1):
            raise InvalidInput(["since: the books begin in 1990"])

    def bounds(self) -> dict[str, datetime]:
        """Return it as moments of the works' days."""
        day = Month(self.since).begins_at
        return {"since": day, "until": Month(self.until + timedelta(days=1)).begins_at}


@router.get("/books", auth=READ_COSTS, response=TrialOut)
def books(request: HttpRequest, since: date | None = None, until: date | None = None) -> TrialOut:
    """Return the trial balance of a span."""
    span = Span(since, until)
    bounds = span.bounds()
    found = {r.account: r for r in trial_between(bounds["since"], bounds["until"])}
    codes = list(AccountCode.objects.select_related("work_center", "item"))
    plain = {c.account: c.code for c in codes if not (c.work_center or c.item or c.item_group)}
    rows = []
    for account in Account:
        if account.value not in found and account.value not in plain:
            continue
        none = TrialRow(account=account.value, opening=ZERO, debit=ZERO, credit=ZERO, closing=ZERO)
        rows.append(
            AccountRow(
                **vars(found.get(account.value, none)),
                code=plain.get(account.value, ""),
                root=ROOTS[account],
            )
        )
    return TrialOut(
        since=span.since,
        until=span.until,
        rows=rows,
        debit=sum((r.debit for r in rows), ZERO),
        credit=sum((r.credit for r in rows), ZERO),
        codes=[
            AccountCodeOut(
                account=c.account,
                work_center=c.work_center.code if c.work_center else "",
                item=c.item.code if c.item else "",
                item_group=c.item_group,
                code=c.code,
            )
            for c in codes
            if c.work_center or c.item or c.item_group
        ],
    )


@router.get("/books/{account}", auth=READ_COSTS, response={200: AccountSheet, 404: Problem})
def sheet(
    request: HttpRequest,
    account: Account,
    since: date | None = None,
    until: date | None = None,
    limit: PageSize = 100,
    skip: Skip = 0,
) -> AccountSheet:
    """Return the lines of an account in a span, each with what stood on it after."""
    span = Span(since, until)
    asked: dict[str, datetime | str] = {**span.bounds(), "account": account.value}
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT coalesce(sum(j.amount), 0) FROM ledger_journalline j JOIN ledger_posting p ON p.id = j.posting_id "
            "WHERE j.account = %(account)s AND p.happened_at < %(since)s",
            asked,
        )
        opening = cursor.fetchone()[0]
        cursor.execute(SHEET, {**asked, "limit": limit, "skip": skip})
        rows = cursor.fetchall()
    code = AccountCode.objects.filter(account=account, work_center=None, item=None, item_group="")
    names = ("at", "posting", "kind", "belongs_on", "order", "operation", "element", "item", "amount")  # fmt: skip
    return AccountSheet(
        account=account.value,
        code=code.values_list("code", flat=True).first() or "",
        since=span.since,
        until=span.until,
        opening=opening,
        rows=[
            AccountLine(**dict(zip(names, row[:9], strict=True)), balance=opening + row[9])
            for row in rows
        ],
        whole=rows[0][10] if rows else 0,
    )


@router.get("/journal.{form}", auth=READ_COSTS)
def journal(
    request: HttpRequest,
    form: Annotated[str, Field(max_length=12)],
    since: date | None = None,
    until: date | None = None,
) -> HttpResponse:
    """Return the journal of a span: CSV or XLSX, its Table Schema, or plain-text double entry."""
    span = Span(since, until)
    if form == "schema.json":
        fields = [{"name": n, "type": t, "description": d} for n, t, d in SCHEMA]
        said = {"fields": fields, "primaryKey": [], "missingValues": [""]}
        return _file(json.dumps(said, indent=2), "application/json", f"journal.{form}")
    if form not in (*MEDIA_TYPES, "txt"):
        raise InvalidInput([f"form: {form} is none of {', '.join(MEDIA_TYPES)}, txt, schema.json"])
    lines = _lines(span)
    name = f"journal-{span.since}.{form}"
    if form == "txt":
        return _file(as_double_entry(lines), "text/plain; charset=utf-8", name)
    head = [n for n, _, _ in SCHEMA]
    rows = [[_cell(v) for v in line] for line in lines]
    content = as_csv(head, rows) if form == "csv" else as_workbook("journal", head, rows)
    return _file(content, MEDIA_TYPES[form], name)


def _lines(span: Span) -> list[Leg]:
    with connection.cursor() as cursor:
        cursor.execute(JOURNAL, {**span.bounds(), "limit": MOST_LINES + 1})
        rows = cursor.fetchall()
    if len(rows) > MOST_LINES:
        raise InvalidInput([f"since: the span has more than {MOST_LINES:,} lines; ask for a shorter one"])  # fmt: skip
    return [Leg(*row) for row in rows]


def _cell(value: object) -> object:
    return value.isoformat() if isinstance(value, datetime | date) else value


def _file(content: str | bytes, media_type: str, name: str) -> HttpResponse:
    answer = HttpResponse(content, content_type=media_type)
    answer["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer
