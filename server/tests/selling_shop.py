"""A works that sells mirror cells to an observatory, for the tests of selling and planning."""

from datetime import date
from typing import Any

from django.test import TestCase
from django.utils import timezone
from poietic.demo import mirror_cell
from poietic.demo.shop import Shop
from poietic.ledger.verify import differences
from poietic_core.planning.days import PlanDays

from .client import Caller, make_person


class SellingTest(TestCase):
    """Mirror cells of 2.4 kg of plate, nine pads and a collimation set, sold to an observatory."""

    @classmethod
    def setUpTestData(cls) -> None:
        cls.shop = Shop()
        mirror_cell.define(cls.shop)
        cls.shop.do("define-partner", code="OBS", name="Observatory", is_customer=True)
        cls.shop.do("define-partner", code="METAL", name="Metal store", is_supplier=True)
        for item, price in (("AP-20", "6.50"), ("PAD-3", "0.42"), ("SB-06", "25")):
            cls.shop.do("set-prices", item=item, prices=[{"supplier": "METAL", "price": price}])
            cls.shop.do("change-item", code=item, lead_time_days=5)
        prices = [{"price": "90"}, {"price": "80", "from_quantity": "20"}]
        cls.shop.do("set-list-prices", item="MA-200", prices=prices)
        cls.shop.do("change-item", code="MA-200", lead_time_days=4, item_group="CELLS")
        cls.shop.do("change-item", code="CS-01", lead_time_days=2)
        cls.caller = Caller(make_person())
        cls.today = timezone.localdate()

    def tearDown(self) -> None:
        self.assertEqual(differences(), [])

    def must(self, name: str, /, **given: Any) -> Any:
        return self.caller.must(name, given)

    def refused(self, code: str, name: str, /, **given: Any) -> Any:
        answer = self.caller.do(name, given)
        self.assertEqual(answer.get("code"), code, answer)
        return answer

    def day(self, n: int) -> date:
        """Return a working day, so many after the first."""
        return PlanDays().following(self.today, n + 1)[n]

    def pads(self, quantity: str) -> None:
        """Put pads into stock."""
        line = {"item": "PAD-3", "quantity": quantity, "price": "0.42", "place": "STORE"}
        self.shop.do("receive-material", lines=[line])

    def ordered(self, quantity: str = "20", *, due: int = 40, **more: Any) -> int:
        """Enter an order of cells and return its number."""
        line = {"item": "MA-200", "quantity": quantity, "wanted_on": str(self.day(due))}
        said = self.must("enter-customer-order", customer="OBS", lines=[line | more.pop("line", {})], **more)  # fmt: skip
        return int(said["made"]["customer order"])

    def endangered(self) -> list[tuple[int, str | None, int | None, str]]:
        """Return what customers will not get in time: order, when it is there, how late, what it waits for."""
        rows = self.caller.get("plan/endangered")["rows"]
        return [(r["order"], r["comes"], r["late"], r["waits_for"]) for r in rows]
