"""What an order of a quantity needs: units entering each operation, material of each line."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from decimal import Decimal

from ..derivation import Derivation, given, product, quotient, rounded_up
from ..quantity import ONE, exact
from ..units import measured_piece
from .flow import FlowStep, Network
from .model import ComponentLine, OutputLine, Per, Structure


@exact
def entering(operations: Iterable[FlowStep], good: Decimal) -> dict[int, Derivation]:
    """Return the units entering each operation so that `good` leave the last one, unrounded.

    Parameters
    ----------
    operations : in working order
    good : Decimal [unit]

    Returns
    -------
    dict of operation number to Derivation [unit]

    Examples
    --------
    >>> from poietic_core.structure.flow import Step
    >>> mill = Step(number=10, yield_share=Decimal("0.8"))
    >>> print(f"{entering([mill], Decimal(40))[10].value:f}")
    50
    """
    return Network(operations).required(given("good wanted", good))


@exact
def quantity_per_unit(
    line: ComponentLine | OutputLine, batch_quantity: Decimal, unit: str = ""
) -> Derivation:
    """Return a line's quantity per unit entering its operation (per order, if it is so stated).

    line quantity / batch quantity × measure × unit factor × (1 + allowance), unrounded.
    """
    stated = line.unit if isinstance(line, ComponentLine) and line.unit else unit
    terms = [given("line quantity", line.quantity, unit=stated)]
    per_order = isinstance(line, ComponentLine) and line.per is Per.ORDER
    if not per_order and batch_quantity != ONE:
        batch = given("batch quantity", batch_quantity)
        terms = [quotient("quantity per unit", terms[0], batch, unit=stated)]
    if isinstance(line, ComponentLine):
        if line.measure:
            terms.append(measured_piece(line.measure, line.item))
        if line.unit_factor != ONE:
            whole = line.measure.unit() if line.measure else stated
            terms.append(given(f"{unit} in one {whole}", line.unit_factor))
        if line.allowance:
            terms.append(given("1 + allowance", ONE + line.allowance))
    return product(f"{line.item} per {'order' if per_order else 'unit'}", terms, unit=unit)


@exact
def need_per_good_unit(
    structure: Structure,
    line: ComponentLine,
    enter: Mapping[int, Derivation],
    *,
    unit: str,
    standard_lot: Decimal,
) -> Derivation:
    """Return how much of a component one good unit of its parent needs, unrounded [unit].

    What is stated per order is spread over the standard lot. `enter` is the answer of
    `entering` for one good unit.
    """
    each = quantity_per_unit(line, structure.batch_quantity, unit)
    if line.per is Per.ORDER:
        lot = given("standard lot", standard_lot)
        return quotient(f"{line.item} per good unit", each, lot, unit=unit)
    if line.operation not in enter:  # of a phantom without operations: one enters for each good
        return each
    return product(f"{line.item} per good unit", (each, enter[line.operation]), unit=unit)


@exact
def need_of_line(
    structure: Structure,
    line: ComponentLine | OutputLine,
    enter: dict[int, Derivation],
    *,
    step: Decimal,
    unit: str,
) -> Derivation:
    """Return what an order needs of a line, rounded up once to the item's step.

    `enter` is the answer of `entering` for the order quantity.
    """
    each = quantity_per_unit(line, structure.batch_quantity, unit)
    if isinstance(line, ComponentLine) and line.per is Per.ORDER:
        exact_need = each
    else:
        exact_need = product("need, unrounded", (each, enter[line.operation]), unit=unit)
    return rounded_up(f"need of {line.item}", exact_need, step)
