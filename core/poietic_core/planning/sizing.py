"""Size from lot: a quantity of the component that limits sets the quantity of the order."""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction

from ..derivation import fraction_of
from ..quantity import ZERO, exact
from ..structure.basis import Basis
from ..structure.model import Structure
from ..structure.requirement import entering_for_one, quantity_per_unit


@exact
def order_quantity_from(
    structure: Structure,
    component: str,
    available: Decimal,
    *,
    step: Decimal,
    component_step: Decimal,
) -> Decimal:
    """Return the largest order whose need of a component a quantity of it covers; 0 where none is covered.

    The need is what the order's release asks for: allowance, yields and batch, each line rounded
    up to the component's step.

    Parameters
    ----------
    structure : free of phantoms
    component : code of an item that it uses
    available : of it [unit]
    step : of the item made [unit]
    component_step : of the component [unit]

    Source
    ------
    The inverse of the gross requirement with allowance and yield: common practice.

    Examples
    --------
    >>> from ..structure.model import ComponentLine, Operation
    >>> grind = Operation(number=10, name="Grind", work_center="OPTICS", yield_share=Decimal("0.9"))
    >>> mirror = Structure(item="M", batch_quantity=Decimal(1), operations=(grind,),
    ...     components=(ComponentLine(item="BLANK", operation=10, quantity=Decimal(1)),))
    >>> str(order_quantity_from(mirror, "BLANK", Decimal(24), step=Decimal(1), component_step=Decimal(1)))
    '21'
    """
    enter = entering_for_one(structure.operations)
    lines = []
    for c in structure.components:
        if c.item == component:
            each = fraction_of(quantity_per_unit(c, structure.batch_quantity))
            is_once = Basis.of(c.per) is Basis.ORDER
            if not is_once and c.operation in enter:
                each *= fraction_of(enter[c.operation])
            lines.append((each, is_once))

    def need(steps: int) -> Fraction:
        """Return the need of an order of so many steps, in steps of the component."""
        whole = Fraction(0)
        for each, is_once in lines:
            exactly = each if is_once else each * Fraction(step) * steps
            whole += -(-exactly // Fraction(component_step))
        return whole

    there = Fraction(available) / Fraction(component_step)
    if not any(each and not is_once for each, is_once in lines) or need(1) > there:
        return ZERO
    low, high = 1, 2
    while need(high) <= there:
        low, high = high, high * 2
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (middle, high) if need(middle) <= there else (low, middle)
    return low * step
