"""Random walks by one person and by three at once; `POIETIC_WALK` sets how many steps, 250 in the suite."""

import os
from concurrent.futures import ThreadPoolExecutor
from typing import Any

from django.db import connection
from django.test import TransactionTestCase
from poietic.commanding.registry import COMMANDS
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Posting
from poietic.ledger.verify import differences
from poietic.orders.book import OrderBook
from poietic.orders.models import Order

from .client import Caller, make_person
from .test_picking import define_works
from .walk import ACTS, Do, Walk

APPS = ("poietic.orders", "poietic.stores", "poietic.picking")

STEPS = int(os.environ.get("POIETIC_WALK", "250"))


def doing(caller: Caller) -> Do:
    """Return what carries out a command through the HTTP interface."""

    def do(name: str, given: dict[str, Any]) -> tuple[int, dict[str, Any]]:
        answer = caller.do(name, given)
        return caller.status, answer

    return do


class Walks(TransactionTestCase):
    """Nothing is a fault, and the ledger is whole, wherever people go."""

    def setUp(self) -> None:
        shop = Shop()
        define_works(shop)
        mirror_cell.supply(shop)
        shop.do("define-reason", code="WAITS", name="Waits", use="hold")
        self.people = [make_person(name) for name in ("ada", "bo", "cy")]

    def walk(self, n: int, steps: int) -> Walk:
        try:
            walk = Walk(doing(Caller(self.people[n])), seed=n)
            walk.go(steps)
            return walk
        finally:
            connection.close()

    def whole(self, walks: list[Walk]) -> None:
        """Assert what must hold at the end, and that the walks went somewhere."""
        self.assertEqual([f for w in walks for f in w.faults], [])
        self.assertEqual(differences(), [])
        for order in Order.objects.exclude(standard=None):
            variance = OrderBook.of(order).variance()
            causes = variance.rounded_causes()
            self.assertEqual(sum(amount for _, amount in causes), variance.to_date())
        self.assertGreater(Posting.objects.count(), sum(w.told.total() for w in walks) / 12)

    def test_they_go_through_all_that_is_done_in_stores_and_to_orders(self) -> None:
        walk = Walk(lambda name, given: (404, {}), seed=1)
        tried = {act(walk, n)[0] for act in set(ACTS) for n in range(400)}
        there = {name for name, c in COMMANDS.items() if c.run.__module__.startswith(APPS)}
        self.assertEqual(there - tried, {"begin-orders-at"})

    def test_one_person_does_anything_in_any_order(self) -> None:
        self.whole([self.walk(0, STEPS)])

    def test_three_people_do_anything_at_once(self) -> None:
        with ThreadPoolExecutor(3) as pool:
            walks = list(pool.map(lambda n: self.walk(n, STEPS // 3), range(3)))
        self.whole(walks)
