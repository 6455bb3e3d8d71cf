"""What one good unit costs: a costed structure's inputs, by element, level and operation."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from decimal import Decimal

from ..derivation import Derivation, given, negative, product, rounded, total
from ..quantity import ONE, UNIT_COST_STEP, ZERO, exact, round_parts, round_to
from ..structure.basis import Basis, Spread, spread, taken_in
from ..structure.flow import Network
from ..structure.model import OutputKind, Structure
from ..structure.requirement import entering_for_one, per_unit
from .joint import JointOutput, joint_shares
from .model import (
    ELEMENTS,
    ITEM_KINDS,
    OVERHEAD_KINDS,
    TIME_ELEMENT,
    CostedStructure,
    CostInput,
    Element,
    InputKind,
    UnitCost,
)

Cell = tuple[int, Element]


@exact
def quantity_per_good_unit(
    costed: CostedStructure, i: CostInput, enter: Mapping[int, Derivation]
) -> Derivation:
    """Return how much of an input one good unit takes in; of an output, gives out. Unrounded.

    What is stated per order is spread over the standard lot. `enter` is the answer of
    `entering_for_one`.

    Parameters
    ----------
    i : an input of the structure, per what it is stated for
    operations : with their yields
    standard_lot : Decimal [unit], > 0

    Source
    ------
    The handbook's rule for requirements: what enters divided by the yields that follow
    (common practice).
    """
    quantity = given(f"{i.code} per {i.basis()}", i.quantity, unit=i.unit)
    return taken_in("per good unit", quantity, _spread(costed, i, enter))


def _spread(costed: CostedStructure, i: CostInput, enter: Mapping[int, Derivation]) -> Spread:
    """Return what the quantity of an input is times, or else what it is divided by, per good unit."""
    shares = (o.yield_share for o in costed.operations if o.number == i.operation)
    return spread(
        i.basis(),
        enter.get(i.operation),  # None: of a phantom without operations
        operation=i.operation,
        yield_share=next(shares, ONE) if i.is_per_good else ONE,
        lot=costed.standard_lot,
    )


@exact
def cost_per_unit(
    costed: CostedStructure, i: CostInput, enter: Mapping[int, Derivation]
) -> Derivation:
    """Return what one input costs per good unit; an output is negative. Unrounded.

    Parameters
    ----------
    as of `quantity_per_good_unit`; price [money/unit of the input]

    Source
    ------
    Standard cost: Horngren, Datar & Rajan, Cost Accounting, ch. 7.
    """
    price = given(
        "credit price" if i.is_credited() else "standard cost",
        i.price,
        unit=f"EUR/{i.unit}",
        source=_source(i),
    )
    each = quantity_per_good_unit(costed, i, enter)
    cost = product(f"{i.kind} {i.code}", (each, price), unit="EUR")
    return negative(cost) if i.is_credited() else cost


def _source(i: CostInput) -> str:
    if i.kind in ITEM_KINDS:
        return f"item:{i.code}"
    if i.kind in OVERHEAD_KINDS:
        return f"overhead:{i.code}"
    return f"{'work-center' if i.kind in TIME_ELEMENT else 'partner'}:{i.code}"


@exact
def standard_cost(costed: CostedStructure) -> Derivation:
    """Return the standard cost of one unit, 6 decimals, with every input as a term [money/unit]."""
    enter = entering_for_one(costed.operations)
    terms = [cost_per_unit(costed, i, enter) for i in costed.inputs]
    return rounded(
        f"standard cost of {costed.item}", total("sum of inputs", terms, unit="EUR"), UNIT_COST_STEP
    )


@exact
def standard_cells(costed: CostedStructure) -> dict[Cell, Decimal]:
    """Return the standard cost of one unit by operation and element.

    The cells carry 6 decimals and add up to `standard_cost`.
    """
    exact_cells: dict[Cell, Decimal] = {}
    for i, each in _taken(costed):
        for element, part in i.split.items():
            cell = (i.operation, element)
            exact_cells[cell] = exact_cells.get(cell, ZERO) + each * part
    parts = round_parts(
        list(exact_cells.values()), standard_cost(costed).value, step=UNIT_COST_STEP
    )
    return dict(zip(exact_cells, parts, strict=True))


@exact
def unit_cost(costed: CostedStructure) -> UnitCost:
    """Return the standard cost by element, what made components bring being lower level.

    The parts carry 6 decimals and add up to `standard_cost`.
    """
    taken = _taken(costed)
    whole = sum((each * i.price for i, each in taken), ZERO)
    return _rounded_cost(*_levels(taken), round_to(whole, UNIT_COST_STEP))


def _levels(
    taken: Iterable[tuple[CostInput, Decimal]],
) -> tuple[dict[Element, Decimal], dict[Element, Decimal]]:
    """Return what inputs cost by element, of this level and of lower ones, unrounded."""
    this: dict[Element, Decimal] = {}
    lower: dict[Element, Decimal] = {}
    for i, each in taken:
        if i.lower and not i.is_made:
            _add(lower, i.lower, each)
            _add(this, own_level(i), each)
        else:
            _add(lower if i.is_made else this, i.split, each)
    return this, lower


def _taken(costed: CostedStructure) -> list[tuple[CostInput, Decimal]]:
    """Return each input with the value of its quantity per good unit, below zero where it is credited."""
    enter = entering_for_one(costed.operations)
    spreads: dict[tuple[int, bool, bool], Spread] = {}
    found = []
    for i in costed.inputs:
        key = (i.operation, i.is_per_order, i.is_per_good)
        if key not in spreads:
            spreads[key] = _spread(costed, i, enter)
        factors, lot = spreads[key]
        each = i.quantity / lot.value if lot else i.quantity
        for factor in factors:
            each *= factor.value
        found.append((i, i.signed(each)))
    return found


def _add(level: dict[Element, Decimal], split: Mapping[Element, Decimal], each: Decimal) -> None:
    for element, part in split.items():
        if element in level:
            level[element] += each * part
        elif part:
            level[element] = each * part


def own_level(i: CostInput) -> dict[Element, Decimal]:
    """Return the part of a price that does not come from lower levels."""
    own = {e: part - i.lower.get(e, ZERO) for e, part in i.split.items()}
    return {e: part for e, part in own.items() if part}


def _rounded_cost(
    this: Mapping[Element, Decimal], lower: Mapping[Element, Decimal], whole: Decimal
) -> UnitCost:
    # in one order however they came about, since ties in rounding go by it
    this = {e: this[e] for e in ELEMENTS if e in this}
    lower = {e: lower[e] for e in ELEMENTS if e in lower}
    parts = round_parts([*this.values(), *lower.values()], whole, step=UNIT_COST_STEP)
    return UnitCost(
        this_level=dict(zip(this, parts[: len(this)], strict=True)),
        lower_levels=dict(zip(lower, parts[len(this) :], strict=True)),
    )


@exact
def co_product_shares(
    structure: Structure, made: Derivation, standard_lot: Decimal
) -> Mapping[str, Decimal]:
    """Return the share of the joint cost that each co-product bears.

    Parameters
    ----------
    structure : with its phantoms put in
    made : units entering the operation at which they leave, per good unit of the item
    standard_lot : over which outputs of an order are spread [unit]

    Raises
    ------
    SharesDontAdd (cost.shares_dont_add)

    Source
    ------
    Joint-cost allocation: Horngren, Datar & Rajan, Cost Accounting, ch. 16.
    """
    lines = [o for o in structure.outputs if o.kind is OutputKind.CO_PRODUCT]
    split_off = lines[0].operation
    good = made.value * Network(structure.operations).yields[split_off]
    outputs = [JointOutput(item=structure.item, quantity=good, weight=structure.main_weight)]
    for line in lines:
        each = given("each", per_unit(line, structure.batch_quantity))
        over = spread(Basis.of(line.per), made, operation=split_off, lot=standard_lot)
        quantity = taken_in("leaving", each, over).value
        outputs.append(JointOutput(item=line.item, quantity=quantity, weight=line.weight))
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
    taken = _taken(costed)
    this, lower = _levels(
        (i, each)
        for i, each in taken
        if i.operation in joint and i.kind is not InputKind.CO_PRODUCT
    )
    leaving = {i.key(): -each for i, each in taken if i.kind is InputKind.CO_PRODUCT}
    inputs = []
    for i in costed.inputs:
        if i.kind is InputKind.CO_PRODUCT and i.quantity:
            # unrounded until it is divided: a co-product may be a gram of a joint cost
            share = i.share / leaving[i.key()]
            own, below = ({e: v * share for e, v in level.items()} for level in (this, lower))
            whole = sum(own.values(), ZERO) + sum(below.values(), ZERO)
            cost = _rounded_cost(own, below, round_to(whole, UNIT_COST_STEP))
            inputs.append(_at_cost(i, cost))
        else:
            inputs.append(i)
    return replace(costed, inputs=tuple(inputs))


def _at_cost(i: CostInput, cost: UnitCost) -> CostInput:
    return replace(i, price=cost.total(), split=cost.by_element(), lower=dict(cost.lower_levels))


def co_product_cost(i: CostInput) -> UnitCost:
    """Return the unit cost of a co-product as the input of the item that it leaves with."""
    return UnitCost(this_level=own_level(i), lower_levels=dict(i.lower))


@exact
def scaled_cost(cost: UnitCost, factor: Decimal) -> UnitCost:
    """Return a unit cost times a factor, element by element, to 6 decimals."""
    this = {e: v * factor for e, v in cost.this_level.items()}
    lower = {e: v * factor for e, v in cost.lower_levels.items()}
    whole = round_to(cost.total() * factor, UNIT_COST_STEP)
    return _rounded_cost(this, lower, whole)


def bought_cost(price: Decimal) -> UnitCost:
    """Return the unit cost of a bought item: its price, all material of this level."""
    return UnitCost(this_level={Element.MATERIAL: price}, lower_levels={})
