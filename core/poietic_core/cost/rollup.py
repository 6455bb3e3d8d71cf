"""The standard cost roll-up: from prices, rates and structures to unit costs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from ..derivation import Derivation, given, negative, product, quotient, rounded, total
from ..quantity import UNIT_COST_STEP, ZERO, exact, require_positive, round_parts
from ..structure.explode import working_order
from ..structure.model import Operation, OutputLine, Per, Structure
from ..structure.requirement import entering, quantity_per_unit
from .model import (
    TIME_ELEMENT,
    CostedOperation,
    CostedStructure,
    CostInput,
    Element,
    InputKind,
    ItemCost,
    Rates,
    UnitCost,
)

Cell = tuple[int, Element]


@exact
def cost_structure(
    structure: Structure,
    *,
    standard_lot: Decimal,
    items: Mapping[str, ItemCost],
    rates: Mapping[str, Rates],
    units: Mapping[str, str],
) -> CostedStructure:
    """Return the structure with the price of each input.

    Parameters
    ----------
    standard_lot : Decimal [unit], > 0
    items : unit costs of its components
    rates : per work center [money/h]
    units : stock unit of each by-product

    Raises
    ------
    OutOfRange (input.out_of_range)
        If the standard lot is not above 0.
    """
    require_positive(f"The standard lot of {structure.item}", standard_lot)
    inputs: list[CostInput] = []
    for operation in structure.operations:
        inputs += _materials(structure, operation.number, items)
        inputs += _times(operation, rates[operation.work_center])
        inputs += [
            _by_product(structure, line, units[line.item])
            for line in structure.outputs
            if line.operation == operation.number
        ]
    return CostedStructure(
        item=structure.item,
        standard_lot=standard_lot,
        operations=tuple(
            CostedOperation(
                number=o.number,
                name=o.name,
                work_center=o.work_center,
                yield_share=o.yield_share,
                after=o.after,
            )
            for o in structure.operations
        ),
        inputs=tuple(inputs),
    )


def _materials(
    structure: Structure, operation: int, items: Mapping[str, ItemCost]
) -> list[CostInput]:
    return [
        CostInput(
            operation=operation,
            kind=InputKind.COMPONENT,
            code=line.item,
            quantity=quantity_per_unit(line, structure.batch_quantity).value,
            unit=items[line.item].unit,
            price=items[line.item].cost.total(),
            split=items[line.item].cost.by_element(),
            is_per_order=line.per is Per.ORDER,
            is_made=items[line.item].is_made,
        )
        for line in structure.components
        if line.operation == operation
    ]


def _times(operation: Operation, rates: Rates) -> list[CostInput]:
    hours = {
        InputKind.SETUP_LABOUR: (operation.setup_labour_hours, rates.labour),
        InputKind.SETUP_MACHINE: (operation.setup_machine_hours, rates.machine),
        InputKind.RUN_LABOUR: (operation.run_labour_hours / operation.run_quantity, rates.labour),
        InputKind.RUN_MACHINE: (
            operation.run_machine_hours / operation.run_quantity,
            rates.machine,
        ),
    }
    return [
        CostInput(
            operation=operation.number,
            kind=kind,
            code=operation.work_center,
            quantity=quantity,
            unit="h",
            price=rate,
            split={TIME_ELEMENT[kind]: rate},
            is_per_order=kind in (InputKind.SETUP_LABOUR, InputKind.SETUP_MACHINE),
        )
        for kind, (quantity, rate) in hours.items()
        if quantity
    ]


def _by_product(structure: Structure, line: OutputLine, unit: str) -> CostInput:
    return CostInput(
        operation=line.operation,
        kind=InputKind.BY_PRODUCT,
        code=line.item,
        quantity=quantity_per_unit(line, structure.batch_quantity).value,
        unit=unit,
        price=line.credit_price,
        split={Element.BY_PRODUCT: line.credit_price},
    )


@exact
def cost_per_unit(
    costed: CostedStructure, i: CostInput, enter: Mapping[int, Derivation]
) -> Derivation:
    """Return what one input costs per good unit; a by-product is negative. Unrounded."""
    quantity = given(
        f"{i.code} per {'order' if i.is_per_order else 'unit'}", i.quantity, unit=i.unit
    )
    price = given(
        "credit price" if i.sign() < 0 else "standard cost",
        i.price,
        unit=f"EUR/{i.unit}",
        source=f"{'work-center' if i.kind in TIME_ELEMENT else 'item'}:{i.code}",
    )
    if i.is_per_order:
        lot = given("standard lot", costed.standard_lot)
        each = quotient("per good unit", quantity, lot, unit=i.unit)
    else:
        each = product("per good unit", (quantity, enter[i.operation]), unit=i.unit)
    cost = product(f"{i.kind} {i.code}", (each, price), unit="EUR")
    return negative(cost) if i.sign() < 0 else cost


@exact
def standard_cost(costed: CostedStructure) -> Derivation:
    """Return the standard cost of one unit, 6 decimals, with every input as a term [money/unit]."""
    enter = entering(costed.operations, Decimal(1))
    terms = [cost_per_unit(costed, i, enter) for i in costed.inputs]
    return rounded(
        f"standard cost of {costed.item}", total("sum of inputs", terms, unit="EUR"), UNIT_COST_STEP
    )


@exact
def standard_cells(costed: CostedStructure) -> dict[Cell, Decimal]:
    """Return the standard cost of one unit by operation and element.

    The cells carry 6 decimals and add up to `standard_cost`.
    """
    enter = entering(costed.operations, Decimal(1))
    exact_cells: dict[Cell, Decimal] = {}
    for i in costed.inputs:
        cost = cost_per_unit(costed, i, enter).value
        for element, part in i.split.items():
            share = part / i.price if i.price else ZERO
            cell = (i.operation, element)
            exact_cells[cell] = exact_cells.get(cell, ZERO) + cost * share
    parts = round_parts(
        list(exact_cells.values()), standard_cost(costed).value, step=UNIT_COST_STEP
    )
    return dict(zip(exact_cells, parts, strict=True))


@exact
def unit_cost(costed: CostedStructure) -> UnitCost:
    """Return the standard cost by element, what made components bring being lower level.

    The parts carry 6 decimals and add up to `standard_cost`.
    """
    enter = entering(costed.operations, Decimal(1))
    this: dict[Element, Decimal] = {}
    lower: dict[Element, Decimal] = {}
    for i in costed.inputs:
        level = lower if i.is_made else this
        cost = cost_per_unit(costed, i, enter).value
        for element, part in i.split.items():
            share = part / i.price if i.price else ZERO
            level[element] = level.get(element, ZERO) + cost * share
    parts = round_parts(
        [*this.values(), *lower.values()], standard_cost(costed).value, step=UNIT_COST_STEP
    )
    return UnitCost(
        this_level=dict(zip(this, parts[: len(this)], strict=True)),
        lower_levels=dict(zip(lower, parts[len(this) :], strict=True)),
    )


def bought_cost(price: Decimal) -> UnitCost:
    """Return the unit cost of a bought item: its price, all material of this level."""
    return UnitCost(this_level={Element.MATERIAL: price}, lower_levels={})


@dataclass(frozen=True, slots=True, kw_only=True)
class ItemFacts:
    """What the roll-up knows of an item; None where it is not there."""

    code: str
    unit: str
    is_made: bool
    standard_lot: Decimal
    price: Decimal | None
    structure: Structure | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Missing:
    """Why an item got no standard: its own lack, or the components that have none."""

    item: str
    why: str
    fix: str


@dataclass(frozen=True, slots=True, kw_only=True)
class RollUp:
    """Unit costs and their bases by item, and what is missing."""

    costs: Mapping[str, ItemCost]
    bases: Mapping[str, CostedStructure]
    missing: Sequence[Missing]


@exact
def roll_up(
    items: Mapping[str, ItemFacts],
    rates: Mapping[str, Rates],
    known: Mapping[str, ItemCost] | None = None,
) -> RollUp:
    """Return the unit cost of every item, components first; what is missing is listed, never 0.

    Parameters
    ----------
    items : the items to roll
    rates : per work center [money/h]
    known : unit costs that stand, for components that are not among `items`

    Raises
    ------
    CycleFound (structure.cycle)

    Notes
    -----
    An item's cost is rounded to 6 decimals before its parents use it, so that every
    level can be checked from the numbers shown. O(items + lines).
    """
    graph = {
        code: {c.item: c.quantity for c in facts.structure.components} if facts.structure else {}
        for code, facts in items.items()
    }
    costs: dict[str, ItemCost] = dict(known or {})
    bases: dict[str, CostedStructure] = {}
    missing: list[Missing] = []
    units = {code: facts.unit for code, facts in items.items()}
    for code in reversed(working_order(graph)):
        if code not in items:
            continue
        facts = items[code]
        costs.pop(code, None)
        lack = _lack_of(facts, costs, rates)
        if lack:
            missing.append(lack)
        elif facts.is_made and facts.structure:
            bases[code] = cost_structure(
                facts.structure,
                standard_lot=facts.standard_lot,
                items=costs,
                rates=rates,
                units=units | {o.item: units.get(o.item, "") for o in facts.structure.outputs},
            )
            costs[code] = ItemCost(cost=unit_cost(bases[code]), is_made=True, unit=facts.unit)
        elif facts.price is not None:
            costs[code] = ItemCost(cost=bought_cost(facts.price), is_made=False, unit=facts.unit)
    return RollUp(costs=costs, bases=bases, missing=missing)


def _lack_of(
    facts: ItemFacts, costs: Mapping[str, ItemCost], rates: Mapping[str, Rates]
) -> Missing | None:
    if not facts.is_made:
        if facts.price is None:
            return Missing(
                item=facts.code,
                why=f"{facts.code} has no price.",
                fix=f"Enter the price of {facts.code}.",
            )
        return None
    if facts.structure is None:
        return Missing(
            item=facts.code,
            why=f"{facts.code} has no approved structure.",
            fix=f"Approve a structure of {facts.code}.",
        )
    without = sorted({c.item for c in facts.structure.components} - set(costs))
    if without:
        return Missing(
            item=facts.code,
            why=f"{facts.code} uses {', '.join(without)}, which has no cost.",
            fix=f"Give {', '.join(without)} a cost first.",
        )
    unrated = sorted({o.work_center for o in facts.structure.operations} - set(rates))
    if unrated:
        return Missing(
            item=facts.code,
            why=f"{facts.code} runs at {', '.join(unrated)}, which has no rate.",
            fix=f"Enter the rates of {', '.join(unrated)}.",
        )
    return None
