"""What can be built now: of what is free, over all levels, sub-assemblies made on the way."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from fractions import Fraction

from ..derivation import fraction_of
from ..quantity import ZERO, exact, round_up
from ..structure.model import Per, Structure
from ..structure.requirement import entering_for_one, quantity_per_unit

#: nothing is asked beyond it: where no component limits it [unit]
MOST = Decimal(1_000_000)


@dataclass(frozen=True, slots=True, kw_only=True)
class Limit:
    """A component that keeps one more from being built."""

    item: str
    #: how much of it is missing for one more step of the product [unit]
    missing: Decimal
    #: how many more could be built with one more step of it [unit of the product]
    gives: Decimal


@dataclass(frozen=True, slots=True, kw_only=True)
class Buildable:
    """How many can be built now, and what limits it."""

    quantity: Decimal
    limits: tuple[Limit, ...]


@dataclass
class Shelf:
    """What is free of each item, how it is made, and how it is counted."""

    structures: Mapping[str, Structure]
    free: Mapping[str, Decimal]
    #: step of each item [unit]; what is not named counts in ones
    steps: Mapping[str, Decimal]
    _lines: dict[str, list[tuple[str, Fraction, bool]]] = field(default_factory=dict)

    def missing(
        self, top: str, quantity: Decimal, more: Mapping[str, Decimal]
    ) -> dict[str, Decimal]:
        """Return what is missing of bought components to build a quantity, by item."""
        wanted: dict[str, Decimal] = {top: quantity}
        short: dict[str, Decimal] = {}
        for item in self._parents_first(top):
            left = wanted.get(item, ZERO)
            if item != top:
                left -= min(left, max(ZERO, self.free.get(item, ZERO) + more.get(item, ZERO)))
            if not left:
                continue
            if item not in self.structures:
                short[item] = left
                continue
            for component, each, is_per_order in self._lines_of(item):
                exactly = each if is_per_order else each * Fraction(left)
                need = round_up(exactly, self.step_of(component))
                wanted[component] = wanted.get(component, ZERO) + need
        return short

    def step_of(self, item: str) -> Decimal:
        """Return the smallest quantity of an item."""
        return self.steps.get(item, Decimal(1))

    def _lines_of(self, item: str) -> list[tuple[str, Fraction, bool]]:
        """Return component, quantity for one good unit (or for an order), and whether it is per order."""
        if item not in self._lines:
            structure = self.structures[item]
            enter = entering_for_one(structure.operations)
            found = []
            for c in structure.components:
                each = fraction_of(quantity_per_unit(c, structure.batch_quantity))
                is_per_order = c.per is Per.ORDER
                if not is_per_order and c.operation in enter:
                    each *= fraction_of(enter[c.operation])
                found.append((c.item, each, is_per_order))
            self._lines[item] = found
        return self._lines[item]

    def _parents_first(self, top: str) -> list[str]:
        """Return all that the product is made of, each item after all that use it."""
        done: list[str] = []
        seen: set[str] = set()

        def visit(item: str) -> None:
            if item in seen:
                return
            seen.add(item)
            for component, _, _ in self._lines_of(item) if item in self.structures else ():
                visit(component)
            done.append(item)

        visit(top)
        return done[::-1]


@exact
def can_be_built(top: str, shelf: Shelf) -> Buildable:
    """Return the largest quantity of a product that what is free covers, and what limits it.

    What is free of a sub-assembly is used before more of it is made of its own components;
    stock of the product itself counts for nothing. Each item made is one order: what its lines
    need is rounded up once to the component's step.

    Parameters
    ----------
    top : code of the product; without a structure nothing of it can be built
    shelf : with structures free of phantoms, and without cycles

    Source
    ------
    Netting level by level in low-level-code order, as in material requirements planning:
    Vollmann, Berry & Whybark; the largest quantity by bisection, since what is missing never
    gets less with the quantity.
    """
    if top not in shelf.structures:
        return Buildable(quantity=ZERO, limits=())
    step = shelf.step_of(top)
    built = _most(top, shelf, {})
    if built >= MOST:
        return Buildable(quantity=built, limits=())
    lacking = shelf.missing(top, built + step, {})
    return Buildable(
        quantity=built,
        limits=tuple(
            Limit(
                item=item,
                missing=missing,
                gives=_most(top, shelf, {item: shelf.step_of(item)}) - built,
            )
            for item, missing in sorted(lacking.items())
        ),
    )


def _most(top: str, shelf: Shelf, more: Mapping[str, Decimal]) -> Decimal:
    step = shelf.step_of(top)
    low, high = 0, 1  # in steps: the first can be built, the second not
    ends = int(MOST / step)
    while high <= ends and not shelf.missing(top, high * step, more):
        low, high = high, high * 2
    high = min(high, ends + 1)
    while high - low > 1:
        middle = (low + high) // 2
        if shelf.missing(top, middle * step, more):
            high = middle
        else:
            low = middle
    return low * step
