"""Stock valued by layers: what issues take, what returns restore, and changing the method."""

from decimal import Decimal
from typing import Any

from django.test import TestCase
from poietic.demo.shop import Shop
from poietic.ledger.models import Consumption, JournalLine, Layer
from poietic.ledger.verify import differences

from . import tracked
from .client import Caller, make_person
from .tracked import move, receive, running_order, worth


def left_of(item: str) -> list[tuple[str, str]]:
    """Return what is left of an item's layers, the oldest first."""
    rows = Layer.objects.filter(item__code=item, quantity_left__gt=0).order_by("pk")
    return [(f"{y.quantity_left.normalize():f}", str(y.value_left)) for y in rows]


class Layers(TestCase):
    """Receipts, issues and returns of items valued by layers."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        tracked.define(cls.shop)
        cls.order = running_order(cls.shop, "4000")

    def tearDown(self) -> None:
        self.assertEqual(differences(), [])

    def charged(self, outcome: Any) -> Decimal:
        """Return what an outcome's postings charged to work in process."""
        lines = JournalLine.objects.filter(posting__in=outcome.postings, account="work in process")
        return sum((line.amount for line in lines), Decimal(0))

    def call_mart(self, item: str) -> Decimal:
        """Buy, issue and buy again as in the textbook, and return what the issue was charged at."""
        receive(self.shop, item, "2000", "4.00")
        receive(self.shop, item, "6000", "4.40")
        issued = move(self.shop, "issue", self.order, item, "4000")
        receive(self.shop, item, "2000", "4.75")
        return self.charged(issued)

    def test_call_mart_first_in_first_out(self) -> None:
        """Kieso, Weygandt & Warfield, Intermediate Accounting, ch. 8 (from memory, recomputed)."""
        self.assertEqual(self.call_mart("LAYERED"), Decimal(16800))
        self.assertEqual(worth("LAYERED"), "27100.00")

    def test_call_mart_moving_average(self) -> None:
        """Ibid."""
        self.assertEqual(self.call_mart("AVERAGE"), Decimal(17200))
        self.assertEqual(worth("AVERAGE"), "26700.00")

    def test_a_lot_leaves_at_what_it_cost_itself(self) -> None:
        receive(self.shop, "CRYSTAL", "2", "10", {"lot": "DEAR", "quantity": "2"})
        receive(self.shop, "CRYSTAL", "2", "7", {"lot": "CHEAP", "quantity": "2"})

        issued = move(self.shop, "issue", self.order, "CRYSTAL", "1", ("CHEAP", "1"))

        self.assertEqual(self.charged(issued), Decimal(7))
        self.assertEqual(left_of("CRYSTAL"), [("2", "20.00"), ("1", "7.00")])

    def test_a_return_goes_back_into_the_layers_it_came_from_the_latest_first(self) -> None:
        receive(self.shop, "LAYERED", "3", "10")
        receive(self.shop, "LAYERED", "3", "12")
        move(self.shop, "issue", self.order, "LAYERED", "5")
        self.assertEqual(left_of("LAYERED"), [("1", "12.00")])

        back = move(self.shop, "return", self.order, "LAYERED", "3")

        self.assertEqual(self.charged(back), Decimal(-34))  # 2 at 12, then 1 at 10
        self.assertEqual(left_of("LAYERED"), [("1", "10.00"), ("3", "36.00")])
        kept = Consumption.objects.filter(quantity__lt=0).order_by("pk")
        self.assertEqual([(c.quantity, c.value) for c in kept], [(-2, -24), (-1, -10)])

    def test_cents_of_a_layer_go_with_its_last_piece(self) -> None:
        receive(self.shop, "LAYERED", "3", "3.333333")  # 10.00

        amounts = [self.charged(move(self.shop, "issue", self.order, "LAYERED", "1")) for _ in range(3)]  # fmt: skip

        self.assertEqual([str(a) for a in amounts], ["3.33", "3.34", "3.33"])
        self.assertEqual(worth("LAYERED"), "0.00")

    def test_an_issue_taken_back_leaves_the_layers_as_they_were(self) -> None:
        receive(self.shop, "LAYERED", "3", "10")
        receive(self.shop, "LAYERED", "3", "12")
        before = left_of("LAYERED")
        issued = move(self.shop, "issue", self.order, "LAYERED", "5")
        move(self.shop, "return", self.order, "LAYERED", "1")

        self.shop.do("take-back", posting=Consumption.objects.latest("pk").posting_id)
        self.shop.do("take-back", posting=issued.postings[0])

        self.assertEqual(left_of("LAYERED"), before)

    def test_a_receipt_that_was_used_can_not_be_taken_back_and_what_used_it_is_named(self) -> None:
        received = receive(self.shop, "LAYERED", "3", "10")
        receive(self.shop, "LAYERED", "3", "12")  # so that there would be enough
        issued = move(self.shop, "issue", self.order, "LAYERED", "1")
        caller = Caller(make_person())

        said = caller.do("take-back", {"posting": received.postings[0]})

        self.assertEqual((said["code"], caller.status), ("stock.layer_used", 409))
        self.assertIn(f"posting {issued.postings[0]}", said["detail"])
        self.shop.do("take-back", posting=issued.postings[0])
        self.shop.do("take-back", posting=received.postings[0])
        self.assertEqual(left_of("LAYERED"), [("3", "36.00")])


class Methods(TestCase):
    """An item comes to be valued in another way, with what is in stock."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        tracked.define(cls.shop)
        cls.order = running_order(cls.shop)
        cls.caller = Caller(make_person())

    def tearDown(self) -> None:
        self.assertEqual(differences(), [])

    def value_by(self, item: str, method: str) -> Any:
        """Have an item valued by a method and return the outcome."""
        return self.shop.do("change-valuation", item=item, valuation=method)

    def test_a_pool_becomes_a_layer_and_layers_become_a_pool(self) -> None:
        receive(self.shop, "AVERAGE", "3", "10")
        receive(self.shop, "AVERAGE", "1", "13")

        self.value_by("AVERAGE", "FIFO layers")
        self.assertEqual(left_of("AVERAGE"), [("4", "43.00")])
        receive(self.shop, "AVERAGE", "1", "20")
        move(self.shop, "issue", self.order, "AVERAGE", "4")
        self.assertEqual(worth("AVERAGE"), "20.00")

        self.value_by("AVERAGE", "moving average")
        self.assertEqual(left_of("AVERAGE"), [])
        receive(self.shop, "AVERAGE", "1", "10")
        move(self.shop, "issue", self.order, "AVERAGE", "1")
        self.assertEqual(worth("AVERAGE"), "15.00")

    def test_what_was_issued_before_comes_back_after(self) -> None:
        """Nothing says which layer it came from: it comes in at what it was issued at."""
        receive(self.shop, "AVERAGE", "4", "10")
        issued = move(self.shop, "issue", self.order, "AVERAGE", "2")
        self.value_by("AVERAGE", "FIFO layers")

        move(self.shop, "return", self.order, "AVERAGE", "1")
        self.assertEqual(left_of("AVERAGE"), [("2", "20.00"), ("1", "10.00")])

        move(self.shop, "issue", self.order, "AVERAGE", "1")
        self.shop.do("take-back", posting=issued.postings[0])
        self.assertEqual(worth("AVERAGE"), "40.00")

    def test_each_lot_gets_its_part_of_the_pool(self) -> None:
        receive(self.shop, "GLASS", "2", "10", {"lot": "A", "quantity": "2"})
        receive(self.shop, "GLASS", "1", "10.01", {"lot": "B", "quantity": "1"})

        self.value_by("GLASS", "lot actual")

        self.assertEqual(left_of("GLASS"), [("2", "20.01"), ("1", "10.00")])

    def test_coming_to_the_standard_posts_what_the_stock_is_worth_more(self) -> None:
        receive(self.shop, "LAYERED", "3", "12")  # its standard is 10

        outcome = self.value_by("LAYERED", "standard")

        self.assertEqual(worth("LAYERED"), "30.00")
        journal = {j.account: j.debit - j.credit for j in outcome.consequences.journal}
        self.assertEqual(journal, {"stock": -6, "stock revaluation": 6})
        self.value_by("LAYERED", "moving average")
        self.assertEqual(worth("LAYERED"), "30.00")

    def test_what_does_not_fit_is_refused(self) -> None:
        for given, code in (
            ({"item": "AVERAGE", "valuation": "lot actual"}, "input.invalid"),
            ({"item": "MA-200", "valuation": "lot actual"}, "input.invalid"),
            ({"item": "AVERAGE", "valuation": "moving average"}, "input.invalid"),
            ({"item": "NOBODY", "valuation": "standard"}, "input.not_found"),
        ):
            self.assertEqual(self.caller.do("change-valuation", given)["code"], code, given)

    def test_the_change_is_undone_by_another_not_taken_back(self) -> None:
        receive(self.shop, "AVERAGE", "3", "10")
        posting = self.value_by("AVERAGE", "FIFO layers").postings[0]

        said = self.caller.do("take-back", {"posting": posting})

        self.assertEqual(said["code"], "posting.not_reversible")
        self.assertIn("valued as it was before", said["fix"])
