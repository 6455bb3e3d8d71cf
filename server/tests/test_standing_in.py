"""What is used in the place of other inputs: alternates, and phantom stock."""

from decimal import Decimal
from typing import Any

from django.test import TestCase
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.models import WipBalance
from poietic.ledger.verify import differences
from poietic.orders.book import OrderBook
from poietic.orders.models import OrderInput

from .client import Caller, make_person


def causes(order: int) -> dict[str, Decimal]:
    """Return an order's causes to the cent, by kind."""
    sums: dict[str, Decimal] = {}
    for cause, amount in OrderBook.read(order).variance().rounded_causes():
        sums[cause.kind.value] = sums.get(cause.kind.value, Decimal(0)) + amount
    return {kind: amount for kind, amount in sums.items() if amount}


def close(case: TestCase, shop: Shop, order: int) -> None:
    """Complete and close an order: every cell of its WIP is 0.00 then."""
    shop.do("complete-order", order=order)
    shop.do("close-order", order=order)
    case.assertFalse(WipBalance.objects.filter(cost_object__number=order).exclude(amount=0).exists())  # fmt: skip
    case.assertEqual(differences(), [])


class Alternates(TestCase):
    """A frame of 4 plates at 10; a plate may be replaced by 1.25 sheets at 6, or by a slab."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = shop = Shop()
        mirror_cell.define(shop)
        for code, price in (("PLATE", "10"), ("SHEET", "6"), ("SLAB", "30"), ("FOIL", "1")):
            shop.do("define-item", code=code, name=code, unit="pcs", source="buy", price=price)
        shop.do("define-item", code="FRAME", name="Frame", unit="pcs", source="make", standard_lot="10")  # fmt: skip
        alternates = [{"item": "SHEET", "ratio": "1.25"}, {"item": "SLAB", "ratio": "1"}]
        mirror_cell.structure(
            shop,
            "FRAME",
            [{"number": 10, "name": "Weld", "work_center": "ASSY", "run_labour_hours": "0.5"}],
            [
                {"item": "PLATE", "operation": 10, "quantity": "4", "alternates": alternates},
                {"item": "SLAB", "operation": 10, "quantity": "1"},
            ],
        )
        shop.do("freeze-standard")
        prices = [("PLATE", "10"), ("SHEET", "6.50"), ("SLAB", "30")]
        shop.do("receive-material", lines=[{"item": i, "quantity": "100", "price": p, "place": "STORE"} for i, p in prices])  # fmt: skip
        cls.order = mirror_cell.plan(shop, "FRAME", "10")
        shop.do("release-order", order=cls.order)

    def issue(self, item: str, quantity: str, **more: Any) -> Any:
        """Issue one line, or return it."""
        line = {"operation": 10, "item": item, "quantity": quantity} | more
        return self.shop.do("issue-material", order=self.order, lines=[line])

    def test_an_alternate_covers_its_component_and_its_cause_is_substitution(self) -> None:
        """By hand: 20 plates and 25 sheets for 20: 25 × 6 − 20 × 10 = −50; 25 × 0.50 of price."""
        self.issue("PLATE", "20")
        self.issue("SHEET", "25", instead_of="PLATE")
        self.issue("SLAB", "10")
        self.shop.do("report", order=self.order, operation=10, good="10", receive="10")

        plate = OrderInput.objects.get(order__number=self.order, item__code="PLATE")
        self.assertEqual((plate.used, plate.stood_in, plate.still_needed), (20, 20, 0))
        self.assertEqual(causes(self.order), {"substitution": Decimal(-50), "price": Decimal("12.50")})  # fmt: skip
        close(self, self.shop, self.order)

    def test_what_is_covered_is_not_backflushed_missing_or_left_over(self) -> None:
        self.issue("SHEET", "30", instead_of="PLATE")  # for 24
        row = Caller(make_person()).get(f"orders/{self.order}")["inputs"]

        shown = {i["code"]: i for i in row}
        self.assertEqual(Decimal(shown["PLATE"]["still"]), 16)
        self.assertEqual(shown["SHEET"]["instead_of"], ["PLATE"])

    def test_more_alternates_than_the_work_took_come_back(self) -> None:
        self.issue("SHEET", "50", instead_of="PLATE")  # for 40
        self.issue("SLAB", "10")
        self.shop.do("report", order=self.order, operation=10, good="4", receive="4")

        remarks = self.shop.do("complete-order", order=self.order).consequences.remarks

        said = {r.thing: r.text for r in remarks}
        self.assertEqual(said["SHEET"], "30 pcs left over, returned to Main store")
        self.assertEqual(said["SLAB"], "6 pcs left over, returned to Main store")
        self.assertEqual(causes(self.order)["substitution"], Decimal(-40))

    def test_an_alternate_comes_back_as_such(self) -> None:
        issued = self.issue("SHEET", "50", instead_of="PLATE")
        line = {"operation": 10, "item": "SHEET", "quantity": "25", "instead_of": "PLATE"}
        self.shop.do("return-material", order=self.order, lines=[line])
        plate = OrderInput.objects.get(order__number=self.order, item__code="PLATE")
        self.assertEqual(plate.stood_in, 20)

        self.shop.do("take-back", posting=issued.postings[0] + 1)
        self.shop.do("take-back", posting=issued.postings[0])

        plate.refresh_from_db()
        self.assertEqual(plate.stood_in, 0)
        self.assertEqual(differences(), [])

    def test_only_listed_items_stand_in_and_none_that_stands_there_itself(self) -> None:
        caller = Caller(make_person())
        for item, code, fix in (
            ("FOIL", "order.not_an_alternate", "have FOIL listed"),
            ("SLAB", "order.component_itself", "Issue it as that component"),
        ):
            line = {"operation": 10, "item": item, "quantity": "1", "instead_of": "PLATE"}
            said = caller.do("issue-material", {"order": self.order, "lines": [line]})
            self.assertEqual((said["code"], caller.status), (code, 422))
            self.assertIn(fix, said["fix"])


class PhantomStock(TestCase):
    """A stand of 2 legs, each of 3 bars at 4 and a quarter of an hour; some legs are in stock."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = shop = Shop()
        mirror_cell.define(shop)
        shop.do("define-item", code="BAR", name="Bar", unit="pcs", source="buy", price="4")
        for code in ("LEG", "STAND"):
            shop.do("define-item", code=code, name=code.title(), unit="pcs", source="make", standard_lot="10")  # fmt: skip
        weld = {"number": 10, "name": "Weld", "work_center": "ASSY", "run_labour_hours": "0.25"}
        mirror_cell.structure(shop, "LEG", [weld], [{"item": "BAR", "operation": 10, "quantity": "3"}])  # fmt: skip
        join = {"number": 50, "name": "Join", "work_center": "ASSY", "run_labour_hours": "0.5"}
        mirror_cell.structure(shop, "STAND", [join], [{"item": "LEG", "operation": 50, "quantity": "2"}])  # fmt: skip
        shop.do("freeze-standard")
        shop.do("receive-material", lines=[{"item": "BAR", "quantity": "200", "price": "4", "place": "STORE"}])  # fmt: skip
        legs = mirror_cell.plan(shop, "LEG", "6")
        shop.do("release-order", order=legs)
        shop.do("issue-material", order=legs, lines=[{"operation": 10, "item": "BAR", "quantity": "18"}])  # fmt: skip
        shop.do("report", order=legs, operation=10, good="6", receive="6", complete=True)
        shop.do("change-phantom", item="LEG", is_phantom=True)
        shop.do("freeze-standard")
        cls.order = mirror_cell.plan(shop, "STAND", "10")

    def test_phantom_stock_is_used_first_and_the_rest_is_made(self) -> None:
        """By hand: 20 legs wanted, 6 there; bars for 14 legs, labour of 14 legs and 10 stands."""
        outcome = self.shop.do("release-order", order=self.order)

        said = {r.thing: r.text for r in outcome.consequences.remarks}
        self.assertIn("6 pcs from stock are used before any is made", said["LEG"])
        bars = OrderInput.objects.get(order__number=self.order, item__code="BAR")
        self.assertEqual((bars.need, bars.stood_in, bars.still_needed), (60, 18, 42))
        self.shop.do("issue-material", order=self.order, lines=[{"operation": bars.operation, "item": "BAR", "quantity": "42"}])  # fmt: skip
        self.shop.do("report", order=self.order, operation=bars.operation, good="10")
        self.shop.do("report", order=self.order, operation=50, good="10", receive="10")

        labour = OrderInput.objects.filter(order__number=self.order, kind="run labour")
        hours = {i.operation: i.used for i in labour}
        self.assertEqual(hours, {bars.operation: Decimal("3.5"), 50: Decimal(5)})  # 14 × 0.25
        self.assertEqual(causes(self.order), {})
        close(self, self.shop, self.order)

    def test_stock_of_one_place_is_left_to_its_orders(self) -> None:
        self.shop.do("define-place", code="ANNEX", name="Annex", kind="store")
        order = self.shop.do("plan-order", item="STAND", quantity="10", due="2026-12-24", supply_place="ANNEX", receipt_place="ANNEX").made["order"]  # fmt: skip

        outcome = self.shop.do("release-order", order=int(order))

        self.assertNotIn("LEG", {r.thing for r in outcome.consequences.remarks})

    def test_no_more_is_taken_than_the_order_wants(self) -> None:
        order = mirror_cell.plan(self.shop, "STAND", "2")
        self.shop.do("release-order", order=order)

        legs = OrderInput.objects.get(order__number=order, item__code="LEG")
        self.assertEqual(legs.used, 4)
        self.shop.do("release-order", order=self.order)
        self.assertEqual(OrderInput.objects.get(order__number=self.order, item__code="LEG").used, 2)
        self.assertEqual(differences(), [])
