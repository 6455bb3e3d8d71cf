"""Cost elements, and a structure with the price of each of its inputs."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import field
from decimal import Decimal
from enum import StrEnum

from ..plain import made_by_the_million
from ..quantity import ZERO
from ..structure.basis import Basis


class Element(StrEnum):
    """What kind of cost it is, in the order in which costs are read."""

    MATERIAL = "material"
    MATERIAL_OVERHEAD = "material overhead"
    SETUP_LABOUR = "setup labour"
    RUN_LABOUR = "run labour"
    MACHINE = "machine"
    VARIABLE_OVERHEAD = "variable overhead"
    FIXED_OVERHEAD = "fixed overhead"
    SUBCONTRACT = "subcontract"
    BY_PRODUCT = "by-product credit"


ELEMENTS = tuple(Element)


class InputKind(StrEnum):
    """What an operation takes in (or, for a by-product, gives out)."""

    COMPONENT = "component"
    SETUP_LABOUR = "setup labour"
    SETUP_MACHINE = "setup machine"
    RUN_LABOUR = "run labour"
    RUN_MACHINE = "run machine"
    SUBCONTRACT = "subcontract"
    SETUP_OVERHEAD = "setup overhead"
    OVERHEAD = "overhead"
    BY_PRODUCT = "by-product"
    CO_PRODUCT = "co-product"
    #: of one order alone: nothing is allowed for it, and it has no quantity
    EXTRA = "extra cost"


#: The kinds of time, each with the element that its cost belongs to.
TIME_ELEMENT = {
    InputKind.SETUP_LABOUR: Element.SETUP_LABOUR,
    InputKind.SETUP_MACHINE: Element.MACHINE,
    InputKind.RUN_LABOUR: Element.RUN_LABOUR,
    InputKind.RUN_MACHINE: Element.MACHINE,
}
SETUP_KINDS = (InputKind.SETUP_LABOUR, InputKind.SETUP_MACHINE)
RUN_KINDS = (InputKind.RUN_LABOUR, InputKind.RUN_MACHINE)
#: What follows from other inputs of its operation, by a base.
OVERHEAD_KINDS = (InputKind.SETUP_OVERHEAD, InputKind.OVERHEAD)
#: What leaves the order, and is credited to it.
OUTPUT_KINDS = (InputKind.BY_PRODUCT, InputKind.CO_PRODUCT)
#: What is told apart by an item; time and a supplier's work are not.
ITEM_KINDS = (InputKind.COMPONENT, *OUTPUT_KINDS)
CODED_KINDS = (*ITEM_KINDS, *OVERHEAD_KINDS)


class Base(StrEnum):
    """What overhead is charged by."""

    LABOUR_HOURS = "labour hours"
    MACHINE_HOURS = "machine hours"
    LABOUR_COST = "labour cost"
    MATERIAL_COST = "bought material cost"


@made_by_the_million
class UnitCost:
    """The cost of one unit of an item, by element, this level and lower levels [money/unit]."""

    this_level: Mapping[Element, Decimal]
    lower_levels: Mapping[Element, Decimal]

    def by_element(self) -> dict[Element, Decimal]:
        """Return this level plus lower levels, elements in their reading order."""
        return {
            e: self.this_level.get(e, ZERO) + self.lower_levels.get(e, ZERO)
            for e in ELEMENTS
            if e in self.this_level or e in self.lower_levels
        }

    def total(self) -> Decimal:
        """Return the cost of one unit."""
        return sum(self.this_level.values(), ZERO) + sum(self.lower_levels.values(), ZERO)


@made_by_the_million
class ItemCost:
    """The unit cost of an item used as a component."""

    cost: UnitCost
    is_made: bool
    unit: str
    #: what one unit costs, in all and by element: every parent asks for it
    price: Decimal = field(init=False)
    split: Mapping[Element, Decimal] = field(init=False)

    def __post_init__(self) -> None:
        """Add up the cost once."""
        object.__setattr__(self, "price", self.cost.total())
        object.__setattr__(self, "split", self.cost.by_element())


#: an input is told from the others of its structure by operation, kind and item
InputKey = tuple[int, InputKind, str]


@made_by_the_million
class CostInput:
    """One costed input of a structure, in the one form that roll-up and variance share."""

    operation: int
    kind: InputKind
    #: the item's code; the work center's for time
    code: str
    #: per unit entering the operation, or per order where `is_per_order`
    quantity: Decimal
    unit: str
    #: standard cost of one unit of the input; the credit price of a by-product
    price: Decimal
    #: how one unit's price divides over the elements
    split: Mapping[Element, Decimal]
    is_per_order: bool = False
    #: per good unit leaving the operation, not per unit entering it
    is_per_good: bool = False
    is_made: bool = False
    #: of overhead: what its quantity is counted in
    base: Base | None = None
    #: of a co-product: its share of the joint cost, and the part of its split from lower levels
    share: Decimal = ZERO
    lower: Mapping[Element, Decimal] = field(default_factory=dict)

    def key(self) -> InputKey:
        """Return what identifies the input within its structure; only materials and overhead name one."""
        return self.operation, self.kind, self.code if self.kind in CODED_KINDS else ""

    def basis(self) -> Basis:
        """Return what its quantity is stated for."""
        if self.is_per_order:
            return Basis.ORDER
        return Basis.GOOD if self.is_per_good else Basis.ENTERING

    def is_credited(self) -> bool:
        """Tell whether it lowers the cost."""
        return self.kind in OUTPUT_KINDS

    def signed(self, quantity: Decimal) -> Decimal:
        """Return a quantity of it, below zero where it is credited."""
        return -quantity if self.kind in OUTPUT_KINDS else quantity


@made_by_the_million
class CostedOperation:
    """What cost needs to know of an operation."""

    number: int
    name: str
    work_center: str
    yield_share: Decimal
    #: operations that must come before; None: the one listed before, (): none
    after: tuple[int, ...] | None = None


@made_by_the_million
class CostedStructure:
    """A structure with the price of each input: the basis of a standard."""

    item: str
    #: the quantity over which setups and per-order lines are spread
    standard_lot: Decimal
    operations: tuple[CostedOperation, ...]
    inputs: tuple[CostInput, ...]
    #: what one unit of each grade of the output costs, as a multiple of the item's cost
    grades: Mapping[str, Decimal] = field(default_factory=dict)
