"""What every item of a set in arrays costs: its direct costs, rolled up over all levels at once."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..structure.plant import Plant
from .arrays import (
    BASES,
    BY_PRODUCT,
    CO_PRODUCT,
    COMPONENT,
    KIND,
    ArraySet,
    Bools,
    Floats,
    Rows,
)
from .model import Base
from .overhead import COSTS, bases_of


@dataclass
class Roller:
    """Rolls direct costs up; what-ifs mostly leave the graph of components as it is."""

    _graph: tuple[NDArray[Any], ...] = ()
    _plant: Plant | None = None

    def roll(self, costs: ArraySet) -> Floats:
        """Return the cost of every name of a set [money/unit]; nan where it has none."""
        *graph, direct = _linear(costs)
        same = len(self._graph) == len(graph) and all(map(np.array_equal, self._graph, graph))
        if self._plant is None or not same:
            parents, children, needs = graph
            self._plant = Plant(parents, children, needs, costs.names.size)
            self._graph = tuple(graph)
        rolled = self._plant.roll(direct)
        rolled[~costs.costed()] = np.nan
        return rolled


def array_costs(costs: ArraySet) -> Floats:
    """Return the cost of every name of a set [money/unit]; nan where it has none.

    Shape (n_names,); equals (I − Nᵀ)⁻¹ applied to the direct costs.

    Raises
    ------
    CycleFound (structure.cycle)
    """
    return Roller().roll(costs)


def _linear(costs: ArraySet) -> tuple[NDArray[Any], NDArray[Any], Floats, Floats]:
    """Return parents, children and needs of the graph, and the direct cost of every name.

    A co-product bears its share of every joint input of the item that it leaves with, which
    bears the rest; a grade is its factor of the item.
    """
    rows = costs.inputs
    at = _operation_of(costs, rows)  # -1, the last, where it has none
    enter = np.append(costs.operations["entering"], 1.0)[at]
    good = np.where(rows["is_per_good"], np.append(costs.operations["yield"], 1.0)[at], 1.0)
    joint = np.append(costs.operations["joint"], False)[at]
    with np.errstate(invalid="ignore"):
        per_order = 1 / costs.lots[rows["item"]]
    weight = _quantities(costs) * np.where(rows["is_per_order"], per_order, enter * good)
    weight[rows["kind"] == BY_PRODUCT] *= -1
    items, codes, kinds, prices = rows["item"], rows["code"], rows["kind"], rows["price"]
    co_products = np.flatnonzero(kinds == CO_PRODUCT)
    if co_products.size:
        shares = np.bincount(items[co_products], rows["share"][co_products], costs.names.size)
        copies, factors = _beside(rows, joint, co_products, weight)
        origin = np.concatenate([np.arange(rows.size), copies[0]])
        items = np.concatenate([items, copies[1]])
        own = np.where(joint, 1 - shares[rows["item"]], 1.0)
        own[co_products] = 0
        weight = weight[origin] * np.concatenate([own, factors])
        codes, kinds, prices = codes[origin], kinds[origin], prices[origin]
    linked = (kinds == COMPONENT) & costs.costed()[codes]
    direct = np.nan_to_num(costs.bought) + np.bincount(
        items[~linked], (weight * prices)[~linked], costs.names.size
    )
    return (
        np.concatenate([items[linked], costs.grades["item"]]),
        np.concatenate([codes[linked], costs.grades["main"]]),
        np.concatenate([weight[linked], costs.grades["factor"]]),
        direct,
    )


def _beside(
    rows: Rows, joint: Bools, co_products: NDArray[np.intp], weight: Floats
) -> tuple[tuple[NDArray[np.intp], NDArray[np.intp]], Floats]:
    """Return the joint inputs again for every co-product: which, whose, and its part of each."""
    copies, owners, factors = [], [], []
    for n in co_products:
        made = weight[n]
        if not made:
            continue
        first, last = np.searchsorted(rows["item"], [rows["item"][n], rows["item"][n] + 1])
        own = first + np.flatnonzero(joint[first:last] & (rows["kind"][first:last] != CO_PRODUCT))
        copies.append(own)
        owners.append(np.full(own.size, rows["code"][n], dtype=np.intp))
        factors.append(np.full(own.size, rows["share"][n] / made))
    none = [np.empty(0, dtype=np.intp)]
    return (
        (np.concatenate(copies or none), np.concatenate(owners or none)),
        np.concatenate(factors or [np.empty(0)]),
    )


def _operation_of(costs: ArraySet, rows: Rows) -> NDArray[np.intp]:
    """Return the position of each input's operation; -1 where it has none."""
    keys = key_of(costs.operations["item"], costs.operations["number"])
    wanted = key_of(rows["item"], rows["operation"])
    return position_of(keys, wanted)


def key_of(item: NDArray[Any], number: NDArray[Any]) -> NDArray[np.int64]:
    key: NDArray[np.int64] = (item.astype(np.int64) << 32) | number
    return key


def position_of(keys: NDArray[np.int64], wanted: NDArray[np.int64]) -> NDArray[np.intp]:
    """Return where each wanted key stands among sorted ones; -1 where it does not."""
    if not keys.size:
        return np.full(wanted.size, -1, dtype=np.intp)
    at = np.minimum(np.searchsorted(keys, wanted), keys.size - 1)
    return np.where(keys[at] == wanted, at, -1)


def _quantities(costs: ArraySet) -> Floats:
    """Return the quantity of every input; of overhead, the base as it now is."""
    rows = costs.inputs
    quantities = rows["quantity"].copy()
    overhead = np.flatnonzero(rows["base"] >= 0)
    if not overhead.size:
        return quantities
    place = key_of(rows["item"], rows["operation"]) * 2 + rows["is_per_order"]
    spots, which = np.unique(place[overhead], return_inverse=True)
    spot = position_of(spots, place)
    for n, base in enumerate(BASES):
        counted = (spot >= 0) & _counted(costs, base)
        amount = rows["quantity"][counted]
        if base in COSTS:
            is_component, codes = rows["kind"][counted] == COMPONENT, rows["code"][counted]
            amount = amount * np.where(is_component, costs.bought[codes], rows["price"][counted])
        sums = np.bincount(spot[counted], amount, spots.size)
        mine = rows["base"][overhead] == n
        quantities[overhead[mine]] = sums[which[mine]]
    return quantities


def _counted(costs: ArraySet, base: Base) -> Bools:
    """Return which inputs make up a base."""
    rows = costs.inputs
    counted = np.isin(rows["kind"], [n for kind, n in KIND.items() if base in bases_of(kind)])
    is_made = (rows["kind"] == COMPONENT) & np.isnan(costs.bought[rows["code"]])
    return np.asarray(counted & ~is_made)
