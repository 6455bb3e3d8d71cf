"""A structure: operations in working order, each with its component and output lines."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from enum import StrEnum
from fractions import Fraction

from ..effectivity import counts_on
from ..plain import made_by_the_million
from ..quantity import ONE, ZERO, decimal_of
from ..units import Measure


class Per(StrEnum):
    """What a component line's quantity is stated for."""

    UNIT = "unit"
    ORDER = "order"


class IssueRule(StrEnum):
    """How a component gets charged to an order."""

    BY_HAND = "by hand"
    #: in full, by the release of the order
    AT_RELEASE = "at release"
    #: by the standard, when its operation is reported, or when output is received
    AT_OPERATION = "at operation"
    AT_RECEIPT = "at receipt"


class PaymentBasis(StrEnum):
    """What a subcontractor is paid on."""

    SENT = "pieces sent"
    RETURNED = "good pieces returned"


@dataclass(frozen=True, slots=True, kw_only=True)
class Subcontract:
    """A supplier performs the operation on our material."""

    supplier: str
    #: per piece, by the payment basis [money/unit]
    price: Decimal
    basis: PaymentBasis = PaymentBasis.RETURNED
    #: his days for it, of his calendar; without one, from leaving to being back
    days_out: Decimal = ZERO


class StepKind(StrEnum):
    """What an instruction step asks of whoever does it."""

    TEXT = "text"
    PICTURE = "picture"
    TICK = "tick"
    MEASUREMENT = "measurement"
    LOT = "lot"


@dataclass(frozen=True, slots=True, kw_only=True)
class InstructionStep:
    """One thing to read, see, tick, measure or note while an operation is done."""

    kind: StepKind
    text: str
    #: of a measurement, with the limits that it must keep
    unit: str = ""
    lower: Decimal | None = None
    upper: Decimal | None = None
    #: name of the item's document that is shown
    picture: str = ""
    #: the component whose lot or serial is noted
    item: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Multiple:
    """How many units of a phantom go into `of` units of the item made with it, or into one order."""

    number: Decimal
    of: Decimal = ONE
    per: Per = Per.UNIT

    def exactly(self) -> Fraction:
        """Return how many for one unit, or one order."""
        return Fraction(self.number) / Fraction(self.of)

    def value(self) -> Decimal:
        """Return the same as a decimal."""
        return decimal_of(self.exactly())


@made_by_the_million
class Operation:
    """One step of a structure."""

    number: int
    name: str
    work_center: str
    #: person-hours and machine-hours to set up, per order [h]
    setup_labour_hours: Decimal = ZERO
    setup_machine_hours: Decimal = ZERO
    #: person-hours and machine-hours per `run_quantity` units entering [h]
    run_labour_hours: Decimal = ZERO
    run_machine_hours: Decimal = ZERO
    #: people who attend the machine for its whole time; None: their hours are stated
    crew: Decimal | None = None
    #: skill grade of the people, whose rate counts; "" is the work center's own
    labour_grade: str = ""
    #: units that the run hours are stated for: 1, a batch, or the pieces of an hour
    run_quantity: Decimal = ONE
    #: a batch that has begun takes its whole time
    runs_whole_batches: bool = False
    #: machines of the work center that share the run
    machines: int = 1
    #: time that passes before, after and on the way to the next operation [h]
    queue_hours: Decimal = ZERO
    wait_hours: Decimal = ZERO
    move_hours: Decimal = ZERO
    #: pieces after which the next operation may begin; None: all
    transfer_quantity: Decimal | None = None
    #: good share of what enters, above 0, at most 1
    yield_share: Decimal = ONE
    is_report_point: bool = True
    #: operations that must come before; None: the one listed before, (): none
    after: tuple[int, ...] | None = None
    #: work centers that may do it as well, in order of preference
    alternate_centers: tuple[str, ...] = ()
    #: None: done here
    subcontract: Subcontract | None = None
    steps: tuple[InstructionStep, ...] = ()
    #: of a phantom's operation, put into its parent: its run, its transfer and its supplier's
    #: pieces are in units of the phantom; None: in units of the item
    multiple: Multiple | None = None

    def labour_hours(self) -> tuple[Decimal, Decimal]:
        """Return person-hours to set up, and to run per `run_quantity` units [h]."""
        if self.crew is None:
            return self.setup_labour_hours, self.run_labour_hours
        return self.crew * self.setup_machine_hours, self.crew * self.run_machine_hours

    def clock_hours(self) -> tuple[Decimal, Decimal]:
        """Return how long setting up takes, and a run of `run_quantity` units [h].

        People and machine set up at once. A run takes the machine's time; the people's where
        no machine sets the pace.
        """
        setup = self.setup_machine_hours
        if self.crew is None:
            setup = max(setup, self.setup_labour_hours)
        return setup, self.run_machine_hours or self.run_labour_hours


@dataclass(frozen=True, slots=True, kw_only=True)
class Alternate:
    """An item that may be used in a component's place."""

    item: str
    #: of it for one of the component
    ratio: Decimal = ONE


@made_by_the_million
class ComponentLine:
    """One component: `quantity` per batch quantity entering `operation`, or once per order."""

    item: str
    operation: int
    quantity: Decimal
    per: Per = Per.UNIT
    #: scrap allowance as a share: 0.10 asks for 110 %
    allowance: Decimal = ZERO
    issue_rule: IssueRule = IssueRule.BY_HAND
    #: unit of the line where it is not the stock unit, and what one of it is in stock units
    unit: str = ""
    unit_factor: Decimal | Fraction = ONE
    #: size of a piece where `quantity` counts pieces that are measured
    measure: Measure | None = None
    #: in order of preference
    alternates: tuple[Alternate, ...] = ()
    #: mark of the components of the operation that may be exchanged for each other; "": for none
    mix: str = ""
    #: where it goes: a position, a drawing reference
    reference: str = ""
    #: first and last day on which the line counts; None: open
    effective_from: date | None = None
    effective_until: date | None = None
    #: what `quantity` is stated for, where that is not the structure's batch quantity (one order)
    batch: Decimal | None = None

    def is_effective(self, day: date) -> bool:
        """Tell whether the line counts on a day."""
        return counts_on(day, self.effective_from, self.effective_until)


class OutputKind(StrEnum):
    """What leaves an operation besides the main item."""

    #: leaves incidentally, and is credited at a price that is entered
    BY_PRODUCT = "by-product"
    #: leaves on purpose, and bears a share of the joint cost
    CO_PRODUCT = "co-product"


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputLine:
    """What leaves `operation` besides the main item, per batch quantity entering it."""

    item: str
    operation: int
    quantity: Decimal
    kind: OutputKind = OutputKind.BY_PRODUCT
    #: value of a by-product credited to the order [money/unit of it]
    credit_price: Decimal = ZERO
    #: of one unit of a co-product, in what the share rule weighs by: a share of the joint cost
    #: for all of it, a sales price, a mass or volume, or a net realizable value
    weight: Decimal = ZERO
    per: Per = Per.UNIT
    #: what `quantity` is stated for, where that is not the structure's batch quantity (one order)
    batch: Decimal | None = None


class ShareRule(StrEnum):
    """How a joint cost is divided over the main item and its co-products."""

    FIXED = "fixed shares"
    SALES_VALUE = "relative sales value"
    PHYSICAL = "physical measure"
    REALIZABLE_VALUE = "net realizable value"


@dataclass(frozen=True, slots=True, kw_only=True)
class Grade:
    """An item that a part of the output is sorted into at receipt."""

    item: str
    #: expected part of the output
    share: Decimal
    #: of one unit against one of another grade: what the process cost is divided by
    weight: Decimal


@made_by_the_million
class Structure:
    """Operations, component lines and output lines that make `item`."""

    item: str
    operations: tuple[Operation, ...]
    components: Sequence[ComponentLine] = ()
    outputs: tuple[OutputLine, ...] = ()
    #: the number of units that the lines are stated for
    batch_quantity: Decimal = ONE
    share_rule: ShareRule = ShareRule.SALES_VALUE
    #: of one unit of the main item, where a joint cost is divided by weights
    main_weight: Decimal = ZERO
    #: empty where all output is the item itself
    grades: tuple[Grade, ...] = ()

    def on(self, day: date) -> Structure:
        """Return the structure with the component lines that count on a day."""
        if not any(c.effective_from or c.effective_until for c in self.components):
            return self
        counting = tuple(c for c in self.components if c.is_effective(day))
        return replace(self, components=counting)
