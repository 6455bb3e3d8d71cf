"""The standard cost roll-up: from prices, rates and structures to unit costs."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from functools import partial

import numpy as np

from ..errors import DomainError, OutOfRange
from ..plain import made_by_the_million
from ..quantity import UNIT_COST_STEP, exact, require_digits
from ..structure.explode import CycleFound
from ..structure.lines import codes_of
from ..structure.model import OutputKind, Structure
from ..structure.phantom import inline
from ..structure.plant import low_level_codes
from ..structure.requirement import entering_for_one
from .arrays import positions
from .inputs import component, cost_structure
from .materials import Materials
from .model import CostedStructure, CostInput, InputKind, ItemCost, UnitCost
from .rates import ShopRates
from .unit import (
    bought_cost,
    co_product_cost,
    co_product_shares,
    scaled_cost,
    unit_cost,
    with_co_products,
)

#: what one unit of anything costs less than
COSTS_MOST = Decimal(10) ** 12
#: items of a level that are rolled up together
AT_ONCE = 500


@made_by_the_million
class ItemFacts:
    """What the roll-up knows of an item; None where it is not there."""

    code: str
    unit: str
    is_made: bool
    standard_lot: Decimal
    price: Decimal | None
    structure: Structure | None
    #: why its price or its structure could not be read
    fault: DomainError | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Missing:
    """Why an item got no standard: its own lack, or the components that have none."""

    item: str
    #: as it follows the item's name
    why: str
    fix: str

    def sentence(self) -> str:
        """Return which item lacks what."""
        return f"{self.item} {self.why}"


@dataclass(frozen=True, slots=True, kw_only=True)
class RollUp:
    """Unit costs and their bases by item, and what is missing."""

    costs: Mapping[str, ItemCost]
    bases: Mapping[str, CostedStructure]
    missing: Sequence[Missing]


@exact
def roll_up(
    items: Mapping[str, ItemFacts],
    rates: ShopRates,
    known: Mapping[str, ItemCost] | None = None,
    phantoms: Mapping[str, Structure] | None = None,
) -> RollUp:
    """Return the unit cost of every item, components first; what is missing is listed, never 0.

    An item that can't be costed (no price, no approved structure, no rate, shares that don't
    add up, a structure that contains itself, ...) is told with the reason, and every item that
    uses it too; all others get their cost.

    Parameters
    ----------
    items : the items to roll
    rates : of work centers and labour grades
    known : unit costs that stand, for components that are not among `items`
    phantoms : structures of phantom items: they count as their parent's own

    Notes
    -----
    An item's cost is rounded to 6 decimals before its parents use it, so that every
    level can be checked from the numbers shown. A co-product, and a grade of an item's
    output, is costed with the item whose structure makes it. O(items + lines).
    """
    rolling = Rolling(items, rates, known, phantoms)
    for codes in rolling.pieces():
        rolling.roll(codes)
    bases = {code: rolling.basis(code) for code in rolling.bases}
    return RollUp(costs=rolling.costs, bases=bases, missing=rolling.missing)


class Rolling:
    """A roll-up under way: some items at a time, from the bottom.

    Parameters as of `roll_up`.
    """

    def __init__(
        self,
        items: Mapping[str, ItemFacts],
        rates: ShopRates,
        known: Mapping[str, ItemCost] | None = None,
        phantoms: Mapping[str, Structure] | None = None,
    ) -> None:
        self.costs = {c: cost for c, cost in (known or {}).items() if c not in items}
        #: their components summed by operation; `basis` tells them one by one
        self.bases: dict[str, CostedStructure] = {}
        self.missing: list[Missing] = []
        self.items = items
        self._rates = rates
        #: why an item can't be costed, whatever its components cost
        self._faults = {code: facts.fault for code, facts in items.items() if facts.fault}
        self.structures = self._inlined(phantoms or {})
        self._made_with = {
            output: code
            for code, structure in self.structures.items()
            for output in _made_with(structure)
        }
        #: position of every code that the inputs of a basis may name
        self.at = positions(self._names())
        self.materials = Materials(self.structures.values(), self.at)
        self._faults |= self.materials.faults
        self._levels = self._in_levels()
        for code, cost in self.costs.items():
            self.materials.learn(code, cost)

    def _inlined(self, phantoms: Mapping[str, Structure]) -> dict[str, Structure]:
        found = {}
        for code, facts in self.items.items():
            if facts.structure and code not in self._faults:
                try:
                    found[code] = inline(facts.structure, phantoms).structure
                except DomainError as fault:
                    self._faults[code] = fault
        return found

    def _names(self) -> set[str]:
        named = {*self.items, *self.costs, *(o.code for o in self._rates.overheads)}
        for structure in self.structures.values():
            named.update(o.item for o in structure.outputs)
            named.update(g.item for g in structure.grades)
            for o in structure.operations:
                named.add(o.work_center)
                if o.subcontract:
                    named.add(o.subcontract.supplier)
        return named

    def _in_levels(self) -> list[list[str]]:
        """Return the items by level, from the bottom: each needs lower levels only. Items of a loop are at fault."""
        parents, children = self.materials.graph()
        beside = [(self.at[output], self.at[main]) for output, main in self._made_with.items()]
        outputs, mains = np.array(beside, dtype=np.int32).reshape(-1, 2).T
        parents, children = np.append(parents, outputs), np.append(children, mains)
        while True:
            try:
                codes = low_level_codes(parents, children, len(self.at) + 1).tolist()
                break
            except CycleFound as loop:
                inside = [int(n) for n in loop.loop]
                names = tuple(self.at)
                named = [names[n] for n in inside]
                self._faults |= dict.fromkeys(named, CycleFound(named))
                kept = ~np.isin(parents, inside)
                parents, children = parents[kept], children[kept]
        levels: list[list[str]] = [[] for _ in range(max(codes) + 1)]
        for code in self.items:
            levels[codes[self.at[code]]].append(code)
        return levels[::-1]

    def pieces(self) -> Iterator[list[str]]:
        """Yield the items a few at a time, each after what it needs: what is made of them stays at hand."""
        for level in self._levels:
            for begin in range(0, len(level), AT_ONCE):
                yield level[begin : begin + AT_ONCE]

    @exact
    def roll(self, codes: Sequence[str]) -> None:
        """Cost the items of a piece, and what is made beside them."""
        lacking = self.materials.lacking(codes)
        ready = []
        for code in codes:
            facts = self.items[code]
            if code in self._made_with and code not in self._faults:
                if code not in self.costs:
                    main = self._made_with[code]
                    self.missing.append(_lack(code, f"is made with {main}, which has no cost", f"Give {main} a cost first."))  # fmt: skip
            elif lack := self._lack_of(facts, code in lacking):
                self.missing.append(lack)
            elif facts.is_made:
                ready.append(facts)
            elif facts.price is not None:
                self._try(code, partial(self._buy, facts, facts.price))
        materials = self.materials.summed([facts.code for facts in ready])
        for facts in ready:
            self._try(facts.code, partial(self._cost, facts, materials[facts.code]))

    def _try(self, code: str, cost: Callable[[], Missing | None]) -> None:
        """Cost an item; what keeps it from being costed is a lack of it alone."""
        try:
            lack = cost()
        except DomainError as fault:
            lack = _fault(code, fault)
        if lack:
            self.missing.append(lack)

    def _buy(self, facts: ItemFacts, price: Decimal) -> None:
        require_digits(price, UNIT_COST_STEP)
        self._learn(facts.code, ItemCost(cost=bought_cost(price), is_made=False, unit=facts.unit))

    def _learn(self, code: str, cost: ItemCost) -> None:
        self.costs[code] = cost
        self.materials.learn(code, cost)

    def _cost(
        self, facts: ItemFacts, materials: Mapping[int, Sequence[CostInput]]
    ) -> Missing | None:
        """Cost a made item, with what is made beside it."""
        code, structure = facts.code, self.structures[facts.code]
        co_products = self._co_products(structure) if structure.outputs else {}
        basis = cost_structure(
            structure,
            standard_lot=facts.standard_lot,
            items=co_products,
            rates=self._rates,
            units={o.item: self.unit(o.item) for o in structure.outputs},
            materials=materials,
        )
        if co_products:
            basis = _with_shares(structure, basis)
        cost = unit_cost(basis)
        item = ItemCost(cost=cost, is_made=True, unit=facts.unit)
        if item.price >= COSTS_MOST:
            raise OutOfRange("Its cost", item.price, f"below {COSTS_MOST:,}")
        if item.price < 0:
            return _lack(
                code,
                "would cost less than nothing: its by-products credit more than it costs",
                f"Correct the credit prices, or the quantities, of the by-products of {code}.",
            )
        self.bases[code] = basis
        self._learn(code, item)
        for i in basis.inputs if co_products else ():
            if i.kind is InputKind.CO_PRODUCT:
                self._learn(i.code, ItemCost(cost=co_product_cost(i), is_made=True, unit=i.unit))
        for grade, factor in basis.grades.items():
            self._learn(grade, replace(item, cost=scaled_cost(cost, factor)))
        return None

    def basis(self, code: str) -> CostedStructure:
        """Return the basis of a rolled item, its components one by one."""
        summed = self.bases[code]
        materials = [
            component(operation, used, quantity, self.costs[used], is_per_order)
            for operation, used, quantity, is_per_order in self.materials.lines(code)
        ]
        others = (i for i in summed.inputs if i.kind is not InputKind.COMPONENT)
        return replace(summed, inputs=(*materials, *others))

    def _co_products(self, structure: Structure) -> dict[str, ItemCost]:
        """Return the co-products of a structure at no cost yet: their shares come last."""
        nothing = UnitCost(this_level={}, lower_levels={})
        return {
            o.item: ItemCost(cost=nothing, is_made=True, unit=self.unit(o.item))
            for o in structure.outputs
            if o.kind is OutputKind.CO_PRODUCT
        }

    def unit(self, code: str) -> str:
        """Return the stock unit of an item; "" of one that is neither rolled nor known."""
        known = self.items.get(code) or self.costs.get(code)
        return known.unit if known else ""

    def _lack_of(self, facts: ItemFacts, lacks_component: bool) -> Missing | None:
        code = facts.code
        if fault := self._faults.get(code):
            return _fault(code, fault)
        if not facts.is_made:
            if facts.price is None:
                return _lack(code, "has no price", f"Enter the price of {code}.")
            return None
        structure = self.structures.get(code)
        if structure is None:
            return _lack(code, "has no approved structure", f"Approve a structure of {code}.")
        if lacks_component:
            without = set(codes_of(structure.components)) - self.costs.keys()
            named = ", ".join(sorted(without))
            return _lack(code, f"uses {named}, which has no cost", f"Give {named} a cost first.")
        rates, operations = self._rates, structure.operations
        unrated = {o.work_center for o in operations if o.work_center not in rates.centers}
        unrated |= {o.labour_grade for o in operations if o.labour_grade not in rates.grades} - {""}
        if unrated:
            named = ", ".join(sorted(unrated))
            return _lack(
                code, f"runs at {named}, which has no rate", f"Enter the rates of {named}."
            )
        for overhead, (center, until) in sorted(rates.ended.items()):
            if not center or any(o.work_center == center for o in operations):
                return _lack(
                    code,
                    f"bears the overhead {overhead}, whose budget ended on {until.isoformat()}",
                    f"Enter the budget of {overhead} for the next period; 0 if there is none any more.",
                )
        return None


def _made_with(structure: Structure) -> list[str]:
    """Return the items that get their cost from another item's structure."""
    return [o.item for o in structure.outputs if o.kind is OutputKind.CO_PRODUCT] + [
        g.item for g in structure.grades
    ]


def _with_shares(structure: Structure, basis: CostedStructure) -> CostedStructure:
    """Return a basis whose co-products bear their shares of the joint cost."""
    split_off = next(o.operation for o in structure.outputs if o.kind is OutputKind.CO_PRODUCT)
    made = entering_for_one(basis.operations)[split_off]
    shares = co_product_shares(structure, made, basis.standard_lot)
    inputs = [
        replace(i, share=shares[i.code]) if i.kind is InputKind.CO_PRODUCT else i
        for i in basis.inputs
    ]
    return with_co_products(replace(basis, inputs=tuple(inputs)))


def _lack(item: str, why: str, fix: str) -> Missing:
    return Missing(item=item, why=f"{why}.", fix=fix)


def _fault(item: str, fault: DomainError) -> Missing:
    texts = fault.explain()
    why = f"can't be costed: {texts['what']} {texts['why']}"
    return Missing(item=item, why=why, fix=texts["fix"])
