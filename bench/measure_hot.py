"""Eight clients post receipts of six items: on twenty items that all of them touch, and on items of their own."""

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from random import Random
from time import perf_counter

from django.db import connection
from django.test import TransactionTestCase
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.verify import differences

CLIENTS, EACH, LINES, HOT = 8, 25, 6, 20


class Hot(TransactionTestCase):
    """Postings a second on hot balances against cold ones."""

    def setUp(self) -> None:
        shop = Shop()
        mirror_cell.define(shop)
        self.hot = [f"HOT-{n:02}" for n in range(HOT)]
        self.cold = [[f"COLD-{k}-{n:02}" for n in range(HOT)] for k in range(CLIENTS)]
        for code in (*self.hot, *(c for own in self.cold for c in own)):
            shop.do("define-item", code=code, name=code, unit="pcs", source="buy", price="2")

    def test_hot_against_cold(self) -> None:
        cold = self.rate(lambda k: self.cold[k])
        hot = self.rate(lambda k: self.hot)
        ratio = hot / cold
        met = "met" if ratio >= 0.4 else "MISSED"
        self.assertEqual(differences(), [])
        print(
            f"\n{CLIENTS} clients, receipts of {LINES} items: {cold:.0f} postings/s on items of their "
            f"own, {hot:.0f} on {HOT} that all touch, {ratio:.2f} × (goal: 0.4 ×: {met}), no deadlock told"
        )

    def rate(self, items: Callable[[int], Sequence[str]]) -> float:
        """Return how many postings a second all clients make together."""

        def post(k: int) -> None:
            shop, chance = Shop(), Random(k)
            try:
                for _ in range(EACH):
                    chosen = chance.sample(list(items(k)), LINES)
                    lines = [{"item": c, "quantity": "1", "price": "2", "place": "STORE"} for c in chosen]  # fmt: skip
                    shop.do("receive-material", lines=lines)
            finally:
                connection.close()

        begin = perf_counter()
        with ThreadPoolExecutor(CLIENTS) as pool:
            list(pool.map(post, range(CLIENTS)))
        return CLIENTS * EACH / (perf_counter() - begin)
