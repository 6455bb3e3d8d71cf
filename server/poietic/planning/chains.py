"""Who waits for a supply, up to the customers, and what a demand waits for, down to what is bought."""

from collections.abc import Iterable, Sequence
from collections.abc import Set as AbstractSet
from datetime import date

from poietic_core.planning.chain import Chain, Key, Link, covered_by, late_ways, served_by
from poietic_core.planning.model import Source
from poietic_core.planning.pegging import Peg
from poietic_core.quantity import ZERO

from ..catalog.models import Item
from ..catalog.queries import any_of
from ..orders.models import Order, OrderInput, PlannedNeed
from .foreseen import Foreseen, foreseen
from .models import Proposal
from .uses import given_beside, uses_of
from .works_days import works_days

#: what orders and proposals make, or take: items by what tells them apart
ItemsByMaker = dict[Key, set[int]]


class Chains:
    """Reads what the walks ask for, each item once."""

    def __init__(self, today: date) -> None:
        self.today, self.days = today, works_days(today)
        self.items: dict[int, Item] = {}
        self.futures: dict[int, Foreseen] = {}
        self._pegs: dict[int, Sequence[Peg]] = {}

    def up(self, item: Item, begin: Key | None, late: int) -> Chain:
        """Return who waits for a supply of an item, so many working days late; None: for its stock."""
        return served_by(item.pk, begin, late, self.pegs_of, self.given_by, days=self.days)

    def down(self, item: Item, begin: Key) -> Chain:
        """Return what a demand for an item waits for."""
        return covered_by(item.pk, begin, self.pegs_of, self.taken_by, days=self.days)

    def late_ways(self, begins: Sequence[tuple[int, Key | None]]) -> tuple[list[list[Link]], bool]:
        """Return what makes each of some demands late, from the demand down, and whether not all was followed."""
        return late_ways(begins, self.pegs_of, self.taken_by, days=self.days)

    def pegs_of(self, items: AbstractSet[int]) -> dict[int, Sequence[Peg]]:
        """Return who gets what of some items."""
        if fresh := set(items) - self.futures.keys():
            known = Item.objects.in_bulk(list(fresh))
            self.items |= known
            found = foreseen(known.values(), self.today)
            self.futures |= found
            self._pegs |= {key: own.pegs() for key, own in found.items()}
        return {i: self._pegs[i] for i in items}

    def given_by(self, makers: AbstractSet[Key]) -> ItemsByMaker:
        """Return what orders and proposals make, with what comes beside it."""
        made = self._made_by(makers)
        beside = given_beside(set(made.values()), self.today)
        return {m: {made[m]} | beside.get(made[m], set()) for m in made}

    def taken_by(self, makers: AbstractSet[Key]) -> ItemsByMaker:
        """Return what orders still take, and what proposals will."""
        found: ItemsByMaker = {m: set() for m in makers}
        orders = _numbers(makers, Source.ORDER)
        still = OrderInput.objects.filter(order__number__in=any_of(orders), still__gt=ZERO)
        needs = PlannedNeed.objects.filter(order__number__in=any_of(orders))
        for rows in (still, needs) if orders else ():
            for number, item in rows.values_list("order__number", "item"):
                found[Source.ORDER, number, 0].add(item)
        proposed = self._made_by({m for m in makers if m[0] is Source.PROPOSAL})
        uses = uses_of(proposed.values(), self.today)
        codes = {code for own in uses.values() for code in own}
        keys = dict(Item.objects.filter(code__in=codes).values_list("code", "pk"))
        for maker, item in proposed.items():
            found[maker] |= {keys[code] for code in uses.get(item, ())}
        return found

    def _made_by(self, makers: AbstractSet[Key]) -> dict[Key, int]:
        found: dict[Key, int] = {}
        if orders := _numbers(makers, Source.ORDER):
            made = Order.objects.filter(number__in=any_of(orders)).values_list("number", "item")
            found |= {(Source.ORDER, number, 0): item for number, item in made}
        if proposals := _numbers(makers, Source.PROPOSAL):
            rows = Proposal.objects.filter(pk__in=any_of(proposals)).values_list("pk", "item")
            found |= {(Source.PROPOSAL, number, 0): item for number, item in rows}
        return found


def _numbers(makers: Iterable[Key], source: Source) -> set[int]:
    return {number for kind, number, _ in makers if kind is source}
