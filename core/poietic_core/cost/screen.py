"""Why two whole sets differ, screened in arrays: the causes of `sets.py`, for every item at once."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .array_costs import Roller, key_of, position_of
from .arrays import (
    KINDS,
    SUBCONTRACT,
    TIMES,
    ArraySet,
    Bools,
    Floats,
    Rows,
)
from .sets import Cause


@dataclass(frozen=True, eq=False)
class Screened:
    """What names cost in two sets, and why it differs; floats, for the order of a list."""

    names: NDArray[np.str_]
    #: nan where a set has no cost
    old: Floats
    new: Floats
    #: shape (n_names, n_causes), in the order of `Cause`; they add up to new minus old
    causes: Floats


def screened(old: ArraySet, new: ArraySet) -> Screened:
    """Return what every item costs in two sets, and why it differs, like `differences`."""
    is_alike = np.array_equal(old.names, new.names)
    names = old.names if is_alike else np.union1d(old.names, new.names)
    old, new = old.on(names), new.on(names)
    in_old, in_new = old.costed(), new.costed()
    both = ~np.isnan(old.lots) & ~np.isnan(new.lots)
    priced = ~np.isnan(old.bought) & ~np.isnan(new.bought)
    is_same = _are_same_rows(old, new)
    mixed = _same_rows(old, new) if is_same else _mixed
    still = _still(old, new) if is_same else set()
    roller = Roller()
    only_new = in_new & ~in_old
    steps = [roller.roll(mixed(old, new, dict.fromkeys(Cause, only_new)))]
    taken: set[Cause] = set()
    for cause in Cause:
        taken.add(cause)
        if cause in still:
            steps.append(steps[-1])
            continue
        made = in_new if Cause.STRUCTURE in taken else only_new
        from_new = {
            c: np.where(priced if c is Cause.PRICE else both, c in taken, made) for c in Cause
        }
        steps.append(roller.roll(mixed(old, new, from_new | {Cause.STRUCTURE: made})))
    shared = in_old & in_new
    return Screened(
        names,
        np.where(in_old, steps[0], np.nan),
        np.where(in_new, steps[-1], np.nan),
        np.where(shared[:, None], np.diff(np.array(steps), axis=0).T, 0.0),
    )


Chosen = Mapping[Cause, Bools]


def _mixed(old: ArraySet, new: ArraySet, from_new: Chosen) -> ArraySet:
    """Return a set that has from the new one what is said by name and cause, the rest from the old."""
    structure, rate = from_new[Cause.STRUCTURE], from_new[Cause.RATE]
    operations = _chosen(old.operations, new.operations, structure)
    made = _chosen(old.inputs, new.inputs, structure)
    timed = _chosen(old.inputs, new.inputs, from_new[Cause.TIME])
    rated = _chosen(old.inputs, new.inputs, rate)
    inputs = np.concatenate(
        [
            made[~np.isin(made["kind"], TIMES) & (made["base"] < 0)],
            _where_done(timed[np.isin(timed["kind"], TIMES)], operations),
            _where_done(rated[rated["base"] >= 0], operations),
        ]
    )
    inputs = inputs[np.argsort(inputs["item"], kind="stable")]
    grades = _chosen(old.grades, new.grades, structure, by="main")
    return _priced(old, new, from_new, _at_rates(inputs, rated), operations, grades)


def _priced(
    old: ArraySet, new: ArraySet, from_new: Chosen, inputs: Rows, operations: Rows, grades: Rows
) -> ArraySet:
    is_made = ~np.where(from_new[Cause.STRUCTURE], np.isnan(new.lots), np.isnan(old.lots))
    bought = np.where(from_new[Cause.PRICE], new.bought, old.bought)
    lots = np.where(from_new[Cause.LOT_SIZE], new.lots, old.lots)
    bought[is_made], lots[~is_made] = np.nan, np.nan
    return ArraySet(old.names, bought, lots, inputs, operations, grades)


def _are_same_rows(old: ArraySet, new: ArraySet) -> bool:
    """Tell whether two sets differ in figures only, as a what-if and what it is made over."""
    return (
        old.inputs.size == new.inputs.size
        and all(np.array_equal(old.inputs[c], new.inputs[c]) for c in ("item", "operation", "kind", "code", "is_per_order", "is_per_good", "base"))
        and np.array_equal(old.operations, new.operations)
        and np.array_equal(old.grades, new.grades)
    )  # fmt: skip


def _still(old: ArraySet, new: ArraySet) -> set[Cause]:
    """Return the causes by which two sets of the same rows don't differ."""
    is_time, is_rated = _times_and_rates(old)
    moved = {c: old.inputs[c] != new.inputs[c] for c in ("quantity", "price", "share")}
    differs = {
        Cause.PRICE: not np.array_equal(old.bought, new.bought, equal_nan=True),
        Cause.RATE: (moved["price"] & is_rated).any(),
        Cause.STRUCTURE: (moved["quantity"] & ~is_time).any()
        or (moved["price"] & ~is_rated).any()
        or moved["share"].any()
        or not np.array_equal(np.isnan(old.lots), np.isnan(new.lots)),
        Cause.TIME: (moved["quantity"] & is_time).any(),
        Cause.LOT_SIZE: not np.array_equal(old.lots, new.lots, equal_nan=True),
    }
    return {cause for cause, is_so in differs.items() if not is_so}


def _times_and_rates(costs: ArraySet) -> tuple[Bools, Bools]:
    """Return which inputs are time, and which are paid by a rate."""
    rows = costs.inputs
    is_time = np.isin(rows["kind"], TIMES)
    return is_time, is_time | (rows["kind"] == SUBCONTRACT) | (rows["base"] >= 0)


def _same_rows(old: ArraySet, new: ArraySet) -> Callable[[ArraySet, ArraySet, Chosen], ArraySet]:
    """Return `_mixed` for sets of the same rows: figures change places, rows don't."""
    is_time, is_rated = _times_and_rates(old)

    def mixed(old: ArraySet, new: ArraySet, from_new: Chosen) -> ArraySet:
        by_row = {cause: chosen[old.inputs["item"]] for cause, chosen in from_new.items()}
        inputs = old.inputs.copy()
        for column, is_its, cause in (
            ("quantity", is_time, Cause.TIME),
            ("price", is_rated, Cause.RATE),
        ):
            taken = np.where(is_its, by_row[cause], by_row[Cause.STRUCTURE])
            inputs[column][taken] = new.inputs[column][taken]
        shared = by_row[Cause.STRUCTURE]
        inputs["share"][shared] = new.inputs["share"][shared]
        return _priced(old, new, from_new, inputs, old.operations, old.grades)

    return mixed


def _chosen(old: Rows, new: Rows, from_new: Bools, by: str = "item") -> Rows:
    """Return the rows of the new set for the names said, of the old set for all others."""
    rows = np.concatenate([old[~from_new[old[by]]], new[from_new[new[by]]]])
    return rows[np.argsort(rows[by], kind="stable")]


def _where_done(rows: Rows, operations: Rows) -> Rows:
    keys = key_of(operations["item"], operations["number"])
    return rows[position_of(keys, key_of(rows["item"], rows["operation"])) >= 0]


def _at_rates(rows: Rows, rated: Rows) -> Rows:
    """Return time and subcontract at the prices that they have in other rows of the same place."""
    kinds = [*TIMES, SUBCONTRACT]
    priced = rated[np.isin(rated["kind"], kinds)]
    keys = key_of(priced["item"], priced["operation"]) * len(KINDS) + priced["kind"]
    order = np.argsort(keys, kind="stable")
    mine = np.flatnonzero(np.isin(rows["kind"], kinds))
    wanted = key_of(rows["item"], rows["operation"])[mine] * len(KINDS) + rows["kind"][mine]
    at = position_of(keys[order], wanted)
    rows["price"][mine[at >= 0]] = priced["price"][order][at[at >= 0]]
    return rows


def merged(one: ArraySet, other: ArraySet) -> ArraySet:
    """Return one set with the items of another in the place of its own."""
    names = np.union1d(one.names, other.names)
    old, new = one.on(names), other.on(names)
    return _mixed(old, new, dict.fromkeys(Cause, new.costed()))
