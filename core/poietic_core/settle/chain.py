"""Late cost: what a receipt turned out to cost, carried to everything that it went into."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from heapq import heappop, heappush

from ..quantity import CENT, ZERO, allocate, exact
from .replay import Cell, Event, Replayed, Share, replay_within


# these two are not frozen: a walk makes thousands of them, and freezing takes most of that
@dataclass(slots=True, kw_only=True)
class Pool:
    """Stock that is valued as one: all of an item at moving average, or one layer."""

    key: int
    #: in the order in which they happened
    events: Sequence[Event]
    #: in the order in which they were entered, where that is another one
    entered: Sequence[Event] = ()
    #: what it is worth now [money]
    value: Decimal = ZERO


@dataclass(slots=True, kw_only=True)
class History:
    """An item's stock and all that moved of it."""

    item: int
    #: its low-level code: components have larger ones than what is made of them
    level: int
    pools: Sequence[Pool]
    #: by event that came: what it cost beyond its value, as far as that was known before [money]
    late: Mapping[int, Decimal] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Receipt:
    """What an order brought into stock of an item: `weight` is quantity × standard [money]."""

    item: int
    key: int
    weight: Decimal


@dataclass(slots=True, kw_only=True)
class Step:
    """One thing that the walk corrected: an item's stock, or a cell that its pieces went into."""

    item: int
    #: how many items were replayed before it
    turn: int
    #: the pool that is still in stock, or the cell that it went into
    pool: int | None = None
    cell: Cell | None = None
    #: the pieces, what they were worth, and how much more that is
    quantity: Decimal
    before: Decimal
    amount: Decimal
    #: the items made that it goes on into; empty: it stays
    onward: tuple[int, ...] = ()


@dataclass(slots=True)
class Chain:
    """What late costs lead to: the steps that stay and the rounding add up to them."""

    steps: list[Step] = field(default_factory=list)
    #: by item and event: how much more a movement is worth
    corrections: dict[tuple[int, int], Decimal] = field(default_factory=dict)
    #: by item and receipt: the late cost of what was made that the walk found
    late: dict[tuple[int, int], Decimal] = field(default_factory=dict)
    #: by item: no more than a cent of what came back to it, that is not carried round again
    rounding: dict[int, Decimal] = field(default_factory=dict)

    @exact
    def stays(self) -> Decimal:
        """Return what of it has come to rest [money]: all of it, or something was lost."""
        rests = (s.amount for s in self.steps if not s.onward)
        return sum(rests, ZERO) + sum(self.rounding.values(), ZERO)


#: what an order's cell leads to: the receipts of what it made; none: it stays there
Onward = Callable[[Cell], Sequence[Receipt]]


@exact
def walk(
    fresh: Mapping[int, Decimal], history_of: Callable[[int], History], onward: Onward
) -> Chain:
    """Carry late costs through stock, orders and what they made, to any depth.

    Each item is replayed once, those deepest in structures first, with all late costs that
    reached it; one that is reached again (rework into itself) is replayed again until no more
    than a cent comes back, which goes to rounding.

    Parameters
    ----------
    fresh : by item, what is not carried on yet of the late costs in its history [money]
    history_of : asked once for each item
    onward : of a cell, what was made of what went into it

    Raises
    ------
    AssertionError
        If what comes to rest is not what was fresh: money would be lost or made.

    Notes
    -----
    O(movements of the items reached). Items of one level are taken by their keys.

    Source
    ------
    The handbook's section 12; each method as in the replay.
    """
    chain = Chain()
    items: dict[int, _Item] = {}
    pending: dict[int, dict[int, Decimal]] = {}
    queue: list[tuple[int, int]] = []

    def reach(item: int) -> None:
        if item not in items:
            items[item] = _Item(history_of(item))
        if item not in pending:
            pending[item] = {}
            heappush(queue, (-items[item].history.level, item))

    def give(receipt: Receipt, part: Decimal) -> None:
        if receipt.item not in pending:
            reach(receipt.item)
        goes = pending[receipt.item]
        goes[receipt.key] = goes[receipt.key] + part if receipt.key in goes else part

    for item in sorted(fresh):
        reach(item)
    turn = 0
    while queue:
        _, item = heappop(queue)
        shares, own = pending.pop(item), items[item]
        if own.is_replayed and sum(map(abs, shares.values()), ZERO) <= CENT:
            amount = sum(shares.values(), ZERO)
            chain.rounding[item] = chain.rounding.get(item, ZERO) + amount
            continue
        own.take_in(shares)
        for key, share in shares.items():
            chain.late[item, key] = chain.late.get((item, key), ZERO) + share
        for step in own.replay(turn, chain.corrections):
            chain.steps.append(step)
            receipts = onward(step.cell) if step.cell is not None else ()
            if not receipts:
                continue
            if len(receipts) == 1:
                step.onward = (receipts[0].item,)
                give(receipts[0], step.amount)
                continue
            step.onward = tuple(dict.fromkeys(r.item for r in receipts))
            parts = allocate(step.amount, [r.weight for r in receipts])
            for receipt, part in zip(receipts, parts, strict=True):
                if part:
                    give(receipt, part)
        turn += 1
    lost = sum(fresh.values(), ZERO) - chain.stays()
    if lost:
        raise AssertionError(f"The late cost leaves {lost} nowhere.")
    return chain


class _Item:
    """An item in a walk: its history, and what earlier replays of the walk corrected."""

    __slots__ = ("_gained", "_went", "history", "is_replayed", "late")

    def __init__(self, history: History) -> None:
        self.history = history
        #: with what reached it; the history's own while nothing has
        self.late = history.late
        self.is_replayed = False
        self._gained: dict[int, Decimal] = {}
        self._went: dict[Cell, Decimal] = {}

    def take_in(self, shares: Mapping[int, Decimal]) -> None:
        """Add late costs that reached it, by the event that they belong to."""
        if not self.late:
            self.late = shares
        elif shares:
            own = dict(self.late)
            for key, share in shares.items():
                own[key] = own.get(key, ZERO) + share
            self.late = own

    def replay(self, turn: int, corrections: dict[tuple[int, int], Decimal]) -> list[Step]:
        """Replay all pools, the oldest first; return what is corrected beyond earlier replays."""
        self.is_replayed = True
        item, steps = self.history.item, []
        cells: dict[Cell, Share] = {}
        for pool in self.history.pools:
            found = self._replayed(pool, cells)
            for key, correction in found.corrections.items():
                corrections[item, key] = correction
            rest = gained = found.value - pool.value
            if pool.key in self._gained:
                rest = gained - self._gained[pool.key]
            if rest:
                self._gained[pool.key] = gained
                before = found.value - rest
                steps.append(Step(item=item, turn=turn, pool=pool.key, quantity=found.quantity, before=before, amount=rest))  # fmt: skip
        for cell, share in cells.items():
            before, more = share.value, share.correction
            if cell in self._went:
                before, more = before + self._went[cell], more - self._went[cell]
            if more:
                self._went[cell] = share.correction
                steps.append(Step(item=item, turn=turn, cell=cell, quantity=share.quantity, before=before, amount=more))  # fmt: skip
        return steps

    def _replayed(self, pool: Pool, cells: dict[Cell, Share]) -> Replayed:
        """Replay a pool as it happened; where it would go below zero so, as it was entered."""
        if pool.entered:
            apart = {c: Share(s.quantity, s.value, s.correction) for c, s in cells.items()}
            found = replay_within(pool.events, self.late, apart)
            if found is not None:
                cells.update(apart)
                return found
        found = replay_within(pool.entered or pool.events, self.late, cells)
        if found is None:
            raise AssertionError(f"The stock of item {self.history.item} goes below zero.")
        return found
