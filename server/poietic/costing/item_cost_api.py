"""Queries on what an item costs: in which sets, out of what, what moves it, and how it got there."""

from collections.abc import Iterable
from decimal import Decimal

from django.http import HttpRequest
from ninja import Router
from poietic_core.cost.contributions import Contribution, contributions, sensitivities
from poietic_core.cost.model import OVERHEAD_KINDS, Base, Element, InputKind, UnitCost
from poietic_core.cost.overhead import unit_of
from poietic_core.cost.sets import CostSet as CoreSet
from poietic_core.cost.sets import differences
from poietic_core.quantity import UNIT_COST_STEP, ZERO, round_to

from ..catalog.models import Item, Partner, PriceRow
from ..catalog.queries import item_by_code
from ..commanding.api import Problem
from ..commanding.reading import READ_COSTS
from ..engineering.models import OverheadBudget, WorkCenter
from ..web_api.errors import NotFound
from ..web_api.fields import Answer, DecimalText
from .api import ElementCost
from .models import CostSet, Standard
from .queries import cost_set_by_number, current_set
from .sets import at_its_costs, reached_in, rolled_in
from .sets_api import CausePart

router = Router(tags=["item costs"])
#: yields and lots that are told of an item
SENSITIVE_MOST = 20


class PartOut(Answer):
    """What one input adds to an item's cost, in one set or in two."""

    kind: str
    code: str
    name: str
    unit: str
    #: a component that another item's structure brings
    is_made: bool
    #: of a bought item, or outside work: who the money goes to; empty where nobody has a price
    supplier: str
    supplier_name: str
    quantity: DecimalText
    amount: DecimalText
    old_quantity: DecimalText
    old_amount: DecimalText
    moved: DecimalText


class CostIn(Answer):
    """An item's cost in one set."""

    number: int
    state: str
    name: str
    total: DecimalText
    layers: list[ElementCost]


class StandardStep(Answer):
    """A standard as it came into force, and why it moved."""

    number: int
    day: str
    total: DecimalText
    causes: list[CausePart]


class ElementAgainst(Answer):
    """A cost element of an item in two sets, all levels [money/unit]."""

    element: str
    old: DecimalText
    new: DecimalText
    moved: DecimalText


class OpenedOut(Answer):
    """An item in two sets, computed exactly."""

    elements: list[ElementAgainst]
    parts: list[PartOut]


class SensitivityOut(Answer):
    """What a yield, or a standard lot, that is one percent larger moves [money/unit]."""

    item: str
    name: str
    #: null: the standard lot of the item
    operation: int | None
    value: DecimalText
    moved: DecimalText


class ItemCostOut(Answer):
    """What an item costs, in which sets, out of what, and how it got there."""

    item: str
    name: str
    unit: str
    standard_lot: DecimalText
    sets: list[CostIn]
    parts: list[PartOut]
    #: yields and standard lots, those that move it most first
    sensitivities: list[SensitivityOut]
    history: list[StandardStep]


@router.get(
    "/cost-sets/{int:new}/against/{int:old}/items/{code}",
    auth=READ_COSTS,
    response={200: OpenedOut, 404: Problem},
)
def opened(request: HttpRequest, new: int, old: int, code: str) -> OpenedOut:
    """Return what an item costs in two sets, exactly: by element, and what moved most first."""
    item_by_code(code)
    sets = [cost_set_by_number(n) for n in (old, new)]
    costs = [rolled_in(s, code).costs.get(code) for s in sets]
    if costs[0] is None or costs[1] is None:
        raise NotFound("standard in both sets of", code)
    before, after = (_contributed(at_its_costs(s, code), code) for s in sets)
    was, now = (cost.by_element() for cost in costs if cost)
    rows = _parts(after, before)
    return OpenedOut(
        elements=[
            ElementAgainst(
                element=e.value,
                old=was.get(e, ZERO),
                new=now.get(e, ZERO),
                moved=now.get(e, ZERO) - was.get(e, ZERO),
            )
            for e in Element
            if e in was or e in now
        ],
        parts=sorted(rows, key=lambda r: (-abs(r.amount - r.old_amount), r.code)),
    )


@router.get("/items/{code}/cost", auth=READ_COSTS, response={200: ItemCostOut, 404: Problem})
def item_cost(request: HttpRequest, code: str) -> ItemCostOut:
    """Return what an item costs in the set in force, the next one and the what-ifs, and out of what."""
    item = item_by_code(code)
    current = current_set()
    if current is None:
        raise NotFound("standard of", code)
    shown = [
        current,
        *CostSet.objects.filter(state__in=["next", "what-if"]).order_by("state", "pk"),
    ]
    # as frozen: an item that kept its standard need not cost what follows from the set
    frozen = {s.cost_set_id: s.as_item_cost().cost for s in Standard.objects.filter(item=item, cost_set__in=shown).select_related("item")}  # fmt: skip
    costs = {s: rolled_in(s, code).costs.get(code) if s.base_id else frozen.get(s.pk) for s in shown}  # fmt: skip
    if costs[current] is None:
        raise NotFound("standard of", code)
    made_of = at_its_costs(current, code)
    return ItemCostOut(
        item=code,
        name=item.name,
        unit=item.unit,
        standard_lot=item.standard_lot,
        sets=[
            CostIn(
                number=s.pk,
                state=s.state,
                name=str(s),
                total=cost.total(),
                layers=_layers(cost),
            )
            for s, cost in costs.items()
            if cost is not None
        ],
        parts=_parts(_contributed(made_of, code), {}),
        sensitivities=_sensitivities(made_of, code),
        history=_history(item),
    )


def _layers(cost: UnitCost) -> list[ElementCost]:
    return [
        ElementCost(
            element=e.value,
            this_level=cost.this_level.get(e, ZERO),
            lower_levels=cost.lower_levels.get(e, ZERO),
        )
        for e in Element
        if e in cost.this_level or e in cost.lower_levels
    ]


def _sensitivities(made_of: CoreSet, code: str) -> list[SensitivityOut]:
    found = sensitivities(made_of, code)[:SENSITIVE_MOST]
    names = dict(Item.objects.filter(code__in={s.code for s in found}).values_list("code", "name"))
    return [
        SensitivityOut(
            item=s.code,
            name=names[s.code],
            operation=s.operation,
            value=s.value,
            moved=_six(s.moved),
        )
        for s in found
        if _six(s.moved)
    ]


Parts = dict[tuple[InputKind, str], Contribution]


def _contributed(made_of: CoreSet, code: str) -> Parts:
    return {(c.kind, c.code): c for c in contributions(made_of, code)}


def _parts(after: Parts, before: Parts) -> list[PartOut]:
    keys = [*after, *(k for k in before if k not in after)]
    items = {i.code: i for i in Item.objects.filter(code__in={code for _, code in keys})}
    names = dict(WorkCenter.objects.values_list("code", "name"))
    names |= dict(Partner.objects.values_list("code", "name"))
    units = {}
    for code, name, base in OverheadBudget.objects.values_list("code", "name", "base"):
        names[code], units[code] = name, unit_of(Base(base))
    first = PriceRow.objects.filter(item__in=items.values()).order_by("item_id", "position")
    suppliers = dict(first.distinct("item_id").values_list("item__code", "supplier__code"))
    rows = []
    for kind, code in keys:
        new, old = after.get((kind, code)), before.get((kind, code))
        item = items.get(code) if kind in MATERIALS else None
        supplier = code if kind is InputKind.SUBCONTRACT else ""
        if kind is InputKind.COMPONENT:
            supplier = suppliers.get(code, "")
        amount, old_amount = (_six(c.amount if c else ZERO) for c in (new, old))
        rows.append(
            PartOut(
                kind=kind.value,
                code=code,
                name=item.name if item else names.get(code, code),
                unit=item.unit if item else _unit_of(kind, units.get(code)),
                is_made=item.is_made if item else False,
                supplier=supplier,
                supplier_name=names.get(supplier, ""),
                quantity=_six(new.quantity if new else ZERO),
                amount=amount,
                old_quantity=_six(old.quantity if old else ZERO),
                old_amount=old_amount,
                moved=amount - old_amount,
            )
        )
    return rows


def _unit_of(kind: InputKind, base: str | None) -> str:
    """Return what an input that is no item is counted in."""
    if kind in OVERHEAD_KINDS:
        return base or "h"
    return "pcs" if kind is InputKind.SUBCONTRACT else "h"


MATERIALS = (InputKind.COMPONENT, InputKind.BY_PRODUCT, InputKind.CO_PRODUCT)


def _six(value: Decimal) -> Decimal:
    return round_to(value, UNIT_COST_STEP)


def _history(item: Item) -> list[StandardStep]:
    """Return the standards of an item as they came into force, where they moved, with the causes."""
    rows = Standard.objects.filter(item=item, cost_set__activated_at__isnull=False)
    ordered = list(rows.select_related("cost_set").order_by("cost_set__activated_at", "pk"))
    steps: list[StandardStep] = []
    for before, row in zip([None, *ordered], ordered, strict=False):
        if before is not None and before.total == row.total:
            continue
        causes: Iterable[CausePart] = ()
        if before is not None:
            sets = [reached_in(s.cost_set, item.code) for s in (before, row)]
            moved = differences(*sets).get(item.code)
            causes = [
                CausePart(cause=c.value, amount=a)
                for c, a in (moved.causes if moved else {}).items()
            ]
        assert row.cost_set.activated_at is not None
        steps.append(
            StandardStep(
                number=row.cost_set_id,
                day=row.cost_set.activated_at.isoformat(),
                total=row.total,
                causes=list(causes),
            )
        )
    return steps
