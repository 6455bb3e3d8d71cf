"""What to make and buy, and by when: netting over all levels, the items of a level side by side."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import csr_matrix

from .lot_sizing import BY_COST, LotRule, lots_by_cost

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
    #: lot that is ordered in multiples; economic and fixed lots [unit]
    lot: Floats
    #: smallest quantity of one order, and what it is rounded up to [unit]; 0: none
    least: Floats
    multiple: Floats
    #: largest quantity of one order [unit]; 0: any
    most: Floats
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
    #: shape (n,): what may be used of stock [unit]
    on_hand: Floats
    #: shape (n, periods): wanted from outside, and what comes of orders that run [unit]
    demand: Floats
    supply: Floats


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
    for begin, end in zip(works.levels, works.levels[1:], strict=False):
        here = slice(begin, end)
        lots, left = _net_level(works, here, gross[here])
        due[here], projected[here] = lots, left
        lead = works.policy.lead[here]
        ordered = _shifted(lots, lead)
        if lots.any():
            gross += works.uses[here].T @ ordered
        if progress:
            progress(end)
    first_late = works.policy.lead[:, None] - np.arange(periods)[None, :]
    late = np.where(due > 0, np.maximum(0, first_late), 0)
    return Plan(due=due, gross=gross, projected=projected, late=late)


def _shifted(lots: Floats, lead: Ints) -> Floats:
    """Return lots by the period in which they are ordered; none before the first."""
    ordered = np.zeros_like(lots)
    rows, columns = np.nonzero(lots)
    np.add.at(ordered, (rows, np.maximum(0, columns - lead[rows])), lots[rows, columns])
    return ordered


def _net_level(works: Works, here: slice, gross: Floats) -> tuple[Floats, Floats]:
    """Return the lots of items that use none of each other, and what is left with them."""
    p = works.policy
    change = works.supply[here] - gross
    start = works.on_hand[here]
    lots = np.zeros_like(change)
    rules = p.rule[here]
    own = _Own(p, here)
    left_out = p.is_left_out[here]
    for code in np.unique(rules[~left_out]):
        rows = np.flatnonzero((rules == code) & ~left_out)
        rule = RULES[code]
        of = own.only(rows)
        if rule is LotRule.REORDER_POINT:
            lots[rows] = _at_reorder_point(start[rows], works.supply[here][rows], gross[rows], of)
        elif rule in BY_COST:
            lots[rows] = _by_cost(rule, start[rows], change[rows], of)
        else:
            lots[rows] = _period_by_period(rule, start[rows], change[rows], of)
    return lots, start[:, None] + np.cumsum(change + lots, axis=1)


class _Own:
    """The policies of some items."""

    NAMES = ("step", "lot", "least", "multiple", "most", "lead", "safety", "periods", "setup", "holding")  # fmt: skip

    def __init__(self, policy: Policy | None, here: slice | Ints) -> None:
        self.step = self.lot = self.least = self.multiple = self.most = np.zeros(0)
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


def _period_by_period(rule: LotRule, start: Floats, change: Floats, own: _Own) -> Floats:
    """Return the lots of rules that decide when a period falls short."""
    items, periods = change.shape
    lots = np.zeros_like(change)
    left = start.copy()
    ahead = np.zeros((0, 0))
    if rule is LotRule.PERIODS:
        ahead = np.cumsum(change, axis=1)
        past = np.arange(periods)
    for t in range(periods):
        left = left + change[:, t]
        short = own.safety - left
        is_short = short > TINY * own.step
        if not is_short.any():
            continue
        if rule in (LotRule.FIXED, LotRule.ECONOMIC):
            lot = np.where(own.lot > 0, own.lot, own.step)
            quantity = np.where(is_short, _up(short, lot), 0)
        elif rule is LotRule.PERIODS:
            window = (past >= t) & (past[None, :] < t + np.maximum(1, own.periods)[:, None])
            lowest = np.where(window, ahead, np.inf).min(axis=1) - ahead[:, t]
            whole = np.where(is_short, short - np.minimum(0, lowest), 0)
            quantity = sized(whole, own)
        else:
            quantity = sized(np.where(is_short, short, 0), own)
        lots[:, t] = quantity
        left = left + quantity
    return lots


def _at_reorder_point(start: Floats, supply: Floats, gross: Floats, own: _Own) -> Floats:
    """Return the lots that are ordered when stock and what is ordered fall below a point; they come a lead time later."""
    items, periods = gross.shape
    lots = np.zeros_like(gross)
    position = start + supply.sum(axis=1)
    rows = np.arange(items)
    for t in range(periods):
        position = position - gross[:, t]
        short = own.safety - position
        is_short = short > TINY * own.step
        lot = np.where(own.lot > 0, own.lot, own.step)
        quantity = np.where(is_short, _up(short, lot), 0)
        position = position + quantity
        comes = t + own.lead
        known = is_short & (comes < periods)
        lots[rows[known], comes[known]] += quantity[known]
    return lots


def _by_cost(rule: LotRule, start: Floats, change: Floats, own: _Own) -> Floats:
    """Return the lots of rules that weigh setups against holding, for what is missing lot for lot."""
    needs = np.zeros_like(change)
    left = start.copy()
    for t in range(change.shape[1]):
        left = left + change[:, t]
        missing = np.maximum(0, own.safety - left)
        needs[:, t] = np.where(missing > TINY * own.step, _up(missing, own.step), 0)
        left = left + needs[:, t]
    lots = lots_by_cost(rule, needs, own.setup[:, None], own.holding[:, None])
    return sized(lots, own)
