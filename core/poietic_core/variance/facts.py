"""An order as the variance calculation sees it: operations, inputs and grades, with what was done."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal

from ..cost.model import OUTPUT_KINDS, SETUP_KINDS, InputKind
from ..quantity import ONE, ZERO
from ..structure.basis import Basis
from ..structure.flow import FlowStep

#: what setting up takes, and the overhead that follows from it
MADE_ONCE = (*SETUP_KINDS, InputKind.SETUP_OVERHEAD)


@dataclass(frozen=True, slots=True, kw_only=True)
class OperationFacts:
    """What an operation of an order has done."""

    number: int
    #: good share of what enters, by the order's structure
    yield_share: Decimal
    #: operations that must come before; None: the one listed before, (): none
    after: tuple[int, ...] | None = None
    good: Decimal = ZERO
    scrap: Decimal = ZERO
    rework_pending: Decimal = ZERO
    #: nothing more will be worked in here
    is_finished: bool = False
    #: value of abnormal scrap that was taken out to expense [money]
    written_off: Decimal = ZERO
    #: how often it was set up; None: once, as soon as setup time or a unit is reported
    times_set_up: Decimal | None = None
    #: scrap by reason, adding up to `scrap`
    scrap_by_reason: Mapping[str, Decimal] = field(default_factory=dict)

    def processed(self) -> Decimal:
        """Return the units worked on, each once."""
        return self.good + self.scrap + self.rework_pending


@dataclass(frozen=True, slots=True, kw_only=True)
class StandIn:
    """One unit of something stands for `times` / `per` units of another input of the order."""

    #: the place of that input among the order's inputs
    input: int
    times: Decimal = ONE
    per: Decimal = ONE


@dataclass(frozen=True, slots=True, kw_only=True)
class InputFacts:
    """One input of an order: allowed by its structure and by the standard, and used."""

    operation: int
    kind: InputKind
    code: str
    unit: str
    #: standard unit cost frozen with the order; the credit price of a by-product
    price: Decimal
    #: by the order's structure, for what `basis` says; 0 where it has no such input
    allowed: Decimal
    #: by the costing structure, for what `standard_basis` says; 0 where it has no such input
    standard: Decimal
    #: actual quantity, net of returns
    used: Decimal
    #: what it was charged at; for a by-product, what was credited
    amount: Decimal
    basis: Basis = Basis.ENTERING
    standard_basis: Basis = Basis.ENTERING
    #: overhead that no act of the shop makes more or less
    is_fixed_overhead: bool = False
    #: what the whole order requires, rounded up as it was issued; None: unrounded
    required: Decimal | None = None
    #: issued and not yet worked in, where somebody stated it
    unworked: Decimal | None = None
    #: spent on units that were set aside for rework: nothing is allowed for it
    is_rework: bool = False
    #: a component that is kept at standard: it differs in price only by a change of that
    is_at_standard: bool = False
    #: mark of the components of the operation that may be exchanged for each other; "": for none
    mix: str = ""
    #: what it was used in the place of; then neither `allowed` nor `standard` grants any of it
    stands_for: tuple[StandIn, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class GradeFacts:
    """A grade that an order's output is sorted into."""

    item: str
    #: expected part of the output
    share: Decimal
    #: standard unit cost frozen with the order
    price: Decimal
    received: Decimal


@dataclass(frozen=True, slots=True, kw_only=True)
class OrderFacts:
    """An order as the variance calculation sees it."""

    #: in working order
    operations: Sequence[OperationFacts]
    #: the costing structure's, in working order
    standard_operations: Sequence[FlowStep]
    inputs: Sequence[InputFacts]
    ordered: Decimal
    received: Decimal
    standard_lot: Decimal
    #: standard value credited for what was received
    received_value: Decimal
    is_completed: bool
    #: empty where all output is the item itself
    grades: Sequence[GradeFacts] = ()


def sign_of(kind: InputKind) -> int:
    """Return -1 for what an order is credited with, else 1."""
    return -1 if kind in OUTPUT_KINDS else 1
