"""A structure: operations in working order, each with its component and output lines."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from enum import StrEnum

from ..quantity import ONE, ZERO
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


@dataclass(frozen=True, slots=True, kw_only=True)
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
    #: what to do and to look out for, for whoever does it
    instructions: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
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
    unit_factor: Decimal = ONE
    #: size of a piece where `quantity` counts pieces that are measured
    measure: Measure | None = None
    #: where it goes: a position, a drawing reference
    reference: str = ""
    #: first and last day on which the line counts; None: open
    effective_from: date | None = None
    effective_until: date | None = None

    def is_effective(self, day: date) -> bool:
        """Tell whether the line counts on a day."""
        return (self.effective_from or day) <= day <= (self.effective_until or day)


@dataclass(frozen=True, slots=True, kw_only=True)
class OutputLine:
    """A by-product: `quantity` per batch quantity entering `operation`, at a credit price."""

    item: str
    operation: int
    quantity: Decimal
    #: value credited to the order [money/unit of the by-product]
    credit_price: Decimal


@dataclass(frozen=True, slots=True, kw_only=True)
class Structure:
    """Operations, component lines and by-product lines that make `item`."""

    item: str
    operations: tuple[Operation, ...]
    components: tuple[ComponentLine, ...] = ()
    outputs: tuple[OutputLine, ...] = ()
    #: the number of units that the lines are stated for
    batch_quantity: Decimal = ONE

    def on(self, day: date) -> Structure:
        """Return the structure with the component lines that count on a day."""
        counting = tuple(c for c in self.components if c.is_effective(day))
        return self if counting == self.components else replace(self, components=counting)
