"""What goes with units that are taken out of a running order into one of their own."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction
from typing import ClassVar

from ..derivation import given
from ..errors import DomainError
from ..quantity import CENT, ONE, UNIT_COST_STEP, ZERO, exact, round_to, round_up
from ..structure.basis import Basis
from ..structure.flow import Network
from .report import Progress


@dataclass(eq=False)
class NotStandingThere(DomainError):
    """More units are to be taken out of an order than stand after an operation."""

    units: Decimal
    operation: int
    standing: Decimal
    code: ClassVar[str] = "order.not_standing_there"
    what: ClassVar[str] = "{units} pieces can't be taken out after operation {operation}."
    why: ClassVar[str] = "{standing} are good there, not received and not worked on any further."
    fix: ClassVar[str] = "Take {standing} or fewer, or take them from another operation."


@dataclass(eq=False)
class MoreThanItMakes(DomainError):
    """An order would take more units with it than it is to make."""

    units: Decimal
    quantity: Decimal
    most: Decimal
    code: ClassVar[str] = "order.more_than_it_makes"
    what: ClassVar[str] = "{units} pieces can't go with an order that makes {quantity}."
    why: ClassVar[str] = "It needs {most} of them."
    fix: ClassVar[str] = "Take {most} or fewer, or have the order make more."


@dataclass(frozen=True, slots=True, kw_only=True)
class Held:
    """An input of an order: allowed, and what it was charged so far."""

    basis: Basis
    #: for what the basis says [unit]
    allowed: Fraction
    #: net of returns [unit], and with what stood in for it
    used: Decimal
    covered: Decimal
    #: what it was charged at [money]
    amount: Decimal
    #: material: what is there beyond the work stays unworked, and where it is
    is_component: bool


def standing_after(
    operations: Iterable[Progress],
    number: int,
    received: Decimal,
    sent: Mapping[int, Decimal] | None = None,
) -> Decimal:
    """Return the units that are good after an operation and neither received, sent out nor worked on further.

    Parameters
    ----------
    operations : in working order
    received : pieces received out of the order [unit]
    sent : by operation of a supplier, units that went to it so far [unit]

    Source
    ------
    Live units of a stage: the handbook, section 7, split.
    """
    listed = list(operations)
    by_number = {o.number: o for o in listed}
    followed = Network(listed).following[number]
    out = sent or {}
    gone = [max(by_number[n].processed(), out.get(n, ZERO)) for n in followed] or [received]
    return by_number[number].good - max(gone)


@exact
def plan_without_loss(
    operations: Iterable[Progress], number: int, units: Decimal
) -> dict[int, Decimal]:
    """Return by how many units fewer each operation is entered where units have passed it already.

    The plan lets more enter than leave; of units that are there, nothing is lost on the way any more.

    Parameters
    ----------
    units : good ones after operation `number` [unit]

    Returns
    -------
    dict of operation to Decimal [unit], >= 0; 0 for what does not come before it

    Source
    ------
    Yield chain (common practice): units / (yields from there to `number`) − units.
    """
    listed = list(operations)
    network = Network(listed)
    one = {n: d.value for n, d in network.required(given("one good unit", ONE)).items()}
    leaving = one[number] * network.yields[number]
    before = network.through(number)
    return {
        n: round_to(units * one[n] / leaving - units, UNIT_COST_STEP) if n in before else ZERO
        for n in one
    }


@exact
def needed_after(
    operations: Iterable[Progress], number: int, quantity: Decimal, step: Decimal
) -> Decimal:
    """Return how many good units after an operation make a quantity of good ones [unit].

    Parameters
    ----------
    quantity : that leaves the last operation [unit]
    step : of the item; rounded up to it

    Source
    ------
    Yield chain (common practice).
    """
    network = Network(operations)
    one = network.required(given("one good unit", ONE))[number].value
    return round_up(quantity * one * network.yields[number], step)


def share_taken(
    held: Held, *, processed: Decimal, good: Decimal, units: Decimal, part: Fraction
) -> Fraction:
    """Return the share of an input that goes with units of an order, at an operation that they passed.

    Each unit worked on has the same; so what was lost keeps its cost where it was lost. Material
    that is there beyond what the work was allowed goes with none. What is fixed per order goes by
    the quantities ordered.

    Parameters
    ----------
    processed : units worked on at the operation, each once [unit]
    good : good ones among them [unit]
    units : taken [unit]
    part : of the quantity ordered that the new order makes

    Source
    ------
    The handbook, section 7, split: by the live units that passed the operation.
    """
    if held.basis is Basis.ORDER:
        return part
    done = Fraction(good if held.basis is Basis.GOOD else processed)
    if not done:
        return Fraction(0)
    share = Fraction(units) / done
    worked_in = held.allowed * done
    if held.is_component and held.covered > worked_in:
        share *= worked_in / Fraction(held.covered)
    return share


@exact
def taken(share: Fraction, held: Held) -> tuple[Decimal, Decimal]:
    """Return the quantity and the amount that a share of an input is [unit, money]."""
    ratio = Decimal(share.numerator) / Decimal(share.denominator)
    return round_to(held.used * ratio, UNIT_COST_STEP), round_to(held.amount * ratio, CENT)


@exact
def by_lot(issued: Mapping[str, Decimal], quantity: Decimal) -> dict[str, Decimal]:
    """Return of which lots a quantity is that was worked in: of those issued first.

    Parameters
    ----------
    issued : net of returns, by lot, in the order of issue [unit]
    quantity : of them [unit]; what they don't hold is of no lot ("")

    Source
    ------
    First in, first used: common practice.
    """
    found: dict[str, Decimal] = {}
    left = quantity
    for lot, there in issued.items():
        if part := max(ZERO, min(left, there)):
            found[lot] = part
            left -= part
    if left:
        found[""] = found.get("", ZERO) + left
    return found
