"""Overhead rates out of budgets, and the overhead that follows from an operation's own inputs."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from ..derivation import Derivation, given, quotient
from ..quantity import ZERO, exact, require_positive
from .model import Base, CostInput, Element, InputKind


@dataclass(frozen=True, slots=True, kw_only=True)
class OverheadRate:
    """Overhead charged by a base, at all work centers or at one [money/h, or share of a cost]."""

    code: str
    element: Element
    base: Base
    rate: Decimal
    #: "" means all
    work_center: str = ""


@exact
def budget_rate(budget: Decimal, capacity: Decimal, base: Base) -> Derivation:
    """Return the rate that a budget gives: its amount over the base that the capacity means.

    Parameters
    ----------
    budget : of the period [money]
    capacity : practical or normal, of the same period [h, or money of the base]

    Raises
    ------
    OutOfRange (input.out_of_range)
        If the capacity is not above 0.

    Source
    ------
    Budgeted overhead rates: Horngren, Datar & Rajan, Cost Accounting, ch. 8.
    """
    require_positive("The capacity", capacity)
    unit = unit_of(base)
    return quotient(
        "overhead rate",
        given("budget of the period", budget, unit="EUR"),
        given("capacity of the period", capacity, unit=unit),
        unit=f"EUR/{unit}",
    )


#: the bases that a kind of time is part of
_BASES_OF_TIME: Mapping[InputKind, tuple[Base, ...]] = {
    InputKind.SETUP_LABOUR: (Base.LABOUR_HOURS, Base.LABOUR_COST),
    InputKind.RUN_LABOUR: (Base.LABOUR_HOURS, Base.LABOUR_COST),
    InputKind.SETUP_MACHINE: (Base.MACHINE_HOURS,),
    InputKind.RUN_MACHINE: (Base.MACHINE_HOURS,),
}
#: bases that are money, not hours
COSTS = (Base.LABOUR_COST, Base.MATERIAL_COST)


def bases_of(kind: InputKind, *, is_made: bool = False) -> tuple[Base, ...]:
    """Return the bases that an input is part of; a base counts what is per order apart.

    Parameters
    ----------
    kind : of the input
    is_made : of a component: bought material is a base of this level, made material of its own

    Source
    ------
    Cost allocation bases: Horngren, Datar & Rajan, Cost Accounting, ch. 4.
    """
    if kind is InputKind.COMPONENT:
        return () if is_made else (Base.MATERIAL_COST,)
    return _BASES_OF_TIME.get(kind, ())


def amount_of(base: Base, quantity: Decimal, cost: Decimal) -> Decimal:
    """Return what an input is of a base.

    Parameters
    ----------
    quantity : of the input [h, or unit of the item]
    cost : of that quantity [money]

    Source
    ------
    As of `bases_of`.
    """
    return cost if base in COSTS else quantity


#: how much of each base there is, per order and per unit entering apart
Bases = dict[tuple[Base, bool], Decimal]


@exact
def base_quantities(operation: int, inputs: Iterable[CostInput]) -> Bases:
    """Return how much of each base the inputs of an operation are, per unit entering or per order.

    Hours; or money: of labour, or of the bought material of this level. What isn't there is left out.
    """
    found: Bases = {}
    for i in inputs:
        if i.operation != operation:
            continue
        for base in bases_of(i.kind, is_made=i.is_made):
            key = (base, i.is_per_order)
            amount = amount_of(base, i.quantity, i.quantity * i.price)
            found[key] = found.get(key, ZERO) + amount
    return found


@exact
def overhead_inputs(
    operation: int, work_center: str, inputs: Sequence[CostInput], rates: Iterable[OverheadRate]
) -> list[CostInput]:
    """Return the overhead of an operation: for each rate its base, run and set up apart."""
    bases = base_quantities(operation, inputs)
    found = []
    for rate in rates:
        if rate.work_center not in ("", work_center):
            continue
        for kind, is_per_order in ((InputKind.SETUP_OVERHEAD, True), (InputKind.OVERHEAD, False)):
            if quantity := bases.get((rate.base, is_per_order)):
                found.append(
                    CostInput(
                        operation=operation,
                        kind=kind,
                        code=rate.code,
                        quantity=quantity,
                        unit=unit_of(rate.base),
                        price=rate.rate,
                        split={rate.element: rate.rate},
                        is_per_order=is_per_order,
                        base=rate.base,
                    )
                )
    return found


def with_bases(inputs: Sequence[CostInput]) -> list[CostInput]:
    """Return inputs whose overhead follows the hours and costs that stand beside it now."""
    bases = {n: base_quantities(n, inputs) for n in {i.operation for i in inputs if i.base}}
    return [
        i
        if i.base is None
        else replace(i, quantity=bases[i.operation].get((i.base, i.is_per_order), ZERO))
        for i in inputs
    ]


def unit_of(base: Base) -> str:
    """Return the unit that a base is counted in."""
    return "EUR" if base in COSTS else "h"
