"""Cost sets as arrays, for questions that touch a whole plant: what-ifs, and why two sets differ.

For screening: float64, and nothing is rounded between the levels. What is stored, and what is said
of one item, is computed in Decimal (`rollup.py`, `sets.py`); a test compares both.
"""

from __future__ import annotations

import io
import zlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from operator import attrgetter
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..quantity import ONE
from ..structure.flow import Network
from ..structure.requirement import entering_for_one
from .model import Base, CostedStructure, CostInput, InputKind
from .sets import INPUTS_CHANGED, Change, ChangeKind, ChangeOfNothing

Floats = NDArray[np.float64]
Bools = NDArray[np.bool_]
Rows = NDArray[Any]

KINDS = tuple(InputKind)
BASES = tuple(Base)
KIND = {kind: n for n, kind in enumerate(KINDS)}
COMPONENT, BY_PRODUCT, CO_PRODUCT, SUBCONTRACT = (
    KIND[k]
    for k in (
        InputKind.COMPONENT,
        InputKind.BY_PRODUCT,
        InputKind.CO_PRODUCT,
        InputKind.SUBCONTRACT,
    )
)
TIMES = [KIND[k] for k in INPUTS_CHANGED[ChangeKind.HOURS]]
#: an input of an item's structure: item and code are positions in the names of the set
INPUT = np.dtype(
    [
        *(("item", "i4"), ("operation", "i4"), ("kind", "i1"), ("code", "i4")),
        *(("quantity", "f8"), ("price", "f8"), ("share", "f8")),
        *(("is_per_order", "?"), ("is_per_good", "?"), ("base", "i1")),
    ]
)
#: an operation: units entering it per good unit; joint: at or before the one where co-products leave
OPERATION = np.dtype(
    [("item", "i4"), ("number", "i4"), ("entering", "f8"), ("yield", "f8"), ("joint", "?")]
)
GRADE = np.dtype([("item", "i4"), ("main", "i4"), ("factor", "f8")])
PARTS = ("names", "bought", "lots", "inputs", "operations", "grades")


@dataclass(frozen=True, eq=False)
class ArraySet:
    """The standards of a set, as what they were computed from, in arrays."""

    #: codes of items, work centers, suppliers and overheads, sorted; shape (n_names,)
    names: NDArray[np.str_]
    #: by name: price of a bought item [money/unit], else nan
    bought: Floats
    #: by name: standard lot of an item with a structure [unit], else nan
    lots: Floats
    #: shape (n_inputs,), (n_operations,), (n_grades,); all in the order of their items
    inputs: Rows
    operations: Rows
    grades: Rows

    def to_bytes(self) -> bytes:
        """Return the arrays as bytes, compressed."""
        file = io.BytesIO()
        np.savez(file, **{part: getattr(self, part) for part in PARTS})
        return zlib.compress(file.getvalue(), 1)

    @classmethod
    def from_bytes(cls, data: bytes) -> ArraySet:
        """Return the arrays that `to_bytes` wrote."""
        with np.load(io.BytesIO(zlib.decompress(data)), allow_pickle=False) as file:
            return cls(**{part: file[part] for part in PARTS})

    def on(self, names: NDArray[np.str_]) -> ArraySet:
        """Return the set over more names, which hold all of its own, sorted."""
        if np.array_equal(names, self.names):
            return self
        at = np.searchsorted(names, self.names)
        bought, lots = np.full((2, names.size), np.nan)
        bought[at], lots[at] = self.bought, self.lots
        return ArraySet(
            names,
            bought,
            lots,
            _moved(self.inputs, at, "item", "code"),
            _moved(self.operations, at, "item"),
            _moved(self.grades, at, "item", "main"),
        )

    def costed(self) -> Bools:
        """Return which names have a cost in this set."""
        found: Bools = ~(np.isnan(self.bought) & np.isnan(self.lots))
        found[self.grades["item"]] = True
        found[self.inputs["code"][self.inputs["kind"] == CO_PRODUCT]] = True
        return found

    def changed(self, changes: Sequence[Change]) -> ArraySet:
        """Return the set with the changes of a what-if made, one after the other.

        Raises
        ------
        ChangeOfNothing (cost.change_of_nothing)
        """
        made = self
        for change in changes:
            made = made._changed(change)
        return made

    def _changed(self, change: Change) -> ArraySet:
        touched = np.array([change.touches(n) for n in self.names.tolist()], dtype=np.bool_)
        if change.kind in (ChangeKind.PRICE, ChangeKind.LOT):
            column = "bought" if change.kind is ChangeKind.PRICE else "lots"
            values = getattr(self, column).copy()
            touched &= ~np.isnan(values)
            values[touched] = _of(change, values[touched])
            if not touched.any():
                raise ChangeOfNothing(change.kind.value, change.code)
            return replace(self, **{column: values})
        kinds = [KIND[k] for k in INPUTS_CHANGED[change.kind]]
        rows = np.isin(self.inputs["kind"], kinds) & touched[self.inputs["code"]]
        if not rows.any():
            raise ChangeOfNothing(change.kind.value, change.code)
        inputs = self.inputs.copy()
        column = "quantity" if change.kind is ChangeKind.HOURS else "price"
        inputs[column][rows] = _of(change, inputs[column][rows])
        return replace(self, inputs=inputs)


def _of(change: Change, values: Floats) -> Floats:
    """Return values as changed, like `Change.of`."""
    if change.to is not None:
        return np.full_like(values, float(change.to))
    return values * float(ONE + change.by)


def _moved(rows: Rows, at: NDArray[np.intp], *columns: str) -> Rows:
    moved = rows.copy()
    for column in columns:
        moved[column] = at[rows[column]]
    return moved


@dataclass(frozen=True, eq=False)
class Packed:
    """The bases of some items in arrays."""

    items: NDArray[np.int32]
    lots: Floats
    inputs: Rows
    operations: Rows
    grades: Rows


def pack(bases: Mapping[str, CostedStructure], bought: Mapping[str, Decimal]) -> ArraySet:
    """Return the standards of a set in arrays.

    Parameters
    ----------
    bases : by made item
    bought : by every other item [money/unit]
    """
    named = set(bases) | set(bought)
    for basis in bases.values():
        named.update(i.code for i in basis.inputs)
        named.update(basis.grades)
    at = positions(named)
    return assembled(at, bought, [packed(bases, at)])


def positions(names: Iterable[str]) -> dict[str, int]:
    """Return where each name stands among all of them, sorted."""
    return {name: n for n, name in enumerate(sorted(set(names)))}


def packed(
    bases: Mapping[str, CostedStructure], at: Mapping[str, int], components: Rows | None = None
) -> Packed:
    """Return the bases of some items in arrays, items and codes as positions.

    Parameters
    ----------
    components : of all the bases, where they tell them in sums
    """
    flat: list[CostInput] = []
    counts: list[int] = []
    operations: list[tuple[object, ...]] = []
    grades: list[tuple[object, ...]] = []
    for code, basis in bases.items():
        item = at[code]
        told = basis.inputs
        if components is not None:
            told = tuple([i for i in told if i.kind is not InputKind.COMPONENT])
        flat += told
        counts.append(len(told))
        operations += [(item, *row) for row in _operations(basis)]
        grades += [(at[grade], item, factor) for grade, factor in basis.grades.items()]
    items = np.array([at[code] for code in bases], dtype=np.int32)
    inputs = np.zeros(len(flat), dtype=INPUT)
    inputs["item"] = np.repeat(items, counts)
    inputs["kind"] = [KIND[i.kind] for i in flat]
    inputs["operation"] = [i.operation for i in flat]
    inputs["code"] = [at[i.code] for i in flat]
    for column in ("quantity", "price"):
        figures = map(float, map(attrgetter(column), flat))
        inputs[column] = np.fromiter(figures, np.float64, len(flat))
    for n, i in enumerate(flat):
        if i.share:
            inputs["share"][n] = i.share
    inputs["is_per_order"] = [i.is_per_order for i in flat]
    inputs["is_per_good"] = [i.is_per_good for i in flat]
    inputs["base"] = [-1 if i.base is None else BASES.index(i.base) for i in flat]
    return Packed(
        items,
        np.array([basis.standard_lot for basis in bases.values()], dtype=np.float64),
        inputs if components is None else np.concatenate([inputs, components]),
        np.array(operations, dtype=OPERATION),
        np.array(grades, dtype=GRADE),
    )


def assembled(
    at: Mapping[str, int], bought: Mapping[str, Decimal], parts: Sequence[Packed]
) -> ArraySet:
    """Return a set put together from the bases of its items, packed in any order."""
    prices, lots = np.full((2, len(at)), np.nan)
    for code, price in bought.items():
        prices[at[code]] = price
    parts = parts or [packed({}, at)]
    for part in parts:
        lots[part.items] = part.lots
    inputs = np.concatenate([p.inputs for p in parts])
    operations = np.concatenate([p.operations for p in parts])
    grades = np.concatenate([p.grades for p in parts])
    return ArraySet(
        np.array(list(at), dtype=np.str_),
        prices,
        lots,
        inputs[np.argsort(inputs["item"], kind="stable")],
        np.sort(operations, order=["item", "number"]),
        grades[np.argsort(grades["main"], kind="stable")],
    )


def _operations(basis: CostedStructure) -> Iterable[tuple[object, ...]]:
    split_off = [i.operation for i in basis.inputs if i.kind is InputKind.CO_PRODUCT]
    if not split_off and all(o.yield_share == ONE for o in basis.operations):
        return [(o.number, ONE, ONE, False) for o in basis.operations]
    enter = entering_for_one(basis.operations)
    joint = Network(basis.operations).through(split_off[0]) if split_off else set()
    return [
        (o.number, enter[o.number].value, o.yield_share, o.number in joint)
        for o in basis.operations
    ]
