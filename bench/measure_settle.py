"""Late cost against a replay of everything, and the actual cost of a period against scipy's sparse solver."""

import gc
from decimal import Decimal
from random import Random
from time import perf_counter

import numpy as np
from django.test import SimpleTestCase
from poietic_core.quantity import ZERO, allocate, exact, money
from poietic_core.settle.chain import History, Pool, Receipt, walk
from poietic_core.settle.period_cost import carried_differences
from poietic_core.settle.replay import Cell, Event, Share, replay
from scipy.sparse import csr_matrix, eye
from scipy.sparse.linalg import spsolve

#: items bought, and made of two of them each; movements of each bought one
BOUGHT, MADE, MOVES, OF_THE_FIRST = 5000, 4000, 200, 6000
ITEMS, CELLS = 100_000, 1_000_000
GOAL_CHAIN, GOAL_PERIOD = 50, 3


class Works:
    """A works of a few million movements: what is bought goes into orders, what they make is sold."""

    def __init__(self) -> None:
        chance = Random(17)
        self.events: dict[int, list[Event]] = {}
        self.receipts: dict[tuple[str, int], list[Receipt]] = {}
        self.value: dict[int, Decimal] = {}
        self.paid: dict[tuple[int, int], Decimal] = {}
        key = 0
        for item in range(BOUGHT):
            moves = MOVES if item else OF_THE_FIRST
            quantity, value, own = Decimal(5 * moves), Decimal(10 * moves), []
            own.append(Event(key=key, quantity=quantity, value=value))
            self.paid[item, key] = value
            for _ in range(moves):
                key += 1
                went = Decimal(chance.randint(1, 4))
                part = money(value * went / quantity)
                order = ("order", BOUGHT + chance.randrange(MADE))
                own.append(Event(key=key, quantity=-went, value=part, cell=order))
                quantity, value = quantity - went, value - part
            key += 1
            self.events[item], self.value[item] = own, value
        charged: dict[tuple[str, int], Decimal] = {}
        for own in self.events.values():
            for e in own:
                if isinstance(e.cell, tuple):
                    charged[e.cell] = charged.get(e.cell, ZERO) + e.value
        for cell, amount in charged.items():
            item = cell[1]
            key += 3
            sold = money(amount * 6 / 10)
            self.receipts[cell] = [Receipt(item=item, key=key, weight=amount)]
            self.events[item] = [
                Event(key=key, quantity=Decimal(10), value=amount),
                Event(key=key + 1, quantity=Decimal(-6), value=sold, cell="sold"),
            ]
            self.value[item] = amount - sold

    def history(self, item: int, late: dict[int, Decimal]) -> History:
        """Return an item's history."""
        pool = Pool(key=0, events=self.events[item], value=self.value[item])
        return History(item=item, level=int(item < BOUGHT), pools=[pool], late=late)

    @exact
    def from_the_beginning(self, first: int, more: Decimal) -> Decimal:
        """Value everything anew with a receipt worth more, and return what was sold at."""
        charged: dict[tuple[str, int], Decimal] = {}
        sold = ZERO
        for item in range(BOUGHT):
            quantity, value = ZERO, ZERO
            for e in self.events[item]:
                if e.quantity > 0:
                    quantity += e.quantity
                    value += e.value + (more if item == first else ZERO)
                    continue
                part = money(value * -e.quantity / quantity)
                quantity, value = quantity + e.quantity, value - part
                assert isinstance(e.cell, tuple)
                charged[e.cell] = charged.get(e.cell, ZERO) + part
        for cell, receipts in self.receipts.items():
            for receipt, amount in zip(receipts, allocate(charged[cell], [r.weight for r in receipts]), strict=True):  # fmt: skip
                received, went = self.events[receipt.item]
                sold += money(amount * -went.quantity / received.quantity)
        return sold

    def replayed(self, first: int, more: Decimal) -> Decimal:
        """Replay every item by the same rules, returns and takings back included, and return how much more was sold at."""
        cells: dict[Cell, Share] = {}
        for item in range(BOUGHT):
            late = {self.events[item][0].key: more} if item == first else {}
            assert replay(self.events[item], late, cells)
        for order, (receipt,) in self.receipts.items():
            late = {receipt.key: cells[order].correction}
            assert replay(self.events[receipt.item], late, cells)
        return cells["sold"].correction


class Settling(SimpleTestCase):
    """One receipt turned out dearer; a month's differences are carried on."""

    def test_late_cost(self) -> None:
        works = Works()
        more = Decimal("400.00")
        gc.collect()
        gc.freeze()  # a million movements stand in memory, which a works would read as the chain reaches them
        begin = perf_counter()
        before = works.from_the_beginning(-1, ZERO)
        after = works.from_the_beginning(0, more)
        theirs = (perf_counter() - begin) / 2
        begin = perf_counter()
        sold_more = works.replayed(0, more)
        naive = perf_counter() - begin
        begin = perf_counter()
        chain = walk(
            {0: more},
            lambda item: works.history(item, {works.events[0][0].key: more} if item == 0 else {}),
            lambda cell: works.receipts.get(cell, []),  # type: ignore[call-overload]
        )
        ours = perf_counter() - begin
        sold = sum((s.amount for s in chain.steps if s.cell == "sold"), ZERO)
        self.assertAlmostEqual(sold, after - before, delta=Decimal("0.01") * len(chain.steps))
        self.assertEqual(sold, sold_more)
        movements = sum(len(e) for e in works.events.values())
        met = "met" if naive / ours >= GOAL_CHAIN else "MISSED"
        print(
            f"\nlate cost through {len(chain.corrections):,} of {movements:,} movements: {ours * 1000:.1f} ms, "
            f"{naive / ours:.0f} × replaying everything from the beginning ({naive * 1000:.0f} ms), equal to the cent "
            f"(goal: {GOAL_CHAIN} ×: {met}); {theirs / ours:.0f} × a bare loop that knows neither returns nor splits"
        )

    def test_actual_cost_of_a_period(self) -> None:
        chance = np.random.default_rng(5)
        used = chance.integers(1, ITEMS, CELLS)
        using = (used * chance.random(CELLS)).astype(np.int64)  # what is made has a smaller number
        shares = chance.random(CELLS) * 0.05
        own = chance.integers(-100_000, 100_000, ITEMS) / 100
        begin = perf_counter()
        found = carried_differences(own, using, used, shares)
        ours = perf_counter() - begin
        carried = csr_matrix((shares, (using, used)), shape=(ITEMS, ITEMS))
        matrix = (eye(ITEMS, format="csc") - carried.tocsc()).tocsc()
        begin = perf_counter()
        solved = spsolve(matrix, own, permc_spec="NATURAL")  # it is triangular: nothing fills
        theirs = perf_counter() - begin
        self.assertTrue(np.allclose(found, solved))
        met = "met" if ours / theirs <= GOAL_PERIOD else "MISSED"
        print(
            f"\nactual cost of a period, {ITEMS:,} items, {CELLS:,} cells: {ours * 1000:.0f} ms with building it, "
            f"{ours / theirs:.2f} × scipy's sparse solver alone ({theirs * 1000:.0f} ms), equal "
            f"(goal: {GOAL_PERIOD} ×: {met})"
        )
