"""Net change: of a plan only what changed is netted again, and what that changes of components."""

from __future__ import annotations

from collections.abc import Callable
from itertools import pairwise

import numpy as np
from scipy.sparse import csc_matrix, csr_matrix

from .netting import Floats, Ints, Plan, Progress, Works, late_by, net_rows, shifted

#: told rows before they are netted again: fills in what is wanted and what comes of them
Read = Callable[[Ints], None]


def net_change(
    works: Works, due: Floats, stirred: Ints, read: Read, progress: Progress | None = None
) -> tuple[Plan, Ints]:
    """Return the plan of a works as `net` would, to the digit, of which only a part is worked out.

    An item whose lots stay what they were passes nothing on.

    Parameters
    ----------
    works : as it is now; its demand and supply need to be known only of what `read` is told
    due : shape (n, periods), the lots of the last plan; 0 of what is new [unit]
    stirred : items of which something else changed than what is wanted from above: their own demand,
        supply, stock or policy; the lines by which they are used, or the lead time or level of a user

    Returns
    -------
    the plan, with demand and projection only of the rows that were netted again; and these rows

    Notes
    -----
    O(periods × (items netted again + lines above them)), and a look at all lines.

    Source
    ------
    Net-change material requirements planning: Orlicky (1975), ch. "processing logic".
    """
    n, periods = works.demand.shape
    due, gross, projected = due.copy(), np.zeros((n, periods)), np.zeros((n, periods))
    plan = Plan(due=due, gross=gross, projected=projected)
    is_again = np.zeros(n, dtype=bool)
    is_again[stirred] = True
    users, givers = works.uses.tocsc(), None if works.gives is None else works.gives.tocsc()
    lead = works.policy.lead
    for begin, end in pairwise(works.levels):
        rows = np.flatnonzero(is_again[begin:end]) + begin
        if rows.size:
            read(rows)
            wanted, comes = works.demand[rows], works.supply[rows]
            _add_from_above(wanted, users, rows, works, lambda k: shifted(due[k], lead[k]))
            if givers is not None:
                _add_from_above(comes, givers, rows, works, lambda k: due[k])
            netted = net_rows(works, rows, wanted, comes)
            changed = rows[(netted.lots != due[rows]).any(axis=1)]
            due[rows], gross[rows], projected[rows] = netted.lots, wanted, netted.left
            plan.moves |= netted.moves
            for below in (works.uses, works.gives):
                if below is not None:
                    is_again[below[changed].indices] = True
        if progress:
            progress(end)
    plan.late = late_by(due, lead)
    return plan, np.flatnonzero(is_again)


def _add_from_above(
    to: Floats, by: csc_matrix, rows: Ints, works: Works, of: Callable[[Ints], Floats]
) -> None:
    """Add what users bring about, level by level from the top: the order in which `net` adds it."""
    parts = by[:, rows].tocoo()
    for begin, end in pairwise(works.levels):
        here = (parts.row >= begin) & (parts.row < end)
        if not here.any():
            continue
        above, at = np.unique(parts.row[here], return_inverse=True)
        each = csr_matrix((parts.data[here], (at, parts.col[here])), (above.size, rows.size))
        to += each.T @ of(above.astype(np.int64))
