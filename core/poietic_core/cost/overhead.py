"""Overhead rates out of budgets, and the overhead that follows from an operation's own inputs."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
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


#: the kinds of inputs that make up a base, by whether they are per order
COUNTED = {
    Base.LABOUR_HOURS: {True: InputKind.SETUP_LABOUR, False: InputKind.RUN_LABOUR},
    Base.MACHINE_HOURS: {True: InputKind.SETUP_MACHINE, False: InputKind.RUN_MACHINE},
    Base.LABOUR_COST: {True: InputKind.SETUP_LABOUR, False: InputKind.RUN_LABOUR},
}


@exact
def base_quantity(
    base: Base, operation: int, inputs: Iterable[CostInput], *, is_per_order: bool
) -> Decimal:
    """Return how much of a base the inputs of an operation are, per unit entering or per order.

    Hours; or money: of labour, or of the bought material of this level.
    """
    total = ZERO
    for i in inputs:
        if i.operation != operation or i.is_per_order is not is_per_order:
            continue
        if base is Base.MATERIAL_COST:
            if i.kind is InputKind.COMPONENT and not i.is_made:
                total += i.quantity * i.price
        elif i.kind is COUNTED[base][is_per_order]:
            total += i.quantity * (i.price if base is Base.LABOUR_COST else Decimal(1))
    return total


@exact
def overhead_inputs(
    operation: int, work_center: str, inputs: Sequence[CostInput], rates: Iterable[OverheadRate]
) -> list[CostInput]:
    """Return the overhead of an operation: for each rate its base, run and set up apart."""
    found = []
    for rate in rates:
        if rate.work_center not in ("", work_center):
            continue
        for kind, is_per_order in ((InputKind.SETUP_OVERHEAD, True), (InputKind.OVERHEAD, False)):
            quantity = base_quantity(rate.base, operation, inputs, is_per_order=is_per_order)
            if quantity:
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
    return [
        replace(i, quantity=base_quantity(i.base, i.operation, inputs, is_per_order=i.is_per_order))
        if i.base is not None
        else i
        for i in inputs
    ]


def unit_of(base: Base) -> str:
    """Return the unit that a base is counted in."""
    return "h" if base in (Base.LABOUR_HOURS, Base.MACHINE_HOURS) else "EUR"
