"""What happens to running orders: a shift's sheet against its rows one by one, an order unwound at once."""

from time import perf_counter

from django.test import TestCase
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import Posting
from poietic.ledger.verify import differences
from poietic.orders.models import OrderOperation

from server.tests.client import make_person

ROWS, ORDERS = 500, 50
REPORTS = 200


class Making(TestCase):
    """Fifty orders of a cell whose plate is taken when it is milled."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop(make_person())
        mirror_cell.define(cls.shop)
        plate = [{"item": "AP-20", "operation": 10, "quantity": "2.4", "issue_rule": "at operation"}]  # fmt: skip
        mirror_cell.structure(cls.shop, "MA-200", [{"number": 10, "name": "Mill cell", "work_center": "MILL", **mirror_cell.MILL_HOURS}], plate)  # fmt: skip
        cls.shop.do("freeze-standard")
        cls.shop.do("receive-material", lines=[{"item": "AP-20", "quantity": "9000", "price": "6.50", "place": "STORE"}])  # fmt: skip
        cls.orders = [mirror_cell.plan(cls.shop, "MA-200", "40") for _ in range(ORDERS)]
        for order in cls.orders:
            cls.shop.do("release-order", order=order)

    def test_a_shift_is_previewed_as_a_whole(self) -> None:
        rows = [{"order": self.orders[n % ORDERS], "operation": 10, "good": "1"} for n in range(ROWS)]  # fmt: skip
        begin = perf_counter()
        self.shop.preview("post-shift", rows=rows)
        whole = perf_counter() - begin
        begin = perf_counter()
        for row in rows[:100]:
            self.shop.preview("report", **row)
        alone = (perf_counter() - begin) * ROWS / 100
        ratio = whole / alone
        met = "met" if ratio <= 0.5 else "MISSED"
        print(
            f"\na shift of {ROWS} rows previewed: {whole:.1f} s, {ratio:.2f} × its rows previewed one "
            f"by one ({alone:.1f} s, from 100 of them) (goal: at most 0.5 ×: {met})"
        )

    def test_an_order_is_unwound_as_a_whole(self) -> None:
        one, other = self.big(), self.big()
        numbers = list(Posting.objects.filter(cost_object__number=one, kind="report").order_by("-pk").values_list("pk", flat=True))  # fmt: skip
        begin = perf_counter()
        for number in numbers:
            self.shop.do("take-back", posting=number)
        single = perf_counter() - begin
        begin = perf_counter()
        self.shop.do("unwind", orders=[other], to="released")
        whole = perf_counter() - begin
        for order in (one, other):
            self.assertEqual(OrderOperation.objects.get(order__number=order).good, 0)
        self.assertEqual(differences(), [])
        print(
            f"\nan order with {REPORTS} reports unwound at once: {whole:.2f} s, "
            f"{single / whole:.1f} × as fast as {REPORTS} single reversals ({single:.1f} s); both end alike"
        )

    def big(self) -> int:
        """Return an order with many reports."""
        order = mirror_cell.plan(self.shop, "MA-200", "400")
        self.shop.do("release-order", order=order)
        for _ in range(REPORTS):
            self.shop.do("report", order=order, operation=10, good="1")
        return order
