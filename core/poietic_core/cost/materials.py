"""The components of many structures in columns, and what they cost in one unit of each.

A roll-up sums what an item's operation takes in before it does anything else with it, so that
it handles a few inputs per item, not a dozen lines. The sums are exact: of whole numbers, or
of Decimals where a quantity has more places than that.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..errors import DomainError, OutOfRange
from ..quantity import ONE, decimal_of, exact
from ..structure.lines import Columns, Positions, as_lines
from ..structure.model import ComponentLine, Per, Structure
from ..structure.requirement import per_unit
from .arrays import COMPONENT, INPUT, Rows
from .model import CostInput, Element, InputKind, ItemCost

#: places that whole numbers keep of a quantity at most, and of the cost of a unit
QUANTITY_PLACES, COST_PLACES = 12, 6
#: of components that are made or not, the part of their cost that is of an element
Part = tuple[bool, Element]


class Materials:
    """Component lines in columns, and the costs of items as they become known.

    Parameters
    ----------
    structures : with their phantoms put in
    at : position of each item that may have a cost
    """

    @exact
    def __init__(self, structures: Iterable[Structure], at: Mapping[str, int]) -> None:
        self._at = at
        self._codes = tuple(at)
        self._needs = _Needs()
        self._ends: dict[str, tuple[int, int]] = {}
        #: where each of the columns' items stands; one past all names where it doesn't
        places: dict[Columns, Positions] = {}
        children: list[Positions] = [np.empty(0, np.int32)]
        operations: list[Positions] = [np.empty(0, np.int32)]
        needs: list[int] = []
        #: why an item's lines can't be costed, by its code
        self.faults: dict[str, DomainError] = {}
        for structure in structures:
            lines = as_lines(structure.components)
            columns, own, begin = lines.columns, slice(lines.begin, lines.end), len(needs)
            try:
                own_needs = self._needs.of(columns, own, structure.batch_quantity)
            except DomainError as fault:
                self.faults[structure.item] = fault
                continue
            if columns not in places:
                found = [at.get(code, len(at)) for code in columns.codes]
                places[columns] = np.array(found, dtype=np.int32)
            children.append(places[columns][columns.item[own]])
            operations.append(columns.operation[own])
            needs += own_needs
            self._ends[structure.item] = (begin, len(needs))
        self._child = np.concatenate(children)
        self._operation = np.concatenate(operations)
        self._need = np.array(needs, dtype=np.int32)
        self._is_per_order = np.array(self._needs.are_per_order, dtype=np.bool_)
        # no more than there are: short numbers are multiplied faster
        self._places = min(QUANTITY_PLACES, max(map(_places, self._needs.each), default=0))
        whole = [_whole(each, self._places) for each in self._needs.each]
        self._quantity = np.array(whole, dtype=object)
        self._has_cost = np.zeros(len(at) + 1, dtype=np.bool_)
        self._price = np.zeros(len(at) + 1)
        #: by position of an item; 0 where it has none
        self._parts: dict[Part, NDArray[Any]] = {}

    def graph(self) -> tuple[Positions, Positions]:
        """Return the item of each line and its component, as positions; one past all of an unknown one."""
        items = np.array([self._at[code] for code in self._ends], dtype=np.int32)
        counts = [end - begin for begin, end in self._ends.values()]
        return np.repeat(items, counts), self._child

    def lines(self, code: str) -> list[tuple[int, str, Decimal, bool]]:
        """Return operation, item and quantity of each component of an item, and whether it is per order."""
        own, codes, needs = slice(*self._ends[code]), self._codes, self._needs
        return [
            (operation, codes[child], needs.each[need], needs.are_per_order[need])
            for operation, child, need in zip(
                self._operation[own].tolist(),
                self._child[own].tolist(),
                self._need[own].tolist(),
                strict=True,
            )
        ]

    def learn(self, code: str, cost: ItemCost) -> None:
        """Take in what one unit of an item costs."""
        n = self._at[code]
        if self._has_cost[n]:  # of elements that it may not have any more
            for costs in self._parts.values():
                costs[n] = 0
        self._has_cost[n] = True
        self._price[n] = cost.price
        for element, amount in cost.split.items():
            part = (cost.is_made, element)
            if part not in self._parts:
                self._parts[part] = np.zeros(self._has_cost.size, dtype=object)
            self._parts[part][n] = _whole(amount, COST_PLACES)

    def _lines_of(self, codes: Sequence[str]) -> tuple[NDArray[np.intp], NDArray[np.intp]]:
        """Return the lines of items, and which of the items each belongs to."""
        ends = np.array([self._ends.get(code, (0, 0)) for code in codes], dtype=np.intp)
        begins, counts = ends.reshape(-1, 2)[:, 0], np.diff(ends.reshape(-1, 2)).ravel()
        owner = np.repeat(np.arange(len(codes)), counts)
        before = np.cumsum(counts) - counts
        return np.arange(owner.size) + (begins - before)[owner], owner

    def lacking(self, codes: Sequence[str]) -> set[str]:
        """Return the items that use one without a cost."""
        lines, owner = self._lines_of(codes)
        return {codes[n] for n in np.unique(owner[~self._has_cost[self._child[lines]]]).tolist()}

    def packed(self, codes: Sequence[str]) -> Rows:
        """Return the components of items whose components have costs, as inputs in arrays."""
        lines, owner = self._lines_of(codes)
        rows = np.zeros(lines.size, dtype=INPUT)
        rows["item"] = np.array([self._at[code] for code in codes], dtype=np.int32)[owner]
        rows["operation"], rows["kind"] = self._operation[lines], COMPONENT
        rows["code"] = self._child[lines]
        needs = self._need[lines]
        rows["quantity"] = self._quantity[needs].astype(np.float64) / 10.0**self._places
        rows["price"] = self._price[rows["code"]]
        rows["is_per_order"], rows["base"] = self._is_per_order[needs], -1
        return rows

    @exact
    def summed(self, codes: Sequence[str]) -> dict[str, dict[int, list[CostInput]]]:
        """Return what the components of items cost, by item and operation.

        Of each operation one input for all that is per unit and one for what is per order,
        of made components and others apart: its price is their cost, for a quantity of 1.
        """
        lines, owner = self._lines_of(codes)
        found: dict[str, dict[int, list[CostInput]]] = {code: {} for code in codes}
        if not lines.size:
            return found
        operation, needs = self._operation[lines], self._need[lines]
        per_order = self._is_per_order[needs]
        place = (owner << 32) + (operation.astype(np.int64) << 1) + per_order
        firsts = np.flatnonzero(np.r_[True, place[1:] != place[:-1]])
        quantity, child = self._quantity[needs], self._child[lines]
        sums = {
            part: np.add.reduceat(quantity * costs[child], firsts).tolist()
            for part, costs in self._parts.items()
        }
        splits: list[dict[bool, dict[Element, Decimal]]] = [{} for _ in firsts]
        for (is_made, element), column in sums.items():
            for n, amount in enumerate(column):
                if amount:
                    cost = Decimal(amount).scaleb(-self._places - COST_PLACES)
                    splits[n].setdefault(is_made, {})[element] = cost
        for n, first in enumerate(firsts.tolist()):
            number = int(operation[first])
            for is_made, split in splits[n].items():
                material = CostInput(
                    operation=number,
                    kind=InputKind.COMPONENT,
                    code="",
                    quantity=ONE,
                    unit="",
                    price=sum(split.values(), Decimal(0)),
                    split=split,
                    is_per_order=bool(per_order[first]),
                    is_made=is_made,
                )
                found[codes[owner[first]]].setdefault(number, []).append(material)
        return found


class _Needs:
    """What lines need per unit or per order: there are many lines, and few different needs."""

    def __init__(self) -> None:
        #: per unit entering the operation, or per order
        self.each: list[Decimal] = []
        self.are_per_order: list[bool] = []
        #: by columns and batch quantity, the need of each kind of line
        self._known: dict[tuple[Columns, Decimal], dict[int, int]] = {}

    def of(self, columns: Columns, own: slice, batch: Decimal) -> list[int]:
        """Return the needs of some lines that are stated for a batch quantity."""
        known = self._known.setdefault((columns, batch), {})
        kinds = columns.kind[own].tolist()
        for kind in kinds:
            if kind not in known:
                known[kind] = self._add(columns.kinds[kind], batch)
        return [known[kind] for kind in kinds]

    def _add(self, line: ComponentLine, batch: Decimal) -> int:
        for name, number in (("batch quantity", batch), ("quantity", line.quantity), ("unit", line.unit_factor), ("allowance", ONE + line.allowance)):  # fmt: skip
            if number <= 0:
                raise OutOfRange(f"The {name} of a component line", decimal_of(Fraction(number)), "above 0")  # fmt: skip
        self.each.append(per_unit(line, batch))
        self.are_per_order.append(line.per is Per.ORDER)
        return len(self.each) - 1


def _places(value: Decimal) -> int:
    """Return how many decimal places a value has."""
    exponent = value.normalize().as_tuple().exponent
    assert isinstance(exponent, int)  # nothing here is infinite
    return max(-exponent, 0)


def _whole(value: Decimal, places: int) -> int | Decimal:
    """Return a value in units of its last place as a whole number, if it has no more places."""
    scaled = value.scaleb(places)
    whole = int(scaled)
    return whole if whole == scaled else scaled
