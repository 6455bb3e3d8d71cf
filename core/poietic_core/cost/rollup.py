"""The standard cost roll-up: from prices, rates and structures to unit costs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from ..derivation import Derivation, given, negative, product, quotient, rounded, total
from ..quantity import (
    ONE,
    UNIT_COST_STEP,
    ZERO,
    exact,
    require_positive,
    round_parts,
    round_to,
)
from ..structure.explode import working_order
from ..structure.flow import Network
from ..structure.model import (
    Operation,
    OutputKind,
    OutputLine,
    PaymentBasis,
    Per,
    Structure,
    Subcontract,
)
from ..structure.phantom import inline
from ..structure.requirement import entering, quantity_per_unit
from .joint import JointOutput, grade_factors, joint_shares
from .model import (
    ITEM_KINDS,
    OVERHEAD_KINDS,
    TIME_ELEMENT,
    CostedOperation,
    CostedStructure,
    CostInput,
    Element,
    InputKind,
    ItemCost,
    UnitCost,
)
from .overhead import overhead_inputs
from .rates import Rate, ShopRates

Cell = tuple[int, Element]


@exact
def cost_structure(
    structure: Structure,
    *,
    standard_lot: Decimal,
    items: Mapping[str, ItemCost],
    rates: ShopRates,
    units: Mapping[str, str],
) -> CostedStructure:
    """Return the structure with the price of each input.

    Parameters
    ----------
    standard_lot : Decimal [unit], > 0
    structure : with its phantoms put in
    items : unit costs of its components and co-products
    rates : of work centers and labour grades
    units : stock unit of each by-product

    Raises
    ------
    OutOfRange (input.out_of_range)
        If the standard lot is not above 0.
    """
    require_positive(f"The standard lot of {structure.item}", standard_lot)
    inputs: list[CostInput] = []
    overheads: list[CostInput] = []
    if not structure.operations:  # a phantom's lines
        inputs += _materials(structure, 0, items)
    for operation in structure.operations:
        inputs += _materials(structure, operation.number, items)
        inputs += _times(operation, rates)
        if operation.subcontract:
            inputs.append(_subcontract(operation, operation.subcontract))
        inputs += [
            _by_product(structure, line, units[line.item])
            if line.kind is OutputKind.BY_PRODUCT
            else _co_product(structure, line, items[line.item])
            for line in structure.outputs
            if line.operation == operation.number
        ]
        overheads += overhead_inputs(
            operation.number, operation.work_center, inputs, rates.overheads
        )
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
        inputs=(*inputs, *overheads),
        grades=grade_factors(structure.item, structure.grades) if structure.grades else {},
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


def _times(operation: Operation, rates: ShopRates) -> list[CostInput]:
    machine = rates.centers[operation.work_center].machine
    labour = rates.labour(operation.work_center, operation.labour_grade)
    setup_labour, run_labour = operation.labour_hours()
    hours = {
        InputKind.SETUP_LABOUR: (setup_labour, Rate.plain(Element.SETUP_LABOUR, labour)),
        InputKind.SETUP_MACHINE: (operation.setup_machine_hours, machine),
        InputKind.RUN_LABOUR: (
            run_labour / operation.run_quantity,
            Rate.plain(Element.RUN_LABOUR, labour),
        ),
        InputKind.RUN_MACHINE: (operation.run_machine_hours / operation.run_quantity, machine),
    }
    return [
        CostInput(
            operation=operation.number,
            kind=kind,
            code=operation.work_center,
            quantity=quantity,
            unit="h",
            price=rate.per_hour(),
            split=rate.split,
            is_per_order=kind in (InputKind.SETUP_LABOUR, InputKind.SETUP_MACHINE),
        )
        for kind, (quantity, rate) in hours.items()
        if quantity
    ]


def _subcontract(operation: Operation, work: Subcontract) -> CostInput:
    return CostInput(
        operation=operation.number,
        kind=InputKind.SUBCONTRACT,
        code=work.supplier,
        quantity=ONE,
        unit="pcs",
        price=work.price,
        split={Element.SUBCONTRACT: work.price},
        is_per_good=work.basis is PaymentBasis.RETURNED,
    )


def _co_product(structure: Structure, line: OutputLine, cost: ItemCost) -> CostInput:
    return CostInput(
        operation=line.operation,
        kind=InputKind.CO_PRODUCT,
        code=line.item,
        quantity=quantity_per_unit(line, structure.batch_quantity).value,
        unit=cost.unit,
        price=cost.cost.total(),
        split=cost.cost.by_element(),
        lower=cost.cost.lower_levels,
    )


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
        source=_source(i),
    )
    if i.is_per_order:
        lot = given("standard lot", costed.standard_lot)
        each = quotient("per good unit", quantity, lot, unit=i.unit)
    else:
        factors = [quantity]
        if i.operation in enter:  # not of a phantom without operations
            factors.append(enter[i.operation])
        if i.is_per_good:
            share = next(o.yield_share for o in costed.operations if o.number == i.operation)
            factors.append(given(f"yield of operation {i.operation}", share))
        each = product("per good unit", factors, unit=i.unit)
    cost = product(f"{i.kind} {i.code}", (each, price), unit="EUR")
    return negative(cost) if i.sign() < 0 else cost


def _source(i: CostInput) -> str:
    if i.kind in ITEM_KINDS:
        return f"item:{i.code}"
    if i.kind in OVERHEAD_KINDS:
        return f"overhead:{i.code}"
    return f"{'work-center' if i.kind in TIME_ELEMENT else 'partner'}:{i.code}"


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
    whole = ZERO
    for i in costed.inputs:
        cost = cost_per_unit(costed, i, enter).value
        whole += cost
        for element, part in i.split.items():
            below = part if i.is_made else i.lower.get(element, ZERO)
            for level, amount in ((lower, below), (this, part - below)):
                if amount:
                    level[element] = level.get(element, ZERO) + cost * amount / i.price
    return _rounded_cost(this, lower, round_to(whole, UNIT_COST_STEP))


def _rounded_cost(
    this: Mapping[Element, Decimal], lower: Mapping[Element, Decimal], whole: Decimal
) -> UnitCost:
    parts = round_parts([*this.values(), *lower.values()], whole, step=UNIT_COST_STEP)
    return UnitCost(
        this_level=dict(zip(this, parts[: len(this)], strict=True)),
        lower_levels=dict(zip(lower, parts[len(this) :], strict=True)),
    )


@exact
def co_product_shares(structure: Structure, made: Decimal) -> Mapping[str, Decimal]:
    """Return the share of the joint cost that each co-product bears.

    Parameters
    ----------
    structure : with its phantoms put in
    made : units entering the operation at which they leave, per good unit of the item

    Raises
    ------
    SharesDontAdd (cost.shares_dont_add)
    """
    lines = [o for o in structure.outputs if o.kind is OutputKind.CO_PRODUCT]
    split_off = lines[0].operation
    good = made * Network(structure.operations).yields[split_off]
    outputs = [JointOutput(item=structure.item, quantity=good, weight=structure.main_weight)]
    for line in lines:
        each = quantity_per_unit(line, structure.batch_quantity).value
        outputs.append(JointOutput(item=line.item, quantity=each * made, weight=line.weight))
    return joint_shares(structure.item, structure.share_rule, outputs)


@exact
def with_co_products(costed: CostedStructure) -> CostedStructure:
    """Return a basis whose co-products cost their shares of the joint cost.

    The joint cost is what accumulates through the split-off operation, net of by-products;
    what comes later belongs to the main item alone.
    """
    lines = [i for i in costed.inputs if i.kind is InputKind.CO_PRODUCT]
    if not lines:
        return costed
    joint = Network(costed.operations).through(lines[0].operation)
    before = unit_cost(
        replace(
            costed,
            inputs=tuple(
                i
                for i in costed.inputs
                if i.operation in joint and i.kind is not InputKind.CO_PRODUCT
            ),
        )
    )
    made = entering(costed.operations, ONE)[lines[0].operation].value
    inputs = []
    for i in costed.inputs:
        if i.kind is InputKind.CO_PRODUCT and i.quantity:
            cost = scaled_cost(before, i.share / (i.quantity * made))
            inputs.append(_at_cost(i, cost))
        else:
            inputs.append(i)
    return replace(costed, inputs=tuple(inputs))


def _at_cost(i: CostInput, cost: UnitCost) -> CostInput:
    return replace(i, price=cost.total(), split=cost.by_element(), lower=dict(cost.lower_levels))


def co_product_cost(i: CostInput) -> UnitCost:
    """Return the unit cost of a co-product as the input of the item that it leaves with."""
    this = {e: v - i.lower.get(e, ZERO) for e, v in i.split.items()}
    return UnitCost(this_level={e: v for e, v in this.items() if v}, lower_levels=dict(i.lower))


def scaled_cost(cost: UnitCost, factor: Decimal) -> UnitCost:
    """Return a unit cost times a factor, element by element, to 6 decimals."""
    this = {e: v * factor for e, v in cost.this_level.items()}
    lower = {e: v * factor for e, v in cost.lower_levels.items()}
    whole = round_to(cost.total() * factor, UNIT_COST_STEP)
    return _rounded_cost(this, lower, whole)


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
    rates: ShopRates,
    known: Mapping[str, ItemCost] | None = None,
    phantoms: Mapping[str, Structure] | None = None,
) -> RollUp:
    """Return the unit cost of every item, components first; what is missing is listed, never 0.

    Parameters
    ----------
    items : the items to roll
    rates : of work centers and labour grades
    known : unit costs that stand, for components that are not among `items`
    phantoms : structures of phantom items: they count as their parent's own

    Raises
    ------
    CycleFound (structure.cycle)
    NoRoomForPhantom, PhantomClash
        If a structure can't take in its phantoms.

    Notes
    -----
    An item's cost is rounded to 6 decimals before its parents use it, so that every
    level can be checked from the numbers shown. A co-product, and a grade of an item's
    output, is costed with the item whose structure makes it. O(items + lines).
    """
    structures = {
        code: inline(facts.structure, phantoms or {}).structure
        for code, facts in items.items()
        if facts.structure
    }
    made_with = {
        output: code for code, structure in structures.items() for output in _made_with(structure)
    }
    graph = {
        code: {c.item: ONE for c in structures[code].components} if code in structures else {}
        for code in items
    }
    for output, main in made_with.items():
        graph[output] = {main: ONE}
    costs: dict[str, ItemCost] = dict(known or {})
    bases: dict[str, CostedStructure] = {}
    missing: list[Missing] = []
    units = {code: facts.unit for code, facts in items.items()}
    for code in reversed(working_order(graph)):
        if code not in items:
            continue
        facts, structure = items[code], structures.get(code)
        if code in made_with:
            if code not in costs:
                missing.append(_lack_of_main(code, made_with[code]))
            continue
        costs.pop(code, None)
        if lack := _lack_of(facts, structure, costs, rates):
            missing.append(lack)
        elif facts.is_made and structure:
            bases[code], beside = _costed(structure, facts, costs, rates, units)
            costs |= beside
            costs[code] = ItemCost(cost=unit_cost(bases[code]), is_made=True, unit=facts.unit)
            for grade, factor in bases[code].grades.items():
                costs[grade] = replace(costs[code], cost=scaled_cost(costs[code].cost, factor))
        elif facts.price is not None:
            costs[code] = ItemCost(cost=bought_cost(facts.price), is_made=False, unit=facts.unit)
    return RollUp(costs=costs, bases=bases, missing=missing)


def _made_with(structure: Structure) -> list[str]:
    """Return the items that get their cost from another item's structure."""
    return [o.item for o in structure.outputs if o.kind is OutputKind.CO_PRODUCT] + [
        g.item for g in structure.grades
    ]


def _costed(
    structure: Structure,
    facts: ItemFacts,
    costs: Mapping[str, ItemCost],
    rates: ShopRates,
    units: Mapping[str, str],
) -> tuple[CostedStructure, dict[str, ItemCost]]:
    """Return the basis of an item's cost, and the cost of its co-products."""
    units = {o.item: "" for o in structure.outputs} | dict(units)
    lines = [o.item for o in structure.outputs if o.kind is OutputKind.CO_PRODUCT]
    nothing = UnitCost(this_level={}, lower_levels={})
    open_ones = {c: ItemCost(cost=nothing, is_made=True, unit=units[c]) for c in lines}
    basis = cost_structure(
        structure,
        standard_lot=facts.standard_lot,
        items={**costs, **open_ones},
        rates=rates,
        units=units,
    )
    if not lines:
        return basis, {}
    split_off = next(i.operation for i in basis.inputs if i.kind is InputKind.CO_PRODUCT)
    made = entering(basis.operations, ONE)[split_off].value
    shares = co_product_shares(structure, made)
    inputs = [
        replace(i, share=shares[i.code]) if i.kind is InputKind.CO_PRODUCT else i
        for i in basis.inputs
    ]
    whole = with_co_products(replace(basis, inputs=tuple(inputs)))
    beside = {
        i.code: ItemCost(cost=co_product_cost(i), is_made=True, unit=units[i.code])
        for i in whole.inputs
        if i.kind is InputKind.CO_PRODUCT
    }
    return whole, beside


def _lack_of_main(code: str, main: str) -> Missing:
    return Missing(
        item=code,
        why=f"{code} is made with {main}, which has no cost.",
        fix=f"Give {main} a cost first.",
    )


def _lack_of(
    facts: ItemFacts,
    structure: Structure | None,
    costs: Mapping[str, ItemCost],
    rates: ShopRates,
) -> Missing | None:
    if not facts.is_made:
        if facts.price is None:
            return Missing(
                item=facts.code,
                why=f"{facts.code} has no price.",
                fix=f"Enter the price of {facts.code}.",
            )
        return None
    if structure is None:
        return Missing(
            item=facts.code,
            why=f"{facts.code} has no approved structure.",
            fix=f"Approve a structure of {facts.code}.",
        )
    without = sorted({c.item for c in structure.components} - set(costs))
    if without:
        return Missing(
            item=facts.code,
            why=f"{facts.code} uses {', '.join(without)}, which has no cost.",
            fix=f"Give {', '.join(without)} a cost first.",
        )
    unrated = {o.work_center for o in structure.operations} - set(rates.centers)
    unrated |= {o.labour_grade for o in structure.operations if o.labour_grade} - set(rates.grades)
    if unrated:
        named = ", ".join(sorted(unrated))
        return Missing(
            item=facts.code,
            why=f"{facts.code} runs at {named}, which has no rate.",
            fix=f"Enter the rates of {named}.",
        )
    return None
