"""The wide table of orders: chosen by what is typed in the heads of its columns, sorted, summed, exported."""

import re
from collections.abc import Callable, Iterable, Sequence
from datetime import date
from decimal import Decimal, InvalidOperation
from typing import Annotated, Any, Literal

from django.db.models import (
    Case,
    DecimalField,
    F,
    OuterRef,
    Q,
    QuerySet,
    Subquery,
    Sum,
    When,
)
from django.db.models.expressions import Combinable
from django.db.models.fields.json import KeyTextTransform
from django.db.models.functions import Cast, Coalesce, NullIf, Round
from django.http import HttpRequest, HttpResponse
from ninja import Router
from poietic_core.cost.model import Element
from poietic_core.order.states import OrderState
from poietic_core.quantity import ZERO
from pydantic import Field

from ..commanding.api import Problem
from ..commanding.reading import Cost, costs_are_hidden
from ..ledger.models import WipBalance
from ..papers.rows import MEDIA_TYPES, as_csv, as_workbook
from ..web_api.errors import InvalidInput
from ..web_api.fields import Answer, DecimalText, PageSize, Skip
from .basis import BASIS, Basis
from .finding import begins_with
from .models import Order

router = Router(tags=["orders"])
#: rows of a file
MOST_EXPORTED = 20_000
#: conditions of a table, such as item:HT*;late:>0
Where = Annotated[str, Field(max_length=1000)]
Numbers = Annotated[str, Field(max_length=20_000, pattern=r"^[0-9,]*$")]
SortBy = Annotated[str, Field(pattern="^-?[a-z_]{1,20}$")]

#: causes of a variance that have a column of their own
CAUSES = ("price", "rate", "usage", "efficiency", "yield", "method", "setup", "rework")
#: elements of cost that have one together
ELEMENTS = {
    "material": (Element.MATERIAL, Element.MATERIAL_OVERHEAD),
    "labour": (Element.SETUP_LABOUR, Element.RUN_LABOUR),
    "machine": (Element.MACHINE,),
    "overhead": (Element.VARIABLE_OVERHEAD, Element.FIXED_OVERHEAD),
    "subcontract": (Element.SUBCONTRACT,),
    "credit": (Element.BY_PRODUCT,),
}
SUMMED = ("wip", "charged", "forecast", "variance", "allowed")
MONEY = (*SUMMED, "unit_cost", *(f"by_{c}" for c in CAUSES), *(f"of_{e}" for e in ELEMENTS))
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
    "allowed": ("allowed_to_date", "number"),
    "charged": ("charged_to_date", "number"),
    "forecast": ("forecast", "number"),
    "basis": ("cost_basis", "text"),
    "variance": ("variance_to_date", "number"),
    "wip": ("standing__wip", "number"),
    "done": ("done", "number"),
    "finished": ("outcome__finished_on", "day"),
    "lead": ("outcome__lead_days", "number"),
    "labour": ("outcome__labour_hours", "number"),
    "labour_allowed": ("outcome__labour_allowed", "number"),
    "machine": ("outcome__machine_hours", "number"),
    "machine_allowed": ("outcome__machine_allowed", "number"),
    "per_hour": ("per_hour", "number"),
    "unit_cost": ("unit_cost", "number"),
    **{f"by_{c}": (f"cause_{c}", "number") for c in CAUSES},
    **{f"of_{e}": (f"element_{e}", "number") for e in ELEMENTS},
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
    #: what it will have been charged at its completion; of a finished one what it was
    forecast: Cost
    variance: Cost
    wip: Cost
    #: on what its cost stands
    basis: Basis
    #: received of what was ordered [%]
    done: DecimalText
    #: of one that is finished
    finished: date | None
    lead: int | None
    labour: DecimalText | None
    labour_allowed: DecimalText | None
    machine: DecimalText | None
    machine_allowed: DecimalText | None
    #: pieces for an hour of people's work
    per_hour: DecimalText | None
    unit_cost: Cost
    #: its variance by cause
    by_price: Cost
    by_rate: Cost
    by_usage: Cost
    by_efficiency: Cost
    by_yield: Cost
    by_method: Cost
    by_setup: Cost
    by_rework: Cost
    #: what it was charged, by element
    of_material: Cost
    of_labour: Cost
    of_machine: Cost
    of_overhead: Cost
    of_subcontract: Cost
    of_credit: Cost


class TableSums(Answer):
    """What some orders come to."""

    orders: int
    late: int
    allowed: Cost
    charged: Cost
    forecast: Cost
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
    cell = _text if form == "csv" else _cell
    lines: Iterable[Sequence[Any]] = ([cell(v) for v in r] for r in rows.values_list(*(COLUMNS[c][0] for c in named)))  # fmt: skip
    content: str | bytes = as_csv(named, lines) if form == "csv" else as_workbook("orders", named, lines)  # fmt: skip
    answer = HttpResponse(content, content_type=MEDIA_TYPES[form])
    answer["Content-Disposition"] = f'attachment; filename="orders.{form}"'
    return answer


def _rows() -> QuerySet[Order]:
    """Return orders with what was charged and allowed to date, and what finished ones came to."""
    charged = Coalesce(F("standing__charged"), F("outcome__charged"))
    variance = Coalesce(F("standing__variance"), F("outcome__variance"))
    made, hours = NullIf(F("received"), ZERO), F("outcome__labour_hours")
    digits = DecimalField(max_digits=18, decimal_places=2)
    causes = {
        f"cause_{c}": Coalesce(
            *(
                Cast(KeyTextTransform(c, f"{kept}__causes"), digits)
                for kept in ("standing", "outcome")
            )
        )
        for c in CAUSES
    }
    return Order.objects.annotate(
        charged_to_date=charged,
        variance_to_date=variance,
        cost_basis=BASIS,
        forecast=Coalesce(F("standing__forecast"), F("outcome__charged")),
        allowed_to_date=Coalesce(charged - variance, ZERO),
        done=Round(F("received") * 100 / F("quantity"), 1),
        per_hour=Round(F("received") / NullIf(hours, ZERO), 2),
        unit_cost=Round(F("outcome__charged") / made, 2),
        **causes,
        **{f"element_{name}": _charged(elements) for name, elements in ELEMENTS.items()},
    )


def _charged(elements: Sequence[Element]) -> Case:
    """Return what an order was charged of some elements: of a finished one as it was kept, else by its WIP."""
    digits = DecimalField(max_digits=18, decimal_places=2)
    kept = [Cast(KeyTextTransform(e.value, "outcome__elements"), digits) for e in elements]
    cells = WipBalance.objects.filter(
        cost_object=OuterRef("pk"), element__in=[e.value for e in elements]
    )
    held = cells.order_by().values("cost_object").annotate(sum=Sum(F("amount") + F("credited")))
    whole: Combinable = Coalesce(kept[0], ZERO)
    for one in kept[1:]:
        whole = whole + Coalesce(one, ZERO)
    return Case(
        When(outcome__isnull=False, then=whole),
        default=Coalesce(Subquery(held.values("sum")), ZERO),
        output_field=digits,
    )


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
    return rows.select_related("item", "standing", "customer", "outcome").order_by(first, "number")


def _sums(rows: QuerySet[Order]) -> TableSums:
    said = rows.aggregate(
        **{n: Coalesce(Sum(COLUMNS[n][0]), ZERO) for n in SUMMED if n != "allowed"}
    )
    said["allowed"] = said["charged"] - said["variance"]
    late = rows.filter(standing__days_late__gt=0).count()
    return TableSums(orders=rows.count(), late=late, **said)


def _row(o: Any) -> TableRow:
    s, end = getattr(o, "standing", None), getattr(o, "outcome", None)
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
        allowed=o.allowed_to_date,
        charged=o.charged_to_date or ZERO,
        forecast=o.forecast or ZERO,
        variance=o.variance_to_date or ZERO,
        wip=s.wip if s else ZERO,
        basis=Basis(o.cost_basis),
        done=o.done,
        finished=end.finished_on if end else None,
        lead=end.lead_days if end else None,
        labour=end.labour_hours if end else None,
        labour_allowed=end.labour_allowed if end else None,
        machine=end.machine_hours if end else None,
        machine_allowed=end.machine_allowed if end else None,
        per_hour=o.per_hour,
        unit_cost=_or_nothing(o.unit_cost),
        **{f"by_{c}": _or_nothing(getattr(o, f"cause_{c}")) for c in CAUSES},
        **{f"of_{e}": getattr(o, f"element_{e}") for e in ELEMENTS},
    )


def _or_nothing(amount: Decimal | None) -> Decimal:
    """Return money that there may be none of: of a finished order without the cause, or of one that runs."""
    return ZERO if amount is None else amount


def _cell(value: object) -> object:
    """Return a value as a cell of a workbook that can be computed with: a number, a day, else a text."""
    if isinstance(value, Decimal):
        return value.normalize() + 0
    return value if isinstance(value, int | date) or value is None else str(value)


def _text(value: object) -> object:
    """Return a value as a CSV file holds it: numbers with all their digits."""
    if isinstance(value, Decimal):
        return f"{value.normalize() + 0:f}"
    return "" if value is None else str(value)
