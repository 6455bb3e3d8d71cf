"""The interleaved structure: operations with the lines that they use, sub-assemblies opening in place."""

from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal

from ninja import Schema
from poietic_core.cost.model import TIME_ELEMENT, CostInput, InputKey, InputKind
from poietic_core.cost.rollup import cost_per_unit
from poietic_core.derivation import Derivation, given, product, quotient, total
from poietic_core.quantity import ONE, ZERO
from poietic_core.structure.model import ComponentLine, Operation, Per, Structure
from poietic_core.structure.requirement import entering, quantity_per_unit

from ..catalog.models import Item
from ..engineering.models import Revision
from ..engineering.queries import approved_structures, structure_of, with_rows
from ..ledger.models import Holding
from ..web_api.derivations import DerivationRow, flatten
from ..web_api.fields import DecimalText
from .models import Standard
from .queries import standards_in_force

ROWS_MOST = 20_000


class TreeRow(Schema):
    """One row; the rows below it with a greater depth stand under it."""

    depth: int
    #: items count levels, operations have none
    level: int | None
    kind: str
    code: str
    name: str
    unit: str
    operation: int | None
    quantity: DecimalText | None
    per: str
    allowance: DecimalText | None
    yield_share: DecimalText | None
    setup_hours: DecimalText | None
    run_hours: DecimalText | None
    #: cost in one unit of the top item; null without a standard
    cost: DecimalText | None
    on_hand: DecimalText | None
    derivation: list[DerivationRow]


class TreeOut(Schema):
    """A structure to any depth, with the revision and the standard it shows."""

    item: str
    name: str
    unit: str
    letter: str
    state: str
    standard: DecimalText | None
    standard_lot: DecimalText
    batch_quantity: DecimalText
    is_cut: bool
    rows: list[TreeRow]


@dataclass
class _Plant:
    """What the tree reads, loaded once."""

    structures: dict[str, Structure]
    standards: dict[str, Standard]
    items: dict[str, Item]
    on_hand: dict[str, Decimal]


def tree_of(item: Item, revision: Revision) -> TreeOut:
    """Return a revision as a tree; what lies below it is what is in force."""
    plant = _Plant(
        structures=approved_structures() | {item.code: structure_of(revision)},
        standards=standards_in_force(),
        items={i.code: i for i in Item.objects.all()},
        on_hand=dict(Holding.objects.values_list("item__code", "quantity")),
    )
    rows = list(_limited(_rows(plant, item.code, given("one of the top item", ONE), depth=0)))
    standard = plant.standards.get(item.code)
    return TreeOut(
        item=item.code,
        name=item.name,
        unit=item.unit,
        letter=revision.letter,
        state=revision.state,
        standard=standard.total if standard else None,
        standard_lot=item.standard_lot,
        batch_quantity=revision.batch_quantity,
        is_cut=len(rows) == ROWS_MOST,
        rows=rows,
    )


def revision_in(item: Item, state: str) -> Revision | None:
    """Return an item's revision in a state, with its rows."""
    return with_rows(Revision.objects.filter(item=item, state=state)).first()


def _limited(rows: Iterator[TreeRow]) -> Iterator[TreeRow]:
    for _, row in zip(range(ROWS_MOST), rows, strict=False):
        yield row


def _rows(plant: _Plant, code: str, factor: Derivation, depth: int) -> Iterator[TreeRow]:
    """Yield the rows under an item; `factor` is how many of it one top unit needs."""
    structure = plant.structures[code]
    standard = plant.standards.get(code)
    costed = standard.costed() if standard and standard.basis else None
    inputs: dict[InputKey, CostInput] = {i.key(): i for i in costed.inputs} if costed else {}
    standard_enter = entering(costed.operations, ONE) if costed else {}
    enter = entering(structure.operations, ONE)

    def cost_of(*keys: InputKey) -> Derivation | None:
        """Return the cost of inputs in one unit of the top; None where one is not in the standard."""
        found = [inputs[k] for k in keys if k in inputs]
        if costed is None or not found:
            return None
        terms = [cost_per_unit(costed, i, standard_enter) for i in found]
        inner = terms[0] if len(terms) == 1 else total("time of the operation", terms, unit="EUR")
        return product("cost in one of the top item", (inner, factor), unit="EUR")

    for operation in structure.operations:
        yield _operation_row(operation, cost_of(*_time_keys(operation)), depth)
        for line in structure.components:
            if line.operation != operation.number:
                continue
            cost = cost_of((operation.number, InputKind.COMPONENT, line.item))
            yield _line_row(plant, line, cost, depth + 1)
            if line.item in plant.structures:
                each = _needed(plant, structure, line, enter)
                inner = product(f"{line.item} in one of the top item", (each, factor))
                yield from _rows(plant, line.item, inner, depth + 2)
        for output in structure.outputs:
            if output.operation == operation.number:
                cost = cost_of((operation.number, InputKind.BY_PRODUCT, output.item))
                item = plant.items[output.item]
                yield _row(
                    depth=depth + 1,
                    level=_level(depth),
                    kind="by-product",
                    code=item.code,
                    name=item.name,
                    unit=item.unit,
                    operation=output.operation,
                    quantity=output.quantity,
                    on_hand=plant.on_hand.get(item.code),
                    cost=cost,
                )


def _level(depth: int) -> int:
    """Return the level of the lines under an operation at a depth: 1 at the top."""
    return depth // 2 + 1


def _time_keys(operation: Operation) -> list[InputKey]:
    return [(operation.number, kind, "") for kind in TIME_ELEMENT]


def _needed(
    plant: _Plant, structure: Structure, line: ComponentLine, enter: dict[int, Derivation]
) -> Derivation:
    """Return how much of a component one good unit of its parent needs."""
    each = quantity_per_unit(line, structure.batch_quantity, plant.items[line.item].unit)
    if line.per is Per.ORDER:
        lot = given("standard lot", plant.items[structure.item].standard_lot)
        return quotient("per good unit", each, lot)
    return product("per good unit", (each, enter[line.operation]))


def _operation_row(operation: Operation, cost: Derivation | None, depth: int) -> TreeRow:
    setup = max(operation.setup_labour_hours, operation.setup_machine_hours)
    run = max(operation.run_labour_hours, operation.run_machine_hours)
    return _row(
        depth=depth,
        level=None,
        kind="operation",
        code=operation.work_center,
        name=operation.name,
        unit="h",
        operation=operation.number,
        yield_share=operation.yield_share,
        setup_hours=setup,
        run_hours=run,
        cost=cost,
    )


def _line_row(plant: _Plant, line: ComponentLine, cost: Derivation | None, depth: int) -> TreeRow:
    item = plant.items[line.item]
    return _row(
        depth=depth,
        level=_level(depth - 1),
        kind="sub-assembly" if line.item in plant.structures else "component",
        code=item.code,
        name=item.name,
        unit=item.unit,
        operation=line.operation,
        quantity=line.quantity,
        per=line.per.value,
        allowance=line.allowance,
        on_hand=plant.on_hand.get(item.code, ZERO),
        cost=cost,
    )


def _row(
    *,
    depth: int,
    level: int | None,
    kind: str,
    code: str,
    name: str,
    unit: str,
    operation: int,
    cost: Derivation | None,
    quantity: Decimal | None = None,
    per: str = "",
    allowance: Decimal | None = None,
    yield_share: Decimal | None = None,
    setup_hours: Decimal | None = None,
    run_hours: Decimal | None = None,
    on_hand: Decimal | None = None,
) -> TreeRow:
    return TreeRow(
        depth=depth,
        level=level,
        kind=kind,
        code=code,
        name=name,
        unit=unit,
        operation=operation,
        quantity=quantity,
        per=per,
        allowance=allowance,
        yield_share=yield_share,
        setup_hours=setup_hours,
        run_hours=run_hours,
        cost=round(cost.value, 6) if cost else None,
        on_hand=on_hand,
        derivation=flatten(cost) if cost else [],
    )
