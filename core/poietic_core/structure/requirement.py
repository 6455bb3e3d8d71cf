"""What an order of a quantity needs: units entering each operation, material of each line."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from decimal import Decimal
from fractions import Fraction
from functools import lru_cache

from ..derivation import Derivation, given, product, quotient, ratio
from ..quantity import ONE, exact
from ..units import measured_piece
from .basis import Basis, spread, taken_in
from .flow import FlowStep, Network, Step
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

    Source
    ------
    Common practice: what leaves divided by the yield, from the last operation back.

    Examples
    --------
    >>> from poietic_core.structure.flow import Step
    >>> mill = Step(number=10, yield_share=Decimal("0.8"))
    >>> print(f"{entering([mill], Decimal(40))[10].value:f}")
    50
    """
    return Network(operations).required(given("good wanted", good))


def entering_for_one(operations: Iterable[FlowStep]) -> Mapping[int, Derivation]:
    """Return the units entering each operation for one good unit, unrounded.

    Kept, because a plant has a hundred thousand structures and few ways in which units flow.
    """
    return _for_one(tuple((o.number, o.yield_share, o.after) for o in operations))


@lru_cache(4_096)
def _for_one(
    flow: tuple[tuple[int, Decimal, tuple[int, ...] | None], ...],
) -> Mapping[int, Derivation]:
    return entering([Step(number=n, yield_share=y, after=a) for n, y, a in flow], ONE)


@exact
def quantity_per_unit(
    line: ComponentLine | OutputLine, batch_quantity: Decimal, unit: str = ""
) -> Derivation:
    """Return a line's quantity per unit entering its operation (per order, if it is so stated).

    line quantity / batch quantity × measure × unit factor × (1 + allowance), unrounded.

    Parameters
    ----------
    line : with quantity [unit of the line], unit factor, allowance (0.1 is 10 %) and measure
    batch_quantity : units that the structure is stated for, > 0

    Source
    ------
    Common practice: a scrap allowance of 10 % asks for 110 %.
    """
    stated = unit
    factors: list[Derivation] = []
    if isinstance(line, ComponentLine):
        stated = line.unit or unit
        factors = _factors(line, unit, stated)
    label = f"{line.item} per {line.per}"
    batch = batch_of(line, batch_quantity)
    if not factors and batch == ONE:
        return given(label, line.quantity, unit=unit)
    each = product(label, (given("line quantity", line.quantity, unit=stated), *factors), unit=unit)
    if batch == ONE:
        return each
    return quotient(label, each, given("batch quantity", batch), unit=unit)


def batch_of(line: ComponentLine | OutputLine, batch_quantity: Decimal) -> Decimal:
    """Return what a line's quantity is stated for: units entering, or orders.

    Parameters
    ----------
    line : of a structure
    batch_quantity : of the structure [unit], > 0

    Source
    ------
    Common practice.
    """
    if line.batch is not None:
        return line.batch
    return batch_quantity if line.per is Per.UNIT else ONE


def per_unit(line: ComponentLine | OutputLine, batch_quantity: Decimal) -> Decimal:
    """Return the value of `quantity_per_unit`; most of a million lines simply state it.

    Parameters
    ----------
    as of `quantity_per_unit`

    Source
    ------
    Common practice.
    """
    if batch_of(line, batch_quantity) == ONE and (isinstance(line, OutputLine) or _is_plain(line)):
        return line.quantity
    return quantity_per_unit(line, batch_quantity).value


def _is_plain(line: ComponentLine) -> bool:
    return not (line.measure or line.allowance) and line.unit_factor == ONE


def _factors(line: ComponentLine, unit: str, stated: str) -> list[Derivation]:
    """Return what a component line's quantity is multiplied by."""
    factors = []
    if line.measure:
        factors.append(measured_piece(line.measure, line.item))
    if line.unit_factor != ONE:
        whole = line.measure.unit() if line.measure else stated
        factors.append(ratio(f"{unit} in one {whole}", Fraction(line.unit_factor)))
    if line.allowance:
        factors.append(given("1 + allowance", ONE + line.allowance))
    return factors


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
    `entering_for_one`.

    Parameters
    ----------
    line : as of `quantity_per_unit`
    entered : units entering its operation for one good unit

    Source
    ------
    Common practice: allowance and yield multiply.
    """
    each = quantity_per_unit(line, structure.batch_quantity, unit)
    over = spread(
        Basis.of(line.per), enter.get(line.operation), operation=line.operation, lot=standard_lot
    )
    return taken_in(f"{line.item} per good unit", each, over)
