"""What finished orders varied by, asked across orders: by item, cause, work center, person, period and more."""

from collections.abc import Mapping
from datetime import date, timedelta
from decimal import Decimal
from enum import StrEnum
from typing import Annotated, Any

from django.db import connection
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Router
from poietic_core.quantity import CENT, ZERO, exact, round_to
from pydantic import Field

from ..commanding.reading import READ_COSTS
from ..orders.basis import Basis, bases_of, parts_by_basis
from ..papers.rows import MEDIA_TYPES, as_csv, as_workbook
from ..papers.sheet import QUIET, TITLE, paper, table, words
from ..web_api.errors import InvalidInput
from ..web_api.fields import Answer, DecimalText
from .models import FollowUp

router = Router(tags=["settling"])
#: rows that are shown; the rest is one row
MOST_SHOWN = 60
MOST_COLUMNS = 24
MOST_ORDERS = 200
BEFORE = 3
#: what a row of the answer is a whole of: nothing (a cell), its columns, or all
ROW, ALL = 1, 3
OF_ORDERS = "JOIN orders_order o ON o.id = c.order_id JOIN catalog_item t ON t.id = c.item_id"
#: days that can be asked for
EARLIEST, LATEST = date(1990, 1, 1), date(2200, 1, 1)


class By(StrEnum):
    """What variances can be asked by."""

    CAUSE = "cause"
    ITEM = "item"
    WORK_CENTER = "work center"
    COMPONENT = "component"
    SUPPLIER = "supplier"
    GRADE = "grade"
    PERSON = "person"
    CUSTOMER = "customer"
    REASON = "reason"
    PERIOD = "period"


#: of each: its key, its name, and what it takes to know them
TERMS: Mapping[By, tuple[str, str, str]] = {
    By.CAUSE: ("c.kind", "c.kind", ""),
    By.ITEM: ("i.code", "i.name", "JOIN catalog_item i ON i.id = c.item_id"),
    By.WORK_CENTER: ("w.code", "w.name", "LEFT JOIN engineering_workcenter w ON w.id = c.work_center_id"),
    By.COMPONENT: ("m.code", "m.name", "LEFT JOIN catalog_item m ON m.id = c.component_id"),
    By.SUPPLIER: ("s.code", "s.name", "LEFT JOIN catalog_partner s ON s.id = c.supplier_id"),
    By.GRADE: ("g.code", "g.name", "LEFT JOIN engineering_labourgrade g ON g.id = c.grade_id"),
    By.PERSON: ("h.name", "h.full_name", "LEFT JOIN people_person h ON h.id = c.person_id"),
    By.CUSTOMER: (
        "k.code",
        "k.name",
        "JOIN orders_order b ON b.id = c.order_id LEFT JOIN catalog_partner k ON k.id = b.customer_id",
    ),
    By.REASON: ("nullif(c.reason, '')", "c.reason", ""),
    By.PERIOD: ("to_char(c.finished_on, 'YYYY-MM')", "to_char(c.finished_on, 'YYYY-MM')", ""),
}  # fmt: skip
Chosen = Annotated[str, Field(max_length=2000)]


class Axis(Answer):
    """A row or a column: nothing has a key of its own."""

    key: str
    name: str


class AcrossCell(Answer):
    """What a row comes to in a column."""

    column: str
    amount: DecimalText


class AcrossRow(Answer):
    """A row of the table, the dearest first."""

    key: str
    name: str
    orders: int
    amount: DecimalText
    #: of all that is unfavourable [%], this row and those above it; null where it is favourable
    running: DecimalText | None
    #: what the three spans before came to, on average, and how much more this is
    before: DecimalText
    more: DecimalText
    cells: list[AcrossCell]


class BasisPart(Answer):
    """What of a sum over orders stands on a basis."""

    basis: Basis
    orders: int
    amount: DecimalText


class AcrossOut(Answer):
    """Variances of the orders that were finished in a span, by two things."""

    since: date
    until: date
    orders: int
    amount: DecimalText
    stands_on: list[BasisPart]
    before: DecimalText
    #: what moved most against the spans before
    sentence: str
    columns: list[Axis]
    rows: list[AcrossRow]
    #: rows beyond those shown, together
    others: int
    others_amount: DecimalText


class AcrossOrder(Answer):
    """An order behind a cell."""

    order: int
    item: str
    name: str
    finished: date
    amount: DecimalText
    basis: Basis
    #: note and owner, where somebody follows up
    note: str
    owner: str


class AcrossOrders(Answer):
    """The orders behind a cell, those with the largest amounts first."""

    rows: list[AcrossOrder]
    whole: int


class Asked:
    """A span and the conditions of a question, such as cause:yield;work center:MILL."""

    def __init__(self, since: date | None, until: date | None, where: str) -> None:
        today = timezone.localdate()
        self.until = until or today
        if not EARLIEST <= self.until <= LATEST:
            raise InvalidInput([f"until: ask for days from {EARLIEST} to {LATEST}"])
        self.since = since or (self.until.replace(day=1) - timedelta(days=40)).replace(day=1)
        if not EARLIEST - timedelta(days=90) <= self.since <= self.until:
            raise InvalidInput(
                [f"since: {self.since} lies after {self.until}, or before {EARLIEST}"]
            )
        self.values: dict[str, date | str] = {"since": self.since, "until": self.until}
        self.conditions = "WHERE c.finished_on BETWEEN %(since)s AND %(until)s"
        self.by: list[By] = []
        for n, said in enumerate(filter(None, where.split(";"))):
            name, _, value = said.partition(":")
            if name not in set(By):
                raise InvalidInput([f"where: {name} is none of {', '.join(By)}"])
            key = TERMS[By(name)][0]
            self.by.append(By(name))
            self.conditions += f" AND coalesce({key}, '') = %(value{n})s"
            self.values[f"value{n}"] = value

    def before(self) -> "Asked":
        """Return the same question for the three spans of the same length before."""
        days = (self.until - self.since).days + 1
        other = Asked(self.since, self.until, "")
        other.since, other.until = self.since - timedelta(days=days * BEFORE), self.since - timedelta(days=1)  # fmt: skip
        other.conditions, other.by = self.conditions, self.by
        other.values = self.values | {"since": other.since, "until": other.until}
        return other


def _from(asked: Asked, *by: By, beside: str = "") -> str:
    """Return the tables that a question takes, and no others but those named beside."""
    joins = dict.fromkeys([*(TERMS[each][2] for each in (*by, *asked.by)), beside])
    return f"FROM orders_causerow c {' '.join(filter(None, joins))} {asked.conditions}"


def _table(asked: Asked, by: By, columns: By) -> list[tuple[Any, ...]]:
    """Return each cell, each row as a whole and all of it, in one pass: what of it is whole, key and name
    of row and column, amount, orders."""
    key, name, _ = TERMS[by]
    column, head, _ = TERMS[columns]
    with connection.cursor() as cursor:
        cursor.execute(
            f"SELECT grouping(coalesce({key}, ''), coalesce({column}, '')), coalesce({key}, ''), coalesce(max({name}), ''), "
            f"coalesce({column}, ''), coalesce(max({head}), ''), sum(c.amount), count(DISTINCT c.order_id) "
            f"{_from(asked, by, columns)} GROUP BY GROUPING SETS ((coalesce({key}, ''), coalesce({column}, '')), (coalesce({key}, '')), ())",
            asked.values,
        )
        return list(cursor.fetchall())


def _sums(asked: Asked, by: By) -> list[tuple[str, Decimal]]:
    """Return what each thing comes to."""
    with connection.cursor() as cursor:
        cursor.execute(
            f"SELECT coalesce({TERMS[by][0]}, ''), sum(c.amount) {_from(asked, by)} GROUP BY 1",
            asked.values,
        )
        return list(cursor.fetchall())


def _stands_on(asked: Asked) -> list[BasisPart]:
    amounts = f"SELECT c.order_id, sum(c.amount) AS amount {_from(asked)} GROUP BY 1"
    return [
        BasisPart(basis=basis, orders=orders, amount=amount)
        for basis, orders, amount in parts_by_basis(amounts, asked.values)
    ]


@router.get("/variances", auth=READ_COSTS, response=AcrossOut)
def variances(
    request: HttpRequest,
    rows: By = By.ITEM,
    columns: By = By.CAUSE,
    since: date | None = None,
    until: date | None = None,
    where: Chosen = "",
) -> AcrossOut:
    """Return what finished orders varied by, as a table, with what the three spans before came to."""
    return across(Asked(since, until, where), rows, columns)


@exact
def across(asked: Asked, by: By, columns: By) -> AcrossOut:
    """Return the table of a question."""
    cells: dict[str, dict[str, Decimal]] = {}
    names: dict[str, str] = {}
    heads: dict[str, tuple[str, Decimal]] = {}
    counts: dict[str, int] = {}
    orders = 0
    for whole_of, key, name, column, head, amount, count in _table(asked, by, columns):
        if whole_of == ALL:
            orders = count
        elif whole_of == ROW:
            counts[key] = count
        else:
            names[key] = name
            counts.setdefault(key, count)  # where rows and columns are the same, no other says so
            cells.setdefault(key, {})[column] = Decimal(amount)
            heads[column] = (head, heads.get(column, (head, ZERO))[1] + abs(Decimal(amount)))
    earlier = {key: Decimal(a) / BEFORE for key, a in _sums(asked.before(), by)}
    totals = {key: sum(own.values(), ZERO) for key, own in cells.items()}
    listed = sorted(totals, key=lambda k: (-totals[k], k))
    unfavourable = sum((a for a in totals.values() if a > 0), ZERO)
    shown, running = [], ZERO
    for key in listed:
        running += max(totals[key], ZERO)
        share = round_to(100 * running / unfavourable, Decimal("0.1")) if totals[key] > 0 else None
        was = round_to(earlier.get(key, ZERO), CENT)
        shown.append(
            AcrossRow(
                key=key,
                name=names[key],
                orders=counts.get(key, 0),
                amount=totals[key],
                running=share,
                before=was,
                more=totals[key] - was,
                cells=[AcrossCell(column=c, amount=a) for c, a in cells[key].items() if a],
            )
        )
    # of many, those that matter: the dearest, and what is saved most
    kept = shown if len(shown) <= MOST_SHOWN else [*shown[: MOST_SHOWN - 10], *shown[-10:]]
    wide = sorted(heads, key=lambda h: (-heads[h][1], h))[:MOST_COLUMNS]
    if columns is By.PERIOD:
        wide = sorted(wide)
    stands_on = _stands_on(asked)
    whole, was = sum(totals.values(), ZERO), round_to(sum(earlier.values(), ZERO), CENT)
    return AcrossOut(
        since=asked.since,
        until=asked.until,
        orders=orders,
        amount=whole,
        stands_on=stands_on,
        before=was,
        sentence=_sentence(by, shown, whole, was) + _basis_sentence(stands_on),
        columns=[Axis(key=h, name=heads[h][0]) for h in wide],
        rows=kept,
        others=len(shown) - len(kept),
        others_amount=whole - sum((r.amount for r in kept), ZERO),
    )


def _sentence(by: By, rows: list[AcrossRow], whole: Decimal, before: Decimal) -> str:
    """Return what moved most against the spans before."""
    if not rows:
        return "No order was finished in this time."
    more = whole - before
    said = f"{_money(abs(whole))} {_letter(whole)} in all, {_money(abs(more))} {'more' if more > 0 else 'less'} than the three spans before on average"
    worst = max(rows, key=lambda r: abs(r.more))
    if worst.more:
        name = worst.name or f"no {by.value}"
        way = "more" if worst.more > 0 else "less"
        said += f"; {name} moved most: {_money(abs(worst.more))} {way}"
    return said + "."


def _basis_sentence(parts: list[BasisPart]) -> str:
    """Return what of it may still change, and what did after it was final; nothing where all is final."""
    said = [
        f"{_signed(p.amount) or 0} of {p.orders} order{'s' if p.orders > 1 else ''} {'are' if p.orders > 1 else 'is'} {p.basis}"
        for p in parts
        if p.basis is not Basis.ACTUAL
    ]
    return f" {', '.join(said)}." if said else ""


def _money(amount: Decimal) -> str:
    return f"{round_to(amount, CENT):,.2f}"


def _letter(amount: Decimal) -> str:
    return "U" if amount > 0 else "F"


@router.get("/variances/orders", auth=READ_COSTS, response=AcrossOrders)
def variance_orders(
    request: HttpRequest, since: date | None = None, until: date | None = None, where: Chosen = ""
) -> AcrossOrders:
    """Return the orders behind a cell, with who follows up."""
    asked = Asked(since, until, where)
    with connection.cursor() as cursor:
        cursor.execute(
            f"SELECT o.number, max(t.code), max(t.name), max(c.finished_on), sum(c.amount), o.id, count(*) OVER () "
            f"{_from(asked, beside=OF_ORDERS)} GROUP BY o.id HAVING sum(c.amount) <> 0 ORDER BY abs(sum(c.amount)) DESC, o.number LIMIT {MOST_ORDERS}",
            asked.values,
        )
        rows = cursor.fetchall()
    bases = bases_of([r[5] for r in rows])
    kept = {f.order_id: f for f in FollowUp.objects.filter(order__in=[r[5] for r in rows]).select_related("owner")}  # fmt: skip
    return AcrossOrders(
        rows=[
            AcrossOrder(
                order=number,
                item=item,
                name=name,
                finished=finished,
                amount=amount,
                basis=bases[key],
                note=kept[key].note if key in kept else "",
                owner=str(kept[key].owner or "") if key in kept else "",
            )
            for number, item, name, finished, amount, key, _ in rows
        ],
        whole=rows[0][6] if rows else 0,
    )


@router.get("/variances.{form}", auth=READ_COSTS)
def variances_file(
    request: HttpRequest,
    form: str,
    rows: By = By.ITEM,
    columns: By = By.CAUSE,
    since: date | None = None,
    until: date | None = None,
    where: Chosen = "",
) -> HttpResponse:
    """Return the table as a CSV file or a workbook, or as it is printed."""
    if form not in (*MEDIA_TYPES, "pdf"):
        raise InvalidInput([f"form: {form} is none of {', '.join(MEDIA_TYPES)}, pdf"])
    found = across(Asked(since, until, where), rows, columns)
    if form == "pdf":
        return HttpResponse(_printed(found, rows, columns, where), content_type="application/pdf")
    head = [rows.value, "name", "orders", "variance", "before", *(c.name or f"no {columns.value}" for c in found.columns)]  # fmt: skip
    body = []
    for r in found.rows:
        own = {c.column: c.amount for c in r.cells}
        body.append([r.key, r.name, r.orders, r.amount, r.before, *(own.get(c.key, ZERO) for c in found.columns)])  # fmt: skip
    content = as_csv(head, body) if form == "csv" else as_workbook("variances", head, body)
    answer = HttpResponse(content, content_type=MEDIA_TYPES[form])
    answer["Content-Disposition"] = f'attachment; filename="variances-{found.since}.{form}"'
    return answer


#: columns that a sheet has room for
MOST_PRINTED = 3


def _printed(found: AcrossOut, by: By, columns: By, where: str) -> bytes:
    """Return the table as PDF: the rows shown, with the widest columns there is room for."""
    wide = found.columns[:MOST_PRINTED]
    head = [by.value, "orders", "EUR", "running %", "moved", *(c.name or f"no {columns.value}" for c in wide)]  # fmt: skip
    lines: list[list[Any]] = [head]
    for r in found.rows:
        own = {c.column: _signed(c.amount) for c in r.cells}
        lines.append([words(r.name or f"no {by.value}"), str(r.orders), _signed(r.amount), str(r.running or ""), _signed(r.more), *(own.get(c.key, "") for c in wide)])  # fmt: skip
    if found.others:
        lines.append([words(f"{found.others} others"), "", _signed(found.others_amount)])
    lines.append([words("All"), str(found.orders), _signed(found.amount)])
    lines = [[*line, *[""] * (len(head) - len(line))] for line in lines]
    title = f"Variances by {by.value}, {found.since:%d %b %Y} to {found.until:%d %b %Y}"
    only = f" Only {where.replace(':', ' ').replace(';', ', ')}." if where else ""
    parts = [
        words(title, TITLE),
        words(f"{found.sentence} U is unfavourable, F favourable.{only}", QUIET),
        table(lines, [46, 14, 24, 16, 24, *[18] * len(wide)], numbers=range(1, len(head))),
    ]
    return paper(title, parts)


def _signed(amount: Decimal) -> str:
    """Return a variance as it is read: its amount, and whether it is unfavourable."""
    return f"{_money(abs(amount))} {_letter(amount)}" if amount else ""
