"""What an order of a quantity needs: units entering each operation, material of each line."""

from __future__ import annotations

from collections.abc import Iterable
from decimal import Decimal

from ..derivation import Derivation, given, product, quotient, rounded_up
from ..quantity import ONE, exact
from .model import ComponentLine, Operation, OutputLine, Per, Structure


@exact
def entering(operations: Iterable[Operation], good: Decimal) -> dict[int, Derivation]:
    """Return the units entering each operation so that `good` leave the last one, unrounded.

    Parameters
    ----------
    operations : in working order, each feeding the next
    good : Decimal [unit]

    Returns
    -------
    dict of operation number to Derivation [unit]

    Source
    ------
    Yield chain (common practice): entering(k) = entering(next) / yield(k).

    Examples
    --------
    >>> mill = Operation(number=10, name="Mill", work_center="M", yield_share=Decimal("0.8"))
    >>> print(f"{entering([mill], Decimal(40))[10].value:f}")
    50
    """
    result: dict[int, Derivation] = {}
    leaving = given("good wanted", good)
    for operation in reversed(list(operations)):
        if operation.yield_share == ONE:
            result[operation.number] = leaving
        else:
            share = given(
                f"yield of operation {operation.number}",
                operation.yield_share,
                source=f"operation:{operation.number}",
            )
            leaving = quotient(f"entering operation {operation.number}", leaving, share)
            result[operation.number] = leaving
    return dict(reversed(result.items()))


@exact
def quantity_per_unit(
    line: ComponentLine | OutputLine, batch_quantity: Decimal, unit: str = ""
) -> Derivation:
    """Return a line's quantity per unit entering its operation (per order, if it is so stated).

    line quantity / batch quantity × (1 + allowance), unrounded.
    """
    terms = [given("line quantity", line.quantity, unit=unit)]
    per_order = isinstance(line, ComponentLine) and line.per is Per.ORDER
    if not per_order and batch_quantity != ONE:
        stated = given("batch quantity", batch_quantity)
        terms = [quotient("quantity per unit", terms[0], stated, unit=unit)]
    if isinstance(line, ComponentLine) and line.allowance:
        terms.append(given("1 + allowance", ONE + line.allowance))
    return product(f"{line.item} per {'order' if per_order else 'unit'}", terms, unit=unit)


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
