"""What to make and buy, and by when: netting over all levels, the items of a level side by side."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from .expiry import left_to_expire
from .lot_sizing import BY_COST, LotRule, lots_by_cost
from .moving import Coming, Move, fit

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]
#: quantities that differ by less, in steps of the item, are the same: needs are sums of quotients
TINY = 1e-6
RULES = list(LotRule)


@dataclass(frozen=True, slots=True, kw_only=True)
class Policy:
    """How each item is replenished: one entry for each item, in low-level-code order."""

    rule: Ints
    #: smallest quantity [unit]
    step: Floats
    #: of fixed lots and reorder points: what is ordered in multiples [unit]
    lot: Floats
    #: smallest quantity of one order, and what it is rounded up to [unit]; 0: none
    least: Floats
    multiple: Floats
    #: from being ordered to being there [periods]
    lead: Ints
    #: below which the projection is not to fall [unit]; of a reorder point: that
    safety: Floats
    #: periods that one lot covers
    periods: Ints
    #: of one lot, and of one unit for a period [money]
    setup: Floats
    holding: Floats
    #: nothing is proposed: it passes through, or is planned by hand
    is_left_out: NDArray[np.bool_]


@dataclass(frozen=True, slots=True, kw_only=True)
class Works:
    """What is there, what is wanted and what comes, item by item and period by period.

    Items stand in low-level-code order: each before all that it is made of. A period is as long as
    whoever fills it says; what was due before the first counts in the first.
    """

    #: of each level its first item, and at the end the number of items
    levels: Sequence[int]
    #: using (row) and used (column): what one unit takes of each component
    uses: csr_matrix
    policy: Policy
    #: giving (row) and given (column): what comes beside one unit on the day it is there; each is given
    #: by items of levels before its own; None: nothing is
    gives: csr_matrix | None = None
    #: shape (n,): what may be used of stock [unit]
    on_hand: Floats
    #: shape (n, periods): wanted from outside, and what comes of orders that run [unit]
    demand: Floats
    supply: Floats
    #: by item, what comes of orders that can be moved; it counts besides `supply`
    coming: Mapping[int, Sequence[Coming]] = field(default_factory=dict)
    #: by item, the first period in which a part of its stock may not be used any more, and how much [unit]
    expiring: Mapping[int, Sequence[tuple[int, float]]] = field(default_factory=dict)
    #: periods by which it is not worth moving one
    tolerance: int = 0
    #: in so many first periods nothing new is to be there: what is missing then is there after them
    frozen: int = 0


@dataclass(slots=True, kw_only=True)
class Plan:
    """What a run proposes: shape (n, periods) each."""

    #: by the period in which it has to be there, and in which it is ordered [unit]
    due: Floats
    #: what all demand comes to, from outside and from above
    gross: Floats
    #: what is left at the end of each period with all that is proposed
    projected: Floats
    #: proposals that would have had to be ordered before the first period: how many periods late
    late: Ints = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    #: by item: what exists and should come in another period
    moves: dict[int, list[Move]] = field(default_factory=dict)


#: told after each level how many items are done; it may raise to stop the run
Progress = Callable[[int], None]


def net(works: Works, progress: Progress | None = None) -> Plan:
    """Return what has to be made and bought, in low-level-code order.

    Where the projection would fall below an item's safety stock, a lot is proposed for that period by
    the item's rule; what that takes of components is wanted when it is ordered. What would have had
    to be ordered before the first period is ordered in the first, so what it is made of is wanted
    then.

    Notes
    -----
    O(periods × (items + lines)), without the look-ahead of some rules.

    Source
    ------
    Material requirements planning: Orlicky (1975); Vollmann, Berry & Whybark, ch. "material
    requirements planning".
    """
    n, periods = works.demand.shape
    gross = works.demand.copy()
    due, projected = np.zeros((n, periods)), np.zeros((n, periods))
    is_same = not works.coming and not works.expiring and works.gives is None
    supply = works.supply if is_same else works.supply.copy()
    moves: dict[int, list[Move]] = {}
    for begin, end in pairwise(works.levels):
        here = slice(begin, end)
        netted = net_rows(works, np.arange(begin, end), gross[here], supply[here])
        due[here], projected[here] = netted.lots, netted.left
        moves |= netted.moves
        if end < n and netted.lots.any():
            ordered = shifted(netted.lots, works.policy.lead[here])
            gross[end:] += _below(works.uses, begin, end).T @ ordered
            if works.gives is not None:
                supply[end:] += _below(works.gives, begin, end).T @ netted.lots
        if progress:
            progress(end)
    late = late_by(due, works.policy.lead)
    return Plan(due=due, gross=gross, projected=projected, late=late, moves=moves)


def late_by(due: Floats, lead: Ints) -> Ints:
    """Return by how many periods lots would have had to be ordered before the first one."""
    first_late = lead[:, None] - np.arange(due.shape[1])[None, :]
    return np.where(due > 0, np.maximum(0, first_late), 0)


def _below(uses: csr_matrix, begin: int, end: int) -> csr_matrix:
    """Return what items of a level take of those below it: no other level can be taken of."""
    first, last = uses.indptr[begin], uses.indptr[end]
    return csr_matrix(
        (
            uses.data[first:last],
            uses.indices[first:last] - end,
            uses.indptr[begin : end + 1] - first,
        ),
        shape=(end - begin, uses.shape[1] - end),
    )


def shifted(lots: Floats, lead: Ints) -> Floats:
    """Return lots by the period in which they are ordered; none before the first."""
    ordered = np.zeros_like(lots)
    rows, columns = np.nonzero(lots)
    np.add.at(ordered, (rows, np.maximum(0, columns - lead[rows])), lots[rows, columns])
    return ordered


@dataclass(frozen=True, slots=True)
class Netted:
    """Some items, netted: shape (rows, periods)."""

    #: what is proposed, and what is left with it [unit]
    lots: Floats
    left: Floats
    #: by item, what exists and should come in another period
    moves: dict[int, list[Move]]


def net_rows(works: Works, rows: Ints, gross: Floats, supply: Floats) -> Netted:
    """Net items that use none of each other, for what is wanted of them; `supply` becomes what comes.

    Each row is worked out by itself, in the same order of additions whatever stands beside it: the
    same to the digit however many are netted at once.
    """
    own = {item: n for n, item in enumerate(rows.tolist())}
    for item in sorted(works.expiring.keys() & own.keys()):
        wanted = list(enumerate(gross[own[item]].tolist()))
        for at, left in left_to_expire(works.expiring[item], wanted):
            supply[own[item], at] -= left
    moves: dict[int, list[Move]] = {}
    for item in sorted(works.coming.keys() & own.keys()):
        n = own[item]
        comes, told = fit(
            *(float(works.on_hand[item]), float(works.policy.safety[item])),
            (gross[n] - supply[n]).tolist(),
            *(works.coming[item], works.tolerance),
        )
        supply[n] += comes
        if told:
            moves[item] = told
    return Netted(*_lots(works, rows, supply, gross), moves)


def _sum(by_period: Floats) -> Floats:
    """Return the sums over periods, one after the other: how numpy adds up depends on the shape."""
    total = np.zeros(by_period.shape[1])
    for period in by_period:
        total += period
    return total


def _lots(works: Works, here: Ints, supplied: Floats, gross: Floats) -> tuple[Floats, Floats]:
    """Return the lots of items that use none of each other, and what is left with them.

    Periods come first in here: each step takes all items of one, side by side in memory.
    """
    p = works.policy
    wanted = np.ascontiguousarray(gross.T)
    supply = np.ascontiguousarray(supplied.T)
    begin = works.frozen
    start = works.on_hand[here] + _sum((supply - wanted)[:begin])
    lots = np.zeros_like(wanted)
    free = lots[begin:]
    rules, left_out = p.rule[here], p.is_left_out[here]
    own = _Own(p, here)
    for code in np.unique(rules[~left_out]):
        rows = np.flatnonzero((rules == code) & ~left_out)
        rule, of = RULES[code], own.only(rows)
        come, go = supply[begin:, rows], wanted[begin:, rows]
        if rule is LotRule.ECONOMIC:
            of.lot = _economic(go, of)
        if rule is LotRule.REORDER_POINT:
            free[:, rows] = _at_reorder_point(start[rows], come, go, of)
        elif rule in BY_COST:
            free[:, rows] = _by_cost(rule, start[rows], come - go, of)
        else:
            free[:, rows] = _period_by_period(rule, start[rows], come - go, of)
    left = works.on_hand[here] + np.cumsum(supply - wanted + lots, axis=0)
    return np.ascontiguousarray(lots.T), np.ascontiguousarray(left.T)


class _Own:
    """The policies of some items."""

    NAMES = ("step", "lot", "least", "multiple", "lead", "safety", "periods", "setup", "holding")  # fmt: skip

    def __init__(self, policy: Policy | None, here: Ints) -> None:
        self.step = self.lot = self.least = self.multiple = np.zeros(0)
        self.safety = self.setup = self.holding = np.zeros(0)
        self.lead = self.periods = np.zeros(0, dtype=np.int64)
        if policy is not None:
            for name in self.NAMES:
                setattr(self, name, getattr(policy, name)[here])

    def only(self, rows: Ints) -> _Own:
        """Return those of some rows."""
        some = _Own(None, rows)
        for name in self.NAMES:
            setattr(some, name, getattr(self, name)[rows])
        return some


def _up(quantity: Floats, step: Floats) -> Floats:
    """Return quantities rounded up to whole steps; where the step is 0, as they are."""
    whole = np.ceil(quantity / np.where(step > 0, step, 1) - TINY) * step
    return np.asarray(np.where(step > 0, whole, quantity), dtype=np.float64)


def sized(quantity: Floats, own: _Own) -> Floats:
    """Return what is ordered for a need: at least the least, in multiples, in steps; 0 for none."""
    wanted = np.maximum(quantity, own.least)
    wanted = _up(_up(wanted, own.step), own.multiple)
    return np.asarray(np.where(quantity > 0, wanted, 0), dtype=np.float64)


def _economic(wanted: Floats, own: _Own) -> Floats:
    """Return the economic lots for what is wanted in all periods, in whole steps (Harris, 1913)."""
    held = np.where(own.holding > 0, own.holding, 1) * wanted.shape[0]
    lot = np.sqrt(2 * own.setup * _sum(wanted) / held)
    return _up(np.where(own.holding > 0, lot, 0), own.step)


def _period_by_period(rule: LotRule, start: Floats, change: Floats, own: _Own) -> Floats:
    """Return the lots of rules that decide when a period falls short, by period and item."""
    lots = np.zeros_like(change)
    left = start.copy()
    for t, step in enumerate(change):
        left += step
        rows = np.flatnonzero(own.safety - left > TINY * own.step)
        if not rows.size:
            continue
        of = own.only(rows)
        short = of.safety - left[rows]
        if rule in (LotRule.FIXED, LotRule.ECONOMIC):
            quantity = _up(short, np.where(of.lot > 0, of.lot, of.step))
        else:
            if rule is LotRule.PERIODS:
                short -= _lowest(change[t + 1 : t + int(of.periods.max())], rows, of.periods)
            quantity = sized(short, of)
        lots[t, rows] = quantity
        left[rows] += quantity
    return lots


def _lowest(ahead: Floats, rows: Ints, periods: Ints) -> Floats:
    """Return how far the stock of some items falls at most in the rest of their own spans, <= 0."""
    falls, lowest = np.zeros(rows.size), np.zeros(rows.size)
    for n, step in enumerate(ahead, 1):
        falls += np.where(n < periods, step[rows], 0)
        np.minimum(lowest, falls, out=lowest)
    return lowest


def _at_reorder_point(start: Floats, supply: Floats, gross: Floats, own: _Own) -> Floats:
    """Return the lots that are ordered when stock and what is ordered fall below a point; they come a lead time later."""
    lots = np.zeros_like(gross)
    position = start + _sum(supply)
    lot = np.where(own.lot > 0, own.lot, own.step)
    for t, step in enumerate(gross):
        position -= step
        rows = np.flatnonzero(own.safety - position > TINY * own.step)
        quantity = _up(own.safety[rows] - position[rows], lot[rows])
        position[rows] += quantity
        comes = t + own.lead[rows]
        known = comes < gross.shape[0]
        lots[comes[known], rows[known]] += quantity[known]
    return lots


def _by_cost(rule: LotRule, start: Floats, change: Floats, own: _Own) -> Floats:
    """Return the lots of rules that weigh setups against holding, for what is missing lot for lot."""
    needs = np.zeros_like(change)
    left = start.copy()
    for t, step in enumerate(change):
        left += step
        missing = own.safety - left
        needs[t] = np.where(missing > TINY * own.step, _up(missing, own.step), 0)
        left += needs[t]
    lots = lots_by_cost(rule, needs.T, own.setup[:, None], own.holding[:, None])
    return sized(lots.T, own)
