"""What comes beside what is made, as a planning run sees it: grades and by-products by rows of its arrays."""

from datetime import date
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray
from poietic_core.structure.explode import CycleFound
from poietic_core.structure.plant import low_level_codes

from ..catalog.models import Item
from .uses import graded_in_force

Floats = NDArray[np.float64]
Keys = NDArray[np.int64]
Rows = NDArray[np.int64]
#: an item, what comes beside one of it, and how much
Beside = tuple[int, int, float]


def levels_of(
    keys: Keys, parents: NDArray[np.int32], children: NDArray[np.int32], beside: list[Beside]
) -> tuple[NDArray[np.int32], list[Beside]]:
    """Return low-level codes by which what comes beside an item stands below it, and what does.

    What is used again in what it comes of can't: it is left out.
    """
    left = list(beside)
    while True:
        givers, given, _ = _as_positions(keys, left)
        try:
            return low_level_codes(np.concatenate([parents, givers]), np.concatenate([children, given]), keys.size), left  # fmt: skip
        except CycleFound as found:
            loop = {int(n) for n in found.loop}
            inside = [g in loop and c in loop for g, c in zip(givers.tolist(), given.tolist(), strict=True)]  # fmt: skip
            if not any(inside):
                raise
            left = [b for b, is_inside in zip(left, inside, strict=True) if not is_inside]


def _as_positions(
    keys: Keys, beside: list[Beside]
) -> tuple[NDArray[np.int32], NDArray[np.int32], Floats]:
    """Return what comes beside what, as positions of keys and quantities."""
    givers, given, each = zip(*beside, strict=True) if beside else ((), (), ())
    return (
        np.searchsorted(keys, np.array(givers, dtype=np.int64)).astype(np.int32),
        np.searchsorted(keys, np.array(given, dtype=np.int64)).astype(np.int32),
        np.array(each, dtype=np.float64),
    )


def as_rows(keys: Keys, row: Rows, beside: list[Beside]) -> tuple[Rows, Rows, Floats]:
    """Return what comes beside what, as rows and quantities."""
    givers, given, each = _as_positions(keys, beside)
    return row[givers], row[given], each


def grades_of(today: date) -> tuple[list[Beside], list[Beside], list[str]]:
    """Return which item is sorted out of which, and what comes beside: grade, item, share; item, grade, share.

    One grade sets how much is made: that of which most is expected. The others come beside it.
    """
    graded = graded_in_force(today)
    codes = {g["item"] for r in graded for g in r.grades}
    keys = dict(Item.objects.filter(code__in=codes).values_list("code", "pk"))
    found, beside, told = [], [], []
    for revision in graded:
        shares = sorted(((Decimal(g["share"]), g["item"]) for g in revision.grades), reverse=True)
        share, main = shares[0]
        found.append((keys[main], revision.item_id, float(share)))
        beside += [(revision.item_id, keys[code], float(s)) for s, code in shares[1:]]
        if others := ", ".join(code for _, code in shares[1:]):
            told.append(f"{revision.item.code} is planned by what is wanted of {main}; {others} come beside it.")  # fmt: skip
    return found, beside, told
