"""The actual cost of a period: differences carried to where the goods went."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csc_matrix, csr_matrix, eye
from scipy.sparse.csgraph import connected_components
from scipy.sparse.linalg import splu

from ..quantity import CENT, ZERO, exact, round_parts, round_to

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


@dataclass(frozen=True, slots=True, kw_only=True)
class ItemPeriod:
    """An item in a period: what there was of it, and where that went.

    `quantity` is what there was at the beginning and what was received; it is what was consumed by
    orders of other items, and of `ends`, together.
    """

    item: int
    quantity: Decimal
    #: opening difference, purchase price differences, variances of its orders, late cost [money]
    difference: Decimal
    #: consumed by orders of each other item [unit]
    consumed: Mapping[int, Decimal]
    #: where the rest went or is: in stock, in WIP, sold, scrapped [unit]
    ends: Mapping[str, Decimal]
    #: standard cost of a unit
    standard: Decimal = ZERO


@dataclass(frozen=True, slots=True, kw_only=True)
class ItemActual:
    """What an item cost in a period beyond its standard."""

    item: int
    #: D: its own and what its components brought [money]
    difference: Decimal
    #: of it, from its own level
    own: Decimal
    #: from which component how much
    brought: Mapping[int, Decimal]
    #: where it stays, to the cent; over all items these add up to what all differ by
    ends: Mapping[str, Decimal]
    #: standard + D / Q [money/unit]; None: there was none of it
    each: Decimal | None


def carried_differences(own: Floats, using: Ints, used: Ints, shares: Floats) -> Floats:
    """Return D of each item: D(j) = own(j) + sum over i of share(i to j) × D(i).

    Parameters
    ----------
    own : shape (n,) float64 [money]
    using, used : shape (m,) the item whose orders consumed, and the item that they consumed of
    shares : shape (m,) float64, of the used item's quantity

    Returns
    -------
    shape (n,) float64 [money]

    Notes
    -----
    (I - Sᵀ) D = own by a sparse LU decomposition, items ordered by their strong components (Tarjan,
    1972): what has no loop is triangular then and fills nothing, so O(n + m) beside the loops. These
    are allowed as long as something leaves them; the diagonal is never less than what is beside it
    in its column, so it is the pivot.

    Source
    ------
    The reciprocal method: Horngren, Datar & Rajan, Cost Accounting, ch. 15.
    """
    size = own.size
    if not using.size:
        return own.copy()
    carried = csr_matrix((shares, (using, used)), shape=(size, size))
    _, component = connected_components(carried, connection="strong")
    order = np.argsort(component, kind="stable")
    place = np.empty(size, dtype=np.int64)
    place[order] = np.arange(size)
    sorted_ = csc_matrix((shares, (place[using], place[used])), shape=(size, size))
    system = (eye(size, format="csc") - sorted_).tocsc()
    solved: Floats = splu(system, permc_spec="NATURAL", diag_pivot_thresh=0.0).solve(own[order])
    return solved[place]


@exact
def period_actuals(items: Sequence[ItemPeriod]) -> list[ItemActual]:
    """Return what items cost in a period, and where what they differ from the standard by stays.

    The system is solved with floats; what stays where is then rounded to cents by largest
    remainder over all items, so that it adds up to all differences, exactly.

    Parameters
    ----------
    items : each once; what is consumed by an item that is not among them stays as "elsewhere"

    Source
    ------
    The handbook's section 13; the reciprocal method, Horngren, Datar & Rajan, ch. 15.
    """
    at = {i.item: n for n, i in enumerate(items)}
    cells = [
        (at[user], n, float(q / i.quantity))
        for n, i in enumerate(items)
        if i.quantity
        for user, q in i.consumed.items()
        if user in at and q
    ]
    own = np.array([float(i.difference) for i in items])
    using, used, shares = (list(c) for c in zip(*cells, strict=True)) if cells else ([], [], [])
    solved = carried_differences(own, np.array(using, dtype=np.int64), np.array(used, dtype=np.int64), np.array(shares))  # fmt: skip
    whole = [Decimal(repr(float(d))) for d in solved]
    ends: list[tuple[int, str, Decimal]] = []
    for n, i in enumerate(items):
        gone = [(name, q) for name, q in i.ends.items() if q]
        gone += [("elsewhere", q) for user, q in i.consumed.items() if user not in at and q]
        if not i.quantity or not gone:
            if not i.consumed or not i.quantity:
                ends.append((n, "in stock", whole[n]))
            continue
        ends += [(n, name, whole[n] * q / i.quantity) for name, q in gone]
    total = sum((i.difference for i in items), ZERO)
    rounded = round_parts([e[2] for e in ends], total) if ends else []
    stays: list[dict[str, Decimal]] = [{} for _ in items]
    for (n, name, _), amount in zip(ends, rounded, strict=True):
        stays[n][name] = stays[n].get(name, ZERO) + amount
    brought: list[dict[int, Decimal]] = [{} for _ in items]
    for user, n, share in cells:
        amount = round_to(whole[n] * Decimal(repr(share)), CENT)
        if amount:
            brought[user][items[n].item] = amount
    return [
        ItemActual(
            item=i.item,
            difference=round_to(whole[n], CENT),
            own=i.difference,
            brought=brought[n],
            ends=stays[n],
            each=i.standard + whole[n] / i.quantity if i.quantity else None,
        )
        for n, i in enumerate(items)
    ]
