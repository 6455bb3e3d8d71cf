"""Cost sets against each other: what-ifs, and the causes of a difference.

Everything here reads costed structures, the form in which a set is frozen, so that two sets can be
compared long after prices, rates and structures have moved on.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal
from enum import StrEnum
from fnmatch import fnmatchcase
from typing import ClassVar

from ..errors import DomainError
from ..quantity import ONE, UNIT_COST_STEP, ZERO, exact, require_positive, round_to
from ..structure.explode import working_order
from .model import (
    TIME_ELEMENT,
    CostedStructure,
    CostInput,
    Element,
    InputKey,
    InputKind,
    UnitCost,
)
from .overhead import with_bases
from .unit import (
    bought_cost,
    co_product_cost,
    scaled_cost,
    unit_cost,
    with_co_products,
)


@dataclass(frozen=True, slots=True)
class CostSet:
    """The standards of a set, as what they were computed from."""

    #: by made item
    bases: Mapping[str, CostedStructure]
    #: standard cost of one unit of every other item [money/unit]
    bought: Mapping[str, Decimal]

    def costed(self) -> set[str]:
        """Return the items that have a cost."""
        beside_them = {item for basis in self.bases.values() for item in beside(basis)}
        return {*self.bases, *self.bought, *beside_them}


@dataclass(frozen=True, slots=True)
class Rolled:
    """A set rolled up anew: its unit costs, and its bases at them."""

    costs: dict[str, UnitCost]
    bases: dict[str, CostedStructure]


@exact
def reroll(costs: CostSet) -> Rolled:
    """Return the unit costs that follow from a set's bases and bought costs, components first.

    Raises
    ------
    CycleFound (structure.cycle)

    Notes
    -----
    Shares of joint costs, and the proportions of grades, stay as they are. O(items + inputs).
    """
    made_with = {item: code for code, basis in costs.bases.items() for item in beside(basis)}
    graph: dict[str, dict[str, Decimal]] = {
        code: {i.code: ONE for i in basis.inputs if i.kind is InputKind.COMPONENT}
        for code, basis in costs.bases.items()
    }
    graph |= {item: {main: ONE} for item, main in made_with.items()}
    rolled = Rolled({code: bought_cost(price) for code, price in costs.bought.items()}, {})
    for code in reversed(working_order(graph)):
        basis = costs.bases.get(code)
        if basis is None:
            continue
        fresh = with_co_products(_at_costs(basis, rolled.costs))
        rolled.bases[code] = fresh
        rolled.costs[code] = unit_cost(fresh)
        for i in fresh.inputs:
            if i.kind is InputKind.CO_PRODUCT:
                rolled.costs[i.code] = co_product_cost(i)
        for grade, factor in fresh.grades.items():
            rolled.costs[grade] = scaled_cost(rolled.costs[code], factor)
    return rolled


def beside(basis: CostedStructure) -> list[str]:
    """Return the items that get their cost from another item's basis."""
    return [i.code for i in basis.inputs if i.kind is InputKind.CO_PRODUCT] + list(basis.grades)


def _at_costs(basis: CostedStructure, costs: Mapping[str, UnitCost]) -> CostedStructure:
    """Return a basis with its components at the costs given."""
    inputs = [
        replace(i, price=costs[i.code].total(), split=costs[i.code].by_element())
        if i.kind is InputKind.COMPONENT and i.code in costs
        else i
        for i in basis.inputs
    ]
    return replace(basis, inputs=tuple(with_bases(inputs)))


# --- what-ifs


class ChangeKind(StrEnum):
    """What a what-if changes."""

    PRICE = "price"
    MACHINE_RATE = "machine rate"
    LABOUR_RATE = "labour rate"
    HOURS = "hours"
    SUBCONTRACT = "subcontract price"
    LOT = "standard lot"


#: the inputs whose price, or hours, a change of its kind touches
INPUTS_CHANGED: Mapping[ChangeKind, tuple[InputKind, ...]] = {
    ChangeKind.MACHINE_RATE: (InputKind.SETUP_MACHINE, InputKind.RUN_MACHINE),
    ChangeKind.LABOUR_RATE: (InputKind.SETUP_LABOUR, InputKind.RUN_LABOUR),
    ChangeKind.HOURS: tuple(TIME_ELEMENT),
    ChangeKind.SUBCONTRACT: (InputKind.SUBCONTRACT,),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Change:
    """One change over a set: to a value, or by a share of what is there."""

    kind: ChangeKind
    #: the item, work center or supplier; `*` stands for any characters
    code: str
    #: [money/unit], [money/h] or [unit]; None where `by` says how
    to: Decimal | None = None
    #: 0.12 is 12 % more
    by: Decimal = ZERO

    def __post_init__(self) -> None:
        """Refuse a standard lot that would not be above 0: setups are divided by it.

        Raises OutOfRange (input.out_of_range).
        """
        if self.kind is ChangeKind.LOT:
            lot = ONE + self.by if self.to is None else self.to
            require_positive(f"The standard lot of {self.code}", lot)

    def of(self, value: Decimal) -> Decimal:
        """Return a value as changed."""
        changed = value * (ONE + self.by) if self.to is None else self.to
        return round_to(changed, UNIT_COST_STEP)

    def touches(self, code: str) -> bool:
        """Tell whether the change means a code."""
        return fnmatchcase(code, self.code)


@dataclass(eq=False)
class ChangeOfNothing(DomainError):
    """A change that no item, work center or supplier of the set answers to."""

    kind: str
    named: str
    code: ClassVar[str] = "cost.change_of_nothing"
    what: ClassVar[str] = "The change of the {kind} of {named} changes nothing."
    why: ClassVar[str] = "The set it is made over has nothing of that code."
    fix: ClassVar[str] = "Name a code of the set, or a beginning with * such as AL-*."


@exact
def changed(costs: CostSet, changes: Sequence[Change]) -> CostSet:
    """Return a set with changes made, one after the other; roll it anew to see what they do."""
    for change in changes:
        if change.kind is ChangeKind.PRICE:
            bought = {c: change.of(p) if change.touches(c) else p for c, p in costs.bought.items()}
            costs = replace(costs, bought=bought)
        else:
            bases = {code: _changed(basis, change) for code, basis in costs.bases.items()}
            costs = replace(costs, bases=bases)
    return costs


def _changed(basis: CostedStructure, change: Change) -> CostedStructure:
    if change.kind is ChangeKind.LOT:
        lot = change.of(basis.standard_lot) if change.touches(basis.item) else basis.standard_lot
        return replace(basis, standard_lot=lot)
    edit = _requantified if change.kind is ChangeKind.HOURS else _repriced
    kinds = INPUTS_CHANGED[change.kind]
    inputs = tuple(
        edit(i, change) if i.kind in kinds and change.touches(i.code) else i for i in basis.inputs
    )
    return replace(basis, inputs=inputs)


def _repriced(i: CostInput, change: Change) -> CostInput:
    price = change.of(i.price)
    if not i.price:
        element = TIME_ELEMENT.get(i.kind, Element.SUBCONTRACT)
        return replace(i, price=price, split={element: price})
    split = {e: v * price / i.price for e, v in i.split.items()}
    return replace(i, price=price, split=split)


def _requantified(i: CostInput, change: Change) -> CostInput:
    return replace(i, quantity=change.of(i.quantity))


# --- why two sets differ


class Cause(StrEnum):
    """Why a standard differs between two sets, in the order in which the causes are taken in."""

    PRICE = "price"
    RATE = "rate"
    STRUCTURE = "structure"
    TIME = "time"
    LOT_SIZE = "lot size"


@dataclass(frozen=True, slots=True)
class Difference:
    """An item's cost in two sets, with the causes that add up to the difference [money/unit]."""

    old: UnitCost
    new: UnitCost
    causes: Mapping[Cause, Decimal] = field(default_factory=dict)

    def amount(self) -> Decimal:
        """Return new minus old."""
        return self.new.total() - self.old.total()


@exact
def differences(old: CostSet, new: CostSet) -> dict[str, Difference]:
    """Return what every item that both sets have costs in each, and why it differs.

    The causes are taken in one after the other (prices, rates, structures, times, lot sizes), the set
    rolled anew after each; what each step changes is its cause, so that they add up exactly.

    Source
    ------
    Flexible-budget analysis by successive substitution: Horngren, Datar & Rajan, ch. 7.
    """
    steps = [reroll(_mixed(old, new, set())).costs]
    taken: set[Cause] = set()
    for cause in Cause:
        taken.add(cause)
        steps.append(reroll(_mixed(old, new, taken)).costs)
    found = {}
    for code in old.costed() & new.costed():
        causes = {}
        for cause, before, after in zip(Cause, steps, steps[1:], strict=False):
            if moved := after[code].total() - before[code].total():
                causes[cause] = moved
        found[code] = Difference(steps[0][code], steps[-1][code], causes)
    return found


def _mixed(old: CostSet, new: CostSet, taken: set[Cause]) -> CostSet:
    """Return a set that has from the new one what is taken, from the old one the rest.

    Whether an item is bought or made belongs to its structure; what only one set has is
    taken from it.
    """
    in_old, in_new = old.costed(), new.costed()
    bases: dict[str, CostedStructure] = {}
    bought: dict[str, Decimal] = {}
    for code in in_old | in_new:
        made = new if code in (in_new if Cause.STRUCTURE in taken else in_new - in_old) else old
        priced = new if Cause.PRICE in taken else old
        if code in old.bases and code in new.bases:
            bases[code] = _mixed_basis(old.bases[code], new.bases[code], taken)
        elif code in old.bought and code in new.bought:
            bought[code] = priced.bought[code]
        elif code in made.bases:
            bases[code] = made.bases[code]
        elif code in made.bought:
            bought[code] = made.bought[code]
    return CostSet(bases, bought)


def _mixed_basis(old: CostedStructure, new: CostedStructure, taken: set[Cause]) -> CostedStructure:
    """Return a basis that has from the new one what is taken, from the old one the rest."""
    made = new if Cause.STRUCTURE in taken else old
    timed = new if Cause.TIME in taken else old
    numbers = {o.number for o in made.operations}
    priced = new if Cause.RATE in taken else old
    inputs = [i for i in made.inputs if i.kind not in TIME_ELEMENT and i.base is None]
    inputs += [i for i in timed.inputs if i.kind in TIME_ELEMENT and i.operation in numbers]
    inputs += [i for i in priced.inputs if i.base is not None and i.operation in numbers]
    rated = _by_key(priced)
    return CostedStructure(
        item=new.item,
        standard_lot=(new if Cause.LOT_SIZE in taken else old).standard_lot,
        operations=made.operations,
        inputs=tuple(_at_rate(i, rated) for i in inputs),
        grades=made.grades,
    )


def _by_key(basis: CostedStructure) -> dict[InputKey, CostInput]:
    return {i.key(): i for i in basis.inputs}


def _at_rate(i: CostInput, rated: Mapping[InputKey, CostInput]) -> CostInput:
    other = rated.get(i.key())
    if other is None or (i.kind not in TIME_ELEMENT and i.kind is not InputKind.SUBCONTRACT):
        return i
    return replace(i, price=other.price, split=other.split)
