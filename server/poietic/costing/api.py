"""Queries on standards."""

from collections.abc import Iterator
from decimal import Decimal
from typing import Annotated, Any, Literal

import orjson
from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponse
from django.utils import timezone
from ninja import Query, Router
from poietic_core.cost.prices import Form
from poietic_core.cost.unit import standard_cost
from poietic_core.planning.lot_sizing import LotRule
from poietic_core.quantity import ZERO
from poietic_core.stock.lots import Tracking
from poietic_core.stock.valuation import Method

from ..catalog.finding import all_of
from ..catalog.models import Item
from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS, Cost, costs_are_hidden, require_cost_reader, sees_costs
from ..engineering.models import OPEN_STATES, OWN_STATES, Revision
from ..engineering.queries import in_force, made_with, revision_by_letter
from ..papers.rows import MEDIA_TYPES, as_csv, as_workbook
from ..web_api.derivations import DerivationRow, flatten
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, DecimalText, PageSize, ShortText, Skip, plain
from .compare import ComparedOut, compared
from .cost_sheet import HEAD, as_pdf, sheet_rows
from .frozen import costed
from .models import Standard
from .queries import current_set, price_now, roll_up_item, standards_in_force
from .tree import derivation_of, tree_of, without_costs
from .tree_rows import TreeOut

router = Router(tags=["costing"])


class ItemOut(Answer):
    """An item with its stock; `value` is that of all of it."""

    code: str
    name: str
    unit: str
    step: DecimalText
    source: Item.Source
    standard_lot: DecimalText
    price: Cost | None
    is_active: bool
    inactive_reason: str
    density: DecimalText | None
    is_phantom: bool
    on_hand: DecimalText
    value: Cost
    #: frozen, in force
    standard: Cost | None
    has_approved: bool
    has_draft: bool
    change: int


class ItemFull(ItemOut):
    """An item with all that is kept of it."""

    #: items whose structures in force bring it: as a co-product, or as a grade
    made_with: list[str]
    #: what a stock unit costs today, bought in its standard lot: by supplier, by mass
    unit_price: Cost | None
    valuation: Method
    price_per: str
    form: Form | Literal[""]
    form_length: DecimalText | None
    form_width: DecimalText | None
    form_thickness: DecimalText | None
    tracking: Tracking
    number_rule: str
    gtin: str
    lot_rule: LotRule | Literal[""]
    lead_time_days: int | None
    lot_minimum: DecimalText | None
    lot_multiple: DecimalText | None
    lot_maximum: DecimalText | None
    safety_stock: DecimalText | None


class ElementCost(Answer):
    """What an element costs per unit, this level and lower levels."""

    element: str
    this_level: DecimalText
    lower_levels: DecimalText


class StandardOut(Answer):
    """The standard of an item in force, with its derivation."""

    item: str
    unit: str
    total: DecimalText
    frozen_at: str
    standard_lot: DecimalText | None
    elements: list[ElementCost]
    derivation: list[DerivationRow]


class MissingOut(Answer):
    """What keeps an item from having a standard."""

    item: str
    why: str
    fix: str


class RolledOut(Answer):
    """What an item would cost by a roll-up now, and all that is missing for it and below it."""

    rolled: DecimalText | None
    missing: list[MissingOut]


class ItemPage(Answer):
    """Some items, how many match, and how many there are."""

    rows: list[ItemOut]
    found: int
    whole: int


@router.get("/items", response=ItemPage)
def items(
    request: HttpRequest,
    q: ShortText = "",
    codes: str = "",
    skip: Skip = 0,
    limit: PageSize = 100,
) -> HttpResponse:
    """Return items with their stock, standard, and whether they have a structure; a page of them.

    Those that have all words, or those of some codes, parted by tabs.
    """
    rows = Item.objects.filter(all_of(q.lower().split()))
    if codes:
        rows = rows.filter(code__in=codes.split("\t")[:200])
    page = Item.objects.filter(pk__in=list(rows.values_list("pk", flat=True)[skip : skip + limit]))
    whole = Item.objects.count()
    answer = {
        "rows": [_as_seen(row) for row in _items(page, ItemOut)],
        "found": rows.count() if q.strip() or codes else whole,
        "whole": whole,
    }
    return HttpResponse(orjson.dumps(answer, default=_plain), content_type="application/json")


@router.get("/items/{code}", response={200: ItemFull, 404: Problem})
def one_item(request: HttpRequest, code: str) -> HttpResponse:
    """Return an item with its stock and standard."""
    item = item_by_code(code)
    found = next(_items(Item.objects.filter(pk=item.pk), ItemFull))
    found["unit_price"] = None if item.source == Item.Source.MAKE else price_now(item)
    found["made_with"] = made_with(item, timezone.localdate())
    return HttpResponse(
        orjson.dumps(_as_seen(found), default=_plain), content_type="application/json"
    )


def _as_seen(row: dict[str, Any]) -> dict[str, Any]:
    """Return a row without what it costs, for those who may not see it."""
    if not costs_are_hidden():
        return row
    return row | {
        name: ""
        for name in ("price", "value", "standard", "unit_price")
        if row.get(name) is not None
    }


def _items(rows: QuerySet[Item], schema: type[ItemOut]) -> Iterator[dict[str, Any]]:
    """Yield a schema's content, in three statements; long lists are not validated row by row."""
    today = in_force(timezone.localdate())
    standing = set(today.filter(item__in=rows).values_list("item_id", flat=True))
    open_ = Revision.objects.filter(state__in=OPEN_STATES, item__in=rows)
    drafts = set(open_.values_list("item_id", flat=True))
    now = Standard.objects.filter(cost_set=current_set(), item__in=rows)
    standards = dict(now.values_list("item_id", "total"))
    names = set(schema.model_fields) - {
        "unit_price",
        "made_with",
        "on_hand",
        "value",
        "standard",
        "has_approved",
        "has_draft",
    }
    for row in rows.values(*names, "pk", "holding__quantity", "holding__value"):
        pk = row.pop("pk")
        yield row | {
            "on_hand": row.pop("holding__quantity"),
            "value": row.pop("holding__value"),
            "standard": standards.get(pk),
            "has_approved": pk in standing,
            "has_draft": pk in drafts,
        }


@router.get("/items/{code}/standard", auth=READ_COSTS, response={200: StandardOut, 404: Problem})
def standard(request: HttpRequest, code: str) -> StandardOut:
    """Return the standard of an item in force."""
    item = item_by_code(code)
    found = standards_in_force([item]).get(code)
    if found is None:
        raise NotFound("standard of", code)
    cost = found.as_item_cost().cost
    basis = costed(found) if found.basis else None
    return StandardOut(
        item=code,
        unit=item.unit,
        total=found.total,
        frozen_at=found.cost_set.frozen_at.isoformat(),
        standard_lot=basis.standard_lot if basis else None,
        elements=[
            ElementCost(
                element=e.value,
                this_level=cost.this_level.get(e, ZERO),
                lower_levels=cost.lower_levels.get(e, ZERO),
            )
            for e in cost.by_element()
        ],
        derivation=flatten(standard_cost(basis)) if basis else [],
    )


@router.get("/items/{code}/tree", response={200: TreeOut, 404: Problem})
def tree(request: HttpRequest, code: str, revision: str = "") -> HttpResponse:
    """Return an item's interleaved structure: what is in force, else the draft, or as asked."""
    shown = tree_of(_revision(code, revision), timezone.localdate())
    if not sees_costs(request.user):
        shown = without_costs(shown)
    # thousands of rows are not validated one by one
    return HttpResponse(orjson.dumps(shown, default=_plain), content_type="application/json")


SHEETS = MEDIA_TYPES | {"pdf": "application/pdf"}


@router.get("/items/{code}/cost-sheet/{kind}", auth=READ_COSTS, response={404: Problem})
def cost_sheet(request: HttpRequest, code: str, kind: str) -> HttpResponse:
    """Return the cost sheet of an item in force, all levels: "pdf", "csv" or "xlsx"."""
    item = item_by_code(code)
    standard = standards_in_force([item]).get(code)
    if standard is None:
        raise NotFound("standard of", code)
    if kind not in SHEETS:
        raise NotFound("format", kind)
    today = timezone.localdate()
    tree = tree_of(_revision(code, ""), today)
    content: str | bytes
    if kind == "pdf":
        content = as_pdf(item, standard, tree, today)
    else:
        rows = sheet_rows(tree)
        is_csv = kind == "csv"
        content = as_csv(HEAD, rows) if is_csv else as_workbook(tree["item"], HEAD, rows)
    answer = HttpResponse(content, content_type=SHEETS[kind])
    answer["Content-Disposition"] = f'attachment; filename="cost-{code}.{kind}"'
    return answer


def _plain(value: object) -> str:
    if isinstance(value, Decimal):
        return plain(value)
    raise TypeError(type(value))


@router.get(
    "/items/{code}/tree/derivation",
    response={200: list[DerivationRow], 404: Problem},
)
def tree_derivation(
    request: HttpRequest,
    code: str,
    row: Annotated[str, Query(max_length=4_000)],
    revision: str = "",
    figure: Literal["cost", "need"] = "cost",
) -> list[DerivationRow]:
    """Return how the cost, or the need, of one row of the tree, by its key, came about."""
    if figure == "cost":
        require_cost_reader(request.user)
    return flatten(derivation_of(_revision(code, revision), timezone.localdate(), row, figure))


@router.get(
    "/items/{code}/revisions/{letter}/compare",
    auth=READ_COSTS,
    response={200: ComparedOut, 404: Problem},
)
def compare(request: HttpRequest, code: str, letter: str, old: str) -> ComparedOut:
    """Return a revision against an older one, as one merged list with the effect on cost."""
    return compared(revision_by_letter(code, old), revision_by_letter(code, letter))


def _revision(code: str, letter: str) -> Revision:
    """Return a revision by letter; without one, that in force, else the open one, else the last."""
    item = item_by_code(code)
    if letter:
        found = Revision.objects.filter(item=item, letter=letter).first()
    else:
        found = in_force(timezone.localdate()).filter(item=item).first()
        found = found or Revision.objects.filter(item=item, state__in=OPEN_STATES).first()
        found = found or Revision.objects.filter(item=item).exclude(state__in=OWN_STATES).last()
    if found is None:
        raise NotFound("structure of", f"{code} {letter}".strip())
    return found


@router.get("/items/{code}/rolled", auth=READ_COSTS, response={200: RolledOut, 404: Problem})
def rolled(request: HttpRequest, code: str) -> RolledOut:
    """Return what an item would cost if its standard were frozen now, or what keeps it from one."""
    found = roll_up_item(item_by_code(code), timezone.localdate())
    cost = found.costs.get(code)
    return RolledOut(
        rolled=cost.cost.total() if cost else None,
        missing=[MissingOut(item=m.item, why=m.sentence(), fix=m.fix) for m in found.missing],
    )
