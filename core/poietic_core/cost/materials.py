"""The components of many structures in columns, and what they cost in one unit of each.

A roll-up sums what an item's operation takes in before it does anything else with it, so that
it handles a few inputs per item, not a dozen lines. The sums are exact: of whole numbers, or
of Decimals where a quantity has more places than that.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..quantity import ONE, exact
from ..structure.model import Per, Structure
from ..structure.requirement import per_unit
from .arrays import COMPONENT, INPUT, Rows
from .model import CostInput, Element, InputKind, ItemCost

#: places that whole numbers keep of a quantity, and of the cost of a unit
QUANTITY_PLACES, COST_PLACES = 12, 6
#: of components that are made or not, the part of their cost that is of an element
Part = tuple[bool, Element]


class Materials:
    """Component lines in columns, and the costs of items as they become known.

    Parameters
    ----------
    structures : with their phantoms put in, in the order in which they will be asked for
    at : position of each item that may have a cost
    """

    @exact
    def __init__(self, structures: Iterable[Structure], at: Mapping[str, int]) -> None:
        self._at = at
        unknown = len(at)  # a place that never gets a cost
        self._ends: dict[str, tuple[int, int]] = {}
        children: list[int] = []
        quantities: list[int | Decimal] = []
        operations: list[int] = []
        per_order: list[bool] = []
        for structure in structures:
            begin, batch = len(children), structure.batch_quantity
            for line in structure.components:
                children.append(at.get(line.item, unknown))
                quantities.append(_whole_quantity(per_unit(line, batch)))
                operations.append(line.operation)
                per_order.append(line.per is Per.ORDER)
            self._ends[structure.item] = (begin, len(children))
        self._child = np.array(children, dtype=np.int32)
        self._operation = np.array(operations, dtype=np.int32)
        self._is_per_order = np.array(per_order, dtype=np.bool_)
        self._quantity = np.array(quantities, dtype=object)
        self._has_cost = np.zeros(unknown + 1, dtype=np.bool_)
        self._price = np.zeros(unknown + 1)
        #: by position of an item; 0 where it has none
        self._parts: dict[Part, NDArray[Any]] = {}

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
        ends = [self._ends.get(code, (0, 0)) for code in codes]
        lines = [np.empty(0, np.intp), *(np.arange(begin, end) for begin, end in ends)]
        counts = [end - begin for begin, end in ends]
        return np.concatenate(lines), np.repeat(np.arange(len(codes)), counts)

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
        rows["quantity"] = self._quantity[lines].astype(np.float64) / 10.0**QUANTITY_PLACES
        rows["price"] = self._price[rows["code"]]
        rows["is_per_order"], rows["base"] = self._is_per_order[lines], -1
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
        operation, per_order = self._operation[lines], self._is_per_order[lines]
        place = (owner << 32) + (operation.astype(np.int64) << 1) + per_order
        firsts = np.flatnonzero(np.r_[True, place[1:] != place[:-1]])
        quantity, child = self._quantity[lines], self._child[lines]
        sums = {
            part: np.add.reduceat(quantity * costs[child], firsts).tolist()
            for part, costs in self._parts.items()
        }
        splits: list[dict[bool, dict[Element, Decimal]]] = [{} for _ in firsts]
        for (is_made, element), column in sums.items():
            for n, amount in enumerate(column):
                if amount:
                    cost = Decimal(amount).scaleb(-QUANTITY_PLACES - COST_PLACES)
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


@lru_cache(65_536)
def _whole_quantity(value: Decimal) -> int | Decimal:
    """Return `_whole` of a quantity; a plant has many lines and few different quantities."""
    return _whole(value, QUANTITY_PLACES)


def _whole(value: Decimal, places: int) -> int | Decimal:
    """Return a value in units of its last place as a whole number, if it has no more places."""
    scaled = value.scaleb(places)
    whole = int(scaled)
    return whole if whole == scaled else scaled
