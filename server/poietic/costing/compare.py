"""Two revisions of a structure as one list, with what each difference costs and takes."""

from collections.abc import Iterable
from dataclasses import replace
from datetime import date
from decimal import Decimal

from django.utils import timezone
from poietic_core.cost.inputs import cost_structure
from poietic_core.cost.model import OVERHEAD_KINDS, TIME_ELEMENT, InputKey, InputKind
from poietic_core.cost.unit import cost_per_unit
from poietic_core.quantity import UNIT_COST_STEP, ZERO, round_to
from poietic_core.structure.compare import Compared, compare
from poietic_core.structure.model import ComponentLine, Operation, OutputLine, Structure
from poietic_core.structure.requirement import entering_for_one

from ..catalog.models import Item
from ..engineering.models import Revision
from ..engineering.rates import shop_rates
from ..engineering.structures import structures_of
from ..web_api.fields import Answer, DecimalText
from .queries import standards_in_force


class ComparedRow(Answer):
    """A row of two revisions; what one of them lacks is null."""

    kind: str
    operation: int
    code: str
    name: str
    unit: str
    #: same, added, removed, changed
    status: str
    changes: list[str]
    #: of a line, per batch quantity; of an operation, run hours per unit
    old: DecimalText | None
    new: DecimalText | None
    old_cost: DecimalText | None
    new_cost: DecimalText | None
    #: what the change of the row costs
    effect: DecimalText


class ComparedOut(Answer):
    """A revision against an older one: costs per good unit at today's standards and rates."""

    item: str
    name: str
    old: str
    new: str
    #: items and work centers without a cost, whose rows are not in the sums
    without_cost: list[str]
    old_total: DecimalText
    new_total: DecimalText
    difference: DecimalText
    rows: list[ComparedRow]


def compared(old: Revision, new: Revision) -> ComparedOut:
    """Return a revision against an older one of the same item."""
    read = structures_of([old, new])
    return compare_costed(read[old.pk], read[new.pk], item=new.item, old=old.letter, new=new.letter)


def compare_costed(
    left: Structure, right: Structure, *, item: Item, old: str, new: str
) -> ComparedOut:
    """Return one structure of an item against another, with what each row costs."""
    codes = {c.item for s in (left, right) for c in s.components}
    codes |= {o.item for s in (left, right) for o in s.outputs}
    items = {i.code: i for i in Item.objects.filter(code__in=codes)}
    costs = _Costs(items, item.standard_lot, timezone.localdate())
    before, after = costs.by_key(left), costs.by_key(right)
    rows = [_row(r, items, before, after) for r in compare(left, right)]
    old_total, new_total = (
        round_to(sum(c.values(), ZERO), UNIT_COST_STEP) for c in (before, after)
    )
    return ComparedOut(
        item=item.code,
        name=item.name,
        old=old,
        new=new,
        without_cost=sorted(costs.lacking),
        old_total=old_total,
        new_total=new_total,
        difference=new_total - old_total,
        rows=rows,
    )


class _Costs:
    """Standards in force and rates, for the inputs of both structures."""

    def __init__(self, items: dict[str, Item], standard_lot: Decimal, day: date) -> None:
        self._items = items
        self._lot = standard_lot
        standards = standards_in_force(items.values())
        self._standards = {c: s.as_item_cost() for c, s in standards.items()}
        self._rates = shop_rates(day)
        self.lacking: set[str] = set()

    def by_key(self, structure: Structure) -> dict[InputKey, Decimal]:
        """Return what each input costs per good unit; what has no standard is named and left out."""
        known = tuple(c for c in structure.components if c.item in self._standards)
        self.lacking |= {c.item for c in structure.components} - set(self._standards)
        costed = cost_structure(
            replace(structure, components=known),
            standard_lot=self._lot,
            items=self._standards,
            rates=self._rates,
            units={code: item.unit for code, item in self._items.items()},
        )
        enter = entering_for_one(costed.operations)
        return {i.key(): cost_per_unit(costed, i, enter).value for i in costed.inputs}


def _row(
    row: Compared,
    items: dict[str, Item],
    before: dict[InputKey, Decimal],
    after: dict[InputKey, Decimal],
) -> ComparedRow:
    standing = row.new or row.old
    assert standing is not None
    keys = _keys(standing, {**before, **after})
    if isinstance(standing, Operation):
        kind, code, name, unit = "operation", standing.work_center, standing.name, "h"
    else:
        item = items[standing.item]
        kind = "component" if isinstance(standing, ComponentLine) else standing.kind.value
        code, name, unit = item.code, item.name, item.unit
        if isinstance(standing, ComponentLine) and standing.unit:
            unit = standing.unit
    old_cost = _cost(keys, before) if row.old else None
    new_cost = _cost(keys, after) if row.new else None
    return ComparedRow(
        kind=kind,
        operation=row.operation,
        code=code,
        name=name,
        unit=unit,
        status=row.status().value,
        changes=[c.replace("_", " ") for c in row.changes],
        old=_amount(row.old),
        new=_amount(row.new),
        old_cost=old_cost,
        new_cost=new_cost,
        effect=(new_cost or ZERO) - (old_cost or ZERO),
    )


def _keys(
    line: Operation | ComponentLine | OutputLine, costs: Iterable[InputKey]
) -> list[InputKey]:
    if isinstance(line, Operation):
        own = [(line.number, kind, "") for kind in (*TIME_ELEMENT, InputKind.SUBCONTRACT)]
        return own + [k for k in costs if k[0] == line.number and k[1] in OVERHEAD_KINDS]
    if isinstance(line, ComponentLine):
        return [(line.operation, InputKind.COMPONENT, line.item)]
    return [(line.operation, InputKind(line.kind.value), line.item)]


def _cost(keys: list[InputKey], costs: dict[InputKey, Decimal]) -> Decimal | None:
    found = [costs[k] for k in keys if k in costs]
    return round_to(sum(found, ZERO), UNIT_COST_STEP) if found else None


def _amount(line: Operation | ComponentLine | OutputLine | None) -> Decimal | None:
    if line is None:
        return None
    if isinstance(line, Operation):
        return round_to(line.clock_hours()[1] / line.run_quantity, UNIT_COST_STEP)
    return round_to(line.quantity, UNIT_COST_STEP)
