"""The whole plant's graph of components as arrays, for questions that touch all of it.

For planning and screening: quantities are float64. What is stored or posted is computed in
Decimal (`explode.py`, `requirement.py`); both must agree, and a test compares them.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_array, vstack

from .explode import CycleFound

Floats = NDArray[np.float64]
Ints = NDArray[np.int32]


class Plant:
    """Items in the order of their low-level codes, and what one unit of each needs.

    Parameters
    ----------
    parents, children : shape (n_lines,), int
        Items by position; a pair may occur more than once.
    quantities : shape (n_lines,), float
        Of the child in one unit of the parent [unit].
    size : number of items

    Raises
    ------
    CycleFound (structure.cycle)
        With positions as the loop's names.

    Notes
    -----
    24 bytes per line are kept: one matrix by child, cut into levels. Building is
    O(lines) with a numpy step per level; ties within a level keep the order of items.
    """

    def __init__(self, parents: Ints, children: Ints, quantities: Floats, size: int) -> None:
        self.codes = low_level_codes(parents, children, size)
        #: position by rank, and rank by position
        self._order = np.argsort(self.codes, kind="stable")
        self._rank = np.empty(size, dtype=np.int32)
        self._rank[self._order] = np.arange(size, dtype=np.int32)
        matrix = csr_array(
            (quantities, (self._rank[children], self._rank[parents])), shape=(size, size)
        )
        bounds = np.searchsorted(self.codes[self._order], np.arange(self.codes.max(initial=0) + 2))
        self._bounds = bounds.tolist()
        self._levels = [_cut(matrix, first, last) for first, last in pairwise(self._bounds[1:])]
        #: the same lines by parent, made when something is first rolled up
        self._up: list[tuple[slice, csr_array]] | None = None

    def explode(self, demand: Floats) -> Floats:
        """Return the total requirement of every item.

        Parameters
        ----------
        demand : shape (n_items,) or (n_items, n_cases), by position [unit]

        Returns
        -------
        the same shape: demand plus what parents need, level by level; equals (I − N)⁻¹ d

        Source
        ------
        Vazsonyi, A. (1954). Management Science 1, 70–85.
        """
        totals = np.asarray(demand, dtype=np.float64)[self._order]
        for rows, matrix in self._levels:
            totals[rows] += matrix @ totals
        result = np.empty_like(totals)
        result[self._order] = totals
        return result

    def roll(self, direct: Floats) -> Floats:
        """Return the cost of every item: its own, and its components' times their quantities.

        Parameters
        ----------
        direct : shape (n_items, n_elements), by position [money/unit]

        Returns
        -------
        the same shape, level by level from the bottom; equals (I − Nᵀ)⁻¹ direct; float64, for
        screening: what is stored is computed exactly
        """
        if self._up is None:
            size = self.codes.size
            whole = vstack([m for _, m in self._levels], format="csr") if self._levels else None
            tops = csr_array((self._bounds[1] if len(self._bounds) > 1 else size, size))
            matrix = tops if whole is None else vstack([tops, whole], format="csr")
            by_parent = csr_array(matrix.T)
            self._up = [_cut(by_parent, a, b) for a, b in pairwise(self._bounds)][::-1]
        costs = np.asarray(direct, dtype=np.float64)[self._order]
        for rows, matrix in self._up:
            if matrix.nnz:
                costs[rows] += matrix @ costs
        result = np.empty_like(costs)
        result[self._order] = costs
        return result

    def memory(self) -> int:
        """Return the bytes held by the arrays."""
        held: list[NDArray[Any]] = [self.codes, self._order, self._rank]
        for _, m in (*self._levels, *(self._up or ())):
            held += [m.data, m.indices, m.indptr]
        return sum(int(a.nbytes) for a in held)


def _cut(matrix: csr_array, first: int, last: int) -> tuple[slice, csr_array]:
    """Return some rows of a matrix, with where they stand; nothing is copied."""
    start, end = matrix.indptr[first], matrix.indptr[last]
    rows = csr_array(
        (
            matrix.data[start:end],
            matrix.indices[start:end],
            matrix.indptr[first : last + 1] - start,
        ),
        shape=(last - first, matrix.shape[1]),
    )
    return slice(int(first), int(last)), rows


def low_level_codes(parents: Ints, children: Ints, size: int) -> Ints:
    """Return per item the longest path from any top, tops having 0.

    Raises
    ------
    CycleFound (structure.cycle)

    Notes
    -----
    An item gets its code when its last parent has one (Kahn, 1962), a level at a time.
    """
    by_parent = np.argsort(parents, kind="stable")
    sorted_children = children[by_parent]
    starts = np.searchsorted(parents[by_parent], np.arange(size + 1))
    missing = np.bincount(children, minlength=size)
    codes = np.zeros(size, dtype=np.int32)
    frontier = np.flatnonzero(missing == 0)
    level, seen = 0, 0
    while frontier.size:
        codes[frontier] = level
        seen += frontier.size
        counts = starts[frontier + 1] - starts[frontier]
        offsets = np.repeat(starts[frontier] - np.cumsum(counts) + counts, counts)
        reached = sorted_children[offsets + np.arange(offsets.size)]
        missing -= np.bincount(reached, minlength=size)
        frontier = np.unique(reached)
        frontier = frontier[missing[frontier] == 0]
        level += 1
    if seen < size:
        raise CycleFound(_loop(parents, children, missing > 0))
    return codes


def _loop(parents: Ints, children: Ints, stuck: NDArray[np.bool_]) -> list[str]:
    """Return one loop among the items that never lost their last parent, from its lowest position on."""
    inside = stuck[parents] & stuck[children]
    above: dict[int, int] = dict(
        zip(children[inside].tolist(), parents[inside].tolist(), strict=True)
    )
    path: list[int] = []
    at = next(iter(above))
    while at not in path:
        path.append(at)
        at = above[at]
    loop = path[path.index(at) :][::-1]
    first = loop.index(min(loop))
    return [str(i) for i in (*loop[first:], *loop[:first], loop[first])]
