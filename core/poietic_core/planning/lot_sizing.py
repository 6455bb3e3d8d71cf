"""How much is made or bought at once: the rules of lot sizing, for many items side by side.

All arrays have a row for each item and a column for each period. Holding is charged on what is left at
the end of a period; a period without a requirement is set up for nothing.
"""

from __future__ import annotations

from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


class LotRule(StrEnum):
    """How much planning makes or buys at once."""

    LOT_FOR_LOT = "lot for lot"
    #: in multiples of one lot
    FIXED = "fixed lot"
    #: what is needed in so many periods from the first on
    PERIODS = "days of supply"
    ECONOMIC = "economic order quantity"
    REORDER_POINT = "reorder point"
    LEAST_TOTAL_COST = "least total cost"
    LEAST_UNIT_COST = "least unit cost"
    PART_PERIOD = "part-period balancing"
    SILVER_MEAL = "Silver-Meal"
    WAGNER_WHITIN = "Wagner-Whitin"


#: rules that look ahead at what every lot would cost to set up and to hold
BY_COST = (
    LotRule.LEAST_TOTAL_COST,
    LotRule.LEAST_UNIT_COST,
    LotRule.PART_PERIOD,
    LotRule.SILVER_MEAL,
    LotRule.WAGNER_WHITIN,
)


def lots_by_cost(rule: LotRule, net: Floats, setup: Floats, holding: Floats) -> Floats:
    """Return what comes in each period by a rule that weighs setups against holding.

    Parameters
    ----------
    net : what is needed [unit], >= 0
    setup : of one lot [money]: one column, or one for each period
    holding : of one unit from one period to the next [money], one column

    Returns
    -------
    shape of `net` [unit]; each row adds up to what is needed

    Notes
    -----
    The heuristics extend a lot period by period and stop at the first rise of what they minimize.
    O(items × periods); Wagner and Whitin's O(items × periods²).

    Source
    ------
    Silver & Meal (1973); DeMatteis (1968); Wagner & Whitin, Management Science 5 (1958); least
    unit and least total cost as in Vollmann, Berry & Whybark.
    """
    setup = np.broadcast_to(setup, net.shape)
    if rule is LotRule.WAGNER_WHITIN:
        return _wagner_whitin(net, setup, holding[:, 0])
    return _step_by_step(rule, net, setup, holding[:, 0])


def _step_by_step(rule: LotRule, net: Floats, setup: Floats, holding: Floats) -> Floats:
    """Return the lots of a heuristic: each item has one lot in hand, that grows or is closed."""
    items, periods = net.shape
    lots = np.zeros_like(net)
    rows = np.arange(items)
    begin = np.full(items, -1)  # when the lot in hand is needed first
    units, held, before = np.zeros(items), np.zeros(items), np.full(items, np.inf)
    for t in range(periods):
        needed = net[:, t] > 0
        fresh = needed & (begin < 0)
        grows = needed & ~fresh
        cost = np.where(begin >= 0, setup[rows, np.maximum(begin, 0)], 0)
        more_units = units + net[:, t]
        more_held = held + holding * (t - begin) * net[:, t]
        if rule is LotRule.SILVER_MEAL:
            measure = (cost + more_held) / np.maximum(1, t - begin + 1)
            ends = grows & (measure > before)
        elif rule is LotRule.LEAST_UNIT_COST:
            measure = (cost + more_held) / np.maximum(more_units, 1e-300)
            ends = grows & (measure > before)
        elif rule is LotRule.LEAST_TOTAL_COST:  # whichever comes nearer to what setting up costs
            measure = np.abs(more_held - cost)
            ends = grows & (more_held > cost) & (measure > np.abs(held - cost))
            ends |= grows & (held > cost)
        else:
            measure = more_held
            ends = grows & (more_held > cost)
        fresh |= ends
        grows &= ~ends
        begin = np.where(fresh, t, begin)
        units = np.where(fresh, net[:, t], np.where(grows, more_units, units))
        held = np.where(fresh, 0, np.where(grows, more_held, held))
        first = setup[:, t] / (
            np.maximum(net[:, t], 1e-300) if rule is LotRule.LEAST_UNIT_COST else 1
        )
        before = np.where(fresh, first, np.where(grows, measure, before))
        put = fresh | grows
        lots[rows[put], begin[put]] = units[put]
    return lots


def _wagner_whitin(net: Floats, setup: Floats, holding: Floats) -> Floats:
    """Return the cheapest lots: the best way up to a period is the best of all last lots."""
    items, periods = net.shape
    best = np.full((items, periods + 1), np.inf)
    best[:, 0] = 0
    choice = np.zeros((items, periods + 1), dtype=np.int64)
    for first in range(periods):
        carried = np.zeros(items)
        anything = np.zeros(items, dtype=bool)
        for last in range(first, periods):
            carried = carried + holding * (last - first) * net[:, last]
            anything |= net[:, last] > 0
            cost = best[:, first] + np.where(anything, setup[:, first], 0) + carried
            # of what ties, the later lot: it holds less
            better = cost <= best[:, last + 1]
            best[:, last + 1] = np.where(better, cost, best[:, last + 1])
            choice[:, last + 1] = np.where(better, first, choice[:, last + 1])
    lots = np.zeros_like(net)
    cumulative = np.concatenate([np.zeros((items, 1)), np.cumsum(net, axis=1)], axis=1)
    rows, end = np.arange(items), np.full(items, periods)
    while (end > 0).any():
        begin = choice[rows, end]
        amount = cumulative[rows, end] - cumulative[rows, begin]
        lots[rows, np.minimum(begin, periods - 1)] += np.where(end > 0, amount, 0)
        end = np.where(end > 0, begin, 0)
    return lots


def cost_of(lots: Floats, net: Floats, setup: Floats, holding: Floats) -> Floats:
    """Return what lots cost in all: setups, and holding of what is left at the end of each period [money]."""
    left = np.cumsum(lots - net, axis=1)
    spent = np.where(lots > 0, np.broadcast_to(setup, net.shape), 0).sum(axis=1)
    return np.asarray(spent + (left * holding).sum(axis=1), dtype=np.float64)


def in_parts(steps: Ints, most: Ints, multiple: Ints) -> tuple[Ints, Ints]:
    """Return lots in even parts where they are more than may be ordered at once.

    Parameters
    ----------
    steps : of each lot, > 0 [steps of the item]
    most : of one part, 0: any; a multiple of `multiple`
    multiple : that parts are rounded up to, 0: none; the last takes what is left

    Returns
    -------
    the lot that each part is of, and its steps
    """
    count = np.where(most > 0, -(-steps // np.maximum(most, 1)), 1)
    each = -(-steps // count)
    each = np.where(multiple > 0, -(-each // np.maximum(multiple, 1)) * multiple, each)
    lot = np.repeat(np.arange(steps.size), count)
    before = (np.arange(lot.size) - np.repeat(np.cumsum(count) - count, count)) * each[lot]
    parts = np.minimum(each[lot], steps[lot] - before)
    return lot[parts > 0], parts[parts > 0]
