"""Pegs followed over all levels: up to who waits for a supply, down to what a demand waits for."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass, field, replace
from decimal import Decimal
from math import inf

from .days import WEEKDAYS, PlanDays
from .model import Demand, Source, Supply
from .pegging import Peg

#: a demand or a supply: what of, its number and line
Key = tuple[Source, int, int]
#: an item, and what of it is followed; None: its stock
Node = tuple[int, Key | None]
#: what makes an item of others wants those: an order or a proposal
MAKERS = (Source.ORDER, Source.PROPOSAL)
#: told items; returns who gets what of each
PegsOf = Callable[[AbstractSet[int]], Mapping[int, Sequence[Peg]]]
#: told orders and proposals; returns the items that each gives, or those that it takes
ItemsOf = Callable[[AbstractSet[Key]], Mapping[Key, AbstractSet[int]]]


@dataclass(frozen=True, slots=True)
class Link:
    """A quantity of an item that goes to a demand; no supply: from stock, or nothing where it is open."""

    item: int
    demand: Demand
    supply: Supply | None
    quantity: Decimal
    is_open: bool
    #: levels from where the walk began
    depth: int
    #: working days by which it comes after it is wanted; None: nobody knows when it comes
    late: int | None


@dataclass(frozen=True, slots=True)
class Chain:
    """Links in the order of a walk, each after the one that leads to it."""

    links: list[Link]
    #: there are more than were followed
    is_cut: bool
    #: of what a demand waits for, the links that decide when it is there, from the demand down
    path: list[Link] = field(default_factory=list)


def key_of(of: Demand | Supply | None) -> Key | None:
    """Return what tells a demand or a supply apart from others of its item; None for stock."""
    if of is None:
        return None
    return of.source, of.number, of.line if isinstance(of, Demand) else 0


def served_by(
    item: int,
    begin: Key | None,
    late: int,
    pegs_of: PegsOf,
    gives: ItemsOf,
    *,
    days: PlanDays = WEEKDAYS,
    most: int = 300,
) -> Chain:
    """Return who waits for a supply, up to the customers, and how late each is if it comes late.

    What a demand has to spare takes up a delay; what is made for it is delayed by the rest.

    Parameters
    ----------
    item, begin : the supply: an order, purchase or proposal of the item; None: its stock
    late : by how many working days it comes later than it says
    gives : the items that an order or proposal makes
    days : that count as working days
    most : links that are followed

    Source
    ------
    Full pegging: Orlicky, Material Requirements Planning (1975). A delay goes on less its float:
    the critical path method (Kelley & Walker, 1959).
    """
    walk = _Walk(pegs_of, gives, lambda p: p.supply, lambda p: p.demand, most, most)
    first = (item, begin)
    walk.gather([first])
    delays: dict[Node, int | None] = {first: late}
    lates: dict[Node, list[int | None]] = {}
    for node in reversed(list(walk.after(first))):  # each after all that lead to it
        lates[node] = [_late(p, delays.get(node, 0), days) for p in walk.pegs[node]]
        for p, by in zip(walk.pegs[node], lates[node], strict=True):
            for onward in walk.beyond(p):
                delays[onward] = _worst([delays.get(onward, 0), by])
    return walk.chain(first, lates)


def covered_by(
    item: int,
    begin: Key,
    pegs_of: PegsOf,
    takes: ItemsOf,
    *,
    days: PlanDays = WEEKDAYS,
    most: int = 300,
) -> Chain:
    """Return what covers a demand, down to what is bought, and how late each comes.

    An order is late by as much as the latest of what it takes.

    Parameters
    ----------
    item, begin : the demand
    takes : the items that an order or proposal still takes
    days : that count as working days
    most : links that are followed

    Source
    ------
    As of `served_by`.
    """
    first = (item, begin)
    walk, lates, paths = _down([first], pegs_of, takes, days, most, most)
    return replace(walk.chain(first, lates), path=paths[0])


def late_ways(
    begins: Sequence[Node],
    pegs_of: PegsOf,
    takes: ItemsOf,
    *,
    days: PlanDays = WEEKDAYS,
    most: int = 100_000,
    most_items: int = 20_000,
) -> tuple[list[list[Link]], bool]:
    """Return for each demand the links that make it late, from the demand down; none where it is in time.

    All are followed together: what is asked for does not grow with their number.

    Parameters
    ----------
    begins : items with the demands
    takes, days, most : as of `covered_by`
    most_items : whose pegs are read; levels below these are not followed

    Returns
    -------
    the links by demand, and whether there is more below than was followed

    Source
    ------
    As of `served_by`.
    """
    walk, _, ways = _down(begins, pegs_of, takes, days, most, most_items)
    return ways, walk.is_cut


def _down(
    begins: Sequence[Node],
    pegs_of: PegsOf,
    takes: ItemsOf,
    days: PlanDays,
    most: int,
    most_items: int,
) -> tuple[_Walk, dict[Node, list[int | None]], list[list[Link]]]:
    walk = _Walk(pegs_of, takes, lambda p: p.demand, lambda p: p.supply, most, most_items)
    walk.gather(begins)
    waits: dict[Node, int | None] = {}
    lates: dict[Node, list[int | None]] = {}
    for first in begins:
        for node in walk.after(first, waits):  # each after all that it takes
            lates[node] = [
                _late(p, _worst(waits.get(below, 0) for below in walk.beyond(p)), days)
                for p in walk.pegs[node]
            ]
            waits[node] = _worst(lates[node])
    return walk, lates, [list(walk.worst_way(first, lates, waits)) for first in begins]


class _Walk:
    """The pegs that are reached from one, level by level; `near` is the end it comes from."""

    def __init__(
        self,
        pegs_of: PegsOf,
        items_of: ItemsOf,
        near: Callable[[Peg], Demand | Supply | None],
        far: Callable[[Peg], Demand | Supply | None],
        most: int,
        most_items: int,
    ) -> None:
        #: there is more than was followed
        self.is_cut = False
        self.pegs: dict[Node, list[Peg]] = {}
        self._pegs_of, self._items_of, self._near, self._far = pegs_of, items_of, near, far
        self._most, self._most_items, self._count = most, most_items, 0
        self._items: dict[Key, AbstractSet[int]] = {}

    def gather(self, begins: Iterable[Node]) -> None:
        """Read level by level what is reached."""
        frontier: set[Node] = set(begins)
        read: set[int] = set()
        while frontier:
            items = {item for item, _ in frontier}
            read |= items
            if self.pegs and (self._count >= self._most or len(read) > self._most_items):
                self.is_cut = True
                return
            pegs = self._pegs_of(items)
            makers: set[Key] = set()
            for item, key in frontier:
                own = [
                    p for p in pegs.get(item, ())
                    if p.demand is not None and key_of(self._near(p)) == key and not (key is None and p.is_open)
                ]  # fmt: skip
                self.pegs[item, key] = own
                self._count += len(own)
                makers |= {far for p in own if (far := key_of(self._far(p))) and far[0] in MAKERS}
            self._items |= self._items_of(makers - self._items.keys())
            onward: set[Node] = {(i, maker) for maker in makers for i in self._items.get(maker, ())}
            frontier = onward - self.pegs.keys()

    def beyond(self, p: Peg) -> Iterator[Node]:
        """Return where a peg leads on to."""
        far = key_of(self._far(p))
        for item in sorted(self._items.get(far, ())) if far else ():
            if (item, far) in self.pegs:
                yield item, far

    def after(self, first: Node, done: Iterable[Node] = ()) -> Iterator[Node]:
        """Return what is reached and not done, each after all that it leads on to; a loop is cut where it closes."""
        seen = set(done)
        if first in seen:
            return
        seen.add(first)
        ways = [(first, self._onward(first))]
        while ways:
            node, onward = ways[-1]
            for further in onward:
                if further not in seen:
                    seen.add(further)
                    ways.append((further, self._onward(further)))
                    break
            else:
                ways.pop()
                yield node

    def _onward(self, node: Node) -> Iterator[Node]:
        return (further for p in self.pegs[node] for further in self.beyond(p))

    def worst_way(
        self,
        first: Node,
        lates: Mapping[Node, Sequence[int | None]],
        waits: Mapping[Node, int | None],
    ) -> Iterator[Link]:
        """Return the latest link, and below it that which makes it so, as far as any is late."""
        node: Node | None = first
        passed: set[Node] = set()
        while node and node not in passed and self.pegs[node] and waits.get(node, 0) != 0:
            passed.add(node)
            own = zip(self.pegs[node], lates[node], strict=True)
            p, late = max(own, key=lambda each: _weight(each[1]))
            yield _link(node[0], p, len(passed) - 1, late)
            node = max(self.beyond(p), key=lambda b: _weight(waits.get(b, 0)), default=None)

    def chain(self, first: Node, lates: Mapping[Node, Sequence[int | None]]) -> Chain:
        """Return the links as one reads them: what hangs on a link below it; what was shown, once."""
        links: list[Link] = []
        shown: set[Node] = set()

        def show(node: Node, depth: int) -> None:
            if node in shown:
                return
            shown.add(node)
            for p, by in zip(self.pegs[node], lates[node], strict=True):
                links.append(_link(node[0], p, depth, by))
                for further in self.beyond(p):
                    show(further, depth + 1)

        show(first, 0)
        return Chain(links[: self._most], is_cut=self.is_cut or len(links) > self._most)


def _link(item: int, p: Peg, depth: int, late: int | None) -> Link:
    assert p.demand is not None  # what nobody wants is not gathered
    return Link(item, p.demand, p.supply, p.quantity, p.is_open, depth, late)


def _late(p: Peg, delay: int | None, days: PlanDays) -> int | None:
    """Return by how many working days a peg is late when its supply comes so much later."""
    if p.is_open or delay is None:
        return None
    if p.supply is None or p.demand is None:
        return 0
    if p.supply.comes is None:
        return None
    return days.between(p.demand.due, days.later(p.supply.comes, delay))


def _weight(delay: int | None) -> float:
    """Return what delays are ordered by: one that nobody knows is the worst."""
    return inf if delay is None else delay


def _worst(delays: Iterable[int | None]) -> int | None:
    """Return the greatest delay, 0 for none; None where one is not known."""
    known = list(delays)
    return None if None in known else max((d for d in known if d is not None), default=0)
