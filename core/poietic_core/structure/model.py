"""A structure: operations in working order, each with its component and output lines."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum

from ..quantity import ONE, ZERO


class Per(StrEnum):
    """What a component line's quantity is stated for."""

    UNIT = "unit"
    ORDER = "order"


class IssueRule(StrEnum):
    """How a component gets charged to an order."""

    BY_HAND = "by hand"
    AT_OPERATION = "at operation"


@dataclass(frozen=True, slots=True, kw_only=True)
class Operation:
    """One step of a structure."""

    number: int
    name: str
    work_center: str
    #: person-hours and machine-hours to set up, per order [h]
    setup_labour_hours: Decimal = ZERO
    setup_machine_hours: Decimal = ZERO
    #: person-hours and machine-hours per unit entering [h/unit]
    run_labour_hours: Decimal = ZERO
    run_machine_hours: Decimal = ZERO
    #: good share of what enters, above 0, at most 1
    yield_share: Decimal = ONE
    is_report_point: bool = True


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

    def last_operation(self) -> int:
        """Return the number of the operation that ends the structure."""
        return self.operations[-1].number

    def successor(self, number: int) -> int | None:
        """Return the operation that follows `number`; None after the last."""
        numbers = [o.number for o in self.operations]
        position = numbers.index(number) + 1
        return numbers[position] if position < len(numbers) else None
