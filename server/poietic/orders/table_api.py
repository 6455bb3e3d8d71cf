"""The wide table of orders: chosen by what is typed in the heads of its columns, sorted, summed, exported."""

import re
from collections.abc import Callable, Iterable, Sequence
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Annotated, Any, Literal

from django.db.models import F, Q, QuerySet, Sum
from django.db.models.functions import Coalesce
from django.http import HttpRequest, HttpResponse
from ninja import Router
from poietic_core.order.states import OrderState
from poietic_core.quantity import ZERO
from pydantic import Field

from ..commanding.api import Problem
from ..commanding.reading import Cost, costs_are_hidden
from ..papers.rows import MEDIA_TYPES, as_csv, as_workbook
from ..web_api.errors import InvalidInput
from ..web_api.fields import Answer, DecimalText, PageSize, Skip
from .finding import begins_with
from .models import Order

router = Router(tags=["orders"])
#: rows of a file
MOST_EXPORTED = 20_000
#: conditions of a table, such as item:HT*;late:>0
Where = Annotated[str, Field(max_length=1000)]
Numbers = Annotated[str, Field(max_length=20_000, pattern=r"^[0-9,]*$")]
SortBy = Annotated[str, Field(pattern="^-?[a-z_]{1,20}$")]

MONEY = ("wip", "charged", "variance", "allowed")
#: by column: what it is called in the tables, and what is typed for it
COLUMNS: dict[str, tuple[str, Literal["text", "number", "day", "state"]]] = {
    "order": ("number", "number"),
    "item": ("item__code", "text"),
    "name": ("item__name", "text"),
    "state": ("state", "state"),
    "quantity": ("quantity", "number"),
    "received": ("received", "number"),
    "due": ("due", "day"),
    "starts": ("standing__starts", "day"),
    "finishes": ("standing__finishes", "day"),
    "late": ("standing__days_late", "number"),
    "at": ("standing__waits_at", "text"),
    "customer": ("customer__name", "text"),
    "wanted": ("customer_order", "text"),
    "note": ("note", "text"),
    "allowed": ("allowed", "number"),
    "charged": ("standing__charged", "number"),
    "variance": ("standing__variance", "number"),
    "wip": ("standing__wip", "number"),
}


class TableRow(Answer):
    """An order in the wide table."""

    order: int
    item: str
    name: str
    unit: str
    state: OrderState
    quantity: DecimalText
    received: DecimalText
    due: date
    starts: date | None
    finishes: date | None
    late: int
    at: str
    customer: str
    wanted: str
    note: str
    allowed: Cost
    charged: Cost
    variance: Cost
    wip: Cost


class TableSums(Answer):
    """What some orders come to."""

    orders: int
    late: int
    allowed: Cost
    charged: Cost
    variance: Cost
    wip: Cost


class TableOut(Answer):
    """A page of the table, what all that match come to, and how many orders there are."""

    rows: list[TableRow]
    sums: TableSums
    whole: int


@router.get("/orders/table", response={200: TableOut, 422: Problem})
def table(
    request: HttpRequest,
    where: Where = "",
    sort: SortBy = "due",
    skip: Skip = 0,
    limit: PageSize = 100,
) -> TableOut:
    """Return orders that meet all conditions, with the sums of all of them."""
    found = _chosen(where)
    return TableOut(
        rows=[_row(o) for o in _sorted(found, sort)[skip : skip + limit]],
        sums=_sums(found),
        whole=Order.objects.count(),
    )


@router.get("/orders/table/sums", response={200: TableSums, 422: Problem})
def sums(request: HttpRequest, orders: Numbers = "") -> TableSums:
    """Return what the orders with some numbers come to: those that somebody marked."""
    numbers = [n for text in orders.split(",") if text and (n := int(text[:12])) < 2**31]
    return _sums(_rows().filter(number__in=numbers))


@router.get("/orders/table.{form}", response={200: None, 422: Problem})
def export(
    request: HttpRequest,
    form: Literal["csv", "xlsx"],
    where: Where = "",
    sort: SortBy = "due",
    columns: str = "",
) -> HttpResponse:
    """Return what the table shows as a file: these columns, all rows that match, 20,000 at most."""
    named = [c for c in columns.split(",") if c in COLUMNS] or list(COLUMNS)
    if costs_are_hidden():
        named = [c for c in named if c not in MONEY]
    rows = _sorted(_chosen(where), sort)[:MOST_EXPORTED]
    lines: Iterable[Sequence[Any]] = ([_text(v) for v in r] for r in rows.values_list(*(COLUMNS[c][0] for c in named)))  # fmt: skip
    content: str | bytes = as_csv(named, lines) if form == "csv" else as_workbook("orders", named, lines)  # fmt: skip
    answer = HttpResponse(content, content_type=MEDIA_TYPES[form])
    answer["Content-Disposition"] = f'attachment; filename="orders.{form}"'
    return answer


def _rows() -> QuerySet[Order]:
    """Return orders with what was allowed to date: what was charged but for the variance."""
    allowed = Coalesce(F("standing__charged") - F("standing__variance"), ZERO)
    return Order.objects.annotate(allowed=allowed)


def _chosen(where: str) -> QuerySet[Order]:
    """Return the orders that meet all conditions, or refuse the one that can't be read."""
    rows = _rows()
    for said in where.split(";") if where else ():
        name, _, typed = said.partition(":")
        if name not in COLUMNS or not typed.strip():
            raise InvalidInput([f"where: {said!r} is no condition; one is item:HT* or late:>0"])
        if name in MONEY and costs_are_hidden():
            raise InvalidInput([f"where: what orders cost is not shown to you, so not chosen by {name}"])  # fmt: skip
        rows = rows.filter(_condition(name, typed.strip()))
    return rows


def _condition(name: str, typed: str) -> Q:
    """Return the condition of one column: texts hold words, * stands for anything; of numbers and days
    a value, a bound such as >5 or <2026-12-01, or a range such as 5..9."""
    field, kind = COLUMNS[name]
    if kind == "state":
        states = [s.value for s in OrderState if any(s.value.startswith(w) for w in typed.lower().split())]  # fmt: skip
        return Q(state__in=states)
    if kind == "text":
        if "*" in typed:
            pattern = "".join(".*" if c == "*" else re.escape(c) for c in typed)
            return Q(**{f"{field}__iregex": f"^{pattern}$"})
        return Q(**{f"{field}__icontains": typed})
    if name == "order" and typed.isdecimal():
        return begins_with(typed)
    read: Callable[[str], Any] = _day if kind == "day" else _number
    if ".." in typed:
        low, _, high = typed.partition("..")
        return Q(**{f"{field}__gte": read(low), f"{field}__lte": read(high)})
    if typed[0] in "<>":
        way = "lt" if typed[0] == "<" else "gt"
        if typed[1:2] == "=":
            return Q(**{f"{field}__{way}e": read(typed[2:])})
        return Q(**{f"{field}__{way}": read(typed[1:])})
    return Q(**{field: read(typed)})


def _number(typed: str) -> Decimal:
    try:
        value = Decimal(typed.strip())
    except InvalidOperation as err:
        raise InvalidInput([f"where: {typed.strip()!r} is no number"]) from err
    if not value.is_finite() or abs(value) > Decimal(10) ** 12:
        raise InvalidInput([f"where: {typed.strip()!r} is no number that anything is compared with"])  # fmt: skip
    return value


def _day(typed: str) -> date:
    try:
        return date.fromisoformat(typed.strip())
    except ValueError as err:
        raise InvalidInput([f"where: {typed.strip()!r} is no day; one is 2026-12-01"]) from err


def _sorted(rows: QuerySet[Order], sort: str) -> QuerySet[Order]:
    name = sort.removeprefix("-")
    if name not in COLUMNS:
        raise InvalidInput([f"sort: there is no column {name}"])
    field = F(COLUMNS[name][0])
    first = field.desc(nulls_last=True) if sort[0] == "-" else field.asc(nulls_last=True)
    return rows.select_related("item", "standing", "customer").order_by(first, "number")


def _sums(rows: QuerySet[Order]) -> TableSums:
    said = rows.aggregate(
        **{n: Coalesce(Sum(COLUMNS[n][0]), ZERO) for n in MONEY if n != "allowed"}
    )
    said["allowed"] = said["charged"] - said["variance"]
    late = rows.filter(standing__days_late__gt=0).count()
    return TableSums(orders=rows.count(), late=late, **said)


def _row(o: Any) -> TableRow:
    s = getattr(o, "standing", None)
    return TableRow(
        order=o.number,
        item=o.item.code,
        name=o.item.name,
        unit=o.item.unit,
        state=OrderState(o.state),
        quantity=o.quantity,
        received=o.received,
        due=o.due,
        starts=s.starts if s else None,
        finishes=s.finishes if s else None,
        late=s.days_late if s else 0,
        at=s.waits_at if s else "",
        customer=o.customer.name if o.customer else "",
        wanted=o.customer_order,
        note=o.note,
        allowed=o.allowed,
        charged=s.charged if s else ZERO,
        variance=s.variance if s else ZERO,
        wip=s.wip if s else ZERO,
    )


def _text(value: object) -> object:
    """Return a value as a file holds it: numbers with all their digits, as text."""
    if isinstance(value, Decimal):
        return f"{value.normalize() + 0:f}"
    return "" if value is None else str(value)
